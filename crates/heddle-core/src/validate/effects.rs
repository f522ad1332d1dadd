//! What columns beside the text add at the same text.
//!
//! The log-odds that models of the text alone gave to reviews they had not seen are held, and one effect for each
//! category is learnt beside them by logistic regression under a ridge that weighs like a normal prior with a standard
//! deviation of one nat. How sure an effect is comes from resampling groups of reviews: each group counts as often as a
//! draw from the standard exponential distribution says (Rubin (1981), "The Bayesian bootstrap", Annals of Statistics 9,
//! DOI 10.1214/aos/1176345338), and the effects are learnt again.
//!
//! They are learnt by a truncated Newton method, as classes of their own are (`learn/multinomial.rs`). Cost: some tens of
//! passes over the features of the reviews for each resample.

use std::ops::Range;

use rayon::prelude::*;
use rustc_hash::FxHashMap;
use serde::Serialize;

use super::cross::HeldOut;
use crate::beside::{Coding, ColumnKind, LearntColumn};
use crate::labels::per_class::PerClass;
use crate::labels::polarity::Polarity;
use crate::matrix::{Entry, Rows};
use crate::measure::dependence::Dependence;
use crate::measure::interval::{Figure, t_quantile_of};
use crate::measure::odds::{loss, sigmoid};
use crate::resample::folds::Sample;
use crate::resample::random::Random;

/// Times that groups are drawn anew.
const RESAMPLES: u64 = 200;
/// Newton steps until effects stand still, at most.
const STEPS: usize = 50;
/// A step is halved so often, and no further.
const HALVINGS: u32 = 30;
/// Steps of conjugate gradients for one Newton step, at most, and how much of the slopes may be left.
const INNER_STEPS: usize = 200;
const FORCING: f64 = 1e-2;
/// Effects that move by less than this, in nats, stand still.
const STILL: f64 = 1e-5;
/// Parts of a number, each with as many reviews, that its straight line is shown at.
const PARTS: usize = 5;

/// What a column adds at the same text.
#[derive(Debug, Clone, PartialEq, Serialize)]
pub struct ColumnEffect {
    /// The column and how it is read.
    pub column: String,
    /// Whether its effect is a straight line in a number; what is shown are parts of the line then.
    pub straight: bool,
    /// Its categories, in the order in which people expect them.
    pub levels: Vec<LevelEffect>,
}

/// What a category of a column adds at the same text.
#[derive(Debug, Clone, PartialEq, Serialize)]
pub struct LevelEffect {
    /// The category, the band, or the part of a number.
    pub level: String,
    /// The share of positive reviews that is observed.
    pub observed: Figure,
    /// The mean probability of positive that models of the text alone gave to these reviews, unseen.
    pub by_text: f64,
    /// The same of models of the text and the columns.
    pub by_both: f64,
    /// What it adds to the log-odds of positive beside the text and the other columns, in nats, less the mean of all
    /// reviews; the interval holds for all effects together.
    pub effect: Figure,
    /// Whether that is more than noise.
    pub beyond_noise: bool,
}

