//! Forms with files: read part by part, bounded as they come, to their end, so that the browser gets to see the answer.

use actix_multipart::{Multipart, MultipartError};
use futures_util::TryStreamExt;

use crate::error::WebError;
use crate::views::entry::Fields;

/// How much of a form is taken.
#[derive(Clone, Copy, Debug)]
pub(crate) struct Bounds {
    /// Largest text of a field, in bytes.
    pub(crate) text: usize,
    /// Largest file, in bytes.
    pub(crate) file: usize,
    /// Most files.
    pub(crate) files: usize,
    /// Past this many bytes in all a form is not read to its end for the sake of a kind answer.
    pub(crate) all: usize,
}

/// What a form with files held.
#[derive(Debug, Default)]
pub(crate) struct Parts {
    /// Fields of text, in their order.
    pub(crate) fields: Fields,
    /// Files: name and bytes.
    pub(crate) files: Vec<(String, Vec<u8>)>,
    /// What is larger than may be: field and, for a file, its name.
    pub(crate) too_large: Vec<(String, String)>,
    /// Whether there were more files than are taken.
    pub(crate) too_many: bool,
}

/// Reads a form.
///
/// # Errors
/// Where it broke off, or is larger altogether than may be.
pub(crate) async fn read(mut payload: Multipart, bounds: Bounds) -> Result<Parts, WebError> {
    let mut out = Parts::default();
    let broken =
        |_: MultipartError| WebError::Bad("The upload did not arrive whole.".into(), "Choose the file again.".into());
    let mut arrived = 0usize;
    while let Some(mut part) = payload.try_next().await.map_err(broken)? {
        let field = part.name().unwrap_or("").to_owned();
        // A part with a file name, be it empty, comes from a field for files.
        let file = part.content_disposition().and_then(|d| d.get_filename()).map(str::to_owned);
        let most = if file.is_some() { bounds.file } else { bounds.text };
        let (mut bytes, mut over) = (Vec::new(), false);
        while let Some(chunk) = part.try_next().await.map_err(broken)? {
            arrived += chunk.len();
            if arrived > bounds.all {
                return Err(WebError::Bad(
                    "The files are far too large to be read to their end.".into(),
                    "Bring fewer, or smaller ones.".into(),
                ));
            }
            if over || bytes.len() + chunk.len() > most {
                // The rest is read and forgotten.
                over = true;
                bytes = Vec::new();
            } else {
                bytes.extend_from_slice(&chunk);
            }
        }
        match file {
            _ if over => out.too_large.push((field, file.unwrap_or_default())),
            None => out.fields.push((field, String::from_utf8_lossy(&bytes).into_owned())),
            // A field for files that was left empty.
            Some(name) if name.is_empty() && bytes.is_empty() => {}
            Some(_) if out.files.len() >= bounds.files => out.too_many = true,
            Some(name) => out.files.push((name, bytes)),
        }
    }
    Ok(out)
}
