//! What judging costs, printed. `cargo bench -p jurado-cli --bench judge`; how well it does is the other bench's.
#![allow(missing_docs)]

use std::hint::black_box;
use std::time::Instant;

use jurado_core::judging::judge;
use jurado_core::protocol::Protocol;
use jurado_sim::{Plant, Simulated, class_of, demo_class};

fn main() {
    let protocol = Protocol::parse(include_str!("../../../crates/core/tests/labs/plate-and-disc.toml"))
        .expect("the shipped protocol");
    let demo = demo_class(1871).class;
    times("the demo class, diagnosis included", &protocol, &demo);
    times("right tables", &protocol, &class_of(Plant::None, 200, 5));
    times("tables with a slip and what it carried", &protocol, &class_of(Plant::DiameterAsRadius, 200, 5));
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
