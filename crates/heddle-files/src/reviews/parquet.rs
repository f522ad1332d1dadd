//! Parquet files, column by column.

use csv::StringRecord;
use heddle_core::settings::Limits;
use parquet::column::reader::ColumnReader;
use parquet::errors::ParquetError;
use parquet::file::reader::{FileReader, Length, RowGroupReader, SerializedFileReader};

use super::column::Column;
use super::guard;
use super::leaf::{Cells, Leaf};
use super::limit::check_columns;
use super::pages::{self, Wrong};
use super::rows::{FileFormat, Manner, Next, Refusal, Rows, Wanted, checked};
use super::source::Bytes;
use crate::error::FileError;

/// Rows that are decoded at a time.
const BATCH: usize = 1024;

/// Calls into the decoder; a panic of it is an error.
fn guarded<T>(work: impl FnOnce() -> Result<T, ParquetError>) -> Result<T, ParquetError> {
    guard::guarded(work).unwrap_or_else(|| Err(ParquetError::General(guard::CONTRADICTS.into())))
}

/// A Parquet file.
pub(crate) struct Parquet {
    reader: SerializedFileReader<Bytes>,
    bytes: Bytes,
    limits: Limits,
    leaves: Vec<Leaf>,
    columns: Vec<Column>,
    /// By column: whether its cells are needed.
    needed: Vec<bool>,
    group: usize,
    /// By column: the reader of the present group.
    readers: Vec<Option<ColumnReader>>,
    /// By column: the numbers that are wanted.
    wanted: Vec<(usize, Wanted)>,
    /// Where no row of the present group is wanted: the column that tells so, and a number of it.
    unwanted: Option<(usize, String)>,
    /// Rows of the present group that are not decoded yet.
    left: u64,
    cells: Vec<Cells>,
    /// The rows in `cells`, and how many of them were given.
    batch: usize,
    given: usize,
    number: u64,
    manner: Manner,
}

impl Parquet {
    pub(crate) fn new(file: &str, bytes: Bytes, limits: &Limits) -> Result<Self, FileError> {
        let fail = |error: ParquetError| broken(file, &error.to_string());
        let reader = guarded(|| SerializedFileReader::new(bytes.clone())).map_err(fail)?;
        let schema = reader.metadata().file_metadata().schema_descr_ptr();
        let leaf = |at: usize| Leaf::new(&schema.column(at), schema.get_column_root(at));
        let leaves = guarded(|| Ok((0..schema.num_columns()).map(leaf).collect::<Vec<_>>())).map_err(fail)?;
        let columns: Vec<Column> = leaves.iter().map(|leaf| leaf.column.clone()).collect();
        check_columns(file, &columns, limits)?;
        check_rows(file, &reader, &bytes, limits)?;
        Ok(Self {
            needed: vec![true; columns.len()],
            readers: Vec::new(),
            wanted: Vec::new(),
            unwanted: None,
            cells: columns.iter().map(|_| Cells::default()).collect(),
            manner: Manner { file: file.into(), format: FileFormat::Parquet, ..Manner::default() },
            reader,
            bytes,
            limits: *limits,
            leaves,
            columns,
            group: 0,
            left: 0,
            batch: 0,
            given: 0,
            number: 0,
        })
    }

    /// Decodes the next rows; false at the end of the file.
    fn fill(&mut self) -> Result<bool, FileError> {
        while self.left == 0 {
            if self.group == self.reader.num_row_groups() {
                return Ok(false);
            }
            self.begin_group()?;
        }
        let rows = self.left.min(BATCH as u64) as usize;
        if let Some((at, number)) = &self.unwanted {
            self.cells[*at].fill(number, rows);
        }
        for (at, reader) in self.readers.iter_mut().enumerate() {
            let Some(reader) = reader else { continue };
            let (leaf, cells) = (&self.leaves[at], &mut self.cells[at]);
            let read = guarded(|| leaf.read(reader, rows, cells));
            let file = &self.manner.file;
            read.map_err(|error| broken(file, &format!("column `{}`: {error}", leaf.column.name)))?;
            if cells.rows() != rows {
                let name = &leaf.column.name;
                return Err(broken(file, &format!("column `{name}` ends before its last row")));
            }
        }
        self.left -= rows as u64;
        (self.batch, self.given) = (rows, 0);
        Ok(true)
    }

