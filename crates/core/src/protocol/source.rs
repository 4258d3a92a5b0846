//! The TOML file as written. Unknown names are refused, and whatever can be wrong keeps its place.

use rust_decimal::Decimal;
use serde::{Deserialize, Deserializer, de};
use std::collections::BTreeMap;
use toml::Spanned;

pub(super) type Text = Spanned<String>;

/// A decimal exactly as written: `"0.25"`, `0.25` or `1`.
#[derive(Clone, Copy, Debug)]
pub(super) struct Exact(pub(super) Decimal);

impl<'de> Deserialize<'de> for Exact {
    fn deserialize<D: Deserializer<'de>>(deserializer: D) -> Result<Self, D::Error> {
        struct Visit;
        impl de::Visitor<'_> for Visit {
            type Value = Exact;
            fn expecting(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
                f.write_str("a decimal number such as 0.5")
            }
            fn visit_i64<E: de::Error>(self, v: i64) -> Result<Exact, E> {
                Ok(Exact(v.into()))
            }
            fn visit_f64<E: de::Error>(self, v: f64) -> Result<Exact, E> {
                // The shortest text of the float is what was written.
                self.visit_str(&v.to_string())
            }
            fn visit_str<E: de::Error>(self, v: &str) -> Result<Exact, E> {
                v.trim().parse().map(Exact).map_err(|_| E::custom(format!("`{v}` is no decimal number")))
            }
        }
        deserializer.deserialize_any(Visit)
    }
}

/// A number kept with its place.
pub(super) type Number = Spanned<f64>;

#[derive(Deserialize)]
#[serde(deny_unknown_fields)]
pub(super) struct File {
    pub(super) format: Spanned<u32>,
    pub(super) id: Text,
    pub(super) version: u32,
    pub(super) title: String,
    pub(super) summary: String,
    pub(super) possible: Spanned<Exact>,
    pub(super) school: Option<School>,
    #[serde(default)]
    pub(super) caution: Vec<String>,
    #[serde(default)]
    pub(super) bay: Vec<Bay>,
    #[serde(default)]
    pub(super) key: Vec<Key>,
    #[serde(default)]
    pub(super) instrument: Vec<Instrument>,
    #[serde(default)]
    pub(super) reading: Vec<Reading>,
    #[serde(default)]
    pub(super) reference: Vec<Reference>,
    #[serde(default)]
    pub(super) result: Vec<ResultSpec>,
    #[serde(default)]
    pub(super) cause: Vec<Cause>,
    #[serde(default)]
    pub(super) criterion: Vec<Criterion>,
}

#[derive(Deserialize)]
#[serde(deny_unknown_fields)]
pub(super) struct School {
    pub(super) confidence: Option<Spanned<u32>>,
    pub(super) coverage_factor: Option<Number>,
    pub(super) figure_tolerance: Option<i32>,
}

#[derive(Deserialize)]
#[serde(deny_unknown_fields)]
pub(super) struct Bay {
    pub(super) id: Text,
    pub(super) title: String,
}

#[derive(Deserialize)]
#[serde(deny_unknown_fields)]
pub(super) struct Key {
    pub(super) id: Text,
    pub(super) title: String,
    pub(super) values: Spanned<Vec<String>>,
}

#[derive(Deserialize)]
#[serde(deny_unknown_fields)]
pub(super) struct Instrument {
    pub(super) id: Text,
    pub(super) title: String,
    pub(super) unit: Text,
    pub(super) step: Number,
    pub(super) limit: Option<Number>,
    #[serde(default)]
    pub(super) limit_shared: bool,
    #[serde(default)]
    pub(super) notes: Vec<String>,
}

#[derive(Deserialize)]
#[serde(deny_unknown_fields)]
pub(super) struct Reading {
    pub(super) id: Text,
    pub(super) title: String,
    pub(super) symbol: String,
    pub(super) bay: Text,
    pub(super) unit: Text,
    pub(super) instrument: Text,
    pub(super) replicates: Option<Spanned<u32>>,
    pub(super) plausible: Option<Spanned<[f64; 2]>>,
    pub(super) shape: Option<Text>,
    #[serde(default)]
    pub(super) zero: bool,
}

#[derive(Deserialize)]
#[serde(deny_unknown_fields)]
pub(super) struct Reference {
    pub(super) id: Text,
    pub(super) title: String,
    pub(super) symbol: String,
    pub(super) unit: Text,
    pub(super) source: Spanned<String>,
    pub(super) key: Option<Text>,
    pub(super) value: Option<Number>,
    pub(super) range: Option<Spanned<[f64; 2]>>,
    #[serde(default)]
    pub(super) at: BTreeMap<Spanned<String>, ReferenceAt>,
}

#[derive(Deserialize)]
#[serde(deny_unknown_fields)]
pub(super) struct ReferenceAt {
    #[serde(default)]
    pub(super) says: String,
    pub(super) value: Option<Number>,
    pub(super) range: Option<Spanned<[f64; 2]>>,
}

#[derive(Deserialize)]
#[serde(deny_unknown_fields)]
pub(super) struct ResultSpec {
    pub(super) id: Text,
    pub(super) title: String,
    #[serde(default)]
    pub(super) symbol: String,
    pub(super) bay: Text,
    pub(super) unit: Text,
    pub(super) formula: Text,
    pub(super) points: Spanned<Exact>,
    #[serde(default)]
    pub(super) plus_minus: bool,
    pub(super) shape: Option<Text>,
}

#[derive(Deserialize)]
#[serde(deny_unknown_fields)]
pub(super) struct Cause {
    pub(super) id: String,
    pub(super) on: Vec<Text>,
    pub(super) direction: Text,
    pub(super) says: String,
    #[serde(default)]
    pub(super) words: Vec<String>,
    #[serde(default)]
    pub(super) advice: String,
}

#[derive(Deserialize)]
#[serde(deny_unknown_fields)]
pub(super) struct Band {
    pub(super) within: Number,
    pub(super) points: Exact,
}

#[derive(Deserialize)]
#[serde(deny_unknown_fields)]
pub(super) struct Criterion {
    pub(super) id: Text,
    pub(super) title: String,
    pub(super) points: Spanned<Exact>,
    pub(super) rule: Text,
    pub(super) share: Option<Exact>,
    #[serde(default)]
    pub(super) shares: BTreeMap<String, Exact>,
    pub(super) each: Option<Exact>,
    pub(super) result: Option<Text>,
    pub(super) reference: Option<Text>,
    pub(super) reading: Option<Text>,
    #[serde(default)]
    pub(super) bands: Vec<Band>,
    pub(super) outlier: Option<Exact>,
    pub(super) missing: Option<Exact>,
    pub(super) unfair: Option<Exact>,
    pub(super) digits: Option<Exact>,
}
