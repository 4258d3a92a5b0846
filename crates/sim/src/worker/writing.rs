//! How many figures a person keeps, and how the number is written.

use jurado_core::formula::ast::{Ast, AstKind, Operator};
use jurado_core::protocol::ReadingKind;

use super::{Line, Style, Worker};
use crate::world::{Seen, decimals_of};

impl Worker<'_> {
    /// Decimals of a sum or difference of readings alone: those of the coarsest.
    pub(super) fn decimals(&self, line: &Line, seen: &Seen) -> Option<usize> {
        let item = &self.protocol.items[line.item];
        if let Some(d) = self.world.answers.get(&item.id).and_then(|a| a.decimals) {
            return Some(d);
        }
        if self.world.answers.get(&item.id).is_some_and(|a| a.figures.is_some()) || !sum_of_names(&line.ast) {
            return None;
        }
        let mut places: Option<usize> = None;
        for name in crate::mistake::names_of(&line.ast) {
            let i = self.protocol.item(&name)?;
            let same = (self.protocol.items[i].unit.factor / item.unit.factor - 1.0).abs() < 1e-9;
            let step = seen.readings.iter().find(|r| r.item == i && r.step > 0.0)?.step;
            if !same {
                return None;
            }
            places = Some(places.map_or(decimals_of(step), |p| p.min(decimals_of(step))));
        }
        places
    }

    /// Figures a person keeps: those of the reading with the fewest, at least three, at most five.
    pub(super) fn figures(&self, line: &Line, seen: &Seen) -> i32 {
        let item = &self.protocol.items[line.item];
        if let Some(f) = self.world.answers.get(&item.id).and_then(|a| a.figures) {
            return f;
        }
        let fewest = crate::mistake::names_of(&line.ast)
            .iter()
            .filter_map(|n| self.protocol.item(n))
            .flat_map(|i| seen.readings.iter().filter(move |r| r.item == i && r.step > 0.0 && r.si != 0.0))
            .filter(|r| self.protocol.reading_of(r.item).is_some_and(|s| s.kind == ReadingKind::Number))
            .map(|r| significant(&r.text))
            .min();
        fewest.unwrap_or(4).clamp(3, 5)
    }

    pub(super) fn written(
        &self,
        style: Style,
        value: f64,
        figures: i32,
        decimals: Option<usize>,
        u: Option<f64>,
        plus_minus: bool,
    ) -> String {
        // Two figures of the ± say where the value ends.
        let place = match (u.filter(|u| plus_minus && *u > 0.0 && *u < 0.3 * value.abs()), decimals) {
            (Some(u), _) => 1 - u.log10().floor() as i32,
            (None, Some(d)) => d as i32,
            _ => figures - 1 - value.abs().max(1e-300).log10().floor() as i32,
        };
        match style {
            Style::Dump => at_place(value, 9 - value.abs().max(1e-300).log10().floor().max(0.0) as i32, Round::Half),
            Style::CutOff => at_place(value, place, Round::Cut),
            Style::RoundsTwice => at_place(value, place, Round::Twice),
            Style::TrailingZeros => {
                let t = at_place(value, place, Round::Half);
                if t.contains('.') && !t.contains('e') { format!("{t}0") } else { t }
            }
            Style::SixFigures => at_place(value, 5 - value.abs().max(1e-300).log10().floor() as i32, Round::Half),
            _ => at_place(value, place, Round::Half),
        }
    }
}

fn sum_of_names(ast: &Ast) -> bool {
    match &ast.kind {
        AstKind::Name(n) => n != "pi",
        AstKind::Binary(Operator::Add | Operator::Subtract, a, b) => sum_of_names(a) && sum_of_names(b),
        _ => false,
    }
}

#[derive(Clone, Copy, PartialEq)]
enum Round {
    Half,
    Cut,
    Twice,
}

/// A number ending so many places after the point (negative before it), in powers of ten where it is tiny or huge.
fn at_place(value: f64, place: i32, round: Round) -> String {
    let ten = 10f64.powi(place.clamp(-300, 300));
    let whole = value * ten;
    let whole = match round {
        Round::Half => whole.round(),
        Round::Cut => (whole * (1.0 + 1e-14)).trunc(),
        Round::Twice => ((whole * 10.0).round() / 10.0).round(),
    };
    if whole == 0.0 || !whole.is_finite() {
        return format!("{:.*}", place.clamp(0, 9) as usize, 0.0);
    }
    let rounded = whole / ten;
    let size = rounded.abs();
    if (1e-3..1e6).contains(&size) && place >= 0 {
        return format!("{rounded:.*}", place as usize);
    }
    let lead = size.log10().floor() as i32;
    if (1.0..1e6).contains(&size) && place < 0 && lead + place < 3 {
        // Noughts that only hold places are written out, as people do.
        return format!("{rounded:.0}");
    }
    format!("{:.*}e{lead}", (lead + place).clamp(0, 12) as usize, rounded / 10f64.powi(lead))
}

/// The number a text stands for.
pub(crate) fn number(text: &str) -> f64 {
    text.trim_start_matches(['<', '>']).replace(',', ".").parse().unwrap_or(f64::NAN)
}

pub(crate) fn half_of(text: &str) -> f64 {
    let (mantissa, power) = text.split_once('e').unwrap_or((text, "0"));
    let places = mantissa.split_once('.').map_or(0, |(_, d)| d.len() as i32);
    0.5 * 10f64.powi(power.parse::<i32>().unwrap_or(0) - places)
}

/// Significant figures of a text.
pub(crate) fn significant(text: &str) -> i32 {
    let mantissa = text.split('e').next().unwrap_or(text);
    let digits: String = mantissa.chars().filter(char::is_ascii_digit).collect();
    digits.trim_start_matches('0').len() as i32
}
