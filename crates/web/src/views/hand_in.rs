//! A team's sheet at the door: the form, what is told of it in its own place, and the receipt.

use chrono::NaiveDateTime;
use jurado_core::gaps::Gap;
use jurado_core::protocol::Protocol;
use jurado_core::submission::{Submission, SubmittedCell};
use jurado_core::wording;
use jurado_store::door::{Due, Place, Receipt, Team};

use super::course::time;
use super::entry::{BoxView, Fields, FormView, field, form, submission};

/// A lab on the list of what is due.
pub(crate) struct DueView {
    pub(crate) id: u32,
    pub(crate) title: String,
    /// How it stands.
    pub(crate) stands: String,
    pub(crate) due: String,
    pub(crate) handed_in: bool,
}

/// Minutes in words, from the largest unit down.
fn span(minutes: i64) -> String {
    let (days, hours, rest) = (minutes / 1440, minutes % 1440 / 60, minutes % 60);
    match (days, hours, rest) {
        (0, 0, m) => format!("{m} min"),
        (0, h, m) => format!("{h} h {m} min"),
        (d, h, _) => format!("{d} d {h} h"),
    }
}

/// How long there is, or how late it is.
fn until(due: Option<NaiveDateTime>, now: NaiveDateTime) -> String {
    match due.map(|due| (due - now).num_minutes()) {
        None => String::new(),
        Some(left) if left >= 0 => format!("{} left", span(left)),
        Some(over) => format!("{} over", span(-over)),
    }
}

fn late(receipt: &Receipt) -> String {
    receipt.minutes_late.map_or_else(String::new, |m| format!(", {} late", span(i64::from(m))))
}

impl DueView {
    pub(crate) fn new(due: &Due, now: NaiveDateTime) -> DueView {
        DueView {
            id: due.lab.id,
            title: due.lab.protocol.title.clone(),
            stands: match (&due.last, due.out) {
                (_, true) => "marks are out".to_owned(),
                (Some(last), _) => format!("handed in {}{}", time(last.at), late(last)),
                (None, _) => "not handed in here yet".to_owned(),
            },
            due: due.due_at.map_or_else(String::new, |at| format!("due {}, {}", time(at), until(due.due_at, now))),
            handed_in: due.last.is_some(),
        }
    }
}

/// One thing that is told.
pub(crate) struct ToldView {
    pub(crate) n: usize,
    pub(crate) mark: &'static str,
    pub(crate) what: String,
    pub(crate) look: String,
    /// The first box that it is about.
    pub(crate) at: String,
    /// The name and text of the reason's box, where one may be given.
    pub(crate) why: Option<(String, String)>,
    /// The name of the line or row that it stands under.
    place: String,
}

/// A team's sheet as a form.
pub(crate) struct SheetView {
    pub(crate) lab: u32,
    pub(crate) title: String,
    pub(crate) cautions: Vec<String>,
    pub(crate) form: FormView,
    pub(crate) told: Vec<ToldView>,
    pub(crate) says: String,
    pub(crate) due: String,
    pub(crate) now: String,
    pub(crate) saved: String,
    /// How late it would be.
    pub(crate) late: String,
    pub(crate) out: bool,
    pub(crate) times: usize,
    pub(crate) fault: Option<String>,
}

/// Name of the box of a cell.
fn box_of(protocol: &Protocol, (item, row): (usize, Option<u32>)) -> String {
    let id = &protocol.items[item].id;
    row.map_or_else(|| format!("c.{id}"), |r| format!("c.{id}:{r}"))
}

/// Name of the line or row of a box: its item's, or the row of its table.
fn line_of(protocol: &Protocol, (item, row): (usize, Option<u32>)) -> String {
    match (protocol.table_of(item), row) {
        (Some(t), Some(row)) => format!("t.{t}:{row}"),
        _ => format!("l.{}", protocol.items[item].id),
    }
}

impl SheetView {
    pub(crate) fn new(
        place: &Place,
        fields: &Fields,
        gaps: &[Gap],
        now: NaiveDateTime,
        fault: Option<String>,
    ) -> SheetView {
        let protocol = &place.lab.protocol;
        let told: Vec<ToldView> = gaps.iter().enumerate().map(|(n, gap)| told(protocol, fields, n + 1, gap)).collect();
        let over = place.due_at.map(|due| (now - due).num_minutes()).filter(|m| *m > 0);
        SheetView {
            lab: place.lab.id,
            title: protocol.title.clone(),
            cautions: protocol.cautions.clone(),
            form: form(protocol, fields, true),
            says: if fields.is_empty() { String::new() } else { wording::gaps::to_look_at(told.len()) },
            told,
            due: place.due_at.map_or_else(|| "no time is set".to_owned(), time),
            now: time(now),
            saved: place.draft.as_ref().map_or_else(String::new, |(_, at)| time(*at)),
            late: over.map_or_else(String::new, span),
            out: place.out,
            times: place.receipts.len(),
            fault,
        }
    }

