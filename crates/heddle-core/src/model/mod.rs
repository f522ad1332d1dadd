//! What is learnt: a fit, the model that is kept of it, and its scores.
//!
//! [`fit`] learns from some rows of a matrix, with everything that they alone decide; a [`Model`] keeps
//! what scoring needs; a [`Scorer`] reads documents and gives each its [`Score`].

pub(crate) mod artefact;
pub(crate) mod card;
mod counts;
pub(crate) mod error;
pub(crate) mod fit;
mod held_back;
mod of_fit;
mod rounds;
pub(crate) mod scorer;
pub(crate) mod seen;
mod settle;
mod stream;
mod teach;
mod vote;

pub use artefact::{Model, Parts, Term, TermArrays};
pub use card::{Card, Validated, ValidatedSlice};
pub use counts::fit_counts;
pub use error::FitError;
pub use fit::{Fit, fit, fit_path};
pub use held_back::{HeldScore, StreamFit};
pub use rounds::{
    Answer, Ask, Asked, Known, LabelledRows, Lesson, Next, Place, Rounds, Stage, Topic, Weights,
};
pub use scorer::{Score, Scorer};
pub use seen::{LENGTHS, LOG_ODDS, Said, Seen, parted};
pub use settle::NeutralWeights;
pub use stream::{HeldRow, Judged, RowHasher, StreamCounts, StreamLearner, StreamState, WaitingRow};
pub use vote::{Ballot, VoteBy, Voted};
