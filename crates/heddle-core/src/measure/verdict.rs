//! What is said of one review.

use serde::{Deserialize, Serialize};

use super::odds::{loss, sigmoid};
use crate::labels::per_class::PerClass;
use crate::labels::polarity::Polarity;

/// Where a review lies: on the axis from negative to positive, and as to neutral.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Place {
    /// s, in nats.
    pub log_odds: f64,
    /// Where neutral lies.
    pub neutral: Neutral,
}

/// Where neutral lies.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize)]
#[serde(untagged)]
pub enum Neutral {
    /// On the axis, between borders at -half and +half: a review is above negative with probability
    /// sigmoid(s + half), and positive with probability sigmoid(s - half). Two classes have one border: half is 0 and
    /// s the log-odds of positive.
    Between {
        /// Half the width of the neutral zone, in nats; 0 where there are two classes.
        half: f64,
    },
    /// On an axis of its own: s is the log-odds of positive against negative, and the neutrality is
    /// ln P(neutral) - (ln P(negative) + ln P(positive)) / 2.
    Apart {
        /// The neutrality, in nats.
        neutrality: f64,
    },
}

/// What a review is called for where it lies.
#[derive(Debug, Clone, Copy, PartialEq, Serialize)]
pub struct Verdict {
    /// s of its [`Place`], in nats.
    pub log_odds: f64,
    /// Where neutral lies.
    #[serde(flatten)]
    pub neutral: Neutral,
    /// The class it is called.
    pub called: Polarity,
    /// Whether it is called at all: an unsure one keeps its class for figures over all reviews.
    pub sure: bool,
}

impl Place {
    /// On an axis with a neutral zone of this half width.
    pub fn between(log_odds: f64, half: f64) -> Self {
        Self { log_odds, neutral: Neutral::Between { half } }
    }

    /// Where neutral has an axis of its own.
    pub fn apart(log_odds: f64, neutrality: f64) -> Self {
        Self { log_odds, neutral: Neutral::Apart { neutrality } }
    }

    /// The probability of each class. They sum to 1.
    pub fn probabilities(&self) -> PerClass<f64> {
        match self.neutral {
            Neutral::Between { half } => probabilities(self.log_odds, half),
            Neutral::Apart { neutrality } => softmax(class_scores(self.log_odds, neutrality)),
        }
    }

    /// -ln of the probability of a class, in nats.
    pub fn log_loss(&self, truth: Polarity) -> f64 {
        match (self.neutral, truth) {
            (Neutral::Between { half }, Polarity::Negative) => loss(-(self.log_odds + half)),
            (Neutral::Between { half }, Polarity::Positive) => loss(self.log_odds - half),
            (Neutral::Between { .. }, Polarity::Neutral) => -self.probabilities()[truth].ln(),
            (Neutral::Apart { neutrality }, _) => {
                let sums = class_scores(self.log_odds, neutrality);
                let own = sums[truth];
                let others: f64 = sums.iter().map(|other| (other - own).exp()).sum();
                match others.is_finite() {
                    true => others.ln(),
                    false => sums.iter().copied().fold(own, f64::max) - own, // the sum is its largest part
                }
            }
        }
    }
}

/// One number for each class, their sum 0, of which softmax makes the probabilities: a change of the log-odds is shared
/// out evenly over both poles, and one of the neutrality over all three.
pub fn class_scores(log_odds: f64, neutrality: f64) -> PerClass<f64> {
    let third = neutrality / 3.0;
    PerClass::from([-log_odds / 2.0 - third, log_odds / 2.0 - third, 2.0 * third])
}

/// The probabilities that are in proportion to the exponentials of these sums.
pub fn softmax(sums: PerClass<f64>) -> PerClass<f64> {
    let most = sums.iter().copied().fold(f64::NEG_INFINITY, f64::max);
    let parts = sums.map(|own| (own - most).exp());
    let all: f64 = parts.iter().sum();
    parts.map(|part| part / all)
}

/// The log-odds of a probability against the rest, given the probabilities of all classes: no digits are lost near 1.
pub(crate) fn against_the_rest(probabilities: &PerClass<f64>, class: Polarity) -> f64 {
    let rest: f64 =
        Polarity::ALL.iter().filter(|other| **other != class).map(|other| probabilities[*other]).sum();
    (probabilities[class] / rest).ln()
}

impl Verdict {
    /// The same, but unsure where no term of the review pulls: its score is the intercept, whatever it says.
    pub(crate) fn known(self, known: bool) -> Self {
        Self { sure: self.sure && known, ..self }
    }

    /// Where the review lies.
    pub fn place(&self) -> Place {
        Place { log_odds: self.log_odds, neutral: self.neutral }
    }

    /// The probability of each class, in the order of [`Polarity::index`]. They sum to 1.
    pub fn probabilities(&self) -> PerClass<f64> {
        self.place().probabilities()
    }

    /// The probability of a class.
    pub fn probability(&self, class: Polarity) -> f64 {
        self.probabilities()[class]
    }

