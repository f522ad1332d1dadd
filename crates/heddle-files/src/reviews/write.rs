//! Rows, written in the format that the ending of a file names.

use std::borrow::Cow;
use std::collections::{HashMap, HashSet};
use std::io::{self, BufWriter, Write};

use flate2::Compression;
use flate2::write::GzEncoder;
use serde_json::value::RawValue;

#[cfg(feature = "arrow")]
use super::arrow_out::ArrowWriter;
use super::column::{CellKind, Column};
use super::parquet_out::ParquetWriter;
use super::sheet_out::SheetWriter;
use crate::error::{FileError, system_error};
use crate::output::{Output, Outputs, Written};
use crate::shown::visible;

const BUFFER: usize = 512 * 1024;

/// Where bytes go, packed or not.
enum Sink<'o> {
    Plain(Output<'o>),
    Gzip(GzEncoder<Output<'o>>),
    Zstd(zstd::Encoder<'static, Output<'o>>),
}

impl<'o> Sink<'o> {
    fn new(output: Output<'o>, path: &str, packing: Option<&str>) -> Result<Self, FileError> {
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
        }
    }

    fn writer(&mut self) -> &mut dyn Write {
        match self {
            Self::Plain(output) => output,
            Self::Gzip(encoder) => encoder,
            Self::Zstd(encoder) => encoder,
        }
    }
}

impl Write for Sink<'_> {
    fn write(&mut self, bytes: &[u8]) -> io::Result<usize> {
        self.writer().write(bytes)
    }

    fn flush(&mut self) -> io::Result<()> {
        self.writer().flush()
    }
}

/// The format of what is written.
enum Target<'o> {
    Delimited(Box<csv::Writer<Sink<'o>>>),
    /// JSON objects, one a line or in an array.
    Json {
        sink: Box<BufWriter<Sink<'o>>>,
        array: bool,
        /// Which column stands where inside the objects.
        layout: Vec<(String, Node)>,
        line: Vec<u8>,
        rows: usize,
    },
    Parquet(Box<ParquetWriter<'o>>),
    #[cfg(feature = "arrow")]
    Arrow(Box<ArrowWriter<'o>>),
    Sheet(Box<SheetWriter<'o>>),
}

/// Writes rows under named columns. The ending of the file names the format: `.csv` (as
/// no ending does), `.tsv` or `.tab`, `.jsonl` or `.ndjson`, `.json`, `.parquet`, `.arrows`, `.xlsx`; all
/// but the last three may be packed, with `.gz` or `.zst` behind it. In JSON and Parquet a blank
/// cell is null, and dotted columns become objects inside objects in JSON.
pub struct RowWriter<'o> {
    target: Target<'o>,
    path: String,
    columns: Vec<Column>,
    guard: Guard,
}

/// The format of a file that is written.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum Format {
    Commas,
    Tabs,
    JsonLines,
    Json,
    Parquet,
    Arrow,
    Sheet,
}

/// What the ending of a file says of its format.
pub(crate) struct Ending<'a> {
    format: Format,
    packing: Option<&'a str>,
}

impl<'a> Ending<'a> {
    /// Reads it.
    ///
    /// # Errors
    /// If nothing is written under such a name.
    pub(crate) fn of(path: &'a str) -> Result<Self, FileError> {
        let (stem, packing) = match path.rsplit_once('.') {
            Some((stem, packing @ ("gz" | "zst"))) => (stem, Some(packing)),
            _ => (path, None),
        };
        let fail = |remedy: String| Err(FileError::Ending { path: path.into(), remedy });
        let name = stem.rsplit_once('/').map_or(stem, |(_, name)| name);
        let ending = name.rsplit_once('.').map_or("", |(_, ending)| ending).to_ascii_lowercase();
        let format = match ending.as_str() {
            "parquet" | "pq" if packing.is_some() => {
                return fail("Parquet is packed inside: name a file that ends in .parquet".into());
            }
            "xlsx" if packing.is_some() => {
                return fail("a workbook is packed inside: name a file that ends in .xlsx".into());
            }
            "arrows" if packing.is_some() => {
                return fail("an Arrow stream is not packed: name a file that ends in .arrows".into());
            }
            "arrows" if cfg!(not(feature = "arrow")) => {
                return fail(
                    "this program was built without Arrow streams: build it with --features arrow, or name a file \
                     that ends in .parquet"
                        .into(),
                );
            }
            "arrows" => Format::Arrow,
            "xlsx" => Format::Sheet,
            "parquet" | "pq" => Format::Parquet,
            "jsonl" | "ndjson" => Format::JsonLines,
            "json" => Format::Json,
            "tsv" | "tab" => Format::Tabs,
            "csv" | "txt" => Format::Commas,
            // "scored" and "scored.2025-06" name no format.
            other if !other.bytes().all(|byte| byte.is_ascii_alphabetic()) || other.is_empty() => {
                Format::Commas
            }
            other => {
                return fail(format!(
                    ".{other} is no ending that rows are written under; name a file that ends in .csv, .tsv, .jsonl or .json \
                     (with .gz or .zst behind it to pack it), .parquet or .xlsx"
                ));
            }
        };
        Ok(Self { format, packing })
    }
}

