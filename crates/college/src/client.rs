//! The gradebook over HTTP.

use std::time::Duration;

use jurado_store::outbox::{Place, Tried};
use serde::de::DeserializeOwned;
use url::Url;

use crate::scores::{Person, Receipt, Refusal, Score};

/// How long an answer is waited for.
const PATIENCE: Duration = Duration::from_secs(8);
/// Largest answer that is read, in bytes.
const MOST_BYTES: u64 = 16 * 1024 * 1024;

/// A gradebook.
pub struct Client {
    agent: ureq::Agent,
    url: String,
    token: String,
}

/// Whether two addresses are of one service: scheme, host and port. What was typed for one is shown to no other.
#[must_use]
pub fn is_same_place(a: &str, b: &str) -> bool {
    let origin = |text: &str| Url::parse(text.trim()).ok().map(|u| u.origin());
    origin(a).is_some_and(|a| a.is_tuple() && origin(b) == Some(a))
}

/// An address that may be one of a gradebook or an issuer: HTTPS, or a service on this machine.
///
/// # Errors
/// A sentence that says what is wrong with it.
pub fn check_url(text: &str) -> Result<String, String> {
    let mend = "Write it such as https://grades.example/api.";
    let url = Url::parse(text.trim()).map_err(|e| format!("“{text}” is no address: {e}. {mend}"))?;
    if !matches!(url.scheme(), "http" | "https") || url.host().is_none() || url.cannot_be_a_base() {
        return Err(format!("“{text}” is no address of a service. {mend}"));
    }
    check_scheme(&url)?;
    if url.query().is_some() || url.fragment().is_some() || !url.username().is_empty() || url.password().is_some() {
        return Err(format!("The address carries more than host and path. {mend}"));
    }
    Ok(url.as_str().trim_end_matches('/').to_owned())
}

/// HTTPS, or a service on this machine.
///
/// # Errors
/// A sentence that says why.
pub(crate) fn check_scheme(url: &Url) -> Result<(), String> {
    let here = matches!(url.host_str(), Some("127.0.0.1" | "localhost" | "[::1]"));
    if url.scheme() == "https" || (url.scheme() == "http" && here) {
        return Ok(());
    }
    Err("The address is not one of HTTPS: what is said there would travel open.".to_owned())
}

impl Client {
    /// A client of the gradebook at a place.
    pub fn new(place: &Place) -> Client {
        let config = ureq::Agent::config_builder()
            .timeout_global(Some(PATIENCE))
            .http_status_as_error(false)
            // A token is shown to nobody else.
            .max_redirects(0)
            .build();
        Client { agent: config.into(), url: place.url.clone(), token: format!("Bearer {}", place.token) }
    }

    /// Sends a score, and says what is known of it then. Only an answer that can be read says that it arrived.
    pub fn put(&self, score: &Score) -> Tried {
        let sent = self.agent.put(format!("{}/scores", self.url)).header("Authorization", &self.token).send_json(score);
        let mut answer = match sent {
            Ok(answer) => answer,
            Err(e) => return Tried::Later(format!("no answer: {e}")),
        };
        let status = answer.status().as_u16();
        let body = answer.body_mut().with_config().limit(MOST_BYTES).read_to_vec();
        match (status, body) {
            (200..=299, Ok(body)) if serde_json::from_slice::<Receipt>(&body).is_ok() => Tried::Arrived,
            (200..=299, _) => Tried::Later("the answer broke off".into()),
            // It may be taken another time.
            (408 | 425 | 429 | 500..=599, _) => Tried::Later(format!("it answered {status}")),
            (401 | 403, _) => Tried::Refused(format!("it does not take the token ({status})")),
            (_, body) => {
                let told = body.ok().and_then(|b| serde_json::from_slice::<Refusal>(&b).ok());
                Tried::Refused(told.map_or_else(|| format!("it answered {status}"), |t| t.what))
            }
        }
    }

    fn get<T: DeserializeOwned>(&self, path: &str, query: &[(&str, &str)]) -> Result<T, String> {
        let mut request = self.agent.get(format!("{}{path}", self.url)).header("Authorization", &self.token);
        for (name, value) in query {
            request = request.query(name, value);
        }
        let mut answer = request.call().map_err(|e| format!("The gradebook gave no answer: {e}."))?;
        let status = answer.status().as_u16();
        if !(200..=299).contains(&status) {
            return Err(format!("The gradebook answered {status} to {path}."));
        }
        let body = answer.body_mut().with_config().limit(MOST_BYTES).read_to_vec();
        let body = body.map_err(|e| format!("The gradebook's answer broke off: {e}."))?;
        serde_json::from_slice(&body).map_err(|e| format!("The gradebook's answer cannot be read: {e}."))
    }

    /// The scores of a column as they stand there.
    ///
    /// # Errors
    /// A sentence, where there is no answer that can be read.
    pub fn scores(&self, column: &str) -> Result<Vec<Score>, String> {
        self.get("/scores", &[("column", column)])
    }

    /// The roster as the college has it.
    ///
    /// # Errors
    /// As [`Client::scores`].
    pub fn roster(&self) -> Result<Vec<Person>, String> {
        self.get("/roster", &[])
    }
}

#[cfg(test)]
mod tests {
    use super::{check_url, is_same_place};

    #[test]
    fn a_secret_belongs_to_scheme_host_and_port() {
        for (a, b, same) in [
            ("https://grades.example/api", "https://grades.example/other", true),
            ("https://grades.example", "https://GRADES.example:443/", true),
            ("https://grades.example", "http://grades.example", false),
            ("https://grades.example", "https://grades.example:8443", false),
            ("https://grades.example", "https://grades.example.evil", false),
            ("https://grades.example", "", false),
            ("", "", false),
        ] {
            assert_eq!(is_same_place(a, b), same, "{a} {b}");
        }
    }

    #[test]
    fn an_address_is_one_of_a_service_or_told() {
        for (text, kept) in [
            ("https://grades.example/api/", "https://grades.example/api"),
            (" http://127.0.0.1:8095 ", "http://127.0.0.1:8095"),
        ] {
            assert_eq!(check_url(text), Ok(kept.to_owned()));
        }
        for text in [
            "",
            "grades.example",
            "ftp://grades.example",
            "https://",
            "https://a:b@grades.example",
            "http://127.0.0.1.example",
            "http://g.example/?a=1",
        ] {
            let told = check_url(text).expect_err(text);
            assert!(told.contains("such as https://grades.example/api") || told.contains("HTTPS"), "{text}: {told}");
        }
    }
}
