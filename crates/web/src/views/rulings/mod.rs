//! A ruling that is drawn up from a finding, and the rulings there are.

mod moving;
mod pattern;

use chrono::NaiveDateTime;
use jurado_core::decision::{Action, Ruling};
use jurado_core::finding::{Finding, Key};
use jurado_core::notation::{self, counted};
use jurado_core::protocol::{ItemId, Protocol};
use jurado_core::verdict::Judged;
use jurado_core::wording;
use jurado_store::rulings::{Kept, Place};
use jurado_store::{Lab, SheetDetail, User, on_all_cores};

use rust_decimal::Decimal;

use moving::{Like, Seen};
pub(crate) use pattern::{Chosen, Pattern, has_likes, slip_word};

use super::bench::points;
use super::course::{current, time};
use super::moving::{Around, Group, Moving, StripView};

/// One choice of a line.
pub(crate) struct Choice {
    pub(crate) value: String,
    pub(crate) words: String,
    /// Tables that it would leave.
    pub(crate) count: usize,
    pub(crate) chosen: bool,
}

/// One line of the pattern.
pub(crate) struct Line {
    pub(crate) title: String,
    pub(crate) name: &'static str,
    pub(crate) choices: Vec<Choice>,
}

/// Everything that the page of a ruling lays out.
pub(crate) struct RulingView {
    pub(crate) chosen: Chosen,
    pub(crate) lab: String,
    pub(crate) item: String,
    /// What it comes from.
    pub(crate) whence: String,
    pub(crate) like: usize,
    pub(crate) moves: usize,
    pub(crate) sum: String,
    pub(crate) sentence: String,
    pub(crate) lines: Vec<Line>,
    pub(crate) most: String,
    /// The school that the slip is the formula of.
    pub(crate) school: Option<String>,
    /// The unit of a constant.
    pub(crate) unit: String,
    /// Where it was come from.
    pub(crate) back_to: String,
    /// Points that stand in the field: what was typed, else half a point or what there is.
    pub(crate) proposed: String,
    pub(crate) strip: Vec<StripView>,
    pub(crate) groups: Vec<Group>,
    pub(crate) fault: Option<String>,
}

/// What a ruling does, in words.
fn does(action: Action) -> String {
    match action {
        Action::Forgive => "it costs nothing".to_owned(),
        Action::Points(p) => format!("it costs {}", points(p)),
        _ => "what is proposed is taken".to_owned(),
    }
}

/// A pattern as a sentence; `at` is when it was put in force.
fn sentence(
    lab: &str,
    item: &str,
    slip: &str,
    (ruling, at): (&Ruling, Option<NaiveDateTime>),
    section: Option<&str>,
) -> String {
    let keys: Vec<String> = ruling.keys.iter().map(|(k, v)| format!(", at {} {v}", k.replace('_', " "))).collect();
    let section = match section {
        Some(name) => format!(", in {name}"),
        None => format!(", in any {}", current().section),
    };
    let when = match (ruling.since, at) {
        (Some(_), Some(at)) => format!("handed in from {} on", time(at)),
        (Some(_), None) => "handed in from now on".to_owned(),
        (None, _) => "before and from now on".to_owned(),
    };
    if let Some(value) = ruling.against {
        let value = notation::to_figures(value, 6, false).to_string().replace('-', "−");
        if ruling.code == Ruling::TAUGHT {
            return format!("In {lab}{}{section}, the {item} is taken as {value}, {when}.", keys.concat());
        }
        return format!(
            "In {lab}{}, the accuracy of the {item} is judged against {value} in place of the reference, before and from now on.",
            keys.concat()
        );
    }
    if ruling.school.is_some() {
        let keys = keys.concat();
        return format!("In {lab}{keys}{section}, the {item} is judged by another formula, {when}: {slip}.");
    }
    format!("In {lab}, where the {item} has {slip}{}{section}, {when}: {}.", keys.concat(), does(ruling.action))
}

/// What a person has chosen of the pattern.
#[derive(Clone, Default)]
struct Choices {
    /// Whatever the slip.
    any: bool,
    /// Whatever the result.
    wide: bool,
    section: Option<u32>,
    keys: Vec<(String, String)>,
    /// What is handed in from now on alone: nothing that is there.
    new: bool,
}

impl Choices {
    fn of(chosen: &Chosen) -> Choices {
        Choices {
            any: chosen.slip == "any" || chosen.sets(),
            wide: chosen.wide(),
            section: chosen.section_id(),
            keys: chosen.keys(),
            new: chosen.when == "new",
        }
    }

