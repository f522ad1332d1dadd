//! What is learnt, as one value that scores a review.

use serde::{Deserialize, Serialize};

use crate::fit::Fit;
use crate::learn::logistic::Convergence;
use crate::learn::strength::Choice;
use crate::matrix::Entry;
use crate::measure::figures::Figures;
use crate::measure::odds::probabilities;
use crate::polarity::Polarity;
use crate::study::Study;
use crate::terms::corpus::{Corpus, SENTENCE_END, TokenId, UNKNOWN, put_ids, token_id};
use crate::terms::count::Counted;
use crate::terms::intern::Words;
use crate::terms::vocabulary::{RowMaker, Vocabulary};
use crate::text::scan::scan;
use crate::text::{Kind, Token, Tokens};

/// What is known of a model beside its weights.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct Card {
    /// The training reviews of each class, in the order of [`Polarity::POLES`].
    pub mix: [usize; 2],
    /// The kept terms.
    pub terms: usize,
    /// lambda.
    pub strength: f64,
    /// How lambda was chosen; missing if the study fixed it.
    pub choice: Option<Choice>,
    /// How far the learner came.
    pub convergence: Convergence,
    /// Cross-validated figures on the training reviews; missing if the model was never
    /// validated.
    pub validated: Option<Validated>,
}

/// Figures on reviews that the model's twins on other folds had not seen.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct Validated {
    /// The number of folds.
    pub folds: usize,
    /// The figures of the model.
    pub figures: Figures,
    /// The figures of the majority baseline on the same reviews.
    pub baseline: Figures,
}

/// One term of a model.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Term {
    /// The training reviews that hold it.
    pub reviews: u32,
    /// Its document factor.
    pub document_factor: f64,
    /// Its weight.
    pub weight: f64,
    /// Whether it is used; terms that only begin longer ones are not.
    pub kept: bool,
}

/// A trained model: all that is needed to score a review and to explain the score.
#[derive(Debug, Clone)]
pub struct Model {
    study: Study,
    words: Words,
    vocabulary: Vocabulary,
    terms: Vec<Term>,
    document_factors: Vec<f64>,
    base: f64,
    card: Card,
}

