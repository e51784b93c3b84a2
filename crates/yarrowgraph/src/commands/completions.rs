//! `completions`: for a shell.

use clap::CommandFactory;

use crate::args::{Cli, CompletionsArgs};
use crate::failure::{Failure, Status};
use crate::ui::Output;

pub(super) fn run(args: &CompletionsArgs) -> Result<Status, Failure> {
    let mut script = Vec::new();
    clap_complete::generate(args.shell, &mut Cli::command(), "yarrowgraph", &mut script);
    let mut out = Output::open(None)?;
    std::io::Write::write_all(&mut out, &script)?;
    out.finish()?;
    Ok(Status::Fine)
}
