//! A team's sheet at the door: the form, what is told of it in its own place, and the receipt.

use std::collections::{BTreeMap, HashMap, HashSet};

use chrono::NaiveDateTime;
use jurado_core::gaps::Gap;
use jurado_core::notation::counted;
use jurado_core::protocol::{ItemId, Protocol};
use jurado_core::row::Row;
use jurado_core::submission::{Submission, SubmittedCell};
use jurado_core::wording;
use jurado_store::door::{Due, Place, Receipt, Team};

use super::bench::points;
use super::course::time;
use super::entry::{BoxView, Fields, FormView, field, fields_of, form, submission};
use super::joining::Joined;

/// A lab on the list of a team's sheets.
pub(crate) struct DueView {
    pub(crate) id: u32,
    pub(crate) title: String,
    /// How it stands.
    pub(crate) stands: String,
    pub(crate) due: String,
    pub(crate) handed_in: bool,
    /// Points and of how many, once it went out.
    pub(crate) points: Option<(String, String)>,
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
            stands: match (&due.last, &due.sent) {
                (_, Some(sent)) if due.asked > 0 => {
                    format!("returned {}; {} on it waits", time(sent.at), counted(due.asked as usize, "question"))
                }
                (_, Some(sent)) => format!("returned {}", time(sent.at)),
                (Some(last), _) => format!("handed in {}{}", time(last.at), late(last)),
                (None, _) if due.brought => "in, as your reviewer brought it".to_owned(),
                (None, _) => "not handed in yet".to_owned(),
            },
            points: due.sent.as_ref().map(|s| (points(s.points), s.possible.normalize().to_string())),
            due: match due.due_at.filter(|_| !due.out) {
                Some(at) => format!("due {}, {}", time(at), until(due.due_at, now)),
                None => String::new(),
            },
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
    /// All boxes that it is about.
    boxes: Vec<String>,
}

/// Whether anything is said of readings that may be left out.
pub(crate) fn any_said(all: &[OutView]) -> bool {
    all.iter().any(|o| !o.why.is_empty())
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
    /// Version that what is shown came from.
    pub(crate) seen: u32,
    pub(crate) pictures: usize,
    /// How late it would be.
    pub(crate) late: String,
    pub(crate) out: bool,
    pub(crate) times: usize,
    pub(crate) fault: Option<String>,
    /// By the name of a reading's box: why it is left out, as typed.
    left_out: BTreeMap<String, String>,
    /// By the name of an empty box: why it is empty, as typed.
    reasons: BTreeMap<String, String>,
    /// What was said and has no box: it stays said.
    pub(crate) rest: Fields,
}

/// A reading that may be left out for a reason.
pub(crate) struct OutView {
    pub(crate) name: String,
    pub(crate) label: String,
    pub(crate) why: String,
}

/// Name of the box of a cell.
fn box_of(protocol: &Protocol, (item, row): (ItemId, Option<Row>)) -> String {
    let id = &protocol.items[item].id;
    row.map_or_else(|| format!("c.{id}"), |r| format!("c.{id}:{r}"))
}

impl SheetView {
    pub(crate) fn new(
        place: &Place,
        Joined { fields, both }: &Joined,
        gaps: &[Gap],
        now: NaiveDateTime,
        fault: Option<String>,
    ) -> SheetView {
        let protocol = &place.lab.protocol;
        let mut told: Vec<ToldView> = both.iter().enumerate().map(|(n, of)| typed_twice(fields, n + 1, of)).collect();
        let before = told.len();
        told.extend(gaps.iter().enumerate().map(|(n, gap)| of_gap(protocol, fields, before + n + 1, gap)));
        let over = place.due_at.map(|due| (now - due).num_minutes()).filter(|m| *m > 0);
        let mut view = SheetView {
            lab: place.lab.id,
            title: protocol.title.clone(),
            cautions: protocol.cautions.clone(),
            form: form(protocol, fields, true),
            says: if fields.is_empty() { String::new() } else { wording::gaps::to_look_at(told.len()) },
            told,
            due: place.due_at.map_or_else(|| "no time is set".to_owned(), time),
            now: time(now),
            saved: place.draft.as_ref().filter(|d| !d.handed_in).map_or_else(String::new, |d| time(d.at)),
            seen: place.draft.as_ref().map_or(0, |d| d.version),
            pictures: place.pictures.len(),
            late: over.map_or_else(String::new, span),
            out: place.out,
            times: place.receipts.len(),
            fault,
            left_out: left_out(protocol, fields),
            reasons: reasons(fields),
            rest: Vec::new(),
        };
        let shown = view.names();
        view.rest = fields.iter().filter(|(n, v)| !v.is_empty() && !shown.contains(n)).cloned().collect();
        view
    }

    /// The lines and rows of the form, each with its boxes.
    fn places(&self) -> impl Iterator<Item = &[BoxView]> {
        self.form.bays.iter().flat_map(|bay| {
            let lines = bay.lines.iter().map(|l| l.boxes.as_slice());
            lines.chain(bay.grids.iter().flat_map(|g| g.rows.iter().map(|(_, boxes)| boxes.as_slice())))
        })
    }

    /// Names of all that the form asks for.
    fn names(&self) -> HashSet<String> {
        let mut out: HashSet<String> = self.form.keys.iter().map(|k| k.name.clone()).collect();
        for boxes in self.places() {
            out.extend(boxes.iter().map(|b| b.name.clone()));
            out.extend(boxes.iter().filter_map(|b| b.plus_minus.as_ref().map(|(name, _)| name.clone())));
            out.extend(self.outs(boxes).into_iter().map(|o| o.name));
        }
        out.extend(self.told.iter().filter_map(|t| t.why.as_ref().map(|(name, _)| name.clone())));
        out
    }

