//! Delimited files, record by record.

use std::cell::RefCell;
use std::fs::File;
use std::io::{self, BufRead, BufReader, Read};
use std::rc::Rc;

use csv::{ByteRecord, ReaderBuilder, StringRecord};

use crate::error::{FileError, system_error};

/// How much of a file is looked at to detect its delimiter.
const LOOK: usize = 64 * 1024;
const BUFFER: usize = 1024 * 1024;
/// The longest record, in bytes: a longer one is a quote that was never closed.
const LONGEST_RECORD: usize = 256 * 1024 * 1024;
const DELIMITERS: [u8; 4] = [b',', b'\t', b';', b'|'];

/// A row that could not be used: where it stands, and why.
#[derive(Debug, Clone, PartialEq, Eq, serde::Serialize)]
pub struct Refusal {
    /// The file.
    pub file: String,
    /// The line on which the record begins, from 1.
    pub line: u64,
    /// The column, where one is to blame.
    pub column: Option<String>,
    /// What was expected.
    pub expected: String,
    /// What was found.
    pub found: String,
}

impl std::fmt::Display for Refusal {
    fn fmt(&self, out: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        write!(out, "{}, line {}", self.file, self.line)?;
        if let Some(column) = &self.column {
            write!(out, ", column `{column}`")?;
        }
        write!(out, ": expected {}, found {}", self.expected, self.found)
    }
}

/// A delimited file that is read record by record.
pub struct Records {
    file: String,
    header: Vec<String>,
    delimiter: u8,
    reader: csv::Reader<Box<dyn Read>>,
    raw: ByteRecord,
    taken: Rc<RefCell<Taken>>,
}

/// The bytes that the reader took last, to look back at how a record ended.
#[derive(Default)]
struct Taken {
    /// Where they stand in the file.
    start: u64,
    bytes: Vec<u8>,
}

/// A source that remembers what was taken from it last.
struct Remembering<R> {
    source: R,
    taken: Rc<RefCell<Taken>>,
}

impl<R: Read> Read for Remembering<R> {
    fn read(&mut self, buffer: &mut [u8]) -> io::Result<usize> {
        let length = self.source.read(buffer)?;
        if length > 0 {
            let mut taken = self.taken.borrow_mut();
            taken.start += taken.bytes.len() as u64;
            taken.bytes.clear();
            taken.bytes.extend_from_slice(&buffer[..length]);
        }
        Ok(length)
    }
}

impl Taken {
    /// The byte this far before a place, if it is still remembered.
    fn before(&self, place: u64, distance: u64) -> Option<u8> {
        let at = place.checked_sub(self.start + distance)?;
        self.bytes.get(at as usize).copied()
    }
}

/// The line on which a record begins, after which the reader stands at `end`.
///
/// The reader counts the line feeds that it has passed. After a record that ends with a
/// line feed it stands on the next line; after a carriage return, whose line feed is still
/// ahead, or at the end of the file, on the record's last.
fn first_line(end: &csv::Position, record: &ByteRecord, taken: &Taken) -> u64 {
    let feed = taken.before(end.byte(), 1) == Some(b'\n');
    // In a quote that is never closed the last line feed of the file is part of the field.
    let inside = record.iter().next_back().is_some_and(|field| field.ends_with(b"\n"))
        && taken.before(end.byte(), 2) != Some(b'"');
    end.line() - line_feeds(record) - u64::from(feed && !inside)
}

fn line_feeds(record: &ByteRecord) -> u64 {
    record.iter().map(|field| memchr::memchr_iter(b'\n', field).count() as u64).sum()
}

