//! Arrow streams, batch by batch.

use std::io::Read;

use arrow_array::cast::AsArray;
use arrow_array::types::{
    ArrowPrimitiveType, Date32Type, Decimal128Type, Float32Type, Float64Type, Int8Type, Int16Type, Int32Type,
    Int64Type, TimestampMicrosecondType, TimestampMillisecondType, TimestampNanosecondType,
    TimestampSecondType, UInt8Type, UInt16Type, UInt32Type, UInt64Type,
};
use arrow_array::{Array, ArrayRef, RecordBatch};
use arrow_buffer::Buffer;
use arrow_ipc::reader::StreamDecoder;
use arrow_schema::{ArrowError, DataType, SchemaRef, TimeUnit};
use csv::StringRecord;
use heddle_core::settings::Limits;

use super::column::{CellKind, Column};
use super::guard;
use super::leaf::{date, decimal, moment, time};
use super::limit::check_columns;
use super::rows::{FileFormat, Manner, Next, Refusal, Rows, checked};
use crate::error::FileError;

/// So much is read at a time.
const PIECE: usize = 256 * 1024;

/// An Arrow stream.
pub(crate) struct Arrow {
    source: Box<dyn Read>,
    decoder: StreamDecoder,
    /// What was read and not decoded.
    rest: Buffer,
    columns: Vec<Column>,
    /// By column: whether its cells are needed.
    needed: Vec<bool>,
    cells: Vec<Cells>,
    /// The rows in `cells`, and how many of them were given.
    batch: usize,
    given: usize,
    number: u64,
    text: String,
    manner: Manner,
}

/// The values of a column in a batch.
enum Cells {
    /// Each its own.
    Plain(ArrayRef),
    /// Places of words that are said once.
    Places(Vec<usize>, ArrayRef, ArrayRef),
}

impl Cells {
    fn new(array: &ArrayRef) -> Self {
        match array.as_any_dictionary_opt() {
            Some(own) => Self::Places(own.normalized_keys(), own.values().clone(), array.clone()),
            None => Self::Plain(array.clone()),
        }
    }

    /// Puts the cell of a row behind a text; a null is blank.
    fn put(&self, row: usize, text: &mut String) -> Result<(), &'static str> {
        match self {
            Self::Plain(array) => put(array, row, text),
            Self::Places(_, _, array) if array.is_null(row) => Ok(()),
            Self::Places(places, values, _) => put(values, places[row], text),
        }
    }
}

impl Arrow {
    /// Reads as far as the names of the columns.
    pub(crate) fn new(
        file: &str,
        source: Box<dyn Read>,
        packed: Option<&'static str>,
        limits: &Limits,
    ) -> Result<Self, FileError> {
        let manner = Manner { file: file.into(), format: FileFormat::Arrow, packed, ..Manner::default() };
        let mut own = Self {
            source,
            decoder: StreamDecoder::new(),
            rest: Buffer::from_vec(Vec::<u8>::new()),
            columns: Vec::new(),
            needed: Vec::new(),
            cells: Vec::new(),
            batch: 0,
            given: 0,
            number: 0,
            text: String::new(),
            manner,
        };
        let schema = own.schema()?;
        for field in schema.fields() {
            let Some(kind) = kind_of(field.data_type()) else {
                let message = format!(
                    "column `{}` holds {}, which is no text, number, date, moment, true or false; leave it out",
                    field.name(),
                    field.data_type()
                );
                return Err(own.broken(message));
            };
            own.columns.push(Column::new(field.name(), kind));
        }
        check_columns(file, &own.columns, limits)?;
        own.needed = vec![true; own.columns.len()];
        Ok(own)
    }

    fn broken(&self, message: impl Into<String>) -> FileError {
        FileError::NoArrow { path: self.manner.file.clone(), message: message.into() }
    }

    fn schema(&mut self) -> Result<SchemaRef, FileError> {
        loop {
            if let Some(schema) = self.decoder.schema() {
                return Ok(schema);
            }
            if self.rest.is_empty() && !self.read()? {
                return Err(self.broken("it ends before its columns are named; copy it again"));
            }
            // The piece that names the columns may hold a batch too.
            if let Some(batch) = self.decode()? {
                self.take(&batch);
            }
        }
    }

    /// Reads the next piece; `false` at the end.
    fn read(&mut self) -> Result<bool, FileError> {
        let mut piece = vec![0; PIECE];
        let read = loop {
            match self.source.read(&mut piece) {
                Err(error) if error.kind() == std::io::ErrorKind::Interrupted => {}
                other => break other,
            }
        };
        let fail = |error| FileError::reading(&self.manner.file, self.manner.packed, error);
        piece.truncate(read.map_err(fail)?);
        self.rest = Buffer::from_vec(piece);
        Ok(!self.rest.is_empty())
    }

    fn decode(&mut self) -> Result<Option<RecordBatch>, FileError> {
        let (decoder, rest) = (&mut self.decoder, &mut self.rest);
        let decoded = guard::guarded(|| decoder.decode(rest));
        let decoded = decoded.unwrap_or_else(|| Err(ArrowError::IpcError(guard::CONTRADICTS.into())));
        decoded.map_err(|error| self.broken(format!("{error}; write it again")))
    }

    fn take(&mut self, batch: &RecordBatch) {
        self.cells = batch.columns().iter().map(Cells::new).collect();
        (self.batch, self.given) = (batch.num_rows(), 0);
    }

