//! What a section sets for a lab: parameters, items left out, and where its readings come from.

use std::collections::BTreeMap;

use serde::{Deserialize, Serialize};

use crate::protocol::Protocol;

/// A section's settings for one lab. The default asks for everything and takes the readings as the
/// team's own.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize)]
#[serde(default, deny_unknown_fields)]
pub struct Section {
    /// Values of parameters by id.
    pub parameters: BTreeMap<String, f64>,
    /// Items left out, each with its reason.
    pub waivers: Vec<Waiver>,
    /// Criteria switched on, of those a protocol leaves to the course.
    pub criteria: Vec<String>,
    /// Where the readings come from.
    pub readings: Source,
    /// The issued values, where they were issued or shown.
    pub issued: Vec<Issued>,
    /// Known repeatability of readings by id, in their unit, pooled over many teams
    /// ([`crate::class::pooled_repeatability`]); a reading whose protocol names a school keeps
    /// that.
    pub repeatability: BTreeMap<String, f64>,
    /// The formula that a result is taught by, by its id: the name of one of its schools or
    /// declared slips.
    #[serde(skip_serializing_if = "BTreeMap::is_empty")]
    pub schools: BTreeMap<String, String>,
    /// Values of constants by id, in their unit, where another one is taught than the protocol has.
    #[serde(skip_serializing_if = "BTreeMap::is_empty")]
    pub constants: BTreeMap<String, f64>,
}

/// An item left out for a section.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct Waiver {
    /// Id of a reading or result.
    pub item: String,
    /// Why the section leaves it out.
    pub reason: String,
}

/// Where a section's readings come from.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case")]
pub enum Source {
    /// Each team measured.
    #[default]
    Own,
    /// Everybody got the same numbers.
    Issued,
    /// Everybody read the same display.
    Shown,
}

/// A value that was issued or shown.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct Issued {
    /// Id of a reading.
    pub item: String,
    /// Row, from 1.
    #[serde(default)]
    pub row: Option<u32>,
    /// Value in the protocol's unit.
    pub value: f64,
}

impl Section {
    /// The first name in the settings that the protocol does not know, with what it should be.
    ///
    /// # Example
    /// ```
    /// use jurado_core::example::lab;
    /// use jurado_core::section::Section;
    /// let mut section = Section::default();
    /// assert_eq!(section.unknown(&lab()), None);
    /// section.parameters.insert("girht".into(), 94.0);
    /// assert_eq!(section.unknown(&lab()).map(|(_, name)| name), Some("girht"));
    /// ```
    pub fn unknown(&self, protocol: &Protocol) -> Option<(&'static str, &str)> {
        let unknown = |id: &&String| protocol.item(id).is_none();
        let criterion = |id: &&String| protocol.criteria.iter().all(|c| c.id != **id);
        let waived = self.waivers.iter().map(|w| &w.item).find(unknown).map(|n| ("reading or result", n));
        let switched = || self.criteria.iter().find(criterion).map(|n| ("criterion", n));
        let set = || self.parameters.keys().find(unknown).map(|n| ("parameter", n));
        let pooled = || self.repeatability.keys().find(unknown).map(|n| ("reading", n));
        let constant = |id: &&String| protocol.item(id).is_none_or(|i| !protocol.may_set(i));
        let taken = || self.constants.keys().find(constant).map(|n| ("constant", n));
        let taught = || {
            let unknown = self.schools.iter().find(|(id, name)| protocol.school_named(id, name).is_none());
            unknown.map(|(_, name)| ("school", name))
        };
        let of = waived.or_else(switched).or_else(set).or_else(pooled).or_else(taken).or_else(taught);
        of.map(|(what, name)| (what, name.as_str()))
    }

    /// Why an item is left out, if it is.
    ///
    /// # Example
    /// ```
    /// use jurado_core::section::{Section, Waiver};
    /// let mut section = Section::default();
    /// section.waivers.push(Waiver { item: "height".into(), reason: "the ladder was in use".into() });
    /// assert_eq!(section.waived("height"), Some("the ladder was in use"));
    /// assert_eq!(section.waived("girth"), None);
    /// ```
    pub fn waived(&self, item: &str) -> Option<&str> {
        self.waivers.iter().find(|w| w.item == item).map(|w| w.reason.as_str())
    }

    /// The value issued for a cell.
    ///
    /// # Example
    /// ```
    /// use jurado_core::section::{Issued, Section};
    /// let issued = vec![Issued { item: "height".into(), row: None, value: 120.0 }];
    /// let section = Section { issued, ..Section::default() };
    /// assert_eq!((section.issued("height", None), section.issued("girth", Some(1))), (Some(120.0), None));
    /// ```
    pub fn issued(&self, item: &str, row: Option<u32>) -> Option<f64> {
        self.issued.iter().find(|i| i.item == item && i.row == row).map(|i| i.value)
    }
}
