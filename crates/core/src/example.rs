//! A small lab for the examples of this documentation: a post of which girth and height are
//! measured, and the diameter and the area of its section worked out.

use crate::protocol::Protocol;
use crate::submission::{Submission, SubmittedCell};

/// Its protocol as text.
pub const LAB: &str = r#"
format = 1
id = "mooring-post"
version = 1
title = "Mooring post"
summary = "The girth and the height of a post."
possible = "4"
caution = ["Local safety rules and the responsible person on site decide."]
bay = [{ id = "post", title = "Post" }]
instrument = [{ id = "tape", title = "tape", unit = "cm", step = 0.1, limit = 0.1, limit_shared = true }]

[[reading]]
id = "girth"
title = "girth"
symbol = "g"
bay = "post"
unit = "cm"
instrument = "tape"
replicates = 3
plausible = [40, 200]

[[reading]]
id = "height"
title = "height"
symbol = "h"
bay = "post"
unit = "cm"
instrument = "tape"
plausible = [50, 300]

[[result]]
id = "diameter"
title = "diameter"
symbol = "d"
bay = "post"
unit = "cm"
formula = "mean(girth) / pi"
points = "2"
shape = "diameter"

[[result]]
id = "section"
title = "area of the section"
symbol = "A"
bay = "post"
unit = "cm^2"
formula = "pi * (diameter / 2)^2"
points = "1"

[[criterion]]
id = "calculation"
title = "Calculation"
points = "3"
rule = "calculation"

[[criterion]]
id = "complete"
title = "Completeness"
points = "1"
rule = "completeness"
each = "0.5"
"#;

/// The lab, compiled.
///
/// # Panics
/// Never: a test of this module loads it.
///
/// # Example
/// ```
/// use jurado_core::example::lab;
/// let lab = lab();
/// assert_eq!((lab.id.as_str(), lab.readings.len(), lab.results.len()), ("mooring-post", 2, 2));
/// ```
pub fn lab() -> Protocol {
    Protocol::parse(LAB).unwrap_or_else(|faults| panic!("{faults:?}"))
}

/// A table of it: three girths of 94.2, 94.3 and 94.1 cm, a height of 120.0 cm, and both results as
/// they are given.
///
/// # Example
/// ```
/// use jurado_core::example::{lab, table};
/// use jurado_core::judging::judge;
/// use jurado_core::verdict::VerdictKind;
/// // The mean girth was taken for the diameter, and the area follows from it.
/// let judged = judge(&lab(), &table("94.2", "6969"), &[], &[]);
/// let verdicts: Vec<VerdictKind> = judged.results.iter().map(|r| r.verdict).collect();
/// assert_eq!(verdicts, [VerdictKind::Slip, VerdictKind::Carried]);
/// ```
pub fn table(diameter: &str, section: &str) -> Submission {
    let cell = |item: &str, row: Option<u32>, value: &str| SubmittedCell {
        item: item.to_owned(),
        row,
        value: value.to_owned(),
        ..SubmittedCell::default()
    };
    let girths = ["94.2", "94.3", "94.1"];
    let mut cells: Vec<SubmittedCell> =
        girths.iter().zip(1..).map(|(girth, row)| cell("girth", Some(row), girth)).collect();
    cells.extend([cell("height", None, "120.0"), cell("diameter", None, diameter), cell("section", None, section)]);
    Submission { section: "Morning".to_owned(), team: "Heron".to_owned(), cells, ..Submission::default() }
}
