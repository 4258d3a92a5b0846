//! The Floor: one lab over all sections.

mod cards;
mod figures;
mod places;

use jurado_core::class as statistics;
use jurado_core::class::{Asked, By, Entry, Floor, Frequent, frequent, groupings};
use jurado_core::notation::{capital, counted};
use jurado_core::protocol::{Protocol, ResultId};
use jurado_core::wording;
use jurado_store::floor::{Seat, StoreroomNote};
use jurado_store::{Lab, User};

pub(crate) use cards::Card;
pub(crate) use figures::{NumbersView, WordRow};
pub(crate) use places::{NoteView, PlacePassage, TeamRow, place_passage, team_rows};

use super::query;

/// What is asked for; blank is what is shown first.
#[derive(Clone, Debug, Default, serde::Deserialize)]
#[serde(default)]
pub(crate) struct Wanted {
    /// Id of a result.
    pub(crate) result: String,
    /// `section`, `reviewer` or the id of a key.
    pub(crate) by: String,
    /// `1` where what groups do is taken out.
    pub(crate) out: String,
    /// A table to be ringed.
    pub(crate) from: String,
    /// A team to be ringed, by a part of its name.
    pub(crate) find: String,
}

impl Wanted {
    /// The address of the same with another result or another grouping.
    fn with(&self, lab: u32, page: &str, result: &str, by: &str) -> String {
        let mut to = format!("/floor/{lab}{page}?result={}&by={}", query(result), query(by));
        for (name, value) in [("from", &self.from), ("find", &self.find)] {
            if !value.is_empty() {
                to.push_str(&format!("&{name}={}", query(value)));
            }
        }
        to
    }
}

/// A choice that is a link.
pub(crate) struct Tab {
    pub(crate) title: String,
    pub(crate) href: String,
    pub(crate) on: bool,
}

/// Everything that the pages of the Floor are made of.
pub(crate) struct Room<'a> {
    pub(crate) lab: &'a Lab,
    pub(crate) seats: &'a [Seat],
    pub(crate) entries: &'a [Entry],
    pub(crate) user: &'a User,
    pub(crate) blind: bool,
}

impl Room<'_> {
    fn protocol(&self) -> &Protocol {
        &self.lab.protocol
    }

    /// Whether a person may see whose table it is.
    fn sees(&self, entry: usize) -> bool {
        self.user.sees(self.seats[entry].section_id)
    }

    /// What a team is called before this person.
    pub(crate) fn name(&self, entry: usize) -> String {
        match (self.blind, self.sees(entry)) {
            (true, _) => format!("Table {}", self.seats[entry].sheet),
            (false, true) => self.entries[entry].team.clone(),
            (false, false) => "a team".to_owned(),
        }
    }

    fn table(&self, entry: usize) -> Option<String> {
        self.sees(entry).then(|| format!("/bench/{}", self.seats[entry].sheet))
    }

    /// What teams may be grouped by: keys and sections, for whoever sees all also who decided.
    fn groupings(&self, result: ResultId) -> Vec<By> {
        let mut all = groupings(self.protocol(), self.entries, result);
        if self.user.sees_all() && !self.blind && self.entries.iter().any(|e| !e.reviewer.is_empty()) {
            all.push(By::Reviewer);
        }
        all
    }

    /// What a grouping is called.
    pub(crate) fn noun(&self, by: &By) -> String {
        match by {
            By::Section => super::course::current().section.clone(),
            By::Reviewer => "reviewer".to_owned(),
            By::Key(id) => self.protocol().keys.iter().find(|k| k.id == *id).map_or(id, |k| &k.title).to_lowercase(),
        }
    }

    fn class(&self, result: ResultId, by: &By) -> Floor {
        Floor::of(self.protocol(), self.entries, &Asked::usual(self.protocol(), self.entries, result, by.clone()))
    }

    /// A number by everything that groups it.
    fn classes(&self, result: ResultId) -> Vec<(By, Floor)> {
        if self.protocol().items[self.protocol().results[result].item].words.is_some() {
            return Vec::new();
        }
        let asked = Asked::usual(self.protocol(), self.entries, result, By::Section);
        let of = |by: By| {
            let floor = Floor::of(self.protocol(), self.entries, &Asked { by: by.clone(), ..asked.clone() });
            (by, floor)
        };
        self.groupings(result).into_iter().map(of).collect()
    }
}

/// The result and the grouping that a request asks for, or those shown first; `None` for a lab without any.
pub(crate) fn chosen(room: &Room<'_>, wanted: &Wanted) -> Option<(ResultId, By)> {
    let protocol = room.protocol();
    let there = results(protocol);
    let asked = there.iter().copied().find(|n| id_of(protocol, *n) == wanted.result);
    let result = asked.or_else(|| statistics::first(protocol)).or_else(|| there.first().copied())?;
    let mut by = room.groupings(result);
    let at = by.iter().position(|b| statistics::by_word(b) == wanted.by).unwrap_or(0);
    (!by.is_empty()).then(|| (result, by.swap_remove(at)))
}

fn results(protocol: &Protocol) -> Vec<ResultId> {
    let mut all = statistics::comparable(protocol);
    all.extend(statistics::worded(protocol));
    all.sort_unstable();
    all
}

fn id_of(protocol: &Protocol, result: ResultId) -> &str {
    &protocol.items[protocol.results[result].item].id
}

/// A slip that many made, and what to say of it.
pub(crate) struct SlipView {
    pub(crate) says: String,
    pub(crate) seen: String,
    pub(crate) say: String,
}

