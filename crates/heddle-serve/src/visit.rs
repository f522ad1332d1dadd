//! What is done around each request: its id, its token, its line in the log and its counts.

use std::sync::Arc;
use std::time::Instant;

use axum::extract::{MatchedPath, Request, State};
use axum::http::{HeaderMap, HeaderValue, Method, StatusCode, header};
use axum::middleware::Next;
use axum::response::{IntoResponse, Response};

use crate::log::Event;
use crate::problem::Problem;
use crate::service::Service;

/// The header of the id of a request.
pub const REQUEST_ID: &str = "x-request-id";
/// A longer id of a client is not kept.
const LONGEST_ID: usize = 128;
/// What may be fetched, run and shown on a page of ours: only what the server gives itself.
const POLICY: &str = "default-src 'none'; script-src 'self'; style-src 'self' 'unsafe-inline'; connect-src 'self'; \
     img-src data:; base-uri 'none'; form-action 'none'; frame-ancestors 'none'";

/// How many reviews an answer tells of, for the log.
#[derive(Debug, Clone, Copy)]
pub struct Reviews(pub u64);

/// Sends away who does not bring the token.
pub async fn known(State(service): State<Arc<Service>>, request: Request, next: Next) -> Response {
    if service.knows(request.headers()) {
        return next.run(request).await;
    }
    let told = "this server asks for its token: send it as `Authorization: Bearer TOKEN`";
    Problem::new(StatusCode::UNAUTHORIZED, told).into_response()
}

/// Watches a request from its head to its answer.
pub async fn watched(
    State(service): State<Arc<Service>>,
    matched: Option<MatchedPath>,
    request: Request,
    next: Next,
) -> Response {
    let route = matched.as_ref().map_or("other", MatchedPath::as_str);
    let visit = Visit {
        id: id_of(request.headers()).unwrap_or_else(|| service.id()),
        method: method(request.method()),
        route: route.into(),
        began: Instant::now(),
        service: Arc::clone(&service),
        ended: false,
    };
    service.metrics.begins();
    let mut response = next.run(request).await;
    let headers = response.headers_mut();
    headers.insert(REQUEST_ID, HeaderValue::from_str(&visit.id).expect("ids are visible ASCII"));
    headers.insert(header::CACHE_CONTROL, HeaderValue::from_static("no-store"));
    headers.insert(header::X_CONTENT_TYPE_OPTIONS, HeaderValue::from_static("nosniff"));
    headers.insert(header::CONTENT_SECURITY_POLICY, HeaderValue::from_static(POLICY));
    headers.insert(header::REFERRER_POLICY, HeaderValue::from_static("no-referrer"));
    visit.answered(&response);
    response
}

/// The id that a client brings, if it is one that can stand in a log.
fn id_of(headers: &HeaderMap) -> Option<String> {
    let id = headers.get(REQUEST_ID)?.to_str().ok()?;
    let is_fit = (1..=LONGEST_ID).contains(&id.len()) && id.bytes().all(|byte| byte.is_ascii_graphic());
    is_fit.then(|| id.into())
}

/// A method that has a name; what else a client calls one is not kept.
fn method(method: &Method) -> &'static str {
    let known = ["GET", "POST", "HEAD", "PUT", "PATCH", "DELETE", "OPTIONS"];
    known.into_iter().find(|name| *name == method.as_str()).unwrap_or("other")
}

/// A request that is not answered yet.
struct Visit {
    id: String,
    method: &'static str,
    route: String,
    began: Instant,
    service: Arc<Service>,
    ended: bool,
}

impl Visit {
    fn answered(mut self, response: &Response) {
        let reviews = response.extensions().get::<Reviews>().map_or(0, |reviews| reviews.0);
        self.end(Some(response.status().as_u16()), reviews);
    }

    fn end(&mut self, status: Option<u16>, reviews: u64) {
        self.ended = true;
        let seconds = self.began.elapsed().as_secs_f64();
        self.service.metrics.ends(&self.route, status, seconds);
        self.service.log.note(&Event::Request {
            request: self.id.clone(),
            method: self.method,
            route: self.route.clone(),
            status,
            ms: (1e5 * seconds).round() / 100.0,
            reviews,
        });
    }
}

impl Drop for Visit {
    /// A client that leaves takes its request with it.
    fn drop(&mut self) {
        if !self.ended {
            self.end(None, 0);
        }
    }
}
