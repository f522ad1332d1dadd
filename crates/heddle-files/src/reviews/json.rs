//! JSON: one object a line, or an array of objects. Fields inside fields have dotted names.

use std::cell::RefCell;
use std::collections::HashSet;
use std::io::{BufRead, BufReader, Read};
use std::rc::Rc;

use csv::StringRecord;
use heddle_core::settings::{Form, Limits};
use rustc_hash::FxHashMap;

use super::bytes::{Decoded, Decoder};
use super::column::{CellKind, Column};
use super::fields::{Fields, flatten};
use super::limit::{Line, check_columns, read_line, too_long};
use super::rows::{FileFormat, Manner, Next, Refusal, Rows, checked};
use crate::error::{FileError, Stop};

/// How much of a stream is looked at for its columns.
const LOOK: usize = 128 * 1024;

/// How objects follow one another.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) enum Layout {
    Lines,
    Array,
}

/// A source of objects, each with the line on which it begins.
struct Objects {
    file: String,
    layout: Layout,
    source: BufReader<Box<dyn Read>>,
    line: u64,
    packed: Option<&'static str>,
    limits: Limits,
    /// The bracket of the array has been passed.
    inside: bool,
    ended: bool,
}

impl Objects {
    /// Reads the next object into `text`; gives its line. One that is too long leaves the text
    /// blank.
    fn next(&mut self, text: &mut Vec<u8>) -> Result<Option<u64>, FileError> {
        text.clear();
        match self.layout {
            Layout::Lines => loop {
                let read =
                    read_line(&mut self.source, text, &self.limits).map_err(|error| self.fail(error))?;
                self.line += 1;
                match read {
                    Line::End => return Ok(None),
                    Line::Whole if text.iter().all(u8::is_ascii_whitespace) => {}
                    Line::Whole | Line::TooLong => return Ok(Some(self.line)),
                }
            },
            Layout::Array => self.element(text),
        }
    }

    fn fail(&self, error: std::io::Error) -> FileError {
        FileError::reading(&self.file, self.packed, error)
    }

    fn broken(&self, found: &str) -> FileError {
        FileError::Broken { path: self.file.clone(), line: self.line + 1, found: found.into() }
    }

    fn peek(&mut self) -> Result<Option<u8>, FileError> {
        match self.source.fill_buf() {
            Ok(buffer) => Ok(buffer.first().copied()),
            Err(error) => Err(FileError::reading(&self.file, self.packed, error)),
        }
    }

    fn pass(&mut self, byte: u8) {
        self.source.consume(1);
        self.line += u64::from(byte == b'\n');
    }

    /// The next element of the array: up to the comma or bracket outside its own.
    fn element(&mut self, text: &mut Vec<u8>) -> Result<Option<u64>, FileError> {
        if self.ended {
            return Ok(None);
        }
        while let Some(byte) = self.peek()? {
            match byte {
                b' ' | b'\t' | b'\r' | b'\n' => self.pass(byte),
                b'[' if !self.inside => {
                    self.pass(byte);
                    self.inside = true;
                }
                b',' if self.inside => self.pass(byte),
                b']' if self.inside => {
                    self.pass(byte);
                    self.ended = true;
                    return Ok(None);
                }
                _ if !self.inside => return Err(self.broken("something other than an array `[...]`")),
                _ => {
                    let begins = self.line + 1;
                    self.value(text)?;
                    if text.is_empty() {
                        return Err(self.broken(&format!("`{}` where an object should begin", byte as char)));
                    }
                    return Ok(Some(begins));
                }
            }
        }
        Err(self.broken("the end of the file inside the array: it is cut short; copy it again"))
    }

    fn value(&mut self, text: &mut Vec<u8>) -> Result<(), FileError> {
        let (mut depth, mut string, mut escaped) = (0usize, false, false);
        loop {
            let buffer = match self.source.fill_buf() {
                Ok(buffer) => buffer,
                Err(error) => return Err(FileError::reading(&self.file, self.packed, error)),
            };
            if buffer.is_empty() {
                return Err(
                    self.broken("the end of the file inside an object: it is cut short; copy it again")
                );
            }
            let mut used = 0;
            let mut done = false;
            for &byte in buffer {
                match byte {
                    _ if escaped => escaped = false,
                    b'\\' if string => escaped = true,
                    b'"' => string = !string,
                    _ if string => {}
                    b'{' | b'[' => depth += 1,
                    b',' | b']' | b'}' if depth == 0 => {
                        done = true;
                        break;
                    }
                    b'}' | b']' => depth -= 1,
                    _ => {}
                }
                used += 1;
            }
            text.extend_from_slice(&buffer[..used]);
            self.line += memchr::memchr_iter(b'\n', &buffer[..used]).count() as u64;
            self.source.consume(used);
            if done {
                return Ok(());
            }
            if text.len() as u64 > self.limits.row_bytes() {
                return Err(Stop::Row(self.limits).told(&self.file));
            }
        }
    }
}

