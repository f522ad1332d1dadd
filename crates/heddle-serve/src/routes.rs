//! What can be asked: one table, of which both the router and its description (OpenAPI 3.1) are made.

use std::sync::Arc;

use axum::Router;
use axum::http::StatusCode;
use axum::middleware::from_fn_with_state;
use axum::response::{IntoResponse, Response};
use axum::routing::{MethodRouter, get, post};
use heddle_work::OpenModel;
use schemars::generate::SchemaSettings;
use schemars::{JsonSchema, SchemaGenerator};
use serde_json::{Map, Value, json};
use tower_http::catch_panic::CatchPanicLayer;
use tower_http::compression::CompressionLayer;
use tower_http::compression::predicate::SizeAbove;
use tower_http::decompression::RequestDecompressionLayer;

use crate::answers;
use crate::metrics::MEDIA_TYPE;
use crate::problem::{Problem, ProblemAnswer};
use crate::rows::{self, GIVEN, RowsQuery, SCORED, TAKEN};
use crate::service::Service;
use crate::visit::{REQUEST_ID, known, watched};
use crate::wire::{ExplainAnswer, ExplainRequest, Health, ModelAnswer, ScoreAnswer, ScoreRequest};

/// A smaller answer is not packed: it would hardly be shorter.
const WORTH_PACKING: u16 = 2048;

type Make = fn(&mut SchemaGenerator) -> Value;

