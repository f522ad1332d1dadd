//! Classes of unequal size, in training rows only.

use super::folds::Sample;
use super::random::rank;
use crate::choice::choice;
use crate::labels::per_class::{ClassCounts, PerClass};
use crate::labels::polarity::Polarity;

choice! {
    /// What is done about classes of unequal size.
    #[derive(serde::Serialize)]
    #[serde(rename_all = "kebab-case")]
    #[derive(Default)]
    Balance {
        /// Mistakes in the smaller class cost more.
        Weights = "weights",
        /// Rows of the larger class are left out.
        Down = "down",
        /// Rows of the smaller class are repeated.
        Up = "up",
        /// Nothing.
        #[default]
        None = "none",
    }
}

choice! {
    /// Which class mix probabilities speak of.
    #[derive(serde::Serialize)]
    #[serde(rename_all = "kebab-case")]
    #[derive(Default)]
    PriorKind {
        /// That of the reviews, before any balancing.
        #[default]
        Natural = "natural",
        /// That which balancing made.
        Balanced = "balanced",
    }
}

/// How classes are balanced.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Balancing {
    /// What is done. Default: none.
    pub method: Balance,
    /// How large the smaller classes are made against the largest, from above 0 to 1.
    /// Default: 1.
    pub ratio: f64,
    /// Which mix probabilities speak of. Default: natural.
    pub probabilities: PriorKind,
    /// The share of negative reviews among all that will be met; where it is not set, it is
    /// that of the reviews.
    pub natural: Option<f64>,
}

impl Default for Balancing {
    fn default() -> Self {
        Self { method: Balance::default(), ratio: 1.0, probabilities: PriorKind::default(), natural: None }
    }
}

impl Balancing {
    /// Rows of each class after balancing, given those before: the smaller classes are raised
    /// to `ratio` of the largest, or the larger ones cut to the smallest / `ratio`. A class
    /// without rows stays without.
    pub fn wanted(&self, mix: ClassCounts) -> PerClass<f64> {
        let largest = mix.iter().copied().max().unwrap_or(0) as f64;
        let smallest = mix.iter().copied().filter(|count| *count > 0).min().unwrap_or(0) as f64;
        mix.map(|count| match (self.method, count as f64) {
            (_, 0.0) => 0.0,
            (Balance::None, count) => count,
            (Balance::Weights, count) => count.max(self.ratio * largest),
            (Balance::Up, count) => count.max((self.ratio * largest).round()),
            (Balance::Down, count) => count.min((smallest / self.ratio).round()),
        })
    }

    /// What a mistake in each class costs, given the training reviews of each; the costs of
    /// all reviews sum to their number.
    pub fn costs(&self, mix: ClassCounts) -> PerClass<f64> {
        if self.method != Balance::Weights {
            return PerClass::of(|_| 1.0);
        }
        self.judged(mix)
    }

    /// What a held-out review of each class counts where reviews are judged under the mix
    /// that balancing makes.
    pub(crate) fn judged(&self, mix: ClassCounts) -> PerClass<f64> {
        let wanted = self.wanted(mix);
        let scale = mix.iter().sum::<usize>() as f64 / wanted.iter().sum::<f64>();
        PerClass::of(|class| wanted[class] / mix[class].max(1) as f64 * scale)
    }

    /// What is to be added to the intercept of each border between classes that were learnt under
    /// balancing, so that log-odds speak of the natural mix: the difference of the prior
    /// log-odds (King and Zeng (2001), "Logistic regression in rare events data", DOI
    /// 10.1093/oxfordjournals.pan.a004868, section 4.1). Zero where probabilities are to stay as
    /// they were learnt.
    pub fn correction(&self, mix: ClassCounts) -> [f64; 2] {
        if self.probabilities == PriorKind::Balanced {
            return [0.0; 2];
        }
        let (wanted, natural) = (self.wanted(mix), self.natural(mix));
        let low = |[negative, positive, neutral]: [f64; 3]| ((positive + neutral) / negative).ln();
        let high = |[negative, positive, neutral]: [f64; 3]| (positive / (negative + neutral)).ln();
        let wanted = wanted.into_array();
        [low(natural) - low(wanted), high(natural) - high(wanted)]
    }

    /// As [`correction`](Self::correction), for classes with scores of their own: what is to be added to each.
    pub(crate) fn prior_change(&self, mix: ClassCounts) -> PerClass<f64> {
        let (wanted, natural) = (self.wanted(mix), PerClass::from(self.natural(mix)));
        let all: f64 = wanted.iter().sum();
        let whole: f64 = natural.iter().sum();
        PerClass::of(|class| match self.probabilities {
            PriorKind::Balanced => 0.0,
            PriorKind::Natural => ((natural[class] / whole) / (wanted[class] / all)).ln(),
        })
    }

    /// The mix that probabilities speak of, in any unit.
    fn natural(&self, mix: ClassCounts) -> [f64; 3] {
        let natural = mix.map(|count| count as f64).into_array();
        let Some(negative) = self.natural else { return natural };
        // The other classes keep their ratio.
        let others = natural[1] + natural[2];
        [negative, (1.0 - negative) * natural[1] / others, (1.0 - negative) * natural[2] / others]
    }

    /// The rows that a learner sees, ascending; repeated rows stand side by side. Which rows
    /// are left out or repeated depends on their groups and the seed.
    pub fn rows(&self, sample: &Sample, rows: &[u32], seed: u64) -> Vec<u32> {
        if !matches!(self.method, Balance::Down | Balance::Up) {
            return rows.to_vec();
        }
        let wanted = self.wanted(sample.mix(rows));
        let mut chosen = Vec::new();
        for class in Polarity::ALL {
            let wanted = wanted[class];
            let own: Vec<u32> =
                rows.iter().copied().filter(|&row| sample.labels[row as usize] == class).collect();
            let keys: Vec<u64> = own.iter().map(|&row| sample.groups[row as usize]).collect();
            let copies = copies(&keys, wanted as usize, seed);
            let repeated = own.iter().zip(copies).flat_map(|(&row, copies)| std::iter::repeat_n(row, copies));
            chosen.extend(repeated);
        }
        chosen.sort_unstable();
        chosen
    }
}

/// How often each row of a class stands in a sample of `wanted` rows: all equally often, and
/// once more those whose keys come first in the order that the seed gives; rows of one key
/// in their own order.
pub fn copies(keys: &[u64], wanted: usize, seed: u64) -> Vec<usize> {
    if keys.is_empty() {
        return Vec::new();
    }
    let (each, more) = (wanted / keys.len(), wanted % keys.len());
    let mut copies = vec![each; keys.len()];
    if more > 0 {
        let mut order: Vec<u32> = (0..keys.len() as u32).collect();
        let place = |&at: &u32| (rank(keys[at as usize], seed ^ 0xba1a), at);
        order.select_nth_unstable_by_key(more - 1, place);
        order[..more].iter().for_each(|&at| copies[at as usize] += 1);
    }
    copies
}
