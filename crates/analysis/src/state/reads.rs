//! Which expressions read the state of another object.

use yarrowgraph_ir::{MemberKind, Node};

use crate::flow::Val;
use crate::program::{MemberId, Site};
use crate::wire::Wiring;

/// A field that an expression reads, of an object.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Read {
    /// The object, as seen from where the expression stands.
    pub object: Val,
    /// The field.
    pub field: MemberId,
}

impl Wiring<'_> {
    /// The field that an expression reads, directly or by a getter that answers from one field.
    pub fn read(&self, site: Site) -> Option<Read> {
        let program = self.program();
        let body = program.body(site.member)?;
        match body.node(site.node) {
            // what a local keeps was read before
            Node::Name(name) if program.scope(site.member).lookup(name, site.node).is_some() => None,
            Node::Name(_) | Node::Member { .. } => {
                if let Some(read) = self.field_read(self.flow.eval(site)) {
                    return Some(read);
                }
                // a property that computes from one field
                let Node::Member { object, name, .. } = body.node(site.node) else { return None };
                let object = self.flow.eval_in(site.member, object);
                let class = self.flow.type_of(&object).own()?;
                let getter = program
                    .find_members(class, program.sym_in(site.member, name))
                    .into_iter()
                    .find(|m| program.member(*m).kind == MemberKind::Accessor(yarrowgraph_ir::AccessorKind::Get))?;
                Some(Read { object, field: self.answers_from(getter)? })
            }
            Node::Call { args, .. } if args.len == 0 => {
                let callee = self.flow.callee(site)?;
                let field = self.answers_from(callee.member)?;
                Some(Read { object: callee.receiver?, field })
            }
            _ => None,
        }
    }

    fn field_read(&self, value: Val) -> Option<Read> {
        let program = self.program();
        match value {
            Val::Member(object, field) if program.member(field).kind != MemberKind::Event => {
                Some(Read { object: (*object).clone(), field })
            }
            _ => None,
        }
    }

    /// Whether a field holds data rather than an object of the tree, which may change within, or a collection; of a
    /// collection only its size or what is looked up in it is data.
    pub fn holds_data(&self, field: MemberId) -> bool {
        let program = self.program();
        let ty = self.flow.type_held(field);
        let is_enum = |t| program.ty(t).kind == yarrowgraph_ir::TypeKind::Enum;
        program.element_type(program.member(field).unit, &ty).is_none() && ty.own().is_none_or(is_enum)
    }

    /// The one field of its object that a getter answers from, when it does nothing else.
    pub fn answers_from(&self, getter: MemberId) -> Option<MemberId> {
        let program = self.program();
        let body = program.body(getter)?;
        if body.nodes.len() > 24 {
            return None;
        }
        let mut only = None;
        for node in body.ids() {
            match body.node(node) {
                Node::Assign { .. } | Node::Lambda(_) | Node::Loop { .. } | Node::ForEach { .. } | Node::Throw(_) | Node::New { .. } => {
                    return None;
                }
                // what a call of the tree gives is more than the field
                Node::Call { .. } if self.flow.callee(Site { member: getter, node }).is_some() => return None,
                Node::Name(_) | Node::Member { .. } => {
                    if let Val::Member(of, field) = self.flow.eval_in(getter, node)
                        && matches!(*of, Val::This(_))
                        && matches!(program.member(field).kind, MemberKind::Field | MemberKind::Property)
                        && only.replace(field).is_some_and(|before| before != field)
                    {
                        return None;
                    }
                }
                _ => {}
            }
        }
        let returns = (0..body.nodes.len()).any(|i| matches!(body.nodes[i], Node::Return(Some(_))));
        only.filter(|_| returns || body.returns_root)
    }
}
