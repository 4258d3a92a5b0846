//! Practice classes: a line each, and the account of one that has ended.

use jurado_core::moderation::Field;
use jurado_core::practice::{
    Account, Act, FEWEST, Fate, Proposed, QUARTER, Summed, Worked, habits, judged, taking_all,
};
use jurado_core::protocol::Protocol;
use jurado_core::verdict::Judged;
use jurado_core::wording;
use jurado_core::wording::practice::{habit, kind};
use jurado_sim::Level;
use jurado_store::practice::{Class, EXAMPLES, Table};
use rust_decimal::Decimal;
use rust_decimal::prelude::ToPrimitive;

use super::bench::points;
use super::course::time;
use crate::draw::moderation::signed;
use crate::draw::practice::{self as drawn, Column};
use crate::draw::svg::Svg;

/// Of which kind a class is, in words.
pub(crate) fn kind_title(word: &str) -> &'static str {
    match Level::of(word) {
        Some(level) => level.title(),
        None if word == EXAMPLES => "examples of the course",
        None => "another kind",
    }
}

/// A class in a list.
pub(crate) struct ClassLine {
    pub(crate) id: u32,
    pub(crate) lab: String,
    pub(crate) kind: &'static str,
    pub(crate) at: String,
    pub(crate) open: bool,
    /// Tables signed, and all.
    pub(crate) signed: i64,
    pub(crate) of: i64,
    pub(crate) found: u32,
    pub(crate) planted: u32,
}

impl ClassLine {
    pub(crate) fn new(class: &Class, lab: String, (signed, of): (i64, i64)) -> ClassLine {
        ClassLine {
            id: class.id,
            lab,
            kind: kind_title(&class.kind),
            at: time(class.ended_at.unwrap_or(class.begun_at)),
            open: class.ended_at.is_none(),
            signed,
            of,
            found: class.found,
            planted: class.planted,
        }
    }
}

/// The mark of a kind of thing to find.
fn mark_of(field: Field) -> &'static str {
    match field {
        Field::Slips => "slip",
        Field::Digits => "short",
        Field::LeftOut => "apart",
        Field::Stated => "tight",
        Field::Missing => "missing",
        Field::Rest => "differs",
    }
}

/// What an act is, in words: as it was planted, else as the finding about it says.
fn says(protocol: &Protocol, undecided: &Judged, act: &Act) -> String {
    if !act.says.is_empty() {
        let about = match act.proposed {
            Proposed::Rightly => "",
            Proposed::Otherwise => "; it was taken for something else",
            Proposed::Not => "; nothing was proposed",
        };
        return format!("{}{about}", act.says);
    }
    let of = |j: &Judged| j.findings.iter().find(|f| act.keys.contains(&f.key)).map(|f| wording::brief(protocol, f));
    of(undecided).unwrap_or_else(|| kind(act.field).to_owned())
}

/// What was true of a table that has been told.
pub(crate) struct TruthView {
    pub(crate) acts: Vec<ActView>,
    /// Points given, and that it is worth.
    pub(crate) given: String,
    pub(crate) truth: String,
    pub(crate) without: usize,
    /// Address of the account.
    pub(crate) account: String,
}

/// One thing that there was to find.
pub(crate) struct ActView {
    pub(crate) symbol: &'static str,
    pub(crate) says: String,
    pub(crate) costs: String,
    pub(crate) fate: Fate,
}

fn undecided(protocol: &Protocol, table: &Table) -> Judged {
    judged(protocol, &table.submission, &[])
}

fn act_views(protocol: &Protocol, table: &Table, account: &Account) -> Vec<ActView> {
    let before = undecided(protocol, table);
    let view = |(act, fate): (&Act, &Fate)| ActView {
        symbol: mark_of(act.field),
        says: says(protocol, &before, act),
        costs: points(act.costs),
        fate: *fate,
    };
    table.truth.acts.iter().zip(&account.acts).map(view).collect()
}

