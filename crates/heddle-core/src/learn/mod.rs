//! From weighted rows and labels to weights.

pub(crate) mod bayes;
mod begin;
pub(crate) mod calibrate;
pub(crate) mod columns;
pub(crate) mod decide;
pub(crate) mod dual;
pub(crate) mod inner;
pub(crate) mod learner;
pub(crate) mod loss;
pub(crate) mod objective;
pub(crate) mod online;
pub(crate) mod settings;
pub(crate) mod strength;
