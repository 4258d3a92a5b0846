use super::*;
use jurado_core::protocol::ItemId;
use jurado_core::submission::SubmittedCell;
use proptest::prelude::*;

fn protocol() -> Protocol {
    Protocol::parse(include_str!("../../../crates/core/tests/labs/plate-and-disc.toml")).expect("the shipped protocol")
}

fn roster() -> Roster {
    let teams = ["Heron", "Kilo"].map(str::to_owned).into_iter().collect();
    Roster { sections: [("Morning".to_owned(), teams)].into_iter().collect(), allowed: None }
}

const HEADER: &str = "section,team,station,item,row,value,unit,plus_minus,excluded,note\n";

#[test]
fn a_long_file_gives_tables_with_cells_as_typed() {
    let text = format!(
        "{HEADER}Morning,Heron,2,plate_length,,84.30,mm,,,\nMorning,Kilo,3,plate_length,,\"84,3 0\",mm,0.02,,hm\nMorning,Heron,2,disc_diameter,1,51.20,mm,,x,slipped\n"
    );
    let intake = read_csv(text.as_bytes(), &protocol(), Some(&roster())).expect("readable");
    assert_eq!((intake.tables.len(), intake.held.len(), intake.rows), (2, 0, 3));
    let heron = &intake.tables[0];
    assert_eq!((heron.team.as_str(), heron.keys["station"].as_str(), heron.cells.len()), ("Heron", "2", 2));
    assert_eq!(heron.cells[0].value, "84.30", "trailing zeros are information");
    assert_eq!(heron.cells[1].row, Some(1));
    assert_eq!((intake.tables[1].cells[0].value.as_str(), intake.tables[1].cells[0].note.as_str()), ("84,3 0", "hm"));
}

/// What the portions of a file give, one after the other.
fn in_portions(text: &str, tables: usize) -> Vec<Intake> {
    let mut file = tempfile::NamedTempFile::new().expect("a file");
    std::io::Write::write_all(&mut file, text.as_bytes()).expect("its text");
    let mut portions = Portions::of(file.path(), tables).expect("readable").expect("of the long layout");
    let protocol = protocol();
    std::iter::from_fn(|| portions.next(&protocol)).map(|p| p.expect("readable")).collect()
}

proptest! {
    /// A file that is read in portions gives the tables and held rows that it gives as a whole, each at its line, wherever a
    /// team's rows stand and however its lines end; and where teams follow one another it is cut.
    #[test]
    fn portions_give_what_the_whole_file_gives(
        rows in prop::collection::vec((0..9_usize, 0..6_usize, 0..9_usize), 1..60),
        sorted: bool, ending in 0..2_usize, bom: bool, separator in 0..2_usize, least in 1..4_usize,
    ) {
        let mut rows = rows;
        if sorted {
            rows.sort_unstable();
        }
        let line = |(team, kind, n): &(usize, usize, usize)| match kind {
            0 => format!("Morning,T{team},2,plate_lenght,,84.3{n},mm,,,\n"),
            1 => format!("Morning,T{team},2,disc_diameter,{n},51.20,mm,,,\"two\nlines\"\n"),
            2 => format!("\n  Evening , T{team},3,plate_length,,84.3{n},mm,,,\n\n"),
            3 => format!(",,2,plate_length,,84.3{n},mm,,,\n"),
            _ => format!("Morning,T{team},2,disc_diameter,{},51.2{n},mm,,,\n", n % 6 + 1),
        };
        let text = format!("\n{HEADER}\n") + &rows.iter().map(line).collect::<String>();
        let text = text.replace(',', [",", ";"][separator]).replace('\n', ["\n", "\r\n"][ending]);
        let text = if bom { format!("\u{feff}{text}") } else { text };
        let whole = read_csv(text.as_bytes(), &protocol(), None).expect("readable");
        let portions = in_portions(&text, least);
        let tables: Vec<&Submission> = portions.iter().flat_map(|p| &p.tables).collect();
        prop_assert_eq!(tables, whole.tables.iter().collect::<Vec<_>>());
        let held: Vec<&HeldRow> = portions.iter().flat_map(|p| &p.held).collect();
        prop_assert_eq!(held, whole.held.iter().collect::<Vec<_>>());
        let rows: usize = portions.iter().map(|p| p.rows).sum();
        prop_assert_eq!(rows, whole.rows);
        let ends = whole.tables.first().zip(whole.tables.last());
        if sorted && least == 1 && ends.is_some_and(|(a, b)| a.team != b.team) {
            prop_assert!(portions.len() > 1);
        }
    }
}

