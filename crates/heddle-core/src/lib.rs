//! The computation of Heddle: from star-rated reviews to explained predictions.
//!
//! A review travels one way. A [`Cleaner`] turns its bytes into tokens with their places
//! and negation; a [`Corpus`] keeps the tokens of many reviews as numbers; [`Counted`]
//! holds their terms and one matrix that all folds share; [`fit`] learns from some of its
//! rows; a [`Model`] scores and [`explain`]s new reviews; [`cross_validate`] tells how good
//! it is on reviews it has not seen.
//!
//! This crate reads no file, prints nothing and knows no clock. It uses the threads of the
//! current pool, and its results do not depend on their number.
//!
//! ```
//! use heddle_core::{Corpus, Counted, Model, Polarity, Sample, Study, fit, text_key};
//!
//! let texts = ["a warm cabin", "a cold cabin", "not a warm cabin", "warm and good"];
//! let stars = ["5", "1", "2", "4"];
//! let mut study = Study::default();
//! study.terms.at_least = 1;
//! study.model.strength = heddle_core::Strength::Fixed(0.01);
//!
//! let labels = stars.iter().map(|cell| match study.polarity.read(cell) {
//!     heddle_core::Reading::Class(class) => class,
//!     other => panic!("{cell}: {other:?}"),
//! });
//! let groups = texts.iter().map(|text| text_key(text));
//! let sample = Sample::new(labels.collect(), groups.collect());
//! let corpus = Corpus::read(&texts[..], study.corpus_rules());
//! let counted = Counted::new(&corpus, &study.terms);
//! let learnt = fit(&counted, &sample, &[0, 1, 2, 3], &study)?;
//! let model = Model::new(&corpus, &counted, &learnt, &study, None);
//! let score = model.scorer().score("The cabin was not warm");
//! assert_eq!(score.polarity(), Polarity::Negative);
//! # Ok::<(), heddle_core::FitError>(())
//! ```

#![deny(missing_docs)]
#![forbid(unsafe_code)]

mod choice;
mod dates;
mod explain;
mod fit;
mod learn;
mod matrix;
mod measure;
mod model;
mod polarity;
mod resample;
mod scorer;
mod study;
mod survey;
mod terms;
mod text;
mod validate;

pub use choice::Choice;
pub use dates::{DateForm, DateOrder, Dated, Day, read_date};
pub use explain::contribute::{Clause, Explanation, TermPart, TokenPart, explain, explain_document};
pub use explain::plain::{PlainWords, plain_words};
pub use fit::{Fit, FitError, fit, fit_path};
pub use learn::calibrate::{Calibration, Curve};
pub use learn::decide::Deciding;
pub use learn::inner_validation::INNER_FOLDS;
pub use learn::lambda::{LambdaChoice, TriedLambda};
pub use learn::learner::{Convergence, Learner, Stop, Stopping};
pub use learn::loss::{LogLoss, Loss, PlainHinge, SquaredHinge};
pub use learn::objective::Problem;
pub use learn::settings::{Calibrate, Events, Hinge, Learning, Method, Penalty, Strength};
pub use matrix::{Entry, Rows};
pub use measure::confusion::{ClassFigures, Confusion};
pub use measure::curves::{Bin, CutPoint, cut_points, reliability};
pub use measure::figures::{Figures, Unsure, baseline};
pub use measure::interval::{CONFIDENCE, Figure, share};
pub use measure::odds::{logit, loss, sigmoid};
pub use measure::prevalence::precision_at;
pub use measure::ranking::roc_area;
pub use measure::verdict::{Cuts, Verdict, probabilities};
pub use model::{Card, Model, Parts, Term, Validated};
pub use polarity::{Classes, Middle, Polarity, Reading, Rule, Values, shown_value};
pub use resample::balance::{Balance, Balancing, PriorKind, copies};
pub use resample::folds::{ClassCounts, Sample, deal, folds};
pub use resample::near_duplicates::{
    Fingerprint, Grouping, Groups, Overlap, Sketch, Sketches, text_key, value_key,
};
pub use resample::random::Random;
pub use resample::side::{By, Sides, runs_score, side};
pub use scorer::{Score, Scorer};
pub use study::error::SettingError;
pub use study::form::{Encoding, Form, Format, Header, Limits, Quotes};
pub use study::key::Key;
pub use study::keys::KEYS;
pub use study::kind::{Kind as SettingKind, Lines, Range};
pub use study::near::nearest;
pub use study::value::Value;
pub use study::{Columns, Fields, Order, Study, Validating};
pub use survey::column::{ColumnKind, ColumnProfile, DateProfile, NumberProfile, Profiler};
pub use survey::languages::{LanguageShare, language, languages};
pub use survey::oddities::{Looks, Oddity, Script, looks};
pub use survey::texts::{Reservoir, TextFacts, TextProfile, TextProfiler};
pub use survey::words::{RatingWords, WordShare, rating_words};
pub use terms::cleaned::{Cleaned, StepCount, cleaned, shown};
pub use terms::corpus::{Corpus, CorpusRules, Texts};
pub use terms::count::Counted;
pub use terms::find::{Place, find};
pub use terms::intern::Words;
pub use terms::report::{Band, Coverage, DistinctiveTerm, Doubt, ReviewTerm, TermFacts, TermReport};
pub use terms::rules::{Association, Bound, Combine, Emphasis, LONGEST, LONGEST_LETTERS, TermRules};
pub use terms::select::{Selection, TermStatus};
pub use terms::similar::{SimilarWord, similar_words};
pub use terms::token_id::TokenId;
pub use terms::vocabulary::Vocabulary;
pub use terms::weigh::{DocumentFactor, Normalisation, TermFactor, Weighted, Weighting};
pub use text::cleaner::{Cleaner, ScanBuffer};
pub use text::document::Document;
pub use text::negate::{Negation, Prefixes, Scope, Style};
pub use text::recipe::{
    Case, Elongation, Emoticons, Hashtags, Joined, Presence, Recipe, Stem, StopList, Treatment,
};
pub use text::scan::{EMOTICON, LINK, MAIL, NUMBER};
pub use text::steps::{Change, Step};
pub use text::stop_words::{function_words, is_function_word};
pub use text::tables::{Effect, emoticon_meanings, expressions, prefixed_words};
pub use text::tokens::{Break, Kind, Token, Tokens};
pub use validate::audit::{Audit, Finding, audit};
pub use validate::baselines::{Baseline, baselines};
pub use validate::compare::{Difference, compare, compare_verdicts, within};
pub use validate::cross::{Fold, HeldOut, Validation, cross_validate, cross_validate_path};
pub use validate::learning_curve::{LearningCurve, Point, SHARES, learning_curve};
pub use validate::result::{
    CrossValidationResult, FoldResult, Measure, Nested, Ranking, nested, rank, try_out,
};
pub use validate::slices::{Aspect, Slice, slices};
pub use validate::splitting::{FoldSplit, ValidateError, fold_splits};
