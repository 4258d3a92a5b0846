//! One table on the Bench: what the template lays out. Its board is made in `board` from readings, rafts and rungs;
//! findings, the worked correction and the score in `findings`.

mod board;
#[cfg(test)]
mod counted;
mod findings;
mod raft;
mod readings;
mod rungs;
mod under;

use jurado_core::finding::{Finding, Severity};
use jurado_core::protocol::{ItemId, Protocol, Rejection, UncertaintySchool};
use jurado_core::row::Row;
use jurado_core::verdict::{Judged, JudgedResult, VerdictKind};
use jurado_store::attachments::Attachment;
use jurado_store::questions::Question;
use jurado_store::{DocketRow, HeldRecord, SheetDetail, SheetState};
use rust_decimal::Decimal;

pub(crate) use board::{BoardView, SegmentView};

use super::Mark;
use super::Stage;
use super::practice::TruthView;
use super::shelf::ShelvedView;
use crate::draw::replicates;
use crate::views::intake::time;

/// Everything the template lays out.
pub(crate) struct BenchView {
    pub(crate) id: u32,
    /// Address that its forms and its neighbours' begin with.
    pub(crate) at: String,
    /// Whether it is a table of a practice class, which stands beside the course.
    pub(crate) practice: bool,
    /// Address of that class.
    pub(crate) class: String,
    pub(crate) version: u32,
    pub(crate) team: String,
    pub(crate) place: String,
    pub(crate) aside: String,
    pub(crate) tally: Vec<(Mark, usize)>,
    pub(crate) board: BoardView,
    /// Whether rows that have nothing to see are shown one by one.
    pub(crate) unfolded: bool,
    pub(crate) replicates: replicates::Drawn,
    pub(crate) findings: Vec<FindingView>,
    pub(crate) notes: Vec<FindingView>,
    pub(crate) open: usize,
    pub(crate) settled: usize,
    pub(crate) lines: Vec<LineView>,
    pub(crate) awarded: String,
    pub(crate) decided: String,
    pub(crate) possible: String,
    pub(crate) sentences: Vec<(Option<usize>, bool, String)>,
    pub(crate) returned: bool,
    /// Whether it is signed, gone out or not.
    pub(crate) signed: bool,
    pub(crate) state_words: String,
    pub(crate) can_sign: bool,
    pub(crate) can_undo: bool,
    /// Addresses of the tables before and after it.
    pub(crate) previous: Option<String>,
    pub(crate) next: Option<String>,
    pub(crate) cautions: Vec<String>,
    pub(crate) advised: bool,
    pub(crate) explain: Option<ExplainView>,
    pub(crate) attachments: Vec<AttachmentView>,
    /// Rows of this table that wait in quarantine, and whether who looks may release them.
    pub(crate) waits: Vec<HeldRecord>,
    pub(crate) may_release: bool,
    /// Who else has the table in hand.
    pub(crate) held: bool,
    pub(crate) revision: u32,
    pub(crate) trying: Option<TryView>,
    pub(crate) due: String,
    /// Whether anything of it may be changed.
    pub(crate) may_change: bool,
    /// What was true of it, where it is of a practice class that has ended.
    pub(crate) truth: Option<TruthView>,
    /// Why nothing of it is changed any more.
    pub(crate) shelved: Option<ShelvedView>,
    /// What the team asks on its lines and nobody has answered: number, line and words.
    pub(crate) asked: Vec<(u32, String, String)>,
}

/// What belongs to a table besides its numbers.
pub(crate) struct AttachmentView {
    pub(crate) id: u32,
    pub(crate) name: String,
    /// What it shows, as the team says it.
    pub(crate) about: String,
    /// Whether the team brought it itself.
    pub(crate) of_team: bool,
    pub(crate) picture: bool,
}

