use super::check::check;
use super::figures::Figured;
use super::value::StepRounding;
use super::*;
use crate::quantity::{Dimension, Nature};
use proptest::prelude::*;

/// Items: 0 length `a`, 1 length `b`, 2 mass `m`, 3 column of lengths `d`, 4 pure number `x`, 5
/// angle `t`.
fn resolve(name: &str) -> Option<Symbol<'static>> {
    let (item, dimension, shape) = match name {
        "a" => (0, Dimension::LENGTH, Shape::Scalar),
        "b" => (1, Dimension::LENGTH, Shape::Scalar),
        "m" => (2, Dimension::MASS, Shape::Scalar),
        "d" => (3, Dimension::LENGTH, Shape::Column(0)),
        "x" => (4, Dimension::ONE, Shape::Scalar),
        "t" => (5, Dimension::ANGLE, Shape::Scalar),
        _ => return None,
    };
    Some(Symbol { item: ItemId::at(item), dimension, nature: Nature::Plain, shape, words: None })
}

fn items() -> Vec<Option<Value<f64>>> {
    vec![
        Some(Value::Scalar(3.0)),
        Some(Value::Scalar(2.0)),
        Some(Value::Scalar(0.5)),
        Some(Value::column(vec![1.0, 2.0, 4.0, 5.0])),
        Some(Value::Scalar(0.25)),
        Some(Value::Scalar(0.0)),
    ]
}

fn node(text: &str) -> Node {
    let ast = parse(text).unwrap_or_else(|e| panic!("{}\n{}", e.drawn(text), e.what));
    check(&ast, &resolve).unwrap_or_else(|e| panic!("{}\n{}", e.drawn(text), e.what))
}

fn value(text: &str) -> Result<f64, EvalError> {
    evaluate(&node(text), &Context::exact(&items()))
}

#[test]
fn precedence_is_the_usual_one() {
    for (text, tree) in [
        ("2 * 3 + 4", "((2 * 3) + 4)"),
        ("2 + 3 * 4", "(2 + (3 * 4))"),
        ("1 - 2 - 3", "((1 - 2) - 3)"),
        ("1 / 2 / 3", "((1 / 2) / 3)"),
        ("2 ^ 3 ^ 2", "(2 ^ (3 ^ 2))"),
        ("-a ^ 2", "(-(a ^ 2))"),
        ("2 ^ -1", "(2 ^ (-1))"),
        ("a * -b", "(a * (-b))"),
        ("(1 + 2) * 3", "((1 + 2) * 3)"),
        ("mean(d) * 331.3[m/s]", "(mean(d) * 331.3[m/s])"),
        ("pi*(a/2)^2*b", "((pi * ((a / 2) ^ 2)) * b)"),
    ] {
        let parsed = parse(text).map(|a| a.bracketed());
        assert_eq!(parsed.as_deref(), Ok(tree), "{text}");
        let again = parse(tree).map(|a| a.bracketed());
        assert_eq!(again.as_deref(), Ok(tree), "printing and reading back");
    }
}

