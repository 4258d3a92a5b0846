//! The files of an upload: unpacked, each put to the lab it is of, offered for a look; pictures put with their team's table.

use std::collections::BTreeSet;

use jurado_core::error::Fault;
use jurado_core::protocol::Protocol;
use jurado_intake::{Budget, LabGuess, UPLOAD, guess_lab, read_file, unpack};
use jurado_store::attachments;
use jurado_store::{Lab, Store, StoreError, User, imports};

/// What became of the files of one upload.
#[derive(Default)]
pub(super) struct Offered {
    /// Imports that wait for a look.
    pub(super) offered: Vec<u32>,
    /// What could not be used.
    pub(super) refused: Vec<(String, Fault)>,
    /// Pictures that went with a table.
    pub(super) attached: Vec<u32>,
}

/// Offers the files of an upload, for the lab that was chosen or the one that each file says; pictures go with the table
/// of the team that their name says.
///
/// # Errors
/// Faults of the database; what is wrong with a file is in [`Offered::refused`].
pub(super) fn offer_all(
    store: &Store,
    user: &User,
    chosen: Option<u32>,
    files: Vec<(String, Vec<u8>)>,
) -> Result<Offered, StoreError> {
    let labs = store.look(|c| match chosen {
        Some(id) => Ok(vec![jurado_store::labs::get(c, id)?]),
        None => Ok(jurado_store::labs::open(c)?.into_iter().map(|(lab, _)| lab).collect()),
    })?;
    let (mut out, mut said) = (Offered::default(), BTreeSet::new());
    let (mut pictures, mut budget) = (Vec::new(), Budget::upload());
    for (name, bytes) in files {
        let parts = match unpack(&name, bytes, &mut budget) {
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
            match offer(store, user, lab, &part.name, &part.bytes)? {
                Ok(id) => out.offered.push(id),
                Err(f) => out.refused.push((part.name, f)),
            }
        }
    }
    // Pictures say nothing of a lab: theirs is the chosen one, or that of the tables they came with.
    let lab = chosen.or_else(|| said.first().copied().filter(|_| said.len() == 1));
    for part in pictures {
        let refuse = |what: &str, mend: &str| Fault { line: 1, column: 1, what: what.into(), mend: mend.into() };
        let named = store.look(|c| attachments::team_named(c, user, &part.name))?;
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
        match store.run(|c| attachments::put(c, lab, team.id, Some(user), &part.name, &part.bytes)) {
            Ok(id) => out.attached.push(id),
            Err(StoreError::File(f)) => out.refused.push((part.name, f)),
            Err(e) => return Err(e),
        }
    }
    Ok(out)
}

/// Stores a file and reads it. It is set aside before it is read and taken back afterwards: should reading it ever end the
/// program, it is not read again at the next look. One of which nothing can be used, and of whose columns nothing can be
/// said, is put aside.
fn offer(store: &Store, user: &User, lab: u32, name: &str, bytes: &[u8]) -> Result<Result<u32, Fault>, StoreError> {
    let id = store.run(|c| {
        let id = imports::offer(c, lab, user, name, bytes)?;
        imports::set_aside(c, id, Some(&imports::being_read()))?;
        Ok(id)
    })?;
    let look = store.look(|c| imports::read_anew(c, id, user));
    store.run(|c| imports::set_aside(c, id, None))?;
    let look = look?;
    match look.intake {
        Err(f) if look.columns.len() < 2 => {
            store.run(|c| match imports::drop(c, id, user) {
                // It was taken before, when it could be read.
                Err(StoreError::NotFound(_)) => Ok(()),
                other => other,
            })?;
            Ok(Err(f))
        }
        _ => Ok(Ok(id)),
    }
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