    fn fits(&self, d: &SheetDetail, l: &Like) -> bool {
        let at = |(k, v): &(String, String)| d.submission.keys.get(k) == Some(v);
        let kind = match (self.wide, self.any) {
            (false, false) => l.here_same,
            (false, true) => l.here,
            (true, false) => l.same,
            (true, true) => true,
        };
        kind && !self.new && self.section.is_none_or(|s| d.section_id == s) && self.keys.iter().all(at)
    }
}

impl RulingView {
    pub(crate) fn new(
        lab: &Lab,
        (all, places, anywhere): (&[SheetDetail], &[Place], (i64, i64)),
        pattern: &Pattern,
        chosen: &Chosen,
        (user, blind): (&User, bool),
    ) -> RulingView {
        let protocol = &lab.protocol;
        let judged: Vec<Judged> = on_all_cores(all, |d| d.judge(protocol));
        let ruling = &pattern.ruling;
        let around = Around { places, sheet: chosen.sheet, user, blind };
        let seen = Seen { lab, all, judged, ruling, back: false, around };
        let source = all.iter().position(|d| d.id == chosen.sheet);
        let slip = source.and_then(|n| {
            let f = seen.judged[n].findings.iter().find(|f| f.key == Key::from(chosen.finding.clone()))?;
            slip_word(&seen.judged[n], f)
        });
        let likes = if chosen.sets() { all_of(&seen) } else { likes(&seen, pattern.at, slip) };
        let now = Choices::of(chosen);
        let from = Lines { seen: &seen, likes: &likes, pattern, now: &now };
        let lines = match (chosen.of_place(), chosen.sets()) {
            (true, _) => Vec::new(),
            (_, true) => from.whose(chosen.of_constant()),
            _ => from.all(slip.is_some(), anywhere),
        };
        let fits = |l: &Like| now.fits(&all[l.at], l);
        // Of all tables of a lab those outside the pattern are not like it.
        let looked_at: Vec<Like> = likes.iter().filter(|l| !chosen.teaches() || fits(l)).copied().collect();
        let Moving { groups, strip, moves, sum } = seen.moving(&looked_at, fits);
        let sections = seen.sections();
        let in_section = now.section.and_then(|s| sections.iter().find(|(id, _)| *id == s)).map(|(_, n)| n.as_str());
        RulingView {
            chosen: chosen.clone(),
            lab: protocol.title.clone(),
            item: if now.wide && !chosen.sets() { "any result".to_owned() } else { pattern.item.clone() },
            whence: match (source, chosen.of_constant()) {
                (Some(n), _) => format!("from {}’s table", seen.around.name(&all[n])),
                (None, true) => "from the lab".to_owned(),
                (None, false) => "from the Floor".to_owned(),
            },
            like: looked_at.len(),
            moves,
            sum,
            sentence: sentence(
                &protocol.title,
                if now.wide && !chosen.sets() { ANYWHERE } else { &pattern.item },
                &match &pattern.school {
                    Some(school) if chosen.teaches() => school.clone(),
                    _ => slip_words(pattern, now.any),
                },
                (&pattern.ruling, None),
                in_section,
            ),
            lines,
            most: pattern.most.normalize().to_string(),
            school: pattern.school.clone(),
            unit: protocol.item(&chosen.constant).map_or_else(String::new, |i| protocol.items[i].unit.text.clone()),
            back_to: match (chosen.of_constant(), chosen.lab) {
                (true, lab) => format!("/protocols/{lab}"),
                (_, 0) => format!("/bench/{}", chosen.sheet),
                (_, lab) => format!("/floor/{lab}"),
            },
            proposed: match chosen.points.as_str() {
                "" => pattern.most.min(Decimal::new(5, 1)).normalize().to_string(),
                typed => typed.to_owned(),
            },
            strip,
            groups,
            fault: None,
        }
    }
}

/// What taking a ruling back would restore.
pub(crate) struct BackView {
    pub(crate) id: u64,
    pub(crate) sentence: String,
    pub(crate) reason: String,
    pub(crate) by: String,
    pub(crate) moves: usize,
    pub(crate) sum: String,
    pub(crate) groups: Vec<Group>,
    pub(crate) strip: Vec<StripView>,
    pub(crate) fault: Option<String>,
}

