//! The formulas under the results of a table that came in a spreadsheet: whether each gives what
//! its cell holds, whether it is the lab's, and if not, what differs. What differs is then no
//! guess: the formula says it.
//!
//! # The questions
//!
//! 1. Can the formula be followed, through helper cells and names, to cells of the sheet? (`cell`)
//! 2. Does it give what its cell holds? Else the cell was typed over, or never worked out again.
//! 3. Does it agree with the lab's formula at tables near this one? ([`points`])
//! 4. If not, is one of the lab's mistaken forms the team's formula? Or does one change of it make
//!    it the lab's? ([`search`], [`changes`]) What that change mends is the mistake, and [`naming`]
//!    says which.
//!
//! Nothing is executed or fetched. The work is bounded for each formula and for the whole table;
//! what is given up says so and is judged as a value without a formula.

mod changes;
mod naming;
mod normal;
mod points;
mod search;

use crate::formula::ItemId;
use crate::row::Row;
use std::borrow::Cow;
use std::collections::HashMap;

use super::sheet::{Sheet, Stage};
use super::table::Table;
use crate::cell::{Below, Formula, Function, Held, MOST_PIECES, Term, TermKind, Under, Unfollowed, Value};
use crate::finding::{Clause, Finding, Findings, Key, Kind, Place as FindingPlace, Severity};
use crate::protocol::{ItemKind, Protocol, ResultId};
use crate::reading::{CellKind, Hints, Number, read};
use crate::submission::Submission;
use crate::underneath::{Gives, Oddity, Underneath};
use crate::verdict::{Face, JudgedResult, Reported, Slip, VerdictKind};
use crate::wording::under as words;

use points::{Place, Points};
use search::{Hint, Story};

/// Most pieces of all formulas of a table that are looked at.
const MOST_FOLLOWED: usize = 400_000;
/// What a formula gives and what its cell holds are one within this share of each other: files keep
/// fifteen figures.
///
/// It is a thousand times the error of fifteen figures, and far below what any instrument shows.
const KEPT: f64 = 1e-9;

/// What the formulas of a table say.
///
/// `odd` is told as notes, each with the address of its cell.
#[derive(Default)]
pub(super) struct Beneath {
    /// By result and row, from 0.
    found: HashMap<(ResultId, Option<usize>), Found>,
    /// By item and row: the address of the cell, and what is odd.
    odd: Vec<(ItemId, Option<Row>, String, Vec<Oddity>)>,
}

/// What the formula under one result says.
///
/// A slip is kept only where the formula gives what its cell holds: else the cell does not hold its
/// mistake.
pub(super) struct Found {
    /// What is kept of it beside the verdict.
    pub(super) under: Underneath,
    /// The mistake that it shows, where it gives what its cell holds and is not the lab's.
    pub(super) slip: Option<Slip>,
}

impl Found {
    /// Whether it gives what its cell holds by another formula than the lab's.
    fn is_wrong(&self) -> bool {
        self.under.gives == Gives::ItsValue && self.under.same == Some(false)
    }

    /// The verdict on a value that it gave and that nothing else explains, where it leaves no room
    /// for a guess: the lab's own formula gave it from what it read, or another one that is no
    /// single mistake away. `clean` is whether the values before it are right, `upstream` whether
    /// there are any.
    ///
    /// `None` where the usual search for a mistake goes on.
    pub(super) fn settles(&self, clean: bool, upstream: bool) -> Option<(VerdictKind, Option<Face>)> {
        if self.is_wrong() {
            return Some((VerdictKind::Unexplained, None));
        }
        let right = self.under.gives == Gives::ItsValue && self.under.same == Some(true);
        match (right, clean, self.under.rounds) {
            (true, false, _) => Some((VerdictKind::Carried, Some(Face::Follows(None)))),
            (true, true, true) => Some((VerdictKind::Rounded, Some(Face::Early))),
            (true, true, false) if upstream => Some((VerdictKind::Rounded, Some(Face::FromRounded))),
            _ => None,
        }
    }
}

impl Beneath {
    /// Of a result's row, from 0.
    pub(super) fn at(&self, id: ResultId, row: Option<usize>) -> Option<&Found> {
        self.found.get(&(id, row))
    }