#[test]
fn a_file_of_another_layout_has_no_portions() {
    let folder = tempfile::tempdir().expect("a folder");
    let sheet = write_sheet(&protocol(), None);
    for (name, text) in
        [("empty", ""), ("header", HEADER), ("json", "[]"), ("sheet", sheet.as_str()), ("names", "a,b\n1,2\n")]
    {
        let path = folder.path().join(name);
        std::fs::write(&path, text).expect("a file");
        assert!(Portions::of(&path, 1).expect("readable").is_none(), "{name}");
    }
    assert!(Portions::of(&folder.path().join("none"), 1).is_err());
}

#[test]
fn bom_crlf_semicolons_and_tabs_are_taken_too() {
    for (separator, name) in [(";", "semicolon"), ("\t", "tab")] {
        let text = format!("\u{feff}{HEADER}Morning,Heron,2,plate_length,,84.30,mm,,,\n")
            .replace(',', separator)
            .replace('\n', "\r\n");
        let intake = read_csv(text.as_bytes(), &protocol(), None).expect(name);
        assert_eq!(intake.tables[0].cells[0].value, "84.30");
        assert!(intake.remarks[0].contains(name));
    }
}

/// The files of an upload.
fn unpacked(name: &str, bytes: Vec<u8>, budget: &mut Budget) -> Result<Vec<crate::Part>, Fault> {
    let mut parts = Vec::new();
    crate::unpack(name, bytes, (&Effort::new(UPLOAD), budget), &mut |part| {
        parts.push(part);
        Ok::<(), Fault>(())
    })?;
    Ok(parts)
}

/// An archive with these parts.
fn packed(parts: &[(&str, &[u8])]) -> Vec<u8> {
    use std::io::Write;
    let mut archive = zip::ZipWriter::new(std::io::Cursor::new(Vec::new()));
    // The fastest packing: what is in it matters, not how well it is packed.
    let options = zip::write::SimpleFileOptions::default().compression_level(Some(1));
    for (name, bytes) in parts {
        archive.start_file(*name, options).expect("a part");
        archive.write_all(bytes).expect("its bytes");
    }
    archive.finish().expect("an archive").into_inner()
}

/// What unpacks to more than a data sheet can need is refused before it is unpacked, whatever sizes it states.
#[test]
fn a_spreadsheet_that_unpacks_without_end_is_refused() {
    let bomb = packed(&[("content.xml", &vec![b' '; 3 << 20])]);
    assert!(bomb.len() < 100_000);
    let fault =
        crate::spreadsheet::read(&bomb, &Effort::new(Limits { unpacked: 2 << 20, ..UPLOAD })).expect_err("too much");
    assert!(fault.what.contains("unpacks to more than 2 megabytes"), "{fault}");
}

