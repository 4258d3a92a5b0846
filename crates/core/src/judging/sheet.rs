//! What the cells as they stand give: their values, what counts of them, what readings and columns
//! say of themselves, and the uncertainty of everything. No reported result is looked at here.

use super::propagate::{Propagated, propagate};
use super::table::Table;
use super::values::{self, Env, Out};
use super::{columns, counts, readings};
use crate::finding::{Finding, Findings};
use crate::protocol::Protocol;
use crate::section::Section;
use crate::submission::Submission;
use crate::verdict::OutlierTest;

/// What one table is judged by, whatever its cells say.
///
/// It is passed on by copy; nothing in it changes while a table is judged.
#[derive(Clone, Copy)]
pub(super) struct Stage<'a> {
    /// The lab as it is taught to the section.
    pub(super) protocol: &'a Protocol,
    /// The section's settings.
    pub(super) section: &'a Section,
    /// The table as it was handed in, with what a person corrected.
    pub(super) submission: &'a Submission,
}

/// The table worked out from its cells.
///
/// It is made anew for every story that alters a reading, since what counts and what stands apart
/// may turn on that reading.
pub(super) struct Sheet {
    /// Readings, constants and references alone.
    pub(super) measured: Env,
    /// Everything at full precision.
    pub(super) clean: Env,
    /// Rows left out, by group.
    pub(super) out: Out,
    /// Uncertainties, over the rows that count.
    pub(super) propagated: Propagated,
    /// Tests that were made.
    pub(super) outliers: Vec<OutlierTest>,
    /// Findings about readings and columns.
    pub(super) list: Vec<Finding>,
}

impl Sheet {
    /// Works the table out; settles which of its cells count.
    ///
    /// `table` is changed in one way: its cells learn whether they count. With a rule of rejection
    /// all is worked out twice, the first time with everything, because what stands apart is found
    /// in the values of results as well as in readings.
    pub(super) fn of(stage: Stage<'_>, table: &mut Table) -> Sheet {
        let Stage { protocol, section, submission } = stage;
        let mut list = Vec::new();
        let mut found = Findings::onto(&mut list);
        let measured = values::measured(protocol, section, submission, table);
        // Once with everything, to see what stands apart; then with what counts.
        let mut clean = measured.clone();
        if protocol.results.iter().any(|r| r.rejection.is_some()) {
            values::chain(protocol, &mut clean, &Vec::new(), table);
        }
        let (out, outliers) = counts::settle(protocol, table, &clean, section, &mut found);
        let mut clean = measured.clone();
        values::chain(protocol, &mut clean, &out, table);
        readings::cells(protocol, section, table, &clean, &mut found);
        columns::check(protocol, section, table, &clean, &mut found);
        let propagated = propagate(protocol, table, &out, &measured);
        Sheet { measured, clean, out, propagated, outliers, list }
    }
}
