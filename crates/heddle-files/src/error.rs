//! What can go wrong with files, told so that the reader knows what to do.

use std::fmt;
use std::io;
use std::path::Path;

use heddle_core::settings::Limits;

use crate::advice::advised;

/// An error about a file: which, where, what was expected, and what to do.
#[derive(Debug, thiserror::Error)]
pub enum FileError {
    /// The file cannot be opened or read.
    #[error("{path}")]
    Io {
        /// The file.
        path: String,
        /// What the system says, and what to do.
        #[source]
        source: io::Error,
    },
    /// A file is no checkpoint, or a damaged one.
    #[error(
        "{path}: expected a checkpoint of this version, found something else or a damaged one; name another file, or remove it to begin again"
    )]
    Checkpoint {
        /// The file.
        path: String,
    },
    /// A file of a round is something else, or damaged.
    #[error(
        "{path}: expected {expected} of this version, found something else or a damaged file; make it again"
    )]
    Round {
        /// The file.
        path: String,
        /// What it should be.
        expected: &'static str,
    },
    /// The file has no records.
    #[error("{path}: no reviews: {found}")]
    Empty {
        /// The file.
        path: String,
        /// What there is instead.
        found: &'static str,
    },
    /// Packed data end in the middle.
    #[error("{path}: the file is cut short: its {packed} data end in the middle; copy or download it again")]
    CutShort {
        /// The file.
        path: String,
        /// How it is packed.
        packed: &'static str,
    },
    /// Packed data are damaged.
    #[error("{path}: its {packed} data are damaged ({message}); copy or download it again")]
    Damaged {
        /// The file.
        path: String,
        /// How it is packed.
        packed: &'static str,
        /// What is wrong.
        message: String,
    },
    /// A file is not of its format, and nothing after this place can be read.
    #[error("{path}, line {line}: expected a JSON array of objects, found {found}")]
    Broken {
        /// The file.
        path: String,
        /// The line, from 1.
        line: u64,
        /// What is there instead.
        found: String,
    },
    /// A file is no whole Parquet file.
    #[error("{path}: it cannot be read as Parquet ({message}); copy or export it again")]
    NoParquet {
        /// The file.
        path: String,
        /// What is wrong.
        message: String,
    },
    /// A file is no Arrow stream, or not all of one.
    #[error("{path}: it cannot be read as an Arrow stream ({message})")]
    NoArrow {
        /// The file.
        path: String,
        /// What is wrong, and what to do.
        message: String,
    },
    /// A file of word vectors is none.
    #[error("{path}, line {line}: {message}")]
    Vectors {
        /// The file.
        path: String,
        /// The line, from 1.
        line: u64,
        /// What is wrong.
        message: String,
    },
    /// No file fits a pattern.
    #[error("{pattern}: {found}; a pattern such as `2025-*.csv` must fit at least one file")]
    Pattern {
        /// The pattern.
        pattern: String,
        /// What was found.
        found: String,
    },
    /// The mark of lines cannot be used.
    #[error(
        "{message}; reviews.mark is a regular expression whose first group is the class, as in --set reviews.mark='class=(\\w+) '"
    )]
    Mark {
        /// What is wrong.
        message: String,
    },
    /// A workbook that cannot be read.
    #[error("{path}: {found}")]
    Workbook {
        /// The file.
        path: String,
        /// What is wrong with it.
        found: String,
    },
    /// Nothing can be written under such a name.
    #[error("{path}: {remedy}")]
    Ending {
        /// The file.
        path: String,
        /// What to do.
        remedy: String,
    },
    /// What stands beside a file is not what it should be.
    #[error(
        "{path}: {message}; it tells where the file beside it comes from: restore it, or remove it to read the file as any other"
    )]
    About {
        /// The file.
        path: String,
        /// What is wrong.
        message: String,
    },
    /// There is no ledger.
    #[error("{path}: there is no ledger; `validate`, `train --validate`, `assess` and `run` write one")]
    NoLedger {
        /// The file.
        path: String,
    },
    /// A column that is needed is not there.
    #[error("{path}: there is no column `{column}`{}; its columns are {}", hint(nearest), listed(columns))]
    NoColumn {
        /// The file.
        path: String,
        /// The column.
        column: String,
        /// The nearest name in the file.
        nearest: Option<String>,
        /// All names in the file.
        columns: Vec<String>,
    },
    /// Two columns have one name.
    #[error("{path}: the column `{column}` is there twice; rename one")]
    SameColumn {
        /// The file.
        path: String,
        /// The name.
        column: String,
    },
    /// Files that are read together have different columns.
    #[error(
        "{path}: its columns are {}, those of {first} are {}; read them one by one, or give them one header",
        listed(columns),
        listed(expected)
    )]
    OtherHeader {
        /// The file.
        path: String,
        /// Its columns.
        columns: Vec<String>,
        /// The first file.
        first: String,
        /// The columns of the first file.
        expected: Vec<String>,
    },
    /// A study file says something that is not possible.
    #[error("{path}, line {line}: {message}")]
    Study {
        /// The study file.
        path: String,
        /// The line, from 1.
        line: usize,
        /// What is wrong, and what is possible.
        message: String,
    },
    /// An override says something that is not possible.
    #[error("--set {assignment}: {message}")]
    Override {
        /// As it was given.
        assignment: String,
        /// What is wrong, and what is possible.
        message: String,
    },
    /// The file is no model, or not a whole one.
    #[error("{path}: {message}")]
    Model {
        /// The file.
        path: String,
        /// What is wrong, and what to do.
        message: String,
    },
    /// A file is to be written that is read by the same call.
    #[error("{path} is an input of this call ({input}) and is not written over; name another file")]
    OverInput {
        /// The output.
        path: String,
        /// The input, as it was named.
        input: String,
    },
    /// Two outputs go into one file.
    #[error("{path} and {other} are one file; name each output its own")]
    TwoIntoOne {
        /// The output.
        path: String,
        /// The other one.
        other: String,
    },
    /// A file is in the way that was not written here.
    #[error(
        "{path} is there already and does not hold {role}: it is not replaced; name another file, or say --force if it may be lost"
    )]
    NotOurs {
        /// The file.
        path: String,
        /// What was expected.
        role: &'static str,
    },
    /// A file is protected.
    #[error(
        "{path} may only be read and is not replaced; name another file, or allow writing with chmod u+w"
    )]
    ReadOnly {
        /// The file.
        path: String,
    },
    /// A folder is where a file is to go.
    #[error("{path} is a folder; name a file in it")]
    IsFolder {
        /// The folder.
        path: String,
    },
    /// The folder of a file is not there.
    #[error("{path}: there is no folder {folder}; make it first: mkdir -p {folder}")]
    NoFolder {
        /// The file.
        path: String,
        /// The folder.
        folder: String,
    },
    /// Another call writes to the same place.
    #[error("{path} is being written by another call; wait until it ends, or name another place")]
    Busy {
        /// The file or folder.
        path: String,
    },
    /// Text was changed between two looks at it.
    #[error("{path} changed while it was read; run this again when it is whole")]
    Changed {
        /// The file.
        path: String,
    },
    /// A file is named twice.
    #[error("{path} is named twice ({other}): its rows would count double; name it once")]
    NamedTwice {
        /// The file.
        path: String,
        /// The other name.
        other: String,
    },
    /// A file holds more than a limit allows.
    #[error("{path}{}: {found}; {key} raises the limit, as in --set {key}={raised}", at_line(*line))]
    Limit {
        /// The file.
        path: String,
        /// The line, where it is known.
        line: Option<u64>,
        /// What was found, and what is allowed.
        found: String,
        /// The setting.
        key: &'static str,
        /// A value that would do.
        raised: u64,
    },
    /// A cell would be changed by the format that it goes into.
    #[error(
        "{path}: column `{column}` holds {expected} in Parquet, and `{cell}` is none that it keeps to the last digit; write .csv or .jsonl"
    )]
    Unfit {
        /// The file.
        path: String,
        /// The column.
        column: String,
        /// The cell.
        cell: String,
        /// What the column holds.
        expected: &'static str,
    },
    /// A file is of an encoding that is not read.
    #[error("{path} is written in {encoding}, which is not read; save it as UTF-8")]
    OddEncoding {
        /// The file.
        path: String,
        /// The encoding.
        encoding: &'static str,
    },
    /// A name cannot be written as text.
    #[error("{path}: the name of this file is no text in UTF-8; rename it")]
    OddName {
        /// The file, as it can be shown.
        path: String,
    },
    /// A file or folder is there already.
    #[error("{path} is there already and is not overwritten; {remedy}")]
    Exists {
        /// The file or folder.
        path: String,
        /// What to do.
        remedy: String,
    },
}

