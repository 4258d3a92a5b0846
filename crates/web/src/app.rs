//! All routes in one table, and the server around them.

use actix_session::SessionMiddleware;
use actix_session::config::{CookieContentSecurity, PersistentSession};
use actix_session::storage::CookieSessionStore;
use actix_web::body::MessageBody;
use actix_web::cookie::{Key, SameSite, time::Duration};
use actix_web::dev::{ServiceRequest, ServiceResponse};
use actix_web::http::header::{HeaderName, HeaderValue};
use actix_web::middleware::{Compress, DefaultHeaders, Next, from_fn};
use actix_web::{App, Error, HttpServer, web};
use jurado_store::{Store, StoreError};

use crate::routes::{
    attachments, auth, bench, docket, entry, intake, protocol_text, protocols, quick, returns, sections, stations,
    tryout, words,
};
use crate::{assets, error};

/// How the server is run.
#[derive(Clone, Debug)]
pub struct Settings {
    /// Port on loopback.
    pub port: u16,
    /// Lines printed once it answers.
    pub greeting: String,
}

/// Routes in one place. Each handler asks for an `Actor` where one has to be signed in.
pub(crate) fn routes(config: &mut web::ServiceConfig) {
    config
        .route("/", web::get().to(docket::home))
        .route("/sign-in", web::get().to(auth::form))
        .route("/sign-in", web::post().to(auth::sign_in))
        .route("/sign-out", web::post().to(auth::sign_out))
        .route("/lamp", web::post().to(auth::lamp))
        .route("/docket", web::get().to(docket::page))
        .route("/bench", web::get().to(bench::next))
        .route("/bench/{id}", web::get().to(bench::page))
        .route("/bench/{id}/decide", web::post().to(bench::decide))
        .route("/bench/{id}/try", web::get().to(tryout::begin))
        .route("/bench/{id}/try", web::post().to(tryout::work))
        .route("/bench/{id}/correct", web::post().to(tryout::correct))
        .route("/bench/{id}/own", web::post().to(words::own))
        .route("/bench/{id}/say", web::post().to(words::say))
        .route("/bench/{id}/revisions", web::get().to(words::revisions))
        .route("/bench/{id}/attach", web::post().to(attachments::attach))
        .route("/bench/{id}/attachment/{file}/remove", web::post().to(attachments::remove))
        .route("/attachment/{id}", web::get().to(attachments::show))
        .route("/names", web::post().to(auth::names))
        .route("/bench/{id}/undo", web::post().to(bench::undo))
        .route("/bench/{id}/sign", web::post().to(bench::sign))
        .route("/intake", web::get().to(intake::page))
        .route("/intake", web::post().to(intake::upload))
        .route("/intake/lot", web::get().to(intake::lot))
        .route("/intake/lot", web::post().to(intake::take_lot))
        .route("/intake/{id}/columns", web::post().to(intake::columns))
        .route("/entry", web::get().to(entry::page))
        .route("/entry", web::post().to(entry::typed))
        .route("/sections", web::get().to(sections::page))
        .route("/sections/roster", web::post().to(sections::roster))
        .route("/sections/roster.csv", web::get().to(sections::roster_csv))
        .route("/sections/{section}/{lab}", web::get().to(sections::setting))
        .route("/sections/{section}/{lab}", web::post().to(sections::set))
        .route("/quarantine/{id}/mend", web::post().to(intake::mend))
        .route("/intake/{id}", web::get().to(intake::preview))
        .route("/intake/{id}/take", web::post().to(intake::take))
        .route("/intake/{id}/drop", web::post().to(intake::put_aside))
        .route("/quarantine/{id}/settle", web::post().to(intake::settle))
        .route("/quick", web::get().to(quick::page))
        .route("/quick/{lab}", web::post().to(quick::look))
        .route("/protocols", web::get().to(protocols::library))
        .route("/protocols/{lab}", web::get().to(protocols::read))
        .route("/protocols/{lab}/edit", web::get().to(protocol_text::edit))
        .route("/protocols/{lab}/edit", web::post().to(protocol_text::change))
        .route("/protocols/{lab}/check", web::post().to(protocol_text::check))
        .route("/protocols/{lab}/stations", web::get().to(stations::page))
        .route("/protocols/{lab}/stations", web::post().to(stations::change))
        .route("/protocols/{lab}/paper", web::get().to(protocols::paper))
        .route("/protocols/{lab}/sheet/{ending}", web::get().to(protocols::download))
        .route("/returns", web::get().to(returns::page))
        .route("/returns/release", web::get().to(returns::look))
        .route("/returns/release", web::post().to(returns::release))
        .route("/returns/marks.{ending}", web::get().to(returns::marks))
        .route("/returns/package/{lab}", web::get().to(returns::package))
        .route("/returns/batch", web::get().to(returns::batch))
        .route("/returns/{id}", web::get().to(returns::sheet))
        .route("/health", web::get().to(docket::health))
        .route("/assets/{path:.*}", web::get().to(assets::serve))
        .default_service(web::to(error::nowhere));
}

