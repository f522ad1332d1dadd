//! Terms and their weights, against a slow and obvious way of counting them.

use std::collections::{BTreeMap, BTreeSet};

use heddle_core::Choice;
use heddle_core::labels::Polarity;
use heddle_core::learn::Arrangement;
use heddle_core::measure::Place;
use heddle_core::model::fit;
use heddle_core::resample::Sample;
use heddle_core::settings::Study;
use heddle_core::terms::{
    Association, Bound, Combine, Corpus, Counted, Emphasis, KindFloor, MadeOf, Selection, Stems, Subword,
    TermId, TermRules, TermStatus, TokenId, Weighted, Weighting, Words,
};
use heddle_core::text::{Break, Concessions, Edition, Language, Punctuation, ScanBuffer, Style};
use proptest::prelude::*;
use rust_stemmers::{Algorithm, Stemmer};
use worlds::{World, any_of, fixed, reviews};

/// The n-grams of one review, each with its count: strings, sentence by sentence.
fn slow_terms(text: &str, study: &Study) -> BTreeMap<String, f32> {
    let mut buffer = ScanBuffer::default();
    let cleaner = study.cleaner();
    let tokens = cleaner.scan(text, &mut buffer);
    let mut sentences: Vec<Vec<(String, f32)>> = vec![Vec::new()];
    let mut counts = BTreeMap::new();
    let (shortest, longest) = study.terms.words.unwrap_or((1, 0));
    for token in tokens.items() {
        if token.before == Break::Sentence {
            sentences.push(Vec::new());
        }
        let form = tokens.form(token);
        let mark = if token.negated { "¬" } else { "" };
        let share = token.counts.share();
        sentences.last_mut().expect("there is a sentence").push((format!("{mark}{form}"), share));
        let plain = match study.negation.style {
            Style::Mark => None,
            Style::Both => Some(share),
            Style::Flip => Some(-share),
        };
        let plain = plain.filter(|_| token.negated);
        if let Some(part) = plain.filter(|_| shortest == 1 && longest > 0) {
            *counts.entry(form.to_string()).or_insert(0.0) += part;
        }
        for part in slow_parts(form, study) {
            *counts.entry(format!("{mark}{part}")).or_insert(0.0) += share;
            if let Some(back) = plain.filter(|_| study.negation.edition >= Edition::Second) {
                *counts.entry(part).or_insert(0.0) += back;
            }
        }
    }
    for sentence in sentences {
        for length in shortest..=longest {
            for window in sentence.windows(length) {
                let words: Vec<&str> = window.iter().map(|(word, _)| word.as_str()).collect();
                let ends = window[0].1.min(window[length - 1].1);
                *counts.entry(words.join(" ")).or_insert(0.0) += ends;
            }
        }
    }
    counts
}

/// The parts of a word that are terms.
fn slow_parts(form: &str, study: &Study) -> Vec<String> {
    let mut parts = Vec::new();
    if !form.starts_with(char::is_alphabetic) {
        return parts;
    }
    let rules = &study.terms;
    if rules.stems != Stems::None && rules.words.is_some() && !Language::English.is_function_word(form) {
        parts.push(format!("{}-", Stemmer::create(Algorithm::English).stem(form)));
    }
    let letters: Vec<char> = format!("_{form}_").chars().collect();
    let (low, high) = rules.letters.unwrap_or((1, 0));
    let grams = (low..=high).flat_map(|length| letters.windows(length));
    parts.extend(grams.map(|gram| format!("/{}/", gram.iter().collect::<String>())));
    parts
}

fn slow_kind(term: &str) -> MadeOf {
    match term.trim_start_matches('¬') {
        letters if letters.len() > 1 && letters.starts_with('/') => MadeOf::Part(Subword::Letters),
        stem if stem.len() > 1 && stem.ends_with('-') => MadeOf::Part(Subword::Stem),
        words => MadeOf::Words(words.split(' ').count() as u8),
    }
}