impl TruthView {
    pub(crate) fn new(protocol: &Protocol, table: &Table, judged: &Judged, class: u32) -> TruthView {
        let account = table.truth.account(judged);
        TruthView {
            acts: act_views(protocol, table, &account),
            given: points(account.given),
            truth: points(account.truth),
            without: account.without,
            account: format!("/practice/{class}"),
        }
    }
}

/// A kind of thing to find over the class.
pub(crate) struct KindView {
    pub(crate) symbol: &'static str,
    pub(crate) name: &'static str,
    pub(crate) planted: usize,
    pub(crate) found: usize,
    pub(crate) twice: usize,
    /// Found by whoever takes everything as proposed.
    pub(crate) all: usize,
    pub(crate) few: bool,
    pub(crate) svg: Svg,
}

/// Something that passed.
pub(crate) struct PassedView {
    pub(crate) number: u32,
    pub(crate) href: String,
    pub(crate) symbol: &'static str,
    pub(crate) says: String,
    pub(crate) off: String,
}

/// The account of a class.
pub(crate) struct AccountView {
    pub(crate) lab: String,
    pub(crate) lab_id: u32,
    pub(crate) kind: &'static str,
    pub(crate) at: String,
    pub(crate) sum: Summed,
    pub(crate) unsigned: usize,
    pub(crate) height: f64,
    pub(crate) svg: Svg,
    pub(crate) away: String,
    pub(crate) all_away: String,
    pub(crate) kinds: Vec<KindView>,
    pub(crate) total: (usize, usize, usize, usize),
    pub(crate) habits: Vec<(String, bool)>,
    pub(crate) passed: Vec<PassedView>,
    /// What to practise next: its kind of class, and why.
    pub(crate) next: (&'static str, &'static str, String),
}

/// One signed table with both accounts.
struct Told<'a> {
    table: &'a Table,
    mine: Account,
    all: Account,
}

fn told<'a>(protocol: &Protocol, table: &'a Table) -> Told<'a> {
    let before = undecided(protocol, table);
    let all = table.truth.account(&judged(protocol, &table.submission, &taking_all(&before, "all")));
    Told { table, mine: table.truth.account(&table.judge(protocol)), all }
}

/// Mean distance from the truth, in points a table.
fn away(tables: &[Told<'_>], of: impl Fn(&Told<'_>) -> Decimal) -> String {
    let sum: Decimal = tables.iter().map(|t| of(t).abs()).sum();
    points(sum / Decimal::from(tables.len().max(1)))
}

impl AccountView {
    pub(crate) fn new(protocol: &Protocol, class: &Class, tables: &[Table]) -> AccountView {
        let all: Vec<Told<'_>> = tables.iter().filter(|t| t.signed_at.is_some()).map(|t| told(protocol, t)).collect();
        let mut sum = Summed::default();
        all.iter().for_each(|t| sum.add(&t.mine));
        let kinds = kinds(&all);
        let total =
            kinds.iter().fold((0, 0, 0, 0), |t, k| (t.0 + k.planted, t.1 + k.found, t.2 + k.twice, t.3 + k.all));
        let columns: Vec<Column> = all.iter().map(|t| column(class.id, t)).collect();
        let worked: Vec<Worked> = all.iter().map(worked).collect();
        AccountView {
            lab: protocol.title.clone(),
            lab_id: class.lab_id,
            kind: kind_title(&class.kind),
            at: class.ended_at.map(time).unwrap_or_default(),
            sum,
            unsigned: tables.len() - all.len(),
            height: drawn::HEIGHT,
            svg: drawn::account(&columns, &sum),
            away: away(&all, |t| t.mine.off()),
            all_away: away(&all, |t| t.all.off()),
            passed: passed(protocol, class.id, &all),
            next: next(&kinds, class),
            kinds,
            total,
            habits: habits(&worked).iter().map(habit).collect(),
        }
    }
}

