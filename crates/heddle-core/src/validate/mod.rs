//! How good it is on reviews it has not seen.

pub(crate) mod audit;
pub(crate) mod baselines;
pub(crate) mod compare;
pub(crate) mod cross;
pub(crate) mod learning_curve;
pub(crate) mod result;
pub(crate) mod slices;
pub(crate) mod splitting;
