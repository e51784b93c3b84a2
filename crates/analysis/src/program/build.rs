//! Numbering: files by path, then types and members in the order of the files.

use rayon::prelude::*;
use rustc_hash::{FxHashMap, FxHashSet};
use yarrowgraph_ir::{Facts, Language, MemberKind, Name, ParamMode, TypeDeclId, TypeKind, Unit, Visibility};

use super::creations;
use super::index::FileNames;
use super::outlines::{self, NOWHERE};
use super::packages::Packages;
use super::types::Here;
use super::{ByName, Index, Kit, Kits, MemberId, MemberInfo, Program, Scope, Site, Sym, Symbols, Ty, Type, TypeId, UnitId, index, words};

/// Texts beyond this length, in bytes, name no type.
const LONGEST_NAME: usize = 200;

/// What stands between the words of a text that joins some, of which each is a name by itself, and how many it joins at most.
const JOINS: &[char] = &['/', ':', '|', ',', ';', '>', '@', '#', '+', ' '];
const JOINED: usize = 3;

pub(super) fn link(mut units: Vec<Facts>, kit: &dyn Fn(Language) -> Kit, packages: &Packages) -> Program {
    units.sort_by(|a, b| a.unit.path.cmp(&b.unit.path));
    open_internals(&mut units);
    let kits = Kits::of_all(units.iter().map(|f| f.unit.language), kit);
    creations::write_out(&mut units, &kits);
    // numbering the names takes one thread about as long as scanning the bodies takes the others
    let ((symbols, empty, file_names), (scopes, uses)) =
        rayon::join(|| intern(&units), || units.par_iter().map(scan).unzip::<_, _, Vec<_>, Vec<_>>());
    let mut program = Program {
        units,
        symbols,
        types: Vec::new(),
        members: Vec::new(),
        declared_in_class: FxHashMap::default(),
        modules: Vec::new(),
        index: Index::default(),
        kits,
        tests: Vec::new(),
        names: Vec::new(),
        scopes,
        types_by_name: FxHashMap::default(),
        extensions: FxHashMap::default(),
        told_by_name: FxHashMap::default(),
        declared_names: Vec::new(),
        opened_by_file: FxHashSet::default(),
        free: FxHashMap::default(),
        types_of_unit: Vec::new(),
        units_by_path: FxHashMap::default(),
        imported_modules: Vec::new(),
        known_types: Vec::new(),
        known_aliases: Vec::new(),
        declared: Vec::new(),
    };
    program.known_types = program.units.iter().map(|_| Default::default()).collect();
    program.known_aliases = program.units.iter().map(|_| Default::default()).collect();
    let numbers = number_types(&mut program, &file_names, empty);
    let members = number_members(&mut program, &numbers, &file_names, &uses);
    let files = file_names.iter().zip(&uses).zip(&members);
    let files: Vec<index::File<'_>> = files.map(|((names, uses), members)| index::File { names, uses, members }).collect();
    program.index = Index::new(&program.symbols, empty, &files);
    drop(uses);
    program.names = file_names.into_iter().map(|n| n.whole).collect();
    program.imported_modules =
        (0..program.units.len()).into_par_iter().map(|i| imported_modules(&program, packages, UnitId(i as u32))).collect();
    program.opened_by_file = opened_by_file(&program);
    place_nested(&mut program, &numbers);
    find_bases(&mut program);
    program.tests = program.units.iter().map(|f| is_test_path(&f.unit.path)).collect();
    program.free = free_members(&program);
    program.told_by_name = told_by_name(&program);
    program.declared_names = declared_names(&program);
    program.declared = program.members.iter().map(|_| Default::default()).collect();
    program
}

/// Whether a path is that of a test.
fn is_test_path(path: &str) -> bool {
    path.split('/').any(|part| {
        let lower = part.to_ascii_lowercase();
        matches!(lower.as_str(), "test" | "tests" | "autotests" | "unittests" | "testsuite" | "__tests__" | "spec" | "specs" | "testing")
            || lower.ends_with("tests.cs")
            || lower.ends_with("test.cs")
            || is_test_file(part)
            || lower.contains(".test.")
            || lower.contains(".spec.")
    })
}