/// Each kept term with the training reviews that hold it, by floor, ceiling and lists.
fn slow_counts(texts: &[String], rows: &[u32], study: &Study) -> BTreeMap<String, u32> {
    let mut counts: BTreeMap<String, u32> = BTreeMap::new();
    for &row in rows {
        for term in slow_terms(&texts[row as usize], study).into_keys() {
            *counts.entry(term).or_insert(0) += 1;
        }
    }
    let rules = &study.terms;
    let ceiling = rules.at_most.of(rows.len());
    counts.retain(|term, reviews| {
        let named = |list: &[String]| list.contains(term);
        let in_bounds = (rules.floors(rows.len()).of(slow_kind(term))..=ceiling).contains(reviews);
        let listed =
            if rules.only.is_empty() { in_bounds || named(&rules.include) } else { named(&rules.only) };
        !named(&rules.exclude) && listed
    });
    counts
}

/// What a training part keeps: by term, its count and its document factor to the last bit.
fn kept(world: &World, selection: &Selection) -> BTreeMap<String, (u32, u32)> {
    let terms = TermId::all(world.counted.vocabulary.len());
    let of = |term: TermId| {
        let factor = selection.document_factors[term.place()].to_bits();
        (world.spell(term), (selection.document_count(term), factor))
    };
    terms.filter(|term| selection.keeps(*term)).map(of).collect()
}

fn counts_of(kept: BTreeMap<String, (u32, u32)>) -> BTreeMap<String, u32> {
    kept.into_iter().map(|(term, (count, _))| (term, count)).collect()
}

fn select(world: &World, rows: &[u32]) -> Selection {
    Selection::new(&world.counted, &world.sample, rows)
}

fn study_of(words: (usize, usize), at_least: u32, at_most: f64, style: Style) -> Study {
    let mut study = fixed(0.01);
    study.terms.words = Some(words);
    (study.terms.at_least, study.terms.at_most) = (Some(at_least), Bound::Share(at_most));
    study.negation.style = style;
    study
}

/// Any way of counting, without ranks.
fn studies() -> impl Strategy<Value = Study> {
    let lengths = (1usize..=4, 0usize..=2, prop_oneof![Just(None), Just(Some((2, 3))), Just(Some((4, 4)))]);
    let negation = (any_of::<Style>(), any_of::<Edition>());
    let kinds = ["1", "2", "3", "4", "letters", "stems"];
    let floors = prop::collection::vec(prop_oneof![Just(None), (1u32..=6).prop_map(Some)], kinds.len());
    (lengths, (1u32..=6, floors), 0.3f64..=1.0, negation, (0u8..=2, any_of::<Stems>())).prop_map(
        move |((low, more, letters), (floor, floors), ceiling, (style, edition), (named, stems))| {
            let mut study = study_of((low, low + more), floor, ceiling, style);
            let own = |(kind, floor): (&str, Option<u32>)| {
                Some(KindFloor { kind: MadeOf::parse(kind)?, reviews: floor? })
            };
            study.terms.at_least_of = kinds.into_iter().zip(floors).filter_map(own).collect();
            study.negation.edition = edition;
            (study.terms.letters, study.terms.stems) = (letters, stems);
            if named > 0 {
                // Single words and pairs; some are rare, one stands in no review.
                let list = ["¬cabin", "on deck", "tea", "zebra", "warm"].map(String::from).to_vec();
                match named {
                    1 => study.terms.include = list[..4].to_vec(),
                    _ => study.terms.only = list,
                }
                study.terms.exclude = ["warm", "the cabin", "¬clean"].map(String::from).to_vec();
            }
            study
        },
    )
}

