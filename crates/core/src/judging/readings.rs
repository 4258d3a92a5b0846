//! What is judged about single cells: missing, forbidden and unreadable ones, digits, graduation, plausibility, the end
//! of a range, amounts that had to be met, values that were issued.

use rust_decimal::Decimal;

use super::findings::Findings;
use super::table::Table;
use super::values::{Env, counted_values, sliced};
use crate::formula::{Context, Node, Value, evaluate_any};
use crate::notation::{self, capital};
use crate::protocol::{Protocol, ReadingKind, ReadingSpec, Role, Rule};
use crate::section::{Section, Source};
use crate::verdict::{CellState, Finding, JudgedCell, JudgedReading, Severity};

/// The instrument's step in the unit of the reading; of an instrument whose resolution follows a setting, at the
/// setting of that row. Nought where there is no instrument or the setting is not known.
pub(super) fn step_in_unit(protocol: &Protocol, spec: &ReadingSpec, env: &Env, row: Option<u32>) -> f64 {
    if let Some(step) = protocol.step(spec) {
        return step;
    }
    let Some(instrument) = spec.instrument.map(|i| &protocol.instruments[i]) else { return 0.0 };
    let factor = protocol.items[spec.item].unit.factor;
    match instrument.step_of {
        None => 0.0,
        Some(setting) => {
            let at = row.map(|r| r as usize - 1);
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

pub(super) fn completeness(protocol: &Protocol) -> (Option<String>, Decimal) {
    charge(protocol, |r| match r {
        Rule::Completeness { each } => Some(*each),
        _ => None,
    })
}

/// A condition for one row, or for the table; `None` where it cannot be told.
pub(super) fn holds(node: &Node, env: &Env, row: Option<u32>) -> Option<bool> {
    let slice;
    let env = match row {
        Some(r) => {
            slice = sliced(env, r as usize - 1);
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
}

struct Judge<'a> {
    protocol: &'a Protocol,
    section: &'a Section,
    spec: &'a ReadingSpec,
    env: &'a Env,
}

impl Judge<'_> {
    fn place(&self, row: Option<u32>) -> String {
        let title = &self.protocol.items[self.spec.item].title;
        row.map_or_else(|| format!("the {title}"), |r| format!("reading {r} of the {title}"))
    }

    fn blank(&self, code: &'static str, word: &str, severity: Severity, row: Option<u32>) -> Finding {
        let key = format!("{word}:{}:{}", self.protocol.items[self.spec.item].id, row.unwrap_or(0));
        Findings::blank(code, key, severity, Some(self.spec.item), row)
    }

    fn cell(&self, cell: &JudgedCell, found: &mut Findings<'_>) {
        let row = cell.row;
        let need = &self.spec.need;
        if cell.state != CellState::Missing
            && need.forbidden_if.as_ref().and_then(|n| holds(n, self.env, row)) == Some(true)
        {
            found.push(Finding {
                says: format!("{} reads “{}” where there is nothing to read.", capital(&self.place(row)), cell.text),
                tells: format!("There is nothing to read for {} here; leave it empty.", self.place(row)),
                ..self.blank("forbidden-reading", "forbidden", Severity::Charge, row)
            });
        }
        match &cell.state {
            CellState::Missing => self.missing(cell, found),
            CellState::Bound => {
                let (criterion, cost) = completeness(self.protocol);
                let at = self.place(row);
                found.push(Finding {
                    says: format!("The value of {at} reads “{}”: beyond the range, a bound and no value.", cell.text),
                    tells: format!(
                        "“{}” for {at} says only that the range was left; choose another range and read a value.",
                        cell.text
                    ),
                    criterion,
                    cost,
                    ..self.blank("bound", "bound", Severity::Decide, row)
                });
            }
            CellState::Unreadable(why) => {
                let (criterion, cost) = completeness(self.protocol);
                let at = self.place(row);
                found.push(Finding {
                    says: format!("The value of {at} reads “{}”: {why}.", cell.text),
                    tells: format!(
                        "We could not read “{}” for {at}; what needs it could not be checked and costs nothing more.",
                        cell.text
                    ),
                    criterion,
                    cost,
                    hangs: cost,
                    ..self.blank("unreadable", "unreadable", Severity::Decide, row)
                });
            }
            CellState::Read => self.read(cell, found),
        }
        for remark in &cell.remarks {
            let key = format!("read:{}:{}:{remark}", self.protocol.items[self.spec.item].id, row.unwrap_or(0));
            found.push(Finding {
                says: format!("{}: {remark}.", capital(&self.place(row))),
                ..Findings::blank("read-as", key, Severity::Note, Some(self.spec.item), row)
            });
        }
    }

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
        let (criterion, cost) = completeness(self.protocol);
        let at = self.place(cell.row);
        found.push(Finding {
            says: format!("There is no value for {at}."),
            tells: super::sentences::missing_reading(&at),
            criterion,
            cost,
            ..self.blank("missing-reading", "missing", Severity::Charge, cell.row)
        });
    }

    fn read(&self, cell: &JudgedCell, found: &mut Findings<'_>) {
        let Some(value) = cell.value else { return };
        let item = &self.protocol.items[self.spec.item];
        let (unit, row) = (item.unit_after(), cell.row);
        if let Some((low, high)) = self.spec.plausible.filter(|(low, high)| value < *low || value > *high) {
            let at = self.place(row);
            found.push(Finding {
                says: format!(
                    "The value of {at}, {}{unit}, is outside the plausible range {low} to {high}{unit}.",
                    cell.text
                ),
                tells: format!(
                    "Please look at {at}, {}{unit}, once more: it is far from what this apparatus can give.",
                    cell.text
                ),
                ..self.blank("implausible", "implausible", Severity::Decide, row)
            });
        }
        if let Some(range) = self.spec.instrument.and_then(|i| self.protocol.instruments[i].range) {
            let tool = &self.protocol.instruments[self.spec.instrument.unwrap_or(0)];
            let shown = item.to_si(value) / tool.unit.factor;
            let step = tool.step;
            if shown < range.0 - 0.5 * step || shown > range.1 + 0.5 * step {
                let at = self.place(row);
                found.push(Finding {
                    says: format!(
                        "The value of {at}, {}{unit}, lies beyond the scale of the {}, {} to {}.",
                        cell.text, tool.title, range.0, range.1
                    ),
                    tells: format!(
                        "Please look at {at} once more: the {} cannot show {}{unit}.",
                        tool.title, cell.text
                    ),
                    ..self.blank("beyond-scale", "beyond-scale", Severity::Decide, row)
                });
            } else if range.1 - shown <= 0.5 * step && value != 0.0 {
                found.push(Finding {
                    says: format!(
                        "The value of {} stands at the end of the scale of the {}: it may be a bound.",
                        self.place(row),
                        tool.title
                    ),
                    ..self.blank("end-of-scale", "end-of-scale", Severity::Note, row)
                });
            }
        }
        let met = match self.spec.role {
            // Typed numbers against typed numbers are compared as exact decimals.
            Role::Exact(target) => same_decimal(value, target),
            Role::Window(low, high) => {
                (value >= low || same_decimal(value, low)) && (value <= high || same_decimal(value, high))
            }
            _ => true,
        };
        if !met {
            let wanted = match self.spec.role {
                Role::Exact(target) => format!("exactly {target}{unit}"),
                Role::Window(low, high) => format!("{low} to {high}{unit}"),
                _ => String::new(),
            };
            let at = self.place(row);
            found.push(Finding {
                says: format!(
                    "The value of {at} is {}{unit}; the protocol asks for {wanted}. What follows is judged from it.",
                    cell.text
                ),
                tells: format!("The sheet asks for {wanted} for {at}; you used {}{unit}.", cell.text),
                ..self.blank("amount-not-met", "amount", Severity::Decide, row)
            });
        }
        if let ReadingKind::Setting(list) = &self.spec.kind
            && !list.is_empty()
            && !list.iter().any(|v| same_decimal(*v, value))
        {
            let at = self.place(row);
            let known: Vec<String> = list.iter().map(f64::to_string).collect();
            found.push(Finding {
                says: format!("{} is {}{unit}, which is no setting: {}.", capital(&at), cell.text, known.join(", ")),
                ..self.blank("no-such-setting", "setting", Severity::Decide, row)
            });
        }
        if self.section.readings != Source::Own
            && let Some(issued) = self.section.issued(&item.id, row)
        {
            let step = step_in_unit(self.protocol, self.spec, self.env, row).max(cell.resolution);
            if (value - issued).abs() > 0.5 * step * (1.0 + 1e-9) {
                let at = self.place(row);
                let (criterion, cost) = completeness(self.protocol);
                found.push(Finding {
                    says: format!("The value of {at} reads {}{unit}; {issued}{unit} was issued.", cell.text),
                    tells: format!(
                        "You worked with {}{unit} for {at}; {issued}{unit} was issued to everybody.",
                        cell.text
                    ),
                    criterion,
                    cost,
                    ..self.blank("misread", "misread", Severity::Decide, row)
                });
            }
        }
        if let Some(number) = &cell.number
            && number.unsettled
        {
            found.push(Finding {
                says: format!("The value of {} was still moving when it was written.", self.place(row)),
                ..self.blank("unsettled", "unsettled", Severity::Note, row)
            });
        }
    }

    /// Digits fewer or more than the instrument shows, and values off its graduation: one finding each a reading.
    fn digits(&self, reading: &JudgedReading, found: &mut Findings<'_>) {
        let Some(instrument) = self.spec.instrument.map(|i| &self.protocol.instruments[i]) else { return };
        let item = &self.protocol.items[self.spec.item];
        let unit = item.unit_after();
        let step_of = |c: &JudgedCell| step_in_unit(self.protocol, self.spec, self.env, c.row);
        let read = || {
            reading
                .cells
                .iter()
                .filter(|c| c.state == CellState::Read && c.number.as_ref().is_some_and(|n| n.plus_minus.is_none()))
        };
        let texts =
            |cells: Vec<&JudgedCell>| cells.into_iter().map(|c| c.text.as_str()).collect::<Vec<&str>>().join(", ");
        let key = |code: &str| format!("{code}:{}", item.id);
        let short: Vec<&JudgedCell> =
            read().filter(|c| step_of(c) > 0.0 && c.resolution > step_of(c) * 1.000_001).collect();
        if !short.is_empty() {
            let (criterion, cost) = charge(self.protocol, |r| match r {
                Rule::Digits { each } => Some(*each),
                _ => None,
            });
            let step = step_of(short[0]);
            let count = notation::counted(short.len(), "reading");
            let told = texts(short);
            found.push(Finding {
                says: format!(
                    "{count} of the {} written as {told}: the {} shows steps of {step}{unit}.",
                    item.title, instrument.title
                ),
                tells: format!(
                    "Write every digit the {} shows: your {} ({told}) is a digit short.",
                    instrument.title, item.title
                ),
                criterion,
                cost,
                ..Findings::blank("reading-digits", key("reading-digits"), Severity::Charge, Some(self.spec.item), None)
            });
        }
        let estimated = if instrument.estimated { 10.0 } else { 1.0 };
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
            let step = step_of(off[0]) / estimated;
            found.push(Finding {
                says: format!("{}: {} cannot be read on steps of {step}{unit}.", capital(&item.title), texts(off)),
                ..Findings::blank("off-graduation", key("off-graduation"), Severity::Note, Some(self.spec.item), None)
            });
        }
        if let Some(heap) = self.spec.heaping {
            let values: Vec<f64> = read().filter_map(|c| c.value).collect();
            let round = values.iter().filter(|v| (**v / heap - (**v / heap).round()).abs() < 1e-9).count();
            // Of readings that fall anywhere, step/heap would be round: three quarters of six or more are worth a look.
            if values.len() >= 6 && 4 * round >= 3 * values.len() {
                found.push(Finding {
                    says: format!(
                        "{round} of {} values of the {} are multiples of {heap}{unit}: worth a look.",
                        values.len(),
                        item.title
                    ),
                    ..Findings::blank("heaping", key("heaping"), Severity::Note, Some(self.spec.item), None)
                });
            }
        }
    }

    fn spread(&self, reading: &JudgedReading, found: &mut Findings<'_>) {
        if self.spec.table.is_some() || self.section.readings != Source::Own || reading.cells.len() < 3 {
            return;
        }
        let item = &self.protocol.items[self.spec.item];
        let values: Vec<f64> = counted_values(reading).collect();
        if values.len() >= 4 && values.iter().all(|v| *v == values[0]) {
            found.push(Finding {
                says: format!(
                    "All {} readings of the {} are {}{}: worth a look.",
                    values.len(),
                    item.title,
                    reading.cells[0].text,
                    item.unit_after()
                ),
                ..Findings::blank(
                    "no-spread",
                    format!("no-spread:{}", item.id),
                    Severity::Note,
                    Some(self.spec.item),
                    None,
                )
            });
        }
    }
}

/// Whether two typed numbers are the same as decimals: equal to the digits that binary numbers keep.
pub(super) fn same_decimal(a: f64, b: f64) -> bool {
    (a - b).abs() <= 1e-12 * a.abs().max(b.abs())
}

/// Values of a column by row, in the item's unit.
pub(super) fn column(protocol: &Protocol, env: &Env, item: usize) -> Vec<Option<f64>> {
    match &env[item] {
        Some(Value::Column(xs)) => xs.iter().map(|x| x.map(|v| protocol.items[item].from_si(v))).collect(),
        _ => Vec::new(),
    }
}
