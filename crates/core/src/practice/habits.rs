//! What a reviewer's practice says of how that reviewer works: each habit with the tables that show
//! it.
//!
//! A habit is what shows in several tables of one class, named with those tables so that it can be
//! looked at again. None is told as a share of a person's worth.

use rust_decimal::Decimal;
use rust_decimal::prelude::ToPrimitive;

use super::Fate;
use crate::moderation::Field;

/// Fewer things of a kind than this say nothing of a habit.
pub const FEWEST: usize = 4;
/// Tables that have to be timed at each end of a class.
const FEWEST_TIMED: usize = 3;
/// Points a table, on average, from which one is called strict or mild.
const LEANING: f64 = 0.05;

/// A practice table as it was worked through.
#[derive(Clone, Debug, PartialEq)]
pub struct Worked {
    /// Number within the class.
    pub number: u32,
    /// What there was to find, and what became of it.
    pub acts: Vec<(Field, Fate)>,
    /// Charges without a cause.
    pub without: usize,
    /// Points given less points it is worth.
    pub off: Decimal,
    /// Seconds from the first look to the signature; `None` where that is not known.
    pub seconds: Option<i64>,
}

/// One habit. Tables are named by their numbers.
#[derive(Clone, Debug, PartialEq)]
pub enum Habit {
    /// Nothing of a kind passes.
    Finds {
        /// What part of a sheet the things found belong to.
        field: Field,
        /// Found, which is all.
        found: usize,
    },
    /// Things of a kind pass.
    Passes {
        /// What part of a sheet the things missed belong to.
        field: Field,
        /// How many of the planted things were missed.
        missed: usize,
        /// How many were planted in all tables worked through.
        planted: usize,
        /// Numbers of the tables in which it was seen, from 1.
        tables: Vec<u32>,
        /// How many of them were missed in a table in which something else was found.
        beside: usize,
    },
    /// One thing is charged more than once.
    Twice {
        /// Numbers of the tables in which it was seen, from 1.
        tables: Vec<u32>,
    },
    /// Something is charged that never happened.
    Without {
        /// Numbers of the tables in which it was seen, from 1.
        tables: Vec<u32>,
    },
    /// Points are given, or taken, beyond the truth on average.
    Leans {
        /// Mean of points given less points it is worth, a table.
        by: f64,
        /// How many tables the mean is taken over.
        tables: usize,
    },
    /// How long a table took at first and at the end, in seconds.
    Pace {
        /// Median of the first third.
        first: i64,
        /// Median of the last third.
        last: i64,
        /// Missed in the second half, and in all.
        missed: (usize, usize),
    },
}

/// Of an even number of values the upper of the middle two.
fn median(mut values: Vec<i64>) -> i64 {
    values.sort_unstable();
    values[values.len() / 2]
}

