//! What worksheet functions give, against values worked out by their definitions elsewhere, and the errors that a worksheet shows.

use jurado_core::cell::{Address, Below, Formula, Function, Held, MOST_COLUMNS, MOST_ROWS, Under, Value, parse};
use proptest::prelude::*;

/// A sheet with numbers in A1:A5 and B1:B5, and in C1:C5 a text, nothing, a number as text, a truth and an error.
fn sheet(formula: &str) -> Under {
    let mut under = Under { home: "Data sheet".into(), ..Under::default() };
    let mut put = |address: String, held: Held| under.cells.insert(address, Below { held, ..Below::default() });
    for (n, (a, b)) in [("3.1", "1"), ("2.9", "2"), ("4.4", "3"), ("3.0", "4"), ("5.2", "5")].into_iter().enumerate() {
        put(format!("A{}", n + 1), Held::Number(a.into()));
        put(format!("B{}", n + 1), Held::Number(b.into()));
    }
    put("C1".into(), Held::Text("late".into()));
    put("C2".into(), Held::Empty);
    put("C3".into(), Held::Text("2.5".into()));
    put("C4".into(), Held::Truth(true));
    put("C5".into(), Held::Error("#N/A".into()));
    under.cells.insert("Z1".into(), Below { formula: Some(format!("={formula}")), ..Below::default() });
    under
}

fn value(formula: &str) -> Value {
    Formula::of(&sheet(formula), "Z1").unwrap_or_else(|e| panic!("{formula}: {e:?}")).value()
}

