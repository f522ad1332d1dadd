//! Parquet files, row by row.

use std::fs::File;

use csv::StringRecord;
use parquet::basic::{LogicalType, Type as Physical};
use parquet::file::reader::{FileReader, SerializedFileReader};
use parquet::record::reader::RowIter;
use parquet::record::{Field, Row};
use parquet::schema::types::Type;

use super::column::{CellKind, Column};
use super::rows::{Manner, Next, Refusal, Rows, checked};
use crate::error::FileError;

/// A Parquet file. Groups become dotted names, lists stay as text.
pub(crate) struct Parquet {
    columns: Vec<Column>,
    rows: RowIter<'static>,
    number: u64,
    cells: Vec<String>,
    manner: Manner,
}

impl Parquet {
    pub(crate) fn new(file: &str, source: File) -> Result<Self, FileError> {
        let fail = |error: parquet::errors::ParquetError| broken(file, &error);
        let reader = SerializedFileReader::new(source).map_err(fail)?;
        let mut columns = Vec::new();
        for field in reader.metadata().file_metadata().schema().get_fields() {
            describe(field, "", &mut columns);
        }
        let rows = RowIter::from_file_into(Box::new(reader));
        let manner = Manner { file: file.into(), format: "Parquet", ..Manner::default() };
        Ok(Self { columns, rows, number: 0, cells: Vec::new(), manner })
    }
}

fn broken(file: &str, error: &parquet::errors::ParquetError) -> FileError {
    FileError::NoParquet { path: file.into(), message: error.to_string() }
}

/// Adds the columns of a field: of a plain group those of its fields, else one.
fn describe(field: &Type, prefix: &str, columns: &mut Vec<Column>) {
    let name = if prefix.is_empty() { field.name().into() } else { format!("{prefix}.{}", field.name()) };
    if is_plain_group(field) {
        field.get_fields().iter().for_each(|inner| describe(inner, &name, columns));
        return;
    }
    let info = field.get_basic_info();
    let dated = matches!(
        info.logical_type_ref(),
        Some(
            LogicalType::Date
                | LogicalType::Time { .. }
                | LogicalType::Timestamp { .. }
                | LogicalType::Decimal { .. }
        )
    ) || !matches!(info.converted_type(), parquet::basic::ConvertedType::NONE);
    let kind = match field {
        Type::GroupType { .. } => CellKind::Text,
        Type::PrimitiveType { physical_type, .. } => match physical_type {
            Physical::BOOLEAN => CellKind::Flag,
            Physical::INT32 | Physical::INT64 if !dated || is_integer(info) => CellKind::Whole,
            Physical::FLOAT | Physical::DOUBLE => CellKind::Number,
            _ => CellKind::Text,
        },
    };
    columns.push(Column { name, kind });
}

fn is_integer(info: &parquet::schema::types::BasicTypeInfo) -> bool {
    use parquet::basic::ConvertedType::{INT_8, INT_16, INT_32, INT_64, UINT_8, UINT_16, UINT_32};
    matches!(info.logical_type_ref(), Some(LogicalType::Integer { .. }))
        || matches!(info.converted_type(), INT_8 | INT_16 | INT_32 | INT_64 | UINT_8 | UINT_16 | UINT_32)
}

/// A group that is neither a list nor a map.
fn is_plain_group(field: &Type) -> bool {
    let info = field.get_basic_info();
    field.is_group()
        && info.logical_type_ref().is_none()
        && info.converted_type() == parquet::basic::ConvertedType::NONE
        && !(info.has_repetition() && info.repetition() == parquet::basic::Repetition::REPEATED)
}

/// Adds the cells of a row in the order of the columns; gives the place of a cell that is
/// no text.
fn put_cells(row: Row, columns: &[Column], prefix: &str, cells: &mut Vec<String>) -> Option<usize> {
    let mut wrong = None;
    for (name, field) in row.into_columns() {
        let name = if prefix.is_empty() { name } else { format!("{prefix}.{name}") };
        let plain = columns.get(cells.len()).is_some_and(|column| column.name == name);
        match field {
            Field::Group(inner) if !plain => wrong = wrong.or(put_cells(inner, columns, &name, cells)),
            Field::Null if !plain => {
                // A group that is missing altogether: all its columns are blank.
                let inside = format!("{name}.");
                while columns.get(cells.len()).is_some_and(|column| column.name.starts_with(&inside)) {
                    cells.push(String::new());
                }
            }
            field => {
                let cell = cell_of(field);
                wrong = wrong.or(if cell.is_none() { Some(cells.len()) } else { None });
                cells.push(cell.unwrap_or_default());
            }
        }
    }
    wrong
}

/// A value as a cell; nothing if it is bytes that are no text.
fn cell_of(field: Field) -> Option<String> {
    Some(match field {
        Field::Null => String::new(),
        Field::Str(text) => text,
        Field::Bytes(bytes) => std::str::from_utf8(bytes.data()).ok()?.to_string(),
        // The shortest form that gives the same number again.
        Field::Float(number) => number.to_string(),
        Field::Double(number) => number.to_string(),
        other => other.to_string(),
    })
}

impl Rows for Parquet {
    fn columns(&self) -> &[Column] {
        &self.columns
    }

    fn next(&mut self, record: &mut StringRecord) -> Result<Next, FileError> {
        let Some(row) = self.rows.next() else { return Ok(None) };
        let row = row.map_err(|error| broken(&self.manner.file, &error))?;
        self.number += 1;
        self.manner.rows += 1;
        self.cells.clear();
        let wrong = put_cells(row, &self.columns, "", &mut self.cells);
        if let Some(at) = wrong {
            return Ok(Some(Err(Refusal {
                file: self.manner.file.clone(),
                line: self.number,
                column: self.columns.get(at).map(|column| column.name.clone()),
                expected: "text in UTF-8".into(),
                found: "bytes that are none".into(),
            })));
        }
        record.clear();
        self.cells.iter().for_each(|cell| record.push_field(cell));
        Ok(checked(record, &self.columns, &self.manner.file, self.number))
    }

    fn manner(&self) -> Manner {
        self.manner.clone()
    }
}
