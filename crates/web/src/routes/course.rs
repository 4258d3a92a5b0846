//! The course: what its school and its sections are called, and how it tells time. The coordinator's page.

use actix_web::http::StatusCode;
use actix_web::{HttpResponse, web};
use askama::Template;
use jurado_store::settings::{self, Course};
use jurado_store::{shelf, terms};

use crate::error::{WebError, html, html_with};
use crate::flash::{Said, on_to_saying};
use crate::forms;
use crate::session::Actor;
use crate::views::course::{FORMS, current, is_zone, time, zones};
use crate::views::frame::Frame;
use crate::views::shelf::ShelfLine;

#[derive(Template)]
#[template(path = "course.html")]
struct CoursePage {
    frame: Frame,
    course: Course,
    zones: Vec<&'static str>,
    fault: Option<String>,
    s: ShelfView,
}

/// Terms that have ended, and what lies on the shelf.
struct ShelfView {
    /// Id, name, when it ended.
    terms: Vec<(u32, String, String)>,
    /// Tables that wait, and that are signed and did not go out.
    waits: i64,
    signed: i64,
    shelf: Vec<ShelfLine>,
    /// What was typed of a new term.
    ends: String,
    begins: String,
    asked: bool,
    /// Number of a student, and a reason, as typed.
    number: String,
    why: String,
}

const WHO: &str = "The course is set by the coordinator";

async fn show(actor: &Actor, course: Course, fault: Option<String>) -> Result<CoursePage, WebError> {
    let (ended, (waits, signed), shelf, labs) = actor
        .look(|c, _| Ok((terms::ended(c)?, terms::unfinished(c)?, shelf::list(c)?, jurado_store::labs::all(c)?)))
        .await?;
    let title = |id: u32| labs.iter().find(|l| l.id == id).map_or("", |l| l.protocol.title.as_str());
    let s = ShelfView {
        terms: ended.into_iter().map(|t| (t.id, t.name, time(t.ended_at))).collect(),
        waits,
        signed,
        shelf: shelf.iter().map(|on| ShelfLine::new(on, title(on.removal.lab_id))).collect(),
        ends: course.term.clone(),
        begins: String::new(),
        asked: false,
        number: String::new(),
        why: String::new(),
    };
    Ok(CoursePage { frame: actor.frame("The course", "sections"), course, zones: zones(), fault, s })
}

/// The page again, where a new term cannot begin as asked.
pub(super) async fn refuse(
    actor: &Actor,
    fault: String,
    ends: String,
    begins: String,
) -> Result<HttpResponse, WebError> {
    let mut page = show(actor, (*current()).clone(), Some(fault)).await?;
    page.s = ShelfView { ends, begins, asked: true, ..page.s };
    html_with(StatusCode::UNPROCESSABLE_ENTITY, &page)
}

/// The page again, where what is kept of a student cannot be given or erased as asked.
pub(super) async fn refuse_person(
    actor: &Actor,
    fault: String,
    number: String,
    why: String,
) -> Result<HttpResponse, WebError> {
    let mut page = show(actor, (*current()).clone(), Some(fault)).await?;
    page.s = ShelfView { number, why, ..page.s };
    html_with(StatusCode::UNPROCESSABLE_ENTITY, &page)
}

pub(crate) async fn page(actor: Actor) -> Result<HttpResponse, WebError> {
    actor.coordinator(WHO)?;
    html(&show(&actor, (*current()).clone(), None).await?)
}

#[derive(serde::Deserialize)]
pub(crate) struct Set {
    token: String,
    school: String,
    #[serde(default)]
    term: String,
    section: String,
    sections: String,
    zone: String,
    dates: String,
    #[serde(default)]
    practice: String,
    #[serde(default)]
    practice_found: String,
    #[serde(default)]
    keep_months: String,
}

/// Most practice classes that a course may ask for.
const MOST_PRACTICE: u32 = 9;

