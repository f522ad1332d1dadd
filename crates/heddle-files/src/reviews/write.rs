//! Rows, written in the format that the ending of a file names.

use std::io::{self, BufWriter, Write};

use flate2::Compression;
use flate2::write::GzEncoder;
use serde_json::Value;

use super::column::{CellKind, Column};
use super::parquet_out::ParquetWriter;
use crate::error::{FileError, system_error};
use crate::place::{Output, Written};

const BUFFER: usize = 512 * 1024;

/// Where bytes go, packed or not.
pub(crate) enum Sink {
    Plain(Output),
    Gzip(GzEncoder<Output>),
    Zstd(zstd::Encoder<'static, Output>),
    Standard(io::Stdout),
}

impl Sink {
    fn create(path: &str, packing: Option<&str>) -> Result<Self, FileError> {
        let output = Output::create(path)?;
        Ok(match packing {
            Some("gz") => Self::Gzip(GzEncoder::new(output, Compression::default())),
            Some(_) => Self::Zstd(zstd::Encoder::new(output, 3).map_err(|error| FileError::io(path, error))?),
            None => Self::Plain(output),
        })
    }

    fn finish(self, path: &str) -> Result<Written, FileError> {
        let fail = |error| FileError::io(path, error);
        match self {
            Self::Plain(output) => output.finish(),
            Self::Gzip(encoder) => encoder.finish().map_err(fail)?.finish(),
            Self::Zstd(encoder) => encoder.finish().map_err(fail)?.finish(),
            Self::Standard(mut out) => out.flush().map(|()| Written::default()).map_err(fail),
        }
    }

    fn writer(&mut self) -> &mut dyn Write {
        match self {
            Self::Plain(output) => output,
            Self::Gzip(encoder) => encoder,
            Self::Zstd(encoder) => encoder,
            Self::Standard(out) => out,
        }
    }
}

impl Write for Sink {
    fn write(&mut self, bytes: &[u8]) -> io::Result<usize> {
        self.writer().write(bytes)
    }

    fn flush(&mut self) -> io::Result<()> {
        self.writer().flush()
    }
}

/// The format of what is written.
enum Target {
    Delimited(Box<csv::Writer<Sink>>),
    /// JSON objects, one a line or in an array.
    Json {
        sink: Box<BufWriter<Sink>>,
        array: bool,
        nested: bool,
        rows: usize,
    },
    Parquet(Box<ParquetWriter>),
}

/// Writes rows under named columns. The ending of the file names the format: `.csv` (as
/// any unknown ending), `.tsv` or `.tab`, `.jsonl` or `.ndjson`, `.json`, `.parquet`; all
/// but the last may be packed, with `.gz` or `.zst` behind it. In JSON and Parquet a blank
/// cell is null, and dotted columns become objects inside objects in JSON.
pub struct RowWriter {
    target: Target,
    path: String,
    columns: Vec<Column>,
}

impl RowWriter {
    /// Begins a file; it takes its name when it is finished.
    ///
    /// # Errors
    /// If the folder cannot be written.
    pub fn create(path: &str, columns: &[Column]) -> Result<Self, FileError> {
        let (stem, packing) = match path.rsplit_once('.') {
            Some((stem, packing @ ("gz" | "zst"))) => (stem, Some(packing)),
            _ => (path, None),
        };
        let ending = stem.rsplit_once('.').map_or("", |(_, ending)| ending);
        if matches!(ending, "parquet" | "pq") {
            if packing.is_some() {
                let remedy = "Parquet is packed inside: name a file that ends in .parquet".into();
                return Err(FileError::Ending { path: path.into(), remedy });
            }
            let target = Target::Parquet(Box::new(ParquetWriter::create(path, columns)?));
            return Ok(Self { target, path: path.into(), columns: columns.to_vec() });
        }
        let sink = Sink::create(path, packing)?;
        Self::begin(sink, path, ending, columns)
    }

    /// Writes to standard output, as CSV.
    ///
    /// # Errors
    /// If the reader at the other end is gone.
    pub fn standard(columns: &[Column]) -> Result<Self, FileError> {
        Self::begin(Sink::Standard(io::stdout()), "standard output", "csv", columns)
    }

