//! Learning from reviews that lie in many places, in rounds: every place answers the same question about its rows, the
//! answers are added up, and the sum decides the next question.
//!
//! Terms are hashed, so that all places speak of the same columns. First the rows are counted, then the terms of those
//! that teach; then come the rounds of learning, in which a place gives its part of the loss and of its gradient at the
//! weights that it was asked about, and a quasi-Newton method moves the weights; last, the rows that were held back are
//! scored. The objective is that of [`Problem`](crate::learn::Problem), a ridge under a smooth loss, and
//! the end is the same tolerance: from the gradient g at weights w follow pulls whose dual value is |g|^2 / (2 lambda)
//! below P(w), so that this is the duality gap.
//!
//! An answer depends on the question and on the rows of its place alone: a place that is asked again, after a machine was
//! lost, answers the same. Sums are taken in the order of the places, so that the bytes of a model do not depend on who
//! answers first.

use rayon::prelude::*;

use super::error::FitError;
use super::held_back::{HeldBack, HeldScore, StreamFit, select};
use super::stream::StreamCounts;
use crate::labels::classes::Classes;
use crate::labels::per_class::ClassCounts;
use crate::labels::polarity::Polarity;
use crate::learn::learner::{Convergence, Stop};
use crate::learn::loss::{LogLoss, Loss, SquaredHinge};
use crate::learn::quasi_newton::{QuasiNewton, Taken};
use crate::learn::settings::{Hinge, Method, Penalty, Strength};
use crate::matrix::{Entry, Rows};
use crate::settings::study::Study;
use crate::terms::count::Counted;
use crate::terms::select::Selection;
use crate::terms::weigh::Weighed;

/// The largest number of rounds of learning.
const ROUNDS: u32 = 1000;
/// Blocks of a place that are added up side by side; a fixed number, so that sums do not depend on the cores.
pub const LANES: usize = 2;
/// A column that no weight goes with.
const LEFT_OUT: u32 = u32::MAX;

/// Some rows of a place, with what is known of each.
#[derive(Debug, Clone, PartialEq)]
pub struct LabelledRows {
    /// Their term factors: rows x 2^`terms.hashed`.
    pub rows: Rows,
    /// By row: its class.
    pub classes: Vec<Polarity>,
    /// By row: the same for rows that are tied.
    pub groups: Vec<u64>,
}

/// A question to all places.
#[derive(Debug, Clone, PartialEq)]
pub struct Ask {
    /// Its number, from 0.
    pub round: u32,
    /// The share of rows that do not teach.
    pub held: f64,
    /// What is asked.
    pub asked: Asked,
}

/// What is asked.
#[derive(Debug, Clone, PartialEq)]
pub enum Asked {
    /// How many rows there are.
    Size,
    /// How many reviews of each class hold a term, of those that teach.
    Counts,
    /// Loss and gradient at these weights, and the second derivatives, if they are wanted.
    Sums {
        /// The rows that teach, in all places.
        mix: ClassCounts,
        /// What the loss is taken at.
        at: Weights,
        /// Whether second derivatives are wanted.
        curvature: bool,
    },
    /// The scores of the rows that do not teach.
    Scores {
        /// The rows that teach, in all places.
        mix: ClassCounts,
        /// What they are scored by.
        at: Weights,
        /// By kept column, as in the weights: what its class ratio says. Empty where nothing is blended in.
        leanings: Vec<f64>,
    },
}

/// Weights of the columns that are kept.
#[derive(Debug, Clone, PartialEq, Default)]
pub struct Weights {
    /// The columns, ascending.
    pub columns: Vec<u32>,
    /// The document factor of each.
    pub factors: Vec<f32>,
    /// The weight of each, then of each border: its intercept.
    pub weights: Vec<f64>,
}

/// What a place answers.
#[derive(Debug, Clone, PartialEq)]
pub enum Answer {
    /// How many rows there are.
    Size(u64),
    /// Of the rows that teach: how many there are of each class, and how many hold a term.
    Counts(ClassCounts, StreamCounts),
    /// Sums over the rows that teach.
    Sums(Sums),
    /// The rows that do not.
    Scores(Vec<HeldScore>),
}

/// Sums over examples, each by its cost.
#[derive(Debug, Clone, PartialEq, Default)]
pub struct Sums {
    /// Of the loss, in its own units.
    pub loss: f64,
    /// Of its gradient, by kept column and then by border.
    pub gradient: Vec<f64>,
    /// Of its second derivatives, alike; empty where they are not wanted.
    pub curvature: Vec<f64>,
}