    /// The oddities, as notes: what is odd about each formula, and that one is not the lab's
    /// although its value is right.
    ///
    /// A formula that is wrong and gives the right value is worth a word: it will not do so the
    /// next time.
    pub(super) fn find(&self, protocol: &Protocol, results: &[JudgedResult], found: &mut Findings<'_>) {
        let mut odd = self.odd.clone();
        for r in results.iter().filter(|r| r.verdict == VerdictKind::Agrees) {
            let Some(here) = self.at(r.id, r.row.map(Row::index)) else { continue };
            let clause = match &here.slip {
                Some(slip) => slip.account.clause.clone(),
                None if here.is_wrong() => Clause::Said(words::another().to_owned()),
                None => continue,
            };
            let oddity = Oddity::RightByChance { clause };
            match odd.iter_mut().find(|(item, row, ..)| (*item, *row) == (r.item, r.row)) {
                Some((.., list)) => list.push(oddity),
                None => odd.push((r.item, r.row, here.under.address.clone(), vec![oddity])),
            }
        }
        for (item, row, address, oddities) in &odd {
            let kind = Kind::Formula { address: address.clone(), oddities: oddities.clone() };
            let key = Key::of_cell(&kind, &protocol.items[*item].id, *row);
            found.push(Finding::new(kind, key, Severity::Note, FindingPlace::of(*item, *row)));
        }
    }
}

/// Looks at every formula of a table.
///
/// `table` and `sheet` are those worked out from the numbers that the table has now, which may
/// differ from those of the file. A table that did not come in a spreadsheet costs nothing.
pub(super) fn of(stage: Stage<'_>, table: &Table, sheet: &Sheet) -> Beneath {
    let mut out = Beneath::default();
    let Some(brought) = stage.submission.under.as_deref() else { return out };
    let (under, changed) = current(brought, stage.submission);
    let under = &*under;
    let protocol = stage.protocol;
    let points = Points::of(stage, table, sheet).with_results(protocol, table);
    let mut hints: HashMap<ResultId, Hint> = HashMap::new();
    let mut cells: Vec<(&String, &Below)> =
        under.cells.iter().filter(|(_, c)| c.formula.is_some() && c.place().is_some()).collect();
    // In the order of the lab's items and their rows, so that the first of a column tells for the next.
    cells.sort_by_key(|(_, c)| (protocol.item(&c.item), c.row));
    let mut followed = 0;
    for (address, cell) in cells {
        let Some(item) = protocol.item(&cell.item) else { continue };
        let mut odd = |list: Vec<Oddity>| {
            if !list.is_empty() {
                out.odd.push((item, cell.row.and_then(Row::numbered), address.clone(), list));
            }
        };
        if followed > MOST_FOLLOWED {
            odd(vec![Oddity::TooLarge]);
            continue;
        }
        let ItemKind::Result(id) = protocol.items[item].kind else {
            let formula = Formula::of(under, address);
            followed += pieces(&formula);
            if formula.is_ok_and(|f| !f.leaves.is_empty()) {
                odd(vec![Oddity::OfAReading]);
            }
            continue;
        };
        let spec = &protocol.results[id];
        let row = spec.table.and(cell.row).map(|r| r as usize - 1);
        let Some(reported) = table.reported[id].get(row.unwrap_or(0)) else { continue };
        // A cell that was typed over since has nothing under it any more.
        if protocol.items[item].words.is_some() || spec.guess || !is_held(reported, &cell.held) {
            continue;
        }
        let formula = Formula::of(under, address);
        followed += pieces(&formula);
        let place = Place { id, spec, row };
        let looked = look(&points, (address, cell), formula, (place, &changed), &mut hints);
        odd(looked.odd);
        out.found.insert((id, row), looked.found);
    }
    if under.passed_over > 0
        && let Some(first) = protocol.results.first()
    {
        out.odd.push((first.item, None, String::new(), vec![Oddity::PassedOver(under.passed_over)]));
    }
    out
}

/// Whether a table still has in a cell what its file held there, as far as it shows.
///
/// A cell formatted to two decimals holds more than it shows.
fn is_held(reported: &Reported, held: &Held) -> bool {
    match (&reported.number, held) {
        (Some(number), Held::Number(text)) => {
            let raw: f64 = text.parse().unwrap_or(f64::NAN);
            is_shown(raw, number)
        }
        (None, Held::Number(_)) => false,
        (Some(_), _) => false,
        (None, Held::Empty) => reported.text.trim().is_empty(),
        (None, _) => true,
    }
}

/// Whether a text shows what a cell holds; a cell that shows hundredths holds the number itself.
///
/// Half a step of the last digit shown is the room, and a thousandth of it for rounding to even.
fn is_shown(raw: f64, number: &Number) -> bool {
    let share = points::hundredths(number);
    (raw - number.value * share).abs() <= 1.001 * number.half_step() * share + KEPT * raw.abs()
}

/// What looking at one formula gave.
struct Looked {
    /// What it says of its result.
    found: Found,
    /// What is odd about it.
    odd: Vec<Oddity>,
}

/// How many pieces a formula took to follow, one that was given up as many as any may.
fn pieces(formula: &Result<Formula, Unfollowed>) -> usize {
    formula.as_ref().map_or(MOST_PIECES, |f| f.pieces)
}

