//! The course: what its school and its sections are called, and how it tells time. The coordinator's page.

use actix_web::http::StatusCode;
use actix_web::{HttpResponse, web};
use askama::Template;
use jurado_store::settings::{self, Course};

use crate::error::{WebError, html, html_with, on_to};
use crate::session::Actor;
use crate::views::course::{FORMS, current, is_zone, zones};
use crate::views::frame::Frame;

#[derive(Template)]
#[template(path = "course.html")]
struct CoursePage {
    frame: Frame,
    course: Course,
    zones: Vec<&'static str>,
    fault: Option<String>,
}

/// Longest name of a school, and longest word for a section, in characters.
const MOST_SCHOOL: usize = 80;
const MOST_WORD: usize = 30;
const WHO: &str = "The course is set by the coordinator";

fn show(actor: &Actor, course: Course, fault: Option<String>) -> CoursePage {
    CoursePage { frame: actor.frame("The course", "sections"), course, zones: zones(), fault }
}

pub(crate) async fn page(actor: Actor) -> Result<HttpResponse, WebError> {
    actor.coordinator(WHO)?;
    html(&show(&actor, (*current()).clone(), None))
}

#[derive(serde::Deserialize)]
pub(crate) struct Set {
    token: String,
    school: String,
    section: String,
    sections: String,
    zone: String,
    dates: String,
}

/// What is wrong with a course, in words.
fn objection(course: &Course) -> Option<String> {
    if course.school.chars().count() > MOST_SCHOOL {
        return Some(format!("The name of the school is longer than {MOST_SCHOOL} characters: shorten it."));
    }
    for word in [&course.section, &course.sections] {
        if word.is_empty() || word.chars().count() > MOST_WORD {
            return Some(format!("A word for a section has 1 to {MOST_WORD} characters, such as section or watch."));
        }
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
    let course = Course {
        school: text(&form.school),
        section: text(&form.section),
        sections: text(&form.sections),
        zone: text(&form.zone),
        dates: form.dates.clone(),
    };
    if let Some(fault) = objection(&course) {
        return html_with(StatusCode::UNPROCESSABLE_ENTITY, &show(&actor, course, Some(fault)));
    }
    actor.run(move |c, user| settings::set_course(c, &course, Some(user))).await?;
    Ok(on_to("/course"))
}

#[cfg(test)]
mod tests {
    use super::*;

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
