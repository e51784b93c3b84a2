//! The linked program: the declarations of all files, numbered, with their hierarchies.
//!
//! Numbers are given after the files are sorted by path, so they are the same on every run.

mod build;
mod creations;
mod dump;
mod heritage;
mod ids;
mod index;
mod kinds;
mod outlines;
mod packages;
mod resolve;
mod scope;
mod symbols;
mod types;

use std::borrow::Cow;
use std::collections::BTreeSet;
use std::sync::{Mutex, OnceLock};

use rustc_hash::{FxHashMap, FxHashSet};
use yarrowgraph_ir::pack::{self, Pack};
use yarrowgraph_ir::traits::Traits;
use yarrowgraph_ir::{
    Body, Facts, Language, Member, MemberKind, Modifiers, Name, Node, NodeId, Span, TypeDecl, TypeDeclId, TypeKind, TypeRef, TypeRefId,
    Unit,
};
use yarrowgraph_model::Place;

pub(crate) use dump::describe;
pub use dump::dump;
pub use index::{Index, within};
pub use kinds::Kinds;
pub use packages::{Package, Packages};
pub use resolve::{HOPS, Named};
pub use scope::{Declared, Scope};
pub use symbols::{Sym, Symbols, words};
pub use types::Ty;

/// A file of the tree; an index into [`Program::units`].
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub struct UnitId(pub u32);

/// A type of the tree, all its parts together; an index into [`Program::types`].
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub struct TypeId(pub u32);

/// A member of the tree; an index into [`Program::members`].
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub struct MemberId(pub u32);

/// A node of the tree: the member whose body holds it, and its number there.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub struct Site {
    /// The member.
    pub member: MemberId,
    /// The node in its body.
    pub node: NodeId,
}

/// A type with all its parts.
#[derive(Debug)]
pub struct Type {
    /// Its simple name.
    pub name: Sym,
    /// Its dotted name with namespace; empty for a type declared in a body.
    pub full: Box<str>,
    /// Its namespace or package, dotted; for the types of a module the module's path with dots.
    pub namespace: Sym,
    /// Its declarations.
    pub decls: Vec<(UnitId, TypeDeclId)>,
    /// The unit whose names it sees: that of its first declaration.
    pub unit: UnitId,
    /// What it is.
    pub kind: TypeKind,
    /// Its modifiers, those of all parts together.
    pub modifiers: Modifiers,
    /// The type it is nested in.
    pub parent: Option<TypeId>,
    /// The member whose body it is declared in, and where.
    pub within: Option<Site>,
    /// Whether it is the body of a `new` expression.
    pub anonymous: bool,
    /// Whether it stands for a module: its members are those of module level.
    pub is_module: bool,
    /// Its type parameters.
    pub params: Vec<Sym>,
    /// Its bases, as types.
    pub bases: Vec<Ty>,
    /// Its members, in order.
    pub members: Vec<MemberId>,
    /// Types nested in it.
    pub nested: Vec<TypeId>,
    /// Own types that name it as a base.
    pub heirs: Vec<TypeId>,
    /// Itself and all own types among its bases, nearest first; none before the bases are known.
    lineage: Box<[TypeId]>,
    by_name: ByName,
}

/// The members of a type by their names.
#[derive(Debug, Default)]
struct ByName {
    /// The name of each entry of `members`, ascending.
    names: Box<[Sym]>,
    /// Those of one name in their order in the source.
    members: Box<[MemberId]>,
}

impl ByName {
    fn new(members: &[MemberId], all: &[MemberInfo]) -> Self {
        let name = |m: &MemberId| all[m.0 as usize].name;
        let mut members: Box<[MemberId]> = members.into();
        members.sort_by_key(name);
        Self { names: members.iter().map(name).collect(), members }
    }

    fn of(&self, name: Sym) -> &[MemberId] {
        let first = self.names.partition_point(|n| *n < name);
        let count = self.names[first..].iter().take_while(|n| **n == name).count();
        &self.members[first..first + count]
    }
}

/// A member with where it is.
#[derive(Debug)]
pub struct MemberInfo {
    /// Its name.
    pub name: Sym,
    /// The type it belongs to.
    pub owner: TypeId,
    /// The file it is in.
    pub unit: UnitId,
    /// Its number in the file.
    pub decl: yarrowgraph_ir::MemberId,
    /// The language of the file.
    language: Language,
    /// Which kinds of nodes its body has.
    kinds: Kinds,
    /// What it is.
    pub kind: MemberKind,
    /// Whether it belongs to the type rather than to its instances.
    pub is_static: bool,
}

