//! Why reviews get their verdicts.

use heddle_core::Choice;
use heddle_core::measure::Cuts;
use heddle_work::{Explained, ExplainedText};

use super::figures::{share_with_interval, verdicts};
use super::reading::{LEGEND, reading_line, verdict};
use super::table::{Side, Table};
use super::{Page, count, cut, number, signed};

/// The factors of a term, in the order of [`heddle_core::explain::Explanation::by_terms`].
const FACTORS: [&str; 4] = ["weight", "× term", "× document", "× norm"];

/// What is shown of an explanation.
#[derive(Debug, Clone, Copy)]
pub struct Shown {
    /// How many terms, the heaviest first.
    pub top: usize,
    /// Whether the factors of each term are shown.
    pub factors: bool,
}

/// Puts explanations on a page.
pub fn show(explained: &Explained, shown: Shown, page: &mut Page) {
    for one in &explained.texts {
        page.heading(&one.origin);
        show_text(one, shown, page);
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

fn show_text(one: &ExplainedText, shown: Shown, page: &mut Page) {
    show_reading(one, page);
    show_terms(one, shown, page);
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

/// The score as a sum: the heaviest terms, the others together, the intercept.
fn show_terms(one: &ExplainedText, shown: Shown, page: &mut Page) {
    let (terms, tree) = (&one.explanation.terms, one.explanation.by_terms());
    let [intercept, factors @ ..] = &tree.children[..] else { return };
    if factors.is_empty() {
        return;
    }
    page.line("");
    let mut header = vec![("term", Side::Left), ("contribution", Side::Right)];
    header.extend(match shown.factors {
        true => FACTORS.map(|name| (name, Side::Right)).to_vec(),
        false => vec![("times", Side::Right), ("training reviews", Side::Right)],
    });
    // The last column is the one that a narrow page can do without.
    header.push(("kind", Side::Left));
    let width = header.len();
    let mut table = Table::new(&header);
    let mut row = |name: String, value: f64, rest: Vec<String>| {
        let blank = std::iter::repeat_n(String::new(), width - 2 - rest.len());
        table.row([name, signed(value)].into_iter().chain(rest).chain(blank));
    };
    for (factor, part) in factors.iter().zip(terms).take(shown.top) {
        let mut rest: Vec<String> = match shown.factors {
            true => factor.children.iter().map(|own| format!("{:.3}", own.value).replace('-', "−")).collect(),
            false => vec![number(part.places.len()), number(part.reviews as usize)],
        };
        rest.push(part.kind.name().into());
        row(factor.name.clone(), factor.value, rest);
    }
    let others = &factors[factors.len().min(shown.top)..];
    if !others.is_empty() {
        let sum = others.iter().map(|factor| factor.value).sum();
        row(count(others.len(), "other term"), sum, Vec::new());
    }
    row(intercept.name.clone(), intercept.value, Vec::new());
    row(tree.name.clone(), tree.value, Vec::new());
    table.put(page);
    if shown.factors {
        page.note(
            "A contribution = weight × term factor × document factor × normalisation (terms.weighting, terms.emphasis).",
        );
    }
}
