//! Rule `mismatched-handler`: a handler, or an object that is handed over, does not fit what is called on it.

#[cfg(test)]
mod tests;

use std::collections::{BTreeMap, BTreeSet};

use yarrowgraph_ir::{BinaryOp, Node, NodeId, ParamMode};
use yarrowgraph_model::{Certainty, Level, Place};

use super::{Draft, Page, Rule, related, short};
use crate::flow::Val;
use crate::program::{MemberId, Site, Sym, Ty, TypeId};
use crate::state::{self, How};
use crate::wire::Wiring;
use crate::wire::channels::{Channel, ChannelKey, Topic};
use crate::wire::effect::{Act, Effect, Event};
use crate::wire::selections::Element;

pub(super) const RULE: Rule = Rule {
    name: "mismatched-handler",
    summary: "a handler takes what the raise does not pass, or an object lacks the method that is called on it",
    level: Level::Warning,
    page: Page {
        symptom: "A handler works with undefined values, or the call fails when it comes to run.",
        cause: "The handler has more parameters than the raise has arguments, or the object has no method of that name.",
        cure: "Pass what is missing, give the parameter a default, or write the method.",
        silent: "A compiler rejects it, the parameter is optional or never used, or some raise passes it.",
        accept: "The parameter is filled by somebody outside of the tree.",
    },
    check,
};

fn check(wiring: &Wiring<'_>) -> Vec<Draft> {
    let mut drafts: Vec<Draft> = wiring.channels.iter().flat_map(|c| by_arity(wiring, c)).collect();
    drafts.extend(wiring.channels.iter().flat_map(|c| &c.joins).filter_map(|j| by_name(wiring, &wiring.effects[*j])));
    drafts.extend(substitutes(wiring));
    drafts.extend(wiring.channels.iter().flat_map(|c| without_message(wiring, c)));
    drafts
}

/// Objects that are told by a method which their class does not have, where no compiler asks for it.
fn without_message(wiring: &Wiring<'_>, channel: &Channel) -> Vec<Draft> {
    let program = wiring.program();
    let ChannelKey::Own(holder, _) = channel.key else { return Vec::new() };
    if !program.kit_of(holder).traits.duck_typed {
        return Vec::new();
    }
    let raises = channel.raises.iter().map(|r| &wiring.effects[*r]).filter(|e| !wiring.in_test(e.site.member) && tells_unasked(wiring, e));
    // heirs may each have their own kind of what their base holds
    let owner = program.member(holder).owner;
    let of = |e: &Effect| wiring.flow.type_of(&e.holder.subject).own();
    let has_heirs = !program.ty(owner).heirs.is_empty();
    let is_for = |teller: Option<TypeId>, join: &Effect| {
        !has_heirs || teller == Some(owner) || teller.zip(of(join)).is_some_and(|(teller, joined)| program.are_kin(teller, joined))
    };
    let messages: BTreeMap<(Sym, Option<TypeId>), Place> = raises.filter_map(|e| Some(((e.message?, of(e)), wiring.place(e)))).collect();
    let mut drafts = Vec::new();
    for effect in channel.joins.iter().map(|j| &wiring.effects[*j]).filter(|e| !wiring.in_test(e.site.member)) {
        let exact = matches!(effect.handler, Some(Val::New(_)));
        let Some(class) = effect.handler.as_ref().and_then(|h| wiring.flow.type_of(h).own()).filter(|_| exact) else { continue };
        if effect.adapter.is_some() || !program.outside_bases(class).is_empty() || program.ty(class).anonymous {
            continue;
        }
        let lacks = |message: Sym| program.find_member_as(class, message, true).is_none();
        let told = messages.iter().find(|((message, teller), _)| is_for(*teller, effect) && lacks(*message));
        let Some(((message, _), raised)) = told else { continue };
        // where the others lack it too, it is not what is told
        let others = channel.joins.iter().filter_map(|j| wiring.listening_class(*j)).filter(|t| *t != class);
        if !others.into_iter().any(|t| program.find_member_as(t, *message, true).is_some()) {
            continue;
        }
        let (who, what) = (short(&program.type_id(class)), short(&channel.id));
        drafts.push(Draft {
            level: Level::Warning,
            certainty: Certainty::Likely,
            place: wiring.place(effect),
            message: format!("`{who}` has no `{}`, which `{what}` calls on whoever is on it", program.text(*message)),
            related: vec![related("it is called here", raised.clone())],
            parties: vec![channel.id.clone(), program.type_id(class)],
            edit: None,
        });
    }
    drafts
}

