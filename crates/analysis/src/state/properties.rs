//! Which property a call says has changed, where a channel tells of several by their names.

use yarrowgraph_ir::{AccessorKind, MemberKind, Node, NodeId};

use crate::flow::{Val, returned};
use crate::program::{MemberId, Site, Sym, TypeId};
use crate::wire::Wiring;

impl Wiring<'_> {
    /// The name that a call which tells of a change hands over: a text or constant among its arguments or in what is made for them; where
    /// it leaves that to the compiler, the name of the property whose setter it stands in.
    pub fn property_named(&self, call: Site) -> Option<Sym> {
        let program = self.program();
        let body = program.body(call.member)?;
        let Node::Call { args, .. } = body.node(call.node) else { return None };
        let scope = program.scope(call.member);
        let is_key = |n: NodeId| scope.parent(n).is_some_and(|p| matches!(body.node(p), Node::Entry { key, .. } if key == n));
        let handed = body.list(args).iter().flat_map(|arg| scope.within(*arg));
        handed.filter(|n| !is_key(*n)).find_map(|n| self.constant_text(call.member, n)).or_else(|| {
            let callee = self.flow.callee(call)?.member;
            let left_out = program.decl(callee).params.get(args.len as usize)?;
            let names = &program.kit_of(callee).pack.caller_names;
            let is_caller = left_out.annotations.iter().any(|a| names.contains(program.unit_of(callee).text(a.name)));
            let setter = program.member(call.member);
            (is_caller && setter.kind == MemberKind::Accessor(AccessorKind::Set)).then_some(setter.name)
        })
    }

    /// The text that an expression stands for, written there or as a constant.
    pub fn constant_text(&self, member: MemberId, node: NodeId) -> Option<Sym> {
        let program = self.program();
        match program.body(member)?.node(node) {
            Node::Str(text) => Some(program.sym_in(member, text)),
            Node::Name(_) | Node::Member { .. } => {
                let value = self.flow.eval_in(member, node);
                self.flow.text_of(&value).filter(|_| matches!(value, Val::Static(_)))
            }
            _ => None,
        }
    }

    /// Whether a call that tells of a change names another property of a class than the one that a field is behind.
    pub fn tells_of_another(&self, class: TypeId, call: Site, field: MemberId) -> bool {
        let behind = self.fields_told(class, call);
        !behind.is_empty() && !behind.contains(&field)
    }

    /// Whether it names the property that a field is behind.
    pub fn tells_of(&self, class: TypeId, call: Site, field: MemberId) -> bool {
        self.fields_told(class, call).contains(&field)
    }

    /// The fields of a class that are behind the property which a call that tells of a change names.
    fn fields_told(&self, class: TypeId, call: Site) -> Vec<MemberId> {
        let program = self.program();
        let Some(name) = self.property_named(call) else { return Vec::new() };
        let named = program.find_members(class, name);
        let is_behind = |m: &MemberId| match program.member(*m).kind {
            MemberKind::Field | MemberKind::Property => Some(*m),
            // also where it counts how often it is asked
            MemberKind::Accessor(AccessorKind::Get) => self.answers_from(*m).or_else(|| match returned(program, *m, None)[..] {
                [only] => match self.flow.eval_in(*m, only) {
                    Val::Member(of, field) if matches!(*of, Val::This(_)) => Some(field),
                    _ => None,
                },
                _ => None,
            }),
            _ => None,
        };
        named.iter().filter_map(is_behind).collect()
    }
}
