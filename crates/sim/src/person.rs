//! How a person works the table through: with a calculator, line after line, from what stands on the sheet – and where
//! a planted slip happens on the way.

use jurado_core::submission::{Submission, SubmittedCell};

use crate::keel_plate::{METALS, RODS, Readings, Rod, read_rod};
use crate::random::Chance;

/// What is planted in a table.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
#[allow(missing_docs)]
pub enum Plant {
    None,
    CommaTypist,
    ChainedRounding,
    CutOff,
    ShortPi,
    CalculatorDump,
    LeftInCubicMillimetres,
    DiameterAsRadius,
    SquareForgotten,
    QuotientUpsideDown,
    DecimalPoint,
    DigitsSwapped,
    DividedByFour,
    SumForMean,
    ZeroForgotten,
    ZeroAdded,
    OtherStation,
    OneDigitWrong,
    PiForgotten,
    FirstReadingOnly,
    ChordKept,
    ChordLeftOut,
    LeftOutUnexplained,
    UnreadableCell,
    MissingReplicate,
    MissingMass,
    MissingResult,
    Muddled,
    NoPlusMinus,
    PlusMinusTooSmall,
    NoUnits,
    ShortReadings,
    TwoSlips,
}

impl Plant {
    /// Its word, the kind of slip a judge should name, and the item.
    pub fn truth(self) -> (String, Option<&'static str>, Option<&'static str>) {
        let (slip, item) = match self {
            Plant::LeftInCubicMillimetres => (Some("unit-factor"), Some("plate_volume")),
            Plant::DiameterAsRadius => (Some("radius-diameter"), Some("disc_volume")),
            Plant::SquareForgotten => (Some("power"), Some("disc_volume")),
            Plant::QuotientUpsideDown => (Some("inverted"), Some("plate_density")),
            Plant::DecimalPoint => (Some("decimal-point"), Some("disc_density")),
            Plant::DigitsSwapped => (Some("digits-swapped"), Some("plate_volume")),
            Plant::DividedByFour => (Some("wrong-count"), Some("disc_thickness_mean")),
            Plant::SumForMean => (Some("sum-for-mean"), Some("disc_diameter_mean")),
            Plant::ZeroForgotten => (Some("term-omitted"), Some("plate_volume")),
            Plant::ZeroAdded => (Some("sign"), Some("plate_volume")),
            Plant::OtherStation => (Some("other-station"), Some("plate_error")),
            Plant::OneDigitWrong => (Some("digit-wrong"), Some("plate_volume")),
            Plant::PiForgotten => (Some("literal"), Some("disc_volume")),
            Plant::FirstReadingOnly => (Some("single-replicate"), Some("disc_thickness_mean")),
            Plant::TwoSlips => (Some("radius-diameter"), Some("disc_volume")),
            _ => (None, None),
        };
        (format!("{self:?}"), slip, item)
    }
}

/// A number typed with so many decimals.
fn typed(value: f64, decimals: usize) -> String {
    format!("{value:.decimals$}")
}

/// A number with so many figures, as one writes down an answer.
fn figures(value: f64, count: i32) -> String {
    let decimals = (count - 1 - value.abs().max(1e-9).log10().floor() as i32).max(0) as usize;
    typed(value, decimals)
}

fn cut(value: f64, decimals: i32) -> f64 {
    let scale = 10f64.powi(decimals);
    (value * scale).floor() / scale
}

fn number(text: &str) -> f64 {
    text.replace(',', ".").parse().unwrap_or(0.0)
}

pub(crate) struct Person<'a> {
    pub(crate) plant: Plant,
    pub(crate) station: usize,
    pub(crate) chance: &'a mut Chance,
}

#[derive(Default)]
struct Sheet {
    cells: Vec<SubmittedCell>,
}

impl Sheet {
    fn put(&mut self, item: &str, row: Option<u32>, value: impl Into<String>, unit: &str) -> &mut SubmittedCell {
        self.cells.push(SubmittedCell {
            item: item.to_owned(),
            row,
            value: value.into(),
            unit: unit.to_owned(),
            ..SubmittedCell::default()
        });
        let last = self.cells.len() - 1;
        &mut self.cells[last]
    }
}

