//! `explain`: a rule's page.

use std::io::Write;

use yarrowgraph_analysis::judge::{self, Rule};
use yarrowgraph_render::Role;

use crate::args::ExplainArgs;
use crate::failure::{Failure, Status};
use crate::ui::{Output, Ui};

pub(super) fn run(args: &ExplainArgs, ui: &Ui) -> Result<Status, Failure> {
    let mut out = Output::open(None)?;
    let palette = ui.text(false).palette;
    match &args.rule {
        Some(name) => {
            let rule = judge::rule(name).ok_or_else(|| super::check::unknown_rule(name))?;
            writeln!(out, "{}: {}\n", palette.paint(Role::Rule, rule.name), rule.summary)?;
            for (heading, text) in parts(rule) {
                writeln!(out, "{}", palette.paint(Role::Heading, heading))?;
                for line in wrap(&text, 92) {
                    writeln!(out, "  {line}")?;
                }
                writeln!(out)?;
            }
        }
        None => {
            for rule in judge::RULES {
                writeln!(out, "{:22} {}", palette.paint(Role::Name, rule.name), rule.summary)?;
            }
        }
    }
    out.finish()?;
    Ok(Status::Fine)
}

fn parts(rule: &Rule) -> [(&'static str, String); 5] {
    let p = rule.page;
    [
        ("Symptom", p.symptom.to_owned()),
        ("Cause", p.cause.to_owned()),
        ("Cure", p.cure.to_owned()),
        ("Silent when", p.silent.to_owned()),
        (
            "To accept it on purpose",
            format!("{} Write on the line, or on the line above: // yarrowgraph: accept {} because …", p.accept, rule.name),
        ),
    ]
}

/// A rule's page as plain text.
pub(super) fn page(rule: &Rule) -> String {
    parts(rule).map(|(heading, text)| format!("{heading}: {text}")).join("\n")
}

fn wrap(text: &str, width: usize) -> Vec<String> {
    let mut lines = vec![String::new()];
    for word in text.split(' ') {
        let last = lines.len() - 1;
        if !lines[last].is_empty() && lines[last].chars().count() + 1 + word.chars().count() > width {
            lines.push(word.to_owned());
            continue;
        }
        if !lines[last].is_empty() {
            lines[last].push(' ');
        }
        lines[last].push_str(word);
    }
    lines
}
