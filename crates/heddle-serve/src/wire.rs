//! What is asked and answered, as JSON.
//!
//! Numbers of a review are those of `heddle score` and `heddle explain`: probabilities sum to 1, log-odds and what parts of
//! a review add to them are in nats, places are bytes of the text.

use std::collections::BTreeMap;

use heddle_core::Choice;
use heddle_core::explain::{Clause, ColumnPart, Explanation, TermPart, TokenPart};
use heddle_core::labels::{ClassNames, Classes, PerClass, Polarity, UNSURE};
use heddle_core::measure::{Figure, Verdict};
use heddle_core::text::Counts;
use heddle_work::{ExplainedText, Inspected, Judged, OpenModel, VERSION};
use schemars::JsonSchema;
use serde::de::Error;
use serde::{Deserialize, Deserializer, Serialize};
use serde_json::Value;

use crate::review::Review;

/// Words of a review that are told of one by one, at most.
pub const MOST_WORDS: usize = 100;
/// Terms of a review that are told, at most.
pub const MOST_TERMS: usize = 1000;
/// Reviews that one request has explained at most: each is told to its last word.
pub const MOST_EXPLAINED: usize = 100;

/// Reviews to be scored.
#[derive(Debug, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct ScoreRequest {
    /// The reviews, in any order; answers keep it.
    pub reviews: Vec<Review>,
    /// For how many words of each it is told that they speak most for what it is called.
    #[serde(default, deserialize_with = "whole")]
    #[schemars(range(max = MOST_WORDS))]
    pub reasons: usize,
}

/// Reviews to be explained.
#[derive(Debug, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct ExplainRequest {
    /// The reviews.
    #[schemars(length(max = MOST_EXPLAINED))]
    pub reviews: Vec<Review>,
    /// How many of the heaviest terms of each are told.
    #[serde(default = "usual_terms", deserialize_with = "whole")]
    #[schemars(range(max = MOST_TERMS))]
    pub terms: usize,
    /// For how many words it is told what the review would be without them; where it is more than 0, also which words turn
    /// the verdict. This reads each review several hundred times.
    #[serde(default, deserialize_with = "whole")]
    #[schemars(range(max = MOST_WORDS))]
    pub words: usize,
}

fn usual_terms() -> usize {
    10
}

/// A whole number however JSON writes it: 3 and 3.0 are the same.
fn whole<'de, D: Deserializer<'de>>(deserializer: D) -> Result<usize, D::Error> {
    let number = f64::deserialize(deserializer)?;
    match number.fract() == 0.0 && (0.0..1e15).contains(&number) {
        true => Ok(number as usize),
        false => Err(D::Error::custom(format!("{number} where a whole number from 0 is expected"))),
    }
}

/// The model that answered.
#[derive(Debug, Clone, Serialize, JsonSchema)]
pub struct ModelName {
    /// Its file, without the folder.
    pub file: String,
    /// The XXH3-64 of its bytes, in hexadecimal digits: another model has another one.
    pub xxh3: String,
}

/// Scored reviews.
#[derive(Debug, Serialize, JsonSchema)]
pub struct ScoreAnswer {
    /// What was asked.
    pub heddle: &'static str,
    /// The version of this form.
    pub version: u32,
    /// The model that scored them all.
    pub model: ModelName,
    /// In the order in which they were sent.
    pub reviews: Vec<ScoredReview>,
}

/// What a review is called.
#[derive(Debug, Serialize, JsonSchema)]
pub struct Called {
    /// The class that it resembles most.
    pub polarity: String,
    /// The same, or "unsure" where the model may not call it.
    pub verdict: String,
    /// The log-odds of positive, in nats.
    pub log_odds: f64,
    /// The probability of each class.
    pub probabilities: BTreeMap<String, f64>,
}

/// A review that was scored.
#[derive(Debug, Serialize, JsonSchema)]
pub struct ScoredReview {
    /// What it is called.
    #[serde(flatten)]
    pub called: Called,
    /// How many distinct terms of the model it has; with none, the model knows nothing of it.
    pub known_terms: usize,
    /// What to mind: "no known term", "mostly unknown words", "learnt from", "unfamiliar value".
    pub flags: Vec<&'static str>,
    /// The words that speak most for what it is called, the strongest first, where they were asked for.
    #[serde(skip_serializing_if = "Vec::is_empty")]
    pub reasons: Vec<ReasonAnswer>,
}

