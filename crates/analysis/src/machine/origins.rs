//! Where a value is written that comes to a place through parameters, fields and parts of objects.

use std::collections::BTreeSet;

use rustc_hash::FxHashMap;
use yarrowgraph_ir::{MemberKind, Node};

use super::filled::only_argument;
use super::state;
use crate::flow::{Flow, Val};
use crate::program::Site;

/// A value is followed through so many parameters and fields.
const HOPS: u32 = 4;

/// So many places are looked at for one value: what comes from more comes from wherever.
const PLACES: usize = 1_000;

/// So many places give a field its value.
const DEFINITIONS: usize = 8;

/// The expressions that a value comes from; itself where it comes from nowhere else.
pub(super) fn origins(flow: &Flow<'_>, site: Site) -> BTreeSet<Site> {
    let mut found = BTreeSet::new();
    follow(flow, site, HOPS, &mut FxHashMap::default(), &mut found);
    found
}

/// The same, where places that were looked at before, and as far, are passed by.
fn follow(flow: &Flow<'_>, site: Site, hops: u32, seen: &mut FxHashMap<Site, u32>, found: &mut BTreeSet<Site>) {
    let program = flow.program;
    if seen.len() > PLACES {
        found.insert(site);
        return;
    }
    let looked = seen.entry(site).or_insert(0);
    if *looked >= hops {
        return;
    }
    *looked = hops;
    let hops = hops - 1;
    if state::named(flow, site.member, site.node).is_some() {
        found.insert(site);
        return;
    }
    let from: Vec<Site> = match flow.eval(site) {
        Val::Param(m, None, index) => flow.call_sites(m).iter().filter_map(|call| flow.argument(*call, usize::from(index))).collect(),
        Val::Member(of, m) if matches!(program.member(m).kind, MemberKind::Field | MemberKind::Property) => match flow.definitions(m) {
            // declared only: an entry of what the object is
            [] => literal(flow, &of, hops).and_then(|l| flow.entry_of_literal(l, program.member(m).name)).into_iter().collect(),
            defined if defined.len() <= DEFINITIONS => defined.to_vec(),
            _ => Vec::new(),
        },
        // another variable of the module
        Val::Static(m) if program.member(m).kind == MemberKind::Field && (1..=DEFINITIONS).contains(&flow.definitions(m).len()) => {
            flow.definitions(m).to_vec()
        }
        Val::Outside(of, name) => literal(flow, &of, hops).and_then(|l| flow.entry_of_literal(l, name)).into_iter().collect(),
        _ => {
            found.insert(site);
            return;
        }
    };
    for site in from {
        follow(flow, site, hops, seen, found);
    }
}

/// The object literal that an expression is, where there can be no other.
pub(crate) fn literal_at(flow: &Flow<'_>, site: Site) -> Option<Site> {
    literal(flow, &Val::Literal(site), HOPS).or_else(|| literal(flow, &flow.eval(site), HOPS))
}

/// The object literal that a value is, where there can be no other.
pub(super) fn literal(flow: &Flow<'_>, value: &Val, hops: u32) -> Option<Site> {
    let hops = hops.checked_sub(1)?;
    let of = |site: Site| {
        let body = flow.program.body(site.member)?;
        match body.node(site.node) {
            Node::Object(_) => Some(site),
            Node::Cast { operand, .. } if matches!(body.node(operand), Node::Object(_)) => {
                Some(Site { member: site.member, node: operand })
            }
            _ => literal(flow, &flow.eval(site), hops),
        }
    };
    match value {
        Val::Param(..) => of(only_argument(flow, value)?),
        Val::Member(object, m) if flow.definitions(*m).is_empty() => {
            of(flow.entry_of_literal(literal(flow, object, hops)?, flow.program.member(*m).name)?)
        }
        Val::Member(_, m) | Val::Static(m) => of(flow.only_definition(*m)?),
        Val::Literal(site) => of(*site),
        _ => None,
    }
}

#[cfg(test)]
mod tests {
    use crate::testing::{map, transitions};

    #[test]
    fn what_many_hand_on_is_followed_once() {
        use std::fmt::Write;
        let mut text = String::from(
            "//// flags.ts\nexport class Mast {\n  private flag = 'none';\n  hoist(flag: string) { this.flag = flag; }\n}\nconst mast = new Mast();\n",
        );
        // each of some calls hands on what any of those before it does
        for (name, next) in [("a", "mast.hoist"), ("b", "a"), ("c", "b"), ("d", "c")] {
            let _ = writeln!(text, "function {name}(flag: string) {{ {} }}", format!("{next}(flag); ").repeat(300));
        }
        text.push_str("d('blue');\n");
        assert!(map(&text).machines.is_empty());
    }

    #[test]
    fn a_variable_of_the_module_is_given_what_waits_in_another() {
        let text = "//// bridge.js\nlet state = 'closed';\nlet target = 'closed';\n\
            function request() { if (state === 'closed') { target = 'open'; state = 'swinging'; } }\n\
            function stopped() { if (state === 'swinging') state = target; }\n\
            function clear() { if (state === 'open') { target = 'closed'; state = 'swinging'; } }\n\
            module.exports = { request, stopped, clear };\n";
        let moves = transitions(text);
        let expected =
            ["closed --request--> swinging", "open --clear--> swinging", "swinging --stopped--> closed", "swinging --stopped--> open"];
        let sorted = |mut all: Vec<String>| {
            all.sort();
            all
        };
        assert_eq!(sorted(moves), sorted(expected.map(str::to_owned).to_vec()));
    }
}
