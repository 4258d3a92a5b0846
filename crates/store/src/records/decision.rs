//! A decision on a submission. An undone one stays.

use chrono::NaiveDateTime;
use diesel::prelude::*;
use jurado_core::decision::Action;
use rust_decimal::Decimal;

use super::words::ActionWord;
use crate::StoreError;
use crate::schema::decisions;

/// A decision as it is kept.
#[derive(Clone, Debug, Queryable, Selectable)]
#[diesel(table_name = decisions)]
pub(crate) struct DecisionRecord {
    pub(crate) id: u32,
    pub(crate) finding: String,
    pub(crate) action: ActionWord,
    pub(crate) points: Option<Decimal>,
    pub(crate) reason: String,
    pub(crate) decided_at: NaiveDateTime,
    pub(crate) text: String,
}

/// A decision to be kept.
#[derive(Insertable)]
#[diesel(table_name = decisions)]
pub(crate) struct NewDecisionRecord<'a> {
    pub(crate) submission_id: u32,
    pub(crate) finding: &'a str,
    pub(crate) action: ActionWord,
    pub(crate) points: Option<Decimal>,
    pub(crate) reason: &'a str,
    pub(crate) user_id: u32,
    pub(crate) decided_at: NaiveDateTime,
    pub(crate) text: &'a str,
}

/// An action as its word and its points.
pub(crate) fn parts(action: Action) -> (ActionWord, Option<Decimal>) {
    match action {
        Action::Accept => (ActionWord::Accept, None),
        Action::Forgive => (ActionWord::Forgive, None),
        Action::Refuse => (ActionWord::Refuse, None),
        Action::Read => (ActionWord::Read, None),
        Action::LeaveOut => (ActionWord::LeaveOut, None),
        Action::Say => (ActionWord::Say, None),
        Action::Points(p) => (ActionWord::Points, Some(p)),
    }
}

/// The action of a word and its points.
pub(crate) fn action(word: ActionWord, points: Option<Decimal>) -> Result<Action, StoreError> {
    Ok(match word {
        ActionWord::Accept => Action::Accept,
        ActionWord::Forgive => Action::Forgive,
        ActionWord::Refuse => Action::Refuse,
        ActionWord::Read => Action::Read,
        ActionWord::LeaveOut => Action::LeaveOut,
        ActionWord::Say => Action::Say,
        ActionWord::Points => {
            let points = points.ok_or_else(|| StoreError::Broken("points without a number".to_owned()))?;
            Action::Points(points.normalize())
        }
    })
}
