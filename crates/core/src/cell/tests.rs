//! Formulas read, followed and worked out: tables of cases, and properties over any text.

use proptest::prelude::*;

use super::{Below, Formula, Held, NotUnderstood, Under, Unfollowed, Value, in_one_spelling, parse};

/// A workbook of cells: numbers, texts in quotes, empty ones, formulas that begin with `=`.
fn book(cells: &[(&str, &str)]) -> Under {
    let mut under = Under { home: "Data sheet".into(), ..Under::default() };
    for (address, text) in cells {
        let below = match text.chars().next() {
            Some('=') => Below { formula: Some((*text).into()), ..Below::default() },
            Some('"') => Below { held: Held::Text(text.trim_matches('"').into()), ..Below::default() },
            Some('#') => Below { held: Held::Error((*text).into()), ..Below::default() },
            Some(_) => Below { held: Held::Number((*text).into()), ..Below::default() },
            None => Below::default(),
        };
        under.cells.insert((*address).into(), below);
    }
    under
}

/// What a formula gives over a small table of numbers, texts and gaps.
fn worked(text: &str) -> String {
    let mut under = book(&[
        ("A1", "1.5"),
        ("A2", "2.5"),
        ("A3", "4"),
        ("A4", "8"),
        ("B1", "\"2.5\""),
        ("B2", "\"late\""),
        ("B3", ""),
        ("B4", "3"),
        ("C1", "2"),
        ("C2", "4"),
        ("C3", "6"),
        ("C4", "9"),
        ("D1", "#DIV/0!"),
        ("E1", "=A1*2"),
        ("E2", "=E1+A2"),
        ("Other sheet!A1", "7"),
        ("Work!B2", "=A1*3"),
        ("Work!A1", "10"),
        ("Z9", text),
    ]);
    under.names.insert("width".into(), "='Data sheet'!$A$2".into());
    under.names.insert("column".into(), "=$A$1:$A$4".into());
    under.names.insert("grav".into(), "=9.81".into());
    match Formula::of(&under, "Z9").map(|f| f.value()) {
        Ok(Value::Number(v)) => format!("{v}"),
        Ok(Value::Truth(b)) => b.to_string(),
        Ok(Value::Fault(f)) => f.to_string(),
        Ok(other) => format!("{other:?}"),
        Err(e) => format!("{e:?}"),
    }
}

#[test]
fn formulas_give_what_worksheets_give() {
    for (text, expected) in [
        // Signs bind before powers, powers from the left, percent closest of all.
        ("=-A1^2", "2.25"),
        ("=2^3^2", "64"),
        ("=50%*A3", "2"),
        ("=1+2*3-4/2", "5"),
        ("=2-3-4", "-5"),
        ("=\"3\"*2", "6"),
        ("=\"three\"*2", "#VALUE!"),
        ("=A1<>A2", "true"),
        ("=\"late\"=B2", "true"),
        ("=1/0", "#DIV/0!"),
        ("=SQRT(-1)", "#NUM!"),
        ("=D1+1", "#DIV/0!"),
        ("=IFERROR(D1,5)", "5"),
        ("=IF(A1>A2,1/0,3)", "3"),
        // Ranges pass over texts and gaps; a text given by itself is read.
        ("=SUM(B1:B4)", "3"),
        ("=AVERAGE(A1:A4)", "4"),
        ("=AVERAGE(B2:B3)", "#DIV/0!"),
        ("=SUM(A1:A2,\"2\")", "6"),
        ("=COUNT(A1:B4)", "5"),
        ("=COUNTA(A1:B4)", "7"),
        ("=B1*2", "5"),
        ("=MEDIAN(A1:A4)", "3.25"),
        ("=SLOPE(C1:C4,A1:A4)", "1.0204081632653061"),
        ("=INDEX(LINEST(C1:C4,A1:A4),1,2)", "1.1683673469387754"),
        ("=SUMPRODUCT(A1:A4,C1:C4)", "109"),
        ("=SUMPRODUCT(A1:A4*C1:C4)", "109"),
        ("=ROUND(2.675,2)", "2.68"),
        ("=ROUND(-2.5,0)", "-3"),
        ("=ATAN2(1,0)", "0"),
        ("=LOG(100)", "2"),
        ("=LOG(8,2)", "3"),
        // Other sheets, helper cells, names.
        ("='Other sheet'!A1+1", "8"),
        ("=Work!B2", "30"),
        ("=E2", "5.5"),
        ("=width*2", "5"),
        ("=SUM(column)", "16"),
        ("=grav*A3", "39.24"),
        ("=nothing*2", "#NAME?"),
        ("='Data sheet'!A1", "1.5"),
        ("=_xlfn.STDEV.S(C1:C4)", "2.9860788111948193"),
        ("=Q1", "0"),
        ("=TRUE", "true"),
    ] {
        assert_eq!(worked(text), expected, "{text}");
    }
}

