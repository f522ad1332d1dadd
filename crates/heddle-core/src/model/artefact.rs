//! What is learnt, as one value.

use serde::{Deserialize, Serialize};

use crate::labels::classes::Classes;
use crate::labels::per_class::{ClassCounts, PerClass};
use crate::learn::calibrate::Calibration;
use crate::learn::lambda::LambdaChoice;
use crate::learn::learner::Convergence;
use crate::measure::figures::Figures;
use crate::measure::verdict::{Cuts, Verdict};
use crate::model::fit::Fit;
use crate::settings::study::Study;
use crate::terms::corpus::Corpus;
use crate::terms::count::Counted;
use crate::terms::fields::FieldNames;
use crate::terms::intern::Words;
use crate::terms::letters::is_gram;
use crate::terms::report::{Doubt, doubts};
use crate::terms::select::DocumentFactors;
use crate::terms::term_id::TermId;
use crate::terms::token_id::TokenId;
use crate::terms::vocabulary::Vocabulary;
use crate::text::cleaner::Cleaner;

/// What is known of a model beside its weights.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct Card {
    /// The training reviews of each class, in the order of [`Polarity::index`](crate::labels::Polarity::index).
    pub mix: ClassCounts,
    /// The kept terms.
    pub terms: usize,
    /// Of these, the ones that pull at all: under a lasso few do.
    pub pulling: usize,
    /// lambda; missing for learners without a penalty.
    pub strength: Option<f64>,
    /// How lambda was chosen; missing if the study fixed it.
    pub choice: Option<LambdaChoice>,
    /// How far the learner came.
    pub convergence: Convergence,
    /// How scores become log-odds.
    pub calibration: Calibration,
    /// Where verdicts change.
    pub cuts: Cuts,
    /// The mean number of terms of a training review, where the normalisation needs it.
    pub pivot: f64,
    /// Cross-validated figures on the training reviews; missing if the model was never
    /// validated.
    pub validated: Option<Validated>,
}

/// Figures on reviews that the model's twins on other folds had not seen.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct Validated {
    /// The number of folds.
    pub folds: usize,
    /// Repetitions of all folds.
    pub rounds: usize,
    /// The figures of the model.
    pub figures: Figures,
    /// The figures of the majority baseline on the same reviews.
    pub baseline: Figures,
}

/// One term of a model.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Term {
    /// The training reviews of each class that hold it, in the order of [`Polarity::index`](crate::labels::Polarity::index).
    pub counts: PerClass<u32>,
    /// Its document factor.
    pub document_factor: f64,
    /// Its weight.
    pub weight: f64,
    /// Whether it is used; terms that only begin longer ones are not.
    pub kept: bool,
    /// Whether one of its words is nearly always written with a capital letter.
    pub name: bool,
}

impl Term {
    /// The training reviews that hold it.
    pub fn reviews(&self) -> u64 {
        self.counts.iter().map(|count| u64::from(*count)).sum()
    }
}

/// A trained model: all that is needed to score a review and to explain the score.
#[derive(Debug, Clone)]
pub struct Model {
    study: Study,
    pub(crate) words: Words,
    pub(crate) vocabulary: Vocabulary,
    pub(crate) terms: Vec<Term>,
    pub(crate) document_factors: Vec<f64>,
    intercept: f64,
    half: f64,
    card: Card,
    pub(crate) cleaner: Cleaner,
    pub(crate) fields: FieldNames,
}

/// The parts of a model, as a file holds them.
#[derive(Debug, Clone)]
pub struct Parts {
    /// The settings.
    pub study: Study,
    /// The words, in alphabetical order.
    pub words: Words,
    /// By term: its parent and its last token; its column where terms are hashed.
    pub paths: Vec<(Option<TermId>, TokenId)>,
    /// By term: what is known of it; document factors are computed anew.
    pub terms: Vec<Term>,
    /// The score of a review without known terms.
    pub intercept: f64,
    /// Half the width of the neutral zone.
    pub half: f64,
    /// What else is known.
    pub card: Card,
}

