//! A sample of every kind of finding through the words for every reader.

use std::mem::discriminant;

use super::{brief, label, says, tells};
use crate::cell::{Fault, NotUnderstood};
use crate::finding::{
    Account, Accuracy, Apart, Clause, Correction, Excluded, Figures, Finding, Key, Kind, Named, Needed, Off, OffPlan,
    Place, PlusMinus, Reading, Riddle, Right, Severity, Sides, Spread, Story, Support, UnitFault,
};
use crate::protocol::{CriterionId, ItemId, Protocol, Role, SlipKind, TableId};
use crate::reading::{CommaBy, Remark, Unreadable};
use crate::repair::Rewriting;
use crate::row::Row;
use crate::submission::Submission;
use crate::underneath::Oddity;

fn lab(text: &str) -> Protocol {
    Protocol::parse(text).unwrap_or_else(|f| panic!("{f:?}"))
}

fn apart() -> Apart {
    Apart {
        text: "24.9".into(),
        test: "dixon",
        statistic: 0.91,
        critical: 0.71,
        otherwise: Some("grubbs"),
        with: 22.31,
        without: 22.10,
        places: 2,
        cause: Some(0),
    }
}

fn story() -> Story {
    Story {
        text: "49.2".into(),
        right: Right::Value { value: 4.92, place: -2 },
        account: Account { clause: Clause::Point { places: -1 }, gives: "4.92".into(), cell: None },
        probability: 0.93,
        followers: 2,
        rows: Vec::new(),
        places: 1,
        guess: Some((SlipKind::DigitWrong, 0.26)),
        alike: vec![SlipKind::Literal],
        only_copied: false,
    }
}

fn riddle() -> Riddle {
    Riddle {
        text: "7.1".into(),
        right: Right::Value { value: 4.92, place: -2 },
        stories: vec![(SlipKind::Power, 0.4), (SlipKind::Inverted, 0.35)],
        throughout: Some(1.5),
        gap: None,
    }
}

/// Kinds about the level, a column of readings.
fn of_readings() -> Vec<Kind> {
    let text = || "24.9".to_owned();
    let left_out = || Excluded::Reading("24.9".into());
    vec![
        Kind::MissingReading,
        Kind::Absent { reason: text() },
        Kind::MissingRow { table: TableId::at(0), reason: Some(text()) },
        Kind::ForbiddenReading { text: text() },
        Kind::Bound { text: "> 80".into() },
        Kind::UnreadableReading { text: "4l".into(), why: Unreadable::NoNumber("4l".into()) },
        Kind::ReadAs { remark: Remark::Comma { text: "8,430".into(), read: "8.430".into(), by: CommaBy::OtherCommas } },
        Kind::Implausible { text: text(), low: 5.0, high: 80.0 },
        Kind::BeyondScale { text: text(), instrument: 0 },
        Kind::EndOfScale { instrument: 0 },
        Kind::AmountNotMet { text: text(), asked: Role::Exact(25.0) },
        Kind::Misread { text: text(), issued: 25.0 },
        Kind::Unsettled,
        Kind::ReadingDigits { instrument: 0, step: 0.1, texts: vec!["25".into()] },
        Kind::OffGraduation { step: 0.1, texts: vec!["24.93".into()] },
        Kind::Heaping { round: 5, of: 6, step: 0.5 },
        Kind::NoSpread { count: 5, text: text() },
        Kind::Duplicate { first: text() },
        Kind::Unit(UnitFault::Unknown("“mmm” is no known unit".into())),
        Kind::Exclusion { what: left_out(), reason: "slipped".into(), support: Support::Cause(0) },
        Kind::ExclusionUnsupported { what: left_out(), reason: String::new() },
        Kind::NotConcordant,
        Kind::ConcordanceTied { kept: vec!["24.20".into(), "24.30".into()] },
        Kind::Concordance { kept: vec!["24.20".into(), "24.30".into()] },
        Kind::OutlierKept(apart()),
        Kind::OutlierNear(apart()),
        Kind::PointApart { x: ItemId::at(0), statistic: 8.1, critical: 4.3, slopes: Some((2.31, 2.02)) },
        Kind::Rewritten { act: Rewriting::Unit { factor: 10.0 }, probability: 0.9, gained: 1 },
        Kind::Repair { text: text(), value: 29.4, resolution: 0.1, probability: 0.9, gained: 2 },
        Kind::Precision {
            spread: Spread { sd: 0.31, count: 5, without: Row::numbered(3) },
            got: 1.into(),
            of: 2.into(),
            edge: 0.4,
            best: 0.1,
        },
        Kind::MoreRows { table: TableId::at(0), there: 5, asked: 3 },
        Kind::KeyMissing { table: TableId::at(0) },
        Kind::KeyUnknown { table: TableId::at(0), value: "z".into() },
        Kind::GridMissing { table: TableId::at(0), nominal: 20.0 },
        Kind::GridLeft { table: TableId::at(0), nominal: 20.0 },
        Kind::Trend { rising: true, steps: vec![(Row::at(2), 24.9, 21.0)] },
        Kind::StepOffPlan { steps: vec![OffPlan { row: Row::at(2), by: 4.0, size: 5.0, tolerance: 0.5 }] },
        Kind::DoesNotFollow { start: 24.9, before: 21.0 },
        Kind::DoesNotAddUp { total: 24.9, expected: 25.9 },
        Kind::Check { check: 0, rows: vec![Row::at(1)], off: Some(Off { left: 0.249, right: 0.239, room: 0.001 }) },
    ]
}

