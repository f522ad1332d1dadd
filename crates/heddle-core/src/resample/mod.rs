//! Which rows stand where: seeded, stratified, and never one text on two sides.

pub(crate) mod balance;
pub(crate) mod folds;
pub(crate) mod near_duplicates;
pub(crate) mod random;
pub(crate) mod side;
