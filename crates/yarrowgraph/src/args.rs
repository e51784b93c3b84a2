//! What can be typed.

use std::path::PathBuf;

use clap::{Args, Parser, Subcommand, ValueEnum};

/// Maps who listens to whom in object-oriented code
///
/// Yarrowgraph reads source code, maps observer subscriptions and the raises that reach them, flags leaked or missing
/// subscriptions, and compares recordings of runs to confirm that dispatch order is unchanged.
#[derive(Debug, Parser)]
#[command(name = "yarrowgraph", version, max_term_width = 100)]
pub(crate) struct Cli {
    #[command(flatten)]
    pub(crate) global: Global,
    #[command(subcommand)]
    pub(crate) command: Command,
}

/// Options that work everywhere.
#[derive(Clone, Copy, Debug, Args)]
pub(crate) struct Global {
    /// When to use colour
    #[arg(long, global = true, value_enum, default_value_t = Colour::Auto, value_name = "WHEN")]
    pub(crate) color: Colour,
    /// Say nothing but results and errors
    #[arg(long, short, global = true)]
    pub(crate) quiet: bool,
    /// Say more about what is read and left out
    #[arg(long, short, global = true, conflicts_with = "quiet")]
    pub(crate) verbose: bool,
    /// Use this many threads (0 for one a core)
    #[arg(long, global = true, default_value_t = 0, value_name = "N")]
    pub(crate) threads: usize,
}

#[derive(Clone, Copy, Debug, PartialEq, Eq, ValueEnum)]
pub(crate) enum Colour {
    /// On a terminal, unless NO_COLOR is set
    Auto,
    /// Always
    Always,
    /// Never
    Never,
}

#[derive(Debug, Subcommand)]
pub(crate) enum Command {
    /// Show the wiring of a tree
    Map(MapArgs),
    /// Show the state machines of a tree as charts
    Machine(MachineArgs),
    /// Report what is wrong with the wiring
    Check(CheckArgs),
    /// Confirm that dispatch order is unchanged
    Replay(ReplayArgs),
    /// Show who was attached to what in a recorded run, and who was called after its end
    Roster(RosterArgs),
    /// Show what one raise, command, request or call set off in a recorded run
    Follow(FollowArgs),
    /// Write a recording in another open format, or read one of those as a recording
    Convert(ConvertArgs),
    /// Show a rule's page, or list the rules
    Explain(ExplainArgs),
    /// Write a configuration fitted to a tree
    Init(InitArgs),
    /// Write the demo data and walk through it
    Demo(DemoArgs),
    /// Write completions for a shell
    Completions(CompletionsArgs),
    /// Write the manual page
    Man,
    /// Write the JSON Schemas of what is written and read
    #[command(hide = true)]
    Schemas(SchemasArgs),
    /// Show what a stage of the analysis makes of a tree
    #[command(hide = true)]
    Debug(DebugArgs),
}

/// What is read.
#[derive(Clone, Debug, Args)]
pub(crate) struct TreeArgs {
    /// Files and folders to read; the current folder if none is given
    #[arg(value_name = "PATH")]
    pub(crate) paths: Vec<PathBuf>,
    /// Read what is left out by default too (build output, vendored and shortened code)
    #[arg(long)]
    pub(crate) no_ignore: bool,
    /// Read every file anew, and keep nothing for the next run
    #[arg(long)]
    pub(crate) no_cache: bool,
    /// Read this configuration instead of the nearest `yarrowgraph.toml`
    #[arg(long, value_name = "FILE")]
    pub(crate) config: Option<PathBuf>,
}

#[derive(Debug, Args)]
pub(crate) struct MapArgs {
    #[command(flatten)]
    pub(crate) tree: TreeArgs,
    /// The form of the output
    #[arg(long, short, value_enum, default_value_t = MapFormat::Text, value_name = "FORM")]
    pub(crate) format: MapFormat,
    /// Write to a file instead of standard output
    #[arg(long, short, value_name = "FILE")]
    pub(crate) output: Option<PathBuf>,
    /// What is shown of it
    #[arg(long, value_enum, default_value_t = MapView::Wiring, value_name = "VIEW")]
    pub(crate) view: MapView,
    /// Show one family of patterns and the types that take part in it
    #[arg(long, value_enum, value_name = "FAMILY")]
    pub(crate) family: Option<MapFamily>,
    /// With `--view coupling`: what must come along if this type is to be used elsewhere
    #[arg(long, value_name = "NAME")]
    pub(crate) focus: Option<String>,
    /// List channels of platforms and libraries too
    #[arg(long)]
    pub(crate) all: bool,
}

