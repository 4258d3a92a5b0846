//! A checked tree drawn as MathML in three stages: symbols, numbers put in, value with unit.

use super::ItemId;
use super::ast::{Comparator, Operator};
use super::function::Function;
use super::node::{Node, Op};

/// Presentation MathML of a formula, for instance `ρ = m / V`. `name` draws an item: a symbol such
/// as `V_c` or a number such as `101.64 mm`; digits come out as `<mn>`, letters as `<mi>`.
///
/// # Example
/// ```
/// # use jurado_core::formula::{self, Context, ItemId, Shape, Symbol, Value, check::check, evaluate, evaluate_any};
/// # use jurado_core::quantity::{Dimension, Nature};
/// # // `a`, `b` and `c` are lengths; `column` is a column of lengths.
/// # fn length(name: &str) -> Option<Symbol<'static>> {
/// #     let item = ItemId::at(["a", "b", "c", "column"].iter().position(|n| *n == name)?);
/// #     let shape = if name == "column" { Shape::Column(0) } else { Shape::Scalar };
/// #     Some(Symbol { item, dimension: Dimension::LENGTH, nature: Nature::Plain, shape, words: None })
/// # }
/// let name = |i: ItemId| ["a", "b", "c", "x"][i.index()].to_owned();
/// let node = check(&formula::parse("a / b")?, &length)?;
/// assert!(formula::mathml::formula(&node, &name).contains("<mfrac>"));
/// # Ok::<(), jurado_core::formula::FormulaError>(())
/// ```
pub fn formula(node: &Node, name: &dyn Fn(ItemId) -> String) -> String {
    math(&draw(node, name, 0))
}

/// A correction in its three stages, a line each: `V = L × W`, `= 84.30 mm × 41.78 mm`,
/// `= 35.22 cm²`. A long line of numbers is several formulas with spaces between, one for each
/// factor or summand, so that it can be broken there.
///
/// # Example
/// ```
/// # use jurado_core::formula::{self, Context, ItemId, Shape, Symbol, Value, check::check, evaluate, evaluate_any};
/// # use jurado_core::quantity::{Dimension, Nature};
/// # // `a`, `b` and `c` are lengths; `column` is a column of lengths.
/// # fn length(name: &str) -> Option<Symbol<'static>> {
/// #     let item = ItemId::at(["a", "b", "c", "column"].iter().position(|n| *n == name)?);
/// #     let shape = if name == "column" { Shape::Column(0) } else { Shape::Scalar };
/// #     Some(Symbol { item, dimension: Dimension::LENGTH, nature: Nature::Plain, shape, words: None })
/// # }
/// let name = |i: ItemId| ["a", "b", "c", "x"][i.index()].to_owned();
/// let node = check(&formula::parse("a * b")?, &length)?;
/// let number = |i: ItemId| ["84.30 mm", "41.78 mm", "", ""][i.index()].to_owned();
/// let [_, numbers, value] = formula::mathml::correction("A", &node, &name, &number, "35.22 cm²");
/// assert!(numbers.contains("84.30"));
/// assert!(value.contains("35.22"));
/// # Ok::<(), jurado_core::formula::FormulaError>(())
/// ```
pub fn correction(
    symbol: &str,
    node: &Node,
    symbols: &dyn Fn(ItemId) -> String,
    numbers: &dyn Fn(ItemId) -> String,
    value: &str,
) -> [String; 3] {
    [
        math(&format!("<mrow>{}<mo>=</mo>{}</mrow>", atom(symbol), draw(node, symbols, 0))),
        in_pieces(node, numbers),
        math(&format!("<mrow><mo>=</mo>{}</mrow>", atom(value))),
    ]
}

/// Figures and letters past which a line of numbers is given in pieces.
const LONG: usize = 44;

