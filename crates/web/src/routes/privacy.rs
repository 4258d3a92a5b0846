//! What is kept of one person, given as a file and erased on request. The coordinator's.

use actix_web::http::header::{CONTENT_DISPOSITION, CONTENT_TYPE};
use actix_web::{HttpResponse, web};
use jurado_store::{StoreError, privacy};
use serde::Deserialize;

use super::course::refuse_person;
use crate::error::WebError;
use crate::flash::{Said, on_to_saying};
use crate::session::Actor;

#[derive(Deserialize)]
pub(crate) struct Whose {
    #[serde(default)]
    number: String,
}

#[derive(Deserialize)]
pub(crate) struct Erase {
    token: String,
    #[serde(default)]
    number: String,
    #[serde(default)]
    reason: String,
    #[serde(default)]
    sure: Option<String>,
}

const WHO: &str = "What is kept of a person is given and erased by the coordinator";

fn file(name: &str, data: &serde_json::Value) -> Result<HttpResponse, WebError> {
    let text = serde_json::to_string_pretty(data).map_err(|e| WebError::Broken(e.to_string()))?;
    Ok(HttpResponse::Ok()
        .insert_header((CONTENT_TYPE, "application/json; charset=utf-8"))
        .insert_header((CONTENT_DISPOSITION, format!("attachment; filename=\"{name}.json\"")))
        .body(text))
}

/// What is told where a number is nobody's, with the page that it was typed on.
async fn nobody(actor: &Actor, number: &str) -> Result<HttpResponse, WebError> {
    let number = number.trim();
    let fault = match number {
        "" => "Write the number of the student.".to_owned(),
        _ => format!("No student has the number “{number}”: look at it once more. Who was erased is found by none."),
    };
    refuse_person(actor, fault, number.to_owned(), String::new()).await
}

/// All that is kept of a student.
pub(crate) async fn student(actor: Actor, whose: web::Query<Whose>) -> Result<HttpResponse, WebError> {
    actor.coordinator(WHO)?;
    let number = whose.into_inner().number;
    let wanted = number.clone();
    // To give it is noted, so it changes something.
    match actor.run(move |c, user| privacy::export_student(c, &wanted, user)).await {
        Ok(data) => file("student", &data),
        Err(WebError::Store(StoreError::NotFound(_))) => nobody(&actor, &number).await,
        Err(e) => Err(e),
    }
}

/// Erases a student.
pub(crate) async fn erase(actor: Actor, form: web::Form<Erase>) -> Result<HttpResponse, WebError> {
    actor.allow(&form.token)?;
    actor.coordinator(WHO)?;
    let Erase { number, reason, sure, .. } = form.into_inner();
    if sure.is_none() {
        let fault = "Erasing cannot be taken back: tick that you are sure.".to_owned();
        return refuse_person(&actor, fault, number, reason).await;
    }
    let (wanted, why) = (number.clone(), reason.clone());
    match actor.run(move |c, user| privacy::erase_student(c, &wanted, &why, user)).await {
        Ok(_) => {
            let said = "The team’s tables and points stay, without this student.";
            Ok(on_to_saying("/course", Said::done("Erased", said)))
        }
        Err(WebError::Store(StoreError::NotFound(_))) => nobody(&actor, &number).await,
        Err(WebError::Store(StoreError::Bad(what, mend))) => {
            let fault = format!("{}: {mend}.", crate::views::capital(&what));
            refuse_person(&actor, fault, number, reason).await
        }
        Err(e) => Err(e),
    }
}

/// All that is kept of somebody who signs in.
pub(crate) async fn person(actor: Actor, id: web::Path<u32>) -> Result<HttpResponse, WebError> {
    actor.coordinator(WHO)?;
    let id = *id;
    file("person", &actor.run(move |c, user| privacy::export_person(c, id, user)).await?)
}
