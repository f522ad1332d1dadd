//! Every figure of a set of predictions.

use serde::{Deserialize, Serialize};

use super::confusion::{ClassFigures, Confusion};
use super::dependence::{Dependence, Spread};
use super::interval::{Figure, f1, mean_of_shares, normal_quantile, t_quantile};
use super::odds::{logit, sigmoid};
use super::ranking::{Ranked, area_within, roc_area};
use super::verdict::{Neutral, Verdict};
use crate::labels::classes::Classes;
use crate::labels::per_class::ClassCounts;
use crate::labels::polarity::Polarity;

/// The figures of a set of predictions, each with interval and number of reviews.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct Figures {
    /// True against called classes.
    pub confusion: Confusion,
    /// The share of reviews called by their true class.
    pub accuracy: Figure,
    /// How many independent reviews, judged by one model, would make the accuracy as sure. 0 in models from before it was kept.
    #[serde(default)]
    pub effective: usize,
    /// The mean of the recalls of the classes.
    pub balanced_accuracy: Figure,
    /// The mean of the F1 of the classes; undefined in models from before it was kept.
    #[serde(default = "Figure::none")]
    pub macro_f1: Figure,
    /// How many classes the called one lies from the true one, on average, of three that are ordered; undefined where
    /// there are two, and in models from before it was kept.
    #[serde(default = "Figure::none")]
    pub ordinal_error: Figure,
    /// Matthews correlation of true and called class.
    pub matthews: Figure,
    /// The area under the ROC curve: the chance that a positive review stands above a negative
    /// one; of folds, the mean of theirs.
    pub roc_area: Figure,
    /// The mean precision of negative reviews, read from the most negative on; undefined in models from before it was
    /// kept.
    #[serde(default = "Figure::none")]
    pub average_precision: Figure,
    /// The mean of -ln(probability of the true class), in nats per review.
    pub log_loss: Figure,
    /// The mean over the reviews of half the summed squared differences of probability and
    /// truth; with two classes the squared difference of the probability of positive (Brier
    /// (1950), DOI 10.1175/1520-0493(1950)078<0001:VOFEIT>2.0.CO;2).
    pub brier: Figure,
    /// Precision, recall and F1 of each class, in the order of every table.
    pub classes: Vec<ClassFigures>,
    /// What the unsure ones make of it, where some verdicts are unsure.
    pub unsure: Option<Unsure>,
}

/// What a band of unsure verdicts promises and keeps.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct Unsure {
    /// The share of reviews that are called.
    pub called: Figure,
    /// Of those, the share called by their true class.
    pub accuracy: Figure,
    /// The share of each class that is not called another, in the order of every table.
    pub kept: Vec<Figure>,
}

/// What the way verdicts are reached makes of the held-out reviews that it was set on: a little better than on others.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct Reached {
    /// The share of negative reviews that is found.
    pub recall_negative: Figure,
    /// The share of those called negative that is so.
    pub precision_negative: Figure,
    /// What is called at all, where some reviews are unsure.
    pub unsure: Option<Unsure>,
}

impl Reached {
    /// Of verdicts on held-out reviews, which are tied by their groups; nothing if none of them is negative.
    pub(crate) fn new(labels: &[Polarity], verdicts: &[Verdict], groups: &[u64]) -> Option<Self> {
        let figures = Figures::under(labels, verdicts, &Dependence::of_groups(groups));
        let negative = figures.class(Polarity::Negative)?;
        Some(Self {
            recall_negative: negative.recall,
            precision_negative: negative.precision,
            unsure: figures.unsure.clone(),
        })
    }
}

impl Figures {
    /// The figures of verdicts of one model on reviews that are independent of each other. Every review counts by
    /// the class it is called, sure or not.
    ///
    /// # Panics
    /// If there is not one verdict per label.
    pub fn new(labels: &[Polarity], verdicts: &[Verdict]) -> Self {
        Self::under(labels, verdicts, &Dependence::default())
    }