/// What the program knows of a language.
#[derive(Clone, Debug)]
pub struct Kit {
    /// What the language promises.
    pub traits: &'static Traits,
    /// What its platform and libraries, and the project, offer.
    pub pack: Cow<'static, Pack>,
}

/// What the program knows of its languages: each once, by number.
#[derive(Debug, Default)]
struct Kits(Vec<(Language, Kit)>);

impl Kits {
    fn of_all(languages: impl Iterator<Item = Language>, kit: &dyn Fn(Language) -> Kit) -> Self {
        let languages: BTreeSet<Language> = languages.collect();
        Self(languages.into_iter().map(|l| (l, kit(l))).collect())
    }

    /// The kit of a language that the program has files of.
    ///
    /// # Panics
    ///
    /// On any other language.
    fn of(&self, language: Language) -> &Kit {
        let known = self.0.iter().find(|(l, _)| *l == language);
        &known.expect("each file's language has its kit").1
    }
}

/// What a type reference means where it stands: in a type, or at the top of its file.
type KnownTypes = FxHashMap<(TypeRefId, Option<TypeId>, Option<MemberId>), Ty>;

/// What aliases stand for, each as so many steps into another type.
type KnownAliases = FxHashMap<(TypeId, u32), Ty>;

/// So many members are looked at by one thread before another may take over: a few of them take far longer than the rest.
pub(crate) const AT_A_TIME: usize = 64;

/// The linked program.
#[derive(Debug)]
pub struct Program {
    /// The files, by path.
    pub units: Vec<Facts>,
    /// The names.
    pub symbols: Symbols,
    /// The types.
    pub types: Vec<Type>,
    /// The members.
    pub members: Vec<MemberInfo>,
    /// The declarations of static fields that are written out behind their classes: `int Kiln::lit = 0;`
    declared_in_class: FxHashMap<MemberId, (UnitId, yarrowgraph_ir::MemberId)>,
    /// For each file the type that stands for its module level, where it has one.
    pub modules: Vec<Option<TypeId>>,
    /// Looks things up by name.
    pub index: Index,
    kits: Kits,
    /// For each file whether it is part of a test.
    tests: Vec<bool>,
    names: Vec<Box<[Sym]>>,
    /// By file and declaration.
    scopes: Vec<Box<[Scope]>>,
    types_by_name: FxHashMap<Sym, Vec<TypeId>>,
    /// Methods that are called on their first parameter.
    extensions: FxHashMap<Sym, Vec<MemberId>>,
    told_by_name: FxHashMap<Sym, MemberId>,
    /// For each name whether something of the tree is declared or handed out under it.
    declared_names: Vec<bool>,
    /// Namespaces that files bring in each for itself, so that the others do not have them.
    opened_by_file: FxHashSet<String>,
    free: FxHashMap<Sym, Vec<MemberId>>,
    types_of_unit: Vec<Vec<TypeId>>,
    units_by_path: FxHashMap<String, UnitId>,
    /// For each file and each of its imports the file that it is from.
    imported_modules: Vec<Box<[Option<UnitId>]>>,
    /// For each file what its type references mean, as far as it was asked for.
    known_types: Vec<Mutex<KnownTypes>>,
    /// The same for the aliases that it declares.
    known_aliases: Vec<Mutex<KnownAliases>>,
    declared: Vec<OnceLock<Ty>>,
}

impl Program {
    /// Links the files of a tree, whose packages import from each other by their names.
    pub fn link(units: Vec<Facts>, kit: &dyn Fn(Language) -> Kit, packages: &Packages) -> Self {
        build::link(units, kit, packages)
    }

    /// A type.
    pub fn ty(&self, id: TypeId) -> &Type {
        &self.types[id.0 as usize]
    }

    /// A member.
    pub fn member(&self, id: MemberId) -> &MemberInfo {
        &self.members[id.0 as usize]
    }

    /// The file of an id.
    pub fn unit(&self, id: UnitId) -> &Unit {
        &self.units[id.0 as usize].unit
    }

    /// The file that a member is in.
    pub fn unit_of(&self, id: MemberId) -> &Unit {
        self.unit(self.member(id).unit)
    }

    /// The declaration of a member.
    pub fn decl(&self, id: MemberId) -> &Member {
        let info = self.member(id);
        self.unit(info.unit).member(info.decl)
    }

    /// The first declaration of a type; none for one that stands for a module.
    pub fn type_decl(&self, id: TypeId) -> Option<&TypeDecl> {
        let (unit, decl) = *self.ty(id).decls.first()?;
        Some(self.unit(unit).ty(decl))
    }

