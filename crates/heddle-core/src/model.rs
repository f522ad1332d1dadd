//! What is learnt, as one value that scores a review.

use serde::{Deserialize, Serialize};
use xxhash_rust::xxh3::xxh3_64;

use crate::fit::Fit;
use crate::learn::calibrate::Calibration;
use crate::learn::lambda::LambdaChoice;
use crate::learn::learner::Convergence;
use crate::matrix::Entry;
use crate::measure::figures::Figures;
use crate::measure::verdict::{Cuts, Verdict};
use crate::polarity::{Classes, Polarity};
use crate::resample::folds::ClassCounts;
use crate::study::Study;
use crate::terms::corpus::{
    Corpus, FieldNames, SENTENCE_END, TokenId, UNKNOWN, hashed_place, is_unknown, token_id,
};
use crate::terms::count::Counted;
use crate::terms::intern::Words;
use crate::terms::letters::{Letters, is_gram};
use crate::terms::select::DocumentFactors;
use crate::terms::vocabulary::{Listed, RowMaker, Vocabulary, walk};
use crate::terms::weigh::Shape;
use crate::text::cleaner::Cleaner;
use crate::text::document::Document;
use crate::text::{Break, Kind, Token, Tokens};

/// What is known of a model beside its weights.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct Card {
    /// The training reviews of each class, in the order of [`Polarity::index`].
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
    /// The training reviews of each class that hold it, in the order of [`Polarity::index`].
    pub counts: [u32; 3],
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
    words: Words,
    vocabulary: Vocabulary,
    terms: Vec<Term>,
    document_factors: Vec<f64>,
    intercept: f64,
    half: f64,
    card: Card,
    cleaner: Cleaner,
    fields: FieldNames,
}

/// The parts of a model, as a file holds them.
#[derive(Debug, Clone)]
pub struct Parts {
    /// The settings.
    pub study: Study,
    /// The words, in alphabetical order.
    pub words: Words,
    /// By term: its parent and its last token; its column where terms are hashed.
    pub paths: Vec<(Option<u32>, TokenId)>,
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
        for term in (0..vocabulary.len()).rev() {
            if needed[term]
                && let Some(parent) = vocabulary.parent(term as u32)
            {
                needed[parent as usize] = true;
            }
        }
        let used: Vec<u32> = (0..vocabulary.len() as u32).filter(|term| needed[*term as usize]).collect();
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
            0 => Vocabulary::new(paths, |token| is_gram(words.word(token >> 1))),
            bits => Vocabulary::of_columns(paths.into_iter().map(|(_, column)| column), bits),
        };
        Self {
            vocabulary,
            document_factors: terms.iter().map(|term| term.document_factor).collect(),
            cleaner: study.cleaner(),
            fields: FieldNames::of(&study),
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
        let terms = 0..self.vocabulary.len() as u32;
        Parts {
            study: self.study.clone(),
            words: self.words.clone(),
            paths: terms
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
    pub fn term(&self, term: u32) -> Term {
        self.terms[term as usize]
    }

    /// A term as people read it: its words, a negated one with "¬" before it; the number of
    /// its column where terms are hashed.
    pub fn spell(&self, term: u32) -> String {
        if self.vocabulary.is_hashed() {
            return format!("#{}", self.vocabulary.last_token(term));
        }
        let spell_token = |token: TokenId| {
            let mark = if token & 1 == 1 { "¬" } else { "" };
            format!("{mark}{}", self.words.word(token >> 1))
        };
        self.vocabulary.tokens(term).into_iter().map(spell_token).collect::<Vec<_>>().join(" ")
    }

    /// The length of a term, in words; 0 for an n-gram of letters.
    pub fn words(&self, term: u32) -> usize {
        self.vocabulary.words(term)
    }

    /// Whether terms are hashed: they have no names then.
    pub fn is_hashed(&self) -> bool {
        self.vocabulary.is_hashed()
    }

    /// The one word of a term, without the name of its column, if it is no negated word.
    pub fn single_word(&self, term: u32) -> Option<&str> {
        let token = self.vocabulary.last_token(term);
        let single = !self.is_hashed() && self.words(term) == 1 && token & 1 == 0;
        single.then(|| self.fields.cut(self.words.word(token >> 1)).1)
    }

    /// The words of a term, negated or not, without the names of columns; none where terms are
    /// hashed.
    pub(crate) fn plain_words(&self, term: u32) -> impl Iterator<Item = &str> {
        let tokens = if self.is_hashed() { Vec::new() } else { self.vocabulary.tokens(term) };
        tokens.into_iter().map(|token| self.fields.cut(self.words.word(token >> 1)).1)
    }

    /// The terms of one word that is not negated, with the word.
    pub(crate) fn single_words(&self) -> impl Iterator<Item = (u32, &str)> {
        (0..self.terms.len() as u32).filter_map(|term| Some((term, self.single_word(term)?)))
    }

    /// Something that scores reviews with this model.
    pub fn reader(&self) -> Reader<'_> {
        Reader {
            model: self,
            maker: RowMaker::new(self.terms.len()),
            tokens: Tokens::default(),
            ids: Vec::new(),
            letters: Letters::new(self.study.terms.letters),
            row: Vec::new(),
            scale: 0.0,
            name: String::new(),
        }
    }
}

