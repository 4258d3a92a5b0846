//! What the criteria of a protocol may name.
//!
//! A criterion may name results, references, readings and comparisons; each is looked up here by
//! its id.

use super::{Item, ReadingSpec, Reference, ResultSpec};
use crate::formula::ItemId;

/// What a criterion may name, by id.
pub(super) struct Nameable<'a> {
    /// Results, in the order of derivation.
    pub(super) results: &'a [ResultSpec],
    /// References.
    pub(super) references: &'a [Reference],
    /// Ids of the results.
    pub(super) result_ids: Vec<String>,
    /// Ids of the references.
    pub(super) reference_ids: Vec<String>,
    /// Ids of the readings.
    pub(super) reading_ids: Vec<String>,
    /// Ids of the comparisons.
    pub(super) comparisons: &'a [String],
}

impl<'a> Nameable<'a> {
    /// What a rubric may name, with the ids of each kind in the order of the protocol.
    pub(super) fn new(
        items: &[Item],
        results: &'a [ResultSpec],
        references: &'a [Reference],
        readings: &[ReadingSpec],
        comparisons: &'a [String],
    ) -> Nameable<'a> {
        let id = |item: ItemId| items[item].id.clone();
        Nameable {
            results,
            references,
            result_ids: results.iter().map(|r| id(r.item)).collect(),
            reference_ids: references.iter().map(|r| id(r.item)).collect(),
            reading_ids: readings.iter().map(|r| id(r.item)).collect(),
            comparisons,
        }
    }
}
