//! What practice shows of how a reviewer works, in words for that reviewer.

use crate::moderation::Field;
use crate::notation::{self, capital, counted};
use crate::practice::{FEWEST, Habit};

use super::lists::counted_out;

/// One thing of a kind, as a sentence names it.
///
/// # Example
/// ```
/// use jurado_core::{moderation::Field, wording::practice};
/// assert_eq!(practice::kind(Field::Stated), "a stated ±");
/// ```
pub fn kind(field: Field) -> &'static str {
    match field {
        Field::Slips => "a slip",
        Field::Digits => "a digit or a unit",
        Field::LeftOut => "a reading left out, or not",
        Field::Stated => "a stated ±",
        Field::Missing => "something missing",
        Field::Rest => "what is the station’s or the table’s",
    }
}

/// “1 min 20 s”.
fn lasted(seconds: i64) -> String {
    match (seconds / 60, seconds % 60) {
        (0, s) => format!("{s} s"),
        (m, 0) => format!("{m} min"),
        (m, s) => format!("{m} min {s} s"),
    }
}

/// A habit in a sentence, and whether it rests on too little to be called one.
///
/// # Example
/// ```
/// use jurado_core::moderation::Field;
/// use jurado_core::practice::Habit;
/// let (said, rests_on_little) = jurado_core::wording::practice::habit(&Habit::Finds { field: Field::Slips, found: 8 });
/// assert_eq!((said.as_str(), rests_on_little), ("A slip does not pass you: 8 of 8.", false));
/// ```
pub fn habit(habit: &Habit) -> (String, bool) {
    match habit {
        Habit::Finds { field, found } => {
            (format!("{} does not pass you: {found} of {found}.", capital(kind(*field))), false)
        }
        Habit::Passes { field, missed, planted, tables, beside } => {
            let after = match beside {
                0 => "",
                n if n == missed && *n == 1 => ", where you had found something else",
                n if n == missed => ", each where you had found something else",
                _ => "",
            };
            let at = if tables.len() == 1 { "table" } else { "tables" };
            let says = format!(
                "{} passes you: {missed} of {planted}, in {at} {}{after}.",
                capital(kind(*field)),
                counted_out(tables)
            );
            (says, *planted < FEWEST)
        }
        Habit::Twice { tables } => (
            format!(
                "You charged one thing more than once, in {}: what follows rightly from it costs nothing.",
                counted_out(tables)
            ),
            tables.len() < 2,
        ),
        Habit::Without { tables } => {
            (format!("You charged something that never happened, in {}.", counted_out(tables)), tables.len() < 2)
        }
        Habit::Leans { by, tables } => {
            let way = if *by > 0.0 { "more" } else { "less" };
            let by = notation::to_place(by.abs(), -2);
            (
                format!(
                    "On average over {} you gave {by} points {way} than a table is worth.",
                    counted(*tables, "table")
                ),
                false,
            )
        }
        Habit::Pace { first, last, missed } => {
            let half = match missed {
                (late, all) if late * 2 > *all => format!("; {late} of {all} missed lie in the second half"),
                _ => String::new(),
            };
            let (first, last) = (lasted(*first), lasted(*last));
            (
                format!("A table took you {first} at first and {last} at the end{half}."),
                !half.is_empty() && missed.1 < FEWEST,
            )
        }
    }
}

#[cfg(test)]
mod tests {
    use super::habit;
    use crate::moderation::Field;
    use crate::practice::Habit;

    #[test]
    fn a_habit_is_told_with_its_tables_and_one_that_rests_on_little_says_so() {
        let passes = |missed, planted, tables: &[u32], beside| Habit::Passes {
            field: Field::Stated,
            missed,
            planted,
            tables: tables.to_vec(),
            beside,
        };
        for (h, says, few) in [
            (Habit::Finds { field: Field::Slips, found: 7 }, "A slip does not pass you: 7 of 7.", false),
            (passes(1, 3, &[6], 0), "A stated ± passes you: 1 of 3, in table 6.", true),
            (
                passes(2, 4, &[9, 16], 2),
                "A stated ± passes you: 2 of 4, in tables 9, 16, each where you had found something else.",
                false,
            ),
            (passes(2, 4, &[9, 16], 1), "A stated ± passes you: 2 of 4, in tables 9, 16.", false),
            (
                Habit::Leans { by: -0.281, tables: 16 },
                "On average over 16 tables you gave 0.28 points less than a table is worth.",
                false,
            ),
            (
                Habit::Pace { first: 140, last: 60, missed: (4, 5) },
                "A table took you 2 min 20 s at first and 1 min at the end; 4 of 5 missed lie in the second half.",
                false,
            ),
        ] {
            assert_eq!(habit(&h), (says.to_owned(), few));
        }
    }
}
