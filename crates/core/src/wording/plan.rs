//! What to measure next, in words for the bench: what to do with its number, and by what it is
//! told.
//!
//! A step is said as it would be said at the bench: what to do next, to which reading, in the units
//! and digits of the instrument in hand.

use crate::formula::ItemId;
use crate::notation::{self, capital, counted};
use crate::plan::Step;
use crate::protocol::Protocol;

/// A number of a column, as its instrument writes it, or to the last figure that a tolerance
/// leaves.
fn number(protocol: &Protocol, item: ItemId, value: f64, fine: f64) -> String {
    let instrument = protocol.reading_of(item).and_then(|r| r.instrument).map(|i| protocol.instruments[i].step);
    let step = instrument.filter(|s| *s > 0.0).unwrap_or(fine / 2.0);
    notation::to_place(value, crate::quantity::leading_place(step))
}

/// A reading of a step, as its instrument writes it, without its unit.
///
/// # Example
/// ```
/// use jurado_core::example::lab;
/// use jurado_core::wording::reading;
/// let lab = lab();
/// // A tape with steps of a millimetre shows tenths of a centimetre.
/// let girth = lab.item("girth").expect("a reading");
/// assert_eq!(reading(&lab, girth, 94.0), "94.0");
/// ```
pub fn reading(protocol: &Protocol, item: ItemId, value: f64) -> String {
    number(protocol, item, value, 1.0)
}

/// A step in a sentence.
///
/// # Example
/// ```
/// use jurado_core::example::lab;
/// use jurado_core::plan::Step;
/// use jurado_core::row::Row;
/// use jurado_core::wording::step;
/// let lab = lab();
/// let girth = lab.item("girth").expect("a reading");
/// let told = step(&lab, &Step::Size { item: girth, row: Row::at(3), size: 0.5, tolerance: 0.1 });
/// assert!(told.contains("0.5"), "{told}");
/// ```
pub fn step(protocol: &Protocol, step: &Step) -> String {
    let unit = |item: ItemId| protocol.items[item].unit_after();
    let title = |item: ItemId| protocol.items[item].title.as_str();
    match step {
        Step::Runs { column, agree, asked, within, band } => {
            let (n, unit) = (|v: f64| number(protocol, *column, v, *within), unit(*column));
            let within = notation::figures(*within, 2);
            let so_far = match agree {
                0 | 1 => format!(
                    "{} of the {} within {within}{unit} are asked.",
                    capital(&counted(*asked, "run")),
                    title(*column)
                ),
                _ if agree >= asked => {
                    return format!(
                        "{} agree within {within}{unit}: that is what is asked.",
                        capital(&counted(*agree, "run"))
                    );
                }
                _ => format!("{agree} of {asked} runs agree within {within}{unit}."),
            };
            match band {
                Some((low, high)) => {
                    format!("{so_far} One more agrees from {} to {}{unit}.", n(*low), n(*high))
                }
                None => so_far,
            }
        }
        Step::End { item, row, expected, quickly, band, by, .. } => {
            let (n, unit) = (|v: f64| number(protocol, *item, v, 1.0), unit(*item));
            let rows: Vec<String> = by.iter().map(ToString::to_string).collect();
            let by = format!("by {} {}", if rows.len() == 1 { "run" } else { "runs" }, rows.join(" and "));
            let go = quickly.map_or_else(String::new, |q| format!(" Go quickly to {}, then drop by drop.", n(q)));
            let agrees = band.map_or_else(String::new, |(low, high)| {
                format!(" The run agrees if it ends from {} to {}.", n(low), n(high))
            });
            format!("Run {row}: the {} is expected near {}{unit}, {by}.{go}{agrees}", title(*item), n(*expected))
        }
        Step::Size { item, row, size, tolerance } => {
            let (size, off) = (notation::figures(*size, 2), notation::figures(*tolerance, 1));
            format!("Row {row} of the {}: the next step is {size}{}, give or take {off}.", title(*item), unit(*item))
        }
    }
}
