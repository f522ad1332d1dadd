//! Whether new reviews are still like those that a model was learnt from.

mod picture;

use heddle_core::drift::{CategoryShare, Respect, WordShift};
use heddle_work::{DriftOptions, Drifted, Named, Session, drift};

use crate::args::DriftArgs;
use crate::output::Output;
use crate::view::figures::{share, share_with_interval};
use crate::view::short::{in_short, next_steps};
use crate::view::table::{Side, Table};
use crate::view::{Page, count, cut, number};

/// Words of each kind that are shown.
const WORDS: usize = 8;
/// Themes that are shown.
const THEMES: usize = 5;
/// Columns of a review that are shown.
const LETTERS: usize = 240;

/// Drift was found, and an alarm was asked for. It was told already.
#[derive(Debug)]
pub struct Alarm;

impl std::fmt::Display for Alarm {
    fn fmt(&self, out: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        out.write_str("drift was found")
    }
}

impl std::error::Error for Alarm {}

/// Compares and shows what differs.
pub fn run(args: &DriftArgs, session: &Session, output: &Output) -> anyhow::Result<usize> {
    let DriftArgs { model, files, first, out, alarm, .. } = args;
    let options =
        DriftOptions { model: model.clone(), files: files.files.clone(), first: *first, out: out.clone() };
    let mut drifted = drift(session, &options)?;
    if let Some(path) = &args.picture {
        picture::scene(&drifted).write(session.outputs(), path)?;
        drifted.picture = Some(path.clone());
    }
    output.answer("drift", &drifted, show)?;
    if *alarm && drifted.found {
        return Err(Alarm.into());
    }
    Ok(drifted.account.refused)
}

fn show(drifted: &Drifted, page: &mut Page) {
    page.call(&drifted.account.names);
    let drift = &drifted.drift;
    in_short(page, &drifted.sentence);
    page.heading(&format!(
        "{} beside the {} of training",
        count(drift.reviews, "new review"),
        number(drift.trained)
    ));
    show_respects(&drift.respects, page);
    if drift.learnt_from > 0 {
        page.note(&format!(
            "{} of the new reviews say what a training review says, word for word: scores and verdicts are compared without them.",
            number(drift.learnt_from)
        ));
    }
    if let Some(negative) = &drift.negative {
        let neutral = drift.neutral.as_ref().map_or(String::new(), |neutral| {
            let (now, before) = (share_with_interval(neutral), percent_of(drift.neutral_before));
            format!(" Neutral: {now}; of the training reviews {before}.")
        });
        page.note(&format!(
            "Negative, corrected for the mistakes of the model as it was validated: {}; of the training reviews {}.{neutral}",
            share_with_interval(negative),
            percent_of(drift.negative_before)
        ));
    }
    show_themes(drifted, page);
    page.heading(&format!(
        "Words: {} of {} stand in more or in fewer reviews",
        number(drift.rose.len() + drift.fell.len()),
        number(drift.words)
    ));
    show_words(&drift.rose, &drift.fell, page);
    show_months(drifted, page);
    if !drifted.first.is_empty() {
        page.heading("Read first");
        drifted.first.iter().for_each(|review| quote(review, page));
    }
    for path in drifted.written.iter().chain(&drifted.picture) {
        page.written(path, "");
    }
    if !drifted.next.is_empty() {
        next_steps(page, &drifted.next);
    }
}

fn show_respects(respects: &[Respect], page: &mut Page) {
    if respects.is_empty() {
        return;
    }
    let mut table = Table::new(&[
        ("", Side::Left),
        ("training", Side::Right),
        ("now", Side::Right),
        ("size", Side::Right),
        ("by chance", Side::Right),
        ("", Side::Left),
    ]);
    for respect in respects {
        let (name, told) = telling(respect);
        let of = |share: Option<f64>| share.map_or(String::new(), percent_of);
        table.row([
            name,
            of(told.map(|own| own.before)),
            of(told.map(|own| own.now)),
            respect.shift.map_or("–".into(), |shift| format!("{:.2}", shift.effect)),
            respect.shift.map_or("–".into(), |shift| chance(shift.p)),
            if respect.drifted { "drift" } else { "" }.to_string(),
        ]);
    }
    table.put(page);
    page.note(
        "Of length, score and language the part that changed most. Size is Cohen's w: 0.1 a small difference, 0.3 a medium, 0.5 a large one. Chance holds for all lines at once; drift is what lies beyond it (5 %) and is not smaller than small.",
    );
}

