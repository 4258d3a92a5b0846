//! Signing in with the college: OpenID Connect, the authorization code flow with a proof key. What the college says of a person
//! is believed once its signature, its issuer, its audience and its time were checked.

use std::collections::BTreeMap;
use std::sync::{Mutex, PoisonError};
use std::time::{Duration, Instant};

use jurado_store::college::Place;
use openidconnect::core::{
    CoreAuthenticationFlow, CoreClient, CoreIdTokenVerifier, CoreJwsSigningAlgorithm, CoreProviderMetadata,
};
use openidconnect::{
    AuthorizationCode, ClientId, ClientSecret, CsrfToken, EndpointMaybeSet, EndpointNotSet, EndpointSet, HttpRequest,
    HttpResponse, IssuerUrl, Nonce, PkceCodeChallenge, PkceCodeVerifier, RedirectUrl, Scope, TokenResponse,
};
use serde::{Deserialize, Serialize};

/// How long an answer of the college is waited for.
const PATIENCE: Duration = Duration::from_secs(8);
/// Largest answer that is read, in bytes.
const MOST_BYTES: u64 = 1024 * 1024;
/// The library's client of a provider that described itself: where people are sent is known, where a code goes may be.
type Client =
    CoreClient<EndpointSet, EndpointNotSet, EndpointNotSet, EndpointNotSet, EndpointMaybeSet, EndpointMaybeSet>;
/// Signatures that are believed: each with a key of the college's own.
const SIGNATURES: [CoreJwsSigningAlgorithm; 6] = [
    CoreJwsSigningAlgorithm::EcdsaP256Sha256,
    CoreJwsSigningAlgorithm::EcdsaP384Sha384,
    CoreJwsSigningAlgorithm::EdDsa,
    CoreJwsSigningAlgorithm::RsaSsaPkcs1V15Sha256,
    CoreJwsSigningAlgorithm::RsaSsaPkcs1V15Sha384,
    CoreJwsSigningAlgorithm::RsaSsaPssSha256,
];

/// What has to come back with the person: kept in that person's session.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
pub struct Pending {
    state: String,
    nonce: String,
    verifier: String,
}

/// Who came back.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Known {
    /// The person as the issuer names it for good, with the issuer.
    pub subject: String,
    /// Name under which the person signs in there, or the number of a student.
    pub name: String,
}

/// A request of the library, sent.
fn send(request: HttpRequest) -> Result<HttpResponse, ureq::Error> {
    let config = ureq::Agent::config_builder()
        .timeout_global(Some(PATIENCE))
        .http_status_as_error(false)
        .max_redirects(0)
        .build();
    let agent: ureq::Agent = config.into();
    let answer = agent.run(request)?;
    let (head, mut body) = answer.into_parts();
    let bytes = body.with_config().limit(MOST_BYTES).read_to_vec()?;
    Ok(HttpResponse::from_parts(head, bytes))
}

/// What an issuer says of itself, its keys included, and when it said so; or why it said nothing.
type Said = (Instant, Result<CoreProviderMetadata, String>);
/// For how long that is believed without asking again.
const BELIEVED_FOR: Duration = Duration::from_secs(300);
/// For how long an issuer that gave no answer is not asked again: an outage is told at once.
const SILENT_FOR: Duration = Duration::from_secs(20);

/// By issuer.
static SAID: Mutex<BTreeMap<String, Said>> = Mutex::new(BTreeMap::new());

/// What the issuer says of itself, as it was said within the last minutes or is now.
fn discovered(place: &Place) -> Result<CoreProviderMetadata, String> {
    let kept = SAID.lock().unwrap_or_else(PoisonError::into_inner).get(&place.issuer).cloned();
    match kept {
        Some((at, Ok(said))) if at.elapsed() < BELIEVED_FOR => Ok(said),
        Some((at, Err(why))) if at.elapsed() < SILENT_FOR => Err(why),
        _ => discovered_anew(place),
    }
}

fn discovered_anew(place: &Place) -> Result<CoreProviderMetadata, String> {
    let said = asked(place);
    let mut all = SAID.lock().unwrap_or_else(PoisonError::into_inner);
    all.retain(|_, (at, _)| at.elapsed() < BELIEVED_FOR);
    all.insert(place.issuer.clone(), (Instant::now(), said.clone()));
    said
}

