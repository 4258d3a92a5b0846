//! What is said to a team more than once, over several of its sheets: one line of advice for each
//! habit, and nothing of marks.
//!
//! A team that is told the same on three sheets is told so on the fourth, with the sheets: once
//! more than once.

use crate::finding::{Kind, Right};
use crate::protocol::SlipKind;
use crate::reading::Unreadable;
use crate::verdict::Judged;

/// Advice that several sheets of a team have in common.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Repeated {
    /// What to do, in a sentence.
    pub advice: &'static str,
    /// Titles of the labs, in their order.
    pub labs: Vec<String>,
}

/// What to do about a slip, where the same can happen in any lab.
fn of_slip(kind: &SlipKind) -> Option<&'static str> {
    Some(match kind {
        SlipKind::UnitFactor => "Write the unit beside every number before it goes into a formula.",
        SlipKind::RadiusDiameter => "Look whether the formula wants the radius or the diameter.",
        SlipKind::DecimalPoint => "Estimate the result roughly first: then a point that has moved shows.",
        SlipKind::Power | SlipKind::Root => "Look at the powers and roots of the formula once more.",
        SlipKind::Inverted | SlipKind::Reciprocal | SlipKind::SlopeInverted => {
            "Look which way round a quotient stands: its unit tells."
        }
        SlipKind::DigitsSwapped | SlipKind::DigitWrong | SlipKind::ReadingMistyped | SlipKind::ReadingMiskeyed => {
            "Let somebody else of the team read each number back to you."
        }
        SlipKind::Sign => "Look at the signs: which reading is taken from which.",
        SlipKind::WrongCount | SlipKind::SumForMean | SlipKind::SingleReplicate => {
            "Count how many readings there are before you take their mean."
        }
        SlipKind::GrossForNet => "Take the vessel off before you go on with a mass.",
        SlipKind::LogBase => "Look which logarithm the formula has.",
        SlipKind::AngleUnit => "Set the calculator to degrees, or turn degrees into radians.",
        _ => return None,
    })
}

/// What to do about a word that is none of its place's.
const NAMED: &str = "Write one of the words that the sheet names for a place.";

/// What to do about a finding, where the same can happen in any lab; nothing of what belongs to one
/// lab alone.
fn of(judged: &Judged, index: usize) -> Option<&'static str> {
    let finding = &judged.findings[index];
    Some(match &finding.kind {
        Kind::DigitsFew(_) => "Write as many figures as your readings support.",
        Kind::DigitsMany(_) => "Round a result once, at the end, to the figures that your readings support.",
        Kind::PlusMinusMissing { .. } => "Write a ± beside each result that asks for one.",
        Kind::PlusMinusUnfair(_) | Kind::PlusMinusNear(_) => {
            "Work the ± out from what the instruments show and how the readings scatter."
        }
        Kind::PlusMinusDigits { .. } => "Write a ± with one or two figures, ending where its value ends.",
        Kind::ReadingDigits { .. } => "Write every digit that the instrument shows, noughts too.",
        Kind::OffGraduation { .. } => "Write what stands on a mark of the scale.",
        Kind::Unit(_) => "Write the unit of every number.",
        Kind::CutTooEarly { .. } => "Keep all figures until the end.",
        Kind::ExclusionUnsupported { .. } => "Where you leave a reading out, say what happened to it.",
        Kind::MissingReading | Kind::MissingRow { .. } | Kind::MissingResult { .. } => {
            "Look for empty places before you hand in, and say why where one stays."
        }
        Kind::UnreadableReading { why: Unreadable::NoneOf(_), .. } => NAMED,
        Kind::UnreadableResult { right: Right::Word(_), .. } => NAMED,
        // Nothing says whether a number or a word was asked for.
        Kind::UnreadableResult { right: Right::Unknown, .. } => return None,
        Kind::UnreadableReading { .. } | Kind::UnreadableResult { .. } => "Write one number in each place.",
        Kind::Slip(_) | Kind::SlipAgain => {
            let here = judged.results.iter().find(|r| Some(r.item) == finding.place.item && r.slip.is_some());
            of_slip(&here?.slip.as_ref()?.kind)?
        }
        _ => return None,
    })
}

