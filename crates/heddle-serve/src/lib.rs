//! A sentiment model behind HTTP: it scores and explains reviews, tells what it is, and lets another model take its place
//! without dropping a request.
//!
//! [`serve`] answers until the process is told to end. What can be asked is one table (`routes.rs`), of which the router
//! and the description in OpenAPI 3.1 are made; a request goes through `visit.rs` (id, token, log, counts), is let in and
//! read by `service.rs` within the [`Limits`], and is answered by `answers.rs` or `rows.rs` in the forms of `wire.rs`.
//! Nothing of a review is logged, counted or kept.

#![deny(missing_docs)]
#![forbid(unsafe_code)]

mod answers;
mod in_use;
mod log;
mod metrics;
mod options;
mod problem;
mod review;
mod routes;
mod rows;
mod server;
mod service;
mod token;
mod visit;
mod wire;

pub use options::{Limits, ServeOptions};
pub use server::{ServeError, serve};
pub use token::{Token, TokenError, read_token};
