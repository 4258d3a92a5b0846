//! Sections: their roster, and what they set for each lab. A change shows what it would change before it is applied.

use std::collections::BTreeMap;

use actix_web::http::StatusCode;
use actix_web::{HttpResponse, web};
use askama::Template;
use chrono::NaiveDateTime;
use jurado_core::preview::difference;
use jurado_core::protocol::{ItemKind, Protocol};
use jurado_core::section::{Issued, Section, Source, Waiver};
use jurado_intake::{read_roster, write_grid_csv};
use jurado_store::course;
use jurado_store::labs::Standing;
use jurado_store::roster::Enrolled;
use jurado_store::sections::Setting;
use jurado_store::{Lab, StoreError};
use serde::Deserialize;

use crate::error::{WebError, html, html_with, on_to};
use crate::session::Actor;
use crate::views::entry::{Bounded, Fields, field};
use crate::views::frame::Frame;
use crate::views::intake::time;

#[derive(Template)]
#[template(path = "sections.html")]
struct SectionsPage {
    frame: Frame,
    sections: Vec<SectionView>,
    labs: Vec<(u32, String)>,
    may: bool,
    /// What could not be done: its head and what is wrong.
    fault: Option<(&'static str, String)>,
    done: String,
    pasted: String,
    /// Whether one section alone is shown.
    one: bool,
    /// What was looked for.
    find: String,
    /// Which of how many are shown, where not all are: first, last, all.
    some: Option<(usize, usize, usize)>,
    /// Addresses of the pages before and after.
    before: Option<String>,
    after: Option<String>,
}

struct SectionView {
    id: u32,
    name: String,
    teams: usize,
    students: usize,
    /// Team and its students.
    roster: Vec<(String, String)>,
    /// The same to be changed, where this section alone is shown to who may.
    members: Option<Vec<course::Team>>,
}

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
    /// Team, points, lines.
    would: Option<Vec<(String, String, String)>>,
}

#[derive(Deserialize, Default)]
pub(crate) struct Done {
    #[serde(default)]
    done: String,
    #[serde(default)]
    section: Option<u32>,
    /// Part of a name.
    #[serde(default)]
    find: String,
    /// How many are passed over.
    #[serde(default)]
    from: usize,
}

/// Sections up to which a page shows the teams of all.
const MOST_ROSTERS: usize = 12;
/// Sections of one page.
const PAGE: usize = 48;

