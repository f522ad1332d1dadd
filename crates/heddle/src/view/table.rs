//! Tables: columns that line up, no lines.

use super::shown::is_painted;
use super::{DIM, Page, columns, cut, paint, room, wrapped};

/// Columns between two cells, and the fewer that there are where room is scarce.
const GAPS: [usize; 2] = [3, 2];

/// On which side a column's cells line up.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Side {
    Left,
    Right,
    /// A piece of a longer text: on the left, on one line, cut to the room that there is.
    Excerpt,
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

    /// Puts the table on a page. Nothing is lost where the page is too narrow: cells are wrapped; what only explains
    /// a row goes below the table; and columns that still have no room follow in a table of their own, under the
    /// same first column. Excerpts alone are cut.
    pub fn put(mut self, page: &mut Page) {
        let room = room();
        for gap in GAPS {
            let widths = self.fitted(room, gap);
            if total(&widths, gap) <= room {
                return self.print(page, &widths, gap);
            }
        }
        let gap = GAPS[1];
        let widths = self.fitted(room, gap);
        if let Some((name, Side::Left)) = self.header.last()
            && name.is_empty()
            && self.header.len() > 2
        {
            let explained = self.split_off(self.header.len() - 1);
            let names: Vec<String> = self.rows.iter().map(|row| row[0].clone()).collect();
            self.put(page);
            for (name, row) in names.iter().zip(explained) {
                if let Some(text) = row.first().filter(|text| !text.is_empty()) {
                    page.note(&format!("{name}: {text}"));
                }
            }
            return;
        }
        // As many columns as there is room for, and at least one beside the first.
        let (mut fits, mut used) = (1, widths[0] + gap);
        while fits < widths.len() && (used + widths[fits] + 2 <= room || fits == 1) {
            used += widths[fits] + gap;
            fits += 1;
        }
        if fits == widths.len() {
            return self.print(page, &widths, gap);
        }
        let mut rest = Self { header: vec![self.header[0].clone()], rows: Vec::new() };
        rest.header.extend(self.header[fits..].iter().cloned());
        let heads: Vec<String> = self.rows.iter().map(|row| row[0].clone()).collect();
        let others = self.split_off(fits);
        rest.rows = heads.into_iter().zip(others).map(|(head, row)| [vec![head], row].concat()).collect();
        self.put(page);
        rest.put(page);
    }

    /// Takes the columns from a place on away, and gives their cells.
    fn split_off(&mut self, at: usize) -> Vec<Vec<String>> {
        self.header.truncate(at);
        self.rows.iter_mut().map(|row| row.split_off(at)).collect()
    }

    fn print(&self, page: &mut Page, widths: &[usize], gap: usize) {
        let line = |cells: &[String]| {
            let mut line = String::from("  ");
            for ((cell, (_, side)), width) in cells.iter().zip(&self.header).zip(widths) {
                let pad = " ".repeat(width.saturating_sub(columns(cell)));
                match side {
                    Side::Right => line.extend([pad.as_str(), cell]),
                    Side::Left | Side::Excerpt => line.extend([cell.as_str(), &pad]),
                }
                line.push_str(&" ".repeat(gap));
            }
            line.trim_end().to_string()
        };
        let lines = |cells: &[String]| -> Vec<String> {
            let wrapped: Vec<Vec<String>> = cells
                .iter()
                .zip(&self.header)
                .zip(widths)
                .map(|((cell, (_, side)), width)| match side {
                    Side::Excerpt => vec![cut(&html_escape::decode_html_entities(cell), *width)],
                    _ if columns(cell) <= *width => vec![cell.clone()],
                    _ => wrapped(cell, *width),
                })
                .collect();
            let height = wrapped.iter().map(Vec::len).max().unwrap_or(0).max(1);
            let nth = |at: usize| -> Vec<String> {
                wrapped.iter().map(|lines| lines.get(at).cloned().unwrap_or_default()).collect()
            };
            (0..height).map(|at| line(&nth(at))).collect()
        };
        let names: Vec<String> = self.header.iter().map(|(name, _)| name.clone()).collect();
        if names.iter().any(|name| !name.is_empty()) {
            lines(&names).into_iter().for_each(|line| page.line(paint(DIM, line)));
        }
        self.rows.iter().for_each(|row| lines(row).into_iter().for_each(|line| page.line(line)));
    }

    /// The width of each column, made narrower where cells can be wrapped or cut.
    fn fitted(&self, room: usize, gap: usize) -> Vec<usize> {
        /// Less than this is not worth reading.
        const LEAST: usize = 16;
        let mut widths: Vec<usize> = (0..self.header.len()).map(|at| self.natural(at)).collect();
        let flexible = |at: usize| {
            self.header[at].1 == Side::Excerpt
                || self.header[at].1 == Side::Left && !self.rows.iter().any(|row| is_painted(&row[at]))
        };
        loop {
            let excess = total(&widths, gap).saturating_sub(room);
            let widest = (0..widths.len()).filter(|&at| flexible(at) && widths[at] > self.least(at, LEAST));
            let Some(at) = widest.max_by_key(|&at| widths[at]).filter(|_| excess > 0) else { return widths };
            widths[at] -= excess.min(widths[at] - self.least(at, LEAST)).min(widths[at].div_ceil(4));
        }
    }

    /// What a column takes if nothing is wrapped.
    fn natural(&self, at: usize) -> usize {
        let cells = self.rows.iter().map(|row| columns(&row[at]));
        cells.chain([columns(&self.header[at].0)]).max().unwrap_or(0)
    }

    /// The least width of a column: that of its longest word.
    fn least(&self, at: usize, least: usize) -> usize {
        if self.header[at].1 == Side::Excerpt {
            return least.max(columns(&self.header[at].0));
        }
        let words = self.rows.iter().flat_map(|row| row[at].split_whitespace()).map(columns);
        words.chain([columns(&self.header[at].0)]).max().unwrap_or(0).max(least).min(self.natural(at))
    }
}

/// What columns take with the gaps between them and before the first.
fn total(widths: &[usize], gap: usize) -> usize {
    2 + (widths.iter().map(|width| width + gap).sum::<usize>()).saturating_sub(gap)
}
