'use strict';

const { EventEmitter } = require('node:events');
const { Lamp, Slate } = require('./keeper');

/** The one wire along the staircase. */
const wire = new EventEmitter();

class Gate {
  constructor(name) {
    this.name = name;
  }

  swing(boat) {
    wire.emit('swung', { gate: this, boat });
  }

  /** Swung by the wind, with nobody in it. */
  blow() {
    wire.emit('swung', { boat: 'nobody' });
  }
}

const slate = new Slate();
wire.on('swung', ({ gate, boat }) => slate.write(`${gate.name.toUpperCase()}: ${boat}`));
wire.on('swung', function (passage, pence) {
  slate.take(passage, pence);
});

const lamp = new Lamp();
lamp.watch((lit) => slate.write(lit ? 'lit' : 'dark'));

const upper = new Gate('upper');
upper.swing('Ada');
upper.blow();
lamp.set(true);
lamp.set(false);
setTimeout(() => console.log(slate.read()), 10);