/// By the definitions of the functions, in double precision by another language.
const VALUES: &[(&str, f64)] = &[
    ("PI()", std::f64::consts::PI),
    ("SUM(A1:A5)", 18.6),
    ("SUM(A1:A2,B5,10)", 21.0),
    ("AVERAGE(A1:A5)", 3.72),
    ("AVERAGE(A1,B1:B2)", 2.033333333333333),
    ("COUNT(A1:C5)", 10.0),
    ("COUNT(C3,7,\"8\",\"nine\")", 2.0),
    ("COUNTA(A1:C4)", 11.0),
    ("COUNTA(C2)", 0.0),
    ("MIN(A1:A5,2.95)", 2.9),
    ("MAX(A1:A5)", 5.2),
    ("MAX(C1:C2)", 0.0),
    ("MEDIAN(A1:A5)", 3.1),
    ("MEDIAN(A1:A4)", 3.05),
    ("PRODUCT(B1:B5)", 120.0),
    ("SUMSQ(B1:B3)", 14.0),
    ("DEVSQ(A1:A5)", 4.2280000000000015),
    ("AVEDEV(A1:A5)", 0.8640000000000001),
    ("STDEV.S(A1:A5)", 1.0281050529979903),
    ("STDEV(A1:A5)", 1.0281050529979903),
    ("STDEV.P(A1:A5)", 0.919565114605812),
    ("STDEVP(A1:A5)", 0.919565114605812),
    ("VAR.S(A1:A5)", 1.0570000000000002),
    ("VAR(A1:A5)", 1.0570000000000002),
    ("VAR.P(A1:A5)", 0.8456000000000002),
    ("VARP(A1:A5)", 0.8456000000000002),
    ("GEOMEAN(B1:B5)", 2.605171084697352),
    ("LARGE(A1:A5,2)", 4.4),
    ("SMALL(A1:A5,2)", 3.0),
    ("SQRT(2)", std::f64::consts::SQRT_2),
    ("EXP(-1.5)", 0.22313016014842982),
    ("LN(10)", std::f64::consts::LN_10),
    ("LOG(1000)", 3.0),
    ("LOG(32,2)", 5.0),
    ("LOG10(0.01)", -2.0),
    ("SIN(1)", 0.8414709848078965),
    ("COS(1)", 0.5403023058681398),
    ("TAN(1)", 1.5574077246549023),
    ("ASIN(0.5)", std::f64::consts::FRAC_PI_6),
    ("ACOS(0.5)", std::f64::consts::FRAC_PI_3),
    ("ATAN(2)", 1.1071487177940904),
    ("ATAN2(-1,1)", 2.356194490192345),
    ("SINH(1)", 1.1752011936438014),
    ("COSH(1)", 1.5430806348152437),
    ("TANH(1)", 0.7615941559557649),
    ("DEGREES(PI()/6)", 30.0),
    ("RADIANS(180)", std::f64::consts::PI),
    ("ABS(-2.5)", 2.5),
    ("SIGN(-2.5)", -1.0),
    ("SIGN(0)", 0.0),
    ("INT(-2.5)", -3.0),
    ("TRUNC(-2.567,2)", -2.56),
    ("ROUNDDOWN(2.567,1)", 2.5),
    ("ROUND(2.567,1)", 2.6),
    ("ROUND(1234,-2)", 1200.0),
    ("ROUNDUP(2.501,0)", 3.0),
    ("ROUNDUP(-2.501,1)", -2.6),
    ("MOD(7,3)", 1.0),
    ("MOD(-7,3)", 2.0),
    ("MOD(7,-3)", -2.0),
    ("POWER(2,-3)", 0.125),
    ("SLOPE(A1:A5,B1:B5)", 0.43000000000000005),
    ("INTERCEPT(A1:A5,B1:B5)", 2.43),
    ("RSQ(A1:A5,B1:B5)", 0.4373226111636708),
    ("CORREL(A1:A5,B1:B5)", 0.6613037208149299),
    ("PEARSON(A1:A5,B1:B5)", 0.6613037208149299),
    ("STEYX(A1:A5,B1:B5)", 0.8905054744357277),
    ("FORECAST(6,A1:A5,B1:B5)", 5.01),
    ("FORECAST.LINEAR(0,A1:A5,B1:B5)", 2.43),
    ("INDEX(LINEST(A1:A5,B1:B5),1)", 0.43000000000000005),
    ("INDEX(LINEST(A1:A5,B1:B5),1,2)", 2.43),
    ("INDEX(LINEST(A1:A5,B1:B5,FALSE),1)", 1.0927272727272728),
    ("INDEX(LINEST(A1:A5,B1:B5,TRUE,TRUE),2,1)", 0.28160255680657453),
    ("INDEX(LINEST(A1:A5,B1:B5,TRUE,TRUE),3,1)", 0.4373226111636708),
    ("SUMPRODUCT(A1:A5,B1:B5)", 60.1),
    ("INDEX(A1:B5,4,2)", 4.0),
    ("INDEX(A1:A5,3)", 4.4),
    ("IF(A1>3,10,20)", 10.0),
    ("IF(A2>3,10,20)", 20.0),
    ("IFERROR(1/0,7)", 7.0),
    ("IFERROR(A1,7)", 3.1),
    ("IF(AND(A1>3,A2>3),1,2)", 2.0),
    ("IF(OR(A1>3,A2>3),1,2)", 1.0),
    ("IF(NOT(A1>3),1,2)", 2.0),
    ("IF(TRUE(),1,2)", 1.0),
    ("IF(FALSE(),1,2)", 2.0),
    ("VALUE(\"2.5\")+1", 3.5),
    ("NUMBERVALUE(\"2.5\")", 2.5),
    ("N(\"late\")", 0.0),
    ("N(A1)", 3.1),
    ("N(TRUE())", 1.0),
];

#[test]
fn functions_give_what_their_definitions_say() {
    for (formula, expected) in VALUES {
        let Value::Number(v) = value(formula) else { panic!("{formula} gives {:?}", value(formula)) };
        let apart = (v - expected).abs();
        assert!(apart <= 1e-12 * expected.abs().max(1e-3), "{formula} gives {v}, not {expected}");
    }
}

#[test]
fn every_function_is_tried_by_each_of_its_names() {
    for (function, names, ..) in Function::TABLE {
        for name in *names {
            assert!(VALUES.iter().any(|(f, _)| f.contains(&format!("{name}("))), "{name} is not tried");
            assert_eq!(Function::named(&name.to_lowercase()), Some(*function));
        }
    }
}

/// One argument too few, and one too many, is not understood; the right number is.
#[test]
fn a_function_takes_as_many_arguments_as_it_has() {
    for (function, names, least, most) in Function::TABLE {
        let call = |n: usize| format!("{}({})", names[0], vec!["A1"; n].join(","));
        let wrong = |n: usize| parse(&call(n)).is_err();
        assert!(parse(&call(*least)).is_ok() && !wrong(*least), "{function:?} with {least}");
        if *most < 255 {
            assert!(parse(&call(*most)).is_ok(), "{function:?} with {most}");
            assert!(wrong(most + 1), "{function:?} with {}", most + 1);
        }
        if *least > 0 {
            assert!(wrong(least - 1), "{function:?} with {}", least - 1);
        }
    }
}

