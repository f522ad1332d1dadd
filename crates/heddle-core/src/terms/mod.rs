//! From tokens to a matrix of terms.

pub(crate) mod associate;
pub(crate) mod cleaned;
pub(crate) mod corpus;
pub(crate) mod count;
pub(crate) mod encode;
pub(crate) mod fields;
pub(crate) mod find;
pub(crate) mod intern;
pub(crate) mod letters;
pub(crate) mod names;
pub(crate) mod report;
pub(crate) mod rules;
pub(crate) mod select;
pub(crate) mod similar;
pub(crate) mod token_id;
pub(crate) mod vocabulary;
pub(crate) mod weigh;
