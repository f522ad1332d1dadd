//! The demo files, carried inside the program.

use std::io::Read;
use std::path::Path;

use flate2::read::GzDecoder;

use crate::error::FileError;
use crate::place;

macro_rules! packed {
    ($($name:literal),+) => {
        &[$(($name, include_bytes!(concat!(env!("OUT_DIR"), "/", $name, ".gz")))),+]
    };
}

/// The demo files by name, gzip-packed.
const FILES: &[(&str, &[u8])] =
    packed!("crossings.csv", "new-reviews.csv", "contradictions.csv", "study.toml");

/// Unpacks the demo into a folder that must not be there yet, or be empty; gives the names
/// of the files.
///
/// # Errors
/// If something is in the folder, or it cannot be written.
pub fn unpack_demo(folder: &Path) -> Result<Vec<&'static str>, FileError> {
    place::new_folder(folder, "name another folder: heddle demo FOLDER")?;
    for (name, packed) in FILES {
        let path = folder.join(name);
        let mut bytes = Vec::new();
        GzDecoder::new(*packed).read_to_end(&mut bytes).map_err(|error| FileError::io(&path, error))?;
        place::write(&path, &bytes)?;
    }
    Ok(FILES.iter().map(|(name, _)| *name).collect())
}
