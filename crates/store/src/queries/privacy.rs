//! What is kept of one person: given on request, erased on request, and kept no longer than the course says. What a team
//! handed in and what was decided on it stays, since it is the work of several; that it was this person's does not.

use chrono::{Months, NaiveDateTime};
use diesel::prelude::*;
use serde_json::{Value, json};

use super::course::reason;
use super::users::{self, User};
use super::{events, settings};
use crate::schema::{
    api_tokens, attachments, college_accounts, college_students, decisions, draft_books, drafts, events as event_table,
    hand_ins, invitations, labs, moderation_words, outbox, practice_classes, practice_examples, practice_tables,
    questions, room_readings, second_factors, second_marks, sections, sheets, students, team_codes, teams, terms,
    user_sections, users as user_table, went_out,
};
use crate::{Db, StoreError};

/// How the number of a student who was erased begins.
const ERASED: &str = "erased ";

/// A row of the roster, of whichever term.
struct Listed {
    id: u32,
    team: u32,
}

/// The rows of a student, of all terms.
fn listed(c: &mut Db, number: &str) -> Result<Vec<Listed>, StoreError> {
    let number = number.trim();
    let rows: Vec<(u32, u32)> = students::table
        .filter(students::number.eq(number))
        .order(students::id)
        .select((students::id, students::team_id))
        .load(c.sql())?;
    if rows.is_empty() || number.starts_with(ERASED) {
        return Err(StoreError::NotFound("student with this number"));
    }
    Ok(rows.into_iter().map(|(id, team)| Listed { id, team }).collect())
}

/// Whether a student is the only one of a team who is not erased: then the team is that student.
fn alone(c: &mut Db, at: &Listed) -> Result<bool, StoreError> {
    let others: i64 = students::table
        .filter(students::team_id.eq(at.team))
        .filter(students::id.ne(at.id))
        .filter(students::number.not_like(format!("{ERASED}%")))
        .count()
        .get_result(c.sql())?;
    Ok(others == 0)
}

/// All that is kept of a student, over all terms: the roster, what went out to the team, when it was handed in, questions,
/// pictures and scores sent. Of other students of the team nothing.
///
/// # Errors
/// [`StoreError::NotFound`]; faults of the database.
pub fn export_student(c: &mut Db, number: &str, user: &User) -> Result<Value, StoreError> {
    let rows = listed(c, number)?;
    let mut listings = Vec::new();
    for at in &rows {
        type Row = (String, String, Option<NaiveDateTime>, String, u32, String, String);
        let (number, name, left_at, left_why, term, team, section): Row = students::table
            .inner_join(teams::table.inner_join(sections::table))
            .filter(students::id.eq(at.id))
            .select((
                students::number,
                students::name,
                students::left_at,
                students::left_why,
                students::term_id,
                teams::name,
                sections::name,
            ))
            .first(c.sql())?;
        let term: Option<String> = terms::table.find(term).select(terms::name).first(c.sql()).optional()?;
        listings.push(json!({
            "number": number, "name": name, "term": term, "section": section, "team": team,
            "left": left_at.map(told), "left because": left_why,
            "sheets returned": returned(c, at.team)?,
            "handed in": handed_in(c, at.team)?,
            "questions": asked(c, at.team)?,
            "pictures": pictures(c, at.team)?,
            "scores for the gradebook": scores(c, at.id)?,
        }));
    }
    events::note(c, Some(user.id), "student's data given", &format!("student {}", rows[0].id))?;
    Ok(json!({ "student": listings }))
}

fn told(at: NaiveDateTime) -> String {
    at.format("%Y-%m-%d %H:%M UTC").to_string()
}

fn returned(c: &mut Db, team: u32) -> Result<Value, StoreError> {
    let rows: Vec<(String, u32, String, NaiveDateTime)> = went_out::table
        .inner_join(sheets::table.on(sheets::id.eq(went_out::sheet_id)))
        .inner_join(labs::table.on(labs::id.eq(sheets::lab_id)))
        .filter(sheets::team_id.eq(team))
        .order((labs::slug, went_out::number))
        .select((labs::slug, went_out::number, went_out::score_lines, went_out::at))
        .load(c.sql())?;
    let line = |(lab, number, lines, at): (String, u32, String, NaiveDateTime)| {
        let lines: Value = serde_json::from_str(&lines).unwrap_or(Value::Null);
        json!({ "lab": lab, "time": number, "at": told(at), "lines": lines })
    };
    Ok(rows.into_iter().map(line).collect())
}

