//! Texts line by line, each behind a mark that names its class.

use std::cell::RefCell;
use std::io::{BufRead, BufReader, Read};
use std::rc::Rc;

use csv::StringRecord;
use heddle_core::Form;
use regex::Regex;

use super::bytes::{Decoded, Decoder};
use super::column::Column;
use super::rows::{Manner, Next, Refusal, Rows, checked};
use crate::error::FileError;

/// The column of the class, in formats that have no names of their own.
pub(crate) const CLASS: &str = "class";
/// The column of the text in such formats.
pub(crate) const TEXT: &str = "review";

/// A file of marked lines. Blank lines are no rows.
pub(crate) struct Lines {
    file: String,
    columns: [Column; 2],
    mark: Regex,
    source: BufReader<Decoder>,
    decoded: Rc<RefCell<Decoded>>,
    buffer: String,
    line: u64,
    manner: Manner,
}

impl Lines {
    pub(crate) fn new(
        file: &str,
        source: Box<dyn Read>,
        packed: Option<&'static str>,
        form: &Form,
    ) -> Result<Self, FileError> {
        let (source, decoded) = Decoder::new(source, form.encoding);
        Ok(Self {
            file: file.into(),
            columns: [Column::text(CLASS), Column::text(TEXT)],
            mark: pattern(form)?,
            source: BufReader::new(source),
            decoded,
            buffer: String::new(),
            line: 0,
            manner: Manner { file: file.into(), format: "marked lines", packed, ..Manner::default() },
        })
    }
}

/// The pattern of the mark, bound to the beginning of a line.
fn pattern(form: &Form) -> Result<Regex, FileError> {
    let wrong = |message: String| FileError::Mark { message };
    let Some(mark) = &form.mark else {
        return Err(wrong("reviews.format = \"lines\" needs the mark before each text".into()));
    };
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
        loop {
            self.buffer.clear();
            let length = self
                .source
                .read_line(&mut self.buffer)
                .map_err(|error| FileError::reading(&self.file, self.manner.packed, error))?;
            if length == 0 {
                return Ok(None);
            }
            self.line += 1;
            if !self.buffer.trim().is_empty() {
                break;
            }
        }
        self.manner.rows += 1;
        let line = self.buffer.trim_end_matches(['\n', '\r']);
        let marked = self.mark.captures(line);
        let Some((whole, class)) = marked.as_ref().and_then(|found| Some((found.get(0)?, found.get(1)?)))
        else {
            return Ok(Some(Err(Refusal {
                file: self.file.clone(),
                line: self.line,
                column: None,
                expected: "a line that begins with the mark of a class (reviews.mark)".into(),
                found: format!("`{}`", line.chars().take(24).collect::<String>()),
            })));
        };
        record.clear();
        record.push_field(class.as_str());
        record.push_field(line[whole.end()..].trim());
        Ok(checked(record, &self.columns, &self.file, self.line))
    }

    fn manner(&self) -> Manner {
        self.manner.with(&self.decoded.borrow())
    }
}
