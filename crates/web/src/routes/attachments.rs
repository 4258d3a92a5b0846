//! Pictures and PDFs beside a table.

use actix_multipart::Multipart;
use actix_web::http::header;
use actix_web::{HttpResponse, web};

use super::auth::Token;
use super::parts::{self, Arrived, Bounds, Parts};
use crate::door::Door;
use crate::error::{WebError, on_to};
use crate::session::Actor;
use crate::views::entry::{MOST_FIELDS, field};

/// How much of a form with pictures is taken.
pub(super) const BOUNDS: Bounds = Bounds {
    // Room for a whole table typed off, and for its first typing beside the second.
    text: 2 * 1024 * 1024,
    file: jurado_store::attachments::MOST_BYTES,
    fields: MOST_FIELDS,
    files: jurado_store::attachments::MOST_FILES as usize,
    kept: 64 * 1024 * 1024,
    all: 256 * 1024 * 1024,
};

/// What is wrong with the files of a form, if anything: more than may be, or too large.
pub(super) fn objection(parts: &Parts) -> Option<(String, String)> {
    if let Some((_, name)) = parts.too_large.first() {
        let most = BOUNDS.file / 1_048_576;
        let what = if name.is_empty() {
            "A text is far too long.".to_owned()
        } else {
            format!("“{name}” is larger than {most} megabytes.")
        };
        return Some((what, format!("Bring at most {most}, for instance a smaller photo.")));
    }
    parts.too_many.then(|| {
        (format!("A table has at most {} attachments.", BOUNDS.files), "Choose the ones that matter.".to_owned())
    })
}

/// What a file holds, for work of the store.
pub(super) fn bytes_of(file: &mut Arrived) -> Result<Vec<u8>, jurado_store::StoreError> {
    file.bytes()
        .map_err(|e| jurado_store::StoreError::Broken(format!("a file that was brought is not there any more: {e}")))
}

/// A refusal of the store, in words, for a form of ours; other errors as they are.
pub(super) fn in_words(e: WebError) -> Result<(String, String), WebError> {
    match e {
        WebError::Store(jurado_store::StoreError::File(f)) => {
            Ok((format!("{}.", crate::views::capital(&f.what)), format!("{}.", crate::views::capital(&f.mend))))
        }
        e => Err(e),
    }
}

/// Takes the files of a form.
pub(crate) async fn attach(
    actor: Actor,
    door: web::Data<Door>,
    id: web::Path<u32>,
    form: Multipart,
) -> Result<HttpResponse, WebError> {
    let id = *id;
    let parts = parts::take(&door, actor.whose(), form, BOUNDS).await?;
    actor.allow(field(&parts.fields, "token").unwrap_or(""))?;
    if let Some((what, mend)) = objection(&parts) {
        return Err(WebError::Bad(what, mend));
    }
    let Parts { mut files, turn, .. } = parts;
    if files.is_empty() {
        return Err(WebError::Bad("No file was chosen.".into(), "Choose a picture or a PDF.".into()));
    }
    let put = actor
        .run(move |c, user| {
            for file in &mut files {
                jurado_store::attachments::add(c, id, user, &file.name.clone(), &bytes_of(file)?)?;
            }
            Ok(())
        })
        .await;
    drop(turn);
    match put.map_err(in_words) {
        Ok(()) => Ok(on_to(&format!("/bench/{id}"))),
        Err(Ok((what, mend))) => Err(WebError::Bad(what, mend)),
        Err(Err(e)) => Err(e),
    }
}

/// Shows a file. Its type is what its bytes say; a PDF is not run in our page.
pub(crate) async fn show(actor: Actor, id: web::Path<u32>) -> Result<HttpResponse, WebError> {
    let id = *id;
    let (media, body) = actor.look(move |c, user| jurado_store::attachments::get(c, id, user)).await?;
    Ok(as_it_is(media, body))
}

/// A file as it was brought.
pub(super) fn as_it_is(media: String, body: Vec<u8>) -> HttpResponse {
    let disposition = if media.starts_with("image/") { "inline" } else { "attachment; filename=\"attachment.pdf\"" };
    HttpResponse::Ok().content_type(media).insert_header((header::CONTENT_DISPOSITION, disposition)).body(body)
}

pub(crate) async fn remove(
    actor: Actor,
    place: web::Path<(u32, u32)>,
    form: web::Form<Token>,
) -> Result<HttpResponse, WebError> {
    actor.allow(&form.token)?;
    let (id, file) = *place;
    actor.run(move |c, user| jurado_store::attachments::remove(c, id, file, user)).await?;
    Ok(on_to(&format!("/bench/{id}")))
}
