//! Spreadsheets: the rows of one sheet.

use std::io::{BufReader, Read};

use ::csv::{ByteRecord, StringRecord};
use calamine::{Data, Ods, Range, Reader, Sheets, Xls, Xlsb, Xlsx};
use heddle_core::settings::{Form, Header, Limits};
use parquet::file::reader::Length;

use super::column::{CellKind, Column};
use super::dialect::has_header;
use super::fields::number_kind;
use super::guard::{CONTRADICTS, guarded};
use super::limit::{check_columns, check_unpacked, too_long};
use super::preamble::header_row;
use super::rows::{FileFormat, Manner, Next, Refusal, Rows, checked};
use super::source::Bytes;
use crate::error::{FileError, listed};

/// What a workbook begins with: a zip archive, or the container of the older ones.
pub(crate) const MARKS: [&[u8]; 2] = [b"PK\x03\x04", b"\xd0\xcf\x11\xe0\xa1\xb1\x1a\xe1"];

/// Rows that are looked at to tell where names stand.
const LOOK: usize = 200;

/// One sheet of a workbook. It is held whole, as its format wants.
pub(crate) struct Sheet {
    cells: Range<Data>,
    columns: Vec<Column>,
    /// The next row, counted from the first that is filled.
    at: usize,
    limits: Limits,
    manner: Manner,
}

impl Sheet {
    pub(crate) fn new(file: &str, bytes: Bytes, form: &Form) -> Result<Self, FileError> {
        let broken = |found: String| FileError::Workbook { path: file.into(), found };
        let mut book = open(file, bytes, &form.limits)?;
        let sheets = book.sheet_names();
        let name = match &form.sheet {
            Some(name) if sheets.contains(name) => name.clone(),
            Some(name) => {
                let found = format!("there is no sheet `{name}`; there are {}", listed(&sheets));
                return Err(broken(found));
            }
            None => sheets.first().cloned().ok_or_else(|| broken("it has no sheet".into()))?,
        };
        let cells = guarded(|| book.worksheet_range(&name));
        let cells =
            cells.ok_or_else(|| broken(CONTRADICTS.into()))?.map_err(|error| broken(error.to_string()))?;
        if cells.is_empty() {
            return Err(broken(format!("its sheet `{name}` is empty; there are {}", listed(&sheets))));
        }
        let texts: Vec<Vec<String>> =
            cells.rows().take(LOOK).map(|row| row.iter().map(text).collect()).collect();
        let skipped = match form.skip {
            Some(rows) => rows as usize,
            None => preamble(&texts),
        };
        let header = match form.header {
            Header::Yes => true,
            Header::No => false,
            Header::Auto => has_header(&records(&texts, skipped)),
        };
        let Some(first) = cells.rows().nth(skipped) else {
            return Err(broken(format!("its sheet `{name}` has no row behind those that are passed over")));
        };
        let (first, begins) = (first.to_vec(), skipped + usize::from(header));
        let columns = columns(&cells, &first, header, begins);
        check_columns(file, &columns, &form.limits)?;
        let manner = Manner {
            file: file.into(),
            format: FileFormat::Spreadsheet,
            header: Some(header),
            skipped: skipped as u64,
            sheet: Some(name),
            sheets: sheets.len() as u64,
            ..Manner::default()
        };
        Ok(Self { cells, columns, at: begins, limits: form.limits, manner })
    }
}

impl Rows for Sheet {
    fn columns(&self) -> &[Column] {
        &self.columns
    }

    fn next(&mut self, record: &mut StringRecord) -> Result<Next, FileError> {
        let width = self.columns.len();
        loop {
            if self.at == self.cells.height() {
                return Ok(None);
            }
            let row = &self.cells[self.at];
            self.at += 1;
            if row.iter().all(|cell| matches!(cell, Data::Empty)) {
                continue; // as a blank line of delimited text
            }
            record.clear();
            row.iter().take(width).for_each(|cell| record.push_field(&text(cell)));
            self.manner.rows += 1;
            let line = u64::from(self.cells.start().map_or(0, |(row, _)| row)) + self.at as u64;
            if record.as_slice().len() as u64 > self.limits.row_bytes() {
                let (file, expected) = (self.manner.file.clone(), too_long(&self.limits));
                let found = format!("{} MiB", record.as_slice().len() >> 20);
                return Ok(Some(Err(Refusal { file, line, column: None, expected, found })));
            }
            return Ok(checked(record, &self.columns, &self.manner.file, line));
        }
    }

    fn manner(&self) -> Manner {
        self.manner.clone()
    }
}

type Workbook = Sheets<BufReader<Bytes>>;