/// Any way of counting, ranking and weighing.
fn ranked_studies() -> impl Strategy<Value = Study> {
    let ranks = (0u32..40, 0.2f64..1.0, any_of::<Association>(), any_of::<Combine>());
    (studies(), ranks, any_of::<Emphasis>(), any_of(), any_of(), any_of(), any::<bool>()).prop_map(
        |(mut study, (limit, best, association, combine), emphasis, term, document, norm, hashed)| {
            let rules = &mut study.terms;
            (rules.limit, rules.best, rules.association, rules.combine) = (limit, best, association, combine);
            rules.at_least_groups = 1 + limit % 4;
            rules.emphasis = emphasis;
            rules.weighting = Weighting { term, document, norm };
            if hashed {
                (rules.hashed, rules.letters) = (8, None);
                (rules.include, rules.only, rules.exclude) = Default::default();
            }
            study
        },
    )
}

/// The same reviews with the rows left out that do not train.
fn alone(world: &World, training: &[u32]) -> World {
    let pick = |row: &u32| (world.texts[*row as usize].clone(), world.sample.labels[*row as usize]);
    let (texts, labels) = training.iter().map(pick).unzip();
    World::of(texts, labels, world.study.clone())
}

/// The same reviews, every fourth neutral where classes are told apart in such a way.
fn of_classes(mut world: World, classes: Option<Arrangement>) -> World {
    if let Some(classes) = classes {
        let mut labels = world.sample.labels.clone();
        labels.iter_mut().step_by(4).for_each(|label| *label = Polarity::Neutral);
        world.sample = Sample::new(labels, world.sample.groups.clone());
        world.study.model.classes = classes;
    }
    world
}

proptest! {
    #![proptest_config(ProptestConfig { cases: 80, failure_persistence: None, ..ProptestConfig::default() })]

    #[test]
    fn kept_terms_and_their_counts_are_those_of_the_slow_way(study in studies(), seed in 0u64..1000) {
        let world = World::new(60, seed, study);
        let rows = world.rows();
        prop_assert_eq!(counts_of(kept(&world, &select(&world, &rows))), slow_counts(&world.texts, &rows, &world.study));
    }

    #[test]
    fn a_training_part_gives_what_a_separate_fit_on_it_gives(
        study in ranked_studies(),
        classes in prop::option::of(prop::sample::select(Arrangement::ALL)),
        seed in 0u64..1000,
    ) {
        // The held-out third must leave no trace: terms, counts, factors, weights and the
        // scores of unseen reviews equal, to the last bit, those of a world without it.
        let world = of_classes(World::new(60, seed, study), classes);
        let training: Vec<u32> = world.rows().into_iter().filter(|row| !(row + seed as u32).is_multiple_of(3)).collect();
        let (own, apart) = (select(&world, &training), alone(&world, &training));
        let separate = select(&apart, &apart.rows());
        if !world.counted.vocabulary.is_hashed() {
            prop_assert_eq!(kept(&world, &own), kept(&apart, &separate));
        }
        prop_assert_eq!(own.pivot.to_bits(), separate.pivot.to_bits());
        let (Ok(together), Ok(alone)) = (
            fit(&world.counted, &world.sample, &training, &world.study),
            fit(&apart.counted, &apart.sample, &apart.rows(), &apart.study),
        ) else { return Ok(()) };
        prop_assert_eq!(together.intercept.to_bits(), alone.intercept.to_bits());
        let model = heddle_core::model::Model::new(&apart.corpus, &apart.counted, &alone, &apart.study, None);
        let mut reader = model.scorer();
        let held: Vec<u32> = world.rows().into_iter().filter(|row| !training.contains(row)).collect();
        for (&row, place) in held.iter().zip(together.places(&world.counted, &held)) {
            let score = reader.score(&world.texts[row as usize]);
            let scored = match score.neutrality {
                Some(neutrality) => Place::apart(score.sum, neutrality),
                None => Place::between(score.sum, model.half()),
            };
            prop_assert_eq!(scored, place);
        }
    }
}

