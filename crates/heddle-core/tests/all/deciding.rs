//! Calibration, cuts and folds by date, against their definitions.

use heddle_core::labels::{Classes, Polarity, read_date};
use heddle_core::learn::{Calibrate, Calibration, Method, Strength};
use heddle_core::measure::{
    Cuts, Decision, Dependence, Place, Trust, Verdict, cut_points, gains, probabilities, reliability, sigmoid,
};
use heddle_core::model::{FitError, fit};
use heddle_core::resample::{Random, Sample};
use heddle_core::settings::{Order, Study};
use heddle_core::text::Concessions;
use heddle_core::validate::{
    CrossValidationResult, FoldSplit, HeldOut, Judged, Measure, ValidateError, chosen_elsewhere, compare,
    cross_validate, cross_validate_path, fold_splits, learning_curve, rank, slices,
};
use proptest::prelude::*;
use worlds::{World, all, fixed};

use Polarity::{Negative, Neutral, Positive};

fn verdict(log_odds: f64) -> Verdict {
    let called = Polarity::of_log_odds(log_odds);
    Verdict { log_odds, neutral: Place::between(log_odds, 0.0).neutral, called, sure: true }
}

proptest! {
    #[test]
    fn probabilities_sum_to_one_and_bands_leave_no_gap(
        log_odds in -40.0..40.0f64,
        half in 0.0..5.0f64,
        low in -3.0..3.0f64,
        width in 0.0..3.0f64,
    ) {
        let p = probabilities(log_odds, half);
        prop_assert!((p.iter().sum::<f64>() - 1.0).abs() < 1e-12);
        prop_assert!(p.iter().all(|p| (0.0..=1.0).contains(p)), "{:?}", p);
        // The most probable class is the one that is called.
        let called = Cuts::most_probable(half).call(log_odds);
        let best = p.iter().copied().fold(0.0, f64::max);
        prop_assert!(p[called] >= best - 1e-9, "{:?} {:?}", p, called);
        // With a band every log-odds has exactly one verdict: negative, unsure or positive.
        let cuts = Cuts { negative: low, positive: low, unsure: Some([low - width, low + width]) };
        let said = cuts.verdict(log_odds, 0.0);
        let within = log_odds >= low - width && log_odds < low + width;
        prop_assert_eq!(said.sure, !within);
        prop_assert_eq!(said.called, if log_odds < low { Negative } else { Positive });
    }
}

#[test]
fn the_log_loss_of_a_verdict_is_that_of_its_probability() {
    for (log_odds, half) in [(0.3, 0.0), (-2.0, 0.7), (1.5, 1.2)] {
        let said = Verdict { neutral: Place::between(log_odds, half).neutral, ..verdict(log_odds) };
        for class in [Negative, Neutral, Positive] {
            let p = said.probability(class);
            if p > 0.0 {
                assert!((said.log_loss(class) + p.ln()).abs() < 1e-12);
            }
        }
    }
    // Far out, where a probability rounds to 1, the loss keeps its digits.
    assert!(verdict(50.0).log_loss(Positive) > 0.0);
}

/// A world whose study asks for something.
fn world(change: impl Fn(&mut Study)) -> World {
    let mut study = fixed(0.01);
    change(&mut study);
    World::new(600, 17, study)
}

#[test]
fn calibrated_probabilities_are_those_seen_on_held_out_reviews() {
    for (learner, calibration) in [
        (Method::Bayes, Calibrate::Scale),
        (Method::Svm, Calibrate::Scale),
        (Method::Svm, Calibrate::Isotonic),
        (Method::Logistic, Calibrate::Isotonic),
    ] {
        let mut study = Study::default();
        (study.model.learner, study.model.calibration) = (learner, calibration);
        let world = World::new(900, 18, study);
        let found = cross_validate(&world.counted, &world.sample, &world.study, || {}).expect("folds");
        let said: Vec<Verdict> = found.held_out[0].iter().flatten().map(|held| held.verdict).collect();
        let off = reliability(&world.sample.labels, &said, &Dependence::default())
            .iter()
            .filter(|bin| bin.off)
            .count();
        assert!(off <= 3, "{learner:?} {calibration:?}: {off} of 10 bins are off");
    }
}

