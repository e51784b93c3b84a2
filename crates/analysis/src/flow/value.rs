//! Abstract values: what an expression can be, in terms of the member it stands in.

use std::sync::Arc;

use yarrowgraph_ir::FunctionId;

use crate::program::{MemberId, Site, Sym, TypeId};

/// An abstract value. Paths start at an instance, a parameter, a static member or a
/// creation, and go through members and elements.
#[derive(Clone, Debug, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub enum Val {
    /// Not known.
    Unknown,
    /// The instance that a member of this type runs on.
    This(TypeId),
    /// A parameter of a member, or of a function written in its body.
    Param(MemberId, Option<FunctionId>, u16),
    /// A local variable that several values reach or that holds a function, or an
    /// expression that is known by its type only.
    Local(Site),
    /// What an instance member holds.
    Member(Arc<Val>, MemberId),
    /// What a static member or a variable of a module holds.
    Static(MemberId),
    /// A type of the tree, as a value.
    Type(TypeId),
    /// The type that a type parameter of a method stands for, as a value.
    TypeParam(MemberId, Sym),
    /// A member that is not declared in the tree.
    Outside(Arc<Val>, Sym),
    /// A name that is not declared in the tree.
    Global(Sym),
    /// An element of a collection, under a key where one is given.
    Element(Arc<Val>, Option<Arc<Val>>),
    /// An object, by where it is created.
    New(Site),
    /// A function written in a body.
    Lambda(MemberId, FunctionId),
    /// A method as a value, with its receiver.
    Method(MemberId, Option<Arc<Val>>),
    /// A function made anew at each evaluation out of another one.
    Bound(Arc<Val>, Site),
    /// The result of a call that is not seen through.
    Call(Site),
    /// An object or collection literal.
    Literal(Site),
    /// A text.
    Str(Sym),
    /// No value.
    Null,
    /// Plain data.
    Data,
}

impl Val {
    /// The value that a path starts at.
    pub fn root(&self) -> &Val {
        match self {
            Val::Member(of, _) | Val::Outside(of, _) | Val::Element(of, _) | Val::Bound(of, _) => of.root(),
            Val::Method(_, Some(of)) => of.root(),
            _ => self,
        }
    }

    /// The function that is bound to an object, or else the value itself.
    pub fn unbound(&self) -> &Val {
        if let Val::Bound(of, _) = self { of } else { self }
    }

    /// The field of the own object that it is: `this.gates`.
    pub fn own_field(&self) -> Option<MemberId> {
        match self {
            Val::Member(of, field) if matches!(**of, Val::This(_)) => Some(*field),
            _ => None,
        }
    }

    /// What it is reached by: itself, what that is a member of, and so on to where the path starts.
    pub fn path(&self) -> impl Iterator<Item = &Val> {
        std::iter::successors(Some(self), |step| match step {
            Val::Member(of, _) | Val::Outside(of, _) => Some(of),
            _ => None,
        })
    }

    /// Whether it is a function, as far as its form tells.
    pub fn is_function(&self) -> bool {
        matches!(self, Val::Lambda(..) | Val::Method(..) | Val::Bound(..))
    }

    /// Replaces the instance and the parameters of a member by what a caller hands over.
    pub fn substitute(&self, with: &Binding) -> Val {
        let sub = |of: &Arc<Val>| Arc::new(of.substitute(with));
        match self {
            Val::This(_) => with.this.clone().unwrap_or_else(|| self.clone()),
            Val::Param(member, function, index) if (*member, *function) == with.callee => {
                with.args.get(*index as usize).cloned().flatten().unwrap_or(Val::Unknown)
            }
            Val::TypeParam(member, name) if (*member, None) == with.callee => {
                with.types.iter().find(|(n, _)| n == name).map_or_else(|| self.clone(), |(_, ty)| ty.clone())
            }
            Val::Member(of, m) => Val::Member(sub(of), *m),
            Val::Outside(of, name) => Val::Outside(sub(of), *name),
            Val::Element(of, key) => Val::Element(sub(of), key.as_ref().map(sub)),
            Val::Method(m, of) => Val::Method(*m, of.as_ref().map(sub)),
            Val::Bound(of, site) => Val::Bound(sub(of), *site),
            _ => self.clone(),
        }
    }
}

/// What a caller hands to a callee.
#[derive(Clone, Debug)]
pub struct Binding {
    /// The function that is called.
    pub callee: (MemberId, Option<FunctionId>),
    /// The instance it runs on.
    pub this: Option<Val>,
    /// The arguments by parameter; none where one is left out.
    pub args: Vec<Option<Val>>,
    /// What the callee's type parameters stand for, as far as that is known.
    pub types: Vec<(Sym, Val)>,
}
