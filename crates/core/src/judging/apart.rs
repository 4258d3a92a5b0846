//! What counts: exclusions honoured or not, planned rough runs, concordant sets, and the tests for a replicate that
//! stands apart. A test only raises its hand; what it points at stays in, and is told with and without.

use rust_decimal::Decimal;

use super::findings::Findings;
use super::readings::step_in_unit;
use super::table::Table;
use super::uncertain::Propagated;
use super::values::{Env, Out};
use crate::formula::{Context, Function, Num, Op, Shape, Value, evaluate_any};
use crate::notation;
use crate::protocol::{ItemKind, Protocol, Rejection, Rule};
use crate::quantity::leading_place;
use crate::section::{Section, Source};
use crate::stats::{
    Confidence, concordance, dixon, generalised_esd, grubbs, known_repeatability, line, modified_z, point_apart,
};
use crate::uncertainty::Dual;
use crate::verdict::{CellState, Finding, Judged, JudgedReading, OutlierTest, Severity};

/// A column whose rows repeat one quantity: replicates of a reading, or a result worked out in each run.
struct Repeated {
    item: usize,
    /// The school its protocol names; `None` leaves it to the course.
    rejection: Option<Rejection>,
    group: u16,
    /// Values by row, in the item's unit.
    values: Vec<Option<f64>>,
    /// What stands in the row, as typed.
    texts: Vec<String>,
    step: f64,
}

/// One test's hand.
struct Hand {
    test: &'static str,
    statistic: f64,
    critical: f64,
    row: usize,
    low: bool,
}

impl Hand {
    fn raised(&self) -> bool {
        self.statistic > self.critical
    }
}

/// The columns that repeat one quantity.
fn repeated(protocol: &Protocol, readings: &[JudgedReading], clean: &Env) -> Vec<Repeated> {
    let mut out = Vec::new();
    for (spec, reading) in protocol.readings.iter().zip(readings) {
        let Shape::Column(group) = protocol.items[spec.item].rows else { continue };
        // A column of a table repeats something only where its protocol says so.
        if protocol.items[spec.item].words.is_some() || (spec.table.is_some() && spec.rejection.is_none()) {
            continue;
        }
        out.push(Repeated {
            item: spec.item,
            rejection: spec.rejection,
            group,
            values: reading.cells.iter().map(|c| c.repaired.or(c.value)).collect(),
            texts: reading.cells.iter().map(|c| c.text.clone()).collect(),
            step: step_in_unit(protocol, spec, clean, None),
        });
    }
    for spec in protocol.results.iter().filter(|s| s.rejection.is_some()) {
        let item = &protocol.items[spec.item];
        let (Shape::Column(group), Some(Value::Column(xs))) = (item.rows, &clean[spec.item]) else { continue };
        // The step of a worked-out value is about that of the readings of one dimension that go into it.
        let step = spec
            .node
            .items()
            .into_iter()
            .filter_map(|i| protocol.reading_of(i))
            .filter(|r| protocol.items[r.item].unit.dimension == item.unit.dimension && r.instrument.is_some())
            .map(|r| step_in_unit(protocol, r, clean, None) * protocol.items[r.item].unit.factor / item.unit.factor)
            .fold(0.0, f64::max);
        let values: Vec<Option<f64>> = xs.iter().map(|x| x.map(|x| item.from_si(x))).collect();
        let digits = if step > 0.0 { leading_place(step) } else { -3 };
        let texts = values.iter().map(|v| v.map_or_else(String::new, |v| notation::to_place(v, digits))).collect();
        out.push(Repeated { item: spec.item, rejection: spec.rejection, group, values, texts, step });
    }
    out
}

