//! Chosen terms by chosen reviews.

use heddle_core::terms::{ReviewTerm, TermReport};
use serde::Serialize;

use crate::session::Session;

/// What chosen terms weigh in chosen reviews.
#[derive(Debug, Serialize)]
pub struct Grid {
    /// The terms.
    pub terms: Vec<String>,
    /// The reviews.
    pub rows: Vec<GridRow>,
}

/// What the terms of a grid weigh in a review.
#[derive(Debug, Serialize)]
pub struct GridRow {
    /// What the review is called.
    pub origin: String,
    /// By term: what it weighs; nothing where the review does not hold it.
    pub cells: Vec<Option<GridCell>>,
}

/// What a term weighs in a review.
#[derive(Debug, Serialize)]
pub struct GridCell {
    /// How often it stands there; below 0 where negated words count against their plain form.
    pub count: f32,
    /// Its weight, whether it is kept or not.
    pub value: f64,
    /// Whether it is kept.
    pub kept: bool,
}

/// The rows that a grid shows: those that were chosen, or else the first that hold one of its terms, at most `most`.
pub(super) fn rows_of(
    names: &[String],
    chosen: &[usize],
    report: &TermReport<'_>,
    most: usize,
) -> Vec<usize> {
    if !chosen.is_empty() {
        return chosen.to_vec();
    }
    let terms: Vec<_> = names.iter().filter_map(|name| report.named(name)).collect();
    let holds = |row: &usize| report.weights(*row).any(|(term, _)| terms.contains(&term));
    (0..report.corpus.len()).filter(holds).take(most).collect()
}

/// The terms of these names in reviews that are called as told.
pub(super) fn grid(
    names: &[String],
    rows: impl Iterator<Item = (usize, String)>,
    report: &TermReport<'_>,
    session: &Session,
) -> Grid {
    let named = |name: &String| {
        let term = report.named(name).map(|term| report.spell(term));
        if term.is_none() {
            session.remark(&format!(
                "note: `{name}` is no counted term: --find shows whether it is written anywhere"
            ));
        }
        term
    };
    let terms: Vec<String> = names.iter().filter_map(named).collect();
    let row = |(row, origin): (usize, String)| {
        let held = report.review(row);
        let cell = |term: &String| held.iter().find(|own| own.term == *term).map(GridCell::of);
        GridRow { origin, cells: terms.iter().map(cell).collect() }
    };
    let rows = rows.map(row).collect();
    Grid { terms, rows }
}

impl GridCell {
    fn of(term: &ReviewTerm) -> Self {
        Self { count: term.count, value: term.value, kept: term.status.keeps() }
    }
}
