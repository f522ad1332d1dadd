//! The files that were named: patterns, standard input, formats, one row after the other.

use std::collections::{BTreeSet, HashMap};
use std::fs;
use std::io::{self, Cursor, Read};
use std::path::{Path, PathBuf};
use std::sync::{Arc, OnceLock};

use csv::StringRecord;
use heddle_core::resample::Random;
use heddle_core::settings::{Form, Format, Header};

use super::bytes::{is_packed, unpacked};
use super::column::Column;
use super::csv::Delimited;
use super::folder::Folder;
use super::json::{self, Braced, Json, Layout};
use super::lines::Lines;
use super::live::{Begun, Live, Stream};
use super::marks::{Marking, marking};
use super::parquet::Parquet;
use super::rows::{Manner, Next, Rows, Wanted};
use super::sheet::{MARKS, Sheet};
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
    /// The columns of all files, once they are known.
    columns: Arc<OnceLock<Vec<Column>>>,
    /// The share of rows that is drawn, and the seed; all where nothing is said.
    draw: Option<(f64, u64)>,
    /// By name of a column: the numbers that are wanted in it.
    wanted: Vec<(String, Wanted)>,
}

impl Input {
    /// The same rows, of which those alone are wanted that have some numbers in a column: where a format tells that a part
    /// of a file has none of them, that part is not decoded. Its rows are given with what tells that they are not wanted,
    /// and with blanks else.
    #[must_use]
    pub fn wanting(mut self, column: &str, wanted: Wanted) -> Self {
        self.wanted.push((column.into(), wanted));
        self
    }

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
        Ok(Self::of(files, form.clone()))
    }

    fn of(files: Vec<Source>, form: Form) -> Self {
        Self { files, form, columns: Arc::default(), draw: None, wanted: Vec::new() }
    }

    /// The same, of which about this share of the rows is read. Which ones depends on their numbers and the seed alone, and
    /// a smaller share is part of a larger one.
    #[must_use]
    pub fn drawn(self, share: f64, seed: u64) -> Self {
        Self { draw: Some((share, seed)), ..self }
    }

    /// One file that is shown under another name than the place it is at.
    pub fn named(name: &str, path: &str, form: &Form) -> Self {
        Self::of(vec![Source::named(name, path)], form.clone())
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
        let columns = match self.files.len() {
            0 | 1 => first.as_ref().map_or(Vec::new(), |rows| rows.columns().to_vec()),
            _ => self.all_columns()?,
        };
        let name = self.files.first().map_or(String::new(), |file| file.name.clone());
        let mut reviews = Reviews {
            form: self.form.clone(),
            rest,
            current: None,
            columns,
            order: None,
            name: String::new(),
            manners: Vec::new(),
            spare: StringRecord::new(),
            number: 0,
            passed: 0,
            draw: self.draw,
            needed: None,
            wanted: self.wanted.clone(),
        };
        if let Some(rows) = first {
            reviews.begin(name, rows);
        }
        Ok(reviews)
    }

    /// The columns of all files by name, those of the first file first.
    fn all_columns(&self) -> Result<Vec<Column>, FileError> {
        if let Some(known) = self.columns.get() {
            return Ok(known.clone());
        }
        let mut all: Vec<Column> = Vec::new();
        for file in &self.files {
            let own = open(file, &self.form)?.columns().to_vec();
            let names = |columns: &[Column]| columns.iter().map(|column| column.name.clone()).collect();
            if !all.is_empty() && !own.iter().any(|column| all.iter().any(|other| other.name == column.name))
            {
                return Err(FileError::OtherHeader {
                    path: file.name.clone(),
                    columns: names(&own),
                    first: self.files[0].name.clone(),
                    expected: names(&all),
                });
            }
            for column in own {
                match all.iter_mut().find(|other| other.name == column.name) {
                    Some(other) => {
                        other.kind = other.kind.with(column.kind);
                        other.stored = other.stored.with(column.stored);
                    }
                    None => all.push(column),
                }
            }
        }
        Ok(self.columns.get_or_init(|| all).clone())
    }
}

