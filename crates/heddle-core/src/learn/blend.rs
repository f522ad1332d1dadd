//! The class ratios of terms as a second voice beside learnt weights.
//!
//! A learner that looks at all terms at once splits what they say together between them; the ratio of a term's
//! shares in the classes looks at each alone, and needs few reviews to know it. Wang and Manning (2012), "Baselines
//! and bigrams: simple, good sentiment and topic classification", ACL, <https://aclanthology.org/P12-2018>, mix
//! weights with their mean size for the same reason; here they are mixed with the ratios themselves, by as much as
//! held-out reviews ask for. The mixture is one linear model again.

use super::calibrate::calibrated_losses;
use super::inner_validation::Held;
use super::layout::Layout;

/// How loud the second voice may be, in units of the first: tried in this order while held-out loss falls.
const SHARES: [f64; 9] = [0.0, 0.1, 0.2, 0.35, 0.5, 0.75, 1.0, 1.5, 2.5];

/// How much of the class ratios is added.
#[derive(Debug, Clone, Copy, PartialEq, Default)]
pub(crate) struct Blend {
    /// The spread of what is added, as a share of the spread of the scores.
    pub(crate) share: f64,
    /// What the leanings of the terms are multiplied by before they are added to the weights.
    pub(crate) factor: f64,
}

impl Blend {
    /// The one of least held-out loss once scores are calibrated; none where the leanings say nothing.
    pub(crate) fn of(held: &[Held], layout: Layout) -> Self {
        let square = |of: fn(&Held) -> f64| held.iter().map(|held| of(held).powi(2)).sum::<f64>();
        let unit = (square(Held::centre) / square(|held| held.leaning)).sqrt();
        if !unit.is_finite() {
            return Self::default();
        }
        let (mut best, mut least) = (Self::default(), f64::INFINITY);
        for share in SHARES {
            let blend = Self { share, factor: share * unit };
            let loss: f64 = calibrated_losses(&blend.added_to(held), layout).iter().sum();
            if loss.is_nan() || loss >= least {
                break;
            }
            (best, least) = (blend, loss);
        }
        best
    }

    /// Held-out rows with the second voice.
    pub(crate) fn added_to(self, held: &[Held]) -> Vec<Held> {
        let with =
            |held: &Held| Held { scores: held.scores.map(|s| s + self.factor * held.leaning), ..*held };
        held.iter().map(with).collect()
    }
}
