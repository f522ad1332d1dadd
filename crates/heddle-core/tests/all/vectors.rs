//! Word vectors as features of reviews.

use std::collections::BTreeMap;

use heddle_core::explain::{TermKind, explain};
use heddle_core::labels::Polarity;
use heddle_core::learn::{Method, Strength};
use heddle_core::model::{Fit, Model, fit};
use heddle_core::resample::{Random, Sample, text_key};
use heddle_core::settings::Study;
use heddle_core::terms::vectors::{VectorSource, WordVectors};
use heddle_core::terms::{Corpus, Counted};
use worlds::{fixed, reviews};

const DIMS: usize = 6;

fn source() -> VectorSource {
    VectorSource { file: "v.vec".into(), dims: DIMS, words: 0, as_written: 0, other_case: 0, tokens: 0.0 }
}

/// Vectors of the words of some texts, drawn at random, but that "warm" and "lovely" lie together.
fn vectors(words: &[String]) -> WordVectors {
    let mut vectors = WordVectors::new(DIMS);
    for word in words {
        let mut draw = Random::new(text_key(if word == "lovely" { "warm" } else { word }));
        let numbers: Vec<f32> = (0..DIMS).map(|_| draw.unit() as f32 - 0.5).collect();
        vectors.add(word, &numbers);
    }
    vectors
}

struct Meant {
    texts: Vec<String>,
    sample: Sample,
    study: Study,
    corpus: Corpus,
    counted: Counted,
}

impl Meant {
    fn new(count: usize, mut study: Study) -> Self {
        let (texts, labels) = reviews(count, 31);
        study.features.vectors = Some("v.vec".into());
        Self::of(texts, labels, study)
    }

    fn of(texts: Vec<String>, labels: Vec<Polarity>, study: Study) -> Self {
        let corpus = Corpus::read(&texts[..], study.corpus_rules());
        let words: Vec<String> = corpus.plain_words().map(String::from).collect();
        let corpus = corpus.with_vectors(vectors(&words), source());
        let counted = Counted::new(&corpus, &study.terms);
        let key = |(at, text): (usize, &String)| text_key(&format!("{at} {text}"));
        let groups = texts.iter().enumerate().map(key).collect();
        Self { sample: Sample::new(labels, groups), texts, study, corpus, counted }
    }

    fn rows(&self) -> Vec<u32> {
        (0..self.texts.len() as u32).collect()
    }

    fn fit(&self) -> Fit {
        fit(&self.counted, &self.sample, &self.rows(), &self.study).expect("a fit")
    }

    fn model(&self, fit: &Fit) -> Model {
        Model::new(&self.corpus, &self.counted, fit, &self.study, None)
    }
}

#[test]
fn a_model_scores_texts_as_the_fit_scores_rows_and_shares_the_score_out_to_the_last_digit() {
    let mut ways = vec![fixed(1e-2); 4];
    ways[1].model.learner = Method::Svm;
    (ways[2].model.learner, ways[2].model.strength) = (Method::Svm, Strength::Auto);
    ways[3].features.text = false;
    for way in ways {
        let world = Meant::new(300, way);
        let fitted = world.fit();
        let model = world.model(&fitted);
        let places = fitted.places(&world.counted, &world.rows());
        let mut scorer = model.scorer();
        for (text, place) in world.texts.iter().zip(places) {
            let (score, explained) = explain(&mut scorer, text);
            assert_eq!(score.sum.to_bits(), place.log_odds.to_bits(), "{text}");
            let terms: f64 = explained.terms.iter().map(|own| own.contribution).sum();
            let tokens: f64 = explained.tokens.iter().map(|own| own.contribution).sum();
            assert!((explained.intercept + terms - score.sum).abs() < 1e-9);
            assert!((explained.intercept + tokens - score.sum).abs() < 1e-9);
            for factor in explained.by_terms().all() {
                assert!((factor.combined() - factor.value).abs() < 1e-9, "{factor:?}");
            }
            assert!(explained.terms.iter().any(|own| own.kind == TermKind::Vector));
        }
    }
}

#[test]
fn a_mean_vector_is_weighted_by_idf_and_negation_turns_its_sign() {
    // Recomputed by hand from the weights that the words come to.
    let world = Meant::new(300, fixed(1e-2));
    let model = world.model(&world.fit());
    let own = model.vectors().expect("vectors");
    let mut holding: BTreeMap<&str, f64> = BTreeMap::new();
    let texts: Vec<Vec<(String, bool)>> = world
        .texts
        .iter()
        .map(|text| {
            let mut scorer = model.scorer();
            let (_, explained) = explain(&mut scorer, text);
            explained.tokens.iter().map(|token| (token.form.clone(), token.negated)).collect()
        })
        .collect();
    for tokens in &texts {
        let mut words: Vec<&str> = tokens.iter().map(|own| own.0.as_str()).collect();
        words.sort_unstable();
        words.dedup();
        words.into_iter().for_each(|word| *holding.entry(word).or_default() += 1.0);
    }
    let idf = |word: &str| (1.0 + 300.0 / holding[word]).ln();
    for (tokens, text) in texts.iter().zip(&world.texts).take(50) {
        let whole: f64 = tokens.iter().map(|(word, _)| idf(word)).sum();
        let wanted: f64 = tokens
            .iter()
            .map(|(word, negated)| {
                let place = own.words.place(word).expect("every word has a vector");
                let sign = if *negated { -1.0 } else { 1.0 };
                sign * idf(word) * f64::from(own.pulls[place as usize]) / whole
            })
            .sum();
        let (_, explained) = explain(&mut model.scorer(), text);
        let found: f64 = explained
            .terms
            .iter()
            .filter(|own| own.kind == TermKind::Vector)
            .map(|own| own.contribution)
            .sum();
        assert!((found - wanted).abs() < 1e-5, "{text}: {found}, {wanted}");
    }
}