impl BackView {
    /// `all` are the tables that a ruling in force may have touched.
    pub(crate) fn new(
        lab: &Lab,
        (all, places): (&[SheetDetail], &[Place]),
        kept: &Kept,
        (user, blind): (&User, bool),
    ) -> BackView {
        let ruling = &kept.ruling;
        let judged: Vec<Judged> = on_all_cores(all, |d| d.judge(&lab.protocol));
        let around = Around { places, sheet: 0, user, blind };
        let seen = Seen { lab, all, judged, ruling, back: true, around };
        let mut likes = all_of(&seen);
        likes.retain(|l| {
            let held = all[l.at].rulings.iter().any(|r| r.id == ruling.id);
            held && (ruling.sets() || seen.judged[l.at].findings.iter().any(|f| f.ruling == Some(ruling.id)))
        });
        let Moving { groups, strip, moves, sum } = seen.moving(&likes, |_| true);
        let KeptView { id, sentence, reason, by, .. } = KeptView::new(kept, &lab.protocol);
        BackView { id, sentence, reason, by, moves, sum, groups, strip, fault: None }
    }
}

/// Tables that hold a finding like the one that a ruling comes from.
fn likes(seen: &Seen<'_>, item: Option<ItemId>, slip: Option<&str>) -> Vec<Like> {
    let of_table = |(at, j): (usize, &Judged)| {
        let of: Vec<&Finding> = j.findings.iter().filter(|f| seen.wide(f)).collect();
        let here = |f: &&Finding| f.place.item == item;
        let same = |f: &&Finding| slip_word(j, f) == slip;
        let first = of.first()?;
        let near = of.iter().copied().find(|f| here(f) && same(f)).or_else(|| of.iter().copied().find(same));
        Some(Like {
            at,
            here: of.iter().any(here),
            here_same: of.iter().any(|f| here(f) && same(f)),
            same: of.iter().any(same),
            by_hand: near.unwrap_or(first).decision.is_some(),
        })
    };
    seen.judged.iter().enumerate().filter_map(of_table).collect()
}

/// All tables of a place: a reference concerns each of them.
fn all_of(seen: &Seen<'_>) -> Vec<Like> {
    let by_hand = |j: &Judged| j.findings.iter().any(|f| seen.wide(f) && f.decision.is_some());
    let like = |(at, j)| Like { at, here: true, here_same: true, same: true, by_hand: by_hand(j) };
    seen.judged.iter().enumerate().map(like).collect()
}

/// What the lines of a pattern are made from.
struct Lines<'a> {
    seen: &'a Seen<'a>,
    likes: &'a [Like],
    pattern: &'a Pattern,
    now: &'a Choices,
}

/// What stands for a result where any is meant.
const ANYWHERE: &str = "table";

impl Lines<'_> {
    /// A choice, with how many tables it would leave if it alone were chosen otherwise.
    fn choice(&self, value: String, words: String, chosen: bool, other: impl FnOnce(&mut Choices)) -> Choice {
        let mut choices = self.now.clone();
        other(&mut choices);
        let count = self.likes.iter().filter(|l| choices.fits(&self.seen.all[l.at], l)).count();
        Choice { value, words, count, chosen }
    }

    fn all(&self, of_slip: bool, anywhere: (i64, i64)) -> Vec<Line> {
        let (now, item) = (self.now, &self.pattern.item);
        let mut lines = Vec::new();
        if of_slip {
            let any = if now.wide { "any slip".to_owned() } else { format!("any slip in the {item}") };
            let choices = vec![
                self.choice(String::new(), self.pattern.slip.clone(), !now.any, |c| c.any = false),
                self.choice("any".into(), any, now.any, |c| c.any = true),
            ];
            lines.push(Line { title: "Slip".into(), name: "slip", choices });
        }
        if self.pattern.at.is_some() {
            let mut any = self.choice("any".into(), "any result of the lab".into(), now.wide, |c| c.wide = true);
            // Those of other results are counted by what is kept of them until they are looked at.
            if !now.wide && now.section.is_none() && now.keys.is_empty() && !now.new {
                any.count = if now.any { anywhere.1 } else { anywhere.0 } as usize;
            }
            let here = self.choice(String::new(), format!("the {item}"), !now.wide, |c| c.wide = false);
            lines.push(Line { title: "Of".into(), name: "result", choices: vec![here, any] });
        }
        lines.extend(self.whose(true));
        lines
    }

    /// Whose tables: of which section and place, handed in when.
    fn whose(&self, any_section: bool) -> Vec<Line> {
        let now = self.now;
        let mut lines = Vec::new();
        let any = self.choice(String::new(), "any".into(), now.section.is_none(), |c| c.section = None);
        let mut choices = if any_section { vec![any] } else { Vec::new() };
        choices.extend(
            self.seen
                .sections()
                .into_iter()
                .map(|(id, name)| self.choice(id.to_string(), name, now.section == Some(id), |c| c.section = Some(id))),
        );
        lines.push(Line { title: super::capital(&current().section), name: "section", choices });
        lines.extend(self.keys());
        let choices = vec![
            self.choice(String::new(), "before and from now on".into(), !now.new, |c| c.new = false),
            self.choice("new".into(), "what is handed in from now on".into(), now.new, |c| c.new = true),
        ];
        lines.push(Line { title: "When".into(), name: "when", choices });
        lines
    }

    /// A line for each key of the lab, three at most.
    fn keys(&self) -> Vec<Line> {
        let values = |id: &str| -> std::collections::BTreeSet<&str> {
            let of = |l: &Like| self.seen.all[l.at].submission.keys.get(id).map(String::as_str);
            self.likes.iter().filter_map(of).collect()
        };
        let keys =
            self.seen.lab.protocol.keys.iter().map(|k| (k, values(&k.id))).filter(|(_, values)| !values.is_empty());
        keys.zip(["at", "at2", "at3"])
            .map(|((key, values), name)| {
                let chosen = self.now.keys.iter().find(|(k, _)| *k == key.id).map(|(_, v)| v.as_str());
                let without = |c: &mut Choices| c.keys.retain(|(k, _)| *k != key.id);
                let mut choices = vec![self.choice(String::new(), "any".into(), chosen.is_none(), without)];
                choices.extend(values.into_iter().map(|v| {
                    self.choice(format!("{}={v}", key.id), v.to_owned(), chosen == Some(v), |c| {
                        without(c);
                        c.keys.push((key.id.clone(), v.to_owned()));
                    })
                }));
                Line { title: super::capital(&key.title), name, choices }
            })
            .collect()
    }
}

