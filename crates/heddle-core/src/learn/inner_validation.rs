//! Inner folds: what the training rows alone can tell of rows that were held out.
//!
//! Each inner fold has its own vocabulary, document factors and balance. The strength of the
//! penalty, the calibration of scores and the cuts of decisions all rest on them, so that none
//! of these has seen a row that judges it.

use rayon::prelude::*;

use super::layout::Layout;
use super::learner::{ExamplePull, SideBySide, Stopping};
use super::objective::Problem;
use super::question::Question;
use super::settings::Learning;
use crate::beside::Features;
use crate::labels::classes::Classes;
use crate::labels::per_class::PerClass;
use crate::labels::polarity::Polarity;
use crate::measure::verdict::Place;
use crate::resample::balance::Balancing;
use crate::resample::folds::{Sample, folds, without};
use crate::resample::taught::Taught;
use crate::terms::count::Counted;
use crate::terms::select::Selection;
use crate::terms::weigh::Weighted;

/// The number of inner folds.
pub(crate) const INNER_FOLDS: usize = 4;
/// Up to this many training rows there are more: what three quarters of few rows teach is so much less than what all of
/// them teach that probabilities would be too timid.
const FEW_ROWS: usize = 1_500;
/// Up to this many, only calibration has more: it is done once, and a strength is tried many times.
const SOME_ROWS: usize = 4_000;
const FOLDS_OF_FEW: usize = 10;
/// From this many training rows on, half of the inner folds speak for all: what they hold out tells strengths
/// apart, and calibrates, far more finely than anything that follows from it, at half the cost.
pub(crate) const MANY_ROWS: usize = 10_000;

/// The number of folds that choose strengths on so many training rows.
pub(crate) fn choosing_folds(rows: usize) -> usize {
    if rows <= FEW_ROWS { FOLDS_OF_FEW } else { INNER_FOLDS }
}

/// The number of folds that calibrate scores, where it is another.
pub(crate) fn calibrating_folds(rows: usize) -> Option<usize> {
    (FEW_ROWS < rows && rows <= SOME_ROWS).then_some(FOLDS_OF_FEW)
}

/// What the inner folds are made of, before anything is learnt on them.
pub(crate) struct InnerFolds<'a> {
    sample: &'a Sample,
    taught: Taught<'a>,
    learning: &'a Learning,
    seed: u64,
    classes: Classes,
    costs: PerClass<f64>,
    /// What a held-out row of each class counts: rows are judged under the mix that balancing
    /// makes.
    judged: PerClass<f64>,
    parts: Vec<Part<'a>>,
}

struct Part<'a> {
    held: Vec<u32>,
    /// By held-out row: what the class ratios of its terms say; empty where nothing is blended in.
    leanings: Vec<f64>,
    seen: Vec<u32>,
    /// By layout: the weighted rows.
    weighted: Vec<(Layout, Weighted<'a>)>,
}

impl<'a> Part<'a> {
    /// The rows as classes of a layout see them.
    fn weighted(&self, layout: Layout) -> &Weighted<'a> {
        let own = self.weighted.iter().find(|(own, _)| *own == layout);
        &own.expect("folds are made for the layouts that are asked of them").1
    }
}

/// Learners on some of the inner folds, side by side.
pub(crate) struct InnerFit<'a> {
    learner: Box<dyn SideBySide + 'a>,
    layout: Layout,
    /// By lane: the fold.
    parts: Vec<&'a Part<'a>>,
    inner: &'a InnerFolds<'a>,
}

/// A row as the fold that held it out sees it.
#[derive(Debug, Clone, Copy, PartialEq)]
pub(crate) struct Held {
    /// The row.
    pub(crate) row: u32,
    pub(crate) label: Polarity,
    /// The score against each border, intercept included; where classes are free, the log-odds and the neutrality.
    pub(crate) scores: [f64; 2],
    /// What the class ratios of its terms say, without any learning; 0 where nothing is blended in.
    pub(crate) leaning: f64,
    /// What the row counts.
    pub(crate) cost: f64,
}

impl Held {
    /// The score half way between the borders of ordered classes.
    pub(crate) fn centre(&self) -> f64 {
        (self.scores[0] + self.scores[1]) / 2.0
    }
}

