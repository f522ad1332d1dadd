//! Whether new reviews are like those before.

use std::collections::BTreeMap;

use heddle_core::drift::{Batch, Drift, drift};
use heddle_core::measure::{
    Shares, at_once, chance_of_rise, found_among, rise, shift_of_counts, shift_of_shares,
};
use heddle_core::model::Model;
use heddle_core::resample::Random;
use heddle_core::settings::Study;
use heddle_core::text::Document;
use worlds::{World, reviews};

fn world() -> World {
    World::new(1_600, 3, Study::default())
}

fn held_against(model: &Model, texts: &[String]) -> Drift {
    let documents: Vec<Document> = texts.iter().map(|text| Document::from(text.as_str())).collect();
    drift(model, &Batch::new(model, &documents), &BTreeMap::new(), 5)
}

#[test]
fn reviews_of_the_same_kind_seldom_raise_an_alarm() {
    let model = world().model();
    let alarms =
        (0..40u64).filter(|seed| held_against(&model, &reviews(300, 100 + seed).0).is_found()).count();
    // One in twenty by chance; seven and more of forty come in one of a hundred series.
    assert!(alarms < 7, "{alarms} of 40");
}

#[test]
fn what_training_never_saw_is_found_and_named_and_read_first() {
    let model = world().model();
    let (mut texts, _) = reviews(300, 77);
    for (nth, text) in texts.iter_mut().step_by(6).enumerate() {
        *text = format!("the wifi voucher {nth} expired, the portal asked again");
    }
    let found = held_against(&model, &texts);
    let theme = &found.themes[0];
    assert!(theme.new && theme.reviews.iter().all(|row| row % 6 == 0) && theme.reviews.len() == 50);
    for word in ["wifi", "voucher", "portal"] {
        assert!(theme.words.iter().any(|own| own == word), "{word} in {:?}", theme.words);
        let shift = found.rose.iter().find(|own| own.word == word).expect("a word that rose");
        assert!(!shift.known && shift.now.value == Some(50.0 / 300.0));
    }
    // What is said in the same words is read once.
    assert!(found.first[0] == 0 && found.first.len() < 5, "{:?}", found.first);
    assert!(found.first.iter().all(|row| row % 6 == 0), "{:?}", found.first);
    let unknown = found.respects.iter().find(|respect| respect.name == "unknown_words").expect("shares");
    assert!(unknown.drifted && unknown.shares[0].now > unknown.shares[0].before);
}

#[test]
fn chances_hold_under_no_difference_and_fall_with_one() {
    let mut draw = Random::new(5);
    let mut counts = |n: usize, tilt: f64| {
        let mut own = [0u64; 4];
        (0..n).for_each(|_| own[((draw.unit() + tilt).min(0.999) * 4.0) as usize] += 1);
        own
    };
    let small = (0..400).filter(|_| {
        shift_of_counts(&counts(900, 0.0), &counts(300, 0.0), [1.0; 2]).is_some_and(|own| own.p < 0.05)
    });
    let small = small.count();
    assert!((8..34).contains(&small), "{small} of 400 below 5 %");
    let [little, much] = [0.02, 0.2]
        .map(|tilt| shift_of_counts(&counts(900, 0.0), &counts(300, tilt), [1.0; 2]).expect("a shift"));
    assert!(much.p < 1e-6 && much.effect > 2.0 * little.effect);
    // Neighbours that are seldom met are one category; one alone says nothing.
    assert_eq!(shift_of_counts(&[500, 1, 0, 1], &[400, 0, 1, 0], [1.0; 2]), None);
    // Each review four times is known as well as each once, and no better.
    let four = shift_of_counts(&[1200, 2800], &[360, 440], [0.25; 2]).expect("a shift");
    let once = shift_of_counts(&[300, 700], &[90, 110], [1.0; 2]).expect("a shift");
    assert!((four.p - once.p).abs() < 1e-9 && (four.effect - once.effect).abs() < 1e-9);
    // Two categories: the square of the difference of shares in standard errors.
    let shift = shift_of_counts(&[300, 700], &[90, 110], [1.0; 2]).expect("a shift");
    let (a, b, all) = (0.3, 0.45, 390.0 / 1200.0);
    let z: f64 = (b - a) / f64::sqrt(all * (1.0 - all) * (1.0 / 1000.0 + 1.0 / 200.0));
    assert!((chance_of_rise(z) - shift.p).abs() < 1e-9);
    assert!(rise((300, 1000), (90, 200)) > 0.9 * z && rise((300, 1000), (90, 200)) < z);
    assert!(rise((90, 200), (300, 1000)) < 0.0 && rise((0, 100), (0, 50)) == 0.0);
}

#[test]
fn shares_are_compared_review_by_review() {
    let mut draw = Random::new(9);
    let mut shares =
        |n: usize, mean: f64| Shares::of((0..n).map(|_| (mean + 0.1 * (draw.unit() - 0.5)).max(0.0)), 1.0);
    let same = (0..200)
        .filter(|_| shift_of_shares(shares(200, 0.1), shares(50, 0.1)).is_some_and(|own| own.p < 0.05));
    assert!(same.count() < 22);
    assert!(shift_of_shares(shares(200, 0.1), shares(50, 0.2)).is_some_and(|own| own.p < 1e-6));
    assert_eq!(shift_of_shares(shares(200, 0.1), shares(1, 0.2)), None);
}

#[test]
fn many_looks_cost_certainty() {
    let chances = [0.03, 0.001, 0.5, 0.012];
    let adjusted = at_once(&chances);
    assert!(adjusted.iter().zip(chances).all(|(own, p)| *own >= p && *own <= 1.0));
    assert!((adjusted[1] - 4.0 * 0.001).abs() < 1e-12 && (adjusted[3] - 3.0 * 0.012).abs() < 1e-12);
    assert!(adjusted[0] >= adjusted[3] && adjusted[2] >= adjusted[0]);
    // The second smallest may be twice as large as the smallest.
    assert_eq!(found_among(&[0.5, 0.02, 0.024, 0.9]), [false, true, true, false]);
    assert_eq!(found_among(&[0.5, 0.02, 0.8, 0.9]), [false; 4]);
    assert_eq!(found_among(&[]), [false; 0]);
}
