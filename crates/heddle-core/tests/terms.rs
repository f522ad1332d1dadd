//! Terms and their weights, against a slow and obvious way of counting them.

mod common;

use std::collections::{BTreeMap, BTreeSet};

use common::{World, fixed, reviews};
use heddle_core::{
    Bound, Break, Corpus, Counted, Selection, Study, Style, Tokens, Weighted, Weighting, Words, scan,
};
use proptest::prelude::*;

/// The n-grams of one review, each with its count: strings, sentence by sentence.
fn slow_terms(text: &str, study: &Study) -> BTreeMap<String, u32> {
    let mut tokens = Tokens::default();
    scan(text, &study.text, &study.negation, &mut tokens);
    let mut sentences: Vec<Vec<String>> = vec![Vec::new()];
    let mut counts = BTreeMap::new();
    let (shortest, longest) = study.terms.words;
    for token in tokens.items() {
        if token.before == Break::Sentence {
            sentences.push(Vec::new());
        }
        let form = tokens.form(token);
        let marked = format!("{}{form}", if token.negated { "¬" } else { "" });
        sentences.last_mut().expect("there is a sentence").push(marked);
        if token.negated && study.negation.style == Style::Both && shortest == 1 {
            *counts.entry(form.to_string()).or_insert(0) += 1;
        }
    }
    for sentence in sentences {
        for length in shortest..=longest {
            for window in sentence.windows(length) {
                *counts.entry(window.join(" ")).or_insert(0) += 1;
            }
        }
    }
    counts
}

/// Each kept term with the training reviews that hold it.
fn slow_counts(texts: &[String], rows: &[u32], study: &Study) -> BTreeMap<String, u32> {
    let mut counts: BTreeMap<String, u32> = BTreeMap::new();
    for &row in rows {
        for term in slow_terms(&texts[row as usize], study).into_keys() {
            *counts.entry(term).or_insert(0) += 1;
        }
    }
    let ceiling = study.terms.at_most.of(rows.len());
    counts.retain(|_, reviews| (study.terms.at_least..=ceiling).contains(reviews));
    counts
}

fn kept(world: &World, selection: &Selection) -> BTreeMap<String, u32> {
    (0..world.counted.vocabulary.len() as u32)
        .filter(|term| selection.kept[*term as usize])
        .map(|term| (world.spell(term), selection.document_counts[term as usize]))
        .collect()
}

fn study_of(words: (usize, usize), at_least: u32, at_most: f64, both: bool) -> Study {
    let mut study = fixed(0.01);
    (study.terms.words, study.terms.at_least, study.terms.at_most) = (words, at_least, Bound::Share(at_most));
    study.negation.style = if both { Style::Both } else { Style::Mark };
    study
}

fn studies() -> impl Strategy<Value = Study> {
    (1usize..=4, 0usize..=2, 1u32..=6, 0.3f64..=1.0, any::<bool>()).prop_map(
        |(low, more, floor, ceiling, both)| study_of((low, low + more.min(5 - low)), floor, ceiling, both),
    )
}