fn slip_words(pattern: &Pattern, any: bool) -> String {
    if any { "any slip".to_owned() } else { pattern.slip.clone() }
}

/// What a team reads of the rulings that touched its table: that it is so for all like it, and why.
pub(crate) fn told(judged: &Judged, rulings: &[Ruling]) -> Vec<String> {
    let touched = |r: &&Ruling| judged.findings.iter().any(|f| f.ruling == Some(r.id) && f.decision.is_none());
    let say = |r: &Ruling| {
        let reason = r.reason.trim_end_matches('.');
        match r.action {
            Action::Forgive => format!("One thing costs you nothing, as it costs nobody: {reason}."),
            _ if r.code == Ruling::TAUGHT => format!("That was settled for all who were taught alike: {reason}."),
            _ => format!("One thing was decided alike for every team: {reason}."),
        }
    };
    rulings.iter().filter(touched).map(say).collect()
}

/// What many tables wait for alike, on the Docket.
pub(crate) struct AlikeView {
    pub(crate) tables: i64,
    pub(crate) says: String,
    /// Where it is ruled on.
    pub(crate) href: String,
}

impl AlikeView {
    pub(crate) fn new(alike: &jurado_store::docket::Alike, protocol: &Protocol) -> AlikeView {
        AlikeView {
            tables: alike.tables,
            says: format!("{}, {}", protocol.title, wording::pattern(protocol, &alike.pattern)),
            href: format!("/rulings/new?sheet={}", alike.sheet.unwrap_or(0)),
        }
    }
}

/// A ruling of the list.
pub(crate) struct KeptView {
    pub(crate) id: u64,
    pub(crate) sentence: String,
    pub(crate) reason: String,
    pub(crate) touched: String,
    pub(crate) by: String,
    /// Who withdrew it, and why.
    pub(crate) withdrawn: Option<String>,
}

impl KeptView {
    pub(crate) fn new(kept: &Kept, protocol: &Protocol) -> KeptView {
        let r = &kept.ruling;
        let item = r.item.as_deref().and_then(|id| protocol.item(id)).map(|i| protocol.full_title(i));
        let school = r.school.as_deref().zip(r.item.as_deref());
        let slip = match school.and_then(|(school, item)| protocol.school_named(item, school)) {
            Some(school) => school.words().to_owned(),
            None => wording::what(protocol, &r.code, r.slip.as_deref()),
        };
        KeptView {
            id: r.id,
            sentence: sentence(
                &protocol.title,
                item.as_deref().unwrap_or("table"),
                &slip,
                (r, Some(kept.at)),
                r.section.as_deref(),
            ),
            reason: r.reason.clone(),
            touched: counted(kept.touched as usize, "table"),
            by: format!("{}, {}", kept.by, time(kept.at)),
            withdrawn: kept
                .withdrawn
                .as_ref()
                .map(|(by, at, why)| format!("withdrawn by {by}, {}: “{why}”", time(*at))),
        }
    }
}
