//! All routes in one table, and the server around them.

use std::net::TcpListener;
use std::path::PathBuf;

use actix_session::SessionMiddleware;
use actix_session::config::{BrowserSession, CookieContentSecurity};
use actix_session::storage::CookieSessionStore;
use actix_web::body::MessageBody;
use actix_web::cookie::{Key, SameSite, time::Duration};
use actix_web::dev::{ServiceFactory, ServiceRequest, ServiceResponse};
use actix_web::middleware::{Compress, DefaultHeaders, from_fn};
use actix_web::{App, Error, HttpServer, web};
use jurado_store::{Store, Workers};

use crate::door::Door;
use crate::metrics::Metrics;
use crate::request::{Expected, Public, around};
use crate::routes::{
    api, asked, attachments, auth, bench, codes, college, course, docket, door_files, entry, floor, gradebook, hand_in,
    intake, moderation, new_lab, people, practice, privacy, protocol_text, protocols, quick, record, returns, room,
    rulings, second, second_factor, sections, setting, shelf, stations, tokens, tryout, watch, words,
};
use crate::session::MOST_HOURS;
use crate::{assets, error, flash, once};

/// How the server is run.
#[derive(Debug)]
pub struct Settings {
    /// Where it listens: had before anything else is done, so that a port that is taken is told at once.
    pub listener: TcpListener,
    /// Address under which people reach it through a proxy with TLS, such as `https://jurado.example`.
    pub public_url: Option<String>,
    /// Whether a proxy stands in front of it, which says whose request it is. One does before an `https://` address.
    pub proxy: bool,
    /// Folder of the worlds that practice classes are simulated from.
    pub worlds: PathBuf,
    /// Lines printed once it answers.
    pub greeting: String,
}

impl Settings {
    /// Host of the public address.
    fn host(&self) -> Option<String> {
        let url = self.public_url.as_deref()?;
        let rest = url.split_once("://").map_or(url, |(_, rest)| rest);
        Some(rest.split('/').next().unwrap_or(rest).to_owned())
    }

    fn is_secure(&self) -> bool {
        self.public_url.as_deref().is_some_and(|u| u.starts_with("https://"))
    }
}

