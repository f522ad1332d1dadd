//! An exact account of one score.
//!
//! The log-odds of a linear model are a sum, so its explanation is that sum and nothing
//! sampled: intercept + the contributions of the terms and of columns beside the text. A term's contribution is shared out
//! over its places in the review, by how much each counts, and evenly over the words of each place; the shares of
//! the words, added up by clause, give the reading line. Every level has the same total.

use rustc_hash::FxHashSet;
use serde::Serialize;

use crate::beside::ColumnEffects;
use crate::choice::choice;
use crate::labels::per_class::{CLASSES, PerClass};
use crate::labels::polarity::Polarity;
use crate::matrix::Entry;
use crate::measure::verdict::{Verdict, class_scores};
use crate::model::artefact::Model;
use crate::model::scorer::{Score, Scorer, TermPlace, VectorWord};
use crate::terms::made_of::MadeOf;
use crate::terms::subwords::Subword;
use crate::terms::term_id::TermId;
use crate::text::document::Document;
use crate::text::tokens::{Break, Counts, Token};
use crate::text::{BLAME, PRAISE};

/// The account of one score.
#[derive(Debug, Clone, PartialEq, Serialize)]
pub struct Explanation {
    /// The log-odds of a review without known terms.
    pub intercept: f64,
    /// intercept + the sum of the contributions of terms and columns: the log-odds, unless the model reads probabilities off a curve.
    pub sum: f64,
    /// The log-odds of the probability, in nats.
    pub log_odds: f64,
    /// Where each class has weights of its own, the three sums.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub by_class: Option<ByClass>,
    /// What the model says for it.
    pub verdict: Verdict,
    /// The class it is called.
    pub polarity: Polarity,
    /// The probability of each class, in the order of every table.
    pub probabilities: Vec<f64>,
    /// The factor of the review that every term of it has: the third SMART letter.
    pub normalisation: f64,
    /// The terms, the strongest contribution first.
    pub terms: Vec<TermPart>,
    /// The columns beside the text, in the order of the study; none where none counts.
    #[serde(skip_serializing_if = "Vec::is_empty")]
    pub columns: Vec<ColumnPart>,
    /// The tokens, in reading order.
    pub tokens: Vec<TokenPart>,
    /// The clauses, in reading order.
    pub clauses: Vec<Clause>,
    /// The words that the model does not know, in reading order, each once.
    pub unknown: Vec<String>,
}

/// The sums of three classes that have weights of their own each. Softmax makes probabilities of them, unless the model
/// reads those off curves: the probability of a class is exp(its sum) / (exp(all three), added up). The three always add
/// up to 0, so that of two classes the difference of their sums is the log-odds of one against the other.
#[derive(Debug, Clone, PartialEq, Serialize)]
pub struct ByClass {
    /// The sums of a review without known terms.
    pub intercepts: PerClass<f64>,
    /// The intercepts + the contributions.
    pub sums: PerClass<f64>,
    /// The class of the largest sum: the called one, but for what decisions ask.
    pub leader: Polarity,
    /// The class that comes second.
    pub runner_up: Polarity,
    /// The log-odds of the largest sum against the second.
    pub ahead: f64,
}

impl ByClass {
    fn of(intercepts: PerClass<f64>, sums: PerClass<f64>) -> Self {
        let mut order = CLASSES;
        order.sort_by(|a, b| sums[*b].total_cmp(&sums[*a]));
        Self {
            intercepts,
            sums,
            leader: order[0],
            runner_up: order[1],
            ahead: sums[order[0]] - sums[order[1]],
        }
    }
}

choice! {
    /// The group of features that a term belongs to, as it counts in a review.
    #[derive(Serialize)]
    #[serde(rename_all = "snake_case")]
    TermKind {
        /// One word or several, none of them negated.
        Words = "plain words",
        /// Words of which at least one is negated.
        Negated = "negated words",
        /// A plain word that a negator takes back: "friendly" in "not friendly", where `negation.style` is
        /// "flip".
        TakenBack = "taken back",
        /// Praise or blame made of a negator or a limit, alone or with words beside it.
        Phrase = "set phrase",
        /// Marks and emoticons.
        Signs = "signs",
        /// Letters inside a word.
        Letters = "letters",
        /// What all forms of a word have in common.
        Stem = "stem",
        /// A column that several terms share.
        Hashed = "hashed",
        /// A word by its vector.
        Vector = "word vector",
    }
}

