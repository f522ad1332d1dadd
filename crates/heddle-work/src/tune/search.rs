//! A search that needs no list of settings: one setting after the other, as long as there is time.

use std::time::{Duration, Instant};

use heddle_core::settings::{KEYS, Study};
use heddle_core::validate::{Measure, rank};
use heddle_files::Origin;
use serde::Serialize;

use super::run::Run;
use super::runs::Runs;
use super::work::Tuning;
use crate::error::Result;
use crate::reviews::labelled::LabelledReviews;
use crate::session::Session;
use crate::variants::{BETWEEN, Variant, with_natural};

/// What is tried, in the order of what it usually wins for what it costs: a setting, and values with how many
/// times as long a run with them takes. Few and short reviews ask for rare terms, endings cut off and letters;
/// long ones in plenty for longer n-grams.
const MOVES: [(&str, &[(&str, f64)]); 10] = [
    ("terms.at_least", &[("1", 1.5), ("2", 1.0), ("3", 0.9), ("5", 0.8)]),
    ("terms.recipe", &[("usual", 1.0), ("lean", 0.5), ("rich", 6.0)]),
    ("terms.stems", &[("auto", 1.0), ("none", 0.9)]),
    ("text.stem", &[("none", 1.0), ("english", 1.0)]),
    ("terms.emphasis_least", &[("0.6", 1.0), ("0.3", 1.0), ("1.5", 1.0)]),
    ("negation.style", &[("flip", 1.0), ("mark", 1.0)]),
    ("model.learner", &[("svm", 1.0), ("logistic", 1.5)]),
    ("terms.letters", &[("none", 0.3), ("4-5", 4.0), ("3-5", 5.0)]),
    ("terms.weighting", &[("ltc", 1.0), ("btc", 1.0)]),
    ("terms.words", &[("1-2", 1.0), ("1-3", 1.4)]),
];
/// The name of the run that changes nothing.
pub const AS_IT_IS: &str = "the study as it is";

/// How a search went.
#[derive(Debug, Serialize)]
pub struct Searched {
    /// The time that it was given, in minutes.
    pub minutes: f64,
    /// Whether it came to an end by itself: no single change of what it tries makes the best run better.
    pub finished: bool,
    /// Settings that it left alone because the study, or the call, sets them.
    pub settled: Vec<String>,
    /// Settings that were not tried because a run with them would take longer than was left.
    pub no_time: Vec<String>,
}

/// A search from the study in force.
pub(super) struct Search<'a> {
    pub reviews: &'a LabelledReviews,
    pub session: &'a Session,
    pub runs: &'a mut Runs,
    pub by: Measure,
    pub minutes: f64,
}

/// A run of a search: the settings that it changes, and the study that they make.
pub(super) struct Tried {
    changes: Vec<String>,
    pub variant: Variant,
    pub run: Run,
    /// How long it took, reading the texts included.
    took: Duration,
}

/// What a search leaves.
pub(super) struct Left {
    pub tried: Vec<Tried>,
    /// Runs that stood in the file already.
    pub resumed: usize,
    pub searched: Searched,
}

impl Search<'_> {
    /// Changes one setting of the best run at a time, keeps what makes it better, and goes round until nothing
    /// does or the time is over. A coordinate search: it finds no two changes that help only together.
    ///
    /// A run is begun only if there is time for it, going by how long the best one took; the study as it is, is
    /// run in any case.
    pub fn go(mut self) -> Result<Left> {
        let (begun, allowed) = (Instant::now(), Duration::from_secs_f64(60.0 * self.minutes));
        let (settled, moves) = moves(self.session);
        let mut left = Left {
            tried: Vec::new(),
            resumed: 0,
            searched: Searched { minutes: self.minutes, finished: false, settled, no_time: Vec::new() },
        };
        self.run(Vec::new(), &mut left)?;
        let mut best = 0;
        loop {
            let before = best;
            left.searched.no_time.clear();
            for (key, values) in &moves {
                let current = value_of(&left.tried[best].variant.study, key);
                let cost_now =
                    values.iter().find(|(value, _)| *value == current).map_or(1.0, |(_, cost)| *cost);
                for (value, cost) in values.iter().filter(|(value, _)| *value != current) {
                    let from = &left.tried[best];
                    let changes = with(&from.changes, key, value);
                    if begun.elapsed() + from.took.mul_f64(cost / cost_now) > allowed {
                        left.searched.no_time.push(changes.join(BETWEEN));
                    } else {
                        self.run(changes, &mut left)?;
                    }
                }
                best = self.best(&left.tried);
            }
            if best == before {
                break;
            }
        }
        left.searched.finished = left.searched.no_time.is_empty();
        Ok(left)
    }

    /// The place of the best run.
    fn best(&self, tried: &[Tried]) -> usize {
        rank(&tried.iter().map(|one| &one.run.result).collect::<Vec<_>>(), self.by, None).order[0]
    }

    /// Runs the study with these changes, unless they make no sense or it was run in this search already.
    fn run(&mut self, changes: Vec<String>, left: &mut Left) -> Result<()> {
        let Ok(study) = self.session.varied(&changes) else { return Ok(()) };
        let name = if changes.is_empty() { AS_IT_IS.into() } else { changes.join(BETWEEN) };
        let variants = with_natural(vec![Variant { name, study }], self.reviews.natural);
        if left.tried.iter().any(|one| one.variant.study == variants[0].study) {
            return Ok(());
        }
        let begun = Instant::now();
        let mut tuning = Tuning {
            reviews: self.reviews,
            variants: &variants,
            session: self.session,
            runs: self.runs,
            resumed: 0,
        };
        let runs = tuning.all(vec![0], 1.0)?;
        let known = tuning.resumed > 0;
        left.resumed += usize::from(known);
        for (variant, run) in variants.into_iter().zip(runs) {
            let took = if known { Duration::from_secs_f64(run.seconds) } else { begun.elapsed() };
            left.tried.push(Tried { changes: changes.clone(), variant, run, took });
        }
        Ok(())
    }
}

/// A setting, and its values with what they cost.
type Move = (&'static str, &'static [(&'static str, f64)]);

/// What is left alone, and what is tried: a setting that somebody set is settled.
fn moves(session: &Session) -> (Vec<String>, Vec<Move>) {
    let loaded = session.loaded();
    let is_open = |(path, _): &Move| {
        let origins = KEYS.iter().zip(&loaded.origins);
        let mut own = origins.filter(|(key, _)| key.path == *path);
        own.all(|(_, origin)| matches!(origin, Origin::Default | Origin::Recipe))
    };
    let (open, settled): (Vec<Move>, Vec<Move>) = MOVES.into_iter().partition(is_open);
    (settled.iter().map(|(path, _)| path.to_string()).collect(), open)
}

/// The value of a setting as `--set` takes it.
fn value_of(study: &Study, path: &str) -> String {
    let value = Study::key(path).map(|key| key.get(study).to_string()).unwrap_or_default();
    value.trim_matches('"').to_string()
}

/// The changes with one more, or another value of one, in the order of [`MOVES`].
fn with(changes: &[String], key: &str, value: &str) -> Vec<String> {
    let own = format!("{key}={value}");
    let is_other = |change: &&String| change.split_once('=').is_none_or(|(other, _)| other != key);
    let mut all: Vec<String> = changes.iter().filter(is_other).cloned().chain([own]).collect();
    let place = |change: &String| MOVES.iter().position(|(path, _)| change.starts_with(path));
    all.sort_by_key(place);
    all
}
