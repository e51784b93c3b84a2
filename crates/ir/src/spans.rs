//! Where things stand in a file, apart from what they are.

use crate::{AcceptComment, Annotation, Body, Function, LineIndex, Member, Param, Span, TypeDecl, Unit, facts::Facts};

impl Facts {
    /// Takes all spans out, in a fixed order, together with the lines that they refer to. What is left of two versions of a file is equal
    /// exactly where the versions differ in nothing but in where things stand.
    pub fn take_spans(&mut self) -> (Vec<Span>, LineIndex) {
        let mut taken = Taken::default();
        // Only destructuring from here on, so that a new field does not compile until someone decides about it.
        let Unit {
            language: _,
            path: _,
            names: _,
            types,
            members,
            type_refs: _,
            imports: _,
            exports: _,
            namespace: _,
            accepts,
            errors,
            unread: _,
            mentioned: _,
            literals,
            opens_internals: _,
            generated: _,
            lines,
            line_count,
        } = &mut self.unit;
        types.iter_mut().for_each(|t| taken.ty(t));
        members.iter_mut().for_each(|m| taken.member(m));
        accepts.iter_mut().for_each(|AcceptComment { rule: _, reason: _, span }| taken.span(span));
        errors.iter_mut().for_each(|span| taken.span(span));
        literals.iter_mut().for_each(|(_, span)| taken.span(span));
        *line_count = 0;
        (taken.spans, std::mem::take(lines))
    }
}

#[derive(Default)]
struct Taken {
    spans: Vec<Span>,
}

impl Taken {
    fn span(&mut self, span: &mut Span) {
        self.spans.push(std::mem::take(span));
    }

    fn annotations(&mut self, annotations: &mut [Annotation]) {
        annotations.iter_mut().for_each(|Annotation { name: _, args: _, span }| self.span(span));
    }

    fn params(&mut self, params: &mut [Param]) {
        for Param { name: _, name_span, ty: _, default: _, pattern: _, mode: _, optional: _, annotations } in params {
            self.span(name_span);
            self.annotations(annotations);
        }
    }

    fn ty(&mut self, ty: &mut TypeDecl) {
        let TypeDecl {
            kind: _,
            name: _,
            name_span,
            span,
            namespace: _,
            parent: _,
            within: _,
            type_params: _,
            bases: _,
            aliased: _,
            modifiers: _,
            annotations,
            members: _,
            anonymous: _,
            outline: _,
        } = ty;
        self.span(name_span);
        self.span(span);
        self.annotations(annotations);
    }

    fn member(&mut self, member: &mut Member) {
        let Member {
            kind: _,
            name: _,
            name_span,
            span,
            owner: _,
            params,
            type_params: _,
            ty: _,
            modifiers: _,
            annotations,
            explicit_interface: _,
            body,
        } = member;
        self.span(name_span);
        self.span(span);
        self.params(params);
        self.annotations(annotations);
        if let Some(body) = body {
            self.body(body);
        }
    }

    fn body(&mut self, body: &mut Body) {
        let Body { origin, nodes: _, spans, lists: _, type_lists: _, functions, root: _, returns_root: _, types: _ } = body;
        let origin = std::mem::take(origin);
        for span in spans {
            let Span { start, end } = std::mem::take(span);
            self.spans.push(Span { start: start + origin, end: end + origin });
        }
        for Function { name: _, params, result: _, body: _, returns_body: _, this: _, form: _, is_async: _ } in functions {
            self.params(params);
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::{Encoding, Language, Node};

    fn facts(text: &str, at: u32) -> Facts {
        let mut unit = Unit::new(Language::Java, "Gate.java");
        let name = unit.names.intern("rise");
        let mut body = Body { origin: at, ..Body::default() };
        body.push(Node::Name(name), Span { start: at + 1, end: at + 5 });
        unit.lines = LineIndex::new(text, Encoding::Utf8);
        unit.line_count = unit.lines.count(text.len());
        unit.errors.push(Span { start: at, end: at + 1 });
        unit.members.push(Member {
            kind: crate::MemberKind::Initializer,
            name,
            name_span: Span { start: at, end: at },
            span: Span { start: at, end: at + 6 },
            owner: None,
            params: Vec::new(),
            type_params: Box::default(),
            ty: None,
            modifiers: crate::Modifiers::default(),
            annotations: Vec::new(),
            explicit_interface: None,
            body: Some(Box::new(body)),
        });
        Facts { unit }
    }

    #[test]
    fn what_stands_elsewhere_is_left_the_same() {
        let (mut one, mut other) = (facts("{rise}\n", 0), facts("\n\n {rise}\n", 3));
        let ((spans, lines), (moved, moved_lines)) = (one.take_spans(), other.take_spans());
        assert_eq!(format!("{one:?}"), format!("{other:?}"));
        assert_eq!(spans.len(), moved.len());
        assert!(spans.iter().zip(&moved).all(|(a, b)| (a.start + 3, a.end + 3) == (b.start, b.end)));
        assert_eq!((lines.line_column(1), moved_lines.line_column(4)), ((1, 2), (3, 3)));
    }
}