#[test]
fn every_pair_of_a_term_and_a_token_is_found_or_known_to_be_none() {
    for rows in [3, 8, 60] {
        let world = World::new(rows, 5, study_of((1, 3), 1, 1.0, Style::Mark));
        let vocabulary = &world.counted.vocabulary;
        let longer: BTreeMap<(TermId, TokenId), TermId> = TermId::all(vocabulary.len())
            .filter_map(|term| Some(((vocabulary.parent(term)?, vocabulary.last_token(term)), term)))
            .collect();
        let tokens = (0..world.corpus.words.len() as u32 * 2).map(TokenId::from_bits);
        for token in tokens.chain([TokenId::SENTENCE_END]) {
            for parent in TermId::all(vocabulary.len()) {
                assert_eq!(vocabulary.longer(parent, token), longer.get(&(parent, token)).copied());
            }
        }
    }
}

#[test]
fn rows_hold_the_slow_counts_under_each_term_factor() {
    // By letter: the factor of tf, with the largest and the mean count of the review's tokens, and all of them.
    type Formula = fn(f64, f64, f64, f64) -> f64;
    let formulas: [(&str, Formula); 6] = [
        ("nnn", |tf, _, _, _| tf),
        ("lnn", |tf, _, _, _| 1.0 + tf.ln()),
        ("ann", |tf, most, _, _| 0.5 + 0.5 * tf / most),
        ("bnn", |_, _, _, _| 1.0),
        ("Lnn", |tf, _, mean, _| (1.0 + tf.ln()) / (1.0 + mean.ln())),
        ("fnn", |tf, _, _, length| tf / length),
    ];
    for (letters, formula) in formulas {
        let mut study = study_of((1, 3), 1, 1.0, Style::Flip);
        study.terms.weighting = Weighting::parse(letters).expect("three letters");
        let world = World::new(40, 8, study);
        let mut marked = world.study.clone();
        (marked.negation.style, marked.terms.words) = (Style::Mark, Some((1, 1)));
        // How long a review is does not depend on what counts less in it.
        marked.negation.concessions = Concessions::Keep;
        for (row, text) in world.texts.iter().enumerate() {
            let entries = world.counted.rows.row(row).iter();
            let own: BTreeMap<String, f32> =
                entries.map(|entry| (world.spell(TermId::new(entry.column)), entry.value)).collect();
            let tokens = slow_terms(text, &marked);
            let most = tokens.values().copied().fold(1.0, f32::max) as f64;
            let length = f64::from(tokens.values().sum::<f32>());
            let mean = length / tokens.len().max(1) as f64;
            let factor = |count: f32| {
                let tf = f64::from(count.abs());
                // Less than one is that share of one.
                let factor = tf.min(1.0) * formula(tf.max(1.0), most, mean, length);
                if count < 0.0 { -factor as f32 } else { factor as f32 }
            };
            let slow = slow_terms(text, &world.study).into_iter().map(|(term, count)| (term, factor(count)));
            assert_eq!(own, slow.collect(), "{letters}: {text}");
        }
    }
}

#[test]
fn columns_fall_by_count_then_by_length_then_by_the_alphabet() {
    let world = World::new(100, 2, study_of((1, 2), 1, 1.0, Style::Mark));
    let selection = select(&world, &world.rows());
    let counts: Vec<u32> =
        TermId::all(world.counted.vocabulary.len()).map(|term| selection.document_count(term)).collect();
    assert!(counts.is_sorted_by(|a, b| a >= b));
    let plain_last = |term: TermId| -> (usize, Vec<(String, bool)>) {
        let tokens = world.counted.vocabulary.tokens(term);
        let path = tokens
            .iter()
            .map(|token| (world.corpus.words.word(token.word()).to_string(), token.is_negated()));
        (tokens.len(), path.collect())
    };
    for (before, term) in TermId::all(counts.len()).zip(TermId::all(counts.len()).skip(1)) {
        if counts[before.place()] == counts[term.place()] {
            assert!(plain_last(before) < plain_last(term), "{} {}", world.spell(before), world.spell(term));
        }
    }
}

