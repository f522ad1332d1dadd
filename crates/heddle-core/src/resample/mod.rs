//! Which rows stand where: seeded, stratified, and never one text on two sides.
//!
//! A [`Sample`] is n labels with the groups that hold reviews together; [`Grouping`] finds these.

pub(crate) mod balance;
pub(crate) mod copies;
pub(crate) mod fingerprint;
pub(crate) mod folds;
pub(crate) mod learnt_texts;
pub(crate) mod near_duplicates;
pub(crate) mod random;
pub(crate) mod side;
pub(crate) mod taught;

pub use balance::{Balance, Balancing, PriorKind, copies};
pub use copies::Copies;
pub use fingerprint::{Fingerprint, Sketch, text_key, value_key};
pub use folds::{Sample, deal, folds};
pub use learnt_texts::LearntTexts;
pub use near_duplicates::{Grouping, Groups, Overlap, Sketches, tied_by_any};
pub use random::{Random, draw};
pub use side::{By, Sides, runs_score, side};
