//! A sheet: one team's place in one lab.

use chrono::NaiveDateTime;
use diesel::prelude::*;
use jurado_core::class::Essence;
use jurado_core::moderation::Moved;
use jurado_core::summary::Summary;
use rust_decimal::Decimal;

use super::words::{MarkWord, SheetState};
use crate::schema::sheets;

/// What is read of a sheet before it is judged.
#[derive(Clone, Debug, Queryable, Selectable)]
#[diesel(table_name = sheets)]
pub(crate) struct Head {
    pub(crate) id: u32,
    pub(crate) lab_id: u32,
    pub(crate) section_id: u32,
    pub(crate) team_id: u32,
    pub(crate) submission_id: Option<u32>,
    pub(crate) version: u32,
    pub(crate) state: SheetState,
    pub(crate) returned_at: Option<NaiveDateTime>,
    pub(crate) returns: u32,
    pub(crate) taken_by: Option<u32>,
    pub(crate) taken_until: Option<NaiveDateTime>,
    pub(crate) changed: String,
    pub(crate) changed_by: String,
    pub(crate) removal_id: Option<u32>,
}

/// A sheet that nothing has been handed in for yet.
#[derive(Insertable)]
#[diesel(table_name = sheets)]
pub(crate) struct NewSheet {
    lab_id: u32,
    team_id: u32,
    section_id: u32,
    version: u32,
    state: SheetState,
    station: &'static str,
    awarded: Decimal,
    decided: Decimal,
    possible: Decimal,
    open_findings: u32,
    hanging: Decimal,
    mark: &'static str,
    headline: &'static str,
    profile: &'static str,
    judged_with: &'static str,
}

impl NewSheet {
    pub(crate) fn new(lab_id: u32, team_id: u32, section_id: u32) -> NewSheet {
        NewSheet {
            lab_id,
            team_id,
            section_id,
            version: 0,
            state: SheetState::Waiting,
            station: "",
            awarded: Decimal::ZERO,
            decided: Decimal::ZERO,
            possible: Decimal::ZERO,
            open_findings: 0,
            hanging: Decimal::ZERO,
            mark: "agrees",
            headline: "",
            profile: "",
            judged_with: "",
        }
    }
}

/// What is kept of a verdict beside its sheet: it can always be worked out anew.
#[derive(Clone, Debug, PartialEq, Queryable, Selectable, AsChangeset)]
#[diesel(table_name = sheets)]
pub(crate) struct Derived {
    pub(crate) awarded: Decimal,
    pub(crate) decided: Decimal,
    pub(crate) possible: Decimal,
    pub(crate) open_findings: u32,
    pub(crate) hanging: Decimal,
    pub(crate) mark: MarkWord,
    pub(crate) headline: String,
    pub(crate) profile: String,
    pub(crate) judged_with: String,
    pub(crate) outcome: String,
    pub(crate) pattern: String,
    pub(crate) patterns: String,
    /// What its class needs of it.
    pub(crate) essence: String,
    /// What persons changed of it.
    pub(crate) moved: String,
}

impl Derived {
    /// What is kept of a verdict that was made with `judged_with`.
    pub(crate) fn of(summary: Summary, essence: &Essence, moved: &Moved, judged_with: &str) -> Derived {
        Derived {
            awarded: summary.awarded,
            decided: summary.decided,
            possible: summary.possible,
            open_findings: summary.open,
            hanging: summary.hanging,
            mark: MarkWord(summary.mark),
            headline: summary.headline,
            profile: summary.profile,
            judged_with: judged_with.to_owned(),
            outcome: outcome_digest(&summary.outcome),
            pattern: summary.pattern,
            patterns: summary.patterns,
            essence: essence.to_text(),
            moved: moved.to_text(),
        }
    }
}

/// The points of every criterion as sixteen letters.
pub(crate) fn outcome_digest(outcome: &str) -> String {
    crate::digest(outcome.as_bytes())[..16].to_owned()
}

/// A change of a sheet that makes a new version of it: who, and what in a few words.
#[derive(AsChangeset)]
#[diesel(table_name = sheets)]
pub(crate) struct Turn {
    pub(crate) version: u32,
    pub(crate) state: SheetState,
    pub(crate) signed_by: Option<Option<u32>>,
    pub(crate) signed_at: Option<Option<NaiveDateTime>>,
    pub(crate) changed: String,
    pub(crate) changed_by: String,
}

impl Turn {
    /// The next version of a sheet, waiting again, whatever it was.
    pub(crate) fn waiting(version: u32, by: &str, changed: &str) -> Turn {
        Turn {
            version,
            state: SheetState::Waiting,
            signed_by: Some(None),
            signed_at: Some(None),
            changed: changed.chars().take(290).collect(),
            changed_by: by.chars().take(80).collect(),
        }
    }
}