/// What each column adds at the same text, given what was said of reviews by models of the text alone and of both that
/// had not seen them. Columns are coded by all reviews. Neutral reviews teach no effect: it is of positive against
/// negative.
pub fn effects(
    sample: &Sample,
    (coding, rows): (&Coding, &Rows),
    (by_text, by_both): (&[Option<HeldOut>], &[Option<HeldOut>]),
    seed: u64,
) -> Vec<ColumnEffect> {
    let told = |row: &u32| by_text[*row as usize].is_some() && by_both[*row as usize].is_some();
    let all: Vec<u32> = (0..sample.len() as u32).filter(told).collect();
    let probability = |held: &[Option<HeldOut>], row: u32| {
        held[row as usize].map_or(0.0, |held| held.verdict.probability(Polarity::Positive))
    };
    let taught: Vec<u32> =
        all.iter().copied().filter(|row| sample.labels[*row as usize] != Polarity::Neutral).collect();
    let lesson = Lesson::new(sample, (coding, rows), by_text, &taught);
    let main = lesson.learn(&vec![1.0; taught.len()], vec![0.0; coding.features()]);
    let again = |draw: u64| lesson.learn(&lesson.weights(seed ^ (0xeffec7 + draw)), main.clone());
    let drawn: Vec<Vec<f64>> = (0..RESAMPLES).into_par_iter().map(again).collect();

    let groups: Vec<u64> = all.iter().map(|row| sample.groups[*row as usize]).collect();
    let tied = Dependence::of_groups(&groups);
    let parts: Vec<(usize, Vec<Part>)> = coding
        .columns
        .iter()
        .zip(coding.places())
        .map(|(column, (first, place))| {
            let entries = |own: u32| &rows.row(all[own as usize] as usize)[place.clone()];
            (first, parts_of(column, first, all.len() as u32, entries))
        })
        .collect();
    let at_once = parts.iter().map(|(_, own)| own.len()).sum::<usize>().max(1);
    let wide = t_quantile_of((lesson.count.max(2) - 1) as f64, at_once);
    let level = |first: usize, part: Part| {
        let Part { level, adds, rows: own } = part;
        let of = |effects: &[f64]| {
            adds.iter().map(|(feature, value)| effects[first + feature] * value).sum::<f64>()
        };
        let (effect, draws) = (of(&main), drawn.iter().map(|own| of(own)).collect::<Vec<_>>());
        let mean = draws.iter().sum::<f64>() / draws.len() as f64;
        let spread = draws.iter().map(|own| (own - mean).powi(2)).sum::<f64>() / (draws.len() - 1) as f64;
        let half = wide * spread.sqrt();
        let mean_of = |held: &[Option<HeldOut>]| {
            own.iter().map(|place| probability(held, all[*place as usize])).sum::<f64>() / own.len() as f64
        };
        let positive = |place: usize| sample.labels[all[place] as usize] == Polarity::Positive;
        LevelEffect {
            level,
            observed: tied.share(&own, positive).0,
            by_text: mean_of(by_text),
            by_both: mean_of(by_both),
            effect: Figure::new(effect, effect - half, effect + half, own.len()),
            beyond_noise: effect.abs() > half,
        }
    };
    let column = |(column, (first, parts)): (&LearntColumn, (usize, Vec<Part>))| ColumnEffect {
        column: column.column.clone(),
        straight: matches!(column.kind, ColumnKind::Number { .. }),
        levels: parts.into_iter().map(|part| level(first, part)).collect(),
    };
    coding.columns.iter().zip(parts).map(column).collect()
}

/// By column: how far it alone lowers the log loss below that of the class mix, in nats: each category, and each part of
/// a number, says its own mix with one review of the whole mix beside it.
pub(crate) fn gains_alone(sample: &Sample, coding: &Coding, rows: &Rows) -> Vec<f64> {
    let mix = |rows: &mut dyn Iterator<Item = usize>| {
        let mut counts = PerClass::<f64>::default();
        rows.for_each(|row| counts[sample.labels[row]] += 1.0);
        counts
    };
    let whole = mix(&mut (0..sample.len()));
    let all = sample.len() as f64;
    let loss = |counts: &PerClass<f64>, said: &dyn Fn(Polarity) -> f64| -> f64 {
        Polarity::ALL
            .into_iter()
            .filter(|class| counts[*class] > 0.0)
            .map(|class| -counts[class] * said(class).ln())
            .sum()
    };
    let before = loss(&whole, &|class| whole[class] / all);
    let gain = |(column, (first, place)): (&LearntColumn, (usize, Range<usize>))| {
        let entries = |row: u32| &rows.row(row as usize)[place.clone()];
        let parts = parts_of(column, first, sample.len() as u32, entries);
        let after = parts.iter().map(|part| {
            let own = mix(&mut part.rows.iter().map(|row| *row as usize));
            let said = |class: Polarity| (own[class] + whole[class] / all) / (part.rows.len() as f64 + 1.0);
            loss(&own, &said)
        });
        (before - after.sum::<f64>()) / all
    };
    coding.columns.iter().zip(coding.places()).map(gain).collect()
}

/// Reviews that share what they have in a column.
struct Part {
    level: String,
    /// Features of the column, and the mean value that these reviews have there.
    adds: Vec<(usize, f64)>,
    /// Their places among the judged reviews.
    rows: Vec<u32>,
}

