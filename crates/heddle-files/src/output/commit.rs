//! Several files take their names together or not at all.
//!
//! When all files of a call are whole, a record of them is written beside each place. When every
//! record is there, the files are as good as named: whoever looks at one of the places next
//! finishes what is left. Where a record is missing, nothing counts.

use std::fs::{self, File, OpenOptions};
use std::io::{Read, Write};
use std::path::{Path, PathBuf};

use serde::{Deserialize, Serialize};
use xxhash_rust::xxh3::Xxh3;

use super::identity::{Identity, folder_of, resolved};
use super::stage::{NEW, Staged, beside, sync_folder, under_way};
use super::written::Written;
use crate::error::FileError;

/// The ending of records.
const RECORD: &str = ".heddle-commit";

/// What takes its name together.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
struct Record {
    version: u32,
    files: Vec<Planned>,
}

/// A file that is to take its name: its place and what it holds.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
struct Planned {
    place: PathBuf,
    bytes: u64,
    xxh3: u64,
}

/// Gives files their names.
pub(crate) fn commit(mut done: Vec<(Staged, Written)>) -> Result<(), FileError> {
    if done.is_empty() {
        return Ok(());
    }
    for (staged, _) in &done {
        staged.file.sync_all().map_err(|error| FileError::io(&staged.target, error))?;
        if staged.target.is_dir() {
            return Err(FileError::IsFolder { path: staged.target.display().to_string() });
        }
    }
    let mut paths = under_way(); // a signal waits until all have their names
    let records = if done.len() > 1 { write_records(&done)? } else { Vec::new() };
    for (staged, _) in &mut done {
        staged.name(&mut paths).map_err(|error| FileError::io(&staged.target, error))?;
    }
    sync_folders(done.iter().map(|(staged, _)| staged.target.as_path()))?;
    records.iter().for_each(|(path, _)| drop(fs::remove_file(path)));
    drop(records); // and with them the locks
    drop(paths);
    Ok(())
}

fn sync_folders<'a>(targets: impl Iterator<Item = &'a Path>) -> Result<(), FileError> {
    let mut folders: Vec<&Path> = targets.map(folder_of).collect();
    folders.sort_unstable();
    folders.dedup();
    folders.iter().try_for_each(|folder| sync_folder(folder).map_err(|error| FileError::io(folder, error)))
}

/// Writes the record beside every place; whoever finds one waits for its lock.
fn write_records(done: &[(Staged, Written)]) -> Result<Vec<(PathBuf, File)>, FileError> {
    let planned = |(staged, written): &(Staged, Written)| Planned {
        place: staged.target.clone(),
        bytes: written.bytes,
        xxh3: written.xxh3,
    };
    let record = Record { version: 1, files: done.iter().map(planned).collect() };
    let odd = |_| FileError::OddName { path: done[0].0.target.display().to_string() };
    let text = serde_json::to_vec(&record).map_err(odd)?;
    let mut records: Vec<(PathBuf, File)> = Vec::new();
    for (staged, _) in done {
        let path = beside(&staged.target, RECORD);
        let written = (|| {
            let mut file = OpenOptions::new().write(true).create(true).truncate(true).open(&path)?;
            let _ = file.lock(); // without locks in the file system there is no one to wait for
            file.write_all(&text)?;
            file.sync_all()?;
            Ok(file)
        })();
        match written {
            Ok(file) => records.push((path, file)),
            Err(error) => {
                // The files are not named: as if nothing had been done.
                records.iter().for_each(|(path, _)| drop(fs::remove_file(path)));
                let _ = fs::remove_file(&path);
                return Err(FileError::io(&staged.target, error));
            }
        }
    }
    sync_folders(done.iter().map(|(staged, _)| staged.target.as_path()))?;
    Ok(records)
}

/// Finishes what a call that was killed had recorded for this place, or removes the record if it
/// was not complete. Nearly always there is none, which costs one look.
pub(crate) fn recover(path: &Path) -> Result<(), FileError> {
    let Ok(place) = resolved(path) else { return Ok(()) };
    let own = beside(&place, RECORD);
    if !own.exists() {
        return Ok(());
    }
    let fail = |error| FileError::io(&own, error);
    let mut file = match OpenOptions::new().read(true).write(true).open(&own) {
        Err(error) if error.kind() == std::io::ErrorKind::NotFound => return Ok(()),
        file => file.map_err(fail)?,
    };
    let _ = file.lock(); // a call that is naming its files right now is waited for
    if Identity::of_metadata(&file.metadata().map_err(fail)?, &own) != Identity::of(&own) {
        return Ok(());
    }
    let mut text = Vec::new();
    file.read_to_end(&mut text).map_err(fail)?;
    let record = serde_json::from_slice::<Record>(&text).ok().filter(|record| record.version == 1);
    let same = |planned: &Planned| {
        let text = fs::read(beside(&planned.place, RECORD)).ok();
        text.and_then(|text| serde_json::from_slice::<Record>(&text).ok()) == record
    };
    match &record {
        Some(whole) if whole.files.iter().all(same) => finish(whole)?,
        _ => fs::remove_file(&own).map_err(fail)?,
    }
    Ok(())
}

fn finish(record: &Record) -> Result<(), FileError> {
    for planned in &record.files {
        let staged = beside(&planned.place, NEW);
        if holds(&staged, planned) {
            fs::rename(&staged, &planned.place).map_err(|error| FileError::io(&planned.place, error))?;
        }
    }
    sync_folders(record.files.iter().map(|planned| planned.place.as_path()))?;
    for planned in &record.files {
        let _ = fs::remove_file(beside(&planned.place, RECORD));
    }
    Ok(())
}

/// Whether a file is the one that was recorded, to the last byte.
fn holds(path: &Path, planned: &Planned) -> bool {
    let Ok(mut file) = File::open(path) else { return false };
    if file.metadata().map_or(0, |data| data.len()) != planned.bytes {
        return false;
    }
    let (mut hash, mut buffer) = (Xxh3::new(), vec![0; 256 * 1024]);
    loop {
        match file.read(&mut buffer) {
            Ok(0) => return hash.digest() == planned.xxh3,
            Ok(length) => hash.update(&buffer[..length]),
            Err(_) => return false,
        }
    }
}