fn term_of(corpus: &Corpus, counted: &Counted, fit: &Fit, term: u32) -> Term {
    let name = |token: &TokenId| corpus.is_name(*token >> 1);
    Term {
        counts: fit.selection.counts(term).map(|count| count as u32),
        document_factor: fit.selection.document_factors[term as usize],
        weight: fit.weights[term as usize],
        kept: fit.selection.keeps(term),
        name: !counted.vocabulary.is_hashed() && counted.vocabulary.tokens(term).iter().any(name),
    }
}

/// The words of the used terms in alphabetical order, and the terms as paths of these.
fn paths(corpus: &Corpus, vocabulary: &Vocabulary, used: &[u32]) -> (Words, Vec<(Option<u32>, TokenId)>) {
    if vocabulary.is_hashed() {
        return (Words::default(), used.iter().map(|term| (None, vocabulary.last_token(*term))).collect());
    }
    let word_of = |term: &u32| corpus.words.word(vocabulary.last_token(*term) >> 1);
    let mut list: Vec<&str> = used.iter().map(word_of).collect();
    list.sort_unstable();
    list.dedup();
    let words: Words = list.into_iter().collect();
    let mut numbers = vec![0u32; vocabulary.len()];
    let mut paths = Vec::with_capacity(used.len());
    for (number, term) in used.iter().enumerate() {
        numbers[*term as usize] = number as u32;
        let negated = vocabulary.last_token(*term) & 1 == 1;
        let word = words.place(word_of(term)).expect("the words of the used terms were just listed");
        paths
            .push((vocabulary.parent(*term).map(|parent| numbers[parent as usize]), token_id(word, negated)));
    }
    (words, paths)
}

/// The score of one review.
#[derive(Debug, Clone, Copy, PartialEq, Serialize)]
pub struct Score {
    /// intercept + the contributions of the terms: the log-odds of positive, in nats, unless the model
    /// reads them off an isotonic curve.
    pub sum: f64,
    /// What the model says for it.
    pub verdict: Verdict,
    /// Words and other tokens of the review.
    pub tokens: usize,
    /// Of these, the words that the model has no term for.
    pub unknown: usize,
    /// Distinct terms of the model in the review; at 0 the score is the intercept.
    pub terms: usize,
}

impl Score {
    /// The probability of a class. They sum to 1.
    pub fn probability(&self, class: Polarity) -> f64 {
        self.verdict.probability(class)
    }

    /// The class it is called.
    pub fn polarity(&self) -> Polarity {
        self.verdict.called
    }

    /// Whether it is called at all: a review without known terms, or within the band of the
    /// unsure, is not.
    pub fn is_sure(&self) -> bool {
        self.verdict.sure && self.terms > 0
    }
}

/// Scores reviews one after the other, reusing its buffers. Keeps the last review's tokens
/// and terms, so that an explanation tells of the very computation that gave the score.
#[derive(Debug, Clone)]
pub struct Reader<'m> {
    model: &'m Model,
    maker: RowMaker,
    tokens: Tokens,
    ids: Vec<TokenId>,
    letters: Letters,
    row: Vec<Entry>,
    scale: f64,
    name: String,
}

impl<'m> Reader<'m> {
    /// Scores a text that is no row's: see [`score_document`](Self::score_document).
    pub fn score(&mut self, text: &str) -> Score {
        self.score_document(&Document::from(text))
    }

