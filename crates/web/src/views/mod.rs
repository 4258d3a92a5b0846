//! Finished text and coordinates for the templates. All rounding comes from `core::notation`.

pub(crate) mod asked;
pub(crate) mod bench;
pub(crate) mod course;
pub(crate) mod docket;
pub(crate) mod entry;
pub(crate) mod floor;
pub(crate) mod frame;
pub(crate) mod gradebook;
pub(crate) mod hand_in;
pub(crate) mod intake;
pub(crate) mod joining;
pub(crate) mod lab_form;
pub(crate) mod moderation;
pub(crate) mod moving;
pub(crate) mod practice;
pub(crate) mod protocols;
pub(crate) mod quick;
pub(crate) mod returns;
pub(crate) mod revisions;
pub(crate) mod rulings;
pub(crate) mod setting;
pub(crate) mod shelf;
pub(crate) mod stations;
#[cfg(test)]
mod tests;
pub(crate) mod would;

use jurado_core::finding::Kind;
pub(crate) use jurado_core::notation::capital;
use jurado_core::verdict::VerdictKind;
use jurado_core::wording::label;

/// What stands in a query string as it is.
const PLAIN: &percent_encoding::AsciiSet =
    &percent_encoding::NON_ALPHANUMERIC.remove(b'-').remove(b'.').remove(b'_').remove(b'~').remove(b'/');

/// A text made safe for a query string.
pub(crate) fn query(text: &str) -> String {
    percent_encoding::utf8_percent_encode(text, PLAIN).to_string()
}

/// A stage of a worked correction: typeset, or as a line of text where it is so long that it has to be broken, which browsers
/// do not do to formulas.
#[derive(Clone, Debug, PartialEq, Eq)]
pub(crate) enum Stage {
    Math(String),
    Text(String),
}

/// Letters that a typeset stage may have.
const MOST_STAGE: usize = 84;

/// The stages of a worked correction, as they are laid out.
pub(crate) fn stages(of: jurado_core::explain::Stages) -> Vec<Stage> {
    let each = of.text.into_iter().zip(of.mathml);
    each.map(|(text, math)| if text.chars().count() > MOST_STAGE { Stage::Text(text) } else { Stage::Math(math) })
        .collect()
}

/// A symbol in its parts: `m_p` has its p below the line. A template sets them.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub(crate) struct Symbol {
    pub(crate) base: String,
    pub(crate) below: String,
}

impl Symbol {
    pub(crate) fn of(symbol: &str) -> Symbol {
        let (base, below) = symbol.split_once('_').unwrap_or((symbol, ""));
        Symbol { base: base.to_owned(), below: below.to_owned() }
    }
}

/// A verdict or finding drawn and named: the symbol's id and the word.
#[derive(Clone, Debug)]
pub(crate) struct Mark {
    pub(crate) symbol: &'static str,
    pub(crate) word: &'static str,
}

impl Mark {
    /// The mark of a verdict.
    pub(crate) fn verdict(kind: VerdictKind) -> Mark {
        Mark { symbol: kind.word(), word: kind.word() }
    }

    /// The mark of a finding.
    pub(crate) fn of(kind: &Kind) -> Mark {
        Mark { symbol: kind.properties().mark.word(), word: label(kind) }
    }
}
