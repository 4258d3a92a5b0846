//! Files that cost more than they are worth are put down with a sentence, before they have cost it; honest ones beside them are read.
#![allow(missing_docs)]

use std::io::Write;
use std::time::{Duration, Instant};

use jurado_core::error::Fault;
use jurado_core::protocol::Protocol;
use jurado_intake::{Effort, Intake, Limits, TEAM, UPLOAD, read_file, read_own};

fn lab() -> Protocol {
    Protocol::parse(include_str!("../../core/tests/labs/plate-and-disc.toml")).expect("a lab")
}

fn packed(parts: &[(&str, String)]) -> Vec<u8> {
    let mut archive = zip::ZipWriter::new(std::io::Cursor::new(Vec::new()));
    for (name, text) in parts {
        archive.start_file(*name, zip::write::SimpleFileOptions::default()).expect("a part");
        archive.write_all(text.as_bytes()).expect("its text");
    }
    archive.finish().expect("an archive").into_inner()
}

/// A workbook with these sheets: name, target, and the insides of the part it is to be.
fn book(sheets: &[(&str, &str, String)], more: &[(&str, String)]) -> Vec<u8> {
    const REL: &str = "http://schemas.openxmlformats.org/officeDocument/2006/relationships";
    let list: String =
        sheets.iter().enumerate().map(|(n, (name, ..))| format!("<sheet name=\"{name}\" r:id=\"r{n}\"/>")).collect();
    let places: String = sheets
        .iter()
        .enumerate()
        .map(|(n, (_, at, _))| format!("<Relationship Id=\"r{n}\" Type=\"{REL}/worksheet\" Target=\"{at}\"/>"))
        .collect();
    let mut parts = vec![
        (
            "_rels/.rels".to_owned(),
            format!(
                "<Relationships><Relationship Id=\"a\" Type=\"{REL}/officeDocument\" Target=\"xl/workbook.xml\"/></Relationships>"
            ),
        ),
        ("xl/workbook.xml".to_owned(), format!("<workbook xmlns:r=\"{REL}\"><sheets>{list}</sheets></workbook>")),
        ("xl/_rels/workbook.xml.rels".to_owned(), format!("<Relationships>{places}</Relationships>")),
    ];
    for (n, (_, _, insides)) in sheets.iter().enumerate() {
        let text = format!("<worksheet><sheetData>{insides}</sheetData></worksheet>");
        parts.push((format!("xl/worksheets/sheet{}.xml", n + 1), text));
    }
    parts.extend(more.iter().map(|(name, text)| ((*name).to_owned(), text.clone())));
    let parts: Vec<(&str, String)> = parts.iter().map(|(name, text)| (name.as_str(), text.clone())).collect();
    packed(&parts)
}

fn line(cells: &[&str]) -> String {
    let cell = |t: &&str| format!("<c t=\"inlineStr\"><is><t>{t}</t></is></c>");
    format!("<row>{}</row>", cells.iter().map(cell).collect::<String>())
}

/// One honest table.
fn honest() -> String {
    line(&["section", "team", "item", "value"]) + &line(&["Morning", "Alfa", "plate_length", "84.44"])
}

fn document(rows: &str) -> Vec<u8> {
    packed(&[("content.xml", format!("<document><table name=\"a\">{rows}</table></document>"))])
}

/// Small limits, so that what is made for them is small too.
const FEW: Limits = Limits { cells: 1_000, rows: 1_000, held: 50, unpacked: 4 << 20, ..UPLOAD };

fn read(bytes: &[u8], limits: Limits) -> Result<Intake, Fault> {
    read_file(bytes, &lab(), None, &Effort::new(limits), None)
}

