//! From weighted rows and labels to weights.

pub(crate) mod logistic;
pub(crate) mod objective;
pub(crate) mod strength;
