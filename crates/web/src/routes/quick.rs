//! Quick check: readings as they come, in the room, and what to take again before packing up. Nothing is stored.

use std::collections::BTreeMap;

use actix_web::{HttpResponse, web};
use askama::Template;
use jurado_core::class::algorithm_a;
use jurado_core::judging::judge_in;
use jurado_core::section::Section;
use jurado_store::Lab;

use super::room::Phones;
use crate::error::{WebError, html};
use crate::session::Actor;
use crate::views::entry::{Bounded, Fields, FormView, field, form, submission};
use crate::views::frame::Frame;
use crate::views::quick::{AdviceView, For, Others};

#[derive(Template)]
#[template(path = "quick.html")]
struct QuickPage {
    frame: Frame,
    /// Where the form goes.
    action: String,
    /// Whether other teams may be looked at.
    may_compare: bool,
    labs: Vec<(u32, String, bool)>,
    lab: Option<LabView>,
}

/// The lab on the tables, with the readings so far.
pub(super) struct LabView {
    pub(super) id: u32,
    pub(super) title: String,
    pub(super) notes: Vec<(String, Vec<String>)>,
    pub(super) cautions: Vec<String>,
    pub(super) form: FormView,
    pub(super) advice: AdviceView,
    pub(super) compare: bool,
    /// What other phones of a team typed.
    pub(super) phones: Phones,
}

/// Most tables that a comparison looks at.
const MOST_OTHERS: i64 = 300;

async fn labs(actor: &Actor) -> Result<Vec<(Lab, bool)>, WebError> {
    actor
        .look(|c, _| {
            let open = jurado_store::labs::open(c)?.into_iter();
            Ok(open.map(|(lab, s)| (lab, s == jurado_store::labs::Standing::Term)).collect())
        })
        .await
}

/// What the results of the other teams give: the robust middle and spread of each result, as recomputed.
async fn others(actor: &Actor, lab: u32, keys: BTreeMap<String, String>) -> Result<Others, WebError> {
    let (lab, details) = actor
        .look(move |c, user| {
            let filter = jurado_store::Filter { lab: Some(lab), ..jurado_store::Filter::default() };
            let rows = jurado_store::docket::list(c, user, &filter, jurado_store::Order::Roster, MOST_OTHERS)?;
            let details =
                rows.iter().map(|r| jurado_store::sheets::get(c, r.id, user)).collect::<Result<Vec<_>, _>>()?;
            Ok((jurado_store::labs::get(c, lab)?, details))
        })
        .await?;
    Ok(web::block(move || {
        let mut values: Vec<Vec<f64>> = vec![Vec::new(); lab.protocol.results.len()];
        let mut count = 0;
        // Another station has another object: only those with the same keys, as far as they are chosen, are like.
        let like = |d: &&jurado_store::SheetDetail| keys.iter().all(|(k, v)| d.submission.keys.get(k) == Some(v));
        for detail in details.iter().filter(like) {
            count += 1;
            let judged = detail.judge(&lab.protocol);
            for r in judged.results.iter().filter(|r| r.row.is_none()) {
                values[r.id.index()].extend(r.clean.filter(|v| v.is_finite()));
            }
        }
        Others { robust: values.iter().map(|v| algorithm_a(v, 0.0)).collect(), count }
    })
    .await?)
}

impl LabView {
    /// What the fields say so far, judged as its section sets.
    pub(super) fn new(lab: &Lab, section: &Section, fields: &Fields, for_whom: For<'_>) -> LabView {
        let p = &lab.protocol;
        let table = submission(p, fields, "", "");
        let judged = judge_in(p, section, &table, &[], &[]);
        let notes = p.instruments.iter().filter(|i| !i.notes.is_empty());
        LabView {
            id: lab.id,
            title: p.title.clone(),
            notes: notes.map(|i| (crate::views::capital(&i.title), i.notes.clone())).collect(),
            cautions: p.cautions.clone(),
            form: form(p, fields, false),
            advice: AdviceView::new((p, section), (&table, fields), &judged, for_whom),
            compare: field(fields, "compare").is_some(),
            phones: Phones::default(),
        }
    }
}

async fn show(actor: &Actor, lab: Option<u32>, fields: &Fields) -> Result<QuickPage, WebError> {
    let mut all = labs(actor).await?;
    all.sort_by_key(|(_, used)| !used);
    let chosen = all.iter().find(|(l, _)| Some(l.id) == lab).map(|(l, _)| l.clone());
    if lab.is_some() && chosen.is_none() {
        return Err(WebError::NotFound("lab"));
    }
    let compare = field(fields, "compare").is_some();
    let view = match chosen {
        None => None,
        Some(lab) => {
            let table = submission(&lab.protocol, fields, "", "");
            let others = if compare { Some(others(actor, lab.id, table.keys.clone()).await?) } else { None };
            let fields = fields.clone();
            let view =
                move |_: &Actor| LabView::new(&lab, &Section::default(), &fields, For::Reviewer(others.as_ref()));
            Some(actor.think("Judging these readings", view).await?)
        }
    };
    Ok(QuickPage {
        frame: actor.frame("Quick check", "quick"),
        action: lab.map_or_else(String::new, |id| format!("/quick/{id}")),
        may_compare: true,
        labs: all.iter().map(|(l, _)| (l.id, l.protocol.title.clone(), Some(l.id) == lab)).collect(),
        lab: view,
    })
}

#[derive(serde::Deserialize)]
pub(crate) struct Chosen {
    #[serde(default)]
    lab: Option<u32>,
}

pub(crate) async fn page(actor: Actor, chosen: web::Query<Chosen>) -> Result<HttpResponse, WebError> {
    html(&show(&actor, chosen.lab, &Vec::new()).await?)
}

/// Looks at what is typed so far. A post, since a table does not fit an address; it changes nothing.
pub(crate) async fn look(
    actor: Actor,
    lab: web::Path<u32>,
    fields: web::Form<Bounded>,
) -> Result<HttpResponse, WebError> {
    let fields = fields.into_inner().0;
    actor.allow_own(field(&fields, "token").unwrap_or(""))?;
    html(&show(&actor, Some(*lab), &fields).await?)
}
