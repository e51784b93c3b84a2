//! Rule `unguarded-raise`: raising a channel that can be empty crashes.

mod filled;

use yarrowgraph_ir::{MemberKind, Node, UnaryOp, Visibility};
use yarrowgraph_model::{Certainty, ChannelKind, Level};

pub(super) use filled::is_of_operations;
use filled::{
    is_begun_with_it, is_demanded, is_emptied_with_another, is_filled_at_birth, is_filled_before_work, is_filled_by_class,
    is_filled_by_set_up, is_given_for_itself, is_loaded, is_made_in_states, is_of_unfilled_table, is_other_way, is_own_step,
    is_shown_when_filled, is_unasked_pointer, is_vouched_for, may_fill,
};

use super::{Draft, Page, Rule, edits, related, short};
use crate::wire::Wiring;
use crate::wire::channels::{Channel, ChannelKey};
use crate::wire::effect::{Effect, Guard};

pub(super) const RULE: Rule = Rule {
    name: "unguarded-raise",
    summary: "raising a channel that can be empty crashes",
    level: Level::Warning,
    page: Page {
        symptom: "The program crashes where something is announced, as soon as nobody listens.",
        cause: "The channel is a delegate or callback that is empty until somebody subscribes, and the raise does not ask, or asks for another channel.",
        cure: "Test the channel (or a local copy of it) before the call, call it conditionally, or give it a first handler that does nothing.",
        silent: "A test of the same channel covers the raise, also by an early return or in the only callers; the channel has a first value and is never emptied; the language does nothing when it is empty.",
        accept: "Something that the analysis cannot see makes sure that a handler is there.",
    },
    check,
};

fn check(wiring: &Wiring<'_>) -> Vec<Draft> {
    let mut drafts = Vec::new();
    for channel in &wiring.channels {
        for &raise in &channel.raises {
            let effect = &wiring.effects[raise];
            // what a dispatcher is handed shares its missing guard with the call beside it
            let shares = |other: &Effect| {
                other.site.member == effect.site.member && other.guard == Guard::None && other.certainty == Certainty::Certain
            };
            if effect.certainty == Certainty::Likely && channel.raises.iter().any(|r| shares(&wiring.effects[*r])) {
                continue;
            }
            drafts.extend(judge(wiring, channel, effect));
        }
    }
    drafts
}