impl TermKind {
    /// The kind of a term of a model that counts so much in a review.
    fn of(model: &Model, term: TermId, term_factor: f64) -> Self {
        if term_factor < 0.0 {
            return Self::TakenBack;
        }
        if model.is_hashed() {
            return Self::Hashed;
        }
        match model.made_of(term) {
            MadeOf::Part(Subword::Letters) => return Self::Letters,
            MadeOf::Part(Subword::Stem) => return Self::Stem,
            MadeOf::Words(_) => {}
        }
        let words = || model.plain_words(term);
        if words().any(|word| [PRAISE, BLAME].contains(&word)) {
            Self::Phrase
        } else if model.vocabulary().is_negated(term) {
            Self::Negated
        } else if words().all(|word| !word.contains(char::is_alphanumeric)) {
            Self::Signs
        } else {
            Self::Words
        }
    }
}

/// What one term adds.
#[derive(Debug, Clone, PartialEq, Serialize)]
pub struct TermPart {
    /// The term; a negated word has "¬" before it.
    pub term: String,
    /// What it is made of.
    pub kind: TermKind,
    /// What it adds to the log-odds, in nats.
    pub contribution: f64,
    /// What it adds to the sum of each class, where each has weights of its own.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub by_class: Option<PerClass<f64>>,
    /// Its weight. Weight x term factor x document factor x the normalisation of the review is the
    /// contribution.
    pub weight: f64,
    /// What its count in the review makes of it: the first SMART letter.
    pub term_factor: f64,
    /// What its training reviews make of it: the second SMART letter.
    pub document_factor: f64,
    /// What takes the place of the normalisation of the review, for a word by its vector: all of a review share out one
    /// mean.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub normalisation: Option<f64>,
    /// The training reviews that hold it.
    pub reviews: u64,
    /// Where it stands: first byte and one past the last, in the raw text.
    pub places: Vec<(u32, u32)>,
}

/// What one column beside the text adds.
#[derive(Debug, Clone, PartialEq, Serialize)]
pub struct ColumnPart {
    /// The column and how it is read.
    pub column: String,
    /// What the review has there: a category, a band or a number; missing where nothing is known.
    pub value: Option<String>,
    /// What it adds to the log-odds, in nats; 0 where nothing is known, as the mean of the training reviews does.
    pub contribution: f64,
    /// The log-odds when it has been added, before any word is read.
    pub running: f64,
    /// What it adds to the sum of each class, where each has weights of its own.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub by_class: Option<PerClass<f64>>,
    /// The sums of the classes when it has been added.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub running_by_class: Option<PerClass<f64>>,
}

impl ColumnPart {
    /// The column and its value, as in "channel = web".
    pub fn named(&self) -> String {
        format!("{} = {}", self.column, self.value.as_deref().unwrap_or("(not known)"))
    }
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
    /// The text column that it stands in, where these are kept apart.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub column: Option<String>,
    /// Whether the token is negated.
    pub negated: bool,
    /// Whether it belongs to an expression that negates.
    pub cue: bool,
    /// How much of it counts.
    pub counts: Counts,
    /// What it adds to the log-odds.
    pub contribution: f64,
    /// What it adds to the sum of each class, where each has weights of its own.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub by_class: Option<PerClass<f64>>,
}

impl TokenPart {
    /// The token as terms spell it: a negated one has "¬" before it, and one of a column that is kept apart its name.
    pub fn spelled(&self) -> String {
        let column = self.column.as_ref().map_or(String::new(), |column| format!("{column}:"));
        format!("{}{column}{}", if self.negated { "¬" } else { "" }, self.form)
    }

    /// What it adds to a class: to its sum where each class has weights of its own, else to the side of a pole.
    pub fn speaks_for(&self, class: Polarity) -> f64 {
        self.by_class.map_or(class.sign() * self.contribution, |sums| sums[class])
    }
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
    /// What its tokens add to the sum of each class, where each has weights of its own.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub by_class: Option<PerClass<f64>>,
    /// The sums of the classes when it has been read.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub running_by_class: Option<PerClass<f64>>,
}

/// Scores a review and accounts for the score.
pub fn explain(scorer: &mut Scorer<'_>, text: &str) -> (Score, Explanation) {
    explain_document(scorer, &Document::from(text))
}

/// Scores the text of a row and accounts for the score.
pub fn explain_document(scorer: &mut Scorer<'_>, document: &Document) -> (Score, Explanation) {
    let score = scorer.score_document(document);
    let classes = scorer.model().classes();
    let text = document.text();
    let places = Places::new(scorer);
    let terms = terms(scorer, &places);
    let columns = columns(scorer, document);
    let tokens = tokens(scorer, &places, document);
    let clauses = clauses(scorer, text, &tokens, &columns);
    let explanation = Explanation {
        intercept: scorer.model().intercept(),
        sum: score.sum,
        log_odds: score.verdict.log_odds,
        by_class: intercepts(scorer)
            .zip(score.by_class())
            .map(|(intercepts, sums)| ByClass::of(intercepts, sums)),
        verdict: score.verdict,
        polarity: score.polarity(),
        normalisation: scorer.normalisation(),
        probabilities: classes.list().iter().map(|class| score.probability(*class)).collect(),
        terms,
        columns,
        tokens,
        clauses,
        unknown: unknown(scorer),
    };
    (score, explanation)
}

