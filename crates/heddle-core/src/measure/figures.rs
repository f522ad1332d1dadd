//! Every figure of a set of predictions.

use serde::{Deserialize, Serialize};

use super::confusion::{ClassFigures, Confusion};
use super::interval::{Figure, mean, share};
use super::ranking::roc_area;
use super::verdict::Verdict;
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
    /// The mean of the recalls of the classes.
    pub balanced_accuracy: Figure,
    /// Matthews correlation of true and called class.
    pub matthews: Figure,
    /// The area under the ROC curve: the chance that a positive review stands above a negative
    /// one.
    pub roc_area: Figure,
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
    /// The share of negative reviews that are not called positive, and of positive ones that are
    /// not called negative.
    pub kept: [Figure; 2],
}

impl Figures {
    /// The figures of verdicts. Every review counts by the class it is called, sure or not.
    ///
    /// # Panics
    /// If there is not one verdict per label.
    pub fn new(labels: &[Polarity], verdicts: &[Verdict]) -> Self {
        assert_eq!(labels.len(), verdicts.len(), "{} labels, {} verdicts", labels.len(), verdicts.len());
        let pairs = || labels.iter().zip(verdicts);
        let neutral = pairs()
            .any(|(label, verdict)| *label == Polarity::Neutral || verdict.called == Polarity::Neutral);
        let classes = if neutral { Classes::Three } else { Classes::Two };
        let confusion = Confusion::new(classes, pairs().map(|(label, verdict)| (*label, verdict.called)));
        let losses: Vec<f64> = pairs().map(|(label, verdict)| verdict.log_loss(*label)).collect();
        let squares: Vec<f64> = pairs().map(|(label, verdict)| verdict.squared_error(*label)).collect();
        let log_odds: Vec<f64> = verdicts.iter().map(|verdict| verdict.log_odds).collect();
        Self {
            accuracy: confusion.accuracy(),
            balanced_accuracy: confusion.balanced_accuracy(),
            matthews: confusion.matthews(),
            roc_area: roc_area(labels, &log_odds),
            log_loss: mean(&losses),
            brier: mean(&squares),
            classes: classes.list().iter().map(|class| confusion.class(*class)).collect(),
            unsure: Unsure::new(labels, verdicts),
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
        mean.balanced_accuracy = of(&|one| one.balanced_accuracy);
        mean.matthews = of(&|one| one.matthews);
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

    /// The figures of one class; nothing if the reviews have no such class.
    pub fn class(&self, class: Polarity) -> Option<&ClassFigures> {
        self.classes.iter().find(|own| own.class == class)
    }
}

impl Unsure {
    fn new(labels: &[Polarity], verdicts: &[Verdict]) -> Option<Self> {
        let pairs = || labels.iter().zip(verdicts);
        let sure = pairs().filter(|(_, verdict)| verdict.sure).count();
        let right = pairs().filter(|(label, verdict)| verdict.sure && verdict.called == **label).count();
        let kept = |class: Polarity| {
            let own = || pairs().filter(|(label, _)| **label == class);
            share(
                own().filter(|(_, verdict)| !verdict.sure || verdict.called == class).count(),
                own().count(),
            )
        };
        (sure < verdicts.len()).then(|| Self {
            called: share(sure, verdicts.len()),
            accuracy: share(right, sure),
            kept: Polarity::POLES.map(kept),
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
    Verdict { log_odds: (low + high) / 2.0, half: (low - high) / 2.0, called: largest, sure: true }
}
