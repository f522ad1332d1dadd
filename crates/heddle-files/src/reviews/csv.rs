//! Delimited files, record by record.

use std::cell::RefCell;
use std::io::{self, Read};
use std::rc::Rc;

use csv::{ByteRecord, ReaderBuilder, StringRecord};
use heddle_core::settings::{Form, Header, Limits};

use super::bytes::{Decoded, Decoder};
use super::column::Column;
use super::dialect::{Above, Dialect};
use super::limit::{check_columns, too_long};
use super::rows::{FileFormat, Manner, Next, Refusal, Rows, Span, checked};
use crate::error::{FileError, Stop, system_error};

/// How much of a file is looked at to detect how it is written.
const LOOK: usize = 128 * 1024;
const BUFFER: usize = 1024 * 1024;
/// A record over so many lines is pointed out, whatever they hold.
const MANY_LINES: u64 = 200;

/// A delimited file that is read record by record.
pub(crate) struct Delimited {
    file: String,
    columns: Vec<Column>,
    dialect: Dialect,
    reader: csv::Reader<Box<dyn Read>>,
    raw: ByteRecord,
    taken: Rc<RefCell<Taken>>,
    decoded: Rc<RefCell<Decoded>>,
    limits: Limits,
    manner: Manner,
}

/// The bytes that the reader took last, to look back at how a record ended.
#[derive(Default)]
struct Taken {
    /// Where they stand in the file.
    start: u64,
    bytes: Vec<u8>,
    /// Where the present record begins.
    record: u64,
}

/// A source that remembers what was taken from it last, and gives no more where a record does not
/// end.
struct Remembering<R> {
    source: R,
    taken: Rc<RefCell<Taken>>,
    limits: Limits,
}

