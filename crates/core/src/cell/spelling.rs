//! The two spellings of the office formats, and one put into the other.
//!
//! The two office formats spell formulas differently: names of functions, separators, brackets
//! about references. Everything is shown and compared in one spelling, that of the screen.

/// Where a formula begins, after the marks that files put before it.
pub(super) fn opening(text: &str) -> usize {
    let rest = text.trim_start();
    let rest = ["of:", "oooc:", "msoxl:"].iter().find_map(|p| rest.strip_prefix(p)).unwrap_or(rest);
    let rest = rest.strip_prefix('=').unwrap_or(rest);
    text.len() - rest.len()
}

/// A text in quotes, doubled ones inside it taken as one, and how many bytes it takes.
pub(super) fn quoted(rest: &str, quote: char) -> Option<(String, usize)> {
    let mut out = String::new();
    let mut chars = rest.char_indices().skip(1).peekable();
    while let Some((at, c)) = chars.next() {
        if c != quote {
            out.push(c);
        } else if chars.peek().is_some_and(|(_, next)| *next == quote) {
            out.push(quote);
            chars.next();
        } else {
            return Some((out, at + quote.len_utf8()));
        }
    }
    None
}

/// Where a reference in brackets ends, quotes passed over.
pub(super) fn closing_bracket(rest: &str) -> Option<usize> {
    let mut inside = false;
    rest.char_indices()
        .find(|(_, c)| {
            inside ^= *c == '\'';
            *c == ']' && !inside
        })
        .map(|(at, _)| at)
}

/// Both ends of a range in brackets, parted by a colon outside quotes.
pub(super) fn parted(inner: &str) -> (&str, Option<&str>) {
    let mut inside = false;
    let colon = inner.char_indices().find(|(_, c)| {
        inside ^= *c == '\'';
        *c == ':' && !inside
    });
    match colon {
        Some((at, _)) => (&inner[..at], Some(&inner[at + 1..])),
        None => (inner, None),
    }
}

/// A formula of the open format in the spelling of the other: `=D12/SUM(D13,'Other sheet'!B5)` for
/// `of:=[.D12]/SUM([.D13];[$'Other sheet'.B5])`. Any other text stays as it is.
///
/// # Example
/// ```
/// use jurado_core::cell::in_one_spelling;
/// assert_eq!(in_one_spelling("of:=[.D12:.G12]*IF([.A1]=\"a;b\";[$Work.$B$2];2)"), "=D12:G12*IF(A1=\"a;b\",Work!$B$2,2)");
/// assert_eq!(in_one_spelling("=D12*2"), "=D12*2");
/// ```
pub fn in_one_spelling(text: &str) -> String {
    let start = opening(text);
    let marked = text[..start].trim_start().starts_with(['o', 'm']) || text.contains("[.");
    if !marked {
        return text.to_owned();
    }
    let mut out = String::from("=");
    let mut rest = &text[start..];
    while let Some(c) = rest.chars().next() {
        let taken = match c {
            '"' => quoted(rest, '"').map_or(rest.len(), |(_, length)| length),
            '[' => closing_bracket(rest).map_or(rest.len(), |end| end + 1),
            c => c.len_utf8(),
        };
        let piece = &rest[..taken];
        match c {
            '[' => out.push_str(&plain_reference(piece)),
            ';' => out.push(','),
            _ => out.push_str(piece),
        }
        rest = &rest[taken..];
    }
    out
}

/// `[.B7:.F7]` as `B7:F7`.
fn plain_reference(piece: &str) -> String {
    match parted(piece.trim_start_matches('[').trim_end_matches(']')) {
        (first, Some(second)) => format!("{}:{}", plain_address(first), plain_address(second)),
        (one, None) => plain_address(one),
    }
}

/// `.B7` as `B7`, `$Work.B7` as `Work!B7`; what is no address stays.
fn plain_address(text: &str) -> String {
    match text.rsplit_once('.') {
        Some(("" | "$", cell)) => cell.to_owned(),
        Some((sheet, cell)) => format!("{}!{cell}", sheet.trim_start_matches('$')),
        None => text.to_owned(),
    }
}
