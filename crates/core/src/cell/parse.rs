//! Text of a formula → [`Piece`], in the spelling of either office format:
//! `B7/(B4*'Other sheet'!B5)` with commas, or `of:=[.B7]/([.B4]*[$'Other sheet'.B5])` with
//! semicolons. Nothing is looked up here.
//!
//! Both spellings are read by one parser: `,` and `;` part arguments, references stand bare or in
//! square brackets, and a first `=`, `of:=` or `oooc:=` is passed over. What is not understood –
//! arrays, references to other files, functions nobody uses in a lab – is said to be so, with the
//! sign or the name.

use super::address::Address;
use super::function::Function;
use super::piece::{NotUnderstood, Operator, Piece, PieceKind};
use super::spelling::{closing_bracket, opening, parted, quoted};
use crate::formula::ast::Comparator;

/// Longest formula, in bytes: as long as the office formats allow.
pub const MOST_LENGTH: usize = 8_192;
/// Deepest nesting.
const MOST_DEPTH: usize = 64;
/// Most numbers, references, functions and operators of one formula.
const MOST_PIECES: usize = 1_000;

/// Reads a formula, with or without `=` and the marks that files put before it.
///
/// # Errors
/// What is not understood; nothing of the formula can then be worked out.
///
/// # Example
/// ```
/// use jurado_core::cell::{PieceKind, parse};
/// let piece = parse("=B7/(B4*B5)").expect("understood");
/// assert!(matches!(piece.kind, PieceKind::Binary(..)));
/// assert_eq!(parse("of:=[.B7]/([.B4]*[.B5])").map(|p| p.kind.plain()), Ok(piece.kind.plain()));
/// assert!(parse("=HYPERLINK(\"x\")").is_err());
/// ```
pub fn parse(text: &str) -> Result<Piece, NotUnderstood> {
    if text.len() > MOST_LENGTH {
        return Err(NotUnderstood::TooLarge);
    }
    let start = opening(text);
    let mut parser = Parser { text, at: start, depth: 0, pieces: 0 };
    let piece = parser.expression(0)?;
    parser.spaces();
    match parser.rest().chars().next() {
        None => Ok(piece),
        Some(c) => Err(NotUnderstood::Sign(c.to_string())),
    }
}

/// `at` is a byte, always at the border of a character.
struct Parser<'a> {
    /// The formula, without its `=`; places in it are bytes.
    text: &'a str,
    /// The byte in hand.
    at: usize,
    /// How deep it is nested.
    depth: usize,
    /// Pieces so far.
    pieces: usize,
}

/// How tightly the operators bind; a sign before a number binds more tightly than a power.
///
/// A higher one binds more tightly.
fn strength(op: &str) -> u8 {
    match op {
        "^" => 5,
        "*" | "/" => 4,
        "+" | "-" => 3,
        "&" => 2,
        _ => 1,
    }
}

