//! Rule `unknown-code`: a caller asks for a code that there is no entry for.

use std::collections::BTreeSet;

use yarrowgraph_ir::{BinaryOp, Node, NodeId};
use yarrowgraph_model::{Certainty, Level, Place, Related};

use super::{Draft, Page, Rule, related, short};
use crate::codes::{Missing, Table, code_at, look_ups};
use crate::flow::{Flow, Val};
use crate::machine::State;
use crate::program::{MemberId, Program, Site, Sym};
use crate::state;
use crate::wire::Wiring;
use crate::wire::channels::{Channel, ChannelKey, Topic};
use crate::wire::effect::{Act, Effect};

pub(super) const RULE: Rule = Rule {
    name: "unknown-code",
    summary: "a caller asks for a code that there is no entry for",
    level: Level::Error,
    page: Page {
        symptom: "Nothing comes of the call, or it is refused.",
        cause: "The code was misspelt, or its entry was taken away.",
        cure: "Ask for a code that there is.",
        silent: "The code comes from outside, or a default serves whatever has no entry.",
        accept: "The refusal is what is wanted, as in a test.",
    },
    check,
};

fn check(wiring: &Wiring<'_>) -> Vec<Draft> {
    let program = wiring.program();
    let mut found = Vec::new();
    for table in wiring.codes() {
        for (site, code) in unknown(wiring, table) {
            let id = program.member_id(table.member());
            let name = code.name(program);
            let names = table.entries.iter().map(|e| e.code.name(program));
            let entries = vec![related("the entries", table_place(wiring, table))];
            found.push(draft(program.place_of(site), id, name, names, entries));
        }
    }
    found.extend(wiring.channels.iter().filter_map(|c| unregistered(wiring, c)));
    found.extend(wiring.channels.iter().flat_map(|c| nobody_by_name(wiring, c)));
    found
}

/// Deliveries to one who is told by a name, where all who are there have names and this is none of them.
fn nobody_by_name(wiring: &Wiring<'_>, channel: &Channel) -> Vec<Draft> {
    let program = wiring.program();
    let ChannelKey::Own(m, None) = channel.key else { return Vec::new() };
    let name = |e: &Effect| Some(program.text(e.key_text(&wiring.flow)?).to_owned());
    let joins = || channel.joins.iter().map(|j| &wiring.effects[*j]);
    let Some(names) = joins().map(name).collect::<Option<BTreeSet<String>>>().filter(|n| !n.is_empty()) else { return Vec::new() };
    if wiring.is_open || wiring.may_be_named(m, Act::Join) || wiring.is_mentioned_unread(m) {
        return Vec::new();
    }
    let raises = channel.raises.iter().map(|r| &wiring.effects[*r]).filter(|e| !wiring.in_test(e.site.member));
    let unknown = raises.filter_map(|e| Some((e, name(e).filter(|n| !names.contains(n))?)));
    let id = program.member_id(m);
    let places: Vec<Related> = joins().take(3).map(|e| related("an entry", wiring.place(e))).collect();
    unknown.map(|(e, code)| draft(wiring.place(e), id.clone(), code, names.iter().cloned(), places.clone())).collect()
}

fn draft(place: Place, id: String, code: String, names: impl Iterator<Item = String>, entries: Vec<Related>) -> Draft {
    let distance = |name: &String| strsim::osa_distance(name, &code);
    let near = names.min_by_key(distance).filter(|name| distance(name) <= 2);
    let meant = near.map(|name| format!("; it has `{name}`")).unwrap_or_default();
    Draft {
        level: Level::Error,
        certainty: Certainty::Likely,
        place,
        message: format!("{} has no entry for `{code}`{meant}", short(&id)),
        related: entries,
        parties: vec![id, code],
        edit: None,
    }
}

/// A code that an invoker is asked for, to which handlers are registered one for each code, and this one has none.
fn unregistered(wiring: &Wiring<'_>, channel: &Channel) -> Option<Draft> {
    let program = wiring.program();
    let ChannelKey::Own(m, Some(Topic::Named(code))) = &channel.key else { return None };
    if wiring.is_open || !asks_for_one(wiring, channel) || wiring.is_done_to_unknown(channel, Act::Join) {
        return None;
    }
    // under each code a list of values
    if program.element_type(program.member(*m).unit, &wiring.flow.element_held(*m)).is_some() {
        return None;
    }
    let raises = channel.raises.iter().map(|r| &wiring.effects[*r]).filter(|e| !wiring.in_test(e.site.member));
    let place = raises.map(|e| wiring.place(e)).min()?;
    let id = program.member_id(*m);
    let entered = || entries(wiring, *m).filter_map(|c| Some((c, *c.joins.first()?)));
    let mut places: Vec<Place> = entered().map(|(_, join)| wiring.place(&wiring.effects[join])).collect();
    places.sort();
    let topic = |c: &Channel| if let ChannelKey::Own(_, Some(Topic::Named(n))) = &c.key { Some(n.to_string()) } else { None };
    let names = entered().filter_map(|(c, _)| topic(c));
    Some(draft(place, id, code.to_string(), names, places.into_iter().take(3).map(|p| related("an entry", p)).collect()))
}

