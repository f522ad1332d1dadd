//! What every learner can do.

/// Learns weights and intercepts for a [`Problem`](super::objective::Problem).
///
/// A learner keeps its state: the next strength starts where the last one ended.
pub trait Learner: Send + Sync {
    /// Minimises the objective for a strength, or gives the learner's answer where it has none.
    ///
    /// # Panics
    /// If `lambda` is not above zero.
    fn solve(&mut self, lambda: f64, stopping: Stopping) -> Convergence;

    /// As [`solve`](Self::solve), but content with less: enough where strengths are only
    /// ranked, and for calibration.
    fn approach(&mut self, lambda: f64, stopping: Stopping) {
        self.solve(lambda, stopping);
    }

    /// How hard each example pulls, for a learner of more rows to start from; none where a learner
    /// does not know its examples apart.
    fn pulls(&self) -> Vec<ExamplePull> {
        Vec::new()
    }

    /// The weights of what stands beside the terms, where they are no sum of pulls; else none.
    fn own_weights(&self) -> Vec<f64> {
        Vec::new()
    }

    /// Starts from what learners of other rows found at this strength: the mean of the pulls of an example, and of weights that
    /// are no sum of pulls, if there are as many as here.
    /// Where it starts changes how soon a learner ends, and nothing of what it ends at but what the
    /// tolerance leaves open.
    fn start(&mut self, lambda: f64, pulls: &[ExamplePull], own: &[f64]) {
        let _ = (lambda, pulls, own);
    }

    /// The learner's own loss at a margin.
    fn loss(&self, margin: f64) -> f64;

    /// The score of any row of the matrix without a intercept: w.x.
    fn dot(&self, row: usize) -> f64;

    /// The intercept of each border, the higher border last; the same twice where there is one.
    fn intercepts(&self) -> [f64; 2];

    /// One weight per column of the matrix; 0 where the document factor is 0.
    fn weights(&self) -> Vec<f64>;
}

/// Learners of several problems over one matrix, each in its lane: the inner folds of some rows.
pub(crate) trait SideBySide: Send + Sync {
    /// The number of lanes.
    fn lanes(&self) -> usize;

    /// As [`Learner::approach`], in every lane.
    fn approach(&mut self, lambda: f64, stopping: Stopping);

    /// As [`Learner::pulls`].
    fn pulls(&self, lane: usize) -> Vec<ExamplePull>;

    /// As [`Learner::own_weights`].
    fn own_weights(&self, _lane: usize) -> Vec<f64> {
        Vec::new()
    }

    /// As [`Learner::loss`].
    fn loss(&self, margin: f64) -> f64;

    /// The scores of any row of the matrix: against each border, of two classes the one score twice; or where classes
    /// are free, by axis.
    fn scores(&self, lane: usize, row: usize) -> [f64; 2];
}

/// A learner in the one lane there is.
impl SideBySide for Box<dyn Learner + '_> {
    fn lanes(&self) -> usize {
        1
    }

    fn approach(&mut self, lambda: f64, stopping: Stopping) {
        (**self).approach(lambda, stopping);
    }

    fn pulls(&self, _: usize) -> Vec<ExamplePull> {
        (**self).pulls()
    }

    fn own_weights(&self, _: usize) -> Vec<f64> {
        (**self).own_weights()
    }

    fn loss(&self, margin: f64) -> f64 {
        (**self).loss(margin)
    }

    fn scores(&self, _: usize, row: usize) -> [f64; 2] {
        let dot = self.dot(row);
        self.intercepts().map(|intercept| intercept + dot)
    }
}

/// How hard an example pulls: its value in the dual problem.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct ExamplePull {
    /// Its row of the matrix.
    pub(crate) row: u32,
    /// Its border.
    pub(crate) border: u32,
    /// a.
    pub(crate) value: f64,
}

/// Why a learner stopped.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, serde::Serialize, serde::Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum Stop {
    /// The duality gap fell to the tolerance.
    Converged,
    /// The largest number of rounds was reached.
    Rounds,
    /// The answer is a formula, or a set number of passes: there is nothing to converge.
    Done,
}

/// How far a learner came.
#[derive(Debug, Clone, Copy, PartialEq, serde::Serialize, serde::Deserialize)]
pub struct Convergence {
    /// Why it stopped.
    pub stop: Stop,
    /// Rounds over the training rows.
    pub rounds: u32,
    /// P at the end, per example; for learners without an objective, the mean log loss of the
    /// training rows as they were learnt.
    pub objective: f64,
    /// (P - D) / P at the end: the objective is at most this share above its minimum. Missing
    /// for learners without an objective.
    pub gap: Option<f64>,
}

/// When to stop.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Stopping {
    /// The relative duality gap (P - D) / P.
    pub tolerance: f64,
    /// The largest number of rounds.
    pub rounds: u32,
}