/// Opens a workbook of whichever kind it is, whatever it is called. What it would unpack to is looked at before
/// anything of it is unpacked.
fn open(file: &str, bytes: Bytes, limits: &Limits) -> Result<Workbook, FileError> {
    let broken = |found: String| FileError::Workbook { path: file.into(), found };
    let source = || BufReader::new(bytes.from(0));
    let mut mark = [0; 8];
    bytes.from(0).read_exact(&mut mark).map_err(|error| broken(error.to_string()))?;
    let opened = if mark == *MARKS[1] {
        guarded(|| Xls::new(source()).map(Sheets::Xls).map_err(|error| error.to_string()))
    } else {
        let archive = guarded(|| zip::ZipArchive::new(source())).ok_or_else(|| broken(CONTRADICTS.into()))?;
        let archive = archive.map_err(|error| broken(error.to_string()))?;
        let unpacked = archive.decompressed_size().map_or(0, |size| u64::try_from(size).unwrap_or(u64::MAX));
        check_unpacked(file, (bytes.len(), unpacked), limits)?;
        let holds = |name: &str| archive.index_for_name(name).is_some();
        guarded(|| match (holds("xl/workbook.xml"), holds("xl/workbook.bin"), holds("content.xml")) {
            (true, ..) => Xlsx::new(source()).map(Sheets::Xlsx).map_err(|error| error.to_string()),
            (_, true, _) => Xlsb::new(source()).map(Sheets::Xlsb).map_err(|error| error.to_string()),
            (_, _, true) => Ods::new(source()).map(Sheets::Ods).map_err(|error| error.to_string()),
            _ => Err("it is a zip archive and no workbook; unpack it first".into()),
        })
    };
    opened.ok_or_else(|| broken(CONTRADICTS.into()))?.map_err(broken)
}

/// The rows above the names of the columns.
fn preamble(texts: &[Vec<String>]) -> usize {
    let rows: Vec<Vec<&[u8]>> = texts
        .iter()
        .map(|row| row.iter().filter(|cell| !cell.is_empty()).map(String::as_bytes).collect())
        .collect();
    // Blank rows at the head are above the names too.
    header_row(&rows).unwrap_or_else(|| rows.iter().position(|row| !row.is_empty()).unwrap_or(0))
}

fn records(texts: &[Vec<String>], skipped: usize) -> Vec<ByteRecord> {
    texts.iter().skip(skipped).map(|row| ByteRecord::from(row.clone())).collect()
}

/// The columns, as far as they have a name or a value, each with what its cells are.
fn columns(cells: &Range<Data>, first: &[Data], header: bool, begins: usize) -> Vec<Column> {
    let mut kinds: Vec<Option<CellKind>> = vec![None; first.len()];
    for row in cells.rows().skip(begins) {
        for (kind, cell) in kinds.iter_mut().zip(row) {
            let own = match cell {
                Data::Empty => continue,
                Data::Int(_) => CellKind::Whole,
                Data::Float(_) => number_kind(&text(cell)),
                Data::Bool(_) => CellKind::Flag,
                _ => CellKind::Text,
            };
            *kind = Some(kind.map_or(own, |kind| kind.with(own)));
        }
    }
    let width = (0..first.len()).rev().find(|&at| kinds[at].is_some() || !text(&first[at]).is_empty());
    let named = first.iter().zip(&kinds).take(width.map_or(0, |last| last + 1)).enumerate();
    let column = |(at, (cell, kind)): (usize, (&Data, &Option<CellKind>))| {
        let name = text(cell).trim().to_string();
        let name = if header && !name.is_empty() { name } else { format!("column{}", at + 1) };
        Column::new(name, kind.unwrap_or(CellKind::Text))
    };
    named.map(column).collect()
}

/// A cell as text: whole numbers without a point, dates with the year first.
fn text(cell: &Data) -> String {
    match cell {
        Data::Empty => String::new(),
        Data::String(text) | Data::DateTimeIso(text) | Data::DurationIso(text) => text.clone(),
        Data::Int(number) => number.to_string(),
        Data::Float(number) => number.to_string(),
        Data::Bool(flag) => flag.to_string(),
        Data::Error(error) => error.to_string(),
        Data::DateTime(moment) if moment.is_duration() => {
            let seconds = (moment.as_f64() * 86_400.0).round() as i64;
            format!("{:02}:{:02}:{:02}", seconds / 3600, seconds / 60 % 60, seconds % 60)
        }
        Data::DateTime(moment) => {
            let (year, month, day, hour, minute, second, _) = moment.to_ymd_hms_milli();
            match (hour, minute, second) {
                (0, 0, 0) => format!("{year:04}-{month:02}-{day:02}"),
                _ => format!("{year:04}-{month:02}-{day:02} {hour:02}:{minute:02}:{second:02}"),
            }
        }
    }
}
