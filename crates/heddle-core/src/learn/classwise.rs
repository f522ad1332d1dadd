//! From the scores of free classes to probabilities that may be believed.

use serde::{Deserialize, Serialize};

use super::curve::{Curve, isotonic};
use super::free::axes;
use super::inner_validation::Held;
use super::least::least;
use super::multinomial::{curvature, slopes};
use crate::labels::per_class::PerClass;
use crate::labels::polarity::Polarity;
use crate::measure::odds::sigmoid;
use crate::measure::verdict::{Place, against_the_rest};

/// What brings the scores of free classes to log-odds and neutrality: each times a slope, plus an intercept.
#[derive(Debug, Clone, Copy, PartialEq)]
pub(crate) struct FreeScale {
    pub(crate) slopes: [f64; 2],
    pub(crate) intercepts: [f64; 2],
}

/// The parameters that are fitted: both slopes, then both intercepts.
type Parameters = [f64; 4];

impl FreeScale {
    /// As scores are.
    pub(crate) const NONE: Self = Self { slopes: [1.0; 2], intercepts: [0.0; 2] };

    /// The scale of least log loss on held-out rows, each class's targets kept off 0 and 1 as Platt (2000) does it for
    /// two: a row's own class gets (n + 1) / (n + 3) of n rows of that class, and the others the rest. By Newton steps that
    /// are halved until the loss falls. A neutrality that does not rise with neutral rows is left out.
    ///
    /// Nothing where a class has no row, or the log-odds do not rise with the poles.
    pub(crate) fn of(held: &[Held]) -> Option<Self> {
        let whole = Fitting::new(held, [true; 2])?.best();
        if whole.slopes[1] > 0.0 {
            return (whole.slopes[0] > 0.0).then_some(whole);
        }
        let poles = Fitting::new(held, [true, false])?.best();
        (poles.slopes[0] > 0.0).then_some(poles)
    }

    /// What is left where scores say nothing: the class mix of the rows.
    pub(crate) fn flat(held: &[Held]) -> Self {
        let all = PerClass::of(|class| {
            held.iter().filter(|row| row.label == class).map(|row| row.cost).sum::<f64>() + 1.0
        });
        let [negative, positive, neutral] = all.map(f64::ln).into_array();
        Self { slopes: [0.0; 2], intercepts: axes([negative, positive, neutral].into()) }
    }

    /// Scores brought to scale: the log-odds and the neutrality.
    pub(crate) fn scaled(&self, scores: [f64; 2]) -> [f64; 2] {
        [0, 1].map(|axis| self.slopes[axis] * scores[axis] + self.intercepts[axis])
    }

    /// Where scores lie once they are brought to scale.
    pub(crate) fn place(&self, scores: [f64; 2]) -> Place {
        let [log_odds, neutrality] = self.scaled(scores);
        Place::apart(log_odds, neutrality)
    }
}

/// The fit of a scale.
struct Fitting<'a> {
    held: &'a [Held],
    /// By axis: 1 over the root mean square of its scores; 0 for an axis that is left out.
    units: [f64; 2],
    targets: PerClass<PerClass<f64>>,
}

impl<'a> Fitting<'a> {
    fn new(held: &'a [Held], used: [bool; 2]) -> Option<Self> {
        let counts = PerClass::of(|class| held.iter().filter(|row| row.label == class).count() as f64);
        let square =
            |axis: usize| held.iter().map(|row| row.scores[axis].powi(2)).sum::<f64>() / held.len() as f64;
        let unit = |axis: usize| if used[axis] { 1.0 / square(axis).sqrt() } else { 0.0 };
        let units = [unit(0), unit(1)];
        let target = |own: Polarity| {
            PerClass::of(|class| (if class == own { counts[own] + 1.0 } else { 1.0 }) / (counts[own] + 3.0))
        };
        let sound = counts.iter().all(|count| *count > 0.0) && units.iter().all(|unit| unit.is_finite());
        sound.then(|| Self { held, units, targets: PerClass::of(target) })
    }

    fn place(&self, at: &Parameters, row: &Held) -> Place {
        let [log_odds, neutrality] =
            [0, 1].map(|axis| at[axis] * row.scores[axis] * self.units[axis] + at[2 + axis]);
        Place::apart(log_odds, neutrality)
    }

