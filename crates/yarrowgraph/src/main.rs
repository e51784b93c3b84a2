//! The command line of Yarrowgraph.

mod args;
mod cache;
mod commands;
mod config;
mod discover;
mod failure;
mod manifests;
mod shortened;
mod tree;
mod ui;

use std::process::ExitCode;

/// Parsing makes and drops millions of small things; this allocator, which the grammars use
/// too, takes a tenth off the whole run.
#[global_allocator]
static ALLOCATOR: mimalloc::MiMalloc = mimalloc::MiMalloc;

fn main() -> ExitCode {
    commands::main()
}