/// Everything that may be odd about a formula.
fn oddities() -> Vec<Oddity> {
    let cells = || vec!["B4".to_owned(), "B5".to_owned()];
    vec![
        Oddity::NotUnderstood(NotUnderstood::Function("VLOOKUP".into())),
        Oddity::Circle(cells()),
        Oddity::TooLarge,
        Oddity::Fault(Fault::Division),
        Oddity::Another { holds: "412".into(), gives: 343.2, right: true },
        Oddity::ChangedSince(cells()),
        Oddity::Unsaved { gives: 343.2 },
        Oddity::Empty(cells()),
        Oddity::NumbersAsTexts(cells()),
        Oddity::TypedIn { text: "24.9".into(), item: ItemId::at(0) },
        Oddity::RightByChance { clause: Clause::Said("the length was halved".into()) },
        Oddity::OfAReading,
        Oddity::PassedOver(3),
    ]
}

/// Kinds about the speed, a result, and about the lab as a whole.
fn of_results() -> Vec<Kind> {
    let text = || "412".to_owned();
    let right = || Right::Value { value: 343.2, place: -1 };
    let figures = |item| vec![Figures { item, row: None, text: text(), written: 3, deserved: 4, clean: 343.2 }];
    let sides = Sides { comparison: 0, a: 343.2, b: 351.0, agree: false, apart: 7.8, allowed: 2.0 };
    let pm = PlusMinus { stated: 0.1, place: -1, supported: 1.3, factor: 1.3 };
    vec![
        Kind::Corrected {
            typed: text(),
            how: Correction::ReadAs("421".into()),
            by: "R1".into(),
            reason: "blot".into(),
        },
        Kind::Own { text: "The sketch is missing.".into() },
        Kind::MissingResult { right: right() },
        Kind::RowsWait { rows: 3 },
        Kind::NotWorkedOut {
            results: vec![(ItemId::at(0), None), (ItemId::at(1), Row::numbered(2)), (ItemId::at(1), Row::numbered(3))],
        },
        Kind::UnreadableResult { text: "4i2".into(), right: right() },
        Kind::Unchecked { text: text(), gap: None },
        Kind::Differs { text: text(), right: right() },
        Kind::Slip(Box::new(story())),
        Kind::SlipAgain,
        Kind::Unexplained(Box::new(riddle())),
        Kind::Ambiguous(Box::new(riddle())),
        Kind::Carried { right: right() },
        Kind::Formula { address: "F12".into(), oddities: oddities() },
        Kind::CutTooEarly { envelope: 12.0 },
        Kind::DigitsFew(figures(ItemId::at(4))),
        Kind::DigitsMany(figures(ItemId::at(4))),
        Kind::PlusMinusMissing { supported: Some(1.3) },
        Kind::PlusMinusUnfair(pm),
        Kind::PlusMinusNear(pm),
        Kind::PlusMinusDigits { text: "412 ± 1.234".into(), many: true },
        Kind::Disagreement(sides),
        Kind::LastDigit { comparison: 0, text: text() },
        Kind::Accuracy(Box::new(Accuracy {
            value: 412.0,
            figures: 3,
            off: 20.1,
            in_uncertainties: false,
            low: 343.2,
            high: 343.2,
            name: "dry air".into(),
            ruled: false,
            sheet: None,
        })),
        Kind::AccuracyUnchecked(Needed::Entry),
        Kind::PrecisionUnchecked,
        Kind::Taught { item: ItemId::at(0), school: String::new(), value: Some(9.8), ruled: true },
        Kind::Manual(CriterionId::at(0)),
    ]
}

