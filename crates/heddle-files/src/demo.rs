//! The demo files, carried inside the program.

use std::fs;
use std::io::Read;
use std::path::Path;

use flate2::read::GzDecoder;

use crate::error::FileError;
use crate::output::StagedFolder;

macro_rules! packed {
    ($($name:literal),+) => {
        &[$(($name, include_bytes!(concat!(env!("OUT_DIR"), "/", $name, ".gz")))),+]
    };
}

/// The demo files by name, gzip-packed.
const FILES: &[(&str, &[u8])] =
    packed!("crossings.csv", "new-reviews.csv", "contradictions.csv", "study.toml");

/// Unpacks the demo into a folder that must not be there yet, be empty, or hold the demo as it
/// was unpacked before; gives the names of the files.
///
/// # Errors
/// If something is in the folder, or it cannot be written.
pub fn unpack_demo(folder: &Path) -> Result<Vec<&'static str>, FileError> {
    if !FILES.iter().all(|(name, packed)| is_unpacked(&folder.join(name), packed)) {
        let name = folder.display().to_string();
        let staged = StagedFolder::begin(&name, None, "name another folder: heddle demo FOLDER")?;
        for (name, packed) in FILES {
            let path = staged.path().join(name);
            fs::write(&path, unpacked(packed)).map_err(|error| FileError::io(folder.join(name), error))?;
        }
        staged.finish()?;
    }
    Ok(FILES.iter().map(|(name, _)| *name).collect())
}

/// Whether a file of the demo stands there as it was unpacked.
fn is_unpacked(path: &Path, packed: &[u8]) -> bool {
    fs::read(path).is_ok_and(|bytes| bytes == unpacked(packed))
}

fn unpacked(packed: &[u8]) -> Vec<u8> {
    let mut bytes = Vec::new();
    GzDecoder::new(packed).read_to_end(&mut bytes).expect("the demo was packed when the program was built");
    bytes
}
