//! What people type into forms, one rule for each idea: its limit is that of the column which keeps it and stands in the
//! form's `maxlength` too, and what is wrong is told in the same words everywhere.

mod number;
mod text;

pub(crate) use number::{number, points};
pub(crate) use text::{
    ADDRESS, ANSWER, CELL, CODE, COLLEGE, EXAMPLE, EXPLANATION, NAME, PASSWORD, PERSON, PLUS_MINUS, QUESTION, REASON,
    REMARK, SAYING, SCHOOL, SECOND, SECRET, SIGN_IN, STATION, STOREROOM, STUDENT, STUDENT_NUMBER, TOKEN_NAME, WAIVER,
    WORD,
};
