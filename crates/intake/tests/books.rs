//! Workbooks that teams bring: what is wrong with a formula is told in a sentence, and the rest of the sheet is judged.
#![allow(missing_docs)]

use jurado_core::judging::judge;
use jurado_core::protocol::Protocol;
use jurado_core::underneath::Gives;
use jurado_core::verdict::Judged;
use jurado_core::wording;
use jurado_intake::{Effort, UPLOAD, read_file, write_xlsx};
use rust_xlsxwriter::{Formula, Workbook};

fn lab() -> Protocol {
    Protocol::parse(include_str!("../../core/tests/labs/plate-and-disc.toml")).expect("a lab")
}

/// A data sheet of plate and disc: its readings, and what else stands in it by cell. A text that begins with `=` is a formula,
/// with what it last gave after a bar.
fn filled(cells: &[(u32, u16, &str)]) -> Vec<u8> {
    let mut book = Workbook::new();
    let sheet = book.add_worksheet();
    sheet.set_name("Data sheet").expect("a name");
    let head = ["item", "what", "unit", "1", "2", "3", "4", "5"];
    let lines: [&[&str]; 12] = [
        &["data sheet", "keel-plate", "Keel plate", "version", "1"],
        &["section", "Morning"],
        &["team", "Heron"],
        &["station", "1"],
        &head,
        &["zero", "", "mm", "0.02"],
        &["plate_length", "", "mm", "84.30"],
        &["plate_width", "", "mm", "41.78"],
        &["plate_thickness", "", "mm", "12.06"],
        &["plate_mass", "", "g", "114.42"],
        &["plate_volume", "", "cm^3"],
        &["plate_density", "", "g/cm^3"],
    ];
    for (r, line) in lines.iter().enumerate() {
        for (c, text) in line.iter().enumerate() {
            match text.parse::<f64>() {
                Ok(v) if c > 2 && r > 4 => sheet.write_number(r as u32, c as u16, v).expect("a cell"),
                _ => sheet.write_string(r as u32, c as u16, *text).expect("a cell"),
            };
        }
    }
    for (r, c, text) in cells {
        match text.strip_prefix('=') {
            Some(formula) => {
                let (formula, gave) = formula.split_once('|').unwrap_or((formula, ""));
                sheet.write_formula(*r, *c, Formula::new(formula).set_result(gave)).expect("a formula");
            }
            None => match text.parse::<f64>() {
                Ok(v) => drop(sheet.write_number(*r, *c, v).expect("a cell")),
                Err(_) => drop(sheet.write_string(*r, *c, *text).expect("a cell")),
            },
        }
    }
    book.save_to_buffer().expect("a workbook")
}

/// The row of `plate_volume` and of `plate_density`, and the column of values, from nought.
const VOLUME: u32 = 10;
const DENSITY: u32 = 11;
const VALUE: u16 = 3;

fn judged(cells: &[(u32, u16, &str)]) -> Judged {
    let p = lab();
    let intake = read_file(&filled(cells), &p, None, &Effort::new(UPLOAD), None).expect("a workbook");
    assert!(intake.held.is_empty(), "{:?}", intake.held);
    judge(&p, &intake.tables[0], &[], &[])
}

fn told(judged: &Judged) -> String {
    let p = lab();
    let of = |f: &jurado_core::finding::Finding| (f.code() == "formula").then(|| wording::says(&p, f));
    judged.findings.iter().filter_map(of).collect::<Vec<_>>().join(" ")
}

fn verdict(judged: &Judged, id: &str) -> &'static str {
    let p = lab();
    judged.results.iter().find(|r| p.items[r.item].id == id).map_or("", |r| r.verdict.word())
}

/// The lab's formula for the volume, with what it gives.
fn right() -> String {
    format!("=(D7-D6)*(D8-D6)*(D9-D6)/1000|{}", volume())
}

fn volume() -> f64 {
    (84.30 - 0.02) * (41.78 - 0.02) * (12.06 - 0.02) / 1000.0
}