impl Person<'_> {
    /// Works a table through.
    pub(crate) fn work(&mut self, section: &str, team: &str, mut r: Readings) -> Submission {
        let p = self.plant;
        if matches!(p, Plant::ZeroForgotten | Plant::ZeroAdded) && r.zero == 0.0 {
            // A slip with the zero shows only where the jaws do not close at nought.
            let shift = 0.08;
            r.zero = shift;
            for x in [&mut r.length, &mut r.width, &mut r.thickness]
                .into_iter()
                .chain(&mut r.diameters)
                .chain(&mut r.thicknesses)
            {
                *x += shift;
            }
        }
        if matches!(p, Plant::ChordKept | Plant::ChordLeftOut) {
            r.diameters[3] -= 0.42;
        }
        if p == Plant::FirstReadingOnly {
            r.thicknesses[0] += 0.10;
            r.thicknesses[1] -= 0.06;
        }
        let mut sheet = Sheet::default();
        self.readings(&mut sheet, &r);
        let rod = read_rod(section, team, r.zero);
        Self::rod_readings(&mut sheet, &rod);
        self.plate(&mut sheet, &r);
        self.disc(&mut sheet, &r);
        self.rod(&mut sheet, &rod, r.zero);
        if p == Plant::CommaTypist {
            for c in &mut sheet.cells {
                c.value = c.value.replace('.', ",");
                c.plus_minus = c.plus_minus.replace('.', ",");
            }
        }
        if p == Plant::NoUnits {
            sheet
                .cells
                .iter_mut()
                .filter(|c| c.item.contains("density") || c.item.contains("volume"))
                .for_each(|c| c.unit.clear());
        }
        Submission {
            section: section.to_owned(),
            team: team.to_owned(),
            keys: [
                ("station".to_owned(), self.station.to_string()),
                ("rod".to_owned(), format!("R{}", rod.number + 1)),
            ]
            .into(),
            cells: sheet.cells,
            ..Submission::default()
        }
    }

    fn readings(&mut self, sheet: &mut Sheet, r: &Readings) {
        let p = self.plant;
        sheet.put("zero", None, typed(r.zero, 2), "mm");
        sheet.put("plate_length", None, typed(r.length, 2), "mm");
        sheet.put("plate_width", None, typed(r.width, 2), "mm");
        sheet.put("plate_thickness", None, typed(r.thickness, 2), "mm");
        let mass = if p == Plant::ShortReadings { typed(r.plate_mass, 1) } else { typed(r.plate_mass, 2) };
        sheet.put("plate_mass", None, mass, "g");
        for (n, d) in r.diameters.iter().enumerate() {
            let cell = sheet.put("disc_diameter", Some(n as u32 + 1), typed(*d, 2), "mm");
            if p == Plant::ChordLeftOut && n == 3 {
                cell.excluded = "jaws were off centre".to_owned();
            }
        }
        for (n, t) in r.thicknesses.iter().enumerate() {
            if p == Plant::MissingReplicate && n == 4 {
                continue;
            }
            let text = if p == Plant::UnreadableCell && n == 2 {
                format!("{:.0}.{}?", t.floor(), "2 6")
            } else {
                typed(*t, 2)
            };
            let cell = sheet.put("disc_thickness", Some(n as u32 + 1), text, "mm");
            if p == Plant::LeftOutUnexplained && n == 1 {
                cell.excluded = "x".to_owned();
            }
        }
        if p != Plant::MissingMass {
            sheet.put("disc_mass", None, typed(r.disc_mass, 2), "g");
        }
    }

    fn rod_readings(sheet: &mut Sheet, rod: &Rod) {
        sheet.put("rod_main", None, typed(rod.main, 0), "mm");
        sheet.put("rod_line", None, rod.line.to_string(), "");
        for (n, d) in rod.diameters.iter().enumerate() {
            sheet.put("rod_diameter", Some(n as u32 + 1), typed(*d, 2), "mm");
        }
        sheet.put("rod_mass", None, typed(rod.mass, 2), "g");
    }

    /// The rod is worked through rightly, in the person's own way of rounding.
    fn rod(&mut self, sheet: &mut Sheet, rod: &Rod, zero: f64) {
        let (sleeve, _, radius, _, _, metal) = RODS[rod.number];
        let z = if matches!(self.plant, Plant::ZeroForgotten) { 0.0 } else { zero };
        let z = if matches!(self.plant, Plant::ZeroAdded) { -zero } else { z };
        let seen = rod.main + f64::from(rod.line) * 0.02;
        let length = self.answer(sheet, "rod_length", seen - z, "mm", 5);
        let mean = rod.diameters.iter().sum::<f64>() / 3.0;
        let across = self.answer(sheet, "rod_across", mean - z, "mm", 4);
        let pi = std::f64::consts::PI;
        let whole = self.answer(sheet, "whole_volume", pi * (across / 2.0).powi(2) * length / 1000.0, "cm³", 4);
        let inside = self.answer(sheet, "core_volume", pi * (radius * 25.4).powi(2) * length / 1000.0, "cm³", 4);
        let outside = self.answer(sheet, "sleeve_volume", whole - inside, "cm³", 4);
        let around = self.answer(sheet, "sleeve_mass", outside * sleeve, "g", 4);
        // The difference leaves a decimal of the mass and two of the density.
        let ending = |value: f64, decimals: i32| value.abs().log10().floor() as i32 + 1 + decimals;
        let core = rod.mass - around;
        let core_mass = self.answer(sheet, "core_mass", core, "g", ending(core, 1));
        self.answer(sheet, "core_density", core_mass / inside, "g/cm³", ending(core_mass / inside, 2));
        if let Some(cell) = sheet.cells.last_mut()
            && self.plant != Plant::NoPlusMinus
        {
            let places = cell.value.split_once('.').map_or(0, |(_, d)| d.len()).min(6);
            let (d, l) = (across / 10.0, length / 10.0);
            let half = sleeve * pi * d / 2.0 * l * 0.0013 / inside + 0.002 * core_mass / inside;
            cell.plus_minus = typed(half.max(10f64.powi(-(places as i32))), places);
        }
        self.answer(sheet, "rod_density", rod.mass / whole, "g/cm³", 4);
        sheet.put("core_metal", None, metal, "");
    }

    /// An answer on the sheet, with figures by this person's habit. Gives what is read off the sheet for the next line.
    fn answer(&mut self, sheet: &mut Sheet, item: &str, value: f64, unit: &str, count: i32) -> f64 {
        let text = match self.plant {
            Plant::CalculatorDump => format!("{value:.9}"),
            Plant::CutOff => {
                let decimals = (count - 1 - value.abs().max(1e-9).log10().floor() as i32).max(0);
                typed(cut(value, decimals), decimals as usize)
            }
            _ => figures(value, count),
        };
        let shown = number(&text);
        sheet.put(item, None, text, unit);
        // Some go on with the display, some with what they wrote down.
        if matches!(self.plant, Plant::ChainedRounding | Plant::CutOff) { shown } else { value }
    }

    fn density(&mut self, sheet: &mut Sheet, item: &str, mass: f64, volume: f64, relative: f64) -> f64 {
        let p = self.plant;
        let mut value = mass / volume;
        if p == Plant::QuotientUpsideDown && item == "plate_density" {
            value = volume / mass;
        }
        if p == Plant::Muddled && item == "disc_density" {
            value *= 1.1372;
        }
        let shown = if p == Plant::DecimalPoint && item == "disc_density" { value / 10.0 } else { value };
        let went_on = self.answer(sheet, item, shown, "g/cm³", 4);
        let half = value * relative * self.chance.between(0.8, 1.3);
        let half = if p == Plant::PlusMinusTooSmall { half / 8.0 } else { half };
        let places = sheet.cells.last().map_or(3, |c| c.value.split_once('.').map_or(0, |(_, d)| d.len()));
        if p != Plant::NoPlusMinus
            && let Some(cell) = sheet.cells.last_mut()
        {
            // At least one unit of the last place: nobody writes ± 0.000.
            cell.plus_minus = typed(half.max(10f64.powi(-(places.min(6) as i32))), places.min(6));
        }
        if p == Plant::DecimalPoint { value } else { went_on }
    }

    fn error(&mut self, sheet: &mut Sheet, item: &str, density: f64, tabulated: f64) {
        let percent = (density - tabulated).abs() / tabulated * 100.0;
        self.answer(sheet, item, percent, "%", if percent >= 1.0 { 3 } else { 2 });
    }

    fn plate(&mut self, sheet: &mut Sheet, r: &Readings) {
        let p = self.plant;
        let z = match p {
            Plant::ZeroForgotten => 0.0,
            Plant::ZeroAdded => -r.zero,
            _ => r.zero,
        };
        let cubic_mm = (r.length - z) * (r.width - z) * (r.thickness - z);
        let volume = if p == Plant::LeftInCubicMillimetres { cubic_mm } else { cubic_mm / 1000.0 };
        let went_on = match p {
            Plant::DigitsSwapped => {
                let right = figures(volume, 4);
                sheet.put("plate_volume", None, swap_digits(&right), "cm³");
                volume
            }
            Plant::OneDigitWrong => {
                let right = figures(volume, 4);
                sheet.put("plate_volume", None, other_second_digit(&right), "cm³");
                volume
            }
            _ => self.answer(sheet, "plate_volume", volume, "cm³", 4),
        };
        // Relative: step and limit of three lengths and one mass, roughly.
        let mass = if p == Plant::ShortReadings { (r.plate_mass * 10.0).round() / 10.0 } else { r.plate_mass };
        let density = self.density(sheet, "plate_density", mass, went_on, 0.0021);
        if p == Plant::MissingResult {
            return;
        }
        if p == Plant::UnreadableCell {
            sheet.put("plate_error", None, "see overleaf", "%");
            return;
        }
        let station = if p == Plant::OtherStation { self.station % 5 + 1 } else { self.station };
        self.error(sheet, "plate_error", density, tabulated(station, true));
    }

    fn disc(&mut self, sheet: &mut Sheet, r: &Readings) {
        let p = self.plant;
        let z = match p {
            Plant::ZeroForgotten => 0.0,
            Plant::ZeroAdded => -r.zero,
            _ => r.zero,
        };
        let kept: Vec<f64> = r
            .diameters
            .iter()
            .enumerate()
            .filter(|(n, _)| !(p == Plant::ChordLeftOut && *n == 3))
            .map(|(_, d)| *d)
            .collect();
        let sum: f64 = kept.iter().sum();
        let mean = if p == Plant::SumForMean { sum - z } else { sum / kept.len() as f64 - z };
        let diameter = self.answer(sheet, "disc_diameter_mean", mean, "mm", 4);
        let used: Vec<f64> = r
            .thicknesses
            .iter()
            .enumerate()
            .filter(|(n, _)| {
                !((p == Plant::LeftOutUnexplained && *n == 1)
                    || (p == Plant::MissingReplicate && *n == 4)
                    || (p == Plant::UnreadableCell && *n == 2))
            })
            .map(|(_, t)| *t)
            .collect();
        let total: f64 = used.iter().sum();
        let mean = match p {
            Plant::DividedByFour => total / 4.0,
            Plant::FirstReadingOnly => used[0],
            _ => total / used.len() as f64,
        };
        let height = self.answer(sheet, "disc_thickness_mean", mean - z, "mm", 3);
        let radius = if matches!(p, Plant::DiameterAsRadius | Plant::TwoSlips) { diameter } else { diameter / 2.0 };
        let square = if p == Plant::SquareForgotten { radius * 10.0 } else { radius * radius };
        let pi = match p {
            // The short form is the plant, not a slip of ours.
            #[allow(clippy::approx_constant)]
            Plant::ShortPi => 3.14,
            Plant::PiForgotten => 1.0,
            _ => std::f64::consts::PI,
        };
        // The square forgotten in centimetres: r/10 × h/10 with the answer's unit kept.
        let volume = pi * square * height / 1000.0;
        let volume = self.answer(sheet, "disc_volume", volume, "cm³", 4);
        let density = self.density(sheet, "disc_density", r.disc_mass, volume, 0.0027);
        let tabulated = tabulated(self.station, false);
        if p == Plant::TwoSlips {
            let percent = (density - tabulated).abs() / density * 100.0;
            self.answer(sheet, "disc_error", percent, "%", 3);
        } else {
            self.error(sheet, "disc_error", density, tabulated);
        }
    }
}

