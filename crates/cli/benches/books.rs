//! What formulas under results add to judging, printed: how many mistakes they name, and what a sheet takes.
//! `cargo bench -p jurado-cli --bench books`
#![allow(missing_docs)]

mod shared;

use std::hint::black_box;
use std::time::Instant;

use jurado_core::judging::judge;
use jurado_core::protocol::SlipKind;
use jurado_core::row::Row;
use jurado_core::submission::Submission;
use jurado_core::verdict::{Judged, VerdictKind};
use jurado_sim::{Booked, Lab, Order};
use shared::lab;

const LABS: [&str; 12] = [
    "keel-plate",
    "hatch-ram",
    "davit-balance",
    "fog-pipe",
    "beacon-timer",
    "bell-pendulum",
    "rust-iron",
    "base-standard",
    "fender-spring",
    "mooring-line",
    "boom-balance",
    "ring-tube",
];

/// How many of the mistakes of a table are named rightly.
fn named(lab: &Lab, booked: &Booked, judged: &Judged) -> usize {
    let right = |truth: &&jurado_sim::FormulaTruth| {
        let Some(done) = truth.done else { return false };
        judged.results.iter().any(|r| {
            let here = lab.protocol.items[r.item].id == truth.item
                && r.row.map(Row::number) == truth.row
                && r.verdict == VerdictKind::Slip;
            let rightly = |k: &SlipKind| matches!(k, SlipKind::Declared(_)) || done.names().contains(k);
            here && r.slip.as_ref().is_some_and(|s| rightly(&s.kind))
        })
    };
    booked.formulas.iter().filter(right).count()
}

fn millis(micros: &mut [f64]) -> String {
    micros.sort_by(f64::total_cmp);
    let at = |share: f64| micros[((micros.len() - 1) as f64 * share) as usize] / 1e3;
    format!("median {:.2} ms, p95 {:.2} ms, slowest {:.2} ms", at(0.5), at(0.95), at(1.0))
}

fn main() {
    let (mut with, mut without, mut added) = (Vec::new(), Vec::new(), Vec::new());
    let (mut mistakes, mut seen, mut guessed) = (0, 0, 0);
    let mut most = (0.0, String::new());
    for id in LABS {
        let lab = lab(id);
        let order = Order { teams: 14, slips: 0.0, troubles: 0.0, typing: false, ..Order::default() };
        for (n, table) in lab.simulate(&order).tables.iter().enumerate() {
            let booked = lab.booked(table, n as u64, 0.35);
            let plain = Submission { under: None, ..booked.submission.clone() };
            let timed = |table: &Submission, times: &mut Vec<f64>| {
                let mut judged = judge(&lab.protocol, table, &[], &[]);
                for _ in 0..5 {
                    let start = Instant::now();
                    judged = black_box(judge(&lab.protocol, black_box(table), &[], &[]));
                    times.push(start.elapsed().as_secs_f64() * 1e6);
                }
                judged
            };
            seen += named(&lab, &booked, &timed(&booked.submission, &mut with));
            guessed += named(&lab, &booked, &timed(&plain, &mut without));
            let middle = |times: &[f64]| times[times.len() - 3];
            let more = middle(&with) - middle(&without);
            added.push(more.max(0.0));
            if more > most.0 {
                most = (more, format!("{} {}", lab.protocol.id, table.team));
            }
            mistakes += booked.formulas.iter().filter(|f| f.done.is_some()).count();
        }
    }
    println!("{mistakes} mistakes in formulas: {seen} named as slips by them, {guessed} by the values alone");
    println!("a sheet with formulas: {}", millis(&mut with));
    println!("the same without them: {}", millis(&mut without));
    println!("what the formulas add: {} ({})", millis(&mut added), most.1);
}
