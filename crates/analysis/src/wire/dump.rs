//! Effects as text, for tests and for the hidden `debug` command.

use super::effect::Act;
use std::fmt::Write;

use yarrowgraph_ir::{Node, NodeId};

use super::Wiring;
use super::effect::Event;
use crate::program::{MemberId, Site, describe};

/// Writes all effects, one a line, in the order they were found.
pub fn dump(wiring: &Wiring<'_>) -> String {
    let mut out = String::new();
    let program = wiring.program();
    for effect in &wiring.effects {
        let place = wiring.place(effect);
        let event = match &effect.holder.event {
            Event::Own(m) => program.member_id(*m),
            Event::Outside(name) => format!("outside {}", program.text(*name)),
            Event::Bus => "bus".into(),
            Event::Given => "given".into(),
            Event::Handed => "handed".into(),
        };
        // writing to a String cannot fail
        let _ = write!(out, "{:?} {event}", effect.act);
        if let Some(key) = &effect.holder.key {
            let _ = write!(out, "[{}]", wiring.flow.show(key));
        }
        let _ = write!(out, " of {}", wiring.flow.show(&effect.holder.subject));
        if let Some(handler) = &effect.handler {
            let _ = write!(out, " handler {}", wiring.flow.show(handler));
        }
        let _ = writeln!(
            out,
            " at {}:{} in {} inner {} {:?}",
            place.file,
            place.line,
            program.member_id(effect.site.member),
            effect.inner.len(),
            effect.guard
        );
    }
    out
}

/// Writes what the runs of the set-up came to: one line for each subscription and raise, in order.
pub fn dump_setup(wiring: &Wiring<'_>) -> String {
    let mut out = String::new();
    let setup = &wiring.setup;
    let _ = writeln!(out, "{} runs, {} entry points not run in full", setup.runs.len(), setup.cut);
    for (number, run) in setup.runs.iter().enumerate() {
        let _ = writeln!(out, "run {number}");
        for met in run {
            let effect = &wiring.effects[met.effect];
            let place = wiring.place(effect);
            let handler = || met.handler.as_ref().map_or_else(|| "?".into(), |h| wiring.flow.show(h));
            let what = if effect.act == Act::Raise { "  raise on".to_owned() } else { format!("  {} joins", handler()) };
            let _ = write!(out, "{what} object {} at {}:{}", met.subject, place.file, place.line);
            if met.phase > 0 {
                let _ = write!(out, " in callback {}", met.phase);
            }
            if !met.loops.is_empty() {
                let _ = write!(out, " in loops {:?}", met.loops);
            }
            out.push('\n');
        }
    }
    out
}

/// Writes what is known of each expression of one line: its value, its type, what it calls and who
/// calls what it stands in.
pub fn dump_line(wiring: &Wiring<'_>, file: &str, line: u32) -> String {
    let mut out = String::new();
    let program = wiring.program();
    let flow = &wiring.flow;
    for index in 0..program.members.len() {
        let member = MemberId(index as u32);
        let Some(body) = program.body(member) else { continue };
        if !program.unit_of(member).path.ends_with(file) {
            continue;
        }
        let mut heading = false;
        for number in 0..body.nodes.len() {
            let site = Site { member, node: NodeId::new(number) };
            let place = program.place_of(site);
            let is_of_interest = matches!(
                body.node(site.node),
                Node::Name(_) | Node::Member { .. } | Node::Call { .. } | Node::New { .. } | Node::Index { .. } | Node::Lambda(_)
            );
            if place.line != line || !is_of_interest {
                continue;
            }
            if !std::mem::replace(&mut heading, true) {
                let _ = writeln!(out, "{}", program.member_id(member));
                for call in flow.call_sites(member) {
                    let from = program.place_of(*call);
                    let _ = writeln!(out, "  called at {}:{} in {}", from.file, from.line, program.member_id(call.member));
                }
            }
            let ty = describe(program, &flow.type_of_node(member, site.node));
            let _ = write!(out, "  column {} to byte {}: {} of type {ty}", place.column, place.end, flow.show(&flow.eval(site)));
            if let Some(callee) = flow.callee(site) {
                let _ = write!(out, ", calls {}", program.member_id(callee.member));
            }
            out.push('\n');
        }
    }
    out
}