/// Whether a file is called after what it tests: `GateTest.java`, `gate_unittest.cc`, `gate-test.js`, `test-gate.js`.
fn is_test_file(name: &str) -> bool {
    let Some((stem, extension)) = name.split_once('.') else { return false };
    let capitals = matches!(extension, "java" | "cpp" | "cc" | "cxx" | "mm") && (stem.ends_with("Test") || stem.ends_with("Tests"));
    let is_script = matches!(extension, "js" | "mjs" | "cjs" | "ts" | "jsx" | "tsx");
    let begins = is_script && (matches!(stem, "test" | "tests") || stem.starts_with("test-") || stem.starts_with("test_"));
    let last_word = stem.rsplit_once(['_', '-']).map(|(_, last)| last);
    capitals
        || begins
        || last_word.is_some_and(|word| matches!(word, "test" | "tests" | "unittest" | "unittests" | "browsertest" | "perftest"))
}

/// What is internal to a program that lets another one use that is public. The folder of the file that says so, or the
/// one around it where it is in a folder for what is said of the whole, stands for the program.
fn open_internals(units: &mut [Facts]) {
    let folder = |path: &str| {
        let folder = path.rsplit_once('/').map_or("", |(folder, _)| folder);
        let around = ["Properties", "Assembly"].iter().find_map(|own| folder.strip_suffix(own));
        around.map_or_else(|| folder.to_owned(), |f| f.trim_end_matches('/').to_owned())
    };
    let open: Vec<(Language, String)> =
        units.iter().filter(|f| f.unit.opens_internals).map(|f| (f.unit.language, folder(&f.unit.path))).collect();
    let is_open = |unit: &Unit| {
        let within = |f: &str| f.is_empty() || unit.path.strip_prefix(f).is_some_and(|rest| rest.starts_with('/'));
        open.iter().any(|(language, folder)| *language == unit.language && within(folder))
    };
    for facts in units.iter_mut().filter(|f| is_open(&f.unit)) {
        let types = facts.unit.types.iter_mut().map(|t| &mut t.modifiers);
        for modifiers in types.chain(facts.unit.members.iter_mut().map(|m| &mut m.modifiers)) {
            if modifiers.visibility == Visibility::Internal {
                modifiers.visibility = Visibility::Public;
            }
        }
    }
}

/// Namespaces that are opened in single files, and in none for all.
fn opened_by_file(p: &Program) -> FxHashSet<String> {
    let opened = |for_all: bool| {
        p.units
            .iter()
            .filter(|f| p.kits.of(f.unit.language).traits.open_names)
            .flat_map(|f| f.unit.imports.iter().map(move |i| (&f.unit, i)))
            .filter(move |(unit, i)| i.reexport == for_all && i.name.is_none_or(|n| unit.text(n) == "*"))
            .map(|(unit, i)| unit.text(i.from))
    };
    let for_all: FxHashSet<&str> = opened(true).collect();
    opened(false).filter(|n| !for_all.contains(n)).map(str::to_owned).collect()
}

/// Numbers the names of all files, and the last parts of the dotted ones, in the order in which they come. Stretches of files
/// are numbered side by side, each by itself, and these numbers then put together in order.
fn intern(units: &[Facts]) -> (Symbols, Sym, Vec<FileNames>) {
    const STRETCHES: usize = 16;
    let numbered = |units: &[Facts]| {
        let mut symbols = Symbols::default();
        let names: Vec<FileNames> = units.iter().map(|facts| intern_names(facts, &mut symbols)).collect();
        (symbols, names)
    };
    let stretches: Vec<(Symbols, Vec<FileNames>)> = units.par_chunks(units.len().div_ceil(STRETCHES).max(1)).map(numbered).collect();
    let mut symbols = Symbols::default();
    let empty = symbols.intern("");
    let numbers: Vec<Vec<Sym>> = stretches.iter().map(|(own, _)| own.texts().map(|text| symbols.intern(text)).collect()).collect();
    let mut names: Vec<(&Vec<Sym>, FileNames)> =
        numbers.iter().zip(stretches).flat_map(|(numbers, (_, names))| names.into_iter().map(move |n| (numbers, n))).collect();
    names.par_iter_mut().for_each(|(numbers, names)| {
        let all = names.whole.iter_mut().chain(names.last.iter_mut().map(|(_, sym)| sym));
        all.for_each(|sym| *sym = numbers[sym.0 as usize]);
    });
    (symbols, empty, names.into_iter().map(|(_, names)| names).collect())
}