impl FileError {
    pub(crate) fn io(path: impl AsRef<Path>, source: io::Error) -> Self {
        let path = path.as_ref();
        Self::Io { path: path.display().to_string(), source: advised(path, source) }
    }

    /// What a failed read of a file means, which may be packed.
    pub(crate) fn reading(path: &str, packed: Option<&'static str>, source: io::Error) -> Self {
        if let Some(stop) = Stop::of(&source) {
            return stop.told(path);
        }
        let path = path.to_string();
        match (packed, source.kind()) {
            (Some(packed), io::ErrorKind::UnexpectedEof) => Self::CutShort { path, packed },
            (Some(packed), _) => Self::Damaged { path, packed, message: source.to_string() },
            (None, _) => Self::io(path, source),
        }
    }
}

/// The error of the system inside an error of the CSV reader.
pub(crate) fn system_error(error: csv::Error) -> io::Error {
    if !error.is_io_error() {
        return io::Error::other(error.to_string());
    }
    match error.into_kind() {
        csv::ErrorKind::Io(error) => error,
        _ => io::ErrorKind::Other.into(),
    }
}

fn at_line(line: Option<u64>) -> String {
    line.map_or(String::new(), |line| format!(", line {line}"))
}

fn hint(nearest: &Option<String>) -> String {
    nearest.as_ref().map_or(String::new(), |name| format!("; did you mean `{name}`?"))
}

