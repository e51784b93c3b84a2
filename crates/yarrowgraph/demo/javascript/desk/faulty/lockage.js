'use strict';

/** The lockage desk: whoever works at the staircase hears of the others by it alone. */
class LockageDesk {
  #posts = [];

  admit(post) {
    this.#posts.push(post);
  }

  dismiss(post) {
    const at = this.#posts.indexOf(post);
    if (at >= 0) this.#posts.splice(at, 1);
  }

  tell(from, text) {
    for (const post of [...this.#posts]) post.hear(text);
  }
}

class Post {
  constructor(desk) {
    this.desk = desk;
    desk.admit(this);
  }

  leave() {
    this.desk.dismiss(this);
  }
}

class GateKeeper extends Post {
  open() {
    this.desk.tell(this, 'gate open');
  }

  hear(text) {
    console.log(`gate keeper hears: ${text}`);
  }
}

class SluiceKeeper extends Post {
  notches = 0;

  wind(notches) {
    this.notches += notches;
    this.desk.tell(this, `sluice at ${this.notches}`);
  }

  drop() {
    this.notches = 0;
    this.desk.tell(this, 'sluice down');
  }

  hear(text) {
    if (text === 'gate open') this.desk.tell(this, 'sluice keeper waits');
  }
}

module.exports = { GateKeeper, LockageDesk, SluiceKeeper };
