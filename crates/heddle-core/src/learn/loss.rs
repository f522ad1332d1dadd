//! What a mistake costs, by its margin: the label (-1 or +1) times the score.
//!
//! Every loss is convex and falls with the margin. Its conjugate gives the dual problem: for
//! one a per example, D gains `conjugate(a)`, and never exceeds the primal.

use crate::measure::odds::{loss, sigmoid};

/// A loss, as the solvers need it.
pub trait Loss: Copy + Send + Sync + std::fmt::Debug {
    /// The loss at a margin.
    fn value(self, margin: f64) -> f64;
    /// -1 times its derivative by the margin: the a that belongs to the margin.
    fn pull(self, margin: f64) -> f64;
    /// Its second derivative by the margin.
    fn curve(self, margin: f64) -> f64;
    /// [`pull`](Self::pull) and [`curve`](Self::curve) at once.
    fn bend(self, margin: f64) -> (f64, f64) {
        (self.pull(margin), self.curve(margin))
    }
    /// Whether the second derivative changes at most by the factor exp(by) when a margin moves
    /// by `by`: then a Newton step that moves margins little is known to be safe.
    const STEADY: bool = false;
    /// Whether it has a second derivative that is not 0 everywhere.
    const CURVED: bool = true;
    /// What an example adds to the dual.
    fn conjugate(self, a: f64) -> f64;
    /// The a that maximises the dual along one example, given its margin at `old`; `q` is
    /// c |x|^2 / (lambda C): the margin moves by q for one unit of a.
    fn best(self, margin: f64, old: f64, q: f64) -> f64;
    /// Whether an example with a = 0 may be passed over for now: its margin is beyond all that
    /// pulls, with this much to spare.
    fn rests(self, margin: f64, spare: f64) -> bool;
}

/// ln(1 + exp(-m)): the loss of logistic regression, in nats.
#[derive(Debug, Clone, Copy)]
pub struct LogLoss;

impl Loss for LogLoss {
    // The third derivative is p (1 - p) (1 - 2p), never more than the second.
    const STEADY: bool = true;

    fn bend(self, margin: f64) -> (f64, f64) {
        let pull = sigmoid(-margin);
        (pull, pull * (1.0 - pull))
    }

    fn value(self, margin: f64) -> f64 {
        loss(margin)
    }

    fn pull(self, margin: f64) -> f64 {
        sigmoid(-margin)
    }

    fn curve(self, margin: f64) -> f64 {
        let p = sigmoid(margin);
        p * (1.0 - p)
    }

    fn conjugate(self, a: f64) -> f64 {
        entropy(a)
    }

    /// The solution of ln((1 - a) / a) = margin + q (a - old).
    ///
    /// In t = ln((1 - a) / a) this is t - margin - q (sigmoid(-t) - old) = 0, a smooth
    /// increasing function with slope between 1 and 1 + q/4: Newton steps, kept inside a
    /// bracket that always holds the root.
    fn best(self, margin: f64, old: f64, q: f64) -> f64 {
        let (mut low, mut high) = (margin - q * old, margin + q * (1.0 - old));
        let mut t = margin.clamp(low, high);
        for _ in 0..60 {
            let a = sigmoid(-t);
            let value = t - margin - q * (a - old);
            if value > 0.0 {
                high = t;
            } else {
                low = t;
            }
            let newton = t - value / (1.0 + q * a * (1.0 - a));
            let next = if newton > low && newton < high { newton } else { low + (high - low) / 2.0 };
            // Newton steps square the error: after one so small, nothing is left of it.
            if (next - t).abs() <= 1e-6 * t.abs().max(1.0) {
                return sigmoid(-next);
            }
            t = next;
        }
        sigmoid(-t)
    }

    fn rests(self, _: f64, _: f64) -> bool {
        false // every example pulls, however little
    }
}

/// max(0, 1 - m): the plain hinge of a support vector machine. Cortes and Vapnik (1995),
/// "Support-vector networks", Machine Learning 20, DOI 10.1007/BF00994018.
#[derive(Debug, Clone, Copy)]
pub struct PlainHinge;

impl Loss for PlainHinge {
    const CURVED: bool = false;

    fn value(self, margin: f64) -> f64 {
        (1.0 - margin).max(0.0)
    }

    fn pull(self, margin: f64) -> f64 {
        if margin < 1.0 { 1.0 } else { 0.0 }
    }

    fn curve(self, _: f64) -> f64 {
        0.0
    }

    fn conjugate(self, a: f64) -> f64 {
        a
    }

    fn best(self, margin: f64, old: f64, q: f64) -> f64 {
        (old + (1.0 - margin) / q).clamp(0.0, 1.0)
    }

    fn rests(self, margin: f64, spare: f64) -> bool {
        margin > 1.0 + spare
    }
}

/// max(0, 1 - m)^2: the squared hinge, which has a slope everywhere.
#[derive(Debug, Clone, Copy)]
pub struct SquaredHinge;

impl Loss for SquaredHinge {
    fn value(self, margin: f64) -> f64 {
        (1.0 - margin).max(0.0).powi(2)
    }

    fn pull(self, margin: f64) -> f64 {
        2.0 * (1.0 - margin).max(0.0)
    }

    fn curve(self, margin: f64) -> f64 {
        if margin < 1.0 { 2.0 } else { 0.0 }
    }

    fn conjugate(self, a: f64) -> f64 {
        a - a * a / 4.0
    }

    fn best(self, margin: f64, old: f64, q: f64) -> f64 {
        ((1.0 - margin + q * old) / (q + 0.5)).max(0.0)
    }

    fn rests(self, margin: f64, spare: f64) -> bool {
        margin > 1.0 + spare
    }
}

/// H(a) = -a ln a - (1 - a) ln(1 - a), 0 at both ends.
fn entropy(a: f64) -> f64 {
    let part = |p: f64| if p > 0.0 { -p * p.ln() } else { 0.0 };
    part(a) + part(1.0 - a)
}
