//! From raw scores to what is said: calibration, the natural mix, and decisions.

use rustc_hash::FxHashMap;

use super::error::FitError;
use super::seen::Said;
use super::teach::Raw;
use crate::labels::classes::Classes;
use crate::labels::per_class::ClassCounts;
use crate::labels::polarity::Polarity;
use crate::learn::calibrate::{Calibration, rows_of};
use crate::learn::classwise::{ClassCurves, FreeScale};
use crate::learn::curve::isotonic;
use crate::learn::decide::{Shown, decide};
use crate::learn::free::axes;
use crate::learn::inner_validation::Held;
use crate::learn::scale::{Scale, scale};
use crate::learn::settings::{Calibrate, Learning, Method};
use crate::measure::figures::Reached;
use crate::measure::verdict::{Decision, Place, Verdict};
use crate::settings::study::Study;

/// What speaks for neutral where each class has weights of its own: the weights above are those of positive against
/// negative then, and these of neutral against the mean of both.
#[derive(Debug, Clone)]
pub struct NeutralWeights {
    /// By term: its weight, in nats per unit of the term's value.
    pub weights: Vec<f32>,
    /// The neutrality of a review without known terms.
    pub intercept: f64,
}

/// What becomes of what was learnt.
pub(crate) struct Settled {
    pub(crate) weights: Vec<f32>,
    pub(crate) intercept: f64,
    pub(crate) half: f64,
    pub(crate) neutral: Option<NeutralWeights>,
    pub(crate) calibration: Calibration,
    pub(crate) decision: Decision,
    /// What the decision makes of the held-out rows that it was set on, where it was.
    pub(crate) reached: Option<Reached>,
    /// What is said of held-out rows, where there are some.
    pub(crate) said: Option<Said>,
}

/// What raw scores are settled by.
pub(crate) struct Settling<'a> {
    pub(crate) study: &'a Study,
    pub(crate) mix: ClassCounts,
    pub(crate) calibrated: Calibrate,
    /// By row of the matrix: its group.
    pub(crate) groups: &'a [u64],
}

