//! Pictures and PDFs beside a table.

use actix_multipart::Multipart;
use actix_web::http::header;
use actix_web::{HttpResponse, web};
use futures_util::TryStreamExt;

use super::auth::Token;
use crate::error::{WebError, on_to};
use crate::session::Actor;

/// Takes the files of a form, bounded as they come.
pub(crate) async fn attach(actor: Actor, id: web::Path<u32>, mut form: Multipart) -> Result<HttpResponse, WebError> {
    let id = *id;
    let broken = |e: actix_multipart::MultipartError| {
        WebError::Bad(format!("The upload broke off: {e}."), "Choose the file again.".into())
    };
    let most = jurado_store::attachments::MOST_BYTES;
    let (mut token, mut files) = (String::new(), Vec::new());
    while let Some(mut field) = form.try_next().await.map_err(broken)? {
        let name = field.name().unwrap_or("").to_owned();
        let file = field.content_disposition().and_then(|d| d.get_filename()).unwrap_or("").to_owned();
        let mut bytes: Vec<u8> = Vec::new();
        while let Some(chunk) = field.try_next().await.map_err(broken)? {
            // One byte more than may be is kept, so that the store can say that it is too large.
            let room = (most + 1).saturating_sub(bytes.len());
            bytes.extend_from_slice(&chunk[..chunk.len().min(room)]);
        }
        match name.as_str() {
            "token" => token = String::from_utf8_lossy(&bytes).into_owned(),
            "file" if !(file.is_empty() && bytes.is_empty()) => files.push((file, bytes)),
            _ => {}
        }
    }
    actor.allow(&token)?;
    if files.is_empty() {
        return Err(WebError::Bad("No file was chosen.".into(), "Choose a picture or a PDF.".into()));
    }
    actor
        .run(move |c, user| {
            for (name, bytes) in &files {
                jurado_store::attachments::add(c, id, user, name, bytes)?;
            }
            Ok(())
        })
        .await
        .map_err(|e| match e {
            WebError::Store(jurado_store::StoreError::File(f)) => WebError::Bad(
                format!("{}.", crate::views::capital(&f.what)),
                format!("{}.", crate::views::capital(&f.mend)),
            ),
            e => e,
        })?;
    Ok(on_to(&format!("/bench/{id}")))
}

/// Shows a file. Its type is what its bytes say; a PDF is not run in our page.
pub(crate) async fn show(actor: Actor, id: web::Path<u32>) -> Result<HttpResponse, WebError> {
    let id = *id;
    let (media, body) = actor.run(move |c, user| jurado_store::attachments::get(c, id, user)).await?;
    let disposition = if media.starts_with("image/") { "inline" } else { "attachment; filename=\"attachment.pdf\"" };
    Ok(HttpResponse::Ok()
        .content_type(media)
        .insert_header((header::CONTENT_DISPOSITION, disposition))
        .insert_header((header::CACHE_CONTROL, "private, max-age=3600"))
        .body(body))
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
