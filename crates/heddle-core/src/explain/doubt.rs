//! Labels that the words contradict.
//!
//! What is said of a review by a model that has not seen it is a probability of the label that it bears. Where labels
//! are wrong at random at a rate e, a label of probability p is wrong with probability
//! e/(K-1) (1 - q) / p, with q = (p - e/(K-1)) / (1 - e K/(K-1)) the probability of the class itself, K the number of
//! classes: Bayes' rule, with the labels that are wrong spread evenly over the other classes. The rate is read off where
//! models are surest, for there nearly all that contradicts them is an error of labels; where they are never quite sure it is an upper
//! bound, and so is what follows from it. The idea of ranking labels by
//! probabilities out of sample, with class noise estimated from them, is that of Northcutt et al. (2021), "Confident
//! learning", DOI 10.1613/jair.1.12125; the estimate here is simpler, and has one rate.

use serde::Serialize;

use crate::labels::per_class::PerClass;
use crate::labels::polarity::Polarity;
use crate::measure::interval::{Figure, share};
use crate::resample::folds::Sample;
use crate::validate::cross::HeldOut;

/// The share of the reviews, those with the most probable class, that the rate of wrong labels is read off.
const SUREST: f64 = 0.2;
/// No larger a rate is believed: beyond, labels and words have little to do with each other.
const MOST_NOISE: f64 = 0.25;
/// Losses of probabilities below this count as if they were it.
const LEAST: f64 = 1e-9;

/// How far the labels of reviews are to be doubted.
#[derive(Debug, Clone, PartialEq, Serialize)]
pub struct Doubts {
    /// The rate of wrong labels, as told by the fifth of the reviews that models are surest of.
    pub noise: Figure,
    /// As many labels as may be expected to be wrong, with the interval of the rate.
    pub expected: Figure,
    /// The doubtful labels, the most doubtful first.
    #[serde(skip)]
    pub labels: Vec<DoubtedLabel>,
}

/// A label that is doubtful.
#[derive(Debug, Clone, Copy, PartialEq, Serialize)]
pub struct DoubtedLabel {
    /// The review, by its row in the sample.
    #[serde(skip)]
    pub row: usize,
    /// The class that models which have not seen the review hold most probable, over all rounds.
    pub called: Polarity,
    /// The mean probability that they give to the label.
    pub probability: f64,
    /// The probability that the label is wrong.
    pub wrong: f64,
    /// Its share of the log loss of the fold that held it out.
    pub share_of_fold: f64,
    /// Whether an equal text bears another label.
    pub contradicted: bool,
}

/// What all rounds say of a review.
struct Said {
    label: Polarity,
    probabilities: PerClass<f64>,
}

impl Said {
    fn own(&self) -> f64 {
        self.probabilities[self.label]
    }

    fn most(&self) -> Polarity {
        let by = |a: &Polarity, b: &Polarity| self.probabilities[*a].total_cmp(&self.probabilities[*b]);
        Polarity::ALL.into_iter().max_by(by).unwrap_or(self.label)
    }
}

/// Doubts labels that held-out probabilities contradict, and those of equal texts that differ. `held_out` is by round,
/// then by row; `texts` are the keys of the texts. Rows that no round held out are doubted only for equal texts.
///
/// # Panics
/// If there is not one text and one place in each round for each row.
pub fn doubts(sample: &Sample, held_out: &[Vec<Option<HeldOut>>], texts: &[u64]) -> Doubts {
    let rows = sample.len();
    assert!(
        texts.len() == rows && held_out.iter().all(|round| round.len() == rows),
        "{rows} rows, {} texts",
        texts.len()
    );
    let said: Vec<Option<Said>> = (0..rows).map(|row| said(sample, held_out, row)).collect();
    let classes = sample.labels.iter().fold(PerClass::<usize>::default(), |mut mix, label| {
        mix[*label] += 1;
        mix
    });
    let others = classes.iter().filter(|rows| **rows > 0).count().max(2) as f64 - 1.0;
    let noise = noise(&said);
    let at = |rate: Option<f64>| {
        let rate = rate.unwrap_or(0.0).min(MOST_NOISE);
        said.iter().flatten().map(|said| wrong(said.own(), rate, others)).sum::<f64>()
    };
    let expected = Figure::new(at(noise.value), at(noise.low), at(noise.high), noise.n);
    let rate = noise.value.unwrap_or(0.0).min(MOST_NOISE);
    let contradicted = contradicted(sample, texts);
    let shares = shares_of_folds(sample, held_out);
    let doubted = |row: usize| {
        let said = said[row].as_ref();
        let called = said.map_or(sample.labels[row], Said::most);
        let probability = said.map_or(1.0, Said::own);
        (called != sample.labels[row] || contradicted[row]).then(|| DoubtedLabel {
            row,
            called,
            probability,
            wrong: said.map_or(0.0, |said| wrong(said.own(), rate, others)),
            share_of_fold: shares[row],
            contradicted: contradicted[row],
        })
    };
    let mut labels: Vec<DoubtedLabel> = (0..rows).filter_map(doubted).collect();
    labels.sort_by(|a, b| a.probability.total_cmp(&b.probability).then(a.row.cmp(&b.row)));
    Doubts { noise, expected, labels }
}

