//! What a section sets for a lab. A change shows what it would change before it is applied.

use std::collections::BTreeMap;

use actix_web::http::StatusCode;
use actix_web::{HttpResponse, web};
use askama::Template;
use chrono::NaiveDateTime;
use jurado_core::preview::difference;
use jurado_core::protocol::{ItemKind, Protocol};
use jurado_core::section::{Issued, Section, Source, Waiver};
use jurado_store::sections::Setting;
use jurado_store::{Lab, StoreError};

use crate::error::{WebError, html, html_with, on_to};
use crate::forms;
use crate::session::Actor;
use crate::views::entry::{Bounded, Fields, field};
use crate::views::frame::Frame;
use crate::views::intake::time;

#[derive(Template)]
#[template(path = "setting.html")]
struct SettingPage {
    frame: Frame,
    v: SettingView,
}

struct SettingView {
    section: String,
    section_id: u32,
    lab: String,
    lab_id: u32,
    version: u32,
    due: String,
    /// Id, title, value, range.
    parameters: Vec<(String, String, String, String)>,
    /// Id, title, on.
    criteria: Vec<(String, String, bool)>,
    source: String,
    issued: String,
    /// How one is written.
    example: String,
    /// Id, title, reason.
    waivers: Vec<(String, String, String)>,
    reason: String,
    /// Version, who, when, why.
    history: Vec<(u32, String, String, String)>,
    fault: Option<String>,
    /// Other sections that may be set alike: id, name, whether chosen.
    others: Vec<(u32, String, bool)>,
    /// Team, points, lines.
    would: Option<Vec<(String, String, String)>>,
}

struct Loaded {
    lab: Lab,
    section: String,
    /// The person's other sections.
    others: Vec<(u32, String)>,
    now: Setting,
    past: Vec<jurado_store::sections::Past>,
}

async fn load(actor: &Actor, section: u32, lab: u32) -> Result<Loaded, WebError> {
    actor
        .look(move |c, user| {
            let mine = jurado_store::roster::sections(c, user)?;
            let (this, others): (Vec<_>, Vec<_>) =
                mine.into_iter().map(|s| (s.id, s.name)).partition(|s| s.0 == section);
            let (_, name) = this.into_iter().next().ok_or(StoreError::NotFound("section"))?;
            Ok(Loaded {
                lab: jurado_store::labs::get(c, lab)?,
                section: name,
                others,
                now: jurado_store::sections::get(c, section, lab)?,
                past: jurado_store::sections::past(c, section, lab)?,
            })
        })
        .await
}

fn number(value: f64) -> String {
    format!("{value}")
}

fn view(loaded: &Loaded, section_id: u32, settings: &Section, due: Option<NaiveDateTime>) -> SettingView {
    let p = &loaded.lab.protocol;
    let issued: Vec<String> = settings
        .issued
        .iter()
        .map(|i| format!("{},{},{}", i.item, i.row.map(|r| r.to_string()).unwrap_or_default(), number(i.value)))
        .collect();
    SettingView {
        section: loaded.section.clone(),
        section_id,
        lab: p.title.clone(),
        lab_id: loaded.lab.id,
        version: loaded.now.version,
        due: due.map(crate::views::course::for_field).unwrap_or_default(),
        parameters: p
            .parameters
            .iter()
            .map(|x| {
                let item = &p.items[x.item];
                let value = settings.parameters.get(&item.id).copied().unwrap_or(x.value);
                let range = format!("{} to {}{}", number(x.range.0), number(x.range.1), item.unit_after());
                (item.id.clone(), crate::views::capital(&item.title), number(value), range)
            })
            .collect(),
        criteria: p
            .criteria
            .iter()
            .filter(|c| c.off)
            .map(|c| (c.id.clone(), c.title.clone(), settings.criteria.contains(&c.id)))
            .collect(),
        source: match settings.readings {
            Source::Own => "own",
            Source::Issued => "issued",
            Source::Shown => "shown",
        }
        .to_owned(),
        issued: issued.join("\n"),
        example: example(p),
        waivers: p
            .items
            .iter()
            .enumerate()
            .filter(|(_, it)| matches!(it.kind, ItemKind::Reading(_) | ItemKind::Result(_)))
            .map(|(i, it)| {
                let reason = settings.waived(&it.id).unwrap_or("").to_owned();
                (it.id.clone(), crate::views::capital(&p.full_title(i)), reason)
            })
            .collect(),
        reason: String::new(),
        history: loaded.past.iter().map(|h| (h.version, h.by.clone(), time(h.at), h.reason.clone())).collect(),
        fault: None,
        others: loaded.others.iter().map(|(id, name)| (*id, name.clone(), false)).collect(),
        would: None,
    }
}

