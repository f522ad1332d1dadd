//! Splits and folds.

use std::collections::{BTreeMap, BTreeSet};

use heddle_core::labels::Polarity;
use heddle_core::resample::{
    Balance, Balancing, Fingerprint, Grouping, Groups, PriorKind, Random, Sample, copies, deal, draw, folds,
    runs_score, side, text_key, value_key,
};
use proptest::prelude::*;
use worlds::all;

fn sample(labels: &[bool], groups: &[u64]) -> Sample {
    let label = |positive: &bool| if *positive { Polarity::Positive } else { Polarity::Negative };
    Sample::new(labels.iter().map(label).collect(), groups.to_vec())
}

#[test]
fn rows_of_their_own_are_dealt_in_equal_mix() {
    let labels: Vec<bool> = (0..1000).map(|row| row % 10 < 7).collect();
    let alone: Vec<u64> = (0..1000).collect();
    let sample = sample(&labels, &alone);
    for held in folds(&sample, &all(&sample), 10, 7) {
        assert_eq!(sample.mix(&held), [30, 70, 0]);
    }
    let parts = deal(&sample, &all(&sample), &[0.8, 0.2], 7);
    assert_eq!([sample.mix(&parts[0]), sample.mix(&parts[1])], [[240, 560, 0], [60, 140, 0]]);
}

#[test]
fn sorted_input_is_no_matter() {
    // All negative reviews first: a cut by position would leave a side without a class.
    let labels: Vec<bool> = (0..100).map(|row| row >= 50).collect();
    let sample = sample(&labels, &(0..100).collect::<Vec<u64>>());
    let parts = deal(&sample, &all(&sample), &[0.8, 0.2], 1);
    assert_eq!(sample.mix(&parts[1]), [10, 10, 0]);
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
    Random::new(5).shuffle(&mut order);
    assert_eq!(side_of(&order), straight);
}

#[test]
fn numbers_are_drawn_alike_whatever_stands_behind_them() {
    let (all, most, draws) = (40, 10, 4_000);
    let mut times = vec![0; all];
    for seed in 0..draws {
        let drawn = draw(all, most, seed);
        assert_eq!(drawn.len(), most);
        assert!(drawn.is_sorted_by(|a, b| a < b), "{drawn:?}");
        drawn.into_iter().for_each(|number| times[number] += 1);
    }
    // 1,000 times each, with a standard error of 27.
    assert!(times.iter().all(|times| (870..1_130).contains(times)), "{times:?}");
    assert_eq!(draw(5, 10, 1), [0, 1, 2, 3, 4]);
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
    let mut draw = Random::new(7);
    assert_eq!([draw.bits(), draw.bits()], [7_191_089_600_892_374_487, 309_689_372_594_955_804]);
}

fn groups_of(kin: &Grouping, alike: f64) -> Groups {
    let Ok(groups) = kin.groups(alike);
    groups
}

fn kin_of(rows: &[(&str, &[&str])]) -> Grouping {
    let mut kin = Grouping::new(rows.first().map_or(0, |(_, values)| values.len()));
    for (text, values) in rows {
        let key = |(at, value): (usize, &&str)| (!value.is_empty()).then(|| value_key(at, value));
        let Ok(()) =
            kin.push(&Fingerprint::of(text), &values.iter().enumerate().map(key).collect::<Vec<_>>());
    }
    kin
}

#[test]
fn rows_are_tied_through_others() {
    // 0-1 share a text, 1-2 a customer, 2-3 an order; 4 is alone; blanks tie nothing.
    let kin = kin_of(&[
        ("One", &["", ""]),
        ("one!", &["ann", ""]),
        ("two", &["ann", "o1"]),
        ("three", &["bob", "o1"]),
        ("four", &["", ""]),
    ]);
    let found = groups_of(&kin, 1.0).keys;
    assert!(found[0] == found[1] && found[1] == found[2] && found[2] == found[3]);
    assert_eq!(found.iter().collect::<BTreeSet<_>>().len(), 2);
}