fn judge(wiring: &Wiring<'_>, channel: &Channel, effect: &Effect) -> Option<Draft> {
    let ChannelKey::Own(m, None) = channel.key else { return None };
    let crashes = matches!(channel.kind, ChannelKind::Event | ChannelKind::Delegate | ChannelKind::Slot);
    if effect.guard != Guard::None || !crashes || wiring.in_test(effect.site.member) || guarded_by_callers(wiring, effect) {
        return None;
    }
    let program = wiring.program();
    let nobody = channel.joins.is_empty();
    // subscribed to by a name that is known when it runs
    if nobody && channel.kind == ChannelKind::Event && wiring.joins_by_name(m) {
        return None;
    }
    if channel.kind == ChannelKind::Slot && is_filled_by_class(wiring, m) {
        return None;
    }
    // it is filled, by something that is no subscription as far as can be seen
    if nobody && channel.kind != ChannelKind::Event && wiring.flow.definitions(m).iter().any(|d| may_fill(wiring, *d)) {
        return None;
    }
    // or by its class from the first: `Hatch.prototype.onOpen = util.doNothing;`
    let has_first = || wiring.flow.definitions(m).iter().any(|d| d.member == m && may_fill(wiring, *d));
    if channel.kind == ChannelKind::Slot && program.kit_of(m).traits.duck_typed && has_first() {
        return None;
    }
    if channel.kind == ChannelKind::Slot && is_of_operations(wiring, m) || nobody && is_of_unfilled_table(wiring, channel, m) {
        return None;
    }
    if channel.kind == ChannelKind::Slot
        && (is_own_step(wiring, channel, m, effect) || is_demanded(wiring, m, effect) || is_other_way(wiring, m, effect))
    {
        return None;
    }
    let is_hidden = program.decl(effect.site.member).modifiers.visibility == Visibility::Private;
    if (channel.kind == ChannelKind::Slot || is_hidden) && is_begun_with_it(wiring, channel, m, effect)
        || is_shown_when_filled(wiring, m, effect)
        || is_filled_before_work(wiring, channel, effect)
    {
        return None;
    }
    if is_emptied_with_another(wiring, m, effect)
        || channel.kind == ChannelKind::Slot && is_made_in_states(wiring, m, effect)
        || is_unasked_pointer(wiring, channel, m)
        || is_loaded(wiring, m)
    {
        return None;
    }
    if is_given_for_itself(wiring, m, effect)
        || is_filled_at_birth(wiring, channel, m)
        || channel.kind == ChannelKind::Slot && (is_filled_by_set_up(wiring, m) || is_vouched_for(wiring, m))
    {
        return None;
    }
    if is_asserted(wiring, effect) {
        return None;
    }
    // the value was handed on: whoever calls it was told that it is there
    if !effect.inner.is_empty() {
        return None;
    }
    let what = short(&channel.id);
    // in a library somebody else may subscribe
    let open = wiring.is_open && program.decl(m).modifiers.visibility == Visibility::Public;
    let level = if nobody && !open { Level::Error } else { Level::Warning };
    let message = if nobody {
        format!("`{what}` is raised without a guard, and nothing ever subscribes to it")
    } else {
        format!("`{what}` is raised without a guard, and is empty until somebody subscribes")
    };
    Some(Draft {
        level,
        certainty: match effect.certainty {
            // an object that is handed over while the program starts is there later, as a rule
            _ if !nobody && is_trusted_slot(wiring, channel, effect) => Certainty::Possible,
            // when an object is handed over, an order of calls may see to that is not shown
            Certainty::Certain if nobody || effect.message.is_none() => Certainty::Certain,
            _ => Certainty::Likely,
        },
        place: wiring.place(effect),
        message,
        related: vec![related(format!("`{what}` is declared here"), program.member_place(m))],
        parties: vec![channel.id.clone(), program.member_id(effect.site.member)],
        edit: edits::guard_raise(wiring, effect),
    })
}

/// Whether the code says of an object in a slot that it is there, where one of its methods is called: `this.board!.show(3)`.
fn is_asserted(wiring: &Wiring<'_>, raise: &Effect) -> bool {
    let Some(body) = wiring.program().body(raise.site.member) else { return false };
    let Node::Call { callee, .. } = body.node(raise.site.node) else { return false };
    matches!(body.node(callee), Node::Member { object, .. } if matches!(body.node(object), Node::Unary { op: UnaryOp::NonNull, .. }))
}

/// Whether what is told is an object in a slot, of which no code, or hardly any, asks whether it is there.
fn is_trusted_slot(wiring: &Wiring<'_>, channel: &Channel, effect: &Effect) -> bool {
    const HARDLY: usize = 10;
    let asked = channel.raises.iter().filter(|r| wiring.effects[**r].guard == Guard::Tested).count();
    channel.kind == ChannelKind::Slot && effect.message.is_some() && asked * HARDLY <= channel.raises.len()
}

/// Whether every caller of the helper that raises asks first.
fn guarded_by_callers(wiring: &Wiring<'_>, effect: &Effect) -> bool {
    let program = wiring.program();
    let info = program.member(effect.site.member);
    if info.kind != MemberKind::Method || program.decl(effect.site.member).modifiers.visibility == Visibility::Public {
        return false;
    }
    wiring.callers_ask(effect)
}

#[cfg(test)]
mod tests {
    use crate::testing::expect;

    #[test]
    fn an_event_called_without_asking() {
        expect(
            "unguarded-raise",
            r#"
//// Lamp.cs
using System;
public class Lamp {
    public event Action Lit;
    public void Light() {
        Lit(); //! unguarded-raise warning
    }
}
public class Keeper { public Keeper(Lamp l) { l.Lit += Note; } void Note() { } }
public class House { public static void Main() { var l = new Lamp(); l.Light(); new Keeper(l); } }
"#,
        );
    }

    #[test]
    fn a_slot_that_only_a_method_fills_that_nobody_calls() {
        expect(
            "unguarded-raise",
            r"
//// main.ts
class Lockage {
  private report: ((boats: number) => void) | undefined = undefined;
  onReport(report: (boats: number) => void) { this.report = report; }
  close(boats: number) {
    this.report(boats); //! unguarded-raise error
  }
}
class Weir {
  private report: ((level: number) => void) | undefined = undefined;
  onReport(report: (level: number) => void) { this.report = report; }
  close(level: number) {
    this.report(level); //! unguarded-raise warning
  }
}
const weir = new Weir();
weir.onReport((level) => console.log(level));
weir.close(3);
new Lockage().close(2);
",
        );
    }

