//! What all requests share, and what lets them in.

use std::sync::Arc;
use std::sync::atomic::{AtomicBool, AtomicU64, Ordering};
use std::time::Instant;

use axum::body::{Bytes, to_bytes};
use axum::extract::{FromRequest, Request};
use axum::http::{HeaderMap, StatusCode, header};
use heddle_work::{Inspected, OpenModel};
use http_body_util::LengthLimitError;
use subtle::ConstantTimeEq;
use tokio::sync::{OwnedSemaphorePermit, Semaphore};
use tokio::time::{timeout, timeout_at};

use crate::in_use::InUse;
use crate::log::Log;
use crate::metrics::Metrics;
use crate::options::Limits;
use crate::problem::{Problem, causes};

/// A smaller body is worked on where it was read: handing it to another thread would cost more.
const SMALL: usize = 16 << 10;
/// What a body counts at least among those in memory.
const LEAST: usize = 4 << 10;

/// What is answered beside reviews.
pub struct Texts {
    /// How the page looks.
    pub style: String,
    /// What it does.
    pub script: String,
    /// The card of a model, as a page.
    pub card: fn(&Inspected) -> String,
    /// The description of all routes, of a model and whether a token is asked for.
    pub describe: fn(&OpenModel, bool) -> String,
}

/// What all requests share.
pub struct Service {
    /// The model in use.
    pub in_use: InUse,
    /// What is counted.
    pub metrics: Metrics,
    /// What is logged.
    pub log: Log,
    /// How much is taken.
    pub limits: Limits,
    /// What does not change.
    pub texts: Texts,
    /// What a client must send as its bearer token, if anything.
    pub token: Option<String>,
    places: Arc<Semaphore>,
    bodies: Arc<Semaphore>,
    stopping: AtomicBool,
    ids: Ids,
}

impl Service {
    /// Nothing asked yet.
    pub fn new(
        in_use: InUse,
        (log, metrics): (Log, Metrics),
        (limits, token): (Limits, Option<String>),
        texts: Texts,
    ) -> Self {
        Self {
            in_use,
            metrics,
            log,
            limits,
            texts,
            token,
            places: Arc::new(Semaphore::new(limits.at_once)),
            bodies: Arc::new(Semaphore::new(limits.bodies() / LEAST)),
            stopping: AtomicBool::new(false),
            ids: Ids::new(),
        }
    }

    /// No more requests are to come.
    pub fn stop(&self) {
        self.stopping.store(true, Ordering::Relaxed);
    }

    /// Whether no more requests are to come.
    pub fn is_stopping(&self) -> bool {
        self.stopping.load(Ordering::Relaxed)
    }

    /// An id for a request that brings none.
    pub fn id(&self) -> String {
        self.ids.next()
    }

    /// Whether a request brings the token, where one is asked for. How long that takes does not tell how much of it is right.
    pub fn knows(&self, headers: &HeaderMap) -> bool {
        let Some(token) = &self.token else { return true };
        let sent = headers.get(header::AUTHORIZATION).map(|value| value.as_bytes());
        let sent = sent.and_then(|value| value.split_at_checked(7));
        sent.is_some_and(|(scheme, sent)| {
            scheme.eq_ignore_ascii_case(b"bearer ") && bool::from(sent.ct_eq(token.as_bytes()))
        })
    }

    /// Lets a request in whose body has so many bytes, where that is known.
    fn admit(&self, bytes: Option<usize>) -> Result<Admitted, Problem> {
        let busy = |_| {
            Problem::new(
                StatusCode::TOO_MANY_REQUESTS,
                "as many requests are worked on as this server takes at a time; come back in a second, or send fewer at once \
                 with more reviews in each",
            )
        };
        let body = bytes.unwrap_or(self.limits.body).clamp(LEAST, self.limits.body.max(LEAST)) / LEAST;
        Ok(Admitted {
            _place: Arc::clone(&self.places).try_acquire_owned().map_err(busy)?,
            _body: Arc::clone(&self.bodies).try_acquire_many_owned(body as u32).map_err(busy)?,
        })
    }