/// A word that speaks for what a review is called.
#[derive(Debug, Serialize, JsonSchema)]
pub struct ReasonAnswer {
    /// The word; "¬" stands before a negated one.
    pub word: String,
    /// What it adds to that side.
    pub adds: f64,
}

/// Explained reviews.
#[derive(Debug, Serialize, JsonSchema)]
pub struct ExplainAnswer {
    /// What was asked.
    pub heddle: &'static str,
    /// The version of this form.
    pub version: u32,
    /// The model that explains.
    pub model: ModelName,
    /// In the order in which they were sent.
    pub reviews: Vec<ExplainedReview>,
}

/// What the score of a review is made of: begins + what columns add + what clauses add = sum.
#[derive(Debug, Serialize, JsonSchema)]
pub struct ExplainedReview {
    /// What it is called.
    #[serde(flatten)]
    pub called: Called,
    /// The sum of a review without known terms.
    pub begins: f64,
    /// The whole sum: the log-odds, unless the model reads those off a curve.
    pub sum: f64,
    /// What counts beside the text.
    pub columns: Vec<ColumnStep>,
    /// The clauses, in reading order; their pieces, one after the other, are the text.
    pub clauses: Vec<ClauseStep>,
    /// Its heaviest terms, the heaviest first.
    pub terms: Vec<TermAnswer>,
    /// The words that the model does not know.
    pub unknown: Vec<String>,
    /// What it would be without each of some words, where that was asked for.
    #[serde(skip_serializing_if = "Vec::is_empty")]
    pub without: Vec<WithoutWord>,
    /// The words that turn the verdict when they are taken out, where that was asked for and such are found.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub turned_by: Option<TurnedBy>,
}

/// What a part of a review adds.
#[derive(Debug, Serialize, JsonSchema)]
pub struct Adds {
    /// To the sum.
    pub adds: f64,
    /// To the sum of each class, where each has weights of its own.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub adds_by_class: Option<BTreeMap<String, f64>>,
}

/// A column beside the text.
#[derive(Debug, Serialize, JsonSchema)]
pub struct ColumnStep {
    /// The column.
    pub column: String,
    /// Its value as the model counts it, if it is known.
    pub value: Option<String>,
    /// What it adds.
    #[serde(flatten)]
    pub adds: Adds,
    /// The sum when it has been read.
    pub total: f64,
}

/// A clause.
#[derive(Debug, Serialize, JsonSchema)]
pub struct ClauseStep {
    /// Its first byte in the text.
    pub start: u32,
    /// One past its last byte.
    pub end: u32,
    /// What it adds.
    #[serde(flatten)]
    pub adds: Adds,
    /// The sum when it has been read.
    pub total: f64,
    /// Its words, and what stands between them.
    pub pieces: Vec<Piece>,
}

/// A piece of a clause.
#[derive(Debug, Serialize, JsonSchema)]
pub struct Piece {
    /// As it is written.
    pub text: String,
    /// What it adds; missing for what stands between words.
    #[serde(flatten)]
    pub adds: Option<Adds>,
    /// Whether it negates what follows.
    #[serde(skip_serializing_if = "is_false")]
    pub negates: bool,
    /// Whether it is negated.
    #[serde(skip_serializing_if = "is_false")]
    pub negated: bool,
    /// Whether it counts half or not at all, because it is conceded or said of others.
    #[serde(skip_serializing_if = "is_false")]
    pub counts_less: bool,
}

fn is_false(flag: &bool) -> bool {
    !flag
}

/// A term.
#[derive(Debug, Serialize, JsonSchema)]
pub struct TermAnswer {
    /// The term; "¬" stands before a negated one.
    pub term: String,
    /// What it adds.
    #[serde(flatten)]
    pub adds: Adds,
    /// The training reviews that have it.
    pub reviews: u64,
    /// What kind of term it is.
    pub kind: &'static str,
}

/// A review without a word.
#[derive(Debug, Serialize, JsonSchema)]
pub struct WithoutWord {
    /// The word as the model sees it.
    pub word: String,
    /// Its first byte in the text.
    pub start: u32,
    /// One past its last byte.
    pub end: u32,
    /// The sum less that of the review without it.
    pub effect: f64,
    /// What the review is called without it.
    pub called: String,
}

