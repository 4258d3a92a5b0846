//! Which lab a file is of, by the names that stand in it.

use std::collections::BTreeSet;

use jurado_core::error::Fault;
use jurado_core::protocol::Protocol;

use crate::columns::{is_known, structural};
use crate::{Effort, File, csv_long, delimited, json, open, sheet};

/// Records looked at for the names in a column of names.
const LOOKED_AT: usize = 2_000;

/// Of which lab a file seems to be.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum LabGuess {
    /// Of this one, by its place in the list that was given.
    One(usize),
    /// Its names fit these alike.
    Several(Vec<usize>),
    /// Its names fit none.
    None,
}

/// Guesses the lab of a file among some. A filled data sheet names its lab; of any other file the names of its columns
/// and of what its rows hold are looked for in each lab. The best is taken if it knows at least two names, half of them
/// all, and a quarter more than the next.
///
/// # Errors
/// Where nothing of the file can be read, as [`crate::read_file`] says it.
pub fn guess_lab(bytes: &[u8], protocols: &[&Protocol], effort: &Effort) -> Result<LabGuess, Fault> {
    let names = match said(bytes, effort)? {
        Said::Lab(id) => {
            return Ok(protocols.iter().position(|p| p.id == id).map_or(LabGuess::None, LabGuess::One));
        }
        Said::Names(names) => names,
    };
    let mut known = Vec::new();
    for p in protocols {
        effort.step(8 * names.len())?;
        known.push(names.iter().filter(|n| is_known(p, n)).count());
    }
    let best = known.iter().copied().max().unwrap_or(0);
    // Columns such as `section` and `remarks` are names that no lab knows.
    if best < 2 || best * 2 < names.len() {
        return Ok(LabGuess::None);
    }
    let near: Vec<usize> = (0..known.len()).filter(|i| known[*i] * 5 > best * 4).collect();
    Ok(if near.len() == 1 { LabGuess::One(near[0]) } else { LabGuess::Several(near) })
}

/// What a file says of its lab.
enum Said {
    /// Its id.
    Lab(String),
    /// Names of what it holds.
    Names(BTreeSet<String>),
}

fn said(bytes: &[u8], effort: &Effort) -> Result<Said, Fault> {
    let opened = match open(bytes, effort)? {
        File::Tables(opened) => opened,
        File::List => return Ok(Said::Names(json::items_named(bytes, effort).unwrap_or_default())),
    };
    let file = delimited::Delimited::open(&opened.text, effort)?;
    let mut records = file.records();
    let Some(head) = records.next() else { return Ok(Said::Names(BTreeSet::new())) };
    if sheet::is_sheet(&file) {
        return Ok(Said::Lab(head.fields.get(1).map_or("", |f| f.trim()).to_owned()));
    }
    let at_items = head.fields.iter().position(|f| structural(f) == Some("item"));
    let mut names: BTreeSet<String> = match at_items {
        Some(at) => records
            .take(LOOKED_AT)
            .filter_map(|r| r.fields.get(at).map(|f| f.trim().to_owned()))
            .filter(|f| !f.is_empty())
            .collect(),
        None => BTreeSet::new(),
    };
    if !csv_long::is_canonical(&head) {
        let heads = head.fields.iter().map(|f| f.trim().to_owned());
        // One column of a repeated reading is as good as ten: what counts is the name.
        names.extend(heads.filter(|f| !f.is_empty() && structural(f).is_none()));
    }
    Ok(Said::Names(names))
}

#[cfg(test)]
mod tests {
    use super::LabGuess;
    use crate::{Effort, UPLOAD, write_ods, write_sheet, write_xlsx};
    use jurado_core::error::Fault;
    use jurado_core::protocol::{ItemId, Protocol};

    fn guess_lab(bytes: &[u8], protocols: &[&Protocol]) -> Result<LabGuess, Fault> {
        super::guess_lab(bytes, protocols, &Effort::new(UPLOAD))
    }

    fn library() -> Vec<Protocol> {
        let folder = format!("{}/../../protocols", env!("CARGO_MANIFEST_DIR"));
        let mut paths: Vec<_> = std::fs::read_dir(folder)
            .expect("the library")
            .filter_map(|e| Some(e.ok()?.path()).filter(|p| p.extension().is_some_and(|x| x == "toml")))
            .collect();
        paths.sort();
        paths
            .iter()
            .map(|p| Protocol::parse(&std::fs::read_to_string(p).expect("a text")).expect("a protocol"))
            .collect()
    }

    /// Of every lab of the library: its data sheet in each format, a long file of its ids, a wide one of its titles.
    #[test]
    fn every_lab_is_known_by_what_its_files_hold() {
        let library = library();
        let all: Vec<&Protocol> = library.iter().collect();
        for (i, p) in library.iter().enumerate() {
            let mut long = "section,team,item,value\n".to_owned();
            let mut wide = "Watch,Team".to_owned();
            for (k, item) in ItemId::with(&p.items).filter(|(k, _)| p.is_typed(*k)) {
                long.push_str(&format!("Morning,Heron,{},1\n", item.id));
                if p.readings.iter().any(|r| r.item == k) {
                    wide.push_str(&format!(",\"{} ({})\"", item.title, item.unit.text));
                }
            }
            wide.push_str("\nMorning,Heron,1,2,3\n");
            let files: [(&str, Vec<u8>); 5] = [
                ("CSV sheet", write_sheet(p, None).into_bytes()),
                ("XLSX sheet", write_xlsx(p, None).expect("a workbook")),
                ("ODS sheet", write_ods(p, None).expect("a workbook")),
                ("long", long.into_bytes()),
                ("wide", wide.into_bytes()),
            ];
            for (kind, bytes) in files {
                assert_eq!(guess_lab(&bytes, &all), Ok(LabGuess::One(i)), "{kind} of {}", p.id);
            }
        }
    }

    #[test]
    fn what_fits_no_lab_or_two_is_not_decided() {
        let library = library();
        let keel = library.iter().find(|p| p.id == "keel-plate").expect("keel plate");
        let own = write_sheet(keel, None);
        for (text, labs, expected) in [
            ("section,team,item,value\nMorning,Heron,banana,1\n", vec![keel], LabGuess::None),
            // One name is too little, whatever it is.
            ("Team,disc_diameter\nHeron,12.01\n", vec![keel], LabGuess::None),
            // A lab twice fits alike.
            (
                "section,team,item,value\nMorning,Heron,plate_length,1\nMorning,Heron,plate_width,1\n",
                vec![keel, keel],
                LabGuess::Several(vec![0, 1]),
            ),
            // A sheet of a lab that is not among them.
            (own.as_str(), vec![], LabGuess::None),
            ("[]", vec![keel], LabGuess::None),
        ] {
            assert_eq!(guess_lab(text.as_bytes(), &labs), Ok(expected), "{text}");
        }
        assert!(guess_lab(b" \n ", &[keel]).is_err());
    }
}
