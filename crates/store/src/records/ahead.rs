//! What a table will show once a job is switched on.

use diesel::prelude::*;
use rust_decimal::Decimal;

use super::sheet::Derived;
use super::words::MarkWord;
use crate::schema::judged_ahead;

/// A verdict made ahead, for the version of the sheet it was made from.
#[derive(Insertable)]
#[diesel(table_name = judged_ahead)]
pub(crate) struct Ahead {
    job_id: u32,
    sheet_id: u32,
    version: u32,
    awarded: Decimal,
    decided: Decimal,
    possible: Decimal,
    open_findings: u32,
    hanging: Decimal,
    mark: MarkWord,
    headline: String,
    profile: String,
    judged_with: String,
    outcome: String,
    pattern: String,
    patterns: String,
    essence: String,
    moved: String,
}

impl Ahead {
    pub(crate) fn new(job_id: u32, sheet_id: u32, version: u32, d: Derived) -> Ahead {
        Ahead {
            job_id,
            sheet_id,
            version,
            awarded: d.awarded,
            decided: d.decided,
            possible: d.possible,
            open_findings: d.open_findings,
            hanging: d.hanging,
            mark: d.mark,
            headline: d.headline,
            profile: d.profile,
            judged_with: d.judged_with,
            outcome: d.outcome,
            pattern: d.pattern,
            patterns: d.patterns,
            essence: d.essence,
            moved: d.moved,
        }
    }
}
