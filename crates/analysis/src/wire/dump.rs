//! Effects as text, for tests and for the hidden `debug` command.

use std::fmt::Write;

use super::Wiring;
use super::effect::Event;

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