fn intern_names(facts: &Facts, symbols: &mut Symbols) -> FileNames {
    let mut last = Vec::new();
    let name = |(number, text): (usize, &str)| {
        if text.len() < LONGEST_NAME
            && let Some((_, simple)) = text.rsplit_once('.')
        {
            last.push((Name(number as u32), symbols.intern(simple)));
        } else if text.len() < LONGEST_NAME
            && text.contains(JOINS)
            && text.starts_with(char::is_alphanumeric)
            && words(text).count() <= JOINED
        {
            words(text).for_each(|word| _ = symbols.intern(word));
        }
        symbols.intern(text)
    };
    let whole = facts.unit.names.texts().enumerate().map(name).collect();
    FileNames { whole, last }
}

/// The scopes and uses of the bodies of a file, in the order of its members.
fn scan(facts: &Facts) -> (Box<[Scope]>, index::Uses) {
    (facts.unit.members.iter().map(Scope::new).collect(), index::uses(&facts.unit))
}

fn imported_modules(program: &Program, packages: &Packages, id: UnitId) -> Box<[Option<UnitId>]> {
    let unit = program.unit(id);
    if !program.kit(id).traits.file_modules {
        return Box::default();
    }
    let module = |from: &str| program.module_named(id, from).or_else(|| program.module_of_package(packages, from));
    unit.imports.iter().map(|i| module(unit.text(i.from))).collect()
}

/// For each file its types' numbers in the tree.
pub(super) type Numbers = Vec<Vec<TypeId>>;

