//! What tuning found, as a page.

use heddle_core::Choice;
use heddle_core::measure::Figure;
use heddle_core::validate::Measure;
use heddle_work::{BETWEEN, NestedChoice, Tuned};

use crate::view::figures::{plain, plain_with_interval, share, share_with_interval};
use crate::view::table::{Side, Table};
use crate::view::{Page, STRONG, count, number, paint};

/// The settings of a run's name.
fn settings(name: &str) -> impl Iterator<Item = (&str, &str)> {
    name.split(BETWEEN).filter_map(|setting| setting.split_once('='))
}

/// A difference to the best, in the unit of the measure.
pub fn behind(measure: Measure, figure: &Figure) -> String {
    let points = matches!(measure, Measure::Accuracy | Measure::BalancedAccuracy);
    let written = |value: Option<f64>| match value {
        None => "–".into(),
        Some(value) if points => format!("{:+.1}", 100.0 * value),
        Some(value) => format!("{value:+.4}"),
    };
    match figure.value {
        Some(0.0) => "–".into(),
        _ => {
            let half = figure.high.zip(figure.low).map(|(high, low)| (high - low) / 2.0);
            format!("{} ± {}", written(figure.value), written(half).trim_start_matches('+'))
        }
    }
}

/// Puts the findings on a page.
pub fn show(tuned: &Tuned, top: usize, page: &mut Page) {
    let rounds = if tuned.rounds > 1 { format!(", {} rounds", tuned.rounds) } else { String::new() };
    page.heading(&format!(
        "{} on the same {} folds{rounds} of {}",
        count(tuned.runs.len(), "run"),
        tuned.folds,
        count(tuned.account.labelled(), "review")
    ));
    show_runs(tuned, top, page);
    show_choice(tuned, page);
    if let Some(nested) = &tuned.nested {
        show_nested(nested, page);
    }
    if !tuned.stopped.is_empty() {
        page.note(&format!(
            "{} stopped on fewer reviews: {}.",
            count(tuned.stopped.len(), "combination"),
            tuned.stopped.join("; ")
        ));
    }
    let resumed = if tuned.resumed > 0 {
        format!("; {} stood there already", count(tuned.resumed, "run"))
    } else {
        String::new()
    };
    page.heading(&format!("Noted: {}{resumed}", tuned.noted));
    if let Some(path) = &tuned.picture {
        page.heading(&format!("Drawn: {path}"));
    }
}

fn show_runs(tuned: &Tuned, top: usize, page: &mut Page) {
    let by = tuned.by.name().replace('_', " ");
    let keys: Vec<&str> = settings(&tuned.best).map(|(key, _)| key).collect();
    let mut table = Table::new(&[
        ("", Side::Right),
        (&by, Side::Right),
        ("behind", Side::Right),
        ("accuracy", Side::Right),
        ("train", Side::Right),
        ("terms", Side::Right),
        ("time", Side::Right),
        ("values", Side::Left),
    ]);
    for (at, run) in tuned.runs.iter().enumerate().take(top) {
        let figures = &run.result.figures;
        let mark = if run.name == tuned.simplest { "→ " } else { "" };
        let figure = tuned.by.of(figures);
        let value = match tuned.by {
            Measure::LogLoss | Measure::RocArea => plain(&figure),
            Measure::Accuracy | Measure::BalancedAccuracy => share(&figure),
        };
        let training =
            run.result.training_accuracy.map_or("–".into(), |value| format!("{:.1}", 100.0 * value));
        let accuracy = figures.accuracy.value.map_or("–".into(), |value| format!("{:.1}", 100.0 * value));
        let values: Vec<&str> = settings(&run.name).map(|(_, value)| value).collect();
        table.row([
            format!("{mark}{}", at + 1),
            value,
            behind(tuned.by, &run.behind),
            accuracy,
            training,
            number(run.result.terms.round() as usize),
            format!("{:.1} s", run.seconds),
            values.join(", "),
        ]);
    }
    table.put(page);
    if tuned.runs.len() > top {
        page.note(&format!("{} more: --top {}.", count(tuned.runs.len() - top, "run"), tuned.runs.len()));
    }
    let most = tuned.runs.iter().map(|run| run.bytes).max().unwrap_or(0);
    page.note(&format!(
        "Ranked by the held-out {by}{}; behind: the difference to the best, with its 95 % interval. Train: accuracy on the training rows, for information. → is the simplest within noise. Values are those of {}. The largest matrix took {} MB.",
        if tuned.by.falls() { ", less being better" } else { "" },
        keys.join(", "),
        number(most.div_ceil(1 << 20))
    ));
}

fn show_choice(tuned: &Tuned, page: &mut Page) {
    let near = tuned.runs.iter().filter(|run| run.behind.low.is_none_or(|low| low <= 0.0)).count();
    page.heading("What to take");
    let words = if tuned.simplest == tuned.best {
        format!(
            "The best is also the simplest within noise; {} of {} are within noise of it.",
            near,
            count(tuned.runs.len(), "run")
        )
    } else {
        format!(
            "{} of {} are within noise of the best. The simplest of them has the fewest terms that pull, then the strongest penalty.",
            near,
            count(tuned.runs.len(), "run")
        )
    };
    let set: Vec<String> =
        settings(&tuned.simplest).map(|(key, value)| format!("--set {key}={value}")).collect();
    page.line(format!("  {}", paint(STRONG, set.join(" "))));
    page.note(&words);
    if tuned.nested.is_none() && tuned.runs.len() > 1 {
        page.note("The best of many looks better than it is; --nested tells by how much.");
    }
}

fn show_nested(nested: &NestedChoice, page: &mut Page) {
    page.heading("What choosing is worth");
    let figures = &nested.figures;
    let mut table = Table::new(&[("", Side::Left), ("figure", Side::Right)]);
    table.row(["accuracy".to_string(), share_with_interval(&figures.accuracy)]);
    table.row(["balanced accuracy".to_string(), share_with_interval(&figures.balanced_accuracy)]);
    table.row(["ROC area".to_string(), plain_with_interval(&figures.roc_area)]);
    table.row(["log loss".to_string(), plain_with_interval(&figures.log_loss)]);
    table.put(page);
    let mut chosen: Vec<&String> = nested.chosen.iter().collect();
    chosen.sort();
    let counted: Vec<String> =
        chosen.chunk_by(|a, b| a == b).map(|same| format!("{} ({})", same[0], same.len())).collect();
    page.note(&format!(
        "Settings were chosen anew on the training part of each fold, by inner folds, and judged on reviews that played no role in the choice. Chosen: {}.",
        counted.join("; ")
    ));
}
