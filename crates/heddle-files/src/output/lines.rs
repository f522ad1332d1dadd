//! Files that grow by a line of JSON a time: ledgers and finished runs.

use std::fs::{File, OpenOptions};
use std::io::{Read, Seek, SeekFrom, Write};

use serde::Serialize;
use serde::de::DeserializeOwned;

use crate::error::FileError;

/// What stands in such a file.
#[derive(Debug, Clone, PartialEq)]
pub struct Noted<T> {
    /// What could be read, in the order of the file.
    pub entries: Vec<T>,
    /// Lines that could not: the line, from 1, and why.
    pub damaged: Vec<(usize, String)>,
}

/// Adds a line. Calls that write to one file wait for each other; a last line that was cut off is
/// ended first, so that it swallows nothing.
///
/// # Errors
/// If the file cannot be written.
pub fn append<T: Serialize>(path: &str, entry: &T) -> Result<(), FileError> {
    let fail = |error| FileError::io(path, error);
    let mut line = serde_json::to_vec(entry).map_err(|error| fail(error.into()))?;
    line.push(b'\n');
    let mut file = OpenOptions::new().create(true).append(true).read(true).open(path).map_err(fail)?;
    let _ = file.lock(); // where a file system has no locks, whole lines are still appended at once
    if !ends_whole(&mut file).map_err(fail)? {
        line.insert(0, b'\n');
    }
    file.write_all(&line).and_then(|()| file.sync_data()).map_err(fail)
}

/// Reads all lines; nothing if there is no file.
///
/// # Errors
/// If the file cannot be read.
pub fn read_noted<T: DeserializeOwned>(path: &str) -> Result<Option<Noted<T>>, FileError> {
    let mut bytes = Vec::new();
    match File::open(path) {
        Err(error) if error.kind() == std::io::ErrorKind::NotFound => return Ok(None),
        file => file
            .and_then(|mut file| file.read_to_end(&mut bytes))
            .map_err(|error| FileError::io(path, error))?,
    };
    let mut noted = Noted { entries: Vec::new(), damaged: Vec::new() };
    for (at, line) in bytes.split(|byte| *byte == b'\n').enumerate() {
        if line.iter().all(u8::is_ascii_whitespace) {
            continue;
        }
        match serde_json::from_slice(line) {
            Ok(entry) => noted.entries.push(entry),
            Err(error) => noted.damaged.push((at + 1, error.to_string())),
        }
    }
    Ok(Some(noted))
}

/// Whether the last line was written to its end.
fn ends_whole(file: &mut File) -> std::io::Result<bool> {
    if file.metadata()?.len() == 0 {
        return Ok(true);
    }
    file.seek(SeekFrom::End(-1))?;
    let mut last = [0];
    file.read_exact(&mut last)?;
    Ok(last == *b"\n")
}