fn handed_in(c: &mut Db, team: u32) -> Result<Value, StoreError> {
    let rows: Vec<(String, NaiveDateTime, String, Option<u32>)> = hand_ins::table
        .inner_join(labs::table.on(labs::id.eq(hand_ins::lab_id)))
        .filter(hand_ins::team_id.eq(team))
        .order(hand_ins::id)
        .select((labs::slug, hand_ins::handed_in_at, hand_ins::digest, hand_ins::minutes_late))
        .load(c.sql())?;
    let line = |(lab, at, digest, late): (String, NaiveDateTime, String, Option<u32>)| json!({ "lab": lab, "at": told(at), "digest": digest, "minutes late": late });
    Ok(rows.into_iter().map(line).collect())
}

fn asked(c: &mut Db, team: u32) -> Result<Value, StoreError> {
    let rows: Vec<(String, String, NaiveDateTime, String)> = questions::table
        .inner_join(sheets::table.on(sheets::id.eq(questions::sheet_id)))
        .filter(sheets::team_id.eq(team))
        .order(questions::id)
        .select((questions::says, questions::body, questions::asked_at, questions::answer))
        .load(c.sql())?;
    let line = |(on, body, at, answer): (String, String, NaiveDateTime, String)| json!({ "on": on, "asked": body, "at": told(at), "answer": answer });
    Ok(rows.into_iter().map(line).collect())
}

fn pictures(c: &mut Db, team: u32) -> Result<Value, StoreError> {
    let rows: Vec<(String, String, String, NaiveDateTime)> = attachments::table
        .filter(attachments::team_id.eq(team))
        .order(attachments::id)
        .select((attachments::file_name, attachments::about, attachments::digest, attachments::at))
        .load(c.sql())?;
    let line = |(name, about, digest, at): (String, String, String, NaiveDateTime)| json!({ "file": name, "shows": about, "digest": digest, "at": told(at) });
    Ok(rows.into_iter().map(line).collect())
}

fn scores(c: &mut Db, student: u32) -> Result<Value, StoreError> {
    let rows: Vec<(String, String, Option<NaiveDateTime>)> = outbox::table
        .inner_join(labs::table.on(labs::id.eq(outbox::lab_id)))
        .filter(outbox::student_id.eq(student))
        .order(outbox::id)
        .select((labs::slug, outbox::state, outbox::sent_at))
        .load(c.sql())?;
    let line = |(lab, state, at): (String, String, Option<NaiveDateTime>)| json!({ "lab": lab, "state": state, "sent": at.map(told) });
    Ok(rows.into_iter().map(line).collect())
}

/// Erases a student from the rosters of all terms: name and number, scores that wait, and, of a team that nobody else is in,
/// its name, drafts, pictures, code and what it asked. Its tables and their points stay. Gives how many rows of the roster
/// there were.
///
/// # Errors
/// [`StoreError::Bad`] without a reason; [`StoreError::NotFound`]; faults of the database.
pub fn erase_student(c: &mut Db, number: &str, why: &str, user: &User) -> Result<usize, StoreError> {
    let why = reason(why)?;
    let rows = listed(c, number)?;
    for at in &rows {
        erase(c, at)?;
    }
    events::note_why(c, Some(user.id), "student erased", &format!("student {}", rows[0].id), why)?;
    Ok(rows.len())
}

fn erase(c: &mut Db, at: &Listed) -> Result<(), StoreError> {
    let now = c.now()?;
    if alone(c, at)? {
        diesel::delete(drafts::table.filter(drafts::team_id.eq(at.team))).execute(c.sql())?;
        diesel::delete(draft_books::table.filter(draft_books::team_id.eq(at.team))).execute(c.sql())?;
        diesel::delete(room_readings::table.filter(room_readings::team_id.eq(at.team))).execute(c.sql())?;
        diesel::delete(team_codes::table.find(at.team)).execute(c.sql())?;
        diesel::delete(attachments::table.filter(attachments::team_id.eq(at.team))).execute(c.sql())?;
        let mine = sheets::table.filter(sheets::team_id.eq(at.team)).select(sheets::id);
        let own: Vec<u32> = mine.load(c.sql())?;
        diesel::update(questions::table.filter(questions::sheet_id.eq_any(own)))
            .set(questions::body.eq("erased"))
            .execute(c.sql())?;
        diesel::update(teams::table.find(at.team))
            .set(teams::name.eq(format!("{ERASED}{}", at.team)))
            .execute(c.sql())?;
    }
    let waits = outbox::table.filter(outbox::student_id.eq(at.id)).filter(outbox::state.eq("waiting"));
    diesel::delete(waits).execute(c.sql())?;
    let number = students::table.find(at.id).select(students::number).first::<String>(c.sql())?;
    diesel::delete(college_students::table.find(number)).execute(c.sql())?;
    diesel::update(students::table.find(at.id))
        .set((
            students::name.eq("erased"),
            students::number.eq(format!("{ERASED}{}", at.id)),
            students::left_at.eq(Some(now)),
            students::left_why.eq("erased"),
        ))
        .execute(c.sql())?;
    Ok(())
}

