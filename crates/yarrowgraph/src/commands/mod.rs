//! One file a command; here they are chosen, and failures become messages and statuses.

mod check;
mod completions;
mod convert;
mod debug;
mod demo;
mod explain;
mod follow;
mod init;
mod machine;
mod man;
mod map;
mod replay;
mod roster;
mod schemas;

use std::process::ExitCode;

use clap::Parser;

use crate::args::{Cli, Command};
use crate::failure::{Failure, Status};
use crate::ui::Ui;

/// The stack of a worker: lowering stops descending long before this is used up.
const STACK: usize = 32 << 20;

/// Runs the program.
pub(crate) fn main() -> ExitCode {
    let cli = match Cli::try_parse() {
        Ok(cli) => cli,
        Err(error) => {
            // help and version go to standard output; a closed pipe is no error
            let _ = error.print();
            return ExitCode::from(if error.use_stderr() { 2 } else { 0 });
        }
    };
    let ui = Ui::new(cli.global);
    let pool = rayon::ThreadPoolBuilder::new().num_threads(cli.global.threads).stack_size(STACK).build();
    let result = match pool {
        Ok(pool) => pool.install(|| run(cli.command, &ui)),
        Err(error) => Err(Failure::new(format!("threads cannot be started: {error}"))),
    };
    match result {
        Ok(Status::Fine) | Err(Failure::ClosedPipe) => ExitCode::SUCCESS,
        Ok(Status::Found) => ExitCode::from(1),
        Ok(Status::Undecided) => ExitCode::from(3),
        Err(Failure::Use { message, hint }) => {
            ui.error(&message, hint.as_deref());
            ExitCode::from(2)
        }
    }
}

fn run(command: Command, ui: &Ui) -> Result<Status, Failure> {
    match command {
        Command::Map(args) => map::run(&args, ui),
        Command::Machine(args) => machine::run(&args, ui),
        Command::Check(args) => check::run(&args, ui),
        Command::Init(args) => init::run(&args, ui),
        Command::Explain(args) => explain::run(&args, ui),
        Command::Completions(args) => completions::run(&args),
        Command::Man => man::run(),
        Command::Schemas(args) => schemas::run(&args),
        Command::Debug(args) => debug::run(&args, ui),
        Command::Replay(args) => replay::run(&args, ui),
        Command::Convert(args) => convert::run(&args, ui),
        Command::Roster(args) => roster::run(&args, ui),
        Command::Follow(args) => follow::run(&args, ui),
        Command::Demo(args) => demo::run(&args, ui),
    }
}

#[cfg(test)]
mod tests {
    use clap::CommandFactory;

    #[test]
    fn the_command_line_is_consistent() {
        crate::args::Cli::command().debug_assert();
    }
}
