//! What is learnt, as one value.

use std::collections::BTreeMap;

use super::card::{Card, Validated};
use crate::labels::classes::Classes;
use crate::labels::per_class::{ClassCounts, PerClass};
use crate::learn::decide::{Deciding, by_costs};
use crate::measure::verdict::{Place, Verdict};
use crate::resample::learnt_texts::LearntTexts;
use crate::settings::study::Study;
use crate::terms::fields::FieldNames;
use crate::terms::intern::Words;
use crate::terms::lookup::Lookup;
use crate::terms::made_of::MadeOf;
use crate::terms::report::{Doubt, doubts};
use crate::terms::select::{Contrast, DocumentFactors, by_term, poles};
use crate::terms::subwords::KnownParts;
use crate::terms::term_id::TermId;
use crate::terms::token_id::TokenId;
use crate::terms::vectors::WordPulls;
use crate::terms::vocabulary::Vocabulary;
use crate::terms::weigh::{class_ratio, ratio_totals};
use crate::text::cleaner::Cleaner;

/// One term of a model.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Term {
    /// The training reviews of each class that hold it, in the order of [`Polarity::index`](crate::labels::Polarity::index).
    pub counts: PerClass<u32>,
    /// Its document factor.
    pub document_factor: f32,
    /// Its weight.
    pub weight: f32,
    /// Its weight for neutral, where each class has weights of its own; else 0.
    pub neutral: f32,
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

/// What a file keeps of every term, one array for each thing: by term.
#[derive(Debug, Clone, Default, PartialEq)]
pub struct TermArrays {
    /// The training reviews of each class that hold it; none of a class that the model does not know.
    pub counts: PerClass<Vec<u32>>,
    /// Its weight.
    pub weights: Vec<f32>,
    /// Its weight for neutral; none where classes lie on one axis.
    pub neutral: Vec<f32>,
    /// Whether it is used.
    pub kept: Vec<bool>,
    /// Whether one of its words is nearly always written with a capital letter.
    pub names: Vec<bool>,
}

impl TermArrays {
    /// The training reviews of each class that hold a term.
    #[inline]
    pub fn counts_of(&self, term: usize) -> PerClass<u32> {
        PerClass::of(|class| self.counts[class].get(term).copied().unwrap_or(0))
    }
}

/// A trained model: all that is needed to score a review and to explain the score.
#[derive(Debug, Clone)]
pub struct Model {
    study: Study,
    pub(crate) words: Words,
    pub(crate) vocabulary: Vocabulary,
    pub(crate) terms: TermArrays,
    /// By term: its document factor and its weight, side by side because scoring needs both.
    pub(crate) pulls: Vec<[f32; 2]>,
    intercept: f64,
    half: f64,
    card: Card,
    learnt: LearntTexts,
    pub(crate) vectors: Option<WordPulls>,
    pub(crate) cleaner: Cleaner,
    pub(crate) fields: FieldNames,
    /// The parts of its words.
    pub(crate) parts: KnownParts,
}

/// The parts of a model, as a file holds them.
#[derive(Debug, Clone)]
pub struct Parts {
    /// The settings.
    pub study: Study,
    /// The words, in alphabetical order.
    pub words: Words,
    /// By term: its parent, [`TermId::NONE`] for a single token.
    pub parents: Vec<TermId>,
    /// By term: its last token; its column where terms are hashed.
    pub tokens: Vec<TokenId>,
    /// By term: what else is known of it; document factors are computed anew.
    pub terms: TermArrays,
    /// The score of a review without known terms.
    pub intercept: f64,
    /// Half the width of the neutral zone.
    pub half: f64,
    /// What else is known.
    pub card: Card,
    /// The texts that it was learnt from.
    pub learnt: LearntTexts,
    /// What words with vectors come to, where vectors count.
    pub vectors: Option<WordPulls>,
    /// The table in which terms are looked up; made anew where it is missing.
    pub lookup: Option<Lookup>,
}

