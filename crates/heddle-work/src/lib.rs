//! What Heddle does, as functions with options, for its program and for other programs.
//!
//! A [`Session`] holds the settings in force, the files of a call and an [`Observer`], who hears
//! what is remarked on the way and how far work is. A function takes a session and a struct of
//! options, and gives what it found as data that serialises: [`label()`], [`split()`],
//! [`validate()`], [`train()`], [`assess()`], [`score()`], [`explain()`] and the others, in the
//! order of the work. [`run()`] does the whole way. Files that a function writes have their names
//! when it returns, or after [`Session::commit`].
//!
//! ```no_run
//! use heddle_work::{Session, TrainOptions, train};
//!
//! let mut study = heddle_core::settings::Study::default();
//! study.reviews.text = vec!["review".into()];
//! let session = Session::of(study);
//! let options = TrainOptions { files: vec!["reviews.csv".into()], out: "m.heddle".into(), ..TrainOptions::default() };
//! let trained = train(&session, &options)?;
//! println!("{} terms from {} reviews", trained.card.terms, trained.account.labelled());
//! # Ok::<(), heddle_work::Error>(())
//! ```

#![deny(missing_docs)]
#![forbid(unsafe_code)]

mod aspects;
mod assess;
mod balance;
mod batches;
mod clusters;
mod compare;
mod copies;
mod demo;
mod doubts;
mod drift;
mod drivers;
mod effects;
mod error;
mod explain;
mod findings;
mod growth;
mod inspect;
mod judgement;
mod label;
mod ledger;
mod manner;
mod natural_mix;
mod new_study;
mod observer;
mod open_model;
mod openings;
mod probe;
mod renew;
mod reviews;
pub mod roles;
mod rounds;
mod run;
mod sample;
mod score;
mod scoring;
mod session;
mod sources;
mod split;
mod stream;
mod survey;
mod terms;
mod tokens;
mod train;
mod training;
mod tune;
mod unseen;
mod validate;
mod variants;
mod vectors;
mod words;

pub use assess::{AssessOptions, Assessed, Mistake, assess};
pub use balance::{BalanceMethod, BalanceOptions, Balanced, balance};
pub use clusters::{ClusterFound, Clustered, ClustersOptions, Nearest, clusters};
pub use compare::{Changed, CompareOptions, Compared, Way, compare};
pub use copies::{Copied, CopiesOptions, copies};
pub use demo::{Demo, demo};
pub use doubts::{DoubtRow, Doubted, DoubtsOptions, Known as KnownDoubts, Look, doubts};
pub use drift::{DriftOptions, Drifted, Month, Named, drift};
pub use drivers::{ByColumn, ClassByColumn, Driven, Driver, DriversOptions, Quote, drivers};
pub use effects::{Effects, EffectsOptions, effects};
pub use error::{Error, Result};
pub use explain::{Alike, ExplainOptions, Explained, ExplainedText, Filter, Level, explain};
pub use findings::{VERSION, as_json};
pub use growth::{Grown, GrowthOptions, growth};
pub use inspect::{Inspected, inspect};
pub use judgement::{Judgement, NextStep};
pub use label::{LabelOptions, Labelled, Sampled, label};
pub use ledger::{ListOptions, Listed, list};
pub use natural_mix::NaturalMix;
pub use observer::{Observer, Silent};
pub use open_model::{Lacking, OpenModel};
pub use probe::{Against, ProbeOptions, ProbedModel, ShortProbes, probe};
pub use renew::{ProbesBeside, RenewOptions, Renewed, renew};
pub use reviews::columns::CLASS_COLUMN;
pub use reviews::labelled::{Kept, LabelledReviews, Purpose};
pub use reviews::labelling::{Account, Becomes, ValueRow};
pub use reviews::texts::{Label, TextOptions};
pub use rounds::{
    AnswerOptions, Answered, NextOptions, NextRound, PlaceOptions, Placed, answer_round, next_round,
    place_rows,
};
pub use run::{Ran, Reporter, RunOptions, run};
pub use sample::{Drawn, SampleOptions, SampleSize, Stratum, sample};
pub use score::{Called, Judged, Reason, ScoreOptions, Scored, USUAL_DECIMALS, score};
pub use session::{LedgerPlace, Session, SessionOptions, USUAL_STUDY};
pub use sources::{Source, SourceFound};
pub use split::{Part, Split, SplitOptions, split};
pub use stream::{Checkpoints, Doubling, Progressive};
pub use survey::{
    FoundColumns, FoundScale, NegativeByColumn, NegativeByValue, RatingRow, Survey, SurveyOptions, Texts,
    survey,
};
pub use terms::model::{Known, ModelTerms, ModelTermsOptions, WeighedTerm, model_terms};
pub use terms::{
    AlikeReview, Doubtful, FoundPhrase, Grid, GridCell, GridRow, LookedUp, ReviewTable, SimilarWords,
    Strongest, Surroundings, Terms, TermsOptions, look_twice, terms,
};
pub use tokens::{ReadChange, ReadText, ReadTexts, ReadToken, TokensOptions, tokens};
pub use train::{Middle, TrainOptions, Trained, TrainingSettings, learner_words, train};
pub use training::TrainingSet;
pub use tune::{AS_IT_IS, NestedChoice, Ranked, Run, Searched, TuneOptions, Tuned, measure, tune};
pub use validate::{Beside, ValidateOptions, Validated, WithoutRepeats, validate};
pub use variants::BETWEEN;
pub use words::{copies as copies_in_words, count, decimals, number, with_sign};
