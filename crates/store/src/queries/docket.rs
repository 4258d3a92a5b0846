//! What waits: counts by lab and section, and the queue.

use std::collections::{BTreeMap, BTreeSet};

use chrono::NaiveDateTime;
use diesel::dsl::sql;
use diesel::prelude::*;
use diesel::sql_types::{Bool, Text};
use jurado_core::summary::Mark;
use rust_decimal::Decimal;

use super::users::User;
use crate::records::words::{MarkWord, SheetState};
use crate::schema::{sections, sheets, teams, went_out};
use crate::{Db, StoreError};

/// One line of the Docket.
#[derive(Clone, Debug, Queryable)]
pub struct DocketRow {
    /// Sheet.
    pub id: u32,
    /// Lab.
    pub lab_id: u32,
    /// Section.
    pub section_id: u32,
    /// Section's name.
    pub section: String,
    /// Team.
    pub team: String,
    /// Station, blank where there is none.
    pub station: String,
    /// Where it stands.
    pub state: SheetState,
    /// Points as decided.
    pub decided: Decimal,
    /// Points as computed.
    pub awarded: Decimal,
    /// Points there are.
    pub possible: Decimal,
    /// Findings that want a person.
    pub open_findings: u32,
    /// Points that hang on a decision.
    pub hanging: Decimal,
    /// Mark of the verdict that most wants a person.
    #[diesel(deserialize_as = MarkWord)]
    pub mark: Mark,
    /// One sentence on why.
    pub headline: String,
    /// Distances of the results.
    pub profile: String,
    /// When it was returned.
    pub returned_at: Option<NaiveDateTime>,
    /// Who has it in hand, as long as that holds by the database's clock.
    pub taken_by: Option<u32>,
    /// How often it went out.
    pub returns: u32,
}

impl DocketRow {
    /// Whether it waits and wants a person.
    pub fn wants(&self) -> bool {
        self.state == SheetState::Waiting && self.open_findings > 0
    }

    /// Whether it waits and nothing is to be decided.
    pub fn is_clear(&self) -> bool {
        self.state == SheetState::Waiting && self.open_findings == 0
    }

    /// Whether somebody else has it in hand now.
    pub fn held_from(&self, user: &User) -> bool {
        self.taken_by.is_some_and(|by| by != user.id)
    }
}

/// Where a table stands, as the database works it out.
pub(crate) const WANTS: u8 = 0;
pub(crate) const CLEAR: u8 = 1;
pub(crate) const SIGNED: u8 = 2;
const RETURNED: u8 = 3;

/// The stage of a word; `None` for one that names none, which asks for nothing in particular.
fn stage_of(state: &str) -> Option<u8> {
    match state {
        "wants" => Some(WANTS),
        "clear" => Some(CLEAR),
        "signed" => Some(SIGNED),
        "returned" => Some(RETURNED),
        _ => None,
    }
}

/// Columns of a [`DocketRow`], in order.
macro_rules! columns {
    () => {
        (
            sheets::id,
            sheets::lab_id,
            sections::id,
            sections::name,
            teams::name,
            sheets::station,
            sheets::state,
            sheets::decided,
            sheets::awarded,
            sheets::possible,
            sheets::open_findings,
            sheets::hanging,
            sheets::mark,
            sheets::headline,
            sheets::profile,
            sheets::returned_at,
            diesel::dsl::sql::<diesel::sql_types::Nullable<diesel::sql_types::Unsigned<diesel::sql_types::Integer>>>(
                "IF(sheets.taken_until > UTC_TIMESTAMP(), sheets.taken_by, NULL)",
            ),
            sheets::returns,
        )
    };
}

/// Which tables are asked for; empty fields ask for all.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct Filter {
    /// Lab.
    pub lab: Option<u32>,
    /// Section.
    pub section: Option<u32>,
    /// Mark of the verdict that most wants a person.
    pub mark: Option<Mark>,
    /// State: `waiting`, `wants`, `clear`, `signed` or `returned`.
    pub state: Option<String>,
    /// Part of a team's or station's name.
    pub find: Option<String>,
}

