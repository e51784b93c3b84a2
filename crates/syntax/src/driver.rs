//! What every front end shares: the walk over the finished tree and the room it writes into.

use rustc_hash::FxHashMap;
use smallvec::SmallVec;
use tree_sitter::{Node as Ts, Tree, TreeCursor};
use yarrowgraph_ir::{
    Annotation, Body, FunctionId, List, Member, MemberId, MemberKind, Modifiers, Name, Node, NodeId, Span, TypeDeclId, TypeRef, TypeRefId,
    Unit,
};

/// Nesting at which lowering puts a node aside and comes back to it later with a fresh
/// stack, so that the depth of the input never becomes the depth of the stack.
const DEEPEST: u32 = 200;

/// About how many bytes of ordinary code have one more name in them.
const BYTES_PER_NAME: usize = 64;

/// The children of a node with the fields they stand in (0 for none); comments are left out.
pub(crate) struct Kids<'t>(SmallVec<[Kid<'t>; 6]>);

#[derive(Clone, Copy)]
struct Kid<'t> {
    node: Ts<'t>,
    field: u16,
    named: bool,
}

impl<'t> Kids<'t> {
    /// The first child in a field.
    pub(crate) fn field(&self, field: u16) -> Option<Ts<'t>> {
        self.0.iter().find(|k| k.field == field).map(|k| k.node)
    }

    /// All named children in a field.
    pub(crate) fn fields(&self, field: u16) -> impl Iterator<Item = Ts<'t>> + '_ {
        self.0.iter().filter(move |k| k.field == field && k.named).map(|k| k.node)
    }

    /// All children that mean something: named ones, and tokens that are values (`this`).
    pub(crate) fn named(&self) -> impl Iterator<Item = Ts<'t>> + '_ {
        self.0.iter().filter(|k| k.named).map(|k| k.node)
    }

    /// All children, tokens included.
    pub(crate) fn all(&self) -> impl Iterator<Item = Ts<'t>> + '_ {
        self.0.iter().map(|k| k.node)
    }

    /// All children with their fields.
    pub(crate) fn with_fields(&self) -> impl Iterator<Item = (Ts<'t>, u16)> + '_ {
        self.0.iter().map(|k| (k.node, k.field))
    }

    /// The first named child.
    pub(crate) fn first(&self) -> Option<Ts<'t>> {
        self.named().next()
    }

    /// The last named child.
    pub(crate) fn last(&self) -> Option<Ts<'t>> {
        self.named().last()
    }

    /// Whether a token of this text is among the children.
    pub(crate) fn has_token(&self, token: &str) -> bool {
        self.0.iter().any(|k| !k.node.is_named() && k.node.kind() == token)
    }
}

/// The children of a node that mean something, where fields do not matter.
pub(crate) struct Items<'t>(SmallVec<[Ts<'t>; 6]>);

impl<'t> Items<'t> {
    /// All of them.
    pub(crate) fn named(&self) -> impl Iterator<Item = Ts<'t>> + '_ {
        self.0.iter().copied()
    }

    /// The first.
    pub(crate) fn first(&self) -> Option<Ts<'t>> {
        self.0.first().copied()
    }

    /// The last.
    pub(crate) fn last(&self) -> Option<Ts<'t>> {
        self.0.last().copied()
    }
}

/// Some lowered nodes, most often few.
pub(crate) type Nodes = SmallVec<[NodeId; 8]>;

/// Where lowering is: what it would have to know again to come back later.
#[derive(Clone, Copy)]
pub(crate) struct Context {
    /// The type whose members are being lowered.
    pub(crate) owner: Option<TypeDeclId>,
    /// The member whose body is being lowered.
    pub(crate) within: Option<MemberId>,
    /// The namespace.
    pub(crate) namespace: Name,
}

struct Late<'t> {
    node: Ts<'t>,
    placeholder: NodeId,
    context: Context,
}

/// The state of lowering one file.
pub(crate) struct Lower<'t> {
    pub(crate) text: &'t str,
    pub(crate) unit: Unit,
    pub(crate) body: Body,
    pub(crate) context: Context,
    cursor: TreeCursor<'t>,
    depth: u32,
    late: Vec<Late<'t>>,
    /// Bodies that are empty again, with the room that they had.
    spare: Vec<Body>,
    types_by_text: FxHashMap<&'t str, TypeRefId>,
    /// For each kind of node whether it means something: named ones, and tokens that are values.
    meaning: &'static [bool],
}

