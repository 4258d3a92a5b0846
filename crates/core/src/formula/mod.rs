//! The formula language, in three layers and one way: text → [`ast::Ast`] (what was typed) →
//! [`node::Node`] (typed, dimension-checked) → value ([`eval`]). [`mathml`] draws a checked tree;
//! [`figures`] carries significant figures through one. Nothing here knows protocols or tables:
//! names are resolved by whoever checks.

pub mod ast;
pub mod check;
pub mod eval;
pub mod figures;
mod fit;
pub mod function;
mod item;
pub mod mathml;
pub mod node;
mod parse;
pub mod plain;
#[cfg(test)]
mod tests;
mod typed;
pub mod value;
mod vector;

pub use eval::{evaluate, evaluate_any};
pub use function::Function;
pub use item::ItemId;
pub use node::{Node, Op, Shape, Symbol};
pub use parse::parse;
pub use value::{Context, EvalError, Num, Value};

/// A fault in a formula: a byte span in its text, what is wrong, how to mend it.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct FormulaError {
    /// Bytes of the formula's text, from 0.
    pub span: std::ops::Range<usize>,
    /// What is wrong.
    pub what: String,
    /// How to mend it.
    pub mend: String,
}

impl FormulaError {
    pub(crate) fn new(span: std::ops::Range<usize>, what: impl Into<String>, mend: impl Into<String>) -> Self {
        FormulaError { span, what: what.into(), mend: mend.into() }
    }

    /// The formula with carets under the place, two lines.
    ///
    /// # Example
    /// ```
    /// let fault = jurado_core::formula::parse("a + (b").unwrap_err();
    /// assert!(fault.drawn("a + (b").starts_with("a + (b\n"));
    /// assert!(fault.drawn("a + (b").contains('^'));
    /// ```
    pub fn drawn(&self, text: &str) -> String {
        let before = text[..floor(text, self.span.start)].chars().count();
        let width = text[floor(text, self.span.start)..floor(text, self.span.end)].chars().count().max(1);
        format!("{text}\n{}{}", " ".repeat(before), "^".repeat(width))
    }
}

/// The last place up to `at` at which a character begins, so that a text can be cut there.
fn floor(text: &str, at: usize) -> usize {
    let mut at = at.min(text.len());
    while !text.is_char_boundary(at) {
        at -= 1;
    }
    at
}