/// Fails to compile when a kind joins: give it a sample above, and count it here.
const KINDS: usize = 71;
fn is_sampled(kind: &Kind) {
    use Kind::*;
    match kind {
        MissingReading
        | Absent { .. }
        | MissingRow { .. }
        | ForbiddenReading { .. }
        | Bound { .. }
        | UnreadableReading { .. }
        | ReadAs { .. } => {}
        Implausible { .. } | BeyondScale { .. } | EndOfScale { .. } | AmountNotMet { .. } | NoSuchSetting { .. } => {}
        Misread { .. } | Unsettled | ReadingDigits { .. } | OffGraduation { .. } | Heaping { .. } => {}
        NoSpread { .. } | Duplicate { .. } | Unit(_) | MoreRows { .. } | KeyMissing { .. } | KeyUnknown { .. } => {}
        GridMissing { .. } | GridLeft { .. } | StoppedEarly { .. } | Trend { .. } | StepOffPlan { .. } => {}
        DoesNotFollow { .. } | DoesNotAddUp { .. } | Exclusion { .. } | ExclusionUnsupported { .. } => {}
        NotConcordant | ConcordanceTied { .. } | Concordance { .. } | OutlierKept(_) | OutlierNear(_) => {}
        PointApart { .. } | Repair { .. } | Rewritten { .. } | Corrected { .. } | Own { .. } => {}
        MissingResult { .. } | NotWorkedOut { .. } | RowsWait { .. } => {}
        UnreadableResult { .. } | Unchecked { .. } | Differs { .. } | Slip(_) | SlipAgain | Unexplained(_) => {}
        Ambiguous(_) | Carried { .. } | Formula { .. } | CutTooEarly { .. } | DigitsFew(_) | DigitsMany(_) => {}
        PlusMinusMissing { .. } | PlusMinusUnfair(_) | PlusMinusNear(_) | PlusMinusDigits { .. } => {}
        Check { .. } | Disagreement(_) | LastDigit { .. } | CannotTellApart(_) | Accuracy(_) => {}
        AccuracyUnchecked(_) | Precision { .. } | PrecisionUnchecked | Manual(_) | Taught { .. } => {}
    }
}

fn finding(protocol: &Protocol, kind: Kind, id: &str, row: Option<Row>) -> Finding {
    let item = protocol.item(id).unwrap_or_else(|| panic!("no item {id}"));
    let key = Key::about(&kind, id, row);
    let cost = rust_decimal::Decimal::ONE;
    Finding { cost, ..Finding::new(kind, key, Severity::Decide, Place::of(item, row)) }
}