/// Routes in one place. Each handler asks for an `Actor` where one has to be signed in.
pub(crate) fn routes(config: &mut web::ServiceConfig) {
    config
        .route("/", web::get().to(docket::home))
        .route("/sign-in", web::get().to(auth::form))
        .route("/sign-in", web::post().to(auth::sign_in))
        .route("/sign-in/college", web::get().to(college::begin))
        .route("/sign-in/college/back", web::get().to(college::back))
        .route("/sign-in/college/code", web::post().to(college::code))
        .route("/people/college", web::get().to(college::page))
        .route("/people/college", web::post().to(college::set))
        .route("/sign-out", web::post().to(auth::sign_out))
        .route("/lamp", web::post().to(auth::lamp))
        .route("/account", web::get().to(auth::account))
        .route("/account", web::post().to(auth::change_password))
        .route("/link/{secret}", web::get().to(auth::link))
        .route("/link/{secret}", web::post().to(auth::use_link))
        .route("/people", web::get().to(people::page))
        .route("/people", web::post().to(people::add))
        .route("/people/{id}", web::post().to(people::change))
        .route("/course", web::get().to(course::page))
        .route("/course", web::post().to(course::set))
        .route("/course/student", web::get().to(privacy::student))
        .route("/course/student/erase", web::post().to(privacy::erase))
        .route("/people/{id}/data", web::get().to(privacy::person))
        .route("/course/term", web::post().to(shelf::begin))
        .route("/terms/{id}", web::get().to(shelf::term))
        .route("/terms/{id}/marks.csv", web::get().to(shelf::term_marks))
        .route("/shelf/{id}/back", web::post().to(shelf::bring_back))
        .route("/docket", web::get().to(docket::page))
        .route("/docket/clear", web::get().to(docket::clear))
        .route("/docket/clear", web::post().to(docket::sign_clear))
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
        .route("/bench/{id}/remove", web::post().to(shelf::remove))
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
        .route("/sections/change", web::post().to(sections::change))
        .route("/sections/roster", web::post().to(sections::roster))
        .route("/sections/roster/college", web::get().to(gradebook::roster))
        .route("/sections/roster.csv", web::get().to(sections::roster_csv))
        .route("/sections/{id}/codes", web::get().to(codes::page))
        .route("/sections/{id}/codes", web::post().to(codes::make))
        .route("/sections/{section}/{lab}", web::get().to(setting::page))
        .route("/sections/{section}/{lab}", web::post().to(setting::set))
        .route("/quarantine/{id}/mend", web::post().to(intake::mend))
        .route("/intake/{id}", web::get().to(intake::preview))
        .route("/intake/{id}/take", web::post().to(intake::take))
        .route("/intake/{id}/teams", web::post().to(intake::teams))
        .route("/intake/{id}/lab", web::post().to(intake::other_lab))
        .route("/intake/{id}/drop", web::post().to(intake::put_aside))
        .route("/quarantine/{id}/settle", web::post().to(intake::settle))
        .route("/rulings", web::get().to(rulings::page))
        .route("/rulings", web::post().to(rulings::put))
        .route("/rulings/new", web::get().to(rulings::new))
        .route("/rulings/{id}/withdraw", web::get().to(rulings::look_back))
        .route("/rulings/{id}/withdraw", web::post().to(rulings::withdraw))
        .route("/floor", web::get().to(floor::home))
        .route("/floor/lab", web::get().to(floor::to_lab))
        .route("/floor/storeroom", web::get().to(floor::storeroom))
        .route("/floor/storeroom/{id}", web::post().to(floor::seen_to))
        .route("/floor/of/{id}", web::get().to(floor::of_table))
        .route("/floor/{lab}", web::get().to(floor::page))
        .route("/floor/{lab}/table", web::get().to(floor::table))
        .route("/floor/{lab}/points.csv", web::get().to(floor::csv))
        .route("/floor/{lab}/wall", web::get().to(floor::wall))
        .route("/floor/{lab}/start", web::get().to(floor::start))
        .route("/floor/{lab}/shared", web::get().to(floor::shared))
        .route("/floor/{lab}/place", web::get().to(floor::place))
        .route("/floor/{lab}/note", web::post().to(floor::note))
        .route("/moderation", web::get().to(moderation::page))
        .route("/moderation/lab", web::get().to(moderation::to_lab))
        .route("/moderation/table", web::get().to(moderation::table))
        .route("/moderation/round", web::post().to(moderation::open))
        .route("/moderation/read", web::post().to(moderation::read))
        .route("/moderation/draw", web::post().to(moderation::draw))
        .route("/moderation/back", web::post().to(moderation::take_back))
        .route("/practice", web::get().to(practice::page))
        .route("/practice", web::post().to(practice::begin))
        .route("/practice/example/{id}/close", web::post().to(practice::close))
        .route("/practice/{id}", web::get().to(practice::class))
        .route("/practice/{id}/class", web::get().to(practice::over))
        .route("/practice/{id}/end", web::post().to(practice::end))
        .route("/practice/{id}/{table}", web::get().to(practice::table_page))
        .route("/practice/{id}/{table}/decide", web::post().to(practice::decide))
        .route("/practice/{id}/{table}/try", web::get().to(practice::begin_try))
        .route("/practice/{id}/{table}/try", web::post().to(practice::work_try))
        .route("/practice/{id}/{table}/correct", web::post().to(practice::correct))
        .route("/practice/{id}/{table}/own", web::post().to(practice::own))
        .route("/practice/{id}/{table}/say", web::post().to(practice::say))
        .route("/practice/{id}/{table}/undo", web::post().to(practice::undo))
        .route("/practice/{id}/{table}/sign", web::post().to(practice::sign))
        .route("/bench/{id}/example", web::post().to(practice::keep))
        .route("/second/{id}", web::get().to(second::page))
        .route("/second/{id}", web::post().to(second::mark))
        .route("/hand-in", web::get().to(hand_in::home))
        .route("/hand-in/code", web::post().to(hand_in::come_in))
        .route("/hand-in/with/{code}", web::get().to(hand_in::with))
        .route("/hand-in/leave", web::post().to(hand_in::leave))
        .route("/hand-in/receipt/{id}", web::get().to(hand_in::kept))
        .route("/hand-in/earlier/{sheet}", web::get().to(record::earlier))
        .route("/hand-in/{lab}", web::get().to(hand_in::sheet))
        .route("/hand-in/{lab}", web::post().to(hand_in::send))
        .route("/hand-in/{lab}/receipt", web::get().to(hand_in::receipt))
        .route("/hand-in/picture/{id}", web::get().to(door_files::show))
        .route("/hand-in/{lab}/files", web::get().to(door_files::page))
        .route("/hand-in/{lab}/file", web::post().to(door_files::file))
        .route("/hand-in/{lab}/picture", web::post().to(door_files::picture))
        .route("/hand-in/{lab}/picture/{id}/remove", web::post().to(door_files::remove))
        .route("/hand-in/{lab}/blank.{ending}", web::get().to(door_files::blank))
        .route("/hand-in/{lab}/sheet", web::get().to(record::sheet))
        .route("/hand-in/{lab}/room", web::get().to(room::page))
        .route("/hand-in/{lab}/room", web::post().to(room::look))
        .route("/hand-in/{lab}/ask", web::post().to(record::ask))
        .route("/asked", web::get().to(asked::page))
        .route("/asked/{id}", web::post().to(asked::answer))
        .route("/quick", web::get().to(quick::page))
        .route("/quick/{lab}", web::post().to(quick::look))
        .route("/protocols", web::get().to(protocols::library))
        .route("/protocols/new", web::get().to(new_lab::page))
        .route("/protocols/new", web::post().to(new_lab::add))
        .route("/protocols/new/check", web::post().to(new_lab::check))
        .route("/protocols/new/file", web::post().to(new_lab::from_file))
        .route("/protocols/{lab}", web::get().to(protocols::read))
        .route("/protocols/{lab}/version/{id}", web::get().to(protocols::version))
        .route("/protocols/{lab}/term", web::post().to(protocols::stand))
        .route("/protocols/{lab}/remove", web::post().to(shelf::remove_lab))
        .route("/protocols/{lab}/edit", web::get().to(protocol_text::edit))
        .route("/protocols/{lab}/edit", web::post().to(protocol_text::change))
        .route("/protocols/{lab}/check", web::post().to(protocol_text::check))
        .route("/protocols/{lab}/force", web::post().to(protocols::back_in_force))
        .route("/protocols/{lab}/folder", web::post().to(protocols::from_folder))
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
        .route("/returns/moved", web::get().to(returns::moved))
        .route("/returns/moved", web::post().to(returns::settle_moved))
        .route("/returns/gradebook", web::get().to(gradebook::page))
        .route("/returns/gradebook", web::post().to(gradebook::set))
        .route("/returns/gradebook/try", web::post().to(gradebook::try_now))
        .route("/returns/gradebook/compare", web::get().to(gradebook::reconcile))
        .route("/returns/gradebook/again", web::post().to(gradebook::again))
        .route("/returns/{id}", web::get().to(returns::sheet))
        .route("/account/second", web::get().to(second_factor::page))
        .route("/account/second", web::post().to(second_factor::set))
        .route("/account/tokens", web::get().to(tokens::page))
        .route("/account/tokens", web::post().to(tokens::make))
        .route("/account/tokens/{id}/end", web::post().to(tokens::end))
        .route("/api/v1/openapi.json", web::get().to(api::description))
        .route("/api/v1/labs", web::get().to(api::labs_list))
        .route("/api/v1/labs/{lab}/tables", web::get().to(api::tables))
        .route("/api/v1/labs/{lab}/tables", web::post().to(api::bring))
        .route("/api/v1/tables/{id}/verdict", web::get().to(api::verdict))
        .route("/api/v1/marks", web::get().to(api::marks))
        .route("/metrics", web::get().to(watch::metrics))
        .route("/health", web::get().to(watch::health))
        .route("/assets/{path:.*}", web::get().to(assets::serve))
        .default_service(web::to(error::nowhere));
}

