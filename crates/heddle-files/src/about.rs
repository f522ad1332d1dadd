//! What stands beside a file of rows that was written here: where it comes from, under
//! which rule and settings, and, of a holdout, how often it was opened.
//!
//! `docs/about-file.md` describes the format.

use std::collections::BTreeMap;
use std::fs;
use std::path::Path;

use heddle_core::settings::{Encoding, Form, Header, Quotes, Study};
use serde::{Deserialize, Serialize};

use crate::error::FileError;
use crate::output::{Outputs, Written, resolved};

/// The version of the format.
const VERSION: u32 = 1;
/// What is added to the name of a file.
const ENDING: &str = ".about.json";

/// What a file of rows is.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "lowercase")]
pub enum Holds {
    /// All labelled rows.
    Labelled,
    /// The part to learn from.
    Training,
    /// The part to choose settings on.
    Development,
    /// The part locked away for the last test.
    Holdout,
    /// Training rows whose class mix was changed.
    Balanced,
    /// Some of the rows, drawn at random.
    Sample,
}

/// A file that rows were taken from.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct Origins {
    /// The file, as it was named.
    pub file: String,
    /// The XXH3-64 of its bytes, in hexadecimal digits.
    pub xxh3: String,
}

/// One look at a holdout.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct Opening {
    /// When: RFC 3339, in UTC.
    pub time: String,
    /// The XXH3-64 of the model that was tried on it.
    pub model: String,
}

/// What stands beside a file.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct About {
    /// "about".
    pub heddle: String,
    /// The version of the format.
    pub version: u32,
    /// What the file is.
    pub holds: Holds,
    /// Rows in the file.
    pub rows: usize,
    /// Rows of each class, by its name.
    pub mix: BTreeMap<String, usize>,
    /// Rows of each class before the mix was changed; missing where it was not.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub natural: Option<BTreeMap<String, usize>>,
    /// The rule from values to classes, in words.
    pub rule: String,
    /// Every setting in force.
    pub settings: serde_json::Map<String, serde_json::Value>,
    /// Where the rows come from.
    pub sources: Vec<Origins>,
    /// The size of the file, in bytes.
    pub bytes: u64,
    /// The XXH3-64 of the file.
    pub xxh3: String,
    /// What stands in the rows of a part, wherever they are copied to; missing where rows carry
    /// nothing.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub part: Option<String>,
    /// The looks at a holdout, the first one first.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub openings: Vec<Opening>,
}

impl About {
    /// What is to be said of a file that was just written.
    pub fn new(
        holds: Holds,
        study: &Study,
        sources: Vec<Origins>,
        written: &Written,
        mix: BTreeMap<String, usize>,
    ) -> Self {
        let settings = study.settings();
        Self {
            heddle: "about".into(),
            version: VERSION,
            holds,
            rows: mix.values().sum(),
            mix,
            natural: None,
            rule: study.rule(false),
            settings: settings.into_iter().map(|(path, value)| (path, serde_json::json!(value))).collect(),
            sources,
            bytes: written.bytes,
            xxh3: format!("{:016x}", written.xxh3),
            part: None,
            openings: Vec::new(),
        }
    }

    /// The name of the file that stands beside another.
    pub fn name_beside(path: &str) -> String {
        // Of a link, beside the file that it leads to.
        let linked = fs::symlink_metadata(path).is_ok_and(|data| data.is_symlink());
        match resolved(Path::new(path)) {
            Ok(place) if linked => format!("{}{ENDING}", place.display()),
            _ => format!("{path}{ENDING}"),
        }
    }

    /// What stands beside a file, if anything does.
    ///
    /// # Errors
    /// If it cannot be read, or is not what it should be.
    pub fn beside(path: &str) -> Result<Option<Self>, FileError> {
        let name = Self::name_beside(path);
        if !Path::new(&name).is_file() {
            return Ok(None);
        }
        let bytes = fs::read(&name).map_err(|error| FileError::io(&name, error))?;
        Self::from_bytes(&name, &bytes).map(Some)
    }

    /// What the bytes of an about-file say.
    ///
    /// # Errors
    /// If they are not what they should be.
    pub fn from_bytes(name: &str, bytes: &[u8]) -> Result<Self, FileError> {
        let wrong = |message: String| FileError::About { path: name.into(), message };
        let about: Self = serde_json::from_slice(bytes).map_err(|error| wrong(error.to_string()))?;
        if about.version > VERSION {
            return Err(wrong(format!(
                "it has version {}, this Heddle reads up to {VERSION}",
                about.version
            )));
        }
        Ok(about)
    }

    /// Writes it beside a file; a stream has nothing beside it.
    ///
    /// # Errors
    /// If the folder cannot be written.
    pub fn put_beside(&self, outputs: &Outputs, path: &str) -> Result<(), FileError> {
        if outputs.is_file(path) {
            outputs.write(&Self::name_beside(path), &self.to_bytes())?;
        }
        Ok(())
    }

    /// The bytes of the about-file.
    pub fn to_bytes(&self) -> Vec<u8> {
        let mut text = serde_json::to_vec_pretty(self).expect("it holds only strings, numbers and lists");
        text.push(b'\n');
        text
    }

    /// Whether a file is still the one that was written, as far as its size tells.
    pub fn fits(&self, path: &str) -> bool {
        fs::metadata(path).is_ok_and(|data| data.len() == self.bytes)
    }

    /// How a file is to be read that was written here; nothing if it was not, or was
    /// changed since.
    pub(crate) fn form_of(path: &str, form: &Form) -> Result<Option<Form>, FileError> {
        let Some(about) = Self::beside(path)? else { return Ok(None) };
        let ours = Form {
            header: Header::Yes,
            quotes: Quotes::Csv,
            encoding: Encoding::Utf8,
            limits: form.limits,
            ..Form::default()
        };
        Ok(about.fits(path).then_some(ours))
    }
}

/// The files of a folder that are holdouts by what stands beside them, in the order of their names.
///
/// # Errors
/// If the folder or one of its about-files cannot be read.
pub fn holdouts_in(folder: &Path) -> Result<Vec<String>, FileError> {
    let cannot = |error| FileError::io(folder.display().to_string(), error);
    let mut found = Vec::new();
    for entry in fs::read_dir(folder).map_err(cannot)? {
        let path = entry.map_err(cannot)?.path().display().to_string();
        let Some(rows) = path.strip_suffix(ENDING) else { continue };
        if About::beside(rows)?.is_some_and(|about| about.holds == Holds::Holdout) {
            found.push(rows.to_string());
        }
    }
    found.sort();
    Ok(found)
}