/// Something that can be asked.
struct Route {
    path: &'static str,
    method: &'static str,
    /// Whether it is answered without the token.
    open: bool,
    about: &'static str,
    query: Option<Make>,
    /// What is sent, by media type.
    sent: Vec<(&'static str, Content)>,
    /// What is answered, by media type.
    answer: Vec<(&'static str, Content)>,
    /// Other answers, beside those that every route may give.
    others: &'static [u16],
    handler: fn() -> MethodRouter<Arc<Service>>,
}

/// What a body holds.
enum Content {
    /// JSON of a type.
    Of(Make),
    Text,
    Bytes,
}

fn schema<T: JsonSchema>(generator: &mut SchemaGenerator) -> Value {
    generator.subschema_for::<T>().to_value()
}

fn parts<T: JsonSchema>(generator: &mut SchemaGenerator) -> Value {
    T::json_schema(generator).to_value()
}

const JSON: &str = "application/json";
/// What may be wrong with a body.
const BODY: &[u16] = &[400, 408, 413, 415, 422, 429, 503];
const FILE: &[u16] = &[400, 408, 413, 415, 422, 429, 503, 507];

fn table() -> Vec<Route> {
    let asked = |path, about, handler| Route {
        path,
        method: "get",
        open: false,
        about,
        query: None,
        sent: Vec::new(),
        answer: Vec::new(),
        others: &[],
        handler,
    };
    vec![
        Route {
            method: "post",
            sent: vec![(JSON, Content::Of(schema::<ScoreRequest>))],
            answer: vec![(JSON, Content::Of(schema::<ScoreAnswer>))],
            others: BODY,
            ..asked("/score", "Scores reviews, in their order", || post(answers::score))
        },
        Route {
            method: "post",
            sent: vec![(JSON, Content::Of(schema::<ExplainRequest>))],
            answer: vec![(JSON, Content::Of(schema::<ExplainAnswer>))],
            others: BODY,
            ..asked("/explain", "Tells what the scores of reviews are made of, clause by clause", || {
                post(answers::explain)
            })
        },
        Route {
            method: "post",
            query: Some(parts::<RowsQuery>),
            sent: TAKEN.map(|(media_type, _)| (media_type, Content::Bytes)).into(),
            answer: GIVEN.map(|(media_type, _)| (media_type, Content::Bytes)).into(),
            others: FILE,
            ..asked(
                "/rows",
                "Scores the rows of a file; they come back in their order, with our columns behind theirs",
                || post(rows::rows),
            )
        },
        Route {
            answer: vec![(JSON, Content::Of(schema::<ModelAnswer>))],
            ..asked("/model", "Tells which model is in use, and what it says of itself", || {
                get(answers::model)
            })
        },
        Route {
            answer: vec![("text/html", Content::Text)],
            ..asked("/card", "Shows the card of the model as a page", || get(answers::card))
        },
        Route {
            open: true,
            answer: vec![(JSON, Content::Of(schema::<Health>))],
            ..asked("/health/live", "Answers while the server is alive", || get(answers::live))
        },
        Route {
            open: true,
            answer: vec![(JSON, Content::Of(schema::<Health>))],
            others: &[503],
            ..asked("/health/ready", "Answers whether the server takes requests", || get(answers::ready))
        },
        Route {
            answer: vec![(MEDIA_TYPE, Content::Text)],
            ..asked("/metrics", "Tells what was counted", || get(answers::metrics))
        },
        Route {
            open: true,
            answer: vec![(JSON, Content::Of(parts::<Value>))],
            ..asked("/openapi.json", "Describes all this", || get(answers::description))
        },
        Route {
            open: true,
            answer: vec![("text/html", Content::Text)],
            ..asked("/", "Shows a page to type reviews into, and to drop files on", || get(answers::page))
        },
        Route {
            open: true,
            answer: vec![("text/css", Content::Text)],
            ..asked("/page.css", "Tells how that page looks", || get(answers::style))
        },
        Route {
            open: true,
            answer: vec![("text/javascript", Content::Text)],
            ..asked("/page.js", "Tells what that page does", || get(answers::script))
        },
    ]
}

/// The router: every request is watched, and no panic reaches a client.
pub fn router(service: Arc<Service>) -> Router {
    let (open, closed): (Vec<Route>, Vec<Route>) = table().into_iter().partition(|route| route.open);
    let of = |routes: Vec<Route>| {
        routes.into_iter().fold(Router::new(), |router, route| router.route(route.path, (route.handler)()))
    };
    let routes = of(closed).route_layer(from_fn_with_state(Arc::clone(&service), known)).merge(of(open));
    let panicked = |_: Box<dyn std::any::Any + Send>| -> Response { Problem::fault().into_response() };
    routes
        .method_not_allowed_fallback(answers::other_method)
        .fallback(answers::nothing)
        .layer(CompressionLayer::new().compress_when(SizeAbove::new(WORTH_PACKING)))
        .layer(RequestDecompressionLayer::new())
        .layer(CatchPanicLayer::custom(panicked))
        .layer(from_fn_with_state(Arc::clone(&service), watched))
        .with_state(service)
}

/// The description of all routes, as JSON: of what a model reads, and whether a token is asked for.
pub fn description(model: &OpenModel, needs_token: bool) -> String {
    let mut generators = Generators {
        sent: settings().into_generator(),
        answered: settings().for_serialize().into_generator(),
    };
    let problem = schema::<ProblemAnswer>(&mut generators.answered);
    let mut paths = Map::new();
    for route in table() {
        let own = described(&route, &mut generators, (&problem, needs_token));
        paths.insert(route.path.into(), json!({ route.method: own }));
    }
    let mut schemas = generators.sent.take_definitions(true);
    schemas.extend(generators.answered.take_definitions(true));
    let mut described = json!({
        "openapi": "3.1.0",
        "info": {
            "title": "Heddle",
            "version": env!("CARGO_PKG_VERSION"),
            "description": "A sentiment model that scores and explains reviews. Bodies may be packed with gzip, both ways. Every \
                answer has the id of its request, which a client may bring itself.",
            "license": {"name": "MIT OR Apache-2.0", "identifier": "MIT OR Apache-2.0"},
        },
        "paths": paths,
        "components": {"schemas": schemas},
    });
    described["components"]["schemas"]["Review"]["oneOf"][1]["required"] = json!(model.columns());
    if needs_token {
        described["components"]["securitySchemes"] = json!({"token": {"type": "http", "scheme": "bearer"}});
    }
    serde_json::to_string_pretty(&described).expect("a description holds only strings, numbers and lists")
}

fn settings() -> SchemaSettings {
    SchemaSettings::draft2020_12().with(|settings| settings.definitions_path = "/components/schemas".into())
}

/// What may be left out is another matter in what is sent than in what is answered.
struct Generators {
    sent: SchemaGenerator,
    answered: SchemaGenerator,
}

fn contents(contents: &[(&'static str, Content)], generator: &mut SchemaGenerator) -> Map<String, Value> {
    let one = |(media_type, content): &(&str, Content)| {
        let schema = match content {
            Content::Of(make) => make(generator),
            Content::Text => json!({"type": "string"}),
            Content::Bytes => json!({}),
        };
        (media_type.to_string(), json!({"schema": schema}))
    };
    contents.iter().map(one).collect()
}

fn described(route: &Route, generators: &mut Generators, (problem, needs_token): (&Value, bool)) -> Value {
    let answer = contents(&route.answer, &mut generators.answered);
    let id = json!({REQUEST_ID: {"description": "The id of the request", "schema": {"type": "string"}}});
    let mut done = json!({"description": "Done", "headers": id, "content": answer});
    if route.path == "/rows" {
        let about =
            "How many rows were read, scored, refused and called what, and what was remarked; JSON in ASCII";
        done["headers"][SCORED] = json!({"description": about, "schema": {"type": "string"}});
    }
    let mut responses = Map::from_iter([("200".to_string(), done)]);
    let token = (needs_token && !route.open).then_some(401);
    for status in route.others.iter().copied().chain(token).chain([500]) {
        let title = StatusCode::from_u16(status).ok().and_then(|status| status.canonical_reason());
        // A server that is not ready says so in the form of one that is.
        let content = match route.path == "/health/ready" && status == 503 {
            true => json!(answer),
            false => json!({"application/problem+json": {"schema": problem}}),
        };
        let mut other = json!({"description": title.unwrap_or_default(), "headers": id, "content": content});
        if matches!(status, 429 | 503) {
            let about = "Seconds after which it is worth coming back";
            other["headers"]["retry-after"] = json!({"description": about, "schema": {"type": "integer"}});
        }
        responses.insert(status.to_string(), other);
    }
    let mut own = json!({"summary": route.about, "responses": responses});
    if !route.sent.is_empty() {
        let sent = contents(&route.sent, &mut generators.sent);
        own["requestBody"] = json!({"required": true, "content": sent});
    }
    if let Some(make) = route.query {
        own["parameters"] = parameters(&make(&mut generators.sent));
    }
    if needs_token && !route.open {
        own["security"] = json!([{"token": []}]);
    }
    own
}

/// The properties of a schema as parameters of an address.
fn parameters(schema: &Value) -> Value {
    let properties = schema["properties"].as_object().into_iter().flatten();
    let one = |(name, schema): (&String, &Value)| {
        let mut schema = schema.clone();
        let about = schema.as_object_mut().and_then(|schema| schema.remove("description"));
        // What may be left out of an address cannot be null in it.
        if schema["type"][1] == "null" {
            schema["type"] = schema["type"][0].clone();
        }
        json!({"name": name, "in": "query", "required": false, "description": about, "schema": schema})
    };
    properties.map(one).collect()
}
