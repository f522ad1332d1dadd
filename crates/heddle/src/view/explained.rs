//! Why reviews get their verdicts.

use heddle_core::Choice;
use heddle_core::explain::{ByClass, Explanation, Factor, Faithfulness, TermLine, TermPart};
use heddle_core::labels::{PerClass, Polarity};
use heddle_core::measure::{Cuts, Decision};
use heddle_work::{Explained, ExplainedText};

use super::figures::{points, share, share_with_interval, verdicts};
use super::reading::{self, reading_line, verdict};
use super::reading_classes;
use super::table::{Side, Table};
use super::{Page, count, cut, decimals, number, sign_of, signed, with_sign};

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
    if let Some(rows) = explained.chosen_of {
        page.heading(&match explained.texts.len() {
            0 => "No row is like that".into(),
            shown if shown == rows => count(rows, "row"),
            shown => format!("{} of {} (--most)", number(shown), count(rows, "row")),
        });
    }
    for one in &explained.texts {
        page.heading(&one.origin);
        show_text(one, shown, page);
    }
    if !explained.texts.is_empty() {
        legend(explained, page);
    }
    if let Some(faithfulness) = &explained.faithfulness {
        show_faithfulness(faithfulness, page);
    }
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
    if let Some((path, rows)) = &explained.written {
        page.written(path, &format!(", what the scores of {} are made of", count(*rows, "text")));
    }
    if let Some(path) = &explained.picture {
        page.heading(&format!("Drawn: {path}"));
    }
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
    show_label(one, page);
    show_flip(one, page);
    show_terms(one, shown, page);
    show_words(one, page);
    show_clauses(one, page);
    show_alike(one, page);
    let unknown = &one.explanation.unknown;
    if !unknown.is_empty() {
        page.note(&format!("Unknown to the model: {}.", cut(&unknown.join(", "), 200)));
    }
}

fn show_reading(one: &ExplainedText, page: &mut Page) {
    let explanation = &one.explanation;
    if one.score.terms == 0 {
        page.line(match explanation.columns.iter().any(|column| column.value.is_some()) {
            true => "  the model knows no word of this text: what stands beside it is all there is",
            false => "  ? unsure: the model knows no word of this text, so its score is the intercept",
        });
    }
    if let Some(sums) = &explanation.by_class {
        reading_classes::reading_line(page, &one.text, explanation, sums);
        return reading_classes::verdict(page, explanation, sums);
    }
    reading_line(page, &one.text, explanation);
    verdict(page, explanation);
}

/// What the row is labelled, beside what it is called.
fn show_label(one: &ExplainedText, page: &mut Page) {
    let Some(label) = &one.label else { return };
    let value = if label.value.is_empty() { "blank" } else { &label.value };
    let told = match label.class {
        Some(class) if class == one.explanation.polarity => format!("{}, as it is called", page.class(class)),
        Some(class) => format!(
            "{}, to which the model gives a probability of {:.1} %",
            page.class(class),
            100.0 * one.score.probability(class)
        ),
        None => "no class under the rule".into(),
    };
    page.line(format!("  labelled {value}: {told}"));
}

/// The words whose removal turns the verdict.
fn show_flip(one: &ExplainedText, page: &mut Page) {
    let Some(flip) = &one.flip else { return };
    let words: Vec<String> = flip.words.iter().map(|word| format!("“{}”", word.form)).collect();
    page.note(&format!(
        "Without {} it would be called {} ({:.1} %){}.",
        words.join(", "),
        page.name(flip.called),
        100.0 * flip.probability,
        match (flip.smallest, words.len()) {
            (true, 1) => "",
            (true, _) => "; no word alone does that",
            (false, _) => "; no word alone does that, and none of these can be left in",
        }
    ));
}

/// What the text would be without each of its clauses.
fn show_clauses(one: &ExplainedText, page: &mut Page) {
    if one.without_clauses.len() < 2 {
        return;
    }
    page.line("");
    let free = one.explanation.by_class.is_some();
    let chance = format!("{} without", page.name(one.explanation.polarity));
    let mut header = Vec::new();
    match free {
        true => header.extend(Polarity::ALL.map(|class| (sign_of(class), Side::Right))),
        false => header.extend([("share", Side::Right), ("effect", Side::Right)]),
    }
    header.extend([(chance.as_str(), Side::Right), ("clause", Side::Excerpt)]);
    let mut table = Table::new(&header);
    for (clause, without) in one.explanation.clauses.iter().zip(&one.without_clauses) {
        let mut cells = match without.by_class {
            Some(effects) => Polarity::ALL.map(|class| with_sign(effects[class], 2)).to_vec(),
            None => vec![signed(clause.contribution), signed(without.effect)],
        };
        cells.push(format!("{:.1} %", 100.0 * without.probability));
        cells.push(one.text[clause.start as usize..clause.end as usize].trim().into());
        table.row(cells);
    }
    table.put(page);
}

/// Reviews that read alike.
fn show_alike(one: &ExplainedText, page: &mut Page) {
    if one.alike.is_empty() {
        return;
    }
    page.line("");
    let mut table = Table::new(&[
        ("reads alike", Side::Left),
        ("likeness", Side::Right),
        ("labelled", Side::Left),
        ("", Side::Excerpt),
    ]);
    for other in &one.alike {
        let label = other.label.as_ref().map_or(String::new(), |label| match label.class {
            Some(class) => page.class(class),
            None => label.value.clone(),
        });
        table.row([other.origin.clone(), format!("{:.2}", other.likeness), label, other.text.clone()]);
    }
    table.put(page);
    page.note("Likeness: the cosine of the two, as the model weighs their terms.");
}

