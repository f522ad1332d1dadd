//! Learning from reviews that come one after the other and are not kept.
//!
//! The terms are hashed, so that nothing has to be known of them beforehand, and the learner is the online one
//! (`learn/online.rs`). Rows wait in a room of a fixed size, from which they are taken at random: reviews that stand
//! together are not learnt from together. Every row is judged before it teaches for the first time; a part of the
//! rows never teaches, and what the model says of them brings its scores to log-odds.

use super::error::{FitError, check_mix};
use super::held_back::{HeldBack, HeldScore, StreamFit, select};
use crate::ahead::ask;
use crate::labels::classes::Classes;
use crate::labels::per_class::{ClassCounts, PerClass};
use crate::labels::polarity::Polarity;
use crate::learn::decide::{Deciding, by_costs};
use crate::learn::layout::Arrangement;
use crate::learn::learner::{Convergence, Stop};
use crate::learn::online::{OnlineWeight, behind};
use crate::learn::settings::Method;
use crate::matrix::{Entry, Rows, count_columns};
use crate::measure::odds::{loss, sigmoid};
use crate::measure::verdict::{Decision, Place};
use crate::resample::balance::Balance;
use crate::resample::random::Random;
use crate::settings::study::Study;
use crate::terms::corpus::{Corpus, CorpusRules, Texts};
use crate::terms::count::hashed_rows;
use crate::terms::rules::{Emphasis, TermRules};
use crate::terms::weigh::Weighed;

/// So many rows wait.
const ROOM: usize = 8_192;

/// The reviews of each class that hold a term, by column.
#[derive(Debug, Clone, PartialEq)]
pub struct StreamCounts {
    counts: PerClass<Vec<u32>>,
}

/// A row that waits.
#[derive(Debug, Clone, PartialEq)]
pub struct WaitingRow {
    /// Its term factors.
    pub entries: Vec<Entry>,
    /// Its class.
    pub class: Polarity,
    /// Whether it is to be judged before it teaches.
    pub judged: bool,
}

/// A row that does not teach.
#[derive(Debug, Clone, PartialEq)]
pub struct HeldRow {
    /// Its term factors.
    pub entries: Vec<Entry>,
    /// Its class.
    pub class: Polarity,
    /// The same for rows that are tied.
    pub group: u64,
}

/// What was said of a row before it taught.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Judged {
    /// Its log-odds, as scores are before they are calibrated.
    pub log_odds: f32,
    /// Half the width of the neutral zone.
    pub half: f32,
    /// Its class.
    pub class: Polarity,
}

impl Judged {
    /// Where the row lay.
    pub fn place(&self) -> Place {
        Place::between(self.log_odds.into(), self.half.into())
    }
}

/// What a learner has come to know: all that it needs to go on later.
#[derive(Debug, Clone, PartialEq)]
pub struct StreamState {
    /// By column.
    pub weights: Vec<OnlineWeight>,
    /// Of each border.
    pub intercepts: [OnlineWeight; 2],
    /// The reviews of each class that hold a term, by column.
    pub counts: StreamCounts,
    /// Rows that taught.
    pub seen: u64,
    /// The sum of the losses of rows of the first epoch, each before it taught.
    pub first_loss: f64,
    /// Rows that wait.
    pub waiting: Vec<WaitingRow>,
    /// Draws so far.
    pub draws: u64,
    /// Rows that do not teach.
    pub held: Vec<HeldRow>,
}

/// A learner of rows that are not kept.
pub struct StreamLearner<'s> {
    study: &'s Study,
    classes: Classes,
    mix: ClassCounts,
    /// What a mistake costs in each class, 1 in the mean.
    costs: PerClass<f64>,
    /// By column; none where all are 1.
    factors: Vec<f32>,
    /// Rows that teach, in all epochs together.
    all: u64,
    state: StreamState,
}

impl StreamCounts {
    /// None, for terms hashed to so many bits.
    pub fn new(bits: u32) -> Self {
        Self { counts: PerClass::of(|_| vec![0; 1 << bits]) }
    }

    /// Counts of each class by column.
    pub fn of(counts: PerClass<Vec<u32>>) -> Self {
        Self { counts }
    }

    /// Counts a row.
    pub fn add(&mut self, row: &[Entry], class: Polarity) {
        count_columns(row, &mut self.counts[class]);
    }

    /// Adds the counts of other rows.
    ///
    /// # Panics
    /// If they are of another number of columns.
    pub(crate) fn merge(&mut self, other: &Self) {
        for class in Polarity::ALL {
            let (own, more) = (&mut self.counts[class], &other.counts[class]);
            assert_eq!(own.len(), more.len(), "other columns");
            own.iter_mut().zip(more).for_each(|(own, more)| *own = own.saturating_add(*more));
        }
    }

