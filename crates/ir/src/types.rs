//! Type references as written.

use crate::Name;
use serde::{Deserialize, Serialize};

/// A type reference of one file; an index into [`crate::Unit::type_refs`].
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize, Deserialize)]
pub struct TypeRefId(pub u32);

/// A type as it is written in the source.
#[derive(Clone, Debug, PartialEq, Eq, Hash, Serialize, Deserialize)]
pub enum TypeRef {
    /// A name with its qualifiers, dotted, and type arguments: `a.b.Map<K, V>`.
    Named {
        /// The dotted name.
        name: Name,
        /// The type arguments.
        args: Box<[TypeRefId]>,
    },
    /// An array or a rest parameter.
    Array(TypeRefId),
    /// A function type.
    Function {
        /// The parameters' types.
        params: Box<[TypeRefId]>,
        /// The result's type.
        result: TypeRefId,
    },
    /// A type that also admits nothing (`T?`, `T | null`).
    Nullable(TypeRefId),
    /// One of several types, or all of them.
    Union(Box<[TypeRefId]>),
    /// A tuple.
    Tuple(Box<[TypeRefId]>),
    /// An object or record type with members, kept by name.
    Object(Box<[(Name, TypeRefId)]>),
    /// A literal used as a type.
    Literal(Name),
    /// Reference or pointer to a type.
    Indirect(TypeRefId),
    /// `var`, `auto`, a missing annotation that is to be inferred.
    Inferred,
    /// The type of the enclosing instance.
    This,
    /// Something not modelled.
    Other,
}
