//! What went back to a team, each time.

use chrono::NaiveDateTime;
use diesel::prelude::*;
use rust_decimal::Decimal;

use crate::schema::went_out;

/// A sheet as it went out.
#[derive(Clone, Debug, Queryable, Selectable)]
#[diesel(table_name = went_out)]
pub(crate) struct WentOutRecord {
    pub(crate) sheet_id: u32,
    pub(crate) points: Decimal,
    pub(crate) possible: Decimal,
    pub(crate) score_lines: String,
    pub(crate) outcome: String,
    pub(crate) protocol_id: Option<u32>,
    pub(crate) judged_from: Option<String>,
    pub(crate) at: NaiveDateTime,
    pub(crate) reason: String,
}

/// A sheet that goes out.
#[derive(Insertable)]
#[diesel(table_name = went_out)]
pub(crate) struct NewWentOut {
    pub(crate) sheet_id: u32,
    pub(crate) number: u32,
    pub(crate) points: Decimal,
    pub(crate) possible: Decimal,
    pub(crate) score_lines: String,
    pub(crate) outcome: String,
    pub(crate) protocol_id: Option<u32>,
    pub(crate) judged_from: Option<String>,
    pub(crate) user_id: Option<u32>,
    pub(crate) at: NaiveDateTime,
    pub(crate) reason: String,
}