/// Whether a raise calls its method without asking whether it is there.
fn tells_unasked(wiring: &Wiring<'_>, raise: &Effect) -> bool {
    let (program, site) = (wiring.program(), raise.innermost());
    let Some(body) = program.body(site.member) else { return false };
    let Node::Call { callee, optional: false, .. } = body.node(site.node) else { return false };
    let Node::Member { object, name, optional: false } = body.node(callee) else { return false };
    let told = wiring.flow.eval_in(site.member, object);
    let names_it = |n: NodeId| match body.node(n) {
        Node::Member { name: other, .. } | Node::Str(other) => other == name,
        // nor is another kind of object told
        Node::TypeTest { object, .. } => wiring.flow.eval_in(site.member, object) == told,
        _ => false,
    };
    !program.scope(site.member).ancestors(site.node).any(|around| match body.node(around) {
        Node::If { cond, .. } | Node::Conditional { cond, .. } => state::any_within(body, cond, &names_it),
        Node::Binary { left, .. } => state::any_within(body, left, &names_it),
        _ => false,
    })
}

/// Handlers with more parameters than any raise passes.
fn by_arity(wiring: &Wiring<'_>, channel: &Channel) -> Vec<Draft> {
    let program = wiring.program();
    let is_named = !matches!(&channel.key, ChannelKey::Own(_, Some(Topic::Any)) | ChannelKey::Bus(_, Topic::Any));
    let raises: Vec<&Effect> = channel.raises.iter().map(|r| &wiring.effects[*r]).collect();
    if !is_named
        || raises.is_empty()
        || wiring.is_mentioned(channel)
        || wiring.is_done_to_unknown(channel, Act::Raise)
        || raised_by_any_name(wiring, channel)
    {
        return Vec::new();
    }
    let passed: Option<Vec<usize>> = raises.iter().map(|e| passed(wiring, channel, e)).collect();
    let Some(most) = passed.and_then(|all| all.into_iter().max()) else { return Vec::new() };
    let mut drafts = Vec::new();
    for effect in channel.joins.iter().map(|j| &wiring.effects[*j]) {
        if wiring.in_test(effect.site.member) || !program.kit_of(effect.site.member).traits.duck_typed || effect.adapter.is_some() {
            continue;
        }
        let Some(taken) = effect.handler.as_ref().and_then(|h| taken(wiring, h)) else { continue };
        if taken > most {
            let handler = short(&crate::wire::handler_name(wiring, effect));
            let what = short(&channel.id);
            drafts.push(Draft {
                level: Level::Warning,
                certainty: Certainty::Likely,
                place: wiring.place(effect),
                message: format!("`{handler}` uses {taken} arguments, and `{what}` is raised with {most} at most"),
                related: raises.iter().take(3).map(|r| related("it is raised here", wiring.place(r))).collect(),
                parties: vec![channel.id.clone(), handler],
                edit: None,
            });
        }
    }
    drafts
}

/// Whether the same bus is raised by a computed topic, which may be this one.
fn raised_by_any_name(wiring: &Wiring<'_>, channel: &Channel) -> bool {
    let any = |c: &&Channel| matches!(&c.key, ChannelKey::Own(_, Some(Topic::Any)) | ChannelKey::Bus(_, Topic::Any));
    wiring.of_holder(channel).filter(any).any(|c| !c.raises.is_empty())
}