proptest! {
    #![proptest_config(ProptestConfig { cases: 60, failure_persistence: None, ..ProptestConfig::default() })]

    #[test]
    fn kept_terms_and_their_counts_are_those_of_the_slow_way(study in studies(), seed in 0u64..1000) {
        let world = World::new(60, seed, study);
        let rows = world.rows();
        let selection = Selection::new(&world.counted, &rows);
        prop_assert_eq!(kept(&world, &selection), slow_counts(&world.texts, &rows, &world.study));
    }

    #[test]
    fn a_training_part_keeps_what_a_separate_fit_on_it_keeps(study in studies(), seed in 0u64..1000) {
        // The counts of the held-out third must leave no trace: terms, document counts and
        // document factors equal, to the last bit, those of a world without it.
        let world = World::new(60, seed, study);
        let training: Vec<u32> = world.rows().into_iter().filter(|row| !(row + seed as u32).is_multiple_of(3)).collect();
        let selection = Selection::new(&world.counted, &training);
        let pick = |row: &u32| (world.texts[*row as usize].clone(), world.sample.labels[*row as usize]);
        let (texts, labels) = training.iter().map(pick).unzip();
        let alone = World::of(texts, labels, world.study.clone());
        let own = Selection::new(&alone.counted, &alone.rows());
        prop_assert_eq!(kept(&world, &selection), kept(&alone, &own));
        let factors = |world: &World, selection: &Selection| -> BTreeMap<String, u64> {
            let terms = 0..world.counted.vocabulary.len() as u32;
            terms.filter(|term| selection.kept[*term as usize])
                .map(|term| (world.spell(term), selection.document_factors[term as usize].to_bits()))
                .collect()
        };
        prop_assert_eq!(factors(&world, &selection), factors(&alone, &own));
    }

    #[test]
    fn weights_of_a_part_do_not_depend_on_the_rest(seed in 0u64..50) {
        let world = World::new(80, seed, fixed(0.01));
        let training: Vec<u32> = world.rows().into_iter().filter(|row| row % 4 != 0).collect();
        let together = heddle_core::fit(&world.counted, &world.sample, &training, &world.study).expect("two classes");
        let pick = |row: &u32| (world.texts[*row as usize].clone(), world.sample.labels[*row as usize]);
        let (texts, labels) = training.iter().map(pick).unzip();
        let alone = World::of(texts, labels, world.study.clone());
        let apart = alone.fit();
        prop_assert_eq!(together.base.to_bits(), apart.base.to_bits());
        let weights = |world: &World, fit: &heddle_core::Fit| -> BTreeMap<String, u64> {
            let terms = 0..world.counted.vocabulary.len() as u32;
            terms.filter(|term| fit.selection.kept[*term as usize])
                .map(|term| (world.spell(term), fit.weights[term as usize].to_bits()))
                .collect()
        };
        prop_assert_eq!(weights(&world, &together), weights(&alone, &apart));
    }
}

#[test]
fn rows_hold_the_slow_counts_under_each_term_factor() {
    for (letters, factor) in
        [("nnn", (|tf| tf) as fn(f32) -> f32), ("lnn", |tf| 1.0 + tf.ln()), ("bnn", |_| 1.0)]
    {
        let mut study = study_of((1, 3), 1, 1.0, true);
        study.terms.weighting = Weighting::parse(letters).expect("three letters");
        let world = World::new(40, 8, study);
        for (row, text) in world.texts.iter().enumerate() {
            let own: BTreeMap<String, f32> = world
                .counted
                .rows
                .row(row)
                .iter()
                .map(|entry| (world.spell(entry.column), entry.value))
                .collect();
            let slow =
                slow_terms(text, &world.study).into_iter().map(|(term, count)| (term, factor(count as f32)));
            assert_eq!(own, slow.collect(), "{letters}: {text}");
        }
    }
}

#[test]
fn columns_fall_by_count_and_then_by_the_alphabet() {
    let world = World::new(100, 2, study_of((1, 2), 1, 1.0, false));
    let counts = world.counted.document_counts(&world.rows());
    assert!(counts.is_sorted_by(|a, b| a >= b));
    let plain_last = |term: u32| -> Vec<(String, bool)> {
        let tokens = world.counted.vocabulary.tokens(term);
        tokens.iter().map(|token| (world.corpus.words.word(token >> 1).to_string(), token & 1 == 1)).collect()
    };
    for term in 1..counts.len() as u32 {
        if counts[term as usize] == counts[term as usize - 1] {
            assert!(
                plain_last(term - 1) < plain_last(term),
                "{} {}",
                world.spell(term - 1),
                world.spell(term)
            );
        }
    }
}

