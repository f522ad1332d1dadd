//! Whole files, scored row by row.

use std::fs;
use std::sync::{Arc, Mutex, PoisonError};

use axum::extract::{Query, State};
use axum::http::{HeaderMap, HeaderValue, StatusCode, header};
use axum::response::{IntoResponse, Response};
use heddle_work::{Error, Observer, OpenModel, ScoreOptions, Scored, USUAL_DECIMALS};
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};
use tempfile::TempDir;

use crate::answers::at_most;
use crate::problem::{Problem, causes};
use crate::service::{Body, Sent, Service, Weighs};
use crate::visit::Reviews;
use crate::wire::MOST_WORDS;

/// The header that tells how many rows were called what, as JSON.
pub const SCORED: &str = "x-scored";

/// The media types that are taken, and how such files end.
pub const TAKEN: [(&str, &str); 6] = [
    ("text/csv", "csv"),
    ("text/tab-separated-values", "tsv"),
    ("application/x-ndjson", "jsonl"),
    ("application/json", "json"),
    ("application/vnd.apache.parquet", "parquet"),
    ("application/vnd.openxmlformats-officedocument.spreadsheetml.sheet", "xlsx"),
];

/// The media types that are given; the first where none is asked for.
pub const GIVEN: [(&str, &str); 2] = [("text/csv", "csv"), ("application/x-ndjson", "jsonl")];

/// How a file is scored.
#[derive(Debug, Default, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct RowsQuery {
    /// The column of the text, where the file calls it otherwise than the model.
    #[schemars(length(min = 1))]
    pub text: Option<String>,
    /// Whether it is written what to mind about a row.
    #[serde(default)]
    pub flags: bool,
    /// For how many words of each row it is written that they speak most for what it is called.
    #[serde(default)]
    #[schemars(range(max = MOST_WORDS))]
    pub reasons: usize,
}

/// What became of the rows.
#[derive(Debug, Serialize)]
struct Told {
    read: usize,
    scored: usize,
    refused: usize,
    negative: usize,
    neutral: usize,
    positive: usize,
    unsure: usize,
    /// What was remarked on the way: how the file was read, which rows were refused and why.
    remarks: Vec<String>,
}

/// Scores the rows of a file: they come back in their order, with their columns and ours.
pub async fn rows(
    State(service): State<Arc<Service>>,
    query: Result<Query<RowsQuery>, axum::extract::rejection::QueryRejection>,
    headers: HeaderMap,
    sent: Sent,
) -> Result<Response, Problem> {
    let Query(query) = query.map_err(|error| Problem::unusable(error.body_text()))?;
    at_most("reasons", query.reasons, MOST_WORDS)?;
    let wanted = headers.get(header::ACCEPT).and_then(|value| value.to_str().ok()).unwrap_or_default();
    let given = GIVEN.into_iter().find(|(media_type, _)| wanted.contains(media_type)).unwrap_or(GIVEN[0]);
    service
        .work(sent, Weighs::More, move |service, model, body| scored(service, model, body, (query, given)))
        .await
}

fn scored(
    service: &Service,
    model: &OpenModel,
    body: Body,
    (query, given): (RowsQuery, (&'static str, &str)),
) -> Result<Response, Problem> {
    let Some((_, ending)) = TAKEN.into_iter().find(|(taken, _)| *taken == body.media_type) else {
        let taken: Vec<&str> = TAKEN.iter().map(|(taken, _)| *taken).collect();
        return Err(Problem::new(
            StatusCode::UNSUPPORTED_MEDIA_TYPE,
            format!("a file needs its Content-Type, one of {}", taken.join(", ")),
        ));
    };
    let full = |_| {
        Problem::new(
            StatusCode::INSUFFICIENT_STORAGE,
            "the server has no room for the file now; tell who runs it",
        )
    };
    // Nobody else can look into this folder, and it is gone when this ends.
    let folder = TempDir::new().map_err(full)?;
    let place = |name: String| folder.path().join(name).display().to_string();
    let (file, out) = (place(format!("reviews.{ending}")), place(format!("scored.{}", given.1)));
    fs::write(&file, &body.bytes).map_err(full)?;
    drop(body);
    let options = ScoreOptions {
        file,
        out: Some(out.clone()),
        decimals: Some(USUAL_DECIMALS),
        flags: query.flags,
        reasons: query.reasons,
        ..ScoreOptions::default()
    };
    let set = query.text.map(|column| format!("reviews.text={column}")).into_iter().collect();
    let remarks = Arc::new(Remarks::default());
    let shown = |told: &str| told.replace(&format!("{}/", folder.path().display()), "");
    let done = model.score_file(&options, set, Arc::clone(&remarks) as _);
    let done = done.map_err(|error| match is_full(&error) {
        true => full(std::io::Error::other("full")),
        false => Problem::unusable(shown(&error.story())),
    })?;
    let rows = fs::read(&out).map_err(|_| Problem::fault())?;
    let calls = [
        ("negative", done.negative),
        ("neutral", done.neutral),
        ("positive", done.positive),
        ("unsure", done.unsure),
    ];
    for (verdict, reviews) in calls {
        service.metrics.called(verdict, reviews as u64);
    }
    let remarks = remarks.take().iter().map(|remark| shown(remark)).collect();
    answer(rows, given.0, &done, remarks)
}

fn answer(
    rows: Vec<u8>,
    media_type: &'static str,
    done: &Scored,
    remarks: Vec<String>,
) -> Result<Response, Problem> {
    let Scored { read, scored, refused, negative, neutral, positive, unsure, .. } = *done;
    let told = Told { read, scored, refused, negative, neutral, positive, unsure, remarks };
    let told = serde_json::to_string(&told).map_err(|_| Problem::fault())?;
    let told = HeaderValue::from_str(&ascii(&told)).map_err(|_| Problem::fault())?;
    let mut response = ([(header::CONTENT_TYPE, media_type)], rows).into_response();
    response.headers_mut().insert(SCORED, told);
    response.extensions_mut().insert(Reviews(scored as u64));
    Ok(response)
}

/// JSON in ASCII alone, as headers need it.
fn ascii(json: &str) -> String {
    let mut told = String::with_capacity(json.len());
    for letter in json.chars() {
        match letter.is_ascii() {
            true => told.push(letter),
            false => letter
                .encode_utf16(&mut [0; 2])
                .iter()
                .for_each(|unit| told.push_str(&format!("\\u{unit:04x}"))),
        }
    }
    told
}

/// Whether there is no room on the disk.
fn is_full(error: &Error) -> bool {
    use std::io::ErrorKind::{QuotaExceeded, StorageFull};
    causes(error)
        .filter_map(|error| error.downcast_ref::<std::io::Error>())
        .any(|error| matches!(error.kind(), StorageFull | QuotaExceeded))
}

/// Keeps what is remarked, as far as a header has room.
#[derive(Default)]
struct Remarks(Mutex<Vec<String>>);

/// So many remarks are told.
const MOST_REMARKS: usize = 8;

impl Remarks {
    fn take(&self) -> Vec<String> {
        std::mem::take(&mut self.0.lock().unwrap_or_else(PoisonError::into_inner))
    }
}

impl Observer for Remarks {
    fn remark(&self, remark: &str) {
        let mut told = self.0.lock().unwrap_or_else(PoisonError::into_inner);
        if told.len() < MOST_REMARKS {
            told.push(remark.into());
        }
    }
}