/// A JSON file, read object by object.
pub(crate) struct Json {
    objects: Objects,
    columns: Vec<Column>,
    places: FxHashMap<String, usize>,
    decoded: Rc<RefCell<Decoded>>,
    text: Vec<u8>,
    cells: Vec<Option<String>>,
    manner: Manner,
    /// Whether columns are those of the first rows, and later rows may have others.
    streams: bool,
}

/// The columns of all objects of a file, in the order in which they first come.
pub(crate) fn columns(
    file: &str,
    source: Box<dyn Read>,
    packed: Option<&'static str>,
    layout: Layout,
    form: &Form,
) -> Result<Vec<Column>, FileError> {
    let (decoder, _) = Decoder::new(source, form.encoding);
    columns_of(file, Box::new(decoder), packed, layout, form)
}

fn columns_of(
    file: &str,
    text: Box<dyn Read>,
    packed: Option<&'static str>,
    layout: Layout,
    form: &Form,
) -> Result<Vec<Column>, FileError> {
    let mut objects = open(file, text, packed, layout, form);
    let mut kinds: Vec<(String, Option<CellKind>)> = Vec::new();
    let mut places: FxHashMap<String, usize> = FxHashMap::default();
    let mut text = Vec::new();
    while objects.next(&mut text)?.is_some() {
        let Ok(fields) = serde_json::from_slice::<Fields<'_>>(&text) else { continue };
        // What cannot be read is refused when the rows are.
        let _ = flatten(fields, "", &mut |name, cell| {
            let place = match places.get(name) {
                Some(place) => *place,
                None => {
                    places.insert(name.to_string(), kinds.len());
                    kinds.push((name.to_string(), None));
                    kinds.len() - 1
                }
            };
            if let Some(kind) = cell.kind {
                kinds[place].1 = Some(kinds[place].1.map_or(kind, |known| known.with(kind)));
            }
        });
        if kinds.len() as u64 > form.limits.columns {
            break; // the check below tells
        }
    }
    // A name that is null in one row and an object in others stands for the fields inside.
    let prefixes =
        |name: &str| name.match_indices('.').map(|(at, _)| name[..at].to_string()).collect::<Vec<_>>();
    let groups: HashSet<String> = kinds.iter().flat_map(|(name, _)| prefixes(name)).collect();
    let is_column = |(name, kind): &(String, Option<CellKind>)| kind.is_some() || !groups.contains(name);
    let column = |(name, kind): (String, Option<CellKind>)| Column::new(name, kind.unwrap_or(CellKind::Text));
    let columns: Vec<Column> = kinds.into_iter().filter(is_column).map(column).collect();
    check_columns(file, &columns, &form.limits)?;
    Ok(columns)
}

/// The objects of a decoded text.
fn open(
    file: &str,
    text: Box<dyn Read>,
    packed: Option<&'static str>,
    layout: Layout,
    form: &Form,
) -> Objects {
    let source = BufReader::with_capacity(256 * 1024, text);
    let file = file.to_string();
    let limits = form.limits;
    Objects { file, layout, source, line: 0, packed, limits, inside: false, ended: false }
}

/// A stream that begins with a brace.
pub(crate) enum Braced {
    /// An object a line: its rows, under the columns of those that came first.
    Lines(Box<Json>),
    /// Something else: its text.
    Other(Box<dyn Read>),
}

/// Looks at what begins with a brace and may pause: an object of its own on the first line is the first of many.
pub(crate) fn braced(
    file: &str,
    source: Box<dyn Read>,
    packed: Option<&'static str>,
    form: &Form,
) -> Result<Braced, FileError> {
    let fail = |error| FileError::reading(file, packed, error);
    let (mut source, decoded) = Decoder::new(source, form.encoding);
    let head = source.head(LOOK, |head| head.contains(&b'\n')).map_err(fail)?;
    let whole = memchr::memrchr(b'\n', &head).map_or(&[][..], |end| &head[..end]);
    let first = whole.split(|byte| *byte == b'\n').next().unwrap_or_default();
    let is_object = serde_json::from_slice::<Fields<'_>>(first).is_ok();
    let lines = Box::new(std::io::Cursor::new(whole.to_vec()));
    let columns = match is_object {
        true => columns_of(file, lines, packed, Layout::Lines, form)?,
        false => Vec::new(),
    };
    let text: Box<dyn Read> = Box::new(std::io::Cursor::new(head).chain(source));
    if !is_object {
        return Ok(Braced::Other(text));
    }
    let mut rows = Json::of(file, (text, packed), (Layout::Lines, decoded), form, columns)?;
    rows.streams = true;
    Ok(Braced::Lines(Box::new(rows)))
}