impl SlipView {
    fn new(protocol: &Protocol, f: &Frequent) -> SlipView {
        SlipView {
            says: wording::pattern(protocol, &f.pattern),
            seen: format!("{}, {}", counted(f.tables, "table"), counted(f.sections, &super::course::current().section)),
            say: wording::to_say(protocol, &f.pattern),
        }
    }
}

/// What is most often found in a lab, at most so many.
pub(crate) fn slips(room: &Room<'_>, most: usize) -> Vec<SlipView> {
    frequent(room.entries).iter().take(most).map(|f| SlipView::new(room.protocol(), f)).collect()
}

/// Slips shown beside the chart.
const MOST_SLIPS: usize = 6;

/// Everything that the page lays out.
pub(crate) struct FloorView {
    pub(crate) lab: u32,
    pub(crate) title: String,
    pub(crate) labs: Vec<Tab>,
    pub(crate) result: String,
    pub(crate) result_id: String,
    pub(crate) by: String,
    pub(crate) by_id: String,
    pub(crate) results: Vec<Tab>,
    pub(crate) previous: Option<String>,
    pub(crate) next: Option<String>,
    pub(crate) groupings: Vec<Tab>,
    pub(crate) tables: String,
    pub(crate) numbers: Option<NumbersView>,
    pub(crate) words: Vec<WordRow>,
    /// Whether the words stand in rows.
    pub(crate) rows: bool,
    pub(crate) cards: Vec<Card>,
    pub(crate) slips: Vec<SlipView>,
    pub(crate) table_href: String,
    pub(crate) csv_href: String,
    pub(crate) wall_href: String,
    pub(crate) find: String,
}

impl FloorView {
    /// The page for a result and a grouping; `labs` are those of the term.
    pub(crate) fn new(room: &Room<'_>, labs: &[(u32, String)], wanted: &Wanted) -> Option<FloorView> {
        let protocol = room.protocol();
        let (result, by) = chosen(room, wanted)?;
        let lab = room.lab.id;
        let word = statistics::by_word(&by);
        let all = results(protocol);
        let id = id_of(protocol, result);
        let to = |n: ResultId| wanted.with(lab, "", id_of(protocol, n), word);
        let at = all.iter().position(|n| *n == result).unwrap_or(0);
        let decided = room.seats.iter().filter(|s| s.decided).count();
        let is_word = protocol.items[protocol.results[result].item].words.is_some();
        // What was taught is looked for beside what groups do: each takes a while in a large class.
        let (classes, taught) = std::thread::scope(|scope| {
            let taught = scope.spawn(|| cards::taught_cards(room));
            let classes = room.classes(result);
            (classes, taught.join().unwrap_or_else(|panic| std::panic::resume_unwind(panic)))
        });
        let floor = classes.iter().find(|(b, _)| *b == by).map(|(_, floor)| floor);
        Some(FloorView {
            lab,
            title: protocol.title.clone(),
            labs: labs
                .iter()
                .map(|(id, title)| Tab { title: title.clone(), href: id.to_string(), on: *id == lab })
                .collect(),
            result: capital(&protocol.full_title(protocol.results[result].item)),
            result_id: id.to_owned(),
            by: room.noun(&by),
            by_id: word.to_owned(),
            results: all
                .iter()
                .map(|n| Tab {
                    title: protocol.full_title(protocol.results[*n].item),
                    href: id_of(protocol, *n).to_owned(),
                    on: *n == result,
                })
                .collect(),
            previous: at.checked_sub(1).map(|n| to(all[n])),
            next: all.get(at + 1).map(|n| to(*n)),
            groupings: room
                .groupings(result)
                .iter()
                .filter(|_| !is_word)
                .map(|b| Tab {
                    title: room.noun(b),
                    href: wanted.with(lab, "", id, statistics::by_word(b)),
                    on: *b == by,
                })
                .collect(),
            tables: format!("{} in, {decided} decided", counted(room.seats.len(), "table")),
            cards: cards::all(room, &classes, taught),
            slips: slips(room, MOST_SLIPS),
            words: figures::words(room, result),
            rows: protocol.has_rows(protocol.results[result].item),
            numbers: floor.map(|f| NumbersView::new(room, f, &by, wanted)),
            table_href: wanted.with(lab, "/table", id, word),
            csv_href: wanted.with(lab, "/points.csv", id, word),
            wall_href: wanted.with(lab, "/wall", id, word),
            find: wanted.find.clone(),
        })
    }
}

/// Notes for the storeroom as they are shown, with the titles of their labs.
pub(crate) fn notes(labs: &[Lab], notes: &[StoreroomNote]) -> Vec<NoteView> {
    let of = |n: &StoreroomNote| labs.iter().find(|l| l.id == n.lab_id);
    notes.iter().filter_map(|n| Some(NoteView::new(&of(n)?.protocol, n))).collect()
}

/// The chart of a result for a wall of the room.
pub(crate) fn wall(room: &Room<'_>, result: ResultId, by: &By) -> crate::draw::svg::Svg {
    figures::chart(room, &room.class(result, by), (by, false), &Wanted::default(), true)
}

/// One result over the class, grouped.
pub(crate) fn class(room: &Room<'_>, result: ResultId, by: &By) -> Floor {
    room.class(result, by)
}

/// The key by which tables belong to a station.
pub(crate) fn station<'a>(room: &Room<'a>) -> Option<&'a str> {
    let protocol = &room.lab.protocol;
    statistics::main_key(protocol, *statistics::comparable(protocol).first()?)
}