#[test]
fn neither_threads_nor_the_order_of_reviews_change_the_vocabulary() {
    let (texts, _) = reviews(700, 4); // more than one chunk
    let study = study_of((1, 3), 1, 1.0, false);
    let spelled = |texts: &[String]| -> Vec<String> {
        let corpus = Corpus::read(texts, &study.text, &study.negation);
        let counted = Counted::new(&corpus, study.terms);
        let spell = |token: u32| {
            format!("{}{}", if token & 1 == 1 { "¬" } else { "" }, corpus.words.word(token >> 1))
        };
        let term =
            |term| counted.vocabulary.tokens(term).into_iter().map(spell).collect::<Vec<_>>().join(" ");
        (0..counted.vocabulary.len() as u32).map(term).collect()
    };
    let straight = spelled(&texts);
    let backwards: Vec<String> = texts.iter().rev().cloned().collect();
    assert_eq!(spelled(&backwards), straight);
    for threads in [1, 3, 5] {
        let pool = rayon::ThreadPoolBuilder::new().num_threads(threads).build().expect("a pool");
        assert_eq!(pool.install(|| spelled(&texts)), straight, "{threads} threads");
    }
    assert_eq!(straight.iter().collect::<BTreeSet<_>>().len(), straight.len());
}

#[test]
fn terms_do_not_cross_the_end_of_a_sentence() {
    let world = World::of(
        vec!["warm cabin. cold sea".into(), "warm, cabin! cold".into()],
        vec![heddle_core::Polarity::Positive, heddle_core::Polarity::Negative],
        study_of((2, 2), 1, 1.0, false),
    );
    let selection = Selection::new(&world.counted, &world.rows());
    let expected = [("cabin !", 1), ("cold sea", 1), ("warm cabin", 2)];
    assert_eq!(kept(&world, &selection), expected.map(|(term, n)| (term.to_string(), n)).into());
}

#[test]
fn document_factors_are_their_formulas() {
    let factor =
        |letters: &str, df: u32| Weighting::parse(letters).expect("letters").document_factor(df, 100);
    assert_eq!(factor("lnc", 20), 1.0);
    assert!((factor("ltc", 20) - 5.0f64.ln()).abs() < 1e-15);
    assert!((factor("lpc", 20) - 4.0f64.ln()).abs() < 1e-15);
    assert_eq!(factor("lpc", 80), 0.0, "a term in most reviews does not count against its class");
    for letters in ["", "lt", "ltcc", "xtc", "lxc", "ltx", "LTC"] {
        assert_eq!(Weighting::parse(letters), None, "{letters}");
    }
}

#[test]
fn cosine_rows_have_length_one_and_empty_rows_stay_empty() {
    let mut study = study_of((1, 2), 1, 1.0, false);
    study.terms.weighting = Weighting::parse("ltc").expect("letters");
    let texts = vec!["warm cabin".into(), "".into(), "cold cabin".into(), "!".into()];
    let world = World::of(texts, vec![heddle_core::Polarity::Positive; 4], study);
    let selection = Selection::new(&world.counted, &world.rows());
    let weighted =
        Weighted::new(&world.counted.rows, selection.document_factors, world.study.terms.weighting);
    let lengths: Vec<f64> = (0..4).map(|row| weighted.square(row)).collect();
    assert!((lengths[0] - 1.0).abs() < 1e-12 && (lengths[2] - 1.0).abs() < 1e-12);
    assert_eq!(lengths[1], 0.0);
}

#[test]
#[should_panic(expected = "document factors")]
fn a_matrix_and_factors_of_different_sizes_are_refused() {
    let world = World::new(10, 1, fixed(0.1));
    Weighted::new(&world.counted.rows, vec![1.0], world.study.terms.weighting);
}

#[test]
fn words_are_found_again() {
    let mut words = Words::default();
    for n in 0..5000 {
        assert_eq!(words.intern(&format!("word{n}")), n);
    }
    assert_eq!(words.intern("word17"), 17);
    assert_eq!(words.place("word4999"), Some(4999));
    assert_eq!(words.place("word5000"), None);
    assert_eq!((words.len(), words.word(3)), (5000, "word3"));
}
