//! Rulings: the same for all like it, drawn up from a finding, looked at, put in force, withdrawn.

use actix_web::http::StatusCode;
use actix_web::{HttpResponse, web};
use askama::Template;
use jurado_core::finding::Key;
use jurado_core::notation::counted;
use jurado_core::verdict::Judged;
use jurado_store::{Lab, SheetDetail, StoreError, labs, rulings, sheets};
use serde::Deserialize;

use crate::error::{WebError, html, html_with};
use crate::flash::{Said, on_to_saying};
use crate::forms;
use crate::session::Actor;
use crate::views::frame::Frame;
use crate::views::rulings::{BackView, Chosen, KeptView, Pattern, RulingView, slip_word};

#[derive(Template)]
#[template(path = "ruling.html")]
struct RulingPage {
    frame: Frame,
    v: RulingView,
}

#[derive(Template)]
#[template(path = "rulings.html")]
struct RulingsPage {
    frame: Frame,
    in_force: Vec<KeptView>,
    past: Vec<KeptView>,
}

/// All that a ruling is drawn up from.
struct From {
    lab: Lab,
    /// The verdict on the table that it comes from; none where it comes from a place.
    judged: Option<Judged>,
    /// Tables that hold a finding like it, or stand at the place.
    all: Vec<SheetDetail>,
    /// All tables of the lab.
    places: Vec<rulings::Place>,
    /// Tables that hold the like at any result: of the same slip, of any.
    anywhere: (i64, i64),
    /// What is seen of the lab's rulings.
    seen: String,
}

/// Loads what a ruling comes from; where no finding is named it is the one that most wants a person.
async fn load(actor: &Actor, chosen: &mut Chosen) -> Result<From, WebError> {
    if chosen.of_constant() {
        let lab = chosen.lab;
        return actor
            .look(move |c, _| {
                let (all, places) = rulings::tables_of(c, lab)?;
                let (lab, seen) = (labs::get(c, lab)?, rulings::seen(c, lab)?);
                Ok(From { lab, judged: None, all, places, anywhere: (0, 0), seen })
            })
            .await;
    }
    if chosen.of_place() {
        let (lab, place) = (chosen.lab, chosen.keys().into_iter().next().unwrap_or_default());
        return actor
            .look(move |c, _| {
                let (all, places) = rulings::tables_at(c, lab, (&place.0, &place.1))?;
                let (lab, seen) = (labs::get(c, lab)?, rulings::seen(c, lab)?);
                Ok(From { lab, judged: None, all, places, anywhere: (0, 0), seen })
            })
            .await;
    }
    let pattern = chosen.pattern.clone();
    let (sheet, named, wide, whole) = (chosen.sheet, chosen.finding.clone(), chosen.wide(), chosen.sets());
    let (from, key, section) = actor
        .look(move |c, user| {
            // The table itself has to be this person's.
            let detail = sheets::get(c, sheet, user)?;
            if detail.shelved.is_some() {
                return Err(StoreError::Bad(
                    "this table was taken out, or its term has ended".into(),
                    "draw the ruling up from a table that is in".into(),
                ));
            }
            let lab = labs::get(c, detail.lab_id)?;
            let judged = detail.judge(&lab.protocol);
            let most = match (named.is_empty(), pattern.is_empty()) {
                (false, _) => None,
                (true, true) => jurado_core::summary::most_wanting(&judged),
                (true, false) => jurado_core::summary::holding(&lab.protocol, &judged, &pattern),
            };
            let key = most.map_or_else(|| named.clone(), |f| f.key.to_string());
            let finding = judged.findings.iter().find(|f| f.key == Key::from(key.clone()));
            let item = finding.and_then(|f| f.place.item).map(|i| lab.protocol.items[i].id.clone());
            let code = finding.map_or("none", |f| f.code());
            let slip = finding.and_then(|f| slip_word(&judged, f));
            let anywhere = rulings::anywhere(c, lab.id, code, slip)?;
            let (all, places) = match whole {
                true => rulings::tables_of(c, lab.id)?,
                false => rulings::tables(c, (lab.id, sheet), code, item.as_deref().filter(|_| !wide))?,
            };
            let seen = rulings::seen(c, lab.id)?;
            Ok((From { lab, judged: Some(judged), all, places, anywhere, seen }, key, detail.section_id))
        })
        .await?;
    chosen.finding = key;
    // A school is that of a section: of the table's own, where none is chosen.
    if whole && chosen.section_id().is_none() {
        chosen.section = section.to_string();
    }
    Ok(from)
}

/// The page of a ruling that is not in force yet; what cannot be is told on it.
async fn drawn_up(actor: &Actor, mut chosen: Chosen, fault: Option<String>) -> Result<RulingPage, WebError> {
    let From { lab, judged, all, places, anywhere, seen } = load(actor, &mut chosen).await?;
    if chosen.seen.is_empty() {
        chosen.seen = seen;
    }
    let (user, blind) = (actor.user.clone(), actor.blind);
    let v = actor
        .think("Looking at all like it", move |_| {
            let (pattern, told) = match Pattern::new(&lab, judged.as_ref(), &chosen) {
                Ok(pattern) => (pattern, None),
                Err(told) => {
                    // The points may be wrong; the rest of the pattern stands.
                    let mild = Chosen { does: "forgive".into(), ..chosen.clone() };
                    (
                        Pattern::new(&lab, judged.as_ref(), &mild)
                            .map_err(|f| WebError::Bad(f, "Go back and write it anew.".into()))?,
                        Some(told),
                    )
                }
            };
            let view = RulingView::new(&lab, (&all, &places, anywhere), &pattern, &chosen, (&user, blind));
            Ok::<_, WebError>(RulingView { fault: fault.or(told), ..view })
        })
        .await??;
    Ok(RulingPage { frame: actor.frame("The same for all like it", "rulings"), v })
}