/// What all workers of a server share.
#[derive(Clone)]
pub(crate) struct Shared {
    store: Store,
    key: Key,
    secure: bool,
    door: web::Data<Door>,
    metrics: web::Data<Metrics>,
    expected: web::Data<Expected>,
    health: web::Data<watch::Health>,
    worlds: web::Data<practice::Worlds>,
    acts: web::Data<once::Acts>,
    public: web::Data<Public>,
}

impl Shared {
    pub(crate) fn new(store: &Store, secret: &str, settings: &Settings) -> Shared {
        Shared {
            store: store.clone(),
            key: Key::derive_from(secret.as_bytes()),
            secure: settings.is_secure(),
            door: web::Data::new(Door::new(settings.proxy || settings.is_secure())),
            metrics: web::Data::default(),
            expected: web::Data::new(Expected(settings.host())),
            health: web::Data::default(),
            worlds: web::Data::new(practice::Worlds(settings.worlds.clone())),
            acts: web::Data::new(once::Acts::default()),
            public: web::Data::new(Public(settings.public_url.clone())),
        }
    }
}

/// The application: what stands around every request, and the routes.
pub(crate) fn application(
    shared: &Shared,
) -> App<
    impl ServiceFactory<
        ServiceRequest,
        Config = (),
        Response = ServiceResponse<impl MessageBody + use<>>,
        Error = Error,
        InitError = (),
    > + use<>,