    /// The loss at a place, with its first and second derivatives.
    fn at(&self, at: &Parameters) -> (f64, Parameters, [Parameters; 4]) {
        let (mut loss, mut gradient, mut second) = (0.0, [0.0; 4], [[0.0; 4]; 4]);
        for row in self.held {
            let (place, targets) = (self.place(at, row), &self.targets[row.label]);
            let own = place.probabilities();
            let (mut lost, mut pulls) = (0.0, [0.0; 2]);
            for class in Polarity::ALL {
                lost += targets[class] * place.log_loss(class);
                let parts = slopes(&own, class);
                (0..2).for_each(|axis| pulls[axis] += targets[class] * parts[axis]);
            }
            loss += row.cost * lost;
            let bend = curvature(&own);
            // By parameter: its axis, and what the axis is multiplied by.
            let reach = |at: usize| if at < 2 { row.scores[at] * self.units[at] } else { 1.0 };
            for one in 0..4 {
                gradient[one] += row.cost * pulls[one % 2] * reach(one);
                for other in 0..4 {
                    second[one][other] += row.cost * bend[one % 2][other % 2] * reach(one) * reach(other);
                }
            }
        }
        (loss, gradient, second)
    }

    fn best(&self) -> FreeScale {
        let look = |at: &Parameters| {
            let (loss, gradient, second) = self.at(at);
            (loss, solved(second, gradient))
        };
        let at = least([1.0, 1.0, 0.0, 0.0], look);
        FreeScale { slopes: [at[0] * self.units[0], at[1] * self.units[1]], intercepts: [at[2], at[3]] }
    }
}

/// The solution of a symmetric system of four, by elimination; a little is added to the diagonal, so that one is there.
fn solved(mut matrix: [Parameters; 4], mut right: Parameters) -> Option<Parameters> {
    const SMALL: f64 = 1e-10;
    (0..4).for_each(|at| matrix[at][at] += SMALL);
    for pivot in 0..4 {
        for row in pivot + 1..4 {
            let factor = matrix[row][pivot] / matrix[pivot][pivot];
            let above = matrix[pivot];
            matrix[row].iter_mut().zip(above).for_each(|(own, above)| *own -= factor * above);
            right[row] -= factor * right[pivot];
        }
    }
    let mut found = [0.0; 4];
    for row in (0..4).rev() {
        let known: f64 = (row + 1..4).map(|at| matrix[row][at] * found[at]).sum();
        found[row] = (right[row] - known) / matrix[row][row];
    }
    found.iter().all(|value| value.is_finite()).then_some(found)
}

/// A rising curve for each class, from its log-odds against the rest to its probability; those of a review are divided by
/// their sum. Zadrozny and Elkan (2002), "Transforming classifier scores into accurate multiclass probability estimates",
/// DOI 10.1145/775047.775151, section 4.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct ClassCurves {
    /// The curve of each class.
    pub curves: PerClass<Curve>,
    /// What each probability is multiplied by before they are divided by their sum: the natural mix over that of the
    /// held-out rows as they were counted.
    pub odds: PerClass<f64>,
}

impl ClassCurves {
    /// Learns the curves on held-out rows.
    pub(crate) fn of(held: &[Held], odds: PerClass<f64>) -> Self {
        let curve = |class: Polarity| {
            let row = |row: &Held| {
                let probabilities = Place::apart(row.scores[0], row.scores[1]).probabilities();
                (against_the_rest(&probabilities, class), row.label == class, row.cost)
            };
            isotonic(&held.iter().map(row).filter(|row| row.0.is_finite()).collect::<Vec<_>>())
        };
        Self { curves: PerClass::of(curve), odds }
    }

    /// The place of a review whose scores put it elsewhere.
    pub(crate) fn place(&self, scored: Place) -> Place {
        let before = scored.probabilities();
        let share = |class: Polarity| {
            let log_odds = self.curves[class].log_odds(against_the_rest(&before, class));
            sigmoid(log_odds) * self.odds[class]
        };
        let [negative, positive, neutral] = PerClass::of(share).map(f64::ln).into_array();
        let [log_odds, neutrality] = axes([negative, positive, neutral].into());
        Place::apart(log_odds, neutrality)
    }

    /// Whether they can be used.
    pub fn is_sound(&self) -> bool {
        self.curves.iter().all(Curve::is_sound)
            && self.odds.iter().all(|odds| *odds > 0.0 && odds.is_finite())
    }
}
