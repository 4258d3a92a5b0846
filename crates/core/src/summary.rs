//! What a list shows of a verdict: points, what is open, the mark that most wants a person, and
//! why. Whoever keeps a verdict keeps this beside the table, so that a list of fifty thousand
//! tables judges none of them.
//!
//! A list of fifty thousand tables is read from these and judges none of them. What is kept has to
//! be made anew when the same verdict would be told in other words; [`Summary::EDITION`] says when.

use rust_decimal::Decimal;

use crate::finding::Finding;
use crate::judging::hanging;
use crate::protocol::Protocol;
use crate::quantity::power_of_ten;
use crate::verdict::{Judged, JudgedResult, VerdictKind};
use crate::wording;

/// The mark of the finding that most wants a person.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub enum Mark {
    /// Nothing wants a person.
    Agrees,
    /// Points hang on a choice that could be defended either way.
    Hangs,
    /// A named mistake.
    Slip,
    /// A value that no story explains, or that several explain.
    Unexplained,
    /// Something that cannot be read as a number.
    Unreadable,
    /// A replicate that stands apart.
    Apart,
    /// Something that could not be checked.
    Unchecked,
    /// Something that is not there.
    Missing,
    /// Digits or units that are wrong.
    Short,
    /// A value that is right to its figures, or figures cut early.
    Rounded,
    /// A ± that is missing or unfair.
    Tight,
    /// A word, a check or a reference that says otherwise.
    Differs,
    /// A value that follows rightly from a wrong one.
    Carried,
}

impl Mark {
    /// All marks.
    pub const ALL: [Mark; 13] = [
        Mark::Agrees,
        Mark::Hangs,
        Mark::Slip,
        Mark::Unexplained,
        Mark::Unreadable,
        Mark::Apart,
        Mark::Unchecked,
        Mark::Missing,
        Mark::Short,
        Mark::Rounded,
        Mark::Tight,
        Mark::Differs,
        Mark::Carried,
    ];

    /// Its word, as records and addresses write it.
    ///
    /// # Example
    /// ```
    /// use jurado_core::summary::Mark;
    /// let words: Vec<&str> = Mark::ALL.iter().map(|m| m.word()).collect();
    /// assert_eq!((words[0], words.len()), ("agrees", 13));
    /// ```
    pub fn word(self) -> &'static str {
        match self {
            Mark::Agrees => "agrees",
            Mark::Hangs => "hangs",
            Mark::Slip => "slip",
            Mark::Unexplained => "unexplained",
            Mark::Unreadable => "unreadable",
            Mark::Apart => "apart",
            Mark::Unchecked => "unchecked",
            Mark::Missing => "missing",
            Mark::Short => "short",
            Mark::Rounded => "rounded",
            Mark::Tight => "tight",
            Mark::Differs => "differs",
            Mark::Carried => "carried",
        }
    }

    /// The mark of a word.
    ///
    /// # Example
    /// ```
    /// use jurado_core::summary::Mark;
    /// assert_eq!(Mark::of_word(Mark::Carried.word()), Some(Mark::Carried));
    /// assert_eq!(Mark::of_word("no such mark"), None);
    /// ```
    pub fn of_word(word: &str) -> Option<Mark> {
        Mark::ALL.into_iter().find(|m| m.word() == word)
    }
}

/// A verdict in brief.
#[derive(Clone, Debug, PartialEq)]
pub struct Summary {
    /// Points by rule.
    pub awarded: Decimal,
    /// Points after rulings and decisions.
    pub decided: Decimal,
    /// Points there are.
    pub possible: Decimal,
    /// Findings that want a person.
    pub open: u32,
    /// Points that a decision could still move.
    pub hanging: Decimal,
    /// Mark of the finding that most wants a person.
    pub mark: Mark,
    /// One sentence on why.
    pub headline: String,
    /// Distance of each result in units of the last digit reported, `;` between, `-` where there is
    /// none.
    pub profile: String,
    /// The points of every criterion as they would go out, such as `accuracy=4;records=2.5`: two
    /// verdicts with the same text give a team the same marks.
    pub outcome: String,
    /// What it waits for most, as a ruling would know it: `code/item/slip`, such as
    /// `slip/plate_volume/decimal-point`; empty where nothing is open.
    pub pattern: String,
    /// All its findings in the same way, each once, such as
    /// `;digits//;slip/plate_volume/decimal-point;`; `*` where that would be longer than
    /// [`Summary::MOST_PATTERNS`].
    pub patterns: String,
}

impl Summary {
    /// Raised where the same verdict is told in another way: what is kept of it is made anew then.
    pub const EDITION: u32 = 9;
    /// Longest headline, in characters.
    pub const MOST_HEADLINE: usize = 390;
    /// Longest pattern, in characters.
    pub const MOST_PATTERN: usize = 160;
    /// Longest list of all patterns, in bytes.
    pub const MOST_PATTERNS: usize = 8_000;
    /// Longest profile, in characters.
    pub const MOST_PROFILE: usize = 400;

    /// The brief of a verdict.
    ///
    /// # Example
    /// ```
    /// use jurado_core::example::{lab, table};
    /// use jurado_core::judging::judge;
    /// use jurado_core::summary::Summary;
    /// let clear = Summary::of(&lab(), &judge(&lab(), &table("29.98", "706.1"), &[], &[]));
    /// assert_eq!(clear.headline, "Nothing to decide.");
    /// ```
    pub fn of(protocol: &Protocol, judged: &Judged) -> Summary {
        let open: Vec<&Finding> = judged.findings.iter().filter(|f| f.open()).collect();
        let worst = worst(&open);
        Summary {
            awarded: judged.score.awarded.normalize(),
            decided: judged.score.decided.normalize(),
            possible: judged.score.possible.normalize(),
            open: open.len() as u32,
            hanging: hanging(judged).normalize(),
            mark: worst.map_or_else(|| at_rest(judged), |f| f.kind.properties().mark),
            headline: headline(protocol, judged, worst).chars().take(Summary::MOST_HEADLINE).collect(),
            profile: profile(&judged.results).chars().take(Summary::MOST_PROFILE).collect(),
            outcome: outcome(judged),
            pattern: worst.map_or_else(String::new, |f| pattern(protocol, judged, f)),
            patterns: patterns(protocol, judged),
        }
    }
}

