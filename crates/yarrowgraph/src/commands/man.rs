//! `man`: the manual page, with a section for each command.

use std::io::Write;

use clap::CommandFactory;

use crate::args::Cli;
use crate::failure::{Failure, Status};
use crate::ui::Output;

pub(super) fn run() -> Result<Status, Failure> {
    let mut page = Vec::new();
    let command = Cli::command();
    clap_mangen::Man::new(command.clone()).render(&mut page)?;
    for sub in command.get_subcommands().filter(|s| !s.is_hide_set()) {
        let man = clap_mangen::Man::new(sub.clone());
        writeln!(page, ".SH {}", sub.get_name().to_uppercase())?;
        man.render_synopsis_section(&mut page)?;
        man.render_description_section(&mut page)?;
        man.render_options_section(&mut page)?;
    }
    let mut out = Output::open(None)?;
    out.write_all(&page)?;
    out.finish()?;
    Ok(Status::Fine)
}
