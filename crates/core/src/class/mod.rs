//! The same lab over all sections, as an inter-laboratory comparison. Pure functions of judged tables and plain numbers;
//! nothing here changes a mark. [`Class::of`] gathers one result over all tables, normalised by each table's own
//! reference, so that stations with their own loads are comparable; the files hold the statistics: robust centre and
//! spread (`robust`), sections as laboratories (`sections`), station and section effects (`effects`), consensus of words
//! (`words`), tables that share their typed cells (`shared`).

mod effects;
mod robust;
mod sections;
mod shared;
#[cfg(test)]
mod tests;
mod words;

use crate::protocol::{ItemKind, Protocol};
use crate::verdict::{Judged, JudgedResult};

pub use effects::{Effect, EffectOf, effects, section_effects};
pub use robust::{Robust, algorithm_a, pooled_repeatability, z_scores};
pub use sections::{Cochran, Mandel, MandelRow, cochran, mandel};
pub use shared::{SharedTables, shared_tables};
pub use words::{WordShare, word_consensus};

/// One team's value of a result.
#[derive(Clone, Debug, PartialEq)]
pub struct TeamValue {
    /// Section.
    pub section: String,
    /// Team.
    pub team: String,
    /// Station, or whatever key the table or row belongs to; empty without one.
    pub station: String,
    /// The clean value in the result's unit.
    pub value: f64,
    /// The value over its reference (or less it, where values may be 0 or negative); the value itself without one.
    pub normalised: f64,
}

/// One result over all tables.
#[derive(Clone, Debug, PartialEq)]
pub struct Class {
    /// Index in the protocol's results.
    pub result: usize,
    /// A value per team (and row), in the order of the tables.
    pub values: Vec<TeamValue>,
    /// Resolution of the normalised values: half a unit of the last figure deserved, doubled.
    pub resolution: f64,
    /// Whether values were divided by a reference.
    pub relative: bool,
}

impl Class {
    /// Gathers result `result` over judged tables. `key` is the key by which tables (or rows) belong to stations;
    /// `reference` the index of the reference it is normalised by, if there is one.
    pub fn of(
        protocol: &Protocol,
        tables: &[Judged],
        result: usize,
        key: Option<&str>,
        reference: Option<usize>,
    ) -> Class {
        let item = protocol.results[result].item;
        let mut values = Vec::new();
        let mut steps: Vec<f64> = Vec::new();
        let entries = reference.map(|r| &protocol.references[r].entries).filter(|e| !e.is_empty());
        let relative = entries.is_some_and(|e| e.iter().all(|e| e.middle() > 0.0));
        for table in tables {
            for r in table.results.iter().filter(|r| r.index == result) {
                let Some(value) = r.clean else { continue };
                let station = key.and_then(|k| table.keys.get(k)).cloned().unwrap_or_default();
                let middle = reference
                    .and_then(|n| reference_of(protocol, n, &station))
                    .map(|si| protocol.items[item].from_si(si));
                let normalised = match middle {
                    Some(m) if relative && m != 0.0 => value / m,
                    Some(m) => value - m,
                    None => value,
                };
                let step = step_of(r);
                steps.push(match middle {
                    Some(m) if relative && m != 0.0 => step / m.abs(),
                    _ => step,
                });
                values.push(TeamValue {
                    section: table.section.clone(),
                    team: table.team.clone(),
                    station,
                    value,
                    normalised,
                });
            }
        }
        let resolution = crate::stats::median(&steps).unwrap_or(0.0);
        Class { result, values, resolution, relative }
    }

    /// The normalised values alone.
    pub fn normalised(&self) -> Vec<f64> {
        self.values.iter().map(|v| v.normalised).collect()
    }
}

/// One in the last figure the result deserves.
fn step_of(r: &JudgedResult) -> f64 {
    r.clean.map_or(0.0, |c| crate::quantity::power_of_ten(crate::quantity::leading_place(c) - r.deserved + 1))
}

fn reference_of(protocol: &Protocol, n: usize, station: &str) -> Option<f64> {
    let reference = &protocol.references[n];
    debug_assert!(matches!(protocol.items[reference.item].kind, ItemKind::Reference(_)));
    let entry = match reference.key {
        None => reference.entries.first(),
        Some(_) => reference.entries.iter().find(|e| e.at == station),
    };
    entry.map(crate::protocol::ReferenceEntry::middle)
}
