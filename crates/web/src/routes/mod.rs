//! One file per screen. Each handler: take apart, load, compute, shape, answer.

pub(crate) mod api;
pub(crate) mod asked;
pub(crate) mod attachments;
pub(crate) mod auth;
pub(crate) mod bench;
pub(crate) mod codes;
pub(crate) mod college;
pub(crate) mod course;
pub(crate) mod docket;
pub(crate) mod door_files;
pub(crate) mod entry;
pub(crate) mod floor;
pub(crate) mod gradebook;
pub(crate) mod hand_in;
pub(crate) mod intake;
pub(crate) mod moderation;
pub(crate) mod new_lab;
mod offer;
mod parts;
pub(crate) mod people;
pub(crate) mod practice;
pub(crate) mod privacy;
pub(crate) mod protocol_text;
pub(crate) mod protocols;
pub(crate) mod quick;
pub(crate) mod record;
pub(crate) mod returns;
pub(crate) mod room;
pub(crate) mod rulings;
pub(crate) mod second;
pub(crate) mod second_factor;
pub(crate) mod sections;
pub(crate) mod setting;
pub(crate) mod shelf;
pub(crate) mod stations;
pub(crate) mod tokens;
pub(crate) mod tryout;
pub(crate) mod watch;
pub(crate) mod words;
mod would;

#[cfg(test)]
mod sweep;
