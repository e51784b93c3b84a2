//! Mediators that know each colleague under a name and put each word through to the one that it is for: an exchange, a desk
//! that knows who sits where.
//!
//! What makes one a mediator is that those who are looked up hold it themselves and reach others through it.

use std::collections::{BTreeMap, BTreeSet};

use rayon::prelude::*;
use yarrowgraph_ir::{MemberKind, Node, TypeKind};

use super::{Colleague, Mediator, Route, To};
use crate::flow::Val;
use crate::program::{AT_A_TIME, Kinds, MemberId, Site, TypeId};
use crate::state::is_statement;
use crate::wire::Wiring;

/// At least so many classes of colleagues reach others through it.
const SPEAKERS: usize = 2;

/// Between what it is told and the colleague that it looks up there are so many helpers.
const HELPERS: u32 = 2;

/// Finds the mediators of the kind.
pub(super) fn find(wiring: &Wiring<'_>) -> Vec<Mediator> {
    let program = wiring.program();
    let members = (0..program.members.len()).into_par_iter().with_max_len(AT_A_TIME).map(|i| MemberId(i as u32));
    // who puts itself, or is put, under a name
    let registers: Vec<(MemberId, MemberId, u16)> = members.filter_map(|m| registers(wiring, m)).collect();
    let mut by_roster: BTreeMap<MemberId, BTreeSet<(MemberId, u16)>> = BTreeMap::new();
    for (roster, method, index) in registers {
        by_roster.entry(roster).or_default().insert((method, index));
    }
    by_roster.into_par_iter().filter_map(|(roster, ways_in)| of_roster(wiring, roster, &ways_in)).collect()
}

/// The map of its object into which a method puts what it is handed, and which parameter that is.
fn registers(wiring: &Wiring<'_>, method: MemberId) -> Option<(MemberId, MemberId, u16)> {
    let (flow, program) = (&wiring.flow, wiring.program());
    let info = program.member(method);
    if info.kind != MemberKind::Method
        || program.ty(info.owner).is_module
        || program.decl(method).params.is_empty()
        || wiring.in_test(method)
    {
        return None;
    }
    let body = program.body_with(method, Kinds::CALL | Kinds::ASSIGN)?;
    body.ids().find_map(|n| {
        let put = flow.put(method, n)?;
        let Val::Param(m, None, index) = flow.eval_in(method, put.value) else { return None };
        match flow.eval_in(method, put.map) {
            Val::Member(of, map) if m == method && matches!(*of, Val::This(_)) => Some((map, method, index)),
            _ => None,
        }
    })
}

fn of_roster(wiring: &Wiring<'_>, roster: MemberId, ways_in: &BTreeSet<(MemberId, u16)>) -> Option<Mediator> {
    let program = wiring.program();
    let class = program.member(roster).owner;
    let routes = routes(wiring, class, roster);
    if routes.is_empty() {
        return None;
    }
    let colleagues = colleagues(wiring, ways_in);
    let base = super::common(program, &colleagues);
    // what is one of those that it holds hands on to its parts
    if colleagues.is_empty() || base.is_some_and(|base| program.is_a(class, base)) {
        return None;
    }
    let delivers = |m: MemberId| routes.iter().any(|r| r.site.member == m);
    let sends_on = |m: MemberId| super::comes_to(wiring, m, class, HELPERS, &delivers);
    let talking = |t: TypeId| super::talks(wiring, t, class, &sends_on);
    let speakers = colleagues.iter().filter(|c| talking(c.class).is_some()).count();
    if speakers < SPEAKERS {
        return None;
    }
    let others = base.map(|base| super::concrete(program, base)).unwrap_or_default();
    let outsiders = super::outsiders(wiring, class, others, &colleagues, &talking);
    Some(Mediator { class, channels: Vec::new(), roster, base, colleagues, routes, outsiders })
}

