//! A model of a fit: what scoring needs of it.

use rayon::prelude::*;

use super::artefact::{Model, Parts, TermArrays};
use super::card::{Card, Validated};
use super::fit::Fit;
use super::seen::Seen;
use crate::labels::per_class::PerClass;
use crate::resample::learnt_texts::LearntTexts;
use crate::settings::study::Study;
use crate::terms::corpus::Corpus;
use crate::terms::count::Counted;
use crate::terms::intern::Words;
use crate::terms::rules::Stems;
use crate::terms::term_id::TermId;
use crate::terms::token_id::TokenId;
use crate::terms::vocabulary::Vocabulary;
use crate::text::document::Document;

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
        let used = used(counted, fit);
        let (words, parents, tokens) = paths(corpus, &counted.vocabulary, &used);
        let card = Card {
            mix: fit.mix,
            terms: fit.selection.len(),
            strength: fit.strength,
            choice: fit.choice.clone(),
            convergence: fit.convergence,
            ratios: fit.ratios,
            pulling: fit.pulling(),
            calibration: fit.calibration.clone(),
            layout: fit.layout,
            neutral_intercept: fit.neutral.as_ref().map(|neutral| neutral.intercept),
            cuts: fit.decision,
            reached: fit.reached.clone(),
            pivot: fit.selection.pivot,
            columns: fit.columns.clone(),
            vectors: fit.vectors.as_ref().and_then(|own| corpus.vector_source_of(own)),
            seen: Some(seen(corpus, counted, fit, &words)),
            validated,
        };
        let mut study = study.clone();
        study.terms.marked_scale = counted.rules.marked_scale;
        study.terms.stems = if corpus.rules.subwords.takes_stems() { Stems::Beside } else { Stems::None };
        Self::from_parts(Parts {
            study,
            words,
            parents,
            tokens,
            terms: arrays(corpus, counted, fit, &used),
            intercept: fit.intercept,
            half: fit.half,
            card,
            learnt: LearntTexts::default(),
            vectors: fit.vectors.clone(),
            lookup: None,
        })
    }

    /// As [`new`](Self::new), of rows that came one after the other: no word is known of them.
    pub fn of_stream(counted: &Counted, fit: &Fit, study: &Study) -> Self {
        Self::new(&Corpus::read::<[Document]>(&[], study.corpus_rules()), counted, fit, study, None)
    }
}

/// What the reviews of a corpus are like, as a model with these words sees them.
fn seen(corpus: &Corpus, counted: &Counted, fit: &Fit, words: &Words) -> Seen {
    let said = fit.said.clone();
    if corpus.is_empty() {
        // Of rows that were not kept nothing more is known; they count as independent of each other.
        return Seen { said, independent: 1.0, ..Seen::default() };
    }
    let seen = Seen { said, ..Seen::of_reviews(corpus) };
    if counted.rules.hashed > 0 {
        return seen;
    }
    let is_known = |word: u32| words.place(corpus.words.word(word)).is_some();
    let known: Vec<bool> = (0..corpus.words.len() as u32).into_par_iter().map(is_known).collect();
    let floor = counted.rules.floor(fit.mix.iter().sum());
    seen.with_unknown(corpus, floor, |word| known[word as usize])
}

/// The terms that a model needs: those that are kept, and those that begin them.
fn used(counted: &Counted, fit: &Fit) -> Vec<TermId> {
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
    TermId::all(vocabulary.len()).filter(|term| needed[term.place()]).collect()
}

fn arrays(corpus: &Corpus, counted: &Counted, fit: &Fit, used: &[TermId]) -> TermArrays {
    let is_name: Vec<bool> = (0..corpus.words.len() as u32).map(|word| corpus.is_name(word)).collect();
    let vocabulary = &counted.vocabulary;
    let of_used = |weights: &[f32]| used.iter().map(|term| weights[term.place()]).collect();
    let name = |term: &TermId| {
        !vocabulary.is_hashed() && vocabulary.backwards(*term).any(|token| is_name[token.word() as usize])
    };
    TermArrays {
        counts: PerClass::of(|class| match fit.mix[class] {
            0 => Vec::new(),
            _ => used.iter().map(|term| fit.selection.count(class, *term)).collect(),
        }),
        weights: of_used(&fit.weights),
        neutral: fit.neutral.as_ref().map_or(Vec::new(), |neutral| of_used(&neutral.weights)),
        kept: used.iter().map(|term| fit.selection.keeps(*term)).collect(),
        names: used.par_iter().map(name).collect(),
    }
}

/// The words of the used terms in alphabetical order, and the parents and tokens of the terms by these.
fn paths(corpus: &Corpus, vocabulary: &Vocabulary, used: &[TermId]) -> (Words, Vec<TermId>, Vec<TokenId>) {
    let tokens: Vec<TokenId> = used.iter().map(|term| vocabulary.last_token(*term)).collect();
    let mut numbers = vec![TermId::NONE; vocabulary.len()];
    used.iter().zip(TermId::all(used.len())).for_each(|(term, number)| numbers[term.place()] = number);
    let parent =
        |term: &TermId| vocabulary.parent(*term).map_or(TermId::NONE, |parent| numbers[parent.place()]);
    let parents = used.iter().map(parent).collect();
    if vocabulary.is_hashed() {
        return (Words::default(), parents, tokens);
    }
    // Sorted once by word, not once by term: terms are many times as many.
    let mut places = vec![u32::MAX; corpus.words.len()];
    tokens.iter().for_each(|token| places[token.word() as usize] = 0);
    let mut list: Vec<u32> =
        (0..places.len() as u32).filter(|word| places[*word as usize] != u32::MAX).collect();
    list.par_sort_unstable_by(|a, b| corpus.words.word(*a).cmp(corpus.words.word(*b)));
    list.iter().enumerate().for_each(|(place, word)| places[*word as usize] = place as u32);
    let words = list.iter().map(|word| corpus.words.word(*word)).collect();
    let token = |token: &TokenId| token.with_word(places[token.word() as usize]);
    (words, parents, tokens.iter().map(token).collect())
}
