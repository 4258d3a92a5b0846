//! What is judged about single cells: missing, forbidden and unreadable ones, digits, graduation,
//! plausibility, the end of a range, amounts that had to be met, values that were issued.
//!
//! # What is asked of a cell
//!
//! 1. Is it filled where it may be, and empty where it has to be? A reason that the lab lists
//!    excuses it.
//! 2. Can it be read? A bound is no value, unless the lab allows one.
//! 3. Is the value possible: plausible, on the scale, an amount that was asked for, a setting that
//!    there is?
//! 4. Has it the digits that its instrument shows, and does it stand on a graduation?
//! 5. Do replicates scatter at all, and do they fall anywhere?
//!
//! Most of it costs nothing: it is told so that it can be read again while there is time.

use rust_decimal::Decimal;

use super::table::Table;
use super::values::{Env, counted_values, sliced};
use crate::finding::{Finding, Findings, Key, Kind, Place, Severity};
use crate::formula::{Context, ItemId, Node, Value, evaluate_any};
use crate::protocol::{Protocol, ReadingKind, ReadingSpec, Role, Rule, TableId};
use crate::row::Row;
use crate::section::{Section, Source};
use crate::verdict::{CellState, JudgedCell, JudgedReading};

/// The instrument's step in the unit of the reading; of an instrument whose resolution follows a
/// setting, at the setting of that row. Nought where there is no instrument or the setting is not
/// known.
pub(super) fn step_in_unit(protocol: &Protocol, spec: &ReadingSpec, env: &Env, row: Option<Row>) -> f64 {
    if let Some(step) = protocol.step(spec) {
        return step;
    }
    let Some(instrument) = spec.instrument.map(|i| &protocol.instruments[i]) else { return 0.0 };
    let factor = protocol.items[spec.item].unit.factor;
    match instrument.step_of {
        None => 0.0,
        Some(setting) => {
            let at = row.map(Row::index);
            let value = env[setting].as_ref().and_then(|v| v.at(at).or_else(|| v.at(Some(0)))).copied();
            value.map_or(0.0, |v| instrument.step * v.abs() / factor)
        }
    }
}

/// Criterion and points of a rule that charges so much each.
pub(super) fn charge(protocol: &Protocol, pick: impl Fn(&Rule) -> Option<Decimal>) -> (Option<String>, Decimal) {
    protocol
        .criteria
        .iter()
        .find_map(|c| pick(&c.rule).map(|each| (Some(c.id.clone()), each)))
        .unwrap_or((None, Decimal::ZERO))
}

/// The criterion that charges for what is not filled, with its points a piece.
pub(super) fn completeness(protocol: &Protocol) -> (Option<String>, Decimal) {
    charge(protocol, |r| match r {
        Rule::Completeness { each } => Some(*each),
        _ => None,
    })
}

/// A condition for one row, or for the table; `None` where it cannot be told.
pub(super) fn holds(node: &Node, env: &Env, row: Option<Row>) -> Option<bool> {
    let slice;
    let env = match row {
        Some(r) => {
            slice = sliced(env, r.index());
            &slice
        }
        None => env,
    };
    evaluate_any(node, &Context::exact(env)).ok()?.scalar().map(|v| *v != 0.0)
}

/// Judges every cell.
pub(super) fn cells(protocol: &Protocol, section: &Section, table: &Table, env: &Env, found: &mut Findings<'_>) {
    for (spec, reading) in protocol.readings.iter().zip(&table.readings) {
        let judge = Judge { protocol, section, spec, env };
        for cell in &reading.cells {
            judge.cell(cell, found);
        }
        if spec.kind == ReadingKind::Number {
            judge.digits(reading, found);
            judge.spread(reading, found);
        }
    }
    join_rows(protocol, table, found);
}

