//! Parquet files, written.

use std::sync::Arc;

use parquet::basic::{Compression, LogicalType, Repetition, Type as Physical};
use parquet::column::writer::ColumnWriter;
use parquet::data_type::ByteArray;
use parquet::errors::ParquetError;
use parquet::file::properties::WriterProperties;
use parquet::file::writer::SerializedFileWriter;
use parquet::schema::types::Type;

use super::column::{CellKind, Column};
use super::fields::is_exact;
use crate::error::FileError;
use crate::output::{Output, Written};

/// Rows are written in groups of about so many bytes: they are kept until then.
const GROUP: usize = 16 * 1024 * 1024;

/// Writes rows to a Parquet file; every column may be null.
pub(crate) struct ParquetWriter<'o> {
    writer: SerializedFileWriter<Output<'o>>,
    path: String,
    columns: Vec<Column>,
    cells: Vec<Vec<String>>,
    bytes: usize,
}

impl<'o> ParquetWriter<'o> {
    pub(crate) fn new(output: Output<'o>, path: &str, columns: &[Column]) -> Result<Self, FileError> {
        let fail = |error: ParquetError| writing(path, error);
        let fields = columns.iter().map(|column| field(column).map(Arc::new));
        let fields = fields.collect::<Result<Vec<_>, _>>().map_err(fail)?;
        let schema = Type::group_type_builder("reviews").with_fields(fields).build().map_err(fail)?;
        let properties = WriterProperties::builder().set_compression(Compression::SNAPPY).build();
        let writer =
            SerializedFileWriter::new(output, Arc::new(schema), Arc::new(properties)).map_err(fail)?;
        let cells = vec![Vec::new(); columns.len()];
        Ok(Self { writer, path: path.into(), columns: columns.to_vec(), cells, bytes: 0 })
    }

    pub(crate) fn row<'a>(&mut self, cells: impl IntoIterator<Item = &'a str>) -> Result<(), FileError> {
        for (column, cell) in self.cells.iter_mut().zip(cells) {
            self.bytes += cell.len() + size_of::<String>();
            column.push(cell.into());
        }
        if self.bytes < GROUP { Ok(()) } else { self.flush() }
    }

    fn flush(&mut self) -> Result<(), FileError> {
        let fail = |error: ParquetError| writing(&self.path, error);
        let mut group = self.writer.next_row_group().map_err(fail)?;
        let mut columns = self.columns.iter().zip(&mut self.cells);
        while let Some(mut column) = group.next_column().map_err(fail)? {
            let Some((Column { name, kind }, cells)) = columns.next() else { break };
            if let Some(cell) = cells.iter().find(|cell| !holds(*kind, cell)) {
                return Err(FileError::Unfit {
                    path: self.path.clone(),
                    column: name.clone(),
                    cell: cell.chars().take(40).collect(),
                    expected: kind.words(),
                });
            }
            put(column.untyped(), *kind, cells).map_err(fail)?;
            column.close().map_err(fail)?;
            cells.clear();
        }
        group.close().map_err(fail)?;
        self.bytes = 0;
        Ok(())
    }

    pub(crate) fn finish(mut self) -> Result<Written, FileError> {
        if self.bytes > 0 {
            self.flush()?;
        }
        let Self { writer, path, .. } = self;
        let output = writer.into_inner().map_err(|error| writing(&path, error))?;
        output.finish()
    }
}

fn writing(path: &str, error: ParquetError) -> FileError {
    FileError::io(path, std::io::Error::other(error))
}

fn field(column: &Column) -> Result<Type, ParquetError> {
    let (physical, logical) = match column.kind {
        CellKind::Text | CellKind::Json | CellKind::Digits => {
            (Physical::BYTE_ARRAY, Some(LogicalType::String))
        }
        CellKind::Whole => (Physical::INT64, None),
        CellKind::Number => (Physical::DOUBLE, None),
        CellKind::Flag => (Physical::BOOLEAN, None),
    };
    Type::primitive_type_builder(&column.name, physical)
        .with_logical_type(logical)
        .with_repetition(Repetition::OPTIONAL)
        .build()
}

/// Whether a column of this kind holds a cell to its last digit.
fn holds(kind: CellKind, cell: &str) -> bool {
    match kind {
        _ if cell.is_empty() => true,
        CellKind::Text | CellKind::Json | CellKind::Digits => true,
        CellKind::Whole => cell.parse::<i64>().is_ok(),
        CellKind::Number => is_exact(cell) || matches!(cell, "NaN" | "inf" | "-inf"),
        CellKind::Flag => cell.parse::<bool>().is_ok(),
    }
}

/// Writes the cells of a column; one that is blank is null.
fn put(writer: &mut ColumnWriter<'_>, kind: CellKind, cells: &[String]) -> Result<(), ParquetError> {
    fn given<T>(cells: &[String], read: impl Fn(&str) -> Option<T>) -> (Vec<T>, Vec<i16>) {
        let values: Vec<Option<T>> = cells.iter().map(|cell| read(cell)).collect();
        let levels = values.iter().map(|value| i16::from(value.is_some())).collect();
        (values.into_iter().flatten().collect(), levels)
    }
    match writer {
        ColumnWriter::Int64ColumnWriter(writer) => {
            let (values, levels) = given(cells, |cell| cell.parse::<i64>().ok());
            writer.write_batch(&values, Some(&levels), None)?;
        }
        ColumnWriter::DoubleColumnWriter(writer) => {
            let (values, levels) = given(cells, |cell| cell.parse::<f64>().ok());
            writer.write_batch(&values, Some(&levels), None)?;
        }
        ColumnWriter::BoolColumnWriter(writer) => {
            let (values, levels) = given(cells, |cell| cell.parse::<bool>().ok());
            writer.write_batch(&values, Some(&levels), None)?;
        }
        ColumnWriter::ByteArrayColumnWriter(writer) => {
            let (values, levels) =
                given(cells, |cell| (!cell.is_empty()).then(|| ByteArray::from(cell.as_bytes().to_vec())));
            writer.write_batch(&values, Some(&levels), None)?;
        }
        _ => unreachable!("a column of {kind:?} has one of the four types above"),
    }
    Ok(())
}
