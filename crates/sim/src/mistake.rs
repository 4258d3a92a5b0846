//! What can go wrong while a person works a formula out: which keys are beside which, which line of the sheet is taken,
//! which conversion is forgotten. The list is made by walking over the formula as it stands on the sheet.

use std::collections::HashMap;

use jurado_core::formula::ast::{Ast, AstKind, Operator};
use jurado_core::protocol::{ItemKind, Protocol, ReadingKind, Roundness};
use jurado_core::quantity::{Nature, Unit};

use crate::calculator::{Deed, Hand, Place, Val};

/// A mistake in the making.
#[derive(Clone, Debug, PartialEq)]
pub(crate) enum Act {
    /// At one place of the formula.
    Deed(Deed),
    /// The answer left in, or taken as, another unit.
    AnswerUnit(f64),
    /// Another formula worked out, as the lab says people do.
    Formula(Ast),
    /// The answer copied wrongly.
    DigitsSwapped,
    DigitWrong,
    PointMoved(i32),
    /// A reading copied wrongly to the sheet; the calculation used the right one.
    ReadingMistyped(String),
    /// A reading of the sheet keyed wrongly into this one calculation.
    ReadingMiskeyed(String),
    /// Another number put in for a constant, with a digit gone wrong, or another count than the sheet's.
    OtherNumber(String),
    /// Several readings of a column written down wrongly by one act; the calculations used the right ones.
    Rewritten(String, Rewrite),
    /// Something nobody has thought of: the answer is so many times too large.
    Muddle(f64),
}

/// What one act does to a column on the sheet.
#[derive(Clone, Debug, PartialEq)]
pub(crate) enum Rewrite {
    /// Written in a unit so many powers of ten away.
    Unit(i32),
    /// A few steps too much in every row.
    Offset,
    /// Two rows exchanged.
    Rows,
    /// Exchanged with another column.
    Columns(String),
    /// Exchanged with another column in one row.
    InRow(String),
}

/// A mistake with the word for it.
#[derive(Clone, Debug, PartialEq)]
pub(crate) struct Chancy {
    pub(crate) kind: String,
    pub(crate) says: String,
    pub(crate) act: Act,
}

/// Units that a person may take for each other.
const KIN: [&[&str]; 12] = [
    &["mm", "cm", "m", "in"],
    &["mg", "g", "kg", "oz"],
    &["ms", "s", "min", "h"],
    &["mL", "L", "m^3", "in^3"],
    &["Pa", "kPa", "bar", "psi"],
    &["mV", "V", "kV"],
    &["mA", "A"],
    &["N", "kgf", "lbf"],
    &["Hz", "kHz"],
    &["mmol", "mol"],
    &["g/cm^3", "kg/m^3"],
    &["mm^2", "cm^2", "m^2"],
];

/// How many times too large a number in `unit` is when it is taken for one in another unit.
fn conversions(unit: &Unit) -> Vec<f64> {
    let kin = KIN.iter().map(|k| k.iter().filter_map(|u| Unit::parse(u).ok()).collect::<Vec<Unit>>());
    kin.filter(|k| k.iter().any(|u| u.dimension == unit.dimension))
        .flatten()
        .map(|u| u.factor / unit.factor)
        .filter(|f| (f - 1.0).abs() > 1e-6 && (1e-7..1e7).contains(f))
        .collect()
}

struct Walk<'a> {
    protocol: &'a Protocol,
    names: &'a HashMap<String, Val>,
    out: Vec<Chancy>,
}

