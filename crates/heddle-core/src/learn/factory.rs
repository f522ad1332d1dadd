//! The learner that a study asks for.

use super::bayes::Bayes;
use super::columns::Columns;
use super::dual::Dual;
use super::learner::{Learner, SideBySide};
use super::loss::{LogLoss, Loss, PlainHinge, SquaredHinge};
use super::newton::{self, Newton};
use super::objective::Problem;
use super::online::Online;
use super::settings::{Hinge, Learning, Method};

/// Problems that are solved side by side: all inner folds of a few rows. Where rows are many, half of the folds
/// are left, fewer than this, and each is learnt alone on a core of its own.
const LANES: usize = 4;
/// Below this gap the rounding of 32 bits shows.
const SINGLE_ENOUGH: f64 = 1e-5;

impl Learning {
    /// A learner for a problem; it knows nothing yet.
    pub fn begin<'a>(&self, problem: Problem<'a>, seed: u64) -> Box<dyn Learner + 'a> {
        let share = self.share();
        match (self.learner, self.hinge) {
            (Method::Bayes, _) => Box::new(Bayes::new(problem, self.events, self.smoothing)),
            (Method::Online, _) => Box::new(Online::new(problem, self.epochs, seed)),
            (Method::Logistic, _) if share > 0.0 => Box::new(Columns::new(LogLoss, problem, share)),
            (Method::Logistic, _) => self.ridge(LogLoss, problem, seed),
            (Method::Svm, Hinge::Squared) if share > 0.0 => {
                Box::new(Columns::new(SquaredHinge, problem, share))
            }
            (Method::Svm, Hinge::Squared) => self.ridge(SquaredHinge, problem, seed),
            (Method::Svm, Hinge::Plain) => self.ridge(PlainHinge, problem, seed),
        }
    }

    fn ridge<'a, L: Loss + 'a>(&self, loss: L, problem: Problem<'a>, seed: u64) -> Box<dyn Learner + 'a> {
        if L::CURVED && newton::is_for(&problem) {
            return Box::new(Newton::new(loss, problem));
        }
        match self.tolerance >= SINGLE_ENOUGH {
            true => Box::new(Dual::<L, f32, 1>::new(loss, [problem], seed)),
            false => Box::new(Dual::<L, f64, 1>::new(loss, [problem], seed)),
        }
    }

    /// Learners for problems over one matrix: each lane one of them, in order, over as few learners as
    /// there can be.
    pub(crate) fn begin_all<'a>(&self, problems: &[Problem<'a>], seed: u64) -> Vec<Box<dyn SideBySide + 'a>> {
        let alone =
            |problem: &Problem<'a>| -> Box<dyn SideBySide + 'a> { Box::new(self.begin(*problem, seed)) };
        let (groups, rest) = problems.as_chunks::<LANES>();
        let group = |group: &[Problem<'a>; LANES]| match (self.learner, self.hinge) {
            (Method::Svm, Hinge::Squared) => self.lanes(SquaredHinge, *group, seed),
            (Method::Svm, Hinge::Plain) => self.lanes(PlainHinge, *group, seed),
            _ => self.lanes(LogLoss, *group, seed),
        };
        let by_examples = self.has_strength() && self.share() == 0.0 && !problems.iter().all(newton::is_for);
        match by_examples {
            true => groups.iter().map(group).chain(rest.iter().map(alone)).collect(),
            false => problems.iter().map(alone).collect(),
        }
    }

    fn lanes<'a, L: Loss + 'a>(
        &self,
        loss: L,
        problems: [Problem<'a>; LANES],
        seed: u64,
    ) -> Box<dyn SideBySide + 'a> {
        match self.tolerance >= SINGLE_ENOUGH {
            true => Box::new(Dual::<L, f32, LANES>::new(loss, problems, seed)),
            false => Box::new(Dual::<L, f64, LANES>::new(loss, problems, seed)),
        }
    }
}
