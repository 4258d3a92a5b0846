//! Pictures as they are kept: what they show, and nothing of where, when and with which device they were taken.

use img_parts::jpeg::{Jpeg, markers};
use img_parts::png::Png;
use img_parts::riff::{RiffChunk, RiffContent};
use img_parts::webp::{CHUNK_EXIF, CHUNK_VP8X, CHUNK_XMP, WebP};
use img_parts::{Bytes, ImageEXIF};
use jurado_core::error::Fault;

/// Most pixels of a picture: those of a large photo. A picture of one colour packs a thousand times as many into some kilobytes, and
/// whoever looks at it has them in memory.
const MOST_PIXELS: u64 = 64_000_000;

/// The media type that a file's first bytes say, of those that are taken: PNG, JPEG, WebP and PDF. Its name is not asked.
#[must_use]
pub fn media_of(bytes: &[u8]) -> Option<&'static str> {
    match bytes {
        [0x89, b'P', b'N', b'G', 0x0d, 0x0a, 0x1a, 0x0a, ..] => Some("image/png"),
        [0xff, 0xd8, 0xff, ..] => Some("image/jpeg"),
        [b'R', b'I', b'F', b'F', _, _, _, _, b'W', b'E', b'B', b'P', ..] => Some("image/webp"),
        [b'%', b'P', b'D', b'F', b'-', ..] => Some("application/pdf"),
        _ => None,
    }
}

/// A picture or PDF as it is kept, with its media type: of a picture only what it shows and which way up. A PDF is kept as it is.
///
/// # Errors
/// What is neither, what is damaged, or a picture of more pixels than a photo has.
pub fn as_kept(name: &str, bytes: &[u8]) -> Result<(&'static str, Vec<u8>), Fault> {
    let refuse = |what: String, mend: &str| Fault { line: 1, column: 1, what, mend: mend.to_owned() };
    let Some(media) = media_of(bytes) else {
        let what = format!("“{name}” is no picture and no PDF, whatever its name says");
        return Err(refuse(what, "bring a PNG, JPEG or WebP picture, or a PDF"));
    };
    if media == "application/pdf" {
        return Ok((media, bytes.to_vec()));
    }
    let shared = Bytes::copy_from_slice(bytes);
    let kept = match media {
        "image/png" => Png::from_bytes(shared).ok().map(png),
        "image/jpeg" => Jpeg::from_bytes(shared).ok().and_then(jpeg),
        _ => WebP::from_bytes(shared).ok().map(webp),
    };
    let Some((Some((wide, high)), kept)) = kept else {
        let what = format!("“{name}” is damaged: it cannot be shown as a picture");
        return Err(refuse(what, "take the picture again, or save it anew as PNG or JPEG"));
    };
    if u64::from(wide) * u64::from(high) > MOST_PIXELS {
        let what = format!("“{name}” has {wide} × {high} pixels");
        return Err(refuse(what, "bring at most 64 million, for instance a smaller photo"));
    }
    Ok((media, kept))
}

/// Size in pixels, where it says one, and the picture's bytes.
type Kept = (Option<(u32, u32)>, Vec<u8>);

fn png(mut picture: Png) -> Kept {
    // Parts with a capital are needed; of the others those that say how colours look.
    const LOOKS: [&[u8; 4]; 9] = [b"tRNS", b"gAMA", b"cHRM", b"sRGB", b"iCCP", b"sBIT", b"bKGD", b"pHYs", b"cICP"];
    picture.chunks_mut().retain(|c| c.kind()[0].is_ascii_uppercase() || LOOKS.contains(&&c.kind()));
    (picture.dimensions(), picture.encoder().bytes().to_vec())
}

fn webp(mut picture: WebP) -> Kept {
    let size = picture.dimensions();
    picture.chunks_mut().retain(|c| c.id() != CHUNK_EXIF && c.id() != CHUNK_XMP);
    for chunk in picture.chunks_mut().iter_mut().filter(|c| c.id() == CHUNK_VP8X) {
        let Some(said) = chunk.content().data().filter(|d| !d.is_empty()) else { continue };
        let mut said = said.to_vec();
        // The bits that say that the two parts are there.
        said[0] &= !0b0000_1100;
        *chunk = RiffChunk::new(CHUNK_VP8X, RiffContent::Data(Bytes::from(said)));
    }
    (size, picture.encoder().bytes().to_vec())
}