/// A try-out: nothing of it is stored.
pub(crate) struct TryView {
    pub(crate) changed: usize,
    pub(crate) sum: String,
    pub(crate) differs: bool,
    pub(crate) schools: Vec<(&'static str, bool)>,
    pub(crate) tests: Vec<(&'static str, &'static str, bool)>,
    pub(crate) fault: Option<String>,
}

/// How the result in hand comes about.
pub(crate) struct ExplainView {
    pub(crate) title: String,
    pub(crate) math: Vec<Stage>,
    /// The formula that the team has under it.
    pub(crate) under: Option<under::UnderView>,
    pub(crate) budget: Vec<(String, String, String, u32)>,
    pub(crate) schools: Vec<(&'static str, String, bool)>,
    pub(crate) sentences: Vec<String>,
    pub(crate) previous: Option<usize>,
    pub(crate) next: Option<usize>,
}

/// What a page of the Bench is made from, besides the verdict.
pub(crate) struct Around<'a> {
    pub(crate) rows: &'a [DocketRow],
    pub(crate) attachments: &'a [Attachment],
    /// Rows of this table that wait in quarantine, and whether who looks may release them.
    pub(crate) waits: &'a (Vec<HeldRecord>, bool),
    /// Finding in hand, from 1.
    pub(crate) finding: Option<usize>,
    /// Result in hand, by its place.
    pub(crate) result: Option<usize>,
    /// Whether all rows are shown.
    pub(crate) unfolded: bool,
    pub(crate) held: bool,
    /// Whether who looks may take tables out and bring them back.
    pub(crate) may_remove: bool,
    pub(crate) blind: bool,
    pub(crate) tried: Option<&'a Tried>,
    /// What the team asks on its lines.
    pub(crate) asked: &'a [Question],
}

impl Around<'_> {
    /// Around a table that stands alone: nobody else has it, nothing lies with it, and no table is beside it.
    pub(crate) fn alone(finding: Option<usize>, result: Option<usize>) -> Around<'static> {
        const NONE: &(Vec<HeldRecord>, bool) = &(Vec::new(), false);
        Around {
            rows: &[],
            attachments: &[],
            waits: NONE,
            finding,
            result,
            unfolded: false,
            held: false,
            may_remove: false,
            blind: false,
            tried: None,
            asked: &[],
        }
    }
}

/// A try-out, judged.
pub(crate) struct Tried {
    pub(crate) judged: Judged,
    /// As tried: schools may differ from the protocol in force.
    pub(crate) protocol: Protocol,
    /// Texts and marks that differ from what was handed in.
    pub(crate) changed: usize,
    pub(crate) fault: Option<String>,
}

/// One finding.
pub(crate) struct FindingView {
    pub(crate) number: usize,
    pub(crate) key: String,
    pub(crate) mark: Mark,
    pub(crate) about: String,
    pub(crate) says: String,
    pub(crate) short: String,
    pub(crate) proposal: String,
    pub(crate) chance: String,
    pub(crate) fragile: Option<String>,
    pub(crate) open: bool,
    pub(crate) done: bool,
    pub(crate) now: bool,
    pub(crate) decided: String,
    pub(crate) most: String,
    /// A reading taken for another until a person says otherwise.
    pub(crate) repair: bool,
    /// Whether other tables may have the like.
    pub(crate) has_likes: bool,
    /// Levels of a criterion that a person judges: key, words, points.
    pub(crate) levels: Vec<(usize, String, String)>,
    /// Line of the score that the levels are of.
    pub(crate) line: String,
    /// What the team is told of it.
    pub(crate) tells: String,
}

/// Number of a finding, and whether it is settled.
pub(crate) type Pennant = (usize, bool);

/// One line of the score.
pub(crate) struct LineView {
    pub(crate) id: String,
    pub(crate) title: String,
    pub(crate) says: String,
    pub(crate) hangs: Option<String>,
    pub(crate) awarded: String,
    pub(crate) decided: String,
    pub(crate) possible: String,
    pub(crate) changed: Option<String>,
    pub(crate) open: bool,
    pub(crate) pennants: Vec<Pennant>,
}

/// Points with as many decimals as they need, at least one.
pub(crate) fn points(value: Decimal) -> String {
    // Shares of shares have more decimals than anybody reads.
    let n = value.round_dp_with_strategy(2, rust_decimal::RoundingStrategy::MidpointAwayFromZero).normalize();
    if n.scale() == 0 { format!("{n}.0") } else { n.to_string() }
}

struct Maker<'a> {
    protocol: &'a Protocol,
    judged: &'a Judged,
    detail: &'a SheetDetail,
    tried: Option<&'a Tried>,
    /// Result in hand that no finding is about.
    result: Option<usize>,
    /// Numbered findings: index into the judged findings, in order.
    numbered: Vec<usize>,
    /// Number of the one in hand.
    hand: Option<usize>,
    /// Whether all rows are shown.
    unfolded: bool,
    /// The cells that the formula of the result in hand reads: item and row.
    lit: Vec<(ItemId, Option<Row>)>,
}

