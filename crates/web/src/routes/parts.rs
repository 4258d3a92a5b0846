//! Forms with files: read part by part, bounded as they come, to their end, so that the browser gets to see the answer. What has
//! come waits in a file without a name until it is its turn to be read: a form on a slow line takes neither memory nor a place.

use std::io::{Read, Seek, SeekFrom, Write};
use std::time::Duration;

use actix_multipart::{Multipart, MultipartError};
use actix_web::error::PayloadError;
use actix_web::web::Bytes;
use futures_util::{Stream, TryStreamExt};
use tempfile::SpooledTempFile;

use crate::door::{Door, Turn, Whose};
use crate::error::WebError;
use crate::views::entry::Fields;

/// Bytes of a file that are kept in memory while it arrives.
const IN_MEMORY: usize = 64 * 1024;
/// How long a whole form may take.
const MOST_COMING: Duration = Duration::from_secs(600);

/// A file that has arrived.
#[derive(Debug)]
pub(crate) struct Arrived {
    /// Its name.
    pub(crate) name: String,
    size: usize,
    body: SpooledTempFile,
}

impl Arrived {
    fn new(name: String) -> Arrived {
        Arrived { name, size: 0, body: SpooledTempFile::new(IN_MEMORY) }
    }

    /// A file made of what came as text.
    pub(crate) fn holding(name: &str, bytes: &[u8]) -> std::io::Result<Arrived> {
        let mut file = Arrived::new(name.to_owned());
        file.put(bytes).map(|()| file)
    }

    fn put(&mut self, piece: &[u8]) -> std::io::Result<()> {
        self.size += piece.len();
        self.body.write_all(piece)
    }

    /// What it holds, as often as it is asked.
    pub(crate) fn bytes(&mut self) -> std::io::Result<Vec<u8>> {
        let mut bytes = Vec::with_capacity(self.size);
        self.body.seek(SeekFrom::Start(0))?;
        self.body.read_to_end(&mut bytes)?;
        Ok(bytes)
    }
}

/// A disk that takes nothing more, or gives nothing back.
pub(crate) fn not_kept(e: std::io::Error) -> WebError {
    log::error!("a file that was brought could not be kept: {e}");
    WebError::Bad(
        "The file could not be kept while it was read: the machine's disk may be full.".into(),
        "Tell whoever looks after the machine, and send it again.".into(),
    )
}

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
    /// Files.
    pub(crate) files: Vec<Arrived>,
    /// What is larger than may be: field and, for a file, its name.
    pub(crate) too_large: Vec<(String, String)>,
    /// Whether there were more files than are taken.
    pub(crate) too_many: bool,
    /// The turn that whoever brought them has until this is dropped.
    pub(crate) turn: Option<Turn>,
}

/// Takes somebody's form, and waits until it is its turn to be read.
///
/// # Errors
/// Where it broke off, took too long, is larger altogether than may be, or does not get its turn.
pub(crate) async fn take(door: &Door, whose: Whose, payload: Multipart, bounds: Bounds) -> Result<Parts, WebError> {
    let coming = door.arriving(whose)?;
    let parts = in_time(read(payload, bounds)).await?;
    drop(coming);
    Ok(Parts { turn: Some(door.reading(whose).await?), ..parts })
}

/// Takes a body that is one file, as [`take`] does a form. Gives its turn with it.
///
/// # Errors
/// As [`take`].
pub(crate) async fn take_whole(
    door: &Door,
    whose: Whose,
    mut body: impl Stream<Item = Result<Bytes, PayloadError>> + Unpin,
    most: usize,
) -> Result<(Arrived, Turn), WebError> {
    let coming = door.arriving(whose)?;
    let mut whole = Arrived::new(String::new());
    let broken = || {
        let what = format!("The file did not arrive whole, or is larger than {} megabytes.", most / 1_048_576);
        WebError::Bad(what, "Send it in parts.".into())
    };
    in_time(async {
        while let Some(piece) = body.try_next().await.map_err(|_| broken())? {
            if whole.size + piece.len() > most {
                return Err(broken());
            }
            whole.put(&piece).map_err(not_kept)?;
        }
        Ok(())
    })
    .await?;
    drop(coming);
    Ok((whole, door.reading(whose).await?))
}

async fn in_time<T>(coming: impl Future<Output = Result<T, WebError>>) -> Result<T, WebError> {
    tokio::time::timeout(MOST_COMING, coming).await.unwrap_or_else(|_| {
        Err(WebError::Bad(
            format!("The upload took longer than {} minutes.", MOST_COMING.as_secs() / 60),
            "Bring fewer files at once, or from a faster line.".into(),
        ))
    })
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
        let (mut content, mut over) = (Arrived::new(file.clone().unwrap_or_default()), false);
        while let Some(chunk) = part.try_next().await.map_err(broken)? {
            arrived += chunk.len();
            if arrived > bounds.all {
                return Err(WebError::Bad(
                    "The files are far too large to be read to their end.".into(),
                    "Bring fewer, or smaller ones.".into(),
                ));
            }
            if over || content.size + chunk.len() > most || kept + content.size + chunk.len() > bounds.kept {
                // The rest is read and forgotten.
                over = true;
                content = Arrived::new(String::new());
            } else {
                content.put(&chunk).map_err(not_kept)?;
            }
        }
        kept += content.size;
        match file {
            _ if over => out.too_large.push((field, file.unwrap_or_default())),
            None if out.fields.len() >= bounds.fields => return Err(many()),
            None => {
                let bytes = content.bytes().map_err(not_kept)?;
                out.fields.push((field, String::from_utf8_lossy(&bytes).into_owned()));
            }
            // A field for files that was left empty.
            Some(name) if name.is_empty() && content.size == 0 => {}
            Some(_) if out.files.len() >= bounds.files => out.too_many = true,
            Some(_) => out.files.push(content),
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
        parts.files.iter().map(|f| f.name.as_str()).collect()
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
            let mut parts = send(&sent, piece).expect("it arrives");
            assert_eq!(
                parts.fields,
                [("token".to_owned(), "abc".to_owned()), ("c.x:1".to_owned(), "8,5 µm".to_owned())]
            );
            assert_eq!(names(&parts), ["a.png", "b.png"]);
            let bytes: Vec<Vec<u8>> = parts.files.iter_mut().map(|f| f.bytes().expect("kept")).collect();
            assert_eq!(bytes, [b"\x89PNG\r\n--edg".to_vec(), Vec::new()]);
            assert_eq!(parts.files[0].bytes().expect("again"), bytes[0]);
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
