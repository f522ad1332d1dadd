//! Names of files that tell nothing of the machine they are on.

use std::path::Path;

/// A name as it is kept in models, about-files and ledgers: relative to the folder one stands in,
/// or without any folder where it is elsewhere. Names that are relative already are kept.
pub fn discreet(name: &str) -> String {
    let path = Path::new(name);
    if !path.is_absolute() {
        return name.into();
    }
    let here = std::env::current_dir().unwrap_or_default();
    let kept = path.strip_prefix(&here).ok().or_else(|| path.file_name().map(Path::new));
    kept.map_or(String::new(), |kept| kept.display().to_string())
}