/// The habits that a class shows, those first that cost most.
///
/// A habit is told of a few tables at least, so that a single bad evening is none.
///
/// # Example
/// ```
/// use jurado_core::practice::habits;
/// // Nobody has a habit without tables.
/// assert!(habits(&[]).is_empty());
/// ```
pub fn habits(tables: &[Worked]) -> Vec<Habit> {
    let mut out = Vec::new();
    for field in Field::ALL {
        let of = |t: &Worked| t.acts.iter().filter(|a| a.0 == field).map(|a| a.1).collect::<Vec<Fate>>();
        let planted: usize = tables.iter().map(|t| of(t).len()).sum();
        let passed: Vec<(&Worked, usize)> =
            tables.iter().map(|t| (t, of(t).iter().filter(|f| !f.found).count())).filter(|(_, n)| *n > 0).collect();
        let missed: usize = passed.iter().map(|p| p.1).sum();
        if missed > 0 {
            let beside = passed.iter().filter(|(t, _)| t.acts.iter().any(|a| a.1.found)).map(|p| p.1).sum();
            let tables = passed.iter().map(|(t, _)| t.number).collect();
            out.push(Habit::Passes { field, missed, planted, tables, beside });
        } else if planted >= FEWEST {
            out.push(Habit::Finds { field, found: planted });
        }
    }
    // What passes is worth more words than what does not.
    out.sort_by_key(|h| match h {
        Habit::Passes { missed, .. } => (0, usize::MAX - missed),
        _ => (1, 0),
    });
    let with =
        |what: &dyn Fn(&Worked) -> bool| -> Vec<u32> { tables.iter().filter(|t| what(t)).map(|t| t.number).collect() };
    let twice = with(&|t| t.acts.iter().any(|a| a.1.twice));
    if !twice.is_empty() {
        out.push(Habit::Twice { tables: twice });
    }
    let without = with(&|t| t.without > 0);
    if !without.is_empty() {
        out.push(Habit::Without { tables: without });
    }
    let off: f64 = tables.iter().filter_map(|t| t.off.to_f64()).sum::<f64>() / tables.len().max(1) as f64;
    if tables.len() >= FEWEST && off.abs() > LEANING {
        out.push(Habit::Leans { by: off, tables: tables.len() });
    }
    let third = tables.len() / 3;
    let timed = |part: &[Worked]| part.iter().filter_map(|t| t.seconds).collect::<Vec<i64>>();
    if third >= FEWEST_TIMED {
        let (first, last) = (timed(&tables[..third]), timed(&tables[tables.len() - third..]));
        if first.len() >= FEWEST_TIMED && last.len() >= FEWEST_TIMED {
            let missed = |part: &[Worked]| part.iter().flat_map(|t| &t.acts).filter(|a| !a.1.found).count();
            let missed = (missed(&tables[tables.len() / 2..]), missed(tables));
            out.push(Habit::Pace { first: median(first), last: median(last), missed });
        }
    }
    out
}

#[cfg(test)]
mod tests {
    use rust_decimal::Decimal;

    use super::{Habit, Worked, habits};
    use crate::moderation::Field;
    use crate::practice::Fate;

    fn worked(number: u32, slips: &[bool], off: i64, seconds: Option<i64>) -> Worked {
        let fate = |found: &bool| (Field::Slips, Fate { found: *found, twice: false });
        Worked { number, acts: slips.iter().map(fate).collect(), without: 0, off: Decimal::new(off, 2), seconds }
    }

    #[test]
    fn four_of_a_kind_that_were_found_are_a_habit_and_three_are_none() {
        let of = |n: u32| habits(&(1..=n).map(|t| worked(t, &[true], 0, None)).collect::<Vec<_>>());
        assert_eq!(of(4), vec![Habit::Finds { field: Field::Slips, found: 4 }]);
        assert_eq!(of(3), Vec::new());
    }

    #[test]
    fn what_passes_names_its_tables_and_whether_something_else_was_found_there() {
        let told =
            habits(&[worked(2, &[true, false], 0, None), worked(5, &[false], 0, None), worked(9, &[true], 0, None)]);
        let passes = Habit::Passes { field: Field::Slips, missed: 2, planted: 4, tables: vec![2, 5], beside: 1 };
        assert_eq!(told, vec![passes]);
    }

    #[test]
    fn one_leans_from_a_twentieth_of_a_point_a_table_over_four_tables() {
        let leans = |n: u32, off: i64| {
            let all: Vec<Worked> = (1..=n).map(|t| worked(t, &[], off, None)).collect();
            habits(&all).iter().any(|h| matches!(h, Habit::Leans { .. }))
        };
        assert!(leans(4, 6) && leans(4, -6) && !leans(4, 5) && !leans(3, 6));
    }

    #[test]
    fn the_pace_is_told_of_nine_timed_tables_and_not_of_eight() {
        let pace = |n: u32| {
            let all: Vec<Worked> = (1..=n).map(|t| worked(t, &[t != n], 0, Some(i64::from(100 - 10 * t)))).collect();
            habits(&all).into_iter().find(|h| matches!(h, Habit::Pace { .. }))
        };
        assert_eq!(pace(9), Some(Habit::Pace { first: 80, last: 20, missed: (1, 1) }));
        assert_eq!(pace(8), None);
    }
}