/// The categories of a column that some of `count` reviews has; of a number, parts of equal size. `entries` gives those
/// that a review has of the column.
fn parts_of<'r>(
    column: &LearntColumn,
    first: usize,
    count: u32,
    entries: impl Fn(u32) -> &'r [Entry],
) -> Vec<Part> {
    let mut by_feature: FxHashMap<usize, Vec<u32>> = FxHashMap::default();
    let number = |place: &u32| column.read(entries(*place), first).and_then(|own| own.1).unwrap_or(f64::NAN);
    for place in 0..count {
        if let Some((feature, _)) = column.read(entries(place), first) {
            by_feature.entry(feature).or_default().push(place);
        }
    }
    let mut parts = Vec::new();
    let part = |level: String, rows: Vec<u32>| {
        let mut sums: FxHashMap<usize, f64> = FxHashMap::default();
        for entry in rows.iter().flat_map(|place| entries(*place)) {
            *sums.entry(entry.column as usize - first).or_default() += f64::from(entry.value);
        }
        let mut adds: Vec<(usize, f64)> =
            sums.into_iter().map(|(feature, sum)| (feature, sum / rows.len() as f64)).collect();
        adds.sort_unstable_by_key(|(feature, _)| *feature);
        Part { level, adds, rows }
    };
    for feature in column.shown_order() {
        let Some(mut rows) = by_feature.remove(&feature) else { continue };
        if !matches!(column.kind, ColumnKind::Number { .. }) || feature > 0 {
            parts.push(part(column.feature_name(feature), rows));
            continue;
        }
        rows.sort_by(|a, b| number(a).total_cmp(&number(b)));
        let mut begins = 0;
        for share in 1..=PARTS {
            let mut ends = rows.len() * share / PARTS;
            // Equal numbers stay together.
            while begins < ends && ends < rows.len() && number(&rows[ends]) == number(&rows[ends - 1]) {
                ends += 1;
            }
            if begins < ends {
                let own = &rows[begins..ends];
                let shown = |place: &u32| column.shown(number(place));
                let (low, high) = (shown(&own[0]), shown(&own[own.len() - 1]));
                parts.push(part(if low == high { low } else { format!("{low} to {high}") }, own.to_vec()));
                begins = ends;
            }
        }
    }
    parts
}

/// What effects are learnt from.
struct Lesson<'a> {
    coding: &'a Coding,
    /// By review that teaches: its features, one for each slot.
    features: Vec<(u32, f64)>,
    /// Its class, as +1 and -1, and the log-odds that the text alone gives it.
    reviews: Vec<(f64, f64)>,
    /// The number of its group.
    groups: Vec<u32>,
    count: usize,
    /// By feature: the inverse variance of its prior.
    prior: Vec<f64>,
    /// The features of a review.
    slots: usize,
}

/// What effects are like.
struct Look {
    /// What is to be least.
    value: f64,
    /// Its derivatives, by feature; behind them that of the intercept.
    slopes: Vec<f64>,
    /// Its second derivatives by one feature.
    diagonal: Vec<f64>,
    /// By review: the second derivative by its margin.
    bends: Vec<f64>,
}

impl<'a> Lesson<'a> {
    fn new(
        sample: &Sample,
        (coding, rows): (&'a Coding, &Rows),
        by_text: &[Option<HeldOut>],
        taught: &[u32],
    ) -> Self {
        let mut places: FxHashMap<u64, u32> = FxHashMap::default();
        let mut group = |row: &u32| {
            let next = places.len() as u32;
            *places.entry(sample.groups[*row as usize]).or_insert(next)
        };
        let review = |row: &u32| {
            let log_odds = by_text[*row as usize].map_or(0.0, |held| held.verdict.log_odds);
            // A curve may reach certainty, which no effect could move.
            (sample.labels[*row as usize].sign(), log_odds.clamp(-20.0, 20.0))
        };
        let entries = taught.iter().flat_map(|row| rows.row(*row as usize));
        let groups: Vec<u32> = taught.iter().map(&mut group).collect();
        Self {
            coding,
            features: entries.map(|entry| (entry.column, f64::from(entry.value))).collect(),
            reviews: taught.iter().map(review).collect(),
            groups,
            count: places.len(),
            slots: coding.slots(),
            prior: coding.columns.iter().flat_map(|own| vec![own.penalty; own.features()]).collect(),
        }
    }

    /// By review: how often its group counts in a draw.
    fn weights(&self, seed: u64) -> Vec<f64> {
        let mut draw = Random::new(seed);
        let groups: Vec<f64> = (0..self.count).map(|_| -(1.0 - draw.unit()).ln()).collect();
        self.groups.iter().map(|group| groups[*group as usize]).collect()
    }

    /// By feature: its effect, less the mean of all reviews of its column; from effects to begin with.
    fn learn(&self, weights: &[f64], mut effects: Vec<f64>) -> Vec<f64> {
        effects.push(0.0); // the intercept, which no prior holds
        let mut here = self.look(weights, &effects);
        for _ in 0..STEPS {
            let step = self.newton_step(&here);
            if step.iter().all(|by| by.abs() < STILL) {
                break;
            }
            let shortened = |halvings: u32| {
                let size = 0.5f64.powi(halvings as i32);
                let next: Vec<f64> = effects.iter().zip(&step).map(|(own, by)| own + size * by).collect();
                let there = self.look(weights, &next);
                (there.value <= here.value).then_some((next, there))
            };
            let Some(found) = (0..HALVINGS).find_map(shortened) else { break };
            (effects, here) = found;
        }
        effects.pop();
        self.coding.centre(&mut effects);
        effects
    }

    /// The features of a review, and the intercept behind them.
    fn features_of(&self, review: usize) -> impl Iterator<Item = (usize, f64)> + '_ {
        let own = &self.features[review * self.slots..(review + 1) * self.slots];
        own.iter().map(|(feature, value)| (*feature as usize, *value)).chain([(self.prior.len(), 1.0)])
    }