impl Study {
    /// Why a model cannot be learnt in rounds, if it cannot: the settings that ask for something else.
    pub fn needs_one_place(&self) -> Option<&'static str> {
        let own = &self.model;
        let smooth =
            own.learner == Method::Logistic || own.learner == Method::Svm && own.hinge == Hinge::Squared;
        let asks = [
            (self.terms.hashed == 0, "terms.hashed = 0 (all places must speak of the same columns: set 22)"),
            (!smooth, "model.learner (rounds learn \"logistic\", or \"svm\" with the squared hinge)"),
            (own.penalty != Penalty::Ridge, "model.penalty (rounds learn under a \"ridge\")"),
            (
                own.strength == Strength::Auto,
                "model.strength = \"auto\" (set a number: train tells a good one on a sample)",
            ),
        ];
        asks.into_iter().find(|(asked, _)| *asked).map(|(_, name)| name).or(self.keeps_rows())
    }

    /// Lambda, where it is set.
    fn lambda(&self) -> f64 {
        match self.model.strength {
            Strength::Fixed(lambda) => lambda,
            Strength::Auto => unreachable!("rounds have a set strength"),
        }
    }
}

/// What an example adds at a margin: its loss, its pull and its second derivative.
fn at_margin(study: &Study, margin: f64) -> [f64; 3] {
    fn of(loss: impl Loss, margin: f64) -> [f64; 3] {
        let (pull, curve) = loss.bend(margin);
        [loss.value(margin), pull, curve]
    }
    match study.model.learner {
        Method::Svm => of(SquaredHinge, margin),
        _ => of(LogLoss, margin),
    }
}

/// A column as a place looks it up.
#[derive(Debug, Clone, Copy)]
struct Column {
    factor: f64,
    weight: f64,
    leaning: f64,
}

/// A place that answers a question, while its rows go by.
#[derive(Debug)]
pub struct Place<'q> {
    study: &'q Study,
    ask: &'q Ask,
    /// By column: its number among those that are kept.
    numbers: Vec<u32>,
    /// By kept column.
    columns: Vec<Column>,
    lanes: Vec<Answer>,
}

impl<'q> Place<'q> {
    /// Begins to answer.
    ///
    /// # Panics
    /// If the study cannot be learnt in rounds, or the question is of other columns.
    pub fn new(study: &'q Study, ask: &'q Ask) -> Self {
        let asks = study.needs_one_place();
        assert!(asks.is_none(), "these settings cannot be learnt in rounds: {asks:?}");
        let none = Weights::default();
        let (at, leanings) = match &ask.asked {
            Asked::Size | Asked::Counts => (&none, &[][..]),
            Asked::Sums { at, .. } => (at, &[][..]),
            Asked::Scores { at, leanings, .. } => (at, &leanings[..]),
        };
        let mut numbers = Vec::new();
        if !at.columns.is_empty() {
            numbers.resize(1 << study.terms.hashed, LEFT_OUT);
            at.columns.iter().zip(0..).for_each(|(column, number)| numbers[*column as usize] = number);
        }
        let column = |(number, (factor, weight)): (usize, (&f32, &f64))| Column {
            factor: f64::from(*factor),
            weight: *weight,
            leaning: leanings.get(number).copied().unwrap_or_default(),
        };
        let columns = at.factors.iter().zip(&at.weights).enumerate().map(column).collect();
        let sums = |wanted| vec![0.0; if wanted { at.weights.len() } else { 0 }];
        let nothing = || match &ask.asked {
            Asked::Size => Answer::Size(0),
            Asked::Counts => Answer::Counts(ClassCounts::default(), StreamCounts::new(study.terms.hashed)),
            Asked::Sums { curvature, .. } => {
                Answer::Sums(Sums { loss: 0.0, gradient: sums(true), curvature: sums(*curvature) })
            }
            Asked::Scores { .. } => Answer::Scores(Vec::new()),
        };
        let lanes = match ask.asked {
            Asked::Sums { .. } => LANES,
            _ => 1,
        };
        Self { study, ask, numbers, columns, lanes: (0..lanes).map(|_| nothing()).collect() }
    }