#[test]
fn neither_threads_nor_the_order_of_reviews_change_the_vocabulary() {
    let (texts, _) = reviews(700, 4); // more than one chunk
    let study = study_of((1, 3), 1, 1.0, Style::Mark);
    let spelled = |texts: &[String]| -> Vec<String> {
        let corpus = Corpus::read(texts, study.corpus_rules());
        let counted = Counted::new(&corpus, &study.terms);
        let spell = |token: heddle_core::terms::TokenId| {
            format!("{}{}", if token.is_negated() { "¬" } else { "" }, corpus.words.word(token.word()))
        };
        let term =
            |term| counted.vocabulary.tokens(term).into_iter().map(spell).collect::<Vec<_>>().join(" ");
        TermId::all(counted.vocabulary.len()).map(term).collect()
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
        vec![heddle_core::labels::Polarity::Positive, heddle_core::labels::Polarity::Negative],
        study_of((2, 2), 1, 1.0, Style::Mark),
    );
    let selection = select(&world, &world.rows());
    let expected = [("cabin !", 1), ("cold sea", 1), ("warm cabin", 2)];
    assert_eq!(counts_of(kept(&world, &selection)), expected.map(|(term, n)| (term.to_string(), n)).into());
}

#[test]
fn document_factors_are_their_formulas() {
    let factor =
        |letters: &str, df: u32| Weighting::parse(letters).expect("letters").document_factor(df, 100);
    assert_eq!(factor("lnc", 20), 1.0);
    assert!((factor("ltc", 20) - 5.0f64.ln()).abs() < 1e-15);
    assert!((factor("lpc", 20) - 4.0f64.ln()).abs() < 1e-15);
    assert!((factor("lsc", 100) - 2.0f64.ln()).abs() < 1e-15, "smoothed: never 0");
    assert_eq!(factor("lpc", 80), 0.0, "a term in most reviews does not count against its class");
    for letters in ["", "lt", "ltcc", "xtc", "lxc", "ltx", "LTC"] {
        assert_eq!(Weighting::parse(letters), None, "{letters}");
    }
}

#[test]
fn cosine_rows_have_length_one_and_empty_rows_stay_empty() {
    let mut study = study_of((1, 2), 1, 1.0, Style::Mark);
    study.terms.weighting = Weighting::parse("ltc").expect("letters");
    let texts = vec!["warm cabin".into(), "".into(), "cold cabin".into(), "!".into()];
    let world = World::of(texts, vec![heddle_core::labels::Polarity::Positive; 4], study);
    let selection = select(&world, &world.rows());
    let weighted =
        Weighted::new(&world.counted.rows, selection.document_factors, world.study.terms.weighting, 0.0);
    let lengths = &weighted.squares;
    assert!((lengths[0] - 1.0).abs() < 1e-12 && (lengths[2] - 1.0).abs() < 1e-12);
    assert_eq!(lengths[1], 0.0);
}

#[test]
#[should_panic(expected = "document factors")]
fn a_matrix_and_factors_of_different_sizes_are_refused() {
    let world = World::new(10, 1, fixed(0.1));
    Weighted::new(&world.counted.rows, vec![1.0], world.study.terms.weighting, 0.0);
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
    assert_eq!(Words::default().place(""), None, "an empty list has no word");
}

proptest! {
    /// Of any length: those of up to 15 bytes are told apart by their letters, longer ones behind a hash.
    #[test]
    fn words_are_told_apart(list in prop::collection::vec("[ab\0é]{0,20}", 0..200), room in 0usize..300) {
        let (mut words, mut slow) = (Words::with_capacity(room), Vec::<&String>::new());
        for word in &list {
            let place = slow.iter().position(|other| *other == word).unwrap_or_else(|| {
                assert_eq!(words.place(word), None);
                slow.push(word);
                slow.len() - 1
            });
            prop_assert_eq!(words.intern(word) as usize, place);
        }
        prop_assert!(words.iter().eq(slow.iter().map(|word| word.as_str())));
        for (place, word) in slow.iter().enumerate() {
            prop_assert_eq!(words.place(word), Some(place as u32));
        }
    }
}

