//! A correction as data: how a result follows from the readings, in three stages, with its budget
//! of uncertainty and what differed, one plain sentence each. Text, HTML and JSON are made from it
//! by the outer layers.
//!
//! | stage | example |
//! |---|---|
//! | in symbols | ρ = m / (l · w · t) |
//! | numbers put in | ρ = 130.6 g / (84.30 mm · 31.2 mm · 6.27 mm) |
//! | value | ρ = 7.919 g/cm³ |
//!
//! Numbers are put in as they stand on the sheet, so that a team finds its own readings again; the
//! value is worked out from them at full precision and rounded once, here.

use serde::Serialize;

use crate::formula::{Context, ItemId, Node, Shape, evaluate, mathml, plain};
use crate::judging::shown_clean;
use crate::notation;
use crate::plots::{by_key, row_counts, values};
use crate::protocol::{Item, ItemKind, Protocol, ReadingId, ReadingKind, ReferenceId, UncertaintySchool};
use crate::row::Row;
use crate::verdict::{Judged, JudgedCell, JudgedResult};
use crate::wording;

/// How one result comes about.
#[derive(Clone, Debug, Serialize)]
pub struct Explained {
    /// Id of the result.
    pub id: String,
    /// Title with its bay, or its row.
    pub title: String,
    /// Row, from 1, in a table.
    pub row: Option<Row>,
    /// What the team wrote, as typed.
    pub reported: String,
    /// Code of the verdict, as the JSON has it.
    pub verdict: &'static str,
    /// The stages; `None` where the readings do not give it.
    pub stages: Option<Stages>,
    /// The right value with one digit more than was written, or the right word.
    pub value: String,
    /// Unit in which the result is asked for.
    pub unit: String,
    /// Budget of uncertainty, largest first.
    pub budget: Vec<BudgetLine>,
    /// The uncertainty by every school that gives one; the one marked by comes with `marked`.
    pub uncertainties: Vec<SchoolLine>,
    /// What is to be said, one plain sentence each.
    pub sentences: Vec<String>,
}

/// A formula in symbols, with numbers put in, and its value with unit.
#[derive(Clone, Debug, Serialize)]
pub struct Stages {
    /// As lines of text.
    pub text: [String; 3],
    /// As MathML.
    pub mathml: [String; 3],
}

/// One source's part.
#[derive(Clone, Debug, Serialize)]
pub struct BudgetLine {
    /// What it is.
    pub source: String,
    /// Its contribution in the result's unit.
    pub contribution: f64,
    /// Its share of the variance, 0 to 1.
    pub share: f64,
}

/// The uncertainty by one school.
#[derive(Clone, Debug, Serialize)]
pub struct SchoolLine {
    /// The school's word.
    pub school: &'static str,
    /// The half-width in the result's unit.
    pub value: f64,
    /// Whether the course marks by it.
    pub marked: bool,
}

/// Longest column whose numbers are written out in a stage.
const WRITTEN_OUT: usize = 6;

/// Explains every result of a table, in the order they are derived.
///
/// # Example
/// ```
/// use jurado_core::example::{lab, table};
/// use jurado_core::explain::explain;
/// use jurado_core::judging::judge;
/// let lab = lab();
/// let explained = explain(&lab, &judge(&lab, &table("29.98", "706.1"), &[], &[]));
/// let stages = explained[0].stages.as_ref().map(|s| s.text.clone()).unwrap_or_default();
/// assert_eq!(stages, ["d = mean(g) / π", "= mean(94.2, 94.3, 94.1 cm) / π", "= 29.985 cm"]);
/// assert_eq!(explained[0].sentences, ["Your value agrees with what your readings give."]);
/// ```
pub fn explain(protocol: &Protocol, judged: &Judged) -> Vec<Explained> {
    let protocol = &*protocol.taught(&judged.taught);
    judged.results.iter().map(|r| of_result(protocol, judged, r)).collect()
}

/// Explains one result of a table.
///
/// # Example
/// ```
/// use jurado_core::example::{lab, table};
/// use jurado_core::explain::one;
/// use jurado_core::judging::judge;
/// let lab = lab();
/// let judged = judge(&lab, &table("94.2", "6969"), &[], &[]);
/// let explained = one(&lab, &judged, &judged.results[0]);
/// assert_eq!((explained.id.as_str(), explained.value.as_str()), ("diameter", "29.98"));
/// assert!(explained.stages.is_some());
/// ```
pub fn one(protocol: &Protocol, judged: &Judged, r: &JudgedResult) -> Explained {
    of_result(&protocol.taught(&judged.taught), judged, r)
}

