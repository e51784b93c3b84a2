//! From facts to the map and its findings: link, flow, wire, judge.
//!
//! ```text
//! Facts ─▶ Program ─▶ Flow ─▶ Wiring ─▶ Map
//!          (link)     (values) (effects,  └▶ Findings
//!                               channels)
//! ```
//!
//! Nothing here reads a file, prints, or knows a grammar: facts come in, values go out.

pub mod chain;
pub mod codes;
pub mod command;
pub mod coupling;
pub mod flow;
pub mod follow;
pub mod judge;
pub mod keep;
pub mod machine;
pub mod mediator;
mod memo;
pub mod program;
mod setup;
pub mod state;
pub mod wire;
pub mod written;

#[cfg(test)]
mod fixtures;
#[cfg(test)]
mod testing;

use yarrowgraph_ir::{Facts, Language};
use yarrowgraph_model::{Finding, Map};

use judge::Accepted;
use program::{Kit, Packages, Program};
use wire::Wiring;

/// What an analysis found.
#[derive(Debug)]
pub struct Analysis {
    /// The map; its files part is the caller's to fill.
    pub map: Map,
    /// The findings, by place.
    pub findings: Vec<Finding>,
    /// What comments accept.
    pub accepted: Accepted,
    /// Names in what must stay so that mean nothing of the tree.
    pub unknown: Vec<String>,
}

/// How to analyse.
#[derive(Clone, Copy, Debug)]
pub struct Options<'a> {
    /// The path of the tree, as the map names it.
    pub root: &'a str,
    /// Which results are wanted.
    pub want: Want,
    /// Whether the tree says of itself that other trees use it, as a package's manifest does.
    pub library: bool,
    /// The packages of the tree.
    pub packages: &'a Packages,
    /// What the project states must stay so.
    pub keeps: &'a [keep::Keep],
    /// How large a mediator may be.
    pub limits: mediator::Limits,
    /// Whether the process ends soon, so that memory need not be given back.
    pub ends: bool,
}

/// Which results are wanted.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Want {
    /// The map alone.
    Map,
    /// The map and the findings.
    Findings,
}

/// Finds the wiring of a tree and asks it something.
pub fn with_wiring<T>(facts: Vec<Facts>, kit: &dyn Fn(Language) -> Kit, options: Options<'_>, ask: impl FnOnce(&Wiring<'_>) -> T) -> T {
    let program = Program::link(facts, kit, options.packages);
    let wiring = Wiring::find(&program, options.library);
    wiring.prepare();
    ask(&wiring)
}

/// Analyses the facts of a tree. The same facts give the same result at any number of threads.
pub fn analyse(facts: Vec<Facts>, kit: &dyn Fn(Language) -> Kit, options: Options<'_>) -> Analysis {
    let program = Program::link(facts, kit, options.packages);
    let mut wiring = Wiring::find(&program, options.library);
    wiring.keeps = options.keeps.to_vec();
    wiring.limits = options.limits;
    wiring.prepare();
    let judged = || match options.want {
        Want::Map => (Vec::new(), Accepted::default()),
        Want::Findings => judge::judge(&wiring),
    };
    let (map, (findings, accepted)) = rayon::join(|| wire::map(&wiring, options.root), judged);
    let unknown = keep::unknown(&program, options.keeps);
    // freeing a large program takes a while
    if options.ends {
        std::mem::forget(wiring);
        std::mem::forget(program);
    } else {
        drop(wiring);
        rayon::spawn(move || drop(program));
    }
    Analysis { map, findings, accepted, unknown }
}