#[test]
fn the_key_of_a_group_stays_when_rows_of_its_own_join() {
    let rows: Vec<(String, String)> =
        (0..60).map(|row| (format!("review number {row}"), format!("c{}", row / 3))).collect();
    let keys = |rows: &[(String, String)]| {
        let mut kin = Grouping::new(1);
        for (text, customer) in rows {
            let Ok(()) = kin.push(&Fingerprint::of(text), &[Some(value_key(0, customer))]);
        }
        groups_of(&kin, 0.8).keys
    };
    let before = keys(&rows);
    let more: Vec<(String, String)> =
        (0..60).map(|row| (format!("later review {row}"), format!("c{}", row % 40))).collect();
    assert_eq!(keys(&[rows, more].concat())[..60], before);
}

#[test]
fn texts_with_a_word_more_are_kin_and_others_are_not() {
    let long =
        "The night crossing was calm, the berth was warm, and the crew found us blankets when we asked.";
    let more = format!("{long} Really!");
    let other =
        "Boarding took an age, nobody knew the lane, and the coffee tasted of the machine it came from.";
    let near = Fingerprint::of(long).likeness(&Fingerprint::of(&more));
    assert!(near > 0.85, "{near}");
    assert!(Fingerprint::of(long).likeness(&Fingerprint::of(other)) < 0.4);
    assert_eq!(
        Fingerprint::of("short").likeness(&Fingerprint::of("shorts")),
        0.0,
        "too short to be like another"
    );
    let kin = kin_of(&[(long, &[]), (other, &[]), (&more, &[])]);
    let found = groups_of(&kin, 0.8);
    assert_eq!(found.near, [(0, 2)]);
    assert!(found.keys[0] == found.keys[2] && found.keys[0] != found.keys[1]);
    assert!(groups_of(&kin, 1.0).near.is_empty(), "at 100 % only equal texts are kin");
    assert_eq!(kin.overlap(&found, &[Some(0), Some(0), Some(1)]).near, 1);
    assert_eq!(kin.overlap(&found, &[Some(0), Some(0), None]).near, 0);
}

/// Words that differ, joined to a text of so many of them.
fn text_of(draw: &mut Random, words: usize) -> Vec<String> {
    (0..words).map(|_| format!("{}{}", ["ka", "lo", "mi", "nu"][draw.below(4)], draw.below(900))).collect()
}

#[test]
fn likeness_is_the_share_of_words_in_common() {
    let like = |a: &str, b: &str| Fingerprint::of(a).likeness(&Fingerprint::of(b));
    let own = "one two three four five six seven eight nine ten";
    for (other, expected) in [
        ("One, two; three four FIVE six seven eight nine: ten!", 1.0),
        ("one two three four five six seven eight nine zehn", 0.9),
        ("one two three four five six seven eight nine", 1.0), // it stands whole in the other
        ("one two four three five six seven eight nine ten", 0.8),
        ("zero one two three four five six seven eight ten", 0.8),
        ("ten nine eight seven six five four three two one", 0.0),
    ] {
        let found = like(own, other);
        assert!((found - expected).abs() < 1e-9 || expected == 0.0 && found < 0.3, "{other}: {found}");
    }
    assert_eq!(like("one two three four five six seven", "one two three four five six"), 0.0, "too short");
    // Long texts: estimated from shingles.
    let mut draw = Random::new(11);
    let mut errors = Vec::new();
    for _ in 0..60 {
        let one = text_of(&mut draw, 120);
        let mut two = one.clone();
        let others = draw.below(36);
        (0..others).for_each(|at| two[at * 120 / others.max(1)] = format!("other{at}"));
        errors.push(like(&one.join(" "), &two.join(" ")) - (1.0 - others as f64 / 120.0));
    }
    let mean = |of: fn(f64) -> f64| errors.iter().map(|error| of(*error)).sum::<f64>() / errors.len() as f64;
    assert!(mean(f64::abs) < 0.06 && mean(|error| error).abs() < 0.03, "{errors:?}");
}

