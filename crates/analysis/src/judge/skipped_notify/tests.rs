//! Tests of rule `skipped-notify`.

use crate::testing::expect;

#[test]
fn a_mutator_that_tells_nobody() {
    expect(
        "skipped-notify",
        r#"
//// rack.ts
export class Rack {
  private readonly watchers = new Set<() => void>();
  private readonly trays = new Map<string, number>();
  watch(fn: () => void): () => void { this.watchers.add(fn); return () => this.watchers.delete(fn); }
  put(id: string, loaves: number): void { this.place(id, loaves); this.changed(); }
  fill(ids: string[]): void { for (const id of ids) this.place(id, 12); this.changed(); }
  take(id: string): void { if (!this.trays.delete(id)) return; this.changed(); }
  swap(id: string): void {
    this.trays.set(id, 0); //! skipped-notify warning
  }
  size(): number { return this.trays.size; }
  private place(id: string, loaves: number): void { this.trays.set(id, loaves); }
  private changed(): void { for (const fn of [...this.watchers]) fn(); }
}
"#,
    );
}

#[test]
fn callers_set_and_then_tell() {
    expect(
        "skipped-notify",
        r#"
//// Lock.cs
using System;
class Plan {
    public string Day = "";
    public int Boats;
    public event Action<Plan> Settled;
    public void Settle() => Settled?.Invoke(this);
}
class Keeper {
    private readonly Plan _plan;
    public Keeper(Plan plan) => _plan = plan;
    public void Book(string day) { _plan.Day = day; _plan.Boats = 2; _plan.Settle(); }
    public void More() { _plan.Boats++; _plan.Settle(); }
    public void Move(string day) {
        _plan.Day = day; //! skipped-notify warning
    }
}
static class Program {
    static void Main() {
        var plan = new Plan();
        plan.Settled += p => Console.WriteLine(p.Day);
        var keeper = new Keeper(plan);
        keeper.Book("Monday"); keeper.More(); keeper.Move("Friday");
    }
}
"#,
    );
}

#[test]
fn a_helper_of_the_constructor_and_what_is_handed_on_are_no_slips() {
    expect(
        "skipped-notify",
        r#"
//// Lock.cs
using System;
class Plan {
    public string Day = "";
    public int Boats;
    public event Action<Plan> Settled;
    public void Settle() => Settled?.Invoke(this);
}
class Book { public void Note(Plan plan) => Console.WriteLine(plan.Day); }
class Keeper {
    private readonly Plan _plan;
    private readonly Book _book;
    public Keeper(Plan plan, Book book) { _plan = plan; _book = book; Start(); }
    private void Start() { _plan.Day = "Sunday"; }
    public void Take(string day) { _plan.Day = day; _plan.Boats = 2; _plan.Settle(); }
    public void More() { _plan.Boats++; _plan.Settle(); }
    public void Move(string day) { _plan.Day = day; _book.Note(_plan); }
}
static class Program {
    static void Main() {
        var plan = new Plan();
        plan.Settled += p => Console.WriteLine(p.Day);
        var keeper = new Keeper(plan, new Book());
        keeper.Take("Monday"); keeper.More(); keeper.Move("Friday");
    }
}
"#,
    );
}

#[test]
fn a_part_of_what_the_subject_holds() {
    expect(
        "skipped-notify",
        r#"
//// mast.cpp
#include <list>
struct Values { double wind = 0; double gust = 0; double rain = 0; };
class Viewer { public: virtual ~Viewer() = default; virtual void show(const Values& v) = 0; };
class Mast {
public:
    void attach(Viewer* v) { viewers.push_back(v); }
    void detach(Viewer* v) { viewers.remove(v); }
    void blow(double w) { now.wind = w; if (w > now.gust) now.gust = w; tell(); }
    void pour(double mm) { now.rain = mm; tell(); }
    void load(const Values& v) { now.wind = v.wind; now.gust = v.gust; tell(); }
    void midnight() {
        now.gust = 0; //! skipped-notify warning
    }
private:
    void tell() { for (Viewer* v : viewers) v->show(now); }
    Values now;
    std::list<Viewer*> viewers;
};
class Board : public Viewer { public: void show(const Values& v) override { last = v.gust; } double last = 0; };
int main() { Mast m; Board b; m.attach(&b); m.blow(3); m.pour(1); m.load({}); m.midnight(); }
"#,
    );
}

#[test]
fn what_a_walk_is_handed_writes_for_its_caller() {
    expect(
        "skipped-notify",
        r#"
//// Berths.java
import java.util.*;
import java.util.function.Consumer;
class Berths {
    enum Kind { IN, OUT, ALL }
    record Change(Kind kind, String berth) {}
    private final Set<Consumer<Change>> watchers = new LinkedHashSet<>();
    private final Map<String, String> boats = new TreeMap<>();
    Runnable onChange(Consumer<Change> fn) { watchers.add(fn); return () -> watchers.remove(fn); }
    void moor(String berth, String boat) { place(berth, boat); changed(new Change(Kind.IN, berth)); }
    void moorAll(Map<String, String> list) { list.forEach(this::place); changed(new Change(Kind.ALL, null)); }
    void leave(String berth) { if (boats.remove(berth) == null) return; changed(new Change(Kind.OUT, berth)); }
    void rename(String berth, String boat) {
        boats.put(berth, boat); //! skipped-notify warning
    }
    int size() { return boats.size(); }
    private void place(String berth, String boat) { boats.put(berth, boat); }
    private void changed(Change c) { for (Consumer<Change> fn : List.copyOf(watchers)) fn.accept(c); }
}
"#,
    );
}

#[test]
fn what_is_told_where_nothing_changes_is_about_something_else() {
    expect(
        "skipped-notify",
        r#"
//// plate.h
#include <functional>
#include <vector>
class Plate {
public:
    void onFolded(std::function<void()> f) { folded.push_back(f); }
    bool isLocked() const { return locked; }
    int text() const { return words; }
    void setText(int w, bool lock) { words = w; locked = lock; fold(); }
    void setLocked(bool lock) { locked = lock; }
    void hover(int kind) { over = kind == 2; fold(); }
    bool isOver() const { return over; }
    void entered() { fold(); }
private:
    void fold() { for (auto& f : folded) f(); }
    bool locked = false;
    bool over = false;
    int words = 0;
    std::vector<std::function<void()>> folded;
};
"#,
    );
}

#[test]
fn what_each_change_tells_on_a_channel_of_its_own() {
    expect(
        "skipped-notify",
        r#"
//// berth.h
class Berth : public QObject {
    Q_OBJECT
public:
    Boat *boat() const { return boat_; }
    void place(Boat *b) { boat_ = b; }
    void moor(Boat *b) { if (boat_ != b) { boat_ = b; turns_ = 1; emit moored(); } }
    void clear() { boat_ = nullptr; turns_ = 0; emit cleared(); }
    int turns() const { return turns_; }
signals:
    void moored();
    void cleared();
private:
    Boat *boat_ = nullptr;
    int turns_ = 0;
};
class Line : public QObject {
    Q_OBJECT
public:
    int pull() const { return pull_; }
    bool isHooked() const { return hooked_; }
    void hook(bool on) { hooked_ = on; }
    void draw(int by) {
        pull_ = pull_ + by;
        if (!hooked_ && pull_ > 9) { hooked_ = true; emit hooked(true); }
        emit pulled();
    }
    void slack() {
        pull_ = 0;
        emit pulled();
    }
signals:
    void hooked(bool on);
    void pulled();
private:
    bool hooked_ = false;
    int pull_ = 0;
};
"#,
    );
}
