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

/// The probability of each class at these log-odds of positive, negative first.
pub fn probabilities(log_odds: f64) -> [f64; 2] {
    [sigmoid(-log_odds), sigmoid(log_odds)]
}

/// ln(1 + exp(-margin)), without overflow: the log loss, in nats, of a review whose
/// log-odds for its true class are `margin`.
pub fn loss(margin: f64) -> f64 {
    if margin > 0.0 { (-margin).exp().ln_1p() } else { margin.exp().ln_1p() - margin }
}