/// Sheets of a lab that a person sees, by section and team.
///
/// # Errors
/// Faults of the database.
pub fn of_lab(c: &mut Db, lab: u32, user: &User) -> Result<Vec<DocketRow>, StoreError> {
    list(c, user, &Filter { lab: Some(lab), ..Filter::default() }, Order::Roster, i64::MAX)
}

/// Sheets of a lab in one section, by team: what lies beside a table on the Bench.
///
/// # Errors
/// Faults of the database.
pub fn of_watch(c: &mut Db, lab: u32, section: u32, user: &User) -> Result<Vec<DocketRow>, StoreError> {
    if !user.sees(section) {
        return Ok(Vec::new());
    }
    Ok(sheets::table
        .inner_join(teams::table)
        .inner_join(sections::table)
        .filter(sheets::stage.is_not_null())
        .filter(sheets::lab_id.eq(lab))
        .filter(sheets::section_id.eq(section))
        .order(teams::name)
        .select(columns!())
        .load(c.sql())?)
}

/// In which order.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Order {
    /// By section and team.
    Roster,
    /// What most needs a person first: those that want one, by the points that hang on it.
    Need,
}

/// Most teams whose tables a search reads one by one; where it names more, it meets some of them soon in any order.
const MOST_NAMED: i64 = 2_000;

/// Names in any case and without their accents, as people search for them.
const LIKE: &str = "COLLATE utf8mb4_general_ci LIKE ";

/// What a search means.
struct Named {
    /// The pattern of its text.
    like: String,
    /// Teams of that name, at most one more than [`MOST_NAMED`].
    teams: Vec<u32>,
    /// Stations of that name.
    stations: Vec<String>,
}

impl Named {
    fn by(c: &mut Db, find: &str) -> Result<Named, StoreError> {
        // A wildcard that a person types is a letter like any other.
        let like = format!("%{}%", find.replace('\\', "\\\\").replace('%', "\\%").replace('_', "\\_"));
        let team = sql::<Bool>("name ").sql(LIKE).bind::<Text, _>(like.clone());
        let teams = teams::table.select(teams::id).filter(team).limit(MOST_NAMED + 1).load(c.sql())?;
        let station = sql::<Bool>("station ").sql(LIKE).bind::<Text, _>(like.clone());
        let stations = sheets::table.select(sheets::station).distinct().filter(station).load(c.sql())?;
        Ok(Named { like, teams, stations })
    }

    /// Whether the tables of its teams are all that it means, and few.
    fn is_few(&self) -> bool {
        self.stations.is_empty() && self.teams.len() as i64 <= MOST_NAMED
    }
}