    /// Decodes the next batch; `false` at the end of the stream.
    fn fill(&mut self) -> Result<bool, FileError> {
        loop {
            if self.rest.is_empty() && !self.read()? {
                let whole = guard::guarded(|| self.decoder.finish());
                return match whole {
                    Some(Ok(())) => Ok(false),
                    _ => Err(self.broken("it ends in the middle of a record batch; copy it again")),
                };
            }
            if let Some(batch) = self.decode()? {
                self.take(&batch);
                if self.batch > 0 {
                    return Ok(true);
                }
            }
        }
    }
}

impl Rows for Arrow {
    fn columns(&self) -> &[Column] {
        &self.columns
    }

    fn next(&mut self, record: &mut StringRecord) -> Result<Next, FileError> {
        if self.given == self.batch && !self.fill()? {
            return Ok(None);
        }
        let row = self.given;
        self.given += 1;
        self.number += 1;
        self.manner.rows += 1;
        record.clear();
        for (at, cells) in self.cells.iter().enumerate() {
            self.text.clear();
            if self.needed[at]
                && let Err(why) = cells.put(row, &mut self.text)
            {
                return Ok(Some(Err(Refusal {
                    file: self.manner.file.clone(),
                    line: self.number,
                    column: Some(self.columns[at].name.clone()),
                    expected: "a value that can be shown as text".into(),
                    found: why.into(),
                })));
            }
            record.push_field(&self.text);
        }
        Ok(checked(record, &self.columns, &self.manner.file, self.number))
    }

    fn manner(&self) -> Manner {
        self.manner.clone()
    }

    fn need(&mut self, places: &[usize]) {
        self.needed.iter_mut().for_each(|needed| *needed = false);
        places.iter().for_each(|&place| self.needed[place] = true);
    }
}

/// What the cells of a type are; nothing if it is not read.
fn kind_of(held: &DataType) -> Option<CellKind> {
    Some(match held {
        DataType::Utf8 | DataType::LargeUtf8 | DataType::Utf8View | DataType::Null => CellKind::Text,
        DataType::Date32 | DataType::Timestamp(..) => CellKind::Text,
        DataType::Int8 | DataType::Int16 | DataType::Int32 | DataType::Int64 => CellKind::Whole,
        DataType::UInt8 | DataType::UInt16 | DataType::UInt32 => CellKind::Whole,
        DataType::UInt64 | DataType::Decimal128(..) => CellKind::Digits,
        DataType::Float32 | DataType::Float64 => CellKind::Number,
        DataType::Boolean => CellKind::Flag,
        DataType::Dictionary(_, values) => match kind_of(values)? {
            _ if matches!(**values, DataType::Dictionary(..)) => return None,
            kind => kind,
        },
        _ => return None,
    })
}

fn put(array: &ArrayRef, row: usize, text: &mut String) -> Result<(), &'static str> {
    if array.is_null(row) {
        return Ok(());
    }
    fn value<T: ArrowPrimitiveType>(array: &ArrayRef, row: usize) -> T::Native {
        array.as_primitive::<T>().value(row)
    }
    fn show(text: &mut String, value: impl std::fmt::Display) -> Result<(), &'static str> {
        use std::fmt::Write;
        write!(text, "{value}").map_err(|_| "a value that cannot be written")
    }
    match array.data_type() {
        DataType::Utf8 => text.push_str(array.as_string::<i32>().value(row)),
        DataType::LargeUtf8 => text.push_str(array.as_string::<i64>().value(row)),
        DataType::Utf8View => text.push_str(array.as_string_view().value(row)),
        DataType::Int8 => show(text, value::<Int8Type>(array, row))?,
        DataType::Int16 => show(text, value::<Int16Type>(array, row))?,
        DataType::Int32 => show(text, value::<Int32Type>(array, row))?,
        DataType::Int64 => show(text, value::<Int64Type>(array, row))?,
        DataType::UInt8 => show(text, value::<UInt8Type>(array, row))?,
        DataType::UInt16 => show(text, value::<UInt16Type>(array, row))?,
        DataType::UInt32 => show(text, value::<UInt32Type>(array, row))?,
        DataType::UInt64 => show(text, value::<UInt64Type>(array, row))?,
        DataType::Float32 => show(text, value::<Float32Type>(array, row))?,
        DataType::Float64 => show(text, value::<Float64Type>(array, row))?,
        DataType::Boolean => show(text, array.as_boolean().value(row))?,
        DataType::Date32 => date(value::<Date32Type>(array, row).into(), text)?,
        DataType::Decimal128(_, scale) => {
            decimal(value::<Decimal128Type>(array, row), i32::from(*scale), text)?;
        }
        DataType::Timestamp(unit, zone) => {
            let (value, parts) = match unit {
                TimeUnit::Second => (value::<TimestampSecondType>(array, row), 1),
                TimeUnit::Millisecond => (value::<TimestampMillisecondType>(array, row), 1_000),
                TimeUnit::Microsecond => (value::<TimestampMicrosecondType>(array, row), 1_000_000),
                TimeUnit::Nanosecond => (value::<TimestampNanosecondType>(array, row), 1_000_000_000),
            };
            let value = i128::from(value);
            match zone {
                Some(_) => moment(value, parts, text)?,
                // A moment that nobody says the zone of is what a clock on the wall showed.
                None => {
                    date(value.div_euclid(parts * 86_400), text)?;
                    text.push(' ');
                    time(value.rem_euclid(parts * 86_400), parts, text)?;
                }
            }
        }
        _ => {} // a column of nulls
    }
    Ok(())
}