/// The middle of the station sheet's range, as a person copies it.
fn tabulated(station: usize, plate: bool) -> f64 {
    const SHEET: [(f64, f64); 5] = [(2.70, 8.94), (7.85, 8.41), (8.41, 7.125), (8.94, 2.70), (4.44, 7.99)];
    let (p, d) = SHEET[(station - 1) % METALS.len()];
    if plate { p } else { d }
}

/// The first two unlike neighbours swapped.
fn swap_digits(text: &str) -> String {
    let mut digits: Vec<char> = text.chars().collect();
    for i in 0..digits.len().saturating_sub(1) {
        if digits[i].is_ascii_digit()
            && digits[i + 1].is_ascii_digit()
            && digits[i] != digits[i + 1]
            && !(i == 0 && digits[1] == '0')
        {
            digits.swap(i, i + 1);
            break;
        }
    }
    digits.into_iter().collect()
}

/// The second digit read as another that looks like it.
fn other_second_digit(text: &str) -> String {
    let mut seen = 0;
    text.chars()
        .map(|c| {
            seen += usize::from(c.is_ascii_digit());
            match c {
                _ if seen != 2 || !c.is_ascii_digit() => c,
                '1' => '7',
                '7' => '1',
                '6' => '0',
                '0' => '6',
                '3' => '8',
                '8' => '3',
                '4' => '9',
                '9' => '4',
                '5' => '2',
                _ => '5',
            }
        })
        .collect()
}

impl Plant {
    /// Plants that a judge should name as a slip.
    pub const SLIPS: [Plant; 14] = [
        Plant::LeftInCubicMillimetres,
        Plant::DiameterAsRadius,
        Plant::SquareForgotten,
        Plant::QuotientUpsideDown,
        Plant::DecimalPoint,
        Plant::DigitsSwapped,
        Plant::DividedByFour,
        Plant::SumForMean,
        Plant::ZeroForgotten,
        Plant::ZeroAdded,
        Plant::OtherStation,
        Plant::OneDigitWrong,
        Plant::PiForgotten,
        Plant::FirstReadingOnly,
    ];

    /// Right tables in the styles of honest people.
    pub const HONEST: [Plant; 7] = [
        Plant::None,
        Plant::CommaTypist,
        Plant::ChainedRounding,
        Plant::CutOff,
        Plant::ShortPi,
        Plant::CalculatorDump,
        Plant::ChordLeftOut,
    ];
}
