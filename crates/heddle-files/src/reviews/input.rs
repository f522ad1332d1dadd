//! The files that were named: patterns, standard input, formats, one row after the other.

use std::collections::{BTreeSet, HashMap};
use std::fs;
use std::io::{self, Cursor, Read};
use std::path::{Path, PathBuf};

use csv::StringRecord;
use heddle_core::settings::{Form, Format};

use super::bytes::unpacked;
use super::column::Column;
use super::csv::Delimited;
use super::folder::Folder;
use super::json::{self, Json, Layout};
use super::lines::Lines;
use super::parquet::Parquet;
use super::rows::{Manner, Next, Rows};
use super::source::{STANDARD_INPUT, Source};
use crate::about::{About, Origins};
use crate::discreet::discreet;
use crate::error::FileError;
use crate::output::{Identity, STREAM, folder_of, recover};

/// How much is looked at to tell a format.
const HEAD: u64 = 4096;

/// Review files that can be read any number of times.
#[derive(Clone)]
pub struct Input {
    files: Vec<Source>,
    form: Form,
}

impl Input {
    /// Finds the files of `paths`: names, folders, patterns such as `2025-*.csv`, and "-" for
    /// standard input. What can be read once only is copied, so that it can be read again.
    ///
    /// # Errors
    /// If a pattern fits no file, a file is named twice, or standard input cannot be copied.
    pub fn gather<S: AsRef<str>>(paths: &[S], form: &Form) -> Result<Self, FileError> {
        let mut files: Vec<Source> = Vec::new();
        let mut known: HashMap<Identity, String> = HashMap::new();
        for path in paths.iter().map(AsRef::as_ref) {
            let is_pattern = path.contains(['*', '?', '[']) && !Path::new(path).exists();
            for found in if is_pattern { fitting(path)? } else { vec![path.to_string()] } {
                let identity = match found.as_str() {
                    STREAM => Identity::Free(STREAM.into()),
                    found => {
                        recover(Path::new(found))?;
                        Identity::of(Path::new(found))
                    }
                };
                if let Some(other) = known.insert(identity, found.clone()) {
                    return Err(FileError::NamedTwice { path: found, other });
                }
                files.push(Source::of(&found)?);
            }
        }
        Ok(Self { files, form: form.clone() })
    }

    /// One file that is shown under another name than the place it is at.
    pub fn named(name: &str, path: &str, form: &Form) -> Self {
        Self { files: vec![Source::named(name, path)], form: form.clone() }
    }

    /// The names of the files.
    pub fn names(&self) -> impl Iterator<Item = &str> {
        self.files.iter().map(|file| file.name.as_str())
    }

    /// Where the files are; of a copied stream there is no such place.
    pub fn paths(&self) -> impl Iterator<Item = &str> {
        self.files.iter().filter_map(Source::path)
    }

    /// Whether every file is at a place of its own, rather than a copied stream.
    pub fn all_have_paths(&self) -> bool {
        self.files.iter().all(|file| file.path().is_some())
    }

    /// The fingerprints of the files.
    ///
    /// # Errors
    /// If one of them cannot be read.
    pub fn digests(&self) -> Result<Vec<String>, FileError> {
        self.files.iter().map(Source::digest).collect()
    }

    /// The files with their fingerprints.
    ///
    /// # Errors
    /// If one of them cannot be read.
    pub fn origins(&self) -> Result<Vec<Origins>, FileError> {
        let origin = |file: &Source| Ok(Origins { file: discreet(&file.name), xxh3: file.digest()? });
        self.files.iter().map(origin).collect()
    }

    /// Reads the rows of all files from the beginning.
    ///
    /// # Errors
    /// If the first file cannot be read.
    pub fn rows(&self) -> Result<Reviews, FileError> {
        let mut rest = self.files.clone().into_iter();
        let first = rest.next().map(|file| open(&file, &self.form)).transpose()?;
        let columns = first.as_ref().map_or(Vec::new(), |rows| rows.columns().to_vec());
        let name = self.files.first().map_or(String::new(), |file| file.name.clone());
        Ok(Reviews {
            form: self.form.clone(),
            rest,
            current: first,
            columns,
            order: None,
            first: name.clone(),
            name,
            manners: Vec::new(),
            spare: StringRecord::new(),
            needed: None,
        })
    }
}

/// The rows of several files, one after the other. All files have the same columns; their
/// order may differ.
pub struct Reviews {
    form: Form,
    rest: std::vec::IntoIter<Source>,
    current: Option<Box<dyn Rows>>,
    columns: Vec<Column>,
    /// Where the columns of the first file stand in the present one, if not in order.
    order: Option<Vec<usize>>,
    first: String,
    name: String,
    manners: Vec<Manner>,
    spare: StringRecord,
    /// The columns whose cells are needed, if not all are.
    needed: Option<Vec<usize>>,
}