impl<'t> Lower<'t> {
    pub(crate) fn new(mut unit: Unit, text: &'t str, tree: &'t Tree, meaning: &'static [bool]) -> Self {
        unit.names.reserve(text.len() / BYTES_PER_NAME);
        let context = Context { owner: None, within: None, namespace: unit.namespace };
        Self {
            text,
            unit,
            body: Body::default(),
            context,
            cursor: tree.walk(),
            depth: 0,
            late: Vec::new(),
            spare: Vec::new(),
            types_by_text: FxHashMap::default(),
            meaning,
        }
    }

    /// The children of a node.
    pub(crate) fn kids(&mut self, node: Ts<'t>) -> Kids<'t> {
        let mut kids = SmallVec::new();
        self.each_child(node, |lower, child| {
            let field = lower.cursor.field_id().map_or(0, |f| f.get());
            kids.push(Kid { node: child, field, named: lower.has_meaning(child) });
        });
        Kids(kids)
    }

    /// The children of a node that mean something, for less than what [`Lower::kids`] costs.
    pub(crate) fn items(&mut self, node: Ts<'t>) -> Items<'t> {
        let mut items = SmallVec::new();
        self.each_child(node, |lower, child| {
            if lower.has_meaning(child) {
                items.push(child);
            }
        });
        Items(items)
    }

    /// Visits the children of a node but for comments.
    fn each_child(&mut self, node: Ts<'t>, mut visit: impl FnMut(&Self, Ts<'t>)) {
        self.cursor.reset(node);
        if self.cursor.goto_first_child() {
            loop {
                let child = self.cursor.node();
                if !child.is_extra() {
                    visit(self, child);
                }
                if !self.cursor.goto_next_sibling() {
                    break;
                }
            }
        }
    }

    fn has_meaning(&self, node: Ts<'t>) -> bool {
        // what could not be read has a kind of its own
        self.meaning.get(node.kind_id() as usize).copied().unwrap_or(true)
    }

    /// The source text of a node.
    pub(crate) fn text_of(&self, node: Ts<'t>) -> &'t str {
        &self.text[node.byte_range()]
    }

    /// The source text of a node as a name.
    pub(crate) fn name_of(&mut self, node: Ts<'t>) -> Name {
        let text = self.text_of(node);
        self.unit.names.intern(text)
    }

    /// A text as a name.
    pub(crate) fn intern(&mut self, text: &str) -> Name {
        self.unit.names.intern(text)
    }

    /// The name of nothing.
    pub(crate) fn no_name(&mut self) -> Name {
        self.unit.names.intern("")
    }

    pub(crate) fn push(&mut self, node: Node, at: Ts<'t>) -> NodeId {
        self.body.push(node, span(at))
    }

    pub(crate) fn list(&mut self, items: &[NodeId]) -> List {
        self.body.push_list(items)
    }

    pub(crate) fn empty(&mut self, at: Ts<'t>) -> NodeId {
        let here = Span { start: at.start_byte() as u32, end: at.start_byte() as u32 };
        self.body.push(Node::Empty, here)
    }

    /// A plain name as a key.
    pub(crate) fn key(&mut self, node: Ts<'t>) -> NodeId {
        let name = self.name_of(node);
        self.push(Node::Str(name), node)
    }

    pub(crate) fn type_ref(&mut self, ty: TypeRef) -> TypeRefId {
        self.unit.type_refs.push(ty);
        TypeRefId(self.unit.type_refs.len() as u32 - 1)
    }

    /// The type reference of a text that was lowered before.
    pub(crate) fn known_type(&self, node: Ts<'t>) -> Option<TypeRefId> {
        self.types_by_text.get(self.text_of(node)).copied()
    }

    /// Remembers the type reference of a node's text.
    pub(crate) fn remember_type(&mut self, node: Ts<'t>, id: TypeRefId) -> TypeRefId {
        self.types_by_text.insert(&self.text[node.byte_range()], id);
        id
    }

    pub(crate) fn named_type(&mut self, name: Name) -> TypeRefId {
        self.type_ref(TypeRef::Named { name, args: Box::default() })
    }

    /// Adds a function to the body.
    pub(crate) fn function(&mut self, function: yarrowgraph_ir::Function) -> FunctionId {
        self.body.functions.push(function);
        FunctionId(self.body.functions.len() as u32 - 1)
    }

    /// Goes one level down. At the deepest level the node is put aside: a placeholder
    /// that will hold it is returned instead.
    pub(crate) fn descend(&mut self, node: Ts<'t>) -> Result<(), NodeId> {
        if self.depth < DEEPEST || self.context.within.is_none() {
            self.depth += 1;
            return Ok(());
        }
        let placeholder = self.push(Node::Opaque(List::default()), node);
        self.late.push(Late { node, placeholder, context: self.context });
        Err(placeholder)
    }

    /// Comes one level up again.
    pub(crate) fn ascend(&mut self) {
        self.depth -= 1;
    }

    /// Adds a member and makes it the current one; its body is lowered next.
    pub(crate) fn add_member(&mut self, member: Member) -> MemberId {
        let id = MemberId(self.unit.members.len() as u32);
        if let Some(owner) = member.owner {
            self.unit.types[owner.0 as usize].members.push(id);
        }
        self.unit.members.push(member);
        id
    }

    /// A member with nothing but a name yet.
    pub(crate) fn member(&mut self, kind: MemberKind, name: Name, name_at: Ts<'t>, node: Ts<'t>) -> Member {
        Member {
            kind,
            name,
            name_span: span(name_at),
            span: span(node),
            owner: self.context.owner,
            params: Vec::new(),
            type_params: Box::default(),
            ty: None,
            modifiers: Modifiers::default(),
            annotations: Vec::new(),
            explicit_interface: None,
            body: None,
        }
    }

    /// Opens the body of a member; [`Lower::close_body`] puts the outer one back.
    pub(crate) fn open_body(&mut self, member: MemberId, origin: Ts<'t>) -> (Body, Context) {
        let origin = origin.start_byte() as u32;
        let mut inner = self.spare.pop().unwrap_or_default();
        inner.origin = origin;
        let outer = std::mem::replace(&mut self.body, inner);
        let context = self.context;
        self.context.within = Some(member);
        (outer, context)
    }

    /// Closes the body of the current member with the node that it runs.
    pub(crate) fn close_body(&mut self, outer: (Body, Context), root: Option<NodeId>, returns_root: bool) {
        let mut scratch = std::mem::replace(&mut self.body, outer.0);
        if let Some(member) = self.context.within {
            let body = Body { root, returns_root, ..scratch.take_fitted() };
            self.unit.members[member.0 as usize].body = Some(Box::new(body));
        }
        self.spare.push(scratch);
        self.context = outer.1;
    }

    /// Puts the outer body back; the member has none.
    pub(crate) fn drop_body(&mut self, outer: (Body, Context)) {
        self.body = outer.0;
        self.context = outer.1;
    }

    /// Takes the next node that was put aside and prepares to lower it.
    pub(crate) fn next_late(&mut self) -> Option<(Ts<'t>, NodeId)> {
        let late = self.late.pop()?;
        self.context = late.context;
        self.depth = 0;
        if let Some(member) = late.context.within {
            self.body = self.unit.members[member.0 as usize].body.take().map_or_else(Body::default, |body| *body);
        }
        Some((late.node, late.placeholder))
    }

    /// Puts a late node where its placeholder stands.
    pub(crate) fn finish_late(&mut self, placeholder: NodeId, node: NodeId) {
        let list = self.body.push_list(&[node]);
        self.body.nodes[placeholder.index()] = Node::Opaque(list);
        let body = std::mem::take(&mut self.body);
        if let Some(member) = self.context.within {
            self.unit.members[member.0 as usize].body = Some(Box::new(body));
        }
    }

    /// An annotation from its name and the nodes of its arguments.
    pub(crate) fn annotation(&mut self, name: Ts<'t>, args: &[(Option<Name>, Ts<'t>)], node: Ts<'t>) -> Annotation {
        let mut said: Vec<(Option<Name>, Name)> = Vec::with_capacity(args.len());
        for &(name, value) in args {
            // what a text says is a name of its own: it may be that of a topic
            let text = self.text_of(value);
            if let Some(inner) = ['"', '\''].iter().find_map(|quote| text.strip_prefix(*quote)?.strip_suffix(*quote)) {
                self.intern(inner);
            }
            said.push((name, self.name_of(value)));
        }
        let args = said.into_boxed_slice();
        Annotation { name: self.name_of(name), args, span: span(node) }
    }
}

