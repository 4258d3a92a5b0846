//! Rungs of the ladder: results that stand alone, with their distances, and what the drawing needs of them.

use jurado_core::finding::{Finding, Kind};
use jurado_core::judging::shown_clean;
use jurado_core::protocol::ItemId;
use jurado_core::quantity::power_of_ten;
use jurado_core::verdict::{JudgedResult, VerdictKind};
use jurado_core::wording;

use super::super::{Mark, Symbol, capital};
use super::{Maker, Pennant};
use crate::draw::ladder::{Rung, in_words};

/// One rung.
pub(crate) struct RungView {
    pub(crate) title: String,
    /// Its place among the results.
    pub(crate) place: usize,
    /// What a try-out makes of it, where that differs.
    pub(crate) tried: String,
    pub(crate) symbol: Symbol,
    pub(crate) reported: String,
    pub(crate) reported_pad: String,
    pub(crate) plus_minus: String,
    pub(crate) clean: String,
    pub(crate) clean_pad: String,
    pub(crate) unit: String,
    pub(crate) words: String,
    pub(crate) mark: Mark,
    pub(crate) hint: String,
    pub(crate) pennants: Vec<Pennant>,
    pub(crate) in_hand: bool,
    /// Whether the team's formula of the result in hand reads it.
    pub(crate) read: bool,
}

/// One unit of the last digit written, in the protocol's unit.
fn last_digit(r: &JudgedResult) -> Option<f64> {
    Some(power_of_ten(r.reported.number.as_ref()?.last_place) * r.reported.scale)
}

/// Distance of R from C in units of the last digit written.
pub(super) fn distance(r: &JudgedResult) -> Option<f64> {
    Some((r.reported.value? - r.clean.or(r.carried)?) / last_digit(r)?).filter(|d| d.is_finite())
}

/// Distance of what was reported from what a try-out gives, in units of the last digit written.
pub(super) fn distance_to(r: &JudgedResult, tried: &JudgedResult) -> Option<f64> {
    Some((r.reported.value? - tried.clean?) / last_digit(r)?).filter(|d| d.is_finite())
}

/// Rounding envelope in units of the last digit written; none where the value agrees.
pub(super) fn envelope(r: &JudgedResult) -> f64 {
    if r.verdict == VerdictKind::Agrees { 0.0 } else { last_digit(r).map_or(0.0, |unit| r.envelope / unit) }
}

/// Places after the decimal mark.
pub(super) fn places(text: &str) -> usize {
    text.rsplit_once(['.', ',']).map_or(0, |(_, d)| d.chars().take_while(char::is_ascii_digit).count())
}

/// Hidden digits that bring a figure to so many places; none behind what is no plain number.
pub(super) fn pad(text: &str, to: usize) -> String {
    let missing = to.saturating_sub(places(text));
    if missing == 0 || !text.ends_with(|c: char| c.is_ascii_digit()) {
        return String::new();
    }
    format!("{}{}", if places(text) == 0 { "." } else { "" }, "0".repeat(missing))
}

impl Maker<'_> {
    /// What the drawing needs of some rungs.
    pub(super) fn drawn(&self, results: &[&JudgedResult], drawn: &mut Vec<ItemId>) -> Vec<Rung> {
        results
            .iter()
            .map(|r| {
                let carried_from = if r.verdict == VerdictKind::Carried {
                    drawn.iter().enumerate().filter(|(_, i)| r.tainted_by.contains(i)).map(|(n, _)| n).collect()
                } else {
                    Vec::new()
                };
                drawn.push(r.item);
                Rung {
                    symbol: r.verdict.word(),
                    distance: distance(r),
                    envelope: envelope(r),
                    carried_from,
                    ghost: self.tried_of(r).filter(|t| t.clean != r.clean).and_then(|t| distance_to(r, t)),
                }
            })
            .collect()
    }

    pub(super) fn rungs(&self, results: &[&JudgedResult], hand: Option<ItemId>) -> Vec<RungView> {
        let short = |text: &str| text.chars().count() <= 9;
        let widest =
            results.iter().filter(|r| short(&r.reported.text)).map(|r| places(&r.reported.text)).max().unwrap_or(0);
        let integers = results.iter().map(|r| whole(&shown_clean(r))).max().unwrap_or(1);
        results
            .iter()
            .map(|r| {
                let item = &self.protocol.items[r.item];
                let word = item.words.as_ref().zip(r.right_word).and_then(|(words, w)| words.get(w as usize));
                let clean = match word {
                    Some(word) => word.clone(),
                    None if r.clean.is_some() => shown_clean(r),
                    None => "—".to_owned(),
                };
                let pad = if short(&r.reported.text) { pad(&r.reported.text, widest) } else { String::new() };
                let hint = match (&r.slip, &r.face, r.verdict) {
                    (Some(s), _, VerdictKind::Slip) => wording::happened(self.protocol, &s.account, &s.rows),
                    (_, Some(face), _) => format!("{}.", capital(&wording::face(self.protocol, face))),
                    _ => String::new(),
                };
                let tried = self.tried_of(r).filter(|t| t.clean != r.clean || t.right_word != r.right_word);
                RungView {
                    title: capital(&item.title),
                    place: self.judged.results.iter().position(|x| std::ptr::eq(x, *r)).unwrap_or(0),
                    tried: tried
                        .map(|t| if t.clean.is_some() { shown_clean(t) } else { "waits".to_owned() })
                        .unwrap_or_default(),
                    symbol: Symbol::of(&item.symbol),
                    reported: if r.reported.text.is_empty() {
                        "—".to_owned()
                    } else if r.reported.text.chars().count() > 9 {
                        format!("{}…", r.reported.text.chars().take(7).collect::<String>())
                    } else {
                        r.reported.text.clone()
                    },
                    reported_pad: pad,
                    plus_minus: r.reported.plus_minus.clone(),
                    clean_pad: "0".repeat(integers.saturating_sub(whole(&clean))),
                    clean,
                    unit: item.unit_after().trim().to_owned(),
                    words: in_words(distance(r)),
                    mark: Mark::verdict(r.verdict),
                    hint,
                    pennants: self.pennants(|f| f.concerns(r.item) && of_row(f, r)),
                    in_hand: self.is_in_hand(r, hand),
                    read: self.is_read(r.item, r.row),
                }
            })
            .collect()
    }
}

/// Whether a finding about a result's column is about its row: its own, or one that a slip down the column ran through.
pub(super) fn of_row(f: &Finding, r: &JudgedResult) -> bool {
    let (row, slip) = (f.place.row, matches!(f.kind, Kind::Slip(_)) && r.verdict == VerdictKind::Slip);
    row.is_none() || r.row.is_none() || row == r.row || slip
}

/// Digits before the decimal mark.
fn whole(text: &str) -> usize {
    text.chars().take_while(|c| *c != '.').filter(char::is_ascii_digit).count()
}
