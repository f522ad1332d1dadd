//! How bytes become reviews, studies and models.
//!
//! [`Records`] reads a delimited file row by row, [`Table`] whole files; a row that cannot
//! be used is a [`Refusal`] with its place, never an end. Whatever is written goes beside
//! its place first and takes its name when it is whole ([`Output`]). [`LoadedStudy`] reads
//! settings strictly; [`read_model`] trusts nothing in a model file.

#![deny(missing_docs)]
#![forbid(unsafe_code)]

mod demo;
mod error;
mod model_file;
mod place;
mod reviews;
mod study_file;

/// The cells of one row.
pub use csv::StringRecord as Record;
pub use demo::unpack_demo;
pub use error::FileError;
pub use model_file::{from_bytes, read_model, to_bytes, write_model};
pub use place::{Output, new_folder, write};
pub use reviews::csv::{Records, Refusal};
pub use reviews::table::{Keep, Table, find_column};
pub use reviews::write::RowWriter;
pub use study_file::{LoadedStudy, Origin, commented, schema};