impl Reviews {
    /// Reads one file, or standard input as it comes for "-".
    ///
    /// # Errors
    /// If it cannot be read.
    pub fn open(path: &str, form: &Form) -> Result<Self, FileError> {
        if path != STREAM {
            return Input::gather(&[path], form)?.rows();
        }
        let fail = |error| FileError::reading(STANDARD_INPUT, None, error);
        let (mut source, packed) = unpacked(Box::new(io::stdin()), form.limits).map_err(fail)?;
        let mut head = Vec::new();
        // The first byte tells whether it may be anything but delimited text in ASCII or UTF-8;
        // whatever may be is copied, and told with more of it.
        source.by_ref().take(1).read_to_end(&mut head).map_err(fail)?;
        let plain = head.first().is_none_or(|byte| byte.is_ascii() && !b"P{[ \t\r\n".contains(byte));
        let whole: Box<dyn Read> = Box::new(Cursor::new(head).chain(source));
        let delimited = match form.format {
            Format::Auto => plain && form.mark.is_none(),
            format => format == Format::Delimited,
        };
        if !delimited {
            let copy = Source::copy(STANDARD_INPUT, whole)?;
            return Input { files: vec![copy], form: form.clone() }.rows();
        }
        let rows = Delimited::new(STANDARD_INPUT, whole, packed, form)?;
        Ok(Self {
            form: form.clone(),
            rest: Vec::new().into_iter(),
            columns: rows.columns().to_vec(),
            current: Some(Box::new(rows)),
            order: None,
            first: STANDARD_INPUT.into(),
            name: STANDARD_INPUT.into(),
            manners: Vec::new(),
            spare: StringRecord::new(),
            needed: None,
        })
    }

    /// The columns.
    pub fn columns(&self) -> &[Column] {
        &self.columns
    }

    /// Says which columns alone are needed: others need not be decoded, and may be blank.
    pub fn need(&mut self, places: &[usize]) {
        self.needed = Some(places.to_vec());
        if let Some(rows) = &mut self.current {
            rows.need(places);
        }
    }

    /// The file that the last row came from.
    pub fn file(&self) -> &str {
        self.current.as_ref().and_then(|rows| rows.inner_file()).unwrap_or(&self.name)
    }

    /// Reads the next row into `record` and gives its line; nothing after the last file. A
    /// row that cannot be used is given as a refusal, and reading goes on.
    ///
    /// # Errors
    /// If a file cannot be read any further, or has other columns than the first.
    pub fn next(&mut self, record: &mut StringRecord) -> Result<Next, FileError> {
        while let Some(rows) = &mut self.current {
            let target = if self.order.is_some() { &mut self.spare } else { &mut *record };
            match rows.next(target)? {
                Some(Ok(line)) => {
                    if let Some(order) = &self.order {
                        record.clear();
                        order.iter().for_each(|&at| record.push_field(&self.spare[at]));
                    }
                    return Ok(Some(Ok(line)));
                }
                Some(refused) => return Ok(Some(refused)),
                None => self.follow()?,
            }
        }
        Ok(None)
    }

    /// As [`next`](Self::next), passing over rows that cannot be used: for a second look, when
    /// they were told at the first.
    ///
    /// # Errors
    /// As [`next`](Self::next).
    pub fn next_sound(&mut self, record: &mut StringRecord) -> Result<Option<u64>, FileError> {
        while let Some(read) = self.next(record)? {
            if let Ok(line) = read {
                return Ok(Some(line));
            }
        }
        Ok(None)
    }

    /// Goes on to the next file.
    fn follow(&mut self) -> Result<(), FileError> {
        if let Some(done) = self.current.take() {
            self.manners.push(done.manner());
        }
        let Some(file) = self.rest.next() else { return Ok(()) };
        let rows = open(&file, &self.form)?;
        let places: HashMap<&str, usize> =
            rows.columns().iter().enumerate().map(|(at, column)| (column.name.as_str(), at)).collect();
        let place = |column: &Column| places.get(column.name.as_str()).copied();
        let order: Option<Vec<usize>> = self.columns.iter().map(place).collect();
        let fits = rows.columns().len() == self.columns.len();
        let Some(order) = order.filter(|_| fits) else {
            let names = |columns: &[Column]| columns.iter().map(|column| column.name.clone()).collect();
            return Err(FileError::OtherHeader {
                path: file.name,
                columns: names(rows.columns()),
                first: self.first.clone(),
                expected: names(&self.columns),
            });
        };
        drop(places);
        let mut rows = rows;
        if let Some(needed) = &self.needed {
            rows.need(&needed.iter().map(|&at| order[at]).collect::<Vec<_>>());
        }
        self.order = Some(order).filter(|order| !order.is_sorted());
        self.name = file.name;
        self.current = Some(rows);
        Ok(())
    }