/// The parts of a model, as a file holds them.
#[derive(Debug, Clone)]
pub struct Parts {
    /// The settings.
    pub study: Study,
    /// The words, in alphabetical order.
    pub words: Words,
    /// By term: its parent and its last token.
    pub paths: Vec<(Option<u32>, TokenId)>,
    /// By term: the training reviews that hold it, its weight, and whether it is used.
    pub terms: Vec<(u32, f64, bool)>,
    /// The log-odds of a review without known terms.
    pub base: f64,
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
        let mut needed = fit.selection.kept.clone();
        // A parent stands before its term: going backwards, needs reach the first words.
        for term in (0..vocabulary.len()).rev() {
            if needed[term]
                && let Some(parent) = vocabulary.parent(term as u32)
            {
                needed[parent as usize] = true;
            }
        }
        let used: Vec<u32> = (0..vocabulary.len() as u32).filter(|term| needed[*term as usize]).collect();
        let word_of = |term: &u32| corpus.words.word(vocabulary.last_token(*term) >> 1);
        let mut list: Vec<&str> = used.iter().map(word_of).collect();
        list.sort_unstable();
        list.dedup();
        let words: Words = list.into_iter().collect();
        let mut numbers = vec![0u32; vocabulary.len()];
        let mut paths = Vec::with_capacity(used.len());
        let mut terms = Vec::with_capacity(used.len());
        for (number, term) in used.iter().enumerate() {
            numbers[*term as usize] = number as u32;
            let negated = vocabulary.last_token(*term) & 1 == 1;
            let word = words.place(word_of(term)).expect("the words of the used terms were just listed");
            let parent = vocabulary.parent(*term).map(|parent| numbers[parent as usize]);
            paths.push((parent, token_id(word, negated)));
            let at = *term as usize;
            terms.push((fit.selection.document_counts[at], fit.weights[at], fit.selection.kept[at]));
        }
        let card = Card {
            mix: fit.mix,
            terms: fit.selection.len(),
            strength: fit.strength,
            choice: fit.choice.clone(),
            convergence: fit.convergence,
            validated,
        };
        Self::from_parts(Parts { study: study.clone(), words, paths, terms, base: fit.base, card })
    }

    /// Puts a model together again.
    ///
    /// # Panics
    /// If a parent does not stand before its term.
    pub fn from_parts(parts: Parts) -> Self {
        let reviews = parts.card.mix.iter().sum();
        let weighting = parts.study.terms.weighting;
        let term = |&(df, weight, kept): &(u32, f64, bool)| {
            let document_factor = if kept { weighting.document_factor(df, reviews) } else { 0.0 };
            Term { reviews: df, document_factor, weight, kept }
        };
        let terms: Vec<Term> = parts.terms.iter().map(term).collect();
        Self {
            vocabulary: Vocabulary::new(parts.paths),
            document_factors: terms.iter().map(|term| term.document_factor).collect(),
            terms,
            study: parts.study,
            words: parts.words,
            base: parts.base,
            card: parts.card,
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
            terms: self.terms.iter().map(|term| (term.reviews, term.weight, term.kept)).collect(),
            base: self.base,
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

    /// The log-odds of a review without known terms.
    pub fn base(&self) -> f64 {
        self.base
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

    /// A term as people read it: its words, a negated one with "¬" before it.
    pub fn spell(&self, term: u32) -> String {
        let spell_token = |token: TokenId| {
            let mark = if token & 1 == 1 { "¬" } else { "" };
            format!("{mark}{}", self.words.word(token >> 1))
        };
        self.vocabulary.tokens(term).into_iter().map(spell_token).collect::<Vec<_>>().join(" ")
    }

    /// The terms of one word that is not negated, with the word.
    pub(crate) fn single_words(&self) -> impl Iterator<Item = (u32, &str)> {
        let single = |term: &u32| {
            self.vocabulary.parent(*term).is_none() && self.vocabulary.last_token(*term) & 1 == 0
        };
        let word = |term: u32| (term, self.words.word(self.vocabulary.last_token(term) >> 1));
        (0..self.terms.len() as u32).filter(single).map(word)
    }

    /// Something that scores reviews with this model.
    pub fn reader(&self) -> Reader<'_> {
        Reader {
            model: self,
            maker: RowMaker::new(self.terms.len()),
            tokens: Tokens::default(),
            ids: Vec::new(),
            row: Vec::new(),
            scale: 0.0,
        }
    }
}

/// The score of one review.
#[derive(Debug, Clone, Copy, PartialEq, Serialize)]
pub struct Score {
    /// The log-odds of positive, in nats.
    pub log_odds: f64,
    /// Words and other tokens of the review.
    pub tokens: usize,
    /// Of these, the words that the model has no term for.
    pub unknown: usize,
    /// Distinct terms of the model in the review; at 0 the score is the base.
    pub terms: usize,
}

impl Score {
    /// The probability of a class. The two sum to 1.
    pub fn probability(&self, class: Polarity) -> f64 {
        probabilities(self.log_odds)[class.index()]
    }

    /// The class that the score speaks for.
    pub fn polarity(&self) -> Polarity {
        Polarity::of_log_odds(self.log_odds)
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
    row: Vec<Entry>,
    scale: f64,
}

impl<'m> Reader<'m> {
    /// Scores a review: base + sum of weight x value over its terms.
    pub fn score(&mut self, text: &str) -> Score {
        let Self { model, maker, tokens, ids, row, scale } = self;
        let study = &model.study;
        scan(text, &study.text, &study.negation, tokens);
        ids.clear();
        row.clear();
        let id_of = |token: &Token| {
            model.words.place(tokens.form(token)).map_or(UNKNOWN, |word| token_id(word, token.negated))
        };
        put_ids(tokens, ids, id_of);
        let rules = &study.terms;
        maker.put(&model.vocabulary, ids, rules.words, study.negation.style, rules.weighting, row);
        row.retain(|entry| model.terms[entry.column as usize].kept);
        *scale = rules.weighting.row_factor(row, &model.document_factors);
        let dot: f64 = row.iter().map(|entry| model.pull(entry)).sum();
        // Sentence ends stand between the ids; the others are those of the tokens, in order.
        let words = ids.iter().filter(|id| **id != SENTENCE_END).zip(tokens.items());
        let unknown = words.filter(|(id, token)| **id == UNKNOWN && token.kind == Kind::Word).count();
        Score { log_odds: model.base + dot * *scale, tokens: tokens.items().len(), unknown, terms: row.len() }
    }

    /// The tokens of the last review.
    pub fn tokens(&self) -> &Tokens {
        &self.tokens
    }

    /// The terms of the last review with the log-odds that each adds; they sum, with the
    /// base, to the score.
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
        let study = &self.model.study;
        let mut found = Vec::new();
        self.model.vocabulary.walk(
            &self.ids,
            study.terms.words.1,
            study.negation.style,
            |term, first, length| {
                if self.model.terms[term as usize].kept {
                    found.push((term, token_of[first], length));
                }
            },
        );
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

    /// Whether a word has a term of its own or stands in a longer one.
    pub(crate) fn knows(&self, tokens: &Tokens, token: &Token) -> bool {
        self.words.place(tokens.form(token)).is_some()
    }
}
