//! How good it is on reviews it has not seen.

pub(crate) mod cross;
pub(crate) mod divide;