/// The rows of a table in which nothing stands though something has to: (row, why, if the team says
/// so).
///
/// Rows are in order. A table of one column has none: its cells are told one by one.
pub(super) fn lost_rows(protocol: &Protocol, table: &Table, t: TableId) -> Vec<(Row, Option<String>)> {
    let columns: Vec<&JudgedReading> =
        protocol.readings.iter().zip(&table.readings).filter(|(s, _)| s.table == Some(t)).map(|(_, r)| r).collect();
    let rows = columns.iter().map(|r| r.cells.len()).max().unwrap_or(0);
    let of_row = |row| columns.iter().flat_map(move |r| r.cells.iter().filter(move |c| c.row == Some(row)));
    // One column alone is told cell by cell.
    let lost = |row: &Row| columns.len() > 1 && of_row(*row).all(|c| c.state == CellState::Missing);
    let lost: Vec<Row> = (0..rows).map(Row::at).filter(lost).collect();
    lost.into_iter().map(|row| (row, of_row(row).find_map(|c| c.absent.clone()))).collect()
}

/// Whether a reason is one of those that the protocol lists: it holds one of their phrases.
///
/// A reason that is listed costs nothing; any other is put to a person.
///
/// Case does not matter; the phrase may stand anywhere in the reason.
pub(super) fn is_listed(reason: &str, listed: &[String]) -> bool {
    let said = reason.to_lowercase();
    listed.iter().any(|phrase| said.contains(&phrase.to_lowercase()))
}

/// The reasons that the protocol lists for an empty cell of a reading: its own and its table's.
pub(super) fn listed_for(protocol: &Protocol, spec: &ReadingSpec) -> Vec<String> {
    let of_table = spec.table.map(|t| protocol.tables[t].absence.clone()).unwrap_or_default();
    spec.absence.iter().cloned().chain(of_table).collect()
}

/// A lost row is one thing that is missing, however many cells it has.
///
/// Findings of the single cells are taken back for it, so that a row that was never taken costs
/// once.
fn join_rows(protocol: &Protocol, table: &Table, found: &mut Findings<'_>) {
    for t in TableId::each(&protocol.tables) {
        for (row, reason) in lost_rows(protocol, table, t) {
            let of_row = |f: &Finding| {
                let column = f.place.item.and_then(|i| protocol.reading_of(i)).is_some_and(|r| r.table == Some(t));
                let gone = matches!(f.kind, Kind::MissingReading | Kind::Absent { .. });
                gone && column && f.place.row == Some(row)
            };
            if found.list.iter().filter(|f| of_row(f)).count() < 2 {
                continue;
            }
            found.list.retain(|f| !of_row(f));
            let kind = Kind::MissingRow { table: t, reason: reason.clone() };
            let key = Key::about(&kind, &protocol.tables[t].id, Some(row));
            let (criterion, each) = completeness(protocol);
            found.push(match reason {
                Some(reason) if is_listed(&reason, &protocol.tables[t].absence) => {
                    Finding::new(kind, key, Severity::Note, Place::row(row))
                }
                Some(_) => {
                    Finding::new(kind, key, Severity::Decide, Place::row(row)).hanging((criterion, Decimal::ZERO))
                }
                None => Finding::new(kind, key, Severity::Charge, Place::row(row)).charged((criterion, each)),
            });
        }
    }
}

/// One reading with what it is judged by.
struct Judge<'a> {
    /// Gives plausible ranges, instruments and what each reading needs.
    protocol: &'a Protocol,
    /// The section's settings.
    section: &'a Section,
    /// The reading as the lab has it.
    spec: &'a ReadingSpec,
    /// Clean values, SI.
    env: &'a Env,
}

