//! `check`: what is wrong with the wiring.

use std::io::Write;

use yarrowgraph_analysis::judge::Accepted;
use yarrowgraph_analysis::{Want, judge};
use yarrowgraph_model::{FINDINGS_VERSION, Finding, Findings, Level};
use yarrowgraph_render::{findings_text, json, sarif};

use crate::args::{CheckArgs, CheckFormat, FailAt};
use crate::config::{Config, likely};
use crate::failure::{Failure, Status};
use crate::tree;
use crate::ui::{Output, Ui};

pub(super) fn run(args: &CheckArgs, ui: &Ui) -> Result<Status, Failure> {
    for name in &args.rule {
        if judge::rule(name).is_none() {
            return Err(unknown_rule(name));
        }
    }
    let mut out = Output::open(args.output.as_deref())?;
    let tree::Analysed { analysis, sources, config } = tree::analyse(&args.tree, Want::Findings, ui)?;
    let accepted = config.accepted()?.split(analysis.findings);
    remarks(&analysis.accepted, &accepted.unused, args, ui);
    for name in &analysis.unknown {
        ui.remark(&format!("yarrowgraph.toml: `keep` names `{name}`, and nothing in the tree is called so"));
    }
    let wanted = |f: &Finding| args.rule.is_empty() || args.rule.contains(&f.rule);
    let findings: Vec<Finding> = config.settle(accepted.left).into_iter().filter(wanted).collect();
    if let Some(reason) = &args.accept {
        return accept(&config, &findings, reason, ui);
    }
    let on_purpose = analysis.accepted.findings.len() + accepted.accepted;
    let failed = findings.iter().any(|f| fails(f.level, args.fail_at));
    match args.format {
        CheckFormat::Text => {
            let files = analysis.map.files.languages.values().map(|c| c.files as usize).sum();
            let totals = findings_text::Totals { files, unresolved: analysis.map.unresolved.len(), accepted: on_purpose };
            let options = ui.text(out.is_file());
            findings_text::write(&mut out, &findings, totals, &sources, &options)?;
        }
        CheckFormat::Json => {
            let document =
                Findings { format: "yarrowgraph-findings".into(), version: FINDINGS_VERSION, root: analysis.map.root.clone(), findings };
            json::write(&mut out, &document)?;
        }
        CheckFormat::Sarif => {
            let rules: Vec<sarif::RuleText<'_>> = judge::RULES
                .iter()
                .map(|r| sarif::RuleText { name: r.name, summary: r.summary, help: super::explain::page(r), level: r.level })
                .collect();
            let log = sarif::log(&findings, &rules, env!("CARGO_PKG_VERSION"));
            json::write(&mut out, &log)?;
        }
    }
    out.flush()?;
    out.finish()?;
    Ok(if failed { Status::Found } else { Status::Fine })
}

/// Says what accepts nothing, in comments and in the file of accepted findings.
fn remarks(comments: &Accepted, unused: &[(String, String)], args: &CheckArgs, ui: &Ui) {
    for place in &comments.refused {
        ui.remark(&format!("{}:{}: this comment accepts nothing, since it gives no reason (`because …`)", place.file, place.line));
    }
    for (rule, place) in &comments.unused {
        let at = format!("{}:{}", place.file, place.line);
        if judge::rule(rule).is_none() {
            let hint = likely(rule, judge::RULES.iter().map(|r| r.name));
            ui.remark(&format!("{at}: this comment accepts nothing, since there is no rule `{rule}`{hint}"));
        } else if args.rule.is_empty() {
            ui.remark(&format!("{at}: this comment accepts `{rule}`, which is not reported here any more"));
        }
    }
    for (at, finding) in unused.iter().filter(|_| args.rule.is_empty()) {
        ui.remark(&format!("{at}: this entry accepts `{finding}`, which is not reported any more"));
    }
}

/// Writes what is reported to the file of accepted findings.
fn accept(config: &Config, findings: &[Finding], reason: &str, ui: &Ui) -> Result<Status, Failure> {
    let reason = reason.trim().trim_start_matches("because").trim_start();
    if reason.is_empty() {
        return Err(Failure::with_hint("nothing is accepted without a reason", "say why: `--accept 'the board never closes'`"));
    }
    let file = config.accepted()?;
    let path = file.add(findings, reason)?;
    ui.remark(&format!(
        "{}: {} accepted",
        path.display(),
        if findings.len() == 1 { "1 finding".into() } else { format!("{} findings", findings.len()) }
    ));
    Ok(Status::Fine)
}

/// Whether a level is at or above the one that makes a run fail.
fn fails(level: Level, at: FailAt) -> bool {
    match at {
        FailAt::Error => level >= Level::Error,
        FailAt::Warning => level >= Level::Warning,
        FailAt::Note => true,
        FailAt::Never => false,
    }
}

/// A rule that does not exist, with the nearest one that does.
pub(super) fn unknown_rule(name: &str) -> Failure {
    let hint = likely(name, judge::RULES.iter().map(|r| r.name));
    Failure::with_hint(format!("there is no rule `{name}`{hint}"), "`yarrowgraph explain` lists all rules")
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_misspelt_rule_is_recognised() {
        let Failure::Use { message, .. } = unknown_rule("leaked-subscriptions") else { panic!("no message") };
        assert!(message.contains("did you mean `leaked-subscription`?"), "{message}");
    }

    #[test]
    fn levels_fail_from_the_one_asked_for() {
        assert!(fails(Level::Error, FailAt::Warning));
        assert!(!fails(Level::Note, FailAt::Warning));
        assert!(!fails(Level::Error, FailAt::Never));
    }
}