    /// As [`new`](Self::new), of reviews and models that hang together. The ROC area of several folds is the mean of
    /// theirs: scores of different models are on no common scale.
    ///
    /// # Panics
    /// As [`new`](Self::new), or if the dependence is of other reviews.
    pub fn under(labels: &[Polarity], verdicts: &[Verdict], dependence: &Dependence) -> Self {
        assert_eq!(labels.len(), verdicts.len(), "{} labels, {} verdicts", labels.len(), verdicts.len());
        let neutral = labels
            .iter()
            .zip(verdicts)
            .any(|(label, verdict)| *label == Polarity::Neutral || verdict.called == Polarity::Neutral);
        let classes = if neutral { Classes::Three } else { Classes::Two };
        let called = verdicts.iter().map(|verdict| verdict.called);
        let confusion = Confusion::new(classes, labels.iter().copied().zip(called));
        let judged = Judged { labels, verdicts, dependence };
        let right = |row: usize| verdicts[row].called == labels[row];
        let (accuracy, effective) = judged.share(|_| true, right);
        let classes: Vec<ClassFigures> = classes.list().iter().map(|class| judged.class(*class)).collect();
        let recalls: Vec<Figure> = classes.iter().map(|own| own.recall).collect();
        Self {
            accuracy,
            effective: effective.round() as usize,
            balanced_accuracy: mean_of_shares(&recalls),
            matthews: judged.matthews(&confusion),
            macro_f1: judged.macro_f1(&classes),
            ordinal_error: match classes.len() {
                3 => judged.mean(|label, verdict| f64::from(label.distance(verdict.called))),
                _ => Figure::undefined(labels.len()),
            },
            roc_area: judged.roc_area(),
            average_precision: judged.average_precision(),
            log_loss: judged.mean(|label, verdict| verdict.log_loss(label)),
            brier: judged.mean(|label, verdict| verdict.squared_error(label)),
            unsure: judged.unsure(&classes),
            classes,
            confusion,
        }
    }

    /// The mean of several sets of figures on the same reviews: of values and of the ends of
    /// their intervals, for the reviews are the same in each. Counts are those of the first.
    ///
    /// # Panics
    /// If there are none.
    pub fn mean(several: &[Self]) -> Self {
        let mut mean = several[0].clone();
        let of = |pick: &dyn Fn(&Self) -> Figure| Figure::mean(several.iter().map(pick));
        mean.accuracy = of(&|one| one.accuracy);
        mean.effective = several.iter().map(|one| one.effective).sum::<usize>() / several.len();
        mean.balanced_accuracy = of(&|one| one.balanced_accuracy);
        mean.macro_f1 = of(&|one| one.macro_f1);
        mean.ordinal_error = of(&|one| one.ordinal_error);
        mean.matthews = of(&|one| one.matthews);
        mean.average_precision = of(&|one| one.average_precision);
        mean.roc_area = of(&|one| one.roc_area);
        mean.log_loss = of(&|one| one.log_loss);
        mean.brier = of(&|one| one.brier);
        for at in 0..mean.classes.len() {
            let own = &mut mean.classes[at];
            own.precision = of(&|one| one.classes[at].precision);
            own.recall = of(&|one| one.classes[at].recall);
            own.f1 = of(&|one| one.classes[at].f1);
        }
        mean
    }

    /// The classes of some reviews that no review is called.
    pub fn never_called(&self) -> impl Iterator<Item = Polarity> {
        self.classes.iter().filter(|own| own.recall.n > 0 && own.precision.n == 0).map(|own| own.class)
    }

    /// The figures of one class; nothing if the reviews have no such class.
    pub fn class(&self, class: Polarity) -> Option<&ClassFigures> {
        self.classes.iter().find(|own| own.class == class)
    }
}

/// Verdicts on labelled reviews, and how they hang together.
struct Judged<'a> {
    labels: &'a [Polarity],
    verdicts: &'a [Verdict],
    dependence: &'a Dependence,
}

