//// yarrowgraph.toml
[[keep]]
order = ["auth", "serve"]

[[keep]]
through = "Clerk.stamp"
to = "Drawer.put"

[[keep]]
apart = ["Drawer", "Stove"]
//// office.js
const express = require('express');

function auth(req, res, next) {
  if (!req.headers.key) return res.status(401).end();
  next();
}

function log(req, res, next) {
  console.log(req.url);
  next();
}

function serve(req, res) {
  res.json({ ok: true });
}

class Drawer {
  constructor() { this.letters = []; }
  put(letter) { this.letters.push(letter); }
}

class Stove {
  burn(drawer) { this.hot = drawer instanceof Drawer; } //! broken-keep
}

class Clerk {
  constructor(drawer) { this.drawer = drawer; }
  stamp(letter) { this.drawer.put({ ...letter, stamped: true }); }
}

class Boy {
  constructor(drawer, clerk) { this.drawer = drawer; this.clerk = clerk; }
  post(letter) { this.clerk.stamp(letter); }
  hurry(letter) { this.drawer.put(letter); } //! broken-keep
}

const app = express();
app.use(log);
app.use('/letters', serve); //! broken-keep
app.use(auth);
app.listen(80);

const drawer = new Drawer();
const boy = new Boy(drawer, new Clerk(drawer));
boy.post({ to: 'Marl' });
boy.hurry({ to: 'Wend' });
new Stove().burn(drawer);