/// Sheets that a person sees and a filter lets through, at most `most`.
///
/// # Errors
/// Faults of the database.
pub fn list(c: &mut Db, user: &User, filter: &Filter, order: Order, most: i64) -> Result<Vec<DocketRow>, StoreError> {
    let mut query = sheets::table.filter(sheets::stage.is_not_null()).select(sheets::id).into_boxed();
    if !user.sees_all() {
        query = query.filter(sheets::section_id.eq_any(user.sections.iter().copied().collect::<Vec<u32>>()));
    }
    if let Some(lab) = filter.lab {
        query = query.filter(sheets::lab_id.eq(lab));
    }
    if let Some(section) = filter.section {
        query = query.filter(sheets::section_id.eq(section));
    }
    if let Some(mark) = filter.mark {
        query = query.filter(sheets::mark.eq(MarkWord(mark)));
    }
    if filter.state.as_deref() == Some("waiting") {
        query = query.filter(sheets::stage.le(CLEAR));
    } else if let Some(stage) = filter.state.as_deref().and_then(stage_of) {
        query = query.filter(sheets::stage.eq(stage));
    }
    let named = match filter.find.as_deref().map(str::trim).filter(|f| !f.is_empty()) {
        Some(find) => Some(Named::by(c, find)?),
        None => None,
    };
    let few = named.as_ref().is_some_and(Named::is_few);
    if let Some(named) = named {
        let station = sheets::station.eq_any(named.stations);
        query = if named.teams.len() as i64 <= MOST_NAMED {
            query.filter(sheets::team_id.eq_any(named.teams).or(station))
        } else {
            let team = sql::<Bool>("team_id IN (SELECT t.id FROM teams t WHERE t.name ").sql(LIKE);
            query.filter(team.bind::<Text, _>(named.like).sql(")").or(station))
        };
    }
    if order == Order::Roster && most < i64::MAX {
        // Which ones come first matters only where not all come.
        query = query.order((sheets::section_id, sheets::team_id));
    }
    if order == Order::Need {
        // The order of an index; joined tables would hide that from the server, so the rows themselves are fetched
        // afterwards. Where a person's few sections are asked for, or a search names few teams, reading those and sorting
        // them is quicker than walking the whole queue for them, and `+ 0` says so.
        query = if user.sees_all() && filter.section.is_none() && !few {
            query.order((sheets::stage, sheets::calm, sheets::id))
        } else {
            query.order(diesel::dsl::sql::<diesel::sql_types::Integer>("stage + 0, calm + 0, sheets.id"))
        };
    }
    if most < i64::MAX {
        query = query.limit(most);
    }
    let ids: Vec<u32> = query.load(c.sql())?;
    let mut rows: Vec<DocketRow> = Vec::with_capacity(ids.len());
    for some in ids.chunks(2_000) {
        let mut part: Vec<DocketRow> = sheets::table
            .inner_join(teams::table)
            .inner_join(sections::table)
            .filter(sheets::id.eq_any(some))
            .order((sections::position, sections::id, teams::name))
            .select(columns!())
            .load(c.sql())?;
        rows.append(&mut part);
    }
    if order == Order::Need {
        let place: std::collections::HashMap<u32, usize> = ids.iter().enumerate().map(|(n, id)| (*id, n)).collect();
        rows.sort_by_key(|r| place.get(&r.id).copied());
    } else if ids.len() > 2_000 {
        let positions: Vec<(u32, i32)> = sections::table.select((sections::id, sections::position)).load(c.sql())?;
        let at: std::collections::HashMap<u32, i32> = positions.into_iter().collect();
        rows.sort_by(|a, b| {
            (at.get(&a.section_id), a.section_id, &a.team).cmp(&(at.get(&b.section_id), b.section_id, &b.team))
        });
    }
    Ok(rows)
}

/// Counts of one lab in one section by state.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub struct Counts {
    /// Wait and want a person.
    pub wants: usize,
    /// Wait and look clear.
    pub clear: usize,
    /// Signed.
    pub decided: usize,
    /// Returned.
    pub returned: usize,
}

impl Counts {
    /// All that are in.
    pub fn all(self) -> usize {
        self.wants + self.clear + self.decided + self.returned
    }
}

/// Counts by lab and section.
pub type ByPlace = BTreeMap<(u32, u32), Counts>;

/// Points that hang on all that wants a person, of what a person sees. Apart from [`counts`]: it reads only what waits,
/// and adding up decimals costs more than counting.
///
/// # Errors
/// Faults of the database.
pub fn hanging(c: &mut Db, user: &User) -> Result<f64, StoreError> {
    let mut query = sheets::table
        .filter(sheets::stage.eq(WANTS))
        .select(diesel::dsl::sql::<diesel::sql_types::Double>("COALESCE(CAST(-SUM(calm) AS DOUBLE), 0)"))
        .into_boxed();
    if !user.sees_all() {
        query = query.filter(sheets::section_id.eq_any(user.sections.iter().copied().collect::<Vec<u32>>()));
    }
    Ok(query.first(c.sql())?)
}

