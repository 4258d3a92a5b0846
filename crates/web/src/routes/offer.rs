//! The files of an upload: unpacked, each put to the lab it is of, offered for a look; pictures put with their team's table.

use std::collections::BTreeSet;

use jurado_core::error::Fault;
use jurado_core::protocol::Protocol;
use jurado_intake::{LabGuess, UPLOAD, guess_lab, read_file, unpack};
use jurado_store::attachments::{self, NamedTeam};
use jurado_store::{Db, Lab, StoreError, User, imports};

/// What became of the files of one upload.
#[derive(Default)]
pub(super) struct Offered {
    /// Imports that wait for a look.
    pub(super) offered: Vec<u32>,
    /// What could not be used.
    pub(super) refused: Vec<(String, Fault)>,
    /// Pictures, and with whose table they went.
    pub(super) attached: Vec<Attached>,
}

/// A picture put with a table.
pub(super) struct Attached {
    pub(super) file: String,
    pub(super) team: NamedTeam,
    pub(super) lab: u32,
}

/// Offers the files of an upload, for the lab that was chosen or the one that each file says; pictures go with the table
/// of the team that their name says.
///
/// # Errors
/// Faults of the database; what is wrong with a file is in [`Offered::refused`].
pub(super) fn offer_all(
    c: &mut Db,
    user: &User,
    chosen: Option<u32>,
    files: Vec<(String, Vec<u8>)>,
) -> Result<Offered, StoreError> {
    let labs = match chosen {
        Some(id) => vec![jurado_store::labs::get(c, id)?],
        None => jurado_store::labs::all(c)?,
    };
    let (mut out, mut pictures, mut said) = (Offered::default(), Vec::new(), BTreeSet::new());
    for (name, bytes) in files {
        let parts = match unpack(&name, bytes) {
            Ok(parts) => parts,
            Err(f) => {
                out.refused.push((name, f));
                continue;
            }
        };
        for part in parts {
            if attachments::media_of(&part.bytes).is_some() {
                pictures.push(part);
                continue;
            }
            let lab = match lab_of(&part.bytes, &labs) {
                Ok(lab) => lab,
                Err(f) => {
                    out.refused.push((part.name, f));
                    continue;
                }
            };
            said.insert(lab);
            let id = imports::offer(c, lab, user, &part.name, &part.bytes)?;
            let look = imports::preview(c, id, user)?;
            match look.intake {
                Err(f) if look.columns.len() < 2 => {
                    imports::drop(c, id, user)?;
                    out.refused.push((part.name, f));
                }
                _ => out.offered.push(id),
            }
        }
    }
    // Pictures say nothing of a lab: theirs is the chosen one, or that of the tables they came with.
    let lab = chosen.or_else(|| said.first().copied().filter(|_| said.len() == 1));
    for part in pictures {
        let refuse = |what: &str, mend: &str| Fault { line: 1, column: 1, what: what.into(), mend: mend.into() };
        let named = attachments::team_named(c, user, &part.name)?;
        let (Some(lab), Some(team)) = (lab, named) else {
            let fault = if lab.is_none() {
                refuse("a picture does not say of which lab it is", "choose the lab and bring it again")
            } else {
                refuse(
                    "its name does not say of which team it is",
                    "name it such as `Heron graph.png`, or put it with the table on the Bench",
                )
            };
            out.refused.push((part.name, fault));
            continue;
        };
        match attachments::put(c, lab, team.id, user, &part.name, &part.bytes) {
            Ok(_) => out.attached.push(Attached { file: part.name, team, lab }),
            Err(StoreError::File(f)) => out.refused.push((part.name, f)),
            Err(e) => return Err(e),
        }
    }
    Ok(out)
}

/// The lab of a file, if one of several fits alone.
fn lab_of(bytes: &[u8], labs: &[Lab]) -> Result<u32, Fault> {
    if let [lab] = labs {
        return Ok(lab.id);
    }
    let protocols: Vec<&Protocol> = labs.iter().map(|l| l.protocol.as_ref()).collect();
    let fault = |what: String| Fault { line: 1, column: 1, what, mend: "choose the lab and bring it again".into() };
    match guess_lab(bytes, &protocols)? {
        LabGuess::One(i) => Ok(labs[i].id),
        LabGuess::None => {
            // A file that no lab could read says why: that comes before whose it is.
            let read = protocols.first().map(|p| read_file(bytes, p, None, UPLOAD, None));
            match read {
                Some(Err(f)) => Err(f),
                Some(Ok(i)) if i.tables.is_empty() && i.held.iter().all(|h| h.code != "unknown-item") => {
                    Err(i.held.into_iter().next().map_or_else(|| fault("nothing is in it".into()), |h| h.fault))
                }
                _ => Err(fault("its names are not those of any lab".into())),
            }
        }
        LabGuess::Several(several) => {
            let titles: Vec<&str> = several.iter().take(4).map(|i| labs[*i].protocol.title.as_str()).collect();
            Err(fault(format!("its names fit {} alike", titles.join(" and "))))
        }
    }
}
