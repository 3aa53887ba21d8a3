//! Commands by which things come from elsewhere, go out to others, or are put together: one program for all, since each
//! links everything.
#![allow(clippy::unwrap_used, clippy::panic, clippy::indexing_slicing, clippy::expect_used)]

#[path = "../common/mod.rs"]
mod common;

mod adopt;
mod capture;
mod derived;
mod ids;
mod install;
mod lines;
mod made_ids;
mod pack;
mod parts;
mod paste;
mod remarks;
mod reports;
mod sheet;
mod tag;
mod text;
mod watch;
