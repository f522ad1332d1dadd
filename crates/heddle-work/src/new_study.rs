//! A study that is written for the analyst to go on with.

use std::path::Path;

use heddle_core::settings::Study;
use heddle_files::{Role, STREAM, commented, folder_of};

use crate::error::{Result, fail};
use crate::session::Session;

/// A study is settled by hand: none is written over. Asked before any work is done.
pub fn check_free(path: Option<&String>) -> Result<()> {
    match path.filter(|path| Path::new(path).exists()) {
        Some(path) => fail!(Options, "{path} is there already and is not overwritten; name another file"),
        None => Ok(()),
    }
}

/// Writes a study with all its settings, each with what it means.
pub fn write(session: &Session, path: &str, mut study: Study) -> Result<()> {
    let here = std::env::current_dir()?;
    let folder = here.join(folder_of(Path::new(path)));
    for file in study.reviews.files.iter_mut().filter(|file| *file != STREAM) {
        // The files of a study are seen from its folder, so that both can move together.
        let seen = pathdiff::diff_paths(here.join(&*file), &folder);
        *file = seen.map_or(file.clone(), |seen| seen.display().to_string());
    }
    session.writes(Role::Study, path)?;
    session.outputs().write(path, commented(&study).as_bytes())?;
    Ok(())
}
