//! The map as an overview for a terminal: who owns channels, who raises them, who listens, and the chains.

use std::collections::BTreeMap;
use std::io::{self, Write};

use yarrowgraph_model::{Channel, ChannelKind, Lifetime, Map, Place, Subscription};

use crate::chains_text;
use crate::escape;
use crate::style::Role;
use crate::text::{TextOptions, count, fit};

/// How many channels, subscriptions, releases, raises and chains there are.
fn counts(out: &mut dyn Write, map: &Map) -> io::Result<()> {
    writeln!(out)?;
    let subscriptions: usize = map.channels.iter().map(|c| c.subscriptions.len()).sum();
    let raises: usize = map.channels.iter().map(|c| c.raises.len()).sum();
    let releases: usize = map.channels.iter().map(|c| c.releases.len()).sum();
    let chains = if map.chains.is_empty() { String::new() } else { format!(", {}", count(map.chains.len(), "chain", "chains")) };
    writeln!(
        out,
        "{}, {}, {}, {}{chains}",
        count(map.channels.len(), "channel", "channels"),
        count(subscriptions, "subscription", "subscriptions"),
        count(releases, "release", "releases"),
        count(raises, "raise", "raises"),
    )
}

/// Writes the overview. Channels of platforms outside of the tree are counted, and listed
/// only when `all` is set.
pub fn write(out: &mut dyn Write, map: &Map, all: bool, o: &TextOptions) -> io::Result<()> {
    let p = o.palette;
    let languages: Vec<String> = map
        .files
        .languages
        .iter()
        .map(|(name, c)| format!("{name} {} / {}", count(c.files as usize, "file", "files"), count(c.lines as usize, "line", "lines")))
        .collect();
    writeln!(out, "{}  {}", p.paint(Role::Heading, "wiring"), p.paint(Role::Quiet, &languages.join(" · ")))?;
    let own = |c: &&Channel| c.kind != ChannelKind::Platform;
    let shown: Vec<&Channel> = map.channels.iter().filter(|c| all || own(c)).collect();
    let mut by_owner: BTreeMap<&str, Vec<&Channel>> = BTreeMap::new();
    for c in &shown {
        by_owner.entry(&c.owner).or_default().push(c);
    }
    for (owner, channels) in &by_owner {
        writeln!(out)?;
        writeln!(out, "{}", p.paint(Role::Heading, &escape::terminal(owner)))?;
        for c in channels {
            channel(out, c, o)?;
        }
    }
    crate::families_text::write(out, map, o)?;
    chains_text::write(out, &map.chains, o)?;
    // of another family alone there are no channels to count
    if !map.channels.is_empty() || map.is_empty() {
        counts(out, map)?;
    }
    let hidden = map.channels.len() - shown.len();
    if hidden > 0 {
        let text = format!("{} of platforms and libraries left out here; --all lists them", count(hidden, "channel is", "channels are"));
        writeln!(out, "{}", p.paint(Role::Quiet, &text))?;
    }
    if !map.unresolved.is_empty() {
        let text = format!(
            "{} not resolved; --format json lists them under \"unresolved\"",
            count(map.unresolved.len(), "piece of wiring", "pieces of wiring")
        );
        writeln!(out, "{}", p.paint(Role::Quiet, &text))?;
    }
    // whoever asks for all wants to know what is not in it
    for budget in map.budgets.iter().filter(|_| all) {
        let text = match budget.of.as_str() {
            "wrappers" => {
                format!("{} followed through {} wrappers and no further", count(budget.over as usize, "effect", "effects"), budget.limit)
            }
            "alternatives" => format!(
                "{} stand for more than {} others: what those do is not told of their calls",
                count(budget.over as usize, "method", "methods"),
                budget.limit
            ),
            "runs" => format!("{} run in {} ways and no more", count(budget.over as usize, "entry point", "entry points"), budget.limit),
            "machines" => format!(
                "{} with more ways than {} nodes of code: not in the map",
                count(budget.over as usize, "state machine", "state machines"),
                budget.limit
            ),
            other => format!("bound of {} {other} reached", budget.limit),
        };
        writeln!(out, "{}", p.paint(Role::Quiet, &text))?;
    }
    for left in &map.files.left_out {
        writeln!(out, "{}", p.paint(Role::Quiet, &format!("left out: {}", escape::terminal(left))))?;
    }
    Ok(())
}

