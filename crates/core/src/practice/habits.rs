//! What a reviewer's practice says of how that reviewer works: each habit with the tables that show it.

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
        /// Kind.
        field: Field,
        /// Found, which is all.
        found: usize,
    },
    /// Things of a kind pass.
    Passes {
        /// Kind.
        field: Field,
        /// Missed.
        missed: usize,
        /// Planted.
        planted: usize,
        /// Where.
        tables: Vec<u32>,
        /// How many of them were missed in a table in which something else was found.
        beside: usize,
    },
    /// One thing is charged more than once.
    Twice {
        /// Where.
        tables: Vec<u32>,
    },
    /// Something is charged that never happened.
    Without {
        /// Where.
        tables: Vec<u32>,
    },
    /// Points are given, or taken, beyond the truth on average.
    Leans {
        /// Mean of points given less points it is worth, a table.
        by: f64,
        /// Tables.
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

fn median(mut values: Vec<i64>) -> i64 {
    values.sort_unstable();
    values[values.len() / 2]
}

/// The habits that a class shows, those first that cost most.
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
