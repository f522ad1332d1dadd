//! Sentences with what a model should make of them.

use serde::Serialize;

use super::fill::Words;
use crate::choice::Choice;
use crate::labels::names::ClassNames;
use crate::labels::polarity::Polarity;
use crate::model::artefact::Model;
use crate::text::language::Language;

/// The sentences of a language that come along: kind, what is expected, the sentence, and what it is held against.
fn sentences(language: Language) -> &'static str {
    match language {
        Language::English => include_str!("data/english.tsv"),
        Language::German => include_str!("data/german.tsv"),
        Language::French => include_str!("data/french.tsv"),
        Language::Spanish => include_str!("data/spanish.tsv"),
        Language::Italian => include_str!("data/italian.tsv"),
        Language::Dutch => include_str!("data/dutch.tsv"),
        Language::Other => "",
    }
}

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

/// The sentences that come along for the languages of a model, with what its training reviews speak of in the places of
/// their templates: about 600 in 18 kinds in English, about 200 in each other.
pub fn built_in_probes(model: &Model) -> Vec<Probe> {
    filled(model, Words::times, |_| true)
}

/// A short form: words that pull the right way, alone and negated, each template once.
pub fn short_probes(model: &Model) -> Vec<Probe> {
    filled(model, |_| 1, |kind| SHORT.contains(&kind))
}

fn filled(model: &Model, times: impl Fn(&str) -> usize, takes: impl Fn(&str) -> bool) -> Vec<Probe> {
    let languages = &model.study().text.languages;
    let mut probes: Vec<Probe> = Vec::new();
    for language in languages {
        // Kinds of several languages are told apart by their names.
        let name = if languages.len() > 1 { format!("{}, ", language.name()) } else { String::new() };
        let first = probes.last().map_or(0, |last| last.template + 1);
        probes.extend(of_language(*language, (first, &name), model, (&times, &takes)));
    }
    probes
}

fn of_language(
    language: Language,
    (first, name): (usize, &str),
    model: &Model,
    (times, takes): (&impl Fn(&str) -> usize, &impl Fn(&str) -> bool),
) -> Vec<Probe> {
    let words = Words::of(model, language);
    let lines = sentences(language).lines().filter(|line| !line.starts_with('#'));
    let mut probes = Vec::new();
    for (nth, line) in lines.enumerate() {
        let template = first + nth;
        let mut cells = line.split('\t');
        let (Some(kind), Some(expected), Some(text)) = (cells.next(), cells.next(), cells.next()) else {
            continue;
        };
        let than = cells.next();
        let Some(expected) = Expected::read(expected, &ClassNames::default()).filter(|_| takes(kind)) else {
            continue;
        };
        probes.extend((0..times(text)).map(|nth| Probe {
            kind: format!("{name}{kind}"),
            text: words.fill(text, nth, template),
            expected,
            than: than.map(|than| words.fill(than, nth, template)),
            template,
        }));
    }
    probes
}