#[test]
fn what_costs_more_than_it_is_worth_is_put_down_with_a_sentence() {
    let one = |insides: String| book(&[("a", "worksheets/sheet1.xml", insides)], &[]);
    let part = |n: usize| format!("worksheets/sheet{n}.xml");
    let shared: Vec<(&str, &str, String)> = ["a", "b"].map(|name| (name, "worksheets/sheet1.xml", honest())).to_vec();
    let other_name = [("a", "worksheets/sheet1.xml", honest()), ("b", "/xl/worksheets/Sheet1.xml", honest())];
    let alike = [("a", "worksheets/sheet1.xml", honest()), ("A", "worksheets/sheet2.xml", honest())];
    let places: Vec<String> = (1..=60).map(part).collect();
    let many: Vec<(&str, &str, String)> = places.iter().map(|p| (p.as_str(), p.as_str(), honest())).collect();
    let attributes: String = (0..200).map(|n| format!("a{n}=\"\" ")).collect();
    let head = "section,team,item,row,value\n";
    let cell = "<table-cell value-type=\"string\"><p>x</p></table-cell>";
    let cases: Vec<(&str, Vec<u8>, &str)> = vec![
        ("sheets that share a part", book(&shared, &[]), "are one part"),
        ("a part by another name", book(&other_name, &[]), "are one part"),
        ("sheets of one name", book(&alike, &[]), "have one name"),
        ("sixty sheets", book(&many, &[]), "more than 50 sheets"),
        ("a sheet that is no part of XML", book(&[("a", "media/a.png", honest())], &[]), "where none can be"),
        ("empty cells", one("<c/>".repeat(1_200)), "more than 1000 cells"),
        ("rows alone", one("<row/>".repeat(6_000)), "more than 1000 cells and texts"),
        ("attributes", one(format!("<row {attributes}/>")), "more looks than are read"),
        ("one long tag", one(format!("<row a=\"{}\"/>", "x".repeat(70_000))), "more looks than are read"),
        ("a language of its own", one("<!DOCTYPE a [<!ENTITY b \"c\">]>".into()), "a language of its own"),
        (
            "a number of texts that is only said",
            book(
                &[("a", "worksheets/sheet1.xml", honest())],
                &[("xl/sharedStrings.xml", "<sst uniqueCount=\"4000000000000\"/>".into())],
            ),
            "more texts than it can",
        ),
        (
            "a format that is copied out",
            book(
                &[("a", "worksheets/sheet1.xml", honest())],
                &[(
                    "xl/styles.xml",
                    format!("<styleSheet><numFmt formatCode=\"{}\"/></styleSheet>", "0".repeat(3_000)),
                )],
            ),
            "more looks than are read",
        ),
        ("what unpacks without end", one(" ".repeat(5 << 20)), "more than 4 megabytes"),
        ("a row of cells", document(&format!("<table-row>{}</table-row>", cell.repeat(1_200))), "more than 1000 cells"),
        (
            "cells that are only said to be there",
            document(&format!(
                "<table-row number-rows-repeated=\"100000\">{}</table-row>",
                cell.replace("table-cell v", "table-cell number-columns-repeated=\"150\" v")
            )),
            "more than can be read at once",
        ),
        ("a line of separators", ",".repeat(100_000).into_bytes(), "more than 200 columns"),
        (
            "lines of nothing",
            format!("{head}{}Morning,A,zero,,1\n", ",,\n".repeat(5_000)).into_bytes(),
            "more than 3000 lines",
        ),
        (
            "rows of nobody",
            format!("{head}{}", "x\n".repeat(100)).into_bytes(),
            "more than 50 rows of the file cannot be used",
        ),
        ("unknown items", format!("{head}{}", "Morning,Alfa,thing,,1\n".repeat(100)).into_bytes(), "more than 50 rows"),
        ("objects", format!("[{}{{}}]", "{},".repeat(3_000)).into_bytes(), "more than 1000 cells"),
        ("lists", format!("[{}[]]", "[],".repeat(3_000)).into_bytes(), "more than 1000 cells"),
        (
            "keys",
            format!(
                "[{{\"section\":\"a\",\"team\":\"b\",\"keys\":{{{}\"k\":\"\"}},\"cells\":[]}}]",
                (0..80).map(|n| format!("\"{n}\":\"\",")).collect::<String>()
            )
            .into_bytes(),
            "at most 64 keys",
        ),
        (
            "parts without end",
            (b"PK\x03\x04".to_vec()).into_iter().chain(b"PK\x01\x02".repeat(30_000)).collect(),
            "more than 20000 parts",
        ),
    ];
    for (what, bytes, says) in cases {
        let fault = read(&bytes, FEW).expect_err(what);
        assert!(fault.what.contains(says), "{what}: {fault:?}");
        assert!(!fault.mend.is_empty(), "{what}");
    }
}

