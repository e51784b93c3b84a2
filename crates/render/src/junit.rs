//! The result of a replay as a test report in the form of JUnit: a test for each stimulus that changed, and one for all others.

use std::io::{self, Write};

use quick_xml::Writer;
use quick_xml::events::{BytesDecl, BytesText, Event};

use crate::replay_text::{Report, title};

/// Writes the report.
///
/// # Errors
///
/// When nothing can be written.
pub fn write(out: &mut dyn Write, report: &Report) -> io::Result<()> {
    let count = |word: &str| report.counts.iter().find(|(w, _)| w == word).map_or(0, |(_, n)| *n);
    let unchanged = count("unchanged");
    let tests = report.changed.len() as u64 + u64::from(unchanged > 0);
    let skipped = report.changed.iter().filter(|c| c.verdict == "undecided").count();
    let failures = report.changed.len() - skipped;
    let mut xml = Writer::new_with_indent(out, b' ', 2);
    xml.write_event(Event::Decl(BytesDecl::new("1.0", Some("UTF-8"), None)))?;
    let suite = [
        ("name", "dispatch order".to_owned()),
        ("tests", tests.to_string()),
        ("failures", failures.to_string()),
        ("skipped", skipped.to_string()),
    ];
    xml.create_element("testsuite").with_attributes(suite.iter().map(|(k, v)| (*k, v.as_str()))).write_inner_content(|xml| {
        if unchanged > 0 {
            let name = format!("{unchanged} unchanged");
            xml.create_element("testcase").with_attributes([("classname", "replay"), ("name", name.as_str())]).write_empty()?;
        }
        for changed in &report.changed {
            let name = match changed.n {
                Some(n) => format!("{n} {}", printable(&title(changed))),
                None => printable(&title(changed)),
            };
            let test = xml.create_element("testcase").with_attributes([("classname", "replay"), ("name", name.as_str())]);
            test.write_inner_content(|xml| {
                let tag = if changed.verdict == "undecided" { "skipped" } else { "failure" };
                let text = changed.differences.iter().map(|d| printable(d)).collect::<Vec<_>>().join("\n");
                let said = xml.create_element(tag).with_attribute(("message", changed.verdict.as_str()));
                if tag == "skipped" {
                    said.write_empty()?
                } else {
                    said.write_text_content(BytesText::new(&text))?
                };
                Ok(())
            })?;
        }
        Ok(())
    })?;
    let out = xml.into_inner();
    writeln!(out)
}

/// The characters that XML may hold (XML 1.0, section 2.2).
fn printable(text: &str) -> String {
    text.chars()
        .map(|c| if c < ' ' && !matches!(c, '\t' | '\n' | '\r') || matches!(c, '\u{fffe}' | '\u{ffff}') { '\u{fffd}' } else { c })
        .collect()
}
