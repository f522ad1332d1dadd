//! Figures of one class mix, told for another.

use super::figures::Figures;
use super::interval::Figure;
use super::odds::sigmoid;
use crate::labels::polarity::Polarity;

/// The precision of a class as it would be if negative reviews had another share, the
/// recalls staying what they are:
///
/// ```text
/// precision = share x recall / (share x recall + (1 - share) x (1 - recall of the other))
/// ```
///
/// On the scale of log-odds that is ln(share / (1 - share)) + ln(recall) - ln(1 - recall of the other), and the
/// intervals of the two recalls, whatever they take account of, make that of the sum: Zou and Donner (2008),
/// "Construction of confidence limits about effect measures", DOI 10.1002/sim.3095. Undefined where a recall is 0 or
/// cannot be told; where no review of the other class is called this one, the precision is 1 and only its lower end
/// can be told.
pub fn precision_at(figures: &Figures, class: Polarity, negative: f64) -> Figure {
    let other = if class == Polarity::Negative { Polarity::Positive } else { Polarity::Negative };
    let share = if class == Polarity::Negative { negative } else { 1.0 - negative };
    let recall = |class| figures.class(class).map(|own| own.recall);
    let n = figures.confusion.of(class) + figures.confusion.of(other);
    let ends = |figure: Figure| Some([figure.low?, figure.value?, figure.high?]);
    let both = || Some((ends(recall(class)?)?, ends(recall(other)?)?));
    let Some(([low, hits, high], other)) = both() else { return Figure::undefined(n) };
    let [fewest, alarms, most] = [other[2], other[1], other[0]].map(|recall| 1.0 - recall);
    if hits <= 0.0 || !(share > 0.0 && share < 1.0) {
        return Figure::undefined(n);
    }
    let at = (share / (1.0 - share)).ln();
    if alarms <= 0.0 {
        // The worst that both intervals leave open.
        return Figure::new(1.0, sigmoid(at + low.ln() - most.ln()), 1.0, n);
    }
    let odds = at + hits.ln() - alarms.ln();
    let below = (hits.ln() - low.ln()).hypot(most.ln() - alarms.ln());
    let above = (high.ln() - hits.ln()).hypot(alarms.ln() - fewest.ln());
    Figure::new(sigmoid(odds), sigmoid(odds - below), sigmoid(odds + above), n)
}

/// The share of negative reviews behind the share of them that is called so, for a caller whose recalls are known: Rogan and
/// Gladen (1978), "Estimating prevalence from the results of a screening test", American Journal of Epidemiology 107, DOI
/// 10.1093/oxfordjournals.aje.a112510. Holds where the same mistakes are made in each class as when the recalls were found.
/// Undefined where calls tell nothing of the classes.
pub fn negative_behind(called: &Figure, figures: &Figures) -> Option<Figure> {
    let half = |own: &Figure| Some((own.value?, (own.high? - own.low?) / 2.0));
    let recall = |class| half(&figures.class(class)?.recall);
    let ((negative, a), (positive, b)) = (recall(Polarity::Negative)?, recall(Polarity::Positive)?);
    let (value, half) = half(called)?;
    let informed = negative + positive - 1.0;
    if informed <= 0.0 {
        return None;
    }
    let estimate = ((value + positive - 1.0) / informed).clamp(0.0, 1.0);
    let error = (half.powi(2) + (estimate * a).powi(2) + ((1.0 - estimate) * b).powi(2)).sqrt() / informed;
    Some(Figure::new(estimate, estimate - error, estimate + error, called.n).within(0.0, 1.0))
}
