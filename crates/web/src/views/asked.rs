//! Questions on the lines of a sheet, as they stand beside their line and on the list of whoever answers.

use std::collections::HashMap;

use jurado_core::protocol::{ItemId, Protocol};
use jurado_core::row::Row;
use jurado_store::Lab;
use jurado_store::questions::{Placed, Question};

use super::course::time;

/// A question beside its line.
#[derive(Clone, Debug)]
pub(crate) struct AskView {
    pub(crate) id: u32,
    pub(crate) body: String,
    pub(crate) at: String,
    /// What was answered, by whom and when.
    pub(crate) answer: Option<(String, String, String)>,
}

impl AskView {
    fn new(q: &Question) -> AskView {
        AskView {
            id: q.id,
            body: q.body.clone(),
            at: time(q.at),
            answer: q.answer.as_ref().map(|a| (a.body.clone(), a.by.clone(), time(a.at))),
        }
    }
}

/// The questions of a sheet, and who may ask.
#[derive(Clone, Debug, Default)]
pub(crate) struct Asks {
    by_line: HashMap<String, Vec<AskView>>,
    /// The lab at the door of which a team asks; nobody else does.
    lab: Option<u32>,
    /// What was typed and could not be asked: line and words.
    typed: (String, String),
}

impl Asks {
    /// Questions of a sheet, for whoever reads it.
    pub(crate) fn new(questions: &[Question], lab: Option<u32>, typed: (String, String)) -> Asks {
        let mut by_line: HashMap<String, Vec<AskView>> = HashMap::new();
        for q in questions {
            by_line.entry(q.line.clone()).or_default().push(AskView::new(q));
        }
        Asks { by_line, lab, typed }
    }

    /// What was asked on a line, oldest first.
    pub(crate) fn on(&self, line: &str) -> &[AskView] {
        self.by_line.get(line).map_or(&[], Vec::as_slice)
    }

    /// The lab where a team may ask on a line: one that has no open question.
    pub(crate) fn may(&self, line: &str) -> Option<u32> {
        self.lab.filter(|_| self.on(line).iter().all(|q| q.answer.is_some()))
    }

    /// What was typed on a line and could not be asked.
    pub(crate) fn typed_on(&self, line: &str) -> &str {
        if self.typed.0 == line { &self.typed.1 } else { "" }
    }
}

/// Key of a line of the score.
pub(crate) fn points_line(criterion: &str) -> String {
    format!("points:{criterion}")
}

/// Key of the line of a result.
pub(crate) fn result_line(protocol: &Protocol, item: ItemId, row: Option<Row>) -> String {
    let row = row.map_or_else(String::new, |n| n.to_string());
    format!("result:{}:{row}", protocol.items[item].id)
}

/// A question on the list of whoever answers.
pub(crate) struct AskedView {
    pub(crate) id: u32,
    pub(crate) sheet: u32,
    pub(crate) who: String,
    pub(crate) lab: String,
    /// What the line said when it was asked.
    pub(crate) line: String,
    pub(crate) body: String,
    pub(crate) at: String,
    pub(crate) answer: Option<(String, String, String)>,
    /// What was typed and could not be kept.
    pub(crate) typed: String,
}

impl AskedView {
    /// Of a question; names are hidden where the reviewer hides them.
    pub(crate) fn new(p: &Placed, labs: &[Lab], blind: bool) -> AskedView {
        let view = AskView::new(&p.question);
        let lab = labs.iter().find(|l| l.id == p.lab_id);
        AskedView {
            id: view.id,
            sheet: p.question.sheet_id,
            who: if blind {
                format!("Table {}", p.question.sheet_id)
            } else {
                format!("{}, {} {}", p.team, p.section, super::course::current().section)
            },
            lab: lab.map_or_else(String::new, |l| l.protocol.title.clone()),
            line: p.question.says.clone(),
            body: view.body,
            at: view.at,
            answer: view.answer,
            typed: String::new(),
        }
    }
}
