//! The pages of a Parquet file, looked at before they are unpacked: what they say they hold must
//! fit into the file and into memory.
//!
//! A page begins with a header in the compact protocol of Thrift, whose first three fields are the
//! kind of the page and its unpacked and packed size.

use std::io::Read;

use heddle_core::settings::Limits;
use parquet::file::metadata::ColumnChunkMetaData;

use super::source::Bytes;
use crate::error::Stop;

/// Structures inside structures, as deep as headers have any use for.
const DEEPEST: u32 = 16;

/// Walks over the pages of a column chunk.
///
/// Gives what is wrong with one, or that it unpacks to more than is allowed.
pub(crate) fn check(bytes: &Bytes, chunk: &ColumnChunkMetaData, limits: &Limits) -> Result<(), Wrong> {
    let (start, length) = chunk.byte_range();
    let whole = parquet::file::reader::Length::len(bytes);
    let end = start
        .checked_add(length)
        .filter(|end| *end <= whole)
        .ok_or(Wrong::Page("it ends behind the file"))?;
    let (mut at, mut values) = (start, 0i64);
    while at < end && values < chunk.num_values() {
        let room = (end - at).min(64 * 1024);
        let mut source = Header { source: std::io::BufReader::new(bytes.from(at).take(room)), passed: 0 };
        let page = source.page().ok_or(Wrong::Page("its header is damaged"))?;
        at += source.passed;
        if page.packed < 0 || page.unpacked < 0 || page.packed as u64 > end - at {
            return Err(Wrong::Page("its size is none"));
        }
        let (packed, unpacked) = (page.packed as u64, page.unpacked as u64);
        if unpacked > limits.row_bytes().max(packed) && unpacked / limits.unpacking > packed {
            return Err(Wrong::Stop(Stop::Unpacking { limits: *limits, packed, unpacked }));
        }
        values = values.saturating_add(i64::from(page.values.max(0)));
        at += packed;
    }
    Ok(())
}

/// Why a chunk is not read.
#[derive(Debug)]
pub(crate) enum Wrong {
    Page(&'static str),
    Stop(Stop),
}

struct Page {
    unpacked: i32,
    packed: i32,
    /// The values of a page of data; none are counted of a dictionary.
    values: i32,
}

/// A header that is being read.
struct Header<R> {
    source: R,
    passed: u64,
}

impl<R: Read> Header<R> {
    fn byte(&mut self) -> Option<u8> {
        let mut byte = [0];
        self.source.read_exact(&mut byte).ok()?;
        self.passed += 1;
        Some(byte[0])
    }

    fn varint(&mut self) -> Option<u64> {
        let mut value = 0u64;
        for shift in (0..64).step_by(7) {
            let byte = self.byte()?;
            value |= u64::from(byte & 0x7f) << shift;
            if byte & 0x80 == 0 {
                return Some(value);
            }
        }
        None
    }

    fn int(&mut self) -> Option<i32> {
        let zigzag = self.varint()?;
        i32::try_from((zigzag >> 1) as i64 ^ -((zigzag & 1) as i64)).ok()
    }

    /// The next field: its number and its type; nothing at the end of the structure.
    fn field(&mut self, before: i64) -> Option<Option<(i64, u8)>> {
        let byte = self.byte()?;
        let kind = byte & 0x0f;
        if kind == 0 {
            return Some(None);
        }
        let number = match byte >> 4 {
            0 => i64::from(self.int()?),
            step => before + i64::from(step),
        };
        Some(Some((number, kind)))
    }

    fn page(&mut self) -> Option<Page> {
        const STRUCT: u8 = 12;
        let mut page = Page { unpacked: -1, packed: -1, values: 0 };
        let mut before = 0;
        while let Some((number, kind)) = self.field(before)? {
            match (number, kind) {
                (2, 5) => page.unpacked = self.int()?,
                (3, 5) => page.packed = self.int()?,
                // Of both kinds of data pages the first field is the number of values.
                (5 | 8, STRUCT) => page.values = self.first_int()?,
                _ => self.pass(kind, 0)?,
            }
            before = number;
        }
        Some(page)
    }

    /// The first field of a structure, which is passed to its end.
    fn first_int(&mut self) -> Option<i32> {
        let (mut first, mut before) = (0, 0);
        while let Some((number, kind)) = self.field(before)? {
            match (number, kind) {
                (1, 5) => first = self.int()?,
                _ => self.pass(kind, 1)?,
            }
            before = number;
        }
        Some(first)
    }

    fn pass(&mut self, kind: u8, depth: u32) -> Option<()> {
        if depth > DEEPEST {
            return None;
        }
        match kind {
            1 | 2 => {}
            3 => drop(self.byte()?),
            4..=6 => drop(self.varint()?),
            7 => (0..8).try_for_each(|_| self.byte().map(drop))?,
            8 => {
                let length = self.varint()?;
                (0..length).try_for_each(|_| self.byte().map(drop))?;
            }
            9 | 10 => {
                let byte = self.byte()?;
                let count = if byte >> 4 == 15 { self.varint()? } else { u64::from(byte >> 4) };
                let kind = byte & 0x0f;
                // An element takes a byte at least, truth values in lists included.
                (0..count).try_for_each(|_| match kind {
                    1 | 2 => self.byte().map(drop),
                    kind => self.pass(kind, depth + 1),
                })?;
            }
            12 => {
                let mut before = 0;
                while let Some((number, kind)) = self.field(before)? {
                    self.pass(kind, depth + 1)?;
                    before = number;
                }
            }
            _ => return None,
        }
        Some(())
    }
}