/// Whether the text of a step, before or behind what it steps, is one down: `at--`.
pub(crate) fn steps_down(text: &str) -> bool {
    text.starts_with("--") || text.ends_with("--")
}

/// The span of a node.
pub(crate) fn span(node: Ts<'_>) -> Span {
    Span { start: node.start_byte() as u32, end: node.end_byte() as u32 }
}

/// The stretches that a grammar could not read.
pub(crate) fn errors(tree: &Tree) -> Vec<Span> {
    let mut found = Vec::new();
    if !tree.root_node().has_error() {
        return found;
    }
    let mut cursor = tree.walk();
    loop {
        let node = cursor.node();
        let is_error = node.is_error() || node.is_missing();
        if is_error {
            found.push(span(node));
        }
        if !is_error && node.has_error() && cursor.goto_first_child() {
            continue;
        }
        while !cursor.goto_next_sibling() {
            if !cursor.goto_parent() {
                return found;
            }
        }
    }
}

/// Notes the stretches that a grammar could not read, and the words in them and in what is only seen to be there.
pub(crate) fn note_errors(unit: &mut Unit, tree: &Tree, text: &str, seen: &[String]) {
    unit.errors = errors(tree);
    let mut words: Vec<Name> = seen.iter().map(|w| unit.names.intern(w)).collect();
    for error in unit.errors.clone() {
        let stretch = text.get(error.start as usize..error.end as usize).unwrap_or("");
        let parts = stretch.split(|c: char| !(c.is_alphanumeric() || c == '_')).filter(|w| w.len() > 2);
        words.extend(parts.map(|w| unit.names.intern(w)));
    }
    words.sort_unstable();
    words.dedup();
    unit.unread = words;
}

