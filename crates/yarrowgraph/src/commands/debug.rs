//! `debug`: the text form of each layer.

use std::io::Write;
use std::time::Instant;

use yarrowgraph_analysis::program::{self, Program};
use yarrowgraph_analysis::wire::{self, Wiring};

use crate::args::{DebugArgs, Stage};
use crate::failure::{Failure, Status};
use crate::tree;
use crate::ui::{Output, Ui};

pub(super) fn run(args: &DebugArgs, ui: &Ui) -> Result<Status, Failure> {
    let mut out = Output::open(None)?;
    if args.stage == Stage::Parse {
        let (files, nodes) = tree::parse_only(&args.tree, ui)?;
        writeln!(out, "{files} files, {nodes} nodes")?;
        out.finish()?;
        return Ok(Status::Fine);
    }
    if args.stage == Stage::Ir {
        let found = crate::discover::discover(&args.tree.paths, args.tree.no_ignore, args.tree.config.as_deref())?;
        for source in &found.sources {
            let bytes = std::fs::read(&source.path).map_err(|e| Failure::new(format!("{}: {e}", source.path.display())))?;
            match yarrowgraph_syntax::read(source.language, &source.name, &bytes) {
                Ok(unit) => out.write_all(yarrowgraph_ir::dump(&unit).as_bytes())?,
                Err(e) => ui.remark(&format!("{}: {e}", source.name)),
            }
        }
        out.finish()?;
        return Ok(Status::Fine);
    }
    let tree = tree::read(&args.tree, ui)?;
    let config = &tree.found.config;
    if args.stage == Stage::Facts {
        for facts in &tree.facts {
            out.write_all(yarrowgraph_ir::dump(&facts.unit).as_bytes())?;
        }
        out.finish()?;
        return Ok(Status::Fine);
    }
    let read = tree.took;
    let started = Instant::now();
    let program = Program::link(tree.facts, &|language| config.kit(language), &tree.found.packages);
    let linked = started.elapsed();
    match args.stage {
        Stage::Program => out.write_all(program::dump(&program).as_bytes())?,
        Stage::Setup => out.write_all(wire::dump_setup(&Wiring::find(&program, false)).as_bytes())?,
        Stage::Line => {
            let (file, line) = place(args.at.as_deref())?;
            out.write_all(wire::dump_line(&Wiring::find(&program, false), file, line).as_bytes())?;
        }
        Stage::Effects => out.write_all(wire::dump(&Wiring::find(&program, false)).as_bytes())?,
        _ => {
            let started = Instant::now();
            let wiring = Wiring::find(&program, false);
            let wired = started.elapsed();
            let started = Instant::now();
            let map = wire::map(&wiring, ".");
            let mapped = started.elapsed();
            let started = Instant::now();
            let (findings, _) = yarrowgraph_analysis::judge::judge(&wiring);
            let judged = started.elapsed();
            writeln!(
                out,
                "read {read:?}\nlink {linked:?}\nwire {wired:?} ({} effects, {} budgets not kept)\nmap {mapped:?} ({} channels)\njudge {judged:?} ({} findings)",
                wiring.effects.len(),
                wiring.budgets.len(),
                map.channels.len(),
                findings.len()
            )?;
        }
    }
    out.finish()?;
    Ok(Status::Fine)
}

/// A file's name and a line, as `gauges/Gauge.java:12`.
fn place(at: Option<&str>) -> Result<(&str, u32), Failure> {
    let parts = at.and_then(|at| at.rsplit_once(':')).and_then(|(file, line)| Some((file, line.parse().ok()?)));
    parts.ok_or_else(|| Failure::new("this stage needs `--at FILE:LINE`".to_owned()))
}
