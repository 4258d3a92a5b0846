//! A ruling that is drawn up from a finding, and the rulings there are.

mod moving;
mod pattern;

use jurado_core::decision::{Action, Ruling};
use jurado_core::finding::{Finding, Key};
use jurado_core::notation::{self, counted};
use jurado_core::protocol::Protocol;
use jurado_core::verdict::Judged;
use jurado_core::wording;
use jurado_store::rulings::{Kept, Place};
use jurado_store::{Lab, SheetDetail, User};

use moving::{Group, Like, Moving, Seen, StripView};
use pattern::slip_of;
pub(crate) use pattern::{Chosen, Pattern, has_likes};

use super::bench::points;
use super::course::{current, time};
use crate::draw::strip;

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
    pub(crate) team: String,
    pub(crate) like: usize,
    pub(crate) moves: usize,
    pub(crate) sum: String,
    pub(crate) sentence: String,
    pub(crate) lines: Vec<Line>,
    pub(crate) most: String,
    pub(crate) strip: Vec<StripView>,
    pub(crate) groups: Vec<Group>,
    pub(crate) fault: Option<String>,
}

/// Height of a strip and an arrow, px, for the page.
pub(crate) const STRIP: f64 = strip::LINE;

/// What a ruling does, in words.
fn does(action: Action) -> String {
    match action {
        Action::Forgive => "it costs nothing".to_owned(),
        Action::Points(p) => format!("it costs {}", points(p)),
        _ => "what is proposed is taken".to_owned(),
    }
}

/// A pattern as a sentence.
fn sentence(lab: &str, item: &str, slip: &str, ruling: &Ruling, section: Option<&str>) -> String {
    let keys: Vec<String> = ruling.keys.iter().map(|(k, v)| format!(", at {} {v}", k.replace('_', " "))).collect();
    if let Some(value) = ruling.against {
        let value = notation::to_figures(value, 6, false).to_string().replace('-', "−");
        return format!(
            "In {lab}{}, the accuracy of the {item} is judged against {value} in place of the reference, before and from now on.",
            keys.concat()
        );
    }
    let section = match section {
        Some(name) => format!(", in {name}"),
        None => format!(", in any {}", current().section),
    };
    format!(
        "In {lab}, where the {item} has {slip}{}{section}, before and from now on: {}.",
        keys.concat(),
        does(ruling.action)
    )
}

/// What a person has chosen of the pattern.
struct Choices {
    any: bool,
    section: Option<u32>,
    key: Option<(String, String)>,
}

impl Choices {
    fn fits(&self, d: &SheetDetail, l: &Like) -> bool {
        let at = |(k, v): &(String, String)| d.submission.keys.get(k) == Some(v);
        (self.any || l.same_slip) && self.section.is_none_or(|s| d.section_id == s) && self.key.as_ref().is_none_or(at)
    }
}