/// How many values a raise hands to handlers; none where that is open.
fn passed(wiring: &Wiring<'_>, channel: &Channel, raise: &Effect) -> Option<usize> {
    let program = wiring.program();
    let body = program.body(raise.site.member)?;
    let Node::Call { args, .. } = body.node(raise.site.node) else { return None };
    let args = body.list(args);
    let is_open = args.iter().any(|a| matches!(body.node(*a), Node::Unary { op: yarrowgraph_ir::UnaryOp::Spread, .. }));
    if is_open || !raise.inner.is_empty() || raise.message.is_some() {
        return None;
    }
    // so it may be on what nothing is known of
    let callee = match body.node(raise.site.node) {
        Node::Call { callee, .. } => body.node(callee),
        _ => return None,
    };
    let event_methods = &program.kit_of(raise.site.member).pack.selection_chained;
    let puts_event_first =
        |name| raise.certainty < Certainty::Certain && event_methods.contains(program.unit_of(raise.site.member).text(name));
    if matches!(callee, Node::Member { name, .. } if puts_event_first(name)) {
        return None;
    }
    // the event itself comes first, and what is behind it in a list
    if matches!(&channel.key, ChannelKey::Bus(bus, _) if Element::of(bus).is_some()) {
        return match args.get(1).map(|a| body.node(*a)) {
            None => Some(1),
            Some(Node::Collection { items, .. }) => Some(1 + items.len as usize),
            Some(_) => None,
        };
    }
    match raise.holder.event {
        // a message that says itself what it is about is handed over as it is
        Event::Bus if args.first().is_some_and(|a| matches!(wiring.flow.eval_in(raise.site.member, *a), Val::New(_) | Val::Literal(_))) => {
            Some(args.len())
        }
        Event::Bus | Event::Outside(_) => args.len().checked_sub(1),
        Event::Own(m) if is_made_for_sender(wiring, m) => None,
        _ => Some(args.len()),
    }
}

/// Whether what a field holds is made with the object itself, which a library's signal may then tell of first: `new Signal(this)`.
fn is_made_for_sender(wiring: &Wiring<'_>, m: MemberId) -> bool {
    wiring.flow.definitions(m).iter().any(|d| {
        let Some(body) = wiring.program().body(d.member) else { return false };
        let is_outside = matches!(wiring.flow.type_of_node(d.member, d.node), Ty::Outside(..));
        matches!(body.node(d.node), Node::New { args, .. } if is_outside && body.list(args).iter().any(|a| body.node(*a) == Node::This))
    })
}

/// How many arguments a function uses that nothing stands in for; none where it takes any number.
fn taken(wiring: &Wiring<'_>, handler: &Val) -> Option<usize> {
    let program = wiring.program();
    let (member, function) = match handler {
        Val::Lambda(m, f) => (*m, Some(*f)),
        Val::Method(m, _) => (*m, None),
        // `rise.bind(gauge, 'upper')` stands in for the first ones
        Val::Bound(of, site) => {
            let Node::Call { args, .. } = program.body(site.member)?.node(site.node) else { return None };
            return Some(taken(wiring, of)?.saturating_sub((args.len as usize).saturating_sub(1)));
        }
        // one that a field or variable holds for good
        Val::Member(..) | Val::Static(_) | Val::Local(_) => match wiring.flow.function_of(handler)? {
            Val::Lambda(m, f) => (m, Some(f)),
            Val::Method(m, _) => (m, None),
            _ => return None,
        },
        _ => return None,
    };
    let body = program.body(member)?;
    let params = match function {
        Some(f) => &body.function(f).params,
        None => &program.decl(member).params,
    };
    if params.iter().any(|p| p.mode == ParamMode::Rest) {
        return None;
    }
    // arithmetic on parameters is not kept, so that only its name can say that one is not used
    let is_used = |index: usize| !program.unit_of(member).text(params[index].name).starts_with('_');
    let needed = |index: &usize| {
        let p = &params[*index];
        p.default.is_none() && !p.optional && p.pattern.is_none() && is_used(*index) && !is_asked(wiring, member, function, *index)
    };
    let used = (0..params.len()).rev().find(needed).map_or(0, |index| index + 1);
    // what comes behind an error is there where none is: `done(new Error('shut'))`
    let is_error_first = params.first().is_some_and(|p| matches!(program.unit_of(member).text(p.name), "err" | "error"));
    Some(if is_error_first { used.min(1) } else { used })
}

