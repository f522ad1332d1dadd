//! How bytes become reviews, studies and models.
//!
//! An [`Input`] names review files of any format; [`Reviews`] are their rows, one after the
//! other, and a [`Table`] holds them in memory. A row that cannot be used is a [`Refusal`]
//! with its place, never an end. Whatever is written goes through [`Outputs`]: no output over an
//! input, and no name before all is whole; what a file of rows is stands in an [`About`]
//! beside it. [`LoadedStudy`] reads settings strictly; [`read_model`] trusts nothing in a
//! model file.

#![deny(missing_docs)]
#![forbid(unsafe_code)]

mod about;
mod advice;
mod checkpoint;
mod demo;
mod digest;
mod discreet;
mod error;
mod framed;
mod ledger;
mod model_check;
mod model_file;
mod output;
mod pieces;
mod reviews;
mod role;
mod rounds;
mod settings;
mod shown;
mod sketches;
mod study_file;
mod vectors;

pub use about::{About, Holds, Opening, Origins, holdouts_in};
pub use checkpoint::{CheckpointHead, is_checkpoint, read_checkpoint, write_checkpoint};
/// The cells of one row.
pub use csv::StringRecord as Record;
pub use demo::unpack_demo;
pub use digest::{digest, digest_of};
pub use discreet::discreet;
pub use error::FileError;
pub use ledger::{Entry, Ledger, note};
pub use model_file::{from_bytes, is_model, read_model, read_model_and_bytes, to_bytes, write_model};
pub use output::{
    MARK, Noted, Output, Outputs, STREAM, StagedFolder, Written, abandon, append, folder_of, is_standard,
    read_noted, update,
};
pub use reviews::column::{CellKind, Column};
pub use reviews::guard::is_guarded;
pub use reviews::input::{Input, Reviews};
pub use reviews::rows::{FileFormat, Manner, Refusal, Span, Wanted};
pub use reviews::stored::Stored;
pub use reviews::table::{Keep, Table, find_column};
pub use reviews::write::RowWriter;
pub use role::{Role, is_ledger};
pub use rounds::{
    PlaceRows, RoundFile, RoundHead, RowsReader, RowsWriter, answer_bytes, ask_bytes, pulls_bytes,
    read_answer, read_ask, read_pulls, read_state, state_bytes,
};
pub use settings::{commented, schema, settings_page};
pub use shown::{escape, is_odd, visible};
pub use sketches::SketchFile;
pub use study_file::{LoadedStudy, Origin, ReadList};
pub use vectors::{ReadVectors, read_vectors};