/// The rows of several files, one after the other, their columns joined by name: one that a file has not is blank
/// in its rows.
pub struct Reviews {
    form: Form,
    rest: std::vec::IntoIter<Source>,
    current: Option<Box<dyn Rows>>,
    columns: Vec<Column>,
    /// Where the columns stand in the present file, if not in order and all of them.
    order: Option<Vec<Option<usize>>>,
    name: String,
    manners: Vec<Manner>,
    spare: StringRecord,
    /// Rows of the present file so far, those that were refused included.
    number: u64,
    /// Rows of all files so far.
    passed: u64,
    /// The share of rows that is drawn, and the seed.
    draw: Option<(f64, u64)>,
    /// The columns whose cells are needed, if not all are.
    needed: Option<Vec<usize>>,
    wanted: Vec<(String, Wanted)>,
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
        let form = form.clone();
        let begun = match Live::standard_input() {
            None => begin(Box::new(io::stdin()), &form, false)?,
            Some(live) => {
                let own = form.clone();
                Stream::open(move || begin_live(live, &own))?
            }
        };
        let rows = match begun {
            Begun::Rows(rows) => rows,
            Begun::Copied(copy) => return Input::of(vec![copy], form).rows(),
        };
        Ok(Self {
            form,
            rest: Vec::new().into_iter(),
            columns: rows.columns().to_vec(),
            current: Some(rows),
            order: None,
            name: STANDARD_INPUT.into(),
            manners: Vec::new(),
            spare: StringRecord::new(),
            number: 0,
            passed: 0,
            draw: None,
            needed: None,
            wanted: Vec::new(),
        })
    }

    /// Whether no row is at hand for now, though more may come: of standard input that pauses.
    pub fn is_idle(&mut self) -> bool {
        self.current.as_mut().is_some_and(|rows| rows.is_idle())
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

    /// The number of the last row in its file, from 1; rows that were refused count too.
    pub fn number(&self) -> u64 {
        self.number
    }

    /// Reads the next row into `record` and gives its line; nothing after the last file. A
    /// row that cannot be used is given as a refusal, and reading goes on.
    ///
    /// # Errors
    /// If a file cannot be read any further, or has other columns than the first.
    pub fn next(&mut self, record: &mut StringRecord) -> Result<Next, FileError> {
        while let Some(rows) = &mut self.current {
            let target = if self.order.is_some() { &mut self.spare } else { &mut *record };
            let read = rows.next(target)?;
            self.number += u64::from(read.is_some());
            self.passed += u64::from(read.is_some());
            if read.is_some() && !self.is_drawn() {
                continue;
            }
            match read {
                Some(Ok(line)) => {
                    if let Some(order) = &self.order {
                        record.clear();
                        order.iter().for_each(|at| record.push_field(at.map_or("", |at| &self.spare[at])));
                    }
                    return Ok(Some(Ok(line)));
                }
                Some(refused) => return Ok(Some(refused)),
                None => self.follow()?,
            }
        }
        Ok(None)
    }

    /// Whether the last row is one of those that are drawn.
    fn is_drawn(&self) -> bool {
        self.draw.is_none_or(|(share, seed)| Random::new(seed ^ self.passed << 20).unit() < share)
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
        self.manners.extend(self.manner());
        self.current = None;
        let Some(file) = self.rest.next() else { return Ok(()) };
        let rows = open(&file, &self.form)?;
        self.begin(file.name, rows);
        Ok(())
    }

    /// Begins with the rows of a file.
    fn begin(&mut self, name: String, mut rows: Box<dyn Rows>) {
        let places: HashMap<&str, usize> =
            rows.columns().iter().enumerate().map(|(at, column)| (column.name.as_str(), at)).collect();
        let order: Vec<Option<usize>> =
            self.columns.iter().map(|column| places.get(column.name.as_str()).copied()).collect();
        let in_order = order.iter().enumerate().all(|(at, place)| *place == Some(at));
        let place =
            |(name, own): &'_ (String, Wanted)| Some((*places.get(name.as_str())?, Wanted::clone(own)));
        let wanted: Vec<(usize, Wanted)> = self.wanted.iter().filter_map(place).collect();
        if let Some(needed) = &self.needed {
            rows.need(&needed.iter().filter_map(|&at| order[at]).collect::<Vec<_>>());
        }
        wanted.into_iter().for_each(|(place, own)| rows.want(place, own));
        self.order = Some(order).filter(|_| !in_order);
        self.name = name;
        self.number = 0;
        self.current = Some(rows);
    }

    /// How the present file was read so far.
    fn manner(&self) -> Option<Manner> {
        let mut manner = self.current.as_ref()?.manner();
        let absent = self.order.iter().flatten().zip(&self.columns).filter(|(place, _)| place.is_none());
        manner.absent = absent.map(|(_, column)| column.name.clone()).collect();
        Some(manner)
    }

    /// How each file was read, as far as it was.
    pub fn manners(&self) -> Vec<Manner> {
        self.manners.iter().cloned().chain(self.manner()).collect()
    }
}

