//! Why this verdict.

pub(crate) mod contribute;
pub(crate) mod plain;
