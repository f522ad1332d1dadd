//! From weighted rows and labels to weights.

pub(crate) mod bayes;
pub(crate) mod calibrate;
pub(crate) mod columns;
pub(crate) mod decide;
pub(crate) mod dual;
mod factory;
pub(crate) mod inner_validation;
pub(crate) mod lambda;
pub(crate) mod learner;
pub(crate) mod loss;
pub(crate) mod objective;
pub(crate) mod online;
pub(crate) mod settings;