/// A file none of which can be used: what is said, and where.
#[test]
fn unusable_files_are_refused_with_a_place_and_a_mend() {
    let (wide, wider) = ("a,".repeat(1_000), "a,".repeat(10_000));
    let cases: Vec<(Vec<u8>, &str)> = vec![
        (b"".to_vec(), "the file is empty"),
        (b"\n \r\n".to_vec(), "the file is empty"),
        (vec![0; 4000], "full of NUL bytes"),
        (b"\xff\xfes\0e\0c\0".to_vec(), "UTF-16"),
        (b"PK\x03\x04....".to_vec(), "begins like a spreadsheet and cannot be unpacked"),
        (packed(&[("letter.txt", b"dear")]), "an archive and no spreadsheet"),
        (packed(&[("xl/workbook.xml", b"<x/>"), ("xl/vbaProject.bin", b"x")]), "holds macros"),
        (packed(&[("xl/workbook.xml", b"<x/>")]), "cannot be read"),
        (b"\xd0\xcf\x11\xe0\xa1\xb1\x1a\xe1 old".to_vec(), "an old or a locked workbook"),
        (b"section,team,station\n".to_vec(), "lacks the columns item, value"),
        (b"section,team,item,value,team\n".to_vec(), "the column `team` is there twice"),
        (HEADER.as_bytes().to_vec(), "column names and no rows"),
        (b"section,team,it\xe9m,value\n".to_vec(), "the byte 0xE9 is not UTF-8"),
        (wide.into_bytes(), "more than 200 columns"),
        (wider.into_bytes(), "more than 200 columns"),
        (vec![b'a'; UPLOAD.bytes + 1], "megabytes"),
    ];
    for (bytes, what) in cases {
        let fault = read_csv(&bytes, &protocol(), None).expect_err(what);
        assert!(fault.what.contains(what), "{}", fault.what);
        assert!(fault.line >= 1 && !fault.mend.is_empty());
    }
    let long = HEADER.to_owned() + &"Morning,Heron,2,zero,,0,mm,,,\n".repeat(UPLOAD.rows + 1);
    let read = |limits| {
        crate::read_file(long.as_bytes(), &protocol(), None, &Effort::new(limits), None).expect_err("too long")
    };
    assert!(
        read(Limits { held: usize::MAX, work: std::time::Duration::from_secs(60), ..UPLOAD })
            .what
            .contains("more than 200000 rows")
    );
    assert!(read(UPLOAD).what.contains("more than 20000 rows of the file cannot be used"));
}

/// One bad row among good ones: the good are offered, the bad one is held with its line, column and reason.
#[test]
fn bad_rows_are_held_and_the_others_offered() {
    for (row, code, column, what) in [
        (&b"Evening,Heron,2,zero,,0.02,mm,,,"[..], "unknown-section", 1, "there is no section `Evening`"),
        (
            "Morning,Her\u{200b}on,2,zero,,0.02,mm,,,".as_bytes(),
            "unseen-in-team",
            9,
            "“Heron” holds a sign that is not seen (U+200B)",
        ),
        ("Mor\u{202e}ning,Heron,2,zero,,0.02,mm,,,".as_bytes(), "unseen-in-section", 1, "“Morning” holds a sign"),
        (b"Morning,Osprey,2,zero,,0.02,mm,,,", "unknown-team", 9, "there is no team `Osprey` in Morning"),
        (b"Morning,Heron,9,zero,,0.02,mm,,,", "unknown-key", 15, "there is no station `9`"),
        (b"Morning,Heron,3,zero,,0.02,mm,,,", "mixed-key", 15, "station 3 here, 2 in the rows before"),
        (
            b"Morning,Heron,2,plate_lenght,,1,mm,,,",
            "unknown-item",
            17,
            "`plate_lenght` is no reading or result of Keel plate",
        ),
        (b"Morning,Heron,2,plate_reference,,1,mm,,,", "unknown-item", 17, "is no reading or result"),
        (b"Morning,Heron,2,,,1,mm,,,", "no-item", 17, "the row names no item"),
        (b",Heron,2,zero,,1,mm,,,", "no-name", 1, "the row names no section"),
        (b"Morning,Heron,2,disc_diameter,,1,mm,,,", "row", 31, "taken several times and the row has no number"),
        (b"Morning,Heron,2,disc_diameter,one,1,mm,,,", "row", 31, "`one` is no row number"),
        (b"Morning,Heron,2,plate_width,2,1,mm,,,", "row", 29, "there is no row 2"),
        (b"Morning,Heron,2,plate_length,,84.32,mm,,,", "duplicate", 17, "already on line 2"),
        (b"Morning,Heron,2,zero,,0.02,mm,,,,,,", "columns", 0, "the row has 13 cells"),
        (b"Morning,Heron,2,zero,,0.0\xff,mm,,,", "encoding", 23, "the byte 0xFF is not UTF-8"),
        (b"Morning,Heron,2,zero,,0.0\x002,mm,,,", "nul-byte", 23, "a NUL byte"),
    ] {
        let mut bytes = format!("{HEADER}Morning,Heron,2,plate_length,,84.30,mm,,,\n").into_bytes();
        bytes.extend_from_slice(row);
        bytes.extend_from_slice(b"\nMorning,Kilo,1,zero,,0.00,mm,,,\n");
        let intake = read_csv(&bytes, &protocol(), Some(&roster())).expect("the others can be used");
        assert_eq!(intake.held.len(), 1, "{what}");
        let held = &intake.held[0];
        assert_eq!((held.code, held.fault.line), (code, 3), "{}", held.fault);
        assert!(held.fault.what.contains(what), "{}", held.fault);
        assert!(!held.fault.mend.is_empty() && !held.text.is_empty());
        if column > 0 {
            assert_eq!(held.fault.column, column, "{what}");
        }
        assert_eq!(intake.tables.iter().map(|t| t.cells.len()).sum::<usize>(), 2, "{what}");
    }
}

