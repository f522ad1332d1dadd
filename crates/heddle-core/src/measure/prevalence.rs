//! Figures of one class mix, told for another.

use super::confusion::Confusion;
use super::interval::{Figure, normal_quantile};
use crate::labels::polarity::Polarity;

/// The precision of a class as it would be if negative reviews had another share, the
/// recalls staying what they are:
///
/// ```text
/// precision = share x recall / (share x recall + (1 - share) x (1 - recall of the other))
/// ```
///
/// with the interval of Mercaldo, Lau and Zhou (2007), "Confidence intervals for predictive
/// values with an emphasis to case-control studies", DOI 10.1002/sim.2677, on the scale of
/// log-odds. Undefined where a recall is 0 or 1, or cannot be told.
pub fn precision_at(confusion: &Confusion, class: Polarity, negative: f64) -> Figure {
    let other = if class == Polarity::Negative { Polarity::Positive } else { Polarity::Negative };
    let share = if class == Polarity::Negative { negative } else { 1.0 - negative };
    let (n_own, n_other) = (confusion.of(class), confusion.of(other));
    let total = n_own + n_other;
    let recall = confusion.counted(class, class) as f64 / n_own as f64;
    let false_alarms = confusion.counted(other, class) as f64 / n_other as f64;
    let odds = share / (1.0 - share) * recall / false_alarms;
    if !(odds > 0.0 && odds.is_finite()) {
        return Figure::undefined(total);
    }
    let variance =
        (1.0 - recall) / (n_own as f64 * recall) + (1.0 - false_alarms) / (n_other as f64 * false_alarms);
    let half = normal_quantile() * variance.sqrt();
    let of = |log_odds: f64| super::odds::sigmoid(log_odds);
    Figure::new(of(odds.ln()), of(odds.ln() - half), of(odds.ln() + half), total)
}