fn jpeg(mut picture: Jpeg) -> Option<Kept> {
    let size = picture.dimensions().map(|(w, h)| (u32::from(w), u32::from(h)));
    let turned = picture.exif().and_then(|e| orientation(&e));
    picture.segments_mut().retain(|s| {
        let begins = |with: &[u8]| s.contents().starts_with(with);
        match s.marker() {
            markers::APP0 => begins(b"JFIF\0"),
            markers::APP2 => begins(b"ICC_PROFILE\0"),
            markers::APP14 => begins(b"Adobe"),
            markers::APP1..=markers::APP15 | markers::COM => false,
            _ => true,
        }
    });
    if let Some(turned) = turned {
        picture.set_exif(Some(Bytes::copy_from_slice(&only_orientation(turned))));
    }
    let last = picture.segments().last().filter(|s| s.has_entropy())?;
    let scans = last.len_with_entropy() - last.len();
    let mut out = picture.encoder().bytes().to_vec();
    // Behind the picture a phone keeps further ones, each with what the first said of itself.
    let begin = out.len().checked_sub(scans)?;
    out.truncate(begin + end_of_scans(&out[begin..]));
    Some((size, out))
}

/// Where the scans of a picture end, its end marker included. A marker stands in them after 0xFF; a nought after it is a pixel's.
fn end_of_scans(bytes: &[u8]) -> usize {
    let mut at = 0;
    while let Some(found) = memchr::memchr(0xff, bytes.get(at..).unwrap_or_default()) {
        at += found;
        match bytes.get(at + 1..) {
            Some([0xd9, ..]) => return at + 2,
            Some([0xff, ..]) => at += 1,
            Some([0x00 | 0x01 | 0xd0..=0xd7, ..]) => at += 2,
            // Tables between scans say how long they are.
            Some([_, high, low, ..]) => at += 2 + usize::from(*high) * 256 + usize::from(*low),
            _ => break,
        }
    }
    bytes.len()
}

/// Which way up a picture is to be shown, from 1 to 8, as the first list of its description says (TIFF 6.0, tag 274).
fn orientation(tiff: &[u8]) -> Option<u8> {
    let little = tiff.starts_with(b"II");
    let number = |at: usize, bytes: usize| -> Option<usize> {
        let mut part = tiff.get(at..at.checked_add(bytes)?)?.to_vec();
        if little {
            part.reverse();
        }
        Some(part.iter().fold(0, |n, b| n << 8 | usize::from(*b)))
    };
    let list = number(4, 4)?;
    (0..number(list, 2)?)
        .map(|n| list + 2 + 12 * n)
        .find(|entry| number(*entry, 2) == Some(274))
        .and_then(|entry| u8::try_from(number(entry + 8, 2)?).ok())
        .filter(|turned| (1..=8).contains(turned))
}

/// A description that says nothing but which way up.
fn only_orientation(turned: u8) -> [u8; 26] {
    let mut out = *b"MM\0\x2a\0\0\0\x08\0\x01\x01\x12\0\x03\0\0\0\x01\0\0\0\0\0\0\0\0";
    out[19] = turned;
    out
}

#[cfg(test)]
mod tests {
    use super::{as_kept, end_of_scans, media_of, only_orientation, orientation};

    /// A JPEG with these parts before its scan, and something behind its end.
    fn jpeg(parts: &[(u8, &[u8])], (wide, high): (u16, u16), behind: &[u8]) -> Vec<u8> {
        let mut out = vec![0xff, 0xd8];
        let mut part = |marker: u8, content: &[u8]| {
            out.extend([0xff, marker]);
            out.extend((content.len() as u16 + 2).to_be_bytes());
            out.extend(content);
        };
        parts.iter().for_each(|(marker, content)| part(*marker, content));
        let mut frame = vec![8];
        frame.extend(high.to_be_bytes());
        frame.extend(wide.to_be_bytes());
        frame.extend([1, 1, 0x11, 0]);
        part(0xc0, &frame);
        part(0xda, &[1, 1, 0, 0, 63, 0]);
        out.extend(b"scan\xff\x00more\xff\xc4\x00\x04\xff\xd9scan\xff\xd9");
        out.extend(behind);
        out
    }

    fn png(parts: &[(&[u8; 4], &[u8])], (wide, high): (u32, u32)) -> Vec<u8> {
        use img_parts::png::{Png, PngChunk};
        let mut head = [wide.to_be_bytes(), high.to_be_bytes()].concat();
        head.extend([8, 0, 0, 0, 0]);
        let whole: Vec<(&[u8; 4], Vec<u8>)> = [(b"IHDR", head)]
            .into_iter()
            .chain(parts.iter().map(|(kind, content)| (*kind, content.to_vec())))
            .chain([(b"IDAT", b"pixels".to_vec()), (b"IEND", Vec::new())])
            .collect();
        let mut out = b"\x89PNG\r\n\x1a\n".to_vec();
        for (kind, content) in whole {
            out.extend(PngChunk::new(*kind, content.into()).encoder().bytes());
        }
        assert!(Png::from_bytes(out.clone().into()).is_ok());
        out
    }

