//! Tables: columns that line up, no lines.

use super::{DIM, Page, columns, paint};

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

    /// Puts the table on a page.
    pub fn put(self, page: &mut Page) {
        let widths: Vec<usize> = (0..self.header.len())
            .map(|at| {
                self.rows
                    .iter()
                    .map(|row| columns(&row[at]))
                    .chain([columns(&self.header[at].0)])
                    .max()
                    .unwrap_or(0)
            })
            .collect();
        let line = |cells: &[String]| {
            let mut line = String::from("  ");
            for ((cell, (_, side)), width) in cells.iter().zip(&self.header).zip(&widths) {
                let pad = " ".repeat(width - columns(cell));
                match side {
                    Side::Left => line.extend([cell.as_str(), &pad]),
                    Side::Right => line.extend([pad.as_str(), cell]),
                }
                line.push_str("   ");
            }
            line.trim_end().to_string()
        };
        let names: Vec<String> = self.header.iter().map(|(name, _)| name.clone()).collect();
        if names.iter().any(|name| !name.is_empty()) {
            page.line(paint(DIM, line(&names)));
        }
        self.rows.iter().for_each(|row| page.line(line(row)));
    }
}
