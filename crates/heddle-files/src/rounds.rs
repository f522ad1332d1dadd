//! What is exchanged where a model is learnt in rounds: rows of a place, questions, answers, and what is known between
//! two questions.
//!
//! All are files as `framed.rs` says, of format 1. The last byte of the mark `HEDDLE\r_` is 2 for rows, 3 for a question,
//! 4 for an answer, 5 for pulls and 6 for what is known. The head has `heddle`, the version of the program; `settings`, the digest of
//! the settings; and `places`: for a question none, for rows, an answer and pulls their own, else all. The bodies:
//!
//! ```text
//! rows      blocks: u64 bytes, above 0, and in these u32 rows; of each row u8 class, of each u64 group, of each u32
//!           entries; then the entries of all: u32 column, with the highest bit set if the value is not 1; then f32 value
//!           u64 0; u64 rows
//! question  u32 round; f64 share held back; u8 what is asked; then
//!           0 size     nothing
//!           1 counts   nothing
//!           2 lesson   mix, f64 sum of the square roots of the rows of each place, weights, u8 1 if it is the first
//!           3 scores   weights, list of f64 leanings
//! answer    u32 round; u8 what was asked; then
//!           0 size     u64 rows
//!           1 counts   mix, counts
//!           2 lesson   f64 loss, f64 dual, list of f64 change of the weights and intercepts
//!           3 scores   u64 rows; of each f64 score, f64 leaning, u8 class, u64 group
//! pulls     u32 round; list of f64, by row and border
//! known     u32 round; u8 what is asked; then
//!           0 size     nothing
//!           1 counts   f64 share held back
//!           2 lesson   f64 share held back, mix, counts, u32 lessons, f64 gap, list of f64 weights and intercepts
//!           3 scores   the same; u8 1 if it converged; f64 objective
//!
//! mix         3 x u64: rows that teach: negative, positive, neutral
//! weights     list of u32 columns, list of f32 document factors, list of f64 weights and intercepts
//! counts      of each class a list of u32: by column, the reviews that hold it
//! list        u64 number, then each
//! ```

use std::fs::File;
use std::io::{BufReader, Read, Seek, SeekFrom, Write};

use heddle_core::labels::{CLASSES, ClassCounts, PerClass, Polarity};
use heddle_core::learn::{Convergence, Stop};
use heddle_core::matrix::{Entry, Rows};
use heddle_core::model::{
    Answer, Ask, Asked, HeldScore, Known, LabelledRows, Lesson, Rounds, Stage, StreamCounts, Weights,
};
use serde::{Deserialize, Serialize};
use xxhash_rust::xxh3::Xxh3;

use crate::error::FileError;
use crate::framed::{Taking, begun, ended, opened, put, put_all, put_list};
use crate::output::{Output, Outputs, Written};

const FORMAT: u32 = 1;
/// Set in a column whose value follows; columns have 24 bits at most.
const VALUE: u32 = 1 << 31;

/// One of the kinds of files.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum RoundFile {
    /// The rows of a place.
    Rows = 2,
    /// A question.
    Question = 3,
    /// An answer.
    Answer = 4,
    /// How hard the examples of a place pull.
    Pulls = 5,
    /// What is known between two questions.
    Known = 6,
}

/// The rows of a place, as they are known again.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct PlaceRows {
    /// The digest of the file; not in the file itself.
    pub digest: String,
    /// How many there are.
    pub rows: u64,
    /// The name of the file; not in the file itself.
    pub name: String,
    /// What became of the rows of its reviews.
    pub account: serde_json::Value,
}

/// What stands at the head of a file.
#[derive(Debug, Clone, Default, PartialEq, Eq, Serialize, Deserialize)]
pub struct RoundHead {
    /// The version of the program that wrote it.
    pub heddle: String,
    /// The digest of the settings.
    pub settings: String,
    /// The places that it speaks of.
    pub places: Vec<PlaceRows>,
}

impl RoundFile {
    pub(crate) fn mark(self) -> [u8; 8] {
        let mut mark = *b"HEDDLE\r\0";
        mark[7] = self as u8;
        mark
    }