#[derive(Clone, Copy, Debug, PartialEq, Eq, ValueEnum)]
pub(crate) enum MapView {
    /// Channels, commands, chains, machines and mediators
    Wiring,
    /// The types that take part, as a class diagram (`--format mermaid` or `dot`)
    Classes,
    /// Who knows whom, who reaches whom by wiring alone, and rings
    Coupling,
}

#[derive(Clone, Copy, Debug, PartialEq, Eq, ValueEnum)]
pub(crate) enum MapFamily {
    /// Channels and who listens to them
    Observers,
    /// Commands, invokers and factories
    Commands,
    /// Chains of responsibility
    Chains,
    /// State machines
    Machines,
    /// Mediators
    Mediators,
}

#[derive(Clone, Copy, Debug, PartialEq, Eq, ValueEnum)]
pub(crate) enum MapFormat {
    /// An overview for a terminal
    Text,
    /// The whole map
    Json,
    /// A class diagram in Mermaid's language (`--view classes`)
    Mermaid,
    /// A class diagram in the DOT language (`--view classes`)
    Dot,
}

#[derive(Debug, Args)]
pub(crate) struct CheckArgs {
    #[command(flatten)]
    pub(crate) tree: TreeArgs,
    /// The form of the output
    #[arg(long, short, value_enum, default_value_t = CheckFormat::Text, value_name = "FORM")]
    pub(crate) format: CheckFormat,
    /// Write to a file instead of standard output
    #[arg(long, short, value_name = "FILE")]
    pub(crate) output: Option<PathBuf>,
    /// The mildest level that makes the exit status 1
    #[arg(long, value_enum, default_value_t = FailAt::Warning, value_name = "LEVEL")]
    pub(crate) fail_at: FailAt,
    /// Report this rule only (repeatable)
    #[arg(long, value_name = "NAME")]
    pub(crate) rule: Vec<String>,
    /// Accept on purpose, for this reason, all that is reported: writes it to the file of accepted findings
    #[arg(long, value_name = "REASON")]
    pub(crate) accept: Option<String>,
}

#[derive(Clone, Copy, Debug, PartialEq, Eq, ValueEnum)]
pub(crate) enum CheckFormat {
    /// With source excerpts, for reading
    Text,
    /// The findings as they are
    Json,
    /// SARIF 2.1.0
    Sarif,
}

#[derive(Clone, Copy, Debug, PartialEq, Eq, ValueEnum)]
pub(crate) enum FailAt {
    Error,
    Warning,
    Note,
    Never,
}

#[derive(Debug, Args)]
pub(crate) struct MachineArgs {
    #[command(flatten)]
    pub(crate) tree: TreeArgs,
    /// The machine: the id of what holds its state or of who has it, or the end of one
    #[arg(long, value_name = "NAME")]
    pub(crate) name: Option<String>,
    /// The form of the output
    #[arg(long, short, value_enum, default_value_t = MachineFormat::Text, value_name = "FORM")]
    pub(crate) format: MachineFormat,
    /// Compare with this chart (SCXML); a difference makes the exit status 1
    #[arg(long, value_name = "FILE", conflicts_with = "format")]
    pub(crate) against: Option<PathBuf>,
    /// Write to a file instead of standard output
    #[arg(long, short, value_name = "FILE")]
    pub(crate) output: Option<PathBuf>,
}

#[derive(Clone, Copy, Debug, PartialEq, Eq, ValueEnum)]
pub(crate) enum MachineFormat {
    /// The chart, and what each state does about each event
    Text,
    /// State Chart XML 1.0
    Scxml,
    /// A graph in the DOT language
    Dot,
    /// A state diagram
    Mermaid,
    /// A picture
    Svg,
}