/// The statuses of named terms.
fn statuses(world: &World, terms: &[&str]) -> Vec<TermStatus> {
    let selection = select(world, &world.rows());
    let place = |name: &&str| {
        let found = TermId::all(world.counted.vocabulary.len()).find(|term| world.spell(*term) == **name);
        selection.statuses[found.unwrap_or_else(|| panic!("{name} is counted")).place()]
    };
    terms.iter().map(place).collect()
}

fn small(rules: impl FnOnce(&mut Study)) -> World {
    let texts = ["warm warm cabin", "warm tea", "warm sea", "cold cabin", "cold tea", "cold sea", "cold sea"];
    let labels = [1, 1, 1, 0, 0, 0, 0].map(|class| [Polarity::Negative, Polarity::Positive][class]);
    let mut study = study_of((1, 1), 1, 1.0, Style::Mark);
    rules(&mut study);
    World::of(texts.map(String::from).to_vec(), labels.to_vec(), study)
}

#[test]
fn each_dropped_term_has_its_reason_and_the_first_rule_that_speaks_decides() {
    let all = ["cold", "warm", "sea", "cabin", "tea"];
    let world = small(|study| {
        study.terms.limit = 2;
        study.terms.exclude = vec!["cold".into()];
        study.terms.include = vec!["tea".into(), "zebra".into()];
    });
    assert_eq!(
        statuses(&world, &all),
        [
            TermStatus::Excluded,
            TermStatus::Kept,
            TermStatus::Kept,
            TermStatus::BeyondLimit,
            TermStatus::Included
        ]
    );
    assert_eq!(world.counted.unknown_names, ["zebra"]);
    // The two best tell the classes apart; "cold" and "warm" do, whatever the measure.
    for association in Association::ALL {
        let world = small(|study| (study.terms.best, study.terms.association) = (0.4, *association));
        let expected =
            [TermStatus::Kept, TermStatus::Kept, TermStatus::Weak, TermStatus::Weak, TermStatus::Weak];
        assert_eq!(statuses(&world, &all), expected, "{}", association.name());
    }
    let either =
        small(|study| (study.terms.best, study.terms.limit, study.terms.combine) = (0.4, 3, Combine::Any));
    assert_eq!(statuses(&either, &all)[..3], [TermStatus::Kept, TermStatus::Kept, TermStatus::Kept]);
    let both = small(|study| (study.terms.best, study.terms.limit) = (0.4, 1));
    assert_eq!(statuses(&both, &all)[..2], [TermStatus::Kept, TermStatus::BeyondLimit]);
    let only = small(|study| {
        study.terms.only = ["sea", "zebra", "cold"].map(String::from).to_vec();
        study.terms.exclude = vec!["cold".into()];
        study.terms.at_most = Bound::Reviews(2);
    });
    assert_eq!(
        statuses(&only, &["cold", "warm", "sea"]),
        [TermStatus::Excluded, TermStatus::Unlisted, TermStatus::Listed]
    );
    assert_eq!(only.counted.unknown_names, ["zebra"]);
    let bounds = small(|study| (study.terms.at_least, study.terms.at_most) = (Some(3), Bound::Reviews(3)));
    assert_eq!(
        statuses(&bounds, &["cold", "warm", "sea"]),
        [TermStatus::Frequent, TermStatus::Kept, TermStatus::Kept]
    );
}

#[test]
fn longer_terms_of_many_reviews_must_stand_in_more_of_them() {
    let rules = TermRules { words: Some((1, 3)), ..TermRules::default() };
    let words = |count: u8| MadeOf::Words(count);
    let own = |count, reviews| KindFloor { kind: words(count), reviews };
    let floors = |reviews: usize| [1, 2, 3, 9].map(|count| rules.floors(reviews).of(words(count)));
    assert_eq!((floors(1_500), floors(1_501)), ([1; 4], [2, 2, 4, 4]));
    assert_eq!((rules.other_floors(1_500), rules.other_floors(1_501)), (vec![], vec![own(3, 4)]));
    let set = TermRules { at_least: Some(3), at_least_of: vec![own(2, 7)], ..rules };
    assert_eq!(set.other_floors(10_000), [own(2, 7)]);
}