#[test]
fn faults_stand_under_their_place() {
    for (text, carets, what) in [
        ("a + m", "^^^^^", "cannot add mass to length"),
        ("a + oar", "    ^^^", "`oar` is not known here"),
        ("a * (b - 2", "    ^", "this bracket is not closed"),
        ("fit(d, k * d)", "^^^^^^^^^^^^^", "fit() takes values, a model, and a name and a start for each parameter"),
        (
            "fit(d, d * k1, k1, 1, k2, 1, k3, 1, k4, 1, k5, 1, k6, 1, k7, 1, k8, 1, k9, 1)",
            &"^".repeat(77),
            "a fit has at most 8 parameters",
        ),
        ("fit(d, k * d, 2, 1)", "              ^", "a parameter of a fit is a name"),
        ("fit(d, a * d, a, 1)", "              ^", "`a` stands for something already"),
        ("fit(d, k * d, k, d)", "                 ^", "a fit begins at one value for each parameter"),
        ("fit(d, k * a, k, 1)", "^^^^^^^^^^^^^^^^^^^", "the values and the model of fit() need the rows of one table"),
        ("fit(d, k * d, k, a)", "       ^^^^^", "the model comes out as length^2, the values as length"),
        (
            "fit(d, d * fit(d, z * d, z, 1) * k, k, 1)",
            "^^^^^^^^^^^^^^^^^^^^^^^^^^^^^^^^^^^^^^^^^",
            "a fit stands within a fit",
        ),
        ("a b", "  ^", "`b` is not expected here"),
        ("ln(a)", "   ^", "ln() takes a pure number, this is length"),
        ("sin(x)", "    ^", "sin() takes an angle, this is a pure number"),
        ("mean(a)", "     ^", "mean() needs a column of readings"),
        ("sqrt(a)", "     ^", "length has no square root"),
        ("a ^ x", "    ^", "length can only be raised to a whole number written out"),
        ("2 ^ a", "    ^", "an exponent must be a pure number, this is length"),
        ("blob(a)", "^^^^", "there is no function `blob`"),
        ("atan2(a)", "^^^^^^^^", "atan2() takes 2 values, not 1"),
        ("3[blob]", "^^^^^^^", "the unit `blob` is not known"),
        ("", "^", "the formula ends where a value is expected"),
        ("a +", "   ^", "the formula ends where a value is expected"),
        ("5 $ 3", "  ^", "`$` is not expected here"),
        ("a * 3,3", "     ^", "a comma stands inside a number"),
        ("(a * 3,3)", "      ^", "a comma stands inside a number"),
        ("a = b", "  ^", "`=` compares nothing"),
        ("if(a => b, 1, 2)", "     ^", "`=>` compares nothing"),
        ("a²", " ^", "`²` is read in units alone"),
    ] {
        let error = parse(text).and_then(|a| check(&a, &resolve)).expect_err(text);
        assert_eq!(error.drawn(text), format!("{text}\n{carets}"));
        assert_eq!(error.what, what);
        assert!(!error.mend.is_empty());
    }
}

#[test]
fn depth_and_length_are_bounded() {
    for text in ["(".repeat(10_000), "-".repeat(10_000), "sqrt(".repeat(800), "1+".repeat(3000) + "1"] {
        assert!(parse(&text).is_err(), "{}…", &text[..8]);
    }
}

#[test]
fn values_follow_the_definitions() {
    for (text, expected) in [
        ("a * b^2", 12.0),
        ("mean(d)", 3.0),
        ("sum(d)", 12.0),
        ("count(d)", 4.0),
        ("median(d)", 3.0),
        ("range(d)", 4.0),
        ("min(d) + max(d)", 6.0),
        ("first(d) - last(d)", -4.0),
        ("sd(d)", (10.0f64 / 3.0).sqrt()),
        ("sem(d)", (10.0f64 / 12.0).sqrt()),
        ("mean(diff(d))", 4.0 / 3.0),
        ("last(cumsum(d))", 12.0),
        ("last(cumprod(d / a))", 40.0 / 81.0),
        ("sum(row_number(d))", 10.0),
        ("row(sorted(-d), 1) + last(sorted(d))", 0.0),
        ("at_max(d, -d) + at_min(2 * d, abs(d - last(d)))", 11.0),
        ("mean(d - a)", 0.0),
        ("abs(b - a)", 1.0),
        ("sqrt(x)", 0.5),
        ("ln(exp(x))", 0.25),
        ("log10(100 * x / x)", 2.0),
        ("25.4[mm] / 1[in]", 1.0),
        ("cos(t) + atan2(a, a) / 1[rad]", 1.0 + std::f64::consts::FRAC_PI_4),
    ] {
        let got = value(text).unwrap_or_else(|e| panic!("{text}: {e}"));
        assert!((got - expected).abs() <= 1e-14 * expected.abs().max(1.0), "{text}: {got}");
    }
    // 1, 2, 4, 5 over their row numbers: the parabola through the origin that comes nearest has k = 598/620; a straight line
    // is the one that is fitted in one step, and its error that of the slope.
    for (text, expected) in [
        ("fit(d, k * row_number(d) + q * row_number(d)^2, k, 1[mm], q, 0.1[mm]) / 1[m]", 598.0 / 620.0),
        ("fit(d, k * row_number(d), k, 9[m]) / slope0(row_number(d), d)", 1.0),
        ("fit(d, k * row_number(d) + c, k, 9[m], c, 1[m]) / slope(row_number(d), d)", 1.0),
        ("fit_se(d, k * row_number(d) + c, k, 9[m], c, 1[m]) / slope_se(row_number(d), d)", 1.0),
    ] {
        let got = value(text).unwrap_or_else(|e| panic!("{text}: {e}"));
        assert!((got - expected).abs() <= 1e-10 * expected, "{text}: {got}");
    }
    for (text, why) in [
        ("fit(d, d * k - d * q, k, 1, q, 2)", "the points cannot tell the parameters apart"),
        ("a / (b - b)", "it divides by zero"),
        ("ln(-x)", "only a positive number has a logarithm"),
        ("sqrt(-x)", "a negative number has no square root"),
        ("(x - x) ^ -1", "it divides by zero"),
        ("exp(1e5 * x)", "the value is beyond what can be computed with"),
        ("d + 1[mm]", "a column stands where one value is needed"),
    ] {
        assert_eq!(value(text), Err(EvalError::Undefined(why)), "{text}");
    }
    let mut missing = items();
    missing[1] = None;
    assert_eq!(evaluate(&node("a * b"), &Context::exact(&missing)), Err(EvalError::Missing(ItemId::at(1))));
}

