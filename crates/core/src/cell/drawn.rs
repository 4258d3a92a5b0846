//! A followed formula drawn as MathML: cells of the sheet by their symbols, others by their
//! addresses, what differs marked.
//!
//! A formula is drawn with the names of the sheet in place of addresses, and what differs from the
//! lab's is marked, so that a reader sees where to look in the file.

use super::follow::{Formula, Leaf, Term, TermKind};
use super::function::Function;
use super::piece::Operator;
use crate::formula::mathml::{atom, bracketed, escape, math, sign_of};

impl Formula {
    /// Presentation MathML. `name` gives the symbol of a cell of the sheet, or nothing for one of
    /// the team's own; pieces that `marked` says differ stand in an `mrow` of the class `differs`.
    ///
    /// # Example
    /// ```
    /// use jurado_core::cell::{Below, Formula, Under};
    /// let mut under = Under::default();
    /// under.cells.insert("A1".into(), Below { item: "mass".into(), ..Below::default() });
    /// under.cells.insert("A3".into(), Below { formula: Some("=A1/A2".into()), ..Below::default() });
    /// let formula = Formula::of(&under, "A3").expect("understood");
    /// let drawn = formula.drawn(&|leaf| leaf.item.as_ref().map(|_| "m".to_owned()), &|_| false);
    /// assert!(drawn.contains("<mfrac><mi>m</mi><mtext>A2</mtext></mfrac>"), "{drawn}");
    /// ```
    pub fn drawn(&self, name: &dyn Fn(&Leaf) -> Option<String>, marked: &dyn Fn(&Term) -> bool) -> String {
        math(&Drawer { formula: self, name, marked }.piece(&self.root, 0))
    }
}

struct Drawer<'a> {
    /// The formula that is drawn.
    formula: &'a Formula,
    /// What a cell is called.
    name: &'a dyn Fn(&Leaf) -> Option<String>,
    /// Whether a piece is underlined.
    marked: &'a dyn Fn(&Term) -> bool,
}

/// How tightly a piece binds, to know where brackets are needed.
fn level(term: &Term) -> u8 {
    match &term.kind {
        TermKind::Compare(..) | TermKind::Join(..) => 0,
        TermKind::Binary(Operator::Add | Operator::Subtract, ..) => 1,
        TermKind::Binary(Operator::Multiply, ..) => 2,
        TermKind::Negative(_) | TermKind::Percent(_) => 3,
        TermKind::Binary(Operator::Power, ..) => 4,
        _ => 9,
    }
}

impl Drawer<'_> {
    /// A piece as MathML, in brackets where what is around it binds more tightly, and marked where
    /// it differs from the lab's formula.
    fn piece(&self, term: &Term, outer: u8) -> String {
        let inner = self.inner(term);
        let inner = if level(term) < outer { bracketed(&inner) } else { inner };
        if (self.marked)(term) { format!("<mrow class=\"differs\">{inner}</mrow>") } else { inner }
    }

    /// A cell by the symbol of its item, or by its address where it is the team's own.
    fn leaf(&self, n: usize) -> String {
        let leaf = &self.formula.leaves[n];
        match (self.name)(leaf) {
            Some(symbol) => atom(&symbol),
            None => format!("<mtext>{}</mtext>", escape(&leaf.address)),
        }
    }

    /// A piece without the brackets and the mark around it.
    fn inner(&self, term: &Term) -> String {
        let own = level(term);
        match &term.kind {
            TermKind::Number(v) => atom(&format!("{v}")),
            TermKind::Text(t) => format!("<mtext>“{}”</mtext>", escape(t)),
            TermKind::Fault(f) => format!("<mtext>{f}</mtext>"),
            TermKind::Leaf(n) => self.leaf(*n),
            TermKind::Range { cells, .. } => self.range(cells),
            TermKind::Negative(a) => format!("<mrow><mo>−</mo>{}</mrow>", self.piece(a, own)),
            TermKind::Percent(a) => format!("<mrow>{}<mo>%</mo></mrow>", self.piece(a, own)),
            TermKind::Binary(Operator::Divide, a, b) => {
                format!("<mfrac>{}{}</mfrac>", self.piece(a, 0), self.piece(b, 0))
            }
            TermKind::Binary(Operator::Power, a, b) => {
                format!("<msup>{}{}</msup>", self.piece(a, 5), self.piece(b, 0))
            }
            TermKind::Binary(op, a, b) => {
                let right = if *op == Operator::Subtract { own + 1 } else { own };
                format!("<mrow>{}<mo>{}</mo>{}</mrow>", self.piece(a, own), sign_of(*op), self.piece(b, right))
            }
            TermKind::Compare(op, a, b) => {
                let sign = match op.sign() {
                    "==" => "=",
                    "!=" => "≠",
                    other => other,
                };
                format!("<mrow>{}<mo>{}</mo>{}</mrow>", self.piece(a, 1), escape(sign), self.piece(b, 1))
            }
            TermKind::Join(a, b) => format!("<mrow>{}<mo>&amp;</mo>{}</mrow>", self.piece(a, 1), self.piece(b, 1)),
            TermKind::Call(Function::Pi, _) => "<mi>π</mi>".to_owned(),
            TermKind::Call(Function::Sqrt, args) => format!("<msqrt>{}</msqrt>", self.piece(&args[0], 0)),
            TermKind::Call(Function::Exp, args) => format!("<msup><mi>e</mi>{}</msup>", self.piece(&args[0], 0)),
            TermKind::Call(Function::Power, args) => {
                format!("<msup>{}{}</msup>", self.piece(&args[0], 5), self.piece(&args[1], 0))
            }
            TermKind::Call(f, args) => {
                let args: Vec<String> = args.iter().map(|a| self.piece(a, 0)).collect();
                format!("<mrow><mi>{}</mi>{}</mrow>", f.name(), bracketed(&args.join("<mo>,</mo>")))
            }
            TermKind::Blank => "<mrow></mrow>".to_owned(),
        }
    }

    /// A range by the one symbol of its cells with their numbers, else by its ends.
    fn range(&self, cells: &[Term]) -> String {
        let leaf = |t: &Term| if let TermKind::Leaf(n) = t.kind { self.formula.leaves.get(n) } else { None };
        let leaves: Vec<&Leaf> = cells.iter().filter_map(leaf).collect();
        let ends = match (leaves.first(), leaves.last()) {
            (Some(a), Some(b)) => format!("<mtext>{}:{}</mtext>", escape(&a.address), escape(&b.address)),
            _ => "<mtext>…</mtext>".to_owned(),
        };
        let items: Vec<_> = leaves.iter().filter_map(|l| l.item.as_ref()).collect();
        let one = items.first().filter(|first| items.len() == cells.len() && items.iter().all(|i| i.0 == first.0));
        let Some(symbol) = one.and_then(|_| leaves.first()).and_then(|l| (self.name)(l)) else { return ends };
        let (first, last) = (items.first().and_then(|i| i.1), items.last().and_then(|i| i.1));
        match (first, last) {
            (Some(a), Some(b)) => {
                format!("<msub>{}<mrow><mn>{a}</mn><mo>…</mo><mn>{b}</mn></mrow></msub>", atom(&symbol))
            }
            _ => atom(&symbol),
        }
    }
}