#[test]
fn an_isotonic_curve_rises_and_is_never_certain() {
    let fitted = world(|study| study.model.calibration = Calibrate::Isotonic).fit();
    let Calibration::Isotonic { curve, reviews } = &fitted.calibration else {
        panic!("a curve was asked for")
    };
    assert!(curve.is_sound() && *reviews == 600);
    let mut last = f64::NEG_INFINITY;
    for step in -100..=100 {
        let log_odds = curve.log_odds(f64::from(step) / 10.0);
        assert!(log_odds >= last && log_odds.is_finite());
        last = log_odds;
    }
}

#[test]
fn costs_move_the_cut_to_where_both_mistakes_cost_alike() {
    let fitted = world(|study| study.decision.cost_missed_negative = 4.0).fit();
    // p(negative) x 4 = p(positive) x 1 at a probability of positive of 4/5.
    let Decision::OnAxis(cuts) = fitted.decision else { panic!("two classes have cuts on their axis") };
    assert!((sigmoid(cuts.positive) - 0.8).abs() < 1e-12);
    assert_eq!(cuts.negative, cuts.positive);
}

#[test]
fn a_wanted_recall_is_reached_on_held_out_reviews() {
    for wanted in [0.8, 0.95] {
        let world = world(|study| study.decision.recall_negative = Some(wanted));
        let found = cross_validate(&world.counted, &world.sample, &world.study, || {}).expect("folds");
        let recall = found.figures.class(Negative).expect("a class").recall;
        assert!(recall.high >= Some(wanted), "{wanted}: {recall:?}");
        assert!(recall.value < Some(wanted + 0.08), "no more than asked for: {recall:?}");
    }
}

#[test]
fn a_precision_out_of_reach_is_told_with_the_best_there_is() {
    let world = world(|study| study.decision.precision_negative = Some(0.75));
    let found = cross_validate(&world.counted, &world.sample, &world.study, || {}).expect("folds");
    assert!(found.figures.class(Negative).expect("a class").precision.high >= Some(0.75));
    let mut draw = Random::new(3);
    let labels = (0..600).map(|_| Polarity::POLES[draw.below(2)]).collect();
    let mut study = world.study.clone();
    study.decision.precision_negative = Some(0.999);
    let noise = World::of(world.texts.clone(), labels, study);
    let error = fit(&noise.counted, &noise.sample, &noise.rows(), &noise.study).expect_err("out of reach");
    assert!(matches!(error, FitError::OutOfReach { wanted: 0.999, best } if best < 0.999), "{error}");
}

#[test]
fn an_unsure_band_keeps_its_promise_on_held_out_reviews() {
    for kept in [0.8, 0.9, 0.97] {
        let world = world(|study| study.decision.unsure = Some(kept));
        let found = cross_validate(&world.counted, &world.sample, &world.study, || {}).expect("folds");
        match &found.figures.unsure {
            Some(unsure) => {
                for share in &unsure.kept {
                    assert!(share.high >= Some(kept), "{kept}: {share:?}");
                }
                assert!(unsure.accuracy.value > found.figures.accuracy.value);
            }
            // Where classes are told apart better than asked for, nothing is unsure.
            None => assert!(found.figures.classes.iter().all(|own| own.recall.high >= Some(kept))),
        }
    }
}

#[test]
fn scores_without_meaning_are_not_calibrated() {
    let (texts, _) = worlds::reviews(200, 3);
    let labels = (0..200).map(|row| Polarity::POLES[row / 100]).collect();
    let mut study = Study::default();
    (study.model.learner, study.model.calibration) = (Method::Bayes, Calibrate::Scale);
    let mut world = World::of(texts, labels, study);
    let mut draw = Random::new(8);
    world.sample.labels = (0..200).map(|_| Polarity::POLES[draw.below(2)]).collect();
    match fit(&world.counted, &world.sample, &world.rows(), &world.study) {
        Err(error) => assert_eq!(error, FitError::Uncalibrated),
        Ok(fitted) => {
            let Calibration::Scale { slope, .. } = fitted.calibration else { panic!("scale was asked for") };
            assert!(slope < 0.5, "nearly nothing may be believed: {slope}");
        }
    }
}

