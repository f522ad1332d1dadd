//! What a row is called, on pages and in files: one handle, everywhere.

use std::borrow::Cow;

use heddle_core::settings::Study;
use heddle_files::{FileFormat, Table};

/// The column that names the texts of a folder.
pub const FILE: &str = "file";

/// How rows of a table are called.
pub struct Handle {
    /// The column of their names, if there is one.
    id: Option<(usize, String)>,
    /// Whether rows of several files are told apart.
    several: bool,
}

impl Handle {
    /// The handle of the rows of a table under a study.
    pub fn new(table: &Table, study: &Study) -> Self {
        let place = |name: &str| table.columns().iter().position(|column| column.name == name);
        let is_folder = table.manners().iter().any(|manner| manner.format == FileFormat::Folder);
        let named = study.reviews.id.as_deref().or(is_folder.then_some(FILE));
        let id = named.and_then(|name| Some((place(name)?, name.to_string())));
        Self { id, several: table.manners().len() > 1 }
    }

    /// What names are.
    pub fn column(&self) -> &str {
        self.id.as_ref().map_or("row", |(_, name)| name)
    }

    /// The name of a row.
    pub fn name<'t>(&self, table: &'t Table, row: usize) -> Cow<'t, str> {
        match &self.id {
            Some((at, _)) => table.cell(row, *at).into(),
            None if self.several => format!("{}:{}", table.place(row).0, table.number(row)).into(),
            None => table.number(row).to_string().into(),
        }
    }

    /// Where a row stands, and what it is called: "reviews.csv, row 117, line 118".
    pub fn told(&self, table: &Table, row: usize) -> String {
        let ((file, line), number) = (table.place(row), table.number(row));
        match &self.id {
            Some((_, name)) if name == FILE => file.into(),
            Some((at, _)) => format!("{file}, {}, line {line}", table.cell(row, *at)),
            None => format!("{file}, row {number}, line {line}"),
        }
    }
}
