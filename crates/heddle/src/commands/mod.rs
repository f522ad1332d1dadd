//! One file for each command.

pub mod assess;
pub mod balance;
pub mod clusters;
pub mod compare;
pub mod demo;
pub mod doubts;
pub mod drivers;
pub mod effects;
pub mod explain;
pub mod inspect;
pub mod label;
pub mod ledger;
pub mod probe;
pub mod report;
pub mod run;
pub mod sample;
pub mod score;
pub mod shell;
pub mod split;
pub mod study;
pub mod survey;
pub mod terms;
pub mod tokens;
pub mod train;
pub mod tune;
pub mod validate;
