//! A folder for each class, a file for each text.

use std::fs::{self, File};
use std::io::Read;
use std::path::{Path, PathBuf};

use csv::StringRecord;
use heddle_core::Choice;
use heddle_core::settings::Form;

use super::bytes::{Decoder, unpacked};
use super::column::Column;
use super::lines::{CLASS, TEXT};
use super::rows::{FileFormat, Manner, Next, Refusal, Rows, checked};
use crate::error::FileError;

/// The texts of a folder, in the order of their paths.
pub(crate) struct Folder {
    columns: [Column; 3],
    files: std::vec::IntoIter<PathBuf>,
    folder: PathBuf,
    current: String,
    form: Form,
    manner: Manner,
}

impl Folder {
    pub(crate) fn new(path: &str, form: &Form) -> Result<Self, FileError> {
        let folder = Path::new(path);
        let mut files = Vec::new();
        for entry in listed(folder)? {
            match entry.is_dir() {
                true => files.extend(listed(&entry)?),
                false => files.push(entry),
            }
        }
        if files.is_empty() {
            return Err(FileError::Empty { path: path.into(), found: "the folder holds no text" });
        }
        Ok(Self {
            columns: [Column::text("file"), Column::text(CLASS), Column::text(TEXT)],
            files: files.into_iter(),
            folder: folder.into(),
            current: path.into(),
            form: form.clone(),
            manner: Manner { file: path.into(), format: FileFormat::Folder, ..Manner::default() },
        })
    }

    fn refuse(&self, expected: &str, found: String) -> Refusal {
        Refusal { file: self.current.clone(), line: 1, column: None, expected: expected.into(), found }
    }

    /// The text of a file, or what stands in the way.
    fn text(&mut self, path: &Path) -> Result<String, String> {
        let file = File::open(path).map_err(|error| error.to_string())?;
        let limits = self.form.limits;
        let (source, packed) = unpacked(Box::new(file), limits).map_err(|error| error.to_string())?;
        self.manner.packed = self.manner.packed.or(packed);
        let (decoder, decoded) = Decoder::new(source, self.form.encoding);
        let mut text = String::new();
        let most = limits.row_bytes();
        decoder.take(most + 1).read_to_string(&mut text).map_err(|error| error.to_string())?;
        if text.len() as u64 > most {
            return Err(format!("more than {} MiB (reviews.row_limit)", limits.row));
        }
        let seen = decoded.borrow();
        self.manner.replaced += seen.replaced;
        self.manner.first_replaced = self.manner.first_replaced.or(seen.first_replaced);
        self.manner.single += seen.single;
        self.manner.first_single = self.manner.first_single.or(seen.first_single);
        self.manner.encoding = self.manner.encoding.or(Some(seen.encoding.name()));
        Ok(text)
    }
}

/// What is in a folder, sorted; hidden files are not looked at.
fn listed(folder: &Path) -> Result<Vec<PathBuf>, FileError> {
    let entries = fs::read_dir(folder).map_err(|error| FileError::io(folder, error))?;
    let mut paths = entries
        .map(|entry| entry.map(|entry| entry.path()))
        .collect::<Result<Vec<PathBuf>, _>>()
        .map_err(|error| FileError::io(folder, error))?;
    let hidden = |path: &PathBuf| path.file_name().is_some_and(|name| name.as_encoded_bytes()[0] == b'.');
    paths.retain(|path| !hidden(path));
    paths.sort();
    Ok(paths)
}

impl Rows for Folder {
    fn columns(&self) -> &[Column] {
        &self.columns
    }

    fn next(&mut self, record: &mut StringRecord) -> Result<Next, FileError> {
        let Some(path) = self.files.next() else { return Ok(None) };
        self.manner.rows += 1;
        self.current = path.display().to_string();
        let inside = path.strip_prefix(&self.folder).unwrap_or(&path).to_path_buf();
        let class = inside.parent().and_then(Path::file_name).map(|name| name.display().to_string());
        let Some(class) = class else {
            let refusal =
                self.refuse("a text inside the folder of its class", "a file beside the folders".into());
            return Ok(Some(Err(refusal)));
        };
        if path.to_str().is_none() {
            let refusal = self.refuse("a file name in UTF-8", "one that is none: rename it".into());
            return Ok(Some(Err(refusal)));
        }
        if path.is_dir() {
            let refusal = self.refuse("a text", "a folder inside the folder of a class".into());
            return Ok(Some(Err(refusal)));
        }
        let text = match self.text(&path) {
            Ok(text) => text,
            Err(error) => return Ok(Some(Err(self.refuse("a text", error)))),
        };
        record.clear();
        record.push_field(&inside.display().to_string());
        record.push_field(&class);
        record.push_field(&text);
        Ok(checked(record, &self.columns, &self.current, 1))
    }

    fn manner(&self) -> Manner {
        self.manner.clone()
    }

    fn inner_file(&self) -> Option<&str> {
        Some(&self.current)
    }
}