fn percent_of(share: f64) -> String {
    format!("{:.1} %", 100.0 * share)
}

/// What is told of a respect: its name, and the category that says most.
fn telling(respect: &Respect) -> (String, Option<&CategoryShare>) {
    let of = |category: &str| respect.shares.iter().find(|own| own.category == category);
    let apart = |own: &CategoryShare| (own.now - own.before).abs();
    let most = respect.shares.iter().max_by(|a, b| apart(a).total_cmp(&apart(b)));
    match (respect.name, most) {
        ("unknown_words", _) => ("unknown words".into(), of("unknown")),
        ("verdicts", _) => ("called negative".into(), of("negative")),
        ("length", Some(own)) => (format!("length: {} words", begin(own)), most),
        ("scores", Some(own)) => (format!("score: {}", begin(own)), most),
        ("language", Some(own)) => (format!("language: {}", own.category), most),
        (name, _) => (name.to_string(), None),
    }
}

/// Where a category of lengths or scores begins, in words.
fn begin(own: &CategoryShare) -> String {
    if own.category == "below" {
        "the least".into()
    } else {
        format!("from {}", own.category.replace('-', "−"))
    }
}

fn chance(p: f64) -> String {
    if p < 0.0001 { "< 0.01 %".into() } else { format!("{:.2} %", 100.0 * p) }
}

fn show_themes(drifted: &Drifted, page: &mut Page) {
    let themes = &drifted.drift.themes;
    if themes.is_empty() {
        return;
    }
    page.heading("What is said more often");
    for (theme, said) in themes.iter().zip(&drifted.quotes).take(THEMES) {
        let words: Vec<&str> = theme.words.iter().take(6).map(String::as_str).collect();
        page.item(
            "–",
            &format!(
                "{}{}: {} of the reviews, {} of these called negative; {} of {} unknown to the model",
                if theme.new { "new: " } else { "" },
                words.join(", "),
                share_with_interval(&theme.share),
                share_with_interval(&theme.called_negative),
                number(theme.unknown),
                count(theme.words.len(), "word")
            ),
        );
        quote(said, page);
    }
}

fn show_words(rose: &[WordShift], fell: &[WordShift], page: &mut Page) {
    if rose.is_empty() && fell.is_empty() {
        return;
    }
    let mut table = Table::new(&[
        ("rose", Side::Left),
        ("training", Side::Right),
        ("now", Side::Right),
        ("fell", Side::Left),
        ("training", Side::Right),
        ("now", Side::Right),
    ]);
    let cells = |word: Option<&WordShift>| match word {
        Some(own) => [
            own.word.clone(),
            format!("{}{:.1} %", if own.known { "" } else { "≤ " }, 100.0 * own.before),
            share(&own.now),
        ],
        None => [String::new(), String::new(), String::new()],
    };
    for at in 0..rose.len().max(fell.len()).min(WORDS) {
        table.row(cells(rose.get(at)).into_iter().chain(cells(fell.get(at))));
    }
    table.put(page);
    page.note("Shares of the reviews that hold a word; ≤ marks one that the model does not know. About one in twenty is named by chance.");
}

fn show_months(drifted: &Drifted, page: &mut Page) {
    if drifted.months.is_empty() {
        return;
    }
    page.heading("By month");
    let mut columns = vec![
        ("month", Side::Left),
        ("reviews", Side::Right),
        ("called negative", Side::Right),
        ("unknown words", Side::Right),
    ];
    let themes: Vec<String> =
        drifted.drift.themes.iter().take(2).map(|theme| format!("“{}”", theme.words[0])).collect();
    columns.extend(themes.iter().map(|theme| (theme.as_str(), Side::Right)));
    let mut table = Table::new(&columns);
    for month in &drifted.months {
        let own = [
            month.month.clone(),
            number(month.reviews),
            share(&month.called_negative),
            share(&month.unknown),
        ];
        table.row(own.into_iter().chain(month.themes.iter().map(share)));
    }
    table.put(page);
}

/// A review, cut where it is long.
fn quote(review: &Named, page: &mut Page) {
    let called = review.called.map_or("unsure".to_string(), |class| page.name(class).to_string());
    page.item("  ", &format!("{} ({called}): {}", review.id, cut(&review.text, LETTERS)));
}