fn number_types(p: &mut Program, file_names: &[FileNames], empty: Sym) -> Numbers {
    let mut numbers: Numbers = Vec::with_capacity(p.units.len());
    let mut outlines: Vec<(usize, usize)> = Vec::new();
    let mut merged: FxHashMap<(Sym, Option<TypeId>, Sym, usize), TypeId> = FxHashMap::default();
    for (index, names) in file_names.iter().enumerate() {
        let unit_id = UnitId(index as u32);
        let unit = &p.units[index].unit;
        let file_modules = p.kits.of(unit.language).traits.file_modules;
        let module_name = unit.path.rsplit_once('.').map_or(unit.path.as_str(), |(stem, _)| stem).replace('/', ".");
        let holds_module = unit.members.iter().any(|m| m.owner.is_none());
        let module_sym = if file_modules || holds_module { p.symbols.intern(&module_name) } else { empty };
        p.units_by_path.insert(unit.path.clone(), unit_id);
        let mut of_unit = Vec::with_capacity(unit.types.len());
        for (decl_index, decl) in unit.types.iter().enumerate() {
            let sym = |n: Name| names.whole[n.0 as usize];
            let namespace = if file_modules { module_sym } else { sym(decl.namespace) };
            let parent = decl.parent.filter(|_| decl.within.is_none()).map(|t| of_unit[t.0 as usize]);
            let name = sym(decl.name);
            let decl_id = (unit_id, TypeDeclId(decl_index as u32));
            // what only writes out members of another type is put there once all types are known
            if decl.outline {
                outlines.push((index, decl_index));
                of_unit.push(NOWHERE);
                continue;
            }
            // parts of one type: same name, nesting and number of type parameters
            let mergeable = decl.modifiers.is_partial || (file_modules && matches!(decl.kind, TypeKind::Namespace | TypeKind::Interface));
            let key = (namespace, parent, name, decl.type_params.len());
            if mergeable && !decl.anonymous {
                if let Some(&id) = merged.get(&key) {
                    let ty = &mut p.types[id.0 as usize];
                    ty.decls.push(decl_id);
                    let m = &decl.modifiers;
                    ty.modifiers.visibility = ty.modifiers.visibility.max(m.visibility);
                    ty.modifiers.is_static |= m.is_static;
                    ty.modifiers.is_abstract |= m.is_abstract;
                    of_unit.push(id);
                    continue;
                }
                merged.insert(key, TypeId(p.types.len() as u32));
            }
            let id = TypeId(p.types.len() as u32);
            let prefix = parent
                .filter(|t| *t != NOWHERE)
                .map_or_else(|| p.symbols.text(namespace).to_owned(), |t| p.types[t.0 as usize].full.to_string());
            let simple = p.symbols.text(name);
            let full = if prefix.is_empty() { simple.to_owned() } else { format!("{prefix}.{simple}") };
            p.types.push(Type {
                name,
                full: full.into(),
                namespace,
                decls: vec![decl_id],
                unit: unit_id,
                kind: decl.kind,
                modifiers: decl.modifiers,
                parent,
                within: None,
                anonymous: decl.anonymous,
                is_module: false,
                params: decl.type_params.iter().map(|p| sym(p.name)).collect(),
                bases: Vec::new(),
                members: Vec::new(),
                nested: Vec::new(),
                heirs: Vec::new(),
                lineage: Box::default(),
                by_name: ByName::default(),
            });
            if name != empty {
                let known = p.types_by_name.entry(name).or_default();
                // an interface beside a class of its name says more about the class, which the name means
                let beside = |t: &&TypeId| {
                    let t = &p.types[t.0 as usize];
                    t.kind == TypeKind::Interface && t.namespace == namespace && t.parent == parent
                };
                let is_class = file_modules && decl.kind == TypeKind::Class;
                let at = known.iter().rposition(|t| is_class && beside(&t)).unwrap_or(known.len());
                known.insert(at, id);
            }
            of_unit.push(id);
        }
        let module = holds_module.then(|| {
            let id = TypeId(p.types.len() as u32);
            p.types.push(Type {
                name: empty,
                full: module_name.clone().into(),
                namespace: module_sym,
                decls: Vec::new(),
                unit: unit_id,
                kind: TypeKind::Namespace,
                modifiers: yarrowgraph_ir::Modifiers { is_static: true, ..Default::default() },
                parent: None,
                within: None,
                anonymous: false,
                is_module: true,
                params: Vec::new(),
                bases: Vec::new(),
                members: Vec::new(),
                nested: Vec::new(),
                heirs: Vec::new(),
                lineage: Box::default(),
                by_name: ByName::default(),
            });
            id
        });
        p.modules.push(module);
        numbers.push(of_unit);
    }
    outlines::place(p, &mut numbers, file_names, &outlines);
    numbers
}

