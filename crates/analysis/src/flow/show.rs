//! Values as text.

use super::{Flow, Val};

impl Flow<'_> {
    /// A value as text: as close to how it is written as its path allows.
    pub fn show(&self, val: &Val) -> String {
        let p = self.program;
        match val {
            Val::Unknown => "?".into(),
            Val::This(_) => "this".into(),
            Val::Param(member, function, index) => {
                let name = match function {
                    None => p.decl(*member).params.get(*index as usize).map(|q| q.name),
                    Some(f) => self.lambda(*member, *f).and_then(|l| l.params.get(*index as usize)).map(|q| q.name),
                };
                name.map_or_else(|| "?".into(), |n| p.unit_of(*member).text(n).to_owned())
            }
            Val::Local(site) => match p.body(site.member).map(|b| b.node(site.node)) {
                Some(yarrowgraph_ir::Node::Local { name, .. }) => p.unit_of(site.member).text(name).to_owned(),
                _ => "?".into(),
            },
            Val::Member(of, m) => match **of {
                Val::This(_) => p.text(p.member(*m).name).to_owned(),
                _ => format!("{}.{}", self.show(of), p.text(p.member(*m).name)),
            },
            Val::Static(m) => p.member_id(*m),
            Val::Type(t) => p.type_id(*t),
            Val::TypeParam(_, name) => p.text(*name).to_owned(),
            Val::Outside(of, name) => format!("{}.{}", self.show(of), p.text(*name)),
            Val::Global(name) => p.text(*name).to_owned(),
            Val::Element(of, Some(key)) => format!("{}[{}]", self.show(of), self.show(key)),
            Val::Element(of, None) => format!("{}[]", self.show(of)),
            Val::New(site) => match self.type_of_node(site.member, site.node) {
                crate::program::Ty::Own(t, _) => format!("new {}", p.type_id(t)),
                crate::program::Ty::Outside(name, _) => format!("new {}", p.text(name)),
                _ => "new ?".into(),
            },
            Val::Lambda(m, f) => p.lambda_id(*m, *f),
            Val::Method(m, _) => p.member_id(*m),
            Val::Bound(of, _) => self.show(of),
            Val::Call(site) => {
                let callee = self.callee(*site).map(|c| p.member_id(c.member));
                let written = || match p.body(site.member).map(|b| b.node(site.node)) {
                    Some(yarrowgraph_ir::Node::Call { callee, .. }) => self.show(&self.eval_in(site.member, callee)),
                    _ => "?".into(),
                };
                format!("{}()", callee.unwrap_or_else(written))
            }
            Val::Literal(_) => "literal".into(),
            Val::Str(s) => p.text(*s).to_owned(),
            Val::Null => "null".into(),
            Val::Data => "data".into(),
        }
    }
}
