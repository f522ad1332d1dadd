//! Log-odds, probabilities and losses.

/// 1 / (1 + exp(-x)), without overflow: the probability of a log-odds.
pub fn sigmoid(x: f64) -> f64 {
    if x >= 0.0 {
        1.0 / (1.0 + (-x).exp())
    } else {
        let exp = x.exp();
        exp / (1.0 + exp)
    }
}

/// ln(1 + exp(-margin)), without overflow: the log loss, in nats, of a review whose
/// log-odds for its true class are `margin`.
pub fn loss(margin: f64) -> f64 {
    if margin > 0.0 { (-margin).exp().ln_1p() } else { margin.exp().ln_1p() - margin }
}

/// [`loss`] and [`sigmoid`] of the same number, by one exponential.
pub(crate) fn loss_and_sigmoid(x: f64) -> (f64, f64) {
    if x >= 0.0 {
        let exp = (-x).exp();
        (exp.ln_1p(), 1.0 / (1.0 + exp))
    } else {
        let exp = x.exp();
        (exp.ln_1p() - x, exp / (1.0 + exp))
    }
}

/// ln(p / (1 - p)): the log-odds of a probability.
pub fn logit(p: f64) -> f64 {
    (p / (1.0 - p)).ln()
}
