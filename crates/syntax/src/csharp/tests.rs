//! Fixtures of this front end.

use yarrowgraph_ir::{Language, MemberKind, Visibility, dump};

fn read(text: &str) -> yarrowgraph_ir::Unit {
    crate::read(Language::CSharp, "Gauge.cs", text.as_bytes()).expect("readable")
}

#[test]
fn declarations() {
    insta::assert_snapshot!(dump(&read(
        r#"
using System;
using Tide = Coast.Tides;
namespace Marlwend.Locks
{
    [Serializable]
    public abstract partial class Gauge<T> : Meter, IReadable where T : struct
    {
        public event EventHandler<RiseArgs> Rose;
        public event Action Fell { add { fell += value; } remove { fell -= value; } }
        private Action fell;
        public int Level { get; private set; }
        public static readonly Gauge<int> Main = new Gauge<int>();
        protected Gauge(int level = 3) : base(level) { Level = level; }
        ~Gauge() { fell = null; }
        public abstract void Read();
        void IReadable.Read() => Read();
        public int this[int i] => i;
    }
    public record RiseArgs(int By);
    internal enum Side { Upper, Lower = 4 }
    public delegate void Turned(object sender, Side side);
    interface IReadable { void Read(); }
}
"#
    )));
}

#[test]
fn bodies() {
    insta::assert_snapshot!(dump(&read(
        r#"
class Keeper {
    async Task Watch(Gauge gauge, out int seen) {
        gauge.Rose += OnRose;
        gauge.Rose += (s, e) => { log?.Add(e.By); };
        gauge.Rose -= new EventHandler(OnRose);
        gauge.Fell += delegate { Ring(); };
        var copy = gauge.Handler;
        if (copy != null && gauge is Tidal { Level: > 3 } tidal) copy(this, EventArgs.Empty);
        foreach (var (key, value) in table) { if (value == null) continue; value.Invoke(); }
        using (var watch = gauge.Watch(this)) { lock (gate) { await watch.Next(); } }
        using var token = source.Token;
        try { Ring(); } catch (Exception e) when (e is null) { throw; } finally { seen = 1; }
        switch (gauge.Side) { case Side.Upper: Ring(); break; default: return; }
        var text = gauge.Side switch { Side.Upper => "up", _ => $"low {seen}" };
        for (int i = 0; i < 3; i++) { handlers[i] ??= () => Ring(); }
        do { yieldless(); } while (seen < 2);
        var gate2 = new Gate { Width = 4, Opened = { } };
        int Local(int x) => x + 1;
        goto end;
        end: Ring();
    }
}
"#
    )));
}

#[test]
fn both_branches_of_a_condition_are_kept() {
    let unit = read("class A {\n#if TIDAL\n  void Rise() { }\n#else\n  void Fall() { }\n#endif\n}\n");
    let names: Vec<&str> = unit.members.iter().filter(|m| m.kind == MemberKind::Method).map(|m| unit.text(m.name)).collect();
    assert!(names.contains(&"Rise") && names.contains(&"Fall"), "{names:?}");
}

#[test]
fn visibility_without_a_modifier() {
    let unit = read("class Outer { int hidden; public int shown; class Inner { } }");
    let of = |name: &str| unit.members.iter().find(|m| unit.text(m.name) == name).map(|m| m.modifiers.visibility);
    assert_eq!((of("hidden"), of("shown")), (Some(Visibility::Private), Some(Visibility::Public)));
}

#[test]
fn what_does_not_parse_is_a_stretch() {
    let unit = read("class A { void Rise() { } }\nclass B { void ]] }\nclass C { void Fall() { } }");
    assert!(!unit.errors.is_empty());
    assert!(unit.types.iter().any(|t| unit.text(t.name) == "A"));
}

#[test]
fn functions_of_a_program_that_capture_nothing_stand_beside_it() {
    let unit = read(
        r#"
using System;
var gauge = new Gauge();
for (var day = 0; day < 3; day++) Watch(gauge, day);
Tell();
static int Watch(Gauge gauge, int day) => gauge.Read(day) + Twice(day);
static int Twice(int day) => 2 * day;
void Tell() { Console.WriteLine(gauge.Read(4)); }
void Twofold() { Tell(); }
"#,
    );
    let methods = unit.members.iter().filter(|m| m.kind == MemberKind::Method && m.modifiers.is_static);
    let names: Vec<&str> = methods.map(|m| unit.text(m.name)).collect();
    assert_eq!(names, ["Watch", "Twice"]);
}

#[test]
fn an_access_behind_a_question_belongs_to_the_last_operand() {
    insta::assert_snapshot!(dump(&read(
        r#"
class Watch
{
    void Look()
    {
        var open = dry && gate?.Open(3) == true || shut;
        var first = lamp ?? desk?.Lamp ?? hall?.Lamp;
        var sum = depth + gauge?.Level.Of(2)[1]! is > 3;
        var not = !desk?.Empty();
        var half = (Half)await desk?.Next<Half>();
        var plain = (dry && wet)?.Open();
    }
}
"#
    )));
}
