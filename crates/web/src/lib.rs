//! The web application: thin routes over the store and the core, views of finished text and coordinates, and the
//! templates that lay them out. No SQL, no judging and no rounding happens here.

mod app;
mod assets;
mod crew;
mod door;
mod draw;
mod error;
mod flash;
mod forms;
#[cfg(test)]
mod handled;
mod metrics;
mod once;
mod paths;
mod request;
mod routes;
mod session;
mod views;

pub use app::{Settings, serve};
pub use request::number as request_number;