impl Walk<'_> {
    fn note(&mut self, kind: &str, hand: Hand, place: Place, says: impl Into<String>) {
        self.out.push(Chancy { kind: kind.to_owned(), says: says.into(), act: Act::Deed(Deed { hand, place }) });
    }

    fn at(&mut self, kind: &str, hand: Hand, ast: &Ast, says: impl Into<String>) {
        self.note(kind, hand, Place::At(ast.span.clone()), says);
    }

    fn visit(&mut self, ast: &Ast, in_sum: bool) {
        match &ast.kind {
            AstKind::Name(name) => self.name(ast, name, in_sum),
            AstKind::Negative(a) => {
                self.at("sign", Hand::KeyForgotten, ast, "the sign was not keyed in");
                self.visit(a, in_sum);
            }
            AstKind::Binary(op, a, b) => {
                self.operator(ast, *op, a, b);
                let sum = matches!(op, Operator::Add | Operator::Subtract);
                self.visit(a, sum);
                // An exponent is typed on its own key.
                if *op != Operator::Power {
                    self.visit(b, sum);
                }
            }
            AstKind::Call(name, args) => self.call(ast, name, args),
            _ => {}
        }
    }

    fn operator(&mut self, ast: &Ast, op: Operator, a: &Ast, b: &Ast) {
        match op {
            Operator::Subtract => {
                self.at("sign", Hand::OtherSign, ast, format!("{} was added", b.bracketed()));
                self.at("sign", Hand::TurnedRound, ast, "the difference was turned round");
                let names = names_of(b);
                let tare = !names.is_empty()
                    && names.iter().all(|n| self.protocol.item(n).is_some_and(|i| self.protocol.items[i].tare));
                let kind = if tare { "gross-for-net" } else { "term-omitted" };
                self.at(kind, Hand::FirstOnly, ast, format!("{} was not taken off", b.bracketed()));
            }
            Operator::Add => {
                self.at("sign", Hand::OtherSign, ast, format!("{} was taken off", b.bracketed()));
                self.at("term-omitted", Hand::FirstOnly, ast, format!("{} was not added", b.bracketed()));
                self.at("term-omitted", Hand::SecondOnly, ast, format!("{} was not added", a.bracketed()));
            }
            Operator::Multiply => {
                for (gone, hand) in [(a, Hand::SecondOnly), (b, Hand::FirstOnly)] {
                    let other = if std::ptr::eq(gone, a) { b } else { a };
                    let kind = if literal(gone) { "literal" } else { "term-omitted" };
                    if literal(gone) || !names_of(gone).is_empty() && !literal(other) {
                        self.at(kind, hand, ast, format!("{} was not keyed in", gone.bracketed()));
                    }
                }
            }
            Operator::Divide => {
                if matches!(&a.kind, AstKind::Number { text, unit: None } if text == "1") {
                    self.at("reciprocal", Hand::SecondOnly, ast, "the reciprocal was not taken");
                    return;
                }
                self.at("inverted", Hand::TurnedRound, ast, "the quotient was turned upside down");
                self.at("inverted", Hand::TimesForOver, ast, "multiplied instead of divided");
                if literal(b) {
                    let across = |n: &String| {
                        let shape = self.protocol.item(n).and_then(|i| self.protocol.items[i].shape);
                        shape == Some(Roundness::Diameter)
                    };
                    let half = matches!(&b.kind, AstKind::Number { text, .. } if text == "2");
                    let kind = if half && names_of(a).iter().all(across) { "radius-diameter" } else { "literal" };
                    self.at(kind, Hand::FirstOnly, ast, format!("not divided by {}", b.bracketed()));
                }
            }
            Operator::Power => {
                if matches!(&b.kind, AstKind::Number { text, .. } if text == "2" || text == "3") {
                    self.at("power", Hand::NoPower, ast, "the power was not taken");
                    self.at("power", Hand::TimesExponent, ast, "multiplied by the exponent");
                    self.at("power", Hand::OnePowerMore, ast, "one power too many");
                }
            }
        }
    }

    fn call(&mut self, ast: &Ast, name: &str, args: &[Ast]) {
        match name {
            "sqrt" => self.at("root", Hand::KeyForgotten, ast, "the root was not taken"),
            "abs" => self.at("sign", Hand::KeyForgotten, ast, "the sign was kept"),
            "ln" | "log10" => self.at("log-base", Hand::OtherLog, ast, "the other logarithm key"),
            "sin" | "cos" | "tan" | "asin" | "acos" | "atan" | "atan2" => {
                self.at("angle-unit", Hand::OtherAngle, ast, "the calculator was set to the other unit of angle");
            }
            "mean" => {
                self.at("wrong-count", Hand::CountOff(-1), ast, "divided by one too few");
                self.at("wrong-count", Hand::CountOff(1), ast, "divided by one too many");
                self.at("sum-for-mean", Hand::NotDivided, ast, "added up and not divided");
                self.at("single-replicate", Hand::OneReadingOnly(true), ast, "only the first was used");
                self.at("single-replicate", Hand::OneReadingOnly(false), ast, "only the last was used");
                if let Some(AstKind::Name(column)) = args.first().map(|a| &a.kind)
                    && let Some(Val::Many(xs)) = self.names.get(column)
                {
                    for row in 0..xs.len() {
                        self.at(
                            "exclusion",
                            Hand::RowSkipped(row),
                            &args[0],
                            format!("row {} was passed over", row + 1),
                        );
                    }
                }
            }
            "slope" | "slope0" => {
                self.at("slope-inverted", Hand::AxesTurned, ast, "the axes were taken for each other");
                self.at("two-point-slope", Hand::TwoPoints, ast, "through the first and the last point only");
                self.at("intercept", Hand::OtherIntercept, ast, "the line was held, or not held, to the origin");
            }
            _ => {}
        }
        // Conditions are not calculated; of `if` the branches are.
        let from = usize::from(name == "if");
        let until = if name == "only" { 1 } else { args.len() };
        for arg in &args[from.min(until)..until] {
            self.visit(arg, name == "mean");
        }
    }

    fn name(&mut self, ast: &Ast, name: &str, in_sum: bool) {
        let Some(i) = self.protocol.item(name) else { return };
        let item = &self.protocol.items[i];
        match item.shape {
            Some(Roundness::Diameter) => {
                self.at("radius-diameter", Hand::Scaled(2.0), ast, "the diameter was used as the radius");
            }
            Some(Roundness::Radius) => {
                self.at("radius-diameter", Hand::Scaled(0.5), ast, "the radius was used as the diameter");
            }
            None => {}
        }
        if !in_sum && item.nature == Nature::Plain && item.words.is_none() {
            for factor in conversions(&item.unit).into_iter().filter(|f| (0.9e-3..1.1e3).contains(f)) {
                self.at("unit-factor", Hand::Scaled(factor), ast, format!("{name} taken in another unit, {factor:.6}"));
            }
        }
        if let ItemKind::Reading(r) = item.kind
            && let ReadingKind::Setting(list) = &self.protocol.readings[r].kind
            && let Some(Val::One(si)) = self.names.get(name)
        {
            let now = item.from_si(*si);
            if let Some(p) = list.iter().position(|s| (s - now).abs() < 1e-9 * now.abs()) {
                for other in [p.checked_sub(1), Some(p + 1)].into_iter().flatten().filter_map(|q| list.get(q)) {
                    self.at("setting", Hand::Scaled(other / now), ast, format!("the setting was read as {other}"));
                }
            }
        }
    }

    /// Mistakes with a whole line of the sheet.
    fn lines(&mut self, ast: &Ast) {
        let mut all = names_of(ast);
        let uses = |n: &String| all.iter().filter(|m| *m == n).count();
        let often: Vec<String> = all.iter().filter(|n| uses(n) > 1).cloned().collect();
        all.sort();
        all.dedup();
        for name in all.iter().filter(|n| often.contains(n)) {
            self.note(
                "term-omitted",
                Hand::FirstOnly,
                Place::Name(name.clone()),
                format!("{name} was left out throughout"),
            );
            self.note(
                "sign",
                Hand::OtherSign,
                Place::Name(name.clone()),
                format!("{name} with the wrong sign throughout"),
            );
        }
        for name in &all {
            let Some(i) = self.protocol.item(name) else { continue };
            if let ItemKind::Reference(r) = self.protocol.items[i].kind {
                let mine = self.names.get(name).map_or(f64::NAN, Val::number);
                let entries: Vec<f64> = self.protocol.references[r].entries.iter().map(|e| e.middle()).collect();
                for other in entries.into_iter().filter(|o| (o - mine).abs() > 1e-6 * mine.abs()) {
                    let says = format!("the {name} of another place on the sheet");
                    self.note("other-station", Hand::Instead(other), Place::Name(name.clone()), says);
                }
            }
            for other in &all {
                let Some(j) = self.protocol.item(other) else { continue };
                let (a, b) = (&self.protocol.items[i], &self.protocol.items[j]);
                let numbers = a.words.is_none() && b.words.is_none();
                let alike =
                    a.unit.dimension == b.unit.dimension && self.protocol.has_rows(i) == self.protocol.has_rows(j);
                if name < other && numbers && alike {
                    let says = format!("{name} and {other} were taken for each other");
                    self.note("swapped", Hand::Line(other.clone()), Place::Name(name.clone()), says);
                }
            }
        }
    }
}

