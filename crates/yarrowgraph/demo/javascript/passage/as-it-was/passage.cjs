'use strict';

const recorder = require('../../../recorders/javascript/recorder.cjs');

/** Counts who asks, and passes everybody on. */
class Tally {
  asked = 0;
  look(boat) {
    this.asked += 1;
    return { outcome: 'passed', boat };
  }
}

/** Passes a boat on with the draught that the measuring staff shows, whatever its papers say. */
class Staff {
  look(boat) {
    return { outcome: 'passed', boat: { ...boat, draught: boat.draught + (boat.laden ? 20 : 0) } };
  }
}

/** Lets the keeper's own boats through at once. */
class Permit {
  look(boat) {
    return { outcome: boat.owner === 'keeper' ? 'handled' : 'passed', boat };
  }
}

/** Refuses a boat that would ground on the sill. */
class Sill {
  constructor(depth) {
    this.depth = depth;
  }

  look(boat) {
    return { outcome: boat.draught > this.depth ? 'rejected' : 'passed', boat };
  }
}

/** Takes the toll of whoever comes this far, and lets him through. */
class Toll {
  pence = 0;
  look(boat) {
    this.pence += 6;
    return { outcome: 'handled', boat };
  }
}

class Sluice {
  wind(turns) {
    return recorder.call('marlwend.Sluice.wind', this, [turns], () => turns);
  }
}

class Gate {
  swing(open) {
    return recorder.call('marlwend.Gate.swing', this, [open], () => open);
  }
}

/** Looks at every boat that asks for passage, link by link, and locks through the ones that may pass. */
class Passage {
  sluice = recorder.made(new Sluice());
  gate = recorder.made(new Gate());
  toll = new Toll();
  links = [new Tally(), new Staff(), new Permit(), new Sill(150), this.toll];

  ask(boat) {
    return recorder.call('marlwend.Passage.ask', this, [boat.name], () => {
      let request = boat;
      for (const link of this.links) {
        const answer = this.offer(link, request);
        if (answer.outcome === 'rejected') return false;
        if (answer.outcome === 'handled') break;
        request = answer.boat;
      }
      this.lockThrough();
      return true;
    });
  }

  offer(link, boat) {
    return recorder.offer('marlwend.Passage.links', `marlwend.${link.constructor.name}.look`, link, boat, (span) => {
      const answer = link.look(boat);
      span.settle(answer.outcome);
      return answer;
    });
  }

  lockThrough() {
    this.sluice.wind(12);
    this.gate.swing(true);
    this.gate.swing(false);
    this.sluice.wind(-12);
  }
}

function day(passage) {
  const boats = [
    { name: 'Heron', owner: 'miller', draught: 110, laden: true },
    { name: 'Teal', owner: 'keeper', draught: 160, laden: false },
    { name: 'Bittern', owner: 'brickyard', draught: 140, laden: true },
  ];
  const through = boats.filter((boat) => passage.ask(boat));
  console.log(`${through.length} of ${boats.length} boats through, ${passage.toll.pence} pence taken`);
}

day(new Passage());
