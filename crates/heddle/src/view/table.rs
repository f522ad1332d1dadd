//! Tables: columns that line up, no lines.

use super::shown::is_painted;
use super::{DIM, Page, columns, cut, paint, width};

/// Columns between two cells, and before the first.
const GAP: usize = 3;

/// On which side a column's cells line up.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Side {
    Left,
    Right,
}

/// A table on its way to a page.
pub struct Table {
    header: Vec<(String, Side)>,
    rows: Vec<Vec<String>>,
}

impl Table {
    /// A table with these columns.
    pub fn new(header: &[(&str, Side)]) -> Self {
        Self {
            header: header.iter().map(|(name, side)| (name.to_string(), *side)).collect(),
            rows: Vec::new(),
        }
    }

    /// Adds a row, one cell per column.
    pub fn row(&mut self, cells: impl IntoIterator<Item = impl Into<String>>) {
        let cells: Vec<String> = cells.into_iter().map(Into::into).collect();
        assert_eq!(
            cells.len(),
            self.header.len(),
            "{} cells under {} columns",
            cells.len(),
            self.header.len()
        );
        self.rows.push(cells);
    }

    /// Puts the table on a page. Where the page is too narrow, the cells of the last column
    /// are cut, and the column is left out if next to nothing would remain of it.
    pub fn put(mut self, page: &mut Page) {
        let widths = self.fit(width());
        let line = |cells: &[String]| {
            let mut line = String::from("  ");
            for ((cell, (_, side)), width) in cells.iter().zip(&self.header).zip(&widths) {
                let pad = " ".repeat(width - columns(cell));
                match side {
                    Side::Left => line.extend([cell.as_str(), &pad]),
                    Side::Right => line.extend([pad.as_str(), cell]),
                }
                line.push_str(&" ".repeat(GAP));
            }
            line.trim_end().to_string()
        };
        let names: Vec<String> = self.header.iter().map(|(name, _)| name.clone()).collect();
        if names.iter().any(|name| !name.is_empty()) {
            page.line(paint(DIM, line(&names)));
        }
        self.rows.iter().for_each(|row| page.line(line(row)));
    }

    fn widths(&self) -> Vec<usize> {
        let cells = |at: usize| self.rows.iter().map(move |row| columns(&row[at]));
        (0..self.header.len())
            .map(|at| cells(at).chain([columns(&self.header[at].0)]).max().unwrap_or(0))
            .collect()
    }

    /// Makes the table at most `room` columns wide, if its last column allows it.
    fn fit(&mut self, room: usize) -> Vec<usize> {
        /// Less than this is not worth reading.
        const LEAST: usize = 8;
        /// Of a text, so much is.
        const ENOUGH: usize = 16;
        let widths = self.widths();
        let total: usize = widths.iter().map(|width| width + GAP).sum();
        let (Some(last), Some((name, Side::Left))) = (widths.last(), self.header.last_mut()) else {
            return widths;
        };
        let excess = total.saturating_sub(room + 1);
        if excess == 0 || *last <= LEAST {
            return widths;
        }
        let left = last.saturating_sub(excess);
        let cells = self.rows.iter_mut().filter_map(|row| row.last_mut());
        if left < LEAST.max(ENOUGH.min(last / 2)) {
            name.clear();
            cells.for_each(String::clear);
        } else {
            cells.filter(|cell| !is_painted(cell)).for_each(|cell| *cell = cut(cell, left));
        }
        self.widths()
    }
}