fn kinds(all: &[Told<'_>]) -> Vec<KindView> {
    let count = |field: Field, of: &dyn Fn(&Told<'_>, usize) -> bool| {
        let at =
            |t: &Told<'_>| t.table.truth.acts.iter().enumerate().filter(|(n, a)| a.field == field && of(t, *n)).count();
        all.iter().map(at).sum::<usize>()
    };
    Field::ALL
        .into_iter()
        .filter_map(|field| {
            let planted = count(field, &|_, _| true);
            let found = count(field, &|t, n| t.mine.acts[n].found);
            let by_all = count(field, &|t, n| t.all.acts[n].found);
            let few = planted < FEWEST;
            (planted > 0).then(|| KindView {
                symbol: mark_of(field),
                name: kind(field),
                planted,
                found,
                twice: count(field, &|t, n| t.mine.acts[n].twice),
                all: by_all,
                few,
                svg: drawn::share((found, planted), by_all, few),
            })
        })
        .collect()
}

fn column(class: u32, t: &Told<'_>) -> Column {
    let number = |d: Decimal| d.to_f64().unwrap_or(0.0);
    let marks = |of: &dyn Fn(&Fate) -> bool| -> Vec<&'static str> {
        let acts = t.table.truth.acts.iter().zip(&t.mine.acts);
        acts.filter(|(_, fate)| of(fate)).map(|(act, _)| mark_of(act.field)).collect()
    };
    Column {
        number: t.table.number,
        href: format!("/practice/{class}/{}", t.table.number),
        mine: number(t.mine.off()),
        all: number(t.all.off()),
        found: marks(&|f| f.found),
        missed: marks(&|f| !f.found),
        twice: marks(&|f| f.twice),
    }
}

fn worked(t: &Told<'_>) -> Worked {
    let seconds = t.table.opened_at.zip(t.table.signed_at).map(|(from, to)| (to - from).num_seconds());
    Worked {
        number: t.table.number,
        acts: t.table.truth.acts.iter().map(|a| a.field).zip(t.mine.acts.iter().copied()).collect(),
        without: t.mine.without,
        off: t.mine.off(),
        seconds,
    }
}

fn passed(protocol: &Protocol, class: u32, all: &[Told<'_>]) -> Vec<PassedView> {
    let mut out = Vec::new();
    for t in all {
        let off = signed(t.mine.off().to_f64().unwrap_or(0.0));
        let href = format!("/practice/{class}/{}", t.table.number);
        for act in act_views(protocol, t.table, &t.mine).into_iter().filter(|a| !a.fate.found) {
            out.push(PassedView {
                number: t.table.number,
                href: href.clone(),
                symbol: act.symbol,
                says: act.says,
                off: off.clone(),
            });
        }
        if t.mine.without > 0 && t.mine.off() < -QUARTER {
            let says = "something was charged that never happened".to_owned();
            out.push(PassedView { number: t.table.number, href, symbol: "unexplained", says, off });
        }
    }
    out
}

/// The class to practise next: its word, its title, and why.
fn next(kinds: &[KindView], class: &Class) -> (&'static str, &'static str, String) {
    let worst = kinds.iter().filter(|k| k.found < k.planted).max_by_key(|k| k.planted - k.found);
    let level = Level::of(&class.kind);
    let step = match (worst, level) {
        (None, Some(Level::Plain)) => Level::Usual,
        (None, _) | (Some(_), Some(Level::Rare)) => Level::Rare,
        (Some(_), Some(level)) => level,
        (Some(_), None) => Level::Usual,
    };
    let why = match worst {
        Some(k) => {
            format!("{} passed you {} of {}.", jurado_core::notation::capital(k.name), k.planted - k.found, k.planted)
        }
        None => "Nothing passed you.".to_owned(),
    };
    (step.word(), step.title(), why)
}