/// `= 84.64 mm × 41.74 mm × …`: one formula, or where it is long one for each factor or summand,
/// since no browser breaks a line inside a formula.
fn in_pieces(node: &Node, name: &dyn Fn(ItemId) -> String) -> String {
    let whole = draw(node, name, 0);
    if visible(&whole) <= LONG {
        return math(&format!("<mrow><mo>=</mo>{whole}</mrow>"));
    }
    // The chain of operators of one rank, left to right.
    let mut right: Vec<(&str, String)> = Vec::new();
    let mut first = node;
    let rank = level(node);
    while let Op::Binary(op @ (Operator::Add | Operator::Subtract | Operator::Multiply), a, b) = &first.op {
        if level(first) != rank {
            break;
        }
        right.push((sign_of(*op), draw(b, name, if *op == Operator::Subtract { rank + 1 } else { rank })));
        first = a;
    }
    let mut out =
        math(&format!("<mrow><mo>=</mo>{}</mrow>", draw(first, name, if right.is_empty() { 0 } else { rank })));
    for (sign, drawn) in right.into_iter().rev() {
        out.push(' ');
        out.push_str(&math(&format!("<mrow><mo form=\"infix\">{sign}</mo>{drawn}</mrow>")));
    }
    out
}

/// Characters of a drawing that are seen.
fn visible(markup: &str) -> usize {
    let mut inside = false;
    markup
        .chars()
        .filter(|c| {
            let seen = !inside && *c != '<';
            inside = if *c == '<' { true } else { inside && *c != '>' };
            seen
        })
        .count()
}

/// The sign of an operator as it is printed; a quotient is drawn with a bar instead.
pub(crate) fn sign_of(op: Operator) -> &'static str {
    match op {
        Operator::Add => "+",
        Operator::Subtract => "−",
        _ => "×",
    }
}

/// A whole piece of mathematics, to stand in a page.
pub(crate) fn math(inner: &str) -> String {
    format!("<math xmlns=\"http://www.w3.org/1998/Math/MathML\">{inner}</math>")
}

/// Text made safe for markup.
///
/// # Example
/// ```
/// use jurado_core::formula::mathml::escape;
/// assert_eq!(escape("a < b & c"), "a &lt; b &amp; c");
/// ```
pub fn escape(text: &str) -> String {
    text.replace('&', "&amp;").replace('<', "&lt;").replace('>', "&gt;").replace('"', "&quot;")
}

/// One symbol or number: `V_c` with a subscript, `101.64 mm` with its unit upright, `5.00 × 10^−3`
/// with its power.
pub(crate) fn atom(text: &str) -> String {
    let starts_as_number = text.trim_start_matches(['−', '-', '(']).starts_with(|c: char| c.is_ascii_digit());
    if starts_as_number {
        let (number, unit) = match text.split_once(' ') {
            Some((n, u)) if !u.starts_with('×') => (n, u),
            _ => (text, ""),
        };
        let unit = if unit.is_empty() {
            String::new()
        } else {
            format!("<mspace width=\"0.2em\"/><mtext>{}</mtext>", escape(unit))
        };
        return format!("<mrow><mn>{}</mn>{unit}</mrow>", escape(&number.replace('-', "−")));
    }
    match text.split_once('_') {
        Some((base, sub)) => format!("<msub><mi>{}</mi><mi>{}</mi></msub>", escape(base), escape(sub)),
        None => format!("<mi>{}</mi>", escape(text)),
    }
}

/// How tightly a node binds, to know where brackets are needed: comparisons least, then sums,
/// products, signs, powers, and what stands by itself most.
fn level(node: &Node) -> u8 {
    match &node.op {
        Op::Compare(..) => 0,
        Op::Binary(Operator::Add | Operator::Subtract, ..) => 1,
        Op::Binary(Operator::Multiply, ..) => 2,
        Op::Negative(_) => 3,
        Op::Binary(Operator::Power, ..) => 4,
        // A fraction draws its own bounds.
        _ => 9,
    }
}