/// How an Arrow stream begins, and how a file with an index behind it does.
const ARROW: &[u8] = &[0xff; 4];
const ARROW_FILE: &[u8] = b"ARROW1";

/// The rows of an Arrow stream.
#[cfg(feature = "arrow")]
fn arrow(
    name: &str,
    mut source: Box<dyn Read>,
    packed: Option<&'static str>,
    form: &Form,
) -> Result<Box<dyn Rows>, FileError> {
    let mut head = Vec::new();
    let read = source.by_ref().take(ARROW_FILE.len() as u64).read_to_end(&mut head);
    read.map_err(|error| FileError::reading(name, packed, error))?;
    if head == ARROW_FILE {
        let message = "it is a file with an index behind it: write it as a stream (.arrows), or as Parquet";
        return Err(FileError::NoArrow { path: name.into(), message: message.into() });
    }
    let whole = Box::new(Cursor::new(head).chain(source));
    Ok(Box::new(super::arrow::Arrow::new(name, whole, packed, &form.limits)?))
}

#[cfg(not(feature = "arrow"))]
fn arrow(
    name: &str,
    _: Box<dyn Read>,
    _: Option<&'static str>,
    _: &Form,
) -> Result<Box<dyn Rows>, FileError> {
    let message = "this program was built without it: build it with --features arrow, or give it Parquet";
    Err(FileError::NoArrow { path: name.into(), message: message.into() })
}

/// Begins to read a stream that may pause. What is packed is unpacked in blocks, and pauses between them tell nothing.
fn begin_live(mut live: Live, form: &Form) -> Result<Begun, FileError> {
    let fail = |error| FileError::reading(STANDARD_INPUT, None, error);
    let mut head = Vec::new();
    live.by_ref().take(4).read_to_end(&mut head).map_err(fail)?;
    // Record batches come whole: what is decoded of them is told by the thread that reads.
    let packed = is_packed(&head);
    let live = if packed || head == ARROW { live } else { live.telling() };
    begin(Box::new(Cursor::new(head).chain(live)), form, !packed)
}

