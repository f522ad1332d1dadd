//! How bytes become reviews, and reviews bytes.

pub(crate) mod csv;
pub(crate) mod table;
pub(crate) mod write;
