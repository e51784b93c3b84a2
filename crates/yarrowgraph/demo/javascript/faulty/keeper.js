'use strict';

class Slate {
  lines = [];
  pence = 0;

  write(line) {
    this.lines.push(line);
  }

  take(passage, pence) {
    this.pence += pence;
    this.write(`${passage.boat} paid`);
  }

  read() {
    return this.lines.join('\n');
  }
}

/** Tells how it stands as soon as the present work is done. */
class Lamp {
  watchers = [];
  lit = false;
  due = false;

  watch(watcher) {
    this.watchers.push(watcher);
    return () => this.watchers.splice(this.watchers.indexOf(watcher), 1);
  }

  set(lit) {
    this.lit = lit;
    if (this.due) return;
    this.due = true;
    queueMicrotask(() => {
      this.due = false;
      for (const watcher of [...this.watchers]) watcher(this.lit);
    });
  }
}

module.exports = { Lamp, Slate };