    /// Takes the next blocks of rows: [`LANES`] of them, or fewer at the end.
    ///
    /// # Panics
    /// If there are more.
    pub fn take(&mut self, blocks: &[LabelledRows]) {
        assert!(blocks.len() <= LANES, "{} blocks for {LANES} lanes", blocks.len());
        let mut lanes = std::mem::take(&mut self.lanes);
        match lanes.len() {
            1 => blocks.iter().for_each(|block| self.add(block, &mut lanes[0])),
            _ => lanes.par_iter_mut().zip(blocks).for_each(|(lane, block)| self.add(block, lane)),
        }
        self.lanes = lanes;
    }

    /// The answer, once all rows went by.
    pub fn answer(self) -> Answer {
        self.lanes.into_iter().reduce(Answer::plus).expect("a lane at least")
    }

    fn add(&self, block: &LabelledRows, answer: &mut Answer) {
        for (row, (&class, &group)) in block.classes.iter().zip(&block.groups).enumerate() {
            let entries = block.rows.row(row);
            let held = self.study.holds_back(group, self.ask.held);
            match (&mut *answer, &self.ask.asked) {
                (Answer::Size(rows), _) => *rows += 1,
                (Answer::Counts(mix, counts), _) if !held => {
                    mix[class] += 1;
                    counts.add(entries, class);
                }
                (Answer::Sums(sums), Asked::Sums { mix, at, .. }) if !held => {
                    self.add_example(entries, class, (*mix, at), sums);
                }
                (Answer::Scores(rows), _) if held => {
                    let weighed = |own: fn(&Column) -> f64| {
                        let of =
                            |column: u32| self.column(column).map_or([0.0; 2], |at| [at.factor, own(at)]);
                        self.study.terms.weighting.weighed(entries, of).dot
                    };
                    let (score, leaning) = (weighed(|own| own.weight), weighed(|own| own.leaning));
                    rows.push(HeldScore { score, leaning, class, group });
                }
                _ => {}
            }
        }
    }

    fn column(&self, column: u32) -> Option<&Column> {
        self.columns.get(self.numbers[column as usize] as usize)
    }

    /// Adds a row at every border.
    fn add_example(
        &self,
        entries: &[Entry],
        class: Polarity,
        (mix, at): (ClassCounts, &Weights),
        sums: &mut Sums,
    ) {
        let of = |column: u32| self.column(column).map_or([0.0; 2], |own| [own.factor, own.weight]);
        let Weighed { dot, scale } = self.study.terms.weighting.weighed(entries, of);
        let (classes, cost) = (Classes::of(mix), self.study.balance.costs(mix)[class]);
        let terms = self.columns.len();
        let (mut slope, mut curve) = (0.0, 0.0);
        for border in 0..classes.borders() {
            let sign = classes.side(border, class);
            let [loss, pull, bend] = at_margin(self.study, sign * (dot + at.weights[terms + border]));
            let own = -sign * cost * pull;
            sums.loss += cost * loss;
            sums.gradient[terms + border] += own;
            if let Some(sum) = sums.curvature.get_mut(terms + border) {
                *sum += cost * bend;
            }
            slope += own;
            curve += cost * bend;
        }
        if slope == 0.0 && curve == 0.0 {
            return;
        }
        for entry in entries {
            let number = self.numbers[entry.column as usize] as usize;
            let Some(own) = self.columns.get(number) else { continue };
            let value = f64::from(entry.value) * own.factor * scale;
            sums.gradient[number] += slope * value;
            if let Some(sum) = sums.curvature.get_mut(number) {
                *sum += curve * value * value;
            }
        }
    }
}

impl Answer {
    /// Both together.
    ///
    /// # Panics
    /// If they answer different questions.
    #[must_use]
    pub fn plus(self, other: Self) -> Self {
        match (self, other) {
            (Self::Size(one), Self::Size(other)) => Self::Size(one + other),
            (Self::Counts(mix, mut counts), Self::Counts(other, more)) => {
                counts.merge(&more);
                Self::Counts(mix.plus(other), counts)
            }
            (Self::Sums(mut one), Self::Sums(other)) => {
                let add = |to: &mut Vec<f64>, more: &[f64]| {
                    to.iter_mut().zip(more).for_each(|(to, more)| *to += more);
                };
                one.loss += other.loss;
                add(&mut one.gradient, &other.gradient);
                add(&mut one.curvature, &other.curvature);
                Self::Sums(one)
            }
            (Self::Scores(mut one), Self::Scores(other)) => {
                one.extend(other);
                Self::Scores(one)
            }
            _ => panic!("answers to different questions"),
        }
    }
}

/// What is known between two questions.
#[derive(Debug, Clone, PartialEq)]
pub struct Rounds {
    /// The number of the next question.
    pub round: u32,
    /// How far learning is.
    pub stage: Stage,
}

