//! What is counted, in the text format that scrapers read (OpenMetrics 1.0).

use std::fmt::Error;

use heddle_core::measure::Verdict;
use prometheus_client::encoding::{EncodeLabelSet, text};
use prometheus_client::metrics::counter::Counter;
use prometheus_client::metrics::family::Family;
use prometheus_client::metrics::gauge::Gauge;
use prometheus_client::metrics::histogram::Histogram;
use prometheus_client::registry::{Registry, Unit};

/// The media type of what [`Metrics::text`] gives.
pub const MEDIA_TYPE: &str = "application/openmetrics-text; version=1.0.0; charset=utf-8";

/// Upper ends of the classes of times, in seconds.
const SECONDS: [f64; 12] = [0.0005, 0.001, 0.0025, 0.005, 0.01, 0.025, 0.05, 0.1, 0.25, 1.0, 5.0, 30.0];

#[derive(Debug, Clone, PartialEq, Eq, Hash, EncodeLabelSet)]
struct Answered {
    route: String,
    status: u16,
}

#[derive(Debug, Clone, PartialEq, Eq, Hash, EncodeLabelSet)]
struct Route {
    route: String,
}

#[derive(Debug, Clone, PartialEq, Eq, Hash, EncodeLabelSet)]
struct Called {
    verdict: &'static str,
}

#[derive(Debug, Clone, PartialEq, Eq, Hash, EncodeLabelSet)]
struct Known {
    known: &'static str,
}

#[derive(Debug, Clone, PartialEq, Eq, Hash, EncodeLabelSet)]
struct Model {
    xxh3: String,
}

type Times = Family<Route, Histogram, fn() -> Histogram>;

/// What is counted.
#[derive(Debug)]
pub struct Metrics {
    registry: Registry,
    answered: Family<Answered, Counter>,
    seconds: Times,
    in_work: Gauge,
    left: Counter,
    reviews: Family<Called, Counter>,
    tokens: Family<Known, Counter>,
    taken: Counter,
    kept: Counter,
    model: Family<Model, Gauge>,
    faults: Counter,
}

impl Metrics {
    /// Nothing counted yet.
    pub fn new() -> Self {
        let mut made = Self {
            answered: Family::default(),
            seconds: Times::new_with_constructor(|| Histogram::new(SECONDS)),
            in_work: Gauge::default(),
            left: Counter::default(),
            reviews: Family::default(),
            tokens: Family::default(),
            taken: Counter::default(),
            kept: Counter::default(),
            model: Family::default(),
            faults: Counter::default(),
            registry: Registry::with_prefix("heddle"),
        };
        let registry = &mut made.registry;
        registry.register("requests", "Requests answered, by route and HTTP status", made.answered.clone());
        let about = "Time from the head of a request to its answer, by route";
        registry.register_with_unit("request", about, Unit::Seconds, made.seconds.clone());
        registry.register("requests_in_work", "Requests that are not answered yet", made.in_work.clone());
        registry.register("requests_left", "Requests whose client left before the answer", made.left.clone());
        registry.register("reviews", "Reviews scored, by verdict", made.reviews.clone());
        let about = "Words and other tokens of scored reviews, by whether the model knows them";
        registry.register("tokens", about, made.tokens.clone());
        registry.register("models_taken", "Models that were taken over", made.taken.clone());
        let about = "Changed files that were no usable model: the one before stayed in use";
        registry.register("models_kept", about, made.kept.clone());
        registry.register("model", "1 for the model in use, by the digest of its file", made.model.clone());
        registry.register("faults", "Parts of the work that failed and should not", made.faults.clone());
        made
    }

    /// A request begins.
    pub fn begins(&self) {
        self.in_work.inc();
    }

    /// It is answered after so many seconds; no status where its client left.
    pub fn ends(&self, route: &str, status: Option<u16>, seconds: f64) {
        self.in_work.dec();
        match status {
            Some(status) => {
                self.answered.get_or_create(&Answered { route: route.into(), status }).inc();
                self.seconds.get_or_create(&Route { route: route.into() }).observe(seconds);
            }
            None => {
                self.left.inc();
            }
        }
    }

    /// Reviews with these verdicts were scored, whose words are so many, and so many of them unknown.
    pub fn scored<'v>(&self, verdicts: impl Iterator<Item = &'v Verdict>, tokens: usize, unknown: usize) {
        for verdict in verdicts {
            self.called(if verdict.sure { verdict.called.name() } else { "unsure" }, 1);
        }
        self.tokens.get_or_create(&Known { known: "yes" }).inc_by((tokens - unknown) as u64);
        self.tokens.get_or_create(&Known { known: "no" }).inc_by(unknown as u64);
    }

    /// So many reviews were called so.
    pub fn called(&self, verdict: &'static str, reviews: u64) {
        self.reviews.get_or_create(&Called { verdict }).inc_by(reviews);
    }

    /// A model is in use.
    pub fn uses(&self, xxh3: &str) {
        self.model.clear();
        self.model.get_or_create(&Model { xxh3: xxh3.into() }).set(1);
    }

    /// A model was taken over.
    pub fn took(&self) {
        self.taken.inc();
    }

    /// A changed file was no usable model.
    pub fn kept(&self) {
        self.kept.inc();
    }

    /// Something failed that should not.
    pub fn fault(&self) {
        self.faults.inc();
    }

    /// All counts as text.
    ///
    /// # Errors
    /// Never, while memory lasts.
    pub fn text(&self) -> Result<String, Error> {
        let mut text = String::new();
        text::encode(&mut text, &self.registry)?;
        Ok(text)
    }
}
