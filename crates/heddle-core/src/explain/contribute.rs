//! An exact account of one score.
//!
//! The log-odds of a linear model are a sum, so its explanation is that sum and nothing
//! sampled: base + the contributions of the terms. A term's contribution is shared out
//! evenly over its places in the review and over the words of each place; the shares of
//! the words, added up by clause, give the reading line. Every level has the same total.

use serde::Serialize;

use crate::model::{Reader, Score};
use crate::polarity::Polarity;
use crate::text::{Break, Kind};

/// The account of one score.
#[derive(Debug, Clone, PartialEq, Serialize)]
pub struct Explanation {
    /// The log-odds of a review without known terms.
    pub base: f64,
    /// base + the sum of the contributions.
    pub log_odds: f64,
    /// The class that the log-odds speak for.
    pub polarity: Polarity,
    /// The probability of each class, in the order of [`Polarity::ALL`].
    pub probabilities: [f64; 2],
    /// The terms, the strongest contribution first.
    pub terms: Vec<TermPart>,
    /// The tokens, in reading order.
    pub tokens: Vec<TokenPart>,
    /// The clauses, in reading order.
    pub clauses: Vec<Clause>,
    /// The words that the model does not know, in reading order, each once.
    pub unknown: Vec<String>,
}

/// What one term adds.
#[derive(Debug, Clone, PartialEq, Serialize)]
pub struct TermPart {
    /// The term; a negated word has "¬" before it.
    pub term: String,
    /// What it adds to the log-odds, in nats.
    pub contribution: f64,
    /// Its value in this review (term x document factor, normalised) x its weight is the
    /// contribution.
    pub weight: f64,
    /// The training reviews that hold it.
    pub reviews: u32,
    /// Where it stands: first byte and one past the last, in the raw text.
    pub places: Vec<(u32, u32)>,
}

/// What one token adds, as its shares of the terms it stands in.
#[derive(Debug, Clone, PartialEq, Serialize)]
pub struct TokenPart {
    /// First byte in the raw text.
    pub start: u32,
    /// One past the last byte in the raw text.
    pub end: u32,
    /// The form that the model sees.
    pub form: String,
    /// Whether the token is negated.
    pub negated: bool,
    /// Whether it belongs to an expression that negates.
    pub cue: bool,
    /// What it adds to the log-odds.
    pub contribution: f64,
}

/// What one clause adds.
#[derive(Debug, Clone, PartialEq, Serialize)]
pub struct Clause {
    /// First byte in the raw text.
    pub start: u32,
    /// One past the last byte in the raw text, up to the next clause.
    pub end: u32,
    /// The indices of its tokens: first, and one past the last.
    pub tokens: (usize, usize),
    /// What its tokens add to the log-odds.
    pub contribution: f64,
    /// The log-odds when it has been read.
    pub running: f64,
}

/// Scores a review and accounts for the score.
pub fn explain(reader: &mut Reader<'_>, text: &str) -> (Score, Explanation) {
    let score = reader.score(text);
    let terms = terms(reader);
    let tokens = tokens(reader);
    let clauses = clauses(reader, text, &tokens);
    let mut unknown: Vec<String> = Vec::new();
    for token in reader.tokens().items().iter().filter(|token| token.kind == Kind::Word) {
        let form = reader.tokens().form(token);
        if !reader.model().knows(reader.tokens(), token) && !unknown.iter().any(|known| known == form) {
            unknown.push(form.to_string());
        }
    }
    let explanation = Explanation {
        base: reader.model().base(),
        log_odds: score.log_odds,
        polarity: score.polarity(),
        probabilities: Polarity::ALL.map(|class| score.probability(class)),
        terms,
        tokens,
        clauses,
        unknown,
    };
    (score, explanation)
}

fn terms(reader: &Reader<'_>) -> Vec<TermPart> {
    let model = reader.model();
    let items = reader.tokens().items();
    let places = reader.places();
    let part = |(term, contribution): (u32, f64)| {
        let own = places.iter().filter(|place| place.0 == term);
        let span =
            |&(_, first, length): &(u32, usize, usize)| (items[first].start, items[first + length - 1].end);
        TermPart {
            term: model.spell(term),
            contribution,
            weight: model.term(term).weight,
            reviews: model.term(term).reviews,
            places: own.map(span).collect(),
        }
    };
    let mut parts: Vec<TermPart> = reader.contributions().map(part).collect();
    parts.sort_by(|a, b| b.contribution.abs().total_cmp(&a.contribution.abs()));
    parts
}

fn tokens(reader: &Reader<'_>) -> Vec<TokenPart> {
    let tokens = reader.tokens();
    let mut shares = vec![0.0; tokens.items().len()];
    let places = reader.places();
    let contributions: rustc_hash::FxHashMap<u32, f64> = reader.contributions().collect();
    let mut counts: rustc_hash::FxHashMap<u32, usize> = rustc_hash::FxHashMap::default();
    places.iter().for_each(|(term, ..)| *counts.entry(*term).or_insert(0) += 1);
    for (term, first, length) in places {
        let share = contributions[&term] / (counts[&term] * length) as f64;
        shares[first..first + length].iter_mut().for_each(|total| *total += share);
    }
    let part = |(token, contribution): (&crate::text::Token, f64)| TokenPart {
        start: token.start,
        end: token.end,
        form: tokens.form(token).to_string(),
        negated: token.negated,
        cue: token.cue,
        contribution,
    };
    tokens.items().iter().zip(shares).map(part).collect()
}

fn clauses(reader: &Reader<'_>, text: &str, parts: &[TokenPart]) -> Vec<Clause> {
    let items = reader.tokens().items();
    let begins: Vec<usize> =
        (0..items.len()).filter(|&at| at == 0 || items[at].before >= Break::Clause).collect();
    let mut running = reader.model().base();
    let mut clauses = Vec::with_capacity(begins.len());
    for (at, &first) in begins.iter().enumerate() {
        let next = begins.get(at + 1).copied();
        let last = next.unwrap_or(items.len());
        let start = if at == 0 { 0 } else { items[first].start };
        let end = next.map_or(text.len() as u32, |next| items[next].start);
        let contribution: f64 = parts[first..last].iter().map(|part| part.contribution).sum();
        running += contribution;
        clauses.push(Clause { start, end, tokens: (first, last), contribution, running });
    }
    clauses
}