/// What cells are guarded against.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
struct Guard {
    /// A spreadsheet that takes them as formulas.
    formulas: bool,
    /// A terminal that they are shown on.
    terminal: bool,
}

impl Guard {
    fn is_up(self) -> bool {
        self.formulas || self.terminal
    }

    /// A cell as it is written: one that a spreadsheet would take as a formula has an apostrophe
    /// before it, numbers being what they look like; signs that a terminal would obey are escapes.
    fn cell(self, cell: &str) -> Cow<'_, str> {
        let formula = || cell.starts_with(['=', '+', '-', '@', '\t', '\r']) && cell.parse::<f64>().is_err();
        let cell = if self.terminal { visible(cell) } else { Cow::Borrowed(cell) };
        if self.formulas && formula() { Cow::Owned(format!("'{cell}")) } else { cell }
    }
}

impl<'o> RowWriter<'o> {
    /// Begins a file; it takes its name when the outputs are committed. "-" is standard output.
    ///
    /// # Errors
    /// If the file cannot be written, or would replace one that was not written here.
    pub fn create(outputs: &'o Outputs, path: &str, columns: &[Column]) -> Result<Self, FileError> {
        let Ending { format, packing } = Ending::of(path)?;
        let output = outputs.create(path)?;
        if matches!(format, Format::Parquet | Format::Arrow | Format::Sheet) {
            let target = match format {
                Format::Parquet => Target::Parquet(Box::new(ParquetWriter::new(output, path, columns)?)),
                #[cfg(feature = "arrow")]
                Format::Arrow => Target::Arrow(Box::new(ArrowWriter::new(output, path, columns)?)),
                _ => Target::Sheet(Box::new(SheetWriter::new(output, path, columns)?)),
            };
            return Ok(Self {
                target,
                path: path.into(),
                columns: columns.to_vec(),
                guard: Guard::default(),
            });
        }
        let terminal = packing.is_none() && outputs.is_shown(path);
        let guard = Guard { formulas: outputs.safe_cells(), terminal };
        Self::begin(Sink::new(output, path, packing)?, path, format, columns, guard)
    }

    fn begin(
        sink: Sink<'o>,
        path: &str,
        format: Format,
        columns: &[Column],
        guard: Guard,
    ) -> Result<Self, FileError> {
        let target = match format {
            Format::JsonLines | Format::Json => Target::Json {
                sink: Box::new(BufWriter::new(sink)),
                array: format == Format::Json,
                layout: layout_of(columns),
                line: Vec::new(),
                rows: 0,
            },
            _ => {
                let delimiter = if format == Format::Tabs { b'\t' } else { b',' };
                // For each buffer that it fills the writer looks through the whole rest of a
                // field for quotes: small ones make it slow on texts of megabytes.
                let mut builder = csv::WriterBuilder::new();
                let mut writer = builder.delimiter(delimiter).buffer_capacity(BUFFER).from_writer(sink);
                let header = columns.iter().map(|column| guard.cell(&column.name));
                let header = writer.write_record(header.map(|cell| cell.into_owned()));
                header.map_err(|error| FileError::io(path, system_error(error)))?;
                Target::Delimited(Box::new(writer))
            }
        };
        Ok(Self { target, path: path.into(), columns: columns.to_vec(), guard })
    }

