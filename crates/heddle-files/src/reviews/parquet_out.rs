//! Parquet files, written.

use std::collections::HashSet;
use std::ops::Range;
use std::sync::Arc;

use parquet::basic::{Compression, LogicalType, Repetition, Type as Physical};
use parquet::column::writer::ColumnWriter;
use parquet::data_type::ByteArray;
use parquet::errors::ParquetError;
use parquet::file::properties::{EnabledStatistics, WriterProperties, WriterPropertiesBuilder};
use parquet::file::writer::SerializedFileWriter;
use parquet::schema::types::{ColumnPath, Type};

use super::column::{CellKind, Column};
use super::fields::is_exact;
use super::stored::{self, Stored};
use crate::error::FileError;
use crate::output::{Output, Written};

/// Rows are written in groups of about so many bytes: they are kept until then.
const GROUP: usize = 16 * 1024 * 1024;

/// Cells of a column that are looked at for whether they repeat each other.
const LOOKED_AT: usize = 2_000;

/// Where rows go: a file is begun with the first group, whose cells decide how columns are written.
enum Target<'o> {
    Output(Output<'o>),
    File(Box<SerializedFileWriter<Output<'o>>>),
    /// Something went wrong.
    Gone,
}

/// Writes rows to a Parquet file; every column may be null.
pub(crate) struct ParquetWriter<'o> {
    target: Target<'o>,
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

    /// Whether most of the first cells have stood there before.
    fn repeat(&self) -> bool {
        let looked_at = self.ends.len().min(LOOKED_AT);
        let different: HashSet<&str> = self.iter().take(looked_at).collect();
        2 * different.len() <= looked_at
    }

    fn iter(&self) -> impl Iterator<Item = &str> {
        // They were pushed as text.
        self.places().map(|place| std::str::from_utf8(&self.text[place]).unwrap_or_default())
    }
}

impl<'o> ParquetWriter<'o> {
    pub(crate) fn new(output: Output<'o>, path: &str, columns: &[Column]) -> Result<Self, FileError> {
        let cells = columns.iter().map(|_| Cells::default()).collect();
        schema(columns).map_err(|error| writing(path, error))?;
        Ok(Self {
            target: Target::Output(output),
            path: path.into(),
            columns: columns.to_vec(),
            cells,
            bytes: 0,
        })
    }

    /// The file, which is begun if it is not.
    fn file(&mut self) -> Result<&mut SerializedFileWriter<Output<'o>>, ParquetError> {
        let begun = match std::mem::replace(&mut self.target, Target::Gone) {
            Target::Output(output) => Box::new(SerializedFileWriter::new(
                output,
                Arc::new(schema(&self.columns)?),
                Arc::new(self.properties()),
            )?),
            Target::File(file) => file,
            Target::Gone => return Err(ParquetError::General("an earlier part could not be written".into())),
        };
        self.target = Target::File(begun);
        match &mut self.target {
            Target::File(file) => Ok(file),
            Target::Output(_) | Target::Gone => unreachable!("it was begun just now"),
        }
    }

    fn properties(&self) -> WriterProperties {
        let begun = WriterProperties::builder().set_compression(Compression::SNAPPY);
        let both = self.columns.iter().zip(&self.cells);
        let of_column = |properties: WriterPropertiesBuilder, (column, cells): (&Column, &Cells)| {
            let path = ColumnPath::new(vec![column.name.clone()]);
            // Each cell would be looked up, and none found.
            let properties = properties.set_column_dictionary_enabled(path.clone(), cells.repeat());
            match column.kind {
                // Nobody looks for a review by the first and the last of a page in the alphabet.
                CellKind::Text => properties.set_column_statistics_enabled(path, EnabledStatistics::None),
                _ => properties,
            }
        };
        both.fold(begun, of_column).build()
    }

    pub(crate) fn row<'a>(&mut self, cells: impl IntoIterator<Item = &'a str>) -> Result<(), FileError> {
        for (column, cell) in self.cells.iter_mut().zip(cells) {
            self.bytes += cell.len() + size_of::<usize>();
            column.push(cell);
        }
        if self.bytes < GROUP { Ok(()) } else { self.flush() }
    }

    fn flush(&mut self) -> Result<(), FileError> {
        let path = self.path.clone();
        let fail = |error: ParquetError| writing(&path, error);
        let (columns, mut cells) = (self.columns.clone(), std::mem::take(&mut self.cells));
        self.cells = columns.iter().map(|_| Cells::default()).collect();
        let mut group = self.file().map_err(fail)?.next_row_group().map_err(fail)?;
        let mut columns = columns.iter().zip(&mut cells);
        while let Some(mut column) = group.next_column().map_err(fail)? {
            let Some((own, cells)) = columns.next() else { break };
            if let Some(cell) = unfit(own, cells) {
                return Err(FileError::Unfit {
                    path,
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
        let path = self.path.clone();
        let fail = |error| writing(&path, error);
        self.file().map_err(fail)?;
        match self.target {
            Target::File(file) => file.into_inner().map_err(fail)?.finish(),
            Target::Output(_) | Target::Gone => unreachable!("it was begun just now"),
        }
    }
}

fn schema(columns: &[Column]) -> Result<Type, ParquetError> {
    stored::schema(columns.iter().map(field).collect::<Result<_, _>>()?)
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
