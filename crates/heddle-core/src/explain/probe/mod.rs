//! What a model makes of sentences whose meaning is known: does it read negation, contrast, hedges?
//!
//! Pass rates say what kinds of sentences a model reads. They are no estimate of how often it is right on reviews, which
//! hold other sentences in other shares. The kinds follow the idea of tests of behaviour: sentences of known class, pairs
//! that must not differ, and pairs whose order is known (Ribeiro et al. (2020), DOI 10.18653/v1/2020.acl-main.442); the
//! sentences are our own.

mod fill;
mod suite;

use serde::Serialize;

pub use suite::{Expected, Probe, built_in_probes, short_probes};

use super::contribute::explain;
use crate::labels::polarity::Polarity;
use crate::measure::dependence::Dependence;
use crate::measure::interval::Figure;
use crate::model::artefact::Model;
use crate::model::scorer::{Score, Scorer};

/// A sentence that says nothing moves the log-odds by no more, in nats.
const NOTHING: f64 = 1.0;
/// Sentences that mean the same have probabilities that differ by no more.
const SAME: f64 = 0.1;
/// So many words of a miss are told.
const BLAMED: usize = 3;

/// A sentence and what a model made of it.
#[derive(Debug, Clone, PartialEq, Serialize)]
pub struct Probed {
    /// The sentence.
    #[serde(flatten)]
    pub probe: Probe,
    /// Whether it is as expected.
    pub passed: bool,
    /// The class that it is called.
    pub called: Polarity,
    /// Whether it is called at all, or left unsure.
    pub sure: bool,
    /// The log-odds of positive.
    pub log_odds: f64,
    /// The probability of each class, in the order of every table.
    pub probabilities: Vec<f64>,
    /// The log-odds of the sentence that it is held against.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub log_odds_than: Option<f64>,
    /// Of a miss: the words that pull most the wrong way, with what they add to the log-odds.
    #[serde(skip_serializing_if = "Vec::is_empty")]
    pub blamed: Vec<(String, f64)>,
}

/// How many sentences of a kind pass.
#[derive(Debug, Clone, PartialEq, Serialize)]
pub struct KindPassed {
    /// The kind.
    pub kind: String,
    /// The share of its sentences that pass; sentences of one template count as one for its interval.
    pub passed: Figure,
}

/// What a model makes of sentences, in their order.
pub fn probe(model: &Model, probes: &[Probe]) -> Vec<Probed> {
    let mut scorer = model.scorer();
    let silent = scorer.score("").verdict.log_odds;
    probes.iter().map(|probe| try_out(&mut scorer, probe, silent)).collect()
}

fn try_out(scorer: &mut Scorer<'_>, probe: &Probe, silent: f64) -> Probed {
    let than = probe.than.as_deref().map(|than| scorer.score(than));
    let score = scorer.score(&probe.text);
    let model = scorer.model();
    let passed = passes(
        &score,
        than.as_ref(),
        probe.expected,
        (silent, model.card().neutral_intercept.is_some() || model.half() > 0.0),
    );
    let blamed = if passed { Vec::new() } else { blamed(scorer, probe, &score) };
    Probed {
        probe: probe.clone(),
        passed,
        called: score.polarity(),
        sure: score.is_sure(),
        log_odds: score.verdict.log_odds,
        probabilities: model.classes().list().iter().map(|class| score.probability(*class)).collect(),
        log_odds_than: than.map(|than| than.verdict.log_odds),
        blamed,
    }
}

fn passes(
    score: &Score,
    than: Option<&Score>,
    expected: Expected,
    (silent, has_neutral): (f64, bool),
) -> bool {
    let (odds, other) = (score.verdict.log_odds, than.map(|than| than.verdict.log_odds));
    let says_nothing = (odds - silent).abs() <= NOTHING;
    let called = |class: Polarity| score.terms > 0 && score.polarity() == class;
    match expected {
        Expected::Negative => called(Polarity::Negative),
        Expected::Positive => called(Polarity::Positive),
        Expected::Neutral if has_neutral => score.polarity() == Polarity::Neutral,
        Expected::Neutral | Expected::Neither => says_nothing,
        Expected::Same => than.is_some_and(|than| {
            let apart = |class: Polarity| (score.probability(class) - than.probability(class)).abs();
            than.polarity() == score.polarity() && Polarity::ALL.into_iter().all(|class| apart(class) <= SAME)
        }),
        Expected::Better => other.is_some_and(|other| odds > other),
        Expected::Worse => other.is_some_and(|other| odds < other),
    }
}

/// The words of a sentence that pull away from what is expected.
fn blamed(scorer: &mut Scorer<'_>, probe: &Probe, score: &Score) -> Vec<(String, f64)> {
    let (_, explanation) = explain(scorer, &probe.text);
    // The side that words should be on; of a sentence that says nothing, or the same, the side that it is not on.
    let wanted = match probe.expected {
        Expected::Negative | Expected::Worse => -1.0,
        Expected::Positive | Expected::Better => 1.0,
        _ => -score.verdict.log_odds.signum(),
    };
    let mut words: Vec<(String, f64)> = explanation
        .tokens
        .into_iter()
        .filter(|token| token.contribution * wanted < 0.0)
        .map(|token| (token.spelled(), token.contribution))
        .collect();
    words.sort_by(|a, b| b.1.abs().total_cmp(&a.1.abs()));
    words.truncate(BLAMED);
    words
}

/// The share of sentences that pass, by kind in the order of their first sentence, and of all.
pub fn passed_by_kind(probed: &[Probed]) -> (Vec<KindPassed>, Figure) {
    let templates: Vec<u64> = probed.iter().map(|own| own.probe.template as u64).collect();
    let dependence = Dependence::of_groups(&templates);
    let share = |rows: &[u32]| dependence.share(rows, |row| probed[row].passed).0;
    let mut kinds: Vec<(&str, Vec<u32>)> = Vec::new();
    for (row, own) in (0..).zip(probed) {
        match kinds.iter_mut().find(|(kind, _)| *kind == own.probe.kind) {
            Some((_, rows)) => rows.push(row),
            None => kinds.push((&own.probe.kind, vec![row])),
        }
    }
    let all: Vec<u32> = (0..probed.len() as u32).collect();
    let of_kind = |(kind, rows): &(&str, Vec<u32>)| KindPassed { kind: (*kind).into(), passed: share(rows) };
    (kinds.iter().map(of_kind).collect(), if all.is_empty() { Figure::undefined(0) } else { share(&all) })
}
