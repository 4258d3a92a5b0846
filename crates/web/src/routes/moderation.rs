//! Moderation: what reviewers changed beside what was computed, read first by the one it is about, and second marks.

use actix_web::{HttpResponse, web};
use askama::Template;
use chrono::Utc;
use jurado_core::notation::counted;
use jurado_store::second::{self, Sample};
use jurado_store::{Lab, labs, moderation, rulings};
use serde::Deserialize;

use crate::error::{WebError, html, html_with, on_to};
use crate::flash::{Said, on_to_saying};
use crate::forms;
use crate::session::Actor;
use crate::views::course::time;
use crate::views::floor::Tab;
use crate::views::frame::Frame;
use crate::views::moderation::{HEADS, ModerationView, Seen};

/// What is looked at.
#[derive(Clone, Default, Deserialize)]
#[serde(default)]
pub(crate) struct Of {
    /// A lab's number; blank for all.
    lab: String,
}

impl Of {
    fn lab(&self) -> Option<u32> {
        self.lab.parse().ok()
    }
}

/// A table that waits for this person's second mark.
struct AskedView {
    id: u32,
    lab: String,
    asked: String,
}

/// What both pages are made of.
struct Room {
    v: ModerationView,
    labs: Vec<Tab>,
    lab: Option<u32>,
    of: String,
    mine: Vec<AskedView>,
    waiting: usize,
}

#[derive(Template)]
#[template(path = "moderation.html")]
struct ModerationPage {
    frame: Frame,
    room: Room,
    fault: Option<String>,
    remark: String,
    random: String,
    hanging: String,
}

#[derive(Template)]
#[template(path = "moderation/table.html")]
struct TablePage {
    frame: Frame,
    room: Room,
    heads: Vec<String>,
}

async fn load(actor: &Actor, of: &Of) -> Result<Room, WebError> {
    let lab = of.lab();
    let (all, open, decided, round, marked, kept, waiting) = actor
        .look(move |c, _| {
            Ok((
                labs::all(c)?,
                labs::open(c)?,
                moderation::decided(c, lab)?,
                moderation::round(c)?,
                second::marked(c, lab)?,
                rulings::all(c)?,
                second::waiting(c, None)?,
            ))
        })
        .await?;
    let work = move |actor: &Actor| {
        let seen = Seen {
            labs: &all,
            decided: &decided,
            round: round.as_ref(),
            marked: &marked,
            rulings: &kept,
            now: Utc::now().naive_utc(),
            user: &actor.user,
            blind: actor.blind,
        };
        let title = |id: u32| all.iter().find(|l| l.id == id).map_or_else(String::new, |l| l.protocol.title.clone());
        let tab = |l: &Lab| Tab { title: l.protocol.title.clone(), href: l.id.to_string(), on: Some(l.id) == lab };
        let mut tabs = vec![Tab { title: "all labs".into(), href: String::new(), on: lab.is_none() }];
        tabs.extend(open.iter().map(|(l, _)| tab(l)));
        let mine = waiting.iter().filter(|a| a.user_id == actor.user.id);
        Room {
            v: ModerationView::new(&seen),
            labs: tabs,
            lab,
            of: lab.map_or_else(|| "all labs of the term".to_owned(), title),
            mine: mine.map(|a| AskedView { id: a.id, lab: title(a.lab_id), asked: time(a.asked_at) }).collect(),
            waiting: waiting.len(),
        }
    };
    actor.think("Looking at what was changed", work).await
}

impl ModerationPage {
    fn new(actor: &Actor, room: Room) -> ModerationPage {
        let remark = room.v.own_word.clone().unwrap_or_default();
        let frame = actor.frame("Moderation", "moderation");
        ModerationPage { frame, room, fault: None, remark, random: "12".into(), hanging: "6".into() }
    }
}

pub(crate) async fn page(actor: Actor, of: web::Query<Of>) -> Result<HttpResponse, WebError> {
    let room = load(&actor, &of).await?;
    html(&ModerationPage::new(&actor, room))
}

pub(crate) async fn table(actor: Actor, of: web::Query<Of>) -> Result<HttpResponse, WebError> {
    let room = load(&actor, &of).await?;
    let heads = HEADS.iter().map(|h| h.join(" ").trim().to_owned()).collect();
    html(&TablePage { frame: actor.frame("Moderation", "moderation"), room, heads })
}

#[derive(Deserialize)]
pub(crate) struct Signed {
    token: String,
}