/// Erases the students of terms that ended longer ago than the course keeps them. Gives how many.
///
/// # Errors
/// Faults of the database.
pub fn retain(c: &mut Db) -> Result<usize, StoreError> {
    let months = settings::course(c)?.keep_months;
    if months == 0 {
        return Ok(0);
    }
    let Some(before) = c.now()?.checked_sub_months(Months::new(months)) else { return Ok(0) };
    let over: Vec<u32> =
        terms::table.filter(terms::ended_at.lt(before)).select(terms::id).order(terms::id).load(c.sql())?;
    let rows: Vec<(u32, u32)> = students::table
        .filter(students::term_id.eq_any(over))
        .filter(students::number.not_like(format!("{ERASED}%")))
        .order(students::id)
        .select((students::id, students::team_id))
        .for_update()
        .load(c.sql())?;
    for (id, team) in &rows {
        erase(c, &Listed { id: *id, team: *team })?;
    }
    if !rows.is_empty() {
        events::note(c, None, "students erased", &format!("{} of terms over {months} months ago", rows.len()))?;
    }
    Ok(rows.len())
}

/// All that is kept of somebody who signs in: the account, what was decided and signed, practice, second marks, tokens.
///
/// # Errors
/// [`StoreError::NotFound`]; faults of the database.
pub fn export_person(c: &mut Db, id: u32, user: &User) -> Result<Value, StoreError> {
    let person = users::get(c, id)?;
    let own: Vec<String> = user_sections::table
        .inner_join(sections::table)
        .filter(user_sections::user_id.eq(id))
        .order(sections::id)
        .select(sections::name)
        .load(c.sql())?;
    let decided: Vec<(u32, String, String, NaiveDateTime, String)> = decisions::table
        .filter(decisions::user_id.eq(id))
        .order(decisions::id)
        .select((
            decisions::submission_id,
            decisions::finding,
            decisions::action,
            decisions::decided_at,
            decisions::reason,
        ))
        .load(c.sql())?;
    let signed: Vec<(u32, Option<NaiveDateTime>)> = sheets::table
        .filter(sheets::signed_by.eq(id))
        .order(sheets::id)
        .select((sheets::id, sheets::signed_at))
        .load(c.sql())?;
    let practised: Vec<(String, NaiveDateTime, u32, u32)> = practice_classes::table
        .filter(practice_classes::user_id.eq(id))
        .order(practice_classes::id)
        .select((
            practice_classes::kind,
            practice_classes::begun_at,
            practice_classes::found,
            practice_classes::planted,
        ))
        .load(c.sql())?;
    let words: Vec<(u32, String)> = moderation_words::table
        .filter(moderation_words::user_id.eq(id))
        .select((moderation_words::round_id, moderation_words::remark))
        .load(c.sql())?;
    let tokens: Vec<(String, NaiveDateTime)> = api_tokens::table
        .filter(api_tokens::user_id.eq(id))
        .select((api_tokens::name, api_tokens::made_at))
        .load(c.sql())?;
    let done: Vec<(NaiveDateTime, String, String)> = event_table::table
        .filter(event_table::user_id.eq(id))
        .order(event_table::id)
        .select((event_table::at, event_table::what, event_table::about))
        .load(c.sql())?;
    events::note(c, Some(user.id), "person's data given", &format!("person {id}"))?;
    Ok(json!({
        "name": person.name, "signs in as": person.sign_in, "role": person.role.word(), "sections": own,
        "decisions": decided.into_iter().map(|(table, finding, action, at, why)| {
            json!({ "table": table, "finding": finding, "action": action, "at": told(at), "reason": why })
        }).collect::<Value>(),
        "signed": signed.into_iter().map(|(sheet, at)| json!({ "sheet": sheet, "at": at.map(told) })).collect::<Value>(),
        "practice": practised.into_iter().map(|(kind, at, found, planted)| {
            json!({ "kind": kind, "begun": told(at), "found": found, "planted": planted })
        }).collect::<Value>(),
        "remarks": words.into_iter().map(|(round, words)| json!({ "round": round, "words": words })).collect::<Value>(),
        "tokens": tokens.into_iter().map(|(name, at)| json!({ "name": name, "made": told(at) })).collect::<Value>(),
        "record": done.into_iter().map(|(at, what, about)| {
            json!({ "at": told(at), "what": what, "about": about })
        }).collect::<Value>(),
    }))
}