    /// Works on what was sent, with the model that is in use when this begins; a large body on a thread of its own.
    pub async fn work<R: Send + 'static>(
        self: Arc<Self>,
        Sent { bytes, began, admitted, media_type }: Sent,
        weighs: Weighs,
        work: impl FnOnce(&Self, &OpenModel, Body) -> Result<R, Problem> + Send + 'static,
    ) -> Result<R, Problem> {
        let (ends, seconds) = (began + self.limits.time, self.limits.time.as_secs());
        let is_small = weighs == Weighs::ItsBytes && bytes.len() <= SMALL;
        let body = Body { bytes, media_type };
        let all = move || {
            let _admitted = admitted; // it keeps its place until the work is done, whoever waits for it
            work(&self, &self.in_use.get(), body)
        };
        if is_small {
            return all();
        }
        match timeout_at(ends.into(), tokio::task::spawn_blocking(all)).await {
            Ok(Ok(done)) => done,
            Ok(Err(_)) => Err(Problem::fault()),
            Err(_) => Err(Problem::new(
                StatusCode::SERVICE_UNAVAILABLE,
                format!("it took longer than {seconds} s; send fewer reviews at a time"),
            )),
        }
    }
}

/// What a request costs.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Weighs {
    /// A time that grows with its bytes alone.
    ItsBytes,
    /// More than that.
    More,
}

/// The place of a request among those that are worked on.
struct Admitted {
    _place: OwnedSemaphorePermit,
    _body: OwnedSemaphorePermit,
}

/// What was sent.
pub struct Body {
    /// The body, unpacked.
    pub bytes: Bytes,
    /// What it is, without parameters and in lower case; nothing where that was not said.
    pub media_type: String,
}

/// A request that was let in and read.
pub struct Sent {
    bytes: Bytes,
    media_type: String,
    began: Instant,
    admitted: Admitted,
}

impl FromRequest<Arc<Service>> for Sent {
    type Rejection = Problem;

    async fn from_request(request: Request, service: &Arc<Service>) -> Result<Self, Problem> {
        let began = Instant::now();
        let limits = service.limits;
        let (head, body) = request.into_parts();
        let header = |name| head.headers.get(name).and_then(|value| value.to_str().ok());
        let length = header(header::CONTENT_LENGTH).and_then(|length| length.parse().ok());
        let media_type = header(header::CONTENT_TYPE).unwrap_or_default();
        let media_type = media_type.split(';').next().unwrap_or_default().trim().to_ascii_lowercase();
        let too_large = || {
            Problem::new(
                StatusCode::PAYLOAD_TOO_LARGE,
                format!("a body may have {} bytes, unpacked; send it in parts", limits.body),
            )
        };
        if length.is_some_and(|length| length > limits.body) {
            return Err(too_large());
        }
        let admitted = service.admit(length)?;
        match timeout(limits.time, to_bytes(body, limits.body)).await {
            Ok(Ok(bytes)) => Ok(Self { bytes, media_type, began, admitted }),
            Ok(Err(error)) if causes(&error).any(|error| error.is::<LengthLimitError>()) => Err(too_large()),
            Ok(Err(_)) => Err(Problem::new(
                StatusCode::BAD_REQUEST,
                "the body ended early or could not be unpacked; send it again",
            )),
            Err(_) => Err(Problem::new(
                StatusCode::REQUEST_TIMEOUT,
                format!("the body was not there within {} s; send less at a time", limits.time.as_secs()),
            )),
        }
    }
}

/// Ids for requests: no two of this server are alike, and none is likely to be another server's.
struct Ids {
    begins: u64,
    next: AtomicU64,
}

impl Ids {
    fn new() -> Self {
        use std::hash::{BuildHasher, RandomState};
        Self { begins: RandomState::new().hash_one(std::process::id()), next: AtomicU64::new(0) }
    }

    fn next(&self) -> String {
        // An odd factor: every number comes once.
        let number = self.next.fetch_add(1, Ordering::Relaxed).wrapping_mul(0x9e37_79b9_7f4a_7c15);
        format!("{:016x}", self.begins ^ number)
    }
}
