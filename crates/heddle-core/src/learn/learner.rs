//! What every learner can do.

/// Learns weights and intercepts for a [`Problem`](super::objective::Problem).
///
/// A learner keeps its state: the next strength starts where the last one ended.
pub trait Learner: Send {
    /// Minimises the objective for a strength, or gives the learner's answer where it has none.
    ///
    /// # Panics
    /// If `lambda` is not above zero.
    fn solve(&mut self, lambda: f64, stopping: Stopping) -> Convergence;

    /// As [`solve`](Self::solve), but content with less: enough where strengths are only
    /// ranked.
    fn approach(&mut self, lambda: f64, stopping: Stopping) {
        self.solve(lambda, stopping);
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
