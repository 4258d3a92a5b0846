//! The consensus of words: how a class answered, zone by zone.

use crate::protocol::Protocol;
use crate::verdict::Judged;

/// How often one word was given for one row (a zone, a place of the grid) of a word result.
#[derive(Clone, Debug, PartialEq)]
pub struct WordShare {
    /// Row, from 1; `None` for a single word.
    pub row: Option<u32>,
    /// The word.
    pub word: String,
    /// Teams that gave it.
    pub count: usize,
    /// Teams that gave any.
    pub of: usize,
    /// Whether it is the right one, where that is known.
    pub right: Option<bool>,
}

/// The shares of every word given for a result, by row, most frequent first.
pub fn word_consensus(protocol: &Protocol, tables: &[Judged], result: usize) -> Vec<WordShare> {
    let Some(words) = &protocol.items[protocol.results[result].item].words else { return Vec::new() };
    let mut out: Vec<WordShare> = Vec::new();
    for r in tables.iter().flat_map(|t| &t.results).filter(|r| r.index == result) {
        let Some(word) = r.reported.word.and_then(|w| words.get(w as usize)) else { continue };
        let right = r.right_word.map(|w| Some(w) == r.reported.word);
        match out.iter_mut().find(|s| s.row == r.row && &s.word == word) {
            Some(share) => {
                share.count += 1;
                share.right = share.right.or(right);
            }
            None => out.push(WordShare { row: r.row, word: word.clone(), count: 1, of: 0, right }),
        }
    }
    let totals: Vec<usize> = out.iter().map(|s| out.iter().filter(|o| o.row == s.row).map(|o| o.count).sum()).collect();
    out.iter_mut().zip(totals).for_each(|(s, of)| s.of = of);
    out.sort_by(|a, b| a.row.cmp(&b.row).then(b.count.cmp(&a.count)).then(a.word.cmp(&b.word)));
    out
}
