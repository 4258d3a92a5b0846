//! How a row is written: the bench of one rule, its sheets, and what is looked at.

use jurado_core::decision::{Action, Decision};
use jurado_core::protocol::Protocol;
use jurado_core::section::Section;
use jurado_core::verdict::Judged;

use super::common::*;

/// What is looked at: a verdict, the codes, a cost.
pub(crate) type Look = Box<dyn Fn(&Protocol, &Judged) -> String>;

/// One rule, a table just inside it and one just outside.
pub(crate) struct Edge {
    pub(crate) rule: &'static str,
    pub(crate) labs: [String; 2],
    pub(crate) sheets: [String; 2],
    pub(crate) look: Look,
    pub(crate) want: [&'static str; 2],
    pub(crate) sections: [Section; 2],
    pub(crate) decisions: [Vec<Decision>; 2],
}

impl Edge {
    /// The same with a person's decision on the first side.
    pub(crate) fn decided(mut self, key: &str, action: Action) -> Edge {
        let (reason, by) = ("seen on the photo".to_owned(), "a reviewer".to_owned());
        self.decisions[0] = vec![Decision { finding: key.into(), action, reason, by, text: String::new() }];
        self
    }

    /// The same with a section's setting on the first side.
    pub(crate) fn inside(mut self, section: Section) -> Edge {
        self.sections[0] = section;
        self
    }
}

pub(crate) fn edge(rule: &'static str, lab: &str, sheets: [&str; 2], look: Look, want: [&'static str; 2]) -> Edge {
    Edge {
        rule,
        labs: [lab.to_owned(), lab.to_owned()],
        sheets: sheets.map(str::to_owned),
        look,
        want,
        sections: Default::default(),
        decisions: Default::default(),
    }
}

/// One table by two protocols that differ in the rule.
pub(crate) fn between(rule: &'static str, labs: [&str; 2], sheet: &str, look: Look, want: [&'static str; 2]) -> Edge {
    Edge {
        rule,
        labs: labs.map(str::to_owned),
        sheets: [sheet.to_owned(), sheet.to_owned()],
        look,
        want,
        sections: Default::default(),
        decisions: Default::default(),
    }
}

/// A bench of readings of many digits, with the results and criteria of one rule.
pub(crate) fn lab(school: &str, parts: &str) -> String {
    let points: f64 = parts
        .split("[[result]]")
        .skip(1)
        .filter_map(|r| r.split("points = \"").nth(1)?.split('"').next()?.parse::<f64>().ok())
        .sum();
    let more: f64 = parts
        .split("[[criterion]]")
        .skip(1)
        .filter_map(|r| r.split("points = \"").nth(1)?.split('"').next()?.parse::<f64>().ok())
        .sum();
    format!(
        "format = 1\nid = \"edge-bench\"\nversion = 1\ntitle = \"Edge bench\"\nsummary = \"One rule at a time.\"\n\
         possible = \"{}\"\n[school]\n{school}\n[[bay]]\nid = \"bench\"\ntitle = \"Bench\"\n\
         [[instrument]]\nid = \"rule\"\ntitle = \"rule\"\nunit = \"cm\"\nstep = 0.1\n\
         [[instrument]]\nid = \"bridge\"\ntitle = \"bridge\"\nunit = \"cm\"\nstep = 0.0001\n{parts}\n\
         [[criterion]]\nid = \"calculation\"\ntitle = \"Calculation\"\npoints = \"{points}\"\nrule = \"calculation\"\n",
        points + more
    )
}

/// A reading of the fine bridge, or of the coarse rule.
pub(crate) fn reading(id: &str, with: &str) -> String {
    format!("[[reading]]\nid = \"{id}\"\ntitle = \"{id}\"\nbay = \"bench\"\nunit = \"cm\"\ninstrument = \"{with}\"\n")
}

pub(crate) fn result_of(id: &str, unit: &str, formula: &str) -> String {
    format!(
        "[[result]]\nid = \"{id}\"\ntitle = \"{id}\"\nbay = \"bench\"\nunit = \"{unit}\"\nformula = \"{formula}\"\npoints = \"1\"\n"
    )
}

pub(crate) fn verdict(id: &'static str) -> Look {
    Box::new(move |p, j| {
        let item = p.item(id).expect("an item");
        let all: Vec<&str> = j.results.iter().filter(|r| r.item == item).map(|r| r.verdict.word()).collect();
        all.join(" ")
    })
}

/// Whether a value is taken as right, whatever the reason.
pub(crate) fn right(id: &'static str) -> Look {
    Box::new(move |p, j| match result(p, j, id, None).verdict.word() {
        "agrees" | "rounded" | "carried" => "right".to_owned(),
        _ => "wrong".to_owned(),
    })
}

/// The verdict, and the kind of slip where it is one.
pub(crate) fn named(id: &'static str) -> Look {
    Box::new(move |p, j| {
        let r = result(p, j, id, None);
        match (&r.slip, r.verdict.word()) {
            (Some(s), "slip") => format!("slip {}", s.kind),
            (_, word) => word.to_owned(),
        }
    })
}