    /// By class, then by column.
    pub fn by_class(&self) -> &PerClass<Vec<u32>> {
        &self.counts
    }
}

impl Study {
    /// Whether reviews are learnt from one after the other, and not kept: the learner is the online one, and terms are
    /// hashed.
    pub fn streams(&self) -> bool {
        self.model.learner == Method::Online && self.terms.hashed > 0
    }

    /// Whether the terms of all reviews must be counted before the first can be learnt from. Then no row can be judged
    /// before it teaches: it had a part in the counts, and with emphasis its class had.
    pub fn counts_first(&self) -> bool {
        self.terms.weighting.counts_documents() || self.terms.emphasis != Emphasis::None
    }

    /// Why rows cannot be learnt from one after the other, if they cannot: the settings that ask for all of them.
    pub fn keeps_rows(&self) -> Option<&'static str> {
        let asks = [
            (!self.features.columns.is_empty(), "features.columns"),
            (!self.features.text, "features.text = false"),
            (self.reviews.copy_of.is_some(), "reviews.copy_of"),
            (
                matches!(self.balance.method, Balance::Down | Balance::Up),
                "balance.method = \"down\" or \"up\"",
            ),
            (self.terms.at_least_groups > 1, "terms.at_least_groups"),
            (self.terms.weighting.needs_pivot(), "a pivoted normalisation (terms.weighting)"),
            (self.model.classes == Arrangement::Free, "model.classes = \"free\""),
        ];
        asks.into_iter().find(|(asked, _)| *asked).map(|(_, name)| name)
    }
}

/// Turns texts into rows of hashed terms.
#[derive(Debug, Clone)]
pub struct RowHasher {
    reading: CorpusRules,
    terms: TermRules,
}

impl RowHasher {
    /// As a study asks for.
    pub fn new(study: &Study) -> Self {
        Self { reading: study.corpus_rules(), terms: study.terms.clone() }
    }

    /// The rows of some texts, as a [`StreamLearner`] takes them: texts x 2^`terms.hashed`. On all threads; the
    /// same for any number of them.
    pub fn rows<T: Texts + ?Sized>(&self, texts: &T) -> Rows {
        hashed_rows(&Corpus::read(texts, self.reading.clone()), &self.terms)
    }
}

impl<'s> StreamLearner<'s> {
    /// A learner that knows nothing yet, of rows in this mix, without those that are held back. `counts` are those of the
    /// very rows that will teach, where they must be counted first.
    ///
    /// # Errors
    /// If a class is absent, or no term is kept.
    ///
    /// # Panics
    /// If the study does not stream, or counts first and there are no counts.
    pub fn new(study: &'s Study, mix: ClassCounts, counts: Option<StreamCounts>) -> Result<Self, FitError> {
        assert!(study.streams() && study.keeps_rows().is_none(), "these settings keep all rows");
        check_mix(mix)?;
        let (rows, bits) = (mix.iter().sum::<usize>(), study.terms.hashed);
        assert!(counts.is_some() || !study.counts_first(), "terms are to be counted first");
        let factors = match counts {
            Some(ref own) => select(study, mix, own.counts.clone())?.1.document_factors,
            None => Vec::new(),
        };
        Ok(Self {
            classes: Classes::of(mix),
            mix,
            costs: study.balance.costs(mix),
            factors,
            all: u64::from(study.model.epochs) * rows as u64,
            state: StreamState {
                weights: vec![OnlineWeight::default(); 1 << bits],
                intercepts: [OnlineWeight::default(); 2],
                counts: counts.unwrap_or_else(|| StreamCounts::new(bits)),
                seen: 0,
                first_loss: 0.0,
                waiting: Vec::new(),
                draws: 0,
                held: Vec::new(),
            },
            study,
        })
    }

    /// What it knows, to be kept.
    pub fn state(&self) -> &StreamState {
        &self.state
    }

    /// Goes on from what another knew that was made as this one was.
    ///
    /// # Panics
    /// If it was of terms hashed to another number of bits.
    pub fn resume(&mut self, state: StreamState) {
        assert_eq!(state.weights.len(), self.state.weights.len(), "other columns");
        self.state = state;
    }

    /// Takes a row that teaches, and learns from one that waited, if the room is full. What was said of that, if it was to
    /// be judged.
    pub fn teach(&mut self, row: WaitingRow) -> Option<Judged> {
        if self.state.waiting.len() < ROOM {
            self.state.waiting.push(row);
            return None;
        }
        let at = self.draw(ROOM);
        let next = std::mem::replace(&mut self.state.waiting[at], row);
        self.learn(&next)
    }

