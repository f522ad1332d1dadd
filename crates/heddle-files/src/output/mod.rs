//! Everything that a call writes goes through here, so that no file is lost by it.
//!
//! What is read and what is to be written is held against each other before anything is done;
//! files are written beside their places, and take their names together when all are whole.
//! `docs/writing.md` states what is promised.

mod commit;
mod folder;
pub(crate) mod identity;
mod lines;
mod stage;
mod written;

use std::collections::HashMap;
use std::fs::{self, File, OpenOptions};
use std::io::{self, BufWriter, IsTerminal, Stdout, Write};
use std::path::{Path, PathBuf};
use std::sync::{Mutex, MutexGuard, PoisonError};

use xxhash_rust::xxh3::Xxh3;

pub(crate) use commit::recover;
pub use folder::{MARK, StagedFolder};
pub use identity::folder_of;
pub(crate) use identity::{Identity, resolved};
pub use lines::{Noted, append, read_noted};
pub use stage::abandon;
pub use written::Written;

use crate::error::FileError;
use stage::Staged;

/// Standard input as a source, standard output as a place.
pub const STREAM: &str = "-";

/// Whether an output is standard output: "-", or "-" with the ending of a format, as in "-.jsonl".
pub fn is_standard(name: &str) -> bool {
    name == STREAM || name.starts_with("-.")
}

/// The files of one call: what it reads, and what it writes.
#[derive(Debug, Default)]
pub struct Outputs {
    force: bool,
    safe_cells: bool,
    state: Mutex<State>,
}

#[derive(Debug, Default)]
struct State {
    reads: Vec<Read>,
    /// By output: what it is, its name, and its resolved place.
    writes: Vec<(Identity, String, PathBuf)>,
    /// By name: where it goes, until somebody begins to write.
    planned: HashMap<String, Place>,
    /// Whole files that have no name yet.
    done: Vec<(Staged, Written)>,
    swept: Vec<PathBuf>,
    standard: bool,
}

/// Something that is read.
#[derive(Debug)]
struct Read {
    identity: Identity,
    name: String,
    /// Of a folder, its resolved place: everything in it is read.
    folder: Option<PathBuf>,
}

#[derive(Debug)]
enum Place {
    Staged(Staged),
    /// A device or a pipe.
    Stream,
    Standard,
}

/// When a file may be replaced that stands in the place of an output.
pub(crate) struct Rule {
    /// What the output is, in words.
    pub(crate) what: &'static str,
    /// Whether it is written once, and is others' from then on.
    pub(crate) once: bool,
    /// Whether the file that stands there may have been written here as what the output is, so that
    /// nothing of anybody's is lost if it is replaced.
    pub(crate) fits: Box<dyn Fn(&Path) -> bool>,
}

impl Rule {
    fn new_file() -> Self {
        Self { what: "what may be replaced", once: false, fits: Box::new(|_| false) }
    }
}

impl Outputs {
    /// `force` lets files be replaced that were not written here; `safe_cells` guards cells that
    /// a spreadsheet would take as formulas.
    pub fn new(force: bool, safe_cells: bool) -> Self {
        Self { force, safe_cells, state: Mutex::default() }
    }

    /// Whether cells are to be guarded against spreadsheets.
    pub fn safe_cells(&self) -> bool {
        self.safe_cells
    }

