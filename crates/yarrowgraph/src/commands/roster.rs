//! `roster`: who is attached to what in a run, and who was called or left where it should not be.

use yarrowgraph_render::{json, roster_text};
use yarrowgraph_replay::{Called, Roster, Seat, roster};

use super::replay::source;
use crate::args::{PlainFormat, RosterArgs};
use crate::failure::{Failure, Status};
use crate::ui::{Output, Ui};

pub(super) fn run(args: &RosterArgs, ui: &Ui) -> Result<Status, Failure> {
    let mut out = Output::open(args.output.as_deref())?;
    let source = source(&args.recording, ui)?;
    let (found, cut) = roster(source.recording(), args.at).map_err(Failure::new)?;
    source.say_cut(cut, ui);
    match args.format {
        PlainFormat::Json => json::write(&mut out, &found)?,
        PlainFormat::Text => {
            let text = ui.text(out.is_file());
            roster_text::write(&mut out, &report(&found), &text)?;
        }
    }
    out.finish()?;
    Ok(if found.is_wrong() { Status::Found } else { Status::Fine })
}

/// A channel of one object.
fn channel(id: &str, subject: Option<&String>) -> String {
    subject.map_or_else(|| id.to_owned(), |s| format!("{id} of {s}"))
}

fn who(seat: &Seat) -> String {
    seat.subscriber.as_ref().map_or_else(|| seat.handler.clone(), |s| format!("{} of {s}", seat.handler))
}

fn report(found: &Roster) -> roster_text::Report {
    let line =
        |seat: &Seat, said: String| roster_text::Line { channel: channel(&seat.channel, seat.subject.as_ref()), who: who(seat), said };
    let called =
        |list: &[Called], what: &str| list.iter().map(|c| line(&c.seat, format!("record {}, {what} at {}", c.n, c.after))).collect();
    let wrong = vec![
        ("called after its end".to_owned(), called(&found.after_end, "and it ended")),
        ("called after it was taken off".to_owned(), called(&found.after_leaving, "and it was taken off")),
        ("called twice by one raise".to_owned(), called(&found.twice, "and once before")),
        (
            "still attached after its end".to_owned(),
            found.left_behind.iter().map(|l| line(&l.seat, format!("since record {}, and it ended at {}", l.since, l.ended))).collect(),
        ),
    ];
    let attached = found.attached.iter().map(|a| {
        let way: Vec<String> = a.way.iter().map(ToString::to_string).collect();
        let by = if way.is_empty() { String::new() } else { format!(", by {}", way.join(" ▸ ")) };
        line(&a.seat, format!("since {}{by}", a.since))
    });
    let counts = found
        .counts
        .iter()
        .map(|c| roster_text::CountLine { channel: channel(&c.channel, c.subject.as_ref()), numbers: [c.joined, c.left, c.most, c.now] });
    roster_text::Report {
        when: found.at.map_or_else(|| "at the end of the run".to_owned(), |n| format!("after record {n}")),
        wrong,
        attached: attached.collect(),
        counts: counts.collect(),
    }
}
