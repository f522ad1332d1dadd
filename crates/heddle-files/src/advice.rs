//! What to do where the system refuses a file.

use std::fs;
use std::io::{self, ErrorKind};
use std::path::Path;

use heddle_core::settings::nearest;

use crate::output::identity::folder_of;

/// What the system says, of the same kind, with what to do about it where that is known.
pub(crate) fn advised(path: &Path, error: io::Error) -> io::Error {
    match advice(path, error.kind()) {
        Some(advice) => io::Error::new(error.kind(), format!("{error}; {advice}")),
        None => error,
    }
}

fn advice(path: &Path, kind: ErrorKind) -> Option<String> {
    Some(match kind {
        ErrorKind::NotFound => missing(path)?,
        ErrorKind::NotADirectory => {
            let file = path.ancestors().find(|above| above.is_file())?;
            format!("{} is a file and holds no others: name it itself", file.display())
        }
        ErrorKind::PermissionDenied => "allow it with chmod or chown, or name another file".into(),
        ErrorKind::StorageFull | ErrorKind::QuotaExceeded => {
            "make room there, or name a file elsewhere".into()
        }
        ErrorKind::ReadOnlyFilesystem => "name a file elsewhere".into(),
        _ => return None,
    })
}

/// What may have been meant by a name that is not there.
fn missing(path: &Path) -> Option<String> {
    if path.is_symlink() {
        return Some("it is a link to a file that is not there".into());
    }
    let folder = folder_of(path);
    let Ok(entries) = fs::read_dir(folder) else {
        return Some(format!("there is no folder {}: look at its name", folder.display()));
    };
    let mut names: Vec<String> =
        entries.flatten().filter_map(|entry| entry.file_name().into_string().ok()).collect();
    // Folders list their files in no order.
    names.sort_unstable();
    let meant = nearest(path.file_name()?.to_str()?, names.iter().map(String::as_str));
    Some(match meant {
        Some(meant) => format!("did you mean `{}`?", path.with_file_name(meant).display()),
        None if folder == Path::new(".") => "no file in this folder has a like name".into(),
        None => format!("no file in {} has a like name", folder.display()),
    })
}
