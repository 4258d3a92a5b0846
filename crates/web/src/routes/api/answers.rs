//! What the interface answers. Numbers that are decided, such as points, are texts of a decimal number: no digit is lost.

use jurado_core::error::Fault;
use jurado_store::{DocketRow, Lab};
use serde::Serialize;
use utoipa::ToSchema;

/// What is wrong, and how to mend it.
#[derive(Serialize, ToSchema)]
pub(super) struct Told {
    pub(super) what: String,
    pub(super) mend: String,
}

/// A lab.
#[derive(Serialize, ToSchema)]
pub(super) struct LabAnswer {
    /// Its name in this interface.
    #[schema(example = "keel-plate")]
    pub(super) id: String,
    title: String,
    /// Version of the protocol in force.
    version: u32,
}

impl LabAnswer {
    pub(super) fn new(lab: &Lab) -> LabAnswer {
        let p = &lab.protocol;
        LabAnswer { id: p.id.clone(), title: p.title.clone(), version: p.version }
    }
}

/// A table and how it stands.
#[derive(Serialize, ToSchema)]
pub(super) struct TableAnswer {
    id: u32,
    section: String,
    team: String,
    station: String,
    /// `waiting`, `signed` or `returned`.
    state: &'static str,
    /// Points as decided so far.
    #[schema(example = "17.5")]
    points: String,
    possible: String,
    /// Findings that want a person.
    open: u32,
    /// The verdict that most wants a person.
    #[schema(example = "slip")]
    mark: &'static str,
}

impl TableAnswer {
    pub(super) fn new(r: &DocketRow) -> TableAnswer {
        TableAnswer {
            id: r.id,
            section: r.section.clone(),
            team: r.team.clone(),
            station: r.station.clone(),
            state: r.state.word(),
            points: r.decided.normalize().to_string(),
            possible: r.possible.normalize().to_string(),
            open: r.open_findings,
            mark: r.mark.word(),
        }
    }
}

/// A row of a file that waits in quarantine.
#[derive(Serialize, ToSchema)]
pub(super) struct HeldAnswer {
    line: usize,
    column: usize,
    what: String,
    mend: String,
}

impl HeldAnswer {
    pub(super) fn new(fault: &Fault) -> HeldAnswer {
        HeldAnswer { line: fault.line, column: fault.column, what: fault.what.clone(), mend: fault.mend.clone() }
    }
}

/// What bringing a file did.
#[derive(Serialize, ToSchema)]
pub(super) struct BroughtAnswer {
    /// Its number under Intake.
    pub(super) import: u32,
    /// Tables that are new.
    pub(super) new: usize,
    /// Tables that are a new revision.
    pub(super) revised: usize,
    /// Tables that were there already, the same.
    pub(super) unchanged: usize,
    /// Rows that could not be used.
    pub(super) held: Vec<HeldAnswer>,
}

/// A mark that has been returned.
#[derive(Serialize, ToSchema)]
pub(super) struct MarkAnswer {
    section: String,
    team: String,
    /// Number of the student; empty for a team without students.
    student: String,
    name: String,
    lab: String,
    protocol_version: String,
    #[schema(example = "17.5")]
    points: String,
    possible: String,
    returned_at: String,
}

impl MarkAnswer {
    /// Of a line of the marks file, whose columns these are.
    pub(super) fn of_line(line: Vec<String>) -> Option<MarkAnswer> {
        let [section, team, student, name, lab, protocol_version, points, possible, returned_at] =
            <[String; 9]>::try_from(line).ok()?;
        Some(MarkAnswer { section, team, student, name, lab, protocol_version, points, possible, returned_at })
    }
}