/// Whether a function asks whether a parameter was given.
fn is_asked(wiring: &Wiring<'_>, member: MemberId, function: Option<yarrowgraph_ir::FunctionId>, index: usize) -> bool {
    let program = wiring.program();
    let Some(body) = program.body(member) else { return true };
    let scope = program.scope(member);
    body.ids().any(|n| {
        let Node::Name(name) = body.node(n) else { return false };
        if scope.lookup(name, n) != Some(crate::program::Declared::Param(function, index as u16)) {
            return false;
        }
        scope.parent(n).is_some_and(|p| match body.node(p) {
            Node::If { cond, .. } | Node::Conditional { cond, .. } => cond == n,
            Node::Binary { op, .. } => !matches!(
                op,
                BinaryOp::Arithmetic | BinaryOp::Sub | BinaryOp::Add | BinaryOp::Lt | BinaryOp::Le | BinaryOp::Gt | BinaryOp::Ge
            ),
            Node::Unary { op, .. } => matches!(op, yarrowgraph_ir::UnaryOp::Not | yarrowgraph_ir::UnaryOp::TypeOf),
            Node::Member { optional, .. } => optional,
            Node::Assign { op, target, .. } => op == yarrowgraph_ir::AssignOp::IfUnset || target == n,
            _ => false,
        })
    })
}

/// Handlers that are named by a text which nothing of the object's class answers to.
fn by_name(wiring: &Wiring<'_>, join: &Effect) -> Option<Draft> {
    let program = wiring.program();
    let pack = &*program.kit_of(join.site.member).pack;
    let Some(Val::Outside(object, name)) = &join.handler else { return None };
    // a compiler knows what `&Gauge::rise` is
    let body = program.body(join.site.member)?;
    let is_pointer = |n: NodeId| matches!(body.node(n), Node::MethodRef { object, .. } if matches!(body.node(object), Node::TypeExpr(_)));
    if let Node::Call { args, .. } = body.node(join.site.node)
        && body.list(args).iter().skip(2).any(|a| state::any_within(body, *a, &is_pointer))
    {
        return None;
    }
    // a method that says more of what it gives than can be seen of it: `Desk* desk() const { return (Desk*) part(); }`
    let gives = |arg: NodeId| {
        let called = wiring.flow.callee(Site { member: join.site.member, node: arg })?;
        program.declared_type(called.member).own().and_then(|t| program.find_member(t, *name))
    };
    if matches!(body.node(join.site.node), Node::Call { args, .. } if body.list(args).iter().any(|a| gives(*a).is_some())) {
        return None;
    }
    let class = wiring.flow.type_of(object).own()?;
    let mut knows_all = !program.ty(class).members.is_empty();
    program.for_each_base(class, &mut |t| {
        // a class of which only the name is known may have anything
        knows_all &= !program.ty(t).members.is_empty();
        true
    });
    let roots = program.outside_bases(class);
    // what a class hands on to its hidden half by a macro
    let hidden = format!("{}Private", program.text(program.ty(class).name));
    let is_hidden =
        program.symbols.get(&hidden).is_some_and(|n| program.types_named(n).iter().any(|t| program.find_member(*t, *name).is_some()));
    knows_all &= !roots.is_empty() && !is_hidden && roots.iter().all(|base| pack.plain_bases.contains(program.text(*base)));
    // a form is of a class that shows something, whatever other one has its name
    let is_of_form =
        || program.unit_of(join.site.member).path.ends_with(".ui") && roots.iter().all(|base| program.text(*base) == "QObject");
    if !knows_all
        || is_of_form()
        || wiring.in_test(join.site.member)
        || pack.connects.is_empty()
        || wiring.is_unread(*name)
        || program.text(*name) == "deleteLater"
    {
        return None;
    }
    let handler = format!("{}.{}", short(&program.type_id(class)), program.text(*name));
    Some(Draft {
        level: Level::Warning,
        certainty: Certainty::Likely,
        place: wiring.place(join),
        message: format!("there is no `{handler}`, and the name is looked up only when the program runs"),
        related: program.type_place(class).map(|p| related("its class", p)).into_iter().collect(),
        parties: vec![handler],
        edit: None,
    })
}

/// Objects that are handed over, past the compiler, to a class that calls methods on them which they do not have.
fn substitutes(wiring: &Wiring<'_>) -> Vec<Draft> {
    let program = wiring.program();
    let mut drafts = Vec::new();
    for field in wiring.written_fields() {
        let class = program.member(field).owner;
        for write in wiring.writes(field).iter().filter(|w| w.initial && matches!(w.object, Val::This(_))) {
            let How::Set(value) = write.how else { continue };
            let constructor = write.site.member;
            let Val::Param(owner, None, index) = wiring.flow.eval_in(constructor, value) else { continue };
            if owner != constructor || wiring.in_test(constructor) || is_stored_if_asked(wiring, write.site) {
                continue;
            }
            let given: Vec<(Site, NodeId)> = wiring
                .flow
                .callers((constructor, None))
                .iter()
                .filter(|(site, _)| !wiring.in_test(site.member))
                .filter_map(|(site, _)| Some((*site, wiring.flow.argument(*site, index as usize)?.node)))
                .flat_map(|(site, arg)| branches(wiring, site.member, arg).into_iter().map(move |node| (site, node)))
                .collect();
            if !given.iter().any(|(site, arg)| is_unchecked(wiring, site.member, *arg, constructor, index as usize)) {
                continue;
            }
            let called = called_on(wiring, class, field);
            drafts.extend(judge_given(wiring, class, constructor, index as usize, &given, &called));
        }
    }
    drafts
}

