//! Ridge regression on any loss, by dual coordinate descent.
//!
//! Hsieh, Chang, Lin, Keerthi and Sundararajan (2008), "A dual coordinate descent method for
//! large-scale linear SVM", ICML, DOI 10.1145/1390156.1390208; for the log loss Yu, Huang and
//! Lin (2011), "Dual coordinate descent methods for logistic regression and maximum entropy
//! models", Machine Learning 85, DOI 10.1007/s10994-010-5221-8. One example at a time, D is
//! maximised exactly over that example's a. Departures from the papers: the one-dimensional
//! problem of the log loss is solved in t = ln((1 - a) / a), where it is smooth and has no
//! borders; the costs of the classes differ; only examples that pull not at all are passed
//! over (shrinking), so that the sums of a round stay whole; and the run stops by the duality
//! gap.
//!
//! Weights are held in 32 bits where the tolerance allows it, and every sum is taken in 64: the pulls a
//! are what is learnt, and weights that miss w(a) by their rounding miss the gap by its square.
//!
//! Several problems over one matrix, such as the inner folds of a validation, are solved side by side, in
//! *lanes*. The gains of a column stand next to each other, one for each lane: what a round costs is to
//! fetch columns that do not fit the caches, and so it is paid once for all lanes.
//!
//! Cost of a round: twice the entries of the rows that teach in any lane. The first half misses the caches wherever
//! the columns do not fit them, so columns are asked for before their turn. Requirements: lambda > 0.

use std::array::from_fn;
use std::ops::{Add, Mul};

use rayon::prelude::*;

use super::dense::{DenseWeights, Followed};
use super::learner::{Convergence, ExamplePull, Learner, SideBySide, Stop, Stopping};
use super::loss::Loss;
use super::objective::{Example, Problem};
use crate::ahead::{ask, ask_for_all, fold_ahead};
use crate::matrix::{Entry, Rows};
use crate::resample::random::Random;

/// Examples whose sums one core takes at a time when the gap is checked; a fixed number, so that sums do
/// not depend on the cores.
const CHECKED_AT_ONCE: usize = 512;

/// A number as columns hold it.
pub(crate) trait Real:
    Copy + Send + Sync + std::fmt::Debug + Into<f64> + Add<Output = Self> + Mul<Output = Self> + From<f32>
{
    /// The nearest one.
    fn nearest(value: f64) -> Self;
}

impl Real for f32 {
    fn nearest(value: f64) -> Self {
        value as Self
    }
}

impl Real for f64 {
    fn nearest(value: f64) -> Self {
        value
    }
}

/// What is known of one column, by lane: the pull that is learnt, and the square of its document
/// factor beside it, because both are needed at the same moment.
#[derive(Debug, Clone, Copy)]
struct Column<R, const K: usize> {
    /// Weight x document factor.
    gains: [R; K],
    squares: [R; K],
}

/// A row at a border, and the lanes in which it teaches.
#[derive(Debug, Clone, Copy)]
struct Place<const K: usize> {
    row: u32,
    border: u32,
    teaches: [bool; K],
}

/// One of the problems.
#[derive(Debug, Clone)]
struct Lane<'a> {
    problem: Problem<'a>,
    total: f64,
    /// Intercepts, and the weights of what stands beside the terms.
    dense: DenseWeights,
    /// How far the margin of an example that pulls was off its best in the last round.
    worst: f64,
}

/// A learner that keeps its state, so that the next strength starts where this one ended.
#[derive(Debug, Clone)]
pub struct Dual<'a, L, R, const K: usize> {
    loss: L,
    lanes: [Lane<'a>; K],
    rows: &'a Rows,
    columns: Vec<Column<R, K>>,
    places: Vec<Place<K>>,
    /// By place and lane: a.
    pulls: Vec<[f64; K]>,
    /// The places in the order of the last round; those that rest stand behind `active`.
    order: Vec<u32>,
    active: usize,
    lambda: f64,
    draw: Random,
}