/// Numbers the members; returns for each file the numbers of its own.
fn number_members(p: &mut Program, numbers: &Numbers, file_names: &[FileNames], uses: &[index::Uses]) -> Vec<Box<[Option<MemberId>]>> {
    let settled = outlines::settle(p, numbers, file_names);
    let count = p.units.iter().map(|f| f.unit.members.len()).sum();
    let mut all = Vec::with_capacity(numbers.len());
    p.members.reserve_exact(count);
    for (index, types) in numbers.iter().enumerate() {
        let unit = &p.units[index].unit;
        let mut of_unit: Box<[Option<MemberId>]> = vec![None; unit.members.len()].into();
        for (decl_index, decl) in unit.members.iter().enumerate() {
            if settled.done_with.contains(&(index, decl_index)) {
                continue;
            }
            let owner = match decl.owner {
                Some(t) => types[t.0 as usize],
                None => match p.modules[index] {
                    Some(module) => module,
                    None => continue,
                },
            };
            let name = file_names[index].whole[decl.name.0 as usize];
            let id = MemberId(p.members.len() as u32);
            p.members.push(MemberInfo {
                name,
                owner,
                unit: UnitId(index as u32),
                decl: yarrowgraph_ir::MemberId(decl_index as u32),
                language: unit.language,
                kinds: uses[index].kinds[decl_index],
                kind: decl.kind,
                is_static: decl.modifiers.is_static,
            });
            of_unit[decl_index] = Some(id);
            if let Some(&(unit, member)) = settled.fields.get(&(index, decl_index)) {
                p.declared_in_class.insert(id, (UnitId(unit as u32), yarrowgraph_ir::MemberId(member as u32)));
            }
            let ty = &mut p.types[owner.0 as usize];
            ty.members.push(id);
            if decl.kind == MemberKind::Method && decl.params.first().is_some_and(|p| p.mode == ParamMode::Receiver) {
                p.extensions.entry(name).or_default().push(id);
            }
        }
        all.push(of_unit);
    }
    let members = &p.members;
    p.types.par_iter_mut().for_each(|ty| ty.by_name = ByName::new(&ty.members, members));
    // constants that are known by their plain names in the class around their enumeration
    let mut around: FxHashMap<TypeId, Vec<MemberId>> = FxHashMap::default();
    for ty in p.types.iter().filter(|t| is_unscoped(p, t)) {
        if let Some(parent) = ty.parent {
            around.entry(parent).or_default().extend(ty.members.iter().copied());
        }
    }
    for (parent, constants) in around {
        let ty = &mut p.types[parent.0 as usize];
        let with_constants: Vec<MemberId> = ty.members.iter().copied().chain(constants).collect();
        ty.by_name = ByName::new(&with_constants, &p.members);
    }
    all
}

fn is_unscoped(p: &Program, ty: &Type) -> bool {
    ty.kind == TypeKind::Enum && ty.decls.iter().any(|(unit, decl)| p.unit(*unit).ty(*decl).modifiers.is_unscoped)
}

/// Types nested in types, and types declared in bodies.
fn place_nested(p: &mut Program, numbers: &Numbers) {
    let mut by_decl: FxHashMap<(UnitId, yarrowgraph_ir::MemberId), MemberId> = FxHashMap::default();
    for (index, m) in p.members.iter().enumerate() {
        by_decl.insert((m.unit, m.decl), MemberId(index as u32));
    }
    for (index, types) in numbers.iter().enumerate() {
        let unit_id = UnitId(index as u32);
        for (decl_index, decl) in p.units[index].unit.types.iter().enumerate() {
            let id = types[decl_index];
            if let Some(host) = decl.within {
                let node =
                    p.units[index].unit.member(host).body.as_ref().and_then(|b| b.types.iter().find(|(t, _)| t.0 == decl_index as u32));
                // an enum constant's body has no node of its own
                let root = || p.units[index].unit.member(host).body.as_ref().and_then(|b| b.root);
                if let (Some(&member), Some(node)) = (by_decl.get(&(unit_id, host)), node.map(|(_, n)| *n).or_else(root)) {
                    p.types[id.0 as usize].within = Some(Site { member, node });
                }
            } else if let Some(parent) = p.types[id.0 as usize].parent
                && !p.types[parent.0 as usize].nested.contains(&id)
            {
                p.types[parent.0 as usize].nested.push(id);
            }
        }
        p.types_of_unit.push(numbers[index].clone());
    }
}

/// Functions and variables of files that other files know by their plain names.
fn free_members(p: &Program) -> FxHashMap<Sym, Vec<MemberId>> {
    let mut free: FxHashMap<Sym, Vec<MemberId>> = FxHashMap::default();
    for (index, m) in p.members.iter().enumerate() {
        let owner = p.ty(m.owner);
        let is_free = owner.is_module || m.kind == MemberKind::EnumConstant && owner.parent.is_none() && is_unscoped(p, owner);
        if is_free && p.kits.of(m.language).traits.open_names {
            free.entry(m.name).or_default().push(MemberId(index as u32));
        }
    }
    free
}

