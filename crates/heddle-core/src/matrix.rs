//! Sparse rows.

use crate::ahead::{ask, fold_ahead};

/// One entry of a sparse row.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Entry {
    /// The column.
    pub column: u32,
    /// The value.
    pub value: f32,
}

/// Rows of one chunk but the last.
pub(crate) const CHUNK: usize = 1024;

/// Sparse rows, in chunks of a fixed number of rows: what is made in pieces is never copied
/// together.
///
/// Within a row a column stands at most once, in the order in which a review first uses
/// it. Sums over a row are therefore taken in reading order, whatever the numbering of
/// the columns, and two vocabularies that agree on a row's terms agree on its sum to the
/// last bit.
#[derive(Debug, Clone, PartialEq)]
pub struct Rows {
    chunks: Vec<Chunk>,
    rows: usize,
    columns: usize,
}

/// Rows stored one after the other; row `i` ends before entry `ends[i]`.
#[derive(Debug, Clone, Default, PartialEq)]
pub(crate) struct Chunk {
    pub(crate) ends: Vec<u32>,
    pub(crate) entries: Vec<Entry>,
}

impl Rows {
    /// Rows of the given lengths, `lengths.len()` x `columns`.
    ///
    /// # Panics
    /// If the lengths do not add up to the number of entries.
    pub fn new(lengths: impl IntoIterator<Item = usize>, entries: Vec<Entry>, columns: usize) -> Self {
        let mut chunks: Vec<Chunk> = Vec::new();
        let mut end = 0;
        for (row, length) in lengths.into_iter().enumerate() {
            if row % CHUNK == 0 {
                chunks.push(Chunk::default());
            }
            let own = entries.get(end..end + length).unwrap_or_default();
            if let Some(chunk) = chunks.last_mut() {
                chunk.entries.extend(own);
                chunk.ends.push(chunk.entries.len() as u32);
            }
            end += length;
        }
        let count = entries.len();
        assert_eq!(end, count, "row lengths add up to {end}, but there are {count} entries");
        Self::of_chunks(chunks, columns)
    }

    /// Rows of chunks, each but the last of [`CHUNK`] rows.
    ///
    /// # Panics
    /// If a chunk before the last has another number of rows.
    pub(crate) fn of_chunks(chunks: Vec<Chunk>, columns: usize) -> Self {
        let rows = chunks.iter().map(|chunk| chunk.ends.len()).sum();
        let whole = chunks.iter().rev().skip(1).all(|chunk| chunk.ends.len() == CHUNK);
        assert!(whole, "a chunk before the last has other than {CHUNK} rows");
        debug_assert!(chunks.iter().flat_map(|chunk| &chunk.entries).all(|e| (e.column as usize) < columns));
        Self { chunks, rows, columns }
    }

    /// The entries of row `row`.
    pub fn row(&self, row: usize) -> &[Entry] {
        let (chunk, at) = (&self.chunks[row / CHUNK], row % CHUNK);
        let start = if at == 0 { 0 } else { chunk.ends[at - 1] as usize };
        &chunk.entries[start..chunk.ends[at] as usize]
    }

    /// The number of rows.
    pub fn len(&self) -> usize {
        self.rows
    }

    /// Whether there are no rows.
    pub fn is_empty(&self) -> bool {
        self.len() == 0
    }

    /// The number of columns.
    pub fn columns(&self) -> usize {
        self.columns
    }

    /// The number of entries of all rows.
    pub fn entries(&self) -> usize {
        self.chunks.iter().map(|chunk| chunk.entries.len()).sum()
    }
}

/// Adds one to the count of each column of a row.
pub(crate) fn count_columns(row: &[Entry], counts: &mut [u32]) {
    let ask = |counts: &&mut [u32], entry: &Entry| ask(&**counts, entry.column as usize);
    fold_ahead(row, ask, counts, |counts, entry| {
        counts[entry.column as usize] += 1;
        counts
    });
}

/// The sum of the products of values that two lists have under the same key; both ascend by key.
pub(crate) fn dot_of_shared<K: Ord, V: Copy + Into<f64>>(a: &[(K, V)], b: &[(K, V)]) -> f64 {
    let (mut a, mut b) = (a.iter().peekable(), b.iter().peekable());
    let mut sum = 0.0;
    while let (Some((left, x)), Some((right, y))) = (a.peek(), b.peek()) {
        match left.cmp(right) {
            std::cmp::Ordering::Less => drop(a.next()),
            std::cmp::Ordering::Greater => drop(b.next()),
            std::cmp::Ordering::Equal => {
                sum += (*x).into() * (*y).into();
                a.next();
                b.next();
            }
        }
    }
    sum
}
