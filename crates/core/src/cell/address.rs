//! Addresses of cells: `F12`, `$F$12`, `Work!F12`.

use std::fmt;

/// Most rows of a worksheet, by the office formats.
pub const MOST_ROWS: u32 = 1_048_576;
/// Most columns of a worksheet.
pub const MOST_COLUMNS: u32 = 16_384;

/// Where a cell stands.
#[derive(Clone, Debug, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub struct Address {
    /// Another sheet of the same file; `None` for the sheet that the table stands on.
    pub sheet: Option<String>,
    /// Row, from 1.
    pub row: u32,
    /// Column, from 1.
    pub column: u32,
}

impl Address {
    /// A cell of the table's own sheet, row and column from 1.
    ///
    /// # Example
    /// ```
    /// use jurado_core::cell::Address;
    /// assert_eq!(Address::here(12, 6).to_string(), "F12");
    /// assert_eq!(Address::here(1, 28).to_string(), "AB1");
    /// ```
    pub fn here(row: u32, column: u32) -> Address {
        Address { sheet: None, row, column }
    }

    /// Reads `F12`, `$F$12` or `Work!F12`; `None` where a text is no address.
    ///
    /// # Example
    /// ```
    /// use jurado_core::cell::Address;
    /// assert_eq!(Address::read("$F$12"), Some(Address::here(12, 6)));
    /// assert_eq!(Address::read("F0"), None);
    /// assert_eq!(Address::read("Work!F12").map(|a| a.to_string()), Some("Work!F12".into()));
    /// ```
    pub fn read(text: &str) -> Option<Address> {
        let (sheet, cell) = match text.rsplit_once('!') {
            Some((sheet, cell)) => (Some(sheet.to_owned()), cell),
            None => (None, text),
        };
        let cell = cell.strip_prefix('$').unwrap_or(cell);
        let letters = cell.bytes().take_while(u8::is_ascii_alphabetic).count();
        let (name, rest) = cell.split_at(letters);
        let digits = rest.strip_prefix('$').unwrap_or(rest);
        if !(1..=3).contains(&letters) || digits.len() > 7 || !digits.bytes().all(|b| b.is_ascii_digit()) {
            return None;
        }
        let row: u32 = digits.parse().ok().filter(|r| (1..=MOST_ROWS).contains(r))?;
        let column = name.bytes().fold(0, |n, b| n * 26 + u32::from(b.to_ascii_uppercase() - b'A') + 1);
        (column <= MOST_COLUMNS).then_some(Address { sheet, row, column })
    }
}

impl fmt::Display for Address {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        if let Some(sheet) = &self.sheet {
            write!(f, "{sheet}!")?;
        }
        let mut letters = Vec::new();
        let mut n = self.column;
        while n > 0 {
            letters.push(b'A' + ((n - 1) % 26) as u8);
            n = (n - 1) / 26;
        }
        letters.reverse();
        write!(f, "{}{}", String::from_utf8_lossy(&letters), self.row)
    }
}