    /// The end of an epoch: learns from all that wait.
    pub fn end_epoch(&mut self, mut judged: impl FnMut(Judged)) {
        while !self.state.waiting.is_empty() {
            let at = self.draw(self.state.waiting.len());
            let next = self.state.waiting.swap_remove(at);
            self.learn(&next).into_iter().for_each(&mut judged);
        }
    }

    /// Keeps a row that does not teach.
    pub fn hold_back(&mut self, row: HeldRow) {
        self.state.held.push(row);
    }

    /// A place below a number. Each draw is one of its own, so that their number is all there is to keep of them.
    fn draw(&mut self, below: usize) -> usize {
        self.state.draws += 1;
        let seed = self.study.validation.seed ^ self.state.draws.wrapping_mul(0x9e37_79b9_7f4a_7c15);
        Random::new(seed).below(below)
    }

    fn learn(&mut self, row: &WaitingRow) -> Option<Judged> {
        let state = &mut self.state;
        let first = state.seen * u64::from(self.study.model.epochs) < self.all;
        if first && !self.study.counts_first() {
            state.counts.add(&row.entries, row.class);
        }
        let factor = |column: u32| self.factors.get(column as usize).map_or(1.0, |factor| f64::from(*factor));
        let weights = &mut state.weights;
        let own = |column: u32| [factor(column), f64::from(weights[column as usize].weight)];
        let ask = |column: u32| {
            ask(&self.factors, column as usize);
            ask(&*weights, column as usize);
        };
        let Weighed { dot, scale, .. } = self.study.terms.weighting.weighed(&row.entries, (ask, own), 0.0);
        let (behind, cost) = (behind(state.seen, self.all), self.costs[row.class]);
        state.seen += 1;
        let (mut slope, mut lost) = (0.0, 0.0);
        let mut scores = [dot; 2];
        let borders = scores.iter_mut().zip(&mut state.intercepts).take(self.classes.borders());
        for (border, (score, intercept)) in borders.enumerate() {
            let sign = self.classes.side(border, row.class);
            *score += f64::from(intercept.weight);
            let margin = sign * *score;
            let own = -sign * cost * sigmoid(-margin);
            intercept.step(own as f32, behind);
            slope += own;
            lost += cost * loss(margin);
        }
        if first {
            state.first_loss += lost;
        }
        for entry in &row.entries {
            let value = f64::from(entry.value) * factor(entry.column) * scale;
            if value != 0.0 {
                weights[entry.column as usize].step((slope * value) as f32, behind);
            }
        }
        let [low, high] = self.classes.spread(scores);
        let judged = Judged {
            log_odds: ((low + high) / 2.0) as f32,
            half: ((low - high) / 2.0).max(0.0) as f32,
            class: row.class,
        };
        row.judged.then_some(judged)
    }

    /// How rows are called before they teach: the most probable class.
    pub fn judging(&self) -> Decision {
        by_costs(&Deciding::default(), self.classes)
    }

    /// What was learnt, once the last epoch has ended.
    ///
    /// # Errors
    /// As [`fit`](super::fit()).
    pub fn finish(self) -> Result<StreamFit, FitError> {
        let Self { study, mix, state, .. } = self;
        let (counted, selection) = select(study, mix, state.counts.counts)?;
        let factors = &selection.document_factors;
        let keep = |(factor, own): (&f32, &OnlineWeight)| if *factor == 0.0 { 0.0 } else { own.mean() };
        let weights: Vec<f64> = factors.iter().zip(&state.weights).map(keep).collect();
        let intercepts = self.classes.spread(state.intercepts.map(OnlineWeight::mean));
        let weighting = study.terms.weighting;
        let of_row = |HeldRow { entries, class, group }: &HeldRow| {
            let of = |column: u32| [factors[column as usize].into(), weights[column as usize]];
            let score = weighting.weighed(entries, (|column| ask(factors, column as usize), of), 0.0).dot;
            HeldScore { score, leaning: 0.0, class: *class, group: *group }
        };
        let held: Vec<HeldScore> = state.held.iter().map(of_row).collect();
        let convergence = Convergence {
            stop: Stop::Done,
            rounds: study.model.epochs,
            objective: state.first_loss / mix.iter().sum::<usize>() as f64,
            gap: None,
        };
        let learnt = HeldBack { study, mix, strength: None, convergence };
        learnt.finish((counted, selection), (weights, intercepts), &held)
    }
}
