//! How a server is to be.

use std::net::SocketAddr;
use std::time::Duration;

use heddle_work::Inspected;

/// How a server is to be.
pub struct ServeOptions {
    /// The model file; whatever model takes its place there is taken over.
    pub model: String,
    /// Where the server listens. Port 0 is any that is free.
    pub address: SocketAddr,
    /// What a client must send as its bearer token, if anything.
    pub token: Option<String>,
    /// How much is taken.
    pub limits: Limits,
    /// Whether requests that went as they should are left out of the log.
    pub quiet: bool,
    /// The threads that connections are served by.
    pub threads: usize,
    /// How pages of the card's kind look: the page of the server looks so too.
    pub style: &'static str,
    /// What their tables do, as a function `enliven` of a part of a page.
    pub script: &'static str,
    /// The card of a model, as a page.
    pub card: fn(&Inspected) -> String,
}

/// How much is taken.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Limits {
    /// Bytes of a body, unpacked.
    pub body: usize,
    /// Reviews of a request.
    pub reviews: usize,
    /// Requests that are worked on at a time.
    pub at_once: usize,
    /// The time that a request may take, its body and its answer together.
    pub time: Duration,
}

impl Limits {
    /// Bytes of bodies that are in memory at a time: those of 16 of the largest.
    pub(crate) fn bodies(&self) -> usize {
        16 * self.body
    }
}
