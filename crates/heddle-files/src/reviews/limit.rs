//! How much of a file is taken in: what is beyond is an error or a refusal, never memory.

use std::cell::Cell;
use std::collections::HashSet;
use std::io::{self, BufRead, Read};
use std::rc::Rc;

use heddle_core::settings::Limits;

use super::column::Column;
use crate::error::{FileError, Stop};

/// Unpacked data below this size are no danger, whatever they were packed to.
const HARMLESS: u64 = 64 * 1024 * 1024;

/// A source that counts what is taken from it.
pub(crate) struct Counted<R> {
    pub(crate) source: R,
    pub(crate) taken: Rc<Cell<u64>>,
}

impl<R: Read> Read for Counted<R> {
    fn read(&mut self, buffer: &mut [u8]) -> io::Result<usize> {
        let length = self.source.read(buffer)?;
        self.taken.set(self.taken.get() + length as u64);
        Ok(length)
    }
}

/// Unpacked data that may not become too large for what they were packed to.
pub(crate) struct Bounded<R> {
    pub(crate) source: R,
    pub(crate) packed: Rc<Cell<u64>>,
    pub(crate) given: u64,
    pub(crate) limits: Limits,
}

impl<R: Read> Read for Bounded<R> {
    fn read(&mut self, buffer: &mut [u8]) -> io::Result<usize> {
        let length = self.source.read(buffer)?;
        self.given += length as u64;
        let (packed, unpacked) = (self.packed.get(), self.given);
        if unpacked > HARMLESS && unpacked / self.limits.unpacking > packed {
            return Err(Stop::Unpacking { limits: self.limits, packed, unpacked }.error());
        }
        Ok(length)
    }
}

/// An archive may not say that it unpacks to too much.
pub(crate) fn check_unpacked(
    file: &str,
    (packed, unpacked): (u64, u64),
    limits: &Limits,
) -> Result<(), FileError> {
    if unpacked > HARMLESS && unpacked / limits.unpacking > packed {
        let stop = Stop::Unpacking { limits: *limits, packed, unpacked }.error();
        return Err(FileError::reading(file, None, stop));
    }
    Ok(())
}

/// What is expected of a row that is longer than allowed.
pub(crate) fn too_long(limits: &Limits) -> String {
    format!("a row of at most {} MiB (reviews.row_limit)", limits.row)
}

/// A file may not have too many columns, nor two of one name.
pub(crate) fn check_columns(file: &str, columns: &[Column], limits: &Limits) -> Result<(), FileError> {
    if columns.len() as u64 > limits.columns {
        return Err(FileError::Limit {
            path: file.into(),
            line: None,
            found: format!("it has {} columns, and {} are allowed", columns.len(), limits.columns),
            key: "reviews.column_limit",
            raised: columns.len() as u64,
        });
    }
    let mut names = HashSet::new();
    match columns.iter().find(|column| !names.insert(column.name.as_str())) {
        Some(column) => Err(FileError::SameColumn { path: file.into(), column: column.name.clone() }),
        None => Ok(()),
    }
}

/// A line as far as the limits allow: whether it was longer, and whether there was any.
pub(crate) enum Line {
    End,
    Whole,
    TooLong,
}

/// Reads a line with its line feed into `text`. Of one that is too long nothing is kept, and the
/// source stands behind it.
pub(crate) fn read_line(source: &mut impl BufRead, text: &mut Vec<u8>, limits: &Limits) -> io::Result<Line> {
    text.clear();
    let most = limits.row_bytes();
    if source.by_ref().take(most).read_until(b'\n', text)? == 0 {
        return Ok(Line::End);
    }
    if (text.len() as u64) < most || text.ends_with(b"\n") {
        return Ok(Line::Whole);
    }
    text.clear();
    source.skip_until(b'\n')?;
    Ok(Line::TooLong)
}
