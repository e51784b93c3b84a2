//! The command line of Yarrowgraph.

mod args;
mod commands;
mod discover;
mod failure;
mod tree;
mod ui;

use std::process::ExitCode;

fn main() -> ExitCode {
    commands::main()
}
