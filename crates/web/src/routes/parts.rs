//! Forms with files: read part by part, bounded as they come, to their end, so that the browser gets to see the answer.

use actix_multipart::{Multipart, MultipartError};
use futures_util::TryStreamExt;

use crate::door::{Door, Turn};
use crate::error::WebError;
use crate::views::entry::Fields;

/// How much of a form is taken.
#[derive(Clone, Copy, Debug)]
pub(crate) struct Bounds {
    /// Largest text of a field, in bytes.
    pub(crate) text: usize,
    /// Largest file, in bytes.
    pub(crate) file: usize,
    /// Most fields of text.
    pub(crate) fields: usize,
    /// Most files.
    pub(crate) files: usize,
    /// Most bytes of all files together that are kept.
    pub(crate) kept: usize,
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
    /// The turn that the person has for as long as the files are kept.
    pub(crate) _turn: Option<Turn>,
}

/// Reads somebody's form, when it is its turn: a person's or a team's.
///
/// # Errors
/// Where it broke off, is larger altogether than may be, or does not get its turn.
pub(crate) async fn take(door: &Door, whose: &str, payload: Multipart, bounds: Bounds) -> Result<Parts, WebError> {
    let turn = door.upload(whose).await?;
    Ok(Parts { _turn: Some(turn), ..read(payload, bounds).await? })
}

/// Reads a form.
///
/// # Errors
/// Where it broke off, or is larger altogether than may be.
async fn read(mut payload: Multipart, bounds: Bounds) -> Result<Parts, WebError> {
    let mut out = Parts::default();
    let broken =
        |_: MultipartError| WebError::Bad("The upload did not arrive whole.".into(), "Choose the file again.".into());
    let (mut arrived, mut kept) = (0usize, 0usize);
    let many = || {
        WebError::Bad(
            format!("The form has more than {} fields.", bounds.fields),
            "Send one table, as its page laid it out.".into(),
        )
    };
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
            if over || bytes.len() + chunk.len() > most || kept + bytes.len() + chunk.len() > bounds.kept {
                // The rest is read and forgotten.
                over = true;
                bytes = Vec::new();
            } else {
                bytes.extend_from_slice(&chunk);
            }
        }
        kept += bytes.len();
        match file {
            _ if over => out.too_large.push((field, file.unwrap_or_default())),
            None if out.fields.len() >= bounds.fields => return Err(many()),
            None => out.fields.push((field, String::from_utf8_lossy(&bytes).into_owned())),
            // A field for files that was left empty.
            Some(name) if name.is_empty() && bytes.is_empty() => {}
            Some(_) if out.files.len() >= bounds.files => out.too_many = true,
            Some(name) => out.files.push((name, bytes)),
        }
    }
    Ok(out)
}

#[cfg(test)]
mod tests {
    use actix_multipart::Multipart;
    use actix_web::http::header::{CONTENT_TYPE, HeaderMap, HeaderValue};
    use actix_web::web::Bytes;
    use futures_util::stream;

    use super::{Bounds, Parts, read};
    use crate::error::WebError;

    const BOUNDS: Bounds = Bounds { text: 20, file: 100, fields: 4, files: 2, kept: 150, all: 2_000 };

    /// A part: field, file name where it is one, content.
    type Sent<'a> = (&'a str, Option<&'a str>, &'a [u8]);

    fn body(parts: &[Sent<'_>]) -> Vec<u8> {
        let mut out = Vec::new();
        for (field, file, content) in parts {
            let name = file.map_or_else(String::new, |f| format!("; filename=\"{f}\""));
            out.extend(format!("--edge\r\nContent-Disposition: form-data; name=\"{field}\"{name}\r\n\r\n").bytes());
            out.extend_from_slice(content);
            out.extend(b"\r\n");
        }
        out.extend(b"--edge--\r\n");
        out
    }

    /// Sends a body in pieces of some size, as a network does.
    fn send(body: &[u8], piece: usize) -> Result<Parts, WebError> {
        let mut headers = HeaderMap::new();
        headers.insert(CONTENT_TYPE, HeaderValue::from_static("multipart/form-data; boundary=edge"));
        let pieces: Vec<_> = body.chunks(piece).map(|c| Ok(Bytes::copy_from_slice(c))).collect();
        actix_web::rt::System::new().block_on(read(Multipart::new(&headers, stream::iter(pieces)), BOUNDS))
    }

    fn names(parts: &Parts) -> Vec<&str> {
        parts.files.iter().map(|(n, _)| n.as_str()).collect()
    }

    #[test]
    fn fields_and_files_come_in_their_order_in_whatever_pieces() {
        let sent = body(&[
            ("token", None, b"abc"),
            ("scan", Some("a.png"), b"\x89PNG\r\n--edg"),
            ("c.x:1", None, "8,5 µm".as_bytes()),
            ("scan", Some("b.png"), b""),
            // A field for files that was left empty.
            ("file", Some(""), b""),
        ]);
        for piece in [1, 7, 64, 10_000] {
            let parts = send(&sent, piece).expect("it arrives");
            assert_eq!(
                parts.fields,
                [("token".to_owned(), "abc".to_owned()), ("c.x:1".to_owned(), "8,5 µm".to_owned())]
            );
            assert_eq!(
                parts.files,
                [("a.png".to_owned(), b"\x89PNG\r\n--edg".to_vec()), ("b.png".to_owned(), Vec::new())]
            );
            assert!(parts.too_large.is_empty() && !parts.too_many, "in pieces of {piece}");
        }
    }

    #[test]
    fn what_is_too_large_or_too_many_is_named_and_the_rest_is_kept() {
        let large = vec![b'x'; 101];
        let parts =
            send(&body(&[("file", Some("large.csv"), &large), ("file", Some("small.csv"), b"x")]), 16).expect("read");
        assert_eq!(parts.too_large, [("file".to_owned(), "large.csv".to_owned())]);
        assert_eq!(names(&parts), ["small.csv"]);
        let parts = send(&body(&[("pasted", None, &[b'y'; 21]), ("lab", None, b"3")]), 16).expect("read");
        assert_eq!(parts.too_large, [("pasted".to_owned(), String::new())]);
        assert_eq!(parts.fields, [("lab".to_owned(), "3".to_owned())]);
        // Each is small enough, and all of them are not.
        let two = [("file", Some("1.csv"), &[b'x'; 90][..]), ("file", Some("2.csv"), &[b'x'; 90])];
        let parts = send(&body(&two), 16).expect("read");
        assert_eq!((names(&parts), parts.too_large.len()), (vec!["1.csv"], 1));
        let three = [("file", Some("1"), &b"a"[..]), ("file", Some("2"), b"b"), ("file", Some("3"), b"c")];
        let parts = send(&body(&three), 16).expect("read");
        assert!(parts.too_many);
        assert_eq!(names(&parts), ["1", "2"]);
    }

    #[test]
    fn a_form_that_breaks_off_or_never_ends_is_refused_in_a_sentence() {
        let whole = body(&[("file", Some("a"), b"content")]);
        for cut in [10, 60, whole.len() - 12] {
            match send(&whole[..cut], 16) {
                Err(WebError::Bad(what, _)) => assert_eq!(what, "The upload did not arrive whole."),
                other => panic!("cut at {cut}: {other:?}"),
            }
        }
        let many: Vec<Sent<'_>> = (0..60).map(|_| ("file", Some("a"), &[b'z'; 90][..])).collect();
        match send(&body(&many), 512) {
            Err(WebError::Bad(what, _)) => assert!(what.contains("far too large"), "{what}"),
            other => panic!("{other:?}"),
        }
    }
}
