//! Sections, their teams and students, one by one or by a roster.

use actix_web::http::StatusCode;
use actix_web::{HttpResponse, web};
use askama::Template;
use jurado_intake::{read_roster, write_grid_csv};
use jurado_store::StoreError;
use jurado_store::course;
use jurado_store::labs::Standing;
use jurado_store::roster::Enrolled;
use serde::Deserialize;

use crate::error::{WebError, html, html_with, on_to};
use crate::flash::{Said, on_to_saying};
use crate::session::Actor;
use crate::views::frame::Frame;

#[derive(Template)]
#[template(path = "sections.html")]
struct SectionsPage {
    frame: Frame,
    sections: Vec<SectionView>,
    labs: Vec<(u32, String)>,
    may: bool,
    /// What could not be done: its head and what is wrong.
    fault: Option<(&'static str, String)>,
    pasted: String,
    /// All sections, by id and name, and all teams as `section: team`, where one section is changed.
    others: Vec<(u32, String)>,
    places: Vec<String>,
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
    /// Whether it takes no more tables in.
    closed: bool,
    /// The same to be changed, where this section alone is shown to who may.
    members: Option<Vec<course::Team>>,
}

#[derive(Deserialize, Default)]
pub(crate) struct Asked {
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
    asked: Asked,
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
    let (mut others, mut places) = (Vec::new(), Vec::new());
    if members.is_some() {
        others = sections.iter().map(|s| (s.id, s.name.clone())).collect();
        places = roster.sections.iter().flat_map(|(s, teams)| teams.iter().map(move |t| format!("{s}: {t}"))).collect();
    }
    let part = asked.find.trim().to_lowercase();
    let wanted: Vec<_> = sections
        .into_iter()
        .filter(|s| only.is_none_or(|o| o == s.id) && s.name.to_lowercase().contains(&part))
        .collect();
    if wanted.is_empty() && only.is_some() {
        return Err(WebError::NotFound("section"));
    }
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
                closed: s.closed,
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
        others,
        places,
        one: only.is_some(),
        some: (many && only.is_none()).then_some((all.min(from + 1), to, all)),
        before: (from > 0).then(|| page_at(from.saturating_sub(PAGE))),
        after: (to < all).then(|| page_at(to)),
        find: asked.find,
    })
}

pub(crate) async fn page(actor: Actor, asked: web::Query<Asked>) -> Result<HttpResponse, WebError> {
    html(&show(&actor, None, String::new(), asked.into_inner()).await?)
}

#[derive(Deserialize)]
pub(crate) struct Roster {
    token: String,
    #[serde(default)]
    text: String,
}

/// The page with a roster put where one is pasted.
pub(super) async fn with_roster(actor: &Actor, text: String) -> Result<HttpResponse, WebError> {
    html(&show(actor, None, text, Asked::default()).await?)
}

pub(crate) async fn roster(actor: Actor, form: web::Form<Roster>) -> Result<HttpResponse, WebError> {
    actor.allow(&form.token)?;
    actor.coordinator("The roster is brought by the coordinator")?;
    let lines = match read_roster(form.text.as_bytes()) {
        Ok(lines) => lines,
        Err(f) => {
            let told = format!("Line {}, column {}: {}. {}.", f.line, f.column, f.what, crate::views::capital(&f.mend));
            let fault = Some(("The roster was not taken", told));
            let page = show(&actor, fault, form.text.clone(), Asked::default()).await?;
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
    Ok(on_to_saying("/sections", Said::done("Taken", done)))
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
    /// Section that a team goes to.
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
            "close-section" => Change::CloseSection(id, true),
            "open-section" => Change::CloseSection(id, false),
            "remove-section" => Change::RemoveSection(id),
            "add-team" => Change::AddTeam(id, text()),
            "rename-team" => Change::RenameTeam(id, text()),
            "move-team" => Change::MoveTeam(id, self.team),
            "remove-team" => Change::RemoveTeam(id),
            "add-student" => Change::AddStudent(id, self.number.clone(), text()),
            "rename-student" => Change::RenameStudent(id, text()),
            "move-student" => Change::MoveStudent(id, text()),
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
            let asked = Asked { section: form.section, ..Asked::default() };
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
