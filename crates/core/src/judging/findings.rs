//! The list of findings while it is made.

use std::collections::HashSet;

use rust_decimal::Decimal;

use crate::verdict::{Finding, Severity};

pub(super) struct Findings<'a> {
    pub(super) list: &'a mut Vec<Finding>,
    /// Keys of those that are in the list.
    keys: HashSet<String>,
}

impl<'a> Findings<'a> {
    /// A list that grows.
    pub(super) fn onto(list: &'a mut Vec<Finding>) -> Findings<'a> {
        let keys = list.iter().map(|f| f.key.clone()).collect();
        Findings { list, keys }
    }

    /// The stable name of a finding about an item, or one of its rows.
    pub(super) fn key(code: &str, item: &str, row: Option<u32>) -> String {
        match row {
            Some(row) => format!("{code}:{item}:{row}"),
            None => format!("{code}:{item}"),
        }
    }

    /// A finding that costs nothing, to be filled in.
    pub(super) fn blank(
        code: &'static str,
        key: String,
        severity: Severity,
        item: Option<usize>,
        row: Option<u32>,
    ) -> Finding {
        Finding {
            key,
            code,
            severity,
            item,
            also: Vec::new(),
            row,
            says: String::new(),
            brief: String::new(),
            tells: String::new(),
            criterion: None,
            cost: Decimal::ZERO,
            hangs: Decimal::ZERO,
            fragile: None,
            ruling: None,
            decided_cost: Decimal::ZERO,
            decision: None,
        }
    }

    /// Adds one; a second of the same key is dropped, so that a key names one finding.
    pub(super) fn push(&mut self, mut finding: Finding) {
        // A pure number has no unit: its place in the sentence is closed up.
        for text in [&mut finding.says, &mut finding.tells, &mut finding.brief] {
            if text.contains("  ") {
                *text = text.replace("  ", " ").replace(" ,", ",").replace(" .", ".");
            }
        }
        if finding.brief.is_empty() {
            finding.brief = finding.says.clone();
        }
        if self.keys.insert(finding.key.clone()) {
            self.list.push(finding);
        }
    }
}
