//! What is judged about readings themselves: missing and unreadable cells, digits, plausibility, exclusions and the
//! reading that stands apart.

use rust_decimal::Decimal;

use super::findings::Findings;
use super::table::counted_values;
use crate::notation::{self, capital};
use crate::protocol::{Protocol, ReadingSpec, Rule};
use crate::stats::{DixonTest, dixon};
use crate::verdict::{CellState, Finding, JudgedReading, OutlierTest, Severity};

/// Settles which exclusions are honoured (the cells' `counts`), and gives the tests. A test only raises its hand.
pub(super) fn exclusions(
    protocol: &Protocol,
    readings: &mut [JudgedReading],
    found: &mut Findings<'_>,
) -> Vec<OutlierTest> {
    let mut tests = Vec::new();
    for (spec, reading) in protocol.readings.iter().zip(readings.iter_mut()).filter(|(s, _)| s.replicates > 1) {
        let rows: Vec<usize> = (0..reading.cells.len()).filter(|i| reading.cells[*i].value.is_some()).collect();
        let values: Vec<f64> = rows.iter().filter_map(|i| reading.cells[*i].value).collect();
        let step = step_in_unit(protocol, spec);
        let test = dixon(&values, step, protocol.school.confidence);
        let suspect = test.as_ref().map(|t| rows[t.suspect]);
        for i in rows.iter().copied() {
            exclusion(protocol, spec, reading, i, test.as_ref().filter(|_| suspect == Some(i)), found);
        }
        let (Some(test), Some(suspect)) = (test, suspect) else { continue };
        let cell = &reading.cells[suspect];
        tests.push(OutlierTest {
            level: "replicate",
            item: spec.item,
            row: cell.row,
            test: "dixon",
            statistic: test.statistic,
            critical: test.critical,
            flagged: test.flagged(),
        });
        if cell.counts && cell.excluded.is_none() {
            kept(protocol, spec, reading, suspect, &test, found);
        }
    }
    tests
}

/// The instrument's step in the unit of the reading.
pub(super) fn step_in_unit(protocol: &Protocol, spec: &ReadingSpec) -> f64 {
    let instrument = &protocol.instruments[spec.instrument];
    instrument.step * instrument.unit.factor / protocol.items[spec.item].unit.factor
}

fn precision_of(protocol: &Protocol, spec: &ReadingSpec) -> (Option<String>, Decimal) {
    protocol
        .criteria
        .iter()
        .find_map(|c| match &c.rule {
            Rule::Precision { reading, outlier, .. } if protocol.readings[*reading].item == spec.item => {
                Some((Some(c.id.clone()), *outlier))
            }
            _ => None,
        })
        .unwrap_or((None, Decimal::ZERO))
}

fn exclusion(
    protocol: &Protocol,
    spec: &ReadingSpec,
    reading: &mut JudgedReading,
    i: usize,
    test: Option<&DixonTest>,
    found: &mut Findings<'_>,
) {
    let Some(reason) = reading.cells[i].excluded.clone() else { return };
    let title = &protocol.items[spec.item].title;
    let (row, text) = (reading.cells[i].row, reading.cells[i].text.clone());
    let others: Vec<f64> =
        reading.cells.iter().enumerate().filter(|(n, _)| *n != i).filter_map(|(_, c)| c.value).collect();
    let mean = others.iter().sum::<f64>() / others.len().max(1) as f64;
    let low = reading.cells[i].value.is_some_and(|v| v < mean);
    let said = reason.to_lowercase();
    let cause = protocol.causes.iter().find(|c| {
        c.on.contains(&spec.item) && c.low == low && c.words.iter().any(|w| said.contains(&w.to_lowercase()))
    });
    let tested = test.is_some_and(DixonTest::flagged);
    let place = format!("Reading {} of the {title}, {text} {},", row.unwrap_or(1), protocol.items[spec.item].unit.text);
    if cause.is_some() || (tested && !reason.is_empty()) {
        reading.cells[i].counts = false;
        let why = match cause {
            Some(c) => c.says.clone(),
            None => "it stands apart by Dixon’s test".to_owned(),
        };
        found.push(Finding {
            says: format!("{place} was left out (“{reason}”); supported: {why}."),
            ..Findings::blank(
                "exclusion",
                format!("exclusion:{}:{}", protocol.items[spec.item].id, row.unwrap_or(1)),
                Severity::Note,
                Some(spec.item),
                row,
            )
        });
        return;
    }
    let (criterion, cost) = precision_of(protocol, spec);
    let why = if reason.is_empty() {
        "no reason is given".to_owned()
    } else {
        format!("“{reason}” names no cause that pushes it that way, and no test supports it")
    };
    found.push(Finding {
        says: format!("{place} was left out, but {why}. The recomputation keeps it."),
        tells: format!("You left out reading {} of the {title}, {text} {}. Leaving a reading out needs a reason that explains its direction; the results here keep it.", row.unwrap_or(1), protocol.items[spec.item].unit.text),
        criterion,
        cost,
        ..Findings::blank("exclusion-unsupported", format!("exclusion:{}:{}", protocol.items[spec.item].id, row.unwrap_or(1)), Severity::Decide, Some(spec.item), row)
    });
}