/// Settles which rows count (the readings' `counts`, and the rows left out by group), and gives the tests.
pub(super) fn settle(
    protocol: &Protocol,
    table: &mut Table,
    clean: &Env,
    section: &Section,
    found: &mut Findings<'_>,
) -> (Out, Vec<OutlierTest>) {
    // Of readings that everybody shares a test says nothing.
    let own = section.readings == Source::Own;
    let mut out: Out = Vec::new();
    let mut tests = Vec::new();
    // A table may be gone through again with a reading repaired: nothing is left over from the time before.
    table.readings.iter_mut().flat_map(|r| &mut r.cells).for_each(|c| c.counts = c.state == CellState::Read);
    for (spec, reading) in protocol.readings.iter().zip(&table.readings) {
        if let Shape::Column(group) = protocol.items[spec.item].rows
            && !out.iter().any(|(g, _)| *g == group)
        {
            out.push((group, vec![false; reading.cells.len()]));
        }
    }
    // Planned rough runs are out beforehand.
    for t in &protocol.tables {
        let Some((item, word)) = t.rough else { continue };
        let Some(Value::Words(ws)) = &clean[item] else { continue };
        let Shape::Column(group) = protocol.items[item].rows else { continue };
        if let Some((_, rows)) = out.iter_mut().find(|(g, _)| *g == group) {
            rows.iter_mut().zip(ws).filter(|(_, w)| **w == Some(word)).for_each(|(o, _)| *o = true);
        }
    }
    let columns = repeated(protocol, &table.readings, clean);
    for c in &columns {
        let rough: Vec<bool> = out.iter().find(|(g, _)| *g == c.group).map_or_else(Vec::new, |(_, o)| o.clone());
        let rows: Vec<usize> = (0..c.values.len())
            .filter(|i| c.values[*i].is_some() && !rough.get(*i).copied().unwrap_or(false))
            .collect();
        let values: Vec<f64> = rows.iter().filter_map(|i| c.values[*i]).collect();
        // Judged on all of them: what the team left out by itself is part of the question.
        let pooled = section.repeatability.get(&protocol.items[c.item].id).filter(|s| **s > 0.0 && s.is_finite());
        let known = pooled.map(|s| Rejection::Known(*s));
        let by = protocol.rejection_of(c.rejection.or(known), values.len());
        let hands = if own { hands(by, &values, c.step, protocol.school.confidence) } else { Vec::new() };
        let hands: Vec<Hand> = hands.into_iter().map(|h| Hand { row: rows[h.row], ..h }).collect();
        let marks = marks(protocol, &table.readings, c);
        for (row, reason) in &marks {
            let hand = hands.iter().find(|h| h.row == *row);
            let honoured = by_person(&table.readings, protocol, c.group, *row)
                || exclusion(protocol, c, &values, *row, reason, hand, found);
            if honoured && let Some((_, rows)) = out.iter_mut().find(|(g, _)| *g == c.group) {
                rows[*row] = true;
            }
        }
        if let Rejection::Concordance(tolerance) = by {
            concordant(protocol, c, &rows, tolerance, &mut out, found);
            continue;
        }
        for hand in &hands {
            let row = row_of(&table.readings, protocol, c.item, hand.row);
            tests.push(OutlierTest {
                level: "replicate",
                item: c.item,
                row,
                test: hand.test,
                statistic: hand.statistic,
                critical: hand.critical,
                flagged: hand.raised(),
            });
            if !marks.iter().any(|(r, _)| *r == hand.row) {
                kept(protocol, c, &rows, hand, row, &values, found);
            }
        }
    }
    // Rows of tables that repeat nothing may be left out for a reason all the same.
    for (t, spec) in protocol.tables.iter().enumerate() {
        let group = t as u16;
        if columns.iter().any(|c| c.group == group) {
            continue;
        }
        table_marks(protocol, table, t, &spec.title, &mut out, found);
    }
    for (spec, reading) in protocol.readings.iter().zip(table.readings.iter_mut()) {
        let Shape::Column(group) = protocol.items[spec.item].rows else { continue };
        let Some((_, rows)) = out.iter().find(|(g, _)| *g == group) else { continue };
        reading.cells.iter_mut().zip(rows).filter(|(_, o)| **o).for_each(|(c, _)| c.counts = false);
    }
    (out, tests)
}

/// Whether a reviewer left the row out; that is told elsewhere.
fn by_person(readings: &[JudgedReading], protocol: &Protocol, group: u16, row: usize) -> bool {
    readings
        .iter()
        .filter(|r| protocol.items[r.item].rows == Shape::Column(group))
        .any(|r| r.cells.get(row).is_some_and(|c| c.by_person))
}

