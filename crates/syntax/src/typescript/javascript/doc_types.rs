//! Types that stand in documentation comments (`@param {Pump} pump`).

use tree_sitter::Node as Ts;
use yarrowgraph_ir::{Param, TypeKind, TypeRef, TypeRefId};

use crate::typescript::Script;

/// So many bytes of a statement at most stand before the declaration in it.
const BEFORE: usize = 400;

impl<'t> Script<'t> {
    /// The documentation comment that ends right before a declaration.
    fn doc_before(&self, node: Ts<'t>) -> Option<&'t str> {
        // most have none: what ends a statement stands between the last comment and the declaration, or a long way does
        let text = self.l.text.as_bytes();
        let near = &text[node.start_byte().saturating_sub(BEFORE)..node.start_byte()];
        let end = memchr::memmem::rfind(near, b"*/")?;
        if near[end..].iter().any(|c| matches!(c, b';' | b'}')) {
            return None;
        }
        let mut at = node;
        // the comment stands before the statement that the declaration is part of
        for _ in 0..4 {
            let before = self.l.text.get(..at.start_byte())?.trim_end();
            if before.ends_with("*/") {
                let start = before.rfind("/*")?;
                return before[start..].strip_prefix("/**");
            }
            let parent = at.parent()?;
            if parent.end_byte() > node.end_byte() + 2 {
                return None;
            }
            at = parent;
        }
        None
    }

    /// Gives parameters without a type the one that the comment says.
    pub(in crate::typescript) fn doc_params(&mut self, node: Ts<'t>, params: &mut [Param]) {
        if !self.is_loose() || params.iter().all(|p| p.ty.is_some()) {
            return;
        }
        let Some(doc) = self.doc_before(node) else { return };
        for line in doc.lines() {
            let Some((_, rest)) = line.split_once("@param") else { continue };
            let Some((text, rest)) = braced(rest) else { continue };
            let name = rest.trim_start().trim_start_matches('[').split(|c: char| !is_word(c)).next().unwrap_or("");
            let Some(at) = params.iter().position(|p| p.ty.is_none() && !name.is_empty() && self.l.unit.text(p.name) == name) else {
                continue;
            };
            params[at].ty = self.doc_type(text);
        }
    }

    /// What a function returns, as the comment says.
    pub(in crate::typescript) fn doc_result(&mut self, node: Ts<'t>) -> Option<TypeRefId> {
        if !self.is_loose() {
            return None;
        }
        let doc = self.doc_before(node)?;
        let at = doc.find("@return")?;
        let (text, _) = braced(doc[at + "@return".len()..].trim_start_matches('s'))?;
        self.doc_type(text)
    }

    /// The type that a comment gives what is declared or assigned.
    pub(in crate::typescript) fn doc_type_of(&mut self, node: Ts<'t>) -> Option<TypeRefId> {
        if !self.is_loose() {
            return None;
        }
        let doc = self.doc_before(node)?;
        let at = doc.find("@type")?;
        let (text, _) = braced(&doc[at + "@type".len()..])?;
        self.doc_type(text)
    }

    /// Records that comments describe: `@typedef {Object} Size` and a `@property` for each member.
    pub(in crate::typescript) fn doc_records(&mut self, root: Ts<'t>) {
        for (at, mark) in self.l.text.match_indices("@typedef") {
            let rest = &self.l.text[at + mark.len()..];
            let comment = &rest[..rest.find("*/").unwrap_or(rest.len())];
            let Some((_, named)) = braced(comment) else { continue };
            let name = named.trim_start().split(|c: char| !is_word(c)).next().unwrap_or("");
            let mut members = Vec::new();
            for line in named.lines() {
                let Some((_, property)) = line.split_once("@property") else { continue };
                let Some((text, rest)) = braced(property) else { continue };
                let member = rest.trim_start().trim_start_matches('[').split(|c: char| !is_word(c)).next().unwrap_or("");
                if let Some(ty) = self.doc_type(text).filter(|_| !member.is_empty()) {
                    members.push((self.l.intern(member), ty));
                }
            }
            if name.is_empty() || members.is_empty() {
                continue;
            }
            let name = self.l.intern(name);
            let aliased = self.l.type_ref(TypeRef::Object(members.into()));
            let id = self.open_type(root, root, name, TypeKind::Alias, false);
            self.l.unit.types[id.0 as usize].aliased = Some(aliased);
        }
    }

    /// A type as comments write it; none for what says nothing.
    fn doc_type(&mut self, text: &str) -> Option<TypeRefId> {
        let text = text.trim().trim_start_matches(['?', '!', '(']).trim_end_matches(['=', ')']).trim();
        let mut said = text.split('|').map(str::trim).filter(|t| !matches!(*t, "null" | "undefined" | "void"));
        let (one, None) = (said.next()?.trim_start_matches(['?', '!']), said.next()) else { return None };
        if let Some(element) = one.strip_suffix("[]") {
            let element = self.doc_type(element)?;
            return Some(self.l.type_ref(TypeRef::Array(element)));
        }
        if let Some((name, args)) = one.strip_suffix('>').and_then(|t| t.split_once('<')) {
            let arg = self.doc_type(last_argument(args))?;
            let name = name.trim_end_matches('.');
            // `Object<string, Array<Listener>>` is a record whatever its keys are
            if matches!(name, "Object" | "object") {
                let key = self.l.intern("string");
                let key = self.l.named_type(key);
                let name = self.l.intern("Record");
                return Some(self.l.type_ref(TypeRef::Named { name, args: Box::new([key, arg]) }));
            }
            let name = self.l.intern(name);
            return Some(self.l.type_ref(TypeRef::Named { name, args: Box::new([arg]) }));
        }
        // `import('./pump').Pump`
        let name = one.rsplit(").").next().unwrap_or(one);
        let says = !matches!(name, "Object" | "object" | "any" | "*" | "Function" | "function" | "mixed");
        let is_name = says && name.chars().all(|c| is_word(c) || c == '.') && name.starts_with(|c: char| c.is_alphabetic() || c == '_');
        is_name.then(|| {
            let name = self.l.intern(name);
            self.l.named_type(name)
        })
    }
}

fn is_word(c: char) -> bool {
    c.is_alphanumeric() || c == '_' || c == '$'
}

/// The last of some arguments of a type, which may have arguments of their own.
fn last_argument(args: &str) -> &str {
    let mut depth = 0_u32;
    let mut start = 0;
    for (at, c) in args.char_indices() {
        match c {
            '<' | '{' | '(' => depth += 1,
            '>' | '}' | ')' => depth = depth.saturating_sub(1),
            ',' if depth == 0 => start = at + 1,
            _ => {}
        }
    }
    args[start..].trim()
}

/// What stands in braces at the start of a text, and what follows.
fn braced(text: &str) -> Option<(&str, &str)> {
    let inner = text.trim_start().strip_prefix('{')?;
    let mut depth = 1;
    for (at, c) in inner.char_indices() {
        match c {
            '{' => depth += 1,
            '}' => depth -= 1,
            _ => {}
        }
        if depth == 0 {
            return Some((&inner[..at], &inner[at + 1..]));
        }
    }
    None
}
