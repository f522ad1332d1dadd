//! Why reviews get their verdicts.

use heddle_core::measure::Cuts;
use heddle_work::{Explained, ExplainedText};

use super::figures::{share_with_interval, verdicts};
use super::reading::{LEGEND, reading_line, verdict};
use super::table::{Side, Table};
use super::{Page, count, cut, number, signed};

/// Puts explanations on a page, each with this many terms.
pub fn show(explained: &Explained, top: usize, page: &mut Page) {
    for one in &explained.texts {
        page.heading(&one.origin);
        show_text(one, top, page);
    }
    page.note(LEGEND);
    if explained.cuts != Cuts::most_probable(0.0) {
        page.note(&format!("Verdicts: {}.", verdicts(&explained.cuts, explained.classes)));
    }
    page.note(&match &explained.accuracy {
        Some(accuracy) => format!(
            "One review proves nothing: on unseen reviews this model is right in {}.",
            share_with_interval(accuracy)
        ),
        None => "One review proves nothing, and this model was never validated.".into(),
    });
}

/// The reading lines and verdicts alone.
pub fn show_readings(explained: &Explained, page: &mut Page) {
    explained.texts.iter().for_each(|one| show_reading(one, page));
    page.note(LEGEND);
}

fn show_text(one: &ExplainedText, top: usize, page: &mut Page) {
    show_reading(one, page);
    show_terms(one, page, top);
    let unknown = &one.explanation.unknown;
    if !unknown.is_empty() {
        page.note(&format!("Unknown to the model: {}.", cut(&unknown.join(", "), 200)));
    }
}

fn show_reading(one: &ExplainedText, page: &mut Page) {
    let explanation = &one.explanation;
    if one.score.terms == 0 {
        page.line("  ? unsure: the model knows no word of this text, so its score is the intercept");
    }
    reading_line(page, &one.text, explanation);
    verdict(page, explanation);
}

fn show_terms(one: &ExplainedText, page: &mut Page, top: usize) {
    let terms = &one.explanation.terms;
    if terms.is_empty() {
        return;
    }
    page.line("");
    let mut table = Table::new(&[
        ("term", Side::Left),
        ("contribution", Side::Right),
        ("times", Side::Right),
        ("training reviews", Side::Right),
    ]);
    for part in terms.iter().take(top) {
        let cells = [signed(part.contribution), number(part.places.len()), number(part.reviews as usize)];
        let [adds, times, reviews] = cells;
        table.row([part.term.clone(), adds, times, reviews]);
    }
    let rest = &terms[terms.len().min(top)..];
    if !rest.is_empty() {
        let others: f64 = rest.iter().map(|part| part.contribution).sum();
        table.row([count(rest.len(), "other term"), signed(others), String::new(), String::new()]);
    }
    table.row(["intercept".to_string(), signed(one.explanation.intercept), String::new(), String::new()]);
    table.row(["log-odds".to_string(), signed(one.explanation.log_odds), String::new(), String::new()]);
    table.put(page);
}
