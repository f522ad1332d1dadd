//! What a figure means, and how sure it is.

pub(crate) mod confusion;
pub(crate) mod curves;
pub(crate) mod figures;
pub(crate) mod interval;
pub(crate) mod log_odds_ratio;
pub(crate) mod odds;
pub(crate) mod prevalence;
pub(crate) mod ranking;
pub(crate) mod verdict;
