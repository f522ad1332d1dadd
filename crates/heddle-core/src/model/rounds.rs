//! Learning from reviews that lie in many places, in rounds: every place answers the same question about its rows, the
//! answers are added up, and the sum decides the next question.
//!
//! Terms are hashed, so that all places speak of the same columns. First the rows are counted, then the terms of those
//! that teach; then come the rounds of learning; last, the rows that were held back are scored.
//!
//! A round of learning is a local dual step: each place goes twice over its own examples by dual coordinate descent
//! (`learn/dual.rs`), as if the others stood still, and gives the change of the weights that this comes to; the changes
//! of all places are added up. So that their sum does not go too far, each counts its own changes for more than they are:
//! Ma, Smith, Jaggi, Jordan, Richtarik and Takac (2015), "Adding vs. averaging in distributed primal-dual optimization",
//! ICML, <https://proceedings.mlr.press/v37/mab15.html>, with gamma = 1. Departure: not all count them K times, for K
//! places, but place k of n_k rows counts them 1/t_k times, with t_k = sqrt(n_k) / sum sqrt(n_j); that is enough, for
//! |sum v_k|^2 <= sum |v_k|^2 / t_k wherever the t_k add up to 1, it is K where places are of one size, and took fewer
//! rounds where they were not. The objective is that of [`Problem`](crate::learn::Problem), under a ridge; along the way each place sums
//! up the losses at the weights that it was asked about and the dual values of its pulls, so that the duality gap at these
//! weights is known, and learning ends at the tolerance that it ends at on one machine.
//!
//! An answer depends on the question, on the rows of its place and on the pulls that it had before, and on nothing else: a
//! place that is asked again, after a machine was lost, answers the same. Sums are taken in the order of the places, so
//! that the bytes of a model do not depend on who answers first.
//!
//! Cost of a round: five passes over the entries of a place. Memory of a place: 8 bytes an entry, 8 an example, 28 a column.

use super::error::{FitError, check_mix};
use super::held_back::{HeldBack, HeldScore, StreamFit, select};
use super::stream::StreamCounts;
use crate::ahead::ask;
use crate::labels::classes::Classes;
use crate::labels::per_class::ClassCounts;
use crate::labels::polarity::Polarity;
use crate::learn::learner::{Convergence, Stop};
use crate::learn::loss::{LogLoss, Loss, PlainHinge, SquaredHinge};
use crate::learn::settings::{Hinge, Method, Penalty, Strength};
use crate::matrix::{Entry, Rows};
use crate::resample::random::Random;
use crate::settings::study::Study;
use crate::terms::count::Counted;
use crate::terms::select::Selection;
use crate::terms::weigh::Weighed;
use serde::Serialize;

/// The largest number of rounds of learning.
const ROUNDS: u32 = 1000;
/// How often a lesson goes over the rows of a place. Once took half as many rounds again; four times saved a fifth of the
/// rounds, and cost as much more as that.
const SWEEPS: u32 = 2;
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

/// What can be asked, in a word.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize)]
#[serde(rename_all = "snake_case")]
pub enum Topic {
    /// How many rows there are.
    Size,
    /// Counts of terms.
    Counts,
    /// How the weights are to change.
    Lesson,
    /// The scores of rows that do not teach.
    Scores,
}

/// What is asked.
#[derive(Debug, Clone, PartialEq)]
pub enum Asked {
    /// How many rows there are.
    Size,
    /// How many reviews of each class hold a term, of those that teach.
    Counts,
    /// How the weights are to change.
    Lesson {
        /// The rows that teach, in all places.
        mix: ClassCounts,
        /// The sum of the square roots of the rows of each place.
        roots: f64,
        /// The weights.
        at: Weights,
        /// Whether nothing was learnt yet, so that there are no pulls.
        first: bool,
    },
    /// The scores of the rows that do not teach.
    Scores {
        /// What they are scored by.
        at: Weights,
        /// By kept column, as in the weights: what its class ratio says. Empty where nothing is blended in.
        leanings: Vec<f64>,
    },
}

