//! Faults in what a person wrote: always what, where and how to mend it.

use std::fmt;

/// A fault in a text from outside, with its place.
///
/// `line` and `column` count from 1, as people do; `column` counts characters, not bytes.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Fault {
    /// Line, from 1.
    pub line: usize,
    /// Column in characters, from 1.
    pub column: usize,
    /// What is wrong, in lower case, with the actual text.
    pub what: String,
    /// How to mend it.
    pub mend: String,
}

impl Fault {
    /// A fault at a byte offset of `text`.
    ///
    /// # Example
    /// ```
    /// use jurado_core::error::Fault;
    /// let fault = Fault::at("unit = \"mm\"\nstep = 0\n", 19, "a step of nought", "write the step of the scale");
    /// assert_eq!((fault.line, fault.column), (2, 8));
    /// assert_eq!(fault.to_string(), "2:8: a step of nought; write the step of the scale");
    /// ```
    pub fn at(text: &str, offset: usize, what: impl Into<String>, mend: impl Into<String>) -> Self {
        let (line, column) = line_and_column(text, offset);
        Fault { line, column, what: what.into(), mend: mend.into() }
    }
}

impl fmt::Display for Fault {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        write!(f, "{}:{}: {}; {}", self.line, self.column, self.what, self.mend)
    }
}

impl std::error::Error for Fault {}

/// Line and column (both from 1, column in characters) of a byte offset; past the end is the end.
///
/// # Example
/// ```
/// use jurado_core::error::line_and_column;
/// // The letter µ is two bytes and one column.
/// assert_eq!(line_and_column("µ = 3", 5), (1, 5));
/// ```
pub fn line_and_column(text: &str, offset: usize) -> (usize, usize) {
    let mut end = offset.min(text.len());
    while !text.is_char_boundary(end) {
        end -= 1;
    }
    let before = &text[..end];
    let line = before.matches('\n').count() + 1;
    let start = before.rfind('\n').map_or(0, |i| i + 1);
    (line, before[start..].chars().count() + 1)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn places_count_lines_and_characters_from_one() {
        let text = "ab\nµ = 3\n";
        for (offset, place) in [(0, (1, 1)), (2, (1, 3)), (3, (2, 1)), (5, (2, 2)), (99, (3, 1))] {
            assert_eq!(line_and_column(text, offset), place, "offset {offset}");
        }
        // An offset inside a character is the character's own place.
        assert_eq!(line_and_column(text, 4), (2, 1));
    }
}