/// Resolves a grammar's names to numbers once: `Kind` by node kind id, `Fields` by name.
macro_rules! grammar {
    (kinds { $($kind:ident = $kind_name:literal),* $(,)? } fields { $($field:ident),* $(,)? }) => {
        /// The kinds of nodes that lowering tells apart.
        #[derive(Clone, Copy, Debug, PartialEq, Eq)]
        pub(super) enum Kind {
            /// Any other.
            Other,
            $($kind),*
        }

        /// The numbers of the grammar's fields.
        #[derive(Clone, Copy, Debug)]
        pub(super) struct Fields {
            $(pub(super) $field: u16),*
        }

        /// A grammar's names as numbers.
        pub(super) struct Table {
            kinds: Vec<Kind>,
            /// For each kind of node whether it means something: named ones, and tokens that are values.
            pub(super) meaning: Vec<bool>,
            /// The fields.
            pub(super) fields: Fields,
        }

        impl Table {
            /// Asks the grammar for every name once.
            pub(super) fn new(language: &tree_sitter::Language) -> Self {
                let mut kinds = vec![Kind::Other; language.node_kind_count()];
                for id in 0..language.node_kind_count() {
                    let id = id as u16;
                    if language.node_kind_is_named(id) {
                        kinds[id as usize] = match language.node_kind_for_id(id) {
                            $(Some($kind_name) => Kind::$kind,)*
                            _ => Kind::Other,
                        };
                    }
                }
                // absent fields get a number that no field has
                let field = |name: &str| language.field_id_for_name(name).map_or(u16::MAX, |f| f.get());
                let name_of = |raw: &str| raw.trim_start_matches("r#").trim_end_matches('_').to_owned();
                let values = ["this", "base"].map(|token| language.id_for_node_kind(token, false));
                let means = |id: u16| language.node_kind_is_named(id) || (id != 0 && values.contains(&id));
                let meaning = (0..language.node_kind_count()).map(|id| means(id as u16)).collect();
                Self { kinds, meaning, fields: Fields { $($field: field(&name_of(stringify!($field)))),* } }
            }

            /// Tells nodes of one kind.
            pub(super) fn is<'n>(&'static self, kind: Kind) -> impl Fn(&tree_sitter::Node<'n>) -> bool {
                move |node| self.kind(*node) == kind
            }

            /// The kind of a node.
            pub(super) fn kind(&self, node: tree_sitter::Node<'_>) -> Kind {
                self.kinds.get(node.kind_id() as usize).copied().unwrap_or(Kind::Other)
            }
        }
    };
}
pub(crate) use grammar;
