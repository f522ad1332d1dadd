//! The simulations in a small form: few draws and few reviews, seeded, so that each run gives the same.

use heddle_core::learn::{Method, Penalty};
use simulations::coverage::{KINDS, NO_SIGNAL, coverage};
use simulations::curve::forecasts;
use simulations::exchangeable::exchangeable;
use simulations::slope::slopes;
use simulations::unsure::unsure;
use simulations::usual;

#[test]
fn intervals_of_folds_hold_the_figure_of_the_delivered_model() {
    // With 60 draws an interval that holds 95 % of the time is seen to hold in 87 % or more but for one time in a hundred.
    let mut all = Vec::new();
    for (kind, traits) in KINDS {
        for own in coverage(traits, 200, 60, &usual()) {
            assert!(own.covered >= 0.8, "{kind}: {own:?}");
            all.push(own.covered);
        }
    }
    let mean = all.iter().sum::<f64>() / all.len() as f64;
    assert!((0.92..=0.985).contains(&mean), "{mean}");
}

#[test]
fn two_ways_that_are_equally_good_are_seldom_told_apart() {
    let mut study = usual();
    study.validation.rounds = 2;
    let found = exchangeable(KINDS[0].1, 200, 60, &study);
    assert_eq!(found.draws, 60);
    assert!(found.shares.iter().all(|share| *share <= 0.1), "{found:?}");
}

#[test]
fn probabilities_are_neither_timid_nor_bold() {
    let found = slopes(KINDS[0].1, 600, 16, &usual());
    assert!((0.93..1.1).contains(&found.median), "{found:?}");
    assert!(found.loss < 0.006, "{found:?}");
}

#[test]
fn the_band_of_the_unsure_keeps_its_promise_with_signal_and_without() {
    for (kind, traits) in [KINDS[0], KINDS[3], NO_SIGNAL] {
        for (learner, penalty) in [(Method::Svm, Penalty::Ridge), (Method::Logistic, Penalty::Lasso)] {
            let mut study = usual();
            study.decision.unsure = Some(0.95);
            (study.model.learner, study.model.penalty) = (learner, penalty);
            // Fifty where there is no signal, which is where the promise is hard to keep.
            let draws = if kind == NO_SIGNAL.0 { 50 } else { 20 };
            let found = unsure(traits, 300, draws as u64, &study);
            let about = format!("{kind}, {learner:?} {penalty:?}: {found:?}");
            assert_eq!(found.draws, draws, "{about}");
            assert!(found.mean >= 0.94 && found.least >= 0.8 && found.broken * 10 <= draws, "{about}");
            // Where there is nothing to know, little is called.
            assert!(kind != NO_SIGNAL.0 || found.called < 0.1, "{about}");
        }
    }
}

#[test]
fn the_forecast_of_a_learning_curve_holds_what_comes() {
    for own in forecasts(KINDS[0].1, 200, 16, &usual()) {
        assert!(own.draws == 16 && own.covered >= 0.75, "{own:?}");
        assert!((0.5..2.0).contains(&(own.forecast / own.came)), "{own:?}");
    }
}
