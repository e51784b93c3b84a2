//! `check`: what is wrong with the wiring.

use std::io::Write;

use yarrowgraph_analysis::{Want, judge};
use yarrowgraph_model::{FINDINGS_VERSION, Finding, Findings, Level};
use yarrowgraph_render::{findings_text, json, sarif};

use crate::args::{CheckArgs, CheckFormat, FailAt};
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
    let (analysis, sources) = tree::analyse(&args.tree, Want::Findings, ui)?;
    let wanted = |f: &Finding| args.rule.is_empty() || args.rule.contains(&f.rule);
    let findings: Vec<Finding> = analysis.findings.into_iter().filter(wanted).collect();
    for place in &analysis.accepted.refused {
        ui.remark(&format!("{}:{}: this comment accepts nothing, since it gives no reason (`because …`)", place.file, place.line));
    }
    if args.rule.is_empty() {
        for (rule, place) in &analysis.accepted.unused {
            ui.remark(&format!("{}:{}: this comment accepts `{rule}`, which is not reported here any more", place.file, place.line));
        }
    }
    let failed = findings.iter().any(|f| fails(f.level, args.fail_at));
    match args.format {
        CheckFormat::Text => {
            let files = analysis.map.files.languages.values().map(|c| c.files as usize).sum();
            let totals =
                findings_text::Totals { files, unresolved: analysis.map.unresolved.len(), accepted: analysis.accepted.findings.len() };
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
    let nearest = judge::RULES.iter().max_by_key(|r| common(r.name, name));
    let hint = match nearest {
        Some(r) if common(r.name, name) > 2 => format!("did you mean `{}`? `yarrowgraph explain` lists all rules", r.name),
        _ => "`yarrowgraph explain` lists all rules".to_owned(),
    };
    Failure::with_hint(format!("there is no rule `{name}`"), hint)
}

/// How many pairs of neighbouring letters two names have in common.
fn common(a: &str, b: &str) -> usize {
    let pairs = |s: &str| s.as_bytes().windows(2).map(<[u8]>::to_vec).collect::<Vec<_>>();
    let of_b = pairs(b);
    pairs(a).iter().filter(|p| of_b.contains(p)).count()
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_misspelt_rule_is_recognised() {
        let Failure::Use { hint: Some(hint), .. } = unknown_rule("leaked-subscriptions") else { panic!("no hint") };
        assert!(hint.contains("`leaked-subscription`"), "{hint}");
    }

    #[test]
    fn levels_fail_from_the_one_asked_for() {
        assert!(fails(Level::Error, FailAt::Warning));
        assert!(!fails(Level::Note, FailAt::Warning));
        assert!(!fails(Level::Error, FailAt::Never));
    }
}