/// A whole number of a form, nought where it is left empty.
fn whole(typed: &str, what: &str, most: u32) -> Result<u32, String> {
    let typed = typed.trim();
    if typed.is_empty() {
        return Ok(0);
    }
    let number = typed.parse::<u32>().ok().filter(|n| *n <= most);
    number.ok_or_else(|| format!("“{typed}” cannot be the {what}: write a whole number from 0 to {most}."))
}

/// What is wrong with a course, in words.
fn objection(course: &Course) -> Option<String> {
    let texts = [
        forms::SCHOOL.optional(&course.school),
        forms::NAME.optional(&course.term),
        forms::WORD.wanted(&course.section, "Write what one section is called, such as section or watch."),
        forms::WORD.wanted(&course.sections, "Write what several are called, such as sections or watches."),
    ];
    if let Some(fault) = texts.into_iter().find_map(Result::err) {
        return Some(fault);
    }
    if !is_zone(&course.zone) {
        return Some(format!("“{}” is no time zone: choose one of the list, such as Europe/Helsinki.", course.zone));
    }
    if !FORMS.iter().any(|(pattern, _)| *pattern == course.dates) {
        return Some("That is no form of dates: choose one of the list.".to_owned());
    }
    None
}

pub(crate) async fn set(actor: Actor, form: web::Form<Set>) -> Result<HttpResponse, WebError> {
    actor.allow(&form.token)?;
    actor.coordinator(WHO)?;
    let text = |t: &str| t.trim().to_owned();
    let asked = (
        whole(&form.practice, "number of practice classes", MOST_PRACTICE),
        whole(&form.practice_found, "share to be found", 100),
        whole(&form.keep_months, "number of months", 240),
    );
    let course = Course {
        school: text(&form.school),
        term: text(&form.term),
        section: text(&form.section),
        sections: text(&form.sections),
        zone: text(&form.zone),
        dates: form.dates.clone(),
        practice: *asked.0.as_ref().unwrap_or(&0),
        practice_found: *asked.1.as_ref().unwrap_or(&0),
        keep_months: *asked.2.as_ref().unwrap_or(&0),
        college: current().college,
    };
    let fault = asked.0.err().or(asked.1.err()).or(asked.2.err()).or_else(|| objection(&course));
    if let Some(fault) = fault {
        return html_with(StatusCode::UNPROCESSABLE_ENTITY, &show(&actor, course, Some(fault)).await?);
    }
    actor.run(move |c, user| settings::set_course(c, &course, Some(user))).await?;
    Ok(on_to_saying("/course", Said::done("Set", "Every page shows it so from now on.")))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_number_that_a_course_asks_for_is_whole_and_small() {
        assert_eq!(whole(" 2 ", "number", 9), Ok(2));
        assert_eq!(whole("", "number", 9), Ok(0));
        assert_eq!(whole("9", "number", 9), Ok(9));
        for typed in ["10", "-1", "1.5", "two"] {
            assert!(whole(typed, "number", 9).is_err_and(|f| f.contains(typed)), "{typed}");
        }
    }

    #[test]
    fn a_course_that_cannot_be_is_told() {
        let with = |change: fn(&mut Course)| {
            let mut course = Course::default();
            change(&mut course);
            objection(&course)
        };
        assert_eq!(with(|_| {}), None);
        assert_eq!(with(|c| c.school = "x".repeat(80)), None);
        assert!(with(|c| c.school = "x".repeat(81)).is_some());
        assert_eq!(with(|c| c.section = "x".repeat(30)), None);
        assert!(with(|c| c.section = "x".repeat(31)).is_some());
        assert!(with(|c| c.sections = String::new()).is_some());
        assert!(with(|c| c.zone = "Tarn/Sound".into()).is_some_and(|t| t.contains("Tarn/Sound")));
        assert!(with(|c| c.dates = "%Q".into()).is_some());
    }
}
