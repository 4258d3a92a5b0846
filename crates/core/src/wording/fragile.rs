//! What a mark hangs on.
//!
//! A mark is fragile where another choice that can be defended gives other points. What it hangs on
//! is the question that a person is asked.

use super::counted::measured;
use super::reviewer::lacks;
use crate::finding::Fragile;
use crate::notation;

/// Why another defensible choice gives other points, as a clause.
///
/// # Example
/// ```
/// use jurado_core::{finding::Fragile, wording};
/// assert_eq!(wording::fragile(&Fragile::RepairOpen), "the repair is not yet accepted");
/// ```
pub fn fragile(fragile: &Fragile) -> String {
    match fragile {
        Fragile::RepairOpen => "the repair is not yet accepted".to_owned(),
        Fragile::AnotherSet => "another set agrees as well".to_owned(),
        Fragile::NearLimit { test, statistic, critical, beyond } => {
            let side = if *beyond { "within a tenth of its limit" } else { "just short of its limit" };
            format!("{}: {side}", measured(test, *statistic, *critical))
        }
        Fragile::Diagnosis(p) => format!("the diagnosis has {}", notation::chance(*p)),
        Fragile::Likeliest(p) => format!("the likeliest story has {}", notation::chance(*p)),
        Fragile::PlusMinusDigit => "one digit of the stated ± decides".to_owned(),
        Fragile::JustBeyond => "the difference is just beyond what is allowed".to_owned(),
        Fragile::Unjudged(needed) => lacks(*needed).to_owned(),
        Fragile::BandEdge { off, in_uncertainties, other, of } => {
            let measure = if *in_uncertainties { " standard uncertainties" } else { " %" };
            format!(
                "{}{measure} lies at a band’s edge: {other} of {of} with the last figure moved",
                notation::figures(*off, 2)
            )
        }
    }
}