    /// The body of a member.
    pub fn body(&self, id: MemberId) -> Option<&Body> {
        self.decl(id).body.as_deref()
    }

    /// The names in scope in the body of a member.
    pub fn scope(&self, id: MemberId) -> &Scope {
        let info = self.member(id);
        &self.scopes[info.unit.0 as usize][info.decl.0 as usize]
    }

    /// The call of which an expression is an argument.
    pub fn call_given(&self, argument: Site) -> Option<Site> {
        let body = self.body(argument.member)?;
        let call = self.scope(argument.member).parent(argument.node)?;
        let is_given = matches!(body.node(call), Node::Call { args, .. } if body.list(args).contains(&argument.node));
        is_given.then_some(Site { member: argument.member, node: call })
    }

    /// What is known of a file's language.
    pub fn kit(&self, unit: UnitId) -> &Kit {
        self.kits.of(self.unit(unit).language)
    }

    /// What is known of the language that a member is written in.
    pub fn kit_of(&self, id: MemberId) -> &Kit {
        self.kits.of(self.member(id).language)
    }

    /// The body of a member, if it has nodes of one of some kinds.
    pub fn body_with(&self, id: MemberId, kinds: Kinds) -> Option<&Body> {
        if self.member(id).kinds.any(kinds) { self.body(id) } else { None }
    }

    /// Whether a type that is written in a member is that of an object itself, neither a pointer or reference nor left out.
    pub fn is_by_value(&self, m: MemberId, ty: TypeRefId) -> bool {
        !matches!(self.unit_of(m).type_ref(ty), TypeRef::Indirect(_) | TypeRef::Inferred)
    }

    /// Whether a member holds an object itself, and says so by its type.
    pub fn holds_by_value(&self, m: MemberId) -> bool {
        self.decl(m).ty.is_some_and(|ty| self.is_by_value(m, ty))
    }

    /// Whether a member says by its type that it holds a pointer or reference.
    pub fn holds_by_pointer(&self, m: MemberId) -> bool {
        self.decl(m).ty.is_some_and(|ty| !self.is_by_value(m, ty))
    }

    /// Whether a member is part of a test.
    pub fn in_test(&self, member: MemberId) -> bool {
        self.is_test(self.member(member).unit)
    }

    /// Whether a file is part of a test.
    pub fn is_test(&self, unit: UnitId) -> bool {
        self.tests.get(unit.0 as usize).copied().unwrap_or(false)
    }

    /// Whether a file is part of an example of how to use what the tree is.
    pub fn is_example(&self, unit: UnitId) -> bool {
        self.unit(unit).path.split('/').any(|part| {
            let examples = ["example", "examples", "sample", "samples", "demo", "demos"];
            examples.iter().any(|name| part.eq_ignore_ascii_case(name))
        })
    }

    /// Whether a list of names holds a member's, or the end of its id.
    pub fn is_listed(&self, names: &pack::Names, id: MemberId) -> bool {
        names.lists(self.text(self.member(id).name), || self.member_id(id))
    }

    /// Whether one of some annotations stands at a member.
    pub fn is_annotated(&self, id: MemberId, names: &pack::Names) -> bool {
        let unit = self.unit_of(id);
        self.decl(id).annotations.iter().any(|a| names.contains(unit.text(a.name)))
    }

    /// Whether a type is a number, a flag or a text in the language of a member.
    pub fn is_data(&self, member: MemberId, ty: &Ty) -> bool {
        matches!(ty, Ty::Outside(name, _) if self.kit_of(member).pack.data_types.contains(self.text(*name)))
    }

    /// Whether a type has code of its own: a method or a constructor.
    pub fn has_code(&self, ty: TypeId) -> bool {
        let is_code = |m: &MemberId| matches!(self.member(*m).kind, MemberKind::Method | MemberKind::Constructor);
        self.ty(ty).members.iter().any(is_code)
    }

    /// Whether a type says how its objects are made.
    pub fn has_constructor(&self, ty: TypeId) -> bool {
        self.ty(ty).members.iter().any(|m| self.member(*m).kind == MemberKind::Constructor)
    }

    /// The packs of the languages of the tree.
    pub fn packs(&self) -> impl Iterator<Item = &Pack> {
        self.kits.0.iter().map(|(_, kit)| &*kit.pack)
    }

    /// A file's name as a symbol of the tree.
    pub fn sym(&self, unit: UnitId, name: Name) -> Sym {
        self.names[unit.0 as usize][name.0 as usize]
    }

    /// The text of a symbol.
    pub fn text(&self, sym: Sym) -> &str {
        self.symbols.text(sym)
    }