#[test]
fn a_class_ratio_is_its_formula_and_finite_where_a_class_never_uses_a_term() {
    let world = small(|study| {
        (study.terms.emphasis, study.terms.emphasis_least) = (Emphasis::ClassRatio, 0.5);
        study.terms.weighting = Weighting::parse("bnn").expect("letters");
    });
    let selection = select(&world, &world.rows());
    let warm = TermId::all(5).find(|term| world.spell(*term) == "warm").expect("a term");
    // Positive: warm 3, cabin 1, tea 1, sea 1; negative: cold 4, cabin 1, tea 1, sea 2; 5 terms.
    let expected = ((3.0f64 + 1.0) / (6.0 + 5.0) / ((0.0 + 1.0) / (8.0 + 5.0))).ln() + 0.5;
    assert!((f64::from(selection.document_factors[warm.place()]) - expected).abs() < 1e-6);
    let factors = &selection.document_factors;
    assert!(factors.iter().all(|factor| factor.is_finite() && *factor >= 0.5), "{factors:?}");
}

#[test]
fn text_columns_that_are_kept_apart_have_terms_of_their_own() {
    let mut study = study_of((1, 2), 1, 1.0, Style::Mark);
    study.reviews.text = vec!["headline".into(), "review".into()];
    study.reviews.fields = heddle_core::settings::Fields::Separate;
    let document = |columns: [&str; 2]| {
        let mut document = heddle_core::text::Document::default();
        columns.iter().enumerate().for_each(|(field, text)| document.push(field, text));
        document
    };
    let documents = [document(["Good crew", "good tea"]), document(["", "good crew"])];
    let corpus = Corpus::read(&documents[..], study.corpus_rules());
    let counted = Counted::new(&corpus, &study.terms);
    let spell = |term: TermId| {
        let tokens = counted.vocabulary.tokens(term);
        tokens.into_iter().map(|token| corpus.spell_token(token)).collect::<Vec<_>>().join(" ")
    };
    let terms: BTreeSet<String> = TermId::all(counted.vocabulary.len()).map(spell).collect();
    let expected = [
        "headline:crew",
        "headline:good",
        "headline:good headline:crew",
        "review:crew",
        "review:good",
        "review:good review:crew",
        "review:good review:tea",
        "review:tea",
    ];
    assert_eq!(terms, expected.map(String::from).into());
}

#[test]
fn names_are_words_that_are_capital_inside_sentences() {
    let texts =
        ["We met Olga here", "thank Olga for it", "and Olga. The crew", "the crew. Crew", "TO THE CREW"];
    let corpus = Corpus::read(&texts[..], fixed(0.1).corpus_rules());
    let is_name = |word: &str| corpus.is_name(corpus.words.place(word).expect("it is there"));
    assert!(is_name("olga") && !is_name("crew") && !is_name("the"));
}

#[test]
fn hashed_rows_hold_the_n_grams_of_the_lengths_asked_for() {
    for words in [(1, 3), (2, 2), (2, 3)] {
        let mut study = study_of(words, 1, 1.0, Style::Mark);
        (study.terms.hashed, study.terms.weighting) = (24, Weighting::parse("nnn").expect("letters"));
        let world = World::new(30, 5, study);
        for (row, text) in world.texts.iter().enumerate() {
            // With 2^24 columns these few terms do not meet.
            let mut own: Vec<f32> = world.counted.rows.row(row).iter().map(|entry| entry.value).collect();
            let mut slow: Vec<f32> = slow_terms(text, &world.study).into_values().collect();
            own.sort_unstable_by(f32::total_cmp);
            slow.sort_unstable_by(f32::total_cmp);
            assert_eq!(own, slow, "{words:?}: {text}");
        }
        assert!(!select(&world, &world.rows()).is_empty(), "{words:?}");
    }
}