fn row_of(readings: &[JudgedReading], protocol: &Protocol, item: usize, row: usize) -> Option<u32> {
    match protocol.items[item].kind {
        ItemKind::Reading(r) => readings[r].cells.get(row).and_then(|c| c.row),
        _ => Some(row as u32 + 1),
    }
}

/// The hands that a school's test raises or keeps down.
fn hands(by: Rejection, values: &[f64], step: f64, confidence: Confidence) -> Vec<Hand> {
    let one = |test, s: Option<crate::stats::Suspect>| -> Vec<Hand> {
        s.map(|s| Hand { test, statistic: s.statistic, critical: s.critical, row: s.suspect, low: s.low })
            .into_iter()
            .collect()
    };
    match by {
        Rejection::Dixon => dixon(values, step, confidence)
            .map(|d| Hand { test: "dixon", statistic: d.statistic, critical: d.critical, row: d.suspect, low: d.low })
            .into_iter()
            .collect(),
        Rejection::Grubbs => one("grubbs", grubbs(values, step, confidence)),
        Rejection::Known(sigma) => one("known", known_repeatability(values, sigma, step, confidence)),
        Rejection::ModifiedZ => one("modified-z", modified_z(values, step)),
        Rejection::Esd => {
            let steps = generalised_esd(values, step, confidence);
            let last = steps.iter().rposition(crate::stats::Suspect::flagged);
            let shown = last.map_or(1, |l| l + 1).min(steps.len());
            // Up to the largest step that passes all are outliers, whatever their own statistic.
            steps[..shown]
                .iter()
                .map(|s| Hand {
                    test: "esd",
                    statistic: if last.is_some() { s.statistic.max(s.critical * (1.0 + 1e-9)) } else { s.statistic },
                    critical: s.critical,
                    row: s.suspect,
                    low: s.low,
                })
                .collect()
        }
        Rejection::Concordance(_) | Rejection::Judgement => Vec::new(),
    }
}

/// Where a tested replicate, all others as they are, would begin to stand apart: below the first value or above the second,
/// in the unit of its reading. Sought with the test itself, so that it is the same whichever test that is. `None` on a
/// side on which it never would, and on both where the test cannot be asked again.
pub fn limits(protocol: &Protocol, judged: &Judged, test: &OutlierTest) -> (Option<f64>, Option<f64>) {
    let none = (None, None);
    let Some((spec, reading)) = protocol.readings.iter().zip(&judged.readings).find(|(s, _)| s.item == test.item)
    else {
        return none;
    };
    let by = match (test.test, spec.rejection) {
        ("dixon", _) => Rejection::Dixon,
        ("grubbs", _) => Rejection::Grubbs,
        ("esd", _) => Rejection::Esd,
        ("modified-z", _) => Rejection::ModifiedZ,
        ("known", Some(known @ Rejection::Known(_))) => known,
        _ => return none,
    };
    let tested: Vec<(Option<u32>, f64)> =
        reading.cells.iter().filter_map(|c| Some((c.row, c.repaired.or(c.value)?))).collect();
    let Some(at) = tested.iter().position(|(row, _)| *row == test.row) else { return none };
    let mut values: Vec<f64> = tested.iter().map(|(_, v)| *v).collect();
    let others: Vec<f64> = values.iter().enumerate().filter(|(i, _)| *i != at).map(|(_, v)| *v).collect();
    let (low, high) = others.iter().fold((f64::INFINITY, f64::NEG_INFINITY), |(a, b), v| (a.min(*v), b.max(*v)));
    let step = protocol.step(spec).unwrap_or(0.0);
    let reach = 100.0 * (high - low) + 1000.0 * step;
    if !reach.is_finite() || reach <= 0.0 {
        return none;
    }
    let mut raised = |v: f64| {
        values[at] = v;
        hands(by, &values, step, protocol.school.confidence).iter().any(|h| h.row == at && h.raised())
    };
    let mut seek = |mut quiet: f64, mut apart: f64| {
        if raised(quiet) || !raised(apart) {
            return None;
        }
        // Forty halvings of the reach are finer than any drawing.
        for _ in 0..40 {
            let middle = quiet + (apart - quiet) / 2.0;
            if raised(middle) { apart = middle } else { quiet = middle }
        }
        Some(apart)
    };
    // In the middle of the others it stands apart by no test.
    let Some(middle) = crate::stats::median(&others) else { return none };
    (seek(middle, low - reach), seek(middle, high + reach))
}