#[test]
fn every_kind_has_whole_sentences_for_every_reader() {
    let echo = lab(include_str!("../../tests/labs/echo-well.toml"));
    let zones = lab(include_str!("../../tests/labs/lamp-zones.toml"));
    let mut samples: Vec<(&Protocol, Finding)> = Vec::new();
    samples.extend(of_readings().into_iter().map(|k| (&echo, finding(&echo, k, "level", Row::numbered(2)))));
    samples.extend(of_results().into_iter().map(|k| (&echo, finding(&echo, k, "speed", None))));
    let near = (0..zones.identifies[0].candidates.len()).take(2).collect();
    let dial = "\n[[reading]]\nid = \"dial\"\ntitle = \"range of the meter\"\nsymbol = \"r\"\nbay = \"well\"\nunit = \"cm\"\nkind = \"setting\"\nsettings = [10, 20]\n";
    let set = lab(&(include_str!("../../tests/labs/echo-well.toml").to_owned() + dial));
    samples.push((&set, finding(&set, Kind::NoSuchSetting { text: "15".into() }, "dial", None)));
    let curve = lab(include_str!("../../tests/labs/bilge-curve.toml"));
    samples.push((&curve, finding(&curve, Kind::StoppedEarly { table: TableId::at(0), last: 2.5 }, "ph", None)));
    let named = Named { unknown: 0, value: 8.65, near, off: 0.4, within: true };
    samples.push((&zones, finding(&zones, Kind::CannotTellApart(named), "density", None)));

    let mut kinds: Vec<_> = samples.iter().map(|(_, f)| discriminant(&f.kind)).collect();
    kinds.sort_by_key(|d| format!("{d:?}"));
    kinds.dedup();
    assert_eq!(kinds.len(), KINDS, "one sample a kind");

    let mut faults: Vec<String> = Vec::new();
    for (protocol, f) in &samples {
        is_sampled(&f.kind);
        let told = tells(protocol, f);
        for (reader, text) in [("reviewer", says(protocol, f)), ("brief", brief(protocol, f)), ("team", told.clone())] {
            // The team is not told what only a reviewer has to weigh.
            if reader == "team" && text.is_empty() {
                continue;
            }
            let whole = text.ends_with(['.', '?']) && text.chars().next().is_some_and(|c| !c.is_lowercase());
            if !whole {
                faults.push(format!("no whole sentence for the {reader} of {:?}: {text}", f.kind));
            }
            for fault in ["  ", " ,", " .", "()", "..", "NaN", "inf ", "{", " cm cm", " m/s m/s", ": ."] {
                if text.contains(fault) {
                    faults.push(format!("{fault:?} for the {reader} of {:?}: {text}", f.kind));
                }
            }
        }
        assert!(!label(&f.kind).is_empty(), "{:?}", f.kind);
        // What costs the team something is told to the team.
        let charged = !matches!(
            f.kind,
            Kind::ReadAs { .. }
                | Kind::EndOfScale { .. }
                | Kind::NoSuchSetting { .. }
                | Kind::Unsettled
                | Kind::OffGraduation { .. }
                | Kind::Heaping { .. }
                | Kind::NoSpread { .. }
                | Kind::Duplicate { .. }
                | Kind::Unit(_)
                | Kind::MoreRows { .. }
                | Kind::GridLeft { .. }
                | Kind::StepOffPlan { .. }
                | Kind::Exclusion { .. }
                | Kind::ConcordanceTied { .. }
                | Kind::Concordance { .. }
                | Kind::OutlierNear(_)
                | Kind::Unchecked { .. }
                | Kind::SlipAgain
                | Kind::PlusMinusNear(_)
                | Kind::LastDigit { .. }
                | Kind::CannotTellApart(_)
                | Kind::AccuracyUnchecked(_)
                | Kind::PrecisionUnchecked
                | Kind::Manual(_)
        );
        if told.is_empty() == charged {
            faults.push(format!("the team and {:?}: {told}", f.kind));
        }
    }
    assert!(faults.is_empty(), "{}", faults.join("\n"));
}

#[test]
fn what_a_person_tells_the_team_stands_in_place_of_our_words() {
    let echo = lab(include_str!("../../tests/labs/echo-well.toml"));
    let mut f = finding(&echo, Kind::MissingReading, "level", Row::numbered(2));
    f.reworded = Some("Row 2 was blotted; please copy it again.".into());
    assert_eq!(tells(&echo, &f), "Row 2 was blotted; please copy it again.");
    assert!(says(&echo, &f).starts_with("There is no value for reading 2"), "the reviewer still reads what was found");
}

/// A column off by a constant is told by how much, and to which side.
#[test]
fn an_offset_is_told_with_its_side() {
    let echo = lab(include_str!("../../tests/labs/echo-well.toml"));
    let told = |by| {
        let act = Rewriting::Offset { by };
        says(&echo, &finding(&echo, Kind::Rewritten { act, probability: 0.9, gained: 0 }, "level", None))
    };
    assert!(told(-10.0).contains("10 cm too large"), "{}", told(-10.0));
    assert!(told(0.25).contains("0.25 cm too small"), "{}", told(0.25));
}

/// Rows whose ± has the same fault are told in one sentence; a row that somebody said in other
/// words stands alone, and so does another fault.
#[test]
fn rows_whose_spread_has_the_same_fault_are_told_once() {
    let echo = lab(include_str!("../../tests/labs/echo-well.toml"));
    let none = Submission { section: "A".into(), team: "B".into(), ..Submission::default() };
    let mut judged = crate::judging::judge(&echo, &none, &[], &[]);
    let digits =
        |row| finding(&echo, Kind::PlusMinusDigits { text: "0.1234".into(), many: true }, "speed", Row::numbered(row));
    let missing = |row| finding(&echo, Kind::PlusMinusMissing { supported: None }, "speed", Row::numbered(row));
    let said = Finding { reworded: Some("Row 4: two figures, please.".into()), ..digits(4) };
    judged.findings = vec![digits(1), missing(1), digits(2), said, missing(3)];
    let told: Vec<String> = super::sentences(&echo, &judged).into_iter().map(|(_, text)| text).collect();
    let title = &echo.items[echo.item("speed").expect("a result")].title;
    assert_eq!(
        told,
        [
            format!(
                "Write the ± of your {title} in rows 1, 2 with one or two figures, and end value and ± at the same place."
            ),
            format!("Please state a ± with your {title} in rows 1, 3."),
            "Row 4: two figures, please.".to_owned(),
        ]
    );
}

