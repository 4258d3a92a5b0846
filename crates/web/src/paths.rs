//! Places of ours: where a browser may be sent on to.

/// First parts of the addresses of our pages.
const PLACES: [&str; 20] = [
    "account",
    "asked",
    "bench",
    "course",
    "docket",
    "entry",
    "floor",
    "hand-in",
    "intake",
    "moderation",
    "people",
    "practice",
    "protocols",
    "quick",
    "returns",
    "rulings",
    "second",
    "sections",
    "terms",
    "",
];

/// An address that is a page of ours, or the Docket. What was asked for comes from a link or a form, so anything may stand
/// in it: another host, a tab that a browser leaves out, a line feed that would end the head of the answer.
pub(crate) fn ours(asked: &str) -> &str {
    let plain = asked.bytes().all(|b| (0x21..0x7f).contains(&b) && b != b'\\');
    let place = asked.strip_prefix('/').map(|rest| rest.split(['/', '?', '#']).next().unwrap_or(""));
    let known = place.is_some_and(|p| PLACES.contains(&p)) && !asked.starts_with("//");
    if plain && known { asked } else { "/docket" }
}

#[cfg(test)]
mod tests {
    use super::ours;

    #[test]
    fn only_a_page_of_ours_is_gone_on_to() {
        for kept in ["/docket", "/bench/7?f=2", "/", "/returns?lab=3#x", "/intake/lot?ids=1-2"] {
            assert_eq!(ours(kept), kept);
        }
        // Every page that somebody signed in may ask for is one.
        for line in include_str!("app.rs").lines().filter(|l| l.contains("web::get()")) {
            let path = line.split('"').nth(1).expect("a path");
            let first = path.split('/').nth(1).unwrap_or("");
            let open = ["api", "sign-in", "link", "attachment", "metrics", "health", "assets"].contains(&first);
            assert!(open || ours(path) == path, "{path} is a page of ours");
        }
        for other in [
            "//evil.example/",
            "/\t/evil.example/",
            "/\\evil.example",
            "https://evil.example/",
            "docket",
            "",
            "/docket\r\nSet-Cookie: a=b",
            "/elsewhere",
            "/sign-out",
            "/docket /",
            "/\u{2028}docket",
        ] {
            assert_eq!(ours(other), "/docket", "{other:?}");
        }
    }
}
