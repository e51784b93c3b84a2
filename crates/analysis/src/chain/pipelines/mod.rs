//! Pipelines that a library walks: `app.use(log); app.use(serve)`.
//!
//! The packs say which methods put links into them; what a link does is read from its code, as that of any link that is
//! handed the way on. The order is that of the calls along one function and the functions that it hands the pipeline to.

mod link;

use std::collections::{BTreeMap, BTreeSet};

use yarrowgraph_ir::pack::{LinksGiven, Pipeline as Idiom};
use yarrowgraph_ir::{Body, List, MemberKind, Name, Node, NodeId};

use super::{Built, Link, Of};
use crate::flow::{Flow, Val, returned};
use crate::program::{MemberId, Program, Site, Ty, TypeId};
use crate::written;

/// Functions that hand a pipeline on are followed so deep.
const DEEPEST: u32 = 6;

/// So many conditions that part the ways to fill a pipeline are taken both ways.
const ALTERNATIVES: usize = 3;

/// A pipeline of a library.
#[derive(Clone, Debug)]
pub struct Pipeline {
    /// The language's pack and the entry of it that the first link was put in by.
    idiom: Idiom,
    /// The member whose code puts the links in.
    pub member: MemberId,
}

/// What is put into a pipeline at a place.
struct Add<'p> {
    at: Site,
    idiom: &'p Idiom,
    links: Vec<Link>,
}

/// What links are put into, within one member.
type Key = (MemberId, Subject);

/// What links are put into.
#[derive(Clone, Debug, PartialEq, Eq, PartialOrd, Ord)]
enum Subject {
    /// A value that is known to be the same.
    Known(Val),
    /// What is written alike each time: `context.getServletContext()`.
    Written(String),
}

