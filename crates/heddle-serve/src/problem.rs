//! Why a request was not answered, as a problem document (RFC 9457).

use std::error::Error;
use std::iter::successors;

use axum::Json;
use axum::http::{HeaderValue, StatusCode, header};
use axum::response::{IntoResponse, Response};
use schemars::JsonSchema;
use serde::Serialize;

/// Seconds after which it is worth coming back.
const COME_BACK: u64 = 1;

/// Why a request was not answered.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Problem {
    /// The HTTP status.
    pub status: StatusCode,
    /// What is wrong, and what to do.
    pub detail: String,
}

/// The same as it is sent.
#[derive(Debug, Serialize, JsonSchema)]
pub struct ProblemAnswer {
    /// The HTTP status in words.
    pub title: String,
    /// The HTTP status.
    pub status: u16,
    /// What is wrong, and what to do.
    pub detail: String,
}

impl Problem {
    /// A problem with this status.
    pub fn new(status: StatusCode, detail: impl Into<String>) -> Self {
        Self { status, detail: detail.into() }
    }

    /// A request that is sent well and cannot be followed.
    pub fn unusable(detail: impl Into<String>) -> Self {
        Self::new(StatusCode::UNPROCESSABLE_ENTITY, detail)
    }

    /// A fault of the server; its story is nobody else's.
    pub fn fault() -> Self {
        Self::new(
            StatusCode::INTERNAL_SERVER_ERROR,
            "the server has a fault here; its log holds the request by the id that this answer has",
        )
    }
}

impl IntoResponse for Problem {
    fn into_response(self) -> Response {
        let Self { status, detail } = self;
        let title = status.canonical_reason().unwrap_or("Error").into();
        let mut response =
            (status, Json(ProblemAnswer { title, status: status.as_u16(), detail })).into_response();
        let headers = response.headers_mut();
        headers.insert(header::CONTENT_TYPE, HeaderValue::from_static("application/problem+json"));
        if matches!(status, StatusCode::TOO_MANY_REQUESTS | StatusCode::SERVICE_UNAVAILABLE) {
            headers.insert(header::RETRY_AFTER, COME_BACK.into());
        }
        if status == StatusCode::UNAUTHORIZED {
            headers.insert(header::WWW_AUTHENTICATE, HeaderValue::from_static("Bearer"));
        }
        response
    }
}

/// An error, and what caused it, to the last.
pub fn causes<'e>(error: &'e (dyn Error + 'static)) -> impl Iterator<Item = &'e (dyn Error + 'static)> {
    successors(Some(error), |error: &&(dyn Error + 'static)| (*error).source())
}