/// What a holder keeps under its keys.
fn entries<'w>(wiring: &'w Wiring<'_>, holder: MemberId) -> impl Iterator<Item = &'w Channel> {
    wiring.channels.iter().filter(move |c| matches!(c.key, ChannelKey::Own(m, Some(_)) if m == holder))
}

/// Whether a topic that nobody is on is asked for as a code is: its holder keeps one handler under each key, all the keys
/// are known, and it refuses others or fails at them.
pub(super) fn asks_for_one(wiring: &Wiring<'_>, channel: &Channel) -> bool {
    let ChannelKey::Own(m, Some(Topic::Named(_))) = channel.key else { return false };
    channel.joins.is_empty() && keeps_one_each(wiring, m) && {
        let found = look_ups::of(wiring, m);
        !found.is_empty() && found.iter().all(|l| matches!(l.missing, Missing::Refuses | Missing::Unchecked))
    }
}

/// Whether a holder keeps one handler under each key, and all the keys are known.
pub(super) fn keeps_one_each(wiring: &Wiring<'_>, holder: MemberId) -> bool {
    let joins = || entries(wiring, holder).flat_map(|c| &c.joins).map(|j| &wiring.effects[*j]);
    entries(wiring, holder).all(|c| matches!(c.key, ChannelKey::Own(_, Some(Topic::Named(_)))))
        && joins().next().is_some()
        && joins().all(|e| e.replaces)
}

/// Where a table is declared: the choice, or what holds it.
pub(super) fn table_place(wiring: &Wiring<'_>, table: &Table) -> Place {
    let program = wiring.program();
    match table.holder {
        Some(m) => program.member_place(m),
        None => program.place_of(table.local.unwrap_or(table.site)),
    }
}

/// A method, its parameter that says what is asked for, and the part of that which is the code.
type Asked = (MemberId, u16, Option<Sym>);

/// The parameter of which an expression is a part: `order.kind`.
fn part_of_parameter(flow: &Flow<'_>, key: Site) -> Option<Asked> {
    let (of, part) = match flow.eval(key) {
        Val::Outside(of, name) => (of, name),
        Val::Member(of, m) => (of, flow.program.member(m).name),
        _ => return None,
    };
    match *of {
        Val::Param(m, None, index) if m == key.member => Some((m, index, Some(part))),
        _ => None,
    }
}

/// Whether a call asks one method, and none of several that do the same each in its own way.
fn asks_this(flow: &Flow<'_>, call: Site, method: MemberId) -> bool {
    flow.callee(call).is_none_or(|named| named.member == method || flow.overrides(named.member) < 2)
}

/// Whether a map is handed as a whole to a function that is not of the tree, which may put more into it: `boot(MODULE)`.
fn is_handed_out(wiring: &Wiring<'_>, map: MemberId) -> bool {
    let (flow, program) = (&wiring.flow, wiring.program());
    program.index.reads(program.member(map).name).iter().any(|read| {
        let Some(call) = program.call_given(*read) else { return false };
        let is_by_name = program
            .body(call.member)
            .is_some_and(|body| matches!(body.node(call.node), Node::Call { callee, .. } if matches!(body.node(callee), Node::Name(_))));
        is_by_name && matches!(flow.eval(*read), Val::Member(_, m) | Val::Static(m) if m == map) && flow.callee(call).is_none()
    })
}

