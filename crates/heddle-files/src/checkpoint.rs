//! Checkpoints: what a learner of a stream knows in the middle of its way.
//!
//! Format 1, a file as `framed.rs` says, with the mark `HEDDLE\r\x01`; the head has the version of the program, the
//! digests of settings and reviews, the place, and what was said so far. The body:
//!
//! ```text
//! u32       bits of the columns; then, each as one array over all columns:
//!           f32 weight, f32 squares, f32 behind; u32 reviews, of each class
//! 6 x f32   the same three of each of two intercepts
//! u64 rows that taught; f64 their loss in the first epoch; u64 draws
//! u32       rows that wait; each: u8 class, u8 1 if it is to be judged, its entries
//! u32       rows held back; each: u8 class, u64 group, its entries
//!
//! entries:  u32 number; of each u32 column and f32 value
//! ```

use std::io::Write;
use std::path::Path;

use heddle_core::labels::{CLASSES, PerClass};
use heddle_core::learn::OnlineWeight;
use heddle_core::model::{HeldRow, StreamCounts, StreamState, WaitingRow};
use serde::de::DeserializeOwned;
use serde::{Deserialize, Serialize};

use crate::error::FileError;
use crate::framed::{begins, begun, ended, opened, put, put_all, put_entries};
use crate::output::folder_of;

const MARK: [u8; 8] = *b"HEDDLE\r\x01";
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
    begins(path, MARK)
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
    of_bytes(&bytes).ok_or_else(|| FileError::Checkpoint { path: path.into() })
}

fn to_bytes<T: Serialize>(head: &CheckpointHead<T>, state: &StreamState) -> Vec<u8> {
    let StreamState { weights, intercepts, counts, seen, first_loss, waiting, draws, held } = state;
    let mut bytes = begun(MARK, FORMAT, head);
    bytes.reserve(weights.len() * 24);
    put(&mut bytes, weights.len().ilog2());
    let parts: [fn(&OnlineWeight) -> f32; 3] = [|own| own.weight, |own| own.squares, |own| own.behind];
    for part in parts {
        put_all(&mut bytes, weights.iter().map(part));
    }
    for class in CLASSES {
        put_all(&mut bytes, counts.by_class()[class].iter().copied());
    }
    for own in intercepts {
        put_all(&mut bytes, parts.iter().map(|part| part(own)));
    }
    put(&mut bytes, *seen);
    put(&mut bytes, *first_loss);
    put(&mut bytes, *draws);
    put(&mut bytes, waiting.len() as u32);
    for row in waiting {
        put_all(&mut bytes, [row.class.index() as u8, u8::from(row.judged)]);
        put_entries(&mut bytes, &row.entries);
    }
    put(&mut bytes, held.len() as u32);
    for row in held {
        put(&mut bytes, row.class.index() as u8);
        put(&mut bytes, row.group);
        put_entries(&mut bytes, &row.entries);
    }
    ended(bytes)
}

fn of_bytes<T: DeserializeOwned>(bytes: &[u8]) -> Option<(CheckpointHead<T>, StreamState)> {
    let (head, mut taking) = opened(bytes, MARK, FORMAT)?;
    let bits: u32 = taking.number()?;
    let columns = 1usize.checked_shl(bits).filter(|columns| columns / 4 <= taking.0.len() / 4)?;
    let mut weights = vec![OnlineWeight::default(); columns];
    let parts: [fn(&mut OnlineWeight, f32); 3] =
        [|own, value| own.weight = value, |own, value| own.squares = value, |own, value| own.behind = value];
    for part in parts {
        let own = taking.numbers(columns)?;
        weights.iter_mut().zip(own).for_each(|(weight, value)| part(weight, value));
    }
    let mut counts: PerClass<Vec<u32>> = PerClass::default();
    for class in CLASSES {
        counts[class] = taking.numbers(columns)?;
    }
    let mut intercepts = [OnlineWeight::default(); 2];
    for own in &mut intercepts {
        for part in parts {
            part(own, taking.number()?);
        }
    }
    let (seen, first_loss, draws) = (taking.number()?, taking.number()?, taking.number()?);
    let (mut waiting, mut held) = (Vec::new(), Vec::new());
    for _ in 0..taking.number::<u32>()? {
        let (class, judged) = (taking.class()?, taking.number::<u8>()? == 1);
        waiting.push(WaitingRow { entries: taking.entries(columns)?, class, judged });
    }
    for _ in 0..taking.number::<u32>()? {
        let (class, group) = (taking.class()?, taking.number()?);
        held.push(HeldRow { entries: taking.entries(columns)?, class, group });
    }
    let counts = StreamCounts::of(counts);
    taking.0.is_empty().then_some((
        head,
        StreamState { weights, intercepts, counts, seen, first_loss, waiting, draws, held },
    ))
}
