//! How good it is on reviews it has not seen.

pub(crate) mod audit;
pub(crate) mod compare;
pub(crate) mod cross;
pub(crate) mod divide;
pub(crate) mod growth;
pub(crate) mod rivals;
pub(crate) mod slices;
pub(crate) mod trial;