    fn begin_group(&mut self) -> Result<(), FileError> {
        let file = &self.manner.file;
        let fail = |error: ParquetError| broken(file, &error.to_string());
        let metadata = self.reader.metadata().row_group(self.group);
        self.left =
            u64::try_from(metadata.num_rows()).map_err(|_| broken(file, "a number of rows below zero"))?;
        self.unwanted = self.wanted.iter().find_map(|(at, wanted)| {
            let (least, most) = self.leaves[*at].range(metadata.column(*at).statistics()?)?;
            (!wanted(least, most)).then(|| (*at, least.to_string()))
        });
        if self.unwanted.is_some() {
            self.readers.clear();
            self.cells.iter_mut().for_each(Cells::clear);
            self.group += 1;
            return Ok(());
        }
        for (at, chunk) in metadata.columns().iter().enumerate().filter(|(at, _)| self.needed[*at]) {
            match guarded(|| Ok(pages::check(&self.bytes, chunk, &self.limits))).map_err(fail)? {
                Ok(()) => {}
                Err(Wrong::Stop(stop)) => return Err(stop.told(file)),
                Err(Wrong::Page(why)) => {
                    let name = &self.columns[at].name;
                    return Err(broken(file, &format!("a page of column `{name}`: {why}")));
                }
            }
        }
        let (reader, group, needed) = (&self.reader, self.group, &self.needed);
        self.readers = guarded(|| {
            let group: Box<dyn RowGroupReader + '_> = reader.get_row_group(group)?;
            let open = |(at, needed): (usize, &bool)| needed.then(|| group.get_column_reader(at)).transpose();
            needed.iter().enumerate().map(open).collect::<Result<Vec<_>, _>>()
        })
        .map_err(fail)?;
        self.group += 1;
        Ok(())
    }
}

/// A file of a few bytes may say that it holds any number of rows.
fn check_rows(
    file: &str,
    reader: &SerializedFileReader<Bytes>,
    bytes: &Bytes,
    limits: &Limits,
) -> Result<(), FileError> {
    let rows: u64 = reader
        .metadata()
        .row_groups()
        .iter()
        .fold(0, |sum, group| sum.saturating_add_signed(group.num_rows()));
    let most = bytes.len().saturating_mul(limits.unpacking);
    if rows <= most {
        return Ok(());
    }
    Err(FileError::Limit {
        path: file.into(),
        line: None,
        found: format!("{} bytes are to hold {rows} rows", bytes.len()),
        key: "reviews.unpack_limit",
        raised: rows / bytes.len().max(1) + 1,
    })
}

fn broken(file: &str, message: &str) -> FileError {
    FileError::NoParquet { path: file.into(), message: message.into() }
}

impl Rows for Parquet {
    fn columns(&self) -> &[Column] {
        &self.columns
    }

    fn next(&mut self, record: &mut StringRecord) -> Result<Next, FileError> {
        if self.given == self.batch && !self.fill()? {
            return Ok(None);
        }
        let row = self.given;
        self.given += 1;
        self.number += 1;
        self.manner.rows += 1;
        record.clear();
        for (at, cells) in self.cells.iter().enumerate() {
            if let Some(why) = cells.wrong(row) {
                return Ok(Some(Err(Refusal {
                    file: self.manner.file.clone(),
                    line: self.number,
                    column: Some(self.columns[at].name.clone()),
                    expected: "a value that can be shown as text".into(),
                    found: why.into(),
                })));
            }
            record.push_field(cells.cell(row));
        }
        Ok(checked(record, &self.columns, &self.manner.file, self.number))
    }

    fn manner(&self) -> Manner {
        self.manner.clone()
    }

    fn want(&mut self, place: usize, wanted: Wanted) {
        self.wanted.push((place, wanted));
    }

    fn need(&mut self, places: &[usize]) {
        self.needed.iter_mut().for_each(|needed| *needed = false);
        places.iter().for_each(|&place| self.needed[place] = true);
    }
}
