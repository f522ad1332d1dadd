//! What reviews come to where only the counts of their terms are kept. Counts of parts can be added up, in any order:
//! what is made of the sum is what one pass over all reviews would have made.

use std::collections::BTreeMap;

use super::corpus::{Corpus, CorpusRules, WordTally, tokens_in};
use super::count::Counted;
use super::grams::{Gram, Grams, NONE};
use super::intern::Words;
use super::made_of::MadeOf;
use super::names::path_spelled;
use super::report::TermReport;
use super::rules::TermRules;
use super::select::Selection;
use super::subwords::{Subword, is_subword};
use super::term_id::TermId;
use super::token_id::TokenId;
use crate::labels::per_class::{ClassCounts, PerClass};
use crate::labels::polarity::Polarity;

/// The reviews of each class that hold a term, and how often it stands in them.
#[derive(Debug, Clone, Copy, Default, PartialEq)]
pub struct TermTally {
    /// Reviews.
    pub reviews: PerClass<u64>,
    /// Occurrences; those of negated words may count against their plain form, and what is conceded counts half.
    pub times: PerClass<f64>,
}

/// The counts of all terms of some reviews, however rare.
#[derive(Debug, Clone, Default, PartialEq)]
pub struct Tally {
    /// Reviews of each class, and their tokens.
    pub reviews: TermTally,
    /// Reviews of each class of which no token is left.
    pub empty: PerClass<u64>,
    /// By word, as it is spelled.
    pub words: BTreeMap<String, WordTally>,
    /// By term, as it is spelled.
    pub terms: BTreeMap<String, TermTally>,
}

/// What a sum of counts comes to under some rules.
#[derive(Debug, Clone)]
pub struct Tallied {
    /// The words of the reviews, without the reviews.
    pub corpus: Corpus,
    /// The terms that reach the floor, without rows.
    pub counted: Counted,
    /// Which of them are kept.
    pub selection: Selection,
    /// By term: how often it stands in the reviews of each class.
    pub times: Vec<PerClass<f64>>,
}

/// Why counts are of no use.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
pub enum TallyError {
    /// A term goes on from one that was not counted.
    #[error("the term `{0}` was counted, and what it begins with was not")]
    Headless(String),
    /// A word of a term is not among the words.
    #[error("a word of the term `{0}` was not counted")]
    Wordless(String),
    /// More reviews hold a term than there are.
    #[error("more reviews hold the term `{0}` than there are")]
    TooMany(String),
    /// More reviews than are counted in 32 bits.
    #[error("more than 4 thousand million reviews")]
    TooLarge,
}

impl Tally {
    /// Counts reviews, given the class of each. `rules` say what becomes a term; the floor plays no role.
    ///
    /// # Panics
    /// If terms are hashed, or there is not one label for each review.
    pub fn of(corpus: &Corpus, rules: &TermRules, labels: &[Polarity]) -> Self {
        assert_eq!(rules.hashed, 0, "hashed terms have no names to be counted by");
        assert_eq!(labels.len(), corpus.len(), "{} labels, {} reviews", labels.len(), corpus.len());
        let rules = TermRules { at_least: Some(1), at_least_of: Vec::new(), ..rules.clone() };
        let counted = Counted::new(corpus, &rules);
        let mut tally = Self::default();
        let mut terms = vec![TermTally::default(); counted.vocabulary.len()];
        let mut last = vec![usize::MAX; terms.len()];
        for (row, label) in labels.iter().enumerate() {
            let tokens = tokens_in(corpus.review(row));
            tally.reviews.reviews[*label] += 1;
            tally.reviews.times[*label] += tokens as f64;
            tally.empty[*label] += u64::from(tokens == 0);
            TermReport::each_counted(corpus, &counted, row, |term, adds| {
                let own = &mut terms[term.place()];
                own.times[*label] += f64::from(adds);
                own.reviews[*label] += u64::from(std::mem::replace(&mut last[term.place()], row) != row);
            });
        }
        let spelled = |term: TermId| {
            let tokens = counted.vocabulary.tokens(term).into_iter().map(|token| corpus.spell_token(token));
            tokens.collect::<Vec<_>>().join(" ")
        };
        tally.terms = TermId::all(terms.len()).map(spelled).zip(terms).collect();
        tally.words = corpus.words.iter().map(String::from).zip(corpus.writings()).collect();
        tally
    }