/// What another test says of the same readings, where it says otherwise.
fn second_opinion(hand: &Hand, values: &[f64], step: f64, confidence: Confidence) -> Option<&'static str> {
    let other = match hand.test {
        "dixon" => grubbs(values, step, confidence).map(|s| s.flagged()),
        "grubbs" => dixon(values, step, confidence).map(|d| d.flagged()),
        _ => None,
    }?;
    (other != hand.raised()).then_some(if hand.test == "dixon" { "Grubbs’ test" } else { "Dixon’s test" })
}

/// Rows the team left out: its mark on a replicate, or on any cell of a table's row. With the reason.
fn marks(protocol: &Protocol, readings: &[JudgedReading], c: &Repeated) -> Vec<(usize, String)> {
    let mut out: Vec<(usize, String)> = Vec::new();
    for (spec, reading) in protocol.readings.iter().zip(readings) {
        if protocol.items[spec.item].rows != Shape::Column(c.group) {
            continue;
        }
        for (row, cell) in reading.cells.iter().enumerate() {
            let Some(reason) = &cell.excluded else { continue };
            match out.iter_mut().find(|(r, _)| *r == row) {
                Some((_, said)) if said.is_empty() => said.clone_from(reason),
                Some(_) => {}
                None => out.push((row, reason.clone())),
            }
        }
    }
    out.sort();
    out
}

fn table_marks(protocol: &Protocol, table: &Table, t: usize, title: &str, out: &mut Out, found: &mut Findings<'_>) {
    let group = t as u16;
    let column = Repeated { item: 0, rejection: None, group, values: Vec::new(), texts: Vec::new(), step: 0.0 };
    for (row, reason) in marks(protocol, &table.readings, &column) {
        let said = reason.to_lowercase();
        let cause = protocol.causes.iter().find(|c| {
            c.on.iter().any(|i| protocol.table_of(*i) == Some(t))
                && c.words.iter().any(|w| said.contains(&w.to_lowercase()))
        });
        if let Some((_, rows)) = out.iter_mut().find(|(g, _)| *g == group) {
            rows[row] = true;
        }
        if by_person(&table.readings, protocol, group, row) {
            continue;
        }
        let key = format!("exclusion:{}:{}", protocol.tables[t].id, row + 1);
        let place = format!("Row {} of the {title}", row + 1);
        let finding = match cause {
            Some(c) => Finding {
                says: format!("{place} was left out (“{reason}”); supported: {}.", c.says),
                ..Findings::blank("exclusion", key, Severity::Note, None, Some(row as u32 + 1))
            },
            None => Finding {
                says: format!(
                    "{place} was left out (“{reason}”). No declared cause is named; the row is left out here too."
                ),
                tells: format!(
                    "You left out row {} of the {title}. Leaving a row out needs a reason that explains it.",
                    row + 1
                ),
                ..Findings::blank("exclusion-unsupported", key, Severity::Decide, None, Some(row as u32 + 1))
            },
        };
        found.push(finding);
    }
}

fn precision_of(protocol: &Protocol, item: usize) -> (Option<String>, Decimal) {
    protocol
        .criteria
        .iter()
        .find_map(|c| match &c.rule {
            Rule::Precision { reading, outlier, .. } if protocol.readings[*reading].item == item => {
                Some((Some(c.id.clone()), *outlier))
            }
            _ => None,
        })
        .unwrap_or((None, Decimal::ZERO))
}