> {
    let session = SessionMiddleware::builder(CookieSessionStore::default(), shared.key.clone())
        // A browser keeps a cookie of this name from any other host and from plain HTTP.
        .cookie_name(if shared.secure { "__Host-jurado" } else { "jurado" }.to_owned())
        .cookie_secure(shared.secure)
        .cookie_http_only(true)
        .cookie_same_site(SameSite::Lax)
        .cookie_content_security(CookieContentSecurity::Private)
        .session_lifecycle(BrowserSession::default().state_ttl(Duration::hours(MOST_HOURS)))
        .build();
    App::new()
        .app_data(web::Data::new(shared.store.clone()))
        .app_data(shared.door.clone())
        .app_data(shared.metrics.clone())
        .app_data(shared.expected.clone())
        .app_data(shared.health.clone())
        .app_data(shared.worlds.clone())
        .app_data(shared.acts.clone())
        .app_data(shared.public.clone())
        .app_data(web::FormConfig::default().limit(once::MOST_FORM).error_handler(error::bad_form))
        .app_data(web::PathConfig::default().error_handler(|_, _| error::WebError::NotFound("page").into()))
        .app_data(web::QueryConfig::default().error_handler(error::bad_query))
        .wrap(from_fn(once::once))
        .wrap(from_fn(flash::keep))
        .wrap(session)
        .wrap(Compress::default())
        .wrap(headers(shared.secure))
        .wrap(from_fn(around))
        .configure(routes)
}

/// Serves until stopped; long work goes on beside.
///
/// # Errors
/// Where the port cannot be had or the database not be reached at the start, in one line.
pub async fn serve(store: Store, settings: Settings) -> Result<(), String> {
    let keep = store.clone();
    let begin = move || {
        keep.run(|c| {
            let secret = jurado_store::settings::get_or_insert(c, "cookie-key", jurado_store::secret)?;
            Ok((secret, jurado_store::settings::course(c)?))
        })
    };
    let (secret, course) = web::block(begin).await.map_err(|e| e.to_string())?.map_err(|e| e.to_string())?;
    crate::views::course::read(course);
    let shared = Shared::new(&store, &secret, &settings);
    let workers = Workers::start(&store);
    let sender = jurado_college::Sender::start(&store);
    let server = HttpServer::new(move || application(&shared))
        .workers(2)
        // As many as the pool has connections: more would only wait for one, each with memory of its own.
        .worker_max_blocking_threads(5)
        // What is done for whoever left is left off.
        .h1_allow_half_closed(false)
        .client_request_timeout(std::time::Duration::from_secs(10))
        .shutdown_timeout(5)
        .listen(settings.listener)
        .map_err(|e| format!("it cannot be listened: {e}"))?;
    println!("{}", settings.greeting);
    let outcome = server.run().await.map_err(|e| e.to_string());
    let _ = web::block(move || {
        workers.stop();
        sender.stop();
    })
    .await;
    outcome
}

/// What every answer carries. Nothing private stays in a cache; assets say otherwise for themselves.
fn headers(secure: bool) -> DefaultHeaders {
    let headers = DefaultHeaders::new()
        .add((
            "Content-Security-Policy",
            "default-src 'none'; script-src 'self'; style-src 'self'; font-src 'self'; img-src 'self' data:; \
             connect-src 'self'; form-action 'self'; base-uri 'none'; frame-ancestors 'none'",
        ))
        .add(("X-Content-Type-Options", "nosniff"))
        .add(("Referrer-Policy", "same-origin"))
        .add(("Permissions-Policy", "camera=(), geolocation=(), microphone=()"))
        .add(("Cross-Origin-Opener-Policy", "same-origin"))
        .add(("Cache-Control", "no-store"));
    if secure { headers.add(("Strict-Transport-Security", "max-age=31536000")) } else { headers }
}