pub(crate) async fn page(actor: Actor, place: web::Path<(u32, u32)>) -> Result<HttpResponse, WebError> {
    let (section, lab) = *place;
    let loaded = load(&actor, section, lab).await?;
    let v = view(&loaded, section, &loaded.now.settings, loaded.now.due_at);
    html(&SettingPage { frame: actor.frame("Sections", "sections"), v })
}

/// An issued value of this lab, to show how one is written.
fn example(p: &Protocol) -> String {
    let spec = p.readings.iter().find(|r| p.items[r.item].words.is_none());
    spec.map_or_else(String::new, |r| {
        let row = if p.has_rows(r.item) { "1" } else { "" };
        let value = r.plausible.map_or(1.0, |(low, high)| (low + high) / 2.0);
        format!("{},{row},{}", p.items[r.item].id, jurado_core::notation::figures(value, 3))
    })
}

/// What the form says, or what is wrong with it in words.
fn parse(p: &Protocol, fields: &Fields, now: &Section) -> Result<(Section, Option<NaiveDateTime>), String> {
    let mut out = Section { repeatability: now.repeatability.clone(), ..Section::default() };
    for x in &p.parameters {
        let item = &p.items[x.item];
        let Some(text) = field(fields, &format!("p.{}", item.id)) else { continue };
        let (low, high) = x.range;
        match forms::number(text, &item.title).ok().filter(|v| (low..=high).contains(v)) {
            // What is the lab's own value is not set.
            Some(v) if v == x.value => {}
            Some(v) => {
                out.parameters.insert(item.id.clone(), v);
            }
            None => return Err(format!("The {}, “{text}”, is no number from {low} to {high}.", item.title)),
        }
    }
    for c in p.criteria.iter().filter(|c| c.off) {
        if field(fields, &format!("on.{}", c.id)).is_some() {
            out.criteria.push(c.id.clone());
        }
    }
    for (name, reason) in fields {
        let Some(id) = name.strip_prefix("w.") else { continue };
        let reason = forms::WAIVER.optional(reason)?;
        if !reason.is_empty() && p.item(id).is_some() {
            out.waivers.push(Waiver { item: id.to_owned(), reason });
        }
    }
    out.readings = match field(fields, "source") {
        Some("issued") => Source::Issued,
        Some("shown") => Source::Shown,
        _ => Source::Own,
    };
    for (n, line) in field(fields, "issued").unwrap_or("").lines().enumerate() {
        if line.trim().is_empty() {
            continue;
        }
        let parts: Vec<&str> = line.split([',', ';', '\t']).map(str::trim).collect();
        let wrong = |what: &str| {
            format!(
                "Issued values, line {}: {what}. Write the reading, its row or nothing, and the value, such as {}.",
                n + 1,
                example(p)
            )
        };
        let [id, row, value] = parts[..] else { return Err(wrong(&format!("“{line}” has not three parts"))) };
        let Some(item) = p.item(id).filter(|i| p.reading_of(*i).is_some()) else {
            return Err(wrong(&format!("“{id}” is no reading of this lab")));
        };
        let row = if row.is_empty() {
            None
        } else {
            Some(row.parse::<u32>().map_err(|_| wrong(&format!("“{row}” is no row number")))?)
        };
        if row.is_some() != p.has_rows(item) {
            return Err(wrong(if row.is_some() {
                "it is taken once and has no row"
            } else {
                "it is taken several times and needs its row"
            }));
        }
        let value = forms::number(value, id).map_err(|_| wrong(&format!("“{value}” is no number")))?;
        out.issued.push(Issued { item: id.to_owned(), row, value });
    }
    if out.readings != Source::Own && out.issued.is_empty() {
        return Err(
            "Readings are said to be issued or shown, and no value is: write the values that everybody got.".into()
        );
    }
    let due = match field(fields, "due").map(str::trim).filter(|d| !d.is_empty()) {
        None => None,
        Some(text) => Some(crate::views::course::from_field(text)?),
    };
    Ok((out, due))
}

