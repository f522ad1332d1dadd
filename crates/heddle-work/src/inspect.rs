//! What a model says of itself.

use heddle_core::Choice;
use heddle_core::explain::{KindPassed, PlainWords, built_in_probes, passed_by_kind, plain_words, probe};
use heddle_core::labels::{ClassNames, Classes, Polarity};
use heddle_core::measure::Figure;
use heddle_core::model::{Card, Model};
use heddle_core::settings::{Study, Value};
use heddle_files::digest;
use serde::Serialize;

use crate::error::Result;
use crate::scoring::open_with_bytes;
use crate::session::Session;
use crate::terms::model::{WeighedTerm, heaviest};
use crate::train::learner_words;

/// A kind of sentence of which fewer are read as expected is a limit of the model.
const READS: f64 = 0.6;
/// With fewer training reviews of a class its figures rest on little.
const FEW: usize = 200;

/// What a model says of itself.
#[derive(Debug, Serialize)]
pub struct Inspected {
    /// The model file.
    pub model: String,
    /// Its size.
    pub bytes: u64,
    /// The XXH3-64 of its bytes, in hexadecimal digits.
    pub xxh3: String,
    /// The rule from values to classes, in words.
    pub rule: String,
    /// How weights were learnt, in words.
    pub learner: String,
    /// What keeps weights small.
    pub penalty: &'static str,
    /// Settings that are not the usual ones.
    pub settings: Vec<(String, Value)>,
    /// What training found.
    pub card: Card,
    /// The log-odds of a review without known terms.
    pub intercept: f64,
    /// The heaviest terms of each class, negative first.
    pub strongest: [Vec<WeighedTerm>; 2],
    /// Whether plainly good and plainly bad words pull as they should.
    pub plain_words: PlainWords,
    /// The share of sentences of known meaning that are read as expected.
    pub probes: Figure,
    /// The same by kind.
    pub kinds: Vec<KindPassed>,
    /// What it is known not to do well, in words.
    pub limits: Vec<String>,
    /// The classes of the model.
    #[serde(skip)]
    pub classes: Classes,
    /// What the classes are called, where the analyst has names of their own for them.
    #[serde(rename = "class_names", skip_serializing_if = "ClassNames::are_usual")]
    pub names: ClassNames,
}

/// Opens a model and tells what it is. `top` terms of each class are told.
///
/// # Errors
/// A file that is no model.
pub fn inspect(session: &Session, path: &str, top: usize) -> Result<Inspected> {
    let (model, session, bytes) = open_with_bytes(path, session)?;
    Ok(inspect_open((&model, session.study()), (path, &bytes), top))
}

/// The same of a model that is open, with the settings in force, and its file.
pub fn inspect_open((model, study): (&Model, &Study), (path, bytes): (&str, &[u8]), top: usize) -> Inspected {
    let usual = Study::default();
    let settings = study.settings().into_iter().zip(usual.settings());
    let changed = settings.filter(|((_, own), (_, usual))| own != usual).map(|(own, _)| own);
    let (kinds, probes) = passed_by_kind(&probe(model, &built_in_probes(model)));
    let mut inspected = Inspected {
        model: path.into(),
        bytes: bytes.len() as u64,
        xxh3: digest(bytes),
        rule: study.rule(false),
        learner: learner_words(&study.model),
        penalty: study.model.penalty.name(),
        settings: changed.collect(),
        card: model.card().clone(),
        intercept: model.intercept(),
        strongest: Polarity::POLES.map(|class| heaviest(model, class, top, |_| true)),
        plain_words: plain_words(model),
        probes,
        kinds,
        limits: Vec::new(),
        classes: model.classes(),
        names: study.class_names(),
    };
    inspected.limits = limits(&inspected);
    inspected
}

/// What the model is known not to do well.
fn limits(own: &Inspected) -> Vec<String> {
    let mut limits = vec![
        "It judges well only what resembles its training reviews; what shares no term with it is left unsure.".to_string(),
    ];
    match &own.card.validated {
        None => limits.push("It was never validated: how often it is right is not known.".into()),
        Some(validated) => {
            let (own, base) = (&validated.figures.accuracy, &validated.baseline.accuracy);
            if own.low <= base.value {
                limits.push("It does not call reviews right more often than calling all the larger class, beyond noise.".into());
            }
        }
    }
    for class in own.classes.list() {
        let reviews = own.card.mix[*class];
        if reviews < FEW {
            limits.push(format!("It has learnt {} from {reviews} reviews alone.", own.names.of(*class)));
        }
    }
    let weak: Vec<&str> = own
        .kinds
        .iter()
        .filter(|kind| kind.passed.value.is_some_and(|passed| passed < READS))
        .map(|kind| kind.kind.as_str())
        .collect();
    if !weak.is_empty() {
        limits.push(format!(
            "It reads fewer than six in ten sentences as expected of these kinds: {}.",
            weak.join(", ")
        ));
    }
    if own.plain_words.are_turned() {
        limits.push(format!("Plain words pull the wrong way: {}.", own.plain_words.against.join(", ")));
    }
    limits
}
