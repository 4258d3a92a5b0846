//! The demo class: six watches of Tarn Sound Harbour College, fourteen teams each, eight labs, and two of the week before.

use crate::Simulated;
use crate::class::{Class, Lab, Order};
use crate::keel_plate;
use crate::person::{Person, Plant};
use crate::random::Chance;
use jurado_core::submission::Submission;

/// Sections of the demo with their teams.
pub const DEMO_SECTIONS: [(&str, [&str; 14]); 6] = [
    (
        "Morning",
        [
            "Alfa", "Bittern", "Charlie", "Curlew", "Delta", "Dunlin", "Echo", "Eider", "Foxtrot", "Fulmar", "Golf",
            "Gannet", "Avocet", "Bravo",
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
            "Juliett",
            "Brambling",
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
            "Tango",
            "Chough",
        ],
    ),
    (
        "Afternoon",
        [
            "Bunting",
            "Buzzard",
            "Coot",
            "Cormorant",
            "Crake",
            "Crossbill",
            "Dipper",
            "Dotterel",
            "Egret",
            "Firecrest",
            "Gadwall",
            "Garganey",
            "Uniform",
            "Victor",
        ],
    ),
    (
        "Last Dog",
        [
            "Godwit",
            "Goldcrest",
            "Goosander",
            "Grebe",
            "Greenshank",
            "Guillemot",
            "Harrier",
            "Hobby",
            "Hoopoe",
            "Kestrel",
            "Kingfisher",
            "Linnet",
            "Lark",
            "Yankee",
        ],
    ),
    (
        "Evening",
        [
            "Mallard",
            "Martin",
            "Moorhen",
            "Nightjar",
            "Nuthatch",
            "Oriole",
            "Ouzel",
            "Owl",
            "Partridge",
            "Pintail",
            "Pipit",
            "Pochard",
            "Razorbill",
            "Xray",
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
    /// Its tables, in order.
    pub fn tables(&self) -> Vec<Submission> {
        self.class.iter().map(|t| t.submission.clone()).collect()
    }
}

/// Sections and teams in which every verdict and each diagnosis of the keel plate is planted once.
const PLANTED: (usize, usize) = (3, 12);

/// Makes the demo's keel plates from a seed.
pub fn demo_class(seed: u64) -> Demo {
    let mut chance = Chance::new(seed);
    let mut class = Vec::new();
    for (s, (section, teams)) in DEMO_SECTIONS.iter().enumerate().take(PLANTED.0) {
        for (t, team) in teams.iter().enumerate().take(PLANTED.1) {
            let plant = PLANTS[(s * PLANTED.1 + t) % PLANTS.len()];
            class.push(table(plant, (t + s) % 5 + 1, section, team, &mut chance));
        }
    }
    // The others have fewer mistakes: mostly right tables, as a class has.
    for (s, (section, teams)) in DEMO_SECTIONS.iter().enumerate() {
        for (t, team) in teams.iter().enumerate().filter(|(t, _)| s >= PLANTED.0 || *t >= PLANTED.1) {
            let plant = if (s + t) % 3 == 0 { PLANTS[(s * 7 + t * 5) % PLANTS.len()] } else { Plant::None };
            class.push(table(plant, (t + s) % 5 + 1, section, team, &mut chance));
        }
    }
    Demo { class }
}

/// Labs of the demo beside the keel plate, in the order a term takes them.
pub const DEMO_LABS: [&str; 7] =
    ["shackle-count", "hatch-ram", "davit-balance", "fog-pipe", "beacon-timer", "reflector", "rust-iron"];

/// Labs of the week before: the demo's reviewers have decided and signed them.
pub const DEMO_REVIEWED: [&str; 2] = ["bell-pendulum", "port-lens"];

/// The demo's class of another lab: one has a fault at a station, one a section that was taught a wrong thing, one two
/// teams that share a table.
pub fn demo_lab(lab: &Lab, seed: u64) -> Class {
    let id = lab.protocol.id.as_str();
    lab.simulate(&Order {
        sections: DEMO_SECTIONS.iter().map(|(s, _)| (*s).to_owned()).collect(),
        teams: 14,
        names: DEMO_SECTIONS.iter().flat_map(|(_, teams)| teams.iter().map(|t| (*t).to_owned())).collect(),
        seed,
        slips: 0.3,
        unmodelled: 0.1,
        troubles: 0.08,
        faults: if id == "beacon-timer" { vec!["leaky-capacitor".to_owned()] } else { Vec::new() },
        habits: if id == "rust-iron" { vec![("Last Dog".to_owned(), "one-pipette".to_owned())] } else { Vec::new() },
        copies: if id == "hatch-ram" { vec![("Afternoon".to_owned(), 9, 4)] } else { Vec::new() },
        ..Order::default()
    })
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
