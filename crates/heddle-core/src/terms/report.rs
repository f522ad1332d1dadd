//! Fitted terms, to be looked at.

use std::collections::BTreeSet;

use serde::Serialize;

use super::associate::{association, log_odds};
use super::corpus::Corpus;
use super::count::Counted;
use super::highest::highest;
use super::made_of::MadeOf;
use super::names::{path_of, path_spelled};
use super::select::{Selection, TermStatus};
use super::term_id::TermId;
use super::token_id::TokenId;
use super::vocabulary::{Begins, Listed, walk};
use super::weigh::Shape;
use crate::labels::per_class::{ClassCounts, PerClass};
use crate::labels::polarity::Polarity;
use crate::matrix::Entry;
use crate::measure::interval::{Figure, share};

/// A term in fewer reviews rests on too little.
const FEW: usize = 5;
/// A term in so many reviews, all of one class, may be a mark of where they come from.
const MANY: usize = 20;

/// Why a term should be looked at twice before it is believed.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize)]
#[serde(rename_all = "snake_case")]
pub enum Doubt {
    /// Fewer than five reviews hold it.
    Few,
    /// All its words are function words: they tell how reviews were collected rather than what
    /// they say.
    FunctionWord,
    /// A name of somebody or something.
    Name,
    /// Twenty reviews or more hold it, all of one class.
    OneClass,
}

impl Doubt {
    /// In words.
    pub fn words(self) -> &'static str {
        match self {
            Self::Few => "few reviews",
            Self::FunctionWord => "function word",
            Self::Name => "name",
            Self::OneClass => "one class only",
        }
    }
}

/// What should make one look twice at a term of these words.
pub(crate) fn doubts<'w>(
    words: impl Iterator<Item = &'w str>,
    is_function_word: impl FnMut(&'w str) -> bool,
    counts: ClassCounts,
    name: bool,
) -> Vec<Doubt> {
    // Hashed terms have no words.
    let mut words = words.peekable();
    let all_function = words.peek().is_some() && words.all(is_function_word);
    let reviews: usize = counts.iter().sum();
    let one_class = reviews >= MANY && counts.iter().filter(|count| **count > 0).count() == 1;
    [
        (Doubt::Few, reviews < FEW),
        (Doubt::FunctionWord, all_function),
        (Doubt::Name, name),
        (Doubt::OneClass, one_class),
    ]
    .into_iter()
    .filter_map(|(doubt, holds)| holds.then_some(doubt))
    .collect()
}

/// One term of a training part.
#[derive(Debug, Clone, PartialEq, Serialize)]
pub struct TermFacts {
    /// The term; a negated word has "¬" before it.
    pub term: String,
    /// What it is made of.
    #[serde(flatten)]
    pub made_of: MadeOf,
    /// The reviews that hold it.
    pub reviews: usize,
    /// The reviews of each class that hold it, in the order of [`Polarity::index`].
    pub counts: ClassCounts,
    /// ln(N / df), whatever the weighting.
    pub idf: f64,
    /// How strongly it goes with the classes, by `terms.association`.
    pub association: f64,
    /// What becomes of it.
    pub status: TermStatus,
    /// What should make one look twice.
    pub doubts: Vec<Doubt>,
}

/// A term that goes with a class.
#[derive(Debug, Clone, PartialEq, Serialize)]
pub struct DistinctiveTerm {
    /// What is known of it.
    #[serde(flatten)]
    pub facts: TermFacts,
    /// The share of its reviews that have the class.
    pub share: Figure,
    /// Its log-odds ratio against the other classes, in standard errors.
    pub score: f64,
}

/// The tokens and reviews that kept terms cover.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize)]
pub struct Coverage {
    /// Tokens of all reviews.
    pub tokens: usize,
    /// Of these, tokens that no kept term of one word stands for.
    pub uncovered_tokens: usize,
    /// Reviews.
    pub reviews: usize,
    /// Of these, reviews without any kept term.
    pub uncovered_reviews: usize,
}

/// The numbers of terms that a range of reviews holds.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize)]
pub struct Band {
    /// The fewest reviews of the range.
    pub from: usize,
    /// The most.
    pub to: usize,
    /// Terms that are kept.
    pub kept: usize,
    /// Terms that are left out.
    pub dropped: usize,
}

/// One term of one review.
#[derive(Debug, Clone, PartialEq, Serialize)]
pub struct ReviewTerm {
    /// The term.
    pub term: String,
    /// Its count; below 0 where negated words count against their plain form.
    pub count: f32,
    /// The first letter's factor.
    pub term_factor: f32,
    /// The second letter's factor, with the emphasis.
    pub document_factor: f64,
    /// Term factor x document factor x the factor of the row.
    pub value: f64,
    /// What becomes of the term.
    pub status: TermStatus,
}

/// Counted terms with what a training part makes of them.
#[derive(Debug, Clone, Copy)]
pub struct TermReport<'a> {
    /// The reviews.
    pub corpus: &'a Corpus,
    /// Their terms.
    pub counted: &'a Counted,
    /// What becomes of these.
    pub selection: &'a Selection,
}