    /// The sum of losses and priors at some effects, behind which stands the intercept.
    fn look(&self, weights: &[f64], effects: &[f64]) -> Look {
        let priors = || self.prior.iter().zip(effects);
        let mut look = Look {
            value: priors().map(|(prior, own)| prior * own * own / 2.0).sum(),
            slopes: priors().map(|(prior, own)| prior * own).chain([0.0]).collect(),
            diagonal: self.prior.iter().copied().chain([f64::MIN_POSITIVE]).collect(),
            bends: Vec::with_capacity(self.reviews.len()),
        };
        for (review, (sign, by_text)) in self.reviews.iter().enumerate() {
            let beside: f64 = self.features_of(review).map(|(feature, own)| effects[feature] * own).sum();
            let (margin, weight) = (sign * (by_text + beside), weights[review]);
            let wrong = sigmoid(-margin);
            let bend = weight * wrong * (1.0 - wrong);
            look.value += weight * loss(margin);
            for (feature, own) in self.features_of(review) {
                look.slopes[feature] -= weight * sign * wrong * own;
                look.diagonal[feature] += bend * own * own;
            }
            look.bends.push(bend);
        }
        look
    }

    /// The second derivatives, times a direction.
    fn bent(&self, here: &Look, direction: &[f64]) -> Vec<f64> {
        let mut out: Vec<f64> =
            self.prior.iter().chain([&0.0]).zip(direction).map(|(prior, by)| prior * by).collect();
        for (review, bend) in here.bends.iter().enumerate() {
            let along: f64 = self.features_of(review).map(|(feature, own)| direction[feature] * own).sum();
            self.features_of(review).for_each(|(feature, own)| out[feature] += bend * along * own);
        }
        out
    }

    /// Where a Newton step leads, by conjugate gradients, each direction measured by the second derivative along it.
    fn newton_step(&self, here: &Look) -> Vec<f64> {
        let dot = |a: &[f64], b: &[f64]| a.iter().zip(b).map(|(a, b)| a * b).sum::<f64>();
        let scaled = |rest: &[f64]| -> Vec<f64> {
            rest.iter().zip(&here.diagonal).map(|(own, bend)| own / bend).collect()
        };
        let mut step = vec![0.0; here.slopes.len()];
        let mut rest: Vec<f64> = here.slopes.iter().map(|slope| -slope).collect();
        let mut direction = scaled(&rest);
        let mut size = dot(&rest, &direction);
        let enough = FORCING * FORCING * size;
        for _ in 0..INNER_STEPS {
            if size <= enough {
                break;
            }
            let bent = self.bent(here, &direction);
            let length = size / dot(&direction, &bent);
            for (at, by) in direction.iter().enumerate() {
                step[at] += length * by;
                rest[at] -= length * bent[at];
            }
            let next = scaled(&rest);
            let next_size = dot(&rest, &next);
            direction.iter_mut().zip(&next).for_each(|(own, next)| *own = next + next_size / size * *own);
            size = next_size;
        }
        step
    }
}