    pub(crate) fn words(self) -> &'static str {
        match self {
            Self::Rows => "the rows of a place (heddle rounds rows)",
            Self::Question => "a question (heddle rounds next)",
            Self::Answer => "an answer (heddle rounds answer)",
            Self::Pulls => "the pulls of a place (heddle rounds answer)",
            Self::Known => "what is known between two rounds (heddle rounds next)",
        }
    }

    fn fault(self, path: &str) -> FileError {
        FileError::Round { path: path.into(), expected: self.words() }
    }

    fn open<T>(
        self,
        path: &str,
        of: impl FnOnce(&mut Taking<'_>) -> Option<T>,
    ) -> Result<(RoundHead, T), FileError> {
        let bytes = std::fs::read(path).map_err(|error| FileError::io(path, error))?;
        self.of_bytes(&bytes, of).ok_or_else(|| self.fault(path))
    }

    fn of_bytes<T>(
        self,
        bytes: &[u8],
        of: impl FnOnce(&mut Taking<'_>) -> Option<T>,
    ) -> Option<(RoundHead, T)> {
        let (head, mut taking) = opened(bytes, self.mark(), FORMAT)?;
        let own = of(&mut taking)?;
        taking.0.is_empty().then_some((head, own))
    }
}

/// Writes the rows of a place, block by block.
pub struct RowsWriter<'o> {
    output: Output<'o>,
    path: String,
    hash: Box<Xxh3>,
    rows: u64,
}

impl<'o> RowsWriter<'o> {
    /// Begins a file.
    ///
    /// # Errors
    /// If it cannot be written.
    pub fn new(outputs: &'o Outputs, path: &str, head: &RoundHead) -> Result<Self, FileError> {
        let mut writer =
            Self { output: outputs.create(path)?, path: path.into(), hash: Box::new(Xxh3::new()), rows: 0 };
        writer.write(&begun(RoundFile::Rows.mark(), FORMAT, head))?;
        Ok(writer)
    }

    /// Writes some rows.
    ///
    /// # Errors
    /// If the disk is full.
    ///
    /// # Panics
    /// If there are not as many classes and groups as rows.
    pub fn block(&mut self, block: &LabelledRows) -> Result<(), FileError> {
        let LabelledRows { rows, classes, groups } = block;
        assert_eq!([classes.len(), groups.len()], [rows.len(); 2], "a class and a group for each row");
        if rows.is_empty() {
            return Ok(());
        }
        let each = || (0..rows.len()).map(|row| rows.row(row));
        let mut bytes = Vec::with_capacity(rows.entries() * 5 + rows.len() * 13);
        put(&mut bytes, rows.len() as u32);
        put_all(&mut bytes, classes.iter().map(|class| class.index() as u8));
        put_all(&mut bytes, groups.iter().copied());
        put_all(&mut bytes, each().map(|row| row.len() as u32));
        for entry in each().flatten() {
            #[expect(clippy::float_cmp, reason = "a value that is written as 1 is read as 1")]
            match entry.value == 1.0 {
                true => put(&mut bytes, entry.column),
                false => {
                    put(&mut bytes, entry.column | VALUE);
                    put(&mut bytes, entry.value);
                }
            }
        }
        self.rows += rows.len() as u64;
        self.write(&(bytes.len() as u64).to_le_bytes())?;
        self.write(&bytes)
    }

    /// Ends the file, which takes its name when the outputs are committed.
    ///
    /// # Errors
    /// If the disk is full.
    pub fn finish(mut self) -> Result<Written, FileError> {
        let mut bytes = Vec::new();
        put_all(&mut bytes, [0, self.rows]);
        self.write(&bytes)?;
        let digest = self.hash.digest();
        self.write(&digest.to_le_bytes())?;
        self.output.finish()
    }

    fn write(&mut self, bytes: &[u8]) -> Result<(), FileError> {
        self.hash.update(bytes);
        self.output.write_all(bytes).map_err(|error| FileError::io(&self.path, error))
    }
}

/// Reads the rows of a place, block by block.
pub struct RowsReader {
    path: String,
    file: BufReader<File>,
    hash: Box<Xxh3>,
    head: RoundHead,
    columns: usize,
    /// Bytes of the file.
    length: u64,
    /// Rows that were read.
    read: u64,
    /// Whether all were.
    ended: bool,
    place: PlaceRows,
}

