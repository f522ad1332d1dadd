//! Labels that the words contradict.

use heddle_core::explain::doubts;
use heddle_core::labels::Polarity;
use heddle_core::measure::Cuts;
use heddle_core::resample::{Random, Sample};
use heddle_core::validate::{HeldOut, cross_validate};
use worlds::{World, fixed};

/// Held-out verdicts that are right about the class itself, and labels that are wrong at a rate; which are wrong.
fn world(
    rows: usize,
    (rate, steep): (f64, f64),
    seed: u64,
) -> (Sample, Vec<Vec<Option<HeldOut>>>, Vec<bool>) {
    let mut draw = Random::new(seed);
    let (mut labels, mut wrong, mut held) = (Vec::new(), Vec::new(), Vec::new());
    for row in 0..rows {
        let itself = 1.0 / (1.0 + f64::exp(-steep * (draw.unit() - 0.45)));
        let class = draw.unit() < itself;
        let is_wrong = draw.unit() < rate;
        labels.push(if class != is_wrong { Polarity::Positive } else { Polarity::Negative });
        wrong.push(is_wrong);
        // The probability of the label: what a model that is calibrated on such labels says.
        let said = itself * (1.0 - rate) + (1.0 - itself) * rate;
        let verdict = Cuts::most_probable(0.0).verdict((said / (1.0 - said)).ln(), 0.0);
        held.push(Some(HeldOut { fold: row % 5, verdict }));
    }
    (Sample::new(labels, (0..rows as u64).collect()), vec![held], wrong)
}

#[test]
fn the_probability_of_a_wrong_label_is_how_often_it_is_wrong() {
    for rate in [0.02, 0.08] {
        let (sample, held, wrong) = world(20_000, (rate, 30.0), 3);
        let keys: Vec<u64> = (0..20_000).collect();
        let found = doubts(&sample, &held, &keys);
        let all = wrong.iter().filter(|wrong| **wrong).count() as f64;
        let expected = found.expected.value.expect("a number");
        assert!((expected / all - 1.0).abs() < 0.25, "{rate}: {expected} of {all}");
        // By tenths of the doubtful ones: promised and observed agree within three standard errors.
        for part in found.labels.chunks(found.labels.len().div_ceil(10)) {
            let promised: f64 = part.iter().map(|own| own.wrong).sum();
            let observed = part.iter().filter(|own| wrong[own.row]).count() as f64;
            let spread = 3.0 * (promised.max(1.0)).sqrt() + 0.2 * promised;
            assert!((promised - observed).abs() < spread, "{rate}: {promised} {observed}");
        }
        assert!(found.labels.is_sorted_by(|a, b| a.probability <= b.probability));
        assert!(found.labels.iter().all(|own| own.called != sample.labels[own.row]));
    }
}

#[test]
fn where_models_are_never_quite_sure_the_number_is_an_upper_bound() {
    for (rate, steep) in [(0.0, 8.0), (0.02, 8.0), (0.0, 30.0)] {
        let (sample, held, wrong) = world(20_000, (rate, steep), 4);
        let found = doubts(&sample, &held, &(0..20_000).collect::<Vec<u64>>());
        let all = wrong.iter().filter(|wrong| **wrong).count() as f64;
        assert!(found.expected.high >= Some(all), "{:?} of {all}", found.expected);
        assert!(found.noise.value < Some(rate + 0.04), "{:?}", found.noise);
        assert!(found.labels.iter().all(|own| (0.0..=1.0).contains(&own.wrong)));
    }
}

#[test]
fn equal_texts_with_other_labels_are_doubted_whatever_models_say() {
    let (mut sample, held, _) = world(200, (0.0, 30.0), 5);
    sample.labels[7] = Polarity::Negative;
    sample.labels[8] = Polarity::Positive;
    let mut keys: Vec<u64> = (0..200).collect();
    keys[8] = keys[7];
    let found = doubts(&sample, &held, &keys);
    let both: Vec<usize> = found.labels.iter().filter(|own| own.contradicted).map(|own| own.row).collect();
    assert_eq!(both.len(), 2, "{both:?}");
    assert!(both.contains(&7) && both.contains(&8));
}

#[test]
fn shares_of_a_fold_add_up_and_rounds_are_averaged() {
    let world = World::new(300, 21, fixed(1e-3));
    let mut study = world.study.clone();
    (study.validation.folds, study.validation.rounds) = (5, 2);
    let validation = cross_validate(&world.counted, &world.sample, &study, || {}).expect("folds");
    let keys: Vec<u64> = (0..300).collect();
    let found = doubts(&world.sample, &validation.held_out, &keys);
    assert!(!found.labels.is_empty());
    let mut by_fold = [0.0; 5];
    for own in &found.labels {
        by_fold[validation.held_out[0][own.row].expect("held out").fold] += own.share_of_fold;
        let mean: f64 = (0..2)
            .map(|round| {
                let verdict = validation.held_out[round][own.row].expect("held out").verdict;
                verdict.probability(world.sample.labels[own.row])
            })
            .sum::<f64>()
            / 2.0;
        assert!((own.probability - mean).abs() < 1e-12);
    }
    assert!(by_fold.iter().all(|sum| 0.0 < *sum && *sum <= 1.0 + 1e-9), "{by_fold:?}");
}