    /// Adds the counts of other reviews.
    pub fn add(&mut self, other: Self) {
        self.reviews.add(other.reviews);
        self.empty = self.empty.plus(other.empty);
        for (word, own) in other.words {
            let all = self.words.entry(word).or_default();
            (all.inside, all.capital) = (all.inside + own.inside, all.capital + own.capital);
        }
        for (term, own) in other.terms {
            self.terms.entry(term).or_default().add(own);
        }
    }

    /// The reviews of each class.
    pub fn mix(&self) -> ClassCounts {
        PerClass::of(|class| self.reviews.reviews[class] as usize)
    }

    /// The terms that reach the floor of all reviews, and what becomes of them.
    ///
    /// # Errors
    /// If the counts do not belong together.
    pub fn tallied(&self, reading: CorpusRules, rules: &TermRules) -> Result<Tallied, TallyError> {
        let reviews: u64 = self.reviews.reviews.iter().sum();
        let reviews = u32::try_from(reviews).map_err(|_| TallyError::TooLarge)? as usize;
        let tokens = || self.reviews.times.iter().sum::<f64>() as usize;
        let reading = CorpusRules { subwords: reading.subwords.settled(tokens), ..reading };
        let stems = reading.subwords.takes_stems();
        // What parts of the reviews took for few tokens may be many together.
        let read = |word: &str| stems || Subword::of(word.trim_start_matches('¬')) != Some(Subword::Stem);
        let known = || self.words.iter().filter(|(word, _)| read(word));
        let words: Words = known().map(|(word, _)| word.as_str()).collect();
        let corpus = Corpus::of_words(words, known().map(|(_, tally)| *tally), reading);
        let named = Counted::named(&corpus, rules);
        let floors = rules.floors(reviews);
        let floor = |path: &[TokenId]| {
            let made_of = match path {
                [token] => MadeOf::of_word(corpus.words.word(token.word())),
                path => MadeOf::Words(path.len() as u8),
            };
            u64::from(floors.of_counted(made_of, rules.longest()))
        };
        // By length: the path of each term that is counted, and its tally.
        let mut by_length: Vec<Vec<(Vec<TokenId>, &str, &TermTally)>> = vec![Vec::new(); rules.longest()];
        for (term, tally) in self.terms.iter().filter(|(term, _)| read(term)) {
            if tally.reviews.iter().zip(&self.reviews.reviews).any(|(own, all)| own > all) {
                return Err(TallyError::TooMany(term.clone()));
            }
            let path = path_spelled(term, |word| corpus.words.place(word));
            let path = path.filter(|path| (1..=rules.longest()).contains(&path.len()));
            let path = path.ok_or_else(|| TallyError::Wordless(term.clone()))?;
            let forced = || named.paths().any(|named| named.starts_with(&path));
            if tally.reviews.iter().sum::<u64>() >= floor(&path) || forced() {
                by_length[path.len() - 1].push((path, term, tally));
            }
        }
        let mut list: Vec<Gram> = Vec::new();
        let (mut ends, mut tallies, mut places) = (Vec::new(), Vec::new(), BTreeMap::new());
        for own in by_length {
            for (path, term, tally) in own {
                let (path_length, head, token) = (path.len(), &path[..path.len() - 1], path[path.len() - 1]);
                let parent = match head.is_empty() {
                    true => NONE,
                    false => *places.get(head).ok_or_else(|| TallyError::Headless(term.into()))?,
                };
                let reviews = tally.reviews.iter().sum::<u64>() as u32;
                places.insert(path, list.len() as u32);
                list.push(Gram { parent, token, reviews });
                // Terms of a length that is not asked for only begin others.
                let taken =
                    rules.takes(usize::from(!is_subword(corpus.words.word(token.word()))) * path_length);
                tallies.push(if taken { *tally } else { TermTally::default() });
            }
            ends.push(list.len());
        }
        let ordered = Grams::of_list(list, ends).ordered(&corpus);
        let mut of_terms = vec![TermTally::default(); tallies.len()];
        ordered.terms.iter().zip(tallies).for_each(|(term, tally)| of_terms[term.place()] = tally);
        let counts = PerClass::of(|class| of_terms.iter().map(|own| own.reviews[class] as u32).collect());
        let counted = Counted::assembled(&corpus, (rules, reviews), named, ordered);
        let selection = Selection::of_counts(&counted, self.mix(), counts);
        Ok(Tallied { times: of_terms.iter().map(|own| own.times).collect(), corpus, counted, selection })
    }
}

impl TermTally {
    fn add(&mut self, other: Self) {
        self.reviews = self.reviews.plus(other.reviews);
        self.times = self.times.plus(other.times);
    }
}
