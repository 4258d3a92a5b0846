//! The gradebook: what is on its way, what it does not take, and how its scores differ from those that went out.

use std::collections::BTreeMap;

use chrono::NaiveDateTime;
use jurado_college::scores::Score;
use jurado_core::notation::counted;
use jurado_store::ScoreState;
use jurado_store::outbox::Row;
use rust_decimal::Decimal;

/// A score on its way.
pub(crate) struct WayView {
    pub(crate) student: String,
    pub(crate) place: String,
    pub(crate) lab: String,
    pub(crate) points: String,
    /// How it stands, and what is next.
    pub(crate) stands: String,
    pub(crate) refused: bool,
}

impl WayView {
    pub(crate) fn new(row: &Row, now: NaiveDateTime) -> WayView {
        let next = (row.next_at - now).num_seconds().max(0);
        let waits = match (row.tries, row.told.as_str()) {
            (0, _) => "waits for its first try".to_owned(),
            (n, told) => format!("tried {}: {told}; again in {next} s", counted(n as usize, "time")),
        };
        WayView {
            student: format!("{} {}", row.number, row.name).trim().to_owned(),
            place: format!("{}, {}", row.team, row.section),
            lab: row.column.clone(),
            points: format!("{} of {}", row.points.normalize(), row.possible.normalize()),
            stands: if row.state == ScoreState::Refused { row.told.clone() } else { waits },
            refused: row.state == ScoreState::Refused,
        }
    }
}

/// How one lab's scores compare.
pub(crate) struct ComparedView {
    pub(crate) column: String,
    pub(crate) title: String,
    /// Scores that are the same on both sides.
    pub(crate) same: usize,
    pub(crate) differ: Vec<DifferView>,
}

/// A score that is not the same on both sides.
pub(crate) struct DifferView {
    /// Number of the student.
    pub(crate) number: String,
    pub(crate) student: String,
    pub(crate) ours: String,
    pub(crate) theirs: String,
    /// Whether it can be sent anew: what arrived and is another there.
    pub(crate) again: bool,
}

/// Compares a lab's scores with those in the gradebook: what is there must be what went out, student by student.
pub(crate) fn compare(column: &str, title: &str, ours: &[Row], theirs: &[Score]) -> ComparedView {
    let said = |points: Decimal, possible: Decimal| format!("{} of {}", points.normalize(), possible.normalize());
    let mut there: BTreeMap<&str, &Score> = theirs.iter().map(|s| (s.student.as_str(), s)).collect();
    let mut view = ComparedView { column: column.to_owned(), title: title.to_owned(), same: 0, differ: Vec::new() };
    for row in ours {
        let other = there.remove(row.number.as_str());
        if other.is_some_and(|o| (o.points, o.possible) == (row.points, row.possible)) {
            view.same += 1;
            continue;
        }
        view.differ.push(DifferView {
            number: row.number.clone(),
            student: format!("{} {}", row.number, row.name).trim().to_owned(),
            ours: said(row.points, row.possible),
            theirs: match (other, row.state) {
                (Some(o), _) => said(o.points, o.possible),
                (None, ScoreState::Waiting) => "not there yet: it is on its way".to_owned(),
                (None, ScoreState::Refused) => "not taken".to_owned(),
                (None, _) => "not there".to_owned(),
            },
            again: row.state == ScoreState::Sent,
        });
    }
    view.differ.extend(there.into_values().map(|s| DifferView {
        number: s.student.clone(),
        student: s.student.clone(),
        ours: "nothing went out".to_owned(),
        theirs: said(s.points, s.possible),
        again: false,
    }));
    view
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn what_is_in_the_gradebook_is_what_went_out_or_told() {
        let at = NaiveDateTime::default();
        let row = |number: &str, points: i64, state| Row {
            id: 1,
            state,
            number: number.into(),
            name: String::new(),
            section: String::new(),
            team: String::new(),
            column: "keel-plate".into(),
            points: Decimal::new(points, 1),
            possible: Decimal::new(20, 0),
            tries: 1,
            told: String::new(),
            next_at: at,
            sent_at: None,
        };
        let score = |student: &str, points: Decimal| Score {
            key: String::new(),
            sequence: 1,
            student: student.into(),
            column: "keel-plate".into(),
            points,
            possible: Decimal::new(200, 1),
            at: String::new(),
        };
        let ours = [
            row("1", 155, ScoreState::Sent),
            row("2", 160, ScoreState::Sent),
            row("3", 170, ScoreState::Sent),
            row("4", 180, ScoreState::Waiting),
            row("5", 190, ScoreState::Refused),
        ];
        let theirs = [score("1", Decimal::new(1550, 2)), score("2", Decimal::new(1, 0)), score("9", Decimal::ONE)];
        let v = compare("keel-plate", "Keel plate", &ours, &theirs);
        assert_eq!(v.same, 1, "the same number written otherwise is the same");
        let told: Vec<(&str, &str, &str, bool)> =
            v.differ.iter().map(|d| (d.number.as_str(), d.ours.as_str(), d.theirs.as_str(), d.again)).collect();
        assert_eq!(
            told,
            [
                ("2", "16 of 20", "1 of 20", true),
                ("3", "17 of 20", "not there", true),
                ("4", "18 of 20", "not there yet: it is on its way", false),
                ("5", "19 of 20", "not taken", false),
                ("9", "nothing went out", "1 of 20", false),
            ]
        );
    }
}