pub(crate) fn listed(names: &[String]) -> String {
    names.iter().map(|name| format!("`{name}`")).collect::<Vec<_>>().join(", ")
}

/// Why a source gives no more, as it travels inside an [`io::Error`].
#[derive(Debug)]
pub(crate) enum Stop {
    /// A row is too long.
    Row(Limits),
    /// The data unpack to too much.
    Unpacking { limits: Limits, packed: u64, unpacked: u64 },
    /// The bytes are of an encoding that is not read.
    Encoding(&'static str),
}

impl Stop {
    pub(crate) fn error(self) -> io::Error {
        io::Error::other(self)
    }

    /// What it means of a file.
    pub(crate) fn told(&self, path: &str) -> FileError {
        match self {
            Self::Row(limits) => FileError::Limit {
                path: path.into(),
                line: None,
                found: format!("a row is longer than {} MiB: is a quote left open?", limits.row),
                key: "reviews.row_limit",
                raised: limits.row * 2,
            },
            Self::Unpacking { limits, packed, unpacked } => FileError::Limit {
                path: path.into(),
                line: None,
                found: format!(
                    "{packed} bytes of it unpack to more than {unpacked}, {} times as many: no text packs so well",
                    limits.unpacking
                ),
                key: "reviews.unpack_limit",
                raised: (limits.unpacking * 10).max(unpacked / packed.max(&1) + 1),
            },
            Self::Encoding(name) => FileError::OddEncoding { path: path.into(), encoding: name },
        }
    }

    /// The reason inside an error, if it is one of ours.
    pub(crate) fn of(error: &io::Error) -> Option<&Self> {
        error.get_ref()?.downcast_ref()
    }
}

impl fmt::Display for Stop {
    fn fmt(&self, out: &mut fmt::Formatter<'_>) -> fmt::Result {
        write!(out, "{}", self.told("a file"))
    }
}

impl std::error::Error for Stop {}
