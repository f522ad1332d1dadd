//! What holds of every model, checked when one is read: a digest keeps out damage, not intent.

use heddle_core::labels::{CLASSES, ClassCounts, Classes, Polarity};
use heddle_core::model::{Parts, TermArrays};
use rayon::prelude::*;

/// Terms that a core looks at at a time.
const AT_ONCE: usize = 1 << 14;

/// What is wrong with the parts of a model, if anything is.
pub(crate) fn check(parts: &Parts, classes: &[String]) -> Result<(), String> {
    let Parts { study, terms, intercept, half, card, .. } = parts;
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
    must(card.calibration.is_sound(), "its calibration is none")?;
    must(
        card.neutral_intercept.is_none_or(|intercept| intercept.is_finite() && mix[Polarity::Neutral] > 0),
        "its intercept for neutral is none",
    )?;
    must(
        card.columns.as_ref().map_or(study.features.columns.is_empty(), |own| {
            own.is_sound(&study.features.columns, card.is_free())
        }),
        "its columns are not those of its settings",
    )?;
    let told = card.vectors.is_some() && study.features.vectors.is_some();
    must(
        parts.vectors.as_ref().map_or(card.vectors.is_none(), |own| told && own.is_sound(card.is_free())),
        "its word vectors are not those of its settings",
    )?;
    check_terms(terms, mix)?;
    let kept = terms.kept.iter().filter(|kept| **kept).count();
    must(kept == card.terms, "its card tells of another number of terms")?;
    must(card.pulling <= kept, "its card tells of more weights than there are terms")
}

/// Weights of 32 bits are never too large to be added up in 64.
fn check_terms(terms: &TermArrays, mix: ClassCounts) -> Result<(), String> {
    let wrong = |what: &str, term: usize| Err(format!("{what} of term {term}"));
    let infinite = |weights: &[f32]| first(weights.len(), |term| !weights[term].is_finite());
    if let Some(term) = infinite(&terms.weights).or_else(|| infinite(&terms.neutral)) {
        return wrong("no number is the weight", term);
    }
    for class in CLASSES {
        let counts = &terms.counts[class];
        if let Some(term) = first(counts.len(), |term| counts[term] as usize > mix[class]) {
            return wrong("more reviews than were learnt from have the words", term);
        }
    }
    let held = |term: usize| terms.counts_of(term).iter().any(|count| *count > 0);
    match first(terms.kept.len(), |term| terms.kept[term] && !held(term)) {
        Some(term) => wrong("no training review has the words", term),
        None => Ok(()),
    }
}

/// The first of so many terms that is `wrong`; all cores look for it.
pub(crate) fn first(terms: usize, wrong: impl Fn(usize) -> bool + Sync) -> Option<usize> {
    let in_chunk =
        |chunk: usize| (chunk * AT_ONCE..((chunk + 1) * AT_ONCE).min(terms)).find(|term| wrong(*term));
    (0..terms.div_ceil(AT_ONCE)).into_par_iter().find_map_first(in_chunk)
}
