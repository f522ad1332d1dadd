//! Why this verdict.

pub(crate) mod contribute;
