//! Texts to look at: typed ones, or rows of a file.

use anyhow::bail;
use heddle_core::Study;
use heddle_files::{Input, Keep, Table};

use crate::args::Looked;
use crate::intake::joined;
use crate::labelling::text_columns;

/// A text and where it comes from.
pub struct Text {
    /// "Typed", or file, line and id.
    pub origin: String,
    /// The text as written.
    pub raw: String,
}

/// The texts that were asked for.
pub fn texts(looked: &Looked, study: &Study) -> anyhow::Result<Vec<Text>> {
    let typed = looked.text.iter().map(|raw| Text { origin: "Typed".into(), raw: raw.clone() });
    let Some(file) = &looked.file else {
        if looked.text.is_empty() {
            bail!("no text: give one with --text \"Not a bad cabin at all\", or name a file and --row N");
        }
        return Ok(typed.collect());
    };
    let table = Table::read(&Input::gather(&[file], &study.reviews.form)?, Keep::All)?;
    let columns = text_columns(file, table.columns(), study)?;
    if table.is_empty() {
        bail!("{file}: there is no row to look at");
    }
    let mut rows = Vec::new();
    for row in &looked.row {
        if *row == 0 || *row > table.len() {
            bail!("{file} has rows 1 to {}, there is no row {row}", table.len());
        }
        rows.push(row - 1);
    }
    rows.extend(rows_of_ids(looked, &table, study)?);
    if rows.is_empty() {
        rows.push(0);
    }
    let text = |row: usize| {
        let (file, line) = table.place(row);
        Text { origin: format!("{file}, line {line}"), raw: joined(&table, &columns, row).into_owned() }
    };
    Ok(rows.into_iter().map(text).collect())
}

fn rows_of_ids(looked: &Looked, table: &Table, study: &Study) -> anyhow::Result<Vec<usize>> {
    if looked.id.is_empty() {
        return Ok(Vec::new());
    }
    let Some(name) = &study.reviews.id else {
        bail!("--id needs the column of ids: set it, as in --set reviews.id=review_id");
    };
    let column = table.column(name)?;
    let find = |id: &String| {
        let found = (0..table.len()).find(|&row| table.cell(row, column) == id);
        found.ok_or_else(|| anyhow::anyhow!("no row has `{id}` in column `{name}`"))
    };
    looked.id.iter().map(find).collect()
}