#[test]
fn what_cannot_be_worked_out_is_the_error_that_a_worksheet_shows() {
    for (formula, fault) in [
        ("1/0", "#DIV/0!"),
        ("AVERAGE(C1:C2)", "#DIV/0!"),
        ("STDEV(A1)", "#DIV/0!"),
        ("VAR.P(C1:C2)", "#DIV/0!"),
        ("MOD(1,0)", "#DIV/0!"),
        ("SLOPE(A1:A2,B1)", "#N/A"),
        ("SLOPE(A1:A5,A1:A4)", "#N/A"),
        ("SLOPE(A1:A2,C1:C2)", "#DIV/0!"),
        ("CORREL(A1:A3,SUM(1))", "#N/A"),
        ("STEYX(A1:A2,B1:B2)", "#DIV/0!"),
        ("SQRT(-1)", "#NUM!"),
        ("LN(0)", "#NUM!"),
        ("LOG(-1)", "#NUM!"),
        ("LOG10(0)", "#NUM!"),
        ("ASIN(1.5)", "#NUM!"),
        ("ACOS(-1.5)", "#NUM!"),
        ("EXP(1000)", "#NUM!"),
        ("GEOMEAN(0,1)", "#NUM!"),
        ("LARGE(A1:A5,6)", "#NUM!"),
        ("SMALL(A1:A5,0)", "#NUM!"),
        ("POWER(-8,1/3)", "#NUM!"),
        ("10^400", "#NUM!"),
        ("\"late\"+1", "#VALUE!"),
        ("SQRT(C1)", "#VALUE!"),
        ("VALUE(\"late\")", "#VALUE!"),
        ("SUM(A1,\"late\")", "#VALUE!"),
        ("INDEX(A1:A5,6)", "#REF!"),
        ("SUM(C1:C5)", "#N/A"),
        ("C5+1", "#N/A"),
        ("IF(C5,1,2)", "#N/A"),
        ("nothing+1", "#NAME?"),
    ] {
        match value(formula) {
            Value::Fault(told) => assert_eq!(told.to_string(), fault, "{formula}"),
            other => panic!("{formula} gives {other:?}, not {fault}"),
        }
    }
}

#[test]
fn what_is_no_formula_is_told_and_never_worked_out() {
    for (text, good) in [
        ("A1+", false),
        ("(A1", false),
        ("A1)", false),
        ("SUM(A1", false),
        ("A1 A2", false),
        ("\"open", false),
        ("A1;A2", false),
        ("{1,2}", false),
        ("'open'!A1", true),
        ("[book.xlsx]Sheet!A1", false),
        ("HYPERLINK(\"x\")", false),
        ("INDIRECT(\"A1\")", false),
        ("A1:", false),
        ("A1+A2", true),
        ("-(A1)%", true),
    ] {
        assert_eq!(parse(text).is_ok(), good, "{text}: {:?}", parse(text));
    }
}

#[test]
fn a_formula_is_followed_to_the_numbers_and_no_further() {
    let mut under = sheet("A9*2");
    under.cells.insert("A9".into(), Below { formula: Some("=A10+1".into()), ..Below::default() });
    let with = |under: &mut Under, text: &str| {
        under.cells.insert("A10".into(), Below { formula: Some(text.into()), ..Below::default() });
        Formula::of(under, "Z1").map(|f| f.value())
    };
    assert_eq!(with(&mut under, "=A1*10"), Ok(Value::Number(64.0)), "through two helper cells");
    assert!(with(&mut under, "=A9").is_err() && with(&mut under, "=Z1").is_err(), "a circle is never worked out");
    assert!(with(&mut under, "=HYPERLINK(\"x\")").is_err(), "nor what is not understood");
}