/// Opens a round: everybody reads first what is about themselves.
pub(crate) async fn open(actor: Actor, form: web::Form<Signed>) -> Result<HttpResponse, WebError> {
    actor.allow(&form.token)?;
    actor.coordinator("opening a round of moderation")?;
    actor.run(moderation::open).await?;
    let said =
        "Everybody reads first what is about their own tables; others see it after that, or after two days of work.";
    Ok(on_to_saying("/moderation", Said::done("A round is open", said)))
}

#[derive(Deserialize)]
pub(crate) struct Read {
    token: String,
    round: u32,
    #[serde(default)]
    remark: String,
}

/// Says that a person has read what is about their own tables.
pub(crate) async fn read(actor: Actor, form: web::Form<Read>) -> Result<HttpResponse, WebError> {
    actor.allow(&form.token)?;
    let remark = match forms::REMARK.optional(&form.remark) {
        Ok(remark) => remark,
        Err(fault) => {
            let room = load(&actor, &Of::default()).await?;
            let page =
                ModerationPage { fault: Some(fault), remark: form.remark.clone(), ..ModerationPage::new(&actor, room) };
            return html_with(actix_web::http::StatusCode::UNPROCESSABLE_ENTITY, &page);
        }
    };
    let round = form.round;
    actor.run(move |c, user| moderation::read(c, round, &remark, user)).await?;
    Ok(on_to_saying("/moderation", Said::done("Read", "Others may see your rows now, with your word beside them.")))
}

#[derive(Clone, Deserialize)]
pub(crate) struct Drawn {
    token: String,
    #[serde(default)]
    lab: String,
    random: String,
    hanging: String,
}

/// Draws tables to be marked a second time.
pub(crate) async fn draw(actor: Actor, form: web::Form<Drawn>) -> Result<HttpResponse, WebError> {
    actor.allow(&form.token)?;
    actor.coordinator("asking for second marks")?;
    let count = |text: &str| match text.trim() {
        "" => Ok(0),
        text => text.parse::<usize>().map_err(|_| format!("“{text}” is no number of tables: write one such as 12.")),
    };
    let lab = form.lab.parse::<u32>().ok();
    let drawn = match (count(&form.random), count(&form.hanging)) {
        (Ok(random), Ok(hanging)) => {
            let sample = Sample {
                lab,
                random: random.min(second::MOST_DRAWN + 1),
                hanging: hanging.min(second::MOST_DRAWN + 1),
            };
            match actor.run(move |c, user| second::draw(c, &sample, user)).await {
                Err(WebError::Store(jurado_store::StoreError::Bad(what, mend))) => {
                    Err(format!("{}: {mend}.", crate::views::capital(&what)))
                }
                other => Ok(other?),
            }
        }
        (Err(fault), _) | (_, Err(fault)) => Err(fault),
    };
    match drawn {
        Ok(n) => {
            let said = format!(
                "{} asked for. Each waits under Moderation of somebody who has not decided it.",
                counted(n, "second mark")
            );
            Ok(on_to_saying(&back(lab), Said::done("Second marks", said)))
        }
        Err(fault) => {
            let room = load(&actor, &Of { lab: form.lab.clone() }).await?;
            let page = ModerationPage {
                fault: Some(fault),
                random: form.random.clone(),
                hanging: form.hanging.clone(),
                ..ModerationPage::new(&actor, room)
            };
            html_with(actix_web::http::StatusCode::UNPROCESSABLE_ENTITY, &page)
        }
    }
}

fn back(lab: Option<u32>) -> String {
    lab.map_or_else(|| "/moderation".to_owned(), |id| format!("/moderation?lab={id}"))
}

/// Takes back what was asked for and is not marked yet.
pub(crate) async fn take_back(actor: Actor, form: web::Form<Signed>) -> Result<HttpResponse, WebError> {
    actor.allow(&form.token)?;
    actor.coordinator("taking second marks back")?;
    let n = actor.run(second::take_back).await?;
    Ok(on_to_saying(
        "/moderation",
        Said::done(
            "Taken back",
            format!("{} {} asked for no more.", counted(n, "second mark"), if n == 1 { "is" } else { "are" }),
        ),
    ))
}

/// A lab's moderation, chosen without a script.
pub(crate) async fn to_lab(_: Actor, of: web::Query<Of>) -> HttpResponse {
    on_to(&back(of.lab()))
}