async fn show(
    actor: &Actor,
    fault: Option<(&'static str, String)>,
    pasted: String,
    asked: Done,
) -> Result<SectionsPage, WebError> {
    let only = asked.section;
    let may = actor.user.role == jurado_store::Role::Coordinator;
    let (sections, labs, students, roster, mut members) = actor
        .look(move |c, user| {
            let open = jurado_store::labs::open(c)?.into_iter();
            let members = match only.filter(|_| may) {
                Some(id) => Some(course::teams_of(c, id, user)?),
                None => None,
            };
            Ok((
                jurado_store::roster::sections(c, user)?,
                open.filter(|(_, s)| *s == Standing::Term).map(|(l, _)| l).collect::<Vec<_>>(),
                jurado_store::roster::students(c, user)?,
                jurado_store::roster::roster(c, user)?,
                members,
            ))
        })
        .await?;
    let many = sections.len() > MOST_ROSTERS;
    let part = asked.find.trim().to_lowercase();
    let wanted: Vec<_> = sections
        .into_iter()
        .filter(|s| only.is_none_or(|o| o == s.id) && s.name.to_lowercase().contains(&part))
        .collect();
    let all = wanted.len();
    let from = if asked.from < all { asked.from } else { 0 };
    let to = all.min(from + PAGE);
    let page_at = |from: usize| format!("/sections?from={from}&find={}", crate::views::query(asked.find.trim()));
    let sections = wanted
        .into_iter()
        .skip(from)
        .take(PAGE)
        .map(|s| {
            let mine: Vec<_> = students.iter().filter(|x| x.section == s.name).collect();
            let shown = !many || only.is_some();
            let teams = roster.sections.get(&s.name).filter(|_| shown).cloned().unwrap_or_default();
            SectionView {
                roster: teams
                    .into_iter()
                    .map(|t| {
                        let names: Vec<String> =
                            mine.iter().filter(|x| x.team == t).map(|x| format!("{} ({})", x.name, x.number)).collect();
                        (t, names.join(", "))
                    })
                    .collect(),
                id: s.id,
                students: mine.len(),
                members: members.take(),
                name: s.name,
                teams: s.teams,
            }
        })
        .collect();
    Ok(SectionsPage {
        frame: actor.frame("Sections", "sections"),
        sections,
        labs: labs.iter().map(|l| (l.id, l.protocol.title.clone())).collect(),
        may,
        fault,
        pasted,
        one: only.is_some(),
        some: (many && only.is_none()).then_some((all.min(from + 1), to, all)),
        before: (from > 0).then(|| page_at(from.saturating_sub(PAGE))),
        after: (to < all).then(|| page_at(to)),
        find: asked.find,
        done: asked.done,
    })
}

pub(crate) async fn page(actor: Actor, done: web::Query<Done>) -> Result<HttpResponse, WebError> {
    let asked = done.into_inner();
    let said = actor.said(&asked.done).to_owned();
    html(&show(&actor, None, String::new(), Done { done: said, ..asked }).await?)
}

#[derive(Deserialize)]
pub(crate) struct Roster {
    token: String,
    #[serde(default)]
    text: String,
}

pub(crate) async fn roster(actor: Actor, form: web::Form<Roster>) -> Result<HttpResponse, WebError> {
    actor.allow(&form.token)?;
    actor.coordinator("The roster is brought by the coordinator")?;
    let lines = match read_roster(form.text.as_bytes()) {
        Ok(lines) => lines,
        Err(f) => {
            let told = format!("Line {}, column {}: {}. {}.", f.line, f.column, f.what, crate::views::capital(&f.mend));
            let fault = Some(("The roster was not taken", told));
            let page = show(&actor, fault, form.text.clone(), Done::default()).await?;
            return html_with(StatusCode::UNPROCESSABLE_ENTITY, &page);
        }
    };
    let students: Vec<jurado_store::roster::Student> = lines
        .into_iter()
        .map(|l| jurado_store::roster::Student { section: l.section, team: l.team, number: l.number, name: l.name })
        .collect();
    let e: Enrolled = actor.run(move |c, user| jurado_store::roster::enrol(c, &students, user)).await?;
    let done = format!(
        "{} sections, {} teams and {} students are new, {} moved or were renamed, {} were so already.",
        e.sections, e.teams, e.added, e.changed, e.unchanged
    );
    Ok(on_to(&format!("/sections?done={}", actor.say(&done))))
}

/// One change of the course.
#[derive(Deserialize)]
pub(crate) struct Altered {
    token: String,
    then: String,
    /// What is changed: a section, team or student.
    #[serde(default)]
    id: u32,
    /// Section whose page it was asked on, to go back to.
    #[serde(default)]
    section: Option<u32>,
    /// A name, or a reason.
    #[serde(default)]
    text: String,
    /// Number of a student.
    #[serde(default)]
    number: String,
    /// Team that a student goes to.
    #[serde(default)]
    team: u32,
}

impl Altered {
    fn change(&self) -> Option<course::Change> {
        use course::Change;
        let (id, text) = (self.id, || self.text.clone());
        Some(match self.then.as_str() {
            "add-section" => Change::AddSection(text()),
            "rename-section" => Change::RenameSection(id, text()),
            "earlier" => Change::MoveSection(id, true),
            "later" => Change::MoveSection(id, false),
            "remove-section" => Change::RemoveSection(id),
            "add-team" => Change::AddTeam(id, text()),
            "rename-team" => Change::RenameTeam(id, text()),
            "remove-team" => Change::RemoveTeam(id),
            "add-student" => Change::AddStudent(id, self.number.clone(), text()),
            "rename-student" => Change::RenameStudent(id, text()),
            "move-student" => Change::MoveStudent(id, self.team),
            "leave" => Change::Leave(id, text()),
            "return" => Change::Return(id),
            _ => return None,
        })
    }
}

/// Changes a section, a team or a student.
pub(crate) async fn change(actor: Actor, form: web::Form<Altered>) -> Result<HttpResponse, WebError> {
    actor.allow(&form.token)?;
    actor.coordinator("Sections are looked after by the coordinator")?;
    let wanted = form.change().ok_or(WebError::NotFound("change of the course"))?;
    let gone = matches!(wanted, course::Change::RemoveSection(_));
    match actor.run(move |c, user| course::change(c, &wanted, user)).await {
        Ok(()) => {
            let to = form.section.filter(|_| !gone).map_or_else(String::new, |s| format!("?section={s}"));
            Ok(on_to(&format!("/sections{to}")))
        }
        Err(WebError::Store(StoreError::Bad(what, mend))) => {
            let told = format!("{}: {mend}.", crate::views::capital(&what));
            let asked = Done { section: form.section, ..Done::default() };
            let page = show(&actor, Some(("That was not done", told)), String::new(), asked).await?;
            html_with(StatusCode::UNPROCESSABLE_ENTITY, &page)
        }
        Err(e) => Err(e),
    }
}

pub(crate) async fn roster_csv(actor: Actor) -> Result<HttpResponse, WebError> {
    let students = actor
        .run(|c, user| {
            jurado_store::events::tell(c, user.id, "roster fetched", "roster.csv")?;
            jurado_store::roster::students(c, user)
        })
        .await?;
    let mut grid = vec![["section", "team", "number", "name"].map(str::to_owned).to_vec()];
    grid.extend(students.into_iter().map(|s| vec![s.section, s.team, s.number, s.name]));
    Ok(HttpResponse::Ok()
        .content_type("text/csv; charset=utf-8")
        .insert_header(("Content-Disposition", "attachment; filename=\"roster.csv\""))
        .body(write_grid_csv(&grid)))
}

struct Loaded {
    lab: Lab,
    section: String,
    now: Setting,
    past: Vec<jurado_store::sections::Past>,
}

async fn load(actor: &Actor, section: u32, lab: u32) -> Result<Loaded, WebError> {
    actor
        .look(move |c, user| {
            let name = jurado_store::roster::sections(c, user)?
                .into_iter()
                .find(|s| s.id == section)
                .ok_or(StoreError::NotFound("section"))?
                .name;
            Ok(Loaded {
                lab: jurado_store::labs::get(c, lab)?,
                section: name,
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
        would: None,
    }
}

pub(crate) async fn setting(actor: Actor, place: web::Path<(u32, u32)>) -> Result<HttpResponse, WebError> {
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
    let decimal =
        |text: &str| text.trim().replace(',', ".").replace('−', "-").parse::<f64>().ok().filter(|v| v.is_finite());
    for x in &p.parameters {
        let item = &p.items[x.item];
        let Some(text) = field(fields, &format!("p.{}", item.id)) else { continue };
        let (low, high) = x.range;
        match decimal(text).filter(|v| (low..=high).contains(v)) {
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
        let reason = reason.trim();
        if !reason.is_empty() && p.item(id).is_some() {
            out.waivers.push(Waiver { item: id.to_owned(), reason: reason.chars().take(200).collect() });
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
        let value = decimal(value).ok_or_else(|| wrong(&format!("“{value}” is no number")))?;
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
        v.fault = Some(fault);
        html_with(StatusCode::UNPROCESSABLE_ENTITY, &SettingPage { frame: actor.frame("Sections", "sections"), v })
    };
    let (new, due) = match parse(&loaded.lab.protocol, &fields, &loaded.now.settings) {
        Ok(new) => new,
        Err(fault) => return refuse(fault),
    };
    if field(&fields, "then") == Some("set") {
        if reason.is_empty() {
            return refuse("Write the reason in a few words: it is kept in the history.".into());
        }
        let version: u32 = field(&fields, "version").and_then(|v| v.parse().ok()).unwrap_or(0);
        let (set, why) = (new.clone(), reason.clone());
        return match actor
            .run(move |c, user| jurado_store::changes::set_section(c, (section, lab), version, &set, due, &why, user))
            .await
        {
            Ok(_) => Ok(on_to(&format!("/sections/{section}/{lab}"))),
            Err(WebError::Store(StoreError::Conflict(c))) => {
                refuse(format!("{} was first: {}. Load the page anew and look at what is set now.", c.by, c.theirs))
            }
            Err(e) => Err(e),
        };
    }
    let would = would_change(&actor, &loaded, section, &new).await?;
    let mut v = view(&loaded, section, &new, due);
    v.reason = reason;
    v.would = Some(would);
    html(&SettingPage { frame: actor.frame("Sections", "sections"), v })
}

/// What new settings would change, team by team.
async fn would_change(
    actor: &Actor,
    loaded: &Loaded,
    section: u32,
    new: &Section,
) -> Result<Vec<(String, String, String)>, WebError> {
    let (lab, new) = (loaded.lab.clone(), new.clone());
    actor
        .look(move |c, user| {
            let details = jurado_store::sheets::details_of(c, lab.id, Some(section), user)?;
            let before: Vec<_> = details.iter().map(|d| d.judge(&lab.protocol)).collect();
            let after: Vec<_> = details
                .iter()
                .map(|d| jurado_store::SheetDetail { settings: new.clone(), ..d.clone() }.judge(&lab.protocol))
                .collect();
            let changes = difference((&lab.protocol, &before), (&lab.protocol, &after));
            Ok(crate::views::would::told(&lab.protocol, changes, false))
        })
        .await
}
