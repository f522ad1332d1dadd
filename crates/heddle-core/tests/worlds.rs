//! Small worlds of reviews for the tests.

use heddle_core::Choice;
use heddle_core::labels::Polarity;
use heddle_core::learn::{Method, Strength};
use heddle_core::model::{Fit, Model, fit};
use heddle_core::resample::{Random, Sample, text_key};
use heddle_core::settings::Study;
use heddle_core::terms::{Corpus, Counted, Emphasis, Stems, TermId, TokenId};
use proptest::strategy::Strategy;

/// Words that say something, words that say nothing, and what lies between.
const GOOD: &[&str] = &["warm", "kind", "clean", "quick", "not cold", "never late", "not a bad cabin"];
const BAD: &[&str] = &["cold", "rude", "dirty", "slow", "not warm", "never kind", "not a clean cabin"];
const EITHER: &[&str] =
    &["the cabin", "on deck 7", "we sailed at night", "the crew", "with tea!", "and so on", "it was"];

/// Reviews of a few clauses whose words mostly agree with their class.
pub fn reviews(count: usize, seed: u64) -> (Vec<String>, Vec<Polarity>) {
    let mut draw = Random::new(seed);
    let review = |_| {
        let class = if draw.unit() < 0.6 { Polarity::Positive } else { Polarity::Negative };
        let mut text = String::new();
        for _ in 0..2 + draw.below(5) {
            let list = match draw.unit() {
                share if share < 0.5 => EITHER,
                share if (share < 0.9) == (class == Polarity::Positive) => GOOD,
                _ => BAD,
            };
            text.push_str(list[draw.below(list.len())]);
            text.push_str([" ", ", ", ". ", " but "][draw.below(4)]);
        }
        (text, class)
    };
    (0..count).map(review).unzip()
}

/// Reviews as every step sees them.
pub struct World {
    /// The reviews.
    pub texts: Vec<String>,
    /// Their classes and groups.
    pub sample: Sample,
    /// How they are read and learnt from.
    pub study: Study,
    /// Their tokens.
    pub corpus: Corpus,
    /// The matrix of their terms.
    pub counted: Counted,
}

impl World {
    /// So many reviews, as [`reviews`] makes them.
    pub fn new(count: usize, seed: u64, study: Study) -> Self {
        let (texts, labels) = reviews(count, seed);
        Self::of(texts, labels, study)
    }

    /// These reviews of these classes.
    pub fn of(texts: Vec<String>, labels: Vec<Polarity>, study: Study) -> Self {
        let groups = texts.iter().map(|text| text_key(text)).collect();
        let corpus = Corpus::read(&texts[..], study.corpus_rules());
        let counted = Counted::new(&corpus, &study.terms);
        Self { texts, sample: Sample::new(labels, groups), study, corpus, counted }
    }

    /// All its rows.
    pub fn rows(&self) -> Vec<u32> {
        (0..self.texts.len() as u32).collect()
    }

    /// What all its rows teach.
    pub fn fit(&self) -> Fit {
        fit(&self.counted, &self.sample, &self.rows(), &self.study).expect("the world can be learnt from")
    }

    /// By row: its score under a fit.
    pub fn scores(&self, fitted: &Fit) -> Vec<f64> {
        fitted.places(&self.counted, &self.rows()).iter().map(|place| place.log_odds).collect()
    }

    /// The model of that.
    pub fn model(&self) -> Model {
        Model::new(&self.corpus, &self.counted, &self.fit(), &self.study, None)
    }

    /// A term as people read it.
    pub fn spell(&self, term: TermId) -> String {
        let spell = |token: TokenId| {
            format!("{}{}", if token.is_negated() { "¬" } else { "" }, self.corpus.words.word(token.word()))
        };
        self.counted.vocabulary.tokens(term).into_iter().map(spell).collect::<Vec<_>>().join(" ")
    }
}

/// The study that tests hold against formulas: logistic regression of a set strength, which is quick, on terms
/// of two reviews or more without emphasis.
pub fn fixed(lambda: f64) -> Study {
    let mut study = Study::default();
    study.model.strength = Strength::Fixed(lambda);
    study.terms.at_least = Some(2);
    (study.model.learner, study.terms.emphasis) = (Method::Logistic, Emphasis::None);
    study.terms.stems = Stems::None;
    study
}

/// The rows of a sample.
pub fn all(sample: &Sample) -> Vec<u32> {
    (0..sample.len() as u32).collect()
}

/// Any value of a choice.
pub fn any_of<C: Choice + std::fmt::Debug>() -> impl Strategy<Value = C> {
    proptest::sample::select(C::ALL)
}