/// What an expression may come to: each side of a choice.
fn branches(wiring: &Wiring<'_>, member: MemberId, node: NodeId) -> Vec<NodeId> {
    let sides = match wiring.program().body(member).map(|b| b.node(node)) {
        Some(Node::Conditional { then, other, .. }) => [then, other],
        Some(Node::Binary { op: BinaryOp::Coalesce | BinaryOp::Or, left, right }) => [left, right],
        _ => return vec![node],
    };
    sides.into_iter().flat_map(|side| branches(wiring, member, side)).collect()
}

fn judge_given(
    wiring: &Wiring<'_>,
    class: TypeId,
    constructor: MemberId,
    index: usize,
    given: &[(Site, NodeId)],
    called: &BTreeMap<Sym, Site>,
) -> Vec<Draft> {
    let program = wiring.program();
    let methods: Vec<Option<BTreeSet<Sym>>> = given.iter().map(|(site, arg)| methods_of(wiring, site.member, *arg, called)).collect();
    let mut drafts = Vec::new();
    for ((site, arg), has) in given.iter().zip(&methods) {
        let Some(has) = has else { continue };
        if is_data(wiring, *site, *arg) || !is_unchecked(wiring, site.member, *arg, constructor, index) {
            continue;
        }
        for (name, call) in called {
            // others show that it is meant to be there
            let expected = methods.iter().flatten().any(|others| others.contains(name));
            if !has.contains(name) && expected {
                let owner = short(&program.type_id(class));
                let method = program.text(*name);
                drafts.push(Draft {
                    level: Level::Warning,
                    certainty: Certainty::Likely,
                    place: program.place_of(*site),
                    message: format!("`{owner}` calls `{method}` on what it is given here, which has no such method"),
                    related: vec![related("it is called here", program.place_of(*call))],
                    parties: vec![program.type_id(class), method.to_owned(), program.member_id(site.member)],
                    edit: None,
                });
                break;
            }
        }
    }
    drafts
}

/// Whether an argument is an object that is written out and has no function: data stands in for nobody.
fn is_data(wiring: &Wiring<'_>, call: Site, arg: NodeId) -> bool {
    let Some(body) = wiring.program().body(call.member) else { return false };
    let Node::Object(parts) = body.node(body.uncast(arg)) else { return false };
    let is_plain = |part: &NodeId| match body.node(*part) {
        Node::Entry { value, .. } => !wiring.flow.eval_in(call.member, value).is_function(),
        _ => false,
    };
    parts.len > 0 && body.list(parts).iter().all(is_plain)
}

/// Whether a test chooses what is stored: `if (parent instanceof Desk) this.desk = parent; else this.desk = parent.desk;`
fn is_stored_if_asked(wiring: &Wiring<'_>, write: Site) -> bool {
    let program = wiring.program();
    let Some(body) = program.body(write.member) else { return false };
    program.scope(write.member).ancestors(write.node).any(|n| matches!(body.node(n), Node::If { .. } | Node::Case { .. }))
}

/// Whether no compiler compares an argument with its parameter: the language does not, it is cast, or the parameter is dynamic.
fn is_unchecked(wiring: &Wiring<'_>, member: MemberId, arg: NodeId, constructor: MemberId, index: usize) -> bool {
    let program = wiring.program();
    let Some(body) = program.body(member) else { return false };
    let written = program.decl(constructor).params.get(index).and_then(|p| p.ty).map(|t| program.type_in(constructor, t));
    let is_dynamic =
        written.as_ref().and_then(|t| program.type_name(t)).is_some_and(|n| matches!(n, "dynamic" | "any" | "object" | "Object"));
    let traits = program.kit_of(member).traits;
    // elsewhere a cast is held against the class, by the compiler or where it runs
    traits.duck_typed || traits.fits_by_shape && matches!(body.node(arg), Node::Cast { .. }) || is_dynamic
}