impl Records {
    /// Opens a file, or standard input for "-". The delimiter (comma, tab, semicolon or
    /// vertical bar) is the one that gives the most records as many fields as the header.
    ///
    /// # Errors
    /// If the file cannot be read, is empty, or has a column name twice.
    pub fn open(path: &str) -> Result<Self, FileError> {
        let fail = |error| FileError::io(path, error);
        let (file, source): (&str, Box<dyn Read>) = match path {
            "-" => ("standard input", Box::new(io::stdin())),
            _ => (path, Box::new(File::open(path).map_err(fail)?)),
        };
        let mut source = BufReader::with_capacity(BUFFER, source);
        let head = source.fill_buf().map_err(fail)?;
        if head.iter().all(u8::is_ascii_whitespace) {
            return Err(FileError::Empty { path: file.into(), found: "the file is empty" });
        }
        let delimiter = detect(&head[..head.len().min(LOOK)]);
        let taken = Rc::new(RefCell::new(Taken::default()));
        let source: Box<dyn Read> = Box::new(Remembering { source, taken: Rc::clone(&taken) });
        let mut reader = ReaderBuilder::new().delimiter(delimiter).flexible(true).from_reader(source);
        let header = reader.byte_headers().map_err(|error| fail(system_error(error)))?;
        let header: Vec<String> =
            header.iter().map(|name| String::from_utf8_lossy(name).trim().to_string()).collect();
        let twice = (1..header.len()).find(|&at| header[..at].contains(&header[at]));
        if let Some(at) = twice {
            return Err(FileError::SameColumn { path: file.into(), column: header[at].clone() });
        }
        Ok(Self { file: file.into(), header, delimiter, reader, raw: ByteRecord::new(), taken })
    }

    /// The name of the file, for messages.
    pub fn file(&self) -> &str {
        &self.file
    }

    /// The names of the columns.
    pub fn header(&self) -> &[String] {
        &self.header
    }

    /// The delimiter in use.
    pub fn delimiter(&self) -> u8 {
        self.delimiter
    }

    /// Reads the next record into `record` and gives its line; `None` at the end of the
    /// file. A record that cannot be used is given as a refusal, and reading goes on.
    ///
    /// # Errors
    /// If the file cannot be read any further.
    pub fn next(&mut self, record: &mut StringRecord) -> Result<Option<Result<u64, Refusal>>, FileError> {
        let more = self
            .reader
            .read_byte_record(&mut self.raw)
            .map_err(|error| FileError::io(&self.file, system_error(error)))?;
        if !more {
            return Ok(None);
        }
        let line = first_line(self.reader.position(), &self.raw, &self.taken.borrow());
        let refuse = |column: Option<usize>, expected: String, found: String| Refusal {
            file: self.file.clone(),
            line,
            column: column.map(|at| self.header[at].clone()),
            expected,
            found,
        };
        if self.raw.len() != self.header.len() {
            let (expected, found) = (self.header.len(), self.raw.len());
            return Ok(Some(Err(refuse(None, format!("{expected} fields"), format!("{found}")))));
        }
        if self.raw.as_slice().len() > LONGEST_RECORD {
            let found = format!("{} MiB: is a quote left open?", self.raw.as_slice().len() >> 20);
            return Ok(Some(Err(refuse(
                None,
                format!("a record of at most {} MiB", LONGEST_RECORD >> 20),
                found,
            ))));
        }
        let raw = std::mem::take(&mut self.raw);
        match StringRecord::from_byte_record(raw) {
            Ok(read) => {
                self.raw = std::mem::replace(record, read).into_byte_record();
                Ok(Some(Ok(line)))
            }
            Err(error) => {
                let at = error.utf8_error().field();
                let found = format!(
                    "a byte that is none, at byte {} of the cell",
                    error.utf8_error().valid_up_to() + 1
                );
                let refusal = refuse(Some(at), "text in UTF-8".into(), found);
                self.raw = error.into_byte_record();
                Ok(Some(Err(refusal)))
            }
        }
    }
}

/// The delimiter under which the most records have as many fields as the header, the
/// wider header winning a tie; a comma where the header has one field only.
fn detect(head: &[u8]) -> u8 {
    let fit = |delimiter: u8| {
        let mut reader =
            ReaderBuilder::new().delimiter(delimiter).flexible(true).has_headers(false).from_reader(head);
        let lengths: Vec<usize> =
            reader.byte_records().map_while(Result::ok).map(|record| record.len()).collect();
        // The last record may be cut off by the end of the look.
        let whole = &lengths[..lengths.len().saturating_sub(1).max(1).min(lengths.len())];
        let width = whole.first().copied().unwrap_or(1);
        let fitting = whole.iter().filter(|length| **length == width).count();
        (width > 1).then_some((fitting * 1000 / whole.len().max(1), width))
    };
    DELIMITERS
        .into_iter()
        .rev()
        .max_by_key(|delimiter| fit(*delimiter))
        .filter(|best| fit(*best).is_some())
        .unwrap_or(b',')
}
