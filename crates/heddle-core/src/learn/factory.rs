//! The learner that a study asks for.

use super::bayes::Bayes;
use super::columns::Columns;
use super::dual::Dual;
use super::learner::Learner;
use super::loss::{LogLoss, PlainHinge, SquaredHinge};
use super::objective::Problem;
use super::online::Online;
use super::settings::{Hinge, Learning, Method};

impl Learning {
    /// A learner for a problem; it knows nothing yet.
    pub fn begin<'a>(&self, problem: Problem<'a>, seed: u64) -> Box<dyn Learner + 'a> {
        let share = self.share();
        match (self.learner, self.hinge) {
            (Method::Bayes, _) => Box::new(Bayes::new(problem, self.events, self.smoothing)),
            (Method::Online, _) => Box::new(Online::new(problem, self.epochs, seed)),
            (Method::Logistic, _) if share > 0.0 => Box::new(Columns::new(LogLoss, problem, share)),
            (Method::Logistic, _) => Box::new(Dual::new(LogLoss, problem, seed)),
            (Method::Svm, Hinge::Squared) if share > 0.0 => {
                Box::new(Columns::new(SquaredHinge, problem, share))
            }
            (Method::Svm, Hinge::Squared) => Box::new(Dual::new(SquaredHinge, problem, seed)),
            (Method::Svm, Hinge::Plain) => Box::new(Dual::new(PlainHinge, problem, seed)),
        }
    }
}
