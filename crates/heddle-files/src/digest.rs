//! Fingerprints of files.

use std::fs::{self, File};
use std::io::Read;
use std::path::{Path, PathBuf};

use xxhash_rust::xxh3::{Xxh3, xxh3_64};

use crate::error::FileError;

/// The XXH3-64 of some bytes, in hexadecimal digits.
pub fn digest(bytes: &[u8]) -> String {
    format!("{:016x}", xxh3_64(bytes))
}

/// The XXH3-64 of the bytes of a file, in hexadecimal digits; of a folder, that of all its
/// files in the order of their paths. It tells whether data are the same, not whether
/// somebody wanted them to look so.
///
/// # Errors
/// If something cannot be read.
pub fn digest_of(path: &str) -> Result<String, FileError> {
    let mut hash = Xxh3::new();
    add(Path::new(path), &mut hash)?;
    Ok(format!("{:016x}", hash.digest()))
}

fn add(path: &Path, hash: &mut Xxh3) -> Result<(), FileError> {
    let fail = |error| FileError::io(path, error);
    if path.is_dir() {
        let entries = fs::read_dir(path).map_err(fail)?;
        let mut paths: Vec<PathBuf> =
            entries.map(|entry| entry.map(|entry| entry.path())).collect::<Result<_, _>>().map_err(fail)?;
        paths.sort();
        return paths.iter().try_for_each(|path| add(path, hash));
    }
    let mut file = File::open(path).map_err(fail)?;
    let mut buffer = vec![0; 256 * 1024];
    loop {
        match file.read(&mut buffer).map_err(fail)? {
            0 => return Ok(()),
            length => hash.update(&buffer[..length]),
        }
    }
}