/// Advice that two or more of a team's sheets have in common, that of the most sheets first. A
/// finding that was forgiven says nothing.
///
/// # Example
/// ```
/// use jurado_core::example::{lab, table};
/// use jurado_core::judging::judge;
/// use jurado_core::wording::repeated;
/// let judged = judge(&lab(), &table("29.98", "706.1"), &[], &[]);
/// // What was said once is not said again.
/// assert!(repeated(&[("Post".to_owned(), &judged)]).is_empty());
/// ```
pub fn repeated(sheets: &[(String, &Judged)]) -> Vec<Repeated> {
    let mut out: Vec<Repeated> = Vec::new();
    for (lab, judged) in sheets {
        for n in 0..judged.findings.len() {
            let f = &judged.findings[n];
            if f.decided_cost.is_zero() && !f.cost.is_zero() {
                continue;
            }
            let Some(advice) = of(judged, n) else { continue };
            match out.iter_mut().find(|r| r.advice == advice) {
                Some(known) if known.labs.last() == Some(lab) => {}
                Some(known) => known.labs.push(lab.clone()),
                None => out.push(Repeated { advice, labs: vec![lab.clone()] }),
            }
        }
    }
    out.retain(|r| r.labs.len() > 1);
    out.sort_by_key(|r| std::cmp::Reverse(r.labs.len()));
    out
}

#[cfg(test)]
mod tests {
    use super::repeated;
    use crate::decision::{Action, Decision};
    use crate::judging::judge;
    use crate::protocol::Protocol;
    use crate::submission::{Submission, SubmittedCell};
    use crate::verdict::Judged;

    fn judged(length: &str, volume: &str, forgiven: bool) -> Judged {
        let protocol = Protocol::parse(include_str!("../../tests/labs/plate-and-disc.toml")).expect("a lab");
        let cell = |item: &str, value: &str, unit: &str| SubmittedCell {
            item: item.into(),
            value: value.into(),
            unit: unit.into(),
            ..SubmittedCell::default()
        };
        let cells = vec![
            cell("zero", "0.04", "mm"),
            cell("plate_length", length, "mm"),
            cell("plate_width", "41.92", "mm"),
            cell("plate_thickness", "8.62", "mm"),
            cell("plate_volume", volume, "cm3"),
        ];
        let table = Submission { cells, keys: [("station".into(), "1".into())].into(), ..Submission::default() };
        let first = judge(&protocol, &table, &[], &[]);
        let all = first.findings.iter().filter(|_| forgiven).map(|f| Decision {
            finding: f.key.clone(),
            action: Action::Forgive,
            reason: "x".into(),
            by: "x".into(),
            text: String::new(),
        });
        judge(&protocol, &table, &[], &all.collect::<Vec<_>>())
    }

    #[test]
    fn what_two_sheets_have_in_common_is_said_once_and_nothing_that_was_forgiven() {
        let (short, also, fine, forgiven) = (
            judged("84.4", "30.33", false),
            judged("84.5", "30.34", false),
            judged("84.44", "30.33", false),
            judged("84.4", "30.33", true),
        );
        let digits = "Write every digit that the instrument shows, noughts too.";
        let of = |sheets: &[(&str, &Judged)]| -> Vec<(String, Vec<String>)> {
            let sheets: Vec<(String, &Judged)> = sheets.iter().map(|(l, j)| ((*l).to_owned(), *j)).collect();
            repeated(&sheets).into_iter().map(|r| (r.advice.to_owned(), r.labs)).collect()
        };
        let both = of(&[("Keel plate", &short), ("Fog pipe", &also)]);
        assert!(both.contains(&(digits.to_owned(), vec!["Keel plate".to_owned(), "Fog pipe".to_owned()])), "{both:?}");
        for other in [&fine, &forgiven] {
            let one = of(&[("Keel plate", &short), ("Fog pipe", other)]);
            assert!(!one.iter().any(|(advice, _)| advice == digits), "{one:?}");
        }
        assert!(of(&[("Keel plate", &short)]).is_empty(), "one sheet is no habit");
    }
}