#[test]
fn a_word_that_no_term_knows_is_read_by_its_neighbours() {
    // "lovely" stands once and is no term; its vector is that of "warm".
    let (mut texts, mut labels) = reviews(400, 8);
    texts.push("a lovely deck".into());
    labels.push(Polarity::Negative);
    let study = fixed(1e-3);
    let plain = {
        let corpus = Corpus::read(&texts[..], study.corpus_rules());
        let counted = Counted::new(&corpus, &study.terms);
        let groups = (0..texts.len() as u64).collect();
        let sample = Sample::new(labels.clone(), groups);
        let rows: Vec<u32> = (0..texts.len() as u32).collect();
        let fitted = fit(&counted, &sample, &rows, &study).expect("a fit");
        Model::new(&corpus, &counted, &fitted, &study, None)
    };
    let mut with = study;
    with.features.vectors = Some("v.vec".into());
    let world = Meant::of(texts, labels, with);
    let model = world.model(&world.fit());
    let own = model.vectors().expect("vectors");
    let pull = |word: &str| own.pulls[own.words.place(word).expect("a word") as usize];
    assert_eq!(pull("lovely"), pull("warm"));
    let score = model.scorer().score("lovely");
    assert_eq!((score.unknown, plain.scorer().score("lovely").unknown), (0, 1));
    assert!(score.is_sure() && !plain.scorer().score("lovely").is_sure());
}

#[test]
fn a_fold_knows_of_vectors_what_its_training_rows_tell() {
    let world = Meant::new(300, fixed(1e-2));
    let rows: Vec<u32> = (0..200).collect();
    let one = fit(&world.counted, &world.sample, &rows, &world.study).expect("a fit");
    let (texts, labels) = reviews(300, 31);
    let alone = Meant::of(texts[..200].to_vec(), labels[..200].to_vec(), world.study.clone());
    let other = alone.fit();
    let pulls = |own: &Fit| -> BTreeMap<String, (u32, f32, f32)> {
        let own = own.vectors.as_ref().expect("vectors");
        let word =
            |(at, word): (usize, &str)| (word.to_string(), (own.reviews[at], own.idf[at], own.pulls[at]));
        own.words.iter().enumerate().map(word).collect()
    };
    assert_eq!(pulls(&one), pulls(&other));
    assert_eq!(one.intercept, other.intercept);
}

/// As [`Meant`], with vectors that are made from the training reviews.
fn own(texts: Vec<String>, labels: Vec<Polarity>, study: &Study) -> Meant {
    let mut study = study.clone();
    study.features.vectors = Some("reviews".into());
    let corpus = Corpus::read(&texts[..], study.corpus_rules()).with_own_vectors("reviews");
    let counted = Counted::new(&corpus, &study.terms);
    let key = |(at, text): (usize, &String)| text_key(&format!("{at} {text}"));
    let groups = texts.iter().enumerate().map(key).collect();
    Meant { sample: Sample::new(labels, groups), texts, study, corpus, counted }
}

#[test]
fn vectors_of_the_reviews_are_made_from_the_training_rows_alone() {
    let (texts, labels) = reviews(300, 31);
    let study = fixed(1e-2);
    let world = own(texts.clone(), labels.clone(), &study);
    let rows: Vec<u32> = (0..200).collect();
    let one = fit(&world.counted, &world.sample, &rows, &world.study).expect("a fit");
    let other = own(texts[..200].to_vec(), labels[..200].to_vec(), &study).fit();
    let pulls = |own: &Fit| -> BTreeMap<String, (u32, f32, f32)> {
        let own = own.vectors.as_ref().expect("vectors");
        let word =
            |(at, word): (usize, &str)| (word.to_string(), (own.reviews[at], own.idf[at], own.pulls[at]));
        own.words.iter().enumerate().map(word).collect()
    };
    assert!(pulls(&one).len() > 8);
    assert_eq!(pulls(&one), pulls(&other), "to the last bit");
    let fitted = world.fit();
    let model = world.model(&fitted);
    let places = fitted.places(&world.counted, &world.rows());
    let mut scorer = model.scorer();
    for (text, place) in world.texts.iter().zip(places) {
        assert_eq!(scorer.score(text).sum.to_bits(), place.log_odds.to_bits(), "{text}");
    }
}

#[test]
fn words_among_the_same_words_get_like_vectors() {
    // Cats and dogs are fed and walked, lamps and bulbs are lit.
    let mut draw = Random::new(6);
    let text = |at: usize| {
        let (named, done) = match at % 2 {
            0 => (["cat", "dog"][draw.below(2)], ["fed", "walked", "brushed"]),
            _ => (["lamp", "bulb"][draw.below(2)], ["lit", "bright", "dim"]),
        };
        let mut said = vec![done[draw.below(3)], named, done[draw.below(3)]];
        said.insert(draw.below(4), ["today", "again", "here"][draw.below(3)]);
        said.join(" ")
    };
    let texts: Vec<String> = (0..600).map(text).collect();
    let corpus = Corpus::read(&texts[..], Study::default().corpus_rules()).with_own_vectors("reviews");
    for (word, like) in [("cat", "dog"), ("lamp", "bulb"), ("dog", "cat")] {
        let near = corpus.words_by_vector(word, 12);
        let place = |wanted: &str| near.iter().position(|(own, _)| own == wanted).expect("a word");
        let others = if like == "bulb" { ["cat", "dog"] } else { ["lamp", "bulb"] };
        assert!(others.iter().all(|other| place(like) < place(other)), "{word}: {near:?}");
    }
}