/// How far learning is.
#[derive(Debug, Clone, PartialEq)]
pub enum Stage {
    /// Nothing is known.
    Size,
    /// This share of the rows does not teach.
    Counts {
        /// The share.
        held: f64,
    },
    /// Terms are counted, and weights are on their way.
    Learning(Box<Known>, QuasiNewton),
    /// Weights are learnt.
    Judging(Box<Known>, QuasiNewton, Convergence),
}

/// What is known of the rows that teach.
#[derive(Debug, Clone, PartialEq)]
pub struct Known {
    /// The share of rows that does not.
    pub held: f64,
    /// How many there are of each class.
    pub mix: ClassCounts,
    /// How many of each class hold a term.
    pub counts: StreamCounts,
    /// Questions about loss and gradient that were answered.
    pub rounds: u32,
}

/// What comes next.
#[derive(Debug)]
pub enum Next {
    /// Another question.
    Ask(Rounds),
    /// Nothing: this was learnt.
    Learnt(Box<StreamFit>),
}

impl Known {
    /// The terms that are kept.
    fn selected(&self, study: &Study) -> Result<(Counted, Selection), FitError> {
        select(study, self.mix, self.counts.by_class().clone())
    }

    /// The kept columns with some weights.
    fn weights(selection: &Selection, weights: &[f64]) -> Weights {
        let kept = selection.document_factors.iter().zip(0..).filter(|(factor, _)| **factor != 0.0);
        let (factors, columns) = kept.map(|(factor, column)| (*factor, column)).unzip();
        Weights { columns, factors, weights: weights.to_vec() }
    }
}

impl Default for Rounds {
    /// Before the first question.
    fn default() -> Self {
        Self { round: 0, stage: Stage::Size }
    }
}

impl Rounds {
    /// How far from its minimum the objective is at most, as a share of it, once weights were tried.
    pub fn gap(&self, study: &Study) -> Option<f64> {
        match &self.stage {
            Stage::Learning(_, minimiser) | Stage::Judging(_, minimiser, _) => gap(minimiser, study.lambda()),
            Stage::Size | Stage::Counts { .. } => None,
        }
    }

    /// The question to all places.
    ///
    /// # Errors
    /// If no term is kept.
    pub fn ask(&self, study: &Study) -> Result<Ask, FitError> {
        let (held, asked) = match &self.stage {
            Stage::Size => (0.0, Asked::Size),
            Stage::Counts { held } => (*held, Asked::Counts),
            Stage::Learning(known, minimiser) => {
                let (_, selection) = known.selected(study)?;
                let at = Known::weights(&selection, &minimiser.trial);
                (known.held, Asked::Sums { mix: known.mix, at, curvature: known.rounds == 0 })
            }
            Stage::Judging(known, minimiser, _) => {
                let (counted, selection) = known.selected(study)?;
                let at = Known::weights(&selection, &minimiser.point);
                let leanings = match study.model.blends(study.terms.emphasis) {
                    true => selection.leanings(&counted.rules),
                    false => Vec::new(),
                };
                let own = |column: &u32| leanings.get(*column as usize).copied();
                let leanings = at.columns.iter().filter_map(own).collect();
                (known.held, Asked::Scores { mix: known.mix, at, leanings })
            }
        };
        Ok(Ask { round: self.round, held, asked })
    }

    /// Whether an answer is one to the question that is open, about as many columns as there are.
    pub fn fits(&self, answer: &Answer, study: &Study) -> bool {
        match (&self.stage, answer) {
            (Stage::Size, Answer::Size(_)) | (Stage::Judging(..), Answer::Scores(_)) => true,
            (Stage::Counts { .. }, Answer::Counts(_, counts)) => {
                counts.by_class().iter().all(|own| own.len() == 1 << study.terms.hashed)
            }
            (Stage::Learning(known, minimiser), Answer::Sums(sums)) => {
                let variables = minimiser.point.len();
                let bent = if known.rounds == 0 { variables } else { 0 };
                [sums.gradient.len(), sums.curvature.len()] == [variables, bent]
            }
            _ => false,
        }
    }