#[test]
fn a_misspelt_item_is_told_its_neighbour() {
    let text = format!("{HEADER}Morning,Heron,2,Plate Lenght,,84.30,mm,,,\n");
    let intake = read_csv(text.as_bytes(), &protocol(), None).expect("readable");
    assert_eq!(intake.held[0].fault.mend, "did you mean `plate_length`?");
    assert!(intake.tables.is_empty(), "a table of which nothing is left is none");
}

#[test]
fn an_unknown_column_is_said_and_left_aside() {
    let text = "section,team,item,value,weather\nMorning,Heron,zero,0.02,rain\n";
    let intake = read_csv(text.as_bytes(), &protocol(), None).expect("readable");
    assert_eq!(intake.remarks, ["The column “weather” is not known to this lab and was left aside."]);
}

#[test]
fn signs_that_are_not_seen_are_found_in_names_and_joiners_of_a_script_are_not() {
    for (name, sign) in [
        ("Heron", None),
        ("Ħéron 二", None),
        ("می\u{200c}خواهم", None),
        ("He\u{200d}ron", Some('\u{200d}')),
        ("Heron\u{200c}", Some('\u{200c}')),
        ("\u{202e}noreH", Some('\u{202e}')),
        ("He\u{ad}ron", Some('\u{ad}')),
        ("He\tron", Some('\t')),
    ] {
        assert_eq!(unseen_sign(name), sign, "{name:?}");
        assert_eq!(unseen_sign(&without_unseen_signs(name)), None, "{name:?}");
    }
    let fault = read_roster("section,team\nMorning,He\u{200b}ron\n".as_bytes()).expect_err("it looks like Heron");
    assert_eq!((fault.line, fault.what.as_str()), (2, "“Heron” holds a sign that is not seen (U+200B)"));
}

#[test]
fn a_reviewer_is_told_own_sections_and_no_other() {
    let mut roster = roster();
    roster.sections.insert("Evening".to_owned(), Default::default());
    roster.allowed = Some(["Evening".to_owned()].into_iter().collect());
    let text = format!("{HEADER}Nowhere,Heron,2,zero,,0.02,mm,,,\n");
    let held = |roster: &Roster| read_csv(text.as_bytes(), &protocol(), Some(roster)).expect("readable").held.remove(0);
    assert_eq!(held(&roster).fault.mend, "it may be Evening");
    roster.allowed = None;
    assert_eq!(held(&roster).fault.mend, "it may be Evening, Morning");
}

#[test]
fn a_reviewer_hands_in_for_own_sections_only() {
    let mut roster = roster();
    roster.allowed = Some(Default::default());
    let text = format!("{HEADER}Morning,Heron,2,zero,,0.02,mm,,,\n");
    let intake = read_csv(text.as_bytes(), &protocol(), Some(&roster)).expect("readable");
    assert_eq!(intake.held[0].code, "other-section");
}

