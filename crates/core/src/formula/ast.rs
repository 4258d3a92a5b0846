//! What was typed: names unresolved, dimensions unknown.

use std::ops::Range;

/// A piece of a formula and where it stands (bytes of the text).
#[derive(Clone, Debug, PartialEq)]
pub struct Ast {
    /// The piece.
    pub kind: AstKind,
    /// Its bytes.
    pub span: Range<usize>,
}

/// The kinds of piece.
#[derive(Clone, Debug, PartialEq)]
pub enum AstKind {
    /// `0.5`, with its unit's text where it is a quantity literal such as `331.3[m/s]`.
    Number {
        /// As typed.
        text: String,
        /// Text between the brackets.
        unit: Option<String>,
    },
    /// A reading, constant or result.
    Name(String),
    /// `-x`
    Negative(Box<Ast>),
    /// `a + b` and friends.
    Binary(Operator, Box<Ast>, Box<Ast>),
    /// `mean(x)`
    Call(String, Vec<Ast>),
    /// `a <= b`
    Compare(Comparator, Box<Ast>, Box<Ast>),
    /// `"kept"`: a word to compare a word with.
    Word(String),
}

/// The comparisons.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash)]
pub enum Comparator {
    /// `<`
    Less,
    /// `<=`
    LessOrEqual,
    /// `>`
    Greater,
    /// `>=`
    GreaterOrEqual,
    /// `==`
    Equal,
    /// `!=`
    Unequal,
}

impl Comparator {
    /// Its sign as typed.
    ///
    /// # Example
    /// ```
    /// use jurado_core::formula::ast::Comparator;
    /// assert_eq!(Comparator::LessOrEqual.sign(), "<=");
    /// ```
    pub fn sign(self) -> &'static str {
        match self {
            Comparator::Less => "<",
            Comparator::LessOrEqual => "<=",
            Comparator::Greater => ">",
            Comparator::GreaterOrEqual => ">=",
            Comparator::Equal => "==",
            Comparator::Unequal => "!=",
        }
    }

    /// Whether it holds between two numbers.
    ///
    /// # Example
    /// ```
    /// use jurado_core::formula::ast::Comparator;
    /// assert!(Comparator::Less.holds(1.0, 2.0));
    /// assert!(!Comparator::Equal.holds(1.0, 2.0));
    /// ```
    pub fn holds(self, a: f64, b: f64) -> bool {
        match self {
            Comparator::Less => a < b,
            Comparator::LessOrEqual => a <= b,
            Comparator::Greater => a > b,
            Comparator::GreaterOrEqual => a >= b,
            Comparator::Equal => a == b,
            Comparator::Unequal => a != b,
        }
    }
}

/// The five operators.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash)]
pub enum Operator {
    /// `+`
    Add,
    /// `-`
    Subtract,
    /// `*`
    Multiply,
    /// `/`
    Divide,
    /// `^`
    Power,
}

impl Operator {
    /// Its sign as typed.
    ///
    /// # Example
    /// ```
    /// use jurado_core::formula::ast::Operator;
    /// assert_eq!(Operator::Power.sign(), '^');
    /// ```
    pub fn sign(self) -> char {
        match self {
            Operator::Add => '+',
            Operator::Subtract => '-',
            Operator::Multiply => '*',
            Operator::Divide => '/',
            Operator::Power => '^',
        }
    }
}

impl Ast {
    /// The tree fully bracketed: `2 * 3 + 4` is `((2 * 3) + 4)`. Reading it back gives the same
    /// tree.
    ///
    /// # Example
    /// ```
    /// let tree = jurado_core::formula::parse("2 * 3 + 4")?;
    /// assert_eq!(tree.bracketed(), "((2 * 3) + 4)");
    /// # Ok::<(), jurado_core::formula::FormulaError>(())
    /// ```
    pub fn bracketed(&self) -> String {
        match &self.kind {
            AstKind::Number { text, unit: None } => text.clone(),
            AstKind::Number { text, unit: Some(unit) } => format!("{text}[{unit}]"),
            AstKind::Name(name) => name.clone(),
            AstKind::Negative(a) => format!("(-{})", a.bracketed()),
            AstKind::Binary(op, a, b) => format!("({} {} {})", a.bracketed(), op.sign(), b.bracketed()),
            AstKind::Compare(op, a, b) => format!("({} {} {})", a.bracketed(), op.sign(), b.bracketed()),
            AstKind::Word(word) => format!("\"{word}\""),
            AstKind::Call(name, args) => {
                format!("{name}({})", args.iter().map(Ast::bracketed).collect::<Vec<_>>().join(", "))
            }
        }
    }
}