    fn state(&self) -> MutexGuard<'_, State> {
        self.state.lock().unwrap_or_else(PoisonError::into_inner)
    }

    /// Notes that a file is read. What a killed call left of it is finished first.
    ///
    /// # Errors
    /// If it is written by the same call.
    pub fn reads(&self, name: &str) -> Result<(), FileError> {
        let identity = match name {
            STREAM => match standard_file(&io::stdin()) {
                Some(identity) => identity,
                None => return Ok(()),
            },
            name => {
                commit::recover(Path::new(name))?;
                Identity::of(Path::new(name))
            }
        };
        let folder = Path::new(name).is_dir().then(|| resolved_folder(Path::new(name)));
        let mut state = self.state();
        let inside = |place: &Path| folder.as_ref().is_some_and(|folder| place.starts_with(folder));
        let written = state.writes.iter().find(|(other, _, place)| *other == identity || inside(place));
        if let Some((_, written, _)) = written {
            return Err(FileError::OverInput { path: written.clone(), input: name.into() });
        }
        if standard_file(&io::stdout()).is_some_and(|standard| standard == identity) {
            return Err(FileError::OverInput { path: "standard output".into(), input: name.into() });
        }
        state.reads.push(Read { identity, name: name.into(), folder });
        Ok(())
    }

    /// Keeps the place of a file; gives whether it is one, rather than a device or a stream.
    ///
    /// # Errors
    /// If it is an input, goes where another output goes, would replace what the rule does not
    /// let go, or cannot be written at all.
    pub(crate) fn reserve(&self, name: &str, rule: &Rule) -> Result<bool, FileError> {
        let path = Path::new(name);
        let standard = standard_identity(&io::stdout());
        if is_standard(name) || standard.is_some_and(|standard| standard == Identity::of(path)) {
            let mut state = self.state();
            if std::mem::replace(&mut state.standard, true) {
                return Err(FileError::TwoIntoOne { path: "standard output".into(), other: name.into() });
            }
            state.planned.insert(name.into(), Place::Standard);
            return Ok(false);
        }
        self.claim(name, rule)?;
        let place = match fs::metadata(path) {
            Ok(data) if !data.is_file() => Place::Stream,
            _ => Place::Staged(self.stage(path)?),
        };
        let is_file = matches!(place, Place::Staged(_));
        self.state().planned.insert(name.into(), place);
        Ok(is_file)
    }

    /// Whether a place is kept that nobody writes to yet.
    pub(crate) fn is_planned(&self, name: &str) -> bool {
        self.state().planned.contains_key(name)
    }

    /// Holds a place against all others, and what stands there against a rule.
    pub(crate) fn claim(&self, name: &str, rule: &Rule) -> Result<(), FileError> {
        let path = Path::new(name);
        commit::recover(path)?;
        let fail = |error| FileError::io(path, error);
        let place = resolved(path).map_err(|error| match error.kind() {
            io::ErrorKind::NotFound => {
                FileError::NoFolder { path: name.into(), folder: folder_of(path).display().to_string() }
            }
            _ => fail(error),
        })?;
        let identity = Identity::of(&place);
        if rule.once && !self.force && place.exists() {
            return Err(FileError::Exists { path: name.into(), remedy: "name another file".into() });
        }
        {
            let mut state = self.state();
            let inside = |folder: &Option<PathBuf>| folder.as_ref().is_some_and(|own| place.starts_with(own));
            let read = |read: &&Read| read.identity == identity || inside(&read.folder);
            if let Some(Read { name: input, .. }) = state.reads.iter().find(read) {
                return Err(FileError::OverInput { path: name.into(), input: input.clone() });
            }
            if let Some((_, other, _)) = state.writes.iter().find(|(other, ..)| *other == identity) {
                return Err(FileError::TwoIntoOne { path: name.into(), other: other.clone() });
            }
            state.writes.push((identity, name.into(), place.clone()));
        }
        let data = match fs::metadata(&place) {
            Ok(data) if data.is_dir() => return Err(FileError::IsFolder { path: name.into() }),
            Ok(data) => data,
            Err(error) if error.kind() == io::ErrorKind::NotFound => return Ok(()),
            Err(error) => return Err(fail(error)),
        };
        if !data.is_file() {
            return Ok(());
        }
        if data.permissions().readonly() {
            return Err(FileError::ReadOnly { path: name.into() });
        }
        OpenOptions::new().append(true).open(&place).map_err(fail)?;
        if !self.force && !(rule.fits)(&place) {
            return Err(FileError::NotOurs { path: name.into(), role: rule.what });
        }
        Ok(())
    }

    fn stage(&self, path: &Path) -> Result<Staged, FileError> {
        let place = resolved(path).map_err(|error| FileError::io(path, error))?;
        let folder = folder_of(&place).to_path_buf();
        let mut state = self.state();
        if !state.swept.contains(&folder) {
            stage::sweep(&folder);
            state.swept.push(folder);
        }
        drop(state);
        Staged::begin(&place, false)
    }

    /// Begins to write a file. Nothing is to be seen of it before [`commit`](Self::commit), but
    /// where it is a device, a pipe or standard output. What was not planned must be a new file.
    ///
    /// # Errors
    /// As `plan`, if it was not planned before.
    pub fn create(&self, name: &str) -> Result<Output<'_>, FileError> {
        let planned = self.state().planned.remove(name);
        let place = match planned {
            Some(place) => place,
            None => {
                self.reserve(name, &Rule::new_file())?;
                self.state().planned.remove(name).expect("it was planned just now")
            }
        };
        let sink = match place {
            Place::Staged(staged) => Sink::Staged(staged),
            Place::Standard => Sink::Standard(io::stdout()),
            Place::Stream => {
                let file = OpenOptions::new().write(true).open(name);
                Sink::Stream(file.map_err(|error| FileError::io(name, error))?)
            }
        };
        let hashed = Hashed { sink, hash: Box::new(Xxh3::new()), bytes: 0 };
        Ok(Output { file: BufWriter::new(hashed), name: name.into(), outputs: self })
    }

    /// Writes a whole file.
    ///
    /// # Errors
    /// As [`create`](Self::create), and if the disk is full.
    pub fn write(&self, name: &str, bytes: &[u8]) -> Result<Written, FileError> {
        let mut output = self.create(name)?;
        output.write_all(bytes).map_err(|error| FileError::io(name, error))?;
        output.finish()
    }

    /// Whether a planned or written output is a file, rather than a device or a stream.
    pub fn is_file(&self, name: &str) -> bool {
        !is_standard(name) && fs::metadata(name).map_or(true, |data| data.is_file())
    }

    /// Whether an output is standard output, and that is a terminal: what goes there is shown.
    pub fn is_shown(&self, name: &str) -> bool {
        let standard =
            is_standard(name) || standard_identity(&io::stdout()) == Some(Identity::of(Path::new(name)));
        standard && io::stdout().is_terminal()
    }

    /// Whether data go to standard output, so that nothing else may.
    pub fn to_standard(&self) -> bool {
        self.state().standard
    }

    /// Gives all files that are whole their names, together or not at all.
    ///
    /// # Errors
    /// If that cannot be; what was there before is there still.
    pub fn commit(&self) -> Result<(), FileError> {
        let done = std::mem::take(&mut self.state().done);
        commit::commit(done)
    }
}

