//! Binary files of our own: a mark, a head in JSON, numbers, and a digest of it all.
//!
//! All numbers are little-endian:
//!
//! ```text
//! 8 bytes   the mark
//! u32       format
//! u64       length of the head
//! head      JSON
//! body      as each file says
//! u64       XXH3-64 of everything before it
//! ```

use std::fs::File;
use std::io::Read;

use heddle_core::labels::Polarity;
use heddle_core::matrix::Entry;
use serde::Serialize;
use serde::de::DeserializeOwned;
use xxhash_rust::xxh3::xxh3_64;

use crate::error::FileError;

/// Whether a file begins with this mark.
///
/// # Errors
/// If it cannot be read.
pub(crate) fn begins(path: &str, mark: [u8; 8]) -> Result<bool, FileError> {
    let mut start = [0; 8];
    let mut file = File::open(path).map_err(|error| FileError::io(path, error))?;
    Ok(file.read_exact(&mut start).is_ok() && start == mark)
}

/// A number of a fixed width.
pub(crate) trait Number: Copy {
    type Bytes: AsRef<[u8]>;

    fn bytes(self) -> Self::Bytes;

    fn take(taking: &mut Taking<'_>) -> Option<Self>;
}

macro_rules! number {
    ($($name:ty),*) => {
        $(impl Number for $name {
            type Bytes = [u8; size_of::<$name>()];

            fn bytes(self) -> Self::Bytes {
                self.to_le_bytes()
            }

            fn take(taking: &mut Taking<'_>) -> Option<Self> {
                taking.array().map(Self::from_le_bytes)
            }
        })*
    };
}

number!(u8, u32, u64, f32, f64);

/// The beginning of a file.
pub(crate) fn begun(mark: [u8; 8], format: u32, head: &impl Serialize) -> Vec<u8> {
    let head = serde_json::to_vec(head).expect("a head holds only strings, numbers and lists");
    let mut bytes = Vec::with_capacity(head.len() + 64);
    bytes.extend(mark);
    put(&mut bytes, format);
    put(&mut bytes, head.len() as u64);
    bytes.extend(head);
    bytes
}

/// A file that is whole: its digest is put behind it.
pub(crate) fn ended(mut bytes: Vec<u8>) -> Vec<u8> {
    let sum = xxh3_64(&bytes);
    put(&mut bytes, sum);
    bytes
}

pub(crate) fn put(bytes: &mut Vec<u8>, number: impl Number) {
    bytes.extend(number.bytes().as_ref());
}

/// Numbers one after the other.
pub(crate) fn put_all<N: Number>(bytes: &mut Vec<u8>, numbers: impl IntoIterator<Item = N>) {
    numbers.into_iter().for_each(|number| put(bytes, number));
}

/// A list: how many there are, and each.
pub(crate) fn put_list<N: Number>(bytes: &mut Vec<u8>, numbers: &[N]) {
    put(bytes, numbers.len() as u64);
    bytes.reserve(size_of_val(numbers));
    put_all(bytes, numbers.iter().copied());
}

pub(crate) fn put_entries(bytes: &mut Vec<u8>, entries: &[Entry]) {
    put(bytes, entries.len() as u32);
    for entry in entries {
        put(bytes, entry.column);
        put(bytes, entry.value);
    }
}

/// The head and the body of a file; nothing if it is none of these, or damaged.
pub(crate) fn opened<H: DeserializeOwned>(
    bytes: &[u8],
    mark: [u8; 8],
    format: u32,
) -> Option<(H, Taking<'_>)> {
    let (body, sum) = bytes.split_last_chunk::<8>()?;
    let mut taking = Taking(body);
    let ours = xxh3_64(body) == u64::from_le_bytes(*sum) && taking.head(mark, format)?;
    if !ours {
        return None;
    }
    let length = usize::try_from(taking.number::<u64>()?).ok()?;
    let head = serde_json::from_slice(taking.some(length)?).ok()?;
    Some((head, taking))
}

/// Bytes that are taken from the front.
pub(crate) struct Taking<'b>(pub(crate) &'b [u8]);

impl<'b> Taking<'b> {
    /// Whether mark and format are these; nothing if there are too few bytes.
    pub(crate) fn head(&mut self, mark: [u8; 8], format: u32) -> Option<bool> {
        Some(self.array::<8>()? == mark && self.number::<u32>()? == format)
    }

    pub(crate) fn some(&mut self, count: usize) -> Option<&'b [u8]> {
        let (own, rest) = self.0.split_at_checked(count)?;
        self.0 = rest;
        Some(own)
    }

    pub(crate) fn array<const N: usize>(&mut self) -> Option<[u8; N]> {
        self.some(N)?.try_into().ok()
    }

    pub(crate) fn number<N: Number>(&mut self) -> Option<N> {
        N::take(self)
    }

    /// So many numbers.
    pub(crate) fn numbers<N: Number>(&mut self, count: usize) -> Option<Vec<N>> {
        let mut own = Taking(self.some(count.checked_mul(size_of::<N>())?)?);
        (0..count).map(|_| own.number()).collect()
    }

    /// A list, as [`put_list`] puts it.
    pub(crate) fn list<N: Number>(&mut self) -> Option<Vec<N>> {
        let count = usize::try_from(self.number::<u64>()?).ok()?;
        self.numbers(count)
    }

    pub(crate) fn class(&mut self) -> Option<Polarity> {
        let index = usize::from(self.number::<u8>()?);
        Polarity::ALL.into_iter().find(|class| class.index() == index)
    }

    pub(crate) fn entries(&mut self, columns: usize) -> Option<Vec<Entry>> {
        let count = self.number::<u32>()? as usize;
        let mut own = Taking(self.some(count.checked_mul(8)?)?);
        let mut entry = || Some(Entry { column: own.number()?, value: own.number()? });
        let entries: Vec<Entry> = (0..count).map(|_| entry()).collect::<Option<_>>()?;
        entries.iter().all(|entry| (entry.column as usize) < columns).then_some(entries)
    }
}
