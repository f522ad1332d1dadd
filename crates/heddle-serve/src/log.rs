//! What happened, a line of JSON each, on standard error.
//!
//! An [`Event`] has no place for the text of a review, for what a request asked in its address, or for a token: whatever is
//! logged, none of these is. Lines are written by a thread of their own; where nobody takes them they are dropped and
//! counted, and no request waits.

use std::io::{self, Write};
use std::sync::Arc;
use std::sync::atomic::{AtomicU64, Ordering};
use std::sync::mpsc::{SyncSender, sync_channel};
use std::thread::{self, JoinHandle};

use jiff::Timestamp;
use serde::Serialize;

/// Lines that may wait to be written.
const WAITING: usize = 8192;

/// Something that happened.
#[derive(Debug, Clone, Serialize)]
#[serde(tag = "event", rename_all = "snake_case")]
pub enum Event {
    /// The server listens.
    Started {
        /// Where.
        address: String,
        /// The digest of the model.
        model: String,
    },
    /// A request was answered, or its client left before it was.
    Request {
        /// Its id.
        request: String,
        /// How it was asked.
        method: &'static str,
        /// Which route it took; what stood behind a "?" is not kept.
        route: String,
        /// The HTTP status; missing where the client left.
        #[serde(skip_serializing_if = "Option::is_none")]
        status: Option<u16>,
        /// Milliseconds until the answer was made.
        ms: f64,
        /// How many reviews it held.
        #[serde(skip_serializing_if = "is_zero")]
        reviews: u64,
    },
    /// Another model was taken over.
    ModelTaken {
        /// The digest of the one before.
        before: String,
        /// The digest of the one in use.
        model: String,
    },
    /// The file changed and is no model, or none that answers: the one before stays in use.
    ModelKept {
        /// The digest of the one in use.
        model: String,
        /// What is wrong with the file.
        why: String,
    },
    /// A part of the work failed that should not: a fault of the program.
    Fault {
        /// Where in the program.
        place: String,
    },
    /// Requests that are begun are answered; no more are taken.
    Stopping,
    /// The end.
    Stopped {
        /// Requests that were not answered in time.
        unanswered: u64,
    },
}

fn is_zero(count: &u64) -> bool {
    *count == 0
}

impl Event {
    /// Whether it is told where only what matters is.
    fn matters(&self) -> bool {
        match self {
            Self::Request { status, .. } => status.is_some_and(|status| status >= 500),
            Self::ModelKept { .. } | Self::Fault { .. } => true,
            Self::Stopped { unanswered } => *unanswered > 0,
            Self::Started { .. } | Self::ModelTaken { .. } | Self::Stopping => false,
        }
    }
}

#[derive(Serialize)]
struct Line<'e> {
    time: String,
    #[serde(flatten)]
    event: &'e Event,
    #[serde(skip_serializing_if = "is_zero")]
    dropped_before: u64,
}

/// Writes events.
#[derive(Debug, Clone)]
pub struct Log {
    lines: SyncSender<String>,
    dropped: Arc<AtomicU64>,
    quiet: bool,
}

impl Log {
    /// A log, and the thread that writes it; it ends when the last log is gone. A quiet one leaves out what went as it
    /// should.
    pub fn begin(quiet: bool) -> (Self, JoinHandle<()>) {
        let (lines, waiting) = sync_channel::<String>(WAITING);
        let writer = thread::spawn(move || {
            while let Ok(line) = waiting.recv() {
                // Lines that came meanwhile go out with it; a log that nobody reads is no reason to end.
                let rest: String = waiting.try_iter().take(WAITING).collect();
                let _ = io::stderr().lock().write_all((line + &rest).as_bytes());
            }
        });
        (Self { lines, dropped: Arc::default(), quiet }, writer)
    }

    /// Notes an event.
    pub fn note(&self, event: &Event) {
        if self.quiet && !event.matters() {
            return;
        }
        let dropped_before = self.dropped.swap(0, Ordering::Relaxed);
        let line = Line { time: Timestamp::now().to_string(), event, dropped_before };
        let Ok(line) = serde_json::to_string(&line) else { return };
        if self.lines.try_send(line + "\n").is_err() {
            self.dropped.fetch_add(1 + dropped_before, Ordering::Relaxed);
        }
    }
}
