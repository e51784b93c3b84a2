//! What holds commands, in forms that only whole programs show.

use crate::testing::map;

/// The invokers and commands of a tree, by name, with how they hold and what they act on.
fn found(text: &str) -> (Vec<String>, Vec<String>) {
    let map = map(text);
    let invokers = map.invokers.iter().map(|i| format!("{} {:?}", i.id, i.holds)).collect();
    (invokers, map.commands.iter().map(|c| format!("{} on {}", c.id, c.receivers.join(", "))).collect())
}

fn said(invokers: &[&str], commands: &[&str]) -> (Vec<String>, Vec<String>) {
    let all = |of: &[&str]| of.iter().map(|s| (*s).to_owned()).collect();
    (all(invokers), all(commands))
}

#[test]
fn a_queue_that_is_reached_by_its_two_ends() {
    let text = r#"//// Console.cs
using System.Threading.Channels;
using System.Threading.Tasks;
public class Dish { public void Point(double az) { } public void Stow() { } }
public interface IOrder { ValueTask RunAsync(); }
public sealed class PointOrder(Dish dish, double az) : IOrder { public ValueTask RunAsync() { dish.Point(az); return default; } }
public sealed class StowOrder(Dish dish) : IOrder { public ValueTask RunAsync() { dish.Stow(); return default; } }
public sealed class Console
{
    private readonly Channel<IOrder> orders = Channel.CreateUnbounded<IOrder>();
    public void Give(IOrder order) => orders.Writer.TryWrite(order);
    public async Task Serve() { await foreach (var order in orders.Reader.ReadAllAsync()) await order.RunAsync(); }
}
public static class Program
{
    public static void Main() { var console = new Console(); console.Give(new PointOrder(new Dish(), 3)); console.Give(new StowOrder(new Dish())); }
}
"#;
    assert_eq!(found(text), said(&["Console.orders Queue"], &["PointOrder on Dish", "StowOrder on Dish"]));
}

#[test]
fn pairs_of_functions_to_do_and_to_take_back() {
    let keeper = |held: &str, put: &str| {
        format!(
            "//// Keeper.cs\nusing System;\nusing System.Collections.Generic;\npublic record Step(Action Do, Action Undo);\n\
             public class Keeper {{\n  readonly Stack<{held}> done = new();\n\
             public void Act(Action act, Action undo) {{ act(); done.Push({put}); }}\n\
             public void Back() {{ if (done.TryPop(out var last)) last.Undo(); }}\n}}\n"
        )
    };
    for (held, put) in [("(Action Do, Action Undo)", "(act, undo)"), ("Step", "new Step(act, undo)")] {
        assert_eq!(found(&keeper(held, put)), said(&["Keeper.done History"], &[]), "{held}");
    }
    let text = "//// history.ts\ninterface Step { redo: () => void; undo: () => void }\n\
        export class History { private done: Step[] = []; run(s: Step) { s.redo(); this.done.push(s); } back() { this.done.pop()?.undo(); } }\n";
    assert_eq!(found(text), said(&["history.History.done History"], &[]));
}

#[test]
fn a_queue_goes_on_with_what_is_left_of_it() {
    let text = r#"//// weaver.ts
class Loom { start() {} mend() {} }
interface Job { run(): Promise<void> }
class Start implements Job { constructor(private loom: Loom) {} async run() { this.loom.start(); } }
class Mend implements Job { constructor(private loom: Loom) {} async run() { this.loom.mend(); } }
export class Weaver {
  private jobs: Job[] = [];
  add(job: Job) { this.jobs.push(job); }
  async work() {
    while (this.jobs.length > 0) {
      const [next, ...rest] = this.jobs;
      this.jobs = rest;
      await next.run();
    }
  }
}
const weaver = new Weaver();
weaver.add(new Start(new Loom()));
weaver.add(new Mend(new Loom()));
"#;
    assert_eq!(found(text), said(&["weaver.Weaver.jobs Queue"], &["weaver.Mend on weaver.Loom", "weaver.Start on weaver.Loom"]));
}

#[test]
fn a_command_acts_on_each_of_those_that_it_holds_and_a_base_on_its_steps() {
    let text = r#"//// Bell.java
import java.util.*;
class Door { void turn() {} void unturn() {} }
abstract class Task {
    private boolean done;
    final void run() { doIt(); done = true; }
    final void back() { if (done) undoIt(); done = false; }
    protected abstract void doIt();
    protected abstract void undoIt();
}
class LockAll extends Task {
    private final List<Door> doors;
    LockAll(List<Door> doors) { this.doors = doors; }
    protected void doIt() { for (Door door : doors) door.turn(); }
    protected void undoIt() { for (Door door : doors) door.unturn(); }
}
class LockOne extends Task {
    private final Door door;
    LockOne(Door door) { this.door = door; }
    protected void doIt() { door.turn(); }
    protected void undoIt() { door.unturn(); }
}
class Porter {
    private final List<Task> past = new ArrayList<>();
    void perform(Task task) { task.run(); past.add(task); }
    void regret(int n) { for (int i = 0; i < n && !past.isEmpty(); i++) past.remove(past.size() - 1).back(); }
    public static void main(String[] args) {
        Porter porter = new Porter();
        porter.perform(new LockAll(List.of(new Door())));
        porter.perform(new LockOne(new Door()));
        porter.regret(2);
    }
}
"#;
    assert_eq!(found(text), said(&["Porter.past History"], &["LockAll on Door", "LockOne on Door"]));
}

#[test]
fn objects_that_are_written_out_have_no_class_and_an_invoker() {
    let script = |head: &str, edit: &str| {
        format!(
            "{head}export class Editor {{\n  constructor() {{ this.text = ''; this.done = []; }}\n\
             insert(words{edit}) {{ this.run({{ apply: () => {{ this.text += words; }}, revert: () => {{ this.text = ''; }} }}); }}\n\
             run(edit) {{ edit.apply(); this.done.push(edit); }}\n\
             undo() {{ const edit = this.done.pop(); if (edit) edit.revert(); }}\n}}\n"
        )
    };
    assert_eq!(found(&script("//// editor.js\n", "")), said(&["editor.Editor.done History"], &[]));
    let typed = script("//// editor.ts\ninterface Edit { apply(): void; revert(): void }\n", ": string")
        .replace("run(edit)", "run(edit: Edit)")
        .replace("constructor()", "text: string; private done: Edit[];\n  constructor()");
    assert_eq!(found(&typed), said(&["editor.Editor.done History"], &[]));
}