impl Judged<'_> {
    /// The share of hits among some of the reviews, and how many independent reviews would make it as sure.
    fn share(&self, among: impl Fn(usize) -> bool, hit: impl Fn(usize) -> bool) -> (Figure, f64) {
        let rows: Vec<u32> = (0..self.labels.len() as u32).filter(|row| among(*row as usize)).collect();
        self.dependence.share(&rows, hit)
    }

    /// The mean of the F1 of the classes: how much each review moves 2 tp / (2 tp + fp + fn) is what it adds above the
    /// line, less the figure times what it adds below, over what stands below.
    fn macro_f1(&self, classes: &[ClassFigures]) -> Figure {
        let n = self.labels.len();
        let of = |row: usize, class: Polarity| {
            let (is, called) = (self.labels[row] == class, self.verdicts[row].called == class);
            (f64::from(u8::from(is && called)), f64::from(u8::from(is) + u8::from(called)))
        };
        let Some(values) = classes.iter().map(|own| own.f1.value).collect::<Option<Vec<f64>>>() else {
            return Figure::undefined(n);
        };
        let count = classes.len() as f64;
        let mut moves: Vec<(u32, f64)> = (0..n as u32).map(|row| (row, 0.0)).collect();
        for (own, value) in classes.iter().zip(&values) {
            let below: f64 = (0..n).map(|row| of(row, own.class).1).sum();
            for (row, sum) in &mut moves {
                let (hit, met) = of(*row as usize, own.class);
                *sum += (2.0 * hit - value * met) / below / count;
            }
        }
        let figure = self.dependence.figure(values.iter().sum::<f64>() / count, n, &moves, 1);
        figure.within(0.0, 1.0)
    }

    /// The mean precision where reviews are read from the most negative on, over the places of negative ones; of folds,
    /// the mean of theirs. The interval is that of a share of as many independent negative reviews on the scale of
    /// log-odds: Boyd, Eng and Page (2013), "Area under the precision-recall curve: point estimates and confidence
    /// intervals", DOI 10.1007/978-3-642-40994-3_29.
    fn average_precision(&self) -> Figure {
        let negative: Vec<u32> = (0..self.labels.len() as u32)
            .filter(|row| self.labels[*row as usize] == Polarity::Negative)
            .collect();
        let parts =
            self.dependence.by_fold().unwrap_or_else(|| vec![(0..self.labels.len() as u32).collect()]);
        let values: Vec<f64> = parts.iter().filter_map(|rows| self.precision_down(rows)).collect();
        let value = values.iter().sum::<f64>() / values.len() as f64;
        if !value.is_finite() {
            return Figure::undefined(negative.len());
        }
        let (_, effective) =
            self.dependence.share(&negative, |row| self.verdicts[row].called == Polarity::Negative);
        let half = normal_quantile() / (effective * value * (1.0 - value)).sqrt();
        let end = |by: f64| sigmoid(logit(value) + by);
        Figure::new(value, end(-half), end(half), negative.len())
    }

    fn precision_down(&self, rows: &[u32]) -> Option<f64> {
        let score = |row: &u32| self.verdicts[*row as usize].log_odds;
        let is = |row: &&u32| self.labels[**row as usize] == Polarity::Negative;
        let mut rows = rows.to_vec();
        rows.sort_unstable_by(|a, b| score(a).total_cmp(&score(b)));
        let (mut read, mut found, mut sum) = (0, 0, 0.0);
        for equal in rows.chunk_by(|a, b| score(a) == score(b)) {
            let own = equal.iter().filter(is).count();
            (read, found) = (read + equal.len(), found + own);
            sum += own as f64 * found as f64 / read as f64;
        }
        (found > 0).then(|| sum / found as f64)
    }

    fn class(&self, class: Polarity) -> ClassFigures {
        let is = |row: usize| self.labels[row] == class;
        let called = |row: usize| self.verdicts[row].called == class;
        let both = |row: usize| is(row) && called(row);
        let share = |among: &dyn Fn(usize) -> bool| self.share(among, both).0;
        ClassFigures {
            class,
            precision: share(&called),
            recall: share(&is),
            f1: f1(share(&|row| is(row) || called(row))),
        }
    }

    fn mean(&self, of: impl Fn(Polarity, &Verdict) -> f64) -> Figure {
        let values: Vec<f64> =
            self.labels.iter().zip(self.verdicts).map(|(label, own)| of(*label, own)).collect();
        // What is averaged is never below 0.
        self.dependence.mean(&values).within(0.0, f64::INFINITY)
    }

    fn matthews(&self, confusion: &Confusion) -> Figure {
        let cell = |row: usize| {
            let place = |class| confusion.place(class).expect("a class of these reviews");
            (place(self.labels[row]), place(self.verdicts[row].called))
        };
        confusion.matthews_spread(|moves| {
            let of = |row: u32| {
                let (truth, called) = cell(row as usize);
                (row, moves[truth][called])
            };
            let moves: Vec<(u32, f64)> = (0..self.labels.len() as u32).map(of).collect();
            let spread = self.dependence.spread(&moves)?;
            Some((spread.variance, t_quantile(spread.freedom)))
        })
    }

    fn roc_area(&self) -> Figure {
        let log_odds: Vec<f64> = self.verdicts.iter().map(|verdict| verdict.log_odds).collect();
        let n = self.labels.len();
        let Some(rows) = self.dependence.by_fold() else {
            let Some(ranked) = Ranked::new(self.labels, &log_odds) else { return Figure::undefined(n) };
            return match self.dependence.spread(&ranked.moves) {
                None => roc_area(self.labels, &log_odds),
                Some(spread) => area_within(ranked.area, spread.half(), n),
            };
        };
        let ranked = |rows: &Vec<u32>| {
            let of = |row: &u32| (self.labels[*row as usize], log_odds[*row as usize]);
            let (labels, scores): (Vec<Polarity>, Vec<f64>) = rows.iter().map(of).unzip();
            let ranked = Ranked::new(&labels, &scores)?;
            let moves: Vec<(u32, f64)> =
                ranked.moves.iter().map(|(at, own)| (rows[*at as usize], *own)).collect();
            Some((ranked.area, moves))
        };
        let areas: Vec<(f64, Vec<(u32, f64)>)> = rows.iter().filter_map(ranked).collect();
        if areas.is_empty() {
            return Figure::undefined(n);
        }
        let of = areas.len() as f64;
        let mean = areas.iter().map(|(area, _)| area).sum::<f64>() / of;
        // What a fold's area is above the mean is shared out among its reviews.
        let moves = areas.iter().flat_map(|(area, moves)| {
            let extra = (area - mean) / moves.len() as f64;
            moves.iter().map(move |(row, own)| (*row, (own + extra) / of))
        });
        let spread = self.dependence.spread(&moves.collect::<Vec<_>>());
        area_within(mean, spread.map_or(f64::NAN, Spread::half), n)
    }

    fn unsure(&self, classes: &[ClassFigures]) -> Option<Unsure> {
        let (labels, verdicts) = (self.labels, self.verdicts);
        let sure = |row: usize| verdicts[row].sure;
        let kept = |class: Polarity| {
            let kept = |row: usize| !verdicts[row].sure || verdicts[row].called == class;
            self.share(|row| labels[row] == class, kept).0
        };
        verdicts.iter().any(|verdict| !verdict.sure).then(|| Unsure {
            called: self.share(|_| true, sure).0,
            accuracy: self.share(sure, |row| verdicts[row].called == labels[row]).0,
            kept: classes.iter().map(|own| kept(own.class)).collect(),
        })
    }
}

/// What the majority baseline says of every review: the class mix of the training reviews, and
/// so the largest class. `mix` is in the order of [`Polarity::index`].
pub fn baseline(mix: ClassCounts) -> Verdict {
    let [negative, positive, neutral] = mix.map(|count| count as f64).into_array();
    let (low, high) = (((positive + neutral) / negative).ln(), (positive / (negative + neutral)).ln());
    let largest = Polarity::ALL
        .into_iter()
        .rev() // of equally large classes, positive
        .max_by_key(|class| (mix[*class], *class == Polarity::Positive))
        .unwrap_or(Polarity::Positive);
    let neutral = Neutral::Between { half: (low - high) / 2.0 };
    Verdict { log_odds: (low + high) / 2.0, neutral, called: largest, sure: true }
}
