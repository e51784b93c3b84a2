//! The neutral program representation: *the* room that every front end writes into and
//! every analysis reads from.
//!
//! Three layers describe one file. The full [`Unit`] is what lowering makes: types,
//! members and bodies, each node with its byte span. [`facts::distill`] keeps of it what
//! can carry a function, an object, a constant key or control flow, together with what
//! the language itself promises ([`traits::Traits`]); that is what linking starts from.
//! The linked program lives in the analysis crate.
//!
//! The representation is
//! 1. independent of syntax: no node says which grammar made it;
//! 2. total: whatever a front end does not model is an [`Node::Opaque`] node that keeps
//!    its children, so nothing inside it is lost;
//! 3. unresolved: names are names, interned per file;
//! 4. flat: nodes live in one arena per body and refer to each other by id, so that
//!    copying, dropping and scanning never recurse.

mod body;
mod dump;
pub mod facts;
mod interner;
mod lines;
mod name;
pub mod pack;
mod spans;
pub mod traits;
mod types;
mod unit;

pub use body::{
    AssignOp, BinaryOp, Body, CaptureMode, Children, CollectionKind, Function, FunctionId, LambdaForm, List, LoopKind, Node, NodeId, Param,
    ParamMode, UnaryOp,
};
pub use dump::dump;
pub use facts::Facts;
pub use interner::Interner;
pub use lines::{Encoding, LineIndex};
pub use name::{Name, Names};
pub use types::{TypeRef, TypeRefId};
pub use unit::{
    AcceptComment, AccessorKind, Annotation, Base, BaseKind, Import, Language, Member, MemberId, MemberKind, Modifiers, Span, TypeDecl,
    TypeDeclId, TypeKind, TypeParam, Unit, Visibility,
};