    fn has(bytes: &[u8], text: &[u8]) -> bool {
        memchr::memmem::find(bytes, text).is_some()
    }

    #[test]
    fn of_a_picture_only_what_it_shows_is_kept_and_which_way_up() {
        let mut exif = b"Exif\0\0".to_vec();
        exif.extend(only_orientation(6));
        exif.extend(b"SECRET place and device");
        let photo = jpeg(
            &[
                (0xe0, b"JFIF\0\x01\x02"),
                (0xe1, &exif),
                (0xe1, b"http://ns.adobe.com/xap/1.0/\0SECRET"),
                (0xe2, b"ICC_PROFILE\0colours"),
                (0xe2, b"MPF\0SECRET"),
                (0xed, b"SECRET"),
                (0xfe, b"SECRET"),
            ],
            (400, 300),
            b"\xff\xd8\xff\xe1SECRET",
        );
        let (media, kept) = as_kept("a.jpg", &photo).expect("a picture");
        assert_eq!(media, "image/jpeg");
        assert!(!has(&kept, b"SECRET") && has(&kept, b"colours") && has(&kept, b"JFIF"), "{kept:?}");
        assert!(kept.ends_with(b"scan\xff\xd9"), "{kept:?}");
        assert!(has(&kept, &only_orientation(6)));
        assert_eq!(as_kept("a.jpg", &kept).expect("again").1, kept, "the same picture stays the same");

        let shot = png(&[(b"gAMA", b"0123"), (b"tEXt", b"SECRET"), (b"eXIf", b"SECRET"), (b"iTXt", b"SECRET")], (4, 3));
        let (_, kept) = as_kept("a.png", &shot).expect("a picture");
        assert!(!has(&kept, b"SECRET") && has(&kept, b"0123") && has(&kept, b"pixels"));

        let mut webp = b"RIFF\0\0\0\0WEBPVP8X\x0a\0\0\0\x0c\0\0\0\x07\0\0\x05\0\0".to_vec();
        webp.extend(b"VP8L\x06\0\0\0\x2f\x07\x40\x01\0\0EXIF\x06\0\0\0SECRETXMP \x06\0\0\0SECRET");
        let size = (webp.len() as u32 - 8).to_le_bytes();
        webp[4..8].copy_from_slice(&size);
        let (_, kept) = as_kept("a.webp", &webp).expect("a picture");
        assert!(!has(&kept, b"SECRET") && has(&kept, b"VP8L"), "{kept:?}");
        assert_eq!(kept[20] & 0x0c, 0, "and it no longer says that they are there");

        let pdf = b"%PDF-1.4 as it is";
        assert_eq!(as_kept("a.pdf", pdf).expect("kept").1, pdf);
    }

    #[test]
    fn what_no_photo_has_or_nothing_can_show_is_refused() {
        for (name, bytes, says) in [
            ("a.jpg", jpeg(&[], (60_000, 60_000), b""), "60000 × 60000 pixels"),
            ("a.png", png(&[], (100_000, 100_000)), "100000 × 100000 pixels"),
            ("a.png", b"\x89PNG\r\n\x1a\nnothing".to_vec(), "damaged"),
            ("a.jpg", b"\xff\xd8\xff\xe0".to_vec(), "damaged"),
            ("a.webp", b"RIFF\x04\0\0\0WEBP".to_vec(), "damaged"),
            ("a.png", b"<svg/>".to_vec(), "no picture and no PDF"),
        ] {
            let fault = as_kept(name, &bytes).expect_err(says);
            assert!(fault.what.contains(says), "{fault:?}");
        }
        assert!(as_kept("a.jpg", &jpeg(&[], (8_000, 8_000), b"")).is_ok(), "64 million are a photo");
    }

    #[test]
    fn orientation_is_read_in_either_order_and_from_any_bytes() {
        for turned in 1..=8 {
            assert_eq!(orientation(&only_orientation(turned)), Some(turned));
        }
        let little = b"II\x2a\0\x08\0\0\0\x01\0\x12\x01\x03\0\x01\0\0\0\x08\0\0\0";
        assert_eq!(orientation(little), Some(8));
        for odd in [&b""[..], b"II", b"MM\0\x2a\xff\xff\xff\xff", &little[..12], &only_orientation(9)] {
            assert_eq!(orientation(odd), None);
        }
        assert_eq!(end_of_scans(b"no end\xff"), 7);
        assert_eq!(media_of(b"GIF89a"), None);
    }
}