    #[test]
    fn what_nobody_is_ever_on_is_an_error() {
        expect(
            "unguarded-raise",
            r#"
//// Lamp.cs
using System;
public class Lamp {
    public event Action Lit;
    public void Light() {
        Lit(); //! unguarded-raise error
    }
}
public class House { public static void Main() { new Lamp().Light(); } }
"#,
        );
    }

    #[test]
    fn guards_of_all_kinds() {
        expect(
            "unguarded-raise",
            r#"
//// Lamp.cs
using System;
public class Lamp {
    public event Action A;
    public event Action B;
    public event Action C;
    public event Action D = delegate { };
    public event Action E;
    public void Light() {
        A?.Invoke();
        if (B != null) B();
        var copy = C;
        if (copy == null) return;
        copy();
        D();
    }
    public void Dim() {
        if (A != null) E(); //! unguarded-raise warning
    }
}
public class Keeper {
    public Keeper(Lamp l) { l.A += Note; l.B += Note; l.C += Note; l.D += Note; l.E += Note; }
    void Note() { }
}
public class House { public static void Main() { var l = new Lamp(); l.Light(); l.Dim(); new Keeper(l); } }
"#,
        );
    }

    #[test]
    fn a_list_that_is_walked_needs_no_guard() {
        expect(
            "unguarded-raise",
            r#"
//// Lamp.java
package observatory;
import java.util.ArrayList;
import java.util.List;
class Lamp {
    private final List<Runnable> lit = new ArrayList<>();
    private Runnable dimmed;
    void onLit(Runnable r) { lit.add(r); }
    void onDimmed(Runnable r) { dimmed = r; }
    void light() { for (Runnable r : lit) r.run(); }
    void dim() {
        dimmed.run(); //! unguarded-raise warning
    }
    public static void main(String[] args) { Lamp l = new Lamp(); l.onLit(() -> { }); l.dim(); l.onDimmed(() -> { }); }
}
"#,
        );
    }

    #[test]
    fn a_record_is_filled_by_its_maker() {
        expect(
            "unguarded-raise",
            r#"
//// Job.cs
using System;
internal class Job { internal Action Work; }
internal class Bakery {
    internal static void Bake(Job job) { job.Work(); }
    internal static void Main() { var job = new Job(); job.Work = Knead; Bake(job); }
    static void Knead() { Console.WriteLine("dough"); }
}
internal class Note { internal Action Read; }
internal class Desk {
    internal static void Open(Note note) { note.Read(); } //! unguarded-raise warning
    internal static void Take(Note note) { note.Read += Tell; }
    internal static Note Make() { return new Note(); }
    static void Tell() { Console.WriteLine("read"); }
}
"#,
        );
    }

    #[test]
    fn what_is_begun_once_it_is_filled() {
        expect(
            "unguarded-raise",
            r#"
//// worker.h
#include <functional>
#include <QThread>
class Worker : public QThread {
public:
    void setTask(const std::function<int()>& task) { m_task = task; }
    void setNote(const std::function<void()>& note) { m_note = note; }
private:
    void run() Q_DECL_OVERRIDE {
        m_depth = m_task();
        m_note(); //! unguarded-raise warning
    }
    std::function<int()> m_task;
    std::function<void()> m_note;
    int m_depth = 0;
};
//// gauge.cpp
#include "worker.h"
class Gauge {
public:
    void measure() {
        m_worker.setTask([] { return 4; });
        m_worker.start();
    }
    void note() { m_worker.setNote([] {}); }
private:
    Worker m_worker;
};
"#,
        );
    }

