//! Lines that reports put above the names of their columns.

/// A preamble has at most so many rows.
const MOST: usize = 20;
/// A table has at least so many columns: with fewer, a header cannot be told from a line of text.
const LEAST_COLUMNS: usize = 3;
/// So many of the rows behind the names fill all columns.
const MOSTLY: f64 = 0.8;
/// A longer cell is no name.
const LONGEST_NAME: usize = 60;

/// The row that holds the names of the columns, where others stand above it. Of each row: its cells that are filled.
/// Nothing if the first row may hold them.
pub(crate) fn header_row<'a>(rows: &[Vec<&'a [u8]>]) -> Option<usize> {
    let widths: Vec<usize> = rows.iter().map(Vec::len).collect();
    let wide = *widths
        .iter()
        .filter(|width| **width >= LEAST_COLUMNS)
        .max_by_key(|width| (widths.iter().filter(|own| own == width).count(), **width))?;
    let first = widths.iter().position(|width| *width == wide)?;
    let above = &widths[..first];
    let behind = &widths[first + 1..];
    let fitting = behind.iter().filter(|width| 2 * **width >= wide && **width <= wide).count();
    let names = &rows[first];
    let is_name = |cell: &&'a [u8]| {
        cell.len() <= LONGEST_NAME
            && std::str::from_utf8(cell).is_ok_and(|cell| cell.trim().parse::<f64>().is_err())
    };
    let told = (1..=MOST).contains(&first)
        && above.iter().all(|width| 2 * *width <= wide || *width < wide.min(LEAST_COLUMNS))
        && fitting as f64 >= MOSTLY * behind.len() as f64
        && names.iter().all(is_name);
    told.then_some(first)
}