#[test]
fn twins_are_found_among_other_texts_whatever_their_length() {
    // A word in eight replaced, or the last fifth cut off: found in 95 of 100, with texts beside them that share
    // their words.
    for (least, most) in [(8, 12), (13, 18), (19, 25), (26, 40), (41, 80), (120, 200)] {
        let mut draw = Random::new(least as u64);
        let mut kin = Grouping::new(0);
        let mut add = |text: &str| {
            let Ok(()) = kin.push(&Fingerprint::of(text), &[]);
        };
        for pair in 0..400 {
            let words = least + draw.below(most - least + 1);
            let one = text_of(&mut draw, words);
            let two = match pair % 2 {
                0 => {
                    let mut two = one.clone();
                    let others = one.len() / 8;
                    let from = draw.below(8);
                    (0..others).for_each(|at| two[at * 8 + from] = format!("other{at}"));
                    two
                }
                _ => one[..(one.len() * 4).div_ceil(5).max(8).min(one.len())].to_vec(),
            };
            add(&one.join(" "));
            add(&two.join(" "));
        }
        (0..800).for_each(|_| add(&text_of(&mut draw, least).join(" ")));
        let keys = groups_of(&kin, 0.85).keys;
        let found = (0..400).filter(|pair| keys[2 * pair] == keys[2 * pair + 1]).count();
        assert!(found >= 380, "{least} to {most} words: {found} of 400");
        let groups = keys.iter().collect::<BTreeSet<_>>().len();
        assert!(
            groups >= 1_190,
            "{least} to {most} words: texts are tied that are not alike, {groups} groups"
        );
    }
}

#[test]
fn a_saying_ties_nothing() {
    // 40 customers wrote "Good." once, and something of their own.
    let mut kin = Grouping::new(1);
    for customer in 0..40 {
        let of = |text: &str, kin: &mut Grouping| {
            let Ok(()) = kin.push(&Fingerprint::of(text), &[Some(value_key(0, &customer.to_string()))]);
        };
        of("Good.", &mut kin);
        of(&format!("the crossing number {customer} was a long one, and I would sail again"), &mut kin);
    }
    let found = groups_of(&kin, 1.0);
    assert_eq!(found.keys.iter().collect::<BTreeSet<_>>().len(), 40, "groups are those of customers");
    let alternating: Vec<Option<u8>> = (0..80).map(|row| Some((row / 2 % 2) as u8)).collect();
    assert_eq!(kin.overlap(&found, &alternating).texts, 0);
    // What stands five times is a repeat like any other.
    let few = kin_of(&[("Good", &[""][..]); 5]);
    assert_eq!(groups_of(&few, 1.0).keys.iter().collect::<BTreeSet<_>>().len(), 1);
    // Keys stay when rows join behind.
    let many = |count: usize| groups_of(&kin_of(&vec![("Good", &[""][..]); count]), 1.0).keys;
    assert_eq!(many(9)[..7], many(7)[..]);
}

#[test]
fn the_side_of_a_group_depends_on_itself_alone() {
    let shares = [0.2, 0.1, 0.7];
    let mut counts = [0usize; 3];
    for key in 0..20_000u64 {
        let key = text_key(&key.to_string());
        counts[side(key, 7, &shares)] += 1;
        let (in_two, in_three) = (side(key, 7, &[0.2, 0.0, 0.8]), side(key, 7, &shares));
        assert!(in_two != 0 || in_three == 0, "a third part takes nothing from the first");
    }
    for (count, share) in counts.iter().zip(shares) {
        let spread = (20_000.0 * share * (1.0 - share)).sqrt();
        assert!((*count as f64 - 20_000.0 * share).abs() < 4.0 * spread, "{counts:?}");
    }
}

#[test]
fn sorted_classes_are_noticed_and_shuffled_ones_are_not() {
    let runs = |labels: &[usize]| 1 + labels.windows(2).filter(|pair| pair[0] != pair[1]).count();
    let mut labels = [vec![0; 300], vec![1; 500], vec![2; 200]].concat();
    assert!(runs_score(runs(&labels), &[300, 500, 200]).is_some_and(|score| score < -20.0));
    Random::new(3).shuffle(&mut labels);
    assert!(runs_score(runs(&labels), &[300, 500, 200]).is_some_and(|score| score.abs() < 4.0));
    assert_eq!(runs_score(1, &[10, 0, 0]), None);
}

fn balancing(method: Balance, ratio: f64) -> Balancing {
    Balancing { method, ratio, ..Balancing::default() }
}

#[test]
fn balancing_reaches_any_ratio() {
    let mix = [100, 1000, 0];
    assert_eq!(balancing(Balance::Down, 1.0).wanted(mix.into()), [100.0, 100.0, 0.0]);
    assert_eq!(balancing(Balance::Down, 0.5).wanted(mix.into()), [100.0, 200.0, 0.0]);
    assert_eq!(balancing(Balance::Up, 0.25).wanted(mix.into()), [250.0, 1000.0, 0.0]);
    assert_eq!(balancing(Balance::None, 1.0).wanted(mix.into()), [100.0, 1000.0, 0.0]);
    assert_eq!(balancing(Balance::Up, 1.0).wanted([30, 20, 10].into()), [30.0, 30.0, 30.0]);
    let costs = balancing(Balance::Weights, 1.0).costs([100, 1000, 0].into());
    assert!(
        (costs[Polarity::Negative] - 5.5).abs() < 1e-12 && (costs[Polarity::Positive] - 0.55).abs() < 1e-12
    );
}

