//! JSON: one object a line, or an array of objects. Fields inside fields have dotted names.

use std::cell::RefCell;
use std::io::{BufRead, BufReader, Read};
use std::rc::Rc;

use csv::StringRecord;
use heddle_core::Form;
use rustc_hash::FxHashMap;
use serde_json::Value;

use super::bytes::{Decoded, Decoder};
use super::column::{CellKind, Column};
use super::rows::{Manner, Next, Refusal, Rows, checked};
use crate::error::FileError;

/// The longest object, in bytes.
const LONGEST_OBJECT: usize = 256 * 1024 * 1024;

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
    source: BufReader<Decoder>,
    line: u64,
    packed: Option<&'static str>,
    /// The bracket of the array has been passed.
    inside: bool,
    ended: bool,
}

impl Objects {
    /// Reads the next object into `text`; gives its line.
    fn next(&mut self, text: &mut Vec<u8>) -> Result<Option<u64>, FileError> {
        text.clear();
        match self.layout {
            Layout::Lines => loop {
                text.clear();
                let length = self.source.read_until(b'\n', text).map_err(|error| self.fail(error))?;
                if length == 0 {
                    return Ok(None);
                }
                self.line += 1;
                if !text.iter().all(u8::is_ascii_whitespace) {
                    return Ok(Some(self.line));
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
            if text.len() > LONGEST_OBJECT {
                return Err(self.broken("an object of more than 256 MiB: is a quote or bracket left open?"));
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
}

/// The columns of all objects of a file, in the order in which they first come.
pub(crate) fn columns(
    file: &str,
    source: Box<dyn Read>,
    packed: Option<&'static str>,
    layout: Layout,
    form: &Form,
) -> Result<Vec<Column>, FileError> {
    let (mut objects, _) = open(file, source, packed, layout, form);
    let mut kinds: Vec<(String, Option<CellKind>)> = Vec::new();
    let mut places: FxHashMap<String, usize> = FxHashMap::default();
    let mut text = Vec::new();
    while objects.next(&mut text)?.is_some() {
        let Ok(Value::Object(object)) = serde_json::from_slice(&text) else { continue };
        flatten(object, "", &mut |name, value| {
            let place = *places.entry(name.to_string()).or_insert_with(|| {
                kinds.push((name.to_string(), None));
                kinds.len() - 1
            });
            if let Some(kind) = kind_of(&value) {
                kinds[place].1 = Some(kinds[place].1.map_or(kind, |known| known.with(kind)));
            }
        });
    }
    // A name that is null in one row and an object in others stands for the fields inside.
    let inside = |name: &str, other: &str| other.strip_prefix(name).is_some_and(|rest| rest.starts_with('.'));
    let names: Vec<String> = kinds.iter().map(|(name, _)| name.clone()).collect();
    let is_column = |(name, kind): &(String, Option<CellKind>)| {
        kind.is_some() || !names.iter().any(|other| inside(name, other))
    };
    let column =
        |(name, kind): (String, Option<CellKind>)| Column { name, kind: kind.unwrap_or(CellKind::Text) };
    Ok(kinds.into_iter().filter(is_column).map(column).collect())
}

fn open(
    file: &str,
    source: Box<dyn Read>,
    packed: Option<&'static str>,
    layout: Layout,
    form: &Form,
) -> (Objects, Rc<RefCell<Decoded>>) {
    let (decoder, decoded) = Decoder::new(source, form.encoding);
    let source = BufReader::with_capacity(256 * 1024, decoder);
    let file = file.to_string();
    (Objects { file, layout, source, line: 0, packed, inside: false, ended: false }, decoded)
}

impl Json {
    /// Reads the rows of a file whose columns are known.
    pub(crate) fn new(
        file: &str,
        source: Box<dyn Read>,
        packed: Option<&'static str>,
        layout: Layout,
        form: &Form,
        columns: Vec<Column>,
    ) -> Result<Self, FileError> {
        if columns.is_empty() {
            return Err(FileError::Empty { path: file.into(), found: "there is no JSON object with fields" });
        }
        let (objects, decoded) = open(file, source, packed, layout, form);
        let format = match layout {
            Layout::Lines => "JSON Lines",
            Layout::Array => "a JSON array",
        };
        Ok(Self {
            objects,
            places: columns.iter().enumerate().map(|(at, column)| (column.name.clone(), at)).collect(),
            cells: vec![None; columns.len()],
            columns,
            decoded,
            text: Vec::new(),
            manner: Manner { file: file.into(), format, packed, ..Manner::default() },
        })
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
        let object = match serde_json::from_slice(&self.text) {
            Ok(Value::Object(object)) => object,
            Ok(other) => {
                let found = format!("`{}`", other.to_string().chars().take(24).collect::<String>());
                return Ok(Some(Err(self.refuse(line, None, "a JSON object", found))));
            }
            Err(error) => {
                let found = format!("{error} of the row");
                return Ok(Some(Err(self.refuse(line, None, "a JSON object", found))));
            }
        };
        self.cells.iter_mut().for_each(|cell| *cell = None);
        let mut twice = None;
        let (places, cells) = (&self.places, &mut self.cells);
        flatten(object, "", &mut |name, value| {
            let Some(&place) = places.get(name) else { return };
            if cells[place].replace(cell_of(value)).is_some() {
                twice = Some(name.to_string());
            }
        });
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

/// Gives the fields of an object, those of objects inside it under dotted names.
fn flatten(object: serde_json::Map<String, Value>, prefix: &str, give: &mut impl FnMut(&str, Value)) {
    for (name, value) in object {
        let name = if prefix.is_empty() { name } else { format!("{prefix}.{name}") };
        match value {
            Value::Object(inner) if !inner.is_empty() => flatten(inner, &name, give),
            value => give(&name, value),
        }
    }
}

fn kind_of(value: &Value) -> Option<CellKind> {
    match value {
        Value::Null => None,
        Value::Bool(_) => Some(CellKind::Flag),
        Value::Number(number) if number.is_i64() => Some(CellKind::Whole),
        Value::Number(_) => Some(CellKind::Number),
        Value::String(_) => Some(CellKind::Text),
        Value::Array(_) | Value::Object(_) => Some(CellKind::Json),
    }
}

/// A value as a cell; null is a blank one.
fn cell_of(value: Value) -> String {
    match value {
        Value::Null => String::new(),
        Value::String(text) => text,
        other => other.to_string(),
    }
}
