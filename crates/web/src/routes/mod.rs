//! One file per screen. Each handler: take apart, load, compute, shape, answer.

pub(crate) mod auth;
pub(crate) mod bench;
pub(crate) mod docket;
pub(crate) mod intake;
pub(crate) mod returns;
