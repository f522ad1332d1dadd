//! Sentences with what a model should make of them.

use serde::Serialize;

use super::fill::Words;
use crate::labels::names::ClassNames;
use crate::labels::polarity::Polarity;
use crate::model::artefact::Model;

/// The sentences that come along: kind, what is expected, the sentence, and what it is held against.
const BUILT_IN: &str = include_str!("data/english.tsv");
/// Kinds of the short form: whether words pull the right way, alone and negated.
const SHORT: [&str; 3] = ["plain", "negated praise", "negated blame"];

/// What is expected of a sentence.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize)]
#[serde(rename_all = "lowercase")]
pub enum Expected {
    /// It is called negative.
    Negative,
    /// It is called neutral; by a model without that class, as [`Neither`](Self::Neither).
    Neutral,
    /// It is called positive.
    Positive,
    /// It says nothing: the log-odds are no further than 1 nat from those of a review without known terms.
    Neither,
    /// It is called as another, with probabilities no further than 0.1 apart.
    Same,
    /// Its log-odds of positive are above those of another.
    Better,
    /// They are below those of another.
    Worse,
}

impl Expected {
    /// Everything that can be expected.
    pub const ALL: [Self; 7] =
        [Self::Negative, Self::Neutral, Self::Positive, Self::Neither, Self::Same, Self::Better, Self::Worse];

    /// Its name in a suite.
    pub fn name(self) -> &'static str {
        match self {
            Self::Negative => "negative",
            Self::Neutral => "neutral",
            Self::Positive => "positive",
            Self::Neither => "neither",
            Self::Same => "same",
            Self::Better => "better",
            Self::Worse => "worse",
        }
    }

    /// What a cell of a suite says; classes may stand under the names that the analyst has for them.
    pub fn read(cell: &str, names: &ClassNames) -> Option<Self> {
        match names.find(cell) {
            Some(Polarity::Negative) => Some(Self::Negative),
            Some(Polarity::Neutral) => Some(Self::Neutral),
            Some(Polarity::Positive) => Some(Self::Positive),
            None => Self::ALL.into_iter().find(|expected| expected.name().eq_ignore_ascii_case(cell.trim())),
        }
    }

    /// Whether a sentence is held against another.
    pub fn is_of_two(self) -> bool {
        matches!(self, Self::Same | Self::Better | Self::Worse)
    }
}

/// A sentence and what is expected of it.
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
pub struct Probe {
    /// The kind of sentence.
    pub kind: String,
    /// The sentence.
    pub text: String,
    /// What is expected.
    pub expected: Expected,
    /// The sentence that it is held against.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub than: Option<String>,
    /// Sentences that were made of one template share it.
    #[serde(skip)]
    pub template: usize,
}

/// The English sentences that come along, about 600 in 18 kinds, with what the training reviews of a model speak of in
/// the places of their templates.
pub fn built_in_probes(model: &Model) -> Vec<Probe> {
    filled(model, Words::times, |_| true)
}

/// A short form: words that pull the right way, alone and negated, each template once.
pub fn short_probes(model: &Model) -> Vec<Probe> {
    filled(model, |_| 1, |kind| SHORT.contains(&kind))
}

fn filled(model: &Model, times: impl Fn(&str) -> usize, takes: impl Fn(&str) -> bool) -> Vec<Probe> {
    let words = Words::of(model);
    let lines = BUILT_IN.lines().filter(|line| !line.starts_with('#'));
    let mut probes = Vec::new();
    for (template, line) in lines.enumerate() {
        let mut cells = line.split('\t');
        let (Some(kind), Some(expected), Some(text)) = (cells.next(), cells.next(), cells.next()) else {
            continue;
        };
        let than = cells.next();
        let Some(expected) = Expected::read(expected, &ClassNames::default()).filter(|_| takes(kind)) else {
            continue;
        };
        probes.extend((0..times(text)).map(|nth| Probe {
            kind: kind.into(),
            text: words.fill(text, nth, template),
            expected,
            than: than.map(|than| words.fill(than, nth, template)),
            template,
        }));
    }
    probes
}
