'use strict';

/** What a chamber can be in. */
const Level = Object.freeze({ LOW: 'low', FILLING: 'filling', FULL: 'full', DRAINING: 'draining', DRY: 'dry', SILTED: 'silted' });

/** One chamber of the staircase. */
class Chamber {
  #level = Level.LOW;
  #metres = 0;

  constructor(number) {
    this.number = number;
  }

  get level() {
    return this.#level;
  }

  fill() {
    if (this.#level === Level.LOW) this.#level = Level.FILLING;
  }

  drain() {
    if (this.#level === Level.FULL) this.#level = Level.DRAINING;
  }

  gauge(metres) {
    this.#metres = metres;
    switch (this.#level) {
      case Level.FILLING:
        if (metres >= 3.2) this.#level = Level.FULL;
        break;
      case Level.DRAINING:
        if (metres <= 0.4) this.#level = Level.LOW;
        break;
      case Level.SILTED:
        if (metres > 1) this.#level = Level.LOW;
        break;
    }
  }

  /** For work on the sill: from whatever it was. */
  lay() {
    this.#level = Level.DRY;
  }

  get metres() {
    return this.#metres;
  }
}

module.exports = { Chamber, Level };