impl<'a, L: Loss, R: Real, const K: usize> Dual<'a, L, R, K> {
    /// A learner that knows nothing yet: all weights are zero. The problems differ in their rows, and in
    /// the factors that these make.
    ///
    /// # Panics
    /// If there are no training rows.
    pub fn new(loss: L, problems: [Problem<'a>; K], seed: u64) -> Self {
        assert!(problems.iter().all(|problem| !problem.rows.is_empty()), "no rows to learn from");
        let square = |factor: f32| R::nearest(f64::from(factor) * f64::from(factor));
        let column = |at: usize| Column {
            gains: [R::nearest(0.0); K],
            squares: from_fn(|lane| square(problems[lane].features.document_factors[at])),
        };
        let places = places(&problems);
        let rows = problems[0].features.rows;
        Self {
            loss,
            rows,
            columns: (0..rows.columns()).map(column).collect(),
            pulls: vec![[0.0; K]; places.len()],
            order: (0..places.len() as u32).collect(),
            active: places.len(),
            places,
            lambda: 1.0,
            draw: Random::new(seed),
            lanes: problems.map(|problem| Lane {
                total: problem.total_cost(),
                dense: DenseWeights::new(&problem, L::CURVED),
                worst: f64::INFINITY,
                problem,
            }),
        }
    }

    /// Sets the strength and starts from the state so far. w(a) is inverse to lambda, so the
    /// same a would give weights that grow as lambda falls; at the optimum they grow more
    /// slowly, and a falls too. The start is half way between, on the scale of logarithms.
    fn begin(&mut self, lambda: f64) {
        assert!(lambda > 0.0, "lambda must be above 0, got {lambda}");
        let fall = (lambda / self.lambda).sqrt().min(1.0); // a must stay within its bounds
        let scale = self.lambda / lambda * fall;
        if scale != 1.0 || fall != 1.0 {
            self.pulls.iter_mut().flatten().for_each(|a| *a *= fall);
            let gains = self.columns.iter_mut().flat_map(|column| &mut column.gains);
            gains.for_each(|gain| *gain = R::nearest((*gain).into() * scale));
            self.lanes.iter_mut().for_each(|lane| lane.dense.scale(scale));
        }
        self.lambda = lambda;
        self.wake();
    }

    /// All examples take part again.
    fn wake(&mut self) {
        self.active = self.order.len();
        self.lanes.iter_mut().for_each(|lane| lane.worst = f64::INFINITY);
    }

    /// One pass over the examples that do not rest, in a new random order.
    fn round(&mut self) -> [Duality; K] {
        let mut sums = [Duality::default(); K];
        let mut order = std::mem::take(&mut self.order);
        self.draw.shuffle(&mut order[..self.active]);
        let spare: [f64; K] = from_fn(|lane| self.lanes[lane].worst);
        self.lanes.iter_mut().for_each(|lane| lane.worst = 0.0);
        let mut at = 0;
        while at < self.active {
            if let Some(next) = order.get(at + 1) {
                ask_for_all(self.rows.row(self.places[*next as usize].row as usize));
            }
            if self.learn(order[at] as usize, &spare, &mut sums) {
                at += 1;
            } else {
                self.active -= 1;
                order.swap(at, self.active);
            }
        }
        self.order = order;
        for (lane, sums) in self.lanes.iter_mut().zip(&mut sums) {
            // For u as it stood, the gap is that of the pulls; what u was away from its best comes to it.
            let [primal, _] = lane.dense.apart(self.lambda);
            let Followed { moved, fell } = lane.dense.follow(self.lambda);
            sums.add_apart([primal, primal - fell]);
            lane.worst = lane.worst.max(moved);
        }
        sums
    }

    /// Learns from one place; `false` if it rests in every lane.
    fn learn(&mut self, place: usize, spare: &[f64; K], sums: &mut [Duality; K]) -> bool {
        let Place { row, border, teaches } = self.places[place];
        let (row, border) = (row as usize, border as usize);
        let dots = self.dots(row);
        let Example { sign, cost, .. } = self.lanes[0].problem.example_of(row, border);
        let (mut steps, mut pulls) = ([0.0; K], false);
        for lane in (0..K).filter(|lane| teaches[*lane]) {
            let Lane { problem, total, dense, worst } = &mut self.lanes[lane];
            let margin = sign * (dense.intercepts()[border] + dots[lane]);
            let a = self.pulls[place][lane];
            if a == 0.0 && self.loss.rests(margin, spare[lane]) {
                continue;
            }
            pulls = true;
            let cost = cost / *total;
            sums[lane].add(self.loss, cost, a, margin);
            let q = cost * dense.square(problem, row) / self.lambda;
            let new = self.loss.best(margin, a, q);
            dense.bend(problem, row, || cost * self.loss.curve(margin + q * (new - a)));
            *worst = worst.max(q * (new - a).abs());
            self.pulls[place][lane] = new;
            let step = sign * cost * (new - a) / self.lambda;
            dense.add(problem, (row, border), step);
            steps[lane] = step * problem.features.row_factors[row];
        }
        if steps != [0.0; K] {
            self.add(row, steps);
        }
        pulls
    }

    /// By lane: the score of a row without an intercept.
    fn dots(&self, row: usize) -> [f64; K] {
        let ask = |_: &_, entry: &_| self.ask(entry);
        let mut sums = fold_ahead(self.rows.row(row), ask, [0.0; K], |mut sums, entry| {
            let gains = &self.columns[entry.column as usize].gains;
            let value = f64::from(entry.value);
            for lane in 0..K {
                sums[lane] += value * gains[lane].into();
            }
            sums
        });
        for (sum, Lane { problem, dense, .. }) in sums.iter_mut().zip(&self.lanes) {
            *sum = *sum * problem.features.row_factors[row] + dense.dot(problem, row);
        }
        sums
    }

    /// Asks for the column of an entry.
    fn ask(&self, entry: &Entry) {
        ask(&self.columns, entry.column as usize);
    }

    /// Adds a row, times the step of each lane, to the weights.
    fn add(&mut self, row: usize, steps: [f64; K]) {
        let steps = steps.map(R::nearest);
        for entry in self.rows.row(row) {
            let Column { gains, squares } = &mut self.columns[entry.column as usize];
            let value = R::from(entry.value);
            for lane in 0..K {
                gains[lane] = gains[lane] + steps[lane] * value * squares[lane];
            }
        }
    }

    /// The largest gap of the lanes.
    fn gap(sums: &[Duality; K]) -> f64 {
        sums.iter().map(Duality::gap).fold(0.0, f64::max)
    }

    /// Learns until the sums of a round say that the gap is near the tolerance.
    fn run_roughly(&mut self, lambda: f64, stopping: Stopping) {
        self.begin(lambda);
        let mut rounds = 1;
        while Self::gap(&self.round()) > stopping.tolerance && rounds < stopping.rounds {
            rounds += 1;
        }
    }

    fn dot_in(&self, lane: usize, row: usize) -> f64 {
        let part = |sum: f64, entry: &Entry| {
            sum + f64::from(entry.value) * self.columns[entry.column as usize].gains[lane].into()
        };
        let sum = fold_ahead(self.rows.row(row), |_, entry| self.ask(entry), 0.0, part);
        let Lane { problem, dense, .. } = &self.lanes[lane];
        sum * problem.features.row_factors[row] + dense.dot(problem, row) + dense.mean()
    }

    fn intercepts_in(&self, lane: usize) -> [f64; 2] {
        let Lane { problem, dense, .. } = &self.lanes[lane];
        let (own, mean) = (dense.intercepts(), dense.mean());
        problem.question.spread([own[0] - mean, own[own.len() - 1] - mean])
    }

    fn pulls_in(&self, lane: usize) -> Vec<ExamplePull> {
        let both = self.places.iter().zip(&self.pulls).filter(|(place, _)| place.teaches[lane]);
        both.map(|(place, pulls)| ExamplePull { row: place.row, border: place.border, value: pulls[lane] })
            .collect()
    }
}

/// The examples of all problems: what teaches in several of them stands there once.
fn places<const K: usize>(problems: &[Problem<'_>; K]) -> Vec<Place<K>> {
    // A row may teach several times, where balancing repeats it.
    let mut seen: Vec<(u32, u32, usize)> = Vec::new();
    for (lane, problem) in problems.iter().enumerate() {
        let mut times = vec![0u32; problem.features.rows.len()];
        for &row in problem.rows {
            seen.push((row, times[row as usize], lane));
            times[row as usize] += 1;
        }
    }
    if K > 1 {
        seen.par_sort_unstable();
    }
    let borders = problems[0].question.borders() as u32;
    let same = |a: &(u32, u32, usize), b: &(u32, u32, usize)| K > 1 && (a.0, a.1) == (b.0, b.1);
    let place = |run: &[(u32, u32, usize)], border: u32| Place {
        row: run[0].0,
        border,
        teaches: from_fn(|lane| run.iter().any(|own| own.2 == lane)),
    };
    seen.chunk_by(same).flat_map(|run| (0..borders).map(move |border| place(run, border))).collect()
}

impl<L: Loss, R: Real> Dual<'_, L, R, 1> {
    /// P and D at the present weights.
    fn duality(&self) -> Duality {
        let Lane { problem, total, dense, .. } = &self.lanes[0];
        let intercepts = dense.intercepts();
        let of_chunk = |(places, pulls): (&[Place<1>], &[[f64; 1]])| {
            let mut sums = Duality::default();
            for (Place { row, border, .. }, [a]) in places.iter().zip(pulls) {
                let (row, border) = (*row as usize, *border as usize);
                let [dot] = self.dots(row);
                let Example { sign, cost, .. } = problem.example_of(row, border);
                sums.add(self.loss, cost / total, *a, sign * (intercepts[border] + dot));
            }
            sums
        };
        let places = self.places.par_chunks(CHECKED_AT_ONCE);
        let chunks: Vec<Duality> = places.zip(self.pulls.par_chunks(CHECKED_AT_ONCE)).map(of_chunk).collect();
        let mut sums = chunks.into_iter().fold(Duality::default(), Duality::plus);
        sums.add_apart(self.lanes[0].dense.apart(self.lambda));
        sums
    }
}

impl<L: Loss, R: Real> Learner for Dual<'_, L, R, 1> {
    fn solve(&mut self, lambda: f64, stopping: Stopping) -> Convergence {
        self.begin(lambda);
        let mut rounds = 0;
        loop {
            // The round's own sums describe weights that moved meanwhile: good enough to
            // tell that it is too early for the exact gap, which costs another pass.
            let [rough] = self.round();
            rounds += 1;
            let last = rounds >= stopping.rounds;
            if rough.gap() > 4.0 * stopping.tolerance && !last {
                continue;
            }
            let exact = self.duality();
            let gap = exact.gap();
            // Sums that overflowed come to no end.
            if gap <= stopping.tolerance || gap.is_nan() || last {
                let stop = if gap <= stopping.tolerance { Stop::Converged } else { Stop::Rounds };
                return Convergence { stop, rounds, objective: exact.primal, gap: Some(gap) };
            }
            self.wake();
        }
    }