pub(crate) fn names_of(ast: &Ast) -> Vec<String> {
    match &ast.kind {
        AstKind::Name(n) if n != "pi" => vec![n.clone()],
        AstKind::Negative(a) => names_of(a),
        AstKind::Binary(_, a, b) | AstKind::Compare(_, a, b) => [names_of(a), names_of(b)].concat(),
        AstKind::Call(_, args) => args.iter().flat_map(names_of).collect(),
        _ => Vec::new(),
    }
}

fn literal(ast: &Ast) -> bool {
    match &ast.kind {
        AstKind::Number { unit, .. } => unit.is_none(),
        AstKind::Name(n) => n == "pi",
        _ => false,
    }
}

/// Readings that may be keyed wrongly into one calculation, while the sheet has them right.
pub(crate) fn miskeyed(protocol: &Protocol, ast: &Ast) -> Vec<Chancy> {
    let number = |name: &String| {
        let reading = protocol.item(name).and_then(|i| protocol.reading_of(i));
        reading.is_some_and(|r| r.kind == ReadingKind::Number)
    };
    let chancy = |name: String| Chancy {
        kind: "reading-miskeyed".to_owned(),
        says: format!("{name} was keyed in wrongly"),
        act: Act::ReadingMiskeyed(name),
    };
    names_of(ast).into_iter().filter(number).map(chancy).collect()
}