/// Whether a team's exclusion is honoured: a declared cause that pushes that way and is named in the reason, or any
/// reason where a test raises its hand.
fn exclusion(
    protocol: &Protocol,
    c: &Repeated,
    values: &[f64],
    row: usize,
    reason: &str,
    hand: Option<&Hand>,
    found: &mut Findings<'_>,
) -> bool {
    let item = &protocol.items[c.item];
    let value = c.values.get(row).copied().flatten();
    let sum: f64 = values.iter().sum();
    let others = value.map_or(sum, |v| (sum - v) / (values.len().saturating_sub(1).max(1)) as f64);
    let low = value.is_some_and(|v| v < others);
    let said = reason.to_lowercase();
    let cause = protocol.causes.iter().find(|cause| {
        (cause.on.contains(&c.item) || cause.on.iter().any(|i| item.rows == protocol.items[*i].rows))
            && cause.low == low
            && cause.words.iter().any(|w| said.contains(&w.to_lowercase()))
    });
    let tested = hand.is_some_and(Hand::raised);
    let n = row as u32 + 1;
    let place = format!("Reading {n} of the {}, {}{},", item.title, c.texts[row], item.unit_after());
    let key = format!("exclusion:{}:{n}", item.id);
    if cause.is_some() || (tested && !reason.is_empty()) {
        let why = cause.map_or_else(|| "it stands apart by the test".to_owned(), |c| c.says.clone());
        found.push(Finding {
            says: format!("{place} was left out (“{reason}”); supported: {why}."),
            ..Findings::blank("exclusion", key, Severity::Note, Some(c.item), Some(n))
        });
        return true;
    }
    let (criterion, cost) = precision_of(protocol, c.item);
    let why = if reason.is_empty() {
        "no reason is given".to_owned()
    } else {
        format!("“{reason}” names no cause that pushes it that way, and no test supports it")
    };
    found.push(Finding {
        says: format!("{place} was left out, but {why}. The recomputation keeps it."),
        tells: format!(
            "You left out reading {n} of the {}, {}{}. Leaving a reading out needs a reason that explains its direction; the results here keep it.",
            item.title,
            c.texts[row],
            item.unit_after()
        ),
        criterion,
        cost,
        ..Findings::blank("exclusion-unsupported", key, Severity::Decide, Some(c.item), Some(n))
    });
    false
}

/// Only the largest set that agrees counts.
fn concordant(
    protocol: &Protocol,
    c: &Repeated,
    rows: &[usize],
    tolerance: crate::protocol::Tolerance,
    out: &mut Out,
    found: &mut Findings<'_>,
) {
    let item = &protocol.items[c.item];
    let values: Vec<f64> = rows.iter().filter_map(|i| c.values[*i]).collect();
    if values.len() < 2 {
        return;
    }
    let key = |code: &str| format!("{code}:{}", item.id);
    let Some(set) = concordance(&values, |middle| tolerance.about(middle), c.step) else {
        found.push(Finding {
            says: format!(
                "No two of the {} agree within the protocol’s tolerance; all of them count here.",
                item.title
            ),
            tells: format!(
                "No two of your values of the {} agree within the tolerance: one more run was needed.",
                item.title
            ),
            ..Findings::blank("not-concordant", key("not-concordant"), Severity::Decide, Some(c.item), None)
        });
        return;
    };
    let kept: Vec<usize> = set.kept.iter().map(|i| rows[*i]).collect();
    if let Some((_, flags)) = out.iter_mut().find(|(g, _)| *g == c.group) {
        rows.iter().filter(|r| !kept.contains(r)).for_each(|r| flags[*r] = true);
    }
    let told: Vec<String> = kept.iter().map(|r| c.texts[*r].clone()).collect();
    if set.tied {
        found.push(Finding {
            says: format!(
                "Two sets of the {} agree equally well and have different means; {} were taken, the tighter or later ones.",
                item.title,
                told.join(", ")
            ),
            fragile: Some("another set agrees as well".to_owned()),
            ..Findings::blank("concordance-tied", key("concordance-tied"), Severity::Decide, Some(c.item), None)
        });
    } else if kept.len() < rows.len() {
        found.push(Finding {
            says: format!("Concordant {}: {}; the others do not count.", item.title, told.join(", ")),
            ..Findings::blank("concordance", key("concordance"), Severity::Note, Some(c.item), None)
        });
    }
}

