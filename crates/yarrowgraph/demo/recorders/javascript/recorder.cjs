'use strict';
// Writes what happens in a program to a recording (JSON Lines) that yarrowgraph can read. One file, no dependencies: require
// or import it (`import recorder from './recorder.cjs'`), or paste it.
//
// Nothing is written unless the environment variable YARROWGRAPH_RECORDING names a file, or `recorder.to(file)` was called.
// Every record is written as it happens, so that a crash leaves all that came before. What is started within some work belongs
// to it, also what comes later in promises, timers and callbacks. Objects are labelled by their class and number in the order
// in which they are first named, and are not kept alive by that.
//
//   recorder.raise('Gauge.rose', gauge, [cm], () => {
//     for (const l of listeners) recorder.deliver('Board.show', board, () => l(cm));
//   });

const { AsyncLocalStorage } = require('node:async_hooks');
const fs = require('node:fs');
const { createHash } = require('node:crypto');

const LONGEST = 2000;
const MOST = 200;
const DEEPEST = 8;

/** The work that is going on: its record, what it belongs to, its lane and test. */
const going = new AsyncLocalStorage();
const labels = new WeakMap();
const counts = new Map();
const started = process.hrtime.bigint();
let file = null;
let last = 0;

/** Begins a recording in a file; what was there before goes. */
function to(path, program) {
  close();
  file = fs.openSync(path, 'w');
  last = 0;
  put({ recording: 1, program, made_by: 'recorder-javascript 1' });
}

/** Ends the recording. */
function close() {
  if (file !== null) fs.closeSync(file);
  file = null;
}

function put(record) {
  try {
    fs.writeSync(file, `${JSON.stringify(record)}\n`);
  } catch (error) {
    process.stderr.write(`recording: ${error.message}\n`);
    file = null;
  }
}

/** The label of an object: its class, and its number in the order of first appearance. */
function label(object) {
  if (object === undefined || object === null) return undefined;
  if (typeof object === 'string') return object;
  if (typeof object !== 'object' && typeof object !== 'function') return undefined;
  let known = labels.get(object);
  if (known === undefined) {
    const type = (typeof object === 'function' && object.name) || object.constructor?.name || 'Object';
    const count = (counts.get(type) ?? 0) + 1;
    counts.set(type, count);
    known = `${type}#${count}`;
    labels.set(object, known);
  }
  return known;
}

/** Gives an object its label now, so that two of one class can be told apart by the order in which they were made. */
function made(object) {
  if (file !== null) label(object);
  return object;
}

function isPlain(value) {
  const proto = Object.getPrototypeOf(value);
  return proto === Object.prototype || proto === null;
}

function digest(text) {
  return { digest: createHash('sha256').update(text).digest('hex').slice(0, 32) };
}

/** A value as JSON: plain data as it is; any other object by its label. */
function json(value, depth = 0) {
  switch (typeof value) {
    case 'string':
      return value.length > LONGEST ? digest(value) : value.toWellFormed?.() ?? value;
    case 'number':
      return Number.isFinite(value) ? value : String(value);
    case 'bigint':
    case 'symbol':
      return String(value);
    case 'undefined':
      return null;
    case 'function':
      return { object: label(value) };
    default:
  }
  if (value === null || typeof value === 'boolean') return value;
  if (depth > DEEPEST) return '…';
  const items = Array.isArray(value) || value instanceof Set ? [...value] : null;
  if (items) {
    const written = items.map((item) => json(item, depth + 1));
    return items.length > MOST ? digest(JSON.stringify(written)) : written;
  }
  if (value instanceof Map || isPlain(value)) {
    const entries = value instanceof Map ? [...value] : Object.entries(value);
    return Object.fromEntries(entries.map(([key, of]) => [String(key), json(of, depth + 1)]));
  }
  if (value instanceof Date) return value.toISOString();
  return { object: label(value) };
}

/** The test that runs: what was said, or what the test framework says. */
function testName() {
  return going.getStore()?.test ?? globalThis.expect?.getState?.().currentTestName;
}

function write(kind, fields) {
  if (file === null) return 0;
  const now = going.getStore();
  const n = ++last;
  const settles = kind === 'settle';
  const by = settles ? undefined : now?.n || undefined;
  const lane = now?.lane;
  put({
    n,
    by,
    lane,
    case: by || settles ? undefined : testName(),
    at: Number(process.hrtime.bigint() - started),
    kind,
    ...fields,
  });
  return n;
}