fn kept(
    protocol: &Protocol,
    spec: &ReadingSpec,
    reading: &JudgedReading,
    i: usize,
    test: &DixonTest,
    found: &mut Findings<'_>,
) {
    let near = (test.statistic / test.critical - 1.0).abs() <= 0.1;
    if !test.flagged() && !near {
        return;
    }
    let item = &protocol.items[spec.item];
    let cell = &reading.cells[i];
    let (criterion, cost) = precision_of(protocol, spec);
    let all: Vec<f64> = counted_values(reading).collect();
    let rest: Vec<f64> =
        reading.cells.iter().enumerate().filter(|(n, c)| *n != i && c.counts).filter_map(|(_, c)| c.value).collect();
    let mean = |xs: &[f64]| xs.iter().sum::<f64>() / xs.len().max(1) as f64;
    let places = notation::decimals;
    let digits = usize::try_from(1 - crate::quantity::leading_place(step_in_unit(protocol, spec))).unwrap_or(0);
    let cause = protocol.causes.iter().find(|c| c.on.contains(&spec.item) && c.low == test.low);
    let cause_words = cause
        .map_or_else(|| " No usual cause pushes it that way.".to_owned(), |c| format!(" A usual cause: {}.", c.says));
    let row = cell.row.unwrap_or(1);
    let measured =
        format!("Q {} against {}", notation::decimals(test.statistic, 2), notation::decimals(test.critical, 2));
    let says = format!(
        "Reading {row} of the {}, {} {}, stands apart: {measured}. Mean {} with it, {} without.{cause_words}",
        item.title,
        cell.text,
        item.unit.text,
        places(mean(&all), digits),
        places(mean(&rest), digits)
    );
    let advice =
        cause.filter(|c| !c.advice.is_empty()).map(|c| format!(" Next time {}.", c.advice)).unwrap_or_default();
    let tells = format!(
        "Reading {row} of your {}, {} {}, stands apart from the others and you kept it: please say why, or measure again.{advice}",
        item.title, cell.text, item.unit.text
    );
    let key = format!("outlier:{}:{row}", item.id);
    if test.flagged() {
        let fragile = near.then(|| format!("{measured}: within a tenth of its limit"));
        found.push(Finding {
            says,
            tells,
            criterion,
            cost,
            hangs: cost,
            fragile,
            ..Findings::blank("outlier-kept", key, Severity::Decide, Some(spec.item), cell.row)
        });
    } else {
        let fragile = (cost > Decimal::ZERO).then(|| format!("{measured}: just short of its limit"));
        found.push(Finding {
            says,
            criterion,
            hangs: cost,
            fragile,
            ..Findings::blank("outlier-near", key, Severity::Note, Some(spec.item), cell.row)
        });
    }
}