/// The places of all terms, by term and in reading order.
struct Places(Vec<TermPlace>);

impl Places {
    fn new(scorer: &Scorer<'_>) -> Self {
        let mut places = scorer.places();
        places.sort_unstable_by_key(|place| (place.term, place.first, place.length));
        Self(places)
    }

    /// The places of a term of the review.
    fn of(&self, term: TermId) -> &[TermPlace] {
        let begins = self.0.partition_point(|place| place.term < term);
        let length = self.0[begins..].partition_point(|place| place.term == term);
        &self.0[begins..begins + length]
    }
}

fn terms(scorer: &Scorer<'_>, places: &Places) -> Vec<TermPart> {
    let model = scorer.model();
    let items = scorer.tokens().items();
    let span = |place: &TermPlace| (items[place.first].start, items[place.tokens().end - 1].end);
    let part = |entry: &Entry| {
        let id = TermId::new(entry.column);
        let (term, own) = (model.term(id), places.of(id));
        TermPart {
            term: spell(scorer, id, &own[0]),
            kind: TermKind::of(model, id, entry.value.into()),
            contribution: scorer.contribution(entry),
            by_class: by_class(scorer, entry),
            weight: term.weight.into(),
            term_factor: entry.value.into(),
            document_factor: term.document_factor.into(),
            normalisation: None,
            reviews: term.reviews(),
            places: own.iter().map(span).collect(),
        }
    };
    let by_vector = |own: VectorWord| {
        let vectors = model.vectors().expect("a word with a vector is of a model with vectors");
        let mark = if own.part.negated { "¬" } else { "" };
        TermPart {
            term: format!("{mark}{}", vectors.words.word(own.part.word)),
            kind: TermKind::Vector,
            contribution: own.contribution,
            by_class: own.neutral.map(|neutral| class_scores(own.contribution, neutral)),
            weight: own.part.pull.into(),
            term_factor: f64::from(own.part.count) * if own.part.negated { -1.0 } else { 1.0 },
            document_factor: own.part.idf.into(),
            normalisation: Some(own.share),
            reviews: own.part.reviews.into(),
            places: own.tokens.iter().map(|token| (items[*token].start, items[*token].end)).collect(),
        }
    };
    let mut parts: Vec<TermPart> = scorer.row().iter().map(part).collect();
    parts.extend(scorer.vector_words().into_iter().map(by_vector));
    parts.sort_by(|a, b| b.contribution.abs().total_cmp(&a.contribution.abs()));
    parts
}

fn columns(scorer: &Scorer<'_>, document: &Document) -> Vec<ColumnPart> {
    let model = scorer.model();
    let Some(own) = &model.card().columns else { return Vec::new() };
    let (mut first, mut running, mut sums) = (0, model.intercept(), intercepts(scorer));
    let mut parts = Vec::new();
    for (at, column) in own.coding.columns.iter().enumerate() {
        let range = first..first + column.features();
        let inside = |entry: &&Entry| range.contains(&(entry.column as usize));
        let entries: Vec<Entry> = scorer.columns().iter().filter(inside).copied().collect();
        let adds = |effects: &[f32]| ColumnEffects::sum(&entries, effects);
        let value = column.read(&entries, first).map(|own| match own {
            (_, Some(counts)) => {
                let used = &model.study().features.columns[at];
                match used.number(document, at) {
                    // What lies beyond all training rows counts as the last of them.
                    Some(number) if (number - counts).abs() > 1e-6 * number.abs().max(1.0) => {
                        format!("{} (as {})", column.shown(number), column.shown(counts))
                    }
                    _ => column.shown(counts),
                }
            }
            (feature, None) if column.is_other(feature) => {
                format!("{} (other)", document.beside(at).unwrap_or_default().trim())
            }
            (feature, None) => column.feature_name(feature),
        });
        let contribution = adds(&own.effects);
        let by_class = (!own.neutral.is_empty()).then(|| class_scores(contribution, adds(&own.neutral)));
        running += contribution;
        sums = sums.zip(by_class).map(|(sums, own)| sums.plus(own));
        let column = column.column.clone();
        parts.push(ColumnPart { column, value, contribution, running, by_class, running_by_class: sums });
        first = range.end;
    }
    parts
}