#[test]
fn arithmetic_can_round_as_it_goes() {
    let items = items();
    let steps =
        |figures, cut| Context { pi: 3.0, steps: Some(StepRounding { figures, cut }), ..Context::exact(&items) };
    // π·(3/2)²·2 with π as 3: 1.5, 2.25, 6.75, 13.5.
    let rounded = evaluate(&node("pi * (a/2)^2 * b"), &steps(3, false)).expect("defined");
    assert!((rounded - 13.5).abs() < 1e-12, "{rounded}");
    let cut = evaluate(&node("a / 7"), &steps(2, true)).expect("defined");
    assert!((cut - 0.42).abs() < 1e-12, "{cut}");
}

#[test]
fn deserved_figures_follow_the_rules() {
    let f = |value, figures| Some(Value::Scalar(Figured::with_figures(value, figures)));
    let column = [38.10, 38.08, 38.12].map(|value| Figured::with_figures(value, 4));
    let items = vec![f(101.64, 5), f(0.04, 1), f(133.1, 4), Some(Value::column(column.to_vec())), f(2.716, 4), None];
    for (text, figures) in [
        ("a * b", Some(1)),
        ("a - b", Some(5)),       // 101.60: both to the second place
        ("(a - b) * m", Some(4)), // fewest of 5 and 4
        ("mean(d)", Some(4)),     // the place of its readings
        ("x - 2.70", Some(2)),    // 0.016: the difference has lost two figures
        ("2 * pi", None),
    ] {
        assert_eq!(evaluate(&node(text), &Context::exact(&items)).map(|v| v.figures()), Ok(figures), "{text}");
    }
}

#[test]
fn formulas_are_drawn_in_three_stages() {
    let symbols = |i: ItemId| ["L", "W_p", "m", "D", "x", "t"][i.index()].to_owned();
    let numbers = |i: ItemId| ["101.64 mm", "50.82 mm", "0.5 kg", "D", "2", "0"][i.index()].to_owned();
    let drawn = mathml::formula(&node("m / (a * b^2)"), &symbols);
    assert_eq!(
        drawn,
        "<math xmlns=\"http://www.w3.org/1998/Math/MathML\"><mfrac><mi>m</mi><mrow><mi>L</mi><mo>×</mo><msup><msub>\
         <mi>W</mi><mi>p</mi></msub><mn>2</mn></msup></mrow></mfrac></math>"
            .replace("<mn>2</mn>", "<mrow><mn>2</mn></mrow>")
    );
    let whole = mathml::correction("V", &node("a * b"), &symbols, &numbers, "51.7 cm²").join("");
    for piece in ["<mi>V</mi><mo>=</mo>", "<mn>101.64</mn>", "<mtext>mm</mtext>", "<mn>51.7</mn>"] {
        assert!(whole.contains(piece), "{piece} in {whole}");
    }
    assert!(
        mathml::formula(&node("a - (b - a)"), &symbols).contains("<mo>(</mo>"),
        "a bracket that changes the value is kept"
    );
    // A negative number put in stands in brackets, with a real minus.
    let negative = |i: ItemId| if i == ItemId::at(0) { "-0.02 cm".to_owned() } else { numbers(i) };
    let put_in = mathml::correction("x", &node("b - a"), &symbols, &negative, "1")[1].clone();
    assert!(put_in.contains("<mo>(</mo><mrow><mn>−0.02</mn>"), "{put_in}");
    assert!(plain::formula(&node("b - a"), &negative).ends_with("− (-0.02 cm)"));
    assert!(mathml::formula(&node("mean(d)"), &symbols).contains("<mover>"));
}

