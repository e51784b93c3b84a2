'use strict';

const { Chamber, Level } = require('./chamber');
const { OrderBook, Word, order } = require('./orders');
const { GateKeeper, LockageDesk, SluiceKeeper } = require('./lockage');

const desk = new LockageDesk();
const gate = new GateKeeper(desk);
const sluice = new SluiceKeeper(desk);
const book = new OrderBook();
const chamber = new Chamber(1);

chamber.fill();
book.put(order(Word.RAISE, sluice));
book.work();
for (const metres of [1.1, 2.6, 3.3]) chamber.gauge(metres);
if (chamber.level === 'ful') gate.open();
book.put(order(Word.DROP, sluice));
book.put(order('rise', sluice));
book.work();
book.takeBack();
chamber.drain();
chamber.gauge(0.3);
chamber.lay();
sluice.wind(2);
console.log(`chamber ${chamber.number}: ${chamber.level}, ${chamber.metres} m`);
gate.leave();
sluice.leave();
