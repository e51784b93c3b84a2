//! Edits that findings suggest: only such that leave everything else as it is.

use yarrowgraph_ir::{Node, NodeId, Span};
use yarrowgraph_model::{Edit, Place};

use crate::flow::Val;
use crate::program::{MemberId, Site};
use crate::wire::Wiring;
use crate::wire::effect::{Effect, Event};

/// Asks a callable whether it is there in the call itself (`Rose?.Invoke(level)`), where the language
/// has a way to write that and nobody uses the result.
pub(super) fn guard_raise(wiring: &Wiring<'_>, effect: &Effect) -> Option<Edit> {
    let program = wiring.program();
    let site = effect.site;
    let safe_call = program.kit_of(site.member).traits.safe_call?;
    let body = program.body(site.member)?;
    let Node::Call { callee, .. } = body.node(site.node) else { return None };
    if effect.result_used {
        return None;
    }
    // a method of what is held is asked for only if that is there; what is called itself, likewise
    let object = match body.node(callee) {
        Node::Member { object, .. }
            if effect.message.is_some() || is_of_held(wiring, effect, Site { member: site.member, node: object }) =>
        {
            Some(object)
        }
        Node::Name(_) | Node::Member { .. } => None,
        _ => return None,
    };
    let (after, text) = match object {
        Some(object) => (object, "?"),
        None => (callee, safe_call),
    };
    Some(Edit { label: "Raise it only where somebody is subscribed".into(), place: behind(wiring, site.member, after), text: text.into() })
}

/// Whether a node is the callable itself, of which a method is called (`Rose.Invoke(level)`).
fn is_of_held(wiring: &Wiring<'_>, effect: &Effect, node: Site) -> bool {
    let Event::Own(held) = effect.holder.event else { return false };
    matches!(wiring.flow.eval(node), Val::Member(_, m) | Val::Static(m) if m == held)
}

/// Takes a method off an event again at the start of the teardown, where both are written by their names.
pub(super) fn release_in(wiring: &Wiring<'_>, effect: &Effect, teardown: MemberId) -> Option<Edit> {
    let program = wiring.program();
    let (Event::Own(event), Some(Val::Method(handler, Some(receiver)))) = (&effect.holder.event, &effect.handler) else { return None };
    let owner = program.member(effect.site.member).owner;
    let body = program.body(teardown)?;
    let combines = program.kit_of(teardown).traits.combines_callables;
    let own_handler = **receiver == Val::This(owner) && program.member(teardown).owner == owner;
    if !combines || !own_handler || effect.holder.key.is_some() || !effect.inner.is_empty() {
        return None;
    }
    let subject = match &effect.holder.subject {
        Val::Type(t) => program.type_id(*t).rsplit('.').next()?.to_owned(),
        Val::Member(of, field) if **of == Val::This(owner) => program.text(program.member(*field).name).to_owned(),
        _ => return None,
    };
    let Node::Block(statements) = body.node(body.root?) else { return None };
    let first = *body.list(statements).first()?;
    let at = body.span(first);
    let unit = program.member(teardown).unit;
    let place = program.place(unit, Span { start: at.start, end: at.start });
    let (event, handler) = (program.text(program.member(*event).name), program.text(program.member(*handler).name));
    let indent = " ".repeat(place.column.saturating_sub(1) as usize);
    Some(Edit {
        label: format!("Take it off first thing in `{}`", program.text(program.member(teardown).name)),
        place,
        text: format!("{subject}.{event} -= {handler};\n{indent}"),
    })
}

/// The place right behind a node.
fn behind(wiring: &Wiring<'_>, member: MemberId, node: NodeId) -> Place {
    let program = wiring.program();
    let end = program.body(member).map_or(0, |b| b.span(node).end);
    program.place(program.member(member).unit, Span { start: end, end })
}

#[cfg(test)]
mod tests {
    use crate::testing::{analyse, files};

    /// The first file of a text with all edits made that its findings suggest.
    fn mended(text: &str) -> String {
        let (path, mut source) = files(text).remove(0);
        let findings = analyse(text, false).findings;
        let mut edits: Vec<_> = findings.into_iter().filter_map(|f| f.edit).filter(|e| e.place.file == path).collect();
        edits.sort_by_key(|e| std::cmp::Reverse(e.place.start));
        for edit in edits {
            source.replace_range(edit.place.start as usize..edit.place.end as usize, &edit.text);
        }
        source
    }

    #[test]
    fn raises_ask_first() {
        let text = mended(
            r#"
//// Lamp.cs
using System;
public interface ILampListener { void Lit(int n); }
public class Lamp {
    public event Action Lit;
    public event Action<int> Dimmed;
    public Func<int, bool> Asked;
    ILampListener listener;
    public void Hang(ILampListener l) { listener = l; }
    public void Light() { Lit(); Dimmed.Invoke(3); this.Lit(); if (Asked(3)) { } listener.Lit(4); }
}
public class Keeper : ILampListener {
    public Keeper(Lamp l) { l.Lit += Note; l.Dimmed += n => { }; l.Asked = n => true; l.Hang(this); } void Note() { } public void Lit(int n) { }
}
public class House { public static void Main() { var l = new Lamp(); l.Light(); new Keeper(l); } }
"#,
        );
        let light = text.lines().find(|l| l.contains("void Light")).expect("the method");
        assert_eq!(
            light.trim(),
            "public void Light() { Lit?.Invoke(); Dimmed?.Invoke(3); this.Lit?.Invoke(); if (Asked(3)) { } listener?.Lit(4); }"
        );
    }

    #[test]
    fn calls_of_slots_ask_first() {
        let text = mended(
            r#"
//// lamp.ts
export class Lamp {
  onLit: ((level: number) => void) | undefined;
  light(): void {
    this.onLit(3);
  }
}
const lamp = new Lamp();
lamp.light();
lamp.onLit = (level) => console.log(level);
"#,
        );
        assert!(text.contains("    this.onLit?.(3);\n"), "{text}");
    }

    #[test]
    fn teardowns_take_off_what_was_put_on() {
        let text = mended(
            r#"
//// Buoy.cs
using System;
public static class Tide { public static event Action Turned; public static void Turn() { Turned?.Invoke(); } }
public class Buoy : IDisposable {
    public Buoy() { Tide.Turned += Sway; }
    void Sway() { }
    public void Dispose()
    {
        Console.WriteLine("gone");
    }
}
public class Harbour { public static void Main() { for (int i = 0; i < 3; i++) using (new Buoy()) { Tide.Turn(); } } }
"#,
        );
        assert!(text.contains("    {\n        Tide.Turned -= Sway;\n        Console.WriteLine"), "{text}");
    }
}