#[test]
fn what_is_not_understood_is_told_and_nothing_is_followed_outside_the_file() {
    let sign = |s: &str| Err(NotUnderstood::Sign(s.into()));
    let kind = |text: &str| parse(text).map(|_| ());
    for (text, expected) in [
        ("=VLOOKUP(A1,B1:C4,2)", Err(NotUnderstood::Function("VLOOKUP".into()))),
        ("=WEBSERVICE(\"http://x\")", Err(NotUnderstood::Function("WEBSERVICE".into()))),
        ("=[1]Sheet1!A1*2", Err(NotUnderstood::OtherFile)),
        ("='[marks.xlsx]Sheet1'!A1", Err(NotUnderstood::OtherFile)),
        ("=A1+", sign("")),
        ("=(A1", sign("")),
        ("=SQRT()", sign("SQRT(")),
        ("={1,2}", sign("{")),
        ("", sign("")),
    ] {
        assert_eq!(kind(text), expected, "{text}");
    }
    let long = format!("={}", "A1+".repeat(2_700) + "A1");
    assert!(long.len() > 8_000 && long.len() < 8_192);
    assert_eq!(kind(&long), Err(NotUnderstood::TooLarge), "more parts than anybody needs");
    assert_eq!(kind(&format!("={}1", "-".repeat(100))), Err(NotUnderstood::TooLarge));
    assert_eq!(kind(&"=1".repeat(5_000)), Err(NotUnderstood::TooLarge));
    // A name that hides a function is a name: it is no call.
    assert_eq!(kind("=SUM*2"), Ok(()));
}

#[test]
fn circles_and_endless_helpers_end() {
    let circle = book(&[("A1", "=B1+1"), ("B1", "=C1"), ("C1", "=A1*2")]);
    let told = Formula::of(&circle, "A1").expect_err("a circle");
    assert_eq!(told, Unfollowed::Circle(["A1", "B1", "C1", "A1"].map(str::to_owned).to_vec()));
    let mut named = book(&[("A1", "=loop")]);
    named.names.insert("loop".into(), "=loop+1".into());
    assert!(matches!(Formula::of(&named, "A1"), Err(Unfollowed::Circle(_))));
    // Each helper reads the one before twice: written out it would be without end.
    let mut doubling = book(&[("A1", "1")]);
    for n in 2..=60 {
        let below = Below { formula: Some(format!("=A{}+A{}", n - 1, n - 1)), ..Below::default() };
        doubling.cells.insert(format!("A{n}"), below);
    }
    assert_eq!(Formula::of(&doubling, "A60").err(), Some(Unfollowed::TooLarge));
    assert_eq!(Formula::of(&doubling, "A8").map(|f| f.value()), Ok(Value::Number(128.0)));
    let wide = book(&[("A1", "=SUM(B1:XFD1048576)")]);
    assert_eq!(Formula::of(&wide, "A1").err(), Some(Unfollowed::TooLarge));
}

proptest! {
    #[test]
    fn any_text_is_a_formula_or_is_told(text in "=?(of:=)?[-+*/^&<>=(),;:.$'\"!A-C1-9a-c%#{}\\[\\] ]{0,60}|.{0,40}") {
        let once = in_one_spelling(&text);
        if let Ok(piece) = parse(&once) {
            prop_assert!(parse(&format!("={}", piece.kind.plain())).is_ok(), "{}", piece.kind.plain());
        }
        let _ = parse(&text);
    }

    #[test]
    fn any_workbook_is_worked_out_or_told(cells in prop::collection::vec(("[A-C][1-5]", "=[A-C][1-5][-+*/^][A-C][1-5]|=(SUM|AVERAGE|STDEV|SLOPE|LINEST|IF|INDEX|ROUND|ATAN2)\\([A-C][1-5]:[A-C][1-5],[A-C][1-5]:[A-C][1-5]\\)|-?[0-9]{1,3}(\\.[0-9]{1,3})?|\"[a-z0-9]{0,3}\""), 1..12)) {
        let cells: Vec<(&str, &str)> = cells.iter().map(|(a, t)| (a.as_str(), t.as_str())).collect();
        let under = book(&cells);
        for (address, _) in &cells {
            if let Ok(Value::Number(v)) = Formula::of(&under, address).map(|f| f.value()) {
                prop_assert!(v.is_finite());
            }
        }
    }
}