/// A sample with a day for each row, ten rows a day.
fn dated(rows: usize) -> Sample {
    let labels = (0..rows).map(|row| Polarity::POLES[row % 2]).collect();
    let mut sample = Sample::new(labels, (0..rows as u64).collect());
    let day = |row: usize| format!("2025-{:02}-{:02}", row / 100 + 1, row / 10 % 10 + 1);
    sample.days = (0..rows)
        .map(|row| read_date(&day(row), heddle_core::labels::DateOrder::default()).map(|dated| dated.day))
        .collect();
    sample
}

#[test]
fn rolling_folds_learn_from_the_past_alone() {
    let mut sample = dated(300);
    sample.groups[5] = sample.groups[290]; // the same review, early and late
    let study = Study::default();
    let validating =
        heddle_core::settings::Validating { order: Order::Rolling, folds: 4, ..study.validation.clone() };
    let parts = fold_splits(&sample, &all(&sample), &validating).expect("enough days");
    assert_eq!(parts.len(), 4);
    let mut held: Vec<u32> = Vec::new();
    for FoldSplit { training, held: own, .. } in &parts {
        let latest = training.iter().map(|&row| sample.days[row as usize]).max().expect("rows");
        let first = own.iter().map(|&row| sample.days[row as usize]).min().expect("rows");
        assert!(latest < first, "a day is never divided");
        let groups: Vec<u64> = own.iter().map(|&row| sample.groups[row as usize]).collect();
        assert!(training.iter().all(|&row| !groups.contains(&sample.groups[row as usize])));
        held.extend(own);
    }
    held.sort_unstable();
    held.dedup();
    assert!(held.len() > 200 && held[0] > 0, "each row at most once, the first ones never");
    sample.days[7] = None;
    let error = fold_splits(&sample, &all(&sample), &validating).expect_err("a day is missing");
    assert_eq!(error, ValidateError::NoDays { missing: 1, rows: 300 });
    let few = dated(20);
    let error = fold_splits(&few, &all(&few), &validating).expect_err("two days");
    assert_eq!(error, ValidateError::TooFewDays { days: 2, folds: 4 });
}

#[test]
fn rounds_deal_the_same_reviews_anew() {
    let world = world(|study| (study.validation.rounds, study.validation.folds) = (3, 5));
    let found = cross_validate(&world.counted, &world.sample, &world.study, || {}).expect("folds");
    assert_eq!((found.rounds.len(), found.folds.len()), (3, 15));
    assert!(found.held_out.iter().all(|round| round.iter().all(Option::is_some)));
    let fold_of =
        |round: usize| -> Vec<usize> { found.held_out[round].iter().flatten().map(|h| h.fold).collect() };
    assert_ne!(fold_of(0), fold_of(1));
    let mean = found.rounds.iter().map(|round| round.accuracy.value.expect("defined")).sum::<f64>() / 3.0;
    assert!((found.figures.accuracy.value.expect("defined") - mean).abs() < 1e-12);
}

#[test]
fn smaller_shares_are_parts_of_larger_ones() {
    let sample = dated(400);
    let parts = fold_splits(&sample, &all(&sample), &Study::default().validation).expect("enough rows");
    let (quarter, half) = (parts[0].with_share(&sample, 0.25, 7), parts[0].with_share(&sample, 0.5, 7));
    assert!(quarter.training.iter().all(|row| half.training.contains(row)));
    let share = half.training.len() as f64 / parts[0].training.len() as f64;
    assert!((share - 0.5).abs() < 0.1 && half.held == parts[0].held);
}

#[test]
fn more_reviews_bring_more_and_less_each_time() {
    let mut study = Study::default();
    study.validation.folds = 5;
    study.negation.concessions = Concessions::Keep; // what these reviews were labelled by counts in full
    let world = World::new(900, 30, study);
    let whole = cross_validate(&world.counted, &world.sample, &world.study, || {}).expect("folds");
    let parts = fold_splits(&world.sample, &world.rows(), &world.study.validation).expect("folds");
    let found = learning_curve(
        &world.counted,
        &world.sample,
        &world.study,
        Judged { validation: &whole, splits: &parts },
        || {},
    )
    .expect("enough for an eighth");
    assert!(found.points.is_sorted_by(|a, b| a.reviews < b.reviews) && found.points.len() == 4);
    assert_eq!(found.points[3].accuracy, whole.figures.accuracy);
    assert!(found.points[3].log_loss.value < found.points[0].log_loss.value);
    assert!(found.next_doubling.value <= found.last_doubling.value.map(|gain| gain.max(0.0)));
}