impl RowsReader {
    /// Opens a file with this many columns.
    ///
    /// # Errors
    /// If it cannot be read, or is something else.
    pub fn open(path: &str, columns: usize) -> Result<Self, FileError> {
        let fail = |error| FileError::io(path, error);
        let fault = || RoundFile::Rows.fault(path);
        let mut file = BufReader::with_capacity(1 << 20, File::open(path).map_err(fail)?);
        let mut last = [0; 16];
        let length = file.seek(SeekFrom::End(0)).map_err(fail)?;
        if length < 48 {
            return Err(fault());
        }
        file.seek(SeekFrom::End(-16)).map_err(fail)?;
        file.read_exact(&mut last).map_err(fail)?;
        file.rewind().map_err(fail)?;
        let mut taking = Taking(&last);
        let (rows, digest): (u64, u64) = taking.number().zip(taking.number()).ok_or_else(fault)?;
        let name = std::path::Path::new(path).file_name().map_or(path.into(), |name| name.to_string_lossy());
        let account = serde_json::Value::Null;
        let place = PlaceRows { digest: format!("{digest:016x}"), rows, name: name.into_owned(), account };
        let mut reader = Self {
            path: path.into(),
            file,
            hash: Box::new(Xxh3::new()),
            head: RoundHead::default(),
            columns,
            length,
            read: 0,
            ended: false,
            place,
        };
        let start = reader.some(20)?;
        let mut taking = Taking(&start);
        let ours = taking.head(RoundFile::Rows.mark(), FORMAT).unwrap_or(false);
        let head = taking.number::<u64>().filter(|head| ours && *head < length).ok_or_else(fault)?;
        let head = reader.some(head as usize)?;
        reader.head = serde_json::from_slice(&head).map_err(|_| fault())?;
        if let Some(own) = reader.head.places.first() {
            reader.place.account = own.account.clone();
        }
        Ok(reader)
    }

    /// What stands at its head.
    pub fn head(&self) -> &RoundHead {
        &self.head
    }

    /// What it is known again by.
    pub fn place(&self) -> &PlaceRows {
        &self.place
    }

    /// The next rows; nothing once all of a file that is whole were read.
    ///
    /// # Errors
    /// If the file is damaged.
    pub fn block(&mut self) -> Result<Option<LabelledRows>, FileError> {
        if self.ended {
            return Ok(None);
        }
        let bytes = self.number()?;
        if bytes == 0 {
            let rows = self.number()?;
            let sum = format!("{:016x}", self.hash.digest());
            let whole = rows == self.read && rows == self.place.rows && sum == self.place.digest;
            self.ended = whole;
            return if whole { Ok(None) } else { Err(self.fault()) };
        }
        // A damaged number asks for no more memory than the file has bytes.
        let length =
            usize::try_from(bytes).ok().filter(|_| bytes < self.length).ok_or_else(|| self.fault())?;
        let bytes = self.some(length)?;
        let block = block(&mut Taking(&bytes), self.columns).ok_or_else(|| self.fault())?;
        self.read += block.classes.len() as u64;
        Ok(Some(block))
    }

    fn number(&mut self) -> Result<u64, FileError> {
        let bytes = self.some(8)?;
        Taking(&bytes).number().ok_or_else(|| self.fault())
    }

    fn some(&mut self, count: usize) -> Result<Vec<u8>, FileError> {
        let mut bytes = vec![0; count];
        self.file.read_exact(&mut bytes).map_err(|_| self.fault())?;
        self.hash.update(&bytes);
        Ok(bytes)
    }

    fn fault(&self) -> FileError {
        RoundFile::Rows.fault(&self.path)
    }
}

fn block(taking: &mut Taking<'_>, columns: usize) -> Option<LabelledRows> {
    let count = taking.number::<u32>()? as usize;
    let classes: Vec<Polarity> =
        taking.some(count)?.iter().map(|class| Taking(&[*class]).class()).collect::<Option<_>>()?;
    let (groups, lengths): (Vec<u64>, Vec<u32>) = (taking.numbers(count)?, taking.numbers(count)?);
    let all: u64 = lengths.iter().map(|length| u64::from(*length)).sum();
    let mut entries = Vec::with_capacity(taking.0.len() / 4);
    while let Some(column) = taking.number::<u32>() {
        let value = if column & VALUE == 0 { 1.0 } else { taking.number()? };
        entries.push(Entry { column: column & !VALUE, value });
    }
    let sound = entries.len() as u64 == all
        && taking.0.is_empty()
        && entries.iter().all(|entry| (entry.column as usize) < columns);
    let lengths = lengths.into_iter().map(|length| length as usize);
    sound.then(|| LabelledRows { rows: Rows::new(lengths, entries, columns), classes, groups })
}

