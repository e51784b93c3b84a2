//! Standard output and standard error: colour, width, progress.

use std::fs::File;
use std::io::{self, BufWriter, IsTerminal, Write};
use std::path::Path;
use std::time::Duration;

use indicatif::{ProgressBar, ProgressDrawTarget, ProgressStyle};
use yarrowgraph_render::{Palette, TextOptions};

use crate::args::{Colour, Global};
use crate::failure::Failure;

/// What a run knows of its surroundings, asked once.
#[derive(Clone, Copy, Debug)]
pub(crate) struct Ui {
    global: Global,
    stdout_colour: bool,
    stderr_colour: bool,
    stderr_terminal: bool,
    width: usize,
}

impl Ui {
    pub(crate) fn new(global: Global) -> Self {
        let allowed = std::env::var_os("NO_COLOR").is_none_or(|v| v.is_empty());
        let dumb = std::env::var_os("TERM").is_some_and(|t| t == "dumb");
        let colour = |terminal: bool| match global.color {
            Colour::Always => true,
            Colour::Never => false,
            Colour::Auto => terminal && allowed && !dumb,
        };
        let (out, err) = (io::stdout().is_terminal(), io::stderr().is_terminal());
        let columns = std::env::var("COLUMNS").ok().and_then(|c| c.parse().ok());
        let width = columns.or_else(|| terminal_size::terminal_size().map(|(w, _)| usize::from(w.0))).unwrap_or(100);
        Self { global, stdout_colour: colour(out), stderr_colour: colour(err), stderr_terminal: err, width: width.clamp(40, 200) }
    }

    pub(crate) fn verbose(&self) -> bool {
        self.global.verbose
    }

    /// How results are written to a file (no colour) or to standard output.
    pub(crate) fn text(&self, to_file: bool) -> TextOptions {
        TextOptions { palette: Palette::new(self.stdout_colour && !to_file), width: self.width }
    }

    /// A remark on standard error, unless only results and errors are wanted.
    pub(crate) fn remark(&self, text: &str) {
        if !self.global.quiet {
            self.say(text);
        }
    }

    /// An error on standard error.
    pub(crate) fn error(&self, message: &str, hint: Option<&str>) {
        let p = Palette::new(self.stderr_colour);
        self.say(&format!("{} {message}", p.paint(yarrowgraph_render::Role::Error, "yarrowgraph:")));
        if let Some(hint) = hint {
            self.say(&format!("  {hint}"));
        }
    }

    fn say(&self, text: &str) {
        // nobody is left to tell when standard error is closed
        let _ = writeln!(io::stderr(), "{text}");
    }

    /// Progress on a terminal only.
    pub(crate) fn progress(&self, what: &'static str, total: u64) -> ProgressBar {
        if !self.stderr_terminal || self.global.quiet {
            return ProgressBar::hidden();
        }
        let bar = ProgressBar::with_draw_target(Some(total), ProgressDrawTarget::stderr_with_hz(10));
        if let Ok(style) = ProgressStyle::with_template("{msg} {pos}/{len} {wide_bar} {elapsed}") {
            bar.set_style(style);
        }
        bar.set_message(what);
        bar.enable_steady_tick(Duration::from_millis(200));
        bar
    }
}

/// Where results go.
pub(crate) enum Output {
    Stdout(BufWriter<io::Stdout>),
    File(BufWriter<File>),
}

impl Output {
    /// Opens the output before the long work; `-` and nothing mean standard output.
    pub(crate) fn open(path: Option<&Path>) -> Result<Self, Failure> {
        match path {
            Some(path) if path != Path::new("-") => {
                let file = File::create(path).map_err(|e| Failure::new(format!("{}: cannot be written: {e}", path.display())))?;
                Ok(Output::File(BufWriter::new(file)))
            }
            _ => Ok(Output::Stdout(BufWriter::new(io::stdout()))),
        }
    }

    pub(crate) fn is_file(&self) -> bool {
        matches!(self, Output::File(_))
    }

    /// Writes out what is buffered.
    pub(crate) fn finish(mut self) -> Result<(), Failure> {
        self.flush()?;
        Ok(())
    }
}

impl Write for Output {
    fn write(&mut self, bytes: &[u8]) -> io::Result<usize> {
        match self {
            Output::Stdout(w) => w.write(bytes),
            Output::File(w) => w.write(bytes),
        }
    }

    fn flush(&mut self) -> io::Result<()> {
        match self {
            Output::Stdout(w) => w.flush(),
            Output::File(w) => w.flush(),
        }
    }
}