#[test]
fn each_kind_of_trouble_is_told_and_the_rest_of_the_sheet_is_judged() {
    let (right, long) = (right(), format!("={}D7|42.3752", "D7+".repeat(2_000)));
    let density = format!("=D10/D11|{}", 114.42 / volume());
    let density = (DENSITY, VALUE, density.as_str());
    for (what, cells, says, volume) in [
        ("right", vec![(VOLUME, VALUE, right.as_str())], "", "agrees"),
        (
            "a circle",
            vec![(VOLUME, VALUE, "=H1*2|42.3752"), (0, 7, "=H2"), (1, 7, "=H1+1")],
            "reads itself in a circle: D11 → H1 → H2 → H1",
            "agrees",
        ),
        ("an error", vec![(VOLUME, VALUE, "=D7/Z50|#DIV/0!")], "gives #DIV/0!", "unreadable"),
        ("an empty cell", vec![(VOLUME, VALUE, "=D7*D8*D9/1000+Z50|42.47597124")], "reads Z50, which is empty", "slip"),
        ("another file", vec![(VOLUME, VALUE, "='[marks.xlsx]Sheet1'!A1|42.3752")], "it reads another file", "agrees"),
        (
            "an unknown function",
            vec![(VOLUME, VALUE, "=CONVERT(D7,\"mm\",\"cm\")|42.3752")],
            "the function CONVERT is not known here",
            "agrees",
        ),
        (
            "not worked out again",
            vec![(VOLUME, VALUE, "=(D7-D6)*(D8-D6)*(D9-D6)/1000|40.1")],
            "was not worked out again",
            "unexplained",
        ),
        (
            "numbers as texts",
            vec![(8, VALUE, "12.06 mm"), (VOLUME, VALUE, "=D7*D8*AVERAGE(D9)/1000|#DIV/0!")],
            "gives #DIV/0!",
            "unreadable",
        ),
        (
            "a reading by a formula",
            vec![(9, VALUE, "=H1-H2|114.42"), (0, 7, "120.50"), (1, 7, "6.08"), (VOLUME, VALUE, right.as_str())],
            "is worked out by a formula in cell D10",
            "agrees",
        ),
        ("long", vec![(VOLUME, VALUE, long.as_str())], "longer or deeper than is read", "agrees"),
    ] {
        let mut cells = cells;
        cells.push(density);
        let j = judged(&cells);
        let said = told(&j);
        assert!(if says.is_empty() { said.is_empty() } else { said.contains(says) }, "{what}: {said:?}");
        assert_eq!(verdict(&j, "plate_volume"), volume, "{what}: {said}");
        assert!(j.readings.iter().filter(|r| r.cells.iter().any(|c| c.value.is_some())).count() >= 4, "{what}");
    }
}

#[test]
fn helper_cells_other_sheets_and_a_wide_file_are_followed() {
    let j = judged(&[(VOLUME, VALUE, "=H1/1000|42.47597124"), (0, 7, "=D7*D8*D9|42475.97124")]);
    let slip = j.results.iter().find_map(|r| r.slip.as_ref()).expect("a slip");
    assert_eq!((slip.kind.word(), slip.probability), ("term-omitted", 1.0), "{slip:?}");
    // A file of the team's own making: its columns are known by their names.
    let p = lab();
    let mut book = Workbook::new();
    let sheet = book.add_worksheet();
    let head =
        ["section", "team", "zero", "plate_length", "plate_width", "plate_thickness", "plate_mass", "plate_volume"];
    for (row, line) in [&head[..], &["Morning", "Heron"]].into_iter().enumerate() {
        for (c, text) in line.iter().enumerate() {
            sheet.write_string(row as u32, c as u16, *text).expect("a cell");
        }
    }
    for (c, v) in [0.02, 84.3, 41.78, 12.06, 114.42].iter().enumerate() {
        sheet.write_number(1, c as u16 + 2, *v).expect("a cell");
    }
    sheet.write_formula(1, 7, Formula::new("=D2*E2*F2/1000").set_result("42.47597124")).expect("a formula");
    let bytes = book.save_to_buffer().expect("a workbook");
    let intake = read_file(&bytes, &p, None, &Effort::new(UPLOAD), None).expect("a workbook");
    let j = judge(&p, &intake.tables[0], &[], &[]);
    let slip = j.results.iter().find_map(|r| r.slip.as_ref()).expect("a slip");
    assert_eq!((slip.kind.word(), slip.probability), ("term-omitted", 1.0), "{slip:?}");
}

