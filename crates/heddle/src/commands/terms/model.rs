//! The terms of a model, as a page.

use heddle_core::labels::Polarity;
use heddle_work::{ModelTerms, WeighedTerm, look_twice};

use super::page::kind_words;
use crate::view::table::{Side, Table};
use crate::view::{Page, count, number, paint, percent, sign_of, signed, style_of, with_sign};

/// Puts the terms on a page.
pub fn show(terms: &ModelTerms, page: &mut Page) {
    page.call(&terms.names);
    page.heading(&format!(
        "{}: {} learnt from {}",
        terms.model,
        count(terms.kept, "term"),
        count(terms.mix.iter().sum(), "review")
    ));
    if let Some(known) = &terms.coverage {
        page.note(&format!(
            "Of {} in {}, {} are words that it does not know; {} without any of its terms.",
            count(known.tokens, "token"),
            count(known.reviews, "review"),
            percent(known.unknown_words, known.tokens),
            count(known.reviews_without_terms, "review")
        ));
    }
    for pair in terms.strongest.chunk_by(|a, b| a.made_of == b.made_of) {
        page.heading(&format!("Heaviest terms, {}", kind_words(pair[0].made_of)));
        put_terms(page, pair.iter().flat_map(|own| own.terms.iter().map(|term| (own.polarity, term))));
    }
    if !terms.doubtful.is_empty() {
        page.heading(&format!("To be checked, among the heaviest: {}", number(terms.doubtful.len())));
        let most = terms.doubtful.iter().take(12);
        put_terms(page, most.map(|term| (Polarity::of_log_odds(term.weight.into()), term)));
    }
    page.note("Weights are log-odds for one unit of a term; ¬ marks a negated word. The number of training reviews says how much a weight rests on, and the penalty keeps weights small that rest on few.");
    if let Some(path) = &terms.written {
        page.written(path, "");
    }
}

fn put_terms<'t>(page: &mut Page, terms: impl Iterator<Item = (Polarity, &'t WeighedTerm)>) {
    let mut table = Table::new(&[
        ("class", Side::Left),
        ("term", Side::Left),
        ("weight", Side::Right),
        ("reviews", Side::Right),
        ("−", Side::Right),
        ("+", Side::Right),
        ("check", Side::Left),
    ]);
    for (polarity, term) in terms {
        table.row([
            paint(style_of(polarity), sign_of(polarity)),
            term.term.clone(),
            match (polarity, term.neutral) {
                (Polarity::Neutral, Some(weight)) => with_sign(weight.into(), 2),
                _ => signed(term.weight.into()),
            },
            number(term.reviews as usize),
            number(term.counts[Polarity::Negative] as usize),
            number(term.counts[Polarity::Positive] as usize),
            look_twice(&term.doubts),
        ]);
    }
    table.put(page);
}
