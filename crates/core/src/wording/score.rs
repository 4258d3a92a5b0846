//! Comparisons and lines of the score in words.

use super::At;
use super::numbers::{half_width, quantity};
use crate::finding::{Accuracy, Named, Place, Sides, Spread};
use crate::notation::{self, capital};
use crate::protocol::{Agreement, Protocol};
use crate::quantity::leading_place;
use crate::verdict::{Compared, Comparison, ScoreLine, Standing};

/// What a comparison with a reference, or of two values, came to.
///
/// # Example
/// ```
/// use jurado_core::example::lab;
/// use jurado_core::verdict::{Compared, Comparison};
/// use jurado_core::wording::compared;
/// use jurado_core::finding::{Place, Spread};
/// let lab = lab();
/// let girth = lab.item("girth").expect("a reading");
/// let what = Compared::Spread(Place::of(girth, None), Spread { sd: 0.1, count: 3, without: None });
/// let comparison = Comparison {
///     id: "precision".into(),
///     kind: "precision",
///     value: 0.1,
///     limit: Some(0.2),
///     verdict: "within".into(),
///     what,
/// };
/// assert!(compared(&lab, &comparison).starts_with("standard deviation 0.10 cm over 3 readings"));
/// ```
pub fn compared(protocol: &Protocol, comparison: &Comparison) -> String {
    match &comparison.what {
        Compared::Check(check) => protocol.checks[*check].title.clone(),
        Compared::Agreement(sides) => agreement(protocol, sides),
        Compared::Identified(named) => identified(protocol, named),
        Compared::Accuracy(place, a) => accuracy(protocol, *place, a),
        Compared::Spread(place, s) => spread(protocol, *place, s),
    }
}

/// "Two ways: 7.86 g/cm³ and 7.9 g/cm³ agree (0.040 g/cm³ apart, 0.11 g/cm³ allowed)".
///
/// Both values are told in the unit of the sheet, and so is what lies between them.
pub(super) fn agreement(protocol: &Protocol, sides: &Sides) -> String {
    let spec = &protocol.comparisons[sides.comparison];
    let said = |si: f64| match spec.method {
        Agreement::Percent(_) => format!("{} %", notation::figures(si, 2)),
        _ => half_width(protocol, &spec.a, si),
    };
    format!(
        "{}: {} and {} {} ({} apart, {} allowed)",
        spec.title,
        quantity(protocol, &spec.a, sides.a),
        quantity(protocol, &spec.b, sides.b),
        if sides.agree { "agree" } else { "do not agree" },
        said(sides.apart),
        said(sides.allowed)
    )
}

/// What an unknown is, is nearest to, or may be.
///
/// Names are those of the lab's list.
pub(super) fn identified(protocol: &Protocol, named: &Named) -> String {
    let spec = &protocol.identifies[named.unknown];
    let item = &protocol.items[protocol.results[spec.result].item];
    let value = format!("{}{}", notation::figures(named.value, 4), item.unit_after());
    let names: Vec<&str> = named.near.iter().map(|n| spec.candidates[*n].says.as_str()).collect();
    match &names[..] {
        [one] if named.within => format!("{}: {value} is {one}", spec.title),
        [one] => format!(
            "{}: {value} is nearest to {one}, {} standard uncertainties off",
            spec.title,
            notation::figures(named.off, 2)
        ),
        _ => format!("{}: {value} fits {}; they cannot be told apart", spec.title, names.join(" and ")),
    }
}

/// A reference, or its range, with figures that suit the value beside it.
///
/// At least two decimals for a range, at most three.
pub(super) fn range(a: &Accuracy) -> String {
    let place = 1 - leading_place(a.value) + a.figures - 2;
    let places = usize::try_from(place.clamp(0, 6)).unwrap_or(2);
    if a.low == a.high {
        return notation::decimals(a.low, places);
    }
    let places = 2.max(places.min(3));
    format!("{} to {}", notation::decimals(a.low, places), notation::decimals(a.high, places))
}

/// "Density (plate) 7.91 g/cm³, 0.64 % off (steel, 7.84 to 7.86)".
///
/// “inside the range” for a value that is off by nothing.
pub(super) fn accuracy(protocol: &Protocol, place: Place, a: &Accuracy) -> String {
    let at = At { protocol, place };
    let shown = notation::figures(a.value, a.figures);
    let off = if a.off == 0.0 {
        "inside the range".to_owned()
    } else {
        let measure = if a.in_uncertainties { " standard uncertainties" } else { " %" };
        format!("{}{measure} off", notation::figures(a.off, 2))
    };
    let name = match (a.ruled, a.name.as_str()) {
        (true, _) => "by ruling, ".to_owned(),
        (false, "") => String::new(),
        (false, name) => format!("{name}, "),
    };
    format!("{} {shown}{}, {off} ({name}{})", capital(&at.result()), at.unit(), range(a))
}

/// "standard deviation 0.031 mm over 5 readings (without reading 3)".
///
/// A reading that was left out for it is named.
pub(super) fn spread(protocol: &Protocol, place: Place, s: &Spread) -> String {
    format!(
        "standard deviation {}{} over {}{}",
        notation::uncertainty(s.sd),
        At { protocol, place }.unit(),
        notation::counted(s.count, "reading"),
        s.without.map_or_else(String::new, |r| format!(" (without reading {r})"))
    )
}

/// Why a line of the score has the points it has, in few words; with the exact figure where the
/// criterion's step moved it.
///
/// # Example
/// ```
/// use jurado_core::example::{lab, table};
/// use jurado_core::{judging::judge, wording};
/// let judged = judge(&lab(), &table("29.98", "706.1"), &[], &[]);
/// assert_eq!(wording::standing(&lab(), &judged.score.lines[0]), "as it should be");
/// ```
pub fn standing(protocol: &Protocol, line: &ScoreLine) -> String {
    let why = why(protocol, &line.standing);
    if line.exact == line.awarded { why } else { format!("exactly {}; {why}", line.exact.round_dp(3).normalize()) }
}

/// It stands behind the points of the line.
fn why(protocol: &Protocol, standing: &Standing) -> String {
    match standing {
        Standing::InsideRange => "inside the range".to_owned(),
        Standing::OffInUncertainties(off) => format!("{} u off", notation::figures(*off, 2)),
        Standing::OffInPercent(off) => format!("{} % off", notation::figures(*off, 2)),
        Standing::NotJudged => "not judged yet".to_owned(),
        Standing::Agree(true) => "they agree".to_owned(),
        Standing::Agree(false) => "they do not agree".to_owned(),
        Standing::Level { criterion, level } => match &protocol.criteria[*criterion].rule {
            crate::protocol::Rule::Manual { levels } => levels[*level].0.clone(),
            _ => String::new(),
        },
        Standing::ByJudgement => "by judgement".to_owned(),
        Standing::Spread { item, sd } => {
            format!("s {} {}", notation::uncertainty(*sd), protocol.items[*item].unit.text)
        }
        Standing::Right => "as it should be".to_owned(),
        Standing::Missing(n) => format!("{} missing", notation::counted(*n, "result")),
        Standing::Slips(1) => "one slip, once".to_owned(),
        Standing::Slips(n) => format!("{n} slips"),
        Standing::Findings(n) => notation::counted(*n, "finding"),
    }
}
