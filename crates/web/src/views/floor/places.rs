//! The Floor as a plain table, and one place of it through the term.

use std::collections::BTreeSet;

use jurado_core::class::{By, Floor, comparable};
use jurado_core::notation::{self, capital, counted};
use jurado_core::protocol::Protocol;
use jurado_core::stats::median;
use jurado_store::floor::StoreroomNote;

use super::Room;
use super::figures::{figure, signed, spreads};
use crate::views::course::time;

/// One team as a row of the table.
pub(crate) struct TeamRow {
    pub(crate) section: String,
    pub(crate) team: String,
    pub(crate) href: Option<String>,
    pub(crate) group: String,
    pub(crate) value: String,
    /// Value, place on the scale and z with every digit, for the file.
    pub(crate) exact: [f64; 3],
    pub(crate) placed: String,
    pub(crate) z: String,
    pub(crate) apart: bool,
}

/// The points of a result as rows, in their order.
pub(crate) fn team_rows(room: &Room<'_>, floor: &Floor) -> Vec<TeamRow> {
    let spread = floor.consensus.map_or(0.0, |c| c.spread);
    floor
        .points
        .iter()
        .map(|p| TeamRow {
            section: room.entries[p.entry].section.clone(),
            team: room.name(p.entry),
            href: room.table(p.entry),
            group: floor.groups[p.group].name.clone(),
            value: notation::figures(p.value, 5),
            exact: [p.value, p.placed, p.z],
            placed: figure(p.placed, spread),
            z: spreads(p.z),
            apart: p.z.abs() > jurado_core::class::APART,
        })
        .collect()
}

/// What one place does, section by section.
pub(crate) struct PlacePassage {
    pub(crate) title: String,
    /// Sections in which it was used, in their order.
    pub(crate) sections: Vec<String>,
    pub(crate) rows: Vec<PlaceRow>,
}

/// One result at a place.
pub(crate) struct PlaceRow {
    pub(crate) result: String,
    /// Distance of the place's median from the consensus in each section, in robust spreads; a dash where nobody was there.
    pub(crate) by_section: Vec<String>,
    pub(crate) whole: String,
    pub(crate) named: bool,
}

/// One place through the term: every result that is compared there, by section.
pub(crate) fn place_passage(room: &Room<'_>, key: &str, at: &str) -> PlacePassage {
    let by = By::Key(key.to_owned());
    let floors: Vec<Floor> = comparable(room.protocol()).into_iter().map(|result| room.class(result, &by)).collect();
    let here = |floor: &Floor| floor.groups.iter().position(|g| g.name == at);
    let used: BTreeSet<usize> = floors
        .iter()
        .filter_map(|f| here(f).map(|n| f.points.iter().filter(move |p| p.group == n).map(|p| p.entry)))
        .flatten()
        .collect();
    let mut sections: Vec<String> = used.into_iter().map(|n| room.entries[n].section.clone()).collect();
    sections.dedup();
    let row = |floor: &Floor| -> Option<PlaceRow> {
        let n = here(floor)?;
        let group = &floor.groups[n];
        let in_section = |section: &String| {
            let of = floor.points.iter().filter(|p| p.group == n && room.entries[p.entry].section == *section);
            median(&of.map(|p| p.z).collect::<Vec<f64>>())
        };
        let spread = floor.consensus.map_or(0.0, |c| c.spread);
        Some(PlaceRow {
            result: room.protocol().full_title(room.protocol().results[floor.result].item),
            by_section: sections.iter().map(|s| in_section(s).map_or_else(|| "–".to_owned(), spreads)).collect(),
            whole: group.effect.map_or_else(
                || format!("own consensus {}", notation::figures(group.own.centre, 4)),
                |e| {
                    let off = signed(floor.on_scale(e.effect), spread);
                    format!(
                        "{off}, {} standard errors, {}",
                        notation::decimals(e.in_errors().abs(), 1),
                        counted(e.teams, "team")
                    )
                },
            ),
            named: group.effect.is_some_and(|e| e.named),
        })
    };
    let rows = floors.iter().filter_map(row).collect();
    PlacePassage { title: format!("{} {at}", capital(&room.noun(&by))), sections, rows }
}

/// A note for the storeroom.
pub(crate) struct NoteView {
    pub(crate) id: u32,
    pub(crate) place: String,
    pub(crate) href: String,
    pub(crate) body: String,
    pub(crate) by: String,
    pub(crate) done: Option<String>,
}

impl NoteView {
    pub(super) fn new(protocol: &Protocol, note: &StoreroomNote) -> NoteView {
        let title = protocol.keys.iter().find(|k| k.id == note.key).map_or(note.key.as_str(), |k| k.title.as_str());
        NoteView {
            id: note.id,
            place: format!("{}, {} {}", protocol.title, title.to_lowercase(), note.at),
            href: format!("/floor/{}/place?by={}&at={}", note.lab_id, super::query(&note.key), super::query(&note.at)),
            body: note.body.clone(),
            by: format!("{}, {}", note.by, time(note.written_at)),
            done: note.done_at.map(time),
        }
    }
}