/// A reading that stands apart, or nearly, and was kept.
fn kept(
    protocol: &Protocol,
    c: &Repeated,
    rows: &[usize],
    hand: &Hand,
    row: Option<u32>,
    values: &[f64],
    found: &mut Findings<'_>,
) {
    let near = (hand.statistic / hand.critical - 1.0).abs() <= 0.1;
    if !hand.raised() && !near {
        return;
    }
    let item = &protocol.items[c.item];
    let (criterion, cost) = precision_of(protocol, c.item);
    let all: Vec<f64> = rows.iter().filter_map(|i| c.values[*i]).collect();
    let rest: Vec<f64> = rows.iter().filter(|i| **i != hand.row).filter_map(|i| c.values[*i]).collect();
    let mean = |xs: &[f64]| xs.iter().sum::<f64>() / xs.len().max(1) as f64;
    let digits = usize::try_from(1 - leading_place(if c.step > 0.0 { c.step } else { 1e-3 })).unwrap_or(0);
    let cause = protocol.causes.iter().find(|cause| cause.on.contains(&c.item) && cause.low == hand.low);
    let cause_words = cause
        .map_or_else(|| " No usual cause pushes it that way.".to_owned(), |c| format!(" A usual cause: {}.", c.says));
    let n = row.unwrap_or(1);
    let letter = match hand.test {
        "dixon" => "Q",
        "grubbs" | "esd" => "G",
        "known" => "deviation in units of the known repeatability",
        _ => "modified z",
    };
    let measured =
        format!("{letter} {} against {}", notation::decimals(hand.statistic, 2), notation::decimals(hand.critical, 2));
    let otherwise = second_opinion(hand, values, c.step, protocol.school.confidence);
    let other = otherwise.map_or_else(String::new, |t| format!(" {t} says otherwise."));
    let text = &c.texts[hand.row];
    let says = format!(
        "Reading {n} of the {}, {text}{}, stands apart: {measured}.{other} Mean {} with it, {} without.{cause_words}",
        item.title,
        item.unit_after(),
        notation::decimals(mean(&all), digits),
        notation::decimals(mean(&rest), digits)
    );
    let advice =
        cause.filter(|c| !c.advice.is_empty()).map(|c| format!(" Next time {}.", c.advice)).unwrap_or_default();
    let tells = format!(
        "Reading {n} of your {}, {text}{}, stands apart from the others and you kept it: please say why, or measure again.{advice}",
        item.title,
        item.unit_after()
    );
    let key = format!("outlier:{}:{n}", item.id);
    if hand.raised() {
        let fragile = near.then(|| format!("{measured}: within a tenth of its limit"));
        found.push(Finding {
            says,
            tells,
            criterion,
            cost,
            hangs: cost,
            fragile,
            ..Findings::blank("outlier-kept", key, Severity::Decide, Some(c.item), row)
        });
    } else {
        let fragile = (cost > Decimal::ZERO).then(|| format!("{measured}: just short of its limit"));
        found.push(Finding {
            says,
            criterion,
            hangs: cost,
            fragile,
            ..Findings::blank("outlier-near", key, Severity::Note, Some(c.item), row)
        });
    }
}

/// Spread about the line, at weight one, that the points' own unshared uncertainties make: √(Σ w·u²(y − slope·x)/n).
fn own_spread(propagated: &Propagated, (x, y): (usize, usize), slope: f64, points: &[(usize, f64, f64, f64)]) -> f64 {
    let of =
        |item: usize, row: usize| propagated.values.get(item).and_then(Option::as_ref).and_then(|v| v.at(Some(row)));
    let squares: Vec<f64> = points
        .iter()
        .filter_map(|(row, _, _, w)| {
            let residual = of(y, *row)?.sub(&of(x, *row)?.mul(&Dual::exact(slope)));
            let u = residual.spread(&propagated.sources);
            Some(w * u * u)
        })
        .collect();
    if squares.len() < points.len() { 0.0 } else { (squares.iter().sum::<f64>() / squares.len() as f64).sqrt() }
}

