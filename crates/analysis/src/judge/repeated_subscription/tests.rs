//! Tests of rule `repeated-subscription`.

use crate::testing::expect;

#[test]
fn a_listener_that_was_made_for_it_is_another_one() {
    expect(
        "repeated-subscription",
        r#"
//// Tabs.java
import java.util.*;
interface Ear { void heard(int cm); }
class Gauge {
    private final List<Ear> ears = new ArrayList<>();
    void add(Ear e) { ears.add(e); }
    void remove(Ear e) { ears.remove(e); }
    void set(int cm) { for (Ear e : List.copyOf(ears)) e.heard(cm); }
}
class Pane { void show(int cm) { System.out.println(cm); } }
class Tabs {
    private final Gauge gauge;
    private Pane pane = new Pane();
    Tabs(Gauge gauge) { this.gauge = gauge; }
    void open() {
        pane = new Pane();
        gauge.add(pane::show);
    }
    void again() {
        gauge.add(pane::show); //! repeated-subscription warning
    }
}
class Desk {
    public static void main(String[] args) {
        Gauge gauge = new Gauge();
        Tabs tabs = new Tabs(gauge);
        for (String arg : args) { tabs.open(); tabs.again(); }
        gauge.set(3);
    }
}
"#,
    );
}

#[test]
fn twice_on_one_path() {
    expect(
        "repeated-subscription",
        r#"
//// Kiln.java
import java.util.ArrayList;
import java.util.List;
class Kiln {
    private final List<Runnable> listeners = new ArrayList<>();
    private final List<Runnable> checked = new ArrayList<>();
    void addListener(Runnable l) { listeners.add(l); }
    void removeListener(Runnable l) { listeners.remove(l); }
    void addChecked(Runnable l) { if (!checked.contains(l)) checked.add(l); }
    void fire() { for (Runnable l : listeners) l.run(); for (Runnable l : checked) l.run(); }
}
class Potter {
    private final Kiln kiln = new Kiln();
    private final Runnable glaze = () -> System.out.println(this);
    Potter(boolean big) {
        kiln.addListener(glaze);
        kiln.addChecked(glaze);
        kiln.addChecked(glaze);
        wire();
        if (big) {
            begin(1);
        }
    }
    private void wire() {
        kiln.addListener(glaze); //! repeated-subscription warning
    }
    private void begin(int n) {
        kiln.removeListener(glaze);
        kiln.addListener(glaze);
    }
    public static void main(String[] args) { Potter p = new Potter(true); p.kiln.fire(); }
}
class Apprentice {
    private final Kiln kiln = new Kiln();
    private final Runnable glaze = () -> System.out.println(this);
    Apprentice(boolean big) {
        if (big) kiln.addListener(glaze); else kiln.addListener(glaze);
        kiln.fire();
    }
    public static void main(String[] args) { new Apprentice(true); }
}
"#,
    );
}

#[test]
fn once_more_at_every_picture() {
    expect(
        "repeated-subscription",
        r#"
//// Dial.cs
using System;
using System.Windows.Forms;
class Needle { public event Action Moved; public event Action Stuck; public void Move() { Moved?.Invoke(); Stuck?.Invoke(); } }
class Dial : Control {
    readonly Needle needle = new Needle();
    bool wired;
    Needle spare;
    protected override void OnPaint(PaintEventArgs e) {
        needle.Moved += Invalidate; //! repeated-subscription warning
        needle.Stuck -= Warn;
        needle.Stuck += Warn;
        if (!wired) { wired = true; needle.Moved += Warn; }
        spare = new Needle();
        spare.Moved += Warn;
        needle.Move();
    }
    void Warn() { }
}
"#,
    );
}

#[test]
fn in_loops() {
    expect(
        "repeated-subscription",
        r#"
//// lamps.ts
class Lamp {
    private handlers: (() => void)[] = [];
    onLit(h: () => void) { this.handlers.push(h); }
    light() { for (const h of this.handlers) h(); }
}
class Keeper {
    private main = new Lamp();
    private lamps = [new Lamp(), new Lamp()];
    private log = () => console.log('lit');
    start() {
        for (const lamp of this.lamps) lamp.onLit(this.log);
        for (let i = 0; i < 3; i++) {
            this.main.onLit(this.log); //! repeated-subscription warning
            const fresh = new Lamp();
            fresh.onLit(this.log);
        }
        this.main.light();
    }
    tend() {
        this.main.onLit(this.log); //! repeated-subscription warning
    }
}
const keeper = new Keeper();
keeper.start();
while (Math.random() > 0.1) keeper.tend();
"#,
    );
}

