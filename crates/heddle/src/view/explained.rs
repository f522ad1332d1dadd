//! Why reviews get their verdicts.

use heddle_core::Choice;
use heddle_core::explain::{ByClass, TermPart};
use heddle_core::labels::{PerClass, Polarity};
use heddle_core::measure::{Cuts, Decision};
use heddle_work::{Explained, ExplainedText};

use super::figures::{share_with_interval, verdicts};
use super::reading::{self, reading_line, verdict};
use super::reading_classes::{self, difference};
use super::table::{Side, Table};
use super::{Page, count, cut, number, sign_of, signed};

/// The factors of a term, in the order of [`heddle_core::explain::Explanation::by_terms`].
const FACTORS: [&str; 4] = ["weight", "× term", "× doc.", "× norm"];

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
    page.call(&explained.names);
    for one in &explained.texts {
        page.heading(&one.origin);
        show_text(one, shown, page);
    }
    legend(explained, page);
    if explained.cuts != Decision::OnAxis(Cuts::most_probable(0.0)) {
        page.note(&format!("Verdicts: {}.", verdicts(&explained.cuts, explained.classes, &explained.names)));
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
    legend(explained, page);
}

fn legend(explained: &Explained, page: &mut Page) {
    let free = explained.texts.iter().any(|one| one.explanation.by_class.is_some());
    let names = &explained.names;
    page.note(&if free { reading_classes::legend(names) } else { reading::legend(names) });
}

fn show_text(one: &ExplainedText, shown: Shown, page: &mut Page) {
    show_reading(one, page);
    show_terms(one, shown, page);
    show_words(one, page);
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
    if let Some(sums) = &explanation.by_class {
        reading_classes::reading_line(page, &one.text, explanation, sums);
        return reading_classes::verdict(page, explanation, sums);
    }
    reading_line(page, &one.text, explanation);
    verdict(page, explanation);
}

/// The score as a sum: the heaviest terms, the others together, the intercept.
fn show_terms(one: &ExplainedText, shown: Shown, page: &mut Page) {
    if let Some(sums) = &one.explanation.by_class {
        return show_terms_by_class(&one.explanation.terms, sums, shown, page);
    }
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

/// What the heaviest words do to the sum, beside their shares of it.
fn show_words(one: &ExplainedText, page: &mut Page) {
    if one.words.is_empty() {
        return;
    }
    page.line("");
    let called = one.explanation.polarity;
    let chance = format!("{} without", page.name(called));
    let free = one.explanation.by_class.is_some();
    let mut header = vec![("word", Side::Left)];
    match free {
        true => header.extend(Polarity::ALL.map(|class| (sign_of(class), Side::Right))),
        false => header.extend([("share", Side::Right), ("effect", Side::Right)]),
    }
    header.push((&chance, Side::Right));
    let mut table = Table::new(&header);
    for word in &one.words {
        let effects = match word.by_class {
            Some(effects) => Polarity::ALL.map(|class| difference(effects[class])).to_vec(),
            None => vec![signed(word.share), signed(word.effect)],
        };
        let probability = format!("{:.1} %", 100.0 * word.probability);
        table.row([word.form.clone()].into_iter().chain(effects).chain([probability]));
    }
    table.put(page);
    page.note(match free {
        true => "The sums less those of the review without the word, read again.",
        false => {
            "Effect: the log-odds less those of the review without the word, read again; a negator turns what \
             follows it, beyond its own share."
        }
    });
}

/// The sums of three classes, term by term: the heaviest terms, the others together, the intercepts.
fn show_terms_by_class(terms: &[TermPart], sums: &ByClass, shown: Shown, page: &mut Page) {
    let mut parts: Vec<(&TermPart, PerClass<f64>)> =
        terms.iter().filter_map(|part| Some((part, part.by_class?))).collect();
    parts.sort_by(|a, b| b.1.size().total_cmp(&a.1.size()));
    page.line("");
    let signs = Polarity::ALL.map(|class| (sign_of(class), Side::Right));
    let header = [("term", Side::Left)].into_iter().chain(signs);
    let more = [("times", Side::Right), ("training reviews", Side::Right), ("kind", Side::Left)];
    let mut table = Table::new(&header.chain(more).collect::<Vec<_>>());
    let mut row = |name: String, values: PerClass<f64>, rest: [String; 3]| {
        let cells = Polarity::ALL.map(|class| difference(values[class]));
        table.row([name].into_iter().chain(cells).chain(rest));
    };
    for (part, values) in parts.iter().take(shown.top) {
        let kind = part.kind.name().to_string();
        row(part.term.clone(), *values, [number(part.places.len()), number(part.reviews as usize), kind]);
    }
    let others = &parts[parts.len().min(shown.top)..];
    let blank = || [const { String::new() }; 3];
    if !others.is_empty() {
        let sum = others.iter().fold(PerClass::default(), |sum: PerClass<f64>, (_, own)| sum.plus(*own));
        row(count(others.len(), "other term"), sum, blank());
    }
    row("intercept".into(), sums.intercepts, blank());
    row("sum".into(), sums.sums, blank());
    table.put(page);
}
