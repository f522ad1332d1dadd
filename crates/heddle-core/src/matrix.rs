//! Sparse rows.

/// One entry of a sparse row.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Entry {
    /// The column.
    pub column: u32,
    /// The value.
    pub value: f32,
}

/// Sparse rows, stored one after the other: row `i` is `entries[starts[i]..starts[i + 1]]`.
///
/// Within a row a column stands at most once, in the order in which a review first uses
/// it. Sums over a row are therefore taken in reading order, whatever the numbering of
/// the columns, and two vocabularies that agree on a row's terms agree on its sum to the
/// last bit.
#[derive(Debug, Clone)]
pub struct Rows {
    starts: Vec<usize>,
    entries: Vec<Entry>,
    columns: usize,
}

impl Rows {
    /// Rows of the given lengths, `lengths.len()` x `columns`.
    ///
    /// # Panics
    /// If the lengths do not add up to the number of entries.
    pub fn new(lengths: impl IntoIterator<Item = usize>, entries: Vec<Entry>, columns: usize) -> Self {
        let mut starts = vec![0];
        let mut end = 0;
        starts.extend(lengths.into_iter().map(|length| {
            end += length;
            end
        }));
        assert_eq!(
            end,
            entries.len(),
            "row lengths add up to {end}, but there are {} entries",
            entries.len()
        );
        debug_assert!(entries.iter().all(|entry| (entry.column as usize) < columns));
        Self { starts, entries, columns }
    }

    /// The entries of row `row`.
    pub fn row(&self, row: usize) -> &[Entry] {
        &self.entries[self.starts[row]..self.starts[row + 1]]
    }

    /// The number of rows.
    pub fn len(&self) -> usize {
        self.starts.len() - 1
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
        self.entries.len()
    }
}