#[test]
fn an_empty_template_names_every_item_and_is_no_table() {
    let p = protocol();
    let sheet = write_sheet(&p, None);
    assert!(sheet.starts_with("data sheet,keel-plate,Keel plate,version,1\nsection,\nteam,\nstation,,\"Station: 1, 2, 3, 4, 5\"\nitem,what,unit,1,2,3,4,5,plus_minus,excluded,note,hint\n"), "{sheet}");
    assert!(sheet.contains("disc_diameter,disc diameter,mm,,,,,,,,,to 0.020\n"), "{sheet}");
    assert!(read_csv(sheet.as_bytes(), &p, None).expect_err("nothing filled in").what.contains("names no section"));
}

proptest! {
    /// A filled sheet, written and read back, is the same table.
    #[test]
    fn sheets_read_back_without_loss(
        values in prop::collection::vec("[0-9]{1,3}[.,][0-9]{1,3}|~5|6[.]31 → 6[.]27|n/a|4[.]1 cm", 20),
        reason in "[a-z ,\"]{0,12}",
    ) {
        let p = protocol();
        let mut values = values.into_iter();
        let mut cells = Vec::new();
        for item in p.items.iter().filter(|i| !matches!(i.kind, jurado_core::protocol::ItemKind::Reference(_))) {
            let rows = p.rows_of(p.item(&item.id).expect("an item"));
            for n in 1..=rows.unwrap_or(1) {
                let Some(value) = values.next() else { break };
                let excluded = if n == 4 { reason.trim().to_owned() } else { String::new() };
                cells.push(SubmittedCell { item: item.id.clone(), row: rows.map(|_| n), value, unit: item.unit.text.clone(), excluded, ..Default::default() });
            }
        }
        let table = Submission { section: "Morning".into(), team: "Heron, the".into(), keys: [("station".to_owned(), "2".to_owned())].into(), cells, ..Submission::default() };
        let back = read_csv(write_sheet(&p, Some(&table)).as_bytes(), &p, None).expect("its own sheet");
        prop_assert_eq!(&back.tables[0], &table);
    }

    /// Any bytes are taken, held or refused, never a panic.
    #[test]
    fn any_bytes_are_taken_held_or_refused(bytes in prop::collection::vec(any::<u8>(), 0..300)) {
        let p = protocol();
        let _ = read_csv(&bytes, &p, None);
        let mut with_header = HEADER.as_bytes().to_vec();
        with_header.extend_from_slice(&bytes);
        let _ = read_csv(&with_header, &p, Some(&roster()));
        let _ = read_json(&bytes, &p, &Effort::new(UPLOAD));
    }
}

/// People lay files out as they like: a line a team, a line a reading under other names, units in the head.
#[test]
fn wide_files_and_other_names_give_the_same_table() {
    let canonical = format!(
        "{HEADER}Morning,Heron,2,plate_length,,84.30,mm,,,\nMorning,Heron,2,disc_diameter,1,45.68,mm,,,\nMorning,Heron,2,disc_diameter,2,45.66,mm,,,\n"
    );
    let wanted = read_csv(canonical.as_bytes(), &protocol(), None).expect("readable").tables;
    for (what, text) in [
        (
            "a line a team",
            "Watch;Team name;Station;Plate length (mm);Disc diameter 1 [mm];Disc diameter 2 [mm]\nMorning;Heron;2;84.30;45.68;45.66\n",
        ),
        (
            "ids as heads",
            "section,team,station,plate_length / mm,disc_diameter_1 / mm,disc_diameter[2] / mm\nMorning,Heron,2,84.30,45.68,45.66\n",
        ),
        (
            "a line a replicate",
            "group\tteam\tstation\ttrial\tplate length in mm\tdisc diameter in mm\nMorning\tHeron\t2\t1\t84.30\t45.68\nMorning\tHeron\t2\t2\t\t45.66\n",
        ),
        (
            "long, by title",
            "Section,Pair,Station,Quantity,No,Measured,Units\nMorning,Heron,2,Plate length,,84.30,mm\nMorning,Heron,2,Disc diameter,1,45.68,mm\nMorning,Heron,2,Disc diameter,2,45.66,mm\n",
        ),
    ] {
        let intake = read_csv(text.as_bytes(), &protocol(), None).unwrap_or_else(|f| panic!("{what}: {f}"));
        assert!(intake.held.is_empty(), "{what}: {:?}", intake.held);
        assert_eq!(intake.tables, wanted, "{what}");
    }
}

