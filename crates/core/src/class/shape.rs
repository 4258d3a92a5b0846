//! What is written of a class, member by member: the parts of the JSON object of [`super::ClassReport`].
//!
//! Names of members are those of the files that programs of others read: they stay as they are.

use serde::Serialize;

/// One result by one grouping.
#[derive(Serialize)]
pub(super) struct ResultOf<'a> {
    /// Id of the result.
    pub(super) id: &'a str,
    /// As it is called.
    pub(super) title: String,
    /// Unit of the values.
    pub(super) unit: &'a str,
    /// `section`, `reviewer`, or the id of a key.
    pub(super) by: String,
    /// On what teams are placed: `unit`, `percent`, `apart` or `spreads`.
    pub(super) scale: &'static str,
    /// Whether effects are shares.
    pub(super) relative: bool,
    /// Its ends, on the scale; null without one.
    pub(super) reference: Option<[f64; 2]>,
    /// Robust centre and spread of all teams; null where nobody has a value.
    pub(super) consensus: Option<RobustOf>,
    /// Tables that are in none of the numbers.
    pub(super) without: usize,
    /// Groups, in the order of their names.
    pub(super) groups: Vec<GroupOf>,
    /// Teams, in the order of the class.
    pub(super) teams: Vec<TeamOf<'a>>,
    /// Sections as laboratories; null for fewer than three.
    pub(super) mandel: Option<MandelOf>,
    /// Test of the widest section; null for fewer than two.
    pub(super) cochran: Option<CochranOf>,
}

/// Robust centre and spread.
#[derive(Serialize)]
pub(super) struct RobustOf {
    /// x*, by Algorithm A.
    pub(super) centre: f64,
    /// s*, never below δ/√12.
    pub(super) spread: f64,
    /// Standard uncertainty of the centre.
    pub(super) uncertainty: f64,
    /// How many teams went into it.
    pub(super) count: usize,
}

/// Teams of one station, section or reviewer.
#[derive(Serialize)]
pub(super) struct GroupOf {
    /// Its name; empty where tables name none.
    pub(super) name: String,
    /// Of its teams, on the scale.
    pub(super) median: f64,
    /// Its own consensus, in the result's unit.
    pub(super) own: RobustOf,
    /// Null where groups measure different things.
    pub(super) effect: Option<EffectOf>,
}

/// What a group does.
#[derive(Serialize)]
pub(super) struct EffectOf {
    /// Median deviation of its teams, as a share or in the unit.
    pub(super) effect: f64,
    /// The same on the scale.
    pub(super) on_scale: f64,
    /// What it is held against: three standard errors.
    pub(super) limit: f64,
    /// The effect in its standard errors.
    pub(super) in_errors: f64,
    /// Teams of the group.
    pub(super) teams: usize,
    /// Teams on the effect's side.
    pub(super) on_side: usize,
    /// Whether it is told as one.
    pub(super) named: bool,
}

/// One team's value.
#[derive(Serialize)]
pub(super) struct TeamOf<'a> {
    /// Section of the team, as it is named in the class.
    pub(super) section: &'a str,
    /// Team within its section.
    pub(super) team: &'a str,
    /// Group of the team, where a class is parted by station, section or reviewer.
    pub(super) group: String,
    /// In the result's unit.
    pub(super) value: f64,
    /// On the scale.
    pub(super) placed: f64,
    /// Distance from the consensus in robust spreads.
    pub(super) z: f64,
    /// Whether that is more than three.
    pub(super) apart: bool,
}

/// Mandel's h and k over sections.
#[derive(Serialize)]
pub(super) struct MandelOf {
    /// At 5 % and at 1 %.
    pub(super) h_limits: [f64; 2],
    /// A section each.
    pub(super) sections: Vec<MandelRowOf>,
}

/// Mandel's figures of one section.
#[derive(Serialize)]
pub(super) struct MandelRowOf {
    /// Name of the section whose h and k stand here.
    pub(super) section: String,
    /// How many of its teams have the result.
    pub(super) count: usize,
    /// Mean of its teams.
    pub(super) mean: f64,
    /// How far its mean stands from the mean of means.
    pub(super) h: f64,
    /// Its spread over the pooled one; null for a section of one team.
    pub(super) k: Option<f64>,
    /// At 5 % and at 1 %, for its size.
    pub(super) k_limits: Option<[f64; 2]>,
}

/// Cochran's test of the largest variance.
#[derive(Serialize)]
pub(super) struct CochranOf {
    /// The section with the largest variance.
    pub(super) section: String,
    /// The largest variance over the sum of all.
    pub(super) statistic: f64,
    /// Its limit at 5 %.
    pub(super) critical: f64,
}

/// A result in words over the class.
#[derive(Serialize)]
pub(super) struct WordsOf<'a> {
    /// Id of the result.
    pub(super) id: &'a str,
    /// As it is called.
    pub(super) title: String,
    /// Words with how often they were given.
    pub(super) shares: Vec<ShareOf>,
}

/// One word of a result.
#[derive(Serialize)]
pub(super) struct ShareOf {
    /// Row, from 1; null for a single word.
    pub(super) row: Option<u32>,
    /// A word of the lab's list that teams chose.
    pub(super) word: String,
    /// Tables with the word.
    pub(super) count: usize,
    /// Tables with any.
    pub(super) of: usize,
    /// Whether it is the right one; null where nothing says so.
    pub(super) right: Option<bool>,
}

/// What one group shares and others do not.
#[derive(Serialize)]
pub(super) struct TaughtOf {
    /// As a ruling would name it.
    pub(super) pattern: String,
    /// In words.
    pub(super) says: String,
    /// By what the class was grouped.
    pub(super) by: String,
    /// The group.
    pub(super) group: String,
    /// Tables of the group that have it, and tables of the group.
    pub(super) here: (usize, usize),
    /// The same of all others.
    pub(super) elsewhere: (usize, usize),
    /// Of so many here by chance, times the comparisons made.
    pub(super) chance: f64,
}

/// What many got wrong.
#[derive(Serialize)]
pub(super) struct FrequentOf {
    /// As a ruling would name it.
    pub(super) pattern: String,
    /// In words.
    pub(super) says: String,
    /// Tables that have it.
    pub(super) tables: usize,
    /// Sections in which it is.
    pub(super) sections: usize,
    /// What to say about it.
    pub(super) say: String,
}

/// Two tables with the same readings.
#[derive(Serialize)]
pub(super) struct SharedOf<'a> {
    /// One of the two tables.
    pub(super) one: Table<'a>,
    /// The table that shares them; each pair is told once.
    pub(super) other: Table<'a>,
    /// Cells that both have.
    pub(super) cells: usize,
    /// Of these, typed alike.
    pub(super) alike: usize,
    /// Of so many by chance, times the pairs.
    pub(super) chance: f64,
}

/// A table by its names.
#[derive(Serialize)]
pub(super) struct Table<'a> {
    /// Section in which the table was handed in.
    pub(super) section: &'a str,
    /// Team within its section.
    pub(super) team: &'a str,
}