/// The methods that an argument has; none where that is not all known.
fn methods_of(wiring: &Wiring<'_>, member: MemberId, arg: NodeId, called: &BTreeMap<Sym, Site>) -> Option<BTreeSet<Sym>> {
    let program = wiring.program();
    let body = program.body(member)?;
    let node = body.uncast(arg);
    let literal = match body.node(node) {
        Node::Object(_) => Some(Site { member, node }),
        // whoever calls a method of a literal says what it runs on: `source.change.call(player, input)`
        Node::This if program.kit_of(member).traits.duck_typed && is_in_literal(wiring, member, node) => return None,
        _ => match wiring.flow.eval_in(member, node) {
            Val::Literal(site) => Some(site),
            Val::Static(m) | Val::Member(_, m) => {
                wiring.flow.only_definition(m).filter(|d| program.body(d.member).is_some_and(|b| matches!(b.node(d.node), Node::Object(_))))
            }
            _ => None,
        },
    };
    if let Some(site) = literal {
        return entries(wiring, site);
    }
    let mut class = match wiring.flow.type_of_node(member, node) {
        Ty::Own(t, _) | Ty::Static(t) if !program.ty(t).is_module => t,
        _ => return None,
    };
    // what is known of it by its base is what it is taken as
    if let Some(taken_as) = wiring.flow.type_of_node(member, arg).own().filter(|t| program.is_a(*t, class)) {
        class = taken_as;
    }
    if !program.outside_bases(class).is_empty() {
        return None;
    }
    // what is not made on the spot may be one of an heir
    let is_made = matches!(wiring.flow.eval_in(member, node), Val::New(_));
    let kinds = if is_made { vec![class] } else { program.heirs(class) };
    Some(called.keys().copied().filter(|name| kinds.iter().any(|kind| program.find_member(*kind, *name).is_some())).collect())
}

/// Whether code stands in a method of an object that is written out.
fn is_in_literal(wiring: &Wiring<'_>, member: MemberId, node: NodeId) -> bool {
    let program = wiring.program();
    let of_type = program.ty(program.member(member).owner);
    of_type.anonymous || of_type.is_module || matches!(wiring.flow.eval_in(member, node), Val::Literal(_))
}

/// The keys of a literal; of what is spread into it only where that is a literal too.
fn entries(wiring: &Wiring<'_>, site: Site) -> Option<BTreeSet<Sym>> {
    let program = wiring.program();
    let body = program.body(site.member)?;
    let Node::Object(list) = body.node(site.node) else { return None };
    let mut names = BTreeSet::new();
    for entry in body.list(list) {
        match body.node(*entry) {
            Node::Entry { key, .. } => match body.node(key) {
                Node::Str(name) => _ = names.insert(program.sym_in(site.member, name)),
                _ => return None,
            },
            Node::Unary { op: yarrowgraph_ir::UnaryOp::Spread, .. } => return None,
            _ => {}
        }
    }
    Some(names)
}

/// The methods that a class calls on what a field holds, without asking whether they are there.
fn called_on(wiring: &Wiring<'_>, class: TypeId, field: MemberId) -> BTreeMap<Sym, Site> {
    let program = wiring.program();
    let mut called = BTreeMap::new();
    for member in &program.ty(class).members {
        let Some(body) = program.body(*member) else { continue };
        let scope = program.scope(*member);
        for node in body.ids() {
            let Node::Call { callee, optional: false, .. } = body.node(node) else { continue };
            let Node::Member { object, name, optional: false } = body.node(callee) else { continue };
            let is_it = matches!(wiring.flow.eval_in(*member, object), Val::Member(of, m) if m == field && matches!(*of, Val::This(_)));
            let guarded =
                scope.ancestors(node).any(|n| matches!(body.node(n), Node::If { .. } | Node::Conditional { .. } | Node::Try { .. }));
            let is_of_all = program.kit_of(*member).pack.object_methods.contains(program.unit_of(*member).text(name));
            if is_it && !guarded && !is_of_all {
                called.entry(program.sym_in(*member, name)).or_insert(Site { member: *member, node });
            }
        }
    }
    called
}
