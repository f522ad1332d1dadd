//! What is said of rows before they teach.

use heddle_core::labels::{ClassCounts, Polarity};
use heddle_core::measure::{Decision, Figure, Figures, Place, Verdict, baseline, share};
use heddle_core::model::Judged;
use serde::{Deserialize, Serialize};

/// The first doubling that is told ends here.
const FIRST: usize = 1_000;

/// How well each review was called before it taught: Blum, Kalai and Langford (1999), "Beating the hold-out: bounds for
/// k-fold and progressive cross-validation", COLT, DOI 10.1145/307400.307439. No review is called by a model that knows
/// it, and the models are those on the way: what comes of it is a little worse than the model at the end.
#[derive(Debug, Clone, PartialEq, Serialize)]
pub struct Progressive {
    /// Reviews that were judged; those that are tied to one that had taught were not.
    pub judged: usize,
    /// The last half of them, for which the figures speak.
    pub reviews: usize,
    /// Their figures, as scores are before they are calibrated.
    pub figures: Figures,
    /// The share of the larger class among them.
    pub majority: Figure,
    /// How well they were called as more and more had taught.
    pub doublings: Vec<Doubling>,
}

/// Reviews judged between one number of reviews and twice as many.
#[derive(Debug, Clone, PartialEq, Serialize)]
pub struct Doubling {
    /// Reviews that were judged before the first of these.
    pub after: usize,
    /// How many of these were called by their class.
    pub accuracy: Figure,
}

/// The record of what was said, as far as it is needed: 12 bytes for each review of the last half.
#[derive(Debug, Clone, Default, PartialEq, Serialize, Deserialize)]
pub(super) struct Record {
    judged: usize,
    /// By doubling: reviews, and how many were called right.
    doublings: Vec<(usize, usize)>,
    /// Of the last half: log-odds, half the width of the neutral zone, and the class.
    last: Vec<(f32, f32, u8)>,
}

impl Record {
    /// Takes what was said of a review, of `all` that will be judged.
    pub(super) fn take(&mut self, judged: Judged, all: usize, decision: &Decision) {
        let right = decision.verdict(judged.place()).called == judged.class;
        let doubling = (self.judged / FIRST).checked_ilog2().map_or(0, |at| at as usize + 1);
        self.doublings.resize(self.doublings.len().max(doubling + 1), (0, 0));
        self.doublings[doubling].0 += 1;
        self.doublings[doubling].1 += usize::from(right);
        self.judged += 1;
        if self.judged > all / 2 {
            self.last.push((judged.log_odds, judged.half, judged.class.index() as u8));
        }
    }

    /// What it comes to; nothing if nothing was judged.
    pub(super) fn told(&self, decision: &Decision) -> Option<Progressive> {
        let class = |index: u8| Polarity::ALL.into_iter().find(|class| class.index() == usize::from(index));
        let labels: Vec<Polarity> = self.last.iter().filter_map(|(.., index)| class(*index)).collect();
        let verdict = |(log_odds, half, _): &(f32, f32, u8)| -> Verdict {
            decision.verdict(Place::between((*log_odds).into(), (*half).into()))
        };
        let verdicts: Vec<Verdict> = self.last.iter().map(verdict).collect();
        if labels.is_empty() {
            return None;
        }
        let mut mix = ClassCounts::default();
        labels.iter().for_each(|label| mix[*label] += 1);
        let largest = baseline(mix).called;
        let doubling = |(at, (reviews, right)): (usize, &(usize, usize))| Doubling {
            after: if at == 0 { 0 } else { FIRST << (at - 1) },
            accuracy: share(*right, *reviews),
        };
        Some(Progressive {
            judged: self.judged,
            reviews: labels.len(),
            figures: Figures::new(&labels, &verdicts),
            majority: share(mix[largest], labels.len()),
            doublings: self.doublings.iter().enumerate().map(doubling).collect(),
        })
    }
}