impl Asked {
    /// In a word.
    pub fn topic(&self) -> Topic {
        match self {
            Self::Size => Topic::Size,
            Self::Counts => Topic::Counts,
            Self::Lesson { .. } => Topic::Lesson,
            Self::Scores { .. } => Topic::Scores,
        }
    }
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
    /// What the rows that teach ask for.
    Lesson(Lesson),
    /// The rows that do not teach.
    Scores(Vec<HeldScore>),
}

/// What examples ask for.
#[derive(Debug, Clone, PartialEq, Default)]
pub struct Lesson {
    /// The sum of their losses at the weights that were asked about, each times its cost.
    pub loss: f64,
    /// The sum of what their pulls add to the dual there, alike.
    pub dual: f64,
    /// By how much the weights are to change, by kept column and then by border.
    pub change: Vec<f64>,
}

impl Study {
    /// Why a model cannot be learnt in rounds, if it cannot: the settings that ask for something else.
    pub fn needs_one_place(&self) -> Option<&'static str> {
        let own = &self.model;
        let asks = [
            (self.terms.hashed == 0, "terms.hashed = 0 (all places must speak of the same columns: set 22)"),
            (!own.has_strength(), "model.learner (rounds learn \"logistic\" or \"svm\")"),
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

/// A column as a place looks it up.
#[derive(Debug, Clone, Copy)]
struct Column {
    factor: f64,
    /// The weight that was asked about.
    weight: f64,
    /// As it is by now; where rows are scored, what the class ratio says.
    now: f64,
}

/// The rows of a place, and how hard they pull.
#[derive(Debug, Clone, PartialEq, Default)]
pub struct Place {
    /// The rows, block by block.
    pub blocks: Vec<LabelledRows>,
    /// By row and border: how hard an example pulls, as the last answer left it. Empty before the first lesson.
    pub pulls: Vec<f64>,
}

impl Place {
    /// The number of rows.
    pub fn rows(&self) -> usize {
        self.blocks.iter().map(|block| block.classes.len()).sum()
    }

    /// Answers a question; a lesson changes the pulls.
    ///
    /// # Panics
    /// If the study cannot be learnt in rounds, the question is of other columns, or there are not as many pulls as rows and
    /// borders.
    pub fn answer(&mut self, ask: &Ask, study: &Study) -> Answer {
        let asks = study.needs_one_place();
        assert!(asks.is_none(), "these settings cannot be learnt in rounds: {asks:?}");
        match &ask.asked {
            Asked::Size => Answer::Size(self.rows() as u64),
            Asked::Counts => {
                let (mut mix, mut counts) = (ClassCounts::default(), StreamCounts::new(study.terms.hashed));
                for Example { entries, class, .. } in examples(&self.blocks, study, ask.held, false) {
                    mix[class] += 1;
                    counts.add(entries, class);
                }
                Answer::Counts(mix, counts)
            }
            Asked::Lesson { mix, roots, at, first } => {
                if *first {
                    self.pulls = vec![0.0; self.rows() * Classes::of(*mix).borders()];
                }
                let (mut pupil, asked) = (Pupil::new(study, at, None), (ask, *mix, *roots));
                Answer::Lesson(match (study.model.learner, study.model.hinge) {
                    (Method::Svm, Hinge::Plain) => pupil.learn(PlainHinge, self, asked),
                    (Method::Svm, _) => pupil.learn(SquaredHinge, self, asked),
                    _ => pupil.learn(LogLoss, self, asked),
                })
            }
            Asked::Scores { at, leanings } => {
                let pupil = Pupil::new(study, at, Some(leanings));
                let rows = examples(&self.blocks, study, ask.held, true);
                Answer::Scores(rows.map(|row| pupil.scored(&row)).collect())
            }
        }
    }
}

/// The rows that are held back, or those that are not.
fn examples<'p>(
    blocks: &'p [LabelledRows],
    study: &'p Study,
    share: f64,
    held: bool,
) -> impl Iterator<Item = Example<'p>> {
    let mut first = 0;
    let of_block = move |block: &'p LabelledRows| {
        let start = first;
        first += block.classes.len();
        let example = move |row: usize| Example {
            row: start + row,
            entries: block.rows.row(row),
            class: block.classes[row],
            group: block.groups[row],
        };
        (0..block.classes.len()).map(example)
    };
    blocks.iter().flat_map(of_block).filter(move |row| study.holds_back(row.group, share) == held)
}

