//! The files of an upload: unpacked, each put to the lab it is of, offered for a look; pictures put with their team's table.

use std::collections::BTreeSet;
use std::sync::Arc;
use std::sync::atomic::AtomicBool;

use jurado_core::error::Fault;
use jurado_core::protocol::Protocol;
use jurado_intake::{Budget, Effort, LabGuess, Part, UPLOAD, guess_lab, media_of, read_file, unpack};
use jurado_store::attachments;
use jurado_store::{Lab, Store, StoreError, User, imports};

use super::attachments::bytes_of;
use super::parts::Arrived;

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
    files: &mut [Arrived],
    gone: Arc<AtomicBool>,
) -> Result<Offered, StoreError> {
    let labs = store.look(|c| match chosen {
        Some(id) => Ok(vec![jurado_store::labs::get(c, id)?]),
        None => Ok(jurado_store::labs::open(c)?.into_iter().map(|(lab, _)| lab).collect()),
    })?;
    let effort = Effort::new(UPLOAD).until_gone(gone);
    let (mut out, mut said) = (Offered::default(), BTreeSet::new());
    let (mut budget, mut pictures) = (Budget::upload(), false);
    for file in files.iter_mut() {
        let name = file.name.clone();
        let unpacked = unpack(&name, bytes_of(file)?, (&effort, &mut budget), &mut |part| {
            if media_of(&part.bytes).is_some() {
                pictures = true;
                return Ok(());
            }
            let offered = match lab_of(&part.bytes, &labs, &effort) {
                Ok(lab) => {
                    said.insert(lab);
                    offer(store, user, lab, (&part.name, &part.bytes), &effort)?
                }
                Err(f) => Err(f),
            };
            match offered {
                Ok(id) => out.offered.push(id),
                Err(f) => out.refused.push((part.name, f)),
            }
            Ok(())
        });
        match unpacked {
            Ok(()) => {}
            Err(StoreError::File(f)) => out.refused.push((name, f)),
            Err(e) => return Err(e),
        }
    }
    if pictures {
        // Pictures say nothing of a lab: theirs is the chosen one, or that of the tables they came with, which is known by now.
        let lab = chosen.or_else(|| said.first().copied().filter(|_| said.len() == 1));
        let mut budget = Budget::upload();
        for file in files.iter_mut() {
            // What is wrong with the archive was said above.
            let unpacked = unpack(&file.name.clone(), bytes_of(file)?, (&effort, &mut budget), &mut |part| {
                if media_of(&part.bytes).is_some() {
                    picture(store, user, lab, part, &mut out)?;
                }
                Ok(())
            });
            unpacked.or_else(|e| if matches!(e, StoreError::File(_)) { Ok(()) } else { Err(e) })?;
        }
    }
    Ok(out)
}

/// Puts a picture with the table of the team that its name says.
fn picture(store: &Store, user: &User, lab: Option<u32>, part: Part, out: &mut Offered) -> Result<(), StoreError> {
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
        return Ok(());
    };
    match store.run(|c| attachments::put(c, lab, team.id, Some(user), &part.name, &part.bytes)) {
        Ok(id) => out.attached.push(id),
        Err(StoreError::File(f)) => out.refused.push((part.name, f)),
        Err(e) => return Err(e),
    }
    Ok(())
}

/// Stores a file and reads it. It is set aside before it is read and taken back afterwards: should reading it ever end the
/// program, it is not read again at the next look. One of which nothing can be used, and of whose columns nothing can be
/// said, is put aside.
fn offer(
    store: &Store,
    user: &User,
    lab: u32,
    (name, bytes): (&str, &[u8]),
    effort: &Effort,
) -> Result<Result<u32, Fault>, StoreError> {
    let id = store.run(|c| {
        let id = imports::offer(c, lab, user, name, bytes)?;
        imports::set_aside(c, id, Some(&imports::being_read()))?;
        Ok(id)
    })?;
    let look = store.look(|c| imports::read_anew(c, id, user, bytes, effort));
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
fn lab_of(bytes: &[u8], labs: &[Lab], effort: &Effort) -> Result<u32, Fault> {
    if let [lab] = labs {
        return Ok(lab.id);
    }
    let protocols: Vec<&Protocol> = labs.iter().map(|l| l.protocol.as_ref()).collect();
    let fault = |what: String| Fault { line: 1, column: 1, what, mend: "choose the lab and bring it again".into() };
    match guess_lab(bytes, &protocols, effort)? {
        LabGuess::One(i) => Ok(labs[i].id),
        LabGuess::None => {
            // A file that no lab could read says why: that comes before whose it is.
            let read = protocols.first().map(|p| read_file(bytes, p, None, effort, None));
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