/// What a term adds to the sum of each class, where each has weights of its own.
fn by_class(scorer: &Scorer<'_>, entry: &Entry) -> Option<PerClass<f64>> {
    let neutral = scorer.neutral_contribution(entry)?;
    Some(class_scores(scorer.contribution(entry), neutral))
}

/// The sums of the classes of a review without known terms, where each has weights of its own.
fn intercepts(scorer: &Scorer<'_>) -> Option<PerClass<f64>> {
    let neutral = scorer.model().card().neutral_intercept?;
    Some(class_scores(scorer.model().intercept(), neutral))
}

/// A term as people read it; a hashed one as it stands in the review.
fn spell(scorer: &Scorer<'_>, term: TermId, place: &TermPlace) -> String {
    if !scorer.model().is_hashed() {
        return scorer.model().spell(term);
    }
    let tokens = scorer.tokens();
    let spelled: Vec<String> =
        tokens.items()[place.tokens()].iter().map(|token| tokens.spelled(token)).collect();
    spelled.join(" ")
}

fn tokens(scorer: &Scorer<'_>, places: &Places, document: &Document) -> Vec<TokenPart> {
    let tokens = scorer.tokens();
    let items = tokens.items();
    let mut shares = vec![0.0; items.len()];
    let mut neutral = vec![0.0; items.len()];
    for entry in scorer.row() {
        let own = places.of(TermId::new(entry.column));
        // Places that do not count have no part; where none does, there is nothing to share out.
        let all: f64 = own.iter().map(|place| f64::from(place.share)).sum();
        if all == 0.0 {
            continue;
        }
        let wholes = [scorer.contribution(entry), scorer.neutral_contribution(entry).unwrap_or(0.0)];
        for place in own {
            for (totals, whole) in [&mut shares, &mut neutral].into_iter().zip(wholes) {
                let share = whole * f64::from(place.share) / (all * place.length as f64);
                totals[place.tokens()].iter_mut().for_each(|total| *total += share);
            }
        }
    }
    for own in scorer.vector_words() {
        let wholes = [own.contribution, own.neutral.unwrap_or(0.0)];
        for (totals, whole) in [&mut shares, &mut neutral].into_iter().zip(wholes) {
            own.tokens.iter().for_each(|token| totals[*token] += whole / own.tokens.len() as f64);
        }
    }
    let (free, fields) = (scorer.model().is_free(), &scorer.model().fields);
    let part = |((token, contribution), neutral): ((&Token, f64), f64)| TokenPart {
        start: token.start,
        end: token.end,
        form: tokens.form(token).to_string(),
        column: fields.of_token(document, tokens, token).map(String::from),
        negated: token.negated,
        cue: token.cue,
        counts: token.counts,
        contribution,
        by_class: free.then(|| class_scores(contribution, neutral)),
    };
    items.iter().zip(shares).zip(neutral).map(part).collect()
}

fn unknown(scorer: &Scorer<'_>) -> Vec<String> {
    let tokens = scorer.tokens();
    let mut seen = FxHashSet::default();
    scorer
        .silent()
        .map(|token| tokens.form(token))
        .filter(|form| seen.insert(*form))
        .map(String::from)
        .collect()
}

fn clauses(scorer: &Scorer<'_>, text: &str, parts: &[TokenPart], columns: &[ColumnPart]) -> Vec<Clause> {
    let items = scorer.tokens().items();
    let begins: Vec<usize> =
        (0..items.len()).filter(|&at| at == 0 || items[at].before >= Break::Clause).collect();
    // What stands beside the text is known before its first word is read.
    let last = columns.last();
    let mut running = last.map_or(scorer.model().intercept(), |own| own.running);
    let mut running_by_class = last.map_or_else(|| intercepts(scorer), |own| own.running_by_class);
    let mut clauses = Vec::with_capacity(begins.len());
    for (at, &first) in begins.iter().enumerate() {
        let next = begins.get(at + 1).copied();
        let last = next.unwrap_or(items.len());
        let start = if at == 0 { 0 } else { items[first].start };
        let end = next.map_or(text.len() as u32, |next| items[next].start);
        let contribution: f64 = parts[first..last].iter().map(|part| part.contribution).sum();
        running += contribution;
        let by_class: Option<PerClass<f64>> = running_by_class.map(|_| {
            let parts = parts[first..last].iter().filter_map(|part| part.by_class);
            parts.fold(PerClass::default(), PerClass::plus)
        });
        running_by_class = running_by_class.zip(by_class).map(|(sums, own)| sums.plus(own));
        let tokens = (first, last);
        clauses.push(Clause { start, end, tokens, contribution, running, by_class, running_by_class });
    }
    clauses
}