fn resolved_folder(path: &Path) -> PathBuf {
    fs::canonicalize(path).unwrap_or_else(|_| path.to_path_buf())
}

/// What a standard stream is.
#[cfg(unix)]
fn standard_identity(stream: &impl std::os::fd::AsFd) -> Option<Identity> {
    let file = File::from(stream.as_fd().try_clone_to_owned().ok()?);
    Some(Identity::of_metadata(&file.metadata().ok()?, Path::new("")))
}

/// What a standard stream is, where it is a regular file.
#[cfg(unix)]
fn standard_file(stream: &impl std::os::fd::AsFd) -> Option<Identity> {
    let file = File::from(stream.as_fd().try_clone_to_owned().ok()?);
    let data = file.metadata().ok()?;
    data.is_file().then(|| Identity::of_metadata(&data, Path::new("")))
}

#[cfg(not(unix))]
fn standard_identity<T>(_stream: &T) -> Option<Identity> {
    None
}

#[cfg(not(unix))]
fn standard_file<T>(_stream: &T) -> Option<Identity> {
    None
}

/// A file on its way.
pub struct Output<'o> {
    file: BufWriter<Hashed>,
    name: String,
    outputs: &'o Outputs,
}

/// Where bytes go.
enum Sink {
    Staged(Staged),
    Stream(File),
    Standard(Stdout),
}

/// A sink that knows the fingerprint of what was written to it.
struct Hashed {
    sink: Sink,
    hash: Box<Xxh3>,
    bytes: u64,
}

impl Write for Hashed {
    fn write(&mut self, bytes: &[u8]) -> io::Result<usize> {
        let length = match &mut self.sink {
            Sink::Staged(staged) => staged.file.write(bytes),
            Sink::Stream(file) => file.write(bytes),
            Sink::Standard(out) => out.write(bytes),
        }?;
        self.hash.update(&bytes[..length]);
        self.bytes += length as u64;
        Ok(length)
    }

    fn flush(&mut self) -> io::Result<()> {
        match &mut self.sink {
            Sink::Staged(staged) => staged.file.flush(),
            Sink::Stream(file) => file.flush(),
            Sink::Standard(out) => out.flush(),
        }
    }
}

impl Output<'_> {
    /// Ends the file; it takes its name when the outputs of the call are committed.
    ///
    /// # Errors
    /// If the disk is full.
    pub fn finish(mut self) -> Result<Written, FileError> {
        self.file.flush().map_err(|error| FileError::io(&self.name, error))?;
        let hashed = self.file.into_inner().map_err(|error| FileError::io(&self.name, error.into_error()))?;
        let written = Written { bytes: hashed.bytes, xxh3: hashed.hash.digest() };
        if let Sink::Staged(staged) = hashed.sink {
            self.outputs.state().done.push((staged, written));
        }
        Ok(written)
    }
}

impl Write for Output<'_> {
    fn write(&mut self, bytes: &[u8]) -> io::Result<usize> {
        self.file.write(bytes)
    }

    fn flush(&mut self) -> io::Result<()> {
        self.file.flush()
    }
}

/// Changes a small file in place, one call after the other: others that change it wait.
///
/// # Errors
/// If it cannot be read or written, or `change` fails.
pub fn update<E: From<FileError>>(
    path: &str,
    change: impl FnOnce(Option<Vec<u8>>) -> Result<Vec<u8>, E>,
) -> Result<(), E> {
    let place = resolved(Path::new(path)).map_err(|error| FileError::io(path, error))?;
    let staged = Staged::begin(&place, true)?;
    commit::recover(&place)?;
    let before = match fs::read(&place) {
        Ok(bytes) => Some(bytes),
        Err(error) if error.kind() == io::ErrorKind::NotFound => None,
        Err(error) => return Err(FileError::io(path, error).into()),
    };
    if fs::metadata(&place).is_ok_and(|data| data.permissions().readonly()) {
        return Err(FileError::ReadOnly { path: path.into() }.into());
    }
    let bytes = change(before)?;
    let mut file = &staged.file;
    file.write_all(&bytes).map_err(|error| FileError::io(path, error))?;
    Ok(commit::commit(vec![(staged, Written::default())])?)
}