proptest! {
    #[test]
    fn any_text_parses_or_is_refused_inside_its_own_bytes(text in "[-a-dmx0-9+*/^(),.\\[\\] ]{0,40}|\\PC{0,30}") {
        match parse(&text).and_then(|a| check(&a, &resolve)) {
            Ok(node) => { let _ = evaluate(&node, &Context::exact(&items())); }
            Err(e) => { let _ = e.drawn(&text); prop_assert!(e.span.start <= text.len()); }
        }
    }

    /// Derivatives carried along agree with central differences.
    #[test]
    fn derivatives_agree_with_differences(a in 1.0f64..5.0, x in 0.1f64..0.9) {
        use crate::uncertainty::Dual;
        for text in ["pi * (a/2)^2 / a", "a * sqrt(x) * exp(-x)", "abs(a * ln(x))", "a / sin(asin(x))", "a * x^3", "a*log10(x)+a*cos(atan(x))"] {
            let node = node(text);
            let at = |a: f64, x: f64| {
                let mut items = items();
                items[0] = Some(Value::Scalar(a));
                items[4] = Some(Value::Scalar(x));
                evaluate(&node, &Context::exact(&items)).expect("defined")
            };
            let mut duals: Vec<Option<Value<Dual>>> = vec![None; 6];
            duals[0] = Some(Value::Scalar(Dual::source(a, 0)));
            duals[4] = Some(Value::Scalar(Dual::source(x, 1)));
            let d = evaluate(&node, &Context::exact(&duals)).expect("defined");
            let h = 1e-6;
            for (got, want) in [(d.derivative(0), (at(a + h, x) - at(a - h, x)) / (2.0 * h)), (d.derivative(1), (at(a, x + h) - at(a, x - h)) / (2.0 * h))] {
                prop_assert!((got - want).abs() <= 1e-5 * (1.0 + want.abs()), "{}: {} {}", text, got, want);
            }
        }
    }
}

#[test]
fn a_long_line_of_numbers_can_be_broken_between_its_factors() {
    let seen = |markup: &str| -> Vec<String> {
        markup
            .split("</math>")
            .filter(|m| m.contains("<math"))
            .map(|m| {
                let mut text = String::new();
                let mut inside = false;
                for c in m.chars() {
                    match c {
                        '<' => inside = true,
                        '>' => inside = false,
                        c if !inside => text.push(c),
                        _ => {}
                    }
                }
                text.trim().to_owned()
            })
            .collect()
    };
    let symbols = |i: ItemId| ["a", "b"][i.index().min(1)].to_owned();
    let numbers = |i: ItemId| ["1234.5678", "8765.4321"][i.index().min(1)].to_owned();
    for (formula, pieces) in [
        ("a * b", vec!["=1234.5678×8765.4321"]),
        (
            "a * b * (a - b) * (a + b)",
            vec!["=1234.5678", "×8765.4321", "×(1234.5678−8765.4321)", "×(1234.5678+8765.4321)"],
        ),
        ("a + b - (a + b) - a", vec!["=1234.5678", "+8765.4321", "−(1234.5678+8765.4321)", "−1234.5678"]),
        // A chain of one rank only: what binds closer stays together.
        ("a * b + a * b + a * b", vec!["=1234.5678×8765.4321", "+1234.5678×8765.4321", "+1234.5678×8765.4321"]),
        // What is no chain stays whole.
        ("(a + b + a + b + a + b) / b", vec!["=1234.5678+8765.4321+1234.5678+8765.4321+1234.5678+8765.43218765.4321"]),
    ] {
        let drawn = mathml::correction("x", &node(formula), &symbols, &numbers, "1")[1].clone();
        assert_eq!(seen(&drawn), pieces, "{formula}");
    }
}

/// What is done with a tree grows faster than the tree, so a formula has an end, well beyond any of
/// the library.
#[test]
fn a_formula_has_a_limit_of_parts_and_one_of_depth() {
    let sum = |n: usize| vec!["x"; n].join("+");
    // A sum of n names has n names and n − 1 operators, each of which looks for what follows it.
    let most = (1..200).take_while(|n| parse(&sum(*n)).is_ok()).count();
    assert!((40..=80).contains(&most), "{most}");
    let told = parse(&sum(most + 1)).expect_err("it is too long").what;
    assert!(told.contains("more than 160 numbers, names and operators"), "{told}");
    let deep = |n: usize| format!("{}x{}", "(".repeat(n), ")".repeat(n));
    assert!(parse(&deep(30)).is_ok());
    assert!(parse(&deep(100)).expect_err("it is too deep").what.contains("nested deeper than 64"));
}