impl Model {
    /// Keeps what scoring needs of a fit: the kept terms, the terms that begin them, and
    /// their words.
    pub fn new(
        corpus: &Corpus,
        counted: &Counted,
        fit: &Fit,
        study: &Study,
        validated: Option<Validated>,
    ) -> Self {
        let vocabulary = &counted.vocabulary;
        let mut needed: Vec<bool> = fit.selection.statuses.iter().map(|status| status.keeps()).collect();
        // A parent stands before its term: going backwards, needs reach the first words.
        for term in TermId::all(vocabulary.len()).rev() {
            if needed[term.place()]
                && let Some(parent) = vocabulary.parent(term)
            {
                needed[parent.place()] = true;
            }
        }
        let used: Vec<TermId> = TermId::all(vocabulary.len()).filter(|term| needed[term.place()]).collect();
        let terms = used.iter().map(|term| term_of(corpus, counted, fit, *term)).collect();
        let card = Card {
            mix: fit.mix,
            terms: fit.selection.len(),
            strength: fit.strength,
            choice: fit.choice.clone(),
            convergence: fit.convergence,
            pulling: fit.pulling(),
            calibration: fit.calibration.clone(),
            cuts: fit.cuts,
            pivot: fit.selection.pivot,
            validated,
        };
        let (words, paths) = paths(corpus, vocabulary, &used);
        Self::from_parts(Parts {
            study: study.clone(),
            words,
            paths,
            terms,
            intercept: fit.intercept,
            half: fit.half,
            card,
        })
    }

    /// Puts a model together again.
    ///
    /// # Panics
    /// If a parent does not stand before its term, or the study makes no sense.
    pub fn from_parts(parts: Parts) -> Self {
        let Parts { study, words, paths, mut terms, intercept, half, card } = parts;
        let counts = |term: &Term| term.counts.map(|count| count as usize);
        let kept = terms.iter().filter(|term| term.kept);
        let factors = DocumentFactors::new(&study.terms, card.mix, kept.map(counts));
        for term in &mut terms {
            term.document_factor = if term.kept { factors.of(counts(term)) } else { 0.0 };
        }
        let vocabulary = match study.terms.hashed {
            0 => Vocabulary::new(paths, |token| is_gram(words.word(token.word()))),
            bits => Vocabulary::of_columns(paths.into_iter().map(|(_, column)| column.bits()), bits),
        };
        Self {
            vocabulary,
            document_factors: terms.iter().map(|term| term.document_factor).collect(),
            cleaner: study.cleaner(),
            fields: study.field_names(),
            terms,
            study,
            words,
            intercept,
            half,
            card,
        }
    }

    /// Takes a model apart, for a file.
    pub fn parts(&self) -> Parts {
        Parts {
            study: self.study.clone(),
            words: self.words.clone(),
            paths: TermId::all(self.vocabulary.len())
                .map(|term| (self.vocabulary.parent(term), self.vocabulary.last_token(term)))
                .collect(),
            terms: self.terms.clone(),
            intercept: self.intercept,
            half: self.half,
            card: self.card.clone(),
        }
    }

    /// The settings it was trained with.
    pub fn study(&self) -> &Study {
        &self.study
    }

    /// What else is known of it.
    pub fn card(&self) -> &Card {
        &self.card
    }

    /// The classes that it tells apart.
    pub fn classes(&self) -> Classes {
        Classes::of(self.card.mix)
    }

    /// The score of a review without known terms.
    pub fn intercept(&self) -> f64 {
        self.intercept
    }

    /// What is said at a score.
    pub fn verdict(&self, score: f64) -> Verdict {
        self.card.calibration.verdict(score, self.half, &self.card.cuts)
    }

    /// The number of terms, those included that only begin longer ones.
    pub fn len(&self) -> usize {
        self.terms.len()
    }

    /// Whether there are no terms.
    pub fn is_empty(&self) -> bool {
        self.terms.is_empty()
    }