/// A question, as a file holds it.
pub fn ask_bytes(head: &RoundHead, ask: &Ask) -> Vec<u8> {
    let mut bytes = begun(RoundFile::Question.mark(), FORMAT, head);
    put(&mut bytes, ask.round);
    put(&mut bytes, ask.held);
    match &ask.asked {
        Asked::Size => put(&mut bytes, 0u8),
        Asked::Counts => put(&mut bytes, 1u8),
        Asked::Lesson { mix, roots, at, first } => {
            put(&mut bytes, 2u8);
            put_mix(&mut bytes, *mix);
            put(&mut bytes, *roots);
            put_weights(&mut bytes, at);
            put(&mut bytes, u8::from(*first));
        }
        Asked::Scores { at, leanings } => {
            put(&mut bytes, 3u8);
            put_weights(&mut bytes, at);
            put_list(&mut bytes, leanings);
        }
    }
    ended(bytes)
}

/// Reads a question about this many columns.
///
/// # Errors
/// If it cannot be read, is something else, or damaged.
pub fn read_ask(path: &str, columns: usize) -> Result<(RoundHead, Ask), FileError> {
    RoundFile::Question.open(path, |taking| {
        let (round, held) = (taking.number()?, taking.number()?);
        let asked = match taking.number::<u8>()? {
            0 => Asked::Size,
            1 => Asked::Counts,
            2 => Asked::Lesson {
                mix: mix(taking)?,
                roots: taking.number()?,
                at: weights(taking, columns)?,
                first: taking.number::<u8>()? == 1,
            },
            3 => Asked::Scores { at: weights(taking, columns)?, leanings: taking.list()? },
            _ => return None,
        };
        Some(Ask { round, held, asked })
    })
}

/// An answer to the question of this number, as a file holds it.
pub fn answer_bytes(head: &RoundHead, round: u32, answer: &Answer) -> Vec<u8> {
    let mut bytes = begun(RoundFile::Answer.mark(), FORMAT, head);
    put(&mut bytes, round);
    match answer {
        Answer::Size(rows) => {
            put(&mut bytes, 0u8);
            put(&mut bytes, *rows);
        }
        Answer::Counts(mix, counts) => {
            put(&mut bytes, 1u8);
            put_mix(&mut bytes, *mix);
            put_counts(&mut bytes, counts);
        }
        Answer::Lesson(Lesson { loss, dual, change }) => {
            put(&mut bytes, 2u8);
            put_all(&mut bytes, [*loss, *dual]);
            put_list(&mut bytes, change);
        }
        Answer::Scores(rows) => {
            put(&mut bytes, 3u8);
            put(&mut bytes, rows.len() as u64);
            for HeldScore { score, leaning, class, group } in rows {
                put_all(&mut bytes, [*score, *leaning]);
                put(&mut bytes, class.index() as u8);
                put(&mut bytes, *group);
            }
        }
    }
    ended(bytes)
}

/// Reads an answer, and the number of its question.
///
/// # Errors
/// If it cannot be read, is something else, or damaged.
pub fn read_answer(path: &str) -> Result<(RoundHead, u32, Answer), FileError> {
    let read = RoundFile::Answer.open(path, |taking| {
        let round = taking.number()?;
        let answer = match taking.number::<u8>()? {
            0 => Answer::Size(taking.number()?),
            1 => Answer::Counts(mix(taking)?, counts(taking)?),
            2 => Answer::Lesson(Lesson {
                loss: taking.number()?,
                dual: taking.number()?,
                change: taking.list()?,
            }),
            3 => {
                let rows: u64 = taking.number()?;
                let mut row = || {
                    let (score, leaning) = (taking.number()?, taking.number()?);
                    Some(HeldScore { score, leaning, class: taking.class()?, group: taking.number()? })
                };
                Answer::Scores((0..rows).map(|_| row()).collect::<Option<_>>()?)
            }
            _ => return None,
        };
        Some((round, answer))
    });
    read.map(|(head, (round, answer))| (head, round, answer))
}

/// The pulls of a place after the question of this number, as a file holds them.
pub fn pulls_bytes(head: &RoundHead, round: u32, pulls: &[f64]) -> Vec<u8> {
    let mut bytes = begun(RoundFile::Pulls.mark(), FORMAT, head);
    put(&mut bytes, round);
    put_list(&mut bytes, pulls);
    ended(bytes)
}