#[test]
fn fifty_thousand_formulas_are_read_in_time_and_the_rest_passed_over() {
    let many: Vec<String> = (0..60_000).map(|n| format!("=D7*{n}|{}", 84.3 * f64::from(n))).collect();
    let mut cells: Vec<(u32, u16, &str)> =
        many.iter().enumerate().map(|(n, t)| (100 + n as u32 / 30, 10 + (n % 30) as u16, t.as_str())).collect();
    let right = right();
    cells.push((VOLUME, VALUE, right.as_str()));
    let p = lab();
    let intake = read_file(&filled(&cells), &p, None, &Effort::new(UPLOAD), None).expect("a workbook");
    let under = intake.tables[0].under.as_ref().expect("formulas");
    assert!(under.cells.len() < 20, "only what the results hang on is kept: {}", under.cells.len());
    assert!(intake.remarks.iter().any(|r| r.contains("10001 were passed over")), "{:?}", intake.remarks);
    assert_eq!(verdict(&judge(&p, &intake.tables[0], &[], &[]), "plate_volume"), "agrees");
}

/// A workbook with other texts in the part of its first sheet.
fn edited(bytes: &[u8], changes: &[(&str, &str)]) -> Vec<u8> {
    let mut archive = zip::ZipArchive::new(std::io::Cursor::new(bytes)).expect("an archive");
    let mut out = zip::ZipWriter::new(std::io::Cursor::new(Vec::new()));
    for n in 0..archive.len() {
        let mut part = archive.by_index(n).expect("a part");
        let name = part.name().expect("a name").into_owned();
        let mut body = String::new();
        std::io::Read::read_to_string(&mut part, &mut body).expect("a text");
        if name.ends_with("sheet1.xml") {
            for (before, after) in changes {
                assert!(body.contains(before), "{body}");
                body = body.replace(before, after);
            }
        }
        out.start_file(name, zip::write::SimpleFileOptions::default()).expect("a part");
        std::io::Write::write_all(&mut out, body.as_bytes()).expect("written");
    }
    out.finish().expect("an archive").into_inner()
}

#[test]
fn a_file_that_was_saved_without_values_is_told_so() {
    let p = lab();
    let formula = "(D7-D6)*(D8-D6)*(D9-D6)/1000";
    let bytes = filled(&[(VOLUME, VALUE, &format!("={formula}|7"))]);
    let bytes = edited(&bytes, &[(&format!("<f>{formula}</f><v>7</v>"), &format!("<f>{formula}</f>"))]);
    let intake = read_file(&bytes, &p, None, &Effort::new(UPLOAD), None).expect("a workbook");
    let j = judge(&p, &intake.tables[0], &[], &[]);
    assert!(
        told(&j).contains("The file was saved without what its formulas give; the one in cell D11 gives 42.375"),
        "{}",
        told(&j)
    );
    assert_eq!(verdict(&j, "plate_volume"), "missing");
}

/// A formula that is copied down is kept once, and told of by its number elsewhere.
#[test]
fn shared_formulas_are_written_out_where_they_stand() {
    let p = lab();
    let bytes = filled(&[(VOLUME, VALUE, "=D7*D8*D9/1000|42.47597124"), (DENSITY, VALUE, "=D10/D11|2.69375829815634")]);
    // The volume's formula is the template, one row down it is D8*D9*D10/1000.
    let bytes = edited(
        &bytes,
        &[
            ("<f>D7*D8*D9/1000</f>", "<f t=\"shared\" ref=\"D11:D12\" si=\"0\">D7*D8*D9/1000</f>"),
            ("<f>D10/D11</f>", "<f t=\"shared\" si=\"0\"/>"),
        ],
    );
    let intake = read_file(&bytes, &p, None, &Effort::new(UPLOAD), None).expect("a workbook");
    let under = intake.tables[0].under.as_ref().expect("formulas");
    assert_eq!(under.cells["D11"].formula.as_deref(), Some("=D7*D8*D9/1000"));
    assert_eq!(under.cells["D12"].formula.as_deref(), Some("=D8*D9*D10/1000"));
}

