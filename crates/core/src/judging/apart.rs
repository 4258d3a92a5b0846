//! What counts: exclusions honoured or not, planned rough runs, concordant sets, and the tests for a replicate that
//! stands apart. A test only raises its hand; what it points at stays in, and is told with and without.

use rust_decimal::Decimal;

use super::propagate::Propagated;
use super::readings::step_in_unit;
use super::table::Table;
use super::values::{Env, Out};
use crate::finding::{Apart, Excluded, Finding, Findings, Fragile, Key, Kind, Place, Severity, Support};
use crate::formula::{Context, Function, Num, Op, Shape, Value, evaluate_any};
use crate::notation;
use crate::protocol::{ItemKind, Protocol, Rejection, Rule};
use crate::quantity::leading_place;
use crate::section::{Section, Source};
use crate::stats::{
    Confidence, concordance, dixon, generalised_esd, grubbs, known_repeatability, line, modified_z, point_apart,
};
use crate::uncertainty::Dual;
use crate::verdict::{CellState, Judged, JudgedReading, OutlierTest};

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
        table_marks(protocol, table, (t, &spec.id), &mut out, found);
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
    (other != hand.raised()).then_some(if hand.test == "dixon" { "grubbs" } else { "dixon" })
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

fn table_marks(protocol: &Protocol, table: &Table, (t, id): (usize, &str), out: &mut Out, found: &mut Findings<'_>) {
    let group = t as u16;
    let column = Repeated { item: 0, rejection: None, group, values: Vec::new(), texts: Vec::new(), step: 0.0 };
    for (row, reason) in marks(protocol, &table.readings, &column) {
        let said = reason.to_lowercase();
        let cause = protocol.causes.iter().position(|c| {
            c.on.iter().any(|i| protocol.table_of(*i) == Some(t))
                && c.words.iter().any(|w| said.contains(&w.to_lowercase()))
        });
        if let Some((_, rows)) = out.iter_mut().find(|(g, _)| *g == group) {
            rows[row] = true;
        }
        if by_person(&table.readings, protocol, group, row) {
            continue;
        }
        let n = row as u32 + 1;
        let what = Excluded::Row(t);
        let (kind, severity) = match cause.map(Support::Cause) {
            Some(support) => (Kind::Exclusion { what, reason, support }, Severity::Note),
            None => (Kind::ExclusionUnsupported { what, reason }, Severity::Decide),
        };
        let key = Key::about(&kind, id, Some(n));
        found.push(Finding::new(kind, key, severity, Place::row(n)));
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
    let cause = protocol.causes.iter().position(|cause| {
        (cause.on.contains(&c.item) || cause.on.iter().any(|i| item.rows == protocol.items[*i].rows))
            && cause.low == low
            && cause.words.iter().any(|w| said.contains(&w.to_lowercase()))
    });
    let tested = hand.is_some_and(Hand::raised);
    let n = row as u32 + 1;
    let about = (c.item, item.id.as_str());
    let (what, reason) = (Excluded::Reading(c.texts[row].clone()), reason.to_owned());
    let tested = || (tested && !reason.is_empty()).then_some(Support::Test);
    match cause.map(Support::Cause).or_else(tested) {
        Some(support) => {
            let kind = Kind::Exclusion { what, reason, support };
            found.push(Finding::about(kind, Severity::Note, about, Some(n)));
            true
        }
        None => {
            let kind = Kind::ExclusionUnsupported { what, reason };
            let finding = Finding::about(kind, Severity::Decide, about, Some(n));
            found.push(finding.charged(precision_of(protocol, c.item)));
            false
        }
    }
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
    let finding = |kind: Kind, severity| Finding::about(kind, severity, (c.item, &item.id), None);
    let Some(set) = concordance(&values, |middle| tolerance.about(middle), c.step) else {
        found.push(finding(Kind::NotConcordant, Severity::Decide));
        return;
    };
    let kept: Vec<usize> = set.kept.iter().map(|i| rows[*i]).collect();
    if let Some((_, flags)) = out.iter_mut().find(|(g, _)| *g == c.group) {
        rows.iter().filter(|r| !kept.contains(r)).for_each(|r| flags[*r] = true);
    }
    let (some_left, kept) = (kept.len() < rows.len(), kept.iter().map(|r| c.texts[*r].clone()).collect());
    if set.tied {
        let tied = finding(Kind::ConcordanceTied { kept }, Severity::Decide);
        found.push(Finding { fragile: Some(Fragile::AnotherSet), ..tied });
    } else if some_left {
        found.push(finding(Kind::Concordance { kept }, Severity::Note));
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
    let charge = precision_of(protocol, c.item);
    let all: Vec<f64> = rows.iter().filter_map(|i| c.values[*i]).collect();
    let rest: Vec<f64> = rows.iter().filter(|i| **i != hand.row).filter_map(|i| c.values[*i]).collect();
    let mean = |xs: &[f64]| xs.iter().sum::<f64>() / xs.len().max(1) as f64;
    let places = usize::try_from(1 - leading_place(if c.step > 0.0 { c.step } else { 1e-3 })).unwrap_or(0);
    let apart = Apart {
        text: c.texts[hand.row].clone(),
        test: hand.test,
        statistic: hand.statistic,
        critical: hand.critical,
        otherwise: second_opinion(hand, values, c.step, protocol.school.confidence),
        with: mean(&all),
        without: mean(&rest),
        places,
        cause: protocol.causes.iter().position(|cause| cause.on.contains(&c.item) && cause.low == hand.low),
    };
    let limit = Fragile::NearLimit {
        test: hand.test,
        statistic: hand.statistic,
        critical: hand.critical,
        beyond: hand.raised(),
    };
    let (kind, severity) = match hand.raised() {
        true => (Kind::OutlierKept(apart), Severity::Decide),
        false => (Kind::OutlierNear(apart), Severity::Note),
    };
    let key = Key::about(&kind, &item.id, Some(row.unwrap_or(1)));
    let finding = Finding::new(kind, key, severity, Place::of(c.item, row));
    if hand.raised() {
        let finding = finding.hanging(charge);
        found.push(Finding { fragile: near.then_some(limit), ..finding });
    } else {
        let (criterion, hangs) = charge;
        let fragile = (hangs > Decimal::ZERO).then_some(limit);
        found.push(Finding { criterion, hangs, fragile, ..finding });
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
            let scale = protocol.items[*x].unit.factor / protocol.items[*y].unit.factor;
            let kind = Kind::PointApart {
                x: *x,
                statistic: test.statistic,
                critical: test.critical,
                slopes: slopes.ok().map(|(with, without)| (with * scale, without * scale)),
            };
            found.push(Finding::about(kind, Severity::Decide, (*y, &protocol.items[*y].id), Some(row)));
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