/// A node as MathML, in brackets where what is around it binds more tightly.
fn draw(node: &Node, name: &dyn Fn(ItemId) -> String, outer: u8) -> String {
    let own = level(node);
    let inner = match &node.op {
        Op::Number(_, text) => atom(text),
        Op::Pi => "<mi>π</mi>".to_owned(),
        Op::Parameter(_, name) => format!("<mi>{name}</mi>"),
        Op::Item(i) => {
            let text = name(*i);
            // A negative number put in is bracketed, or two signs would stand side by side.
            if outer > 0 && text.starts_with(['-', '−']) { bracketed(&atom(&text)) } else { atom(&text) }
        }
        Op::Is(i, _, word) => format!("<mrow>{}<mo>=</mo><mtext>{}</mtext></mrow>", atom(&name(*i)), escape(word)),
        Op::Negative(a) => format!("<mrow><mo>−</mo>{}</mrow>", draw(a, name, own)),
        Op::Compare(op, a, b) => {
            let sign = match op {
                Comparator::Less => "&lt;",
                Comparator::LessOrEqual => "≤",
                Comparator::Greater => "&gt;",
                Comparator::GreaterOrEqual => "≥",
                Comparator::Equal => "=",
                Comparator::Unequal => "≠",
            };
            format!("<mrow>{}<mo>{sign}</mo>{}</mrow>", draw(a, name, 1), draw(b, name, 1))
        }
        Op::Binary(Operator::Divide, a, b) => format!("<mfrac>{}{}</mfrac>", draw(a, name, 0), draw(b, name, 0)),
        Op::Binary(Operator::Power, a, b) => {
            // A base that is itself a fraction or a number with a unit needs brackets to be read right.
            let base = match a.op {
                Op::Item(i) if !name(i).contains(' ') => draw(a, name, 0),
                Op::Number(..) | Op::Pi => draw(a, name, 0),
                _ => bracketed(&draw(a, name, 0)),
            };
            format!("<msup>{base}{}</msup>", draw(b, name, 0))
        }
        Op::Binary(op, a, b) => {
            let sign = sign_of(*op);
            let right = if *op == Operator::Subtract { own + 1 } else { own };
            format!("<mrow>{}<mo>{sign}</mo>{}</mrow>", draw(a, name, own), draw(b, name, right))
        }
        Op::Call(Function::Mean, args) if matches!(args[0].op, Op::Item(i) if !name(i).contains(' ')) => {
            format!("<mover><mrow>{}</mrow><mo>‾</mo></mover>", draw(&args[0], name, 0))
        }
        Op::Call(Function::Exp, args) => format!("<msup><mi>e</mi>{}</msup>", draw(&args[0], name, 0)),
        Op::Call(Function::Kelvin, args) => draw(&args[0], name, outer),
        Op::Call(Function::If, args) => format!(
            "<mrow><mo>{{</mo><mtable><mtr><mtd>{}</mtd><mtd><mtext>if </mtext>{}</mtd></mtr><mtr><mtd>{}</mtd><mtd><mtext>otherwise</mtext></mtd></mtr></mtable></mrow>",
            draw(&args[1], name, 0),
            draw(&args[0], name, 0),
            draw(&args[2], name, 0)
        ),
        Op::Call(Function::Sqrt, args) => format!("<msqrt>{}</msqrt>", draw(&args[0], name, 0)),
        Op::Call(Function::Abs, args) => format!("<mrow><mo>|</mo>{}<mo>|</mo></mrow>", draw(&args[0], name, 0)),
        Op::Call(f, args) => {
            let args: Vec<String> = args.iter().map(|a| draw(a, name, 0)).collect();
            format!("<mrow><mi>{}</mi>{}</mrow>", f.name(), bracketed(&args.join("<mo>,</mo>")))
        }
    };
    if own < outer { bracketed(&inner) } else { inner }
}

/// A piece in brackets.
pub(crate) fn bracketed(inner: &str) -> String {
    format!("<mrow><mo>(</mo>{inner}<mo>)</mo></mrow>")
}