/// The finding that most wants a person: by the points that hang on it, then as the sheet is read.
fn worst<'a>(open: &[&'a Finding]) -> Option<&'a Finding> {
    open.iter().copied().max_by_key(|f| (f.hangs, std::cmp::Reverse(f.place.item)))
}

/// The finding that [`Summary::pattern`] is of.
///
/// # Example
/// ```
/// use jurado_core::example::{lab, table};
/// use jurado_core::judging::judge;
/// use jurado_core::summary::most_wanting;
/// let judged = judge(&lab(), &table("94.2", "6969"), &[], &[]);
/// assert_eq!(most_wanting(&judged).map(|f| f.code()), Some("slip"));
/// ```
pub fn most_wanting(judged: &Judged) -> Option<&Finding> {
    worst(&judged.findings.iter().filter(|f| f.open()).collect::<Vec<_>>())
}

/// The finding that a pattern of [`Summary::patterns`] is of; where there are several, the one that
/// most wants a person.
///
/// # Example
/// ```
/// use jurado_core::example::{lab, table};
/// use jurado_core::judging::judge;
/// use jurado_core::summary::{Summary, holding};
/// let lab = lab();
/// let judged = judge(&lab, &table("94.2", "6969"), &[], &[]);
/// // What it waits for most is found again by its pattern.
/// let pattern = Summary::of(&lab, &judged).pattern;
/// assert_eq!(holding(&lab, &judged, &pattern).map(|f| f.code()), Some("slip"));
/// assert!(holding(&lab, &judged, "no/such/pattern").is_none());
/// ```
pub fn holding<'a>(protocol: &Protocol, judged: &'a Judged, of: &str) -> Option<&'a Finding> {
    worst(&judged.findings.iter().filter(|f| pattern(protocol, judged, f) == of).collect::<Vec<_>>())
}

/// A finding as a ruling would know it: code, item and kind of slip.
pub(crate) fn pattern(protocol: &Protocol, judged: &Judged, finding: &Finding) -> String {
    let item = finding.place.item.map_or("", |i| protocol.items[i].id.as_str());
    let at = |r: &&JudgedResult| {
        Some(r.item) == finding.place.item && (finding.place.row.is_none() || r.row == finding.place.row)
    };
    let slip = judged.results.iter().find(at).filter(|_| finding.code() == "slip").and_then(|r| r.slip.as_ref());
    let text = format!("{}/{item}/{}", finding.code(), slip.map_or("", |s| s.kind.word()));
    text.chars().take(Summary::MOST_PATTERN).collect()
}

/// The patterns of all findings in one text, to be searched by; a star where they are too many to
/// be kept.
fn patterns(protocol: &Protocol, judged: &Judged) -> String {
    let each: std::collections::BTreeSet<String> =
        judged.findings.iter().map(|f| pattern(protocol, judged, f)).collect();
    let text = each.iter().fold(";".to_owned(), |text, one| format!("{text}{one};"));
    if text.len() > Summary::MOST_PATTERNS { "*".to_owned() } else { text }
}

/// The mark of a verdict in which nothing is open.
fn at_rest(judged: &Judged) -> Mark {
    let hangs = judged.findings.iter().any(|f| f.fragile.is_some() && f.decision.is_none());
    if hangs { Mark::Hangs } else { Mark::Agrees }
}

/// One line for the list: what wants a decision most, or costs.
fn headline(protocol: &Protocol, judged: &Judged, worst: Option<&Finding>) -> String {
    let charged = || judged.findings.iter().find(|f| f.cost > Decimal::ZERO);
    worst.or_else(charged).map_or_else(|| "Nothing to decide.".to_owned(), |f| wording::brief(protocol, f))
}

/// How far each result lies from what the readings give, in half-widths, for the small drawing in
/// the list.
fn profile(results: &[JudgedResult]) -> String {
    let each: Vec<String> =
        results.iter().map(|r| distance(r).map_or_else(|| "-".to_owned(), |d| format!("{d:.2}"))).collect();
    each.join(";")
}

/// The points of every line, to see whether a change moved any.
fn outcome(judged: &Judged) -> String {
    let lines: Vec<String> =
        judged.score.lines.iter().map(|l| format!("{}={}", l.criterion, l.decided.normalize())).collect();
    lines.join(";")
}

/// d = (R − C) / 10^places, in units of the last digit the team wrote; R the reported and C the
/// recomputed value.
fn distance(r: &JudgedResult) -> Option<f64> {
    if matches!(r.verdict, VerdictKind::Missing | VerdictKind::Unreadable | VerdictKind::Unchecked) {
        return None;
    }
    let number = r.reported.number.as_ref()?;
    let d = (r.reported.value? - r.clean.or(r.carried)?) / (power_of_ten(number.last_place) * r.reported.scale);
    d.is_finite().then(|| d.clamp(-99_999.0, 99_999.0))
}

#[cfg(test)]
mod tests {
    use super::Mark;

    #[test]
    fn every_mark_is_found_again_by_its_word_and_no_other_word_is_one() {
        for mark in Mark::ALL {
            assert_eq!(Mark::of_word(mark.word()), Some(mark));
        }
        assert_eq!(Mark::of_word("Slip"), None);
    }
}
