//! The rulings in force, as the judge reads them. Changing them is in [`super::rulings`], since tables are judged anew.

use diesel::prelude::*;
use jurado_core::decision::Ruling;

use crate::schema::{rulings, sections};
use crate::{Db, StoreError};

/// A pattern out of its text, under the number that it has.
pub(crate) fn parsed(id: u32, text: &str) -> Result<Ruling, StoreError> {
    let ruling: Ruling = serde_json::from_str(text).map_err(|e| StoreError::Broken(format!("ruling {id}: {e}")))?;
    Ok(Ruling { id: u64::from(id), ..ruling })
}

/// The rulings in force for a lab in a section, oldest first: those of the section's term, each under the name that the
/// section has now.
pub(crate) fn in_force(c: &mut Db, lab: u32, section: u32) -> Result<Vec<Ruling>, StoreError> {
    let rows: Vec<(u32, String, Option<u32>, String)> = rulings::table
        .inner_join(sections::table.on(sections::term_id.eq(rulings::term_id)))
        .filter(sections::id.eq(section))
        .filter(rulings::lab_id.eq(lab))
        .filter(rulings::withdrawn_at.is_null())
        .filter(rulings::section_id.is_null().or(rulings::section_id.eq(Some(section))))
        .order(rulings::id)
        .select((rulings::id, rulings::pattern, rulings::section_id, sections::name))
        .load(c.sql())?;
    rows.into_iter()
        .map(|(id, text, of, name)| Ok(Ruling { section: of.map(|_| name), ..parsed(id, &text)? }))
        .collect()
}
