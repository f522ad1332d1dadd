//! What a report reads of the findings of a run: `findings.json`, as docs/json.md describes it. Keys that are not
//! named here are passed over.

use std::collections::BTreeMap;

use heddle_core::labels::Polarity;
use heddle_core::measure::{Figure, Figures, SliceFigure};
use heddle_core::text::Counts;
use serde::Deserialize;

/// The findings of a run.
#[derive(Debug, Deserialize)]
pub struct Findings {
    pub heddle: String,
    pub version: u32,
    pub split: Split,
    pub validation: Validation,
    pub training: Training,
    pub assessment: Assessment,
    pub middle: Option<Middle>,
    pub doubts: Doubts,
    pub drivers: Drivers,
    pub probes: Probes,
    pub explained: Explained,
    pub judgement: Judgement,
}

#[derive(Debug, Deserialize)]
pub struct Account {
    pub read: usize,
    pub refused: usize,
    pub no_text: usize,
    pub no_rating: usize,
    pub middle: usize,
    pub not_kept: usize,
    #[serde(default)]
    pub copies: usize,
    #[serde(default)]
    pub copies_left_out: usize,
    pub negative: usize,
    pub neutral: usize,
    pub positive: usize,
    #[serde(default)]
    pub class_names: BTreeMap<Polarity, String>,
}

#[derive(Debug, Deserialize)]
pub struct Split {
    pub account: Account,
    pub rule: String,
    pub seed: u64,
    pub by: String,
    pub training: Part,
    pub holdout: Part,
    pub overlap: Overlap,
    pub near_repeats: usize,
}

#[derive(Debug, Deserialize)]
pub struct Part {
    pub mix: BTreeMap<String, usize>,
}

#[derive(Debug, Deserialize)]
pub struct Overlap {
    pub texts: usize,
}

#[derive(Debug, Deserialize)]
pub struct Validation {
    pub figures: Figures,
    pub baseline: Figures,
    pub folds: Vec<serde_json::Value>,
    pub rounds: Vec<serde_json::Value>,
    #[serde(default)]
    pub baselines: Vec<Baseline>,
    #[serde(default)]
    pub slices: Vec<Slice>,
    #[serde(default)]
    pub calibration: Vec<Bin>,
    #[serde(default)]
    pub gains: Vec<Gain>,
    #[serde(default)]
    pub cut_points: Vec<CutPoint>,
    pub learning_curve: Option<LearningCurve>,
}

#[derive(Debug, Deserialize)]
pub struct LearningCurve {
    pub points: Vec<Point>,
    pub last_doubling: Figure,
    pub next_doubling: Figure,
}

#[derive(Debug, Deserialize)]
pub struct Point {
    pub reviews: usize,
    pub accuracy: Figure,
}

#[derive(Debug, Deserialize)]
pub struct Baseline {
    pub about: String,
    pub figures: Figures,
}

#[derive(Debug, Deserialize)]
pub struct Slice {
    pub aspect: String,
    pub level: String,
    pub accuracy: Figure,
    pub recall_negative: Figure,
    pub negative: Figure,
    pub majority: Figure,
    pub differs: Vec<SliceFigure>,
}

#[derive(Debug, Deserialize)]
pub struct Bin {
    pub predicted: f64,
    pub observed: Figure,
}

#[derive(Debug, Deserialize)]
pub struct Gain {
    pub read: usize,
    pub share: f64,
    pub precision: Figure,
    pub recall: Figure,
}

#[derive(Debug, Deserialize)]
pub struct CutPoint {
    pub recall: Figure,
    pub false_alarms: Figure,
    pub precision: Figure,
}

#[derive(Debug, Deserialize)]
pub struct Training {
    pub words: serde_json::Value,
    pub letters: serde_json::Value,
    #[serde(default)]
    pub stems: bool,
    pub weighting: String,
    pub learner: String,
    pub penalty: String,
    pub intercept: f64,
    pub card: Card,
    pub strongest: [Vec<Weighed>; 2],
    pub bytes: u64,
}