/// Finds the pipelines, and the chain that each of them is.
pub(super) fn find(flow: &Flow<'_>) -> (Vec<Pipeline>, Vec<Built>) {
    let program = flow.program;
    let mut groups: BTreeMap<Key, Vec<Add<'_>>> = BTreeMap::new();
    let mut wholes: Vec<(MemberId, Add<'_>)> = Vec::new();
    let mut members: Vec<MemberId> = members_that_add(program).into_iter().collect();
    let mut scanned: BTreeSet<MemberId> = members.iter().copied().collect();
    while let Some(member) = members.pop() {
        let Some(body) = program.body(member) else { continue };
        let mut subjects: BTreeSet<Val> = BTreeSet::new();
        for node in body.ids() {
            let Node::Call { callee, .. } = body.node(node) else { continue };
            let at = Site { member, node };
            let (object, name) = match body.node(callee) {
                Node::Member { object, name, .. } => (Some(object), name),
                Node::Name(name) => (None, name),
                _ => continue,
            };
            let Some(idiom) = idiom_of(program, member, name) else { continue };
            if object.is_none() && !idiom.whole || flow.callee(at).is_some() {
                continue;
            }
            let links = links_of(flow, at, idiom);
            if links.is_empty() {
                continue;
            }
            let add = Add { at, idiom, links };
            match object {
                Some(object) if !idiom.whole => {
                    let subject = subject(flow, member, body, object);
                    subjects.extend(if let Subject::Known(val) = &subject { Some(val.clone()) } else { None });
                    groups.entry((member, subject)).or_default().push(add);
                }
                _ => wholes.push((member, add)),
            }
        }
        // what it hands a pipeline to
        members.extend(told_of(flow, member, body, &subjects).into_iter().filter(|m| scanned.insert(*m)));
    }
    let handed = handed_on(flow, &groups);
    let mut found = (Vec::new(), Vec::new());
    // the links of who is handed a pipeline are of that
    let inner: BTreeSet<&Key> =
        handed.iter().filter(|(outer, _)| groups.contains_key(outer)).flat_map(|(_, to)| to.iter().map(|(_, key)| key)).collect();
    for key in groups.keys().filter(|key| !inner.contains(key)) {
        let mut adds = Vec::new();
        gather(&groups, &handed, key, DEEPEST, &mut adds);
        for adds in alternatives(program, adds) {
            build(flow, key.0, Some(&key.1), &adds, &mut found);
        }
    }
    for (member, add) in &wholes {
        build(flow, *member, None, &[add], &mut found);
    }
    found
}

/// The members that a member hands one of some values.
fn told_of(flow: &Flow<'_>, member: MemberId, body: &Body, values: &BTreeSet<Val>) -> Vec<MemberId> {
    if values.is_empty() {
        return Vec::new();
    }
    let hands = |args: List| body.list(args).iter().any(|arg| values.contains(&flow.eval_in(member, *arg)));
    let calls = body.ids().filter(|n| matches!(body.node(*n), Node::Call { args, .. } if hands(args)));
    calls.filter_map(|node| Some(flow.callee(Site { member, node })?.member)).filter(|m| *m != member).collect()
}

/// The members that put links into pipelines, tests aside.
fn members_that_add(program: &Program) -> BTreeSet<MemberId> {
    let names = program.packs().flat_map(|p| &p.pipelines).filter(|p| !p.along).flat_map(|p| p.adds.iter());
    let calls = names.filter_map(|name| program.symbols.get(name)).flat_map(|name| program.index.calls(name));
    let members: BTreeSet<MemberId> = calls.map(|site| site.member).collect();
    members.into_iter().filter(|m| !program.in_test(*m)).collect()
}

/// The entry of a pack that a method puts links in by.
fn idiom_of(program: &Program, member: MemberId, name: Name) -> Option<&Idiom> {
    let text = program.text(program.sym_in(member, name));
    let pipelines = &program.kit_of(member).pack.pipelines;
    pipelines.iter().find(|p| p.adds.fits(text))
}

/// What a call in a row of such calls (`app.use(a).use(b)`) puts its links into.
fn subject(flow: &Flow<'_>, member: MemberId, body: &Body, object: NodeId) -> Subject {
    let mut object = object;
    while let Node::Call { callee, .. } = body.node(object)
        && let Node::Member { object: of, name, .. } = body.node(callee)
        && idiom_of(flow.program, member, name).is_some()
    {
        object = of;
    }
    let at = Site { member, node: object };
    match flow.eval(at) {
        Val::Unknown => Subject::Written(written::expression(flow.program, at)),
        Val::Call(site) if site == at => Subject::Written(written::expression(flow.program, at)),
        known => Subject::Known(known),
    }
}

/// The links that a call puts in.
fn links_of(flow: &Flow<'_>, at: Site, idiom: &Idiom) -> Vec<Link> {
    let Some(body) = flow.program.body(at.member) else { return Vec::new() };
    let Node::Call { args, .. } = body.node(at.node) else { return Vec::new() };
    match idiom.links {
        LinksGiven::Itself => vec![foreign(at)],
        LinksGiven::TypeArgument => match flow.program.type_argument(at) {
            Some(Ty::Own(class, _)) => vec![of_class(class, at)],
            _ => vec![foreign(at)],
        },
        LinksGiven::Classes => {
            let classes = body.list(args).iter().filter_map(|arg| match flow.eval_in(at.member, *arg) {
                Val::Type(class) if is_object(flow.program, class) => Some(of_class(class, Site { member: at.member, node: *arg })),
                _ => None,
            });
            classes.collect()
        }
        LinksGiven::Arguments => {
            let mut links = Vec::new();
            let mut args = body.list(args);
            let mut limits = None;
            if let [first, _, ..] = args
                && idiom.paths
                && is_named_a_path(flow.program, at.member, body, *first)
            {
                limits = Some(Site { member: at.member, node: *first });
                args = &args[1..];
            }
            for arg in args {
                link_of(flow, Site { member: at.member, node: *arg }, &mut limits, &mut links);
            }
            if idiom.paths {
                links.iter_mut().for_each(|l| l.only_for = limits);
            }
            links
        }
    }
}

fn foreign(made: Site) -> Link {
    Link { class: None, function: None, made, put: None, only_for: None }
}

fn of_class(class: TypeId, made: Site) -> Link {
    Link { class: Some(class), ..foreign(made) }
}

/// The links that an argument is; what is none says which requests the links are asked for.
fn link_of(flow: &Flow<'_>, arg: Site, limits: &mut Option<Site>, links: &mut Vec<Link>) {
    let program = flow.program;
    let Some(body) = program.body(arg.member) else { return };
    match body.node(arg.node) {
        Node::Collection { items, .. } => {
            let items = body.list(items);
            if items.iter().all(|i| matches!(body.node(*i), Node::Str(_) | Node::Plain)) {
                limits.get_or_insert(arg);
                return;
            }
            for item in items {
                link_of(flow, Site { member: arg.member, node: *item }, limits, links);
            }
            return;
        }
        Node::Str(_) | Node::Template(_) | Node::Plain | Node::Num(_) | Node::Binary { .. } => {
            if links.is_empty() {
                limits.get_or_insert(arg);
            }
            return;
        }
        Node::Null | Node::Bool(_) | Node::Object(_) => return,
        _ => {}
    }
    let value = flow.eval(arg);
    // what is handed no request is a getter, and what that gives is not known by what it does
    let is_code = |f: &Val| match f {
        Val::Lambda(m, f) => flow.lambda(*m, *f).is_some_and(|f| !f.params.is_empty()),
        Val::Method(m, _) => !program.decl(*m).params.is_empty(),
        _ => false,
    };
    if let Some(function) = flow.function_of(&value).or_else(|| made_by(flow, &value)).filter(is_code) {
        links.push(Link { function: Some(function), ..foreign(arg) });
        return;
    }
    match value {
        Val::New(site) => match flow.type_of(&Val::New(site)).own() {
            Some(class) => links.push(of_class(class, arg)),
            None => links.push(foreign(arg)),
        },
        Val::Type(class) if program.ty(class).kind == yarrowgraph_ir::TypeKind::Class => links.push(of_class(class, arg)),
        Val::Str(_) | Val::Data | Val::Null if links.is_empty() => _ = limits.get_or_insert(arg),
        Val::Str(_) | Val::Data | Val::Null => {}
        value => match flow.type_of(&value).own().filter(|t| is_object(program, *t)) {
            Some(class) => links.push(of_class(class, arg)),
            None => links.push(foreign(arg)),
        },
    }
}

/// Whether what has a name says where requests go, by the end of the name.
fn is_named_a_path(program: &Program, member: MemberId, body: &Body, node: NodeId) -> bool {
    let (Node::Name(name) | Node::Member { name, .. }) = body.node(node) else { return false };
    let text = program.text(program.sym_in(member, name)).to_lowercase();
    program.kit_of(member).pack.path_words.iter().any(|word| text.ends_with(word.as_str()))
}

fn is_object(program: &Program, ty: TypeId) -> bool {
    program.ty(ty).kind == yarrowgraph_ir::TypeKind::Class && !program.ty(ty).is_module
}

/// The one function that an own function gives back: `cache(5)`, where that is `ttl => (request, response, next) => …`.
fn made_by(flow: &Flow<'_>, value: &Val) -> Option<Val> {
    let Val::Call(call) = value else { return None };
    let program = flow.program;
    let written = |value: &Val| match flow.function_of(value)? {
        Val::Lambda(m, f) => Some((m, Some(f))),
        Val::Method(m, _) => Some((m, None)),
        _ => None,
    };
    let (member, function) = match flow.callee(*call) {
        Some(callee) => (callee.member, None),
        None => {
            let Node::Call { callee, .. } = program.body(call.member)?.node(call.node) else { return None };
            written(&flow.eval_in(call.member, callee))?
        }
    };
    // a variable that holds the maker
    let (member, function) = match (program.member(member).kind, function) {
        (MemberKind::Field, None) => written(&flow.eval(flow.only_definition(member)?))?,
        _ => (member, function),
    };
    let [given] = returned(program, member, function)[..] else { return None };
    flow.function_of(&flow.eval_in(member, given))
}

/// Where a member hands what it puts links into to another one, which puts in more.
type Handed = BTreeMap<Key, Vec<(Site, Key)>>;

fn handed_on(flow: &Flow<'_>, groups: &BTreeMap<Key, Vec<Add<'_>>>) -> Handed {
    let mut handed = Handed::new();
    for key in groups.keys() {
        for (call, outer) in handed_by(flow, key) {
            handed.entry(outer).or_default().push((call, key.clone()));
        }
    }
    handed
}

/// The calls that hand a member what it puts links into.
fn handed_by(flow: &Flow<'_>, key: &Key) -> Vec<(Site, Key)> {
    let Subject::Known(Val::Param(of, None, index)) = key.1 else { return Vec::new() };
    if of != key.0 {
        return Vec::new();
    }
    let callers = flow.callers((of, None)).iter().filter(|(site, _)| !flow.program.in_test(site.member));
    callers
        .filter_map(|(site, binding)| {
            let given = binding.args.get(usize::from(index))?.clone()?;
            (given != Val::Unknown && site.member != of).then_some((*site, (site.member, Subject::Known(given))))
        })
        .collect()
}

/// The links that a member and those that it hands the pipeline to put in, in order.
fn gather<'a, 'p>(groups: &'a BTreeMap<Key, Vec<Add<'p>>>, handed: &Handed, key: &Key, depth: u32, adds: &mut Vec<&'a Add<'p>>) {
    let Some(depth) = depth.checked_sub(1) else { return };
    let own = groups.get(key).map_or(&[][..], Vec::as_slice);
    let inner = handed.get(key).map_or(&[][..], Vec::as_slice);
    let mut steps: Vec<(NodeId, Result<&'a Add<'p>, &Key>)> = own.iter().map(|add| (add.at.node, Ok(add))).collect();
    steps.extend(inner.iter().map(|(call, key)| (call.node, Err(key))));
    // calls in a row are nested, the first one innermost
    steps.sort_by_key(|(node, _)| *node);
    for (_, step) in steps {
        match step {
            Ok(add) => adds.push(add),
            Err(key) => gather(groups, handed, key, depth, adds),
        }
    }
}

/// What is put in on each of the ways that exclude each other: one branch of a condition, or the other.
fn alternatives<'a, 'p>(program: &Program, adds: Vec<&'a Add<'p>>) -> Vec<Vec<&'a Add<'p>>> {
    let mut all = vec![adds];
    for _ in 0..ALTERNATIVES {
        let parting = all.iter().enumerate().find_map(|(at, adds)| Some((at, parting(program, adds)?)));
        let Some((at, (one, other))) = parting else { break };
        let adds = all.remove(at);
        let without = |gone: &[NodeId]| adds.iter().copied().filter(|a| !gone.contains(&a.at.node)).collect();
        all.insert(at, without(&one));
        all.insert(at, without(&other));
    }
    all
}

/// Of the first condition that puts links in on both branches, what each of the two puts in.
fn parting(program: &Program, adds: &[&Add<'_>]) -> Option<(Vec<NodeId>, Vec<NodeId>)> {
    adds.iter().find_map(|add| {
        let member = add.at.member;
        let (body, scope) = (program.body(member)?, program.scope(member));
        scope.ancestors(add.at.node).find_map(|n| {
            let Node::If { then, other: Some(other), .. } = body.node(n) else { return None };
            let of = |branch: NodeId| {
                let within = adds.iter().filter(|a| a.at.member == member && scope.is_within(a.at.node, branch));
                within.map(|a| a.at.node).collect::<Vec<_>>()
            };
            let (one, two) = (of(then), of(other));
            (!one.is_empty() && !two.is_empty()).then_some((one, two))
        })
    })
}

/// Makes a chain of what was put into a pipeline, where that is one: one of its links at least goes on to the next.
fn build(flow: &Flow<'_>, member: MemberId, subject: Option<&Subject>, adds: &[&Add<'_>], found: &mut (Vec<Pipeline>, Vec<Built>)) {
    let Some(first) = adds.iter().find(|a| !a.idiom.along) else { return };
    let pipeline = Pipeline { idiom: first.idiom.clone(), member };
    let links: Vec<Link> = adds.iter().flat_map(|a| a.links.iter().cloned()).collect();
    let goes_on = |l: &Link| pipeline.code(flow, l).and_then(|code| pipeline.way(flow, code)).is_some_and(|way| !way.goes.is_empty());
    if links.len() < 2 || !links.iter().any(goes_on) {
        return;
    }
    let holder = match subject {
        Some(Subject::Known(Val::Static(m))) => Some(*m),
        Some(Subject::Known(Val::Member(of, m))) if matches!(**of, Val::This(_)) => Some(*m),
        _ => None,
    };
    let (pipelines, built) = found;
    let set = adds.iter().map(|a| a.at).collect();
    built.push(Built { of: Of::Pipeline(pipelines.len()), links, set, ring: None, holder, goes_on: false });
    pipelines.push(pipeline);
}