/// A row of a place.
#[derive(Debug, Clone, Copy)]
struct Example<'p> {
    row: usize,
    entries: &'p [Entry],
    class: Polarity,
    group: u64,
}

/// Weights as a place looks them up, and changes them.
struct Pupil<'q> {
    study: &'q Study,
    /// By column: its number among those that are kept.
    numbers: Vec<u32>,
    /// By kept column, and then by border.
    columns: Vec<Column>,
}

impl<'q> Pupil<'q> {
    /// At these weights; `leanings` stand in place of those as they are now.
    fn new(study: &'q Study, at: &Weights, leanings: Option<&Vec<f64>>) -> Self {
        let mut numbers = vec![LEFT_OUT; 1 << study.terms.hashed];
        at.columns.iter().zip(0..).for_each(|(column, number)| numbers[*column as usize] = number);
        let column = |(number, weight): (usize, &f64)| Column {
            factor: at.factors.get(number).copied().map_or(1.0, f64::from),
            weight: *weight,
            now: leanings.map_or(*weight, |own| own.get(number).copied().unwrap_or_default()),
        };
        Self { study, numbers, columns: at.weights.iter().enumerate().map(column).collect() }
    }

    /// Goes over all examples, in a random order, and changes their pulls.
    fn learn(
        &mut self,
        loss: impl Loss,
        place: &mut Place,
        (ask, mix, roots): (&Ask, ClassCounts, f64),
    ) -> Lesson {
        let (classes, costs) = (Classes::of(mix), self.study.balance.costs(mix));
        let borders = classes.borders();
        let rows = place.rows();
        let Place { blocks, pulls } = place;
        assert_eq!(pulls.len(), rows * borders, "a pull for each row and border");
        // The costs of all rows add up to their number.
        let total = (mix.iter().sum::<usize>() * borders) as f64;
        // How much more than they are its own changes count for it, so that those of all can be added up.
        let caution = roots / (rows.max(1) as f64).sqrt();
        let step_of = caution / (self.study.lambda() * total);
        let mut rows: Vec<Example<'_>> = examples(blocks, self.study, ask.held, false).collect();
        Random::new(self.study.validation.seed ^ u64::from(ask.round)).shuffle(&mut rows);
        let (mut lesson, terms) = (Lesson::default(), self.columns.len() - borders);
        for (sweep, &Example { row, entries, class, .. }) in
            (0..SWEEPS).flat_map(|at| rows.iter().map(move |row| (at, row)))
        {
            let cost = costs[class];
            for border in 0..borders {
                let Weighed { dot: now, scale, square } = self.weighed(entries, |own| own.now);
                let intercept = self.columns[terms + border];
                let (sign, at) = (classes.side(border, class), row * borders + border);
                let a = pulls[at];
                if sweep == 0 {
                    let asked = self.weighed(entries, |own| own.weight).dot;
                    lesson.loss += cost * loss.value(sign * (asked + intercept.weight));
                    lesson.dual += cost * loss.conjugate(a);
                }
                let new = loss.best(sign * (now + intercept.now), a, step_of * cost * (1.0 + square));
                pulls[at] = new;
                let step = step_of * sign * cost * (new - a);
                if step != 0.0 {
                    self.columns[terms + border].now += step;
                    self.add(entries, step * scale);
                }
            }
        }
        lesson.change = self.columns.iter().map(|own| (own.now - own.weight) / caution).collect();
        lesson
    }

