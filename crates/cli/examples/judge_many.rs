//! Judges the demo class over and over, for a profiler: `cargo build --release --example judge_many`, then for instance
//! `valgrind --tool=callgrind target/release/examples/judge_many 5`.
#![allow(missing_docs)]

use std::hint::black_box;

use jurado_core::judging::judge;
use jurado_core::protocol::Protocol;
use jurado_sim::demo_class;

fn main() {
    let rounds: usize = std::env::args().nth(1).and_then(|n| n.parse().ok()).unwrap_or(100);
    let protocol = Protocol::parse(include_str!("../../../crates/core/tests/labs/plate-and-disc.toml"))
        .expect("the shipped protocol");
    let demo = demo_class(1871).class;
    for _ in 0..rounds {
        for table in &demo {
            black_box(judge(&protocol, black_box(&table.submission), &[], &[]));
        }
    }
}