/// A formula that was worked out with other numbers than the table has now shows nothing of a
/// mistake: which of the cells that it reads changed.
///
/// The addresses that changed take the place of the other oddity, since they explain it.
fn mind(formula: &Formula, changed: &[String], odd: &mut Vec<Oddity>) {
    let read: Vec<String> = formula.leaves.iter().map(|l| l.address.clone()).filter(|a| changed.contains(a)).collect();
    if !read.is_empty() {
        odd.retain(|o| !matches!(o, Oddity::Another { .. }));
        odd.push(Oddity::ChangedSince(read));
    }
}

/// What a cell holds where the sheet has another text by now; `None` where it holds what it did.
///
/// Numbers are compared as shown, so that a cell that only lost its format has not changed.
fn held_now(held: &Held, number: Option<Box<Number>>, text: &str) -> Option<Held> {
    match (held, number) {
        (Held::Number(raw), Some(n)) => {
            let raw: f64 = raw.parse().unwrap_or(f64::NAN);
            (!is_shown(raw, &n)).then(|| Held::Number(format!("{}", n.value * points::hundredths(&n))))
        }
        // A text may be a number with its unit, and an empty cell may hold a formula without its value.
        (Held::Number(_), None) if text.trim().is_empty() => Some(Held::Empty),
        (Held::Number(_), None) => Some(Held::Text(text.to_owned())),
        (Held::Empty, Some(n)) => Some(Held::Number(format!("{}", n.value))),
        _ => None,
    }
}

/// What was brought with the numbers that the table has now, and the addresses of the cells that
/// changed since.
///
/// Nothing is copied where nothing changed.
fn current<'a>(brought: &'a Under, submission: &Submission) -> (Cow<'a, Under>, Vec<String>) {
    let texts: HashMap<(&str, Option<u32>), &str> =
        submission.cells.iter().map(|c| ((c.item.as_str(), c.row), c.value.as_str())).collect();
    let mut out = Cow::Borrowed(brought);
    let mut changed = Vec::new();
    for (address, cell) in brought.cells.iter().filter(|(_, c)| !c.item.is_empty()) {
        let text = texts.get(&(cell.item.as_str(), cell.row)).copied().unwrap_or_default();
        let number = match read(text, &Hints::default()).kind {
            CellKind::Number(n) => Some(n),
            _ => None,
        };
        if let Some(held) = held_now(&cell.held, number, text) {
            if let Some(cell) = out.to_mut().cells.get_mut(address) {
                cell.held = held;
            }
            changed.push(address.clone());
        }
    }
    (out, changed)
}