    /// Writes one row, a cell for each column.
    ///
    /// # Errors
    /// If the disk is full or the reader at the other end is gone.
    pub fn row<'a>(&mut self, cells: impl IntoIterator<Item = &'a str>) -> Result<(), FileError> {
        let columns = &self.columns;
        let written = match &mut self.target {
            Target::Delimited(writer) if self.guard.is_up() => cells
                .into_iter()
                .try_for_each(|cell| writer.write_field(self.guard.cell(cell).as_bytes()))
                .and_then(|()| writer.write_record(None::<&[u8]>))
                .map_err(system_error),
            Target::Delimited(writer) => writer.write_record(cells).map_err(system_error),
            Target::Json { sink, array, layout, line, rows } => {
                let begins: &[u8] = match (*array, *rows) {
                    (false, _) => b"",
                    (true, 0) => b"[\n",
                    (true, _) => b",\n",
                };
                *rows += 1;
                let cells: Vec<&str> = cells.into_iter().collect();
                line.clear();
                line.extend_from_slice(begins);
                put_object(layout, columns, &cells, line);
                line.extend_from_slice(if *array { b"" } else { b"\n" });
                sink.write_all(line)
            }
            Target::Parquet(writer) => return writer.row(cells),
            #[cfg(feature = "arrow")]
            Target::Arrow(writer) => return writer.row(cells),
            Target::Sheet(writer) => return writer.row(cells),
        };
        written.map_err(|error| FileError::io(&self.path, error))
    }

    /// Passes on what was written so far, as far as the format allows: packed data, Parquet and workbooks come in blocks.
    ///
    /// # Errors
    /// As [`row`](Self::row).
    pub fn flush(&mut self) -> Result<(), FileError> {
        let flushed = match &mut self.target {
            Target::Delimited(writer) => writer.flush(),
            Target::Json { sink, .. } => sink.flush(),
            #[cfg(feature = "arrow")]
            Target::Arrow(writer) => return writer.flush(),
            Target::Parquet(_) | Target::Sheet(_) => Ok(()),
        };
        flushed.map_err(|error| FileError::io(&self.path, error))
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
            #[cfg(feature = "arrow")]
            Target::Arrow(writer) => writer.finish(),
            Target::Sheet(writer) => writer.finish(),
        }
    }
}

/// Dotted names become objects inside objects, unless a name stands for a value and for an
/// object at once.
fn can_nest(columns: &[Column]) -> bool {
    let names: HashSet<&str> = columns.iter().map(|column| column.name.as_str()).collect();
    let sound = |name: &str| name.split('.').all(|part| !part.is_empty());
    let inside = |name: &str| name.match_indices('.').any(|(at, _)| names.contains(&name[..at]));
    names.iter().all(|name| sound(name) && !inside(name))
}

/// What a name of an object stands for.
enum Node {
    /// A column, by its place.
    Cell(usize),
    /// An object inside the object.
    Object(Vec<(String, Node)>),
}

/// Where the columns stand in the objects of rows.
fn layout_of(columns: &[Column]) -> Vec<(String, Node)> {
    let nested = can_nest(columns);
    let mut whole = Vec::new();
    // By dotted name: the way to the object of that name.
    let mut known: HashMap<&str, Vec<usize>> = HashMap::new();
    for (at, column) in columns.iter().enumerate() {
        let name = column.name.as_str();
        let (mut begun, mut way): (usize, Vec<usize>) = (0, Vec::new());
        for (end, _) in name.match_indices('.').filter(|_| nested) {
            way = known
                .entry(&name[..end])
                .or_insert_with(|| {
                    let object = object_at(&mut whole, &way);
                    object.push((name[begun..end].to_string(), Node::Object(Vec::new())));
                    way.iter().copied().chain([object.len() - 1]).collect()
                })
                .clone();
            begun = end + 1;
        }
        object_at(&mut whole, &way).push((name[begun..].to_string(), Node::Cell(at)));
    }
    whole
}

fn object_at<'n>(mut object: &'n mut Vec<(String, Node)>, way: &[usize]) -> &'n mut Vec<(String, Node)> {
    for &at in way {
        let Node::Object(inner) = &mut object[at].1 else { unreachable!("a way leads through objects") };
        object = inner;
    }
    object
}

fn put_object(nodes: &[(String, Node)], columns: &[Column], cells: &[&str], line: &mut Vec<u8>) {
    line.push(b'{');
    for (nth, (name, node)) in nodes.iter().enumerate() {
        if nth > 0 {
            line.push(b',');
        }
        put_json(name, line);
        line.push(b':');
        match node {
            Node::Object(inner) => put_object(inner, columns, cells, line),
            Node::Cell(at) => put_cell(columns[*at].kind, cells[*at], line),
        }
    }
    line.push(b'}');
}

fn put_json(text: &str, line: &mut Vec<u8>) {
    serde_json::to_writer(line, text).expect("a text can always be written to memory");
}

/// A cell as the value that it was, to its last digit; a blank one is null.
fn put_cell(kind: CellKind, cell: &str, line: &mut Vec<u8>) {
    let value = serde_json::from_str::<&RawValue>(cell).ok().map(RawValue::get);
    let is_number = |value: &str| value.starts_with(|sign: char| sign == '-' || sign.is_ascii_digit());
    let raw = match kind {
        _ if cell.is_empty() => Some("null"),
        CellKind::Text => None,
        CellKind::Whole | CellKind::Number | CellKind::Digits => value.filter(|value| is_number(value)),
        CellKind::Flag => value.filter(|value| matches!(*value, "true" | "false")),
        CellKind::Json => value.filter(|value| !value.contains(['\n', '\r'])),
    };
    match raw {
        Some(raw) => line.extend_from_slice(raw.as_bytes()),
        None => put_json(cell, line),
    }
}