/// The statements that look one up and tell it something.
fn routes(wiring: &Wiring<'_>, class: TypeId, roster: MemberId) -> Vec<Route> {
    let (flow, program) = (&wiring.flow, wiring.program());
    let mut found = Vec::new();
    for &member in &program.ty(class).members {
        let Some(body) = program.body_with(member, Kinds::CALL) else { continue };
        for node in body.ids() {
            let site = Site { member, node };
            let Node::Call { callee, args, .. } = body.node(node) else { continue };
            let Node::Member { object, .. } = body.node(callee) else { continue };
            let Val::Element(of, Some(key)) = flow.eval_in(member, object) else { continue };
            // whoever has a word put through says whom it is for
            if args.len == 0 || !matches!(*key, Val::Param(m, None, _) if m == member) {
                continue;
            }
            let is_roster = matches!(&*of, Val::Member(of, m) if *m == roster && matches!(**of, Val::This(_)));
            let tells = is_statement(program, site) || body.root == Some(node);
            if is_roster && tells && flow.callee(site).is_some() {
                let Some((_, method)) = super::asked(program, site) else { continue };
                let (_, condition) = super::reach(program, body, site);
                found.push(Route { site, to: To::One, method, condition });
            }
        }
    }
    found
}

/// Who is put into the roster, by class.
fn colleagues(wiring: &Wiring<'_>, ways_in: &BTreeSet<(MemberId, u16)>) -> Vec<Colleague> {
    let (flow, program) = (&wiring.flow, wiring.program());
    let mut found: BTreeMap<TypeId, BTreeSet<Site>> = BTreeMap::new();
    for (method, index) in ways_in {
        for (call, binding) in flow.callers((*method, None)).iter().filter(|(call, _)| !wiring.in_test(call.member)) {
            let handed = binding.args.get(usize::from(*index)).and_then(Option::as_ref);
            let Some(t) = handed.and_then(|h| flow.type_of(h).own()) else { continue };
            if matches!(program.ty(t).kind, TypeKind::Class | TypeKind::Interface) {
                super::concrete(program, t).into_iter().for_each(|c| _ = found.entry(c).or_default().insert(*call));
            }
        }
    }
    found.into_iter().map(|(class, registered)| Colleague { class, registered, deregistered: BTreeSet::new() }).collect()
}

#[cfg(test)]
mod tests {
    use crate::testing::map;

    const EXCHANGE: &str = r#"
//// Exchange.java
import java.util.*;
interface Post { String name(); void told(String text); }
class Exchange {
    private final Map<String, Post> posts = new HashMap<>();
    void join(Post p) { posts.put(p.name(), p); }
    void pass(String name, String text) {
        Post p = posts.get(name);
        if (p != null) p.told(text);
    }
}
class Yard implements Post {
    private final Exchange exchange;
    Yard(Exchange e) { exchange = e; e.join(this); }
    public String name() { return "yard"; }
    public void told(String t) { System.out.println(t); }
    void arrive() { exchange.pass("wash", "come"); }
}
class Wash implements Post {
    private final Exchange exchange;
    Wash(Exchange e) { exchange = e; e.join(this); }
    public String name() { return "wash"; }
    public void told(String t) { exchange.pass("yard", "go"); }
}
class Main { public static void main(String[] a) { Exchange e = new Exchange(); new Yard(e).arrive(); new Wash(e); } }
"#;

    #[test]
    fn whoever_is_looked_up_reaches_the_others() {
        let map = map(EXCHANGE);
        let [exchange] = &map.mediators[..] else { panic!("one mediator, not {:?}", map.mediators) };
        let classes: Vec<&str> = exchange.colleagues.iter().map(|c| c.class.as_str()).collect();
        assert_eq!((exchange.roster.as_str(), &classes[..], exchange.routes.len()), ("Exchange.posts", &["Yard", "Wash"][..], 1));
    }

    #[test]
    fn who_never_says_anything_is_only_kept() {
        let quiet = EXCHANGE.replace("exchange.pass", "System.out.printf");
        assert!(map(&quiet).mediators.is_empty());
    }
}