    fn begin(sink: Sink, path: &str, ending: &str, columns: &[Column]) -> Result<Self, FileError> {
        let target = match ending {
            "jsonl" | "ndjson" | "json" => Target::Json {
                sink: Box::new(BufWriter::new(sink)),
                array: ending == "json",
                nested: can_nest(columns),
                rows: 0,
            },
            _ => {
                let delimiter = if matches!(ending, "tsv" | "tab") { b'\t' } else { b',' };
                // For each buffer that it fills the writer looks through the whole rest of a
                // field for quotes: small ones make it slow on texts of megabytes.
                let mut builder = csv::WriterBuilder::new();
                let mut writer = builder.delimiter(delimiter).buffer_capacity(BUFFER).from_writer(sink);
                let header = writer.write_record(columns.iter().map(|column| &column.name));
                header.map_err(|error| FileError::io(path, system_error(error)))?;
                Target::Delimited(Box::new(writer))
            }
        };
        Ok(Self { target, path: path.into(), columns: columns.to_vec() })
    }

    /// Writes one row, a cell for each column.
    ///
    /// # Errors
    /// If the disk is full or the reader at the other end is gone.
    pub fn row<'a>(&mut self, cells: impl IntoIterator<Item = &'a str>) -> Result<(), FileError> {
        let columns = &self.columns;
        let written = match &mut self.target {
            Target::Delimited(writer) => writer.write_record(cells).map_err(system_error),
            Target::Json { sink, array, nested, rows } => {
                let begins: &[u8] = match (*array, *rows) {
                    (false, _) => b"",
                    (true, 0) => b"[\n",
                    (true, _) => b",\n",
                };
                *rows += 1;
                let object = object_of(columns, cells, *nested);
                sink.write_all(begins)
                    .and_then(|()| serde_json::to_writer(&mut **sink, &object).map_err(io::Error::from))
                    .and_then(|()| if *array { Ok(()) } else { sink.write_all(b"\n") })
            }
            Target::Parquet(writer) => return writer.row(cells),
        };
        written.map_err(|error| FileError::io(&self.path, error))
    }

    /// Gives the file its name.
    ///
    /// # Errors
    /// If the disk is full.
    pub fn finish(self) -> Result<Written, FileError> {
        let path = &self.path;
        match self.target {
            Target::Delimited(writer) => {
                let sink = writer.into_inner().map_err(|error| FileError::io(path, error.into_error()))?;
                sink.finish(path)
            }
            Target::Json { mut sink, array, rows, .. } => {
                let end: &[u8] = match (array, rows) {
                    (false, _) => b"",
                    (true, 0) => b"[]\n",
                    (true, _) => b"\n]\n",
                };
                sink.write_all(end).map_err(|error| FileError::io(path, error))?;
                let sink = sink.into_inner().map_err(|error| FileError::io(path, error.into_error()))?;
                sink.finish(path)
            }
            Target::Parquet(writer) => writer.finish(),
        }
    }
}

/// Dotted names become objects inside objects, unless a name stands for a value and for an
/// object at once.
fn can_nest(columns: &[Column]) -> bool {
    let inside = |name: &str, other: &str| other.strip_prefix(name).is_some_and(|rest| rest.starts_with('.'));
    let sound = |name: &str| name.split('.').all(|part| !part.is_empty());
    let clash = |column: &Column| columns.iter().any(|other| inside(&column.name, &other.name));
    columns.iter().all(|column| sound(&column.name) && !clash(column))
}

fn object_of<'a>(columns: &[Column], cells: impl IntoIterator<Item = &'a str>, nested: bool) -> Value {
    let mut object = serde_json::Map::new();
    for (column, cell) in columns.iter().zip(cells) {
        let value = value_of(column.kind, cell);
        if !nested || !column.name.contains('.') {
            object.insert(column.name.clone(), value);
            continue;
        }
        let mut parts: Vec<&str> = column.name.split('.').collect();
        let last = parts.pop().unwrap_or_default();
        let mut inner = &mut object;
        for part in parts {
            let slot = inner.entry(part).or_insert_with(|| Value::Object(serde_json::Map::new()));
            let Value::Object(next) = slot else { unreachable!("names that clash are not nested") };
            inner = next;
        }
        inner.insert(last.to_string(), value);
    }
    Value::Object(object)
}

/// A cell as the value that it was; a blank one is null.
fn value_of(kind: CellKind, cell: &str) -> Value {
    let parsed = || serde_json::from_str::<Value>(cell).ok();
    match kind {
        _ if cell.is_empty() => Value::Null,
        CellKind::Text => Value::String(cell.into()),
        CellKind::Whole | CellKind::Number => {
            parsed().filter(Value::is_number).unwrap_or_else(|| Value::String(cell.into()))
        }
        CellKind::Flag => parsed().filter(Value::is_boolean).unwrap_or_else(|| Value::String(cell.into())),
        CellKind::Json => parsed().unwrap_or_else(|| Value::String(cell.into())),
    }
}
