//! Who there is: sections and their teams. Without a roster every name is taken.

use std::collections::{BTreeMap, BTreeSet};

/// Sections and their teams.
#[derive(Clone, Debug, Default)]
pub struct Roster {
    /// Teams by section.
    pub sections: BTreeMap<String, BTreeSet<String>>,
    /// Sections that whoever hands in may hand in for; `None` for all.
    pub allowed: Option<BTreeSet<String>>,
}

impl Roster {
    /// What speaks against a section and a team: a stable word, what, and how to mend it.
    pub fn objection(&self, section: &str, team: &str) -> Option<(&'static str, String, String)> {
        let Some(teams) = self.sections.get(section) else {
            let known: Vec<&str> = self.sections.keys().map(String::as_str).collect();
            return Some((
                "unknown-section",
                format!("there is no section `{section}`"),
                format!("it may be {}", list(&known)),
            ));
        };
        if self.allowed.as_ref().is_some_and(|a| !a.contains(section)) {
            return Some((
                "other-section",
                format!("the section `{section}` is not one of yours"),
                "ask its reviewer or the coordinator to hand it in".to_owned(),
            ));
        }
        if !teams.contains(team) {
            let known: Vec<&str> = teams.iter().map(String::as_str).collect();
            return Some((
                "unknown-team",
                format!("there is no team `{team}` in {section}"),
                format!("its teams are {}", list(&known)),
            ));
        }
        None
    }
}

fn list(names: &[&str]) -> String {
    if names.is_empty() {
        return "none yet; ask the coordinator to add it".to_owned();
    }
    let shown = names.len().min(20);
    let more = if names.len() > shown { format!(" and {} more", names.len() - shown) } else { String::new() };
    names[..shown].join(", ") + &more
}