#[test]
fn balanced_rows_are_the_same_for_the_same_seed_and_of_the_wanted_number() {
    let labels: Vec<bool> = (0..300).map(|row| row % 6 > 0).collect();
    let keys: Vec<u64> = (0..300).map(|row| text_key(&row.to_string())).collect();
    let sample = sample(&labels, &keys);
    for (method, ratio, mix) in [
        (Balance::Down, 1.0, [50, 50, 0]),
        (Balance::Down, 0.5, [50, 100, 0]),
        (Balance::Up, 1.0, [250, 250, 0]),
        (Balance::Up, 0.5, [125, 250, 0]),
        (Balance::Weights, 1.0, [50, 250, 0]),
    ] {
        let rows = balancing(method, ratio).rows(&sample, &all(&sample), 7);
        assert!(rows.is_sorted());
        assert_eq!(sample.mix(&rows), mix, "{method:?} {ratio}");
        assert_eq!(rows, balancing(method, ratio).rows(&sample, &all(&sample), 7));
    }
    // Left out at one ratio, left out at any that leaves out more.
    let kept = |ratio| balancing(Balance::Down, ratio).rows(&sample, &all(&sample), 7);
    assert!(kept(1.0).iter().all(|row| kept(0.5).contains(row)));
    assert_eq!(copies(&[5, 5, 5], 5, 1), [2, 2, 1], "rows of one key take turns in their own order");
}

#[test]
fn the_correction_undoes_the_shift_of_the_prior() {
    let natural = (900.0f64 / 100.0).ln();
    for method in [Balance::Weights, Balance::Down, Balance::Up] {
        let found = balancing(method, 1.0).correction([100, 900, 0].into())[0];
        assert!((found - natural).abs() < 1e-12, "{method:?}: {found}");
    }
    assert_eq!(balancing(Balance::None, 1.0).correction([100, 900, 0].into())[0], 0.0);
    let kept = Balancing { probabilities: PriorKind::Balanced, ..balancing(Balance::Weights, 1.0) };
    assert_eq!(kept.correction([100, 900, 0].into())[0], 0.0);
    let told = Balancing { natural: Some(0.25), ..balancing(Balance::None, 1.0) };
    assert!((told.correction([500, 500, 0].into())[0] - 3.0f64.ln()).abs() < 1e-12);
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
        let mut draw = Random::new(seed);
        for _ in 0..50 {
            prop_assert!(draw.below(end) < end);
            prop_assert!((0.0..1.0).contains(&draw.unit()));
        }
    }
}

#[test]
fn growing_parts_hold_each_other_and_no_group_is_divided() {
    use heddle_core::validate::growing_parts;
    let labels = (0..2000).map(|row| [Polarity::Negative, Polarity::Positive][row % 2]).collect();
    // Groups of one to seven rows.
    let groups = (0..2000u64).map(|row| value_key(0, &format!("{}", row * 2 / 7))).collect();
    let sample = Sample::new(labels, groups);
    let (held, parts) = growing_parts(&sample, 300, 100, 7);
    let groups =
        |rows: &[u32]| rows.iter().map(|row| sample.groups[*row as usize]).collect::<BTreeSet<u64>>();
    assert!((300..310).contains(&held.len()));
    let mut before: &[u32] = &[];
    for (at, part) in parts.iter().enumerate() {
        assert!(part.is_sorted() && before.iter().all(|row| part.binary_search(row).is_ok()));
        assert!(groups(part).is_disjoint(&groups(&held)));
        let rest: Vec<u32> = (0..2000).filter(|row| part.binary_search(row).is_err()).collect();
        assert!(groups(part).is_disjoint(&groups(&rest)), "a group is divided at {}", part.len());
        if at + 1 < parts.len() {
            assert!(part.len() >= 100 << at && part.len() < (100 << at) + 8);
        }
        before = part;
    }
    assert_eq!(before.len() + held.len(), 2000);
}
