//! Files on their way: written beside their place under a name of their own.
//!
//! The name is the same at every call, so that it is a lock as well: whoever writes holds the
//! file locked, and what lies there unlocked was left by a call that was killed.

use std::ffi::OsString;
use std::fs::{self, File, OpenOptions, TryLockError};
use std::io;
use std::path::{Path, PathBuf};
use std::sync::{Mutex, MutexGuard, PoisonError};
use std::time::Duration;

use xxhash_rust::xxh3::xxh3_64;

use super::identity::{Identity, folder_of};
use crate::error::FileError;

/// The ending of files on their way.
pub(crate) const NEW: &str = ".heddle-new";
/// Longer names are shortened, so that the ending fits behind them.
const LONGEST_NAME: usize = 200;
/// A file that another call is just sweeping is free again after so many looks.
const LOOKS: u32 = 20;

/// The name beside a place: `.NAME.ENDING`.
pub(crate) fn beside(target: &Path, ending: &str) -> PathBuf {
    let name = target.file_name().unwrap_or_default();
    let mut hidden = OsString::from(".");
    if name.len() <= LONGEST_NAME {
        hidden.push(name);
    } else {
        hidden.push(format!("{:016x}", xxh3_64(name.as_encoded_bytes())));
    }
    hidden.push(ending);
    folder_of(target).join(hidden)
}

/// Every file and folder on its way in this process, for the day that it is told to stop.
static UNDER_WAY: Mutex<Vec<PathBuf>> = Mutex::new(Vec::new());

/// Holds stopping off while files take their names.
pub(crate) fn under_way() -> MutexGuard<'static, Vec<PathBuf>> {
    UNDER_WAY.lock().unwrap_or_else(PoisonError::into_inner)
}

/// Removes all that is not whole, before a process ends early. It waits for files that are just
/// taking their names, and afterwards none can: the process must end.
pub fn abandon() {
    let paths = under_way();
    // Threads that are just making a file wait for us with the next: one more look finds it.
    for _ in 0..3 {
        for path in paths.iter() {
            if path.is_dir() { super::folder::remove(path) } else { drop(fs::remove_file(path)) }
        }
        if paths.iter().all(|path| !path.exists()) {
            break;
        }
        std::thread::sleep(Duration::from_millis(2));
    }
    std::mem::forget(paths); // stays locked
}

/// A file on its way, removed when it is dropped before it takes its name.
#[derive(Debug)]
pub(crate) struct Staged {
    pub(crate) file: File,
    pub(crate) path: PathBuf,
    pub(crate) target: PathBuf,
    named: bool,
}

impl Staged {
    /// Begins a file that is to stand at `target`, a resolved place. Where another call writes
    /// to the same place, waits for it or fails.
    pub(crate) fn begin(target: &Path, wait: bool) -> Result<Self, FileError> {
        let path = beside(target, NEW);
        let fail = |error| FileError::io(target, error);
        let looks = if wait { u32::MAX } else { LOOKS };
        for _ in 0..looks {
            // A signal waits, so that it meets no file that nobody knows of yet.
            let mut paths = under_way();
            let file = open(&path).map_err(fail)?;
            let held = match file.try_lock() {
                Err(TryLockError::WouldBlock) => false,
                // A file system without locks cannot keep anybody apart.
                Ok(()) | Err(TryLockError::Error(_)) => true,
            };
            // Between opening and locking the file may have taken its name, or been swept.
            let same = Identity::of_metadata(&file.metadata().map_err(fail)?, &path) == Identity::of(&path);
            if held && same {
                paths.push(path.clone());
                drop(paths);
                let staged = Self { file, path, target: target.to_path_buf(), named: false };
                staged.file.set_len(0).map_err(fail)?;
                staged.keep_manner().map_err(fail)?;
                return Ok(staged);
            }
            drop(paths);
            if !held && wait {
                let _ = file.lock(); // until the other call ends; then all is looked at again
            } else if !held {
                std::thread::sleep(Duration::from_millis(10));
            }
        }
        Err(FileError::Busy { path: target.display().to_string() })
    }

    /// Gives the file the owner and the mode of the one that it replaces; a new file has what
    /// the umask leaves.
    #[cfg(unix)]
    fn keep_manner(&self) -> io::Result<()> {
        use std::os::unix::fs::{MetadataExt, PermissionsExt, fchown};
        let Ok(before) = fs::metadata(&self.target) else { return Ok(()) };
        let own = self.file.metadata()?;
        if (own.uid(), own.gid()) != (before.uid(), before.gid()) {
            // Only some may give files away; whoever may not owns what they write.
            let _ = fchown(&self.file, Some(before.uid()), Some(before.gid()));
        }
        self.file.set_permissions(fs::Permissions::from_mode(before.mode() & 0o7777))
    }

    #[cfg(not(unix))]
    fn keep_manner(&self) -> io::Result<()> {
        Ok(())
    }

    /// Gives the file its name. The caller holds stopping off.
    pub(crate) fn name(&mut self, paths: &mut Vec<PathBuf>) -> io::Result<()> {
        fs::rename(&self.path, &self.target)?;
        self.named = true;
        paths.retain(|path| *path != self.path);
        Ok(())
    }
}

impl Drop for Staged {
    fn drop(&mut self) {
        if !self.named {
            let mut paths = under_way();
            let _ = fs::remove_file(&self.path);
            paths.retain(|path| *path != self.path);
        }
    }
}

fn open(path: &Path) -> io::Result<File> {
    let mut options = OpenOptions::new();
    options.read(true).write(true).create(true).truncate(false);
    #[cfg(unix)]
    {
        // A link that somebody put there is not followed.
        use std::os::unix::fs::OpenOptionsExt;
        options.custom_flags(libc::O_NOFOLLOW);
    }
    options.open(path)
}

/// Removes what calls that were killed left in a folder: files of ours that nobody holds.
pub(crate) fn sweep(folder: &Path) {
    let Ok(entries) = fs::read_dir(folder) else { return };
    for entry in entries.flatten() {
        let name = entry.file_name();
        let name = name.as_encoded_bytes();
        if !name.starts_with(b".") || !name.ends_with(NEW.as_bytes()) {
            continue;
        }
        let path = entry.path();
        if path.is_dir() || under_way().contains(&path) {
            continue;
        }
        let Ok(file) = OpenOptions::new().write(true).open(&path) else { continue };
        // What a complete record speaks of is finished by whoever looks for it.
        let recorded = || path.with_extension("heddle-commit").exists();
        let same =
            || file.metadata().is_ok_and(|data| Identity::of_metadata(&data, &path) == Identity::of(&path));
        if file.try_lock().is_ok() && same() && !recorded() {
            let _ = fs::remove_file(&path); // a file that cannot be removed is in nobody's way
        }
    }
}

/// Makes the entries of a folder last.
pub(crate) fn sync_folder(folder: &Path) -> io::Result<()> {
    #[cfg(unix)]
    File::open(folder)?.sync_all()?;
    #[cfg(not(unix))]
    let _ = folder;
    Ok(())
}
