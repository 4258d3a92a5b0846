//! The formula under the result in hand, beside its worked correction: as the team typed it and as it reads, with what differs
//! from the lab's marked.

use jurado_core::protocol::ItemId;
use jurado_core::row::Row;
use std::ops::Range;

use jurado_core::cell::{Formula, Term};
use jurado_core::notation;
use jurado_core::underneath::{Gives, Mark, Underneath};
use jurado_core::verdict::JudgedResult;

use super::Maker;

/// The formula under a result.
pub(crate) struct UnderView {
    pub(crate) address: String,
    /// Its text in pieces, each with whether it differs.
    pub(crate) text: Vec<(String, bool)>,
    /// The same drawn; `None` where it is not understood.
    pub(crate) math: Option<String>,
    /// Helper cells in which something differs, with their texts in pieces.
    pub(crate) helpers: Vec<(String, Vec<(String, bool)>)>,
    /// What it is beside the lab's, and what it gives.
    pub(crate) says: String,
}

/// A text in pieces by the spans that are marked.
fn pieces(text: &str, spans: &[Range<usize>]) -> Vec<(String, bool)> {
    let mut spans: Vec<&Range<usize>> = spans.iter().filter(|s| text.get((*s).clone()).is_some()).collect();
    spans.sort_by_key(|s| s.start);
    let mut out = Vec::new();
    let mut at = 0;
    for span in spans {
        // One inside another is marked with it.
        if span.start < at || span.is_empty() {
            continue;
        }
        out.push((text[at..span.start].to_owned(), false));
        out.push((text[span.clone()].to_owned(), true));
        at = span.end;
    }
    out.push((text[at..].to_owned(), false));
    out.retain(|(t, _)| !t.is_empty());
    out
}

fn in_pieces(address: &str, text: &str, marks: &[Mark]) -> Vec<(String, bool)> {
    let spans: Vec<Range<usize>> = marks.iter().filter(|m| m.address == address).map(|m| m.span.clone()).collect();
    pieces(text, &spans)
}

impl Maker<'_> {
    /// The formula under a result, if it has one.
    pub(super) fn under(&self, result: &JudgedResult) -> Option<UnderView> {
        let under = result.under.as_deref()?;
        let formula = self.detail.submission.under.as_deref().and_then(|u| Formula::of(u, &under.address).ok());
        let symbol = |leaf: &jurado_core::cell::Leaf| {
            let (id, _) = leaf.item.as_ref()?;
            self.protocol.item(id).map(|i| self.protocol.items[i].symbol.clone())
        };
        let math = formula.as_ref().map(|f| {
            let marked = |t: &Term| {
                let origin = f.origins.get(t.origin);
                origin.is_some_and(|o| under.marks.iter().any(|m| m.address == o.address && m.span == t.span))
            };
            f.drawn(&symbol, &marked)
        });
        let mut helpers: Vec<(String, Vec<(String, bool)>)> = Vec::new();
        for mark in under.marks.iter().filter(|m| m.address != under.address) {
            if !helpers.iter().any(|(a, _)| *a == mark.address) {
                helpers.push((mark.address.clone(), in_pieces(&mark.address, &mark.text, &under.marks)));
            }
        }
        Some(UnderView {
            address: under.address.clone(),
            text: in_pieces(&under.address, &under.text, &under.marks),
            math,
            helpers,
            says: says(under),
        })
    }

    /// Whether the formula of the result in hand reads a cell.
    pub(super) fn is_read(&self, item: ItemId, row: Option<Row>) -> bool {
        self.lit.contains(&(item, row))
    }
}

fn says(under: &Underneath) -> String {
    let gives = match &under.gives {
        Gives::ItsValue => "It gives what the cell holds",
        Gives::Another(v) => {
            return format!("It gives {}, and the cell holds another number.", notation::figures(*v, 6));
        }
        Gives::Unsaved(v) => {
            return format!("It gives {}; the file was saved without a value.", notation::figures(*v, 6));
        }
        Gives::Fault(fault) => return format!("It gives {fault}."),
        Gives::Unknown => return "It is not understood, and judged by its value alone.".to_owned(),
    };
    match (under.same, under.rounds) {
        (Some(true), true) => format!("{gives}, and is the lab’s formula, rounded on the way."),
        (Some(true), false) => format!("{gives}, and is the lab’s formula."),
        (Some(false), _) if under.marks.is_empty() => format!("{gives}, and is not the lab’s formula."),
        (Some(false), _) => format!("{gives}, and is not the lab’s formula: what differs is marked."),
        (None, _) => format!("{gives}."),
    }
}

#[cfg(test)]
mod tests {
    use super::pieces;

    #[test]
    fn a_text_is_cut_where_it_is_marked() {
        let said = |spans: &[std::ops::Range<usize>]| -> String {
            pieces("=B4/B5^3", spans).into_iter().map(|(t, m)| if m { format!("[{t}]") } else { t }).collect()
        };
        assert_eq!(said(&[]), "=B4/B5^3");
        assert_eq!(said(&[7..8, 1..3]), "=[B4]/B5^[3]");
        assert_eq!(said(&[4..8, 7..8]), "=B4/[B5^3]", "one inside another");
        assert_eq!(said(&[6..20, 0..0]), "=B4/B5^3", "beyond the text");
    }
}