/// A line is counted the same whether it ends as on one system or the other.
#[test]
fn a_held_row_names_its_line_whatever_ends_the_lines() {
    for end in ["\n", "\r\n"] {
        let text =
            format!("{HEADER}Morning,Heron,2,plate_length,,84.30,mm,,,\nMorning,Heron,2,plate_lenght,,1,mm,,,\n")
                .replace('\n', end);
        let intake = read_csv(text.as_bytes(), &protocol(), None).expect("readable");
        assert_eq!(intake.held.iter().map(|h| h.fault.line).collect::<Vec<_>>(), [3], "{end:?}");
    }
}

#[test]
fn columns_are_guessed_shown_and_said_otherwise() {
    let text = "who,L,W,station,remarks,x\nHeron,84.30,41.92,2,fine,12\nKilo,83.10,40.50,3,,13\n";
    let columns = crate::columns_of(text.as_bytes(), &protocol());
    let meanings: Vec<&str> = columns.iter().map(|c| c.meaning.as_str()).collect();
    assert_eq!(meanings[1..5], ["cell:plate_length", "cell:plate_width", "key:station", "note"]);
    assert_eq!(columns[1].examples, ["84.30", "83.10"]);
    // Nobody said who the teams are: told, not guessed.
    let fault = read_csv(text.as_bytes(), &protocol(), None).expect_err("no team");
    assert!(fault.what.contains("team"), "{fault}");
    let map = crate::ColumnMap {
        columns: ["team", "cell:plate_length", "cell:plate_width", "key:station", "", ""].map(str::to_owned).to_vec(),
        section: "Morning".to_owned(),
    };
    let intake = crate::read_file(text.as_bytes(), &protocol(), Some(&roster()), &Effort::new(UPLOAD), Some(&map))
        .expect("readable");
    assert_eq!(intake.tables.len(), 2, "{:?}", intake.held);
    assert_eq!((intake.tables[0].team.as_str(), intake.tables[0].cells.len()), ("Heron", 2));
    // A file as Jurado writes it asks nothing.
    assert_eq!(
        crate::columns_of(format!("{HEADER}Morning,Heron,2,plate_length,,84.30,mm,,,\n").as_bytes(), &protocol()),
        []
    );
}

#[test]
fn an_archive_gives_its_files_and_never_more_than_it_may() {
    let zip = packed(&[("one/heron.csv", b"a"), ("kilo.csv", b"b"), (".hidden", b"c"), ("__MACOSX/x", b"d")]);
    let parts = unpacked("teams.zip", zip, &mut Budget::upload()).expect("an archive");
    assert_eq!(parts.iter().map(|p| p.name.as_str()).collect::<Vec<_>>(), ["heron.csv", "kilo.csv"]);
    let whole = unpacked("a.csv", b"section,team".to_vec(), &mut Budget::upload()).expect("one file");
    assert_eq!((whole.len(), whole[0].name.as_str()), (1, "a.csv"));
    let bomb = packed(&[("big.csv", &vec![b'1'; 3 << 20])]);
    let fault = unpacked("bomb.zip", bomb, &mut Budget::of(1 << 20)).expect_err("too much");
    assert!(fault.what.contains("unpack to more than 1 megabytes"), "{fault}");
    let many: Vec<(String, &[u8])> = (0..=crate::MOST_PARTS).map(|n| (format!("{n}.csv"), &b"x"[..])).collect();
    let many: Vec<(&str, &[u8])> = many.iter().map(|(n, b)| (n.as_str(), *b)).collect();
    assert!(unpacked("many.zip", packed(&many), &mut Budget::upload()).is_err());
    assert!(unpacked("torn.zip", b"PK\x03\x04torn".to_vec(), &mut Budget::upload()).is_err());
}

