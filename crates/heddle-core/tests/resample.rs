//! Splits and folds.

use std::collections::{BTreeMap, BTreeSet};

use heddle_core::{Draw, Polarity, Sample, deal, folds, groups, text_key, value_key};
use proptest::prelude::*;

fn sample(labels: &[bool], groups: &[u64]) -> Sample {
    let label = |positive: &bool| if *positive { Polarity::Positive } else { Polarity::Negative };
    Sample { labels: labels.iter().map(label).collect(), groups: groups.to_vec() }
}

fn all(sample: &Sample) -> Vec<u32> {
    (0..sample.len() as u32).collect()
}

#[test]
fn rows_of_their_own_are_dealt_in_equal_mix() {
    let labels: Vec<bool> = (0..1000).map(|row| row % 10 < 7).collect();
    let alone: Vec<u64> = (0..1000).collect();
    let sample = sample(&labels, &alone);
    for held in folds(&sample, &all(&sample), 10, 7) {
        assert_eq!(sample.mix(&held), [30, 70]);
    }
    let parts = deal(&sample, &all(&sample), &[0.8, 0.2], 7);
    assert_eq!([sample.mix(&parts[0]), sample.mix(&parts[1])], [[240, 560], [60, 140]]);
}

#[test]
fn sorted_input_is_no_matter() {
    // All negative reviews first: a cut by position would leave a side without a class.
    let labels: Vec<bool> = (0..100).map(|row| row >= 50).collect();
    let sample = sample(&labels, &(0..100).collect::<Vec<u64>>());
    let parts = deal(&sample, &all(&sample), &[0.8, 0.2], 1);
    assert_eq!(sample.mix(&parts[1]), [10, 10]);
}

#[test]
fn the_order_of_rows_plays_no_role() {
    let keys: Vec<u64> = (0..200).map(|row| text_key(&format!("review {row}"))).collect();
    let labels: Vec<bool> = (0..200).map(|row| row % 3 == 0).collect();
    let side_of = |order: &[usize]| -> BTreeSet<u64> {
        let sample = sample(
            &order.iter().map(|&row| labels[row]).collect::<Vec<_>>(),
            &order.iter().map(|&row| keys[row]).collect::<Vec<_>>(),
        );
        let held = &deal(&sample, &all(&sample), &[0.75, 0.25], 3)[1];
        held.iter().map(|&row| sample.groups[row as usize]).collect()
    };
    let mut order: Vec<usize> = (0..200).collect();
    let straight = side_of(&order);
    Draw::new(5).shuffle(&mut order);
    assert_eq!(side_of(&order), straight);
}

#[test]
fn another_seed_deals_anew() {
    let sample = sample(&[true, false].repeat(50), &(0..100).collect::<Vec<u64>>());
    assert_ne!(folds(&sample, &all(&sample), 5, 1), folds(&sample, &all(&sample), 5, 2));
    assert_eq!(folds(&sample, &all(&sample), 5, 1), folds(&sample, &all(&sample), 5, 1));
}

#[test]
fn texts_that_differ_in_case_and_marks_have_one_key() {
    assert_eq!(text_key("Never again!"), text_key("never   AGAIN"));
    assert_ne!(text_key("never again"), text_key("never a gain?!x"));
    assert_ne!(text_key(":-)"), text_key(":-("), "texts of marks alone differ");
    assert_ne!(value_key(0, "c1"), value_key(1, "c1"), "the same value in two columns ties nothing");
}

#[test]
fn keys_are_the_same_on_every_machine() {
    // Splits made today must come out the same tomorrow: these keys may never change.
    assert_eq!(text_key("Not a bad cabin"), text_key("not a bad cabin"));
    let mut draw = Draw::new(7);
    assert_eq!([draw.bits(), draw.bits()], [7_191_089_600_892_374_487, 309_689_372_594_955_804]);
}

#[test]
fn rows_are_tied_through_others() {
    // 0-1 share a text, 1-2 a customer, 3 is alone, 4-5 share a customer.
    let keys = [vec![1, 50], vec![1, 60], vec![2, 60], vec![3], vec![4, 70], vec![5, 70]];
    let found = groups(&keys);
    assert!(found[0] == found[1] && found[1] == found[2]);
    assert!(found[4] == found[5]);
    assert_eq!(found.iter().collect::<BTreeSet<_>>().len(), 3);
}

proptest! {
    #![proptest_config(ProptestConfig { cases: 200, failure_persistence: None, ..ProptestConfig::default() })]

    #[test]
    fn each_row_is_held_out_once_and_no_group_is_divided(
        rows in proptest::collection::vec((any::<bool>(), 0u64..30), 2..120),
        count in 2usize..8,
        seed in any::<u64>(),
    ) {
        let (labels, keys): (Vec<bool>, Vec<u64>) = rows.into_iter().unzip();
        let sample = sample(&labels, &keys);
        let parts = folds(&sample, &all(&sample), count, seed);
        let mut seen: Vec<u32> = parts.concat();
        seen.sort_unstable();
        prop_assert_eq!(seen, all(&sample));
        let mut part_of = BTreeMap::new();
        for (part, rows) in parts.iter().enumerate() {
            prop_assert!(rows.is_sorted());
            for row in rows {
                prop_assert_eq!(*part_of.entry(sample.groups[*row as usize]).or_insert(part), part);
            }
        }
    }

    #[test]
    fn draws_below_stay_below(end in 1usize..1000, seed in any::<u64>()) {
        let mut draw = Draw::new(seed);
        for _ in 0..50 {
            prop_assert!(draw.below(end) < end);
            prop_assert!((0.0..1.0).contains(&draw.unit()));
        }
    }
}