fn asked(place: &Place) -> Result<CoreProviderMetadata, String> {
    let issuer = IssuerUrl::new(place.issuer.clone()).map_err(|e| format!("Its address is none: {e}."))?;
    CoreProviderMetadata::discover(&issuer, &send).map_err(|e| match e {
        openidconnect::DiscoveryError::Request(e) => format!("The college gave no answer: {e}."),
        e => format!("The college does not say how people sign in there: {e}."),
    })
}

/// Us as the college knows us; `back` is our own address for people who come back.
fn client(place: &Place, back: &str, said: CoreProviderMetadata) -> Result<Client, String> {
    let back = RedirectUrl::new(back.to_owned()).map_err(|e| format!("Our own address is none: {e}."))?;
    let (name, secret) = (ClientId::new(place.client.clone()), ClientSecret::new(place.secret.clone()));
    Ok(CoreClient::from_provider_metadata(said, name, Some(secret)).set_redirect_uri(back))
}

/// Whether the college can be reached and says how people sign in there.
///
/// # Errors
/// A sentence that says what is wrong.
pub fn look(place: &Place) -> Result<(), String> {
    discovered_anew(place).map(|_| ())
}

/// Where a person is sent to sign in, and what has to come back. `back` is our own address for it.
///
/// # Errors
/// A sentence that says what is wrong.
pub fn begin(place: &Place, back: &str) -> Result<(String, Pending), String> {
    let client = client(place, back, discovered(place)?)?;
    let (challenge, verifier) = PkceCodeChallenge::new_random_sha256();
    let (url, state, nonce) = client
        .authorize_url(CoreAuthenticationFlow::AuthorizationCode, CsrfToken::new_random, Nonce::new_random)
        .add_scope(Scope::new("profile".into()))
        .set_pkce_challenge(challenge)
        .url();
    // Its own word for where people are sent is no more than a word.
    crate::client::check_scheme(&url)?;
    let pending =
        Pending { state: state.secret().clone(), nonce: nonce.secret().clone(), verifier: verifier.secret().clone() };
    Ok((url.to_string(), pending))
}

fn verifier(client: &Client) -> CoreIdTokenVerifier<'_> {
    client.id_token_verifier().set_allowed_algs(SIGNATURES)
}

/// Who came back with a code.
///
/// # Errors
/// A sentence that says what is wrong: another's code, an answer that is not signed by the college, or for somebody else.
pub fn finish(place: &Place, back: &str, pending: &Pending, state: &str, code: &str) -> Result<Known, String> {
    if pending.state.is_empty() || state != pending.state {
        return Err("This answer belongs to another try to sign in. Begin anew.".to_owned());
    }
    let us = client(place, back, discovered(place)?)?;
    let answer = us
        .exchange_code(AuthorizationCode::new(code.to_owned()))
        .map_err(|e| format!("The college does not say where a code is given back: {e}."))?
        .set_pkce_verifier(PkceCodeVerifier::new(pending.verifier.clone()))
        .request(&send)
        .map_err(|e| format!("The college did not take the code: {e}. Begin anew."))?;
    let token = answer.id_token().ok_or("The college did not say who it is.")?;
    let nonce = Nonce::new(pending.nonce.clone());
    // Its keys may have changed since it was asked: then it is asked once more.
    let believed = token.claims(&verifier(&us), &nonce).is_ok();
    let us = if believed { us } else { client(place, back, discovered_anew(place)?)? };
    let verifier = verifier(&us);
    let claims = token
        .claims(&verifier, &nonce)
        .map_err(|e| format!("What the college said cannot be believed: {e}. Begin anew."))?;
    let name = claims.preferred_username().map(|n| n.as_str().trim().to_owned()).unwrap_or_default();
    if name.is_empty() {
        return Err("The college did not say under which name the person signs in there.".to_owned());
    }
    Ok(Known { subject: format!("{}\n{}", claims.issuer().as_str(), claims.subject().as_str()), name })
}
