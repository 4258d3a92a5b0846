//! A file that a team hands in for itself: it need not say whose it is, and may not be another's.

use jurado_core::error::Fault;
use jurado_core::protocol::Protocol;
use jurado_core::submission::Submission;

use crate::columns::by_name;
use crate::delimited::Delimited;
use crate::{Effort, File, Intake, columns, csv_long, json, of_whole_tables, open, read_table, sheet};

/// Reads the file of one team. What the file leaves blank of section and team is theirs.
///
/// # Errors
/// As [`crate::read_file`]; and where the file holds another team's table, or several and none of them theirs.
pub fn read_own(
    bytes: &[u8],
    protocol: &Protocol,
    (section, team): (&str, &str),
    effort: &Effort,
) -> Result<Intake, Fault> {
    let opened = match open(bytes, effort)? {
        File::Tables(opened) => opened,
        File::List => return theirs(json::read_json_for(bytes, protocol, None, effort)?, (section, team)),
    };
    let mut file = Delimited::open(&opened.text, effort)?;
    if sheet::is_sheet(&file) {
        let intake = sheet::read(&file, protocol, None, (section, team), effort).map(of_whole_tables)?;
        return theirs(opened.under(intake, protocol, 0, effort)?, (section, team));
    }
    let Some(head) = file.records().next() else {
        return Err(Fault {
            line: 1,
            column: 1,
            what: "the file is empty".into(),
            mend: "take the lab’s data sheet and fill it in".into(),
        });
    };
    let mut lead = Vec::new();
    if !csv_long::is_canonical(&head) {
        let says = |meaning: &str| head.fields.iter().any(|f| by_name(protocol, f).as_deref() == Some(meaning));
        lead = vec![("section", section), ("team", team)];
        lead.retain(|(meaning, _)| !says(meaning));
    }
    let put_before = lead.len();
    file = file.leading(lead);
    let intake = read_table(&file, protocol, None, effort, (&columns::columns(&file, protocol), None))?;
    theirs(opened.under(intake, protocol, put_before, effort)?, (section, team))
}

/// Keeps the one table of a team.
fn theirs(mut intake: Intake, (section, team): (&str, &str)) -> Result<Intake, Fault> {
    let plain = |text: &str| text.trim().to_lowercase();
    let fits = |t: &Submission| {
        (t.team.is_empty() || plain(&t.team) == plain(team))
            && (t.section.is_empty() || plain(&t.section) == plain(section))
    };
    let names: Vec<String> = intake.tables.iter().map(|t| t.team.clone()).take(4).collect();
    intake.tables.retain(fits);
    match (intake.tables.len(), names.as_slice()) {
        (1, _) | (0, []) => Ok(intake),
        (0, names) => Err(Fault {
            line: 1,
            column: 1,
            what: format!("the file is of {}, not of {team} in {section}", names.join(", ")),
            mend: "bring your own team’s file, or mend the name in it".into(),
        }),
        _ => Err(Fault {
            line: 1,
            column: 1,
            what: format!("the file holds several tables of {team}"),
            mend: "keep the one that counts".into(),
        }),
    }
}

#[cfg(test)]
mod tests {
    use jurado_core::protocol::Protocol;

    use super::read_own;
    use crate::{Effort, Intake, TEAM, write_sheet, write_xlsx};
    use jurado_core::error::Fault;

    fn read(bytes: &[u8], p: &Protocol) -> Result<Intake, Fault> {
        read_own(bytes, p, ("Morning", "Alfa"), &Effort::new(TEAM))
    }

    fn protocol() -> Protocol {
        Protocol::parse(include_str!("../../core/tests/labs/plate-and-disc.toml")).expect("a lab")
    }

    #[test]
    fn a_teams_own_file_need_not_say_whose_it_is_and_is_no_others() {
        let p = protocol();
        let blank = write_sheet(&p, None);
        let filled: String = blank
            .lines()
            .map(|l| if l.starts_with("plate_length,") { l.replacen(",,", ",84.44,", 1) } else { l.to_owned() } + "\n")
            .collect();
        assert_ne!(blank.trim(), filled.replace("\r\n", "\n").trim(), "{blank}");
        let cases: [(&str, String, Result<usize, &str>); 9] = [
            ("long, no team", "item,row,value\nplate_length,,84.44\nplate_mass,,81.89\n".into(), Ok(2)),
            ("long, semicolons", "item;value\nplate_length;84,44\n".into(), Ok(1)),
            ("long, own team", "section,team,item,value\nmorning,ALFA,plate_length,84.44\n".into(), Ok(1)),
            ("wide, no team", "plate_length,plate_mass\n84.44,81.89\n".into(), Ok(2)),
            ("a data sheet", filled.clone(), Ok(1)),
            ("a table of others", "section,team,item,value\nMorning,Bittern,zero,0.02\n".into(), Err("is of Bittern")),
            (
                "theirs among others",
                "section,team,item,value\nMorning,Bittern,zero,0.02\nMorning,Alfa,zero,0.04\n".into(),
                Ok(1),
            ),
            ("nothing", String::new(), Err("empty")),
            ("no table at all", "dear reviewer\nwe measured it\n".into(), Err("lacks")),
        ];
        for (what, text, expected) in cases {
            let got = read(text.as_bytes(), &p);
            match (got, expected) {
                (Ok(intake), Ok(cells)) => {
                    assert_eq!(intake.tables.len(), 1, "{what}: {intake:?}");
                    let filled = intake.tables[0].cells.iter().filter(|c| !c.value.is_empty()).count();
                    assert_eq!(filled, cells, "{what}: {intake:?}");
                }
                (Err(f), Err(says)) => assert!(f.what.contains(says) && !f.mend.is_empty(), "{what}: {f:?}"),
                (got, expected) => panic!("{what}: {got:?}, not {expected:?}"),
            }
        }
        // A row that cannot be used keeps its line.
        let odd = read(b"item,value\nplate_length,84.44\nplate_lenth,8.1\n", &p).expect("read");
        assert_eq!(odd.held[0].fault.line, 3, "{:?}", odd.held);
        let book = write_xlsx(&p, None).expect("a workbook");
        assert!(read(&book, &p).is_ok_and(|i| i.tables.is_empty()));
    }
}
