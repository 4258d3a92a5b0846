//! What a list shows of a table: the mark, the sentence, what it waits for as a ruling would know it, how many things are
//! open, the points, and those that hang.
#![allow(missing_docs)]

mod common;

use common::*;
use jurado_core::judging::judge;
use jurado_core::summary::{Mark, Summary};

/// What is changed on a right sheet, by what, and what the list then shows.
type Row = (&'static str, &'static str, Mark, &'static str, &'static str, u32, &'static str, &'static str);

fn try_rows(lab: &str, right: &str, rows: &[Row]) {
    let p = protocol(lab);
    for (from, to, mark, headline, pattern, open, decided, hanging) in rows {
        assert!(right.contains(from), "the sheet has no `{from}`");
        let j = judge(&p, &sheet(&right.replacen(from, to, 1)), &[], &[]);
        let s = Summary::of(&p, &j);
        assert_eq!((s.mark, s.headline.as_str(), s.pattern.as_str()), (*mark, *headline, *pattern), "`{to}`");
        let points = (s.open, s.decided.to_string(), s.hanging.to_string());
        assert_eq!(points, (*open, (*decided).to_owned(), (*hanging).to_owned()), "`{to}`");
        assert!(s.awarded <= s.decided && s.decided <= s.possible, "`{to}`");
        assert_eq!(s.profile.split(';').count(), j.results.len(), "a distance each: `{to}`");
        let waits = s.pattern.is_empty() || s.patterns.contains(&format!(";{};", s.pattern));
        assert!(waits, "what it waits for is among {}", s.patterns);
    }
}

#[test]
fn a_titration_is_told_in_a_line() {
    // A criterion that a person judges would hang on every table.
    let lab = TITRE.replace("possible = \"6\"", "possible = \"5\"");
    let lab = lab.split("[[criterion]]\nid = \"shown\"").next().expect("a lab");
    try_rows(
        lab,
        TITRE_SHEET,
        &[
            ("mass: 0.5106", "mass: 0.5106", Mark::Agrees, "Nothing to decide.", "", 0, "5", "0"),
            (
                "mass: 0.5106",
                "mass: 0.5160",
                Mark::Slip,
                "Mass of salt: two digits of 0.5106 were swapped in writing it down.",
                "slip/mass/digits-swapped",
                1,
                "4.5",
                "0.5",
            ),
            (
                "mass: 0.5106",
                "mass: 5.106",
                Mark::Slip,
                "Mass of salt: the decimal point went one place to the right.",
                "slip/mass/decimal-point",
                1,
                "4.5",
                "0.5",
            ),
            (
                "mass: 0.5106",
                "mass: 0.6",
                Mark::Unexplained,
                "Mass of salt 0.6 g, not 0.51060. No single slip gives it.",
                "unexplained/mass/",
                1,
                "4",
                "1",
            ),
            // Fewer figures and more are each their own criterion's; this lab has none.
            ("mass: 0.5106", "mass: 0.51", Mark::Agrees, "Nothing to decide.", "", 0, "5", "0"),
            ("mass: 0.5106", "mass: 0.51060000", Mark::Agrees, "Nothing to decide.", "", 0, "5", "0"),
            (
                "mass: 0.5106 {unit g}",
                "mass: ",
                Mark::Agrees,
                "No mass of salt; the readings give 0.5106 g.",
                "",
                0,
                "4",
                "0",
            ),
            (
                "mass: 0.5106",
                "mass: half",
                Mark::Unreadable,
                "The mass of salt reads “half”, which is no number; the readings give 0.5106 g.",
                "unreadable/mass/",
                1,
                "4",
                "1",
            ),
            // Nothing is lost by a result that waits for a reading, and no criterion counts what is missing.
            ("boat_full: 12.8431 {unit g}", "boat_full: ", Mark::Agrees, "Nothing to decide.", "", 0, "5", "0"),
            (
                "boat_full: 12.8431",
                "boat_full: 128.431",
                Mark::Slip,
                "Mass of salt: the boat with salt went into the calculation as 12.843 g, where the sheet has 128.431.",
                "slip/mass/reading-miskeyed",
                1,
                "4.5",
                "0.5",
            ),
            (
                "titre 3: 24.20",
                "titre 3: 24.02",
                Mark::Slip,
                "Titre in row 3: two digits of 24.20 were swapped in writing it down.",
                "slip/titre/digits-swapped",
                1,
                "4.75",
                "0.25",
            ),
            (
                "mean_titre: 24.15",
                "mean_titre: 24.42",
                Mark::Slip,
                "Mean titre: reading 1 of the titre, which had been left out, was used.",
                "slip/mean_titre/exclusion",
                1,
                "4.5",
                "0.5",
            ),
            (
                "drops: 3",
                "drops: 9",
                Mark::Differs,
                "The value of the drops of indicator is 9; the protocol asks for 2 to 5. What follows is judged from it.",
                "amount-not-met/drops/",
                1,
                "5",
                "0",
            ),
            (
                "end 3: 48.80",
                "end 3: 49.80",
                Mark::Slip,
                "Reading 3 of the end reading reads 49.80 mL and seems to have been 48.80 mL.",
                "repair/end/",
                1,
                "5",
                "0",
            ),
            (
                "run 3: kept",
                "run 3: good",
                Mark::Unreadable,
                "The value of reading 3 of the kind of run reads “good”: it is none of rough, kept.",
                "unreadable/run/",
                1,
                "5",
                "0",
            ),
        ],
    );
}