/// Words whose removal turns the verdict.
#[derive(Debug, Serialize, JsonSchema)]
pub struct TurnedBy {
    /// The words, in reading order.
    pub words: Vec<String>,
    /// What the review is called without them.
    pub called: String,
    /// The probability of that class then.
    pub probability: f64,
}

/// The model in use.
#[derive(Debug, Serialize, JsonSchema)]
pub struct ModelAnswer {
    /// What was asked.
    pub heddle: &'static str,
    /// The version of this form.
    pub version: u32,
    /// Its name.
    pub model: ModelName,
    /// Its classes, in the order of every table.
    pub classes: Vec<String>,
    /// The columns of the text that a row must have.
    pub text: Vec<String>,
    /// The columns that count beside it.
    pub beside: Vec<String>,
    /// The rule from ratings to classes, in words.
    pub rule: String,
    /// How weights were learnt, in words.
    pub learner: String,
    /// Training reviews by class.
    pub learnt_from: BTreeMap<String, usize>,
    /// Terms with a weight.
    pub terms: usize,
    /// The cross-validated share of reviews that it calls right; missing if it was never validated.
    pub accuracy: Option<FigureAnswer>,
    /// What it is known not to do well.
    pub limits: Vec<String>,
    /// All that `heddle inspect --json` tells (docs/json.md).
    pub card: Value,
}

/// A figure with its interval of 95 %.
#[derive(Debug, Serialize, JsonSchema)]
pub struct FigureAnswer {
    /// The figure.
    pub value: Option<f64>,
    /// The lower end.
    pub low: Option<f64>,
    /// The upper end.
    pub high: Option<f64>,
    /// The reviews behind it.
    pub n: usize,
}

/// Whether the server is alive, or ready.
#[derive(Debug, Serialize, JsonSchema)]
pub struct Health {
    /// "live", "ready" or "stopping".
    pub is: &'static str,
    /// The model in use.
    pub model: ModelName,
}

impl ModelName {
    /// The name of an open model.
    pub fn of(model: &OpenModel) -> Self {
        let Inspected { model, xxh3, .. } = model.inspected();
        let file = std::path::Path::new(model)
            .file_name()
            .map_or(model.as_str().into(), |name| name.to_string_lossy());
        Self { file: file.into_owned(), xxh3: xxh3.clone() }
    }
}

/// How a model names its classes.
struct Naming<'m> {
    classes: Classes,
    names: &'m ClassNames,
}

impl<'m> Naming<'m> {
    fn of(model: &'m OpenModel) -> Self {
        let inspected = model.inspected();
        Self { classes: inspected.classes, names: &inspected.names }
    }

    fn name(&self, class: Polarity) -> String {
        self.names.of(class).into()
    }

    fn called(&self, verdict: &Verdict) -> Called {
        let class = |class: &Polarity| (self.name(*class), verdict.probability(*class));
        Called {
            polarity: self.name(verdict.called),
            verdict: if verdict.sure { self.name(verdict.called) } else { UNSURE.into() },
            log_odds: verdict.log_odds,
            probabilities: self.classes.list().iter().map(class).collect(),
        }
    }

    fn adds(&self, adds: f64, by_class: Option<PerClass<f64>>) -> Adds {
        let named = |sums: PerClass<f64>| {
            self.classes.list().iter().map(|class| (self.name(*class), sums[*class])).collect()
        };
        Adds { adds, adds_by_class: by_class.map(named) }
    }
}

impl ScoreAnswer {
    /// What a model made of reviews.
    pub fn new(model: &OpenModel, judged: &[Judged]) -> Self {
        let naming = Naming::of(model);
        let one = |judged: &Judged| ScoredReview {
            called: naming.called(&judged.score.verdict),
            known_terms: judged.score.terms,
            flags: judged.flags(),
            reasons: judged
                .reasons
                .iter()
                .map(|reason| ReasonAnswer { word: reason.word.clone(), adds: reason.adds })
                .collect(),
        };
        let reviews = judged.iter().map(one).collect();
        Self { heddle: "score", version: VERSION, model: ModelName::of(model), reviews }
    }
}