#[test]
fn an_entry_hook_that_is_released_at_the_very_end() {
    expect(
        "repeated-subscription",
        r#"
//// Gauges.java
import android.app.Activity;
import org.greenrobot.eventbus.EventBus;
import org.greenrobot.eventbus.Subscribe;
class Rose { }
class GaugeActivity extends Activity {
    @Override protected void onStart() { EventBus.getDefault().register(this); } //! repeated-subscription warning
    @Override protected void onDestroy() { EventBus.getDefault().unregister(this); }
    @Subscribe public void onRose(Rose rose) { }
    void rise() { EventBus.getDefault().post(new Rose()); }
}
class WeirActivity extends Activity {
    @Override protected void onStart() { EventBus.getDefault().register(this); }
    @Override protected void onStop() { EventBus.getDefault().unregister(this); }
    @Subscribe public void onRose(Rose rose) { }
}
"#,
    );
}

#[test]
fn what_is_taken_off_in_the_same_turn_or_with_all_that_is_heard() {
    expect(
        "repeated-subscription",
        r#"
//// Work.java
import java.util.*;
interface Hand { void stop(); }
class Foreman {
    private final List<Hand> busy = new ArrayList<>();
    int take(Hand h) { busy.add(h); return busy.size(); }
    void giveBack(Hand h) { busy.remove(h); }
    void idle(Hand h) { busy.add(h); }
    void end() { for (Hand h : List.copyOf(busy)) h.stop(); }
}
class Mason implements Hand {
    private final Foreman foreman;
    private boolean stopped;
    Mason(Foreman foreman) { this.foreman = foreman; }
    public void stop() { stopped = true; }
    void run() {
        while (!stopped) {
            int load = foreman.take(this);
            if (load > 2) System.out.println(load);
            else foreman.giveBack(this);
        }
    }
    void rest() {
        while (!stopped) foreman.idle(this); //! repeated-subscription warning
    }
    public static void main(String[] args) { Foreman f = new Foreman(); Mason m = new Mason(f); m.run(); m.rest(); f.end(); }
}
//// pages.ts
interface Bus { on(event: string, f: () => void): void; emit(event: string): void; destroy(): void; }
declare function makeBus(): Bus;
export function Pages(): { mount(): void } {
    const bus = makeBus();
    const { on, emit } = bus;
    let shown = 0;
    function mount() {
        stop();
        on('updated', mount);
        shown++;
        if (shown > 3) emit('updated');
    }
    function stop() { bus.destroy(); }
    return { mount };
}
Pages().mount();
"#,
    );
}

#[test]
fn what_is_called_with_other_types() {
    expect(
        "repeated-subscription",
        r#"
//// page.cpp
class Invite {}; class Answer {};
class Calls : public QObject {
    Q_OBJECT
public:
    void ring() { emit rung(Invite()); emit rung(Answer()); }
signals:
    void rung(const Invite &i);
    void rung(const Answer &a);
};
class Page : public QObject {
    Q_OBJECT
public:
    Page() { tie<Invite>(); tie<Answer>(); }
    template <class T> void tie() { connect(m_calls, qOverload<const T &>(&Calls::rung), this, qOverload<const T &>(&Page::show)); }
    void show(const Invite &i) { n = 1; }
    void show(const Answer &a) { n = 2; }
private:
    Calls *m_calls = new Calls();
    int n = 0;
};
int main() { Page page; }
"#,
    );
}

#[test]
fn what_is_made_anew_or_ended_before_it_is_heard() {
    expect(
        "repeated-subscription",
        r#"
//// runner.h
class Runner : public QObject {
    Q_OBJECT
public:
    void step() { emit stepped(1); }
signals:
    void stepped(int n);
};
class Work : public QWidget {
    Q_OBJECT
protected:
    void start() { m_runner = new Runner(this); }
    Runner *m_runner = nullptr;
};
//// form.cpp
#include "runner.h"
class Form : public Work {
    Q_OBJECT
public:
    Form(Runner *board) : m_board(board) { connect(m_go, SIGNAL(clicked()), this, SLOT(go())); }
signals:
    void closed();
public slots:
    void go() {
        start();
        connect(m_runner, SIGNAL(stepped(int)), this, SLOT(show(int)));
        connect(m_board, SIGNAL(stepped(int)), this, SLOT(show(int))); //! repeated-subscription warning
        delete m_stop;
        fill(m_stop);
        connect(m_stop, SIGNAL(clicked()), this, SLOT(halt()));
        auto *trip = new Trip(this);
        connect(m_board, &Runner::stepped, trip, [trip](int n) { trip->go(n); });
        connect(this, SIGNAL(closed()), this, SLOT(halt()));
        emit closed();
        disconnect(this, 0, 0, 0);
        m_runner->step();
    }
    void show(int n) { m_shown = n; }
    void halt() { m_shown = 0; }
private:
    Runner *m_board;
    QPushButton *m_go;
    QPushButton *m_stop;
    int m_shown = 0;
};
"#,
    );
}