impl Judge<'_> {
    /// A finding about a cell.
    ///
    /// `row` counts from 1.
    fn of_cell(&self, kind: Kind, severity: Severity, row: Option<Row>) -> Finding {
        let key = Key::of_cell(&kind, &self.protocol.items[self.spec.item].id, row);
        Finding::new(kind, key, severity, Place::of(self.spec.item, row))
    }

    /// A finding about all cells of the reading.
    fn of_all(&self, kind: Kind, severity: Severity) -> Finding {
        Finding::about(kind, severity, (self.spec.item, &self.protocol.items[self.spec.item].id), None)
    }

    /// All that one cell shows by itself: that it is filled where it may not be, empty, a bound,
    /// unreadable, or a value to be looked at.
    ///
    /// Remarks on how a text was read – a comma taken for a decimal mark, a corrected value – are
    /// notes beside whatever else is found.
    fn cell(&self, cell: &JudgedCell, found: &mut Findings<'_>) {
        let row = cell.row;
        let forbidden = self.spec.need.forbidden_if.as_ref().and_then(|n| holds(n, self.env, row)) == Some(true);
        if forbidden && cell.state != CellState::Missing {
            let kind = Kind::ForbiddenReading { text: cell.text.clone() };
            found.push(self.of_cell(kind, Severity::Charge, row));
        }
        let bound = || Kind::Bound { text: cell.text.clone() };
        match &cell.state {
            CellState::Missing => self.missing(cell, found),
            CellState::Bound if self.spec.bound => found.push(self.of_cell(bound(), Severity::Note, row)),
            CellState::Bound => {
                found.push(self.of_cell(bound(), Severity::Decide, row).charged(completeness(self.protocol)));
            }
            CellState::Unreadable(why) => {
                let kind = Kind::UnreadableReading { text: cell.text.clone(), why: why.clone() };
                let finding = self.of_cell(kind, Severity::Decide, row);
                found.push(finding.hanging(completeness(self.protocol)));
            }
            CellState::Read => self.read(cell, found),
        }
        for remark in &cell.remarks {
            let kind = Kind::ReadAs { remark: remark.clone() };
            found.push(self.of_cell(kind, Severity::Note, row));
        }
    }

    /// Tells an empty cell that has to be filled, unless its section waives it or the team says why
    /// there is nothing.
    ///
    /// A cell may be asked for only if a condition holds (a second run where the first was rough).
    /// A condition that cannot be worked out asks for nothing.
    fn missing(&self, cell: &JudgedCell, found: &mut Findings<'_>) {
        let need = &self.spec.need;
        let item = &self.protocol.items[self.spec.item];
        if self.section.waived(&item.id).is_some() {
            return;
        }
        let required = match &need.required_if {
            Some(node) => holds(node, self.env, cell.row) == Some(true),
            None => !need.optional,
        };
        let forbidden = need.forbidden_if.as_ref().is_some_and(|n| holds(n, self.env, cell.row) != Some(false));
        if !required || forbidden {
            return;
        }
        // A reason is put to a person, unless the protocol lists it; until then it costs nothing.
        if let Some(reason) = &cell.absent {
            let kind = Kind::Absent { reason: reason.clone() };
            if is_listed(reason, &listed_for(self.protocol, self.spec)) {
                found.push(self.of_cell(kind, Severity::Note, cell.row));
                return;
            }
            let finding = self.of_cell(kind, Severity::Decide, cell.row);
            found.push(finding.hanging((completeness(self.protocol).0, Decimal::ZERO)));
            return;
        }
        let finding = self.of_cell(Kind::MissingReading, Severity::Charge, cell.row);
        found.push(finding.charged(completeness(self.protocol)));
    }

    /// Tells what is odd about a value that was read: outside its plausible range, beyond its
    /// scale, not the amount asked for, not a setting of its instrument, not settled.
    ///
    /// A value is told for each thing that is odd about it; the words join what one cause explains.
    fn read(&self, cell: &JudgedCell, found: &mut Findings<'_>) {
        let Some(value) = cell.value else { return };
        let (text, row) = (|| cell.text.clone(), cell.row);
        if let Some((low, high)) = self.spec.plausible.filter(|(low, high)| value < *low || value > *high) {
            let kind = Kind::Implausible { text: text(), low, high };
            found.push(self.of_cell(kind, Severity::Decide, row));
        }
        self.scale(cell, value, found);
        self.amount(cell, value, found);
        self.issued(cell, value, found);
        if cell.number.as_ref().is_some_and(|n| n.unsettled) {
            found.push(self.of_cell(Kind::Unsettled, Severity::Note, row));
        }
    }

    /// Whether the value lies on the scale of its instrument.
    ///
    /// Within half a step of the upper end a display may simply have stopped there.
    fn scale(&self, cell: &JudgedCell, value: f64, found: &mut Findings<'_>) {
        let Some(instrument) = self.spec.instrument else { return };
        let tool = &self.protocol.instruments[instrument];
        let Some(range) = tool.range else { return };
        let shown = self.protocol.items[self.spec.item].to_si(value) / tool.unit.factor;
        if shown < range.0 - 0.5 * tool.step || shown > range.1 + 0.5 * tool.step {
            let kind = Kind::BeyondScale { text: cell.text.clone(), instrument };
            found.push(self.of_cell(kind, Severity::Decide, cell.row));
        } else if range.1 - shown <= 0.5 * tool.step && value != 0.0 {
            found.push(self.of_cell(Kind::EndOfScale { instrument }, Severity::Note, cell.row));
        }
    }

    /// Whether an amount is what the protocol asks for, and a setting one that there is.
    ///
    /// 0.1 + 0.2 and 0.3 are one typed number, so that numbers are compared as decimals and not as
    /// bits.
    fn amount(&self, cell: &JudgedCell, value: f64, found: &mut Findings<'_>) {
        let met = match self.spec.role {
            // Typed numbers against typed numbers are compared as exact decimals.
            Role::Exact(target) => same_decimal(value, target),
            Role::Window(low, high) => {
                (value >= low || same_decimal(value, low)) && (value <= high || same_decimal(value, high))
            }
            _ => true,
        };
        if !met {
            let kind = Kind::AmountNotMet { text: cell.text.clone(), asked: self.spec.role };
            found.push(self.of_cell(kind, Severity::Decide, cell.row));
        }
        if let ReadingKind::Setting(list) = &self.spec.kind
            && !list.is_empty()
            && !list.iter().any(|v| same_decimal(*v, value))
        {
            let kind = Kind::NoSuchSetting { text: cell.text.clone() };
            found.push(self.of_cell(kind, Severity::Decide, cell.row));
        }
    }

    /// Whether the value is the one that was issued to everybody.
    ///
    /// Within half a step of the scale, or of what was written, a reading is the one that was
    /// issued.
    fn issued(&self, cell: &JudgedCell, value: f64, found: &mut Findings<'_>) {
        let id = &self.protocol.items[self.spec.item].id;
        let Some(issued) =
            self.section.issued(id, cell.row.map(Row::number)).filter(|_| self.section.readings != Source::Own)
        else {
            return;
        };
        let step = step_in_unit(self.protocol, self.spec, self.env, cell.row).max(cell.resolution);
        if (value - issued).abs() > 0.5 * step * (1.0 + 1e-9) {
            let kind = Kind::Misread { text: cell.text.clone(), issued };
            let finding = self.of_cell(kind, Severity::Decide, cell.row);
            found.push(finding.charged(completeness(self.protocol)));
        }
    }

    /// Digits fewer or more than the instrument shows, and values off its graduation: one finding
    /// each a reading.
    ///
    /// Cells with a stated half-width show what they are known to by that, and are left out. A
    /// scale on which a tenth is estimated has ten times as many places to stand at.
    fn digits(&self, reading: &JudgedReading, found: &mut Findings<'_>) {
        let Some(instrument) = self.spec.instrument else { return };
        let step_of = |c: &JudgedCell| step_in_unit(self.protocol, self.spec, self.env, c.row);
        let read = || {
            reading
                .cells
                .iter()
                .filter(|c| c.state == CellState::Read && c.number.as_ref().is_some_and(|n| n.plus_minus.is_none()))
        };
        let texts = |cells: &[&JudgedCell]| cells.iter().map(|c| c.text.clone()).collect::<Vec<String>>();
        let short: Vec<&JudgedCell> =
            read().filter(|c| step_of(c) > 0.0 && c.resolution > step_of(c) * 1.000_001).collect();
        if !short.is_empty() {
            let each = charge(self.protocol, |r| match r {
                Rule::Digits { each } => Some(*each),
                _ => None,
            });
            let kind = Kind::ReadingDigits { instrument, step: step_of(short[0]), texts: texts(&short) };
            found.push(self.of_all(kind, Severity::Charge).charged(each));
        }
        let estimated = if self.protocol.instruments[instrument].estimated { 10.0 } else { 1.0 };
        let off: Vec<&JudgedCell> = read()
            .filter(|c| {
                let step = step_of(c) / estimated;
                // What was converted from another unit has that unit's graduation, not this one's.
                let own_unit =
                    c.number.as_ref().is_some_and(|n| (n.resolution - c.resolution).abs() <= 1e-9 * c.resolution);
                let fraction = c.number.as_ref().is_some_and(|n| n.fraction);
                step > 0.0
                    && own_unit
                    && (c.resolution <= step_of(c) || fraction)
                    && c.value.is_some_and(|v| (v / step - (v / step).round()).abs() > 1e-6)
            })
            .collect();
        if !off.is_empty() {
            let kind = Kind::OffGraduation { step: step_of(off[0]) / estimated, texts: texts(&off) };
            found.push(self.of_all(kind, Severity::Note));
        }
        if let Some(heap) = self.spec.heaping {
            let values: Vec<f64> = read().filter_map(|c| c.value).collect();
            let round = values.iter().filter(|v| (**v / heap - (**v / heap).round()).abs() < 1e-9).count();
            // Of readings that fall anywhere, step/heap would be round: three quarters of six or more are worth a look.
            if values.len() >= 6 && 4 * round >= 3 * values.len() {
                let kind = Kind::Heaping { round, of: values.len(), step: heap };
                found.push(self.of_all(kind, Severity::Note));
            }
        }
    }

    /// Tells replicates that are all alike, or of which most stand at round numbers: both happen to
    /// who reads an instrument too coarsely or fills in what is expected. Three readings are the
    /// least from which anything is said.
    ///
    /// Readings issued to everybody may well be alike, and columns of tables repeat nothing.
    fn spread(&self, reading: &JudgedReading, found: &mut Findings<'_>) {
        if self.spec.table.is_some() || self.section.readings != Source::Own || reading.cells.len() < 3 {
            return;
        }
        let values: Vec<f64> = counted_values(reading).collect();
        if values.len() >= 4 && values.iter().all(|v| *v == values[0]) {
            let kind = Kind::NoSpread { count: values.len(), text: reading.cells[0].text.clone() };
            found.push(self.of_all(kind, Severity::Note));
        }
    }
}

/// Whether two typed numbers are the same as decimals: equal to the digits that binary numbers
/// keep.
///
/// Twelve digits are what is left of a decimal that went through a binary number and back.
pub(super) fn same_decimal(a: f64, b: f64) -> bool {
    (a - b).abs() <= 1e-12 * a.abs().max(b.abs())
}

/// Values of a column by row, in the item's unit.
///
/// Empty where the item is no column or has no value at all.
pub(super) fn column(protocol: &Protocol, env: &Env, item: ItemId) -> Vec<Option<f64>> {
    match &env[item] {
        Some(Value::Column(xs)) => xs.iter().map(|x| x.map(|v| protocol.items[item].from_si(v))).collect(),
        _ => Vec::new(),
    }
}
