//! Delimited files, written.

use std::io::{self, Write};
use std::path::Path;

use crate::error::{FileError, system_error};
use crate::place::Output;

/// Where rows go.
enum Target {
    File(csv::Writer<Output>, String),
    Standard(csv::Writer<io::Stdout>),
}

/// Writes rows as CSV with a header; the ending `.tsv` or `.tab` makes it tab-separated.
pub struct RowWriter(Target);

impl RowWriter {
    /// Begins a file; it takes its name when it is finished.
    ///
    /// # Errors
    /// If the folder cannot be written.
    pub fn create(path: &str) -> Result<Self, FileError> {
        let ending = Path::new(path).extension().and_then(|ending| ending.to_str()).unwrap_or_default();
        let delimiter = if matches!(ending, "tsv" | "tab") { b'\t' } else { b',' };
        let writer = csv::WriterBuilder::new().delimiter(delimiter).from_writer(Output::create(path)?);
        Ok(Self(Target::File(writer, path.into())))
    }

    /// Writes to standard output, as CSV.
    pub fn standard() -> Self {
        Self(Target::Standard(csv::Writer::from_writer(io::stdout())))
    }

    /// Writes one row.
    ///
    /// # Errors
    /// If the disk is full or the reader at the other end is gone.
    pub fn row<'a>(&mut self, cells: impl IntoIterator<Item = &'a str>) -> Result<(), FileError> {
        let (written, path) = match &mut self.0 {
            Target::File(writer, path) => (writer.write_record(cells), path.as_str()),
            Target::Standard(writer) => (writer.write_record(cells), "standard output"),
        };
        written.map_err(|error| FileError::io(path, system_error(error)))
    }

    /// Gives the file its name.
    ///
    /// # Errors
    /// If the disk is full.
    pub fn finish(self) -> Result<(), FileError> {
        match self.0 {
            Target::File(writer, path) => {
                let output = writer.into_inner().map_err(|error| FileError::io(path, error.into_error()))?;
                output.finish()
            }
            Target::Standard(mut writer) => writer
                .flush()
                .and_then(|()| io::stdout().flush())
                .map_err(|error| FileError::io("standard output", error)),
        }
    }
}
