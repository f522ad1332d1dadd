//! Which rows stand where: seeded, stratified, and never one text on two sides.

pub(crate) mod draw;
pub(crate) mod folds;
pub(crate) mod group;