    /// The readings of a line or row of which one may be left out: of several, since a single one has no other to stand for it.
    pub(crate) fn outs(&self, boxes: &[BoxView]) -> Vec<OutView> {
        let why_out = |b: &BoxView| {
            let why = self.left_out.get(&b.name)?.clone();
            let label = format!("{}: left out, because", b.label);
            Some(OutView { name: b.name.replacen("c.", "x.", 1), label, why })
        };
        // What was said of an empty place can be said otherwise; where it is told as empty its reason stands there.
        let told = |b: &BoxView| self.told.iter().any(|t| t.at == b.name && t.why.is_some());
        let why_empty = |b: &BoxView| {
            let why = self.reasons.get(&b.name).filter(|_| !told(b))?.clone();
            let label = format!("{}: empty, because", b.label);
            Some(OutView { name: b.name.replacen("c.", "w.", 1), label, why })
        };
        boxes.iter().filter_map(why_empty).chain(boxes.iter().filter_map(why_out)).collect()
    }

    /// What is told under a line or row, by the first of its boxes.
    pub(crate) fn under(&self, boxes: &[BoxView]) -> Vec<&ToldView> {
        self.told.iter().filter(|t| boxes.iter().any(|b| b.name == t.at)).collect()
    }

    /// What is told of a key of the whole table.
    pub(crate) fn of_key(&self, name: &str) -> Vec<&ToldView> {
        self.told.iter().filter(|t| t.at == name).collect()
    }

    /// The class of a box: told, or told and empty.
    pub(crate) fn class(&self, b: &BoxView) -> &'static str {
        let is = self.told.iter().any(|t| t.boxes.contains(&b.name));
        match (is, b.value.is_empty()) {
            (true, true) => " told-cell gap",
            (true, false) => " told-cell",
            _ => "",
        }
    }

    /// What is said of a box, by the ids of the sentences.
    pub(crate) fn described(&self, b: &BoxView) -> String {
        let of = self.told.iter().filter(|t| t.boxes.contains(&b.name)).map(|t| format!("says-{}", t.n));
        of.collect::<Vec<_>>().join(" ")
    }
}

/// The repeated readings of a form, each with the reason for which it is left out.
fn left_out(protocol: &Protocol, fields: &Fields) -> BTreeMap<String, String> {
    let repeated =
        protocol.readings.iter().filter(|r| protocol.has_rows(r.item) && protocol.items[r.item].words.is_none());
    let rows = |item: ItemId| 1..=protocol.most_row(item).unwrap_or(0);
    let places = repeated.flat_map(|r| rows(r.item).map(move |row| format!("{}:{row}", protocol.items[r.item].id)));
    let by_name: HashMap<&str, &str> = fields.iter().map(|(n, v)| (n.as_str(), v.as_str())).collect();
    let why = |place: &str| by_name.get(format!("x.{place}").as_str()).copied().unwrap_or_default().to_owned();
    places.map(|place| (format!("c.{place}"), why(&place))).collect()
}

/// What was said of empty places, by the names of their boxes.
fn reasons(fields: &Fields) -> BTreeMap<String, String> {
    let said = fields.iter().filter_map(|(n, why)| Some((n.strip_prefix("w.")?, why)));
    said.filter(|(_, why)| !why.is_empty()).map(|(place, why)| (format!("c.{place}"), why.clone())).collect()
}

/// A table as the fields of the form: a unit that is not the one beside the box stands with its number, and what is left
/// out, or why a place is empty, stays said.
pub(crate) fn fields_for(protocol: &Protocol, sheet: &Submission) -> Fields {
    let mut out = fields_of(protocol, sheet);
    for cell in &sheet.cells {
        let place = cell.row.map_or_else(|| cell.item.clone(), |r| format!("{}:{r}", cell.item));
        let own = protocol.item(&cell.item).map_or("", |i| protocol.items[i].unit.text.as_str());
        if !cell.unit.is_empty() && cell.unit != own && !cell.value.is_empty() {
            let name = format!("c.{place}");
            if let Some((_, value)) = out.iter_mut().find(|(n, _)| *n == name) {
                *value = format!("{value} {}", cell.unit);
            }
        }
        let said = [("x", &cell.excluded), ("w", &cell.note)];
        out.extend(said.iter().filter(|(_, t)| !t.is_empty()).map(|(p, t)| (format!("{p}.{place}"), (*t).clone())));
    }
    out
}

/// What two phones typed in one box.
fn typed_twice(fields: &Fields, n: usize, (name, theirs): &(String, String)) -> ToldView {
    let said = |text: &str| if text.is_empty() { "nothing".to_owned() } else { format!("“{text}”") };
    ToldView {
        n,
        mark: "hangs",
        what: format!(
            "Two phones typed here: {} on this one, {} on the other.",
            said(field(fields, name).unwrap_or("")),
            said(theirs)
        ),
        look: "The box keeps what this one typed. Look at the apparatus or the paper, and keep the one that is read there."
            .to_owned(),
        why: None,
        boxes: vec![name.clone()],
        at: name.clone(),
    }
}

fn of_gap(protocol: &Protocol, fields: &Fields, n: usize, gap: &Gap) -> ToldView {
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
        boxes: gap.cells.iter().map(|cell| box_of(protocol, *cell)).collect(),
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
    let by_name: HashMap<&str, &str> = fields.iter().map(|(n, v)| (n.as_str(), v.trim())).collect();
    for cell in &mut sheet.cells {
        let place = cell.row.map_or_else(|| cell.item.clone(), |r| format!("{}:{r}", cell.item));
        let said = |prefix: &str| by_name.get(format!("{prefix}.{place}").as_str()).copied().unwrap_or_default();
        (cell.excluded, cell.note) = (said("x").to_owned(), said("w").to_owned());
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
