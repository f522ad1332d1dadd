//! From a document to its score under a model.

use std::ops::Range;

use serde::Serialize;
use xxhash_rust::xxh3::xxh3_64;

use crate::ahead::STEPS;
use crate::beside::ColumnEffects;
use crate::labels::per_class::PerClass;
use crate::labels::polarity::Polarity;
use crate::matrix::Entry;
use crate::measure::verdict::{Place, Verdict, class_scores};
use crate::model::artefact::Model;
use crate::terms::encode::{Encoded, Next, Scanned};
use crate::terms::intern::SoughtWord;
use crate::terms::subwords::Subwords;
use crate::terms::term_id::TermId;
use crate::terms::token_id::{TokenId, hashed_place};
use crate::terms::vectors::{PullPart, WordPulls, column_of};
use crate::terms::vocabulary::{Begins, Listed, RowMaker, walk};
use crate::terms::weigh::{Shape, dot, of_pair};
use crate::text::cleaner::ScanBuffer;
use crate::text::document::Document;
use crate::text::tokens::{Counts, Kind, Token, Tokens};

/// The score of one review.
#[derive(Debug, Clone, Copy, PartialEq, Serialize)]
pub struct Score {
    /// intercept + the contributions of the terms and columns: the log-odds of positive, in nats, unless the model
    /// reads them off an isotonic curve.
    pub sum: f64,
    /// The neutrality, likewise; there only where each class has weights of its own.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub neutrality: Option<f64>,
    /// What the model says for it.
    pub verdict: Verdict,
    /// Words and other tokens of the review.
    pub tokens: usize,
    /// Of these, the words that the model does not know; of some it may know the stem or letters.
    pub unknown: usize,
    /// Distinct terms of the model in the review; at 0 the score is the intercept.
    pub terms: usize,
}

impl Score {
    /// The probability of a class. They sum to 1.
    pub fn probability(&self, class: Polarity) -> f64 {
        self.verdict.probability(class)
    }

    /// The sum of each class; nothing where classes lie on one axis.
    pub fn by_class(&self) -> Option<PerClass<f64>> {
        Some(class_scores(self.sum, self.neutrality?))
    }

    /// The class it is called.
    pub fn polarity(&self) -> Polarity {
        self.verdict.called
    }

    /// Whether it is called at all: a review without known terms, or within the band of the
    /// unsure, is not.
    pub fn is_sure(&self) -> bool {
        self.verdict.sure
    }
}

/// A place of a term in a review.
pub(crate) struct TermPlace {
    pub(crate) term: TermId,
    /// The index of its first token.
    pub(crate) first: usize,
    /// Its number of tokens.
    pub(crate) length: usize,
    /// How much it counts there.
    pub(crate) share: f32,
}

impl TermPlace {
    pub(crate) fn tokens(&self) -> Range<usize> {
        self.first..self.first + self.length
    }
}

/// A word with a vector as it stands in a review.
pub(crate) struct VectorWord {
    pub(crate) part: PullPart,
    pub(crate) contribution: f64,
    pub(crate) neutral: Option<f64>,
    /// What every word with a vector of the review is multiplied by.
    pub(crate) share: f64,
    /// The indices of its tokens.
    pub(crate) tokens: Vec<usize>,
}

/// Scores reviews one after the other, reusing its buffers. Keeps the last review's tokens
/// and terms, so that an explanation tells of the very computation that gave the score.
#[derive(Debug, Clone)]
pub struct Scorer<'m> {
    model: &'m Model,
    maker: RowMaker<'m>,
    scan: ScanBuffer,
    ids: Vec<TokenId>,
    /// As in [`Encoded`].
    counts: Vec<Counts>,
    /// By id: the parts of its word.
    subwords: Subwords,
    /// Those of the words that the model does not know, one after the other.
    of_unknown: Subwords,
    begins: Begins,
    row: Vec<Entry>,
    /// The features of the columns beside the text.
    columns: Vec<Entry>,
    /// The words with vectors, by column of the bags, and by token the place of its own among them.
    bag: Vec<Entry>,
    bag_places: Vec<Option<u32>>,
    scale: f64,
    buffer: String,
    /// The words of the tokens, to be found.
    sought: Vec<SoughtWord>,
}