impl Parts {
    /// The parts of a file from before `terms.emphasis_least`: class ratios had their sign then, and stood
    /// alone. The sign goes over to the weights.
    #[must_use]
    pub fn with_signed_emphasis(mut self) -> Self {
        self.study.terms.emphasis_least = 0.0;
        let terms = &mut self.terms;
        let counts: Vec<[u32; 2]> = (0..terms.weights.len())
            .map(|at| poles(terms.counts_of(at).map(|count| count as usize)))
            .collect();
        let totals = ratio_totals(counts.iter().zip(&terms.kept).filter(|both| *both.1).map(|both| *both.0));
        for (weight, counts) in terms.weights.iter_mut().zip(counts) {
            *weight *= class_ratio(counts, totals).signum() as f32;
        }
        self
    }
}

impl Model {
    /// The same, with the languages of its training reviews.
    #[must_use]
    pub fn with_languages(mut self, languages: BTreeMap<String, u64>) -> Self {
        if let Some(seen) = &mut self.card.seen {
            seen.languages = languages;
        }
        self
    }

    /// The same, with figures of its like on reviews that these had not seen.
    #[must_use]
    pub fn with_validated(mut self, validated: Option<Validated>) -> Self {
        self.card.validated = validated;
        self
    }

    /// The same, with the texts that it was learnt from.
    #[must_use]
    pub fn with_learnt(self, learnt: LearntTexts) -> Self {
        Self { learnt, ..self }
    }

    /// The texts that it was learnt from.
    pub fn learnt(&self) -> &LearntTexts {
        &self.learnt
    }

    /// Puts a model together again.
    ///
    /// # Panics
    /// If a parent does not stand before its term, arrays differ in length, or the study makes no sense.
    pub fn from_parts(parts: Parts) -> Self {
        let Parts { study, words, parents, tokens, terms, intercept, half, card, learnt, vectors, lookup } =
            parts;
        let vocabulary = || match study.terms.hashed {
            0 => Vocabulary::new(parents, tokens, |token| MadeOf::of_word(words.word(token.word())))
                .ready(lookup),
            bits => Vocabulary::of_columns(tokens.into_iter().map(TokenId::bits), bits),
        };
        let (vocabulary, factors) = rayon::join(vocabulary, || document_factors(&study, &card, &terms));
        Self {
            pulls: pulls(&factors, &terms, &vocabulary),
            vocabulary,
            cleaner: study.cleaner(),
            fields: study.field_names(),
            parts: KnownParts::new(study.subword_rules(), &words),
            terms,
            study,
            words,
            intercept,
            half,
            card,
            learnt,
            vectors,
        }
    }

    /// Whether a term stands in it twice: no training makes such a model. Makes it ready to score.
    pub fn has_doubles(&self) -> bool {
        !self.is_hashed() && self.vocabulary.has_doubles()
    }

    /// Takes a copy apart.
    pub fn parts(&self) -> Parts {
        let (parents, tokens) = self.vocabulary.paths();
        Parts {
            study: self.study.clone(),
            words: self.words.clone(),
            parents: parents.into(),
            tokens: tokens.into(),
            terms: self.terms.clone(),
            intercept: self.intercept,
            half: self.half,
            card: self.card.clone(),
            learnt: self.learnt.clone(),
            vectors: self.vectors.clone(),
            lookup: None,
        }
    }

    /// What words with vectors come to, where vectors count.
    pub fn vectors(&self) -> Option<&WordPulls> {
        self.vectors.as_ref()
    }

    /// The words of its terms, in alphabetical order.
    pub fn word_list(&self) -> &Words {
        &self.words
    }

    /// Its terms.
    pub fn vocabulary(&self) -> &Vocabulary {
        &self.vocabulary
    }

    /// What is kept of every term.
    pub fn arrays(&self) -> &TermArrays {
        &self.terms
    }

    /// Half the width of the neutral zone; 0 where there are two classes.
    pub fn half(&self) -> f64 {
        self.half
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

    /// Whether each class has weights of its own.
    pub fn is_free(&self) -> bool {
        self.card.is_free()
    }

    /// Lets other costs of mistakes set the cuts: these need nothing but calibrated probabilities.
    ///
    /// # Errors
    /// If cuts are set by more than costs, now or then: they were set on held-out reviews, which a model does not
    /// keep. The text names the setting.
    pub fn decide_by(&mut self, deciding: &Deciding) -> Result<(), &'static str> {
        for own in [deciding, &self.study.decision] {
            let beyond = [
                (own.recall_negative.is_some(), "decision.recall_negative"),
                (own.precision_negative.is_some(), "decision.precision_negative"),
                (own.unsure.is_some(), "decision.unsure"),
            ];
            if let Some((_, setting)) = beyond.into_iter().find(|(set, _)| *set) {
                return Err(setting);
            }
        }
        self.card.cuts = by_costs(deciding, self.classes());
        self.study.decision = *deciding;
        Ok(())
    }