#[test]
fn words_and_zones_are_told_in_a_line() {
    try_rows(
        ZONES,
        ZONES_SHEET,
        &[
            ("tilt: 30", "tilt: 30", Mark::Agrees, "Nothing to decide.", "", 0, "6", "0"),
            ("tilt: 30", "tilt: 30,0", Mark::Agrees, "Nothing to decide.", "", 0, "6", "0"),
            (
                "attitude 3: Inverted",
                "attitude 3: upright",
                Mark::Differs,
                "The attitude of the image in row 3 reads “upright”; the readings give “inverted”.",
                "differs/attitude/",
                1,
                "5.5",
                "0.5",
            ),
            (
                "metal: brass",
                "metal: steel",
                Mark::Differs,
                "The metal of the rim reads “steel”; the readings give “brass”.",
                "differs/metal/",
                1,
                "5",
                "1",
            ),
            // Two alloys are within reach of the density, so either is right.
            ("metal: brass", "metal: bronze", Mark::Agrees, "Nothing to decide.", "", 0, "6", "0"),
            (
                "metal: brass",
                "metal: tin",
                Mark::Unreadable,
                "The metal of the rim reads “tin”, which is none of brass, bronze, steel; the readings give brass.",
                "unreadable/metal/",
                1,
                "5",
                "1",
            ),
            (
                "rise: 500",
                "rise: 30",
                Mark::Unexplained,
                "Rise of the rail over a metre 30 mm, not 500.0. No single slip gives it.",
                "unexplained/rise/",
                1,
                "5",
                "1",
            ),
            (
                "rise: 500",
                "rise: -988",
                Mark::Slip,
                "Rise of the rail over a metre: the tilt of the rail went in as degrees where radians were meant.",
                "slip/rise/angle-unit",
                1,
                "5.5",
                "0.5",
            ),
            (
                "focal 3: 375",
                "focal 3: 0.002667",
                Mark::Slip,
                "Focal length in row 3: the quotient was turned upside down.",
                "slip/focal/inverted",
                1,
                "5.75",
                "0.25",
            ),
            (
                "zone 3: beyond",
                "zone 3: at",
                Mark::Differs,
                "The attitude of the image in row 3 reads “Inverted”; the readings give “none”.",
                "differs/attitude/",
                1,
                "5.5",
                "0.5",
            ),
        ],
    );
}

/// At the door a word that is none of its place's is answered with those that are, and a number with how to type it.
#[test]
fn what_cannot_be_read_is_told_at_the_door_with_what_may_stand_there() {
    let look = |lab: &str, sheet_text: &str| {
        let gaps = jurado_core::gaps::gaps(&protocol(lab), &Default::default(), &sheet(sheet_text));
        gaps.into_iter().find(|g| g.what.contains("cannot be read")).map(|g| g.look)
    };
    for (lab, right, from, to, said) in [
        (ZONES, ZONES_SHEET, "zone 3: beyond", "zone 3: outside", "Write one of these: inside, at, beyond."),
        (ZONES, ZONES_SHEET, "zone 3: beyond", "zone 3: 7", "Write one of these: inside, at, beyond."),
        (ZONES, ZONES_SHEET, "metal: brass", "metal: tin", "Write one of these: brass, bronze, steel."),
        (TITRE, TITRE_SHEET, "run 3: kept", "run 3: good", "Write one of these: rough, kept."),
        (TITRE, TITRE_SHEET, "mass: 0.5106", "mass: O.5106", "There is a letter in it. Type it as it was shown."),
        (TITRE, TITRE_SHEET, "mass: 0.5106", "mass: 0.51.06", "Type it as it was shown."),
    ] {
        assert_eq!(look(lab, &right.replacen(from, to, 1)).as_deref(), Some(said), "{to}");
        assert_eq!(look(lab, right), None);
    }
}

