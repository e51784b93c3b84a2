// Runs a chart with an interpreter that is not ours: the state after the start and after each event, a line each.
'use strict';
const fs = require('node:fs');
const scxml = require('@scion-scxml/scxml');

const [, , chart, ...events] = process.argv;
const fail = (error) => {
  console.error(error);
  process.exit(1);
};
scxml.documentStringToModel(chart, fs.readFileSync(chart, 'utf8'), (error, model) => {
  if (error) fail(error);
  model.prepare((unprepared, prepared) => {
    if (unprepared) fail(unprepared);
    const run = new scxml.core.Statechart(prepared, {});
    run.start();
    console.log(run.getConfiguration().join(' '));
    for (const name of events) {
      run.gen({ name });
      console.log(run.getConfiguration().join(' '));
    }
  });
});
