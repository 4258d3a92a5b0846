//! What is told of a class: in fair words, of what stands at a place before of who works there.
//!
//! Numbers over a class point at places before people. Each sentence says what is alike or apart,
//! how likely that is by chance, and which honest cause would explain it; what it means is for a
//! person to find out.

use crate::notation;

/// "By chance, less than 1 in 10 000".
///
/// # Example
/// ```
/// assert_eq!(jurado_core::wording::by_chance(0.02), "By chance, about 1 in 50.");
/// assert_eq!(jurado_core::wording::by_chance(1e-9), "By chance, less than 1 in a million.");
/// ```
pub fn by_chance(chance: f64) -> String {
    let odds = if chance < 1e-6 {
        "less than 1 in a million".to_owned()
    } else if chance < 1e-4 {
        "less than 1 in 10\u{a0}000".to_owned()
    } else if chance < 1e-3 {
        "less than 1 in 1000".to_owned()
    } else {
        format!("about 1 in {:.0}", 1.0 / chance.min(1.0))
    };
    format!("By chance, {odds}.")
}

/// What one group shares and others do not: `by` is what groups are called, and the group's name;
/// `people` are taught together where it is a section.
///
/// # Example
/// ```
/// let said = jurado_core::wording::taught("radius for diameter", ("section", "Morning"), true, ((12, 14), (1, 70)), 1e-9);
/// assert!(said.starts_with("12 of 14 tables of section Morning, 1 of 70 elsewhere: radius for diameter; taught so?"));
/// ```
pub fn taught(what: &str, (noun, name): (&str, &str), people: bool, (here, elsewhere): Counts, chance: f64) -> String {
    let why = if people { "taught so?" } else { "because of what stands there?" };
    format!(
        "{} of {} tables of {noun} {name}, {} of {} elsewhere: {what}; {why} {}",
        here.0,
        here.1,
        elsewhere.0,
        elsewhere.1,
        by_chance(chance)
    )
}

/// Tables that have it of how many: here and elsewhere.
pub type Counts = ((usize, usize), (usize, usize));

/// Two tables that share what was typed.
///
/// # Example
/// ```
/// let said = jurado_core::wording::shared("Heron", "Knot", (14, 16), 1e-9);
/// assert!(said.starts_with("Worth a look: Heron and Knot have 14 of 16 readings alike."));
/// ```
pub fn shared(one: &str, other: &str, (alike, cells): (usize, usize), chance: f64) -> String {
    format!(
        "Worth a look: {one} and {other} have {alike} of {cells} readings alike. {} One display read by both, or one sheet \
         written for both, would explain it.",
        by_chance(chance)
    )
}

/// Tables with the same formulas, `of` all that have any.
///
/// # Example
/// ```
/// let said = jurado_core::wording::same_book(&["Heron".into(), "Knot".into()], (7, 3), 30);
/// assert!(said.ends_with("One sheet handed out, or written together, would explain it."));
/// ```
pub fn same_book(names: &[String], (formulas, own): (u32, u32), of: usize) -> String {
    let list = match names {
        [all @ .., last] if !all.is_empty() => format!("{} and {last}", all.join(", ")),
        names => names.join(""),
    };
    let why = match 2 * names.len() > of {
        true => "More than half of the tables with formulas have them: it looks like a sheet that was handed out.",
        false => "One sheet handed out, or written together, would explain it.",
    };
    format!(
        "Worth a look: {list} have the same {} to the letter, with the same {} of their own beside the sheet. {why}",
        notation::counted(formulas as usize, "formula"),
        notation::counted(own as usize, "cell"),
    )
}

/// Of what a group is.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Who {
    /// People who are taught together.
    Section,
    /// Tables that one person decided.
    Reviewer,
    /// What stands at one place.
    Place,
}

/// What a named group does: `off` with its sign and unit, `teams` on its side of how many.
///
/// # Example
/// ```
/// use jurado_core::wording::{Who, effect};
/// let said = effect(Who::Place, ("station", "3"), "0.4 %", true, (11, 12));
/// assert_eq!(said, "Station 3 reads high by 0.4 %, 11 teams of 12. More likely what stands there than the teams.");
/// ```
pub fn effect(who: Who, (noun, name): (&str, &str), off: &str, high: bool, teams: (usize, usize)) -> String {
    let side =
        if teams.0 == teams.1 { format!("all {} teams", teams.1) } else { format!("{} teams of {}", teams.0, teams.1) };
    let direction = if high { "high" } else { "low" };
    match who {
        Who::Section => {
            format!(
                "{} {name} stands {direction} by {off}, {side}. Was it taught, or prepared, in another way?",
                notation::capital(noun)
            )
        }
        Who::Reviewer => format!(
            "Tables decided by {name} stand {direction} by {off}, {side}. It is the readings that differ, not the marks."
        ),
        Who::Place => format!(
            "{} {name} reads {direction} by {off}, {side}. More likely what stands there than the teams.",
            notation::capital(noun)
        ),
    }
}