#[test]
fn an_empty_data_sheet_names_its_cells_and_shows_the_decimals_of_its_instruments() {
    use calamine::{Reader, Xlsx};
    let p = lab();
    let bytes = write_xlsx(&p, None).expect("a workbook");
    let mut book: Xlsx<_> = Xlsx::new(std::io::Cursor::new(bytes)).expect("a workbook");
    let names: std::collections::BTreeMap<String, String> = book.defined_names().iter().cloned().collect();
    let rows = book.worksheet_range("Data sheet").expect("the sheet");
    let row_of = |id: &str| 1 + rows.rows().position(|r| r[0] == *id).expect("a line");
    assert_eq!(names["plate_length"], format!("'Data sheet'!$D${}", row_of("plate_length")));
    assert_eq!(names["L"], names["plate_length"]);
    let disc = row_of("disc_diameter");
    assert_eq!(names["disc_diameter"], format!("'Data sheet'!$D${disc}:$H${disc}"));
    assert_eq!(names["plate_volume"], format!("'Data sheet'!$D${}", row_of("plate_volume")));
    let cells = book.worksheet_style("Data sheet").expect("styles");
    let format = |row: usize, column: u32| {
        let style = cells.get((row as u32 - 1, column));
        style.and_then(|s| s.number_format.as_ref()).map_or("", |f| f.format_code.as_str()).to_owned()
    };
    assert_eq!(format(row_of("plate_length"), 3), "0.00");
    assert_eq!(format(row_of("plate_volume"), 3), "General");
    assert_eq!(format(row_of("plate_length"), 2), "@", "a unit is a text");
}

/// A cell shows what its format says: hundredths with their sign, and as many decimals; the formula gave more.
#[test]
fn a_value_is_taken_as_its_cell_shows_it_and_its_formula_as_it_gave_it() {
    let p = lab();
    let mut book = Workbook::new();
    let sheet = book.add_worksheet();
    for (c, head) in
        ["section", "team", "plate_mass", "plate_volume", "plate_density", "plate_error", "station"].iter().enumerate()
    {
        sheet.write_string(0, c as u16, *head).expect("a cell");
    }
    sheet.write_string(1, 0, "Morning").expect("a cell");
    sheet.write_string(1, 1, "Heron").expect("a cell");
    sheet.write_string(1, 6, "1").expect("a cell");
    let shows = |format: &str| rust_xlsxwriter::Format::new().set_num_format(format);
    sheet.write_number_with_format(1, 2, 114.4, &shows("0.00")).expect("a cell");
    sheet.write_number(1, 3, 42.38).expect("a cell");
    // The workbook is set to hold what its cells show.
    let density: f64 = format!("{:.3}", 114.4 / 42.38).parse().expect("a number");
    let formula = Formula::new("=C2/D2").set_result(density.to_string());
    sheet.write_formula_with_format(1, 4, formula, &shows("0.000")).expect("a formula");
    let error = (density - 2.7).abs() / 2.7;
    let formula = Formula::new("=ABS(E2-2.7)/2.7").set_result(error.to_string());
    sheet.write_formula_with_format(1, 5, formula, &shows("0.00%")).expect("a formula");
    let bytes = book.save_to_buffer().expect("a workbook");
    let intake = read_file(&bytes, &p, None, &Effort::new(UPLOAD), None).expect("a workbook");
    let text = |id: &str| intake.tables[0].cells.iter().find(|c| c.item == id).map_or("", |c| c.value.as_str());
    let shown = ["plate_mass", "plate_density", "plate_error"].map(text);
    assert_eq!(shown, ["114.40", &format!("{density:.3}"), &format!("{:.2}%", error * 100.0)]);
    let j = judge(&p, &intake.tables[0], &[], &[]);
    let of = |id: &str| {
        j.results.iter().find(|r| p.items[r.item].id == id).and_then(|r| r.under.clone()).expect("a formula")
    };
    assert_eq!((&of("plate_density").gives, &of("plate_error").gives), (&Gives::ItsValue, &Gives::ItsValue));
    assert!(!told(&j).contains("typed over"), "{}", told(&j));
}

/// A table of formulas without end: each result reads thousands of cells, and is no single mistake away.
#[test]
fn a_table_of_endless_formulas_is_judged_by_its_values() {
    let p = lab();
    let sums = ["SUM(J100:S299)"; 9].join("*1.01+");
    let long = format!("={sums}|0");
    let mut cells: Vec<(u32, u16, &str)> = (0..2_000).map(|n| (99 + n / 10, 9 + (n % 10) as u16, "1.5")).collect();
    cells.push((VOLUME, VALUE, long.as_str()));
    cells.push((DENSITY, VALUE, long.as_str()));
    let intake = read_file(&filled(&cells), &p, None, &Effort::new(UPLOAD), None).expect("a workbook");
    // Without a bound this line takes hours.
    let j = judge(&p, &intake.tables[0], &[], &[]);
    assert_eq!(verdict(&j, "plate_volume"), "unexplained");
}
