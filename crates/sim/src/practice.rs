//! Classes to practise on: tables with planted acts, by lab and difficulty, each with its truth.

use jurado_core::finding::Key;
use jurado_core::practice::{Planted, Pushed, Truth};
use jurado_core::protocol::Protocol;
use jurado_core::submission::Submission;
use rust_decimal::Decimal;
use serde::{Deserialize, Serialize};

use crate::class::{Lab, Mix, Order, TableTruth};

/// How hard a class is.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case")]
pub enum Level {
    /// What happens most, plainly typed: a unit, a radius for a diameter, a term left out.
    Plain,
    /// As a class is: everything as often as it happens, typed as people type.
    Usual,
    /// What happens rarely: each kind as often as any other, and a third of it without a name.
    Rare,
}

impl Level {
    /// All of them, easiest first.
    pub const ALL: [Level; 3] = [Level::Plain, Level::Usual, Level::Rare];

    /// Its word.
    pub fn word(self) -> &'static str {
        match self {
            Level::Plain => "plain",
            Level::Usual => "usual",
            Level::Rare => "rare",
        }
    }

    /// Its name for those who choose.
    pub fn title(self) -> &'static str {
        match self {
            Level::Plain => "what happens most",
            Level::Usual => "as a class is",
            Level::Rare => "what happens rarely",
        }
    }

    /// The level of a word.
    pub fn of(word: &str) -> Option<Level> {
        Level::ALL.into_iter().find(|l| l.word() == word)
    }
}

/// Tables of a practice class.
pub const TABLES: usize = 16;

impl Lab {
    /// A class to practise on, the same for the same seed: about a third of its tables have nothing planted.
    pub fn practice(&self, level: Level, seed: u64) -> Vec<(Submission, Truth)> {
        let (slips, unmodelled, mix, troubles) = match level {
            Level::Plain => (0.65, 0.0, Mix::Usual, 0.15),
            Level::Usual => (0.65, 0.15, Mix::Pen, 0.3),
            Level::Rare => (0.7, 0.33, Mix::Even, 0.35),
        };
        let class = self.simulate(&Order {
            sections: vec!["Practice".to_owned()],
            teams: TABLES,
            names: (1..=TABLES).map(|n| format!("Table {n}")).collect(),
            seed,
            slips,
            unmodelled,
            mix,
            troubles,
            typing: level != Level::Plain,
            ..Order::default()
        });
        let truths = class.truth.tables;
        class
            .tables
            .into_iter()
            .zip(truths)
            .map(|(table, truth)| {
                let truth = truth_of(&self.protocol, &table, &truth);
                (table, truth)
            })
            .collect()
    }
}

/// A sentence about a formula, with the titles of its items in place of their ids.
fn in_titles(protocol: &Protocol, says: &str) -> String {
    let mut out = String::with_capacity(says.len());
    let mut word = String::new();
    for c in says.chars().chain([' ']) {
        if c.is_alphanumeric() || c == '_' {
            word.push(c);
            continue;
        }
        match protocol.item(&word) {
            Some(item) => out += &format!("“{}”", protocol.items[item].title),
            None => out += &word,
        }
        word.clear();
        out.push(c);
    }
    out.trim_end().to_owned()
}

/// The truth of a simulated table, in the judge's terms.
pub fn truth_of(protocol: &Protocol, table: &Submission, truth: &TableTruth) -> Truth {
    let planted = truth.planted.first().and_then(|p| {
        Some(Planted {
            item: protocol.item(&p.item)?,
            row: p.row,
            kind: (p.kind != "unmodelled").then(|| p.kind.clone()),
            reading: p.reading.as_ref().and_then(|r| protocol.item(r)),
            follows: p.follows.iter().filter_map(|f| protocol.item(f)).collect(),
            meant: truth
                .meant
                .iter()
                .map(|m| (Key::Cell { item: m.item.clone(), row: m.row }, m.text.clone()))
                .collect(),
            says: in_titles(protocol, &p.says),
            costs: Decimal::try_from(p.costs).unwrap_or_default().round_dp(2),
        })
    });
    let pushed: Vec<Pushed> = truth
        .outliers
        .iter()
        .filter_map(|o| Some(Pushed { item: protocol.item(&o.item)?, row: o.row, excluded: o.excluded }))
        .collect();
    Truth::planted(protocol, table, planted.as_ref(), &pushed)
}
