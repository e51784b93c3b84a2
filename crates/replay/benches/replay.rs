#![allow(clippy::print_stdout)]
//! How long comparing two recordings takes, against reading the same lines into typed records with their data as it is
//! written; and how much memory it needs for each record.
//!
//! Both are made here: about 100 MB each, or `YARROWGRAPH_BENCH_MB=2000 cargo bench -p yarrowgraph-replay`. Three pairs are
//! measured: the same run twice, one with a few changes, and one in which a stimulus in the middle was lost.

use std::fs::File;
use std::io::{BufRead, BufReader, BufWriter, Write};
use std::path::{Path, PathBuf};
use std::time::{Duration, Instant};

use yarrowgraph_replay::{Line, Options, Source, against};

/// Pairs of runs.
const PAIRS: usize = 3;

#[derive(Clone, Copy, PartialEq, Eq)]
enum Change {
    None,
    Few,
    Lost,
}

fn main() {
    let megabytes: u64 = std::env::var("YARROWGRAPH_BENCH_MB").ok().and_then(|m| m.parse().ok()).unwrap_or(100);
    let dir = tempfile::tempdir().expect("a temporary folder");
    let make = |name: &str, change: Change| {
        let path = dir.path().join(name);
        let records = write(&path, megabytes * 1_000_000, change);
        (path, records)
    };
    let (before, records) = make("before.jsonl", Change::None);
    println!("{records} records in {megabytes} MB");
    for (said, change) in [("the same", Change::None), ("a few changes", Change::Few), ("one stimulus lost", Change::Lost)] {
        let (after, _) = make("after.jsonl", change);
        let mut ratios: Vec<(f64, Duration, Duration, String)> = (0..PAIRS)
            .map(|_| {
                let parsing = parse(&before) + parse(&after);
                let began = Instant::now();
                let [a, b] = [&before, &after].map(|p| Source::file("a recording", p).expect("readable"));
                let found = against(&a, &b, &Options::default()).expect("readable");
                let comparing = began.elapsed();
                (comparing.as_secs_f64() / parsing.as_secs_f64(), parsing, comparing, format!("{:?}", found.replay.counts))
            })
            .collect();
        ratios.sort_by(|a, b| a.0.total_cmp(&b.0));
        let (ratio, parsing, comparing, counts) = &ratios[PAIRS / 2];
        println!(
            "{said}: parsing both {:.2} s, comparing {:.2} s, ratio {ratio:.2}; {counts}",
            parsing.as_secs_f64(),
            comparing.as_secs_f64()
        );
        println!("  most memory so far {:.0} MB, {:.1} bytes for each record of both", peak() / 1e6, peak() / (2 * records) as f64);
    }
}

/// Reads every line into a record, with its data as it is written.
fn parse(path: &PathBuf) -> Duration {
    let began = Instant::now();
    let mut source = BufReader::with_capacity(1 << 17, File::open(path).expect("readable"));
    let mut line = Vec::new();
    let mut sum = 0;
    while source.read_until(b'\n', &mut line).expect("readable") > 0 {
        let text = std::str::from_utf8(&line).expect("UTF-8");
        if let Ok(record) = serde_json::from_str::<Line<'_>>(text) {
            sum += record.n;
        }
        line.clear();
    }
    std::hint::black_box(sum);
    began.elapsed()
}

/// A long run of a flight of locks: boats are locked through, gauges rise and fall, gates swing.
fn write(path: &Path, bytes: u64, change: Change) -> u64 {
    let mut out = BufWriter::new(File::create(path).expect("writable"));
    writeln!(out, "{{\"recording\":1,\"program\":\"marlwend\",\"made_by\":\"bench 1\"}}").expect("writable");
    let (mut n, mut written, mut boat) = (0_u64, 0_u64, 0_u64);
    let mut lost = 0;
    let mut text = String::new();
    while written < bytes {
        boat += 1;
        if change == Change::Lost && boat == 1000 {
            lost = 1;
            continue;
        }
        text.clear();
        let mut put = |rest: &str| {
            n += 1;
            text.push_str(&format!("{{\"n\":{n},\"at\":{},{rest}}}\n", n * 1311));
            n
        };
        let cm = if change == Change::Few && boat % 5000 == 77 { 1 } else { boat % 240 };
        let chamber = boat % 7 + 1;
        let call = put(&format!(
            "\"kind\":\"call\",\"target\":\"marlwend.Flight.lock\",\"object\":\"Flight#1\",\"args\":{{\"boat\":{boat},\"up\":true}}"
        ));
        for step in 0..3 {
            let raise = put(&format!(
                "\"by\":{call},\"kind\":\"raise\",\"channel\":\"marlwend.Gauge.listeners\",\"subject\":\"Gauge#{chamber}\",\"args\":{{\"cm\":{},\"chamber\":\"upper\"}}",
                cm + step
            ));
            for handler in ["Weir.risen", "Gate.risen", "KeeperBoard.risen"] {
                let class = handler.split_once('.').expect("a class").0;
                let deliver = put(&format!(
                    "\"by\":{raise},\"kind\":\"deliver\",\"channel\":\"marlwend.Gauge.listeners\",\"subject\":\"Gauge#{chamber}\",\"handler\":\"marlwend.{handler}\",\"subscriber\":\"{class}#{chamber}\""
                ));
                put(&format!("\"kind\":\"settle\",\"of\":{deliver},\"outcome\":\"done\""));
            }
            put(&format!("\"kind\":\"settle\",\"of\":{raise},\"outcome\":\"done\""));
        }
        put(&format!("\"kind\":\"settle\",\"of\":{call},\"outcome\":\"done\",\"value\":{{\"pence\":{}}}", boat % 90));
        out.write_all(text.as_bytes()).expect("writable");
        written += text.len() as u64;
    }
    std::hint::black_box(lost);
    n
}

/// The most memory that this process has held (`VmHWM`), in bytes.
fn peak() -> f64 {
    let status = std::fs::read_to_string("/proc/self/status").unwrap_or_default();
    let line = status.lines().find_map(|l| l.strip_prefix("VmHWM:"));
    line.and_then(|l| l.trim().trim_end_matches(" kB").parse::<f64>().ok()).unwrap_or_default() * 1024.0
}
