//! What a table is judged by in place of what its protocol says: what its section sets, and what
//! was ruled.
//!
//! Two things may be taught otherwise: by which of the lab's schools a result is worked out, and
//! which value a constant has. Both are judged against what was taught, so that a team is not
//! charged for its lecture; how well it measured is judged by the lab's own formula all the same.

use std::collections::BTreeMap;

use crate::decision::Ruling;
use crate::finding::{Finding, Findings, Key, Kind, Place, Severity};
use crate::formula::ItemId;
use crate::protocol::{Protocol, Taught};
use crate::section::Section;

/// What is taught, and who says so.
///
/// What is told is told once for each item, whether the section or a ruling set it.
pub(super) struct Set {
    /// What is put in place of the lab's own.
    pub(super) taught: Taught,
    /// What is told of each item.
    told: BTreeMap<String, Told>,
}

/// A school has words and no value; a constant has a value and no words.
struct Told {
    /// The result or constant.
    item: ItemId,
    /// The school in words.
    school: String,
    /// The constant's value, in its unit.
    value: Option<f64>,
    /// The ruling that sets it; `None` where the section does.
    ruling: Option<u64>,
}

/// What the section sets, and in its place what was ruled; of two rulings the narrower counts, and
/// of two alike the newer.
///
/// A ruling goes before the section's settings, since it was made with a case in hand.
pub(super) fn of(protocol: &Protocol, section: &Section, rulings: &[&Ruling]) -> Set {
    let mut set = Set { taught: Taught::default(), told: BTreeMap::new() };
    for (id, school) in &section.schools {
        set.school(protocol, (id, school), None);
    }
    for (id, value) in &section.constants {
        set.constant(protocol, (id, *value), None);
    }
    let mut sets: Vec<&&Ruling> = rulings.iter().filter(|r| r.sets()).collect();
    sets.sort_by_key(|r| r.rank());
    for r in sets {
        let Some(id) = &r.item else { continue };
        if let Some(school) = &r.school {
            set.school(protocol, (id, school), Some(r.id));
        }
        if let Some(value) = r.against {
            set.constant(protocol, (id, value), Some(r.id));
        }
    }
    set
}

impl Set {
    /// Sets the school of a result, by a section's setting or a ruling, if the lab has that school;
    /// the later one stays.
    fn school(&mut self, protocol: &Protocol, (id, name): (&str, &str), ruling: Option<u64>) {
        let Some((item, school)) = protocol.item(id).zip(protocol.school_named(id, name)) else { return };
        self.taught.schools.insert(id.to_owned(), school.word.to_owned());
        let told = Told { item, school: school.words().to_owned(), value: None, ruling };
        self.told.insert(id.to_owned(), told);
    }

    /// Sets a constant to another reading of it, in its unit, if the lab lets that constant be set.
    fn constant(&mut self, protocol: &Protocol, (id, value): (&str, f64), ruling: Option<u64>) {
        let Some(item) = protocol.item(id).filter(|i| protocol.may_set(*i)) else { return };
        self.taught.constants.insert(id.to_owned(), value);
        self.told.insert(id.to_owned(), Told { item, school: String::new(), value: Some(value), ruling });
    }

    /// What is taught besides formulas, where any formula is.
    ///
    /// `None` where no formula is taught otherwise: then the clean values serve for accuracy as
    /// they are.
    pub(super) fn only_constants(&self) -> Option<Taught> {
        let Taught { schools, constants } = &self.taught;
        (!schools.is_empty()).then(|| Taught { schools: BTreeMap::new(), constants: constants.clone() })
    }

    /// Says of each item that it was judged so: a word that costs nothing, and names the ruling.
    ///
    /// The finding names the ruling, so that a reader can follow it to who ruled and why.
    pub(super) fn tell(&self, protocol: &Protocol, found: &mut Findings<'_>) {
        for (id, Told { item, school, value, ruling }) in &self.told {
            let kind = Kind::Taught { item: *item, school: school.clone(), value: *value, ruled: ruling.is_some() };
            // A constant is no place of the table.
            let place = if protocol.is_typed(*item) { Place::of(*item, None) } else { Place::TABLE };
            let key = Key::about(&kind, id, None);
            found.push(Finding { ruling: *ruling, ..Finding::new(kind, key, Severity::Note, place) });
        }
    }
}