/// Looks at one formula: follows it, compares it with the lab's near the table handed in, and
/// gathers what is odd about it. `hints` keep by result what explained its last row, which explains
/// the next one as a rule.
///
/// `changed` are the addresses of cells that changed since the file was made.
fn look(
    points: &Points<'_>,
    (address, cell): (&str, &Below),
    formula: Result<Formula, Unfollowed>,
    (place, changed): (Place<'_>, &[String]),
    hints: &mut HashMap<ResultId, Hint>,
) -> Looked {
    let mut told = Underneath {
        address: address.to_owned(),
        text: cell.formula.clone().unwrap_or_default(),
        gives: Gives::Unknown,
        same: None,
        rounds: false,
        marks: Vec::new(),
        reads: Vec::new(),
    };
    let formula = match formula {
        Ok(formula) => formula,
        Err(why) => {
            let odd = vec![match why {
                Unfollowed::NotUnderstood(_, why) => Oddity::NotUnderstood(why),
                Unfollowed::Circle(cells) => Oddity::Circle(cells),
                Unfollowed::TooLarge => Oddity::TooLarge,
            }];
            return Looked { found: Found { under: told, slip: None }, odd };
        }
    };
    let protocol = points.protocol;
    told.reads = formula
        .leaves
        .iter()
        .filter_map(|l| {
            let (id, row) = l.item.as_ref()?;
            Some((protocol.item(id)?, row.and_then(Row::numbered)))
        })
        .collect();
    let mut odd = what_it_reads(&formula);
    let as_shown;
    (told.gives, as_shown) = gives(&cell.held, formula.value(), &mut odd);
    let story = search::story(points, place, &formula, hints);
    let mut slip = None;
    match story {
        Story::Same { rounds, typed } => {
            (told.same, told.rounds) = (Some(true), rounds || as_shown);
            odd.iter_mut().for_each(|o| {
                if let Oddity::Another { right, .. } = o {
                    *right = true
                }
            });
            odd.extend(typed.into_iter().map(|(text, item)| Oddity::TypedIn { text, item }));
        }
        Story::Mistake(mistake) => {
            told.same = Some(false);
            told.marks = mistake.marks;
            slip = (told.gives == Gives::ItsValue).then_some(mistake.slip);
        }
        Story::Other => told.same = Some(false),
        Story::Unknown => {}
    }
    if told.gives != Gives::ItsValue {
        mind(&formula, changed, &mut odd);
    }
    Looked { found: Found { under: told, slip }, odd }
}

/// What a formula gives beside what its cell holds, whether the cell holds it rounded, and what is
/// odd about that.
///
/// A share of 10⁻⁹ of the value is room for the fifteen figures that a file keeps. A workbook that
/// is set to hold what its cells show has its values rounded to their decimals; that is told as
/// rounding.
fn gives(held: &Held, value: Value, odd: &mut Vec<Oddity>) -> (Gives, bool) {
    let gives = match (held, value) {
        (_, Value::Fault(fault)) => {
            odd.push(Oddity::Fault(fault));
            Gives::Fault(fault)
        }
        (Held::Number(text), Value::Number(v)) => {
            let raw: f64 = text.parse().unwrap_or(f64::NAN);
            if (v - raw).abs() <= KEPT * v.abs().max(raw.abs()) {
                return (Gives::ItsValue, false);
            }
            // A workbook may be set to hold what its cells show.
            let places = text.split_once('.').map_or(0, |(_, decimals)| decimals.len()).min(15) as i32;
            if ((v * 10f64.powi(places)).round() / 10f64.powi(places) - raw).abs() <= KEPT * raw.abs() && raw != 0.0 {
                return (Gives::ItsValue, true);
            }
            odd.push(Oddity::Another { holds: text.clone(), gives: v, right: false });
            Gives::Another(v)
        }
        (Held::Empty, Value::Number(v)) => {
            odd.push(Oddity::Unsaved { gives: v });
            Gives::Unsaved(v)
        }
        (_, Value::Number(v)) => Gives::Another(v),
        _ => Gives::Unknown,
    };
    (gives, false)
}

/// What is odd about the cells that a formula reads.
///
/// A function that passes over empty cells, such as a mean, does not make them odd; a sum of
/// lengths over a number kept as text does.
fn what_it_reads(formula: &Formula) -> Vec<Oddity> {
    let mut empty = Vec::new();
    let mut texts = Vec::new();
    let mut open: Vec<(&Term, bool)> = vec![(&formula.root, false)];
    while let Some((term, passes_over)) = open.pop() {
        match &term.kind {
            TermKind::Leaf(n) => {
                let leaf = &formula.leaves[*n];
                if leaf.value == Value::Empty && !passes_over && !empty.contains(&leaf.address) {
                    empty.push(leaf.address.clone());
                }
                if passes_over && leaf.number_as_text() && !texts.contains(&leaf.address) {
                    texts.push(leaf.address.clone());
                }
            }
            TermKind::Range { cells, .. } => open.extend(cells.iter().map(|c| (c, true))),
            TermKind::Call(f, _) => {
                let over = !matches!(f, Function::If | Function::IfError | Function::SumProduct | Function::Index)
                    && f.is_of_columns();
                open.extend(term.children().into_iter().map(|c| (c, over)));
            }
            _ => open.extend(term.children().into_iter().map(|c| (c, false))),
        }
    }
    empty.sort();
    texts.sort();
    let mut out = Vec::new();
    if !empty.is_empty() {
        out.push(Oddity::Empty(empty));
    }
    if !texts.is_empty() {
        out.push(Oddity::NumbersAsTexts(texts));
    }
    out
}

/// One mistake down a column is one case: the rows whose formulas show the same are told and
/// charged as one.
///
/// Slips are one where kind and item are the same, or the words where there is no item.
pub(super) fn down_the_column(rows: &mut [JudgedResult], beneath: &Beneath) {
    let by_formula = |r: &JudgedResult| {
        let row = r.row.map(Row::index);
        r.verdict == VerdictKind::Slip && beneath.at(r.id, row).is_some_and(|f| f.slip.is_some())
    };
    let all: Vec<usize> = (0..rows.len()).filter(|n| by_formula(&rows[*n])).collect();
    for n in &all {
        let Some(mine) = rows[*n].slip.clone().filter(|s| s.rows.is_empty()) else { continue };
        let same: Vec<usize> = all
            .iter()
            .copied()
            .filter(|m| {
                rows[*m].slip.as_ref().is_some_and(|s| {
                    s.kind == mine.kind
                        && s.subject == mine.subject
                        && (s.subject.is_some() || s.account.clause == mine.account.clause)
                })
            })
            .collect();
        if same.len() < 2 {
            continue;
        }
        let numbers: Vec<Row> = same.iter().filter_map(|m| rows[*m].row).collect();
        for m in same {
            if let Some(slip) = &mut rows[m].slip {
                slip.rows.clone_from(&numbers);
            }
        }
    }
}
