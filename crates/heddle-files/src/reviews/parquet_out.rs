//! Parquet files, written.

use std::ops::Range;
use std::sync::Arc;

use parquet::basic::{Compression, LogicalType, Repetition, Type as Physical};
use parquet::column::writer::ColumnWriter;
use parquet::data_type::ByteArray;
use parquet::errors::ParquetError;
use parquet::file::properties::{EnabledStatistics, WriterProperties};
use parquet::file::writer::SerializedFileWriter;
use parquet::schema::types::{ColumnPath, Type};

use super::column::{CellKind, Column};
use super::fields::is_exact;
use super::stored::Stored;
use crate::error::FileError;
use crate::output::{Output, Written};

/// Rows are written in groups of about so many bytes: they are kept until then.
const GROUP: usize = 16 * 1024 * 1024;

/// Writes rows to a Parquet file; every column may be null.
pub(crate) struct ParquetWriter<'o> {
    writer: SerializedFileWriter<Output<'o>>,
    path: String,
    columns: Vec<Column>,
    cells: Vec<Cells>,
    bytes: usize,
}

/// The cells of a column, one behind the other: a column of a row group is two allocations, however many rows it has.
#[derive(Default)]
struct Cells {
    text: Vec<u8>,
    ends: Vec<usize>,
}

impl Cells {
    fn push(&mut self, cell: &str) {
        self.text.extend_from_slice(cell.as_bytes());
        self.ends.push(self.text.len());
    }

    /// Where each cell stands.
    fn places(&self) -> impl Iterator<Item = Range<usize>> {
        let begins = std::iter::once(0).chain(self.ends.iter().copied());
        begins.zip(&self.ends).map(|(start, end)| start..*end)
    }

    fn iter(&self) -> impl Iterator<Item = &str> {
        // They were pushed as text.
        self.places().map(|place| std::str::from_utf8(&self.text[place]).unwrap_or_default())
    }
}

impl<'o> ParquetWriter<'o> {
    pub(crate) fn new(output: Output<'o>, path: &str, columns: &[Column]) -> Result<Self, FileError> {
        let fail = |error: ParquetError| writing(path, error);
        let fields = columns.iter().map(|column| field(column).map(Arc::new));
        let fields = fields.collect::<Result<Vec<_>, _>>().map_err(fail)?;
        let schema = Type::group_type_builder("reviews").with_fields(fields).build().map_err(fail)?;
        // Nobody looks for a review by the first and the last of a page in the alphabet.
        let properties = columns.iter().filter(|column| column.kind == CellKind::Text).fold(
            WriterProperties::builder().set_compression(Compression::SNAPPY),
            |properties, column| {
                let path = ColumnPath::new(vec![column.name.clone()]);
                properties.set_column_statistics_enabled(path, EnabledStatistics::None)
            },
        );
        let properties = properties.build();
        let writer =
            SerializedFileWriter::new(output, Arc::new(schema), Arc::new(properties)).map_err(fail)?;
        let cells = columns.iter().map(|_| Cells::default()).collect();
        Ok(Self { writer, path: path.into(), columns: columns.to_vec(), cells, bytes: 0 })
    }