#[test]
fn a_path_gives_what_single_strengths_give_but_for_the_tolerance() {
    let mut study = fixed(1.0);
    (study.validation.folds, study.model.tolerance) = (4, 1e-8);
    let world = World::new(300, 31, study.clone());
    let strengths = [0.1, 0.01, 0.001].map(Strength::Fixed);
    let path = cross_validate_path(&world.counted, &world.sample, &study, &strengths, || {}).expect("folds");
    for (strength, found) in strengths.into_iter().zip(&path) {
        study.model.strength = strength;
        let alone = cross_validate(&world.counted, &world.sample, &study, || {}).expect("folds");
        for (a, b) in found.held_out[0].iter().flatten().zip(alone.held_out[0].iter().flatten()) {
            assert!((a.verdict.log_odds - b.verdict.log_odds).abs() < 1e-3, "{strength:?}");
        }
    }
}

#[test]
fn the_corrected_t_interval_is_that_of_its_formula() {
    let mut study = fixed(0.01);
    study.validation.folds = 5;
    let world = World::new(400, 32, study.clone());
    let first = cross_validate(&world.counted, &world.sample, &study, || {}).expect("folds");
    study.model.strength = Strength::Fixed(1.0);
    let second = cross_validate(&world.counted, &world.sample, &study, || {}).expect("folds");
    let found = compare(&world.sample, &first, &second).accuracy;
    let by_fold: Vec<f64> = first
        .folds
        .iter()
        .zip(&second.folds)
        .map(|(a, b)| b.accuracy.value.expect("defined") - a.accuracy.value.expect("defined"))
        .collect();
    let mean = by_fold.iter().sum::<f64>() / 5.0;
    let variance = by_fold.iter().map(|d| (d - mean).powi(2)).sum::<f64>() / 4.0;
    let half = 2.776_445_105 * ((1.0 / 5.0 + 1.0 / 4.0) * variance).sqrt(); // t of 4 degrees, 97.5 %
    assert!((found.value.expect("defined") - mean).abs() < 1e-12);
    assert!((found.high.expect("defined") - mean - half).abs() < 1e-4 * half.max(1e-9), "{found:?}");
    let same = compare(&world.sample, &first, &first);
    assert!(same.is_noise() && same.p == 1.0 && same.only_first == 0);
}

#[test]
fn a_simpler_result_is_named_within_a_margin_only_whatever_the_gap_to_the_training_rows() {
    let mut study = fixed(0.01);
    study.validation.folds = 5;
    let world = World::new(500, 33, study.clone());
    let trial = |strength: f64| -> CrossValidationResult {
        let mut study = study.clone();
        study.model.strength = Strength::Fixed(strength);
        let found = cross_validate(&world.counted, &world.sample, &study, || {}).expect("folds");
        found.result(&world.sample)
    };
    let (usual, strong) = (trial(0.01), trial(30.0));
    let mut alike = usual.clone();
    (alike.terms, alike.training_accuracy) = (usual.terms / 2.0, Some(1.0));
    assert_eq!(rank(&[&usual, &alike, &strong], Measure::LogLoss, None).simplest, None);
    let found = rank(&[&usual, &alike, &strong], Measure::LogLoss, Some(0.005));
    assert_eq!(
        found.simplest,
        Some(1),
        "equal figures, fewer terms; a perfect fit to the training rows is no reason"
    );
    assert_eq!(found.order[2], 2);
    assert!(found.behind[2].low > Some(0.0), "{:?}", found.behind[2]);
    // Simpler by far, and nearly as good: the interval must end within the margin, not only begin there.
    let mut close = usual.clone();
    close.terms = usual.terms / 4.0;
    close.folds.iter_mut().enumerate().for_each(|(at, fold)| {
        let worse = if at % 2 == 0 { 0.02 } else { -0.02 };
        fold.measures[1] = fold.measures[1].map(|accuracy| accuracy - worse);
    });
    let margin = |margin: f64| rank(&[&usual, &close], Measure::LogLoss, Some(margin)).simplest;
    assert_eq!((margin(0.01), margin(0.2)), (Some(0), Some(1)));
    // More results at once make each interval wider.
    let alone = rank(&[&usual, &close], Measure::Accuracy, None).behind[1];
    let many = rank(&[&usual, &close, &alike, &alike, &alike], Measure::Accuracy, None).behind[1];
    assert!(many.low < alone.low && many.high > alone.high && many.value == alone.value);
}