impl Settling<'_> {
    /// Calibrates on held-out rows, corrects for the class mix, and sets how verdicts are reached.
    pub(crate) fn settle(&self, raw: Raw, held: &[Held]) -> Result<Settled, FitError> {
        let sound = |weights: &[f64]| weights.iter().all(|weight| weight.abs() <= 1e9);
        // A weight so large gives log-odds that mean nothing; NaN fails too.
        let all_sound = match &raw {
            Raw::Ordered { weights, intercepts } => sound(weights) && sound(intercepts),
            Raw::Free { weights, intercepts } => weights.iter().all(|own| sound(own)) && sound(intercepts),
        };
        if !all_sound {
            return Err(FitError::Overflow);
        }
        let mut settled = match raw {
            Raw::Ordered { weights, intercepts } => self.ordered(weights, intercepts, held)?,
            Raw::Free { weights, intercepts } => self.free(weights, intercepts, held)?,
        };
        // Without a term that pulls, every review would be called by the class mix: nothing is.
        let idle = |weights: &[f32]| weights.iter().all(|weight| *weight == 0.0);
        if idle(&settled.weights) && settled.neutral.as_ref().is_none_or(|neutral| idle(&neutral.weights)) {
            settled.decision = settled.decision.all_unsure();
        }
        Ok(settled)
    }

    fn ordered(
        &self,
        mut weights: Vec<f64>,
        mut intercepts: [f64; 2],
        held: &[Held],
    ) -> Result<Settled, FitError> {
        let middle = |[low, high]: [f64; 2]| (low + high) / 2.0;
        let classes = Classes::of(self.mix);
        let mut rows = rows_of(held);
        let mut calibration = Calibration::None;
        // Scores were learnt under the mix that balancing makes, and held-out rows are judged
        // under it: the correction comes after the calibration.
        let correction = self.study.balance.correction(self.mix);
        match self.calibrated {
            Calibrate::Scale => {
                if let Some(scale) = straight(&rows, classes, &self.study.model)? {
                    // It goes into the weights, and log-odds stay a sum.
                    let centre = middle(intercepts);
                    weights.iter_mut().for_each(|weight| *weight *= scale.slope);
                    intercepts = scale.intercepts.map(|intercept| intercept + scale.slope * centre);
                    rows.iter_mut().for_each(|row| row.0 = scale.slope * row.0 + middle(scale.intercepts));
                    calibration = Calibration::Scale { slope: scale.slope, reviews: rows.len() };
                }
            }
            Calibrate::Isotonic if rows.is_empty() => return Err(FitError::Uncalibrated),
            Calibrate::Isotonic => {
                let (by, reviews) = (middle(correction), rows.len());
                let above = |border: usize| {
                    let row = |row: &(f64, Polarity, f64)| (row.0, classes.side(border, row.1) > 0.0, row.2);
                    let curve = isotonic(&rows.iter().map(row).collect::<Vec<_>>());
                    curve.moved(by, correction[border])
                };
                calibration = match classes {
                    Classes::Two => Calibration::Isotonic { curve: above(0), reviews },
                    Classes::Three => Calibration::IsotonicBorders { curves: [above(0), above(1)], reviews },
                };
            }
            Calibrate::Auto | Calibrate::None => {}
        }
        let intercepts = [0, 1].map(|border| intercepts[border] + correction[border]);
        let (intercept, half) = (middle(intercepts), (intercepts[0] - intercepts[1]).max(0.0) / 2.0);
        let place = |score: f64| calibration.place(Place::between(score + middle(correction), half));
        let places: Vec<Place> = rows.iter().map(|row| place(row.0)).collect();
        let (decision, reached, said) = self.decision(held, &places, Some(half))?;
        let weights = narrowed(weights);
        Ok(Settled { weights, intercept, half, neutral: None, calibration, decision, reached, said })
    }

    fn free(
        &self,
        [mut weights, mut neutral]: [Vec<f64>; 2],
        mut intercepts: [f64; 2],
        held: &[Held],
    ) -> Result<Settled, FitError> {
        let change = self.study.balance.prior_change(self.mix);
        let [by_log_odds, by_neutrality] = axes(change);
        let mut calibration = Calibration::None;
        let mut scale = FreeScale::NONE;
        match self.calibrated {
            Calibrate::Scale => {
                let found = match FreeScale::of(held) {
                    None if self.study.model.calibration == Calibrate::Scale => {
                        return Err(FitError::Uncalibrated);
                    }
                    None if held.is_empty() || self.study.model.learner == Method::Logistic => None,
                    found => Some(found.unwrap_or_else(|| FreeScale::flat(held))),
                };
                if let Some(found) = found {
                    scale = found;
                    weights.iter_mut().for_each(|weight| *weight *= scale.slopes[0]);
                    neutral.iter_mut().for_each(|weight| *weight *= scale.slopes[1]);
                    intercepts = scale.scaled(intercepts);
                    calibration = Calibration::ScaleFree { slopes: scale.slopes, reviews: held.len() };
                }
            }
            Calibrate::Isotonic if held.is_empty() => return Err(FitError::Uncalibrated),
            Calibrate::Isotonic => {
                let curves = ClassCurves::of(held, change.map(f64::exp));
                calibration = Calibration::IsotonicClasses { curves, reviews: held.len() };
            }
            Calibrate::Auto | Calibrate::None => {}
        }
        // Curves correct for the mix themselves.
        let by = match calibration {
            Calibration::IsotonicClasses { .. } => [0.0; 2],
            _ => [by_log_odds, by_neutrality],
        };
        let [intercept, neutral_intercept] = [0, 1].map(|axis| intercepts[axis] + by[axis]);
        let place = |row: &Held| {
            let [log_odds, neutrality] = scale.scaled(row.scores);
            calibration.place(Place::apart(log_odds + by[0], neutrality + by[1]))
        };
        let places: Vec<Place> = held.iter().map(place).collect();
        let (decision, reached, said) = self.decision(held, &places, None)?;
        let neutral = NeutralWeights { weights: narrowed(neutral), intercept: neutral_intercept };
        Ok(Settled {
            weights: narrowed(weights),
            intercept,
            half: 0.0,
            neutral: Some(neutral),
            calibration,
            decision,
            reached,
            said,
        })
    }

    fn decision(
        &self,
        held: &[Held],
        places: &[Place],
        half: Option<f64>,
    ) -> Result<(Decision, Option<Reached>, Option<Said>), FitError> {
        let groups: Vec<u64> = held.iter().map(|held| self.groups[held.row as usize]).collect();
        let shown = |((row, place), weight): ((&Held, &Place), f64)| Shown {
            place: *place,
            label: row.label,
            weight,
        };
        let shown: Vec<Shown> = held.iter().zip(places).zip(weights_by_group(&groups)).map(shown).collect();
        let deciding = &self.study.decision;
        let wanted = deciding.precision_negative.unwrap_or_default();
        let decision = decide(deciding, (Classes::of(self.mix), half), &shown, self.study.balance.natural)
            .map_err(|error| FitError::OutOfReach { wanted, best: error.best })?;
        let said: Vec<Verdict> = places.iter().map(|place| decision.verdict(*place)).collect();
        let reached = deciding.learns().then(|| {
            let labels: Vec<Polarity> = held.iter().map(|held| held.label).collect();
            Reached::new(&labels, &said, &groups)
        });
        Ok((decision, reached.flatten(), (!said.is_empty()).then(|| Said::of(&said))))
    }
}

/// As a model keeps weights.
fn narrowed(weights: Vec<f64>) -> Vec<f32> {
    weights.into_iter().map(|weight| weight as f32).collect()
}

/// By held-out row: one over the held-out rows of its group.
fn weights_by_group(groups: &[u64]) -> Vec<f64> {
    let mut sizes: FxHashMap<u64, f64> = FxHashMap::default();
    groups.iter().for_each(|group| *sizes.entry(*group).or_default() += 1.0);
    groups.iter().map(|group| 1.0 / sizes[group]).collect()
}

/// The straight line from scores to log-odds, or what stands for it where scores do not rise with
/// the labels: an error if it was asked for by name; the scores as they are where nothing could be held
/// out, and always for logistic regression; and of other learners the class mix alone.
fn straight(
    held: &[(f64, Polarity, f64)],
    classes: Classes,
    learning: &Learning,
) -> Result<Option<Scale>, FitError> {
    let asked = learning.calibration == Calibrate::Scale;
    match scale(held, classes) {
        Some(scale) => Ok(Some(scale)),
        None if asked => Err(FitError::Uncalibrated),
        None if held.is_empty() || learning.learner == Method::Logistic => Ok(None),
        None => Ok(Some(Scale::flat(held, classes))),
    }
}