impl ExplainAnswer {
    /// What scores are made of, with so many terms of each.
    pub fn new(model: &OpenModel, explained: &[ExplainedText], terms: usize) -> Self {
        let naming = Naming::of(model);
        let reviews = explained.iter().map(|text| naming.explained(text, terms)).collect();
        Self { heddle: "explain", version: VERSION, model: ModelName::of(model), reviews }
    }
}

impl Naming<'_> {
    fn explained(&self, one: &ExplainedText, terms: usize) -> ExplainedReview {
        let own = &one.explanation;
        let turned_by = one.flip.as_ref().map(|flip| TurnedBy {
            words: flip.words.iter().map(|word| word.form.clone()).collect(),
            called: self.name(flip.called),
            probability: flip.probability,
        });
        let without = one.words.iter().map(|word| WithoutWord {
            word: word.form.clone(),
            start: word.start,
            end: word.end,
            effect: word.without.effect,
            called: self.name(word.without.called),
        });
        ExplainedReview {
            called: self.called(&own.verdict),
            begins: own.intercept,
            sum: own.sum,
            columns: own.columns.iter().map(|column| self.column(column)).collect(),
            clauses: own.clauses.iter().map(|clause| self.clause(&one.text, clause, own)).collect(),
            terms: own.terms.iter().take(terms).map(|term| self.term(term)).collect(),
            unknown: own.unknown.clone(),
            without: without.collect(),
            turned_by,
        }
    }

    fn column(&self, column: &ColumnPart) -> ColumnStep {
        ColumnStep {
            column: column.column.clone(),
            value: column.value.clone(),
            adds: self.adds(column.contribution, column.by_class),
            total: column.running,
        }
    }

    fn clause(&self, text: &str, clause: &Clause, whole: &Explanation) -> ClauseStep {
        let mut pieces = Vec::new();
        let between = |from: u32, to: u32| {
            let text = &text[from as usize..to as usize];
            (!text.is_empty()).then(|| Piece {
                text: text.into(),
                adds: None,
                negates: false,
                negated: false,
                counts_less: false,
            })
        };
        let mut at = clause.start;
        for token in &whole.tokens[clause.tokens.0..clause.tokens.1] {
            pieces.extend(between(at, token.start));
            pieces.push(self.piece(text, token));
            at = token.end;
        }
        pieces.extend(between(at, clause.end));
        let adds = self.adds(clause.contribution, clause.by_class);
        ClauseStep { start: clause.start, end: clause.end, adds, total: clause.running, pieces }
    }

    fn piece(&self, text: &str, token: &TokenPart) -> Piece {
        Piece {
            text: text[token.start as usize..token.end as usize].into(),
            adds: Some(self.adds(token.contribution, token.by_class)),
            negates: token.cue,
            negated: token.negated,
            counts_less: token.counts != Counts::All,
        }
    }

    fn term(&self, term: &TermPart) -> TermAnswer {
        TermAnswer {
            term: term.term.clone(),
            adds: self.adds(term.contribution, term.by_class),
            reviews: term.reviews,
            kind: term.kind.name(),
        }
    }
}

impl ModelAnswer {
    /// What a model says of itself.
    ///
    /// # Errors
    /// If its card cannot be written as JSON.
    pub fn new(model: &OpenModel) -> Result<Self, serde_json::Error> {
        let naming = Naming::of(model);
        let inspected = model.inspected();
        let class = |class: &Polarity| (naming.name(*class), inspected.card.mix[*class]);
        let figure = |figure: Figure| FigureAnswer {
            value: figure.value,
            low: figure.low,
            high: figure.high,
            n: figure.n,
        };
        Ok(Self {
            heddle: "model",
            version: VERSION,
            model: ModelName::of(model),
            classes: naming.classes.list().iter().map(|class| naming.name(*class)).collect(),
            text: model.text_columns().to_vec(),
            beside: model.columns_beside().map(String::from).collect(),
            rule: inspected.rule.clone(),
            learner: inspected.learner.clone(),
            learnt_from: naming.classes.list().iter().map(class).collect(),
            terms: inspected.card.terms,
            accuracy: inspected.card.validated.as_ref().map(|own| figure(own.figures.accuracy)),
            limits: inspected.limits.clone(),
            card: serde_json::to_value(inspected)?,
        })
    }
}
