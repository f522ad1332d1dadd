//! Texts line by line, with a mark before them or behind that names the class, or without one.

use std::cell::RefCell;
use std::io::{BufReader, Read};
use std::rc::Rc;

use csv::StringRecord;
use heddle_core::settings::{Form, Limits};
use regex::Regex;

use super::bytes::{Decoded, Decoder};
use super::column::Column;
use super::limit::{Line, read_line, too_long};
use super::marks::{Marking, class_behind};
use super::rows::{FileFormat, Manner, Next, Refusal, Rows, checked};
use crate::error::FileError;

/// The column of the class, in formats that have no names of their own.
pub(crate) const CLASS: &str = "class";
/// The column of the text in such formats.
pub(crate) const TEXT: &str = "review";

/// A file of lines. Blank lines are no rows.
pub(crate) struct Lines {
    file: String,
    columns: Vec<Column>,
    mark: Mark,
    source: BufReader<Decoder>,
    decoded: Rc<RefCell<Decoded>>,
    buffer: Vec<u8>,
    line: u64,
    limits: Limits,
    manner: Manner,
}

/// Where the class of a line stands.
enum Mark {
    None,
    Before(Regex),
    Behind,
}

impl Lines {
    pub(crate) fn new(
        file: &str,
        source: Box<dyn Read>,
        packed: Option<&'static str>,
        (form, marking): (&Form, Marking),
    ) -> Result<Self, FileError> {
        let (source, decoded) = Decoder::new(source, form.encoding);
        let mark = match &marking {
            Marking::Plain => Mark::None,
            Marking::Behind => Mark::Behind,
            Marking::Before(mark) => Mark::Before(pattern(mark)?),
        };
        let columns: &[&str] = if marking == Marking::Plain { &[TEXT] } else { &[CLASS, TEXT] };
        let format = match marking {
            Marking::Plain => FileFormat::Lines,
            _ => FileFormat::MarkedLines,
        };
        Ok(Self {
            file: file.into(),
            columns: columns.iter().map(|name| Column::text(*name)).collect(),
            mark,
            source: BufReader::new(source),
            decoded,
            buffer: Vec::new(),
            line: 0,
            limits: form.limits,
            manner: Manner { file: file.into(), format, packed, ..Manner::default() },
        })
    }
}

/// The pattern of the mark, bound to the beginning of a line.
fn pattern(mark: &str) -> Result<Regex, FileError> {
    let wrong = |message: String| FileError::Mark { message };
    let pattern = Regex::new(&format!("^(?:{mark})")).map_err(|error| {
        let error = error.to_string();
        wrong(format!("`{mark}` is no regular expression: {}", error.lines().last().unwrap_or_default()))
    })?;
    if pattern.captures_len() < 2 {
        return Err(wrong(format!("`{mark}` has no group (...) that takes the class")));
    }
    Ok(pattern)
}

impl Rows for Lines {
    fn columns(&self) -> &[Column] {
        &self.columns
    }

    fn next(&mut self, record: &mut StringRecord) -> Result<Next, FileError> {
        let refuse = |line: u64, expected: String, found: String| Refusal {
            file: self.file.clone(),
            line,
            column: None,
            expected,
            found,
        };
        loop {
            let read = read_line(&mut self.source, &mut self.buffer, &self.limits)
                .map_err(|error| FileError::reading(&self.file, self.manner.packed, error))?;
            self.line += 1;
            match read {
                Line::End => return Ok(None),
                Line::TooLong => {
                    self.manner.rows += 1;
                    return Ok(Some(Err(refuse(self.line, too_long(&self.limits), "a longer line".into()))));
                }
                Line::Whole if self.buffer.trim_ascii().is_empty() => {}
                Line::Whole => break,
            }
        }
        self.manner.rows += 1;
        // The decoder gives nothing but UTF-8.
        let text = String::from_utf8_lossy(&self.buffer);
        let line = text.trim_end_matches(['\n', '\r']);
        record.clear();
        match &self.mark {
            Mark::None => record.push_field(line.trim()),
            Mark::Behind => {
                let (text, class) = class_behind(line).unwrap_or((line, ""));
                record.push_field(class);
                record.push_field(text.trim());
            }
            Mark::Before(mark) => {
                let marked = mark.captures(line);
                let Some((whole, class)) =
                    marked.as_ref().and_then(|found| Some((found.get(0)?, found.get(1)?)))
                else {
                    let expected = "a line that begins with the mark of a class (reviews.mark)".into();
                    let found = format!("`{}`", line.chars().take(24).collect::<String>());
                    return Ok(Some(Err(refuse(self.line, expected, found))));
                };
                record.push_field(class.as_str());
                record.push_field(line[whole.end()..].trim());
            }
        }
        Ok(checked(record, &self.columns, &self.file, self.line))
    }

    fn manner(&self) -> Manner {
        self.manner.with(&self.decoded.borrow())
    }
}
