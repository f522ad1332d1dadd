//! From training rows to raw scores: one learner for each layout of the classes, along a path of strengths.

use std::cell::LazyCell;

use rayon::prelude::*;

use crate::learn::blend::Blend;
use crate::learn::calibrate::class_losses;
use crate::learn::free::FreeLearner;
use crate::learn::inner_validation::{Held, InnerFit, InnerFolds};
use crate::learn::lambda::{self, Asked, LambdaChoice};
use crate::learn::layout::{Layout, LayoutChoice};
use crate::learn::learner::{Convergence, ExamplePull, Learner, Stopping};
use crate::learn::objective::Problem;
use crate::learn::settings::{Calibrate, Learning, Penalty, Strength};
use crate::measure::interval::mean_and_error;
use crate::settings::study::Study;
use crate::terms::rules::Emphasis;

/// The largest number of rounds of a fit.
const ROUNDS: u32 = 1000;

/// What a study asks of held-out rows.
#[derive(Clone, Copy)]
pub(crate) struct Needs<'a> {
    pub(crate) study: &'a Study,
    /// Whether their scores are needed for more than calibration.
    pub(crate) held: bool,
}

/// What learning needs to know, whatever the strength.
pub(crate) struct Lesson<'a> {
    pub(crate) layout: Layout,
    pub(crate) problem: Problem<'a>,
    pub(crate) needs: Needs<'a>,
    pub(crate) emphasis: Emphasis,
    /// The training rows, before balancing.
    pub(crate) reviews: usize,
    /// Inner folds that choose strengths, and calibrate where there are no others.
    pub(crate) choosing: Option<&'a InnerFolds<'a>>,
    /// Inner folds that only calibrate.
    pub(crate) calibrating: Option<&'a InnerFolds<'a>>,
}

/// What was learnt at a strength.
pub(crate) struct Learnt {
    pub(crate) layout: Layout,
    pub(crate) raw: Raw,
    /// Held-out rows, where they are needed.
    pub(crate) held: Vec<Held>,
    pub(crate) strength: Option<f64>,
    pub(crate) choice: Option<LambdaChoice>,
    pub(crate) convergence: Convergence,
    pub(crate) blend: Blend,
}

/// What a learner gives: one weight per column.
pub(crate) enum Raw {
    /// The weights of the one axis, and the intercept of each border.
    Ordered { weights: Vec<f64>, intercepts: [f64; 2] },
    /// The weights and the intercept of the log-odds and of the neutrality.
    Free { weights: [Vec<f64>; 2], intercepts: [f64; 2] },
}

/// A learner of the one layout or the other.
enum Pupil<'a> {
    Ordered(Box<dyn Learner + 'a>),
    Free(FreeLearner<'a>),
}

impl Pupil<'_> {
    fn solve(&mut self, lambda: f64, stopping: Stopping) -> Convergence {
        match self {
            Self::Ordered(learner) => learner.solve(lambda, stopping),
            Self::Free(learner) => learner.solve(lambda, stopping),
        }
    }

    fn start(&mut self, lambda: f64, pulls: &[ExamplePull], own: &[f64]) {
        match self {
            Self::Ordered(learner) if !pulls.is_empty() => learner.start(lambda, pulls, own),
            _ => {}
        }
    }

    fn raw(&self) -> Raw {
        match self {
            Self::Ordered(learner) => {
                Raw::Ordered { weights: learner.weights(), intercepts: learner.intercepts() }
            }
            Self::Free(learner) => Raw::Free { weights: learner.weights(), intercepts: learner.intercepts() },
        }
    }

    /// What is to be added to the scores of a held-out row, so that they lie where those of this learner do.
    fn apart(&self, held: &Held) -> [f64; 2] {
        let row = held.row as usize;
        match self {
            Self::Ordered(learner) => {
                let [low, high] = learner.intercepts();
                [learner.dot(row) + (low + high) / 2.0 - held.centre(); 2]
            }
            Self::Free(learner) => {
                let scores = learner.scores(row);
                [0, 1].map(|axis| scores[axis] - held.scores[axis])
            }
        }
    }
}

impl Needs<'_> {
    /// The calibration in force for a layout and a strength. Classes that were each learnt against the rest have no
    /// common scale before they are calibrated.
    pub(crate) fn calibrated(&self, layout: Layout, strength: Strength) -> Calibrate {
        let learning = Learning { strength, ..self.study.model };
        match learning.calibrated() {
            Calibrate::None if layout == Layout::Free && learning.calibration == Calibrate::Auto => {
                if learning.learns_together() {
                    Calibrate::None
                } else {
                    Calibrate::Scale
                }
            }
            other => other,
        }
    }

    /// Whether held-out rows are needed for a strength.
    pub(crate) fn held_rows(&self, layout: Layout, strength: Strength) -> bool {
        self.held || self.calibrated(layout, strength).learns()
    }
}