    /// A name in the body of a member as a symbol.
    pub fn sym_in(&self, member: MemberId, name: Name) -> Sym {
        self.sym(self.member(member).unit, name)
    }

    /// All members that a type declares under a name.
    pub fn own_members(&self, ty: TypeId, name: Sym) -> &[MemberId] {
        self.ty(ty).by_name.of(name)
    }

    /// All types of the tree with a simple name.
    pub fn types_named(&self, name: Sym) -> &[TypeId] {
        self.types_by_name.get(&name).map_or(&[], |v| v)
    }

    /// The methods of a name that extend another type: they are called on their first parameter.
    pub fn extensions_named(&self, name: Sym) -> &[MemberId] {
        self.extensions.get(&name).map_or(&[], |v| v)
    }

    /// What a plain name means that a file, this one first, declares outside of all types.
    pub fn free_member(&self, unit: UnitId, name: Sym) -> Option<MemberId> {
        let all = self.free.get(&name)?;
        let here = all.iter().copied().find(|m| self.member(*m).unit == unit);
        let has_body = |m: &MemberId| self.body(*m).is_some_and(|b| b.root.is_some());
        if here.is_some() {
            return here;
        }
        // a variable of another file is seen where a header declares it
        let is_variable = |m: &MemberId| self.member(*m).kind == MemberKind::Field;
        let in_header = all.iter().any(|m| is_header(&self.unit_of(*m).path));
        let is_shown = |m: &MemberId| in_header || !is_variable(m);
        let of_all = |fits: &dyn Fn(&MemberId) -> bool| {
            self.nearest_of(unit, all.iter().copied().filter(|m| fits(m) && is_shown(m)), |m| self.member(m).unit)
        };
        of_all(&has_body).or_else(|| of_all(&|_| true))
    }

    /// Whether something of the tree is declared, or handed out to other files, under a name.
    pub fn is_declared(&self, name: Sym) -> bool {
        self.declared_names.get(name.0 as usize).copied().unwrap_or(false)
    }

    /// The method that a name alone tells, in code without written types.
    pub fn told_by_name(&self, name: Sym) -> Option<MemberId> {
        self.told_by_name.get(&name).copied()
    }

    /// The type that a declaration is, or is part of.
    pub fn type_of_decl(&self, unit: UnitId, decl: TypeDeclId) -> Option<TypeId> {
        self.types_of_unit.get(unit.0 as usize)?.get(decl.0 as usize).copied()
    }

    /// The type that stands for a file as a module.
    pub fn module(&self, unit: UnitId) -> Option<TypeId> {
        self.modules[unit.0 as usize]
    }

    /// A span of a file as a place.
    pub fn place(&self, unit: UnitId, span: Span) -> Place {
        let unit = self.unit(unit);
        let (line, column) = unit.lines.line_column(span.start);
        let disk = unit.lines.on_disk(span);
        Place { file: unit.path.clone(), line, column, start: disk.start, end: disk.end }
    }

    /// The place of a node.
    pub fn place_of(&self, site: Site) -> Place {
        let unit = self.member(site.member).unit;
        let span = self.body(site.member).map_or_else(Span::default, |b| b.span(site.node));
        self.place(unit, span)
    }

    /// Whether nothing in the tree reads or calls what has a name, nor has a text that is it.
    pub fn is_named_nowhere(&self, name: Sym) -> bool {
        self.index.reads(name).is_empty() && self.index.calls(name).is_empty() && !self.index.is_text(self.text(name), &self.symbols)
    }

    /// Whether a statement stands in a loop of its body.
    pub fn in_loop(&self, site: Site) -> bool {
        let Some(body) = self.body(site.member) else { return false };
        let mut inner = site.node;
        self.scope(site.member).ancestors(site.node).any(|n| {
            let from = std::mem::replace(&mut inner, n);
            match body.node(n) {
                Node::Loop { .. } => true,
                // what is walked over is made before
                Node::ForEach { iterable, .. } => iterable != from,
                _ => false,
            }
        })
    }

    /// Whether a type stands for the one object that is written out: `const keeper = { note() { … } }`.
    pub fn is_object_literal(&self, ty: TypeId) -> bool {
        let ty = self.ty(ty);
        ty.modifiers.is_static && self.kit(ty.unit).traits.file_modules
    }

    /// Whether a member is a constant: of an enumeration, or one that is given a value once.
    pub fn is_constant(&self, m: MemberId) -> bool {
        self.member(m).kind == MemberKind::EnumConstant || self.decl(m).modifiers.is_readonly
    }