    /// Adds a row, so many times, to the weights as they are now.
    fn add(&mut self, entries: &[Entry], times: f64) {
        for entry in entries {
            let number = self.numbers[entry.column as usize] as usize;
            if let Some(own) = self.columns.get_mut(number) {
                own.now += times * f64::from(entry.value) * own.factor;
            }
        }
    }

    fn scored(&self, row: &Example<'_>) -> HeldScore {
        let of = |own: fn(&Column) -> f64| self.weighed(row.entries, own).dot;
        HeldScore {
            score: of(|own| own.weight),
            leaning: of(|own| own.now),
            class: row.class,
            group: row.group,
        }
    }

    fn weighed(&self, entries: &[Entry], weight: impl Fn(&Column) -> f64) -> Weighed {
        let of = |column: u32| self.column(column).map_or([0.0; 2], |own| [own.factor, weight(own)]);
        self.study.terms.weighting.weighed(entries, (|column| ask(&self.numbers, column as usize), of), 0.0)
    }

    fn column(&self, column: u32) -> Option<&Column> {
        self.columns.get(self.numbers[column as usize] as usize)
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
            (Self::Lesson(mut one), Self::Lesson(other)) => {
                one.loss += other.loss;
                one.dual += other.dual;
                one.change.iter_mut().zip(&other.change).for_each(|(to, more)| *to += more);
                Self::Lesson(one)
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
    Learning(Box<Known>),
    /// Weights are learnt.
    Judging(Box<Known>, Convergence),
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
    /// Lessons that were taken.
    pub rounds: u32,
    /// How far above its minimum the objective was at most at the last weights that were asked about, as a share of it.
    pub gap: f64,
    /// The weights by kept column, and then by border.
    pub weights: Vec<f64>,
}

/// What comes next.
#[derive(Debug)]
pub enum Next {
    /// Another question.
    Ask(Rounds),
    /// Nothing: this was learnt.
    Learnt(Box<StreamFit>),
}

impl Default for Rounds {
    /// Before the first question.
    fn default() -> Self {
        Self { round: 0, stage: Stage::Size }
    }
}

impl Rounds {
    /// The question to all places, which have so many rows each.
    ///
    /// # Errors
    /// If no term is kept.
    pub fn ask(&self, study: &Study, places: &[u64]) -> Result<Ask, FitError> {
        let roots: f64 = places.iter().map(|rows| (*rows as f64).sqrt()).sum();
        let (held, asked) = match &self.stage {
            Stage::Size => (0.0, Asked::Size),
            Stage::Counts { held } => (*held, Asked::Counts),
            Stage::Learning(known) => {
                let at = known.asked(&known.selected(study)?.1);
                let first = known.rounds == 0;
                (known.held, Asked::Lesson { mix: known.mix, roots, at, first })
            }
            Stage::Judging(known, _) => {
                let (counted, selection) = known.selected(study)?;
                let at = known.asked(&selection);
                let leanings = match study.model.blends(study.terms.emphasis) {
                    true => selection.leanings(&counted.rules),
                    false => Vec::new(),
                };
                let own = |column: &u32| leanings.get(*column as usize).copied();
                let leanings = at.columns.iter().filter_map(own).collect();
                (known.held, Asked::Scores { at, leanings })
            }
        };
        Ok(Ask { round: self.round, held, asked })
    }

    /// How far from its minimum the objective was at most at the weights of the last lesson, as a share of it.
    pub fn gap(&self) -> Option<f64> {
        match &self.stage {
            Stage::Learning(known) | Stage::Judging(known, _) => Some(known.gap).filter(|_| known.rounds > 0),
            Stage::Size | Stage::Counts { .. } => None,
        }
    }

    /// Whether an answer is one to the question that is open, about as many columns as there are.
    pub fn fits(&self, answer: &Answer, study: &Study) -> bool {
        match (&self.stage, answer) {
            (Stage::Size, Answer::Size(_)) | (Stage::Judging(..), Answer::Scores(_)) => true,
            (Stage::Counts { .. }, Answer::Counts(_, counts)) => {
                counts.by_class().iter().all(|own| own.len() == 1 << study.terms.hashed)
            }
            (Stage::Learning(known), Answer::Lesson(lesson)) => lesson.change.len() == known.weights.len(),
            _ => false,
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
                check_mix(mix)?;
                let mut known =
                    Known { held, mix, counts, rounds: 0, gap: f64::INFINITY, weights: Vec::new() };
                let factors = known.selected(study)?.1.document_factors;
                let kept = factors.iter().filter(|own| **own != 0.0).count();
                known.weights.resize(kept + Classes::of(mix).borders(), 0.0);
                Stage::Learning(Box::new(known))
            }
            (Stage::Learning(mut known), Answer::Lesson(lesson)) => match known.learn(&lesson, study) {
                None => Stage::Learning(known),
                Some(end) if known.held > 0.0 => Stage::Judging(known, end),
                Some(end) => return known.finish(end, &[], study),
            },
            (Stage::Judging(known, end), Answer::Scores(rows)) => return known.finish(end, &rows, study),
            _ => panic!("an answer to another question"),
        };
        Ok(Next::Ask(Self { round: self.round + 1, stage }))
    }
}

impl Known {
    /// The terms that are kept.
    fn selected(&self, study: &Study) -> Result<(Counted, Selection), FitError> {
        select(study, self.mix, self.counts.by_class().clone())
    }