#[test]
fn a_json_list_is_taken_with_the_roster_in_mind() {
    let text = r#"[{"section":"Morning","team":"Heron","keys":{"station":"2"},"cells":[{"item":"plate_length","value":"84.30"}]},
        {"section":"Morning","team":"Heron","keys":{},"cells":[{"item":"plate_length","value":"1"}]},
        {"section":"Morning","team":"Nobody","keys":{},"cells":[]}]"#;
    let intake = read_csv(text.as_bytes(), &protocol(), Some(&roster())).expect("readable");
    assert_eq!((intake.tables.len(), intake.held.len()), (1, 2));
    assert_eq!(intake.held.iter().map(|h| h.code).collect::<Vec<_>>(), ["duplicate", "unknown-team"]);
}

/// Any file with columns of its own, read by any map, is tables, held rows or one fault.
mod any_columns {
    use super::*;
    proptest::proptest! {
        #[test]
        fn any_map_over_any_text_is_read_or_refused(
            text in "([a-z ()\\[\\]/_0-9±]{0,14}[,;\n\t]){0,40}",
            map in proptest::collection::vec("(section|team|item|value|row|cell:plate_length|cell:disc_diameter:2|cell:nothing|pm:plate_mass|key:station|key:x|)", 0..12),
        ) {
            let _ = crate::columns_of(text.as_bytes(), &protocol());
            let map = crate::ColumnMap { columns: map, section: "Morning".into() };
            if let Ok(intake) = crate::read_file(text.as_bytes(), &protocol(), Some(&roster()), &Effort::new(UPLOAD), Some(&map)) {
                for table in &intake.tables {
                    proptest::prop_assert!(table.cells.iter().all(|c| protocol().item(&c.item).is_some()));
                }
            }
        }
    }
}

/// Files made to exhaust whoever reads them: each is answered with a sentence that says where, and in no time.
#[test]
fn a_small_file_that_says_it_is_large_is_refused_before_anything_is_set_aside_for_it() {
    let protocol = protocol();
    let fault = |bytes: &[u8]| read_csv(bytes, &protocol, None).expect_err("it is refused");
    let sheet = |cells: &[(u32, u16)]| {
        let mut book = rust_xlsxwriter::Workbook::new();
        let sheet = book.add_worksheet();
        for (row, column) in cells {
            sheet.write_string(*row, *column, "x").expect("a cell");
        }
        book.save_to_buffer().expect("a workbook")
    };
    let begun = std::time::Instant::now();
    assert!(fault(&sheet(&[(0, 0), (1_048_575, 16_383)])).what.contains("row 1048576"));
    assert!(fault(&sheet(&[(0, 0), (5, 300)])).what.contains("column 301"));
    let ods = |rows: &str| {
        let content = format!(
            "<?xml version=\"1.0\"?><office:document-content xmlns:office=\"o\" xmlns:table=\"t\" xmlns:text=\"x\"><office:body>\
             <office:spreadsheet><table:table>{rows}</table:table></office:spreadsheet></office:body></office:document-content>"
        );
        packed(&[("content.xml", content.as_bytes())])
    };
    let cell = |columns: u32, text: &str| {
        format!(
            "<table:table-cell office:value-type=\"string\" table:number-columns-repeated=\"{columns}\"><text:p>{text}</text:p></table:table-cell>"
        )
    };
    let row = |times: u32, cells: &str| {
        format!("<table:table-row table:number-rows-repeated=\"{times}\">{cells}</table:table-row>")
    };
    assert!(fault(&ods(&row(4_000, &cell(16_384, "x")))).what.contains("column 202"));
    assert!(fault(&ods(&row(4_000_000_000, &cell(1, "x")))).what.contains("row 200002"));
    assert!(begun.elapsed() < std::time::Duration::from_secs(5), "{:?}", begun.elapsed());
    // Blank cells that are said to be there millions of times are not there, and a table between them is read.
    let blank = "<table:table-cell table:number-columns-repeated=\"16000\"/>";
    let line = |fields: &str| row(1, &(fields.split(',').map(|f| cell(1, f)).collect::<String>() + blank));
    let body = line("section,team,item,value") + &line("Morning,Alfa,zero,0.04") + &row(1_000_000, blank);
    let read = read_csv(&ods(&body), &protocol, None).expect("it is read");
    assert_eq!((read.tables.len(), read.tables[0].cells[0].value.as_str()), (1, "0.04"));
}

