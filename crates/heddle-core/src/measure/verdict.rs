//! What is said of one review.

use serde::{Deserialize, Serialize};

use super::odds::{loss, sigmoid};
use crate::labels::per_class::PerClass;
use crate::labels::polarity::Polarity;

/// Where a review lies on the axis from negative to positive, and what it is called for it.
///
/// With borders at -half and +half around a log-odds s, a review is above negative with
/// probability sigmoid(s + half), and positive with probability sigmoid(s - half); what lies
/// between is neutral. Two classes have one border: half is 0 and s the log-odds of positive.
#[derive(Debug, Clone, Copy, PartialEq, Serialize)]
pub struct Verdict {
    /// s, in nats.
    pub log_odds: f64,
    /// Half the width of the neutral zone, in nats; 0 where there are two classes.
    pub half: f64,
    /// The class it is called.
    pub called: Polarity,
    /// Whether it is called at all: an unsure one keeps its class for figures over all reviews.
    pub sure: bool,
}

impl Verdict {
    /// The same, but unsure where the model knows no term of the review: its score is the intercept, whatever it says.
    pub(crate) fn known(self, known: bool) -> Self {
        Self { sure: self.sure && known, ..self }
    }

    /// The probability of each class, in the order of [`Polarity::index`]. They sum to 1.
    pub fn probabilities(&self) -> PerClass<f64> {
        probabilities(self.log_odds, self.half)
    }

    /// The probability of a class.
    pub fn probability(&self, class: Polarity) -> f64 {
        self.probabilities()[class]
    }

    /// -ln of the probability of a class, in nats.
    pub fn log_loss(&self, truth: Polarity) -> f64 {
        match truth {
            Polarity::Negative => loss(-(self.log_odds + self.half)),
            Polarity::Positive => loss(self.log_odds - self.half),
            Polarity::Neutral => -self.probability(Polarity::Neutral).ln(),
        }
    }

    /// Half the sum over the classes of the squared difference of probability and truth.
    pub fn squared_error(&self, truth: Polarity) -> f64 {
        let square =
            |class: Polarity| (self.probability(class) - f64::from(u8::from(class == truth))).powi(2);
        Polarity::ALL.into_iter().map(square).sum::<f64>() / 2.0
    }
}

/// The probability of each class at a log-odds with a neutral zone of this half width, in the
/// order of [`Polarity::index`].
pub fn probabilities(log_odds: f64, half: f64) -> PerClass<f64> {
    let (negative, positive) = (sigmoid(-(log_odds + half)), sigmoid(log_odds - half));
    // sigmoid(a) - sigmoid(b) = sigmoid(a) sigmoid(-b) (1 - exp(b - a)): no digits are lost.
    let neutral = if half > 0.0 {
        sigmoid(log_odds + half) * sigmoid(half - log_odds) * -(-2.0 * half).exp_m1()
    } else {
        0.0
    };
    PerClass::from([negative, positive, neutral])
}

/// Where verdicts change, on the axis of log-odds. The bands cover it without a gap.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize)]
pub struct Cuts {
    /// Below this a review is called negative.
    pub negative: f64,
    /// From this on a review is called positive; between the two, neutral. Where there are two
    /// classes, the same.
    pub positive: f64,
    /// From the first, up to but without the second, a review is unsure.
    pub unsure: Option<[f64; 2]>,
}

impl Cuts {
    /// The class at a log-odds.
    pub fn call(&self, log_odds: f64) -> Polarity {
        if log_odds < self.negative {
            Polarity::Negative
        } else if log_odds >= self.positive {
            Polarity::Positive
        } else {
            Polarity::Neutral
        }
    }

    /// What is said at a log-odds.
    pub fn verdict(&self, log_odds: f64, half: f64) -> Verdict {
        let within = |[low, high]: [f64; 2]| low <= log_odds && log_odds < high;
        Verdict { log_odds, half, called: self.call(log_odds), sure: !self.unsure.is_some_and(within) }
    }

    /// The cuts of the most probable class, given the half width of the neutral zone.
    pub fn most_probable(half: f64) -> Self {
        // Positive beats neutral where 2 sigmoid(s - half) > sigmoid(s + half); with e = exp(half)
        // that is exp(s) > e - 2/e, which has no root while e^2 <= 2: then neutral is never most
        // probable and the poles meet at 0.
        let root = half.exp() - 2.0 * (-half).exp();
        let cut = if root > 1.0 { root.ln() } else { 0.0 };
        Self { negative: -cut, positive: cut, unsure: None }
    }

    /// The same classes, but all reviews unsure.
    pub(crate) fn all_unsure(self) -> Self {
        Self { unsure: Some([f64::MIN, f64::MAX]), ..self }
    }

    /// Whether they can be used: in order, and none missing.
    pub fn is_sound(&self) -> bool {
        self.negative <= self.positive && self.unsure.is_none_or(|[low, high]| low <= high)
    }
}
