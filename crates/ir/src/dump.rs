//! The text form of a unit, for tests and for the hidden `debug` command.

use std::fmt::Write;

use crate::{Body, Member, Node, NodeId, Param, TypeDecl, TypeRef, TypeRefId, Unit};

/// Writes a file as text, one declaration or node a line, children indented.
pub fn dump(unit: &Unit) -> String {
    let mut out = String::new();
    let d = Dumper { unit };
    // writing to a String cannot fail
    let _ = d.unit(&mut out);
    out
}

struct Dumper<'u> {
    unit: &'u Unit,
}

impl Dumper<'_> {
    fn unit(&self, out: &mut String) -> std::fmt::Result {
        let u = self.unit;
        writeln!(out, "unit {} {} namespace={:?}", u.language.name(), u.path, u.text(u.namespace))?;
        for i in &u.imports {
            write!(out, "import {:?}", u.text(i.from))?;
            if let Some(name) = i.name {
                write!(out, " {}", u.text(name))?;
            }
            if let Some(alias) = i.alias {
                write!(out, " as {}", u.text(alias))?;
            }
            writeln!(out, "{}{}", if i.is_static { " static" } else { "" }, if i.reexport { " reexport" } else { "" })?;
        }
        for m in u.members.iter().filter(|m| m.owner.is_none()) {
            self.member(out, m, 0)?;
        }
        for (index, t) in u.types.iter().enumerate() {
            self.ty(out, index, t)?;
        }
        for e in &u.errors {
            writeln!(out, "error {}..{}", e.start, e.end)?;
        }
        Ok(())
    }

    fn ty(&self, out: &mut String, index: usize, t: &TypeDecl) -> std::fmt::Result {
        let u = self.unit;
        write!(out, "type #{index} {:?} {:?} in {:?}", t.kind, u.text(t.name), u.text(t.namespace))?;
        if let Some(parent) = t.parent {
            write!(out, " parent=#{}", parent.0)?;
        }
        for b in &t.bases {
            write!(out, " {:?}:{}", b.kind, self.type_ref(b.ty))?;
        }
        if let Some(aliased) = t.aliased {
            write!(out, " = {}", self.type_ref(aliased))?;
        }
        for a in &t.annotations {
            write!(out, " @{}", u.text(a.name))?;
        }
        writeln!(out, "{}", modifiers(&t.modifiers))?;
        for &m in &t.members {
            self.member(out, u.member(m), 1)?;
        }
        Ok(())
    }

    fn member(&self, out: &mut String, m: &Member, depth: usize) -> std::fmt::Result {
        let u = self.unit;
        write!(out, "{:indent$}{:?} {:?}", "", m.kind, u.text(m.name), indent = depth * 2)?;
        if !m.params.is_empty() {
            write!(out, "({})", self.params(&m.params))?;
        }
        if let Some(ty) = m.ty {
            write!(out, ": {}", self.type_ref(ty))?;
        }
        for a in &m.annotations {
            write!(out, " @{}", u.text(a.name))?;
        }
        writeln!(out, "{}", modifiers(&m.modifiers))?;
        if let Some(body) = &m.body
            && let Some(root) = body.root
        {
            self.tree(out, body, root, depth + 1)?;
        }
        Ok(())
    }

    fn params(&self, params: &[Param]) -> String {
        let one = |p: &Param| match p.ty {
            Some(ty) => format!("{}: {}", self.unit.text(p.name), self.type_ref(ty)),
            None => self.unit.text(p.name).to_owned(),
        };
        params.iter().map(one).collect::<Vec<_>>().join(", ")
    }

    fn tree(&self, out: &mut String, body: &Body, root: NodeId, depth: usize) -> std::fmt::Result {
        let mut stack = vec![(root, depth)];
        while let Some((id, depth)) = stack.pop() {
            let span = body.span(id);
            writeln!(out, "{:indent$}{} {}..{}", "", self.node(body, body.node(id)), span.start, span.end, indent = depth * 2)?;
            stack.extend(body.children(id).into_iter().rev().map(|c| (c, depth + 1)));
        }
        Ok(())
    }

    fn node(&self, body: &Body, node: Node) -> String {
        let u = self.unit;
        let optional = |o: bool| if o { "?" } else { "" };
        match node {
            Node::Local { name, ty, .. } => match ty {
                Some(ty) => format!("local {}: {}", u.text(name), self.type_ref(ty)),
                None => format!("local {}", u.text(name)),
            },
            Node::Name(name) => format!("name {}", u.text(name)),
            Node::Member { name, optional: o, .. } => format!("member{} {}", optional(o), u.text(name)),
            Node::MethodRef { name, .. } => format!("methodref {}", u.text(name)),
            Node::Call { type_args, optional: o, .. } => match type_args.and_then(|t| body.type_lists.get(t as usize)) {
                Some(list) => format!("call{}<{}>", optional(o), self.type_refs(list)),
                None => format!("call{}", optional(o)),
            },
            Node::New { ty, class, .. } => match class {
                Some(class) => format!("new {} class #{}", self.type_ref(ty), class.0),
                None => format!("new {}", self.type_ref(ty)),
            },
            Node::Lambda(f) => {
                let f = body.function(f);
                let name = f.name.map_or("", |n| u.text(n));
                format!("lambda {name}({}) {:?}{}", self.params(&f.params), f.this, if f.returns_body { " =>" } else { "" })
            }
            Node::Class(c) => format!("class #{}", c.0),
            Node::Assign { op, .. } => format!("assign {op:?}"),
            Node::Binary { op, .. } => format!("binary {op:?}"),
            Node::Unary { op, .. } => format!("unary {op:?}"),
            Node::TypeTest { ty, .. } => format!("typetest {}", ty.map_or_else(String::new, |t| self.type_ref(t))),
            Node::Cast { ty, .. } => format!("cast {}", self.type_ref(ty)),
            Node::Str(name) => format!("str {:?}", u.text(name)),
            Node::Num(name) => format!("num {}", u.text(name)),
            Node::OuterThis(name) => format!("outer-this {}", u.text(name)),
            Node::TypeExpr(ty) => format!("typeexpr {}", self.type_ref(ty)),
            Node::Bool(b) => format!("bool {b}"),
            Node::Collection { kind, .. } => format!("collection {kind:?}"),
            Node::Loop { kind, .. } => format!("loop {kind:?}"),
            other => {
                let text = format!("{other:?}");
                text.split([' ', '(', '{']).next().unwrap_or_default().to_lowercase()
            }
        }
    }

    fn type_refs(&self, list: &[TypeRefId]) -> String {
        list.iter().map(|&t| self.type_ref(t)).collect::<Vec<_>>().join(", ")
    }

    fn type_ref(&self, id: TypeRefId) -> String {
        let u = self.unit;
        match u.type_ref(id) {
            TypeRef::Named { name, args } if args.is_empty() => u.text(*name).to_owned(),
            TypeRef::Named { name, args } => format!("{}<{}>", u.text(*name), self.type_refs(args)),
            TypeRef::Array(of) => format!("{}[]", self.type_ref(*of)),
            TypeRef::Function { params, result } => {
                format!("({}) => {}", self.type_refs(params), self.type_ref(*result))
            }
            TypeRef::Nullable(of) => format!("{}?", self.type_ref(*of)),
            TypeRef::Union(of) => of.iter().map(|&t| self.type_ref(t)).collect::<Vec<_>>().join(" | "),
            TypeRef::Tuple(of) => format!("[{}]", self.type_refs(of)),
            TypeRef::Object(members) => {
                let one = |(n, t): &(crate::Name, TypeRefId)| format!("{}: {}", u.text(*n), self.type_ref(*t));
                format!("{{{}}}", members.iter().map(one).collect::<Vec<_>>().join(", "))
            }
            TypeRef::Literal(text) => u.text(*text).to_owned(),
            TypeRef::Indirect(of) => format!("&{}", self.type_ref(*of)),
            TypeRef::Inferred => "_".into(),
            TypeRef::This => "this".into(),
            TypeRef::Other => "?".into(),
        }
    }
}

fn modifiers(m: &crate::Modifiers) -> String {
    let mut text = format!(" {:?}", m.visibility).to_lowercase();
    let flags = [
        (m.is_static, "static"),
        (m.is_abstract, "abstract"),
        (m.is_override, "override"),
        (m.is_virtual, "virtual"),
        (m.is_readonly, "readonly"),
        (m.is_partial, "partial"),
        (m.is_async, "async"),
        (m.is_exported, "exported"),
        (m.is_assigned, "assigned"),
        (m.is_invokable, "invokable"),
        (m.is_ambient, "ambient"),
        (m.is_optional, "optional"),
        (m.is_unscoped, "unscoped"),
        (m.is_synchronized, "synchronized"),
    ];
    for (set, name) in flags {
        if set {
            text.push(' ');
            text.push_str(name);
        }
    }
    text
}
