//! Checkpoints: what a learner of a stream knows in the middle of its way.
//!
//! Format 1, all numbers little-endian:
//!
//! ```text
//! 8 bytes   "HEDDLE\r\x01"
//! u32       format, 1
//! u64       length of the head
//! head      JSON: program version, digests of settings and of reviews, place, what was said so far
//! u32       bits of the columns; then, each as one array over all columns:
//!           f32 weight, f32 squares, f32 behind; u32 reviews, of each class
//! 6 x f32   the same three of each of two intercepts
//! u64 rows that taught; f64 their loss in the first epoch; u64 draws
//! u32       rows that wait; each: u8 class, u8 1 if it is to be judged, its entries
//! u32       rows held back; each: u8 class, u64 group, its entries
//! u64       XXH3-64 of everything before it
//!
//! entries:  u32 number; of each u32 column and f32 value
//! ```

use std::io::Write;
use std::path::Path;

use heddle_core::labels::{CLASSES, PerClass, Polarity};
use heddle_core::learn::OnlineWeight;
use heddle_core::matrix::Entry;
use heddle_core::model::{HeldRow, StreamCounts, StreamState, WaitingRow};
use serde::de::DeserializeOwned;
use serde::{Deserialize, Serialize};
use xxhash_rust::xxh3::xxh3_64;

use crate::error::FileError;
use crate::output::folder_of;

const MAGIC: &[u8; 8] = b"HEDDLE\r\x01";
const FORMAT: u32 = 1;

/// What stands at the head of a checkpoint.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct CheckpointHead<T> {
    /// The version of the program that wrote it.
    pub heddle: String,
    /// The digest of the settings.
    pub settings: String,
    /// The digest of the reviews.
    pub reviews: String,
    /// Epochs that are done.
    pub epochs: u32,
    /// Rows of the files that are done with in the epoch that goes on.
    pub rows: usize,
    /// What else is to be kept.
    pub notes: T,
}

/// Whether a file is a checkpoint, and not something else that must not be written over.
///
/// # Errors
/// If it is there and cannot be read.
pub fn is_checkpoint(path: &str) -> Result<bool, FileError> {
    use std::io::Read;
    let mut start = [0; 8];
    let mut file = std::fs::File::open(path).map_err(|error| FileError::io(path, error))?;
    Ok(file.read_exact(&mut start).is_ok() && start == *MAGIC)
}

/// Writes a checkpoint in the place of the one before: under a name of its own first, so that there is always a whole one.
///
/// # Errors
/// If it cannot be written.
pub fn write_checkpoint<T: Serialize>(
    path: &str,
    head: &CheckpointHead<T>,
    state: &StreamState,
) -> Result<(), FileError> {
    let fail = |error| FileError::io(path, error);
    let mut file = tempfile::NamedTempFile::new_in(folder_of(Path::new(path))).map_err(fail)?;
    file.write_all(&to_bytes(head, state)).map_err(fail)?;
    file.as_file().sync_data().map_err(fail)?;
    file.persist(path).map_err(|error| fail(error.error))?;
    Ok(())
}

/// Reads a checkpoint.
///
/// # Errors
/// If it cannot be read, or is none, or is damaged.
pub fn read_checkpoint<T: DeserializeOwned>(
    path: &str,
) -> Result<(CheckpointHead<T>, StreamState), FileError> {
    let bytes = std::fs::read(path).map_err(|error| FileError::io(path, error))?;
    let whole =
        bytes.split_last_chunk::<8>().filter(|(body, sum)| xxh3_64(body) == u64::from_le_bytes(**sum));
    let read = whole.and_then(|(body, _)| of_bytes(body));
    read.ok_or_else(|| FileError::Checkpoint { path: path.into() })
}

fn to_bytes<T: Serialize>(head: &CheckpointHead<T>, state: &StreamState) -> Vec<u8> {
    let StreamState { weights, intercepts, counts, seen, first_loss, waiting, draws, held } = state;
    let head = serde_json::to_vec(head).expect("a head holds only strings, numbers and lists");
    let mut bytes = Vec::with_capacity(head.len() + weights.len() * 24);
    bytes.extend(MAGIC);
    bytes.extend(FORMAT.to_le_bytes());
    bytes.extend((head.len() as u64).to_le_bytes());
    bytes.extend(head);
    bytes.extend(weights.len().ilog2().to_le_bytes());
    let parts: [fn(&OnlineWeight) -> f32; 3] = [|own| own.weight, |own| own.squares, |own| own.behind];
    for part in parts {
        bytes.extend(weights.iter().flat_map(|own| part(own).to_le_bytes()));
    }
    for class in CLASSES {
        bytes.extend(counts.by_class()[class].iter().flat_map(|count| count.to_le_bytes()));
    }
    for own in intercepts {
        bytes.extend(parts.iter().flat_map(|part| part(own).to_le_bytes()));
    }
    bytes.extend(seen.to_le_bytes());
    bytes.extend(first_loss.to_le_bytes());
    bytes.extend(draws.to_le_bytes());
    bytes.extend((waiting.len() as u32).to_le_bytes());
    for row in waiting {
        bytes.extend([row.class.index() as u8, u8::from(row.judged)]);
        put_entries(&row.entries, &mut bytes);
    }
    bytes.extend((held.len() as u32).to_le_bytes());
    for row in held {
        bytes.push(row.class.index() as u8);
        bytes.extend(row.group.to_le_bytes());
        put_entries(&row.entries, &mut bytes);
    }
    bytes.extend(xxh3_64(&bytes).to_le_bytes());
    bytes
}