impl<'a> InnerFolds<'a> {
    /// Deals `rows`, of which `whole` is the selection, into so many inner folds. Folds that cannot be learnt from are
    /// left out: the others speak for them.
    pub(crate) fn new(
        counted: &'a Counted,
        sample: &'a Sample,
        (rows, whole, count): (&[u32], &Selection, usize),
        (learning, balance, layouts, features): (&'a Learning, &Balancing, &[Layout], &Features),
        seed: u64,
    ) -> Self {
        let mix = sample.mix(rows);
        let classes = Classes::of(mix);
        let blends = learning.blends(counted.rules.emphasis);
        let mut parts = folds(sample, rows, count, seed ^ 0x5eed);
        if rows.len() >= MANY_ROWS {
            parts.truncate(INNER_FOLDS / 2);
        }
        let parts: Vec<Part> = parts
            .into_par_iter()
            .filter_map(|held| {
                let training = without(rows, &held);
                let own = sample.mix(&training);
                if held.is_empty() || classes.list().iter().any(|class| own[*class] == 0) {
                    return None;
                }
                let selection = whole.without(&held, &training, (features, counted, sample));
                let leanings = blends.then(|| selection.leanings(&counted.rules));
                let weigh = |layout: &Layout| (*layout, selection.weighted(counted, layout.contrast()));
                let weighted: Vec<(Layout, Weighted)> = layouts.iter().map(weigh).collect();
                let ordered = weighted.iter().find(|(layout, _)| *layout != Layout::Free);
                let leaning = |(terms, (_, rows)): (&Vec<f64>, &(Layout, Weighted))| {
                    held.iter().map(|row| rows.dot(*row as usize, terms)).collect()
                };
                let leanings = leanings.as_ref().zip(ordered).map_or(Vec::new(), leaning);
                Some(Part {
                    leanings,
                    held,
                    seen: sample.copies.with(balance.rows(sample, &training, seed)),
                    weighted,
                })
            })
            .collect();
        Self {
            sample,
            taught: sample.taught(learning.copies),
            learning,
            seed,
            classes,
            costs: balance.costs(mix),
            judged: balance.judged(mix),
            parts,
        }
    }

    /// Rows that can be held out.
    pub(crate) fn rows(&self) -> usize {
        self.parts.iter().map(|part| part.held.len()).sum()
    }

    /// Learners on all folds, for classes of this layout.
    pub(crate) fn fits(&'a self, layout: Layout) -> Vec<InnerFit<'a>> {
        let problem = |part: &'a Part<'a>| Problem {
            features: part.weighted(layout),
            labels: &self.taught.labels,
            shares: &self.taught.shares,
            rows: &part.seen,
            costs: self.costs,
            question: Question::Above(self.classes),
        };
        let problems: Vec<Problem<'a>> = self.parts.iter().map(problem).collect();
        let mut parts = self.parts.iter();
        let fit = |learner: Box<dyn SideBySide + 'a>| {
            let parts = parts.by_ref().take(learner.lanes()).collect();
            InnerFit { learner, layout, parts, inner: self }
        };
        let free = |problem: &Problem<'a>| -> Box<dyn SideBySide + 'a> {
            Box::new(self.learning.begin_free(*problem, self.seed))
        };
        match layout {
            Layout::Ordered(_) => {
                self.learning.begin_all(&problems, self.seed).into_iter().map(fit).collect()
            }
            Layout::Free => problems.iter().map(free).map(fit).collect(),
        }
    }
}

impl InnerFit<'_> {
    /// The learner's own loss on a held-out row, by its cost.
    pub(crate) fn own_loss(&self, held: &Held) -> f64 {
        let Layout::Ordered(classes) = self.layout else {
            // Margins of single classes are no longer known: the log loss of what scores say, whatever was learnt with.
            return held.cost * Place::apart(held.scores[0], held.scores[1]).log_loss(held.label);
        };
        let at = |border: usize| self.learner.loss(classes.side(border, held.label) * held.scores[border]);
        held.cost * (0..classes.borders()).map(at).sum::<f64>()
    }

    /// How hard the examples of each fold pull.
    pub(crate) fn pulls(&self) -> impl Iterator<Item = ExamplePull> {
        (0..self.parts.len()).flat_map(|lane| self.learner.pulls(lane))
    }

    /// The weights of each fold that are no sum of pulls.
    pub(crate) fn own_weights(&self) -> impl Iterator<Item = Vec<f64>> {
        (0..self.parts.len()).map(|lane| self.learner.own_weights(lane))
    }

    /// Learns roughly and gives the scores of the held-out rows.
    pub(crate) fn held_out(&mut self, lambda: f64, stopping: Stopping) -> Vec<Held> {
        self.learner.approach(lambda, stopping);
        let lanes = self.parts.iter().enumerate();
        let of_lane = |(lane, part): (usize, &&Part<'_>)| -> Vec<Held> {
            let one = |(at, &row): (usize, &u32)| {
                let leaning = part.leanings.get(at).copied().unwrap_or(0.0);
                let label = self.inner.sample.labels[row as usize];
                let scores = self.learner.scores(lane, row as usize);
                Held { row, label, scores, leaning, cost: self.inner.judged[label] }
            };
            part.held.par_iter().enumerate().map(one).collect()
        };
        lanes.flat_map(of_lane).collect()
    }
}
