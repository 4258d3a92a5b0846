//! What a reviewer who takes everything as proposed finds of practice classes, and what passes, printed by lab and
//! difficulty. `cargo bench -p jurado-cli --bench practice`
#![allow(missing_docs)]

mod shared;

use jurado_core::moderation::Field;
use jurado_core::practice::{Proposed, Summed, judged, taking_all};
use jurado_sim::Level;
use rust_decimal::prelude::ToPrimitive;
use shared::{lab, percent};

const LABS: [&str; 8] = [
    "keel-plate",
    "hatch-ram",
    "davit-balance",
    "fog-pipe",
    "beacon-timer",
    "bell-pendulum",
    "rust-iron",
    "base-standard",
];
/// Classes of sixteen tables for each lab and difficulty.
const CLASSES: u64 = 6;

fn main() {
    let mut whole = Summed::default();
    let mut fields: Vec<(Field, usize, usize)> = Field::ALL.into_iter().map(|f| (f, 0, 0)).collect();
    let (mut named_otherwise, mut passed) = (0, 0);
    for id in LABS {
        let lab = lab(id);
        for level in Level::ALL {
            let (mut sum, mut off, mut tables) = (Summed::default(), 0.0, 0);
            for seed in 1..=CLASSES {
                for (table, truth) in lab.practice(level, seed) {
                    let open = judged(&lab.protocol, &table, &[]);
                    let account = truth.account(&judged(&lab.protocol, &table, &taking_all(&open, "bench")));
                    sum.add(&account);
                    off += account.off().abs().to_f64().unwrap_or(0.0);
                    tables += 1;
                    for (act, fate) in truth.acts.iter().zip(&account.acts) {
                        if let Some(field) = fields.iter_mut().find(|f| f.0 == act.field) {
                            field.1 += 1;
                            field.2 += usize::from(fate.found);
                        }
                        named_otherwise += usize::from(!fate.found && act.proposed == Proposed::Otherwise);
                        passed += usize::from(!fate.found && act.proposed == Proposed::Not);
                    }
                }
            }
            println!(
                "{id}, {}: {} of {} found ({:.1} %), {} missed, {} charged twice, {} without cause, {:.3} points off a table",
                level.title(),
                sum.found,
                sum.planted,
                percent(sum.found, sum.planted),
                sum.planted - sum.found,
                sum.twice,
                sum.without,
                off / f64::from(tables.max(1))
            );
            whole.planted += sum.planted;
            whole.found += sum.found;
            whole.twice += sum.twice;
            whole.without += sum.without;
        }
    }
    println!(
        "all: {} of {} found ({:.1} %), {} missed ({named_otherwise} taken for something else, {passed} passed by), {} charged twice, {} without cause",
        whole.found,
        whole.planted,
        percent(whole.found, whole.planted),
        whole.planted - whole.found,
        whole.twice,
        whole.without
    );
    for (field, planted, found) in fields.iter().filter(|f| f.1 > 0) {
        println!("{field:?}: {found} of {planted} found ({:.1} %)", percent(*found, *planted));
    }
}