/// Missing and unreadable cells, digits short of the instrument, values off its graduation or outside the plausible.
pub(super) fn cells(protocol: &Protocol, readings: &[JudgedReading], found: &mut Findings<'_>) {
    let complete = protocol.criteria.iter().find_map(|c| match c.rule {
        Rule::Completeness { each } => Some((c.id.clone(), each)),
        _ => None,
    });
    let digits = protocol.criteria.iter().find_map(|c| match c.rule {
        Rule::Digits { each } => Some((c.id.clone(), each)),
        _ => None,
    });
    let charged =
        |to: &Option<(String, Decimal)>| to.clone().map_or((None, Decimal::ZERO), |(id, each)| (Some(id), each));
    for (spec, reading) in protocol.readings.iter().zip(readings) {
        let item = &protocol.items[spec.item];
        let unit = &item.unit.text;
        let place = |row: Option<u32>| {
            row.map_or_else(|| format!("the {}", item.title), |r| format!("reading {r} of the {}", item.title))
        };
        for cell in &reading.cells {
            let key = |code: &str| format!("{code}:{}:{}", item.id, cell.row.unwrap_or(0));
            let (criterion, cost) = charged(&complete);
            let at = place(cell.row);
            match &cell.state {
                CellState::Missing => found.push(Finding {
                    says: format!("There is no value for {at}."),
                    tells: format!(
                        "The value of {at} is not there; what needs it could not be checked and costs nothing more."
                    ),
                    criterion,
                    cost,
                    ..Findings::blank("missing-reading", key("missing"), Severity::Charge, Some(spec.item), cell.row)
                }),
                CellState::Bound => found.push(Finding {
                    says: format!("The value of {at} reads “{}”: beyond the range, a bound and no value.", cell.text),
                    tells: format!(
                        "“{}” for {at} says only that the range was left; choose another range and read a value.",
                        cell.text
                    ),
                    criterion,
                    cost,
                    ..Findings::blank("bound", key("bound"), Severity::Decide, Some(spec.item), cell.row)
                }),
                CellState::Unreadable(why) => found.push(Finding {
                    says: format!("The value of {at} reads “{}”: {why}.", cell.text),
                    tells: format!(
                        "We could not read “{}” for {at}; what needs it could not be checked and costs nothing more.",
                        cell.text
                    ),
                    criterion,
                    cost,
                    hangs: cost,
                    ..Findings::blank("unreadable", key("unreadable"), Severity::Decide, Some(spec.item), cell.row)
                }),
                CellState::Read => {
                    let outside = spec.plausible.zip(cell.value).is_some_and(|((low, high), v)| v < low || v > high);
                    if outside {
                        let (low, high) = spec.plausible.unwrap_or_default();
                        found.push(Finding {
                            says: format!("The value of {at}, {} {unit}, is outside the plausible range {low} to {high} {unit}.", cell.text),
                            tells: format!("Please look at {at}, {} {unit}, once more: it is far from what this apparatus can give.", cell.text),
                            ..Findings::blank("implausible", key("implausible"), Severity::Decide, Some(spec.item), cell.row)
                        });
                    }
                }
            }
            for remark in &cell.remarks {
                found.push(Finding {
                    says: format!("{}: {remark}.", capital(&at)),
                    ..Findings::blank(
                        "read-as",
                        format!("{}:{remark}", key("read")),
                        Severity::Note,
                        Some(spec.item),
                        cell.row,
                    )
                });
            }
        }
        let step = step_in_unit(protocol, spec);
        let short: Vec<&str> = reading
            .cells
            .iter()
            .filter(|c| c.state == CellState::Read && c.resolution > step * 1.000_001)
            .map(|c| c.text.as_str())
            .collect();
        if !short.is_empty() {
            let (criterion, cost) = charged(&digits);
            found.push(Finding {
                says: format!(
                    "{} of the {} written as {}: the {} shows steps of {step} {unit}.",
                    notation::counted(short.len(), "reading"),
                    item.title,
                    short.join(", "),
                    protocol.instruments[spec.instrument].title
                ),
                tells: format!(
                    "Write every digit the {} shows: your {} ({}) is a digit short.",
                    protocol.instruments[spec.instrument].title,
                    item.title,
                    short.join(", ")
                ),
                criterion,
                cost,
                ..Findings::blank(
                    "reading-digits",
                    format!("reading-digits:{}", item.id),
                    Severity::Charge,
                    Some(spec.item),
                    None,
                )
            });
        }
        let off: Vec<&str> = reading
            .cells
            .iter()
            .filter(|c| c.state == CellState::Read && c.resolution <= step)
            .filter(|c| c.value.is_some_and(|v| (v / step - (v / step).round()).abs() > 1e-6))
            .map(|c| c.text.as_str())
            .collect();
        if !off.is_empty() {
            found.push(Finding {
                says: format!("{}: {} cannot be read on steps of {step} {unit}.", capital(&item.title), off.join(", ")),
                ..Findings::blank(
                    "off-graduation",
                    format!("off-graduation:{}", item.id),
                    Severity::Note,
                    Some(spec.item),
                    None,
                )
            });
        }
        let values: Vec<f64> = counted_values(reading).collect();
        if spec.replicates >= 3 && values.len() >= 3 && values.iter().all(|v| *v == values[0]) {
            found.push(Finding {
                says: format!(
                    "All {} readings of the {} are {} {unit}: worth a look.",
                    values.len(),
                    item.title,
                    reading.cells[0].text
                ),
                ..Findings::blank("no-spread", format!("no-spread:{}", item.id), Severity::Note, Some(spec.item), None)
            });
        }
    }
}