impl Model {
    /// Something that scores reviews with this model.
    pub fn scorer(&self) -> Scorer<'_> {
        Scorer {
            model: self,
            maker: RowMaker::new(&self.study().terms, self.study().negation.plainly()),
            scan: ScanBuffer::default(),
            ids: Vec::new(),
            counts: Vec::new(),
            subwords: Subwords::default(),
            of_unknown: Subwords::default(),
            begins: Begins::default(),
            row: Vec::new(),
            columns: Vec::new(),
            bag: Vec::new(),
            bag_places: Vec::new(),
            scale: 0.0,
            buffer: String::new(),
            sought: Vec::new(),
        }
    }
}

impl<'m> Scorer<'m> {
    /// Scores a text that is no row's: see [`score_document`](Self::score_document).
    pub fn score(&mut self, text: &str) -> Score {
        self.score_document(&Document::from(text))
    }

    /// Scores a review: intercept + sum of weight x value over its terms.
    pub fn score_document(&mut self, document: &Document) -> Score {
        self.encode(document);
        let rules = &self.model.study().terms;
        let shape = if rules.weighting.needs_shape() { self.shape(document) } else { Shape::EMPTY };
        self.fill_bag();
        let Self { model, maker, scan, ids, counts, subwords, begins, row, columns, bag, scale, .. } = self;
        row.clear();
        columns.clear();
        let beside = model.card().columns.as_ref();
        if let Some(beside) = beside {
            let study = model.study();
            let told = model.cleaner.told(scan.tokens());
            beside.put(&study.features.columns, (document, told), study.reviews.dates, columns);
        }
        begins.find(&model.vocabulary, ids, rules.longest());
        let paths = Listed { vocabulary: &model.vocabulary, subwords, begins };
        maker.put(&paths, Encoded { ids, counts }, shape, row);
        if !model.keeps_all() {
            row.retain(|entry| model.terms.kept[entry.column as usize]);
        }
        let weighed = rules.weighting.weighed_by_pairs(row, &model.pulls, model.card().pivot);
        *scale = weighed.scale;
        let add = |effects: fn(&ColumnEffects) -> &[f32]| {
            beside.map_or(0.0, |own| ColumnEffects::sum(columns, effects(own)))
        };
        let mean =
            |pulls: fn(&WordPulls) -> &[f32]| model.vectors().map_or(0.0, |own| own.sum(bag, pulls(own)));
        let of_vectors = mean(|own| &own.pulls);
        let sum = model.intercept() + weighed.dot + add(|own| &own.effects) + of_vectors;
        let neutrality = model.card().neutral_intercept.map(|intercept| {
            let of_terms = dot(row, |column| model.neutral_factors(TermId::new(column)));
            intercept + of_terms * *scale + add(|own| &own.neutral) + mean(|own| &own.neutral)
        });
        let (terms, tokens) = (row.len(), scan.tokens().items().len());
        let scored = match neutrality {
            None => Place::between(sum, model.half()),
            Some(neutrality) => Place::apart(sum, neutrality),
        };
        let pulls = |entry: &Entry| model.pulls_at_all(TermId::new(entry.column));
        let known = if model.all_pull() { terms > 0 } else { row.iter().any(pulls) };
        let known = known || beside.is_some_and(|own| own.pull(columns)) || of_vectors != 0.0;
        let verdict = model.verdict(scored).known(known);
        Score { sum, neutrality, verdict, tokens, unknown: self.unknown().count(), terms }
    }

