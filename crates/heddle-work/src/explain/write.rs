//! Explanations of many reviews, as rows.

use heddle_core::explain::{Explanation, explain_document};
use heddle_core::labels::{ClassNames, PerClass, Polarity};
use heddle_core::model::Model;
use heddle_files::Column;

use crate::error::Result;
use crate::reviews::texts::RowTexts;
use crate::roles::EXPLAINED;
use crate::scoring::score_each;
use crate::session::Session;

/// Reviews that are explained before they are written.
const AT_ONCE: usize = 1024;

/// Writes what the scores of some rows are made of: for each the intercept, its terms, its words and its clauses, each
/// of which adds up to the sum that stands last.
pub(super) fn write_parts(
    path: &str,
    rows: &[usize],
    (texts, model): (&RowTexts, &Model),
    session: &Session,
) -> Result<()> {
    let names = session.study().class_names();
    let mut columns = vec![
        Column::text(texts.handle.column()),
        Column::text("level"),
        Column::text("part"),
        Column::number("start"),
        Column::number("end"),
        Column::number("contribution"),
        Column::number("running"),
    ];
    columns.extend(adds_columns(model, &names));
    let mut writer = session.row_writer(EXPLAINED, path, &columns)?;
    let (free, task) = (model.is_free(), session.progress("explaining", rows.len()));
    let explained = |rows: &[usize]| -> Vec<Vec<Part>> {
        score_each(model, rows, |scorer, row| {
            let document = texts.document(*row);
            let (_, explanation) = explain_document(scorer, &document);
            parts_of(document.text(), &explanation, free)
        })
    };
    let mut put = |rows: &[usize], parts: Vec<Vec<Part>>| -> Result<()> {
        for (row, parts) in rows.iter().zip(parts) {
            let name = texts.handle.name(&texts.table, *row);
            for part in parts {
                writer.row([&*name, part.level].into_iter().chain(part.cells.iter().map(String::as_str)))?;
            }
        }
        task.advance(rows.len());
        Ok(())
    };
    // While the pool explains some rows, this thread writes those before.
    let mut before: Option<(&[usize], Vec<Vec<Part>>)> = None;
    for rows in rows.chunks(AT_ONCE) {
        let mut own = Vec::new();
        rayon::in_place_scope(|scope| {
            scope.spawn(|_| own = explained(rows));
            before.take().map_or(Ok(()), |(rows, parts)| put(rows, parts))
        })?;
        before = Some((rows, own));
    }
    before.map_or(Ok(()), |(rows, parts)| put(rows, parts))?;
    task.end();
    writer.finish()?;
    Ok(())
}

/// What is added to the sum of each class, where each has weights of its own.
fn adds_columns(model: &Model, names: &ClassNames) -> Vec<Column> {
    let adds = |class: Polarity| Column::number(format!("adds_{}", names.of(class)));
    if model.is_free() { Polarity::ALL.map(adds).to_vec() } else { Vec::new() }
}

struct Part {
    level: &'static str,
    cells: Vec<String>,
}

fn parts_of(text: &str, explanation: &Explanation, free: bool) -> Vec<Part> {
    let mut parts = Vec::with_capacity(2 + explanation.terms.len() + explanation.tokens.len());
    let mut put = |level,
                   name: &str,
                   place: Option<(u32, u32)>,
                   added: f64,
                   running: Option<f64>,
                   by: Option<PerClass<f64>>| {
        let place =
            place.map_or([const { String::new() }; 2], |(start, end)| [start, end].map(|at| at.to_string()));
        let mut cells = vec![name.to_string()];
        cells.extend(place);
        cells.extend([added.to_string(), running.map_or(String::new(), |running| running.to_string())]);
        if free {
            cells.extend(Polarity::ALL.map(|class| by.map_or(String::new(), |by| by[class].to_string())));
        }
        parts.push(Part { level, cells });
    };
    let sums = explanation.by_class.as_ref();
    put("intercept", "", None, explanation.intercept, None, sums.map(|sums| sums.intercepts));
    for term in &explanation.terms {
        put("term", &term.term, term.places.first().copied(), term.contribution, None, term.by_class);
    }
    for token in &explanation.tokens {
        put("word", &token.form, Some((token.start, token.end)), token.contribution, None, token.by_class);
    }
    for clause in &explanation.clauses {
        let written = text[clause.start as usize..clause.end as usize].trim();
        let place = Some((clause.start, clause.end));
        put("clause", written, place, clause.contribution, Some(clause.running), clause.by_class);
    }
    put("sum", "", None, explanation.sum, None, sums.map(|sums| sums.sums));
    parts
}