    /// Scores a review: intercept + sum of weight x value over its terms.
    pub fn score_document(&mut self, document: &Document) -> Score {
        self.read(document);
        let rules = &self.model.study.terms;
        let shape = if rules.weighting.needs_shape() { self.shape(document) } else { Shape::EMPTY };
        let Self { model, maker, tokens, ids, letters, row, scale, .. } = self;
        row.clear();
        let paths = Listed { vocabulary: &model.vocabulary, letters };
        maker.put(&paths, ids, rules, model.study.negation.style, shape, row);
        row.retain(|entry| model.terms[entry.column as usize].kept);
        *scale = rules.weighting.row_factor(row, &model.document_factors, model.card.pivot);
        let dot: f64 = row.iter().map(|entry| model.pull(entry)).sum();
        let (sum, terms, tokens) = (model.intercept + dot * *scale, row.len(), tokens.items().len());
        Score { sum, verdict: model.verdict(sum), tokens, unknown: self.unknown().count(), terms }
    }

    /// Reads tokens and their ids; those of letters stand by the place of their token's id.
    fn read(&mut self, document: &Document) {
        let Self { model, tokens, ids, letters, name, .. } = self;
        model.cleaner.scan(document.text(), tokens);
        ids.clear();
        letters.clear();
        let hashed = model.is_hashed();
        let place = |word: &str| {
            if hashed { Some(hashed_place(word)) } else { model.words.place(word) }
        };
        for (at, token) in tokens.items().iter().enumerate() {
            if at > 0 && token.before == Break::Sentence {
                ids.push(SENTENCE_END);
                letters.push("", &model.fields, |_| None);
            }
            let id = model.fields.word(document, tokens, token, name, |word| {
                letters.push(word, &model.fields, |gram| model.words.place(gram));
                place(word).map_or(UNKNOWN | u32::from(token.negated), |word| token_id(word, token.negated))
            });
            ids.push(id);
        }
    }

    fn shape(&self, document: &Document) -> Shape {
        let Self { model, tokens, .. } = self;
        let mut name = String::new();
        let key = |token: &Token| {
            let word = model.fields.word(document, tokens, token, &mut name, |word| xxh3_64(word.as_bytes()));
            (word, token.negated)
        };
        Shape::of(&mut tokens.items().iter().map(key).collect::<Vec<_>>())
    }

    /// The words of the last review that the model has no term for, in reading order.
    pub(crate) fn unknown(&self) -> impl Iterator<Item = &Token> {
        // Sentence ends stand between the ids; the others are those of the tokens, in order.
        let words = self.ids.iter().filter(|id| **id != SENTENCE_END).zip(self.tokens.items());
        words.filter(|(id, token)| is_unknown(**id) && token.kind == Kind::Word).map(|(_, token)| token)
    }

    /// The tokens of the last review.
    pub fn tokens(&self) -> &Tokens {
        &self.tokens
    }

    /// The terms of the last review with the log-odds that each adds; they sum, with the
    /// intercept, to the score.
    pub fn contributions(&self) -> impl Iterator<Item = (u32, f64)> {
        self.row.iter().map(|entry| (entry.column, self.model.pull(entry) * self.scale))
    }

    /// The places of the terms of the last review: the term, the index of its first token
    /// and its number of tokens.
    pub(crate) fn places(&self) -> Vec<(u32, usize, usize)> {
        // By id: the token it belongs to; sentence ends take up an id but are no token.
        let mut next = 0;
        let number = |id: &TokenId| {
            let own = next;
            next += usize::from(*id != SENTENCE_END);
            own
        };
        let token_of: Vec<usize> = self.ids.iter().map(number).collect();
        let Self { model, letters, ids, .. } = self;
        let paths = Listed { vocabulary: &model.vocabulary, letters };
        let rules = &model.study.terms;
        let mut found = Vec::new();
        walk(&paths, ids, rules.longest(), model.study.negation.style, |term, first, length, _| {
            if rules.takes(length) && model.terms[term as usize].kept {
                found.push((term, token_of[first], length.max(1)));
            }
        });
        found
    }

    /// The model that it reads with.
    pub fn model(&self) -> &'m Model {
        self.model
    }
}

impl Model {
    fn pull(&self, entry: &Entry) -> f64 {
        let term = &self.terms[entry.column as usize];
        f64::from(entry.value) * term.document_factor * term.weight
    }
}
