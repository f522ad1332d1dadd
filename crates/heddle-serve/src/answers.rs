//! What is answered to each request.

use std::sync::Arc;

use axum::Json;
use axum::extract::State;
use axum::http::{HeaderValue, StatusCode, header};
use axum::response::{IntoResponse, Response};
use heddle_core::text::Document;
use heddle_work::OpenModel;
use serde::Serialize;
use serde::de::DeserializeOwned;

use crate::metrics::MEDIA_TYPE;
use crate::problem::Problem;
use crate::review::Review;
use crate::service::{Body, Sent, Service, Weighs};
use crate::visit::Reviews;
use crate::wire::{
    ExplainAnswer, ExplainRequest, Health, MOST_EXPLAINED, MOST_TERMS, MOST_WORDS, ModelAnswer, ModelName,
    ScoreAnswer, ScoreRequest,
};

/// Bytes of text that one request has explained at most.
const EXPLAINED_BYTES: usize = 200_000;

type Answer = Result<Response, Problem>;
type Shared = State<Arc<Service>>;

/// Scores reviews.
pub async fn score(State(service): Shared, sent: Sent) -> Answer {
    service
        .work(sent, Weighs::ItsBytes, |service, model, body| {
            let request: ScoreRequest = read(&body)?;
            at_most("reasons", request.reasons, MOST_WORDS)?;
            at_most("reviews of a request", request.reviews.len(), service.limits.reviews)?;
            let judged = model.judge(&documents(&request.reviews, model)?, request.reasons);
            let scores = || judged.iter().map(|judged| &judged.score);
            let (tokens, unknown) =
                scores().fold((0, 0), |(all, own), score| (all + score.tokens, own + score.unknown));
            service.metrics.scored(scores().map(|score| &score.verdict), tokens, unknown);
            written(&ScoreAnswer::new(model, &judged), judged.len())
        })
        .await
}

/// Explains reviews.
pub async fn explain(State(service): Shared, sent: Sent) -> Answer {
    service
        .work(sent, Weighs::More, |_, model, body| {
            let request: ExplainRequest = read(&body)?;
            at_most("terms", request.terms, MOST_TERMS)?;
            at_most("words", request.words, MOST_WORDS)?;
            at_most("reviews to be explained", request.reviews.len(), MOST_EXPLAINED)?;
            let documents = documents(&request.reviews, model)?;
            let bytes = documents.iter().map(|document| document.text().len()).sum();
            at_most("bytes of text to be explained", bytes, EXPLAINED_BYTES)?;
            let explained = model.explain(documents, request.words);
            written(&ExplainAnswer::new(model, &explained, request.terms), explained.len())
        })
        .await
}

/// What the model says of itself.
pub async fn model(State(service): Shared) -> Answer {
    ModelAnswer::new(&service.in_use.get())
        .map(|answer| Json(answer).into_response())
        .map_err(|_| Problem::fault())
}

/// The same as a page.
pub async fn card(State(service): Shared) -> Response {
    let page = (service.texts.card)(service.in_use.get().inspected());
    ([(header::CONTENT_TYPE, "text/html; charset=utf-8")], page).into_response()
}

/// Whether the server is alive.
pub async fn live(State(service): Shared) -> Json<Health> {
    Json(Health { is: "live", model: ModelName::of(&service.in_use.get()) })
}

/// Whether it takes requests.
pub async fn ready(State(service): Shared) -> Response {
    let (status, is) = match service.is_stopping() {
        true => (StatusCode::SERVICE_UNAVAILABLE, "stopping"),
        false => (StatusCode::OK, "ready"),
    };
    (status, Json(Health { is, model: ModelName::of(&service.in_use.get()) })).into_response()
}

/// What was counted.
pub async fn metrics(State(service): Shared) -> Answer {
    let text = service.metrics.text().map_err(|_| Problem::fault())?;
    Ok(([(header::CONTENT_TYPE, MEDIA_TYPE)], text).into_response())
}

/// The description of all this.
pub async fn description(State(service): Shared) -> Response {
    let json = HeaderValue::from_static("application/json");
    ([(header::CONTENT_TYPE, json)], (service.texts.describe)(&service.in_use.get(), service.token.is_some()))
        .into_response()
}

/// The page.
pub async fn page() -> Response {
    ([(header::CONTENT_TYPE, "text/html; charset=utf-8")], include_str!("page/index.html")).into_response()
}

/// How it looks.
pub async fn style(State(service): Shared) -> Response {
    ([(header::CONTENT_TYPE, "text/css; charset=utf-8")], service.texts.style.clone()).into_response()
}

/// What it does.
pub async fn script(State(service): Shared) -> Response {
    ([(header::CONTENT_TYPE, "text/javascript; charset=utf-8")], service.texts.script.clone()).into_response()
}

/// There is nothing here.
pub async fn nothing() -> Problem {
    Problem::new(StatusCode::NOT_FOUND, "there is nothing here; GET /openapi.json tells what there is")
}

/// There is something here, but not for this method.
pub async fn other_method() -> Problem {
    Problem::new(
        StatusCode::METHOD_NOT_ALLOWED,
        "this is not asked for by that method; GET /openapi.json tells how it is",
    )
}

fn documents(reviews: &[Review], model: &OpenModel) -> Result<Vec<Document>, Problem> {
    let document = |(at, review): (usize, &Review)| {
        review.document(model).map_err(|lacking| {
            Problem::unusable(format!(
                "reviews[{at}] has no `{}`: the model reads the columns {}; send them all, or the text alone as a string",
                lacking.0,
                model.columns().join(", ")
            ))
        })
    };
    reviews.iter().enumerate().map(document).collect()
}

/// Reads a request.
fn read<T: DeserializeOwned>(body: &Body) -> Result<T, Problem> {
    if body.media_type != "application/json" {
        return Err(Problem::new(
            StatusCode::UNSUPPORTED_MEDIA_TYPE,
            "expected JSON: send it with `Content-Type: application/json`",
        ));
    }
    serde_json::from_slice(&body.bytes).map_err(|error| match error.is_data() {
        true => Problem::unusable(format!("this is not what is asked here: {error}")),
        false => Problem::new(StatusCode::BAD_REQUEST, format!("this is not JSON: {error}")),
    })
}

pub(crate) fn at_most(what: &str, sent: usize, limit: usize) -> Result<(), Problem> {
    match sent <= limit {
        true => Ok(()),
        false => Err(Problem::unusable(format!(
            "{sent} {what}, and at most {limit} are taken; send them in parts"
        ))),
    }
}

fn written(answer: &impl Serialize, reviews: usize) -> Answer {
    let body = serde_json::to_vec(answer).map_err(|_| Problem::fault())?;
    let mut response = ([(header::CONTENT_TYPE, "application/json")], body).into_response();
    response.extensions_mut().insert(Reviews(reviews as u64));
    Ok(response)
}