#[test]
fn pictures_in_an_archive_are_refused_as_they_come_out_and_an_upload_has_one_budget() {
    let picture = |megabytes: usize| {
        let mut bytes = b"\x89PNG\r\n\x1a\n".to_vec();
        bytes.resize(megabytes << 20, 0);
        bytes
    };
    let many: Vec<(String, Vec<u8>)> = (0..13).map(|n| (format!("Heron {n}.png"), picture(19))).collect();
    let parts: Vec<(&str, &[u8])> = many.iter().map(|(n, b)| (n.as_str(), b.as_slice())).collect();
    let mut budget = Budget::upload();
    let fault = unpacked("pictures.zip", packed(&parts), &mut budget).expect_err("too large");
    assert!(fault.what.contains("is a picture of more than 12 megabytes"), "{}", fault.what);
    // Each within its own limit, and together more than an upload may be.
    let small: Vec<(String, Vec<u8>)> = (0..6).map(|n| (format!("Heron {n}.png"), picture(11))).collect();
    let parts: Vec<(&str, &[u8])> = small.iter().map(|(n, b)| (n.as_str(), b.as_slice())).collect();
    let archive = packed(&parts);
    let mut budget = Budget::upload();
    unpacked("one.zip", archive.clone(), &mut budget).expect("the first is within the budget");
    let fault = unpacked("two.zip", archive, &mut budget).expect_err("the second is not");
    assert!(fault.what.contains("together"), "{}", fault.what);
}

#[test]
fn a_row_beyond_the_table_waits_in_quarantine_whatever_kind_of_file_it_stands_in() {
    let protocol = Protocol::parse(include_str!("../../../protocols/hatch-ram.toml")).expect("a shipped protocol");
    let many = ItemId::with(&protocol.items).find(|(i, _)| protocol.is_typed(*i) && protocol.rows_of(*i).is_some());
    let (item, spec) = many.expect("something is taken several times");
    let (asked, most) = (protocol.rows_of(item).expect("rows"), protocol.most_row(item).expect("rows"));
    assert_eq!(most, asked + 20, "a team may measure once more than it has to");
    let csv = |row: u32| format!("section,team,item,row,value\nMorning,Alfa,{},{row},1.00\n", spec.id);
    let json = |row: u32| {
        format!(
            "[{{\"section\":\"Morning\",\"team\":\"Alfa\",\"keys\":{{}},\"cells\":[{{\"item\":\"{}\",\"row\":{row},\"value\":\"1.00\"}}]}}]",
            spec.id
        )
    };
    let kinds: [&dyn Fn(u32) -> String; 2] = [&csv, &json];
    for text in kinds {
        let within = read_csv(text(most).as_bytes(), &protocol, None).expect("read");
        assert_eq!((within.tables.iter().map(|t| t.cells.len()).sum::<usize>(), within.held.len()), (1, 0));
        for row in [most + 1, 10_000] {
            let beyond = read_csv(text(row).as_bytes(), &protocol, None).expect("read");
            assert_eq!(beyond.tables.iter().map(|t| t.cells.len()).sum::<usize>(), 0);
            assert_eq!(beyond.held[0].code, "row-beyond");
            assert!(
                beyond.held[0].fault.what.contains(&format!("there is no row {row}")),
                "{}",
                beyond.held[0].fault.what
            );
        }
    }
}
