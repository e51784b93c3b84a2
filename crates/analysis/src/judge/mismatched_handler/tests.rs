//! Tests of rule `mismatched-handler`.

use crate::testing::expect;

#[test]
fn too_many_parameters() {
    expect(
        "mismatched-handler",
        r#"
//// kiln.js
const { EventEmitter } = require('node:events');
class Kiln extends EventEmitter {
  probe(chamber, percent) { this.emit('dry', chamber); this.emit('hot', chamber, percent); }
}
const kiln = new Kiln();
kiln.on('dry', (chamber) => console.log(chamber));
kiln.on('dry', (chamber, wood = 'oak') => console.log(chamber, wood));
kiln.on('dry', function (chamber, percent) { console.log(chamber, percent); }); //! mismatched-handler warning
kiln.on('hot', (chamber, percent) => console.log(chamber, percent));
kiln.on('hot', (...all) => console.log(all));
kiln.probe(1, 2);
"#,
    );
}

#[test]
fn a_substitute_without_the_method_and_a_slot_that_is_not_there() {
    expect(
        "mismatched-handler",
        r#"
//// shop.js
class Till { ring(n) { return n; } tray() { return 'out'; } }
class Kiosk {
  constructor(till) { this.till = till; }
  sell(n) { this.till.ring(n); this.till.tray(); }
}
new Kiosk(new Till()).sell(3);
new Kiosk({ ring: (n) => n, tray: () => 'locked' }).sell(3);
new Kiosk({ ring: (n) => n }).sell(3); //! mismatched-handler warning
//// mast.cpp
#include <QObject>
class Mast : public QObject {
    Q_OBJECT
public:
    void blow() { emit windy(3); }
signals:
    void windy(int knots);
};
class Log : public QObject {
    Q_OBJECT
public slots:
    void onWind(int knots) { total_ += knots; }
private:
    int total_ = 0;
};
int main() {
    Mast mast;
    Log log;
    QObject::connect(&mast, SIGNAL(windy(int)), &log, SLOT( onWind(int) ));
    QObject::connect(&mast, SIGNAL(windy(int)), &log, SLOT(onStorm(int))); //! mismatched-handler warning
    mast.blow();
}
"#,
    );
}

#[test]
fn a_message_that_names_itself_is_passed_whole() {
    expect(
        "mismatched-handler",
        r#"
//// kiln.js
import { EventTarget } from 'somewhere';
export class Kiln extends EventTarget {
  fire() { this.trigger({ type: 'fired', heat: 900 }); this.trigger('cooled'); }
}
export class Potter {
  constructor() {
    this.kiln = new Kiln();
    this.kiln.on('fired', (event) => this.note(event.heat));
    this.kiln.on('cooled', (degrees) => this.note(degrees)); //! mismatched-handler warning
  }
  note(heat) { this.heat = heat; }
}
"#,
    );
}

#[test]
fn a_receiver_of_which_its_getter_says_more() {
    expect(
        "mismatched-handler",
        r#"
//// view.cpp
class Part : public QObject { Q_OBJECT public: void save() { saved = true; } bool saved = false; };
class Plan : public Part { Q_OBJECT public slots: void finish(int n) { done = n; } private: int done = 0; };
class View : public QObject {
    Q_OBJECT
public:
    Part *part() const { return m_part; }
    Plan *plan() const { return (Plan *) part(); }
    void open(QDialog *dialog) {
        connect(dialog, SIGNAL(finished(int)), plan(), SLOT(finish(int)));
        connect(dialog, SIGNAL(finished(int)), part(), SLOT(finish(int))); //! mismatched-handler warning
    }
private:
    Part *m_part;
};
"#,
    );
}

#[test]
fn what_is_chosen_by_its_kind_and_what_comes_behind_an_error() {
    expect(
        "mismatched-handler",
        r#"
//// desks.js
class Desk {
    take(note) { this.note = note; }
    group(name) { return new Group(this, name); }
}
class Group {
    constructor(parent, name) {
        if (parent instanceof Desk) { this.desk = parent; } else { this.desk = parent.desk; }
        this.name = name;
    }
    add(note) { return this.desk.take(note); }
    group(name) { return new Group(this, this.name + name); }
}
export const all = new Desk().group('a').group('b');
all.add('x');
const { EventEmitter } = require('events');
const press = new EventEmitter();
press.on('done', (err, juice) => { console.log(err, juice); });
press.on('pressed', (kilos, litres) => { console.log(kilos, litres); }); //! mismatched-handler warning
press.emit('done', new Error('shut'));
press.emit('pressed', 1);
"#,
    );
}