    pub(crate) fn row<'a>(&mut self, cells: impl IntoIterator<Item = &'a str>) -> Result<(), FileError> {
        for (column, cell) in self.cells.iter_mut().zip(cells) {
            self.bytes += cell.len() + size_of::<usize>();
            column.push(cell);
        }
        if self.bytes < GROUP { Ok(()) } else { self.flush() }
    }

    fn flush(&mut self) -> Result<(), FileError> {
        let fail = |error: ParquetError| writing(&self.path, error);
        let mut group = self.writer.next_row_group().map_err(fail)?;
        let mut columns = self.columns.iter().zip(&mut self.cells);
        while let Some(mut column) = group.next_column().map_err(fail)? {
            let Some((own, cells)) = columns.next() else { break };
            if let Some(cell) = unfit(own, cells) {
                return Err(FileError::Unfit {
                    path: self.path.clone(),
                    column: own.name.clone(),
                    cell: cell.chars().take(40).collect(),
                    expected: if own.stored == Stored::Usual { own.kind.words() } else { own.stored.words() },
                });
            }
            put(column.untyped(), own, std::mem::take(cells)).map_err(fail)?;
            column.close().map_err(fail)?;
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
    if let Some(field) = column.stored.field(&column.name) {
        return field;
    }
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

/// The first cell that a column does not hold to its last digit.
fn unfit<'c>(column: &Column, cells: &'c Cells) -> Option<&'c str> {
    let Column { kind, stored, .. } = column;
    let fits = |cell: &&str| match stored {
        _ if cell.is_empty() => true,
        Stored::Usual => holds(*kind, cell),
        Stored::Single => cell.parse::<f32>().is_ok(),
        other => other.number(cell).is_some(),
    };
    let any = *stored == Stored::Usual && matches!(kind, CellKind::Text | CellKind::Json | CellKind::Digits);
    cells.iter().filter(|_| !any).find(|cell| !fits(cell))
}

/// Whether a column of this kind holds a cell to its last digit.
pub(crate) fn holds(kind: CellKind, cell: &str) -> bool {
    match kind {
        _ if cell.is_empty() => true,
        CellKind::Text | CellKind::Json | CellKind::Digits => true,
        CellKind::Whole => cell.parse::<i64>().is_ok(),
        CellKind::Number => is_exact(cell) || matches!(cell, "NaN" | "inf" | "-inf"),
        CellKind::Flag => cell.parse::<bool>().is_ok(),
    }
}

/// Writes the cells of a column; one that is blank is null.
fn put(writer: &mut ColumnWriter<'_>, column: &Column, cells: Cells) -> Result<(), ParquetError> {
    let Column { kind, stored, .. } = column;
    fn given<T>(values: impl Iterator<Item = Option<T>>) -> (Vec<T>, Vec<i16>) {
        let (mut there, mut levels) = (Vec::new(), Vec::new());
        for value in values {
            levels.push(i16::from(value.is_some()));
            there.extend(value);
        }
        (there, levels)
    }
    match writer {
        ColumnWriter::Int64ColumnWriter(writer) => {
            let value = |cell: &str| match stored {
                Stored::Usual => cell.parse::<i64>().ok(),
                other => other.number(cell),
            };
            let (values, levels) = given(cells.iter().map(value));
            writer.write_batch(&values, Some(&levels), None)?;
        }
        ColumnWriter::Int32ColumnWriter(writer) => {
            // Unsigned ones of 32 bits are held as the same bits.
            let (values, levels) =
                given(cells.iter().map(|cell| stored.number(cell).map(|value| value as i32)));
            writer.write_batch(&values, Some(&levels), None)?;
        }
        ColumnWriter::FloatColumnWriter(writer) => {
            let (values, levels) = given(cells.iter().map(|cell| cell.parse::<f32>().ok()));
            writer.write_batch(&values, Some(&levels), None)?;
        }
        ColumnWriter::DoubleColumnWriter(writer) => {
            let (values, levels) = given(cells.iter().map(|cell| cell.parse::<f64>().ok()));
            writer.write_batch(&values, Some(&levels), None)?;
        }
        ColumnWriter::BoolColumnWriter(writer) => {
            let (values, levels) = given(cells.iter().map(|cell| cell.parse::<bool>().ok()));
            writer.write_batch(&values, Some(&levels), None)?;
        }
        ColumnWriter::ByteArrayColumnWriter(writer) => {
            let places: Vec<Range<usize>> = cells.places().collect();
            // Values are parts of the one text.
            let text = bytes::Bytes::from(cells.text);
            let value = |place: Range<usize>| ByteArray::from(text.slice(place));
            let (values, levels) =
                given(places.into_iter().map(|place| (!place.is_empty()).then(|| value(place))));
            writer.write_batch(&values, Some(&levels), None)?;
        }
        _ => unreachable!("a column of {kind:?} has one of the types above"),
    }
    Ok(())
}