fn put_entries(entries: &[Entry], bytes: &mut Vec<u8>) {
    bytes.extend((entries.len() as u32).to_le_bytes());
    for entry in entries {
        bytes.extend(entry.column.to_le_bytes());
        bytes.extend(entry.value.to_le_bytes());
    }
}

/// Bytes that are taken from the front.
struct Taking<'b>(&'b [u8]);

impl<'b> Taking<'b> {
    fn some(&mut self, count: usize) -> Option<&'b [u8]> {
        let (own, rest) = self.0.split_at_checked(count)?;
        self.0 = rest;
        Some(own)
    }

    fn array<const N: usize>(&mut self) -> Option<[u8; N]> {
        self.some(N)?.try_into().ok()
    }

    fn u8(&mut self) -> Option<u8> {
        self.array().map(u8::from_le_bytes)
    }

    fn u32(&mut self) -> Option<u32> {
        self.array().map(u32::from_le_bytes)
    }

    fn u64(&mut self) -> Option<u64> {
        self.array().map(u64::from_le_bytes)
    }

    fn class(&mut self) -> Option<Polarity> {
        let index = usize::from(self.u8()?);
        Polarity::ALL.into_iter().find(|class| class.index() == index)
    }

    fn words(&mut self, count: usize) -> Option<Vec<[u8; 4]>> {
        Some(self.some(count.checked_mul(4)?)?.as_chunks::<4>().0.to_vec())
    }

    fn entries(&mut self, columns: usize) -> Option<Vec<Entry>> {
        let count = self.u32()? as usize;
        let words = self.words(count.checked_mul(2)?)?;
        let entry = |pair: &[[u8; 4]; 2]| Entry {
            column: u32::from_le_bytes(pair[0]),
            value: f32::from_le_bytes(pair[1]),
        };
        let entries: Vec<Entry> = words.as_chunks::<2>().0.iter().map(entry).collect();
        entries.iter().all(|entry| (entry.column as usize) < columns).then_some(entries)
    }
}

fn of_bytes<T: DeserializeOwned>(bytes: &[u8]) -> Option<(CheckpointHead<T>, StreamState)> {
    let mut taking = Taking(bytes);
    if taking.array::<8>()? != *MAGIC || taking.u32()? != FORMAT {
        return None;
    }
    let length = usize::try_from(taking.u64()?).ok()?;
    let head = serde_json::from_slice(taking.some(length)?).ok()?;
    let columns = 1usize.checked_shl(taking.u32()?).filter(|columns| columns / 4 <= taking.0.len() / 4)?;
    let mut weights = vec![OnlineWeight::default(); columns];
    let parts: [fn(&mut OnlineWeight, f32); 3] =
        [|own, value| own.weight = value, |own, value| own.squares = value, |own, value| own.behind = value];
    for part in parts {
        let own = taking.words(columns)?;
        weights.iter_mut().zip(own).for_each(|(weight, word)| part(weight, f32::from_le_bytes(word)));
    }
    let mut counts: PerClass<Vec<u32>> = PerClass::default();
    for class in CLASSES {
        counts[class] = taking.words(columns)?.into_iter().map(u32::from_le_bytes).collect();
    }
    let mut intercepts = [OnlineWeight::default(); 2];
    for own in &mut intercepts {
        for part in parts {
            part(own, f32::from_le_bytes(taking.array()?));
        }
    }
    let (seen, first_loss, draws) = (taking.u64()?, f64::from_le_bytes(taking.array()?), taking.u64()?);
    let (mut waiting, mut held) = (Vec::new(), Vec::new());
    for _ in 0..taking.u32()? {
        let (class, judged) = (taking.class()?, taking.u8()? == 1);
        waiting.push(WaitingRow { entries: taking.entries(columns)?, class, judged });
    }
    for _ in 0..taking.u32()? {
        let (class, group) = (taking.class()?, taking.u64()?);
        held.push(HeldRow { entries: taking.entries(columns)?, class, group });
    }
    let counts = StreamCounts::of(counts);
    taking.0.is_empty().then_some((
        head,
        StreamState { weights, intercepts, counts, seen, first_loss, waiting, draws, held },
    ))
}