    fn approach(&mut self, lambda: f64, stopping: Stopping) {
        self.run_roughly(lambda, stopping);
    }

    fn pulls(&self) -> Vec<ExamplePull> {
        self.pulls_in(0)
    }

    fn own_weights(&self) -> Vec<f64> {
        self.lanes[0].dense.own()
    }

    fn start(&mut self, lambda: f64, pulls: &[ExamplePull], own: &[f64]) {
        let mut known = vec![[(0.0, 0u32); 2]; self.rows.len()];
        for pull in pulls {
            let (sum, count) = &mut known[pull.row as usize][pull.border as usize];
            (*sum, *count) = (*sum + pull.value, *count + 1);
        }
        self.lambda = lambda;
        for at in 0..self.places.len() {
            let Place { row, border, .. } = self.places[at];
            let (row, border) = (row as usize, border as usize);
            let (sum, count) = known[row][border];
            let a = if count > 0 { sum / f64::from(count) } else { 0.0 };
            let by = a - std::mem::replace(&mut self.pulls[at][0], a);
            let Lane { problem, total, dense, .. } = &mut self.lanes[0];
            let Example { sign, cost, .. } = problem.example_of(row, border);
            let step = sign * cost / *total * by / lambda;
            dense.add(problem, (row, border), step);
            let factor = problem.features.row_factors[row];
            self.rows.row(row).iter().for_each(|entry| self.ask(entry));
            self.add(row, [step * factor]);
        }
        self.lanes[0].dense.begin_at(own);
    }

