//! Classes to practise on: tables with planted acts, by lab and difficulty, each with its truth.

use jurado_core::finding::{Key, Kind};
use jurado_core::judging::judge;
use jurado_core::practice::{Known, Lent, Planted, Pushed, Truth};
use jurado_core::protocol::Protocol;
use jurado_core::row::Row;
use jurado_core::submission::Submission;
use rust_decimal::Decimal;
use serde::{Deserialize, Serialize};

use crate::class::{Lab, Mix, Order};
use crate::truth::TableTruth;

/// How hard a class is.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case")]
pub enum Level {
    /// What happens most, plainly typed: a unit, a radius for a diameter, a term left out.
    Plain,
    /// As a class is: everything as often as it happens, typed as people type.
    Usual,
    /// What happens rarely: each kind as often as any other, a third of it without a name, and the apparatus of a station that is off.
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
        let faults: Vec<String> = match level {
            Level::Rare => self.faults().map(|(id, _)| id.to_owned()).take(1).collect(),
            _ => Vec::new(),
        };
        let lent = self.lent(seed, &faults);
        let class = self.simulate(&Order {
            seed,
            slips,
            unmodelled,
            mix,
            troubles,
            typing: level != Level::Plain,
            faults,
            ..class_of_practice()
        });
        let truths = class.truth.tables;
        class
            .tables
            .into_iter()
            .zip(truths)
            .zip(lent)
            .map(|((table, truth), lent)| {
                let truth = truth_of(&self.protocol, &table, &truth, &lent);
                (table, truth)
            })
            .collect()
    }

    /// What of each table is the apparatus of its station's: where accuracy costs more with a fault than without, in tables in
    /// which nothing else is the matter. What a team reads hangs on the seed and the fault alone.
    fn lent(&self, seed: u64, faults: &[String]) -> Vec<Vec<Lent>> {
        let says: String =
            self.faults().filter(|(id, _)| faults.iter().any(|f| f == id)).map(|(_, says)| says).collect();
        let costs = |faults: Vec<String>| -> Vec<Vec<(Key, Decimal)>> {
            let order = Order { seed, slips: 0.0, troubles: 0.0, typing: false, faults, ..class_of_practice() };
            let accuracy = |table: &Submission| {
                let judged = judge(&self.protocol, table, &[], &[]);
                let of = judged.findings.into_iter().filter(|f| matches!(f.kind, Kind::Accuracy(_)));
                of.map(|f| (f.key, f.cost)).collect()
            };
            self.simulate(&order).tables.iter().map(accuracy).collect()
        };
        if faults.is_empty() {
            return vec![Vec::new(); TABLES];
        }
        let (with, without) = (costs(faults.to_vec()), costs(Vec::new()));
        with.into_iter()
            .zip(without)
            .map(|(with, without)| {
                let sound = |key: &Key| without.iter().find(|(k, _)| k == key).map_or(Decimal::ZERO, |(_, c)| *c);
                with.into_iter()
                    .map(|(key, cost)| (sound(&key), key, cost))
                    .filter(|(sound, _, cost)| sound < cost)
                    .map(|(costs, key, _)| Lent { key, costs, says: says.clone() })
                    .collect()
            })
            .collect()
    }
}

/// What every class to practise on has.
fn class_of_practice() -> Order {
    Order {
        sections: vec!["Practice".to_owned()],
        teams: TABLES,
        names: (1..=TABLES).map(|n| format!("Table {n}")).collect(),
        ..Order::default()
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
pub fn truth_of(protocol: &Protocol, table: &Submission, truth: &TableTruth, lent: &[Lent]) -> Truth {
    let planted = truth.planted.first().and_then(|p| {
        Some(Planted {
            item: protocol.item(&p.item)?,
            row: p.row.and_then(Row::numbered),
            kind: (p.kind != "unmodelled").then(|| p.kind.clone()),
            reading: p.reading.as_ref().and_then(|r| protocol.item(r)),
            follows: p.follows.iter().filter_map(|f| protocol.item(f)).collect(),
            meant: truth
                .meant
                .iter()
                .map(|m| (Key::Cell { item: m.item.clone(), row: m.row.and_then(Row::numbered) }, m.text.clone()))
                .collect(),
            says: in_titles(protocol, &p.says),
            costs: Decimal::try_from(p.costs).unwrap_or_default().round_dp(2),
        })
    });
    let pushed: Vec<Pushed> = truth
        .outliers
        .iter()
        .filter_map(|o| {
            Some(Pushed { item: protocol.item(&o.item)?, row: Row::numbered(o.row)?, excluded: o.excluded })
        })
        .collect();
    Truth::planted(protocol, table, &Known { planted: planted.as_ref(), pushed: &pushed, lent })
}