    /// How each file was read, as far as it was.
    pub fn manners(&self) -> Vec<Manner> {
        self.manners.iter().cloned().chain(self.current.iter().map(|rows| rows.manner())).collect()
    }
}

fn fitting(pattern: &str) -> Result<Vec<String>, FileError> {
    let none = |found: String| FileError::Pattern { pattern: pattern.into(), found };
    let paths = glob::glob(pattern).map_err(|error| none(error.to_string()))?;
    let mut names = Vec::new();
    let mut folders = BTreeSet::new();
    for path in paths {
        let path = path.map_err(|error| none(error.to_string()))?;
        folders.insert(folder_of(&path).to_path_buf());
        names.push(path.display().to_string());
    }
    // Names that are no text are passed over by the pattern, not by us.
    folders.insert(fixed_folder(pattern));
    let whole = glob::Pattern::new(pattern).map_err(|error| none(error.to_string()))?;
    for entry in folders.iter().filter_map(|folder| fs::read_dir(folder).ok()).flatten().flatten() {
        let path = entry.path();
        let path = path.strip_prefix(".").unwrap_or(&path); // as the pattern writes it
        if path.to_str().is_none() && whole.matches(&path.to_string_lossy()) {
            return Err(FileError::OddName { path: path.display().to_string() });
        }
    }
    if names.is_empty() {
        return Err(none("no file of such a name".into()));
    }
    Ok(names)
}

/// The folder of a pattern up to its first sign.
fn fixed_folder(pattern: &str) -> PathBuf {
    let fixed = &pattern[..pattern.find(['*', '?', '[']).unwrap_or(pattern.len())];
    let folder = fixed.rsplit_once('/').map_or(".", |(folder, _)| folder);
    if folder.is_empty() { "/".into() } else { folder.into() }
}

/// Opens a file in the format that is set, or that its bytes and its name tell.
fn open(source: &Source, form: &Form) -> Result<Box<dyn Rows>, FileError> {
    let name = &source.name;
    if form.format == Format::Folder || (form.format == Format::Auto && source.is_folder()) {
        return Ok(Box::new(Folder::new(source.path().unwrap_or_default(), form)?));
    }
    // A file that was written here says so beside it, and needs no guessing.
    let own = source.path().map(|path| About::form_of(path, form)).transpose()?.flatten();
    let form = &own.unwrap_or_else(|| form.clone());
    let fail = |error| FileError::reading(name, None, error);
    let fresh = || unpacked(Box::new(source.open()?), form.limits).map_err(fail);
    let (mut unread, packed) = fresh()?;
    let mut head = Vec::new();
    unread
        .by_ref()
        .take(HEAD)
        .read_to_end(&mut head)
        .map_err(|error| FileError::reading(name, packed, error))?;
    let format = match form.format {
        Format::Auto => format_of(&head, name, form),
        format => format,
    };
    let whole: Box<dyn Read> = Box::new(Cursor::new(head).chain(unread));
    Ok(match format {
        Format::Parquet => Box::new(Parquet::new(name, source.open()?, &form.limits)?),
        Format::JsonLines | Format::Json => {
            let layout = if format == Format::Json { Layout::Array } else { Layout::Lines };
            let columns = json::columns(name, whole, packed, layout, form)?;
            Box::new(Json::new(name, (fresh()?.0, packed), layout, form, columns)?)
        }
        Format::Lines => Box::new(Lines::new(name, whole, packed, form)?),
        _ => Box::new(Delimited::new(name, whole, packed, form)?),
    })
}

/// The format that the first bytes tell, or the name where they do not.
fn format_of(head: &[u8], name: &str, form: &Form) -> Format {
    if head.starts_with(b"PAR1") {
        return Format::Parquet;
    }
    if form.mark.is_some() {
        return Format::Lines;
    }
    let stem = name.trim_end_matches(".gz").trim_end_matches(".zst");
    let ending = stem.rsplit_once('.').map_or("", |(_, ending)| ending);
    // Marks and zeros of other encodings stand before and between the signs.
    let mut signs = head.iter().filter(|byte| byte.is_ascii_graphic());
    match (ending, signs.next(), signs.next()) {
        ("parquet" | "pq", ..) => Format::Parquet,
        ("csv" | "tsv" | "tab", ..) => Format::Delimited,
        (_, Some(b'['), Some(b'{' | b']')) => Format::Json,
        (_, Some(b'{'), Some(b'"' | b'}')) => Format::JsonLines,
        ("jsonl" | "ndjson", ..) => Format::JsonLines,
        ("json", ..) => Format::Json,
        _ => Format::Delimited,
    }
}