impl<'a> Parser<'a> {
    /// What is still to be read.
    ///
    /// What is not read yet.
    fn rest(&self) -> &'a str {
        &self.text[self.at..]
    }

    /// Passes over spaces.
    fn spaces(&mut self) {
        let rest = self.rest();
        self.at += rest.len() - rest.trim_start().len();
    }

    /// Whether a sign comes next; it is then taken.
    ///
    /// Passes over a sign if it comes next.
    fn takes(&mut self, sign: &str) -> bool {
        self.spaces();
        let there = self.rest().starts_with(sign);
        if there {
            self.at += sign.len();
        }
        there
    }

    /// A piece from `start` to here, counted against the bound on pieces.
    ///
    /// Counts the piece against the bound.
    fn made(&mut self, kind: PieceKind, start: usize) -> Result<Piece, NotUnderstood> {
        self.pieces += 1;
        if self.pieces > MOST_PIECES {
            return Err(NotUnderstood::TooLarge);
        }
        Ok(Piece { kind, span: start..self.at })
    }

    /// The fault of what stands here and is not understood.
    ///
    /// At most twelve characters of what comes next are told.
    fn stray<T>(&self) -> Result<T, NotUnderstood> {
        let rest = self.rest();
        Err(NotUnderstood::Sign(rest.chars().take(12).collect::<String>()))
    }

    /// The operator that comes next, without taking it.
    ///
    /// It is not passed over.
    fn operator(&mut self) -> Option<&'static str> {
        self.spaces();
        let signs = ["<=", ">=", "<>", "<", ">", "=", "+", "-", "*", "/", "^", "&"];
        signs.into_iter().find(|s| self.rest().starts_with(s))
    }

    /// Pieces joined by operators that bind more tightly than `least`. Operators of one rank are
    /// taken from the left, as worksheets do it: 2^3^2 is 64.
    ///
    /// Operators of one strength are joined from the left, a power among them.
    fn expression(&mut self, least: u8) -> Result<Piece, NotUnderstood> {
        self.depth += 1;
        if self.depth > MOST_DEPTH {
            return Err(NotUnderstood::TooLarge);
        }
        self.spaces();
        let start = self.at;
        let mut left = self.signed()?;
        while let Some(sign) = self.operator().filter(|s| strength(s) > least) {
            self.at += sign.len();
            let right = self.expression(strength(sign))?;
            let (a, b) = (Box::new(left), Box::new(right));
            let kind = match sign {
                "+" => PieceKind::Binary(Operator::Add, a, b),
                "-" => PieceKind::Binary(Operator::Subtract, a, b),
                "*" => PieceKind::Binary(Operator::Multiply, a, b),
                "/" => PieceKind::Binary(Operator::Divide, a, b),
                "^" => PieceKind::Binary(Operator::Power, a, b),
                "&" => PieceKind::Join(a, b),
                "<=" => PieceKind::Compare(Comparator::LessOrEqual, a, b),
                ">=" => PieceKind::Compare(Comparator::GreaterOrEqual, a, b),
                "<>" => PieceKind::Compare(Comparator::Unequal, a, b),
                "<" => PieceKind::Compare(Comparator::Less, a, b),
                ">" => PieceKind::Compare(Comparator::Greater, a, b),
                _ => PieceKind::Compare(Comparator::Equal, a, b),
            };
            left = self.made(kind, start)?;
        }
        self.depth -= 1;
        Ok(left)
    }

    /// A piece with the signs before it and the per cent signs after it. A sign binds more tightly
    /// than a power: −2^2 is 4.
    ///
    /// `-2^2` is 4 in a worksheet: the sign binds first.
    fn signed(&mut self) -> Result<Piece, NotUnderstood> {
        self.spaces();
        let start = self.at;
        if self.takes("-") {
            self.depth += 1;
            if self.depth > MOST_DEPTH {
                return Err(NotUnderstood::TooLarge);
            }
            let of = self.signed()?;
            self.depth -= 1;
            return self.made(PieceKind::Negative(Box::new(of)), start);
        }
        if self.takes("+") {
            self.depth += 1;
            if self.depth > MOST_DEPTH {
                return Err(NotUnderstood::TooLarge);
            }
            let of = self.signed()?;
            self.depth -= 1;
            return Ok(of);
        }
        let mut piece = self.single()?;
        while self.takes("%") {
            piece = self.made(PieceKind::Percent(Box::new(piece)), start)?;
        }
        Ok(piece)
    }

    /// A piece without signs: a bracket, a text, a reference, a number, a name or a function.
    ///
    /// A bracket, a text, an error, a reference, a number, or a word.
    fn single(&mut self) -> Result<Piece, NotUnderstood> {
        self.spaces();
        match self.rest().chars().next() {
            Some('(') => {
                self.at += 1;
                let inner = self.expression(0)?;
                if !self.takes(")") {
                    return self.stray();
                }
                Ok(inner)
            }
            Some('"') => self.text(),
            Some('#') => self.fault(),
            Some('[') => self.open_reference(),
            Some('{') => Err(NotUnderstood::Sign("{".to_owned())),
            Some(c) if c.is_ascii_digit() || c == '.' => self.number(),
            Some(c) if c.is_alphabetic() || matches!(c, '_' | '$' | '\'' | '\\') => self.word(),
            _ => self.stray(),
        }
    }

    /// A number with a decimal point and maybe an exponent.
    fn number(&mut self) -> Result<Piece, NotUnderstood> {
        let (start, rest) = (self.at, self.rest());
        let end = number_end(rest);
        let value = rest[..end].parse::<f64>().ok().filter(|v| v.is_finite());
        let Some(value) = value else { return self.stray() };
        self.at += end;
        self.made(PieceKind::Number(value), start)
    }

    /// A text in double quotes.
    fn text(&mut self) -> Result<Piece, NotUnderstood> {
        let start = self.at;
        let Some((text, length)) = quoted(self.rest(), '"') else { return self.stray() };
        self.at += length;
        self.made(PieceKind::Text(text), start)
    }

    /// An error written into the formula, as of a cell that was deleted.
    ///
    /// An error as worksheets spell it.
    fn fault(&mut self) -> Result<Piece, NotUnderstood> {
        let start = self.at;
        let known = ["#DIV/0!", "#VALUE!", "#NAME?", "#NUM!", "#N/A", "#REF!", "#NULL!"];
        match known.into_iter().find(|k| self.rest().starts_with(k)) {
            Some(k) => {
                self.at += k.len();
                self.made(PieceKind::Fault(k.to_owned()), start)
            }
            None => self.stray(),
        }
    }

    /// `[.B7]`, `[.B7:.F7]`, `[$Work.B7]`; and `[1]Work!B7`, which is another file.
    ///
    /// A reference in square brackets, a range where a colon stands in it. One to another file is
    /// refused.
    fn open_reference(&mut self) -> Result<Piece, NotUnderstood> {
        let start = self.at;
        let rest = self.rest();
        let Some(end) = closing_bracket(rest) else { return self.stray() };
        let inner = &rest[1..end];
        if inner.bytes().all(|b| b.is_ascii_digit()) || inner.contains('#') && inner.starts_with('\'') {
            return Err(NotUnderstood::OtherFile);
        }
        self.at += end + 1;
        let (first, second) = parted(inner);
        let Some(a) = open_address(first, None) else {
            return if inner.contains("#REF!") {
                self.made(PieceKind::Fault("#REF!".to_owned()), start)
            } else {
                Err(NotUnderstood::Sign(inner.chars().take(24).collect()))
            };
        };
        let kind = match second.map(|s| open_address(s, a.sheet.as_deref())) {
            None => PieceKind::Cell(a),
            Some(Some(b)) => range(a, b),
            Some(None) => return Err(NotUnderstood::Sign(inner.chars().take(24).collect())),
        };
        self.made(kind, start)
    }

    /// A function, a reference or a name.
    ///
    /// A function where a bracket follows, else an address, a truth or a name.
    fn word(&mut self) -> Result<Piece, NotUnderstood> {
        let start = self.at;
        let sheet = self.sheet()?;
        let word = self.plain_word();
        if word.is_empty() {
            return self.stray();
        }
        if sheet.is_none() && self.rest().starts_with('(') {
            return self.call(word, start);
        }
        if let Some(first) = Address::read(word) {
            let first = Address { sheet: sheet.clone(), ..first };
            if self.rest().starts_with(':') {
                let back = self.at;
                self.at += 1;
                // `Work!A1:Work!A5` names its sheet twice.
                self.sheet()?;
                let second = self.plain_word();
                match Address::read(second) {
                    Some(second) => {
                        let kind = range(first, Address { sheet, ..second });
                        return self.made(kind, start);
                    }
                    None => self.at = back,
                }
                return self.stray();
            }
            return self.made(PieceKind::Cell(first), start);
        }
        match (sheet, word) {
            (None, w) if w.eq_ignore_ascii_case("true") => {
                self.made(PieceKind::Call(Function::True, Vec::new()), start)
            }
            (None, w) if w.eq_ignore_ascii_case("false") => {
                self.made(PieceKind::Call(Function::False, Vec::new()), start)
            }
            (_, w) => self.made(PieceKind::Name(w.to_owned()), start),
        }
    }

    /// The sheet before a `!`, if one stands here.
    ///
    /// The name of the sheet before an exclamation mark, with its quotation marks taken off.
    fn sheet(&mut self) -> Result<Option<String>, NotUnderstood> {
        let rest = self.rest();
        let (name, length) = if rest.starts_with('\'') {
            let Some((name, length)) = quoted(rest, '\'') else { return self.stray() };
            (name, length)
        } else {
            let length =
                rest.find(|c: char| !(c.is_alphanumeric() || matches!(c, '_' | '.' | '$'))).unwrap_or(rest.len());
            (rest[..length].trim_start_matches('$').to_owned(), length)
        };
        if !rest[length..].starts_with('!') {
            return if rest.starts_with('\'') { self.stray() } else { Ok(None) };
        }
        self.at += length + 1;
        if name.contains('[') {
            return Err(NotUnderstood::OtherFile);
        }
        Ok(Some(name))
    }

    /// A word of letters, digits and the signs that names and addresses have.
    ///
    /// It may be empty.
    fn plain_word(&mut self) -> &'a str {
        let rest = self.rest();
        let end = rest
            .find(|c: char| !(c.is_alphanumeric() || matches!(c, '_' | '.' | '$' | '\\' | '?')))
            .unwrap_or(rest.len());
        self.at += end;
        &rest[..end]
    }

    /// A function with its arguments, parted by commas or semicolons; its name and the number of
    /// its arguments have to be known.
    ///
    /// An argument may be left out between two commas.
    fn call(&mut self, name: &str, start: usize) -> Result<Piece, NotUnderstood> {
        let Some(function) = Function::named(name) else {
            return Err(NotUnderstood::Function(name.chars().take(40).collect()));
        };
        self.at += 1;
        let mut args = Vec::new();
        if !self.takes(")") {
            loop {
                self.spaces();
                let blank = self.rest().starts_with([',', ';', ')']);
                let here = self.at;
                let arg = if blank { self.made(PieceKind::Blank, here)? } else { self.expression(0)? };
                args.push(arg);
                if self.takes(")") {
                    break;
                }
                if !self.takes(",") && !self.takes(";") {
                    return self.stray();
                }
            }
        }
        let (least, most) = function.takes();
        if args.len() < least || args.len() > most {
            return Err(NotUnderstood::Sign(format!("{}(", function.name())));
        }
        self.made(PieceKind::Call(function, args), start)
    }
}