impl Json {
    /// Reads the rows of a file whose columns are known.
    pub(crate) fn new(
        file: &str,
        (source, packed): (Box<dyn Read>, Option<&'static str>),
        layout: Layout,
        form: &Form,
        columns: Vec<Column>,
    ) -> Result<Self, FileError> {
        let (decoder, decoded) = Decoder::new(source, form.encoding);
        Self::of(file, (Box::new(decoder), packed), (layout, decoded), form, columns)
    }

    fn of(
        file: &str,
        (text, packed): (Box<dyn Read>, Option<&'static str>),
        (layout, decoded): (Layout, Rc<RefCell<Decoded>>),
        form: &Form,
        columns: Vec<Column>,
    ) -> Result<Self, FileError> {
        if columns.is_empty() {
            return Err(FileError::Empty { path: file.into(), found: "there is no JSON object with fields" });
        }
        let objects = open(file, text, packed, layout, form);
        let format = match layout {
            Layout::Lines => FileFormat::JsonLines,
            Layout::Array => FileFormat::JsonArray,
        };
        Ok(Self {
            objects,
            places: columns.iter().enumerate().map(|(at, column)| (column.name.clone(), at)).collect(),
            cells: vec![None; columns.len()],
            columns,
            decoded,
            text: Vec::new(),
            manner: Manner { file: file.into(), format, packed, ..Manner::default() },
            streams: false,
        })
    }

    fn refuse_object(&self, line: u64, error: &serde_json::Error) -> Refusal {
        let found = match serde_json::from_slice::<&serde_json::value::RawValue>(&self.text) {
            Ok(other) => format!("`{}`", other.get().chars().take(24).collect::<String>()),
            Err(_) => format!("{error} of the row"),
        };
        self.refuse(line, None, "a JSON object", found)
    }

    fn refuse(&self, line: u64, column: Option<String>, expected: &str, found: String) -> Refusal {
        Refusal { file: self.manner.file.clone(), line, column, expected: expected.into(), found }
    }
}

impl Rows for Json {
    fn columns(&self) -> &[Column] {
        &self.columns
    }

    fn next(&mut self, record: &mut StringRecord) -> Result<Next, FileError> {
        let Some(line) = self.objects.next(&mut self.text)? else { return Ok(None) };
        self.manner.rows += 1;
        if self.text.is_empty() {
            let expected = too_long(&self.objects.limits);
            return Ok(Some(Err(self.refuse(line, None, &expected, "a longer line".into()))));
        }
        let fields = match serde_json::from_slice::<Fields<'_>>(&self.text) {
            Ok(fields) => fields,
            Err(error) => return Ok(Some(Err(self.refuse_object(line, &error)))),
        };
        self.cells.iter_mut().for_each(|cell| *cell = None);
        let (mut twice, mut unknown) = (None, None);
        let (places, cells) = (&self.places, &mut self.cells);
        let read = flatten(fields, "", &mut |name, cell| match places.get(name) {
            Some(&place) if cells[place].replace(cell.text.into_owned()).is_some() => {
                twice = Some(name.to_string());
            }
            Some(_) => {}
            // A name that is null here and holds fields elsewhere is no column.
            None if cell.kind.is_some() => unknown = Some(name.to_string()),
            None => {}
        });
        if let Err(error) = read {
            return Ok(Some(Err(self.refuse_object(line, &error))));
        }
        if unknown.is_some() && self.streams {
            let (expected, found) = ("a field that the first rows have", "another".into());
            return Ok(Some(Err(self.refuse(line, unknown, expected, found))));
        }
        if unknown.is_some() {
            return Err(FileError::Changed { path: self.manner.file.clone() });
        }
        if twice.is_some() {
            return Ok(Some(Err(self.refuse(line, twice, "one value", "two of this name".into()))));
        }
        record.clear();
        self.cells.iter().for_each(|cell| record.push_field(cell.as_deref().unwrap_or_default()));
        Ok(checked(record, &self.columns, &self.manner.file, line))
    }

    fn manner(&self) -> Manner {
        self.manner.with(&self.decoded.borrow())
    }
}
