//! What is known of reviews beside their text.

use std::collections::HashSet;

use heddle_core::resample::draw;
use heddle_core::text::language;
use heddle_core::text::word_count;
use heddle_core::validate::Aspect;
use rayon::prelude::*;

use crate::error::{Result, fail};
use crate::reviews::labelled::LabelledReviews;
use crate::session::Session;
use crate::words::{count, number};

/// Reviews whose language is told at first.
const GLANCE: usize = 500;

/// What is known of reviews beside their text.
pub struct Aspects {
    /// The columns of `reviews.beside`.
    pub columns: Vec<Aspect>,
    /// These with month, length and language: what figures are sliced by.
    pub all: Vec<Aspect>,
}

/// Reads the columns of `reviews.beside`.
///
/// # Errors
/// A column that is not there, or that names the rows.
pub fn columns_beside(labelled: &LabelledReviews, session: &Session) -> Result<Vec<Aspect>> {
    let (table, reviews) = (&labelled.table, &session.study().reviews);
    let mut beside = Vec::new();
    for name in &reviews.beside {
        let column = table.column(name)?;
        if reviews.text.contains(name) || name == reviews.rated() {
            fail!(
                Settings,
                "reviews.beside names `{name}`, which is no column beside the text: leave it out"
            );
        }
        let cells = || labelled.rows.iter().map(|&row| table.cell(row, column));
        let aspect = Aspect::of_cells(name, cells());
        let different: HashSet<&str> = cells().filter(|cell| !cell.trim().is_empty()).collect();
        let words = cells().any(|cell| !cell.trim().is_empty() && cell.trim().parse::<f64>().is_err());
        if words && different.len() > 20 && different.len() * 2 > labelled.rows.len() {
            session.remark(&format!(
                "warning: column `{name}` has {} different values in {}: it names rows; its commonest values stand apart, \
                 all others together",
                number(different.len()),
                count(labelled.rows.len(), "review")
            ));
        }
        if aspect.not_numbers > 0 {
            session.remark(&format!(
                "warning: {} of column `{name}` is NaN or infinite: it counts as blank",
                count(aspect.not_numbers, "cell")
            ));
        }
        if aspect.is_constant() {
            session.remark(&format!("note: column `{name}` has one value only: there is nothing to compare"));
        }
        beside.push(aspect);
    }
    Ok(beside)
}

/// Reads what is known of reviews beside their text.
///
/// # Errors
/// As [`columns_beside`].
pub fn aspects(labelled: &LabelledReviews, session: &Session) -> Result<Aspects> {
    let beside = columns_beside(labelled, session)?;
    let mut all = beside.clone();
    if !labelled.sample.days.is_empty() {
        all.push(Aspect::of_days(&labelled.sample.days));
    }
    let reviews = 0..labelled.rows.len();
    let words = |review| word_count(labelled.review(review).text()) as f64;
    let lengths: Vec<f64> = reviews.clone().into_par_iter().map(words).collect();
    if !lengths.is_empty() {
        all.push(Aspect::of_numbers("length, in words", &lengths));
    }
    let of = |review| language(labelled.review(review).text());
    // Telling a language takes longer than learning: a glance says whether there is more than one.
    let glance = draw(labelled.rows.len(), GLANCE, session.study().validation.seed);
    let seen: Vec<Option<&str>> = glance.into_par_iter().map(of).collect();
    if seen.iter().flatten().collect::<HashSet<_>>().len() > 1 {
        let languages: Vec<Option<&str>> = reviews.into_par_iter().map(of).collect();
        all.push(Aspect::of_known_words("language", &languages));
    }
    Ok(Aspects { columns: beside, all })
}
