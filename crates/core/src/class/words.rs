//! The consensus of words: how a class answered, zone by zone.

use std::collections::BTreeMap;

use super::Entry;
use crate::protocol::{Protocol, ResultId};

/// How often one word was given for one row (a zone, a place of the grid) of a word result.
#[derive(Clone, Debug, PartialEq)]
pub struct WordShare {
    /// Row, from 1; `None` for a single word.
    pub row: Option<u32>,
    /// A word of the lab's list, as it stands there.
    pub word: String,
    /// Teams that gave it.
    pub count: usize,
    /// Teams that gave any.
    pub of: usize,
    /// Whether it is the right one, where that is known. What is right may differ from team to
    /// team: then most decide.
    pub right: Option<bool>,
}

/// The shares of every word given for a result, by row, most frequent first; none where the result
/// is a number.
///
/// # Example
/// ```
/// use jurado_core::class::word_consensus;
/// use jurado_core::example::lab;
/// use jurado_core::protocol::ResultId;
/// // The diameter is a number.
/// assert!(word_consensus(&lab(), &[], ResultId::at(0)).is_empty());
/// ```
pub fn word_consensus(protocol: &Protocol, entries: &[Entry], result: ResultId) -> Vec<WordShare> {
    let item = &protocol.items[protocol.results[result].item];
    let Some(words) = &item.words else { return Vec::new() };
    let counts = counted(entries, &item.id);
    let of_row = |row: Option<u32>| counts.iter().filter(|((r, _), _)| *r == row).map(|(_, c)| c.0).sum();
    let mut out: Vec<WordShare> = counts
        .iter()
        .filter_map(|((row, word), (count, known, right))| {
            let right = (*known > 0).then_some(2 * right > *known);
            Some(WordShare {
                row: *row,
                word: words.get(*word as usize)?.clone(),
                count: *count,
                of: of_row(*row),
                right,
            })
        })
        .collect();
    out.sort_by(|a, b| a.row.cmp(&b.row).then(b.count.cmp(&a.count)).then(a.word.cmp(&b.word)));
    out
}

/// By row and word: how many gave it, of how many of these it is known which word is right, and for
/// how many it was.
type Counts = BTreeMap<(Option<u32>, u32), (usize, usize, usize)>;

/// The words that were given for an item.
fn counted(entries: &[Entry], item: &str) -> Counts {
    let mut counts = Counts::new();
    for value in entries.iter().flat_map(|e| &e.essence.values).filter(|v| v.item == item) {
        let Some((word, right)) = value.word else { continue };
        let at = counts.entry((value.row, word)).or_default();
        at.0 += 1;
        at.1 += usize::from(right.is_some());
        at.2 += usize::from(right == Some(word));
    }
    counts
}