#[test]
fn rows_and_lines_are_told_in_a_line() {
    try_rows(
        ECHO,
        RUNS,
        &[
            ("rim: 4.2", "rim: 4.2", Mark::Agrees, "Nothing to decide.", "", 0, "10", "0"),
            (
                "length 2: 19.9",
                "length 2: 28.3",
                Mark::Slip,
                "Length of the air column in row 2: the rim above the mark was added instead of taken off.",
                "slip/length/sign",
                1,
                "9.75",
                "0.25",
            ),
            (
                "length 2: 19.9",
                "length 2: 199",
                Mark::Slip,
                "Length of the air column in row 2: the decimal point went one place to the right.",
                "slip/length/decimal-point",
                1,
                "9.75",
                "0.25",
            ),
            (
                "inverse 3: 3.76",
                "inverse 3: 26.6",
                Mark::Unexplained,
                "Reciprocal length in row 3 26.6 1/m, not 3.759. No single slip gives it.",
                "unexplained/inverse/",
                1,
                "9.5",
                "0.5",
            ),
            (
                "speed: 340",
                "speed: 170",
                Mark::Slip,
                "Speed of sound: the well was taken for half a wavelength.",
                "slip/speed/declared:half-wave",
                1,
                "9.75",
                "0.25",
            ),
            (
                "gradient: 84.96",
                "gradient: 0.01177",
                Mark::Slip,
                "Slope of f against 1/L: the axes of the graph were taken for each other.",
                "slip/gradient/slope-inverted",
                1,
                "9.5",
                "0.5",
            ),
            // Another school is told and costs nothing; a person says whether the section was taught it.
            (
                "gradient: 84.96",
                "gradient: 84.76",
                Mark::Slip,
                "Slope of f against 1/L: it was worked out by another school: a line with a free intercept.",
                "slip/gradient/declared:school a line with a free intercept",
                1,
                "10",
                "0",
            ),
            (
                "level 3: 30.8",
                "level 3: 3.08",
                Mark::Slip,
                "Reading 3 of the water level reads 3.08 cm and seems to have been 30.80 cm.",
                "repair/level/",
                2,
                "9.5",
                "0.5",
            ),
            (
                "{fork b}",
                "{fork d}",
                Mark::Unreadable,
                "Row 2 of the Runs names the fork “d”, which is none of a, b, c.",
                "key-unknown//",
                1,
                "10",
                "0",
            ),
            ("{fork b}", "", Mark::Missing, "Row 2 of the Runs names no fork.", "key-missing//", 1, "10", "0"),
            (
                "rim: 4.2 {unit cm}",
                "rim: ",
                Mark::Unchecked,
                "The accuracy of the speed of sound cannot be judged: a reading is missing. Its points stand until somebody decides.",
                "accuracy-unchecked/speed/",
                1,
                "9.5",
                "2",
            ),
        ],
    );
}

#[test]
fn a_curve_and_a_screen_are_told_in_a_line() {
    try_rows(
        CURVE,
        CURVE_SHEET,
        &[
            ("gain: 0.5", "gain: 0.5", Mark::Agrees, "Nothing to decide.", "", 0, "4", "0"),
            (
                "half_ph: 4.76",
                "half_ph: 5.60",
                Mark::Unexplained,
                "pH at half 5.60, not 4.759. No single slip gives it.",
                "unexplained/half_ph/",
                1,
                "3",
                "1",
            ),
            (
                "voltage: 1.70",
                "voltage: 6.8",
                Mark::Slip,
                "Voltage: the height of the trace was divided by the volts per division instead of multiplied.",
                "slip/voltage/inverted",
                1,
                "3.5",
                "0.5",
            ),
            (
                "level: 44.6",
                "level: 102.7",
                Mark::Slip,
                "Level: the natural logarithm was taken for the common one.",
                "slip/level/log-base",
                1,
                "3.5",
                "0.5",
            ),
            (
                "volume 5: 10.00",
                "volume 5: 10.20",
                Mark::Differs,
                "The volume of row 5 is 10.2 mL; the portions add up to 10 mL.",
                "does-not-add-up/volume/",
                1,
                "4",
                "0",
            ),
            (
                "gain: 0.5",
                "gain: 0.4",
                Mark::Unexplained,
                "Voltage 1.70 V, not 1.360. No single slip gives it.",
                "unexplained/voltage/",
                2,
                "3",
                "1",
            ),
            (
                "ph 5: 9.40",
                "ph 5: 94.0",
                Mark::Differs,
                "The pH should rise down the rows and does not: 94 to 10.2 at row 6.",
                "trend/ph/",
                1,
                "4",
                "0",
            ),
        ],
    );
}