/// Where a number ends, in bytes.
fn number_end(rest: &str) -> usize {
    let bytes = rest.as_bytes();
    let digits = |from: usize| from + bytes[from..].iter().take_while(|b| b.is_ascii_digit()).count();
    let mut end = digits(0);
    if bytes.get(end) == Some(&b'.') {
        end = digits(end + 1);
    }
    if matches!(bytes.get(end), Some(b'e' | b'E')) {
        let sign = usize::from(matches!(bytes.get(end + 1), Some(b'+' | b'-')));
        let last = digits((end + 1 + sign).min(bytes.len()));
        if last > end + 1 + sign {
            end = last;
        }
    }
    end
}

/// `.B7`, `Work.B7`, `$'Other sheet'.$B$7`.
fn open_address(text: &str, sheet: Option<&str>) -> Option<Address> {
    let (name, cell) = text.rsplit_once('.')?;
    let name = name.trim_start_matches('$');
    let name =
        name.strip_prefix('\'').and_then(|n| n.strip_suffix('\'')).map_or(name.to_owned(), |n| n.replace("''", "'"));
    let sheet = if name.is_empty() { sheet.map(str::to_owned) } else { Some(name) };
    Address::read(cell).map(|a| Address { sheet, ..a })
}

/// A range from any two of its corners.
fn range(a: Address, b: Address) -> PieceKind {
    let upper = Address { sheet: a.sheet.clone(), row: a.row.min(b.row), column: a.column.min(b.column) };
    let lower = Address { sheet: a.sheet, row: a.row.max(b.row), column: a.column.max(b.column) };
    PieceKind::Range(upper, lower)
}