    fn loss(&self, margin: f64) -> f64 {
        self.loss.value(margin)
    }

    fn dot(&self, row: usize) -> f64 {
        self.dot_in(0, row)
    }

    fn intercepts(&self) -> [f64; 2] {
        self.intercepts_in(0)
    }

    fn weights(&self) -> Vec<f64> {
        let factors = &self.lanes[0].problem.features.document_factors;
        let weight = |(column, factor): (&Column<R, 1>, &f32)| {
            let gain: f64 = column.gains[0].into();
            if *factor == 0.0 { 0.0 } else { gain / f64::from(*factor) }
        };
        self.columns.iter().zip(factors).map(weight).chain(self.lanes[0].dense.columns()).collect()
    }
}

impl<L: Loss, R: Real, const K: usize> SideBySide for Dual<'_, L, R, K> {
    fn lanes(&self) -> usize {
        K
    }

    fn approach(&mut self, lambda: f64, stopping: Stopping) {
        self.run_roughly(lambda, stopping);
    }

    fn pulls(&self, lane: usize) -> Vec<ExamplePull> {
        self.pulls_in(lane)
    }

    fn own_weights(&self, lane: usize) -> Vec<f64> {
        self.lanes[lane].dense.own()
    }

    fn loss(&self, margin: f64) -> f64 {
        self.loss.value(margin)
    }

    fn scores(&self, lane: usize, row: usize) -> [f64; 2] {
        let dot = self.dot_in(lane, row);
        self.intercepts_in(lane).map(|intercept| intercept + dot)
    }
}

/// Sums that give P and D. |w|^2 is summed over rows rather than columns, so that it does
/// not depend on the numbering of the columns.
#[derive(Debug, Default, Clone, Copy)]
struct Duality {
    primal: f64,
    dual: f64,
}

impl Duality {
    fn add(&mut self, loss: impl Loss, cost: f64, a: f64, margin: f64) {
        // lambda |w|^2 = 1/C sum c a y (w.x + b), a part for each example.
        let half_norm = cost * a * margin / 2.0;
        self.primal += cost * loss.value(margin) + half_norm;
        self.dual += cost * loss.conjugate(a) - half_norm;
    }

    /// What the weights beside the terms are apart from those that pulls imply.
    fn add_apart(&mut self, [primal, dual]: [f64; 2]) {
        self.primal += primal;
        self.dual += dual;
    }

    fn plus(self, other: Self) -> Self {
        Self { primal: self.primal + other.primal, dual: self.dual + other.dual }
    }

    fn gap(&self) -> f64 {
        (self.primal - self.dual) / self.primal.abs().max(f64::MIN_POSITIVE)
    }
}
