//! Styles, scripts and fonts, compiled in: nothing is fetched from anywhere at run time.

use std::sync::LazyLock;

use actix_web::http::header::{CACHE_CONTROL, ETAG, IF_NONE_MATCH};
use actix_web::{HttpRequest, HttpResponse, web};

use crate::error::WebError;

macro_rules! assets {
    ($($path:literal $kind:literal),* $(,)?) => {
        const ASSETS: &[(&str, &str, &[u8])] = &[$(($path, $kind, include_bytes!(concat!("../../../assets/", $path)))),*];
    };
}

assets! {
    "draft.js" "text/javascript; charset=utf-8",
    "keys.js" "text/javascript; charset=utf-8",
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
    "fonts/stix-two-math-subset.woff2" "font/woff2",
}

macro_rules! styles {
    ($($name:literal),* $(,)?) => {
        &[$(include_str!(concat!("../../../assets/styles/", $name, ".css"))),*]
    };
}

/// The style sheet by screen, in the order in which later rules win.
const STYLES: &[&str] = styles![
    "faces",
    "tokens",
    "ground",
    "frame",
    "marks",
    "bench",
    "docket",
    "states",
    "narrow",
    "forms",
    "evening",
    "tryout",
    "raft",
    "datasheet",
    "intake",
    "rulings",
    "floor",
    "moderation",
    "practice",
    "door",
];

/// Bays of as many rungs, and columns of a raft as wide, as have a class.
const MOST_RUNGS: usize = 96;
const WIDEST: usize = 240;

/// The style sheet: its files, and the classes that stand for a count.
static THEME: LazyLock<String> = LazyLock::new(|| {
    // Counted classes come first, so that a narrow page may take their heights back.
    let mut out = String::new();
    for n in 1..=MOST_RUNGS {
        out.push_str(&format!(".blk{n}{{height:calc(var(--bay) + {n}*var(--rung))}}\n"));
    }
    for width in (4..=WIDEST).step_by(2) {
        out.push_str(&format!(".k{width}{{width:{width}px}}\n"));
    }
    out + &STYLES.concat()
});

fn asset(path: &str) -> Option<(&'static str, &'static [u8])> {
    if path == "theme.css" {
        return Some(("text/css; charset=utf-8", THEME.as_bytes()));
    }
    ASSETS.iter().find(|(p, ..)| *p == path).map(|(_, kind, bytes)| (*kind, *bytes))
}

/// A shipped file. Its tag is the version and its size, so that a new build is seen at once.
pub(crate) async fn serve(path: web::Path<String>, request: HttpRequest) -> Result<HttpResponse, WebError> {
    let (kind, bytes) = asset(&path).ok_or(WebError::NotFound("file"))?;
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
    Ok(HttpResponse::Ok().content_type(kind).insert_header((ETAG, tag)).insert_header(fresh).body(bytes))
}