    /// Scans a document and gives its tokens ids.
    fn encode(&mut self, document: &Document) {
        let Self { model, scan, ids, counts, of_unknown, buffer, sought, .. } = self;
        let tokens = model.cleaner.scan(document.text(), scan);
        let scanned = Scanned { document, tokens, fields: &model.fields };
        ids.clear();
        counts.clear();
        of_unknown.clear();
        sought.clear();
        let hashed = model.is_hashed();
        if !hashed {
            // All words of a review are asked for before the first is looked for.
            for token in tokens.items() {
                let own = scanned.word(token, buffer, SoughtWord::of);
                model.words.ask(own);
                sought.push(own);
            }
        }
        let mut sought = sought.iter();
        let mut place = |word: &str| match hashed {
            true => Some(hashed_place(word)),
            false => sought.next().and_then(|own| model.words.find(*own, word)),
        };
        scanned.encode(buffer, (ids, counts), |next| match next {
            Next::SentenceEnd => TokenId::SENTENCE_END,
            Next::Token(word, token) => match place(word) {
                Some(place) => TokenId::new(place, token.negated),
                None => {
                    of_unknown.push(model.parts.of_spelled(word, &model.words));
                    TokenId::unknown(token.negated)
                }
            },
        });
        if !model.cleaner.weighs() {
            counts.clear();
        }
        self.take_apart();
    }

    /// Puts the parts of words by the places of their ids.
    fn take_apart(&mut self) {
        let Self { model, ids, subwords, of_unknown, .. } = self;
        subwords.clear();
        if model.parts.are_none() {
            return;
        }
        let mut unknown = 0..;
        for (at, id) in ids.iter().enumerate() {
            if let Some(later) = ids.get(at + STEPS) {
                model.parts.ask(later.word());
            }
            let parts = match id {
                id if id.is_sentence_end() => &[],
                id if id.is_unknown() => of_unknown.of(unknown.next().unwrap_or(u32::MAX)),
                id => model.parts.of(id.word(), &model.words),
            };
            parts.iter().for_each(|part| model.vocabulary.ask_single(id.with_word(*part)));
            subwords.push(parts.iter().copied());
        }
    }

    /// Counts the words with vectors of the scanned tokens.
    fn fill_bag(&mut self) {
        let Self { model, scan, bag, bag_places, .. } = self;
        bag.clear();
        bag_places.clear();
        let Some(vectors) = model.vectors() else { return };
        let tokens = scan.tokens();
        for token in tokens.items() {
            let Some(word) = vectors.words.place(tokens.form(token)) else {
                bag_places.push(None);
                continue;
            };
            let column = column_of(word, token.negated);
            let at = bag.iter().position(|entry| entry.column == column).unwrap_or(bag.len());
            if at == bag.len() {
                bag.push(Entry { column, value: 0.0 });
            }
            bag[at].value += 1.0;
            bag_places.push(Some(at as u32));
        }
    }

    /// The words with vectors of the last review, each with what it adds to the log-odds and to neutrality, and its
    /// tokens.
    pub(crate) fn vector_words(&self) -> Vec<VectorWord> {
        let Some(own) = self.model.vectors() else { return Vec::new() };
        let share = own.share(&self.bag);
        let word = |(at, entry): (usize, &Entry)| {
            let part = own.part(entry);
            let adds = |pull: f32| part.factor * f64::from(pull) * share;
            let here = |(_, place): &(usize, &Option<u32>)| **place == Some(at as u32);
            VectorWord {
                contribution: adds(part.pull),
                neutral: part.neutral.map(adds),
                share,
                tokens: self.bag_places.iter().enumerate().filter(here).map(|(token, _)| token).collect(),
                part,
            }
        };
        self.bag.iter().enumerate().map(word).collect()
    }

    fn shape(&mut self, document: &Document) -> Shape {
        let Self { model, scan, buffer, .. } = self;
        let tokens = scan.tokens();
        let scanned = Scanned { document, tokens, fields: &model.fields };
        let key =
            |token: &Token| (scanned.word(token, buffer, |word| xxh3_64(word.as_bytes())), token.negated);
        Shape::of(&mut tokens.items().iter().map(key).collect::<Vec<_>>())
    }

    /// The words of the last review that the model does not know, in reading order.
    pub(crate) fn unknown(&self) -> impl Iterator<Item = &Token> {
        self.unknown_words().map(|(_, token)| token)
    }

