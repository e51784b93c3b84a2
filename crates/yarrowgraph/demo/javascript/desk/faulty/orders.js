'use strict';

/** An order to the machinery, which can be taken back until the boats have moved. */
class Order {
  constructor(sluice) {
    this.sluice = sluice;
  }
}

class RaiseSluice extends Order {
  constructor(sluice, notches) {
    super(sluice);
    this.notches = notches;
  }

  carryOut() {
    this.sluice.wind(this.notches);
  }

  takeBack() {
    this.sluice.wind(-this.notches);
  }
}

class DropSluice extends Order {
  carryOut() {
    this.was = this.sluice.notches;
    this.sluice.drop();
  }

  takeBack() {}
}

const Word = Object.freeze({ RAISE: 'raise', DROP: 'drop', HOLD: 'hold' });

const makers = {
  [Word.RAISE]: (sluice) => new RaiseSluice(sluice, 3),
  [Word.DROP]: (sluice) => new DropSluice(sluice),
};

/** Makes an order by the word on the slip. */
function order(word, sluice) {
  const make = makers[word];
  return make ? make(sluice) : null;
}

/** Orders that wait, and orders that were carried out. */
class OrderBook {
  #waiting = [];
  #done = [];

  put(one) {
    if (one) this.#waiting.push(one);
  }

  work() {
    while (this.#waiting.length > 0) {
      const one = this.#waiting.shift();
      one.carryOut();
      this.#done.push(one);
    }
  }

  takeBack() {
    const last = this.#done.pop();
    if (last) last.takeBack();
  }
}

module.exports = { OrderBook, Word, order };
