//! What is named on the Floor, each with one way on: a note for the storeroom, a ruling.

use jurado_core::class::{By, Entry, Floor, Group, Scale, Shared, group_of, taught};
use jurado_core::notation;
use jurado_core::wording;

use super::figures::figure;
use super::{Room, query};

/// One thing that is named.
pub(crate) struct Card {
    pub(crate) head: String,
    pub(crate) says: String,
    /// A note for the storeroom about a place: key and value.
    pub(crate) note: Option<(String, String)>,
    /// What the note begins with.
    pub(crate) note_says: String,
    /// Where a ruling is drawn up from it, and what it would do.
    pub(crate) ruling: Option<(String, &'static str)>,
}

/// Most cards on a page.
const MOST: usize = 4;

/// What is named for a result: effects by whatever groups, then what was taught otherwise.
pub(super) fn all(room: &Room<'_>, classes: &[(By, Floor)], taught: Vec<Card>) -> Vec<Card> {
    let mut out = Vec::new();
    for (by, floor) in classes {
        for group in floor.groups.iter().filter(|g| g.effect.is_some_and(|e| e.named)) {
            out.extend(effect(room, floor, by, group));
        }
    }
    out.extend(taught);
    out.truncate(MOST);
    out
}

/// What one section does otherwise, or one place causes.
pub(super) fn taught_cards(room: &Room<'_>) -> Vec<Card> {
    let keys = room.protocol().keys.iter().map(|k| By::Key(k.id.clone()));
    let of = |by: By| {
        let shared = taught(room.entries, |n| group_of(&room.entries[n], None, &by).to_owned());
        shared.iter().take(MOST).map(|s| of_group(room, &by, s)).collect::<Vec<Card>>()
    };
    std::iter::once(By::Section).chain(keys).flat_map(of).collect()
}

fn effect(room: &Room<'_>, floor: &Floor, by: &By, group: &Group) -> Option<Card> {
    let e = group.effect?;
    let item_of = room.protocol().results[floor.result].item;
    let item = &room.protocol().items[item_of];
    let spread = floor.consensus.map_or(0.0, |c| c.spread);
    let off = floor.on_scale(e.effect).abs();
    let off = match floor.scale {
        Scale::Percent => format!("{} %", figure(off, spread)),
        Scale::Spreads => format!("{} robust spreads", figure(off, 1.0)),
        _ if floor.relative => {
            format!(
                "{}{} ({} %)",
                figure(off, spread),
                item.unit_after(),
                notation::figures(100.0 * e.effect.exp_m1().abs(), 2)
            )
        }
        _ => format!("{}{}", figure(off, spread), item.unit_after()),
    };
    let noun = room.noun(by);
    let who = match by {
        By::Section => wording::Who::Section,
        By::Reviewer => wording::Who::Reviewer,
        By::Key(_) => wording::Who::Place,
    };
    let says = wording::effect(who, (&noun, &group.name), &off, e.effect > 0.0, (e.on_side, e.teams));
    let direction = if e.effect > 0.0 { "high" } else { "low" };
    let place = match by {
        By::Key(key) => Some((key.clone(), group.name.clone())),
        _ => None,
    };
    // A row's own key is not a key of the table, by which rulings go.
    let of_tables = |key: &str| room.entries.iter().any(|e| e.essence.keys.contains_key(key));
    let judged = room.protocol().accuracy_of(floor.result).is_some() && floor.scale != Scale::Spreads;
    let ruling = place.as_ref().filter(|(key, _)| judged && of_tables(key));
    let verb = if place.is_some() { "reads" } else { "stands" };
    Some(Card {
        head: format!("{noun} {} {verb} {direction}", group.name),
        note_says: format!("{}: {says}", room.protocol().full_title(item_of)),
        says: format!(
            "{says} It passes {} of its standard errors; three are asked for.",
            notation::decimals(e.in_errors().abs(), 1)
        ),
        ruling: ruling
            .map(|(key, at)| (against(room, &item.id, (key, at), group.own.centre), "judge it by its own consensus")),
        note: place,
    })
}

/// Where a ruling is drawn up that judges a place by a value.
pub(super) fn against(room: &Room<'_>, item: &str, (key, at): (&str, &str), value: f64) -> String {
    let value = notation::to_figures(value, 6, false);
    format!(
        "/rulings/new?lab={}&item={}&at={}&against={value}",
        room.lab.id,
        query(item),
        query(&format!("{key}={at}"))
    )
}

/// What one section was taught otherwise, or what stands at one place causes.
fn of_group(room: &Room<'_>, by: &By, shared: &Shared) -> Card {
    let what = wording::pattern(room.protocol(), &shared.pattern);
    let (noun, name) = (room.noun(by), &shared.group);
    let people = *by == By::Section;
    let says = wording::taught(&what, (&noun, name), people, (shared.here, shared.elsewhere), shared.chance);
    let holds = |e: &Entry| group_of(e, None, by) == name && e.found.contains(&shared.pattern);
    let from = (0..room.entries.len()).find(|n| room.sees(*n) && holds(&room.entries[*n]));
    let ruling = from.map(|n| {
        let seat = room.seats[n];
        let kept_to = match by {
            By::Key(key) => format!("at={}", query(&format!("{key}={name}"))),
            _ => format!("section={}", seat.section_id),
        };
        format!("/rulings/new?sheet={}&pattern={}&{kept_to}", seat.sheet, query(&shared.pattern))
    });
    Card {
        head: if people {
            format!("{name} does one thing otherwise")
        } else {
            format!("{noun} {name} has one thing of its own")
        },
        note: match by {
            By::Key(key) => Some((key.clone(), name.clone())),
            _ => None,
        },
        note_says: says.clone(),
        says,
        ruling: ruling.map(|to| (to, "one ruling for them")),
    }
}