    /// The classes of the tree that are written in a language.
    pub fn classes_of(&self, language: Language) -> impl Iterator<Item = TypeId> + '_ {
        let is_class = move |t: &TypeId| {
            let ty = self.ty(*t);
            ty.kind == TypeKind::Class && !ty.is_module && !ty.anonymous && self.unit(ty.unit).language == language
        };
        (0..self.types.len()).map(|i| TypeId(i as u32)).filter(is_class)
    }

    /// Whether the name of a type is written anywhere as one: of a field, a base, a type argument.
    pub fn is_type_written(&self, name: Sym) -> bool {
        self.any_type_ref(|unit, ty| self.names_type(unit, ty, name))
    }

    /// Whether the name of a type is written anywhere as what another type is of: `Desk<Fill>`.
    pub fn is_type_argument(&self, name: Sym) -> bool {
        self.any_type_ref(|unit, ty| match ty {
            TypeRef::Named { args, .. } => args.iter().any(|arg| self.names_type(unit, self.unit(unit).type_ref(*arg), name)),
            _ => false,
        })
    }

    /// Whether something holds for a type that is written in some file.
    fn any_type_ref(&self, holds: impl Fn(UnitId, &TypeRef) -> bool) -> bool {
        self.units.iter().enumerate().any(|(i, unit)| unit.unit.type_refs.iter().any(|ty| holds(UnitId(i as u32), ty)))
    }

    /// Whether a type is written by a name.
    fn names_type(&self, unit: UnitId, ty: &TypeRef, name: Sym) -> bool {
        matches!(ty, TypeRef::Named { name: written, .. } if self.sym(unit, *written) == name)
    }

    /// The members in which some call names a type among its type arguments: `add<Fill>("fill")`.
    pub fn type_arguments(&self, class: TypeId) -> impl Iterator<Item = MemberId> + '_ {
        (0..self.members.len()).map(|i| MemberId(i as u32)).filter(move |m| {
            let mut of_calls = self.body(*m).into_iter().flat_map(|b| b.type_lists.iter().flatten());
            of_calls.any(|ty| self.type_in(*m, *ty).own() == Some(class))
        })
    }

    /// The innermost function of the body in whose run a node is run; none for the member's own run. What a walk over a collection is
    /// given is run where the walk stands.
    pub fn runs_in(&self, site: Site) -> Option<yarrowgraph_ir::FunctionId> {
        let body = self.body(site.member)?;
        let scope = self.scope(site.member);
        scope.ancestors(site.node).find_map(|n| match body.node(n) {
            Node::Lambda(f) if !self.is_walked_with(site.member, body, n) => Some(f),
            _ => None,
        })
    }

    /// Whether a function is what a walk over a collection is given.
    pub fn is_walked_with(&self, member: MemberId, body: &Body, function: NodeId) -> bool {
        let Some(Node::Call { callee, args, .. }) = self.scope(member).parent(function).map(|p| body.node(p)) else { return false };
        let Node::Member { name, .. } = body.node(callee) else { return false };
        let (pack, text) = (&self.kit_of(member).pack, self.unit_of(member).text(name));
        body.list(args).first() == Some(&function) && [&pack.walks, &pack.folds, &pack.folds_back].iter().any(|names| names.contains(text))
    }

    /// Where the class of a field reads what has the field's name.
    pub fn reads_in_class(&self, field: MemberId) -> impl Iterator<Item = &Site> {
        let info = self.member(field);
        self.in_class(info.owner, self.index.reads(info.name))
    }

    /// Of places in the order of files and positions those that stand in the members of a class.
    pub fn in_class<'a>(&'a self, class: TypeId, sites: &'a [Site]) -> impl Iterator<Item = &'a Site> {
        self.ty(class).members.iter().flat_map(move |m| index::within(sites, *m))
    }

    /// The place of a member's name.
    pub fn member_place(&self, id: MemberId) -> Place {
        match self.declared_in_class.get(&id) {
            Some((unit, decl)) => self.place(*unit, self.unit(*unit).member(*decl).name_span),
            None => self.place(self.member(id).unit, self.decl(id).name_span),
        }
    }

    /// The place of a type's name.
    pub fn type_place(&self, id: TypeId) -> Option<Place> {
        let (unit, decl) = *self.ty(id).decls.first()?;
        Some(self.place(unit, self.unit(unit).ty(decl).name_span))
    }
}

/// Whether a file is one that others include.
fn is_header(path: &str) -> bool {
    let extension = path.rsplit_once('.').map_or("", |(_, extension)| extension);
    !matches!(extension, "c" | "cc" | "cpp" | "cxx" | "c++" | "C" | "m" | "mm")
}