    /// What is asked, in a word: `size`, `counts`, `sums` or `scores`.
    pub fn asks(&self) -> &'static str {
        match self.stage {
            Stage::Size => "size",
            Stage::Counts { .. } => "counts",
            Stage::Learning(..) => "sums",
            Stage::Judging(..) => "scores",
        }
    }

    /// Takes the sum of the answers of all places.
    ///
    /// # Errors
    /// If there is nothing to learn from: a class is absent, or no term is kept.
    ///
    /// # Panics
    /// If it answers another question.
    pub fn take(self, answer: Answer, study: &Study) -> Result<Next, FitError> {
        let stage = match (self.stage, answer) {
            (Stage::Size, Answer::Size(rows)) => {
                let needed = study.decision.learns() || study.model.calibrated().learns();
                Stage::Counts { held: if needed { Study::held_share(rows as usize) } else { 0.0 } }
            }
            (Stage::Counts { held }, Answer::Counts(mix, counts)) => {
                if Polarity::POLES.iter().any(|class| mix[*class] == 0) {
                    return Err(FitError::OneClass { mix });
                }
                let known = Known { held, mix, counts, rounds: 0 };
                let kept =
                    known.selected(study)?.1.document_factors.iter().filter(|own| **own != 0.0).count();
                let minimiser = QuasiNewton::new(kept + Classes::of(mix).borders());
                Stage::Learning(Box::new(known), minimiser)
            }
            (Stage::Learning(mut known, mut minimiser), Answer::Sums(sums)) => {
                let end = known.learn(&mut minimiser, sums, study);
                match end {
                    None => Stage::Learning(known, minimiser),
                    Some(end) if known.held > 0.0 => Stage::Judging(known, minimiser, end),
                    Some(end) => return known.finish(&minimiser, end, &[], study),
                }
            }
            (Stage::Judging(known, minimiser, end), Answer::Scores(rows)) => {
                return known.finish(&minimiser, end, &rows, study);
            }
            _ => panic!("an answer to another question"),
        };
        Ok(Next::Ask(Self { round: self.round + 1, stage }))
    }
}

/// The duality gap where weights stand, as a share of the objective.
fn gap(minimiser: &QuasiNewton, lambda: f64) -> Option<f64> {
    let square: f64 = minimiser.gradient.iter().map(|slope| slope * slope).sum();
    (!minimiser.gradient.is_empty()).then(|| square / (2.0 * lambda) / minimiser.value)
}

impl Known {
    /// Moves the weights; how it ended, if it did.
    fn learn(&mut self, minimiser: &mut QuasiNewton, sums: Sums, study: &Study) -> Option<Convergence> {
        let (lambda, learning) = (study.lambda(), &study.model);
        // The costs of all rows add up to their number.
        let total = (self.mix.iter().sum::<usize>() * Classes::of(self.mix).borders()) as f64;
        let at = &minimiser.trial;
        let value = sums.loss / total + lambda / 2.0 * at.iter().map(|weight| weight * weight).sum::<f64>();
        let gradient: Vec<f64> =
            sums.gradient.iter().zip(at).map(|(sum, weight)| sum / total + lambda * weight).collect();
        self.rounds += 1;
        let stuck = if minimiser.gradient.is_empty() {
            let curvature = sums.curvature.iter().map(|sum| (sum / total + lambda) as f32).collect();
            minimiser.begin(value, gradient, curvature);
            false
        } else {
            minimiser.take(value, gradient) == Taken::Stuck
        };
        let gap = gap(minimiser, lambda).unwrap_or(f64::INFINITY);
        let stop = match gap <= learning.tolerance {
            true => Stop::Converged,
            false if stuck || self.rounds == ROUNDS => Stop::Rounds,
            false => return None,
        };
        Some(Convergence { stop, rounds: self.rounds, objective: minimiser.value, gap: Some(gap) })
    }

    /// What was learnt.
    fn finish(
        self,
        minimiser: &QuasiNewton,
        convergence: Convergence,
        held: &[HeldScore],
        study: &Study,
    ) -> Result<Next, FitError> {
        let (counted, selection) = self.selected(study)?;
        let mut own = minimiser.point.iter().copied();
        let mut weight = |factor: &f32| if *factor == 0.0 { 0.0 } else { own.next().unwrap_or_default() };
        let weights: Vec<f64> = selection.document_factors.iter().map(&mut weight).collect();
        let classes = Classes::of(self.mix);
        let low = own.next().unwrap_or_default();
        let intercepts = classes.spread([low, own.next().unwrap_or(low)]);
        let learnt = HeldBack { study, mix: self.mix, strength: Some(study.lambda()), convergence };
        let fit = learnt.finish((counted, selection), (weights, intercepts), held)?;
        Ok(Next::Learnt(Box::new(fit)))
    }
}