/// For each name whether something is declared or handed out under it.
fn declared_names(p: &Program) -> Vec<bool> {
    let mut declared = vec![false; p.symbols.len()];
    let mut declare = |name: Sym| declared[name.0 as usize] = true;
    p.members.iter().for_each(|m| declare(m.name));
    for (index, facts) in p.units.iter().enumerate() {
        let unit = UnitId(index as u32);
        facts.unit.exports.iter().for_each(|(_, outer)| declare(p.sym(unit, *outer)));
    }
    declared
}

/// Methods of code without written types whose name only one family of classes has: where the
/// receiver of a call is not known, such a name tells it.
fn told_by_name(p: &Program) -> FxHashMap<Sym, MemberId> {
    const SHORTEST: usize = 4;
    let mut by_name: FxHashMap<Sym, Vec<MemberId>> = FxHashMap::default();
    for (index, m) in p.members.iter().enumerate() {
        let of_class = m.kind == MemberKind::Method && !m.is_static && !p.ty(m.owner).is_module;
        if of_class && p.text(m.name).len() >= SHORTEST {
            by_name.entry(m.name).or_default().push(MemberId(index as u32));
        }
    }
    let only_family = |name: Sym, methods: Vec<MemberId>| {
        let duck_typed = methods.iter().all(|m| p.kit_of(*m).traits.duck_typed);
        let first = *methods.first()?;
        if !duck_typed || p.kit_of(first).pack.says_nothing_alone(p.text(name)) {
            return None;
        }
        methods.iter().copied().find(|root| methods.iter().all(|m| p.is_a(p.member(*m).owner, p.member(*root).owner)))
    };
    by_name.into_iter().filter_map(|(name, methods)| Some((name, only_family(name, methods)?))).collect()
}

fn find_bases(p: &mut Program) {
    // nested types are looked up through bases, so bases that name nested types of other
    // bases need a second round
    for _ in 0..2 {
        let bases: Vec<Vec<Ty>> = (0..p.types.len())
            .into_par_iter()
            .map(|index| {
                let id = TypeId(index as u32);
                let ty = p.ty(id);
                let mut bases = Vec::new();
                for &(unit, decl) in &ty.decls {
                    let around = ty.parent.or(ty.within.map(|s| p.member(s.member).owner));
                    for base in &p.unit(unit).ty(decl).bases {
                        let here = Here { unit, owner: around, params: &p.unit(unit).ty(decl).type_params, body: None };
                        // a file of several namespaces says by the type itself which one is meant
                        let is_apart =
                            around.is_none() && p.kit(unit).traits.open_names && p.sym(unit, p.unit(unit).namespace) != ty.namespace;
                        let by_type = is_apart.then(|| p.type_at(Here { owner: Some(id), ..here }, base.ty));
                        let by_type = by_type.filter(|found| found.own().is_some_and(|own| own != id));
                        let found = by_type.unwrap_or_else(|| p.type_at(here, base.ty));
                        if !bases.contains(&found) && found.own() != Some(id) {
                            bases.push(found);
                        }
                    }
                }
                bases
            })
            .collect();
        for (ty, bases) in p.types.iter_mut().zip(bases) {
            ty.bases = bases;
        }
        let lineages: Vec<Box<[TypeId]>> = (0..p.types.len()).into_par_iter().map(|index| p.find_lineage(TypeId(index as u32))).collect();
        for (ty, lineage) in p.types.iter_mut().zip(lineages) {
            ty.lineage = lineage;
        }
        // what names mean depends on the bases
        p.known_types.iter_mut().for_each(|known| *known = Default::default());
        p.known_aliases.iter_mut().for_each(|known| *known = Default::default());
    }
    for index in 0..p.types.len() {
        let id = TypeId(index as u32);
        for base in p.types[index].bases.clone() {
            if let Some(b) = base.own() {
                p.types[b.0 as usize].heirs.push(id);
            }
        }
    }
}
