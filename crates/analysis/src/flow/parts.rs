//! Objects that come about without a word for it: parts that an object holds by value, and what its constructors make them of
//! (`: m_gauge(bus, 3)`), and what is made where it is put (`gauges.emplace_back(bus, 3)`).

use rustc_hash::FxHashMap;
use yarrowgraph_ir::{AssignOp, MemberKind, Node, NodeId, TypeKind};

use super::{Binding, Flow, Val};
use crate::program::{MemberId, Site, Sym, Ty, TypeId};

/// A part, as a constructor makes it.
#[derive(Debug)]
pub(crate) struct Part {
    /// The field that holds it.
    pub field: MemberId,
    /// Its class.
    pub class: TypeId,
    /// What stands for its creation: all that it is made of.
    pub site: Site,
    /// What it is made of.
    pub args: Vec<NodeId>,
}

impl Flow<'_> {
    /// The part that an assignment at the head of a constructor stands for; none where its field is given what is there already.
    pub(crate) fn part_made_by(&self, assign: Site) -> Option<Part> {
        let program = self.program;
        let info = program.member(assign.member);
        if info.kind != MemberKind::Constructor || !self.has_parts(assign.member) {
            return None;
        }
        let (body, scope) = (program.body(assign.member)?, program.scope(assign.member));
        let Node::Assign { op: AssignOp::Set, target, value } = body.node(assign.node) else { return None };
        // they stand beside the block of the constructor's own statements
        let Node::Block(items) = body.node(body.root?) else { return None };
        let statements = body.list(items).last().filter(|n| matches!(body.node(**n), Node::Block(_)));
        if statements.is_none() || scope.parent(assign.node) != body.root {
            return None;
        }
        let Node::Member { object, name, .. } = body.node(target) else { return None };
        let is_field = |m: &MemberId| program.member(*m).kind == MemberKind::Field && !program.member(*m).is_static;
        let named = program.own_members(info.owner, program.sym_in(assign.member, name));
        let field = named.iter().copied().find(is_field).filter(|_| body.node(object) == Node::This)?;
        if !program.holds_by_value(field) {
            return None;
        }
        let class = program.declared_type(field).own().filter(|t| program.ty(*t).kind == TypeKind::Class)?;
        let args = match body.node(value) {
            Node::Opaque(list) => body.list(list).to_vec(),
            Node::Null => return None,
            _ => vec![value],
        };
        let site = Site { member: assign.member, node: value };
        self.can_be_made_of(class, assign.member, &args).then_some(Part { field, class, site, args })
    }

    /// The class of the object that a call makes of its arguments where it puts it: `ears.emplace_back(hub, handler)`.
    pub(crate) fn class_made_at(&self, call: Site) -> Option<TypeId> {
        let program = self.program;
        let body = program.body(call.member)?;
        let Node::Call { callee, args, .. } = body.node(call.node) else { return None };
        let Node::Member { object, name, .. } = body.node(callee) else { return None };
        let unit = program.unit_of(call.member);
        if args.len == 0 || !program.kit_of(call.member).pack.makes_items.contains(unit.text(name)) {
            return None;
        }
        let held = self.type_of_node(call.member, object);
        if program.is_map(&held) {
            return None;
        }
        let item = program.element_type(program.member(call.member).unit, &held).unwrap_or(held);
        let class = item.own().filter(|t| program.ty(*t).kind == TypeKind::Class)?;
        self.can_be_made_of(class, call.member, body.list(args)).then_some(class)
    }

    /// The calls that make objects of a class where they put them.
    pub(super) fn made_where_put(&self, class: TypeId) -> &[Site] {
        let all = self.made_where_put.get_or_init(|| {
            let program = self.program;
            let mut names: Vec<Sym> = program.packs().flat_map(|p| p.makes_items.iter().filter_map(|n| program.symbols.get(n))).collect();
            names.sort_unstable();
            names.dedup();
            let mut found: FxHashMap<TypeId, Vec<Site>> = FxHashMap::default();
            for call in names.into_iter().flat_map(|name| program.index.calls(name)) {
                if let Some(class) = self.class_made_at(*call) {
                    found.entry(class).or_default().push(*call);
                }
            }
            found
        });
        all.get(&class).map_or(&[], Vec::as_slice)
    }

    /// Whether a constructor of a class takes some expressions; what is of the class already, or may be, is copied instead.
    fn can_be_made_of(&self, class: TypeId, member: MemberId, args: &[NodeId]) -> bool {
        let may_be_a_copy = |arg: NodeId| match self.type_of_node(member, arg) {
            Ty::Unknown => true,
            ty => ty.own().is_some_and(|given| self.program.are_kin(given, class)),
        };
        let takes_all = |constructor: MemberId| self.program.decl(constructor).params.len() >= args.len();
        !matches!(args, [one] if may_be_a_copy(*one)) && self.constructor(class, args.len()).is_some_and(takes_all)
    }

    /// Whether a member's language has parts by value.
    fn has_parts(&self, member: MemberId) -> bool {
        self.program.kit_of(member).traits.references_dangle
    }

    /// The fields whose parts a constructor makes.
    pub(crate) fn parts_of_constructor(&self, constructor: MemberId) -> Vec<MemberId> {
        let Some(body) = self.program.body(constructor).filter(|_| self.has_parts(constructor)) else { return Vec::new() };
        let Some(Node::Block(items)) = body.root.map(|root| body.node(root)) else { return Vec::new() };
        let made = body.list(items).iter().filter_map(|node| self.part_made_by(Site { member: constructor, node: *node }));
        made.map(|part| part.field).collect()
    }

    /// What constructors make the part of that a field is declared to hold; none where it comes about with nothing.
    pub(super) fn parts_declared_at(&self, declared: Site) -> Vec<Part> {
        let program = self.program;
        if program.member(declared.member).kind != MemberKind::Field || !self.has_parts(declared.member) {
            return Vec::new();
        }
        let assign_of = |value: &Site| Some(Site { member: value.member, node: program.scope(value.member).parent(value.node)? });
        let given = self.definitions(declared.member).iter().filter(|value| value.member != declared.member);
        given.filter_map(assign_of).filter_map(|assign| self.part_made_by(assign)).collect()
    }

    /// What the making of a part hands to its constructor, if it is that one.
    pub(super) fn binding_of_part(&self, part: &Part, declared: Site, constructor: MemberId) -> Option<Binding> {
        if self.constructor(part.class, part.args.len()) != Some(constructor) {
            return None;
        }
        let mut args = vec![None; self.program.decl(constructor).params.len()];
        for (slot, node) in args.iter_mut().zip(&part.args) {
            *slot = Some(self.eval_in(part.site.member, *node));
        }
        Some(Binding { callee: (constructor, None), this: Some(Val::New(declared)), args, types: Vec::new() })
    }
}