pub(crate) async fn set(
    actor: Actor,
    place: web::Path<(u32, u32)>,
    fields: web::Form<Bounded>,
) -> Result<HttpResponse, WebError> {
    let fields = fields.into_inner().0;
    actor.allow(field(&fields, "token").unwrap_or(""))?;
    let (section, lab) = *place;
    let loaded = load(&actor, section, lab).await?;
    let reason = field(&fields, "reason").unwrap_or("").trim().to_owned();
    let also: Vec<u32> =
        loaded.others.iter().map(|o| o.0).filter(|id| field(&fields, &format!("also.{id}")).is_some()).collect();
    let chosen = |v: &mut SettingView| v.others.iter_mut().for_each(|o| o.2 = also.contains(&o.0));
    let refuse = |fault: String| {
        let mut v = view(&loaded, section, &loaded.now.settings, loaded.now.due_at);
        // What was typed stays.
        let kept: BTreeMap<&str, &str> = fields.iter().map(|(k, v)| (k.as_str(), v.as_str())).collect();
        for p in &mut v.parameters {
            p.2 = kept.get(format!("p.{}", p.0).as_str()).unwrap_or(&"").to_string();
        }
        for w in &mut v.waivers {
            w.2 = kept.get(format!("w.{}", w.0).as_str()).unwrap_or(&"").to_string();
        }
        for c in &mut v.criteria {
            c.2 = kept.contains_key(format!("on.{}", c.0).as_str());
        }
        if let Some(source) = kept.get("source") {
            v.source = (*source).to_owned();
        }
        v.issued = kept.get("issued").unwrap_or(&"").to_string();
        v.due = kept.get("due").unwrap_or(&"").to_string();
        v.reason.clone_from(&reason);
        chosen(&mut v);
        v.fault = Some(fault);
        html_with(StatusCode::UNPROCESSABLE_ENTITY, &SettingPage { frame: actor.frame("Sections", "sections"), v })
    };
    let (new, due) = match parse(&loaded.lab.protocol, &fields, &loaded.now.settings) {
        Ok(new) => new,
        Err(fault) => return refuse(fault),
    };
    if field(&fields, "then") == Some("set") {
        let reason = match forms::REASON.wanted(&reason, "Write the reason in a few words: it is kept in the history.")
        {
            Ok(reason) => reason,
            Err(fault) => return refuse(fault),
        };
        let version: u32 = field(&fields, "version").and_then(|v| v.parse().ok()).unwrap_or(0);
        let (set, why, also) = (new.clone(), reason.clone(), also.clone());
        let work = move |c: &mut jurado_store::Db, user: &jurado_store::User| {
            jurado_store::changes::set_sections(c, (section, lab), &also, version, (&set, due), &why, user)
        };
        return match actor.run(work).await {
            Ok(_) => Ok(on_to(&format!("/sections/{section}/{lab}"))),
            Err(WebError::Store(StoreError::Conflict(c))) => {
                refuse(format!("{} was first: {}. Load the page anew and look at what is set now.", c.by, c.theirs))
            }
            Err(e) => Err(e),
        };
    }
    let would = would_change(&actor, &loaded, [&[section], &also[..]].concat(), &new).await?;
    let mut v = view(&loaded, section, &new, due);
    v.reason = reason;
    chosen(&mut v);
    v.would = Some(would);
    html(&SettingPage { frame: actor.frame("Sections", "sections"), v })
}

/// What new settings would change in some sections, team by team.
async fn would_change(
    actor: &Actor,
    loaded: &Loaded,
    sections: Vec<u32>,
    new: &Section,
) -> Result<Vec<(String, String, String)>, WebError> {
    let (lab, new) = (loaded.lab.clone(), new.clone());
    actor
        .look(move |c, user| {
            let mut details = Vec::new();
            for section in &sections {
                details.extend(jurado_store::sheets::details_of(c, lab.id, Some(*section), user)?);
            }
            let before: Vec<_> = details.iter().map(|d| d.judge(&lab.protocol)).collect();
            let after: Vec<_> = details
                .iter()
                .map(|d| jurado_store::SheetDetail { settings: new.clone(), ..d.clone() }.judge(&lab.protocol))
                .collect();
            let changes = difference((&lab.protocol, &before), (&lab.protocol, &after));
            Ok(crate::views::would::told(&lab.protocol, changes, sections.len() > 1))
        })
        .await
}