/// Begins to read a stream, told by its first bytes.
fn begin(stream: Box<dyn Read>, form: &Form, pauses: bool) -> Result<Begun, FileError> {
    let fail = |error| FileError::reading(STANDARD_INPUT, None, error);
    let (mut source, packed) = unpacked(stream, form.limits).map_err(fail)?;
    let mut head = Vec::new();
    // The first byte tells whether it may be anything but delimited text in ASCII or UTF-8;
    // whatever may be is copied, and told with more of it.
    source.by_ref().take(1).read_to_end(&mut head).map_err(fail)?;
    if head == ARROW[..1] && matches!(form.format, Format::Auto | Format::Arrow) {
        source.by_ref().take(ARROW.len() as u64 - 1).read_to_end(&mut head).map_err(fail)?;
        if head == ARROW {
            let whole = Box::new(Cursor::new(head).chain(source));
            return Ok(Begun::Rows(arrow(STANDARD_INPUT, whole, packed, form)?));
        }
    }
    let plain = head.first().is_none_or(|byte| byte.is_ascii() && !b"P{[ \t\r\n".contains(byte));
    let opens = head.first() == Some(&b'{') && form.mark.is_none();
    let whole: Box<dyn Read> = Box::new(Cursor::new(head).chain(source));
    let (delimited, braced) = match form.format {
        Format::Auto => (plain && form.mark.is_none(), opens),
        Format::JsonLines => (false, opens),
        format => (format == Format::Delimited, false),
    };
    if delimited {
        return Ok(Begun::Rows(Box::new(Delimited::new(STANDARD_INPUT, whole, packed, form)?)));
    }
    if pauses && braced {
        return Ok(match json::braced(STANDARD_INPUT, whole, packed, form)? {
            Braced::Lines(rows) => Begun::Rows(rows),
            Braced::Other(text) => Begun::Copied(Source::copy(STANDARD_INPUT, text)?),
        });
    }
    Ok(Begun::Copied(Source::copy(STANDARD_INPUT, whole)?))
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
    let (format, marking) = match (form.format, &form.mark) {
        (Format::Auto | Format::Lines, Some(mark)) => (Format::Lines, Marking::Before(mark.clone())),
        (Format::Auto, None) => match (format_of(&head, name), form.header) {
            // Who says that there is a header, or none, speaks of fields.
            (Format::Delimited, Header::Auto) => lines_of(&head, name),
            (format, _) => (format, Marking::Plain),
        },
        (Format::Lines, None) => (Format::Lines, marking(&head, "txt").unwrap_or(Marking::Plain)),
        (format, _) => (format, Marking::Plain),
    };
    let whole: Box<dyn Read> = Box::new(Cursor::new(head).chain(unread));
    Ok(match format {
        Format::Parquet => Box::new(Parquet::new(name, source.open()?, &form.limits)?),
        Format::Spreadsheet => Box::new(Sheet::new(name, source.open()?, form)?),
        Format::Arrow => arrow(name, whole, packed, form)?,
        Format::JsonLines | Format::Json => {
            let layout = if format == Format::Json { Layout::Array } else { Layout::Lines };
            let columns = json::columns(name, whole, packed, layout, form)?;
            Box::new(Json::new(name, (fresh()?.0, packed), layout, form, columns)?)
        }
        Format::Lines => Box::new(Lines::new(name, whole, packed, (form, marking))?),
        _ => Box::new(Delimited::new(name, whole, packed, form)?),
    })
}

/// Whether what may be fields is lines rather than these.
fn lines_of(head: &[u8], name: &str) -> (Format, Marking) {
    let known = matches!(ending_of(name), "csv" | "tsv" | "tab");
    match (known, marking(head, ending_of(name))) {
        (false, Some(marking)) => (Format::Lines, marking),
        _ => (Format::Delimited, Marking::Plain),
    }
}

/// What stands behind the last point of a name, or before what says how it is packed.
fn ending_of(name: &str) -> &str {
    let stem = name.trim_end_matches(".gz").trim_end_matches(".zst");
    stem.rsplit_once('.').map_or("", |(_, ending)| ending)
}

/// The format that the first bytes tell, or the name where they do not.
fn format_of(head: &[u8], name: &str) -> Format {
    if head.starts_with(ARROW) || head.starts_with(ARROW_FILE) {
        return Format::Arrow;
    }
    if head.starts_with(b"PAR1") {
        return Format::Parquet;
    }
    if MARKS.iter().any(|mark| head.starts_with(mark)) {
        return Format::Spreadsheet;
    }
    let ending = ending_of(name);
    // Marks and zeros of other encodings stand before and between the signs.
    let mut signs = head.iter().filter(|byte| byte.is_ascii_graphic());
    match (ending, signs.next(), signs.next()) {
        ("parquet" | "pq", ..) => Format::Parquet,
        ("arrows", ..) => Format::Arrow,
        ("csv" | "tsv" | "tab", ..) => Format::Delimited,
        (_, Some(b'['), Some(b'{' | b']')) => Format::Json,
        (_, Some(b'{'), Some(b'"' | b'}')) => Format::JsonLines,
        ("jsonl" | "ndjson", ..) => Format::JsonLines,
        ("json", ..) => Format::Json,
        _ => Format::Delimited,
    }
}