/// Counts of what a person sees, by lab and section.
///
/// # Errors
/// Faults of the database.
pub fn counts(c: &mut Db, user: &User) -> Result<ByPlace, StoreError> {
    let mut query = sheets::table
        .group_by((sheets::section_id, sheets::lab_id, sheets::stage))
        .select((
            sheets::lab_id,
            sheets::section_id,
            sheets::stage,
            // As text, so that the statement is not kept: executed again, MariaDB would read every row (see DESIGN.md).
            diesel::dsl::sql::<diesel::sql_types::BigInt>("COUNT(*)"),
        ))
        .into_boxed();
    if !user.sees_all() {
        query = query.filter(sheets::section_id.eq_any(user.sections.iter().copied().collect::<Vec<u32>>()));
    }
    let rows: Vec<(u32, u32, Option<u8>, i64)> = query.load(c.sql())?;
    let mut out = ByPlace::new();
    for (lab, section, stage, n) in rows {
        let Some(stage) = stage else { continue };
        let counts = out.entry((lab, section)).or_default();
        let place = match stage {
            WANTS => &mut counts.wants,
            CLEAR => &mut counts.clear,
            SIGNED => &mut counts.decided,
            _ => &mut counts.returned,
        };
        *place += n as usize;
    }
    Ok(out)
}

/// Ids of the labs of which anything is in.
///
/// # Errors
/// Faults of the database.
pub fn labs_in_use(c: &mut Db) -> Result<BTreeSet<u32>, StoreError> {
    use crate::schema::labs;
    // By each stage an index finds the first table of a lab, however many there are. As `EXISTS` the database would read all
    // tables of a stage instead.
    let one = |stage: u8| sheets::table.filter(sheets::stage.eq(stage)).filter(sheets::lab_id.eq(labs::id));
    let some = |stage: u8| one(stage).select(sheets::lab_id).single_value().is_not_null();
    let ids: Vec<u32> = labs::table
        .filter(some(WANTS).or(some(CLEAR)).or(some(SIGNED)).or(some(RETURNED)))
        .select(labs::id)
        .load(c.sql())?;
    Ok(ids.into_iter().collect())
}

/// Marks as they went out: of each sheet what went out last, with the version of the protocol it went out under.
#[derive(Clone, Debug, Queryable)]
pub struct SentMark {
    /// Sheet.
    pub id: u32,
    /// Lab.
    pub lab_id: u32,
    /// Section's name.
    pub section: String,
    /// Team.
    pub team: String,
    /// Points.
    pub points: Decimal,
    /// Points there were.
    pub possible: Decimal,
    /// Version of the protocol; not known of what went out before that was kept.
    pub version: Option<u32>,
    /// When it went out.
    pub at: NaiveDateTime,
}

/// Marks that went out in a term (0 is the one that runs), of what a person sees, by section and team. What was changed
/// since is not in them, and no table that was taken out.
///
/// # Errors
/// Faults of the database.
pub fn sent_marks(
    c: &mut Db,
    user: &User,
    term: u32,
    lab: Option<u32>,
    section: Option<u32>,
) -> Result<Vec<SentMark>, StoreError> {
    use crate::schema::protocols;
    let mut query = sheets::table
        .inner_join(went_out::table.on(went_out::sheet_id.eq(sheets::id).and(went_out::number.eq(sheets::returns))))
        .inner_join(teams::table)
        .inner_join(sections::table)
        .left_join(protocols::table.on(protocols::id.nullable().eq(went_out::protocol_id)))
        .filter(sheets::term_id.eq(term))
        .filter(sheets::removal_id.is_null())
        .order((sections::position, sections::id, teams::name, sheets::lab_id))
        .select((
            sheets::id,
            sheets::lab_id,
            sections::name,
            teams::name,
            went_out::points,
            went_out::possible,
            protocols::version.nullable(),
            went_out::at,
        ))
        .into_boxed();
    if let Some(lab) = lab {
        query = query.filter(sheets::lab_id.eq(lab));
    }
    if let Some(section) = section {
        query = query.filter(sheets::section_id.eq(section));
    }
    if !user.sees_all() {
        query = query.filter(sheets::section_id.eq_any(user.sections.iter().copied().collect::<Vec<u32>>()));
    }
    Ok(query.load(c.sql())?)
}