    /// What is told under a line or row, by the first of its boxes.
    pub(crate) fn under(&self, boxes: &[BoxView]) -> Vec<&ToldView> {
        let is = |t: &&ToldView| boxes.iter().any(|b| b.name == t.at || b.name == t.place);
        self.told.iter().filter(is).collect()
    }

    /// What is told of a key of the whole table.
    pub(crate) fn of_key(&self, name: &str) -> Vec<&ToldView> {
        self.told.iter().filter(|t| t.at == name).collect()
    }

    /// The class of a box: told, or told and empty.
    pub(crate) fn class(&self, b: &BoxView) -> &'static str {
        let is = self.told.iter().any(|t| t.at == b.name);
        match (is, b.value.is_empty()) {
            (true, true) => " told-cell gap",
            (true, false) => " told-cell",
            _ => "",
        }
    }
}

fn told(protocol: &Protocol, fields: &Fields, n: usize, gap: &Gap) -> ToldView {
    let first = gap.cells.first().copied();
    let at = match (first, gap.key) {
        (Some(cell), _) => box_of(protocol, cell),
        (None, Some(key)) => format!("k.{}", protocol.keys[key].id),
        (None, None) => String::new(),
    };
    let why = at.strip_prefix("c.").filter(|_| gap.may_say_why).map(|place| format!("w.{place}"));
    ToldView {
        n,
        mark: gap.mark.word(),
        what: gap.what.clone(),
        look: gap.look.clone(),
        why: why.map(|name| (name.clone(), field(fields, &name).unwrap_or("").to_owned())),
        place: first.map_or_else(String::new, |cell| line_of(protocol, cell)),
        at,
    }
}

/// What a team typed, as a table: units stand beside the boxes, and a reason is that of an empty cell.
pub(crate) fn sheet_of(protocol: &Protocol, fields: &Fields, team: &Team) -> Submission {
    let mut sheet = submission(protocol, fields, &team.section, &team.name);
    for cell in &mut sheet.cells {
        let item = protocol.item(&cell.item).map(|i| &protocol.items[i]);
        let typed_unit = cell.value.trim_end().ends_with(|c: char| c.is_alphabetic() || c == '%' || c == '°');
        if let Some(item) = item.filter(|i| i.words.is_none() && !typed_unit && i.unit.text != "1") {
            cell.unit.clone_from(&item.unit.text);
        }
    }
    for (name, why) in fields {
        let Some(place) = name.strip_prefix("w.").filter(|_| !why.trim().is_empty()) else { continue };
        let (id, row) = match place.split_once(':') {
            Some((id, row)) => (id, row.parse::<u32>().ok()),
            None => (place, None),
        };
        let Some(item) = protocol.item(id).filter(|i| protocol.is_typed(*i)) else { continue };
        let beyond = row.is_some_and(|n| n == 0 || protocol.most_row(item).is_none_or(|most| n > most));
        let there = |c: &SubmittedCell| c.item == id && c.row == row;
        if !beyond && !sheet.cells.iter().any(there) {
            let note = why.trim().to_owned();
            sheet.cells.push(SubmittedCell { item: id.to_owned(), row, note, ..SubmittedCell::default() });
        }
    }
    sheet
}

/// A receipt.
pub(crate) struct ReceiptView {
    pub(crate) lab: u32,
    pub(crate) id: u32,
    pub(crate) title: String,
    pub(crate) at: String,
    pub(crate) late: String,
    /// First sixteen digits in fours, and all of them.
    pub(crate) short: String,
    pub(crate) digest: String,
    /// Which time it was, and when the others were.
    pub(crate) times: String,
    pub(crate) open: Vec<(&'static str, String)>,
    pub(crate) reasons: Vec<String>,
    pub(crate) until: String,
    pub(crate) due: String,
    pub(crate) out: bool,
}

impl ReceiptView {
    /// Of the newest receipt there is.
    pub(crate) fn new(place: &Place, gaps: &[Gap], now: NaiveDateTime) -> ReceiptView {
        let (last, before) = (&place.receipts[0], &place.receipts[1..]);
        let fours: Vec<&str> = (0..4).filter_map(|n| last.digest.get(4 * n..4 * n + 4)).collect();
        let cells = place.sheet.as_ref().map_or(&[][..], |s| &s.cells);
        let empty = cells.iter().filter(|c| c.value.is_empty() && !c.note.is_empty());
        ReceiptView {
            lab: place.lab.id,
            id: last.id,
            title: place.lab.protocol.title.clone(),
            at: time(last.at),
            late: late(last).trim_start_matches(", ").to_owned(),
            short: fours.join(" "),
            digest: last.digest.clone(),
            times: match before {
                [] => "The first time.".to_owned(),
                [one] => format!("The second time; the first was {}. This one counts.", time(one.at)),
                more => format!("Handed in {} times before, last {}. This one counts.", more.len(), time(more[0].at)),
            },
            open: gaps.iter().map(|g| (g.mark.word(), g.what.clone())).collect(),
            reasons: empty.map(|c| c.note.clone()).collect(),
            until: until(place.due_at, now),
            due: place.due_at.map_or_else(String::new, time),
            out: place.out,
        }
    }
}
