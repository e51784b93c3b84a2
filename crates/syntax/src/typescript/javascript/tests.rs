//! Fixtures of what JavaScript has besides TypeScript's ways.

use yarrowgraph_ir::{Language, dump};

fn read(path: &str, text: &str) -> yarrowgraph_ir::Unit {
    crate::read(Language::JavaScript, path, text.as_bytes()).expect("readable")
}

#[test]
fn classes_from_functions() {
    insta::assert_snapshot!(dump(&read(
        "lib/gate.js",
        r#"
var Base = require('./base'), { T, open: lift } = require('./names');
function Gate(name) { Base.call(this, name); var self = this; this.name = name; later(function () { self.late = 1; }); }
util.inherits(Gate, Base);
Gate.prototype.open = function (by) { Base.prototype.open.call(this, by); };
Gate.make = function () { return new Gate('main'); };
Object.defineProperty(Gate.prototype, 'label', { get: function () { return this.name; } });
var Panel = Widget.extend({ show: function () {}, hide() {}, depth: 2 });
module.exports = Gate;
module.exports.lift = lift;
"#
    )));
}

#[test]
fn modules_in_functions_and_types_in_comments() {
    insta::assert_snapshot!(dump(&read(
        "lib/board.js",
        r#"
/** @typedef {Object} Size
 * @property {Gauge} gauge
 */
define(['./gauge', './bus'], function (Gauge, bus) {
  class Board {
    /** @param {?Gauge} gauge @returns {Board[]} */
    constructor(gauge) { /** @type {Map<string, Gauge>} */ this.all = new Map(); this._one = gauge; }
  }
  return { Board: Board, show() { bus.tell('shown'); } };
});
"#
    )));
}