    #[test]
    fn what_is_told_in_states_that_come_with_it() {
        expect(
            "unguarded-raise",
            r#"
//// Passage.java
interface CrewListener { void opened(); void counted(int n); }
class Passage {
    private enum State { SHUT, ASKED, OPEN }
    private State state = State.SHUT;
    private CrewListener crew;
    private CrewListener guest;
    void ask(CrewListener crew) {
        if (state != State.SHUT) throw new IllegalStateException();
        move(State.ASKED);
        this.crew = crew;
    }
    void visit(CrewListener guest) { this.guest = guest; }
    void open() {
        if (state == State.ASKED) {
            move(State.OPEN);
            crew.opened();
            guest.opened(); //! unguarded-raise warning
        }
    }
    void count(int n) {
        crew.counted(n); //! unguarded-raise warning
    }
    void tell() { if (crew != null) crew.counted(0); if (guest != null) guest.counted(0); }
    void shut() { if (state == State.OPEN) { move(State.SHUT); crew = null; } }
    private void move(State next) { state = next; }
}
class Boat implements CrewListener {
    int n;
    public void opened() { n++; }
    public void counted(int by) { n += by; }
    void enter(Passage p) { p.ask(this); p.visit(this); }
}
class Harbour {
    private final Passage p = new Passage();
    public void come(Boat b) { b.enter(p); }
    public void go() { p.open(); p.count(2); p.tell(); p.shut(); }
}
//// runner.h
class Runner : public QThread {
    Q_OBJECT
public:
    virtual void run() { step(); }
    void setStep(const std::function<void()> &f) { step = f; }
private:
    std::function<void()> step;
};
class Desk {
public:
    void list() {
        Runner *runner = new Runner();
        runner->setStep([this]() { n = 1; });
        runner->start();
    }
    int n;
};
"#,
        );
    }

    #[test]
    fn what_the_maker_or_a_container_has_to_give() {
        expect(
            "unguarded-raise",
            r#"
//// tools.ts
export interface Tool {
  name: string;
  run: (level: number) => void;
  done?: (level: number) => void;
}
export class Shed {
  @inject(Factory) private readonly make: () => Tool;
  use(tool: Tool): void {
    tool.run(1);
    tool.done?.(1);
    this.make().run(2);
  }
}
export function fill(shed: Shed): void {
  shed.use({ name: 'rake', run: level => console.log(level), done: level => console.log(-level) });
  const spade: Tool = { name: 'spade', run: level => console.log(level) };
  spade.done = level => console.log(level);
}
//// ways.js
let way = function (level) { return level; };
exports.setWay = function (other) { way = other; };
exports.go = function (level) { return way(level); };
"#,
        );
    }

    #[test]
    fn what_is_filled_at_birth_or_stands_in_for_another() {
        expect(
            "unguarded-raise",
            r#"
//// pool.h
struct Item { int tag = 0; std::function<void()> work; };
class Pool {
public:
    void submit(std::function<void()>&& work) {
        queue.push_back(Item());
        auto& item = queue.back();
        item.work = std::move(work);
    }
    void run() {
        auto work = std::move(queue.front().work);
        work();
    }
private:
    std::deque<Item> queue;
};
class Rules {
public:
    void setVisitor(std::function<void(int)> v) { visitor = v; }
    void setForeign(std::function<void(int)> v) { foreign = v; }
    void visit(int n) {
        if (foreign) {
            foreign(n);
        }
        else {
            visitor(n);
        }
    }
    void setCounter(std::function<void(int)> v) { counter = v; }
    void count(int n) { counter(n); } //! unguarded-raise warning
private:
    std::function<void(int)> visitor;
    std::function<void(int)> foreign;
    std::function<void(int)> counter;
    int lines = 0;
};
//// desk.cpp
#include "pool.h"
int main() {
    Rules rules;
    int sum = 0;
    rules.setVisitor([&](int n) { sum += n; });
    rules.visit(1);
    rules.count(1);
    rules.setCounter([&](int n) { sum -= n; });
    Pool pool;
    pool.run();
}
"#,
        );
    }

    #[test]
    fn a_pointer_by_an_alias_that_no_code_asks() {
        expect(
            "unguarded-raise",
            r#"
//// writer.h
using Write = void (*)(void* to, const char* text);
void toFile(void* to, const char* text);
class Writer {
public:
    void line(const char* text) { (*write)(to, text); }
    void start(Write w, void* t) { if (!open(t)) return; write = w; to = t; }
private:
    bool open(void* to);
    Write write;
    void* to;
};
int main() { Writer log; log.start(toFile, nullptr); log.line("shut"); }
"#,
        );
    }
}
