//! What holds of every model, checked when one is read: a digest keeps out damage, not intent.

use std::collections::HashSet;

use heddle_core::labels::{ClassCounts, Classes, Polarity};
use heddle_core::learn::Calibration;
use heddle_core::model::{Parts, Term};

/// Weights may add up to so much: times the largest factor that a term can have in a review, the
/// sum is a number still.
const LARGEST_SUM: f64 = 1e200;

/// What is wrong with the parts of a model, if anything is.
pub(crate) fn check(parts: &Parts, classes: &[String]) -> Result<(), String> {
    let Parts { study, paths, terms, intercept, half, card, .. } = parts;
    let must = |holds: bool, what: &str| if holds { Ok(()) } else { Err(what.to_string()) };
    let mix = card.mix;
    let counted = |class: Polarity| mix[class];
    must(mix.iter().all(|count| *count <= u32::MAX as usize), "its numbers of reviews are none")?;
    must(
        Polarity::POLES.iter().all(|class| counted(*class) > 0),
        "one of its classes has no training review",
    )?;
    let own: Vec<&str> = Classes::of(mix).list().iter().map(|class| class.name()).collect();
    must(own == classes, "its classes are not those of its training reviews")?;
    must(
        counted(Polarity::Neutral) == 0 || study.polarity.has_neutral(),
        "it has a neutral class, and its rule has none",
    )?;
    must(intercept.is_finite(), "its intercept is no number")?;
    must(*half >= 0.0 && half.is_finite(), "the width of its neutral zone is none")?;
    must(card.cuts.is_sound(), "its cuts are out of order")?;
    must(card.pivot.is_finite() && card.pivot >= 0.0, "its mean number of terms is none")?;
    must(card.strength.is_none_or(|strength| strength > 0.0), "its strength is none")?;
    must(
        match &card.calibration {
            Calibration::Isotonic { curve, .. } => curve.is_sound(),
            Calibration::Scale { slope, .. } => slope.is_finite(),
            Calibration::None => true,
        },
        "its calibration is none",
    )?;
    check_terms(terms, mix)?;
    let kept = terms.iter().filter(|term| term.kept).count();
    must(kept == card.terms, "its card tells of another number of terms")?;
    must(card.pulling <= kept, "its card tells of more weights than there are terms")?;
    let mut known = HashSet::with_capacity(paths.len());
    must(paths.iter().all(|path| known.insert(*path)), "a term stands in it twice")
}

fn check_terms(terms: &[Term], mix: ClassCounts) -> Result<(), String> {
    let mut sum = 0.0;
    for (at, term) in terms.iter().enumerate() {
        let wrong = |what: &str| Err(format!("{what} of term {at}"));
        if !term.weight.is_finite() {
            return wrong("no number is the weight");
        }
        if term.kept && term.reviews() == 0 {
            return wrong("no training review has the words");
        }
        if term.counts.iter().zip(mix).any(|(count, most)| *count as usize > most) {
            return wrong("more reviews than were learnt from have the words");
        }
        sum += term.weight.abs();
    }
    if sum <= LARGEST_SUM { Ok(()) } else { Err("its weights are too large to be added up".into()) }
}
