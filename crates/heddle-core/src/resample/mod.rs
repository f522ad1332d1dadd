//! Which rows stand where: seeded, stratified, and never one text on two sides.

pub(crate) mod balance;
pub(crate) mod draw;
pub(crate) mod folds;
pub(crate) mod kin;
pub(crate) mod side;