/// The point farthest from each fitted line, on clean values.
pub(super) fn points(
    protocol: &Protocol,
    clean: &Env,
    out: &Out,
    propagated: &Propagated,
    found: &mut Findings<'_>,
) -> Vec<OutlierTest> {
    let mut tests = Vec::new();
    let mut seen: Vec<(usize, usize)> = Vec::new();
    for spec in &protocol.results {
        let mut fits: Vec<&crate::formula::Node> = Vec::new();
        collect_fits(&spec.node, &mut fits);
        for fit in fits {
            let Op::Call(function, args) = &fit.op else { continue };
            let (Op::Item(x), Op::Item(y)) = (&args[0].op, &args[1].op) else { continue };
            if seen.contains(&(*x, *y)) {
                continue;
            }
            seen.push((*x, *y));
            let Shape::Column(group) = protocol.items[*x].rows else { continue };
            let rows = out.iter().find(|(g, _)| *g == group).map(|(_, o)| o);
            let (Some(Value::Column(xs)), Some(Value::Column(ys))) = (&clean[*x], &clean[*y]) else { continue };
            let weights = match args.get(2).map(|w| evaluate_any(w, &Context::without(clean, out))) {
                None => None,
                Some(Ok(Value::Column(ws))) => Some(ws),
                Some(_) => continue,
            };
            let weight = |i: usize| weights.as_ref().map_or(Some(1.0), |w| w.get(i).copied().flatten());
            let points: Vec<(usize, f64, f64, f64)> = xs
                .iter()
                .zip(ys)
                .enumerate()
                .filter(|(i, _)| rows.and_then(|r| r.get(*i)).is_none_or(|o| !o))
                .filter_map(|(i, (x, y))| Some((i, (*x)?, (*y)?, weight(i)?)))
                .collect();
            let (px, py): (Vec<f64>, Vec<f64>) = points.iter().map(|p| (p.1, p.2)).unzip();
            let pw: Option<Vec<f64>> = weights.is_some().then(|| points.iter().map(|p| p.3).collect());
            let through = *function == Function::SlopeOrigin;
            let confidence = 1.0 - protocol.school.confidence.alpha();
            let Ok(whole) = line(&px, &py, pw.as_deref(), through) else { continue };
            let own = own_spread(propagated, (*x, *y), whole.slope, &points);
            let Some(test) = point_apart(&px, &py, pw.as_deref(), through, confidence, own) else { continue };
            let row = points[test.suspect].0 as u32 + 1;
            let raised = test.statistic > test.critical;
            tests.push(OutlierTest {
                level: "point",
                item: *y,
                row: Some(row),
                test: "studentised-residual",
                statistic: test.statistic,
                critical: test.critical,
                flagged: raised,
            });
            if !raised {
                continue;
            }
            let without: Vec<usize> = (0..px.len()).filter(|i| *i != test.suspect).collect();
            let pick = |v: &[f64]| without.iter().map(|i| v[*i]).collect::<Vec<f64>>();
            let slopes = line(&pick(&px), &pick(&py), pw.as_deref().map(pick).as_deref(), through)
                .map(|b| (whole.slope, b.slope));
            let (ix, iy) = (&protocol.items[*x], &protocol.items[*y]);
            let told = slopes.map_or_else(
                |_| String::new(),
                |(a, b)| {
                    let scale = ix.unit.factor / iy.unit.factor;
                    format!(
                        " The slope is {} with it, {} without.",
                        notation::figures(a * scale, 4),
                        notation::figures(b * scale, 4)
                    )
                },
            );
            found.push(Finding {
                says: format!(
                    "Point {row} stands apart from the line of {} against {}: t {} against {}.{told}",
                    iy.title,
                    ix.title,
                    notation::decimals(test.statistic, 2),
                    notation::decimals(test.critical, 2)
                ),
                tells: format!(
                    "Point {row} of your {} against {} lies off the line of the others: please look at it again.",
                    iy.title, ix.title
                ),
                ..Findings::blank(
                    "point-apart",
                    format!("point-apart:{}:{row}", iy.id),
                    Severity::Decide,
                    Some(*y),
                    Some(row),
                )
            });
        }
    }
    tests
}

fn collect_fits<'n>(node: &'n crate::formula::Node, out: &mut Vec<&'n crate::formula::Node>) {
    if let Op::Call(f, args) = &node.op
        && f.fits_line()
        && args.len() >= 2
    {
        out.push(node);
    }
    node.children().into_iter().for_each(|c| collect_fits(c, out));
}
