//! Writing so that nothing is lost: beside the place first, then renamed.

use std::fs;
use std::io::{BufWriter, Write};
use std::path::{Path, PathBuf};

use tempfile::NamedTempFile;
use xxhash_rust::xxh3::Xxh3;

use crate::error::FileError;

/// A file on its way: it takes its name only when it is whole.
pub struct Output {
    file: BufWriter<Hashed>,
    path: PathBuf,
}

/// A file that knows the fingerprint of what was written to it.
struct Hashed {
    file: NamedTempFile,
    hash: Box<Xxh3>,
    bytes: u64,
}

impl Write for Hashed {
    fn write(&mut self, bytes: &[u8]) -> std::io::Result<usize> {
        let length = self.file.write(bytes)?;
        self.hash.update(&bytes[..length]);
        self.bytes += length as u64;
        Ok(length)
    }

    fn flush(&mut self) -> std::io::Result<()> {
        self.file.flush()
    }
}

/// What was written to a file.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub struct Written {
    /// Its size.
    pub bytes: u64,
    /// The XXH3-64 of its bytes.
    pub xxh3: u64,
}

impl Output {
    /// Begins a file. Nothing is to be seen at `path` before [`finish`](Self::finish).
    ///
    /// # Errors
    /// If the folder of `path` is not there or cannot be written.
    pub fn create(path: impl AsRef<Path>) -> Result<Self, FileError> {
        let path = path.as_ref().to_path_buf();
        let folder = path.parent().filter(|folder| !folder.as_os_str().is_empty()).unwrap_or(Path::new("."));
        let file = NamedTempFile::new_in(folder).map_err(|error| FileError::io(&path, error))?;
        let file = Hashed { file, hash: Box::new(Xxh3::new()), bytes: 0 };
        Ok(Self { file: BufWriter::new(file), path })
    }

    /// Gives the file its name, in place of any that had it.
    ///
    /// # Errors
    /// If the disk is full or the name cannot be given.
    pub fn finish(self) -> Result<Written, FileError> {
        let fail = |error| FileError::io(&self.path, error);
        let Hashed { file, hash, bytes } =
            self.file.into_inner().map_err(|error| fail(error.into_error()))?;
        #[cfg(unix)]
        {
            // Temporary files are private; an output is as readable as any other file.
            use std::os::unix::fs::PermissionsExt;
            let mode = fs::Permissions::from_mode(0o644);
            file.as_file().set_permissions(mode).map_err(fail)?;
        }
        file.persist(&self.path).map_err(|error| fail(error.error))?;
        Ok(Written { bytes, xxh3: hash.digest() })
    }
}

impl Write for Output {
    fn write(&mut self, bytes: &[u8]) -> std::io::Result<usize> {
        self.file.write(bytes)
    }

    fn flush(&mut self) -> std::io::Result<()> {
        self.file.flush()
    }
}

/// Writes a whole file.
///
/// # Errors
/// As [`Output`].
pub fn write(path: impl AsRef<Path>, bytes: &[u8]) -> Result<(), FileError> {
    let path = path.as_ref();
    let mut output = Output::create(path)?;
    output.write_all(bytes).map_err(|error| FileError::io(path, error))?;
    output.finish()?;
    Ok(())
}

/// Makes a folder that must not be there yet, or be empty.
///
/// # Errors
/// If something is in it.
pub fn new_folder(path: impl AsRef<Path>, remedy: &str) -> Result<(), FileError> {
    let path = path.as_ref();
    let taken = match fs::read_dir(path) {
        Ok(mut entries) => entries.next().is_some(),
        Err(_) => path.exists(),
    };
    if taken {
        return Err(FileError::Exists { path: path.display().to_string(), remedy: remedy.into() });
    }
    fs::create_dir_all(path).map_err(|error| FileError::io(path, error))
}