    /// -ln of the probability of a class, in nats.
    pub fn log_loss(&self, truth: Polarity) -> f64 {
        self.place().log_loss(truth)
    }

    /// Half the sum over the classes of the squared difference of probability and truth.
    pub fn squared_error(&self, truth: Polarity) -> f64 {
        let probabilities = self.probabilities();
        let square = |class: Polarity| (probabilities[class] - f64::from(u8::from(class == truth))).powi(2);
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

/// How a place becomes a verdict.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize)]
#[serde(untagged)]
pub enum Decision {
    /// By cuts on the axis of log-odds.
    OnAxis(Cuts),
    /// By the probabilities of three classes.
    ByClass(ClassRule),
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

/// How three classes are called by their probabilities: the class whose mistakes cost least to expect, or negative from
/// a probability on; and no class at all where more than one is possible.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize)]
pub struct ClassRule {
    /// What it costs to call a negative review another class, and to call another negative; mistakes between the other
    /// two classes cost 1.
    pub costs: [f64; 2],
    /// From this log-odds of negative against the rest on a review is called negative, and else the more probable of
    /// the others, whatever mistakes cost.
    pub negative_from: Option<f64>,
    /// Below this log-odds against the rest a class is ruled out. A review is unsure where two are left or more.
    pub possible_from: Option<PerClass<f64>>,
}

impl Decision {
    /// What is said of a review at a place.
    pub fn verdict(&self, place: Place) -> Verdict {
        let Place { log_odds, neutral } = place;
        let (called, sure) = match self {
            Self::OnAxis(cuts) => (cuts.call(log_odds), cuts.is_sure(log_odds)),
            Self::ByClass(rule) => rule.call(&place.probabilities()),
        };
        Verdict { log_odds, neutral, called, sure }
    }

    /// How far a review lies from where it would be called otherwise, in nats: from the nearest cut on the axis, or, where
    /// classes are called by their probabilities, the log-odds of the most probable class against the next.
    pub fn distance(&self, verdict: &Verdict) -> f64 {
        match self {
            Self::OnAxis(cuts) => [cuts.negative, cuts.positive]
                .map(|cut| (verdict.log_odds - cut).abs())
                .into_iter()
                .fold(f64::MAX, f64::min),
            Self::ByClass(_) => {
                let mut own = verdict.place().probabilities().into_array();
                own.sort_by(|a, b| b.total_cmp(a));
                (own[0] / own[1]).ln()
            }
        }
    }

    /// The same classes, but all reviews unsure.
    pub(crate) fn all_unsure(self) -> Self {
        match self {
            Self::OnAxis(cuts) => Self::OnAxis(Cuts { unsure: Some([f64::MIN, f64::MAX]), ..cuts }),
            Self::ByClass(rule) => {
                let possible_from = Some(PerClass::of(|_| f64::MIN));
                Self::ByClass(ClassRule { possible_from, ..rule })
            }
        }
    }

    /// Whether it can be used: cuts in order, none missing; costs above 0.
    pub fn is_sound(&self) -> bool {
        match self {
            Self::OnAxis(cuts) => {
                cuts.negative <= cuts.positive && cuts.unsure.is_none_or(|[low, high]| low <= high)
            }
            Self::ByClass(rule) => {
                let possible = |from: PerClass<f64>| from.iter().all(|from| !from.is_nan());
                rule.costs.iter().all(|cost| *cost > 0.0) && rule.possible_from.is_none_or(possible)
            }
        }
    }
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

    fn is_sure(&self, log_odds: f64) -> bool {
        !self.unsure.is_some_and(|[low, high]| low <= log_odds && log_odds < high)
    }

    /// What is said at a log-odds.
    pub fn verdict(&self, log_odds: f64, half: f64) -> Verdict {
        Decision::OnAxis(*self).verdict(Place::between(log_odds, half))
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
}

impl ClassRule {
    /// The most probable class, always.
    pub const MOST_PROBABLE: Self = Self { costs: [1.0; 2], negative_from: None, possible_from: None };

    /// The class that is called, and whether it is.
    fn call(&self, probabilities: &PerClass<f64>) -> (Polarity, bool) {
        let [negative, positive, neutral] = probabilities.into_array();
        let other = if positive >= neutral { Polarity::Positive } else { Polarity::Neutral };
        let called_negative = match self.negative_from {
            Some(from) => against_the_rest(probabilities, Polarity::Negative) >= from,
            None => {
                let [missed, alarm] = self.costs;
                alarm * (positive + neutral) < missed * negative + positive.min(neutral)
            }
        };
        let mut called = if called_negative { Polarity::Negative } else { other };
        let Some(from) = self.possible_from else { return (called, true) };
        let possible = |class: &Polarity| against_the_rest(probabilities, *class) >= from[*class];
        let mut left = Polarity::ALL.into_iter().filter(possible);
        match (left.next(), left.next()) {
            (Some(only), None) => {
                // A cut within what is ruled out gives way: the promise is kept to every class.
                called = only;
                (called, true)
            }
            (None, _) => (called, true),
            (Some(_), Some(_)) => (called, false),
        }
    }
}