#[derive(Debug, Args)]
pub(crate) struct ReplayArgs {
    /// The recording of the run before (`-` for standard input)
    #[arg(value_name = "RECORDING")]
    pub(crate) recording: PathBuf,
    /// The recording of the run after
    #[arg(long, value_name = "RECORDING", required = true)]
    pub(crate) against: PathBuf,
    /// The form of the output
    #[arg(long, short, value_enum, default_value_t = ReplayFormat::Text, value_name = "FORM")]
    pub(crate) format: ReplayFormat,
    /// List the stimuli that did not change too
    #[arg(long)]
    pub(crate) all: bool,
    /// Leave this out of the comparison (repeatable)
    #[arg(long, value_enum, value_name = "WHAT")]
    pub(crate) ignore: Vec<Ignore>,
    /// Leave out records of a kind on both sides; what they caused takes their place (repeatable)
    #[arg(long, value_enum, value_name = "KIND")]
    pub(crate) see_through: Vec<SeeThrough>,
    /// Compare what a channel delivers without order (repeatable)
    #[arg(long, value_name = "CHANNEL")]
    pub(crate) unordered: Vec<String>,
    /// A name that the recording before has for another one in that after (repeatable)
    #[arg(long, value_name = "OLD=NEW", value_parser = alias)]
    pub(crate) alias: Vec<(String, String)>,
    /// Take no name that vanished for one that appeared in its place
    #[arg(long)]
    pub(crate) no_assume: bool,
    /// Read this configuration instead of the nearest `yarrowgraph.toml`
    #[arg(long, value_name = "FILE")]
    pub(crate) config: Option<PathBuf>,
    /// Write to a file instead of standard output
    #[arg(long, short, value_name = "FILE")]
    pub(crate) output: Option<PathBuf>,
}

#[derive(Debug, Args)]
pub(crate) struct RosterArgs {
    /// The recording (`-` for standard input)
    #[arg(value_name = "RECORDING")]
    pub(crate) recording: PathBuf,
    /// Show who is attached after this record, instead of at the end
    #[arg(long, value_name = "N")]
    pub(crate) at: Option<u64>,
    /// The form of the output
    #[arg(long, short, value_enum, default_value_t = PlainFormat::Text, value_name = "FORM")]
    pub(crate) format: PlainFormat,
    /// Write to a file instead of standard output
    #[arg(long, short, value_name = "FILE")]
    pub(crate) output: Option<PathBuf>,
}

#[derive(Debug, Args)]
pub(crate) struct FollowArgs {
    /// The name of a channel, command, operation, chain or method: its id, or the end of it; in a recording the number of a record as well
    #[arg(value_name = "NAME")]
    pub(crate) name: String,
    #[command(flatten)]
    pub(crate) tree: TreeArgs,
    /// Show what really happened in the recording of a run (`-` for standard input)
    #[arg(long = "in", value_name = "RECORDING")]
    pub(crate) recording: Option<PathBuf>,
    /// Take this condition as holding, so that what needs the contrary is left out (repeatable)
    #[arg(long, value_name = "CONDITION", conflicts_with = "recording")]
    pub(crate) given: Vec<String>,
    /// Compare with a designed sequence diagram (Mermaid); a difference makes the exit status 1
    #[arg(long, value_name = "FILE", conflicts_with_all = ["recording", "format"])]
    pub(crate) against: Option<PathBuf>,
    /// The form of the output
    #[arg(long, short, value_enum, default_value_t = FollowFormat::Text, value_name = "FORM")]
    pub(crate) format: FollowFormat,
    /// Write to a file instead of standard output
    #[arg(long, short, value_name = "FILE")]
    pub(crate) output: Option<PathBuf>,
}

#[derive(Debug, Args)]
pub(crate) struct ConvertArgs {
    /// A recording, traces (OTLP/JSON), CloudEvents as JSON Lines, or an event log (XES); `-` for standard input
    #[arg(value_name = "FILE")]
    pub(crate) recording: PathBuf,
    /// What it is written as
    #[arg(long, value_enum, value_name = "FORM")]
    pub(crate) to: ConvertFormat,
    /// Write to a file instead of standard output
    #[arg(long, short, value_name = "FILE")]
    pub(crate) output: Option<PathBuf>,
}

