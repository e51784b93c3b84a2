//! Fixtures of this front end.

use yarrowgraph_ir::{Language, TypeKind, dump};

fn read(text: &str) -> yarrowgraph_ir::Unit {
    crate::read(Language::Java, "Oven.java", text.as_bytes()).expect("readable")
}

#[test]
fn declarations() {
    insta::assert_snapshot!(dump(&read(
        r#"
package bakery.ovens;
import java.util.List;
import static java.util.Objects.requireNonNull;
import bakery.dough.*;
@Component(name = "oven")
public abstract class Oven<T extends Loaf> extends Device implements Heated, AutoCloseable {
    public static final Oven<?> FIRST = new StoneOven();
    private final List<HeatListener> listeners = new ArrayList<>();
    static { FIRST.heat(1); }
    { listeners.clear(); }
    protected Oven(int degrees, Loaf... loaves) { super(degrees); }
    @Override public synchronized void close() throws IOException { }
    abstract void heat(int degrees);
    private class Door { void open() { heat(0); } }
    static class Shelf { }
}
interface HeatListener { void hot(int degrees); default void cold() { } }
enum Stage { RISING { void next() { } }, BAKED; abstract void next(); }
record Batch(int size, Oven<?> oven) { Batch { requireNonNull(oven); } }
@interface Component { String name(); }
"#
    )));
}

#[test]
fn bodies() {
    insta::assert_snapshot!(dump(&read(
        r#"
class Baker {
    void bake(Oven oven, Object other) {
        oven.addListener(this::hot);
        oven.addListener(degrees -> log.add(degrees));
        oven.addListener(new HeatListener() { public void hot(int d) { rise(d); } });
        for (HeatListener l : listeners) l.hot(220);
        for (int i = 0; i < 3; i++) { steps[i] = Baker::new; }
        if (other instanceof Oven o && o != null) o.close();
        try (var door = oven.open(); Lock lock = oven.lock()) { door.wait(); }
        catch (IOException | RuntimeException e) { throw new IllegalStateException(e); }
        finally { oven = null; }
        switch (oven.stage()) { case RISING: rise(1); case BAKED: break; default: return; }
        int n = switch (oven.stage()) { case RISING -> 1; default -> { yield 2; } };
        synchronized (gate) { do { n--; } while (n > 0); }
        Runnable later = () -> { assert n > 0; };
        class Local { void go() { later.run(); } }
        outer: while (true) { break outer; }
        var text = n > 1 ? "some" : (String) null;
    }
}
"#
    )));
}

#[test]
fn a_class_written_on_the_spot_is_a_type_within_its_member() {
    let unit = read("class A { Runnable r = new Runnable() { public void run() { } }; }");
    let anonymous: Vec<_> = unit.types.iter().filter(|t| t.anonymous).collect();
    assert_eq!(anonymous.len(), 1);
    assert_eq!(anonymous[0].kind, TypeKind::Class);
    assert!(anonymous[0].within.is_some());
}

#[test]
fn lines_and_columns_count_letters_not_bytes() {
    let unit = read("class A {\n  String é = \"ü\"; void go() { }\n}");
    let go = unit.members.iter().find(|m| unit.text(m.name) == "go").expect("a method");
    assert_eq!(unit.lines.line_column(go.name_span.start), (2, 24));
}
