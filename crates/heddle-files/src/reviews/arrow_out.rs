//! Arrow streams, written.

use std::io::Write;
use std::sync::Arc;

use arrow_array::builder::{ArrayBuilder, BooleanBuilder, Float64Builder, Int64Builder, StringBuilder};
use arrow_array::{ArrayRef, RecordBatch};
use arrow_ipc::writer::StreamWriter;
use arrow_schema::{ArrowError, DataType, Field, Schema, SchemaRef};

use super::column::{CellKind, Column};
use super::parquet_out::holds;
use crate::error::FileError;
use crate::output::{Output, Written};

/// Rows of a batch, unless the input pauses before.
const BATCH: usize = 4096;

/// Writes rows as an Arrow stream; every column may be null.
pub(crate) struct ArrowWriter<'o> {
    writer: StreamWriter<Output<'o>>,
    schema: SchemaRef,
    path: String,
    columns: Vec<Column>,
    cells: Vec<Cells>,
    rows: usize,
}

/// The cells of a column.
enum Cells {
    Text(StringBuilder),
    Whole(Int64Builder),
    Number(Float64Builder),
    Flag(BooleanBuilder),
}

impl Cells {
    fn new(kind: CellKind) -> Self {
        match kind {
            CellKind::Text | CellKind::Json | CellKind::Digits => Self::Text(StringBuilder::new()),
            CellKind::Whole => Self::Whole(Int64Builder::new()),
            CellKind::Number => Self::Number(Float64Builder::new()),
            CellKind::Flag => Self::Flag(BooleanBuilder::new()),
        }
    }

    /// Takes a cell that its kind holds; one that is blank is null.
    fn push(&mut self, cell: &str) {
        match self {
            Self::Text(own) if cell.is_empty() => own.append_null(),
            Self::Text(own) => own.append_value(cell),
            Self::Whole(own) => own.append_option(cell.parse().ok()),
            Self::Number(own) => own.append_option(cell.parse().ok()),
            Self::Flag(own) => own.append_option(cell.parse().ok()),
        }
    }

    fn finish(&mut self) -> ArrayRef {
        match self {
            Self::Text(own) => ArrayBuilder::finish(own),
            Self::Whole(own) => ArrayBuilder::finish(own),
            Self::Number(own) => ArrayBuilder::finish(own),
            Self::Flag(own) => ArrayBuilder::finish(own),
        }
    }
}

impl<'o> ArrowWriter<'o> {
    pub(crate) fn new(output: Output<'o>, path: &str, columns: &[Column]) -> Result<Self, FileError> {
        let field = |column: &Column| {
            let held = match column.kind {
                CellKind::Text | CellKind::Json | CellKind::Digits => DataType::Utf8,
                CellKind::Whole => DataType::Int64,
                CellKind::Number => DataType::Float64,
                CellKind::Flag => DataType::Boolean,
            };
            Field::new(&column.name, held, true)
        };
        let schema = Arc::new(Schema::new(columns.iter().map(field).collect::<Vec<_>>()));
        let writer = StreamWriter::try_new(output, &schema).map_err(|error| writing(path, error))?;
        let cells = columns.iter().map(|column| Cells::new(column.kind)).collect();
        Ok(Self { writer, schema, path: path.into(), columns: columns.to_vec(), cells, rows: 0 })
    }

    pub(crate) fn row<'a>(&mut self, cells: impl IntoIterator<Item = &'a str>) -> Result<(), FileError> {
        for ((column, own), cell) in self.columns.iter().zip(&mut self.cells).zip(cells) {
            if !holds(column.kind, cell) {
                return Err(FileError::Unfit {
                    path: self.path.clone(),
                    column: column.name.clone(),
                    cell: cell.chars().take(40).collect(),
                    expected: column.kind.words(),
                });
            }
            own.push(cell);
        }
        self.rows += 1;
        if self.rows < BATCH { Ok(()) } else { self.batch() }
    }

    fn batch(&mut self) -> Result<(), FileError> {
        if std::mem::take(&mut self.rows) == 0 {
            return Ok(());
        }
        let arrays = self.cells.iter_mut().map(Cells::finish).collect();
        let batch = RecordBatch::try_new(Arc::clone(&self.schema), arrays);
        batch.and_then(|batch| self.writer.write(&batch)).map_err(|error| writing(&self.path, error))
    }

    /// Passes on the rows so far, as a batch of their own.
    pub(crate) fn flush(&mut self) -> Result<(), FileError> {
        self.batch()?;
        self.writer.get_mut().flush().map_err(|error| FileError::io(&self.path, error))
    }

    pub(crate) fn finish(mut self) -> Result<Written, FileError> {
        self.batch()?;
        let Self { writer, path, .. } = self;
        writer.into_inner().map_err(|error| writing(&path, error))?.finish()
    }
}

fn writing(path: &str, error: ArrowError) -> FileError {
    match error {
        ArrowError::IoError(_, error) => FileError::io(path, error),
        other => FileError::io(path, std::io::Error::other(other)),
    }
}
