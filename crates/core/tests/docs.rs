//! What docs/protocols.md teaches is true: its whole file loads, its parts load within it, every function is there, and
//! every example gives the value it says.
#![allow(missing_docs)]

use jurado_core::formula::check::check;
use jurado_core::formula::function::FUNCTIONS;
use jurado_core::formula::{Context, Shape, Symbol, Value, evaluate, parse};
use jurado_core::protocol::{Protocol, schema};
use jurado_core::quantity::{Dimension, Nature};

const PAGE: &str = include_str!("../../../docs/protocols.md");

fn blocks(fence: &str) -> Vec<&'static str> {
    PAGE.split("```")
        .skip(1)
        .step_by(2)
        .filter_map(|b| b.strip_prefix(fence).filter(|rest| rest.starts_with('\n')))
        .collect()
}

#[test]
fn the_blank_page_and_all_parts_load() {
    let whole = blocks("toml");
    assert_eq!(whole.len(), 1);
    let load = |text: &str| {
        Protocol::parse(text).map_err(|f| f.iter().map(ToString::to_string).collect::<Vec<_>>().join("\n"))
    };
    assert_eq!(load(whole[0]).map(|p| p.results.len()), Ok(1));
    let parts = blocks("toml part");
    assert!(parts.len() >= 5, "{}", parts.len());
    let all = format!("{}\n{}", whole[0], parts.join("\n"));
    let p = load(&all).unwrap_or_else(|f| panic!("{f}"));
    assert_eq!((p.checks.len(), p.comparisons.len(), p.tables.len(), p.references.len()), (1, 1, 1, 2));
    assert!(p.results[0].variants.iter().any(|v| v.kind.word() == "declared:girth-for-diameter"));
}

#[test]
fn every_function_is_taught() {
    for f in &FUNCTIONS {
        assert!(PAGE.contains(&format!("`{}`", f.name)), "{} is missing from the page", f.name);
    }
}

#[test]
fn every_example_gives_its_value() {
    let names = ["x", "y", "w", "a", "t", "phi"];
    let resolve = |name: &str| {
        let item = names.iter().position(|n| *n == name)?;
        let column = item < 3;
        Some(Symbol {
            item: jurado_core::protocol::ItemId::at(item),
            dimension: match name {
                "t" => Dimension::TEMPERATURE,
                "phi" => Dimension::ANGLE,
                _ => Dimension::ONE,
            },
            nature: if name == "t" { Nature::Point } else { Nature::Plain },
            shape: if column { Shape::Column(0) } else { Shape::Scalar },
            words: None,
        })
    };
    let items = [
        Some(Value::column(vec![1.0, 2.0, 4.0])),
        Some(Value::column(vec![2.0, 4.0, 9.0])),
        Some(Value::column(vec![1.0, 1.0, 2.0])),
        Some(Value::Scalar(3.0)),
        Some(Value::Scalar(293.15)),
        Some(Value::Scalar(30.0 * std::f64::consts::PI / 180.0)),
    ];
    let mut seen = 0;
    for line in PAGE.lines().filter(|l| l.starts_with("| `")) {
        let Some((example, value)) = line.trim_end_matches('|').rsplit_once("` = ") else { continue };
        let formula = example.rsplit_once('`').map_or(example, |(_, f)| f);
        let want: f64 = value.trim().parse().unwrap_or_else(|_| panic!("no number in {line}"));
        let node = parse(formula)
            .and_then(|a| check(&a, &resolve))
            .unwrap_or_else(|e| panic!("{}\n{}", e.drawn(formula), e.what));
        let got = evaluate(&node, &Context::exact(&items)).unwrap_or_else(|e| panic!("{formula}: {e}"));
        assert!((got - want).abs() <= 1e-14 * want.abs(), "{formula}: {got:?}");
        seen += 1;
    }
    assert!(seen >= 25, "{seen} examples");
}

#[test]
fn the_schema_knows_every_table_and_refuses_unknown_fields() {
    let schema: serde_json::Value = serde_json::from_str(&schema()).expect("JSON");
    let properties = schema["properties"].as_object().expect("properties");
    for table in [
        "bay",
        "key",
        "parameter",
        "instrument",
        "table",
        "reading",
        "constant",
        "reference",
        "result",
        "slip",
        "check",
        "comparison",
        "identify",
        "cause",
        "criterion",
        "school",
    ] {
        assert!(properties.contains_key(table), "{table}");
    }
    assert_eq!(schema["additionalProperties"], false);
    assert_eq!(schema["$defs"]["Reading"]["additionalProperties"], false);
    // A field of the format that nobody declared would be missing here: both sides come of one source.
    for field in ["follows", "sums", "heaping", "required_if", "fallback", "rejection", "bracket"] {
        assert!(schema["$defs"]["Reading"]["properties"].get(field).is_some(), "{field}");
    }
    let required: Vec<&str> =
        schema["required"].as_array().expect("required").iter().filter_map(|v| v.as_str()).collect();
    assert!(required.contains(&"format") && required.contains(&"possible"), "{required:?}");
}