/// Constants that may be put in with a digit wrong, and things that may be miscounted.
pub(crate) fn misput(protocol: &Protocol, ast: &Ast) -> Vec<Chancy> {
    let chancy = |name: String| {
        let item = protocol.item(&name)?;
        let kind = match protocol.items[item].kind {
            ItemKind::Reference(r)
                if protocol.references[r].key.is_none() && protocol.references[r].formula.is_none() =>
            {
                "constant-wrong"
            }
            ItemKind::Parameter(_) => "count-wrong",
            ItemKind::Reading(r) if protocol.readings[r].kind == ReadingKind::Count => "count-wrong",
            _ => return None,
        };
        let says = format!("another number was put in for {name}");
        Some(Chancy { kind: kind.to_owned(), says, act: Act::OtherNumber(name) })
    };
    names_of(ast).into_iter().filter_map(chancy).collect()
}

/// What one act may do to a column of readings that a formula uses.
pub(crate) fn rewritings(protocol: &Protocol, ast: &Ast) -> Vec<Chancy> {
    let column = |name: &String| {
        let reading = protocol.item(name).and_then(|i| protocol.reading_of(i));
        reading.filter(|r| r.kind == ReadingKind::Number && r.table.is_some())
    };
    let names: Vec<String> = names_of(ast).into_iter().filter(|n| column(n).is_some()).collect();
    let mut out = Vec::new();
    for name in &names {
        let Some(spec) = column(name) else { continue };
        let unit = &protocol.items[spec.item].unit;
        let powers = conversions(unit).into_iter().map(f64::log10).filter(|p| (p - p.round()).abs() < 1e-9);
        let mut acts: Vec<Rewrite> = powers.map(|p| Rewrite::Unit(p.round() as i32)).collect();
        acts.extend([Rewrite::Offset, Rewrite::Rows]);
        for other in names.iter().filter(|o| *o > name) {
            let alike = |o: &jurado_core::protocol::ReadingSpec| {
                o.table == spec.table && protocol.items[o.item].unit.dimension == unit.dimension
            };
            if column(other).is_some_and(alike) {
                acts.extend([Rewrite::Columns(other.clone()), Rewrite::InRow(other.clone())]);
            }
        }
        out.extend(acts.into_iter().map(|act| Chancy {
            kind: "rewritten".to_owned(),
            says: format!("{name} was written down wrongly: {act:?}"),
            act: Act::Rewritten(name.clone(), act),
        }));
    }
    out
}

/// All that can go wrong in one result.
pub(crate) fn chances(
    protocol: &Protocol,
    result: usize,
    ast: &Ast,
    declared: &[(String, String, Ast)],
    names: &HashMap<String, Val>,
) -> Vec<Chancy> {
    let item = &protocol.items[protocol.results[result].item];
    let mut walk = Walk { protocol, names, out: Vec::new() };
    walk.visit(ast, false);
    walk.lines(ast);
    let mut out = walk.out;
    let mut add = |kind: &str, says: String, act: Act| out.push(Chancy { kind: kind.to_owned(), says, act });
    if item.nature == Nature::Plain {
        for f in conversions(&item.unit) {
            // A number in this unit where the other is asked for.
            add(
                "unit-factor",
                format!("the answer is {:.6} times what it should be", 1.0 / f),
                Act::AnswerUnit(1.0 / f),
            );
        }
    }
    for (id, of, ast) in declared {
        if *of == item.id {
            add(&format!("declared:{id}"), format!("as declared: {id}"), Act::Formula(ast.clone()));
        }
    }
    add("digits-swapped", "two digits of the answer were swapped".into(), Act::DigitsSwapped);
    add("digit-wrong", "a digit of the answer is wrong".into(), Act::DigitWrong);
    for places in [-2, -1, 1, 2] {
        add("decimal-point", format!("the point moved by {places}"), Act::PointMoved(places));
    }
    for name in names_of(ast) {
        let reading = protocol.item(&name).and_then(|i| protocol.reading_of(i));
        if reading.is_some_and(|r| r.kind == ReadingKind::Number) {
            add("reading-mistyped", format!("{name} was copied wrongly"), Act::ReadingMistyped(name));
        }
    }
    out
}