/// Serves until stopped.
///
/// # Errors
/// Where the port cannot be had or the database not be reached at the start, in one line.
pub async fn serve(store: Store, settings: Settings) -> Result<(), String> {
    let keep = store.clone();
    let secret = web::block(move || keep.run(|c| jurado_store::settings::get_or_insert(c, "cookie-key", new_secret)))
        .await
        .map_err(|e| e.to_string())?
        .map_err(|e: StoreError| e.to_string())?;
    let key = Key::derive_from(secret.as_bytes());
    let server = HttpServer::new(move || {
        let session = SessionMiddleware::builder(CookieSessionStore::default(), key.clone())
            .cookie_name("jurado".to_owned())
            // Loopback has no TLS; a proxy in front adds it.
            .cookie_secure(false)
            .cookie_http_only(true)
            .cookie_same_site(SameSite::Lax)
            .cookie_content_security(CookieContentSecurity::Private)
            .session_lifecycle(PersistentSession::default().session_ttl(Duration::hours(12)))
            .build();
        App::new()
            .app_data(web::Data::new(store.clone()))
            .app_data(web::FormConfig::default().limit(256 * 1024).error_handler(error::bad_form))
            .wrap(session)
            .wrap(Compress::default())
            .wrap(
                DefaultHeaders::new()
                    .add(("Content-Security-Policy", "default-src 'none'; script-src 'self'; style-src 'self'; font-src 'self'; img-src 'self' data:; connect-src 'self'; form-action 'self'; base-uri 'none'; frame-ancestors 'none'"))
                    .add(("X-Content-Type-Options", "nosniff"))
                    .add(("Referrer-Policy", "same-origin")),
            )
            .wrap(from_fn(timed))
            .configure(routes)
    })
    .workers(2)
    // As many as the pool has connections: more would only wait for one, each with memory of its own.
    .worker_max_blocking_threads(5)
    .shutdown_timeout(5)
    .bind(("127.0.0.1", settings.port))
    .map_err(|e| format!("port {} cannot be used: {e}; choose another with --port", settings.port))?;
    println!("{}", settings.greeting);
    server.run().await.map_err(|e| e.to_string())
}

/// Says how long an answer took in the server, as browsers and benchmarks read it.
async fn timed(
    request: ServiceRequest,
    next: Next<impl MessageBody>,
) -> Result<ServiceResponse<impl MessageBody>, Error> {
    let begun = std::time::Instant::now();
    let mut answer = next.call(request).await?;
    let took = format!("app;dur={:.2}", 1000.0 * begun.elapsed().as_secs_f64());
    if let Ok(value) = HeaderValue::from_str(&took) {
        answer.headers_mut().insert(HeaderName::from_static("server-timing"), value);
    }
    Ok(answer)
}

fn new_secret() -> String {
    use rand::Rng;
    let bytes: [u8; 32] = rand::rng().random();
    bytes.iter().map(|b| format!("{b:02x}")).collect()
}