impl Lesson<'_> {
    fn begin(&self) -> Pupil<'_> {
        let Study { model, validation, .. } = self.needs.study;
        match self.layout {
            Layout::Ordered(_) => Pupil::Ordered(model.begin(self.problem, validation.seed)),
            Layout::Free => Pupil::Free(model.begin_free(self.problem, validation.seed)),
        }
    }

    /// Learns along a path of strengths: each starts from the weights of the one before. `leanings` are those of the
    /// terms, for classes on one axis.
    pub(crate) fn follow(
        &self,
        strengths: &[Strength],
        leanings: &LazyCell<Vec<f64>, impl FnOnce() -> Vec<f64>>,
    ) -> Vec<Learnt> {
        let (layout, learning) = (self.layout, &self.needs.study.model);
        let fits = |folds: Option<&'_ InnerFolds<'_>>| folds.map_or(0, InnerFolds::rows);
        let held_out = [self.choosing, self.calibrating].map(fits).into_iter().find(|rows| *rows > 0);
        let mut choosing = self.choosing.map_or(Vec::new(), |folds| folds.fits(layout));
        let mut calibrating = self.calibrating.map_or(Vec::new(), |folds| folds.fits(layout));
        let mut pupil = self.begin();
        let mut learnt = Vec::with_capacity(strengths.len());
        for asked in strengths {
            let calibrated = self.needs.calibrated(layout, *asked);
            let to_choose = Asked {
                reviews: self.reviews,
                held_out: held_out.unwrap_or(0),
                tolerance: learning.tolerance,
                calibrated: calibrated.learns().then_some(layout),
            };
            let needs = self.needs.held_rows(layout, *asked);
            let Chosen { strength, choice, mut held, pulls, own } =
                self.choose(*asked, needs, to_choose, (&mut choosing, &mut calibrating));
            let lambda = strength.unwrap_or(1.0);
            if learnt.is_empty() {
                // Inner folds have learnt from these very rows.
                pupil.start(lambda, &pulls, &own);
            }
            let convergence = pupil.solve(lambda, Stopping { tolerance: learning.tolerance, rounds: ROUNDS });
            let mut raw = pupil.raw();
            if learning.has_strength() && learning.penalty == Penalty::Ridge {
                settle(&mut held, &pupil);
            }
            let blends = Learning { strength: *asked, ..*learning }.blends(self.emphasis);
            let blend = match (blends, &mut raw) {
                (true, Raw::Ordered { weights, .. }) => blended(weights, &mut held, layout, leanings),
                _ => Blend::default(),
            };
            learnt.push(Learnt { layout, raw, held, strength, choice, convergence, blend });
        }
        learnt
    }

    /// The strength, where there is one, and what the inner folds know at it.
    fn choose(
        &self,
        asked: Strength,
        needs: bool,
        to_choose: Asked,
        (choosing, calibrating): (&mut [InnerFit<'_>], &mut [InnerFit<'_>]),
    ) -> Chosen {
        let penalised = self.needs.study.model.has_strength();
        let (choice, known) =
            (penalised && asked == Strength::Auto).then(|| lambda::choose(choosing, to_choose)).unzip();
        let strength = match asked {
            Strength::Fixed(lambda) => Some(lambda).filter(|_| penalised),
            Strength::Auto => choice.as_ref().map(|choice| choice.strength),
        };
        let lambda = strength.unwrap_or(1.0);
        let known = match (known, needs) {
            (_, true) if self.calibrating.is_some() => to_choose.known(calibrating, lambda),
            (None, true) => to_choose.known(choosing, lambda),
            (known, _) => known.unwrap_or_default(),
        };
        let held = if needs { known.held } else { Vec::new() };
        Chosen { strength, choice, held, pulls: known.pulls, own: known.own }
    }
}

struct Chosen {
    strength: Option<f64>,
    choice: Option<LambdaChoice>,
    held: Vec<Held>,
    pulls: Vec<ExamplePull>,
    own: Vec<f64>,
}

/// Adds the class ratios of terms to weights, by as much as held-out rows ask for.
pub(super) fn blended(
    weights: &mut [f64],
    held: &mut Vec<Held>,
    layout: Layout,
    leanings: &LazyCell<Vec<f64>, impl FnOnce() -> Vec<f64>>,
) -> Blend {
    let blend = Blend::of(held, layout);
    if blend.share > 0.0 {
        *held = blend.added_to(held);
        weights.iter_mut().zip(&**leanings).for_each(|(own, leaning)| *own += blend.factor * leaning);
    }
    blend
}

/// Moves held-out scores to where those of the final learner lie.
///
/// An inner learner has another intercept than the final one, and where scores are multiplied by much, the difference
/// would move every log-odds. The mean score of the rows under the final learner tells where it lies, though it has
/// learnt from them: a row pulls its own score by its dual variable, and under a ridge with an intercept those of
/// the classes cancel each other (for rows of equal length: of unit norm).
fn settle(held: &mut [Held], pupil: &Pupil<'_>) {
    let costs: f64 = held.iter().map(|held| held.cost).sum();
    let weighted = |held: &Held| pupil.apart(held).map(|by| held.cost * by);
    // Added up in order, whatever the number of threads.
    let parts: Vec<[f64; 2]> = held.par_iter().map(weighted).collect();
    if costs > 0.0 {
        let mean = [0, 1].map(|axis| parts.iter().map(|part| part[axis]).sum::<f64>() / costs);
        held.iter_mut().for_each(|held| held.scores = [0, 1].map(|axis| held.scores[axis] + mean[axis]));
    }
}

/// Of what several layouts learnt, the one whose held-out rows have the least log loss once they are calibrated.
pub(crate) fn better(mut several: Vec<Learnt>) -> (Learnt, Option<LayoutChoice>) {
    let last = several.pop().expect("at least one layout");
    let Some(first) = several.pop() else { return (last, None) };
    let losses = |learnt: &Learnt| class_losses(&learnt.held, learnt.layout);
    let gains: Vec<f64> = losses(&first).iter().zip(losses(&last)).map(|(one, other)| one - other).collect();
    let (gain, error) = mean_and_error(&gains);
    let free = gain > 0.0;
    (if free { last } else { first }, Some(LayoutChoice { free, gain, error }))
}