/// Erases somebody who was closed: name, name to sign in with, second factor, tokens, links, practice and remarks. What was
/// decided stays, by nobody in particular.
///
/// # Errors
/// [`StoreError::Bad`] where the person is not closed, or without a reason; [`StoreError::NotFound`]; faults of the database.
pub fn erase_person(c: &mut Db, id: u32, why: &str, user: &User) -> Result<(), StoreError> {
    let why = reason(why)?;
    let person = users::get(c, id)?;
    if !person.closed {
        return Err(StoreError::Bad(
            "this person may still sign in".into(),
            "close the person first; then what is kept of them can be erased".into(),
        ));
    }
    let name = format!("former reviewer {id}");
    // A name may be another's too: then it cannot be told whose a word is, and it stays.
    let namesakes: i64 = user_table::table.filter(user_table::name.eq(&person.name)).count().get_result(c.sql())?;
    if namesakes == 1 {
        diesel::update(sheets::table.filter(sheets::changed_by.eq(&person.name)))
            .set(sheets::changed_by.eq(&name))
            .execute(c.sql())?;
        let by = |name: &str| format!("\"by\":{}", Value::from(name));
        diesel::sql_query("UPDATE went_out SET judged_from = REPLACE(judged_from, ?, ?) WHERE judged_from IS NOT NULL")
            .bind::<diesel::sql_types::Text, _>(by(&person.name))
            .bind::<diesel::sql_types::Text, _>(by(&name))
            .execute(c.sql())?;
        diesel::sql_query("UPDATE second_marks SET decisions = REPLACE(decisions, ?, ?)")
            .bind::<diesel::sql_types::Text, _>(by(&person.name))
            .bind::<diesel::sql_types::Text, _>(by(&name))
            .execute(c.sql())?;
    }
    diesel::delete(second_factors::table.find(id)).execute(c.sql())?;
    diesel::delete(college_accounts::table.find(id)).execute(c.sql())?;
    diesel::delete(api_tokens::table.filter(api_tokens::user_id.eq(id))).execute(c.sql())?;
    diesel::delete(invitations::table.filter(invitations::user_id.eq(id))).execute(c.sql())?;
    diesel::delete(user_sections::table.filter(user_sections::user_id.eq(id))).execute(c.sql())?;
    let waiting = second_marks::table.filter(second_marks::user_id.eq(id)).filter(second_marks::marked_at.is_null());
    diesel::delete(waiting).execute(c.sql())?;
    let classes = practice_classes::table.filter(practice_classes::user_id.eq(id)).select(practice_classes::id);
    let classes: Vec<u32> = classes.load(c.sql())?;
    diesel::delete(practice_tables::table.filter(practice_tables::class_id.eq_any(&classes))).execute(c.sql())?;
    diesel::delete(practice_classes::table.filter(practice_classes::id.eq_any(&classes))).execute(c.sql())?;
    diesel::update(practice_examples::table.filter(practice_examples::user_id.eq(id)))
        .set(practice_examples::user_id.eq(user.id))
        .execute(c.sql())?;
    diesel::update(moderation_words::table.filter(moderation_words::user_id.eq(id)))
        .set(moderation_words::remark.eq(""))
        .execute(c.sql())?;
    diesel::update(user_table::table.find(id))
        .set((
            user_table::name.eq(&name),
            user_table::sign_in.eq(format!("erased-{id}")),
            user_table::password_hash.eq("none"),
            user_table::epoch.eq(user_table::epoch + 1),
        ))
        .execute(c.sql())?;
    events::note_why(c, Some(user.id), "person erased", &format!("person {id}"), why)
}