#[derive(Debug, Deserialize)]
pub struct Card {
    pub terms: usize,
    pub strength: Option<f64>,
}

#[derive(Debug, Deserialize)]
pub struct Weighed {
    pub term: String,
    pub weight: f64,
    pub reviews: u64,
}

#[derive(Debug, Deserialize)]
pub struct Assessment {
    pub figures: Figures,
    pub opened: Option<usize>,
    pub named_by: String,
    pub mistakes: Vec<Mistake>,
}

#[derive(Debug, Deserialize)]
pub struct Mistake {
    pub id: String,
    pub truth: Polarity,
    pub log_odds: f64,
    pub text: String,
}

#[derive(Debug, Deserialize)]
pub struct Middle {
    pub reviews: usize,
    pub called_positive: Figure,
}

#[derive(Debug, Deserialize)]
pub struct Doubts {
    pub noise: Figure,
    pub expected: Figure,
    pub named_by: String,
    pub labels: Vec<Doubt>,
}

#[derive(Debug, Deserialize)]
pub struct Doubt {
    pub id: String,
    pub rating: String,
    pub label: Polarity,
    pub called: Polarity,
    pub probability: f64,
    pub wrong: f64,
    pub words: Vec<(String, f64)>,
    pub text: String,
}

#[derive(Debug, Deserialize)]
pub struct Drivers {
    pub negative: Figure,
    pub themes: Vec<Theme>,
    #[serde(default)]
    pub classes: Vec<ClassByColumn>,
}

#[derive(Debug, Deserialize)]
pub struct ClassByColumn {
    pub class: Polarity,
    pub columns: Vec<ByColumn>,
}

#[derive(Debug, Deserialize)]
pub struct Theme {
    pub name: String,
    pub class: Polarity,
    pub words: Vec<Word>,
    pub with: Figure,
    pub difference: Figure,
    pub adds: Figure,
    pub trend: Option<Figure>,
    pub columns: Vec<ByColumn>,
    pub quotes: Vec<Quote>,
}

#[derive(Debug, Deserialize)]
pub struct Word {
    pub word: String,
    pub score: f64,
}

#[derive(Debug, Deserialize)]
pub struct ByColumn {
    pub column: String,
    pub values: Vec<Place>,
}

#[derive(Debug, Deserialize)]
pub struct Place {
    pub part: String,
    pub share: Figure,
    pub difference: Figure,
    pub differs: bool,
}

#[derive(Debug, Deserialize)]
pub struct Quote {
    pub id: String,
    pub clause: String,
}

#[derive(Debug, Deserialize)]
pub struct Probes {
    pub passed: Figure,
    pub kinds: Vec<Kind>,
    pub sentences: Vec<Sentence>,
}

#[derive(Debug, Deserialize)]
pub struct Kind {
    pub kind: String,
    pub passed: Figure,
}

#[derive(Debug, Deserialize)]
pub struct Sentence {
    pub kind: String,
    pub text: String,
    pub expected: String,
    pub passed: bool,
    pub called: Polarity,
    pub log_odds: f64,
}

#[derive(Debug, Deserialize)]
pub struct Explained {
    pub texts: Vec<Text>,
}

#[derive(Debug, Deserialize)]
pub struct Text {
    pub origin: String,
    pub text: String,
    pub intercept: f64,
    pub log_odds: f64,
    pub polarity: Polarity,
    pub clauses: Vec<Clause>,
    pub tokens: Vec<Token>,
}

#[derive(Debug, Deserialize)]
pub struct Clause {
    pub start: usize,
    pub end: usize,
    pub tokens: (usize, usize),
    pub contribution: f64,
    pub running: f64,
}

#[derive(Debug, Deserialize)]
pub struct Token {
    pub start: usize,
    pub end: usize,
    pub contribution: f64,
    pub negated: bool,
    pub cue: bool,
    /// All counted in full in runs of earlier versions.
    #[serde(default)]
    pub counts: Counts,
}

#[derive(Debug, Deserialize)]
pub struct Judgement {
    pub sentence: String,
}