fn channel(out: &mut dyn Write, c: &Channel, o: &TextOptions) -> io::Result<()> {
    let p = o.palette;
    let name = name_within(&c.id, &c.owner);
    let kind = match c.kind {
        ChannelKind::Event => "event",
        ChannelKind::Delegate => "delegate",
        ChannelKind::Slot => "slot",
        ChannelKind::List => "listener list",
        ChannelKind::Signal => "signal",
        ChannelKind::Topic => "topic",
        ChannelKind::Platform => "platform",
    };
    let about = c.place.as_ref().map_or_else(|| kind.to_owned(), |at| format!("{kind} {}", place(at)));
    let name = escape::terminal(&name).into_owned();
    writeln!(out, "  {}  {}", p.paint(Role::Name, &name), p.paint(Role::Quiet, &about))?;
    let width = o.width.saturating_sub(6);
    for r in &c.raises {
        let message = r.message.as_deref().map_or_else(String::new, |m| format!(" as {m}"));
        let guard = if r.guarded { "" } else { "  not guarded" };
        let line = format!("raised by {}{message}  {}", short(&r.within), place(&r.place));
        write!(out, "    {} {}", p.paint(Role::Warning, "▸"), fit(&escape::terminal(&line), width))?;
        writeln!(out, "{}", p.paint(Role::Warning, guard))?;
    }
    if c.raises.is_empty() && c.kind != ChannelKind::Platform {
        writeln!(out, "    {}", p.paint(Role::Quiet, "▹ nothing raises it"))?;
    }
    for s in &c.subscriptions {
        let line = format!("heard by {}  {}", short(&s.handler), place(&s.place));
        let (role, end) = ending(s);
        write!(out, "    {} {}", p.paint(Role::Good, "◂"), fit(&escape::terminal(&line), width.saturating_sub(end.len() + 2)))?;
        writeln!(out, "  {}", p.paint(role, end))?;
    }
    if c.subscriptions.is_empty() {
        writeln!(out, "    {}", p.paint(Role::Quiet, "◃ nobody hears it"))?;
    }
    Ok(())
}

/// How a subscription ends, in a word or two.
fn ending(s: &Subscription) -> (Role, &'static str) {
    if s.weak {
        return (Role::Quiet, "held weakly");
    }
    if s.once {
        return (Role::Quiet, "once");
    }
    if !s.released_by.is_empty() {
        return (Role::Quiet, "released");
    }
    match s.lifetime {
        Lifetime::Owned | Lifetime::SameFate | Lifetime::Local => (Role::Quiet, "ends with it"),
        Lifetime::Process | Lifetime::Outer if s.scoped => (Role::Quiet, "ends by itself"),
        Lifetime::Process | Lifetime::Outer if s.kept => (Role::Quiet, "kept to be released"),
        Lifetime::Process | Lifetime::Outer if s.subscriber.is_some() => (Role::Warning, "never released"),
        _ => (Role::Quiet, ""),
    }
}

/// A place as `file:line`.
pub(crate) fn place(p: &Place) -> String {
    format!("{}:{}", p.file, p.line)
}

/// A channel's id without its owner.
fn name_within(id: &str, owner: &str) -> String {
    if let Some(rest) = id.strip_prefix("topic:") {
        return format!("\"{}\"", rest.strip_prefix(owner).and_then(|r| r.strip_prefix(':')).unwrap_or(rest));
    }
    id.strip_prefix(owner).and_then(|r| r.strip_prefix('.')).unwrap_or(id).to_owned()
}

/// The last two parts of an id.
pub(crate) fn short(id: &str) -> String {
    let (head, tail) = id.split_once('(').map_or((id, ""), |(h, t)| (h, t));
    let mut parts: Vec<&str> = head.rsplitn(3, '.').take(2).collect();
    parts.reverse();
    let name = parts.join(".");
    if tail.is_empty() { name } else { format!("{name}({tail}") }
}