#[test]
fn n_grams_run_across_marks_that_are_tokens() {
    let terms = |punctuation: Punctuation| -> Vec<String> {
        let mut study = study_of((1, 3), 1, 1.0, Style::Mark);
        study.text.punctuation = punctuation;
        let labels = vec![Polarity::Positive, Polarity::Negative];
        let texts = vec!["warm, clean. late. warm, clean. late.".into(), "sea\n\ntea sea\n\ntea".into()];
        let world = World::of(texts, labels, study);
        let mut terms: Vec<String> =
            TermId::all(world.counted.vocabulary.len()).map(|term| world.spell(term)).collect();
        terms.sort();
        terms
    };
    let (keep, all) = (terms(Punctuation::Keep), terms(Punctuation::All));
    for across in [", clean", "warm , clean", "clean . late", ". late"] {
        let across = across.to_string();
        assert!(all.contains(&across) && !keep.contains(&across), "{across}: {all:?} {keep:?}");
    }
    assert!(!all.contains(&"sea tea".to_string()), "a blank line is no mark: {all:?}");
}

#[test]
fn columns_that_terms_share_weigh_the_same_whatever_they_hold() {
    let mut study = study_of((1, 1), 1, 1.0, Style::Mark);
    (study.terms.hashed, study.terms.marked_scale) = (10, 0.25);
    study.terms.weighting = Weighting::parse("bnn").expect("letters");
    let texts = ["never late", "tea sea", "late cabin", "warm deck"].map(String::from).to_vec();
    let labels = [Polarity::Positive, Polarity::Negative].repeat(2);
    let world = World::of(texts, labels, study);
    let factors = select(&world, &world.rows()).document_factors;
    let used: BTreeSet<u32> = factors.iter().filter(|own| **own != 0.0).map(|own| own.to_bits()).collect();
    assert_eq!(used.into_iter().collect::<Vec<_>>(), [1f32.to_bits()], "one factor for all");
    assert_eq!(world.model().study().terms.marked_scale, 1.0, "and a model says so");
}

#[test]
fn parts_of_words_and_marked_words_weigh_a_part_of_what_words_do() {
    let factors = |letters: f64, marked: f64, stems: f64| -> Vec<(String, f32)> {
        let mut study = study_of((1, 2), 1, 1.0, Style::Mark);
        (study.terms.letters, study.terms.letters_scale, study.terms.marked_scale) =
            (Some((3, 3)), letters, marked);
        (study.terms.stems, study.terms.stems_scale) = (Stems::Beside, stems);
        let labels = vec![Polarity::Positive, Polarity::Negative];
        let texts = vec!["never late. never late".into(), "late sea. late sea".into()];
        let world = World::of(texts, labels, study);
        let selection = select(&world, &world.rows());
        let terms = TermId::all(world.counted.vocabulary.len());
        terms.map(|term| (world.spell(term), selection.document_factors[term.place()])).collect()
    };
    let whole = factors(1.0, 1.0, 1.0);
    for ((term, whole), (same, part)) in whole.iter().zip(&factors(0.5, 0.25, 0.75)) {
        let kind = if term.contains('/') { 0.5 } else { 1.0 } * if term.ends_with('-') { 0.75 } else { 1.0 };
        let expected = kind * if term.contains('¬') { 0.25 } else { 1.0 };
        assert!(term == same && (whole * expected - part).abs() < 1e-6, "{term}: {whole} {part}");
    }
    for kind in ["¬/lat/", "/_se/", "never ¬late", "sea", "sea-", "¬late-"] {
        assert!(whole.iter().any(|(term, factor)| term == kind && *factor > 0.0), "{kind}: {whole:?}");
    }
}