/// What somebody seems to have done is said of every act, with the titles and units of the sheet.
#[test]
fn every_act_is_said_as_a_clause() {
    let lab = crate::example::lab();
    let item = |id: &str| lab.item(id).expect("an item");
    let (girth, height) = (item("girth"), item("height"));
    let read = |number: f64| Reading { item: girth, row: Row::numbered(2), number, place: -1, text: "94.3".into() };
    for (clause, said) in [
        (Clause::Said("a root was left out".into()), "a root was left out"),
        (
            Clause::LeftOut { item: girth, row: Row::at(1), text: "94.3".into() },
            "reading 2 of the girth, 94.3, was left out of the sum",
        ),
        (
            Clause::LeftOut { item: girth, row: Row::at(1), text: String::new() },
            "reading 2 of the girth was left out of the sum",
        ),
        (
            Clause::Used { item: girth, row: Row::at(2), text: "94.1".into() },
            "reading 3 of the girth, 94.1, which had been left out, was used",
        ),
        (
            Clause::Used { item: girth, row: Row::at(2), text: String::new() },
            "reading 3 of the girth, which had been left out, was used",
        ),
        (
            Clause::AsMarked { item: girth, rows: vec![Row::at(0), Row::at(2)] },
            "reading 1, 3 of the girth was left out, as the sheet marks it",
        ),
        (Clause::Setting { item: height, taken: 130.0 }, "the height was taken as 130 cm"),
        (
            Clause::Constant { item: height, taken: 102.0, figures: 4, sheet: "120".into() },
            "the height went in as 102.0 cm, where the sheet has 120",
        ),
        (Clause::Neighbour { item: height, taken: girth }, "the girth went in for the height"),
        (Clause::Count { item: height, taken: 9.0, sheet: 10.0 }, "the height went in as 9 cm, where the sheet has 10"),
        (
            Clause::Keyed(read(93.4)),
            "reading 2 of the girth went into the calculation as 93.4 cm, where the sheet has 94.3",
        ),
        (
            Clause::Copied(Reading { row: None, ..read(93.4) }),
            "the girth was 93.4 cm and was copied into the table as 94.3",
        ),
        (
            Clause::OtherUnit { item: girth, units: "mm written as cm".into() },
            "all readings of the girth stand there in another unit (mm written as cm)",
        ),
        (Clause::Offset { item: girth }, "all readings of the girth are off by one and the same amount"),
        (
            Clause::Rows { item: girth, first: Row::at(0), second: Row::at(2) },
            "the readings 1 and 3 of the girth stand in each other’s rows",
        ),
        (
            Clause::Columns { item: girth, other: height, row: None },
            "the girth and the height stand in each other’s columns",
        ),
        (
            Clause::Columns { item: girth, other: height, row: Row::numbered(2) },
            "the girth and the height of row 2 stand in each other’s place",
        ),
        (Clause::DigitsSwapped { meant: "29.98".into() }, "two digits of 29.98 were swapped in writing it down"),
        (Clause::DigitWrong { meant: "29.98".into() }, "one digit of 29.98 went wrong in writing it down"),
        (Clause::Point { places: 1 }, "the decimal point went one place to the left"),
        (Clause::Point { places: -2 }, "the decimal point went two places to the right"),
    ] {
        assert_eq!(super::clause(&lab, &clause), said);
    }
    let told = |cell: Option<&str>, rows: &[Row]| {
        let clause = Clause::Point { places: 1 };
        super::happened(&lab, &Account { clause, gives: "29.98 cm".into(), cell: cell.map(str::to_owned) }, rows)
    };
    assert_eq!(told(None, &[]), "It seems that the decimal point went one place to the left: 29.98 cm was meant.");
    assert_eq!(
        told(None, &[Row::at(0), Row::at(1)]),
        "It seems that, in 2 rows alike, the decimal point went one place to the left."
    );
    assert_eq!(told(Some("D7"), &[]), "The formula in cell D7 says it: the decimal point went one place to the left.");
}
