//! Log-odds, probabilities and losses.

/// 1 / (1 + exp(-x)), without overflow: the probability of a log-odds.
pub fn sigmoid(x: f64) -> f64 {
    sigmoid_by(x, decay(x))
}

/// ln(1 + exp(-margin)), without overflow: the log loss, in nats, of a review whose
/// log-odds for its true class are `margin`.
pub fn loss(margin: f64) -> f64 {
    loss_by(margin, decay(margin))
}

/// [`loss`] and [`sigmoid`] of the same number, by one exponential.
pub(crate) fn loss_and_sigmoid(x: f64) -> (f64, f64) {
    let decay = decay(x);
    (loss_by(x, decay), sigmoid_by(x, decay))
}

/// exp(-|x|), which never overflows.
fn decay(x: f64) -> f64 {
    (-x.abs()).exp()
}

fn sigmoid_by(x: f64, decay: f64) -> f64 {
    (if x >= 0.0 { 1.0 } else { decay }) / (1.0 + decay)
}

fn loss_by(margin: f64, decay: f64) -> f64 {
    if margin > 0.0 { decay.ln_1p() } else { decay.ln_1p() - margin }
}

/// ln(p / (1 - p)): the log-odds of a probability.
pub fn logit(p: f64) -> f64 {
    (p / (1.0 - p)).ln()
}
