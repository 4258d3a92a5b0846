//! Every sentence that the labs can give, by rules of plain writing: over the whole library, with classes that make every
//! kind of mistake and write in every style.
#![allow(missing_docs)]

mod common;

use std::collections::BTreeMap;

use jurado_core::judging::judge;
use jurado_core::wording;
use jurado_sim::{Mix, Order};

/// Words of a sentence, without the signs around them.
fn words(text: &str) -> Vec<&str> {
    let signs = |c: char| matches!(c, '.' | ',' | ';' | ':' | '(' | ')' | '“' | '”' | '?' | '!');
    text.split_whitespace().map(|w| w.trim_matches(signs)).filter(|w| !w.is_empty()).collect()
}

/// Figures of a number as it stands in a sentence.
fn figures(word: &str) -> usize {
    let digits: String = word.chars().filter(char::is_ascii_digit).collect();
    digits.trim_start_matches('0').len()
}

/// What is wrong with a sentence, if anything; `typed` are texts of the sheet, which stand in it as they were typed.
fn fault(text: &str, typed: &dyn Fn(&str) -> bool) -> Option<&'static str> {
    let words = words(text);
    let number = |w: &str| w.trim_start_matches(['−', '-', '+']).starts_with(|c: char| c.is_ascii_digit());
    let doubled = words.windows(2).any(|w| w[0] == w[1] && !number(w[0]) && !typed(w[0]) && w[0] != "±");
    let quoted = text.contains('“');
    let long = |w: &&str| number(w) && w.contains('.') && figures(w) > 6 && !typed(w);
    let floats = |w: &&str| number(w) && w.contains(['e', 'E']) && w.parse::<f64>().is_ok() && !typed(w);
    // A sentence may begin with a word such as pH.
    let start: Vec<char> = text.trim_start_matches(['“', '"', '(']).chars().take(2).collect();
    let small = matches!(start[..], [a, b] if a.is_lowercase() && !b.is_uppercase());
    Some(if doubled {
        "a word or a unit twice"
    } else if text.contains("()") || text.contains("“”") || text.contains("( ") {
        "empty brackets"
    } else if text.contains("  ") || text.contains(" .") || text.contains(" ,") {
        "a blank too many"
    } else if text.contains("?.") || text.contains("..") || text.contains(".:") {
        "two stops"
    } else if !quoted && text.split(". ").any(|part| part.matches(": ").count() > 2) {
        "colon upon colon"
    } else if !text.contains("in writing it down") && !text.contains("was meant") && words.iter().any(long) {
        "more than six figures"
    } else if words.iter().any(floats) {
        "a float's notation"
    } else if text.contains("NaN") || text.contains("inf ") {
        "no number"
    } else if small {
        "a small letter at the start"
    } else if text.contains("are −") && text.contains(" too ") {
        "a size below nought"
    } else if [" 1)", " 1;"].iter().any(|unit| text.contains(&format!("0{unit}"))) {
        "the unit 1"
    } else {
        return None;
    })
}

#[test]
fn every_sentence_keeps_the_rules_of_plain_writing() {
    let mut told = 0;
    let mut wrong: BTreeMap<(&str, String), String> = BTreeMap::new();
    for (seed, mix, typing) in [(21, Mix::Even, true), (22, Mix::Pen, false)] {
        let order =
            Order { teams: 12, seed, slips: 0.9, unmodelled: 0.1, troubles: 0.4, mix, typing, ..Order::default() };
        for (name, p, tables) in common::classes(&order) {
            for table in tables {
                let judged = judge(&p, &table, &[], &[]);
                // A ± is told to its own last place, which may be less than was typed.
                let typed = |w: &str| {
                    let w = w.trim_end_matches('…');
                    let comma = w.replace('.', ",");
                    table.cells.iter().any(|c| {
                        [&c.value, &c.plus_minus, &c.unit, &c.excluded]
                            .iter()
                            .any(|t| t.contains(w) || t.contains(&comma))
                    })
                };
                let mut check = |text: String, code: &str| {
                    told += 1;
                    if let Some(what) = fault(&text, &typed) {
                        wrong.entry((what, format!("{name} {code}"))).or_insert(text);
                    }
                };
                for f in &judged.findings {
                    check(wording::says(&p, f), f.code());
                    check(wording::tells(&p, f), f.code());
                    check(wording::brief(&p, f), f.code());
                }
                for (_, text) in wording::sentences(&p, &judged) {
                    check(text, "returned");
                }
                for l in &judged.score.lines {
                    let says = wording::standing(&p, l);
                    check(format!("Line: {says}."), "line");
                }
            }
        }
    }
    assert!(told > 5_000, "{told} sentences");
    let list: Vec<String> = wrong.iter().map(|((what, at), text)| format!("{what} [{at}]: {text}")).collect();
    assert!(list.is_empty(), "{} of {told}:\n{}", list.len(), list.join("\n"));
}