impl<R: Read> Read for Remembering<R> {
    fn read(&mut self, buffer: &mut [u8]) -> io::Result<usize> {
        let length = self.source.read(buffer)?;
        if length > 0 {
            let mut taken = self.taken.borrow_mut();
            // A record of up to twice the limit is refused on its own, and reading goes on.
            if taken.start + taken.bytes.len() as u64 > taken.record + 2 * self.limits.row_bytes() {
                return Err(Stop::Row(self.limits).error());
            }
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
fn first_line(end: &csv::Position, record: &ByteRecord, feeds: u64, taken: &Taken) -> u64 {
    let feed = taken.before(end.byte(), 1) == Some(b'\n');
    // In a quote that is never closed the last line feed of the file is part of the field.
    let inside = record.iter().next_back().is_some_and(|field| field.ends_with(b"\n"))
        && taken.before(end.byte(), 2) != Some(b'"');
    end.line() - feeds - u64::from(feed && !inside)
}

impl Delimited {
    /// Reads from a source that is unpacked already.
    pub(crate) fn new(
        file: &str,
        source: Box<dyn Read>,
        packed: Option<&'static str>,
        form: &Form,
    ) -> Result<Self, FileError> {
        let fail = |error| FileError::reading(file, packed, error);
        let (mut source, decoded) = Decoder::new(source, form.encoding);
        // A row tells more than names alone, where there are names.
        let lines = if form.header == Header::No { 1 } else { 2 };
        let enough = |head: &[u8]| memchr::memchr_iter(b'\n', head).take(lines).count() == lines;
        let mut head = source.head(LOOK, enough).map_err(fail)?;
        let above = Above::detect(&head, form);
        head.drain(..above.bytes);
        if head.iter().all(u8::is_ascii_whitespace) {
            return Err(FileError::Empty { path: file.into(), found: "the file is empty" });
        }
        let told = Form { delimiter: form.delimiter.or(above.delimiter), ..form.clone() };
        let dialect = Dialect::detect(&head, &told);
        let taken = Rc::new(RefCell::new(Taken::default()));
        let whole = io::Cursor::new(head).chain(source);
        let limits = form.limits;
        let source: Box<dyn Read> = Box::new(Remembering { source: whole, taken: Rc::clone(&taken), limits });
        let mut reader = ReaderBuilder::new()
            .delimiter(dialect.delimiter)
            .quoting(dialect.quotes)
            .has_headers(dialect.header)
            .flexible(true)
            .buffer_capacity(BUFFER)
            .from_reader(source);
        let first = reader.byte_headers().map_err(|error| fail(system_error(error)))?;
        let name = |(at, cell): (usize, &[u8])| {
            let cell = String::from_utf8_lossy(cell).trim().to_string();
            let named = dialect.header && !cell.is_empty();
            Column::text(if named { cell } else { format!("column{}", at + 1) })
        };
        let columns: Vec<Column> = first.iter().enumerate().map(name).collect();
        check_columns(file, &columns, &limits)?;
        let manner = Manner {
            file: file.into(),
            format: FileFormat::Delimited,
            packed,
            delimiter: Some(dialect.delimiter as char),
            quotes: Some(dialect.quotes),
            header: Some(dialect.header),
            skipped: above.lines,
            ..Manner::default()
        };
        Ok(Self {
            file: file.into(),
            columns,
            dialect,
            reader,
            raw: ByteRecord::new(),
            taken,
            decoded,
            limits,
            manner,
        })
    }

    fn refuse(&self, line: u64, expected: String, found: String) -> Refusal {
        Refusal { file: self.file.clone(), line, column: None, expected, found }
    }

    /// Notes a record that holds what look like whole rows.
    fn watch(&mut self, line: u64, feeds: u64) {
        let delimiter = self.dialect.delimiter;
        let delimiters = |line: &[u8]| memchr::memchr_iter(delimiter, line).count();
        let rows = |field: &[u8]| {
            let whole = |line: &&[u8]| delimiters(line) + 1 == self.columns.len();
            field.split(|byte| *byte == b'\n').filter(whole).count()
        };
        let swallowed = self.columns.len() > 1 && self.raw.iter().map(rows).sum::<usize>() >= 2;
        if swallowed || feeds >= MANY_LINES {
            self.manner.suspicious += 1;
            let span = Span { line, lines: feeds + 1 };
            self.manner.first_suspicious = self.manner.first_suspicious.or(Some(span));
        }
    }
}

impl Rows for Delimited {
    fn columns(&self) -> &[Column] {
        &self.columns
    }

    fn next(&mut self, record: &mut StringRecord) -> Result<Next, FileError> {
        self.taken.borrow_mut().record = self.reader.position().byte();
        let more = self
            .reader
            .read_byte_record(&mut self.raw)
            .map_err(|error| FileError::reading(&self.file, self.manner.packed, system_error(error)))?;
        if !more {
            return Ok(None);
        }
        self.manner.rows += 1;
        let feeds = memchr::memchr_iter(b'\n', self.raw.as_slice()).count() as u64;
        let line =
            self.manner.skipped + first_line(self.reader.position(), &self.raw, feeds, &self.taken.borrow());
        if feeds >= 2 {
            self.watch(line, feeds);
        }
        if self.raw.len() != self.columns.len() {
            let (expected, found) = (self.columns.len(), self.raw.len());
            return Ok(Some(Err(self.refuse(line, format!("{expected} fields"), format!("{found}")))));
        }
        if self.raw.as_slice().len() as u64 > self.limits.row_bytes() {
            let found = format!("{} MiB: is a quote left open?", self.raw.as_slice().len() >> 20);
            let expected = too_long(&self.limits);
            return Ok(Some(Err(self.refuse(line, expected, found))));
        }
        let raw = std::mem::take(&mut self.raw);
        let read = StringRecord::from_byte_record(raw).map_err(|_| {
            let broken = io::Error::new(io::ErrorKind::InvalidData, "a delimiter inside a character");
            FileError::io(&self.file, broken)
        })?;
        self.raw = std::mem::replace(record, read).into_byte_record();
        Ok(checked(record, &self.columns, &self.file, line))
    }

    fn manner(&self) -> Manner {
        self.manner.with(&self.decoded.borrow())
    }
}