impl RulingView {
    pub(crate) fn new(
        lab: &Lab,
        (all, places): (&[SheetDetail], &[Place]),
        pattern: &Pattern,
        chosen: &Chosen,
        (user, blind): (&User, bool),
    ) -> RulingView {
        let protocol = &lab.protocol;
        let judged: Vec<Judged> = all.iter().map(|d| d.judge(protocol)).collect();
        let ruling = &pattern.ruling;
        let seen = Seen { lab, all, places, judged, ruling, sheet: chosen.sheet, back: false, user, blind };
        let source = all.iter().position(|d| d.id == chosen.sheet);
        let slip = source.and_then(|n| {
            let f = seen.judged[n].findings.iter().find(|f| f.key == Key::from(chosen.finding.clone()))?;
            slip_of(&seen.judged[n], f).and_then(|r| r.slip.as_ref()).map(|s| s.kind.word())
        });
        let likes = if chosen.sets() { all_of(&seen) } else { likes(&seen, slip) };
        let now =
            Choices { any: chosen.slip == "any" || chosen.sets(), section: chosen.section_id(), key: chosen.key() };
        let lines = if chosen.sets() { Vec::new() } else { lines(&seen, &likes, pattern, slip.is_some(), &now) };
        let Moving { groups, strip, moves, sum } = seen.moving(&likes, |l| now.fits(&all[l.at], l));
        let sections = seen.sections();
        let in_section = now.section.and_then(|s| sections.iter().find(|(id, _)| *id == s)).map(|(_, n)| n.as_str());
        RulingView {
            chosen: chosen.clone(),
            lab: protocol.title.clone(),
            item: pattern.item.clone(),
            team: source.map_or_else(String::new, |n| seen.name(n)),
            like: likes.len(),
            moves,
            sum,
            sentence: sentence(
                &protocol.title,
                &pattern.item,
                &slip_words(pattern, now.any),
                &pattern.ruling,
                in_section,
            ),
            lines,
            most: pattern.most.normalize().to_string(),
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
        let judged: Vec<Judged> = all.iter().map(|d| d.judge(&lab.protocol)).collect();
        let seen = Seen { lab, all, places, judged, ruling, sheet: 0, back: true, user, blind };
        let mut likes = all_of(&seen);
        likes.retain(|l| {
            let held = all[l.at].rulings.iter().any(|r| r.id == ruling.id);
            held && (ruling.against.is_some() || seen.judged[l.at].findings.iter().any(|f| f.ruling == Some(ruling.id)))
        });
        let Moving { groups, strip, moves, sum } = seen.moving(&likes, |_| true);
        let KeptView { id, sentence, reason, by, .. } = KeptView::new(kept, &lab.protocol);
        BackView { id, sentence, reason, by, moves, sum, groups, strip, fault: None }
    }
}

/// Tables that hold a finding like the one that a ruling comes from.
fn likes(seen: &Seen<'_>, slip: Option<&str>) -> Vec<Like> {
    let of_table = |(at, j): (usize, &Judged)| {
        let of: Vec<&Finding> = j.findings.iter().filter(|f| seen.wide(f)).collect();
        let same = |f: &&Finding| slip_of(j, f).and_then(|r| r.slip.as_ref()).map(|s| s.kind.word()) == slip;
        let first = of.first()?;
        let near = of.iter().copied().find(|f| same(f));
        Some(Like { at, same_slip: near.is_some(), by_hand: near.unwrap_or(first).decision.is_some() })
    };
    seen.judged.iter().enumerate().filter_map(of_table).collect()
}

/// All tables of a place: a reference concerns each of them.
fn all_of(seen: &Seen<'_>) -> Vec<Like> {
    let by_hand = |j: &Judged| j.findings.iter().any(|f| seen.wide(f) && f.decision.is_some());
    seen.judged.iter().enumerate().map(|(at, j)| Like { at, same_slip: true, by_hand: by_hand(j) }).collect()
}

/// The lines of a pattern with their choices, each with how many tables it would leave.
fn lines(seen: &Seen<'_>, likes: &[Like], pattern: &Pattern, of_slip: bool, now: &Choices) -> Vec<Line> {
    let protocol = &seen.lab.protocol;
    let count = |any: bool, section: Option<u32>, key: Option<&(String, String)>| {
        let choices = Choices { any, section, key: key.cloned() };
        likes.iter().filter(|l| choices.fits(&seen.all[l.at], l)).count()
    };
    let key = now.key.as_ref();
    let choice = |value: String, words: String, count: usize, chosen: bool| Choice { value, words, count, chosen };
    let mut lines = Vec::new();
    if of_slip {
        let any = format!("any slip in the {}", pattern.item);
        let choices = vec![
            choice(String::new(), pattern.slip.clone(), count(false, now.section, key), !now.any),
            choice("any".into(), any, count(true, now.section, key), now.any),
        ];
        lines.push(Line { title: "Slip".into(), name: "slip", choices });
    }
    let mut choices = vec![choice(String::new(), "any".into(), count(now.any, None, key), now.section.is_none())];
    choices.extend(
        seen.sections()
            .into_iter()
            .map(|(id, name)| choice(id.to_string(), name, count(now.any, Some(id), key), now.section == Some(id))),
    );
    lines.push(Line { title: super::capital(&current().section), name: "section", choices });
    let keys = likes.iter().flat_map(|l| &seen.all[l.at].submission.keys);
    let values: std::collections::BTreeSet<(String, String)> = keys.map(|(k, v)| (k.clone(), v.clone())).collect();
    if !values.is_empty() {
        let mut choices = vec![choice(String::new(), "any".into(), count(now.any, now.section, None), key.is_none())];
        choices.extend(values.iter().map(|kv| {
            let title = protocol.keys.iter().find(|k| k.id == kv.0).map_or(kv.0.as_str(), |k| k.title.as_str());
            let words = format!("{} {}", title.to_lowercase(), kv.1);
            choice(format!("{}={}", kv.0, kv.1), words, count(now.any, now.section, Some(kv)), key == Some(kv))
        }));
        lines.push(Line { title: "Where".into(), name: "at", choices });
    }
    lines
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
        let slip = wording::what(protocol, &r.code, r.slip.as_deref());
        KeptView {
            id: r.id,
            sentence: sentence(&protocol.title, item.as_deref().unwrap_or("table"), &slip, r, r.section.as_deref()),
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
