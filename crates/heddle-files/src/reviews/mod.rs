//! How bytes become reviews, and reviews bytes.

#[cfg(feature = "arrow")]
pub(crate) mod arrow;
#[cfg(feature = "arrow")]
pub(crate) mod arrow_out;
pub(crate) mod bytes;
pub(crate) mod column;
pub(crate) mod csv;
pub(crate) mod dialect;
pub(crate) mod fields;
pub(crate) mod folder;
pub(crate) mod guard;
pub(crate) mod input;
pub(crate) mod json;
pub(crate) mod leaf;
pub(crate) mod limit;
pub(crate) mod lines;
mod live;
pub(crate) mod marks;
pub(crate) mod pages;
pub(crate) mod parquet;
pub(crate) mod parquet_out;
pub(crate) mod preamble;
pub(crate) mod rows;
pub(crate) mod sheet;
pub(crate) mod sheet_out;
pub(crate) mod source;
pub(crate) mod stored;
pub(crate) mod table;
pub(crate) mod write;