#[derive(Clone, Copy, Debug, PartialEq, Eq, ValueEnum)]
pub(crate) enum ConvertFormat {
    /// A recording
    Recording,
    /// Traces of OpenTelemetry in the JSON encoding of OTLP
    Otlp,
    /// CloudEvents 1.0, one a line: the stimuli
    Cloudevents,
    /// An event log of IEEE 1849
    Xes,
}

#[derive(Clone, Copy, Debug, PartialEq, Eq, ValueEnum)]
pub(crate) enum PlainFormat {
    /// For reading
    Text,
    /// For other programs
    Json,
}

#[derive(Clone, Copy, Debug, PartialEq, Eq, ValueEnum)]
pub(crate) enum FollowFormat {
    /// As a tree, for reading
    Text,
    /// For other programs
    Json,
    /// As a sequence diagram
    Mermaid,
}

/// `OLD=NEW`
fn alias(text: &str) -> Result<(String, String), String> {
    match text.split_once('=') {
        Some((old, new)) if !old.is_empty() && !new.is_empty() => Ok((old.to_owned(), new.to_owned())),
        _ => Err("expected OLD=NEW".to_owned()),
    }
}

#[derive(Clone, Copy, Debug, PartialEq, Eq, ValueEnum)]
pub(crate) enum ReplayFormat {
    /// Both orders side by side, for reading
    Text,
    /// The result as it is
    Json,
    /// A test report in the form of JUnit: a test for each stimulus that is listed
    Junit,
}

#[derive(Clone, Copy, Debug, PartialEq, Eq, ValueEnum)]
pub(crate) enum SeeThrough {
    /// Raises of channels
    Raise,
    /// Deliveries to handlers
    Deliver,
    /// Commands handed to invokers
    Issue,
    /// Commands carried out
    Run,
    /// Commands taken back
    Undo,
    /// Requests put to links
    Offer,
    /// Calls
    Call,
}

#[derive(Clone, Copy, Debug, PartialEq, Eq, ValueEnum)]
pub(crate) enum Ignore {
    /// Arguments and requests
    Args,
    /// Values that are given back
    Value,
}

#[derive(Debug, Args)]
pub(crate) struct ExplainArgs {
    /// The rule
    #[arg(value_name = "RULE")]
    pub(crate) rule: Option<String>,
}

#[derive(Debug, Args)]
pub(crate) struct InitArgs {
    /// The root of the tree; the current folder if none is given
    #[arg(value_name = "DIR", default_value = ".")]
    pub(crate) dir: PathBuf,
    /// Write to this file instead of `yarrowgraph.toml` in the root (`-` for standard output)
    #[arg(long, short, value_name = "FILE")]
    pub(crate) output: Option<PathBuf>,
    /// Write over a file that is there
    #[arg(long)]
    pub(crate) force: bool,
}

#[derive(Debug, Args)]
pub(crate) struct DemoArgs {
    /// The folder to write to; a temporary one if none is given
    #[arg(value_name = "DIR")]
    pub(crate) dir: Option<PathBuf>,
}

#[derive(Debug, Args)]
pub(crate) struct CompletionsArgs {
    /// The shell
    #[arg(value_enum)]
    pub(crate) shell: clap_complete::Shell,
}

#[derive(Debug, Args)]
pub(crate) struct SchemasArgs {
    /// The folder to write to
    pub(crate) dir: PathBuf,
}

#[derive(Debug, Args)]
pub(crate) struct DebugArgs {
    /// The stage
    #[arg(value_enum)]
    pub(crate) stage: Stage,
    #[command(flatten)]
    pub(crate) tree: TreeArgs,
    /// The line that the stage `line` is about
    #[arg(long, value_name = "FILE:LINE")]
    pub(crate) at: Option<String>,
}

#[derive(Clone, Copy, Debug, PartialEq, Eq, ValueEnum)]
pub(crate) enum Stage {
    /// Reading and bare parsing, against which the other stages are measured
    Parse,
    /// What lowering makes of each file
    Ir,
    /// What is left after distilling
    Facts,
    /// Types and members with their hierarchies
    Program,
    /// What code does to channels
    Effects,
    /// What running the set-up comes to
    Setup,
    /// What is known of the expressions of one line
    Line,
    /// Where the time goes
    Times,
}
