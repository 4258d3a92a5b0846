//! Text → [`Ast`], by operator precedence. Depth is bounded, since the text comes from people.
//!
//! # The language
//!
//! | binds | signs | example |
//! |---|---|---|
//! | tightest | names, numbers, brackets, calls | `mean(x)`, `3.3[mm]` |
//! | | `^`, from the right | `a^b^c` is `a^(b^c)` |
//! | | a sign in front | `-a^2` is `-(a^2)` |
//! | | `*` `/` | `a/b*c` is `(a/b)*c` |
//! | | `+` `-` | |
//! | loosest | `<` `<=` `==` `!=` `>=` `>` | one to a formula, unless joined by `and()` |
//!
//! Text comes from people and from files: its length, its depth and the number of its pieces are
//! bounded, so that parsing it takes no longer than reading it. A fault names the bytes that it is
//! about.

use super::FormulaError;
use super::ast::{Ast, AstKind, Comparator, Operator};

/// Deepest nesting of brackets, calls and signs.
///
/// Nobody nests so deep; a text that does would use up the stack.
pub(super) const MAX_DEPTH: usize = 64;
/// Most numbers, names, functions and operators of a formula. What is done with a tree grows faster
/// than the tree.
///
/// The longest formula of a lab that ships has a third of it.
pub(super) const MAX_NODES: usize = 160;
/// Longest formula, in bytes.
///
/// In bytes.
pub(super) const MAX_LENGTH: usize = 4000;

/// Reads a formula.
///
/// # Errors
/// A [`FormulaError`] with the bytes in question: an unexpected sign, an unclosed bracket, a text
/// too long or too deep.
///
/// # Example
/// ```
/// let tree = jurado_core::formula::parse("a - b * 2^2")?;
/// assert_eq!(tree.bracketed(), "(a - (b * (2 ^ 2)))");
/// # Ok::<(), jurado_core::formula::FormulaError>(())
/// ```
pub fn parse(text: &str) -> Result<Ast, FormulaError> {
    if text.len() > MAX_LENGTH {
        return Err(FormulaError::new(
            0..1,
            format!("the formula is longer than {MAX_LENGTH} bytes"),
            "split it into several results",
        ));
    }
    let mut parser = Parser { text, at: 0, depth: 0, nodes: 0 };
    let tree = parser.expression(0)?;
    parser.spaces();
    match parser.peek() {
        None => Ok(tree),
        Some(c) => Err(parser.stray().unwrap_or_else(|| {
            parser.here(format!("`{c}` is not expected here"), "put an operator before it, or take it out")
        })),
    }
}

/// `at` is a byte of the text, always at the border of a character.
struct Parser<'a> {
    /// The formula; places in faults are bytes of it.
    text: &'a str,
    /// The byte in hand.
    at: usize,
    /// How deep it is nested.
    depth: usize,
    /// Pieces so far.
    nodes: usize,
}