pub(crate) async fn new(actor: Actor, chosen: web::Query<Chosen>) -> Result<HttpResponse, WebError> {
    let page = drawn_up(&actor, chosen.into_inner(), None).await?;
    let status = if page.v.fault.is_some() { StatusCode::UNPROCESSABLE_ENTITY } else { StatusCode::OK };
    html_with(status, &page)
}

/// Puts a ruling in force for all that it fits, in one step.
pub(crate) async fn put(actor: Actor, form: web::Form<Chosen>) -> Result<HttpResponse, WebError> {
    let mut chosen = form.into_inner();
    actor.allow(&chosen.token)?;
    let wanted = "Write the reason in a few words: it is told to every team that the ruling touches.";
    if let Err(fault) = forms::REASON.wanted(&chosen.reason, wanted) {
        return html_with(StatusCode::UNPROCESSABLE_ENTITY, &drawn_up(&actor, chosen, Some(fault)).await?);
    }
    let From { lab, judged, .. } = load(&actor, &mut chosen).await?;
    let (lab_id, pattern) = (lab.id, Pattern::new(&lab, judged.as_ref(), &chosen));
    let ruling = match pattern {
        Ok(pattern) => pattern.ruling,
        Err(fault) => {
            return html_with(StatusCode::UNPROCESSABLE_ENTITY, &drawn_up(&actor, chosen, Some(fault)).await?);
        }
    };
    let (section, seen) = (chosen.section_id(), chosen.seen.clone());
    match actor.run(move |c, user| rulings::put(c, lab_id, section, &ruling, &seen, user)).await {
        Ok((id, touched)) => {
            let said = format!("Ruling {id} is in force: {} changed.", counted(touched as usize, "table"));
            Ok(on_to_saying("/rulings", Said::done("The same for all like it", said)))
        }
        Err(WebError::Store(StoreError::Conflict(c))) => {
            let fault =
                format!("{} was first: {}. Look at what would move now, and put it in force again.", c.by, c.theirs);
            let chosen = Chosen { seen: String::new(), ..chosen };
            html_with(StatusCode::CONFLICT, &drawn_up(&actor, chosen, Some(fault)).await?)
        }
        Err(e) => Err(e),
    }
}

pub(crate) async fn page(actor: Actor) -> Result<HttpResponse, WebError> {
    let (labs, kept) = actor.look(|c, _| Ok((labs::all(c)?, rulings::all(c)?))).await?;
    let view = |k: &rulings::Kept| labs.iter().find(|l| l.id == k.lab_id).map(|l| KeptView::new(k, &l.protocol));
    let (past, in_force): (Vec<_>, Vec<_>) = kept.iter().filter_map(view).partition(|k| k.withdrawn.is_some());
    html(&RulingsPage { frame: actor.frame("Rulings", "rulings"), in_force, past })
}

#[derive(Template)]
#[template(path = "withdraw.html")]
struct WithdrawPage {
    frame: Frame,
    v: BackView,
}

/// What taking a ruling back would restore, before it is done.
async fn taking_back(actor: &Actor, id: u32, fault: Option<String>) -> Result<WithdrawPage, WebError> {
    let (lab, kept, all, places) = actor
        .look(move |c, _| {
            let there = |k: &rulings::Kept| k.ruling.id == u64::from(id) && k.withdrawn.is_none();
            let kept = rulings::all(c)?.into_iter().find(there).ok_or(StoreError::NotFound("ruling in force"))?;
            let r = &kept.ruling;
            let (all, places) = match r.keys.iter().next().filter(|_| r.sets()) {
                Some((key, at)) => rulings::tables_at(c, kept.lab_id, (key, at))?,
                None if r.sets() => rulings::tables_of(c, kept.lab_id)?,
                None => rulings::tables(c, (kept.lab_id, 0), &r.code, r.item.as_deref())?,
            };
            Ok((labs::get(c, kept.lab_id)?, kept, all, places))
        })
        .await?;
    let (user, blind) = (actor.user.clone(), actor.blind);
    let v = actor
        .think("Looking at what would be restored", move |_| {
            let v = BackView::new(&lab, (&all, &places), &kept, (&user, blind));
            BackView { fault, ..v }
        })
        .await?;
    Ok(WithdrawPage { frame: actor.frame("Withdraw a ruling", "rulings"), v })
}

pub(crate) async fn look_back(actor: Actor, id: web::Path<u32>) -> Result<HttpResponse, WebError> {
    html(&taking_back(&actor, *id, None).await?)
}

#[derive(Deserialize)]
pub(crate) struct Withdraw {
    token: String,
    #[serde(default)]
    reason: String,
}

/// Withdraws a ruling: what was before it stands again.
pub(crate) async fn withdraw(
    actor: Actor,
    id: web::Path<u32>,
    form: web::Form<Withdraw>,
) -> Result<HttpResponse, WebError> {
    actor.allow(&form.token)?;
    let wanted = "Write in a few words why it is withdrawn: it stays beside the ruling.";
    let reason = match forms::REASON.wanted(&form.reason, wanted) {
        Ok(reason) => reason,
        Err(fault) => {
            return html_with(StatusCode::UNPROCESSABLE_ENTITY, &taking_back(&actor, *id, Some(fault)).await?);
        }
    };
    let id = *id;
    let touched = actor.run(move |c, user| rulings::withdraw(c, id, &reason, user)).await?;
    let said = format!("{} stand as they would without ruling {id}.", counted(touched as usize, "table"));
    Ok(on_to_saying("/rulings", Said::done("Withdrawn", said)))
}