/// The constants that callers ask a table for and that it has no entry for.
pub(super) fn unknown(wiring: &Wiring<'_>, table: &Table) -> Vec<(Site, State)> {
    let (flow, program) = (&wiring.flow, wiring.program());
    if table.missing == Missing::Serves || table.holder.is_some_and(|map| is_handed_out(wiring, map)) {
        return Vec::new();
    }
    let mut asked: Vec<Site> = table.look_ups.iter().filter(|l| l.missing != Missing::Serves).map(|l| l.key).collect();
    let parameters = table.asked_by.into_iter().chain(table.look_ups.iter().filter_map(|l| l.asked_by));
    let mut by: BTreeSet<Asked> = parameters.map(|(m, index)| (m, index, None)).collect();
    by.extend(table.look_ups.iter().map(|l| l.key).chain(table.subject).filter_map(|key| part_of_parameter(flow, key)));
    let mut classes: Vec<(Site, State)> = Vec::new();
    for _ in 0..3 {
        let mut more = BTreeSet::new();
        for (m, index, part) in &by {
            for call in flow.call_sites(*m).iter().filter(|call| asks_this(flow, **call, *m)) {
                let Some(given) = flow.argument(*call, usize::from(*index)) else { continue };
                let value = flow.eval(given);
                match (part, &value) {
                    (None, _) => asked.push(given),
                    // `handlers.get(command.getClass())`, handed a new object
                    (Some(part), Val::New(_)) if gives_class(program, given.member, *part) => {
                        classes.extend(flow.type_of(&value).own().map(|class| (given, State::Class(class))));
                    }
                    (Some(part), Val::Literal(object)) => asked.extend(flow.entry_of_literal(*object, *part)),
                    _ => {}
                }
                if let Val::Param(m, None, index) = value
                    && m == given.member
                    && !is_told_apart_before(wiring, *call, given)
                {
                    more.insert((m, index, *part));
                }
            }
        }
        if more.is_subset(&by) {
            break;
        }
        by.extend(more);
    }
    let mut found: Vec<(Site, State)> = asked
        .into_iter()
        .filter(|site| !wiring.in_test(site.member))
        .filter_map(|site| {
            let written = program.body(site.member)?.node(site.node);
            let constant = matches!(written, Node::Str(_) | Node::Num(_) | Node::Member { .. } | Node::Name(_));
            let code = code_at(flow, site.member, site.node).filter(|_| constant)?;
            let speaks = matches!(code, State::Text(_) | State::Constant(_) | State::Entry(..)) && !code.is_empty_text(program);
            // a constant of another kind is none of these codes
            let kind = match (code, table.entries.first()?.code) {
                (State::Constant(a), State::Constant(b)) => program.member(a).owner == program.member(b).owner,
                _ => true,
            };
            (speaks && kind && table.entry(flow, code).is_none()).then_some((site, code))
        })
        .collect();
    let by_class = table.entries.iter().all(|e| matches!(e.code, State::Class(_)));
    found.extend(classes.into_iter().filter(|(site, code)| by_class && !wiring.in_test(site.member) && table.entry(flow, *code).is_none()));
    found.sort_unstable();
    found.dedup();
    found
}

/// Whether a call is made for some values only of what it hands on: `case Bits: return bits(kind);`
fn is_told_apart_before(wiring: &Wiring<'_>, call: Site, given: Site) -> bool {
    let (flow, program) = (&wiring.flow, wiring.program());
    let Some(body) = program.body(call.member) else { return false };
    let value = flow.eval(given);
    let is_it = |n: NodeId| matches!(body.node(n), Node::Name(_) | Node::Member { .. }) && flow.eval_in(call.member, n) == value;
    let asks_whether_any = |cond: NodeId| match body.node(cond) {
        Node::Binary { op: BinaryOp::Ne | BinaryOp::Eq, left, right } => [left, right].iter().any(|n| body.node(*n) == Node::Null),
        _ => false,
    };
    let scope = program.scope(call.member);
    scope.ancestors(call.node).any(|around| match body.node(around) {
        // what is asked may be what the call gives: `if (auto job = menu.order(code))`
        Node::If { cond, .. } | Node::Conditional { cond, .. } => {
            !scope.is_within(call.node, cond) && !asks_whether_any(cond) && state::any_within(body, cond, &is_it)
        }
        Node::Switch { subject: Some(subject), .. } => state::any_within(body, subject, &is_it),
        _ => false,
    })
}

/// Whether a part of any object says of which class that is.
fn gives_class(program: &Program, member: MemberId, part: Sym) -> bool {
    program.kit_of(member).pack.class_getters.contains(program.text(part))
}

#[cfg(test)]
mod tests {
    use crate::testing::expect;

    #[test]
    fn a_misspelt_code() {
        expect(
            "unknown-code",
            r#"
//// Office.java
package marlwend;
import java.util.HashMap;
import java.util.Map;
import java.util.function.Supplier;
interface Paper { void give(); }
class Clear implements Paper { public void give() {} }
class Wait implements Paper { public void give() {} }
class Office {
    private final Map<String, Supplier<Paper>> papers = new HashMap<>();
    Office() {
        papers.put("clear", () -> new Clear());
        papers.put("wait", () -> new Wait());
    }
    Paper paper(String code) {
        Supplier<Paper> make = papers.get(code);
        return make == null ? null : make.get();
    }
    static void give(Paper paper) { if (paper != null) paper.give(); }
    public static void main(String[] args) {
        Office office = new Office();
        give(office.paper("cleer")); //! unknown-code error
        give(office.paper("wait"));
        for (String arg : args) give(office.paper(arg));
    }
}
"#,
        );
    }
}