impl TermReport<'_> {
    /// A term as people read it; the number of its column where terms are hashed.
    pub fn spell(&self, term: TermId) -> String {
        let vocabulary = &self.counted.vocabulary;
        if vocabulary.is_hashed() {
            return format!("#{}", term.column());
        }
        let spelled = |token: TokenId| self.corpus.spell_token(token);
        vocabulary.tokens(term).into_iter().map(spelled).collect::<Vec<_>>().join(" ")
    }

    /// The kept terms of a review with their weights: term factor x document factor x the factor of the row.
    pub fn weights(&self, row: usize) -> impl Iterator<Item = (TermId, f64)> {
        let Self { counted, selection, .. } = *self;
        let (entries, factors) = (counted.rows.row(row), &selection.document_factors);
        let weighting = counted.rules.weighting;
        let scale = weighting.row_factor(entries, factors, selection.pivot);
        let weight = move |entry: &Entry| {
            let value = f64::from(entry.value) * f64::from(factors[entry.column as usize]) * scale;
            (TermId::new(entry.column), value)
        };
        entries.iter().map(weight).filter(|(term, value)| selection.keeps(*term) && *value != 0.0)
    }

    /// The sums over all kept terms of the reviews of each class that hold them.
    pub fn held(&self) -> ClassCounts {
        let terms = TermId::all(self.selection.statuses.len());
        self.selection.held(terms.filter(|term| self.selection.keeps(*term)))
    }

    /// By term: how often it stands in the reviews of each class, given the class of each review; what is conceded counts
    /// half.
    ///
    /// # Panics
    /// If there are not as many labels as reviews.
    pub fn occurrences(&self, labels: &[Polarity]) -> Vec<PerClass<f64>> {
        let Self { corpus, counted, .. } = self;
        assert_eq!(labels.len(), corpus.len(), "{} labels, {} reviews", labels.len(), corpus.len());
        let mut times = vec![PerClass::<f64>::default(); self.selection.statuses.len()];
        if counted.vocabulary.is_hashed() {
            return times; // columns of hashed terms hold many
        }
        for (row, label) in labels.iter().enumerate() {
            self.each(row, |term, adds| times[term.place()][*label] += f64::from(adds));
        }
        times
    }

    /// Calls `found` for each term that stands in a review, as often as it does, with what it adds to the count of the
    /// term.
    fn each(&self, row: usize, mut found: impl FnMut(TermId, f32)) {
        let Self { corpus, counted, .. } = self;
        Self::each_counted(corpus, counted, row, |term, adds| {
            if counted.rules.takes(counted.vocabulary.words(term)) {
                found(term, adds);
            }
        });
    }

    /// As [`each`](Self::each), with the terms that only begin longer ones.
    pub(super) fn each_counted(
        corpus: &Corpus,
        counted: &Counted,
        row: usize,
        mut found: impl FnMut(TermId, f32),
    ) {
        let rules = &counted.rules;
        let review = corpus.encoded(row);
        let ids = review.ids;
        let subwords = corpus.subwords.of_review(ids.iter().map(|id| id.word()));
        let mut begins = Begins::default();
        begins.find(&counted.vocabulary, ids, rules.longest());
        let paths = Listed { vocabulary: &counted.vocabulary, subwords: &subwords, begins: &begins };
        walk(&paths, review, rules.longest(), corpus.rules.plainly, |term, _, _, adds| found(term, adds));
    }

    /// What is known of a term; `held` as of [`held`](Self::held).
    pub fn facts(&self, term: TermId, held: ClassCounts) -> TermFacts {
        let Self { corpus, counted, selection } = self;
        let counts = selection.counts(term);
        let reviews = selection.document_count(term);
        let hashed = counted.vocabulary.is_hashed();
        let tokens = if hashed { Vec::new() } else { counted.vocabulary.tokens(term) };
        let name = tokens.iter().any(|token| corpus.is_name(token.word()));
        let words = tokens.iter().map(|token| corpus.words.word(token.word()));
        let doubts = doubts(words, |word| corpus.rules.is_function_word(word), counts, name);
        TermFacts {
            term: self.spell(term),
            made_of: counted.vocabulary.made_of(term),
            reviews: reviews as usize,
            counts,
            idf: if reviews > 0 { (selection.reviews() as f64 / f64::from(reviews)).ln() } else { 0.0 },
            association: association(counted.rules.association, counts, selection.mix, held),
            status: selection.statuses[term.place()],
            doubts,
        }
    }

    /// The kept terms of a kind that go most with a class, the strongest first.
    pub fn distinctive(
        &self,
        class: Polarity,
        made_of: MadeOf,
        most: usize,
        held: ClassCounts,
    ) -> Vec<DistinctiveTerm> {
        let score = |term: TermId| log_odds(self.selection.counts(term), held, class);
        let terms: Vec<(f64, TermId)> = self
            .kept()
            .filter(|term| self.counted.vocabulary.made_of(*term) == made_of)
            .map(|term| (score(term), term))
            .filter(|(score, _)| *score > 0.0)
            .collect();
        let telling = |(score, term): (f64, TermId)| {
            let facts = self.facts(term, held);
            DistinctiveTerm { share: share(facts.counts[class], facts.reviews), facts, score }
        };
        highest(terms, most).into_iter().map(telling).collect()
    }

    /// The kept terms of a kind that most reviews hold, the most frequent first.
    pub fn frequent(&self, made_of: MadeOf, most: usize, held: ClassCounts) -> Vec<TermFacts> {
        let terms: Vec<(f64, TermId)> = self
            .kept()
            .filter(|term| self.counted.vocabulary.made_of(*term) == made_of)
            .map(|term| (f64::from(self.selection.document_count(term)), term))
            .collect();
        highest(terms, most).into_iter().map(|(_, term)| self.facts(term, held)).collect()
    }

    /// What the kept terms are made of: n-grams of words, the shortest first, then parts of words.
    pub fn kinds(&self) -> Vec<MadeOf> {
        let kinds: BTreeSet<MadeOf> = self.kept().map(|term| self.counted.vocabulary.made_of(term)).collect();
        kinds.into_iter().collect()
    }

    fn kept(&self) -> impl Iterator<Item = TermId> {
        TermId::all(self.selection.statuses.len()).filter(|term| self.selection.keeps(*term))
    }

    /// What the kept terms cover.
    pub fn coverage(&self) -> Coverage {
        let Self { corpus, counted, selection } = self;
        let covered = |id: TokenId| counted.vocabulary.single(id).is_some_and(|term| selection.keeps(term));
        let known: Vec<bool> =
            (0..corpus.words.len() as u32 * 2).map(|bits| covered(TokenId::from_bits(bits))).collect();
        let (mut tokens, mut uncovered_tokens) = (0, 0);
        for id in corpus.ids.iter().filter(|id| !id.is_sentence_end()) {
            tokens += 1;
            uncovered_tokens += usize::from(known.get(id.place()) == Some(&false));
        }
        let kept = |row: &usize| {
            counted.rows.row(*row).iter().any(|entry| selection.keeps(TermId::new(entry.column)))
        };
        let reviews = corpus.len();
        let uncovered_reviews = reviews - (0..reviews).filter(kept).count();
        Coverage { tokens, uncovered_tokens, reviews, uncovered_reviews }
    }

    /// The terms that 1, 2-3, 4-7, ... reviews hold.
    pub fn bands(&self) -> Vec<Band> {
        let mut bands: Vec<Band> = Vec::new();
        for term in TermId::all(self.selection.statuses.len()) {
            let (reviews, status) =
                (self.selection.document_count(term) as usize, self.selection.statuses[term.place()]);
            if reviews == 0 || status == TermStatus::Prefix {
                continue;
            }
            let place = reviews.ilog2() as usize;
            while bands.len() <= place {
                let from = 1 << bands.len();
                bands.push(Band { from, to: 2 * from - 1, kept: 0, dropped: 0 });
            }
            if status.keeps() {
                bands[place].kept += 1;
            } else {
                bands[place].dropped += 1;
            }
        }
        // Below the floor of the whole file nothing is counted.
        let first = bands.iter().position(|band| band.kept + band.dropped > 0).unwrap_or(bands.len());
        bands.split_off(first)
    }

    /// The counted term of a name: as terms are spelled, or as it is written in a text ("not bad" for "not ¬bad").
    pub fn named(&self, name: &str) -> Option<TermId> {
        let Self { corpus, counted, .. } = self;
        let place = |word: &str| corpus.words.place(word);
        let of =
            |path: Option<Vec<TokenId>>| counted.vocabulary.of_path(&path.filter(|path| !path.is_empty())?);
        of(path_spelled(name, place))
            .or_else(|| of(path_of(name, &corpus.rules.cleaner, &corpus.rules.fields, place)))
            .filter(|term| counted.takes(*term))
    }

    /// The terms of one review, in the order of first use, with their weights.
    pub fn review(&self, row: usize) -> Vec<ReviewTerm> {
        let Self { corpus, counted, selection } = self;
        let rules = &counted.rules;
        let ids = corpus.review(row);
        let mut counts: Vec<(TermId, f32)> = Vec::new();
        self.each(row, |term, adds| match counts.iter_mut().find(|(own, _)| *own == term) {
            Some((_, count)) => *count += adds,
            None => counts.push((term, adds)),
        });
        let mut tokens: Vec<TokenId> = ids.iter().copied().filter(|id| !id.is_sentence_end()).collect();
        let shape = Shape::of(&mut tokens);
        let entries = counted.rows.row(row);
        let factors = &selection.document_factors;
        let scale = rules.weighting.row_factor(entries, factors, selection.pivot);
        let one = |(term, count): (TermId, f32)| {
            let term_factor = rules.weighting.term_factor(count, shape);
            let document_factor = f64::from(factors[term.place()]);
            ReviewTerm {
                term: self.spell(term),
                count,
                term_factor,
                document_factor,
                value: f64::from(term_factor) * document_factor * scale,
                status: selection.statuses[term.place()],
            }
        };
        counts.into_iter().map(one).collect()
    }
}