/// Tables that wait for the same, which one ruling may settle.
#[derive(Clone, Debug, PartialEq, Eq, Queryable)]
pub struct Alike {
    /// Lab.
    pub lab_id: u32,
    /// What they wait for, as [`jurado_core::summary::Summary::pattern`] writes it.
    pub pattern: String,
    /// How many.
    pub tables: i64,
    /// One of them.
    pub sheet: Option<u32>,
}

/// Tables of fewer are no pattern.
const LEAST_ALIKE: i64 = 3;

/// What most tables wait for alike, of those a person sees, at most `most`.
///
/// # Errors
/// Faults of the database.
pub fn alike(c: &mut Db, user: &User, most: usize) -> Result<Vec<Alike>, StoreError> {
    let mut query = sheets::table
        .filter(sheets::stage.eq(WANTS))
        .group_by((sheets::lab_id, sheets::pattern))
        .select((
            sheets::lab_id,
            sheets::pattern,
            // As text, so that the statement is not kept, as in `counts`.
            diesel::dsl::sql::<diesel::sql_types::BigInt>("COUNT(*)"),
            diesel::dsl::min(sheets::id),
        ))
        .into_boxed();
    if !user.sees_all() {
        query = query.filter(sheets::section_id.eq_any(user.sections.iter().copied().collect::<Vec<u32>>()));
    }
    let mut rows: Vec<Alike> = query.load(c.sql())?;
    rows.retain(|a| a.tables >= LEAST_ALIKE && !a.pattern.is_empty());
    rows.sort_by_key(|a| (std::cmp::Reverse(a.tables), a.sheet));
    rows.truncate(most);
    Ok(rows)
}

/// A table that looks clear, to be signed with others.
#[derive(Clone, Debug, Queryable)]
pub struct ClearRow {
    /// Sheet.
    pub id: u32,
    /// Version that a signature is based on.
    pub version: u32,
    /// Lab.
    pub lab_id: u32,
    /// Section's name.
    pub section: String,
    /// Team.
    pub team: String,
    /// Points as decided.
    pub decided: Decimal,
    /// Points there are.
    pub possible: Decimal,
    /// One sentence on what was charged.
    pub headline: String,
}

/// Which tables are signed with others: those that look clear, on which no points hang, and which nobody but this person has
/// in hand.
#[diesel::dsl::auto_type(no_type_alias)]
pub(crate) fn in_a_lot(person: u32, now: NaiveDateTime) -> _ {
    let (clear, agrees): (u8, MarkWord) = (CLEAR, MarkWord(Mark::Agrees));
    let free = sheets::taken_until.is_null().or(sheets::taken_until.le(now));
    sheets::stage.eq(clear).and(sheets::mark.eq(agrees)).and(free.or(sheets::taken_by.eq(person)))
}

/// The tables of a person that are signed with others, by lab, section and team, at most `most`.
///
/// # Errors
/// Faults of the database.
pub fn clear_lot(c: &mut Db, user: &User, lab: Option<u32>, most: i64) -> Result<Vec<ClearRow>, StoreError> {
    let now = c.now()?;
    let mut query = sheets::table
        .inner_join(sections::table)
        .inner_join(teams::table)
        .filter(in_a_lot(user.id, now))
        .order((sheets::lab_id, sections::position, sections::id, teams::name))
        .select((
            sheets::id,
            sheets::version,
            sheets::lab_id,
            sections::name,
            teams::name,
            sheets::decided,
            sheets::possible,
            sheets::headline,
        ))
        .limit(most)
        .into_boxed();
    if !user.sees_all() {
        query = query.filter(sheets::section_id.eq_any(user.sections.clone()));
    }
    if let Some(lab) = lab {
        query = query.filter(sheets::lab_id.eq(lab));
    }
    Ok(query.load(c.sql())?)
}

/// How many tables want a person, and how many look clear, of all.
///
/// # Errors
/// Faults of the database.
pub fn queue(c: &mut Db) -> Result<(i64, i64), StoreError> {
    let count = |c: &mut Db, stage: u8| -> Result<i64, StoreError> {
        Ok(sheets::table.filter(sheets::stage.eq(stage)).count().get_result(c.sql())?)
    };
    Ok((count(c, WANTS)?, count(c, CLEAR)?))
}