impl BenchView {
    pub(crate) fn new(protocol: &Protocol, detail: &SheetDetail, judged: &Judged, around: &Around<'_>) -> BenchView {
        let protocol = &*protocol.taught(&judged.taught);
        let (rows, look) = (around.rows, around.finding);
        let numbered: Vec<usize> =
            judged.findings.iter().enumerate().filter(|(_, f)| f.severity != Severity::Note).map(|(i, _)| i).collect();
        let first_open = numbered.iter().position(|i| judged.findings[*i].open()).map(|n| n + 1);
        let result = around.result.filter(|r| *r < judged.results.len());
        let hand = look.filter(|n| (1..=numbered.len()).contains(n)).or(first_open.filter(|_| result.is_none()));
        let unfolded = around.unfolded;
        let tried = around.tried;
        let mut maker = Maker { protocol, judged, detail, tried, result, numbered, hand, unfolded, lit: Vec::new() };
        maker.lit = maker.read_by_the_one_in_hand();
        let findings: Vec<FindingView> =
            maker.numbered.iter().enumerate().map(|(n, i)| maker.finding(n + 1, &judged.findings[*i])).collect();
        let notes =
            judged.findings.iter().filter(|f| f.severity == Severity::Note).map(|f| maker.finding(0, f)).collect();
        let open = judged.findings.iter().filter(|f| f.open()).count();
        let at = rows.iter().position(|r| r.id == detail.id).unwrap_or(0);
        let keys: Vec<String> = protocol
            .keys
            .iter()
            .filter_map(|k| judged.keys.get(&k.id).map(|v| format!("{} {v}", k.title.to_lowercase())))
            .collect();
        let keys = if keys.is_empty() { String::new() } else { format!(", {}", keys.join(", ")) };
        let revision = if detail.revision > 1 { format!(" · revision {}", detail.revision) } else { String::new() };
        let state_words = match detail.state {
            SheetState::Signed => "signed".to_owned(),
            SheetState::Returned => format!("returned {}", detail.returned_at.map(time).unwrap_or_default()),
            SheetState::Waiting if open == 0 => "nothing is open".to_owned(),
            SheetState::Waiting => format!("{open} to decide"),
        };
        let here = detail.shelved.is_none();
        BenchView {
            id: detail.id,
            at: format!("/bench/{}", detail.id),
            practice: false,
            class: String::new(),
            version: detail.version,
            team: if around.blind { format!("Table {}", at + 1) } else { judged.team.clone() },
            place: if around.blind {
                format!("names hidden{keys} · {}", protocol.title)
            } else {
                format!("{} {}{keys} · {}", judged.section, super::course::current().section, protocol.title)
            },
            aside: format!(
                "{}handed in {} · protocol {}{revision}",
                if here { format!("table {} of {} · ", at + 1, rows.len()) } else { String::new() },
                time(detail.handed_in_at),
                protocol.version
            ),
            tally: maker.tally(),
            board: maker.board(),
            unfolded,
            replicates: replicates::draw(protocol, judged, 234.0),
            settled: findings.len() - findings.iter().filter(|f| f.open).count(),
            findings,
            notes,
            open,
            lines: maker.lines(),
            awarded: points(judged.score.awarded),
            decided: points(judged.score.decided),
            possible: judged.score.possible.normalize().to_string(),
            sentences: maker.sentences(),
            returned: detail.state == SheetState::Returned,
            signed: detail.state != SheetState::Waiting,
            state_words,
            can_sign: here && detail.state == SheetState::Waiting && open == 0 && around.tried.is_none(),
            can_undo: here && (detail.state == SheetState::Signed || !detail.decisions.is_empty()),
            previous: at.checked_sub(1).and_then(|i| rows.get(i)).map(|r| format!("/bench/{}", r.id)),
            next: rows.get(at + 1).map(|r| format!("/bench/{}", r.id)),
            cautions: protocol.cautions.clone(),
            advised: judged.findings.iter().any(|f| f.open() && f.kind.properties().again),
            explain: maker.explain(),
            attachments: around
                .attachments
                .iter()
                .enumerate()
                .map(|(n, a)| AttachmentView {
                    id: a.id,
                    // A file is often named after its team.
                    name: if around.blind { format!("attachment {}", n + 1) } else { a.file_name.clone() },
                    about: if around.blind { String::new() } else { a.about.clone() },
                    of_team: a.by.is_none(),
                    picture: a.media.starts_with("image/"),
                })
                .collect(),
            waits: around.waits.0.clone(),
            may_release: around.waits.1,
            held: around.held,
            revision: detail.revision,
            trying: around.tried.map(|t| try_view(t, judged)),
            asked: around
                .asked
                .iter()
                .filter(|q| q.answer.is_none())
                .map(|q| (q.id, q.says.clone(), q.body.clone()))
                .collect(),
            may_change: here,
            truth: None,
            shelved: detail.shelved.as_ref().map(|s| ShelvedView::new(s, around.may_remove)),
            due: detail
                .due_at
                .map(|due| {
                    if detail.handed_in_at > due { format!("after the due time, {}", time(due)) } else { String::new() }
                })
                .unwrap_or_default(),
        }
    }
}

