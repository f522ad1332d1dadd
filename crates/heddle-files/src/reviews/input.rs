//! The files that were named: patterns, standard input, formats, one row after the other.

use std::fs::File;
use std::io::{self, Cursor, Read};
use std::path::Path;
use std::sync::Arc;

use csv::StringRecord;
use heddle_core::{Form, Format};
use tempfile::TempPath;

use super::bytes::unpacked;
use super::column::Column;
use super::csv::Delimited;
use super::folder::Folder;
use super::json::{self, Json, Layout};
use super::lines::Lines;
use super::parquet::Parquet;
use super::rows::{Manner, Next, Rows};
use crate::about::{About, Origins};
use crate::digest::digest_of;
use crate::error::FileError;

/// What standard input is called.
const STANDARD_INPUT: &str = "standard input";
/// How much is looked at to tell a format.
const HEAD: u64 = 4096;

/// Review files that can be read any number of times.
#[derive(Clone)]
pub struct Input {
    files: Vec<Source>,
    form: Form,
}

/// One file: what it is called, and where it is.
#[derive(Clone)]
struct Source {
    name: String,
    path: String,
    /// Keeps a copy of standard input as long as it is needed.
    _copy: Option<Arc<TempPath>>,
}

impl Input {
    /// Finds the files of `paths`: names, folders, patterns such as `2025-*.csv`, and "-" for
    /// standard input, which is copied to a temporary file so that it can be read again.
    ///
    /// # Errors
    /// If a pattern fits no file, or standard input cannot be copied.
    pub fn gather<S: AsRef<str>>(paths: &[S], form: &Form) -> Result<Self, FileError> {
        let mut files = Vec::new();
        for path in paths.iter().map(AsRef::as_ref) {
            if path == "-" {
                files.push(standard_copy()?);
                continue;
            }
            let is_pattern = path.contains(['*', '?', '[']) && !Path::new(path).exists();
            let found = if is_pattern { fitting(path)? } else { vec![path.to_string()] };
            files.extend(found.into_iter().map(|path| Source { name: path.clone(), path, _copy: None }));
        }
        Ok(Self { files, form: form.clone() })
    }

    /// The names of the files.
    pub fn names(&self) -> impl Iterator<Item = &str> {
        self.files.iter().map(|file| file.name.as_str())
    }

    /// Where the files are; a copy of standard input is somewhere else than its name says.
    pub fn paths(&self) -> impl Iterator<Item = &str> {
        self.files.iter().map(|file| file.path.as_str())
    }

    /// The files with their fingerprints, to be taken before anything is written in their
    /// place.
    ///
    /// # Errors
    /// If one of them cannot be read.
    pub fn origins(&self) -> Result<Vec<Origins>, FileError> {
        let origin = |file: &Source| Ok(Origins { file: file.name.clone(), xxh3: digest_of(&file.path)? });
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
}

impl Reviews {
    /// Reads one file, or standard input as it comes for "-".
    ///
    /// # Errors
    /// If it cannot be read.
    pub fn open(path: &str, form: &Form) -> Result<Self, FileError> {
        if path != "-" {
            return Input::gather(&[path], form)?.rows();
        }
        let fail = |error| FileError::io(STANDARD_INPUT, error);
        let (mut source, packed) = unpacked(Box::new(io::stdin())).map_err(fail)?;
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
            let copy = copied(whole)?;
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
        })
    }

    /// The columns.
    pub fn columns(&self) -> &[Column] {
        &self.columns
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
        let place = |column: &Column| rows.columns().iter().position(|own| own.name == column.name);
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
    for path in paths {
        let path = path.map_err(|error| none(error.to_string()))?;
        names.push(path.display().to_string());
    }
    if names.is_empty() {
        return Err(none("no file of such a name".into()));
    }
    Ok(names)
}

fn standard_copy() -> Result<Source, FileError> {
    copied(Box::new(io::stdin()))
}

fn copied(mut source: Box<dyn Read>) -> Result<Source, FileError> {
    let fail = |error| FileError::io(STANDARD_INPUT, error);
    let mut copy = tempfile::NamedTempFile::new().map_err(fail)?;
    io::copy(&mut source, &mut copy).map_err(fail)?;
    let copy = copy.into_temp_path();
    let path = copy.display().to_string();
    Ok(Source { name: STANDARD_INPUT.into(), path, _copy: Some(Arc::new(copy)) })
}

/// Opens a file in the format that is set, or that its bytes and its name tell.
fn open(source: &Source, form: &Form) -> Result<Box<dyn Rows>, FileError> {
    let Source { name, path, .. } = source;
    let fail = |error| FileError::io(name, error);
    if form.format == Format::Folder || (form.format == Format::Auto && Path::new(path).is_dir()) {
        return Ok(Box::new(Folder::new(path, form)?));
    }
    // A file that was written here says so beside it, and needs no guessing.
    let form = &About::form_of(path)?.unwrap_or_else(|| form.clone());
    let fresh = || unpacked(Box::new(File::open(path).map_err(fail)?)).map_err(fail);
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
        Format::Parquet => Box::new(Parquet::new(name, File::open(path).map_err(fail)?)?),
        Format::JsonLines | Format::Json => {
            let layout = if format == Format::Json { Layout::Array } else { Layout::Lines };
            let columns = json::columns(name, whole, packed, layout, form)?;
            Box::new(Json::new(name, fresh()?.0, packed, layout, form, columns)?)
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
