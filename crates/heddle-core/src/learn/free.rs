//! Three classes without an order: one weight vector for each.
//!
//! What the classes' vectors w(c) and intercepts say of a review is a score for each class, of which only differences
//! count. Two numbers hold them all: the log-odds of positive against negative, s = z(positive) - z(negative), and the
//! neutrality h = z(neutral) - (z(positive) + z(negative)) / 2. So two vectors are kept in place of three; those of
//! the classes follow from them (see [`class_scores`](crate::measure::class_scores)).
//!
//! Logistic regression under a ridge learns the classes together. Every other penalised learner, and the online one,
//! learns each class against the rest (Rifkin and Klautau (2004), "In defense of one-vs-all classification", JMLR 5,
//! <https://jmlr.org/papers/v5/rifkin04a.html>); naive Bayes knows the classes one by one.

use super::learner::{Convergence, ExamplePull, Learner, SideBySide, Stop, Stopping};
use super::multinomial::Multinomial;
use super::objective::Problem;
use super::question::Question;
use super::settings::{Learning, Method, Penalty};
use crate::labels::per_class::{CLASSES, PerClass};
use crate::labels::polarity::Polarity;
use crate::measure::odds::loss;

/// A learner of three classes that keeps its state, as [`Learner`] does.
pub(crate) enum FreeLearner<'a> {
    /// All classes by one problem.
    Together(Multinomial<'a>),
    /// A learner for each class.
    Apart(PerClass<Box<dyn Learner + 'a>>),
}

/// What three numbers, one for each class, come to: s and h.
pub(crate) fn axes(of: PerClass<f64>) -> [f64; 2] {
    let [negative, positive, neutral] = of.into_array();
    [positive - negative, neutral - (positive + negative) / 2.0]
}

impl Learning {
    /// Whether free classes are learnt by one problem, whose scores are log-odds.
    pub(crate) fn learns_together(&self) -> bool {
        self.learner == Method::Logistic && self.penalty == Penalty::Ridge
    }

    /// A learner of three free classes.
    pub(crate) fn begin_free<'a>(&self, problem: Problem<'a>, seed: u64) -> FreeLearner<'a> {
        if self.learns_together() {
            return FreeLearner::Together(Multinomial::new(problem));
        }
        let of = |class: Polarity| self.begin(Problem { question: Question::Is(class), ..problem }, seed);
        FreeLearner::Apart(PerClass::of(of))
    }
}

impl FreeLearner<'_> {
    /// As [`Learner::solve`]; of several learners, the rounds of all and the least converged.
    pub(crate) fn solve(&mut self, lambda: f64, stopping: Stopping) -> Convergence {
        let learners = match self {
            Self::Together(learner) => return learner.solve(lambda, stopping),
            Self::Apart(learners) => learners,
        };
        let ends: Vec<Convergence> = learners.iter_mut().map(|own| own.solve(lambda, stopping)).collect();
        let stop = ends.iter().map(|end| end.stop).find(|stop| *stop == Stop::Rounds).unwrap_or(ends[0].stop);
        Convergence {
            stop,
            rounds: ends.iter().map(|end| end.rounds).sum(),
            objective: ends.iter().map(|end| end.objective).sum::<f64>() / ends.len() as f64,
            gap: ends.iter().map(|end| end.gap).reduce(|one, other| Some(one?.max(other?))).flatten(),
        }
    }

    /// By axis: one weight per column of the matrix.
    pub(crate) fn weights(&self) -> [Vec<f64>; 2] {
        match self {
            Self::Together(learner) => learner.weights().clone(),
            Self::Apart(learners) => {
                let [negative, positive, neutral] = CLASSES.map(|class| learners[class].weights());
                let at = |column: usize| axes([negative[column], positive[column], neutral[column]].into());
                (0..negative.len())
                    .map(at)
                    .map(|[s, h]| (s, h))
                    .unzip::<f64, f64, Vec<f64>, Vec<f64>>()
                    .into()
            }
        }
    }

    /// By axis: the intercept.
    pub(crate) fn intercepts(&self) -> [f64; 2] {
        match self {
            Self::Together(learner) => learner.intercepts(),
            Self::Apart(learners) => axes(PerClass::of(|class| learners[class].intercepts()[0])),
        }
    }

    /// By axis: the score of any row of the matrix.
    pub(crate) fn scores(&self, row: usize) -> [f64; 2] {
        match self {
            Self::Together(learner) => learner.scores(row),
            Self::Apart(learners) => {
                axes(PerClass::of(|class| learners[class].dot(row) + learners[class].intercepts()[0]))
            }
        }
    }
}

impl SideBySide for FreeLearner<'_> {
    fn lanes(&self) -> usize {
        1
    }

    fn approach(&mut self, lambda: f64, stopping: Stopping) {
        match self {
            Self::Together(learner) => {
                learner.solve(lambda, stopping);
            }
            Self::Apart(learners) => learners.iter_mut().for_each(|own| own.approach(lambda, stopping)),
        }
    }

    fn pulls(&self, _: usize) -> Vec<ExamplePull> {
        Vec::new()
    }

    fn loss(&self, margin: f64) -> f64 {
        loss(margin)
    }

    fn scores(&self, _: usize, row: usize) -> [f64; 2] {
        Self::scores(self, row)
    }
}