#[test]
fn a_choice_is_judged_by_folds_that_played_no_part_in_it() {
    let mut study = fixed(0.01);
    study.validation.folds = 4;
    let world = World::new(200, 8, study.clone());
    let found = cross_validate(&world.counted, &world.sample, &study, || {}).expect("folds");
    // By fold: the loss.
    let with = |losses: [f64; 4]| {
        let mut result = found.result(&world.sample);
        result.folds.iter_mut().zip(losses).for_each(|(fold, loss)| fold.measures = [Some(loss); 4]);
        result
    };
    let one = with([0.3, 0.3, 0.3, 0.3]);
    assert_eq!(chosen_elsewhere(&[&one], Measure::LogLoss).value, Some(0.3));
    // The lucky one looks best over all folds, by its first fold alone: there the other folds choose the steady
    // one, and elsewhere it is chosen and does worse.
    let lucky = with([0.0, 0.35, 0.35, 0.35]);
    let judged = chosen_elsewhere(&[&one, &lucky], Measure::LogLoss);
    assert!((judged.value.expect("a figure") - (0.3 + 3.0 * 0.35) / 4.0).abs() < 1e-12, "{judged:?}");
    assert!(judged.low < judged.value && judged.value < judged.high);
    // Where more is better, the best is the greatest.
    let area = chosen_elsewhere(&[&one, &with([0.9; 4])], Measure::RocArea);
    assert_eq!(area.value, Some(0.9));
}

#[test]
fn every_cut_is_what_counting_gives() {
    let mut draw = Random::new(5);
    let labels: Vec<Polarity> = (0..300).map(|_| Polarity::POLES[draw.below(2)]).collect();
    let said: Vec<Verdict> =
        labels.iter().map(|label| verdict(label.sign() + 4.0 * draw.unit() - 2.0)).collect();
    let points = cut_points(&labels, &said, &Dependence::default());
    assert!(points.len() > 50 && points.len() < 110);
    let negative = labels.iter().filter(|label| **label == Negative).count() as f64;
    for point in points.iter().filter(|point| point.probability.is_some()) {
        let below =
            |at: &usize| said[*at].probability(Positive) <= point.probability.expect("filtered") + 1e-12;
        let called: Vec<usize> = (0..300).filter(below).collect();
        let hits = called.iter().filter(|at| labels[**at] == Negative).count() as f64;
        assert!((point.recall.value.expect("a recall") - hits / negative).abs() < 1e-12);
        let precision = point.precision.value.expect("some are called");
        assert!((precision - hits / called.len() as f64).abs() < 1e-12);
        assert!(point.recall.low <= point.recall.value && point.precision.n == called.len());
    }
    assert!(cut_points(&[Positive], &[verdict(1.0)], &Dependence::default()).is_empty());
}

#[test]
fn a_slice_that_differs_is_told_and_noise_is_not() {
    let mut draw = Random::new(6);
    let labels: Vec<Polarity> = (0..1200).map(|_| Polarity::POLES[draw.below(2)]).collect();
    let place: Vec<&str> = (0..1200).map(|row| ["bow", "stern", "deck"][row % 3]).collect();
    let said = |wrong_in_stern: f64, draw: &mut Random| -> Vec<Option<HeldOut>> {
        let one = |(row, label): (usize, &Polarity)| {
            let wrong = draw.unit() < if place[row] == "stern" { wrong_in_stern } else { 0.1 };
            Some(HeldOut {
                fold: row % 10,
                verdict: verdict(2.2 * if wrong { -label.sign() } else { label.sign() }),
            })
        };
        labels.iter().enumerate().map(one).collect()
    };
    let aspects = [heddle_core::validate::Aspect::of_words("place", &place)];
    let sample = Sample::new(labels.clone(), (0..1200).collect());
    let differing = |held: &[Option<HeldOut>]| -> Vec<String> {
        let found = slices(&sample, held, 1.0 / 9.0, (&aspects, 30));
        assert_eq!(found.iter().map(|slice| slice.accuracy.n).sum::<usize>(), 1200);
        found.into_iter().filter(|slice| !slice.differs.is_empty()).map(|slice| slice.level).collect()
    };
    assert!(differing(&said(0.3, &mut draw)).contains(&"stern".to_string()));
    let quiet = (0..20).filter(|_| !differing(&said(0.1, &mut draw)).is_empty()).count();
    assert!(quiet <= 4, "{quiet} of 20 draws of nothing were told");
}

