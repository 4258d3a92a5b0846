//! Finished text and coordinates for the templates. All rounding comes from `core::notation`.

pub(crate) mod bench;
pub(crate) mod docket;
pub(crate) mod entry;
pub(crate) mod frame;
pub(crate) mod intake;
pub(crate) mod ladder;
pub(crate) mod plots;
pub(crate) mod protocols;
pub(crate) mod quick;
pub(crate) mod replicates;
pub(crate) mod returns;
pub(crate) mod revisions;
pub(crate) mod shoals;
pub(crate) mod sketches;
pub(crate) mod stations;
#[cfg(test)]
mod tests;
pub(crate) mod would;

pub(crate) use jurado_core::notation::capital;

/// Longest reason that a person may write, in characters; as wide as the columns that keep it.
pub(crate) const MOST_REASON: usize = 500;

/// A text made safe for a query string.
pub(crate) fn query(text: &str) -> String {
    text.bytes()
        .map(|b| {
            if b.is_ascii_alphanumeric() || b"-._~/".contains(&b) {
                (b as char).to_string()
            } else {
                format!("%{b:02X}")
            }
        })
        .collect()
}

/// A symbol as markup: `m_p` has its p below the line.
pub(crate) fn symbol_markup(symbol: &str) -> String {
    use jurado_core::formula::mathml::escape;
    match symbol.split_once('_') {
        Some((base, below)) => format!("{}<sub>{}</sub>", escape(base), escape(below)),
        None => escape(symbol),
    }
}

/// A verdict or finding drawn and named: the symbol's id and the word.
#[derive(Clone, Debug)]
pub(crate) struct Mark {
    pub(crate) symbol: &'static str,
    pub(crate) word: &'static str,
}

/// The mark of a finding by its code.
pub(crate) fn mark_of(code: &str) -> Mark {
    let (symbol, word) = match code {
        "slip" => ("slip", "slip"),
        "slip-again" => ("slip", "the same slip"),
        "unexplained" => ("unexplained", "unexplained"),
        "ambiguous" => ("unexplained", "several stories"),
        "missing-reading" | "missing-result" => ("missing", "missing"),
        "unreadable" => ("unreadable", "unreadable"),
        "bound" => ("unreadable", "beyond the range"),
        "outlier-kept" => ("apart", "stands apart"),
        "outlier-near" => ("apart", "nearly apart"),
        "exclusion" | "exclusion-unsupported" => ("apart", "left out"),
        "digits-few" | "reading-digits" => ("short", "a digit short"),
        "digits-many" => ("short", "digits too many"),
        "cut-too-early" => ("rounded", "cut early"),
        "plus-minus-missing" => ("tight", "no ±"),
        "plus-minus-unfair" | "plus-minus-near" => ("tight", "±"),
        "plus-minus-digits" => ("tight", "digits of the ±"),
        "unit-missing" | "unit-wrong" | "unit-unknown" | "unit-converted" => ("short", "unit"),
        "accuracy" => ("differs", "accuracy"),
        "precision" => ("apart", "spread"),
        "accuracy-unchecked" | "precision-unchecked" | "unchecked" => ("unchecked", "unchecked"),
        "repair" => ("slip", "copied wrongly"),
        "carried" => ("carried", "carried"),
        "differs" => ("differs", "differs"),
        "check" => ("differs", "does not hold"),
        "disagreement" => ("differs", "disagree"),
        "point-apart" => ("apart", "off the line"),
        "not-concordant" | "concordance-tied" => ("apart", "not concordant"),
        "grid-missing" | "key-missing" => ("missing", "missing"),
        "key-unknown" | "no-such-setting" => ("unreadable", "not known"),
        "stopped-early" => ("missing", "stopped early"),
        "trend" | "does-not-follow" | "does-not-add-up" | "misread" | "amount-not-met" => ("differs", "out of step"),
        "forbidden-reading" => ("unexplained", "nothing to read"),
        "beyond-scale" => ("unexplained", "beyond the scale"),
        "manual" => ("unchecked", "by a person"),
        "implausible" => ("unexplained", "implausible"),
        "duplicate" => ("unexplained", "there twice"),
        "no-spread" => ("agrees", "all alike"),
        _ => ("hangs", "noted"),
    };
    Mark { symbol, word }
}