fn said(sample: &Sample, held_out: &[Vec<Option<HeldOut>>], row: usize) -> Option<Said> {
    let verdicts = held_out.iter().filter_map(|round| round[row]);
    let (mut sum, mut rounds) = (PerClass::<f64>::default(), 0);
    for held in verdicts {
        sum = sum.plus(PerClass::of(|class| held.verdict.probability(class)));
        rounds += 1;
    }
    (rounds > 0)
        .then(|| Said { label: sample.labels[row], probabilities: sum.map(|sum| sum / f64::from(rounds)) })
}

/// The share of labels that contradict the models, among the reviews that these are surest of.
fn noise(said: &[Option<Said>]) -> Figure {
    let mut sure: Vec<(f64, bool)> = said
        .iter()
        .flatten()
        .map(|said| {
            let most = said.most();
            (said.probabilities[most], most != said.label)
        })
        .collect();
    sure.sort_by(|a, b| b.0.total_cmp(&a.0));
    sure.truncate((sure.len() as f64 * SUREST).ceil() as usize);
    share(sure.iter().filter(|(_, against)| *against).count(), sure.len())
}

/// The probability that a label is wrong, given its held-out probability, the rate of wrong labels and the number of
/// other classes.
fn wrong(probability: f64, rate: f64, others: f64) -> f64 {
    let each = rate / others;
    let itself = ((probability - each) / (1.0 - rate - each)).clamp(0.0, 1.0);
    if each == 0.0 { 0.0 } else { (each * (1.0 - itself) / probability.max(each)).min(1.0) }
}

/// By row: whether an equal text bears another label.
fn contradicted(sample: &Sample, texts: &[u64]) -> Vec<bool> {
    let mut order: Vec<usize> = (0..texts.len()).collect();
    order.sort_by_key(|row| texts[*row]);
    let mut contradicted = vec![false; texts.len()];
    for same in order.chunk_by(|a, b| texts[*a] == texts[*b]) {
        let first = sample.labels[same[0]];
        if same.iter().any(|row| sample.labels[*row] != first) {
            same.iter().for_each(|row| contradicted[*row] = true);
        }
    }
    contradicted
}

/// By row: its share of the log loss of the fold that held it out in the first round.
fn shares_of_folds(sample: &Sample, held_out: &[Vec<Option<HeldOut>>]) -> Vec<f64> {
    let Some(round) = held_out.first() else { return vec![0.0; sample.len()] };
    let loss = |row: usize| {
        round[row].map(|held| (held.fold, -held.verdict.probability(sample.labels[row]).max(LEAST).ln()))
    };
    let losses: Vec<Option<(usize, f64)>> = (0..sample.len()).map(loss).collect();
    let folds = losses.iter().flatten().map(|(fold, _)| fold + 1).max().unwrap_or(0);
    let mut sums = vec![0.0; folds];
    losses.iter().flatten().for_each(|(fold, loss)| sums[*fold] += loss);
    losses
        .into_iter()
        .map(|own| own.map_or(0.0, |(fold, loss)| if sums[fold] > 0.0 { loss / sums[fold] } else { 0.0 }))
        .collect()
}
