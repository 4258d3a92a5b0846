//! Styles, scripts and fonts, compiled in: nothing is fetched from anywhere at run time.

use actix_web::http::header::{CACHE_CONTROL, ETAG, IF_NONE_MATCH};
use actix_web::{HttpRequest, HttpResponse, web};

use crate::error::WebError;

macro_rules! assets {
    ($($path:literal $kind:literal),* $(,)?) => {
        const ASSETS: &[(&str, &str, &[u8])] = &[$(($path, $kind, include_bytes!(concat!("../../../assets/", $path)))),*];
    };
}

assets! {
    "theme.css" "text/css; charset=utf-8",
    "jurado.js" "text/javascript; charset=utf-8",
    "mark.svg" "image/svg+xml",
    "vendor/bootstrap-reboot.min.css" "text/css; charset=utf-8",
    "vendor/bootstrap-utilities.min.css" "text/css; charset=utf-8",
    "vendor/htmx.min.js" "text/javascript; charset=utf-8",
    "fonts/source-serif-4-latin-400-normal.woff2" "font/woff2",
    "fonts/source-serif-4-latin-400-italic.woff2" "font/woff2",
    "fonts/source-serif-4-greek-400-italic.woff2" "font/woff2",
    "fonts/ibm-plex-sans-condensed-latin-400-normal.woff2" "font/woff2",
    "fonts/ibm-plex-sans-condensed-latin-600-normal.woff2" "font/woff2",
}

/// A shipped file. Its tag is the version and its size, so that a new build is seen at once.
pub(crate) async fn serve(path: web::Path<String>, request: HttpRequest) -> Result<HttpResponse, WebError> {
    let (_, kind, bytes) = ASSETS.iter().find(|(p, ..)| *p == path.as_str()).ok_or(WebError::NotFound("file"))?;
    let tag = format!("\"{}-{}\"", env!("CARGO_PKG_VERSION"), bytes.len());
    let known = request
        .headers()
        .get(IF_NONE_MATCH)
        .and_then(|v| v.to_str().ok())
        .is_some_and(|v| v.contains(tag.trim_matches('"')));
    let fresh =
        (CACHE_CONTROL, if path.starts_with("fonts/") { "public, max-age=31536000, immutable" } else { "no-cache" });
    if known {
        return Ok(HttpResponse::NotModified().insert_header((ETAG, tag)).insert_header(fresh).finish());
    }
    Ok(HttpResponse::Ok().content_type(*kind).insert_header((ETAG, tag)).insert_header(fresh).body(*bytes))
}