impl Parser<'_> {
    /// The character that comes next.
    ///
    /// The next character; `None` at the end.
    fn peek(&self) -> Option<char> {
        self.text[self.at..].chars().next()
    }

    /// Passes over spaces.
    ///
    /// Passes over blanks.
    fn spaces(&mut self) {
        while let Some(c) = self.peek().filter(|c| c.is_whitespace()) {
            self.at += c.len_utf8();
        }
    }

    /// A fault at the character that comes next.
    ///
    /// A fault at the next character; at the end, one past it.
    fn here(&self, what: impl Into<String>, mend: impl Into<String>) -> FormulaError {
        let width = self.peek().map_or(1, char::len_utf8);
        FormulaError::new(self.at..self.at + width, what, mend)
    }

    /// What stands where an operator or the end should: habits of other ways to write a formula.
    ///
    /// What people write that is not of this language, told by what they mean: a decimal comma, `=`
    /// for `==`, `²`.
    fn stray(&self) -> Option<FormulaError> {
        let (before, after) = self.text.split_at(self.at);
        let digit = |c: Option<char>| c.is_some_and(|c| c.is_ascii_digit());
        let mut ahead = after.chars();
        let (first, second) = (ahead.next()?, ahead.next());
        let (what, mend) = match (first, second) {
            (',', next) if digit(before.chars().next_back()) && digit(next) => {
                ("a comma stands inside a number", "write a decimal point, such as 3.3")
            }
            ('=', Some('>')) => ("`=>` compares nothing", "write >="),
            ('=', Some('<')) => ("`=<` compares nothing", "write <="),
            ('=', _) => ("`=` compares nothing", "write == where both sides should be equal"),
            ('²', _) => ("`²` is read in units alone", "write ^2"),
            ('³', _) => ("`³` is read in units alone", "write ^3"),
            _ => return None,
        };
        Some(self.here(what, mend))
    }

    /// The operator that comes next, in any of the spellings people use, without taking it.
    ///
    /// The operator that comes next, with its character, which is not passed over.
    fn operator(&mut self) -> Option<(Operator, char)> {
        self.spaces();
        let c = self.peek()?;
        let op = match c {
            '+' => Operator::Add,
            '-' | '−' => Operator::Subtract,
            '*' | '·' | '×' => Operator::Multiply,
            '/' => Operator::Divide,
            '^' => Operator::Power,
            _ => return None,
        };
        Some((op, c))
    }

    /// The comparison that comes next with its length in bytes, without taking it.
    ///
    /// The comparison that comes next, with its length in bytes.
    fn comparator(&mut self) -> Option<(Comparator, usize)> {
        self.spaces();
        [
            ("<=", Comparator::LessOrEqual),
            ("≤", Comparator::LessOrEqual),
            (">=", Comparator::GreaterOrEqual),
            ("≥", Comparator::GreaterOrEqual),
            ("==", Comparator::Equal),
            ("!=", Comparator::Unequal),
            ("≠", Comparator::Unequal),
            ("<", Comparator::Less),
            (">", Comparator::Greater),
        ]
        .into_iter()
        .find(|(sign, _)| self.text[self.at..].starts_with(sign))
        .map(|(sign, op)| (op, sign.len()))
    }

    /// Counts a part of the tree.
    ///
    /// Counts a piece against the bound.
    fn count(&mut self) -> Result<(), FormulaError> {
        self.nodes += 1;
        if self.nodes > MAX_NODES {
            return Err(self.here(
                format!("the formula has more than {MAX_NODES} numbers, names and operators"),
                "name a part of it as a result of its own",
            ));
        }
        Ok(())
    }

    /// Binding power: comparisons 0 and never in a row, `+ -` 1, `* /` 2, sign 3, `^` 4 and to the
    /// right.
    ///
    /// What binds more tightly than `least`: 0 for everything, 1 from products on, 2 from powers
    /// on, 3 for signs.
    fn expression(&mut self, least: u8) -> Result<Ast, FormulaError> {
        self.depth += 1;
        if self.depth > MAX_DEPTH {
            return Err(self.here(
                format!("brackets and signs are nested deeper than {MAX_DEPTH}"),
                "name a part of it as a result of its own",
            ));
        }
        self.count()?;
        let mut left = self.prefix()?;
        while let Some((op, c)) = self.operator() {
            let power = match op {
                Operator::Add | Operator::Subtract => 1,
                Operator::Multiply | Operator::Divide => 2,
                Operator::Power => 4,
            };
            if power <= least {
                break;
            }
            self.at += c.len_utf8();
            self.count()?;
            let right = self.expression(if op == Operator::Power { 3 } else { power })?;
            let span = left.span.start..right.span.end;
            left = Ast { kind: AstKind::Binary(op, Box::new(left), Box::new(right)), span };
        }
        if least == 0
            && let Some((op, width)) = self.comparator()
        {
            self.at += width;
            // Each side is a sum of its own: `a < b < c` has no meaning here.
            let right = self.side()?;
            let span = left.span.start..right.span.end;
            left = Ast { kind: AstKind::Compare(op, Box::new(left), Box::new(right)), span };
            if self.comparator().is_some() {
                return Err(self.here("comparisons do not follow one another", "join two of them with and(…, …)"));
            }
        }
        self.depth -= 1;
        Ok(left)
    }

    /// The right side of a comparison: a word, or a sum.
    ///
    /// The right side of a comparison: a word, or a sum.
    fn side(&mut self) -> Result<Ast, FormulaError> {
        self.spaces();
        if self.peek() == Some('"') {
            return self.word();
        }
        let mut left = self.expression(1)?;
        while let Some((op, c)) = self.operator().filter(|(op, _)| matches!(op, Operator::Add | Operator::Subtract)) {
            self.at += c.len_utf8();
            let right = self.expression(1)?;
            let span = left.span.start..right.span.end;
            left = Ast { kind: AstKind::Binary(op, Box::new(left), Box::new(right)), span };
        }
        Ok(left)
    }

    /// A word in straight quotes.
    ///
    /// A word in quotation marks, in which everything stands for itself.
    fn word(&mut self) -> Result<Ast, FormulaError> {
        let start = self.at;
        let Some(length) = self.text[start + 1..].find('"') else {
            return Err(FormulaError::new(start..start + 1, "this word is not closed", "add `\"` after it"));
        };
        self.at = start + length + 2;
        Ok(Ast { kind: AstKind::Word(self.text[start + 1..start + 1 + length].to_owned()), span: start..self.at })
    }

    /// A value with whatever stands before it: a sign, a bracket, a number, a name, a word.
    ///
    /// A value with the sign before it.
    fn prefix(&mut self) -> Result<Ast, FormulaError> {
        self.spaces();
        let start = self.at;
        match self.peek() {
            None => Err(self.here("the formula ends where a value is expected", "add a number, a name or a bracket")),
            Some(c @ ('-' | '−')) => {
                self.at += c.len_utf8();
                let inner = self.expression(3)?;
                Ok(Ast { span: start..inner.span.end, kind: AstKind::Negative(Box::new(inner)) })
            }
            Some('(') => {
                self.at += 1;
                let mut inner = self.expression(0)?;
                self.close(start)?;
                inner.span = start..self.at;
                Ok(inner)
            }
            Some(c) if c.is_ascii_digit() || c == '.' => self.number(),
            Some(c) if c.is_alphabetic() || c == '_' => self.name(),
            Some(c) => Err(self.here(format!("`{c}` cannot start a value"), "write a number, a name or a bracket")),
        }
    }

    /// Takes the bracket that closes the one at `open`.
    ///
    /// The bracket that was opened at byte `open` has to close here.
    fn close(&mut self, open: usize) -> Result<(), FormulaError> {
        self.spaces();
        if self.peek() == Some(')') {
            self.at += 1;
            return Ok(());
        }
        let unclosed =
            || FormulaError::new(open..open + 1, "this bracket is not closed", "add `)` where its content ends");
        Err(self.stray().unwrap_or_else(unclosed))
    }

    /// A number with its exponent and, in square brackets, its unit.
    ///
    /// A number with its unit in brackets, if it has one. The text is kept, since its figures may
    /// matter.
    fn number(&mut self) -> Result<Ast, FormulaError> {
        let start = self.at;
        let bytes = self.text.as_bytes();
        let digits = |at: &mut usize| {
            while bytes.get(*at).is_some_and(u8::is_ascii_digit) {
                *at += 1;
            }
        };
        digits(&mut self.at);
        if bytes.get(self.at) == Some(&b'.') {
            self.at += 1;
            digits(&mut self.at);
        }
        if matches!(bytes.get(self.at), Some(b'e' | b'E')) {
            let mut ahead = self.at + 1;
            if matches!(bytes.get(ahead), Some(b'-' | b'+')) {
                ahead += 1;
            }
            if bytes.get(ahead).is_some_and(u8::is_ascii_digit) {
                self.at = ahead;
                digits(&mut self.at);
            }
        }
        let text = self.text[start..self.at].to_owned();
        if text.parse::<f64>().ok().is_none_or(|v| !v.is_finite()) {
            return Err(FormulaError::new(
                start..self.at,
                format!("`{text}` is no number"),
                "write it like 0.5 or 1.2e-3",
            ));
        }
        let mut unit = None;
        if self.peek() == Some('[') {
            let open = self.at;
            let Some(length) = self.text[open..].find(']') else {
                return Err(FormulaError::new(
                    open..open + 1,
                    "this unit's bracket is not closed",
                    "add `]` after the unit",
                ));
            };
            unit = Some(self.text[open + 1..open + length].to_owned());
            self.at = open + length + 1;
        }
        Ok(Ast { kind: AstKind::Number { text, unit }, span: start..self.at })
    }

    /// A name, or a function with its arguments where a bracket follows.
    ///
    /// A name, or a call if a bracket follows.
    fn name(&mut self) -> Result<Ast, FormulaError> {
        let start = self.at;
        while let Some(c) = self.peek().filter(|c| (c.is_alphanumeric() && !matches!(c, '²' | '³')) || *c == '_') {
            self.at += c.len_utf8();
        }
        let name = self.text[start..self.at].to_owned();
        self.spaces();
        if self.peek() != Some('(') {
            return Ok(Ast { kind: AstKind::Name(name.clone()), span: start..start + name.len() });
        }
        let args = self.arguments()?;
        Ok(Ast { kind: AstKind::Call(name, args), span: start..self.at })
    }

    /// What stands in the brackets behind a function's name, parted by commas.
    ///
    /// What stands between the brackets of a call, parted by commas.
    fn arguments(&mut self) -> Result<Vec<Ast>, FormulaError> {
        let open = self.at;
        self.at += 1;
        let mut args = Vec::new();
        self.spaces();
        if self.peek() != Some(')') {
            args.push(self.expression(0)?);
            self.spaces();
            while self.peek() == Some(',') {
                self.at += 1;
                args.push(self.expression(0)?);
                self.spaces();
            }
        }
        self.close(open)?;
        Ok(args)
    }
}
