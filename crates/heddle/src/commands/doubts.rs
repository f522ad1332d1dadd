//! Labels that the words contradict.

use heddle_work::{DoubtRow, Doubted, DoubtsOptions, KnownDoubts, Session, doubts};

use crate::args::DoubtsArgs;
use crate::output::Output;
use crate::view::figures::{share, share_with_interval};
use crate::view::table::{Side, Table};
use crate::view::{Page, count, number};

/// Doubts labels and shows the most doubtful.
pub fn run(args: &DoubtsArgs, session: &Session, output: &Output) -> anyhow::Result<usize> {
    let DoubtsArgs { files, top, known, out, .. } = args;
    let options = DoubtsOptions { files: files.files.clone(), out: out.clone(), known: known.clone() };
    let doubted = doubts(session, &options)?;
    output.answer("doubts", &doubted, |doubted, page| show(doubted, *top, page))?;
    Ok(doubted.account.refused)
}

fn show(doubted: &Doubted, top: usize, page: &mut Page) {
    page.call(&doubted.account.names);
    let labelled = doubted.account.labelled();
    page.heading(&format!("{} of {} are doubtful", count(doubted.labels.len(), "label"), number(labelled)));
    let expected = &doubted.doubts.expected;
    let whole = |value: Option<f64>| value.map_or("–".into(), |value| number(value.round() as usize));
    page.note(&format!(
        "As many as {} ({} to {}) may be wrong: of the fifth of the reviews that models are surest of, {} bear another \
         label. {} folds; no model has seen the review that it speaks of. Rule: {}.",
        whole(expected.value),
        whole(expected.low),
        whole(expected.high),
        share_with_interval(&doubted.doubts.noise),
        doubted.folds,
        doubted.rule
    ));
    if doubted.contradicted > 0 {
        page.note(&match doubted.contradicted {
            1 => "1 row has the text of a row with another label.".to_string(),
            more => format!("{} rows have the text of a row with another label.", number(more)),
        });
    }
    show_labels(doubted, top, page);
    if let Some(known) = &doubted.known {
        show_known(known, page);
    }
    match &doubted.written {
        Some(path) => {
            page.written(path, "");
            page.note(
                "Fill in `correction` with a rating, a class or drop; `heddle label --corrections` takes it back.",
            );
        }
        None => page.note(
            "--out doubts.csv writes them, to be corrected and taken back by `heddle label --corrections`.",
        ),
    }
}

fn show_labels(doubted: &Doubted, top: usize, page: &mut Page) {
    if doubted.labels.is_empty() {
        return;
    }
    let mut table = Table::new(&[
        (&doubted.named_by, Side::Right),
        ("rating", Side::Right),
        ("labelled", Side::Left),
        ("probability", Side::Right),
        ("wrong", Side::Right),
        ("of its fold", Side::Right),
        ("", Side::Excerpt),
    ]);
    for own in doubted.labels.iter().take(top) {
        let percent = |share: f64| format!("{:.1} %", 100.0 * share);
        table.row([
            own.id.clone(),
            own.rating.clone(),
            page.class(own.label),
            percent(own.doubt.probability),
            nearly(own.doubt.wrong),
            percent(own.doubt.share_of_fold),
            told(own),
        ]);
    }
    table.put(page);
    page.note(
        "Probability: of the label, by models that have not seen the review; wrong: how probable it is that the label is; of \
         its fold: its share of the log loss there.",
    );
}

/// The words that speak against the label, and the text.
fn told(own: &DoubtRow) -> String {
    let words: Vec<&str> = own.words.iter().map(|(word, _)| word.as_str()).collect();
    format!("{}: {}", words.join(", "), own.text)
}

/// A probability that is never said to be certain.
fn nearly(probability: f64) -> String {
    if probability > 0.99 { "> 99 %".into() } else { format!("{:.0} %", 100.0 * probability) }
}

fn show_known(known: &KnownDoubts, page: &mut Page) {
    page.heading(&format!("Against {} known to be wrong", count(known.wrong, "label")));
    let mut table = Table::new(&[
        ("most doubtful", Side::Right),
        ("wrong", Side::Right),
        ("promised", Side::Right),
        ("of the wrong, found", Side::Right),
    ]);
    for look in &known.looks {
        table.row([
            number(look.most),
            share_with_interval(&look.precision),
            format!("{:.1} %", 100.0 * look.promised),
            share(&look.recall),
        ]);
    }
    table.put(page);
}