pub(crate) fn has(code: &'static str) -> Look {
    Box::new(move |_, j| if codes(j).contains(&code) { "found".to_owned() } else { "not found".to_owned() })
}

pub(crate) fn product() -> String {
    lab("", &(reading("a", "rule") + &reading("b", "rule") + &result_of("area", "cm^2", "a * b")))
}

pub(crate) fn fine(results: &str) -> String {
    lab("", &(reading("a", "bridge") + &reading("b", "bridge") + results))
}

/// What the reviewer reads of the first finding of a kind has this in it.
pub(crate) fn tells(code: &'static str, part: &'static str) -> Look {
    Box::new(move |p, j| {
        let said = finding(j, code).map(|f| jurado_core::wording::says(p, f)).unwrap_or_default();
        if said.contains(part) { "told".to_owned() } else { "not told".to_owned() }
    })
}

/// What a kind of finding costs in all.
pub(crate) fn cost(code: &'static str) -> Look {
    Box::new(move |_, j| {
        let all: rust_decimal::Decimal = j.findings.iter().filter(|f| f.code() == code).map(|f| f.cost).sum();
        all.normalize().to_string()
    })
}

/// Whether the first finding of a kind is fragile.
pub(crate) fn fragile(code: &'static str) -> Look {
    Box::new(move |_, j| match finding(j, code) {
        Some(f) if f.fragile.is_some() => "fragile".to_owned(),
        Some(_) => "firm".to_owned(),
        None => "not found".to_owned(),
    })
}

pub(crate) fn line_of(criterion: &'static str) -> Look {
    Box::new(move |_, j| {
        let line = j.score.lines.iter().find(|l| l.criterion == criterion).expect("a line");
        line.awarded.normalize().to_string()
    })
}

/// A table of rows of the fine bridge with a value worked out in each.
pub(crate) fn rows(count: &str, formula: &str) -> String {
    let table = format!("[[table]]\nid = \"runs\"\ntitle = \"runs\"\nbay = \"bench\"\nrows = {count}\n");
    let read = |id: &str| reading(id, "bridge").replace("bay = \"bench\"", "table = \"runs\"");
    let result = result_of("r", "cm", formula).replace("bay = \"bench\"", "table = \"runs\"");
    table + &read("x") + &read("y") + &result
}

/// A sheet of rows: x, y and what was written for r.
pub(crate) fn filled(rows: &[(&str, &str, &str)]) -> String {
    rows.iter()
        .enumerate()
        .map(|(i, (x, y, r))| {
            let cell = |id: &str, v: &str| {
                if v.is_empty() { String::new() } else { format!("{id} {}: {v} {{unit cm}}\n", i + 1) }
            };
            cell("x", x) + &cell("y", y) + &cell("r", r)
        })
        .collect()
}

/// A criterion besides the calculation.
pub(crate) fn criterion(id: &str, points: &str, rest: &str) -> String {
    format!("[[criterion]]\nid = \"{id}\"\ntitle = \"{id}\"\npoints = \"{points}\"\nrule = \"{id}\"\n{rest}\n")
}

/// Replicates of one reading, their mean, and a criterion of precision.
pub(crate) fn replicates(n: usize, rejection: &str) -> String {
    let spread = "reading = \"a\"\nbands = [{ within = 0.2, points = \"2\" }, { within = 0.5, points = \"1\" }]\noutlier = \"0.5\"";
    let read = reading("a", "rule") + &format!("replicates = {n}\nrejection = {{ by = \"{rejection}\" }}\n");
    lab("", &(read + &result_of("m", "cm", "mean(a)") + &criterion("precision", "2", spread)))
}

pub(crate) fn several(values: &[&str]) -> String {
    values.iter().enumerate().map(|(i, v)| format!("a {}: {v} {{unit cm}}\n", i + 1)).collect()
}

/// How many findings of a kind there are.
pub(crate) fn count(code: &'static str) -> Look {
    Box::new(move |_, j| codes(j).iter().filter(|c| **c == code).count().to_string())
}

/// A curve with its end point: volumes of the fine bridge, a signal of the coarse rule.
pub(crate) fn curve() -> String {
    let table = "[[table]]\nid = \"runs\"\ntitle = \"runs\"\nbay = \"bench\"\nrows = 6\n";
    let read = |id: &str, with: &str| reading(id, with).replace("bay = \"bench\"", "table = \"runs\"");
    let end = result_of("end", "cm", "equivalence(x, y)") + "plus_minus = true\n";
    let rule = criterion("uncertainty", "1", "missing = \"0.5\"\nunfair = \"0.25\"\ndigits = \"0.25\"");
    lab("", &(table.to_owned() + &read("x", "bridge") + &read("y", "rule") + &end + &rule))
}

/// How likely the story of a value is said to be.
pub(crate) fn chance(id: &'static str) -> Look {
    Box::new(move |p, j| {
        let slip = result(p, j, id, None).slip.as_ref();
        slip.map_or_else(|| "none".to_owned(), |s| jurado_core::notation::chance(s.probability))
    })
}