    /// The kept columns with their weights.
    fn asked(&self, selection: &Selection) -> Weights {
        let kept = selection.document_factors.iter().zip(0..).filter(|(factor, _)| **factor != 0.0);
        let (factors, columns) = kept.map(|(factor, column)| (*factor, column)).unzip();
        Weights { columns, factors, weights: self.weights.clone() }
    }

    /// Changes the weights, unless those that were asked about are good enough; how it ended, if it did.
    fn learn(&mut self, lesson: &Lesson, study: &Study) -> Option<Convergence> {
        // The costs of all rows add up to their number.
        let total = (self.mix.iter().sum::<usize>() * Classes::of(self.mix).borders()) as f64;
        let ridge = study.lambda() / 2.0 * self.weights.iter().map(|weight| weight * weight).sum::<f64>();
        let [primal, dual] = [lesson.loss / total + ridge, lesson.dual / total - ridge];
        self.rounds += 1;
        self.gap = (primal - dual) / primal;
        let stop = match self.gap <= study.model.tolerance {
            true => Stop::Converged,
            false if self.rounds == ROUNDS => Stop::Rounds,
            false => {
                self.weights.iter_mut().zip(&lesson.change).for_each(|(weight, by)| *weight += by);
                return None;
            }
        };
        Some(Convergence { stop, rounds: self.rounds, objective: primal, gap: Some(self.gap) })
    }

    /// What was learnt.
    fn finish(self, convergence: Convergence, held: &[HeldScore], study: &Study) -> Result<Next, FitError> {
        let (counted, selection) = self.selected(study)?;
        let mut own = self.weights.iter().copied();
        let mut weight = |factor: &f32| if *factor == 0.0 { 0.0 } else { own.next().unwrap_or_default() };
        let weights: Vec<f64> = selection.document_factors.iter().map(&mut weight).collect();
        let low = own.next().unwrap_or_default();
        let intercepts = Classes::of(self.mix).spread([low, own.next().unwrap_or(low)]);
        let learnt = HeldBack { study, mix: self.mix, strength: Some(study.lambda()), convergence };
        let fit = learnt.finish((counted, selection), (weights, intercepts), held)?;
        Ok(Next::Learnt(Box::new(fit)))
    }
}