/// As [`one`], by the protocol as it was taught.
fn of_result(protocol: &Protocol, judged: &Judged, r: &JudgedResult) -> Explained {
    let item = &protocol.items[r.item];
    let spec = &protocol.results[r.id];
    let unit = item.unit_after().trim().to_owned();
    let value = match (&item.words, r.right_word) {
        (Some(words), Some(w)) => words.get(w as usize).cloned().unwrap_or_default(),
        (Some(_), None) => String::new(),
        _ => shown_clean(r),
    };
    let title = match r.row {
        Some(row) => format!("{}, row {row}", item.title),
        None => protocol.full_title(r.item),
    };
    let symbol = if item.symbol.is_empty() { item.title.clone() } else { item.symbol.clone() };
    let stages = (item.words.is_none() && r.clean.is_some()).then(|| {
        let row = r.row.filter(|_| spec.row_local);
        let number = |i: ItemId| number(protocol, judged, i, row);
        let with_unit = format!("{value}{}", item.unit_after());
        stages(&symbol, &spec.node, &|i| name_of(protocol, i), &number, &with_unit)
    });
    let mut budget: Vec<BudgetLine> = Vec::new();
    for s in r.budget.iter().flat_map(|b| &b.shares) {
        let source = judged.sources.get(s.source).map_or_else(String::new, |x| wording::source(protocol, x));
        // Sources that a reader cannot tell apart (the limit of one scale, read six times) are one line: independent
        // parts join in quadrature.
        match budget.iter_mut().find(|l| l.source == source) {
            Some(line) => {
                line.contribution = line.contribution.hypot(s.contribution);
                line.share += s.share;
            }
            None => budget.push(BudgetLine { source, contribution: s.contribution.abs(), share: s.share }),
        }
    }
    budget.retain(|l| l.share >= 0.001);
    budget.sort_by(|a, b| b.share.total_cmp(&a.share));
    let uncertainties = UncertaintySchool::ALL
        .iter()
        .filter_map(|(school, word)| {
            let value = r.by_school(*school, protocol.school.coverage_factor)?;
            Some(SchoolLine { school: word, value, marked: *school == protocol.school.uncertainty })
        })
        .collect();
    Explained {
        id: item.id.clone(),
        title,
        row: r.row,
        reported: r.reported.text.clone(),
        verdict: r.verdict.word(),
        stages,
        value,
        unit,
        budget,
        uncertainties,
        sentences: wording::explained(protocol, judged, r),
    }
}

fn stages(
    symbol: &str,
    node: &Node,
    symbols: &dyn Fn(ItemId) -> String,
    numbers: &dyn Fn(ItemId) -> String,
    value: &str,
) -> Stages {
    Stages {
        text: [
            format!("{symbol} = {}", plain::formula(node, symbols)),
            format!("= {}", plain::formula(node, numbers)),
            format!("= {value}"),
        ],
        mathml: mathml::correction(symbol, node, symbols, numbers, value),
    }
}

fn name_of(protocol: &Protocol, i: ItemId) -> String {
    let item = &protocol.items[i];
    if item.symbol.is_empty() { item.title.clone() } else { item.symbol.clone() }
}

/// What is put in for an item: readings as written, earlier results with one digit more than was
/// written, tabulated values; of a column, the row's value, or all of them where they are few.
///
/// A name stands in where there is no number to put in.
fn number(protocol: &Protocol, judged: &Judged, i: ItemId, row: Option<Row>) -> String {
    let item = &protocol.items[i];
    let put_in = match item.kind {
        ItemKind::Reading(r) => of_reading(protocol, judged, r, row),
        ItemKind::Result(_) => Some(earlier(protocol, judged, i, row, &|texts| many(item, texts))),
        ItemKind::Reference(n) if item.rows != Shape::Scalar => keyed(protocol, judged, n, row),
        ItemKind::Reference(n) => tabulated(protocol, judged, n),
        ItemKind::Parameter(p) => Some(written_value(protocol.parameters[p].value)),
        ItemKind::Hidden => None,
    };
    put_in.unwrap_or_else(|| name_of(protocol, i))
}

/// A text with the unit of an item after it.
///
/// Nothing is added for a pure number.
fn with_unit(item: &Item, text: &str) -> String {
    format!("{text}{}", item.unit_after())
}

/// The values of a column one after the other, the middle of a long one left out:
/// `6.31, 6.27, …, 6.29 mm`.
///
/// Two from the beginning and the last are written of a long column.
fn many(item: &Item, texts: Vec<String>) -> String {
    if texts.len() <= WRITTEN_OUT {
        return with_unit(item, &texts.join(", "));
    }
    let (first, last) = (&texts[..2], &texts[texts.len() - 1]);
    format!("{}, …, {}", first.join(", "), with_unit(item, last))
}

/// A cell of a reading as its digits stand on the sheet; one in another unit, or repaired, to the
/// place it is known to.
///
/// A fraction stands as it was typed.
fn written(c: &JudgedCell) -> String {
    let to_its_place = |v: f64| notation::to_place(v, crate::quantity::leading_place(c.resolution.max(1e-300)));
    match (c.repaired, &c.number, c.value) {
        (Some(v), ..) => to_its_place(v),
        // A cell in another unit is shown as it was converted.
        (None, Some(n), Some(v)) if (n.resolution - c.resolution).abs() > 1e-9 * c.resolution => to_its_place(v),
        // The digits as written, without the unit that may stand beside them.
        (None, Some(n), _) if !n.fraction => notation::to_place(n.value, n.last_place),
        _ => c.text.trim().to_owned(),
    }
}

