//! People: who may sign in, what they may do, and for which sections. The coordinator's page.

use actix_web::http::StatusCode;
use actix_web::{HttpRequest, HttpResponse, web};
use askama::Template;
use jurado_store::users::{self, Change, NewPerson};
use jurado_store::{Role, StoreError, college, practice, privacy, tokens};

use crate::error::{WebError, html, html_with, on_to};
use crate::session::Actor;
use crate::views::entry::{Bounded, Fields, field};
use crate::views::frame::Frame;

#[derive(Template)]
#[template(path = "people.html")]
struct PeoplePage {
    frame: Frame,
    people: Vec<PersonView>,
    sections: Vec<String>,
    fault: Option<String>,
    /// A one-time link that was just made: for whom, and the link.
    link: Option<(String, String)>,
    typed: Typed,
}

struct PersonView {
    id: u32,
    name: String,
    sign_in: String,
    role: &'static str,
    /// Sections by name, each with whether it is the person's own.
    sections: Vec<(String, bool)>,
    own: String,
    closed: bool,
    demo: bool,
    me: bool,
    /// What is left to practise before the first evening; empty where nothing is.
    practice: String,
    /// Name at the college; empty where none is written down.
    college: String,
    /// How many tokens for scripts serve; empty where none does.
    tokens_said: String,
}

/// What was typed for a new person, so that nothing is lost where it cannot be taken.
#[derive(Default)]
struct Typed {
    sign_in: String,
    name: String,
    role: &'static str,
    sections: Vec<String>,
}

/// What a role may do, in a word.
pub(crate) fn may(role: &str) -> &'static str {
    match Role::of_word(role) {
        Some(Role::Coordinator) => "coordinate",
        Some(Role::Auditor) => "read everything and change nothing",
        _ => "review",
    }
}

const WHO: &str = "People are looked after by the coordinator";

async fn show(
    actor: &Actor,
    fault: Option<String>,
    link: Option<(String, String)>,
    typed: Typed,
) -> Result<PeoplePage, WebError> {
    let (people, sections, names, practised, counted) = actor
        .look(|c, user| {
            let people = users::all(c)?;
            let mut practised = Vec::with_capacity(people.len());
            for person in people.iter().filter(|p| !p.closed) {
                practised.push((person.id, practice::asked(c, person)?));
            }
            Ok((people, jurado_store::roster::sections(c, user)?, college::names(c)?, practised, tokens::counted(c)?))
        })
        .await?;
    let still = |id: u32| {
        let asked = practised.iter().find(|(of, _)| *of == id).and_then(|(_, asked)| asked.as_ref());
        asked.filter(|a| !a.is_met()).map(|a| format!("practice: {} of {} done", a.done, a.of)).unwrap_or_default()
    };
    let me = actor.user.id;
    let people = people
        .into_iter()
        .map(|p| {
            let of: Vec<(String, bool)> =
                sections.iter().map(|s| (s.name.clone(), p.sections.contains(&s.id))).collect();
            let own: Vec<&str> = of.iter().filter(|(_, own)| *own).map(|(n, _)| n.as_str()).collect();
            PersonView {
                id: p.id,
                own: own.join(", "),
                role: p.role.word(),
                name: p.name,
                sign_in: p.sign_in,
                sections: of,
                closed: p.closed,
                demo: p.demo,
                me: p.id == me,
                practice: still(p.id),
                tokens_said: match counted.iter().find(|(id, _)| *id == p.id) {
                    Some((_, n)) => jurado_core::notation::counted(*n as usize, "token"),
                    None => String::new(),
                },
                college: names.iter().find(|(id, _)| *id == p.id).map(|(_, n)| n.clone()).unwrap_or_default(),
            }
        })
        .collect();
    Ok(PeoplePage {
        frame: actor.frame("People", "people"),
        people,
        sections: sections.into_iter().map(|s| s.name).collect(),
        fault,
        link,
        typed,
    })
}

pub(crate) async fn page(actor: Actor) -> Result<HttpResponse, WebError> {
    actor.coordinator(WHO)?;
    html(&show(&actor, None, None, Typed::default()).await?)
}