/// Whether the words that explanations put first are those that verdicts rest on.
fn show_faithfulness(found: &Faithfulness, page: &mut Page) {
    page.heading("Whether verdicts rest on the words that explanations put first");
    let mut table = Table::new(&[
        ("words", Side::Right),
        ("without them", Side::Right),
        ("random ones", Side::Right),
        ("falls more by", Side::Right),
        ("with them only", Side::Right),
        ("random ones", Side::Right),
    ]);
    for point in &found.points {
        table.row([
            number(point.words),
            share(&point.without),
            share(&point.without_random),
            points(&point.more),
            share(&point.with_only),
            share(&point.with_only_random),
        ]);
    }
    table.put(page);
    page.note(&format!(
        "Mean probability of the called class, {} with all words, in {}: without the words that speak most for it, \
         without as many random ones, and with them alone; read again each time, negation included.",
        share(&found.before),
        count(found.reviews, "review")
    ));
}

/// The score as a sum: the heaviest terms, the others together, the intercept.
fn show_terms(one: &ExplainedText, shown: Shown, page: &mut Page) {
    if let Some(sums) = &one.explanation.by_class {
        return show_terms_by_class(&one.explanation, sums, shown, page);
    }
    let (terms, tree) = (&one.explanation.terms, one.explanation.by_terms());
    let [intercept, factors @ ..] = &tree.children[..] else { return };
    let (columns, factors) = factors.split_at(one.explanation.columns.len());
    if factors.is_empty() && columns.is_empty() {
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
    // Factors are those of terms by themselves; else a word stands with its parts.
    let lines: Vec<(TermLine<'_>, &[Factor])> = match shown.factors {
        true => terms.iter().map(TermLine::alone).zip(factors.iter().map(|own| &own.children[..])).collect(),
        false => one.explanation.term_lines().into_iter().map(|line| (line, &[][..])).collect(),
    };
    let (top, others) = lines.split_at(lines.len().min(shown.top));
    for (line, factors) in top {
        let TermPart { term, places, reviews, .. } = line.term;
        let mut rest: Vec<String> = match shown.factors {
            true => factors.iter().map(|own| decimals(own.value, 3)).collect(),
            false => vec![number(places.len()), number(*reviews as usize)],
        };
        rest.push(kind_of(line));
        row(term.clone(), line.contribution, rest);
    }
    if !others.is_empty() {
        let sum = others.iter().map(|(line, _)| line.contribution).sum();
        row(count(others.iter().map(|(line, _)| 1 + line.parts).sum(), "other term"), sum, Vec::new());
    }
    columns.iter().for_each(|own| row(own.name.clone(), own.value, Vec::new()));
    row(intercept.name.clone(), intercept.value, Vec::new());
    row(tree.name.clone(), tree.value, Vec::new());
    table.put(page);
    note_parts(top.iter().map(|(line, _)| line), page);
    if shown.factors {
        page.note(
            "A contribution = weight × term factor × document factor × normalisation (terms.weighting, terms.emphasis).",
        );
    }
}

/// What a line is made of.
pub fn kind_of(line: &TermLine<'_>) -> String {
    let parts = if line.parts > 0 { " +" } else { "" };
    format!("{}{parts}", line.term.kind.name())
}

/// Says what parts are, where a line has some.
pub fn note_parts<'l>(mut lines: impl Iterator<Item = &'l TermLine<'l>>, page: &mut Page) {
    if lines.any(|line| line.parts > 0) {
        page.note(
            "+ with parts of the word: its stem and, by some recipes, letters in it; --json has each by itself.",
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
        let effects = match word.without.by_class {
            Some(effects) => Polarity::ALL.map(|class| with_sign(effects[class], 2)).to_vec(),
            None => vec![signed(word.share), signed(word.without.effect)],
        };
        let probability = format!("{:.1} %", 100.0 * word.without.probability);
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
fn show_terms_by_class(explanation: &Explanation, sums: &ByClass, shown: Shown, page: &mut Page) {
    let lines = explanation.term_lines();
    page.line("");
    let signs = Polarity::ALL.map(|class| (sign_of(class), Side::Right));
    let header = [("term", Side::Left)].into_iter().chain(signs);
    let more = [("times", Side::Right), ("training reviews", Side::Right), ("kind", Side::Left)];
    let mut table = Table::new(&header.chain(more).collect::<Vec<_>>());
    let mut row = |name: String, values: PerClass<f64>, rest: [String; 3]| {
        let cells = Polarity::ALL.map(|class| with_sign(values[class], 2));
        table.row([name].into_iter().chain(cells).chain(rest));
    };
    let (top, others) = lines.split_at(lines.len().min(shown.top));
    let values = |line: &TermLine<'_>| line.by_class.unwrap_or_default();
    for line in top {
        let TermPart { term, places, reviews, .. } = line.term;
        row(term.clone(), values(line), [number(places.len()), number(*reviews as usize), kind_of(line)]);
    }
    let blank = || [const { String::new() }; 3];
    if !others.is_empty() {
        let sum = others.iter().fold(PerClass::default(), |sum: PerClass<f64>, line| sum.plus(values(line)));
        row(count(others.iter().map(|line| 1 + line.parts).sum(), "other term"), sum, blank());
    }
    for (column, values) in explanation.columns.iter().filter_map(|own| Some((own, own.by_class?))) {
        row(column.named(), values, blank());
    }
    row("intercept".into(), sums.intercepts, blank());
    row("sum".into(), sums.sums, blank());
    table.put(page);
    note_parts(top.iter(), page);
}
