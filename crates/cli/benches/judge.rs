//! What judging costs and how well it does, printed. `cargo bench -p jurado-cli`
#![allow(missing_docs)]

use std::hint::black_box;
use std::time::Instant;

use jurado_core::judging::judge;
use jurado_core::protocol::Protocol;
use jurado_core::verdict::VerdictKind;
use jurado_sim::{Plant, Simulated, class_of, demo_class};

fn main() {
    let protocol = Protocol::parse(include_str!("../../../protocols/keel-plate.toml")).expect("the shipped protocol");
    let demo = demo_class(1871).class;
    times("the demo class, diagnosis included", &protocol, &demo);
    times("right tables", &protocol, &class_of(Plant::None, 200, 5));
    times("tables with a slip and what it carried", &protocol, &class_of(Plant::DiameterAsRadius, 200, 5));
    found(&protocol);
    honest(&protocol);
}

/// Median and 95th percentile of one judgement, each table judged many times in turn.
fn times(what: &str, protocol: &Protocol, class: &[Simulated]) {
    let mut micros: Vec<f64> = Vec::new();
    for round in 0..(20_000 / class.len()).max(4) {
        for table in class {
            let start = Instant::now();
            black_box(judge(protocol, black_box(&table.submission), &[], &[]));
            if round > 0 {
                micros.push(start.elapsed().as_secs_f64() * 1e6);
            }
        }
    }
    micros.sort_by(f64::total_cmp);
    let at = |share: f64| micros[((micros.len() - 1) as f64 * share) as usize];
    println!(
        "judge, {what}: median {:.1} µs, p95 {:.1} µs ({} judgements of 24 cells)",
        at(0.5),
        at(0.95),
        micros.len()
    );
}

/// Planted slips named within the first class, and exactly.
fn found(protocol: &Protocol) {
    let (mut all, mut within, mut exact) = (0, 0, 0);
    for plant in Plant::SLIPS {
        let (mut n, mut hits, mut named) = (0, 0, 0);
        for table in class_of(plant, 200, 11) {
            let judged = judge(protocol, &table.submission, &[], &[]);
            let item = table.item.as_deref().and_then(|i| protocol.item(i));
            let slip = judged
                .results
                .iter()
                .find(|r| Some(r.item) == item)
                .filter(|r| r.verdict == VerdictKind::Slip)
                .and_then(|r| r.slip.as_ref());
            let word = table.slip.as_deref().unwrap_or("");
            n += 1;
            named += usize::from(slip.is_some_and(|s| s.kind.word() == word));
            hits +=
                usize::from(slip.is_some_and(|s| s.kind.word() == word || s.alike.iter().any(|k| k.word() == word)));
        }
        println!("planted {plant:?}: within the first class {hits} of {n}, named exactly {named}");
        (all, within, exact) = (all + n, within + hits, exact + named);
    }
    println!(
        "planted slips: within the first class {:.1} %, named exactly {:.1} %",
        100.0 * within as f64 / all as f64,
        100.0 * exact as f64 / all as f64
    );
}

/// Right or merely rounded values called slip, unexplained or carried.
fn honest(protocol: &Protocol) {
    let (mut values, mut slips, mut carried) = (0, 0, 0);
    for plant in Plant::HONEST {
        for table in class_of(plant, 500, 23) {
            for r in judge(protocol, &table.submission, &[], &[]).results {
                values += 1;
                slips += usize::from(matches!(r.verdict, VerdictKind::Slip | VerdictKind::Unexplained));
                carried += usize::from(r.verdict == VerdictKind::Carried);
            }
        }
    }
    println!(
        "honest values: {values}; called slip or unexplained {:.2} %, carried {:.2} %",
        100.0 * slips as f64 / values as f64,
        100.0 * carried as f64 / values as f64
    );
}
