//! Whether two names mean one file, whatever links lie between.

use std::fs::{self, Metadata};
use std::io;
use std::path::{Path, PathBuf};

/// What a name means: a file that is there, or a place in a folder where one may be.
#[derive(Debug, Clone, PartialEq, Eq, Hash)]
pub(crate) enum Identity {
    /// Device and number of a file or folder.
    There(u64, u64),
    /// Not there yet: the resolved place.
    Free(PathBuf),
}

impl Identity {
    /// Follows every link.
    pub(crate) fn of(path: &Path) -> Self {
        match fs::metadata(path) {
            Ok(data) => Self::of_metadata(&data, path),
            Err(_) => Self::Free(resolved(path).unwrap_or_else(|_| path.to_path_buf())),
        }
    }

    /// Of an open file.
    #[cfg(unix)]
    pub(crate) fn of_metadata(data: &Metadata, _path: &Path) -> Self {
        use std::os::unix::fs::MetadataExt;
        Self::There(data.dev(), data.ino())
    }

    /// Where the system has no numbers for files, a resolved name is the next best.
    #[cfg(not(unix))]
    pub(crate) fn of_metadata(_data: &Metadata, path: &Path) -> Self {
        Self::Free(resolved(path).unwrap_or_else(|_| path.to_path_buf()))
    }
}

/// Where a name leads: the folder resolved, and links of the last part followed to where a file
/// is or will be.
pub(crate) fn resolved(path: &Path) -> io::Result<PathBuf> {
    const LINKS: usize = 40; // as many as the system follows
    let mut place = path.to_path_buf();
    for _ in 0..LINKS {
        let folder = fs::canonicalize(folder_of(&place))?;
        let Some(name) = place.file_name() else { return fs::canonicalize(&place) };
        let here = folder.join(name);
        match fs::read_link(&here) {
            Ok(target) => place = folder.join(target),
            Err(_) => return Ok(here),
        }
    }
    Err(io::Error::other("too many links"))
}

/// The folder that a file stands in.
pub fn folder_of(path: &Path) -> &Path {
    let folder = path.parent().filter(|folder| !folder.as_os_str().is_empty());
    folder.unwrap_or(Path::new("."))
}
