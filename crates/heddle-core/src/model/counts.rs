//! Learning from counts alone: naive Bayes asks for no more.

use std::sync::Arc;

use super::error::{FitError, check_kept, check_mix};
use super::fit::{Fit, settled};
use super::settle::Settling;
use super::teach::{Learnt, Raw};
use crate::labels::classes::Classes;
use crate::labels::polarity::Polarity;
use crate::learn::bayes::of_counts;
use crate::learn::blend::Blend;
use crate::learn::layout::{Arrangement, Layout};
use crate::learn::learner::{Convergence, Stop};
use crate::learn::settings::{Calibrate, Events, Method};
use crate::measure::odds::loss;
use crate::resample::balance::Balance;
use crate::settings::study::Study;
use crate::terms::tally::Tallied;
use crate::text::negation::Style;

impl Study {
    /// What cannot be learnt from the counts of terms alone, if anything: the settings that ask for reviews.
    pub fn needs_reviews(&self) -> Option<&'static str> {
        let events = self.model.events;
        let weighs = events != Events::Presence && !self.terms.weighting.adds_up();
        let asks = [
            (self.model.learner != Method::Bayes, "model.learner (only naive-bayes is learnt from counts)"),
            (weighs, "terms.weighting (counts add up under nnn or ntn, or with model.events = \"presence\")"),
            // A word that is taken back in one review and said in another would cancel out in a sum.
            (self.negation.style == Style::Flip, "negation.style = \"flip\""),
            (matches!(self.model.calibration, Calibrate::Scale | Calibrate::Isotonic), "model.calibration"),
            (matches!(self.balance.method, Balance::Down | Balance::Up), "balance.method"),
            (self.decision.learns(), "[decision]"),
            (self.model.classes == Arrangement::Free, "model.classes = \"free\""),
            (!self.features.columns.is_empty(), "features.columns"),
            (self.terms.at_least_groups > 1, "terms.at_least_groups"),
        ];
        asks.into_iter().find(|(asked, _)| *asked).map(|(_, name)| name)
    }
}

/// Naive Bayes of counts, as it would be learnt of their reviews, but for the last digits, and without a calibration: for
/// that, reviews would have to be held out.
///
/// # Errors
/// As [`fit`](super::fit()).
///
/// # Panics
/// If the study asks for reviews.
pub fn fit_counts(tallied: &Tallied, study: &Study) -> Result<Fit, FitError> {
    let asks = study.needs_reviews();
    assert!(asks.is_none(), "these settings ask for reviews: {asks:?}");
    let selection = &tallied.selection;
    let mix = selection.mix;
    check_mix(mix)?;
    check_kept(selection, &tallied.counted)?;
    let (classes, learning) = (Classes::of(mix), &study.model);
    let value = |class: Polarity, column: usize| match learning.events {
        Events::Presence => f64::from(selection.count(class, crate::terms::TermId::new(column as u32))),
        Events::Multinomial | Events::Complement => tallied.times[column][class],
    };
    let costs = study.balance.costs(mix);
    let factors = &selection.document_factors;
    let (weights, intercepts) =
        of_counts(value, factors, (classes, mix, costs), (learning.events, learning.smoothing));
    // What the class mix alone would lose: there is no row to say more of.
    let all = mix.iter().sum::<usize>() as f64;
    let objective = classes.list().iter().map(|class| {
        let at = |border: usize| loss(classes.side(border, *class) * intercepts[border]);
        mix[*class] as f64 / all * (0..classes.borders()).map(at).sum::<f64>()
    });
    let learnt = Learnt {
        layout: Layout::Ordered(classes),
        held: Vec::new(),
        strength: None,
        choice: None,
        convergence: Convergence { stop: Stop::Done, rounds: 1, objective: objective.sum(), gap: None },
        blend: Blend::default(),
        raw: Raw::Ordered { weights, intercepts },
    };
    let settling = Settling { study, mix, calibrated: Calibrate::None, groups: &[] };
    settled(learnt, Arc::new(selection.clone()), &settling, None)
}
