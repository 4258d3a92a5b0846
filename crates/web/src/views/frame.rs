//! What stands around every page: head, passage, title.

use std::sync::Arc;

use jurado_store::settings::Course;
use jurado_store::{DocketRow, SheetState};

use crate::flash::Said;

/// Over this many tables a length of the passage stands for several.
const LENGTHS: usize = 120;

/// The frame of a page.
#[derive(Clone)]
pub(crate) struct Frame {
    pub(crate) title: String,
    pub(crate) current: &'static str,
    pub(crate) name: String,
    pub(crate) role: &'static str,
    pub(crate) token: String,
    pub(crate) night: bool,
    pub(crate) signed_in: bool,
    /// Whether names are hidden.
    pub(crate) blind: bool,
    pub(crate) passage: Vec<&'static str>,
    pub(crate) passage_label: String,
    /// What is said once, after a change.
    pub(crate) said: Option<Said>,
    /// How the course calls itself.
    pub(crate) course: Arc<Course>,
}

impl Frame {
    /// For somebody who is not signed in.
    pub(crate) fn outside(title: &str, night: bool) -> Frame {
        Frame {
            title: title.to_owned(),
            current: "",
            name: String::new(),
            role: "",
            token: String::new(),
            night,
            signed_in: false,
            blind: false,
            passage: Vec::new(),
            passage_label: String::new(),
            said: None,
            course: super::course::current(),
        }
    }

    /// For an answer made far from any session.
    pub(crate) fn bare(title: &str) -> Frame {
        Frame::outside(title, false)
    }

    /// One length for each table of the round: filled is done, brass is here, open is ahead.
    pub(crate) fn with_passage<'a>(mut self, rows: impl Iterator<Item = &'a DocketRow>, here: Option<u32>) -> Frame {
        let rows: Vec<&DocketRow> = rows.collect();
        let done = rows.iter().filter(|r| r.state != SheetState::Waiting).count();
        let step = rows.len().div_ceil(LENGTHS).max(1);
        self.passage = rows
            .chunks(step)
            .map(|chunk| {
                if here.is_some() && chunk.iter().any(|r| Some(r.id) == here) {
                    "here"
                } else if chunk.iter().all(|r| r.state != SheetState::Waiting) {
                    "done"
                } else {
                    ""
                }
            })
            .collect();
        let each = if step > 1 { format!("; one length stands for {step}") } else { String::new() };
        self.passage_label = format!("Passage: {done} of {} tables done{each}", rows.len());
        self
    }

    /// The passage of a whole round, by its counts: as many lengths as are shown, filled from the left.
    pub(crate) fn with_counts(mut self, done: usize, total: usize) -> Frame {
        let lengths = total.min(LENGTHS);
        let filled = (done * lengths).checked_div(total).unwrap_or(0);
        self.passage = (0..lengths).map(|i| if i < filled { "done" } else { "" }).collect();
        let each = if total > lengths {
            format!("; one length stands for about {}", total.div_ceil(lengths.max(1)))
        } else {
            String::new()
        };
        self.passage_label = format!("Passage: {done} of {total} tables done{each}");
        self
    }
}
