//! Where the bytes of reviews are: in a file, or in a copy of a stream.

use std::fs::{self, File};
use std::io::{self, Read, Seek, SeekFrom, Write};
use std::path::Path;
use std::sync::{Arc, OnceLock};
use std::time::SystemTime;

use parquet::errors::Result as ParquetResult;
use parquet::file::reader::{ChunkReader, Length};
use xxhash_rust::xxh3::Xxh3;

use crate::digest::digest_of;
use crate::error::FileError;
use crate::output::STREAM;

/// What standard input is called.
pub(crate) const STANDARD_INPUT: &str = "standard input";

/// Something that can be read any number of times.
#[derive(Clone)]
pub(crate) struct Source {
    /// What it is called.
    pub name: String,
    place: Place,
    /// What the file was at the first look: it must be the same at the next.
    seen: Arc<OnceLock<Stamp>>,
}

#[derive(Clone)]
enum Place {
    File(String),
    /// A stream, copied to a file that has no name: nothing of it stays, whatever ends the call.
    Copy(Arc<Copied>),
}

struct Copied {
    file: File,
    xxh3: u64,
}

/// What tells whether a file was changed.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
struct Stamp {
    bytes: u64,
    changed: Option<SystemTime>,
}

impl Stamp {
    fn of(data: &fs::Metadata) -> Self {
        Self { bytes: data.len(), changed: data.modified().ok() }
    }
}

impl Source {
    /// A file or folder, or "-" for standard input. Pipes are copied, since they are read once.
    pub(crate) fn of(path: &str) -> Result<Self, FileError> {
        if path == STREAM {
            return Self::copy(STANDARD_INPUT, Box::new(io::stdin()));
        }
        match fs::metadata(path) {
            Ok(data) if !data.is_file() && !data.is_dir() => {
                let stream = File::open(path).map_err(|error| FileError::io(path, error))?;
                Self::copy(path, Box::new(stream))
            }
            _ => Ok(Self::named(path, path)),
        }
    }

    /// A file that is called otherwise than the place it is at.
    pub(crate) fn named(name: &str, path: &str) -> Self {
        Self { name: name.into(), place: Place::File(path.into()), seen: Arc::default() }
    }

    /// What comes out of a stream, so that it can be read again.
    pub(crate) fn copy(name: &str, mut stream: Box<dyn Read>) -> Result<Self, FileError> {
        let fail = |error| FileError::io(name, error);
        let mut file = tempfile::tempfile().map_err(fail)?;
        let (mut hash, mut buffer) = (Xxh3::new(), vec![0; 256 * 1024]);
        loop {
            let length = match stream.read(&mut buffer) {
                Err(error) if error.kind() == io::ErrorKind::Interrupted => continue,
                read => read.map_err(fail)?,
            };
            if length == 0 {
                break;
            }
            hash.update(&buffer[..length]);
            file.write_all(&buffer[..length]).map_err(fail)?;
        }
        let place = Place::Copy(Arc::new(Copied { file, xxh3: hash.digest() }));
        Ok(Self { name: name.into(), place, seen: Arc::default() })
    }

    /// The path, if it is at one.
    pub(crate) fn path(&self) -> Option<&str> {
        match &self.place {
            Place::File(path) => Some(path),
            Place::Copy(_) => None,
        }
    }

    pub(crate) fn is_folder(&self) -> bool {
        self.path().is_some_and(|path| Path::new(path).is_dir())
    }

    /// Its bytes from the beginning.
    pub(crate) fn open(&self) -> Result<Bytes, FileError> {
        let path = match &self.place {
            Place::Copy(copied) => return Ok(Bytes { file: Held::Copy(Arc::clone(copied)), at: 0 }),
            Place::File(path) => path,
        };
        let fail = |error| FileError::io(&self.name, error);
        let file = File::open(path).map_err(fail)?;
        let stamp = Stamp::of(&file.metadata().map_err(fail)?);
        if *self.seen.get_or_init(|| stamp) != stamp {
            return Err(FileError::Changed { path: self.name.clone() });
        }
        Ok(Bytes { file: Held::File(Arc::new(file)), at: 0 })
    }

    /// The fingerprint of its bytes.
    pub(crate) fn digest(&self) -> Result<String, FileError> {
        match &self.place {
            Place::Copy(copied) => Ok(format!("{:016x}", copied.xxh3)),
            Place::File(path) => digest_of(path),
        }
    }
}

/// Bytes that can be read from any place; several readers of one file do not disturb each other.
#[derive(Clone)]
pub(crate) struct Bytes {
    file: Held,
    at: u64,
}

#[derive(Clone)]
enum Held {
    File(Arc<File>),
    Copy(Arc<Copied>),
}

impl Bytes {
    fn file(&self) -> &File {
        match &self.file {
            Held::File(file) => file,
            Held::Copy(copied) => &copied.file,
        }
    }

    /// The bytes from a place on.
    pub(crate) fn from(&self, at: u64) -> Self {
        Self { file: self.file.clone(), at }
    }
}

impl Read for Bytes {
    fn read(&mut self, buffer: &mut [u8]) -> io::Result<usize> {
        let length = read_at(self.file(), buffer, self.at)?;
        self.at += length as u64;
        Ok(length)
    }
}

impl Seek for Bytes {
    fn seek(&mut self, to: SeekFrom) -> io::Result<u64> {
        let place = match to {
            SeekFrom::Start(place) => Some(place),
            SeekFrom::End(by) => self.len().checked_add_signed(by),
            SeekFrom::Current(by) => self.at.checked_add_signed(by),
        };
        self.at = place.ok_or_else(|| io::Error::from(io::ErrorKind::InvalidInput))?;
        Ok(self.at)
    }
}

#[cfg(unix)]
fn read_at(file: &File, buffer: &mut [u8], at: u64) -> io::Result<usize> {
    std::os::unix::fs::FileExt::read_at(file, buffer, at)
}

#[cfg(windows)]
fn read_at(file: &File, buffer: &mut [u8], at: u64) -> io::Result<usize> {
    std::os::windows::fs::FileExt::seek_read(file, buffer, at)
}

impl Length for Bytes {
    fn len(&self) -> u64 {
        self.file().metadata().map_or(0, |data| data.len())
    }
}

impl ChunkReader for Bytes {
    type T = io::BufReader<Self>;

    fn get_read(&self, start: u64) -> ParquetResult<Self::T> {
        Ok(io::BufReader::new(self.from(start)))
    }

    fn get_bytes(&self, start: u64, length: usize) -> ParquetResult<bytes::Bytes> {
        let there = self.len().saturating_sub(start);
        if length as u64 > there {
            return Err(parquet::errors::ParquetError::EOF(format!(
                "{length} bytes are to stand at {start}, and {there} do"
            )));
        }
        let mut buffer = vec![0; length];
        self.from(start).read_exact(&mut buffer)?;
        Ok(buffer.into())
    }
}
