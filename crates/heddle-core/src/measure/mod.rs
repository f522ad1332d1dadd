//! What a figure means, and how sure it is.

pub(crate) mod confusion;
pub(crate) mod curves;
pub(crate) mod figures;
pub(crate) mod interval;
pub(crate) mod odds;
pub(crate) mod ranking;
pub(crate) mod restate;
pub(crate) mod telling;
pub(crate) mod verdict;