    /// What is said of a review whose scores put it at a place.
    pub fn verdict(&self, scored: Place) -> Verdict {
        self.card.cuts.verdict(self.card.calibration.place(scored))
    }

    /// The number of terms, those included that only begin longer ones.
    pub fn len(&self) -> usize {
        self.pulls.len()
    }

    /// Whether there are no terms.
    pub fn is_empty(&self) -> bool {
        self.pulls.is_empty()
    }

    /// Whether every term is used: none only begins longer ones.
    pub(crate) fn keeps_all(&self) -> bool {
        self.card.terms == self.len()
    }

    /// A term.
    pub fn term(&self, term: TermId) -> Term {
        let (at, [document_factor, weight]) = (term.place(), self.pulls[term.place()]);
        Term {
            counts: self.terms.counts_of(at),
            document_factor,
            weight,
            neutral: self.terms.neutral.get(at).copied().unwrap_or(0.0),
            kept: self.terms.kept[at],
            name: self.terms.names[at],
        }
    }

    /// A term as people read it: its words, a negated one with "¬" before it; the number of
    /// its column where terms are hashed.
    pub fn spell(&self, term: TermId) -> String {
        if self.vocabulary.is_hashed() {
            return format!("#{}", self.vocabulary.last_token(term).bits());
        }
        let mut spelled = String::with_capacity(32);
        self.spell_onto(term, &mut spelled);
        spelled
    }

    /// Spells what begins a term before its last token.
    fn spell_onto(&self, term: TermId, spelled: &mut String) {
        if let Some(begins) = self.vocabulary.parent(term) {
            self.spell_onto(begins, spelled);
            spelled.push(' ');
        }
        let token = self.vocabulary.last_token(term);
        if token.is_negated() {
            spelled.push('¬');
        }
        spelled.push_str(self.words.word(token.word()));
    }

    /// What should make one look twice at a term.
    pub fn doubts(&self, term: TermId) -> Vec<Doubt> {
        let counts = self.term(term).counts.map(|count| count as usize);
        let is_function_word = |word: &str| self.cleaner.is_function_word(word);
        doubts(self.plain_words(term), is_function_word, counts, self.term(term).name)
    }

    /// The length of a term, in words; 0 for a part of a word.
    pub fn words(&self, term: TermId) -> usize {
        self.vocabulary.words(term)
    }

    /// What a term is made of.
    pub fn made_of(&self, term: TermId) -> MadeOf {
        self.vocabulary.made_of(term)
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
        let named = Some(term).filter(|_| !self.is_hashed());
        let tokens = named.into_iter().flat_map(|term| self.vocabulary.backwards(term));
        tokens.map(|token| self.fields.cut(self.words.word(token.word())).1)
    }

    /// The terms of one word that is not negated, with the word.
    pub(crate) fn single_words(&self) -> impl Iterator<Item = (TermId, &str)> {
        TermId::all(self.len()).filter_map(|term| Some((term, self.single_word(term)?)))
    }
}

fn document_factors<'s>(study: &'s Study, card: &Card, terms: &TermArrays) -> DocumentFactors<'s> {
    let counts = |term: TermId| terms.kept[term.place()].then(|| class_counts(terms, term.place()));
    let contrast = if card.is_free() { Contrast::Classes } else { Contrast::Poles };
    DocumentFactors::new((&study.terms, contrast), card.mix, terms.weights.len(), counts)
}

fn class_counts(terms: &TermArrays, at: usize) -> ClassCounts {
    terms.counts_of(at).map(|count| count as usize)
}

/// By term: its document factor, which is a function of its counts, and its weight.
fn pulls(factors: &DocumentFactors<'_>, terms: &TermArrays, vocabulary: &Vocabulary) -> Vec<[f32; 2]> {
    let one = |term: TermId| {
        let at = term.place();
        let factor = match terms.kept[at] {
            true => factors.of(term, class_counts(terms, at), vocabulary),
            false => 0.0,
        };
        [factor, terms.weights[at]]
    };
    by_term(terms.weights.len(), one)
}