/// Reads pulls, and the number of the question that they were left by.
///
/// # Errors
/// If they cannot be read, are something else, or damaged.
pub fn read_pulls(path: &str) -> Result<(RoundHead, u32, Vec<f64>), FileError> {
    let read = RoundFile::Pulls.open(path, |taking| Some((taking.number()?, taking.list()?)));
    read.map(|(head, (round, pulls))| (head, round, pulls))
}

/// What is known between two questions, as a file holds it.
pub fn state_bytes(head: &RoundHead, rounds: &Rounds) -> Vec<u8> {
    let mut bytes = begun(RoundFile::Known.mark(), FORMAT, head);
    put(&mut bytes, rounds.round);
    match &rounds.stage {
        Stage::Size => put(&mut bytes, 0u8),
        Stage::Counts { held } => {
            put(&mut bytes, 1u8);
            put(&mut bytes, *held);
        }
        Stage::Learning(known) => {
            put(&mut bytes, 2u8);
            put_known(&mut bytes, known);
        }
        Stage::Judging(known, end) => {
            put(&mut bytes, 3u8);
            put_known(&mut bytes, known);
            put(&mut bytes, u8::from(end.stop == Stop::Converged));
            put(&mut bytes, end.objective);
        }
    }
    ended(bytes)
}

/// What a file says that is known between two questions, about this many columns.
///
/// # Errors
/// If it is something else, or damaged.
pub fn read_state(path: &str, bytes: &[u8], columns: usize) -> Result<(RoundHead, Rounds), FileError> {
    let read = RoundFile::Known.of_bytes(bytes, |taking| {
        let round = taking.number()?;
        let stage = match taking.number::<u8>()? {
            0 => Stage::Size,
            1 => Stage::Counts { held: taking.number()? },
            2 => Stage::Learning(Box::new(known(taking, columns)?)),
            3 => {
                let known = known(taking, columns)?;
                let converged = taking.number::<u8>()? == 1;
                let end = Convergence {
                    stop: if converged { Stop::Converged } else { Stop::Rounds },
                    rounds: known.rounds,
                    objective: taking.number()?,
                    gap: Some(known.gap),
                };
                Stage::Judging(Box::new(known), end)
            }
            _ => return None,
        };
        Some(Rounds { round, stage })
    });
    read.ok_or_else(|| RoundFile::Known.fault(path))
}

fn put_mix(bytes: &mut Vec<u8>, mix: ClassCounts) {
    put_all(bytes, CLASSES.map(|class| mix[class] as u64));
}

fn mix(taking: &mut Taking<'_>) -> Option<ClassCounts> {
    let mut mix = ClassCounts::default();
    for class in CLASSES {
        mix[class] = usize::try_from(taking.number::<u64>()?).ok()?;
    }
    Some(mix)
}

fn put_weights(bytes: &mut Vec<u8>, own: &Weights) {
    put_list(bytes, &own.columns);
    put_list(bytes, &own.factors);
    put_list(bytes, &own.weights);
}

fn weights(taking: &mut Taking<'_>, columns: usize) -> Option<Weights> {
    let own = Weights { columns: taking.list()?, factors: taking.list()?, weights: taking.list()? };
    let fits = own.columns.iter().all(|column| (*column as usize) < columns)
        && own.factors.len() == own.columns.len()
        && (1..=2).contains(&own.weights.len().checked_sub(own.columns.len())?);
    fits.then_some(own)
}

fn put_counts(bytes: &mut Vec<u8>, counts: &StreamCounts) {
    CLASSES.into_iter().for_each(|class| put_list(bytes, &counts.by_class()[class]));
}

fn counts(taking: &mut Taking<'_>) -> Option<StreamCounts> {
    let mut counts: PerClass<Vec<u32>> = PerClass::default();
    for class in CLASSES {
        counts[class] = taking.list()?;
    }
    Some(StreamCounts::of(counts))
}

fn put_known(bytes: &mut Vec<u8>, known: &Known) {
    let Known { held, mix, counts, rounds, gap, weights } = known;
    put(bytes, *held);
    put_mix(bytes, *mix);
    put_counts(bytes, counts);
    put(bytes, *rounds);
    put(bytes, *gap);
    put_list(bytes, weights);
}

fn known(taking: &mut Taking<'_>, columns: usize) -> Option<Known> {
    let known = Known {
        held: taking.number()?,
        mix: mix(taking)?,
        counts: counts(taking)?,
        rounds: taking.number()?,
        gap: taking.number()?,
        weights: taking.list()?,
    };
    known.counts.by_class().iter().all(|own| own.len() == columns).then_some(known)
}