/// A reading as it is put in: its single value, that of a row, or all that count. A word has no
/// unit.
///
/// `None` for a row that is not there.
fn of_reading(protocol: &Protocol, judged: &Judged, r: ReadingId, row: Option<Row>) -> Option<String> {
    let item = &protocol.items[protocol.readings[r].item];
    match (judged.readings[r].cells.as_slice(), row) {
        ([one], _) if protocol.readings[r].kind == ReadingKind::Word => Some(written(one)),
        ([one], _) => Some(with_unit(item, &written(one))),
        (cells, Some(row)) => cells.iter().find(|c| c.row == Some(row)).map(|c| with_unit(item, &written(c))),
        (cells, None) => Some(many(item, cells.iter().filter(|c| c.counts).map(written).collect())),
    }
}

/// A reference that goes by a row's key, as it is put in; `None` where the rows have no key it
/// knows.
fn keyed(protocol: &Protocol, judged: &Judged, n: ReferenceId, row: Option<Row>) -> Option<String> {
    let i = protocol.references[n].item;
    let item = &protocol.items[i];
    let rows = by_key(protocol, judged, n);
    let value = |(_, v, _): &(Row, f64, bool)| written_value(*v);
    match row {
        Some(row) => rows.iter().find(|r| r.0 == row).map(|r| with_unit(item, &value(r))),
        None => {
            let counted = rows.iter().filter(|(row, ..)| row_counts(protocol, judged, i, *row));
            (!rows.is_empty()).then(|| many(item, counted.map(value).collect()))
        }
    }
}

/// A reference with one value for the table: its entry for the table's key, or what follows from
/// the conditions.
fn tabulated(protocol: &Protocol, judged: &Judged, n: ReferenceId) -> Option<String> {
    let reference = &protocol.references[n];
    let item = &protocol.items[reference.item];
    let entry = match reference.key.map(|k| protocol.keys[k].id.as_str()) {
        None => reference.entries.first(),
        Some(key) => {
            let at = judged.keys.get(key);
            reference.entries.iter().find(|e| Some(&e.at) == at)
        }
    };
    let worked_out = || by_condition(protocol, judged, reference.formula.as_ref()?);
    let value = entry.map(|e| e.middle()).or_else(worked_out)?;
    Some(with_unit(item, &written_value(item.from_si(value))))
}

/// A reference that follows from conditions that the team took, such as the speed of sound at the
/// air's temperature, in SI units; `None` where a condition was not taken.
fn by_condition(protocol: &Protocol, judged: &Judged, formula: &Node) -> Option<f64> {
    evaluate(formula, &Context::exact(&values(protocol, judged))).ok()
}

/// What is put in for an earlier result.
fn earlier(
    protocol: &Protocol,
    judged: &Judged,
    i: ItemId,
    row: Option<Row>,
    many: &dyn Fn(Vec<String>) -> String,
) -> String {
    let with_unit = |r: &JudgedResult| shown_clean(r) + &protocol.items[i].unit_after();
    let mine: Vec<&JudgedResult> = judged.results.iter().filter(|r| r.item == i && r.clean.is_some()).collect();
    match (mine.as_slice(), row) {
        ([], _) => name_of(protocol, i),
        ([one], _) => with_unit(one),
        (rows, Some(row)) => {
            rows.iter().find(|r| r.row == Some(row)).map_or_else(|| name_of(protocol, i), |r| with_unit(r))
        }
        // A row that was set aside is in no mean.
        (rows, None) => {
            let counted = rows.iter().filter(|r| r.row.is_none_or(|row| row_counts(protocol, judged, i, row)));
            many(counted.map(|r| shown_clean(r)).collect())
        }
    }
}

/// A tabulated value with the digits it needs and no more.
fn written_value(value: f64) -> String {
    let short = format!("{value}");
    if short.len() <= 8 { short.replace('-', "−") } else { notation::figures(value, 6) }
}

/// The explanation as text, for the command line.
///
/// # Example
/// ```
/// use jurado_core::example::{lab, table};
/// use jurado_core::explain::{explain, to_text};
/// use jurado_core::judging::judge;
/// let lab = lab();
/// let text = to_text(&explain(&lab, &judge(&lab, &table("29.98", "706.1"), &[], &[])));
/// assert!(text.starts_with("Diameter: agrees\n"));
/// ```
pub fn to_text(explained: &[Explained]) -> String {
    let mut out = String::new();
    for e in explained {
        out.push_str(&format!("{}: {}\n", notation::capital(&e.title), e.verdict));
        if let Some(stages) = &e.stages {
            stages.text.iter().for_each(|line| out.push_str(&format!("    {line}\n")));
        }
        if let Some(u) = e.uncertainties.iter().find(|u| u.marked) {
            out.push_str(&format!("    ± {} {} ({})\n", notation::uncertainty(u.value), e.unit, u.school));
        }
        for line in &e.budget {
            out.push_str(&format!("    {:5.1} %  {}\n", 100.0 * line.share, line.source));
        }
        e.sentences.iter().for_each(|s| out.push_str(&format!("    {s}\n")));
    }
    out
}