/// The address of a one-time link.
fn address(request: &HttpRequest, secret: &str) -> String {
    format!("{}/link/{secret}", crate::request::address(request))
}

fn chosen(fields: &Fields) -> Vec<String> {
    fields.iter().filter(|(n, _)| n == "section").map(|(_, v)| v.clone()).collect()
}

fn told(what: &str, mend: &str) -> String {
    format!("{}: {mend}.", crate::views::capital(what))
}

/// Adds a person, and shows the link with which the person chooses a password.
pub(crate) async fn add(
    actor: Actor,
    request: HttpRequest,
    fields: web::Form<Bounded>,
) -> Result<HttpResponse, WebError> {
    let fields = fields.into_inner().0;
    actor.allow(field(&fields, "token").unwrap_or(""))?;
    actor.coordinator(WHO)?;
    let text = |name: &str| field(&fields, name).unwrap_or("").trim().to_owned();
    let typed = Typed {
        sign_in: text("sign_in"),
        name: text("name"),
        role: Role::of_word(&text("role")).unwrap_or(Role::Reviewer).word(),
        sections: chosen(&fields),
    };
    let role = Role::of_word(typed.role).unwrap_or(Role::Reviewer);
    let (sign_in, name, sections) = (typed.sign_in.clone(), typed.name.clone(), typed.sections.clone());
    let added = actor
        .run(move |c, user| {
            let new = NewPerson { sign_in: &sign_in, name: &name, role, hash: None, sections: &sections, demo: false };
            let id = users::add(c, &new, Some(user.id))?;
            users::invite(c, Some(id), Some(user.id))
        })
        .await;
    match added {
        Ok(secret) => {
            let link = Some((typed.name, address(&request, &secret)));
            html(&show(&actor, None, link, Typed::default()).await?)
        }
        Err(WebError::Store(StoreError::Bad(what, mend))) => {
            let page = show(&actor, Some(told(&what, &mend)), None, typed).await?;
            html_with(StatusCode::UNPROCESSABLE_ENTITY, &page)
        }
        Err(e) => Err(e),
    }
}

/// Changes a person: role, sections, a one-time link, closing and opening again.
pub(crate) async fn change(
    actor: Actor,
    request: HttpRequest,
    id: web::Path<u32>,
    fields: web::Form<Bounded>,
) -> Result<HttpResponse, WebError> {
    let fields = fields.into_inner().0;
    actor.allow(field(&fields, "token").unwrap_or(""))?;
    actor.coordinator(WHO)?;
    let id = *id;
    let then = field(&fields, "then").unwrap_or("").to_owned();
    let sections = chosen(&fields);
    let name = field(&fields, "college").unwrap_or("").to_owned();
    let reason = field(&fields, "reason").unwrap_or("").to_owned();
    let link = actor
        .run(move |c, user| {
            let by = Some(user.id);
            match then.as_str() {
                "link" => {
                    let person = users::get(c, id)?;
                    return Ok(Some((person.name, users::invite(c, Some(id), by)?)));
                }
                "sections" => users::change(c, id, &Change::Sections(&sections), by)?,
                "close" => users::change(c, id, &Change::Close, by)?,
                "open" => users::change(c, id, &Change::Open, by)?,
                "college" => college::set_name(c, id, &name, user)?,
                "tokens" => tokens::end_of(c, id, user)?,
                "erase" => privacy::erase_person(c, id, &reason, user)?,
                role => match Role::of_word(role) {
                    Some(role) => users::change(c, id, &Change::Role(role), by)?,
                    None => return Err(StoreError::NotFound("change of a person")),
                },
            }
            Ok(None)
        })
        .await;
    match link {
        Ok(Some((name, secret))) => {
            let link = Some((name, address(&request, &secret)));
            html(&show(&actor, None, link, Typed::default()).await?)
        }
        Ok(None) => Ok(on_to("/people")),
        Err(WebError::Store(StoreError::Bad(what, mend))) => {
            let page = show(&actor, Some(told(&what, &mend)), None, Typed::default()).await?;
            html_with(StatusCode::UNPROCESSABLE_ENTITY, &page)
        }
        Err(e) => Err(e),
    }
}