fn try_view(tried: &Tried, judged: &Judged) -> TryView {
    let school = tried.protocol.school.uncertainty;
    let test = tried.protocol.school.rejection;
    TryView {
        changed: tried.changed,
        sum: points(tried.judged.score.decided),
        differs: tried.judged.score.decided != judged.score.decided,
        schools: UncertaintySchool::ALL.iter().map(|(s, word)| (*word, *s == school)).collect(),
        tests: TESTS.iter().map(|(id, says, r)| (*id, *says, *r == test)).collect(),
        fault: tried.fault.clone(),
    }
}

/// Tests for outliers that a try-out offers.
pub(crate) const TESTS: [(&str, &str, Option<Rejection>); 6] = [
    ("", "as the lab says", None),
    ("dixon", "Dixon", Some(Rejection::Dixon)),
    ("grubbs", "Grubbs", Some(Rejection::Grubbs)),
    ("esd", "generalised ESD", Some(Rejection::Esd)),
    ("modified-z", "modified z", Some(Rejection::ModifiedZ)),
    ("judgement", "none: by judgement", Some(Rejection::Judgement)),
];

impl Maker<'_> {
    /// How many results have each verdict; what is rightly blank has none.
    fn tally(&self) -> Vec<(Mark, usize)> {
        VerdictKind::ALL
            .into_iter()
            .map(|kind| {
                let word = if kind == VerdictKind::Agrees { "agree" } else { kind.word() };
                let of_kind = |r: &&JudgedResult| r.verdict == kind && !self.rightly_blank(r);
                (Mark { word, ..Mark::verdict(kind) }, self.judged.results.iter().filter(of_kind).count())
            })
            .filter(|(_, n)| *n > 0)
            .collect()
    }

    fn pennants(&self, about: impl Fn(&Finding) -> bool) -> Vec<Pennant> {
        self.numbered
            .iter()
            .enumerate()
            .filter(|(_, i)| about(&self.judged.findings[**i]))
            .map(|(n, i)| (n + 1, !self.judged.findings[*i].open()))
            .collect()
    }

    /// Whether a result is not there and does not have to be.
    fn rightly_blank(&self, r: &JudgedResult) -> bool {
        let spec = &self.protocol.results[r.id];
        let waived = self.detail.settings.waived(&self.protocol.items[r.item].id).is_some();
        r.verdict == VerdictKind::Missing && (spec.optional || waived)
    }

    fn in_hand(&self) -> Option<&Finding> {
        self.hand.and_then(|n| self.numbered.get(n - 1)).map(|i| &self.judged.findings[*i])
    }

    /// The same result in the try-out.
    fn tried_of(&self, r: &JudgedResult) -> Option<&JudgedResult> {
        self.tried?.judged.results.iter().find(|t| t.id == r.id && t.row == r.row)
    }

    /// What a row is called: its keys as the team wrote them, else its number.
    fn row_name(&self, item: ItemId, row: Row) -> String {
        let table = self.protocol.table_of(item);
        let keyed = table.and_then(|t| self.protocol.tables[t].key).map(|k| self.protocol.keys[k].id.as_str());
        let name = keyed.and_then(|key| {
            self.detail.submission.cells.iter().find_map(|c| {
                let here = c.row == Some(row.number())
                    && self.protocol.item(&c.item).and_then(|i| self.protocol.table_of(i)) == table;
                c.keys.get(key).filter(|_| here).cloned()
            })
        });
        name.filter(|n| !n.is_empty()).unwrap_or_else(|| row.to_string())
    }

    fn is_in_hand(&self, r: &JudgedResult, item: Option<ItemId>) -> bool {
        match (self.in_hand(), self.result) {
            (Some(f), _) => item == Some(r.item) && (f.place.row.is_none() || r.row.is_none() || f.place.row == r.row),
            (None, Some(n)) => std::ptr::eq(r, &self.judged.results[n]),
            (None, None) => false,
        }
    }
}