/// A formula in the spelling of the open format: `[.A1:.A5]` for `A1:A5`, semicolons between arguments.
fn opened(formula: &str) -> String {
    let (mut out, mut quoted, mut chars) = (String::from("of:="), false, formula.chars().peekable());
    while let Some(c) = chars.next() {
        quoted ^= c == '"';
        let cell = !quoted && ('A'..='C').contains(&c) && chars.peek().is_some_and(char::is_ascii_digit);
        let after_a_letter = out.ends_with(|l: char| l.is_ascii_alphanumeric());
        match c {
            ',' if !quoted => out.push(';'),
            _ if cell && !after_a_letter => {
                let mut address = format!(".{c}");
                while let Some(next) = chars.next_if(|n| n.is_ascii_digit() || *n == ':' || ('A'..='C').contains(n)) {
                    address.push(next);
                    if next == ':' {
                        address.push('.');
                    }
                }
                out.push_str(&format!("[{address}]"));
            }
            _ => out.push(c),
        }
    }
    out
}

#[test]
fn both_spellings_of_a_formula_are_one_formula() {
    assert_eq!(opened("SUM(A1:A2,B5,10)"), "of:=SUM([.A1:.A2];[.B5];10)");
    assert_eq!(opened("COUNT(C3,7,\"A1,B1\")"), "of:=COUNT([.C3];7;\"A1,B1\")");
    for (formula, expected) in VALUES {
        let text = opened(formula);
        let (one, other) = (parse(formula), parse(&text));
        assert_eq!(one.map(|p| p.kind.plain()), other.map(|p| p.kind.plain()), "{text}");
        let mut under = sheet(formula);
        under.cells.insert("Z1".into(), Below { formula: Some(text.clone()), ..Below::default() });
        let given = Formula::of(&under, "Z1").map(|f| f.value());
        let close = |v: f64| (v - expected).abs() <= 1e-12 * expected.abs().max(1e-3);
        assert!(matches!(given, Ok(Value::Number(v)) if close(v)), "{text} gives {given:?}");
    }
}

#[test]
fn a_formula_is_drawn_whole_with_its_cells_and_what_differs_once() {
    for (formula, _) in VALUES {
        let followed = Formula::of(&sheet(formula), "Z1").unwrap_or_else(|e| panic!("{formula}: {e:?}"));
        let drawn = followed.drawn(&|_| None, &|term| std::ptr::eq(term, &followed.root));
        for tag in ["math", "mrow", "mfrac", "msup", "msqrt", "mtext", "mi", "mn", "mo"] {
            let count = |sign: &str| drawn.matches(sign).count();
            let opened = count(&format!("<{tag}>")) + count(&format!("<{tag} "));
            assert_eq!(opened, count(&format!("</{tag}>")), "{tag} of {formula}: {drawn}");
        }
        assert_eq!(drawn.matches("class=\"differs\"").count(), 1, "{formula}: {drawn}");
        // A range is drawn by its ends and not cell by cell.
        let single = |leaf: &&jurado_core::cell::Leaf| !formula.contains(':') && formula.contains(&leaf.address);
        for leaf in followed.leaves.iter().filter(single) {
            assert!(
                drawn.contains(&format!("<mtext>{}</mtext>", leaf.address)),
                "{} of {formula}: {drawn}",
                leaf.address
            );
        }
    }
}

proptest! {
    #[test]
    fn an_address_is_read_as_it_is_written(row in 1..=MOST_ROWS, column in 1..=MOST_COLUMNS, sheet in prop::option::of("[A-Za-z][A-Za-z0-9 ]{0,8}")) {
        let address = Address { sheet, row, column };
        let text = address.to_string();
        prop_assert_eq!(Address::read(&text), Some(address.clone()));
        // Fixed by signs of the dollar, and in small letters, it is the same cell.
        let plain = Address { sheet: None, ..address };
        let letters: String = plain.to_string().chars().filter(char::is_ascii_alphabetic).collect();
        prop_assert_eq!(Address::read(&format!("${letters}${row}")), Some(plain.clone()));
        prop_assert_eq!(Address::read(&plain.to_string().to_lowercase()), Some(plain));
    }
}

#[test]
fn what_is_beyond_a_worksheet_is_no_address() {
    for text in ["A0", "A1048577", "XFE1", "AAAA1", "1A", "A", "1", "", "$", "A-1", "A1.5", "A1:B2", "Ä1", "A99999999"]
    {
        assert_eq!(Address::read(text), None, "{text}");
    }
    assert_eq!(Address::read("XFD1048576"), Some(Address::here(MOST_ROWS, MOST_COLUMNS)));
}