#[test]
fn trust_is_the_line_from_log_odds_to_labels() {
    // Labels drawn by the probability itself, and said too timidly, too boldly and shifted.
    let drawn = |seed: u64, said: &dyn Fn(f64) -> f64| -> (Vec<Polarity>, Vec<Verdict>) {
        let mut draw = Random::new(seed);
        let one = |_| {
            let log_odds = 6.0 * draw.unit() - 3.0;
            let label = if draw.unit() < sigmoid(log_odds) { Positive } else { Negative };
            (label, verdict(said(log_odds)))
        };
        (0..2000).map(one).unzip()
    };
    let trust = |seed: u64, said: &dyn Fn(f64) -> f64| {
        let (labels, verdicts) = drawn(seed, said);
        Trust::new(&labels, &verdicts, &Dependence::default())
    };
    let (mut held, mut rejected) = ([0; 2], 0);
    for seed in 0..200 {
        let own = trust(seed, &|log_odds| log_odds);
        for (count, figure, truth) in [(0, own.slope, 1.0), (1, own.intercept, 0.0)] {
            held[count] += usize::from(figure.low <= Some(truth) && figure.high >= Some(truth));
        }
        rejected += usize::from(own.p < Some(0.05));
    }
    assert!(held.iter().all(|held| (181..=198).contains(held)), "{held:?} of 200 intervals hold the truth");
    assert!((2..=20).contains(&rejected), "{rejected} of 200 true predictions are rejected");
    let timid = trust(7, &|log_odds| log_odds / 2.0);
    assert!(
        timid.slope.low > Some(1.5) && timid.slope.high < Some(2.5) && timid.p < Some(0.001),
        "{timid:?}"
    );
    let shifted = trust(7, &|log_odds| log_odds - 0.7);
    assert!(shifted.intercept.low > Some(0.5) && shifted.intercept.high < Some(0.9), "{shifted:?}");
    assert!(shifted.error.value > trust(7, &|log_odds| log_odds).error.value);
}

#[test]
fn reading_the_most_negative_first_finds_what_counting_gives() {
    let mut draw = Random::new(9);
    let labels: Vec<Polarity> = (0..400).map(|_| Polarity::POLES[draw.below(2)]).collect();
    let said: Vec<Verdict> =
        labels.iter().map(|label| verdict(label.sign() + 4.0 * draw.unit() - 2.0)).collect();
    let found = gains(&labels, &said, &Dependence::default(), Some(33));
    assert_eq!(found.iter().map(|gain| gain.read).collect::<Vec<_>>(), [4, 20, 33, 40, 80, 200]);
    let mut order: Vec<usize> = (0..400).collect();
    order.sort_by(|a, b| said[*a].log_odds.total_cmp(&said[*b].log_odds));
    let hits = order[..33].iter().filter(|row| labels[**row] == Negative).count() as f64;
    let negative = labels.iter().filter(|label| **label == Negative).count() as f64;
    assert_eq!(found[2].precision.value, Some(hits / 33.0));
    assert_eq!(found[2].recall.value, Some(hits / negative));
    assert!(
        gains(&labels, &said, &Dependence::default(), Some(9_999)).last().map(|gain| gain.read) == Some(400)
    );
}

#[test]
fn aspects_of_many_values_are_drawn_together() {
    let of =
        |cells: Vec<String>| heddle_core::validate::Aspect::of_cells("x", cells.iter().map(String::as_str));
    let numbers = of((0..100).map(|row| if row == 3 { "NaN".into() } else { row.to_string() }).collect());
    assert_eq!((numbers.levels.len(), numbers.not_numbers), (5, 1), "{:?}", numbers.levels);
    assert_eq!(numbers.of[3], 4, "NaN counts as blank");
    let words = of((0..100).map(|row| format!("word {}", row % 40)).collect());
    assert_eq!(
        (words.levels.len(), words.levels[10].as_str()),
        (11, "(other)"),
        "the ten largest, and the others"
    );
    assert!(of(vec!["same".into(); 9]).is_constant());
    assert_eq!(Classes::of([3, 4, 0].into()), Classes::Two);
}