    /// Those of which it knows no part, either: they add nothing.
    pub(crate) fn silent(&self) -> impl Iterator<Item = &Token> {
        self.unknown_words().filter(|(at, _)| self.subwords.of(*at as u32).is_empty()).map(|(_, token)| token)
    }

    /// The unknown words, with the places of their ids.
    fn unknown_words(&self) -> impl Iterator<Item = (usize, &Token)> {
        // Sentence ends stand between the ids; the others are those of the tokens, in order.
        let ids = self.ids.iter().enumerate().filter(|(_, id)| !id.is_sentence_end());
        let words = ids.zip(self.scan.tokens().items());
        let unknown = words.filter(|((_, id), token)| id.is_unknown() && token.kind == Kind::Word);
        let meant = |token: &Token| {
            let form = self.scan.tokens().form(token);
            self.model.vectors().is_some_and(|own| own.words.place(form).is_some())
        };
        unknown.map(|((at, _), token)| (at, token)).filter(move |(_, token)| !meant(token))
    }

    /// The tokens of the last review.
    pub fn tokens(&self) -> &Tokens {
        self.scan.tokens()
    }

    /// The terms of the last review with their term factors, in the order of first use.
    pub fn row(&self) -> &[Entry] {
        &self.row
    }

    /// The features of the last review in the columns beside the text: one for each of which something is known.
    pub(crate) fn columns(&self) -> &[Entry] {
        &self.columns
    }

    /// The columns in which the last review has a category that training saw rarely, or never.
    pub fn unfamiliar(&self) -> usize {
        self.model.card().columns.as_ref().map_or(0, |own| own.coding.others(&self.columns))
    }

    /// The factor of the last review that every term of it has.
    pub fn normalisation(&self) -> f64 {
        self.scale
    }

    /// What a term of the last review contributes to the log-odds; with the intercept, contributions
    /// sum to the score.
    pub fn contribution(&self, entry: &Entry) -> f64 {
        dot(std::slice::from_ref(entry), |column| self.model.factors(TermId::new(column))) * self.scale
    }

    /// What a term of the last review contributes to the neutrality; nothing where classes lie on one axis.
    pub fn neutral_contribution(&self, entry: &Entry) -> Option<f64> {
        let of = |column: u32| self.model.neutral_factors(TermId::new(column));
        self.model.is_free().then(|| dot(std::slice::from_ref(entry), of) * self.scale)
    }

    /// The places of the terms of the last review.
    pub(crate) fn places(&self) -> Vec<TermPlace> {
        // By id: the token it belongs to; sentence ends take up an id but are no token.
        let mut next = 0;
        let number = |id: &TokenId| {
            let own = next;
            next += usize::from(!id.is_sentence_end());
            own
        };
        let token_of: Vec<usize> = self.ids.iter().map(number).collect();
        let Self { model, subwords, ids, counts, begins, .. } = self;
        let paths = Listed { vocabulary: &model.vocabulary, subwords, begins };
        let rules = &model.study().terms;
        let mut found = Vec::new();
        walk(
            &paths,
            Encoded { ids, counts },
            rules.longest(),
            model.study().negation.plainly(),
            |term, first, length, adds| {
                if rules.takes(length) && model.terms.kept[term.place()] {
                    found.push(TermPlace {
                        term,
                        first: token_of[first],
                        length: length.max(1),
                        share: adds.abs(),
                    });
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
    /// The document factor and the weight of a term.
    #[inline]
    fn factors(&self, term: TermId) -> [f64; 2] {
        of_pair(self.pulls[term.place()])
    }

    /// Whether all terms pull: under a lasso few do.
    fn all_pull(&self) -> bool {
        self.card().pulling == self.card().terms
    }

    /// Whether a term that is used pulls at all.
    fn pulls_at_all(&self, term: TermId) -> bool {
        self.pulls[term.place()][1] != 0.0
            || self.terms.neutral.get(term.place()).is_some_and(|own| *own != 0.0)
    }

    /// The document factor of a term and its weight for neutral.
    fn neutral_factors(&self, term: TermId) -> [f64; 2] {
        [self.pulls[term.place()][0].into(), self.terms.neutral[term.place()].into()]
    }
}
