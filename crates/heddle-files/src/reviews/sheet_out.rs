//! Spreadsheets, written: one sheet of rows under their names.

use std::io::Write;

use rust_xlsxwriter::{DocProperties, ExcelDateTime, Workbook, Worksheet, XlsxError};

use super::column::{CellKind, Column};
use super::fields::is_exact;
use crate::error::FileError;
use crate::output::{Output, Written};

/// A sheet holds so many rows, the names of the columns among them,
const MOST_ROWS: u32 = 1_048_576;
/// and a cell so many characters.
const LONGEST_CELL: usize = 32_767;

/// Writes rows to a workbook. They are kept until the end, as the format wants.
pub(crate) struct SheetWriter<'o> {
    output: Output<'o>,
    sheet: Worksheet,
    path: String,
    columns: Vec<Column>,
    row: u32,
}

impl<'o> SheetWriter<'o> {
    pub(crate) fn new(output: Output<'o>, path: &str, columns: &[Column]) -> Result<Self, FileError> {
        let mut sheet = Worksheet::new();
        for (at, column) in columns.iter().enumerate() {
            sheet.write_string(0, place(at), &column.name).map_err(|error| writing(path, &error))?;
        }
        sheet.set_freeze_panes(1, 0).map_err(|error| writing(path, &error))?;
        Ok(Self { output, sheet, path: path.into(), columns: columns.to_vec(), row: 1 })
    }

    pub(crate) fn row<'a>(&mut self, cells: impl IntoIterator<Item = &'a str>) -> Result<(), FileError> {
        if self.row == MOST_ROWS {
            let remedy =
                format!("a sheet holds {MOST_ROWS} rows, and there are more: name a file that ends in .csv");
            return Err(FileError::Ending { path: self.path.clone(), remedy });
        }
        for (at, (column, cell)) in self.columns.iter().zip(cells).enumerate() {
            if cell.chars().count() > LONGEST_CELL {
                let (path, name) = (&self.path, &column.name);
                let remedy = format!(
                    "row {} of column `{name}` has more than {LONGEST_CELL} characters, the most that a cell holds: name \
                     a file that ends in .csv",
                    self.row
                );
                return Err(FileError::Ending { path: path.clone(), remedy });
            }
            let number = match column.kind {
                CellKind::Whole | CellKind::Number => cell.parse::<f64>().ok().filter(|_| is_exact(cell)),
                _ => None,
            };
            // What is written as a string is no formula, whatever it begins with.
            let done = match (number, cell) {
                (_, "") => continue,
                (Some(number), _) => self.sheet.write_number(self.row, place(at), number),
                (None, cell) => self.sheet.write_string(self.row, place(at), cell),
            };
            done.map_err(|error| writing(&self.path, &error))?;
        }
        self.row += 1;
        Ok(())
    }

    pub(crate) fn finish(mut self) -> Result<Written, FileError> {
        let path = &self.path;
        let fail = |error: XlsxError| writing(path, &error);
        let mut book = Workbook::new();
        // The same rows give the same bytes, whenever they are written.
        let day = ExcelDateTime::from_ymd(2000, 1, 1).map_err(fail)?;
        book.set_properties(&DocProperties::new().set_creation_datetime(&day));
        book.push_worksheet(self.sheet);
        let bytes = book.save_to_buffer().map_err(fail)?;
        self.output.write_all(&bytes).map_err(|error| FileError::io(path, error))?;
        self.output.finish()
    }
}

/// The place of a column; the format tells itself of one that it has not.
fn place(column: usize) -> u16 {
    u16::try_from(column).unwrap_or(u16::MAX)
}

fn writing(path: &str, error: &XlsxError) -> FileError {
    FileError::Ending { path: path.into(), remedy: format!("{error}: name a file that ends in .csv") }
}
