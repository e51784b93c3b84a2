//! Pipelines that a library walks: `app.use(log); app.use(serve)`.
//!
//! The packs say which methods put links into them; what a link does is read from its code, as that of any link that is
//! handed the way on. The order is that of the calls along one function and the functions that it hands the pipeline to.

use std::collections::{BTreeMap, BTreeSet};

use yarrowgraph_ir::pack::{LinksGiven, Pipeline as Idiom};
use yarrowgraph_ir::{Body, FunctionId, List, MemberKind, Name, Node, NodeId};

use super::behaviour::{Code, WayOn, call_of};
use super::{Built, Link, Of};
use crate::flow::{Flow, Val, returned};
use crate::program::{Declared, MemberId, Program, Scope, Site, Ty, TypeId};
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
    for key in groups.keys().filter(|key| !is_handed(flow, &groups, key)) {
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
    members.into_iter().filter(|m| !program.is_test(program.member(*m).unit)).collect()
}

/// The entry of a pack that a method puts links in by.
fn idiom_of(program: &Program, member: MemberId, name: Name) -> Option<&Idiom> {
    let text = program.text(program.sym_in(member, name));
    let pipelines = &program.kit_of(member).pack.pipelines;
    pipelines.iter().find(|p| p.adds.contains(text) || p.adds.iter().any(|a| yarrowgraph_ir::pack::matches(a, text).is_some()))
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
    let (member, function) = match flow.callee(*call) {
        Some(callee) => (callee.member, None),
        None => {
            let Node::Call { callee, .. } = program.body(call.member)?.node(call.node) else { return None };
            match flow.function_of(&flow.eval_in(call.member, callee))? {
                Val::Lambda(m, f) => (m, Some(f)),
                Val::Method(m, _) => (m, None),
                _ => return None,
            }
        }
    };
    // a variable that holds the maker
    let (member, function) = match (program.member(member).kind, function) {
        (MemberKind::Field, None) => match flow.function_of(&flow.eval(flow.only_definition(member)?))? {
            Val::Lambda(m, f) => (m, Some(f)),
            Val::Method(m, _) => (m, None),
            _ => return None,
        },
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
    let callers = flow.callers((of, None)).iter().filter(|(site, _)| !flow.program.is_test(flow.program.member(site.member).unit));
    callers
        .filter_map(|(site, binding)| {
            let given = binding.args.get(usize::from(index))?.clone()?;
            (given != Val::Unknown && site.member != of).then_some((*site, (site.member, Subject::Known(given))))
        })
        .collect()
}

/// Whether another member hands over what this one puts links into, so that its links are of that one's pipeline.
fn is_handed(flow: &Flow<'_>, groups: &BTreeMap<Key, Vec<Add<'_>>>, key: &Key) -> bool {
    handed_by(flow, key).iter().any(|(_, outer)| groups.contains_key(outer))
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
    built.push(Built { of: Of::Pipeline(pipelines.len()), links, set, ring: None, holder });
    pipelines.push(pipeline);
}

impl Pipeline {
    /// The code by which a link is asked.
    pub fn code<'a>(&self, flow: &Flow<'a>, link: &Link) -> Option<Code<'a>> {
        let program = flow.program;
        let (member, function) = match (&link.function, link.class) {
            (Some(Val::Lambda(m, f)), _) => (*m, Some(innermost(program.body(*m)?, *f))),
            (Some(Val::Method(m, _)), _) => {
                let body = program.body(*m)?;
                (*m, given_back(body, body.root?).map(|f| innermost(body, f)))
            }
            (None, Some(class)) => (self.asked(program, class)?, None),
            _ => return None,
        };
        let body = program.body(member)?;
        let root = function.map_or(body.root, |f| body.function(f).body)?;
        Some(Code { member, function, body, root })
    }

    /// The method by which a link of a class is asked.
    pub fn asked(&self, program: &Program, class: TypeId) -> Option<MemberId> {
        let named = |name: &String| program.find_member_as(class, program.symbols.get(name)?, true);
        self.idiom.asks.iter().find_map(named)
    }

    /// What a link says which requests it is asked for, with the method that it was put in by where that says more.
    pub fn asked_for(&self, program: &Program, only: Site) -> String {
        let path = written::expression(program, only);
        let verb = || {
            let body = program.body(only.member)?;
            let Node::Call { callee, .. } = body.node(program.scope(only.member).parent(only.node)?) else { return None };
            let Node::Member { name, .. } = body.node(callee) else { return None };
            Some(program.text(program.sym_in(only.member, name))).filter(|verb| !self.idiom.adds.contains(verb))
        };
        verb().map_or_else(|| path.clone(), |verb| format!("{verb} {path}"))
    }

    /// The name of that method, where the links are objects.
    pub fn entry(&self, program: &Program, links: &[Link]) -> String {
        let asked = links.iter().find_map(|l| self.asked(program, l.class?));
        asked.map(|m| program.text(program.member(m).name).to_owned()).unwrap_or_default()
    }

    /// What a link does with the way on to the next one: what it is handed last, what the function around it was handed,
    /// or what its object was made with.
    pub fn way(&self, flow: &Flow<'_>, code: Code<'_>) -> Option<WayOn> {
        let program = flow.program;
        let scope = program.scope(code.member);
        let pack = &program.kit_of(code.member).pack;
        let own: &[yarrowgraph_ir::Param] = match code.function {
            Some(f) => &code.body.function(f).params,
            None => &program.decl(code.member).params,
        };
        // a link that is made by a function which is handed the way on is handed the request alone
        let names: Vec<Name> = match code.function.and_then(|f| around_curried(code.body, scope, f)) {
            Some(around) => code.body.function(around).params.first().map(|p| p.name).into_iter().collect(),
            None if self.is_object(code) => own.iter().map(|p| p.name).collect(),
            None => own.last().map(|p| p.name).into_iter().collect(),
        };
        let is_way = |n: NodeId| match code.body.node(n) {
            Node::Name(name) => names.contains(&name) && matches!(scope.lookup(name, n), Some(Declared::Param(..))),
            _ => false,
        };
        let of_object = |n: NodeId| {
            let member = scope.parent(n)?;
            let Node::Member { object, name, .. } = code.body.node(member) else { return None };
            (object == n && self.goes_by(program, code, text(program, code, name))).then(|| call_of(code.body, scope, member))?
        };
        let mut uses: Vec<NodeId> = code.body.ids().filter(|n| scope.is_within(*n, code.root) && is_way(*n)).collect();
        let mut goes: Vec<NodeId> = uses.iter().filter_map(|n| call_of(code.body, scope, *n).or_else(|| of_object(*n))).collect();
        let is_named = |n: &NodeId| matches!(code.body.node(*n), Node::Name(name) if pack.ways_on.contains(text(program, code, name)));
        if goes.is_empty() {
            // what hands the way to somebody else names it
            uses.retain(is_named);
            let elsewhere = || self.way_held(flow, code).or_else(|| self.way_of_base(flow, code));
            return if uses.is_empty() { elsewhere() } else { Some(WayOn { uses, goes }) };
        }
        let went: Vec<NodeId> =
            uses.iter().copied().filter(|n| call_of(code.body, scope, *n).or_else(|| of_object(*n)).is_some()).collect();
        let gone_by = |n: &NodeId| went.iter().any(|w| code.body.node(*w) == code.body.node(*n));
        if self.is_object(code) {
            // of the others that it is handed nothing is asked
            uses.retain(|n| went.contains(n) || is_named(n) && gone_by(n));
        }
        goes.sort_unstable();
        Some(WayOn { uses, goes })
    }

    /// Whether a method of what a link is handed goes on: one that the pack says, or the one that it was asked by itself.
    fn goes_by(&self, program: &Program, code: Code<'_>, method: &str) -> bool {
        let own = self.is_object(code) && program.text(program.member(code.member).name) == method;
        own || self.idiom.goes.iter().any(|g| yarrowgraph_ir::pack::matches(g, method).is_some())
    }

    /// Whether the code is that of a link which is an object.
    fn is_object(&self, code: Code<'_>) -> bool {
        code.function.is_none() && !self.idiom.goes.is_empty()
    }

    /// Where a link goes on by what a field of its holds: a function that its constructor was handed.
    fn way_held(&self, flow: &Flow<'_>, code: Code<'_>) -> Option<WayOn> {
        let program = flow.program;
        let scope = program.scope(code.member);
        let unit = program.member(code.member).unit;
        let is_way = |n: NodeId| match flow.eval_in(code.member, n) {
            Val::Member(of, field) if matches!(*of, Val::This(_)) => {
                let ty = flow.type_held(field);
                let is_next = matches!(flow.as_given(&Val::Member(of, field)), Val::Param(..)) && ty.own().is_none();
                is_next
                    && (program.is_callable(unit, &ty)
                        || program.type_name(&ty).is_some_and(|t| program.kit(unit).pack.ways_on.contains(t)))
            }
            _ => false,
        };
        let names = |n: &NodeId| matches!(code.body.node(*n), Node::Name(_) | Node::Member { .. }) && scope.is_within(*n, code.root);
        let uses: Vec<NodeId> = code.body.ids().filter(names).filter(|n| is_way(*n)).collect();
        let invoked = |n: NodeId| {
            let member = scope.parent(n)?;
            let Node::Member { object, name, .. } = code.body.node(member) else { return None };
            let goes = object == n && program.kit(unit).pack.invokers.contains(text(program, code, name));
            goes.then(|| call_of(code.body, scope, member))?
        };
        let goes: Vec<NodeId> = uses.iter().filter_map(|n| call_of(code.body, scope, *n).or_else(|| invoked(*n))).collect();
        (!goes.is_empty()).then_some(WayOn { uses, goes })
    }

    /// Where a link goes on by the method of the library's base that it overrides.
    fn way_of_base(&self, flow: &Flow<'_>, code: Code<'_>) -> Option<WayOn> {
        let program = flow.program;
        let own = program.text(program.member(code.member).name);
        if code.function.is_some() || !self.idiom.asks.contains(own) {
            return None;
        }
        let up = |n: &NodeId| {
            let Node::Call { callee, .. } = code.body.node(*n) else { return false };
            let Node::Member { object, name, .. } = code.body.node(callee) else { return false };
            matches!(code.body.node(object), Node::Super) && text(program, code, name) == own
        };
        let goes: Vec<NodeId> = code.body.ids().filter(up).collect();
        (!goes.is_empty()).then(|| WayOn { uses: goes.clone(), goes })
    }
}

fn text<'p>(program: &'p Program, code: Code<'_>, name: Name) -> &'p str {
    program.text(program.sym_in(code.member, name))
}

/// The function within a function that gives back a function, and so on: `store => next => action => …`.
fn innermost(body: &Body, function: FunctionId) -> FunctionId {
    let mut function = function;
    while let Some(inner) = body.function(function).body.and_then(|root| given_back(body, root)) {
        function = inner;
    }
    function
}

/// The function that is all that some code gives back.
fn given_back(body: &Body, root: NodeId) -> Option<FunctionId> {
    match body.node(super::only_thing(body, root)) {
        Node::Lambda(inner) => Some(inner),
        _ => None,
    }
}

/// The function that gives back this one, where that is given back itself.
fn around_curried(body: &Body, scope: &Scope, function: FunctionId) -> Option<FunctionId> {
    let around = scope.function_around(body, scope.function_node(function)?)?;
    let outer = match scope.function_around(body, scope.function_node(around)?) {
        Some(outer) => body.function(outer).body?,
        None => body.root?,
    };
    let gives = |root: Option<NodeId>, f: FunctionId| root.and_then(|r| given_back(body, r)) == Some(f);
    (gives(body.function(around).body, function) && gives(Some(outer), around)).then_some(around)
}
