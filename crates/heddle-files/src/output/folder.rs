//! A folder of results, made beside its place and moved there whole.

use std::fs::{self, File, TryLockError};
use std::io;
use std::path::{Path, PathBuf};

use super::identity::{folder_of, resolved};
use super::stage::{NEW, beside, sync_folder, under_way};
use crate::error::FileError;

/// What stands in a folder that is on its way, so that one that a killed call left is known.
pub const MARK: &str = ".heddle-folder";
/// The ending of a folder that is about to be replaced.
const OLD: &str = ".heddle-old";

/// A folder on its way. It is removed with all that was written to it when it is dropped before
/// it takes its name.
#[derive(Debug)]
pub struct StagedFolder {
    path: PathBuf,
    place: PathBuf,
    name: String,
    /// Held locked, so that no other call writes to the same place.
    _lock: File,
    moved: bool,
    /// A call that was killed had begun the same folder.
    begun_before: bool,
}

impl StagedFolder {
    /// Begins a folder that is to stand at `name`, where nothing may stand yet but an empty
    /// folder or, if it is to be replaced, one that was written here: one that `ours` knows.
    ///
    /// # Errors
    /// If something stands there, or another call is writing there.
    pub fn begin(name: &str, ours: Option<&dyn Fn(&Path) -> bool>, remedy: &str) -> Result<Self, FileError> {
        let fail = |error| FileError::io(name, error);
        let folder = folder_of(Path::new(name));
        fs::create_dir_all(folder).map_err(fail)?;
        let place = resolved(Path::new(name)).map_err(fail)?;
        restore(&place).map_err(fail)?;
        check_free(&place, name, ours, remedy)?;
        let path = beside(&place, NEW);
        let mut paths = under_way(); // a signal waits, so that it meets no folder that nobody knows of
        if let Err(error) = fs::create_dir(&path)
            && error.kind() != io::ErrorKind::AlreadyExists
        {
            return Err(fail(error));
        }
        let lock = File::open(&path).map_err(fail)?;
        if let Err(TryLockError::WouldBlock) = lock.try_lock() {
            return Err(FileError::Busy { path: name.into() });
        }
        let begun_before = path.join(MARK).exists();
        if begun_before {
            clear(&path);
        }
        if fs::read_dir(&path).map_err(fail)?.next().is_some() {
            let remedy = "it holds what was not written here; move it away".into();
            return Err(FileError::Exists { path: path.display().to_string(), remedy });
        }
        fs::write(path.join(MARK), b"").map_err(fail)?;
        paths.push(path.clone());
        drop(paths);
        Ok(Self { path, place, name: name.into(), _lock: lock, moved: false, begun_before })
    }

    /// The place of a file inside it, as long as the folder is on its way.
    pub fn inside(&self, name: &str) -> String {
        self.path.join(name).display().to_string()
    }

    /// The folder itself, as long as it is on its way.
    pub fn path(&self) -> &Path {
        &self.path
    }

    /// Whether a call that was killed had begun the same folder; what it left is gone.
    pub fn begun_before(&self) -> bool {
        self.begun_before
    }

    /// Gives the folder its name.
    ///
    /// # Errors
    /// If something stands there by now.
    pub fn finish(mut self) -> Result<(), FileError> {
        let fail = |error| FileError::io(&self.name, error);
        let mut paths = under_way();
        let old = beside(&self.place, OLD);
        let replaces = fs::read_dir(&self.place).is_ok_and(|mut entries| entries.next().is_some());
        if replaces {
            fs::rename(&self.place, &old).map_err(fail)?;
        }
        if let Err(error) = fs::rename(&self.path, &self.place) {
            if replaces {
                fs::rename(&old, &self.place).map_err(fail)?;
            }
            return Err(fail(error));
        }
        self.moved = true;
        let _ = fs::remove_file(self.place.join(MARK)); // an empty file that tells nothing more
        paths.retain(|path| *path != self.path);
        sync_folder(folder_of(&self.place)).map_err(fail)?;
        if replaces {
            clear(&old);
            let _ = fs::remove_dir(&old);
        }
        Ok(())
    }
}

impl Drop for StagedFolder {
    fn drop(&mut self) {
        if !self.moved {
            let mut paths = under_way();
            remove(&self.path);
            paths.retain(|path| *path != self.path);
        }
    }
}

/// Ends what a call that was killed had begun: an old folder whose place was not taken yet goes
/// back, and one whose place was taken goes.
fn restore(place: &Path) -> io::Result<()> {
    let old = beside(place, OLD);
    if !old.exists() {
        return Ok(());
    }
    if !place.exists() {
        return fs::rename(&old, place);
    }
    clear(&old);
    fs::remove_dir(&old)
}

/// Nothing may stand there but an empty folder, or one of ours that is to be replaced.
fn check_free(
    place: &Path,
    name: &str,
    ours: Option<&dyn Fn(&Path) -> bool>,
    remedy: &str,
) -> Result<(), FileError> {
    let taken = match fs::read_dir(place) {
        Ok(mut entries) => entries.next().is_some(),
        Err(_) => place.symlink_metadata().is_ok(),
    };
    if !taken || ours.is_some_and(|ours| ours(place)) {
        return Ok(());
    }
    let remedy = if ours.is_some() {
        "it holds files that no run has written, or that were changed since: move them away first"
    } else {
        remedy
    };
    Err(FileError::Exists { path: name.into(), remedy: remedy.into() })
}

/// Removes the files of a folder that is ours; folders inside it are left alone.
fn clear(folder: &Path) {
    let Ok(entries) = fs::read_dir(folder) else { return };
    for entry in entries.flatten() {
        let _ = fs::remove_file(entry.path()); // what stays is told when the folder cannot be removed
    }
}

/// Removes a folder that is on its way, with the files in it.
pub(super) fn remove(folder: &Path) {
    clear(folder);
    let _ = fs::remove_dir(folder); // not if somebody put a folder into it
}