#[test]
fn what_is_just_within_the_limits_is_read() {
    let one = |insides: String| book(&[("a", "worksheets/sheet1.xml", insides)], &[]);
    let head = "section,team,item,row,value\n";
    let good = "Morning,Alfa,plate_length,,84.44\n";
    for (what, bytes) in [
        ("a workbook", one(honest())),
        (
            "two sheets",
            book(&[("a", "worksheets/sheet1.xml", honest()), ("b", "worksheets/sheet2.xml", honest())], &[]),
        ),
        ("a long formula", one(honest() + &format!("<row><c><f>{}1</f><v>1</v></c></row>", "1+".repeat(4_000)))),
        (
            "shared formulas of any number",
            one(honest() + "<row><c><f t=\"shared\" si=\"4000000000\" ref=\"A3:A4\">1+1</f><v>2</v></c></row>"),
        ),
        ("separators to the end of a spreadsheet", format!("{head}{good}{}", ",,,,,\n".repeat(100_000)).into_bytes()),
        (
            "quotes with separators and line ends in them",
            format!("{head}{}\n", "Morning,Alfa,plate_length,,\"84.44\"").into_bytes(),
        ),
        ("held rows", format!("{head}{good}{}", "Morning,Alfa,thing,,1\n".repeat(50)).into_bytes()),
        (
            "a list",
            br#"[{"section":"Morning","team":"Alfa","keys":{},"cells":[{"item":"plate_length","value":"84.44"}]}]"#
                .to_vec(),
        ),
    ] {
        let intake = read(&bytes, FEW).unwrap_or_else(|f| panic!("{what}: {f:?}"));
        assert_eq!(intake.tables.len(), 1, "{what}: {:?}", intake.held.first());
        assert_eq!(intake.tables[0].cells[0].value, "84.44", "{what}");
    }
    // A quote in a cell opens none.
    let inch = format!(
        "{head}Morning,Alfa,plate_length,,\"84.44\"\nMorning,Alfa,plate_width,,5\" wide\n{}",
        "Morning,Alfa,thing,,1\n".repeat(40)
    );
    let intake = read(inch.as_bytes(), FEW).expect("read");
    assert_eq!((intake.tables[0].cells.len(), intake.held.len()), (2, 40));
}

#[test]
fn formulas_over_the_same_cells_are_not_kept_for_every_team() {
    let mut rows = line(&["section", "team", "plate_length", "plate_volume"]);
    for n in 2..=600 {
        rows += &format!(
            "<row r=\"{n}\"><c r=\"A{n}\" t=\"inlineStr\"><is><t>Morning</t></is></c><c r=\"B{n}\" t=\"inlineStr\"><is><t>T{n}</t></is></c>\
             <c r=\"C{n}\"><v>8{n}</v></c><c r=\"D{n}\"><f>SUM(C2:C600)</f><v>1</v></c></row>"
        );
    }
    let bytes = book(&[("a", "worksheets/sheet1.xml", rows)], &[]);
    let intake = read(&bytes, UPLOAD).expect("read");
    assert_eq!(intake.tables.len(), 599);
    let kept: usize = intake.tables.iter().filter_map(|t| t.under.as_ref()).map(|u| u.cells.len()).sum();
    assert!((100_000..=101_000).contains(&kept), "{kept} cells are kept of all tables");
    assert!(intake.remarks.iter().any(|r| r.contains("went without them")), "{:?}", intake.remarks);
}

#[test]
fn a_deadline_ends_any_reader_and_a_team_has_less_than_a_person() {
    let rows: String = (0..60_000).map(|n| format!("Morning,T{n},plate_length,,84.44\n")).collect();
    let text = format!("section,team,item,row,value\n{rows}");
    let limits = Limits { work: Duration::from_millis(5), ..UPLOAD };
    let begun = Instant::now();
    let fault = read(text.as_bytes(), limits).expect_err("it takes longer");
    assert!(fault.what.contains("s of the processor"), "{fault:?}");
    assert!(begun.elapsed() < Duration::from_secs(5));
    let p = lab();
    let own = |effort| read_own(text.as_bytes(), &p, ("Morning", "T1"), &effort);
    assert!(own(Effort::new(TEAM)).expect_err("too long").what.contains("more than 41000 lines"));
    assert!(own(Effort::new(Limits { work: Duration::from_secs(60), ..UPLOAD })).is_ok());
}
