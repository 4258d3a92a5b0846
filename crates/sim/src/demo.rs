//! The demo class: three watches of Tarn Sound Harbour College, twelve teams each, one lab.

use crate::keel_plate;
use crate::person::{Person, Plant};
use crate::random::Chance;
use crate::{Simulated, to_csv};

/// Sections of the demo with their teams.
pub const DEMO_SECTIONS: [(&str, [&str; 12]); 3] = [
    (
        "Morning",
        [
            "Alfa", "Bittern", "Charlie", "Curlew", "Delta", "Dunlin", "Echo", "Eider", "Foxtrot", "Fulmar", "Golf",
            "Gannet",
        ],
    ),
    (
        "Forenoon",
        [
            "Heron",
            "Hotel",
            "India",
            "Kilo",
            "Kittiwake",
            "Knot",
            "Lapwing",
            "Lima",
            "Merlin",
            "Mike",
            "November",
            "Oscar",
        ],
    ),
    (
        "First Dog",
        [
            "Osprey",
            "Papa",
            "Petrel",
            "Plover",
            "Quebec",
            "Redshank",
            "Romeo",
            "Sierra",
            "Tern",
            "Turnstone",
            "Whiskey",
            "Zulu",
        ],
    ),
];

/// What is planted where, in the order of sections and teams: every verdict, each diagnosis, and right tables between.
const PLANTS: [Plant; 36] = [
    Plant::None,
    Plant::DiameterAsRadius,
    Plant::CommaTypist,
    Plant::ChordKept,
    Plant::None,
    Plant::QuotientUpsideDown,
    Plant::ChainedRounding,
    Plant::MissingReplicate,
    Plant::ZeroForgotten,
    Plant::None,
    Plant::PlusMinusTooSmall,
    Plant::DigitsSwapped,
    Plant::LeftInCubicMillimetres,
    Plant::None,
    Plant::DividedByFour,
    Plant::CutOff,
    Plant::UnreadableCell,
    Plant::DecimalPoint,
    Plant::TwoSlips,
    Plant::ShortPi,
    Plant::LeftOutUnexplained,
    Plant::None,
    Plant::MissingMass,
    Plant::OtherStation,
    Plant::Muddled,
    Plant::SquareForgotten,
    Plant::ChordLeftOut,
    Plant::None,
    Plant::CalculatorDump,
    Plant::PiForgotten,
    Plant::NoPlusMinus,
    Plant::SumForMean,
    Plant::NoUnits,
    Plant::ShortReadings,
    Plant::MissingResult,
    Plant::ZeroAdded,
];

/// The demo's tables with their truth.
#[derive(Clone, Debug)]
pub struct Demo {
    /// Tables.
    pub class: Vec<Simulated>,
}

impl Demo {
    /// The long CSV of one section.
    pub fn section_csv(&self, section: &str) -> String {
        let tables: Vec<Simulated> = self.class.iter().filter(|t| t.section == section).cloned().collect();
        to_csv(&tables)
    }

    /// The long CSV of the whole class.
    pub fn csv(&self) -> String {
        to_csv(&self.class)
    }
}

/// Makes the demo's class from a seed.
pub fn demo_class(seed: u64) -> Demo {
    let mut chance = Chance::new(seed);
    let mut class = Vec::new();
    for (s, (section, teams)) in DEMO_SECTIONS.iter().enumerate() {
        for (t, team) in teams.iter().enumerate() {
            let plant = PLANTS[(s * teams.len() + t) % PLANTS.len()];
            let station = (t + s) % 5 + 1;
            class.push(table(plant, station, section, team, &mut chance));
        }
    }
    Demo { class }
}

/// One table with one plant.
pub(crate) fn table(plant: Plant, station: usize, section: &str, team: &str, chance: &mut Chance) -> Simulated {
    let readings = keel_plate::read(station, chance);
    let submission = Person { plant, station, chance }.work(section, team, readings);
    let (word, slip, item) = plant.truth();
    Simulated {
        submission,
        section: section.to_owned(),
        team: team.to_owned(),
        plant: word,
        slip: slip.map(str::to_owned),
        item: item.map(str::to_owned),
    }
}

/// A class of right tables or of one plant, for measuring.
pub fn class_of(plant: Plant, tables: usize, seed: u64) -> Vec<Simulated> {
    let mut chance = Chance::new(seed);
    (0..tables).map(|n| table(plant, n % 5 + 1, "Morning", &format!("Team {}", n + 1), &mut chance)).collect()
}
