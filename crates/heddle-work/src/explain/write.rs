//! Explanations of many reviews, as rows.

use std::fmt::{Display, Write};

use heddle_core::Choice;
use heddle_core::explain::{Explanation, explain_document};
use heddle_core::labels::{ClassNames, PerClass, Polarity};
use heddle_core::model::Model;
use heddle_files::Column;

use crate::error::Result;
use crate::reviews::texts::RowTexts;
use crate::roles::EXPLAINED;
use crate::scoring::score_each;
use crate::session::Session;

/// What the sum of a review is divided into, each of which adds up to it.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Level {
    /// Its terms.
    Term,
    /// Its words, among which terms are shared out.
    Word,
    /// Its clauses.
    Clause,
}

impl Choice for Level {
    const ALL: &'static [Self] = &[Self::Term, Self::Word, Self::Clause];

    fn name(self) -> &'static str {
        match self {
            Self::Term => "term",
            Self::Word => "word",
            Self::Clause => "clause",
        }
    }
}

/// Reviews that are explained before they are written.
const AT_ONCE: usize = 1024;

/// Writes what the scores of some rows are made of: for each the intercept, columns beside the text, its parts by level, and the sum
/// that stands last, to which the intercept, the columns and the parts of each level add up.
pub(super) fn write_parts(
    path: &str,
    (rows, levels): (&[usize], &[Level]),
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
    let explained = |rows: &[usize]| -> Vec<Parts> {
        score_each(model, rows, |scorer, row| {
            let document = texts.document(*row);
            let (_, explanation) = explain_document(scorer, &document);
            parts_of(document.text(), &explanation, (levels, free))
        })
    };
    let mut put = |rows: &[usize], parts: Vec<Parts>| -> Result<()> {
        for (row, parts) in rows.iter().zip(parts) {
            let name = texts.handle.name(&texts.table, *row);
            // The name of the review stands before each of its parts.
            parts
                .rows(columns.len() - 1)
                .try_for_each(|cells| writer.row([&*name].into_iter().chain(cells)))?;
        }
        task.advance(rows.len());
        Ok(())
    };
    // While the pool explains some rows, this thread writes those before.
    let mut before: Option<(&[usize], Vec<Parts>)> = None;
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

/// The parts of an explanation, cell after cell in one text: a review has more than a hundred, and none is kept.
#[derive(Default)]
struct Parts {
    text: String,
    ends: Vec<u32>,
}

impl Parts {
    fn put(&mut self, cell: impl Display) {
        // Writing to a string cannot fail.
        let _ = write!(self.text, "{cell}");
        self.ends.push(self.text.len() as u32);
    }

    fn put_if(&mut self, cell: Option<impl Display>) {
        match cell {
            Some(cell) => self.put(cell),
            None => self.put(""),
        }
    }

    fn rows(&self, columns: usize) -> impl Iterator<Item = impl Iterator<Item = &str>> {
        let cell = |at: usize| {
            let begins = at.checked_sub(1).map_or(0, |before| self.ends[before]);
            &self.text[begins as usize..self.ends[at] as usize]
        };
        (0..self.ends.len() / columns).map(move |row| (row * columns..(row + 1) * columns).map(cell))
    }
}

/// What a part adds, and to which class.
struct Adds {
    contribution: f64,
    running: Option<f64>,
    by_class: Option<PerClass<f64>>,
}

fn parts_of(text: &str, explanation: &Explanation, (levels, free): (&[Level], bool)) -> Parts {
    let mut parts = Parts::default();
    let mut put = |level: &str, name: &str, place: Option<(u32, u32)>, adds: Adds| {
        parts.put(level);
        parts.put(name);
        parts.put_if(place.map(|(start, _)| start));
        parts.put_if(place.map(|(_, end)| end));
        parts.put(adds.contribution);
        parts.put_if(adds.running);
        if free {
            Polarity::ALL.iter().for_each(|class| parts.put_if(adds.by_class.map(|by| by[*class])));
        }
    };
    let adds = |contribution: f64, by_class| Adds { contribution, running: None, by_class };
    let sums = explanation.by_class.as_ref();
    put("intercept", "", None, adds(explanation.intercept, sums.map(|sums| sums.intercepts)));
    for column in &explanation.columns {
        put("column", &column.named(), None, adds(column.contribution, column.by_class));
    }
    let with = |level: Level| levels.contains(&level);
    for term in explanation.terms.iter().filter(|_| with(Level::Term)) {
        put(
            Level::Term.name(),
            &term.term,
            term.places.first().copied(),
            adds(term.contribution, term.by_class),
        );
    }
    for token in explanation.tokens.iter().filter(|_| with(Level::Word)) {
        put(
            Level::Word.name(),
            &token.form,
            Some((token.start, token.end)),
            adds(token.contribution, token.by_class),
        );
    }
    for clause in explanation.clauses.iter().filter(|_| with(Level::Clause)) {
        let written = text[clause.start as usize..clause.end as usize].trim();
        let adds = Adds { running: Some(clause.running), ..adds(clause.contribution, clause.by_class) };
        put(Level::Clause.name(), written, Some((clause.start, clause.end)), adds);
    }
    put("sum", "", None, adds(explanation.sum, sums.map(|sums| sums.sums)));
    parts
}
