//! The ids under which types, members and lambdas stand in the map.

use yarrowgraph_ir::{FunctionId, LambdaForm, MemberKind, Node, NodeId, TypeDeclId};

use super::{MemberId, Program, TypeId, types};

impl Program {
    /// The id of a type: `unit.Type.Nested`.
    pub fn type_id(&self, id: TypeId) -> String {
        let ty = self.ty(id);
        let name = self.text(ty.name);
        if let Some(site) = ty.within {
            // named like a lambda: after the member it stands in
            let host = self.member_id(site.member);
            return match (ty.anonymous, self.is_of_function(id)) {
                (true, _) => format!("{host}~{}", self.anonymous_ordinal(id)),
                (_, true) => host,
                _ => format!("{host}.{name}"),
            };
        }
        if let Some(parent) = ty.parent
            && self.is_in_body(parent)
        {
            return format!("{}.{name}", self.type_id(parent));
        }
        ty.full.to_string()
    }

    /// Whether a type stands for the objects that a function makes of its own variables.
    pub fn is_of_function(&self, ty: TypeId) -> bool {
        let ty = self.ty(ty);
        ty.within.is_some() && !ty.anonymous && self.text(ty.name).is_empty()
    }

    /// Whether a type, or one around it, is declared in a body.
    fn is_in_body(&self, ty: TypeId) -> bool {
        let t = self.ty(ty);
        t.within.is_some() || t.parent.is_some_and(|p| self.is_in_body(p))
    }

    /// The place of an anonymous class among the lambdas and anonymous classes of its member.
    fn anonymous_ordinal(&self, id: TypeId) -> usize {
        let Some(site) = self.ty(id).within else { return 1 };
        let Some(body) = self.body(site.member) else { return 1 };
        let at = body.span(site.node).start;
        let lambdas = body.ids().filter(|n| matches!(body.node(*n), Node::Lambda(_)));
        let before = lambdas.filter(|n| body.span(*n).start < at).count();
        let classes = body.types.iter().filter(|(_, n)| body.span(*n).start < at).count();
        before + classes + 1
    }

    /// The id of a member: `unit.Type.member`, with parameter types between overloads.
    pub fn member_id(&self, id: MemberId) -> String {
        let info = self.member(id);
        let owner = self.type_id(info.owner);
        let name = match info.kind {
            // what the function itself does
            MemberKind::Constructor if self.is_of_function(info.owner) => return owner,
            MemberKind::Constructor => "new",
            MemberKind::Destructor => "~",
            MemberKind::Initializer => return owner,
            _ => self.text(info.name),
        };
        let callable = matches!(info.kind, MemberKind::Method | MemberKind::Constructor);
        let overloads = self.own_members(info.owner, info.name).iter().filter(|m| self.member(**m).kind == info.kind).count();
        let params = if callable && overloads > 1 { self.param_list(id) } else { String::new() };
        if owner.is_empty() { format!("{name}{params}") } else { format!("{owner}.{name}{params}") }
    }

    fn param_list(&self, id: MemberId) -> String {
        let unit = self.unit_of(id);
        let types = self.decl(id).params.iter().map(|p| p.ty.map_or_else(|| "_".to_owned(), |t| types::written(unit, t)));
        format!("({})", types.collect::<Vec<_>>().join(","))
    }

    /// The constant of a module that a node of its code is the value of.
    fn constant_of(&self, member: MemberId, node: NodeId) -> Option<MemberId> {
        let info = self.member(member);
        if info.kind != MemberKind::Initializer || !self.ty(info.owner).is_module {
            return None;
        }
        let body = self.body(member)?;
        let parent = self.scope(member).parent(node)?;
        let Node::Assign { target, value, .. } = body.node(parent) else { return None };
        let Node::Name(name) = body.node(target) else { return None };
        let is_declared = |m: &&MemberId| self.decl(**m).modifiers.is_readonly && self.decl(**m).name_span == body.span(target);
        let own = self.own_members(info.owner, self.sym_in(member, name));
        own.iter().find(is_declared).copied().filter(|_| value == node)
    }

    /// The id of a lambda: `Type.method~k`, counted in source order with the anonymous
    /// classes of the member.
    pub fn lambda_id(&self, member: MemberId, function: FunctionId) -> String {
        let Some(body) = self.body(member) else { return self.member_id(member) };
        let node = body.ids().find(|n| body.node(*n) == Node::Lambda(function));
        let Some(node) = node else { return self.member_id(member) };
        let f = body.function(function);
        // where it stands: in a variable of the module that is a function for good, or in the member
        let within = |n: NodeId| {
            let is_function = |a: &NodeId| matches!(body.node(*a), Node::Lambda(_));
            self.scope(member).ancestors(n).filter(is_function).find_map(|a| self.constant_of(member, a))
        };
        let around = within(node);
        let host = self.member_id(around.unwrap_or(member));
        if let (Some(name), LambdaForm::Local) = (f.name, f.form) {
            return format!("{host}.{}", self.unit_of(member).text(name));
        }
        let is_field = matches!(self.member(member).kind, MemberKind::Field | MemberKind::Property);
        if is_field && body.root == Some(node) {
            return host;
        }
        // a variable of the module that is this function for good
        if let Some(variable) = self.constant_of(member, node) {
            return self.member_id(variable);
        }
        let at = body.span(node).start;
        let lambdas = body.ids().filter(|n| match body.node(*n) {
            Node::Lambda(f) if body.span(*n).start < at => {
                body.function(f).form != LambdaForm::Local && self.constant_of(member, *n).is_none() && within(*n) == around
            }
            _ => false,
        });
        let before = lambdas.count();
        let anonymous = |t: TypeDeclId| self.unit_of(member).ty(t).anonymous;
        let classes = body.types.iter().filter(|(t, n)| anonymous(*t) && body.span(*n).start < at && within(*n) == around).count();
        format!("{host}~{}", before + classes + 1)
    }
}