/** Runs work as a record; its end is that of the promise, where it gives one back. */
function within(kind, fields, work, more = {}) {
  const span = { outcome: 'done', value: undefined };
  const handle = {
    /** Says how it ends: done, handled, passed, rejected or threw. */
    settle(outcome) {
      span.outcome = outcome;
    },
    /** Says what it gives back. */
    gives(value) {
      span.value = value;
      return value;
    },
  };
  const outer = going.getStore();
  const n = write(kind, fields);
  handle.n = n;
  const end = (outcome, value) => {
    if (n > 0) write('settle', { of: n, outcome, value: value === undefined ? undefined : json(value) });
  };
  const failed = (error) => {
    end('threw', error?.name ?? String(error));
    throw error;
  };
  return going.run({ ...outer, ...more, n: n || outer?.n }, () => {
    let result;
    try {
      result = work ? work(handle) : undefined;
    } catch (error) {
      return failed(error);
    }
    if (result && typeof result.then === 'function') {
      return result.then((value) => {
        end(span.outcome, span.value);
        return value;
      }, failed);
    }
    end(span.outcome, span.value);
    return result;
  });
}

function args(list) {
  if (list === undefined || list.length === 0) return undefined;
  try {
    return json(list);
  } catch {
    // a getter that throws is the program's own matter
    return '…';
  }
}

module.exports = {
  to,
  close,
  made,
  label,
  /** Runs work in a lane: its role ("pump"), the same in every run. */
  lane(role, work) {
    return going.run({ ...going.getStore(), lane: role === 'main' ? undefined : role }, work);
  },
  /** Runs work as a test. */
  test(name, work) {
    return going.run({ ...going.getStore(), test: name }, work);
  },
  /** Work that belongs to what is going on now, wherever it is run. */
  carry(work) {
    return AsyncLocalStorage.bind ? AsyncLocalStorage.bind(work) : work;
  },
  /** A call from outside into the program, or an operation of a receiver. */
  call(target, object, list, work) {
    return within('call', { target, object: label(object), args: args(list) }, work);
  },
  /** A channel is raised; whoever is told meanwhile is told by it. */
  raise(channel, subject, list, work) {
    const raise = { channel, subject: label(subject) };
    return within('raise', { ...raise, args: args(list) }, work, { raise });
  },
  /** A handler is called by the channel that is being raised. */
  deliver(handler, subscriber, work) {
    const { channel = '?', subject } = going.getStore()?.raise ?? {};
    return within('deliver', { channel, subject, handler, subscriber: label(subscriber) }, work);
  },
  /** A handler is tied to a channel. */
  subscribe(channel, subject, handler, subscriber) {
    write('subscribe', { channel, subject: label(subject), handler, subscriber: label(subscriber) });
  },
  /** A handler is taken off a channel. */
  unsubscribe(channel, subject, handler, subscriber) {
    write('unsubscribe', { channel, subject: label(subject), handler, subscriber: label(subscriber) });
  },
  /** A command is handed to its invoker. The work is given a handle; keep it if the command is carried out later. */
  issue(command, object, invoker, list, work) {
    return within('issue', { command, object: label(object), invoker: label(invoker), args: args(list) }, work);
  },
  /** A command is carried out; `issued` is the handle of an issue that was made in other work. */
  run(command, object, invoker, work, issued) {
    return within('run', { command, object: label(object), invoker: label(invoker), for: issued?.n || undefined }, work);
  },
  /** A command is taken back. */
  undo(command, object, invoker, work) {
    return within('undo', { command, object: label(object), invoker: label(invoker) }, work);
  },
  /** A request is put to one link of a chain; the work says by its handle what becomes of it. */
  offer(chain, handler, object, request, work) {
    return within('offer', { chain, handler, object: label(object), request: json(request) }, work);
  },
  /** A machine moves to another state. */
  enter(machine, object, from, to, event) {
    write('enter', { machine, object: label(object), from, to, event });
  },
  /** An object's life ends. */
  end(object) {
    write('end', { object: label(object) });
  },
  /** A remark, which is never compared. */
  note(text) {
    write('note', { text: String(text) });
  },
};

if (process.env.YARROWGRAPH_RECORDING) to(process.env.YARROWGRAPH_RECORDING);