    /// A term.
    pub fn term(&self, term: TermId) -> Term {
        self.terms[term.place()]
    }

    /// A term as people read it: its words, a negated one with "¬" before it; the number of
    /// its column where terms are hashed.
    pub fn spell(&self, term: TermId) -> String {
        if self.vocabulary.is_hashed() {
            return format!("#{}", self.vocabulary.last_token(term).bits());
        }
        let spell_token = |token: TokenId| {
            let mark = if token.is_negated() { "¬" } else { "" };
            format!("{mark}{}", self.words.word(token.word()))
        };
        self.vocabulary.tokens(term).into_iter().map(spell_token).collect::<Vec<_>>().join(" ")
    }

    /// What should make one look twice at a term.
    pub fn doubts(&self, term: TermId) -> Vec<Doubt> {
        let counts = self.term(term).counts.map(|count| count as usize);
        doubts(self.plain_words(term), counts, self.term(term).name)
    }

    /// The length of a term, in words; 0 for an n-gram of letters.
    pub fn words(&self, term: TermId) -> usize {
        self.vocabulary.words(term)
    }

    /// Whether terms are hashed: they have no names then.
    pub fn is_hashed(&self) -> bool {
        self.vocabulary.is_hashed()
    }

    /// The one word of a term, without the name of its column, if it is no negated word.
    pub fn single_word(&self, term: TermId) -> Option<&str> {
        let token = self.vocabulary.last_token(term);
        let single = !self.is_hashed() && self.words(term) == 1 && !token.is_negated();
        single.then(|| self.fields.cut(self.words.word(token.word())).1)
    }

    /// The words of a term, negated or not, without the names of columns; none where terms are
    /// hashed.
    pub(crate) fn plain_words(&self, term: TermId) -> impl Iterator<Item = &str> {
        let tokens = if self.is_hashed() { Vec::new() } else { self.vocabulary.tokens(term) };
        tokens.into_iter().map(|token| self.fields.cut(self.words.word(token.word())).1)
    }

    /// The terms of one word that is not negated, with the word.
    pub(crate) fn single_words(&self) -> impl Iterator<Item = (TermId, &str)> {
        TermId::all(self.terms.len()).filter_map(|term| Some((term, self.single_word(term)?)))
    }
}

fn term_of(corpus: &Corpus, counted: &Counted, fit: &Fit, term: TermId) -> Term {
    let name = |token: &TokenId| corpus.is_name(token.word());
    Term {
        counts: fit.selection.counts(term).map(|count| count as u32),
        document_factor: fit.selection.document_factors[term.place()],
        weight: fit.weights[term.place()],
        kept: fit.selection.keeps(term),
        name: !counted.vocabulary.is_hashed() && counted.vocabulary.tokens(term).iter().any(name),
    }
}

/// The words of the used terms in alphabetical order, and the terms as paths of these.
fn paths(
    corpus: &Corpus,
    vocabulary: &Vocabulary,
    used: &[TermId],
) -> (Words, Vec<(Option<TermId>, TokenId)>) {
    if vocabulary.is_hashed() {
        return (Words::default(), used.iter().map(|term| (None, vocabulary.last_token(*term))).collect());
    }
    let word_of = |term: &TermId| corpus.words.word(vocabulary.last_token(*term).word());
    let mut list: Vec<&str> = used.iter().map(word_of).collect();
    list.sort_unstable();
    list.dedup();
    let words: Words = list.into_iter().collect();
    let mut numbers = vec![TermId::NONE; vocabulary.len()];
    let mut paths = Vec::with_capacity(used.len());
    for (number, term) in used.iter().enumerate() {
        numbers[term.place()] = TermId::new(number as u32);
        let negated = vocabulary.last_token(*term).is_negated();
        let word = words.place(word_of(term)).expect("the words of the used terms were just listed");
        paths.push((
            vocabulary.parent(*term).map(|parent| numbers[parent.place()]),
            TokenId::new(word, negated),
        ));
    }
    (words, paths)
}
