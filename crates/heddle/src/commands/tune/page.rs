//! What tuning found, as a page.

use heddle_core::Choice;
use heddle_core::measure::Figure;
use heddle_core::validate::{Measure, within};
use heddle_work::{AS_IT_IS, BETWEEN, NestedChoice, Ranked, Searched, Tuned};

use crate::view::figures::{plain, plain_with_interval, share, share_with_interval};
use crate::view::short::in_short;
use crate::view::table::{Side, Table};
use crate::view::{Page, STRONG, count, number, paint, with_sign};

/// The settings of a run's name.
fn settings(name: &str) -> impl Iterator<Item = (&str, &str)> {
    name.split(BETWEEN).filter_map(|setting| setting.split_once('='))
}

/// A name without the sections of its settings.
fn short(name: &str) -> String {
    name.split(BETWEEN).map(without_section).collect::<Vec<_>>().join(", ")
}

fn without_section(setting: &str) -> &str {
    setting.split_once('.').map_or(setting, |(_, rest)| rest)
}

/// What makes a run: its settings, or, in a search, where it differs from the best run.
pub fn made_of(tuned: &Tuned, run: &Ranked) -> String {
    if tuned.searched.is_none() || [&tuned.best, AS_IT_IS].contains(&&*run.name) {
        return short(&run.name);
    }
    let (own, best) = (&|| settings(&run.name), &|| settings(&tuned.best));
    let others = own().filter(|one| best().all(|other| other != *one));
    let others = others.map(|(key, value)| format!("{}={value}", without_section(key)));
    let gone = best().filter(|(key, _)| own().all(|(other, _)| other != *key));
    let gone = gone.map(|(key, _)| format!("{} as it was", without_section(key)));
    others.chain(gone).collect::<Vec<_>>().join(", ")
}

/// A difference to the best, in the unit of the measure.
pub fn behind(measure: Measure, figure: &Figure) -> String {
    let written = |value: Option<f64>| match value {
        None => "–".into(),
        Some(value) if measure.is_share() => with_sign(100.0 * value, 1),
        Some(value) => with_sign(value, 4),
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
    page.call(&tuned.account.names);
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
    in_short(page, &in_words(tuned));
    page.heading(&format!("Noted: {}{resumed}", tuned.noted));
    if let Some(path) = &tuned.picture {
        page.heading(&format!("Drawn: {path}"));
    }
}

/// What to take, and what may be expected of it.
fn in_words(tuned: &Tuned) -> String {
    let (by, own) = (tuned.by.name().replace('_', " "), tuned.by.of(&tuned.runs[0].result.figures));
    let written = if tuned.by.is_share() { share_with_interval } else { plain_with_interval };
    let alike = tuned.runs[1..].iter().filter(|run| within(&run.behind)).count();
    let others = match tuned.runs.len() - 1 {
        0 => String::new(),
        1 if alike == 1 => ", which cannot be told from the other run on these reviews".into(),
        others => format!(", from which {alike} of {others} others cannot be told on these reviews"),
    };
    let expect = match (&tuned.nested, tuned.runs.len()) {
        (Some(nested), _) => format!("; what choosing brings is {}", written(&tuned.by.of(&nested.figures))),
        (None, 1) => String::new(),
        (None, _) => format!("; expect {}", written(&tuned.chosen_elsewhere)),
    };
    format!("The best is {}: {by} {}{others}{expect}.", tuned.best, written(&own))
}

fn show_runs(tuned: &Tuned, top: usize, page: &mut Page) {
    let by = tuned.by.name().replace('_', " ");
    let searched = tuned.searched.is_some();
    // Runs of a search do not vary the same settings: what makes them needs the room.
    let about_learning: &[(&str, Side)] = match searched {
        true => &[],
        false => &[("train", Side::Right), ("terms", Side::Right), ("time", Side::Right)],
    };
    let mut header =
        vec![("", Side::Right), (&*by, Side::Right), ("behind", Side::Right), ("accuracy", Side::Right)];
    header.extend(about_learning);
    header.push((if searched { "against the best" } else { "values" }, Side::Left));
    let mut table = Table::new(&header);
    for (at, run) in tuned.runs.iter().enumerate().take(top) {
        let figures = &run.result.figures;
        let mark = if tuned.simplest.as_ref() == Some(&run.name) { "→ " } else { "" };
        let figure = tuned.by.of(figures);
        let value = if tuned.by.is_share() { share(&figure) } else { plain(&figure) };
        let percent =
            |value: Option<f64>| value.map_or("–".into(), |value| format!("{:.1}", 100.0 * value));
        let about_learning = [
            percent(run.result.training_accuracy),
            number(run.result.terms.round() as usize),
            format!("{:.1} s", run.seconds),
        ];
        let values = match searched {
            true if at == 0 => "the best: see below".into(),
            true => made_of(tuned, run),
            false => settings(&run.name).map(|(_, value)| value).collect::<Vec<_>>().join(", "),
        };
        let mut row = vec![
            format!("{mark}{}", at + 1),
            value,
            behind(tuned.by, &run.behind),
            percent(figures.accuracy.value),
        ];
        row.extend(about_learning.into_iter().filter(|_| !searched));
        row.push(values);
        table.row(row);
    }
    table.put(page);
    if tuned.runs.len() > top {
        page.note(&format!("{} more: --top {}.", count(tuned.runs.len() - top, "run"), tuned.runs.len()));
    }
    let most = tuned.runs.iter().map(|run| run.bytes).max().unwrap_or(0);
    let keys: Vec<&str> = settings(&tuned.best).map(|(key, _)| key).collect();
    page.note(&format!(
        "Ranked by the held-out {by}{}; behind: the difference to the best; the intervals hold for all runs at once (95 %).{} The largest matrix took {} MB.",
        if tuned.by.falls() { ", less being better" } else { "" },
        if searched {
            String::new()
        } else {
            format!(
                " Train: accuracy on the training rows, for information. Values are those of {}.",
                keys.join(", ")
            )
        },
        number(most.div_ceil(1 << 20))
    ));
}

fn show_choice(tuned: &Tuned, page: &mut Page) {
    page.heading("What to take");
    let set: Vec<String> = set(&tuned.best).collect();
    let best = if set.is_empty() { tuned.best.clone() } else { set.join(" ") };
    page.line(format!("  {}", paint(STRONG, best)));
    let near = tuned.runs.iter().filter(|run| within(&run.behind)).count();
    let runs = count(tuned.runs.len(), "run");
    if tuned.runs.len() == 1 {
        page.note("Nothing else was tried.");
    } else {
        page.note(&format!(
            "The best is the one to take: {} of {runs} cannot be told from it on these reviews, which does not make them as good.",
            number(near)
        ));
    }
    if let (Some(simplest), Some(margin)) = (&tuned.simplest, tuned.margin) {
        let points = format!(
            "{margin} points of {}",
            if tuned.by.is_share() { tuned.by.name().replace('_', " ") } else { "accuracy".into() }
        );
        page.note(&match simplest == &tuned.best {
            true => format!("No simpler run is shown to cost at most {points}."),
            false => format!("→ is the simplest that is shown to cost at most {points}: {simplest}."),
        });
    }
    if tuned.nested.is_none() && tuned.runs.len() > 1 {
        let own = tuned.by.of(&tuned.runs[0].result.figures);
        let written = if tuned.by.is_share() { share_with_interval } else { plain_with_interval };
        page.note(&format!(
            "The best of many looks better than it is: its {} is {}; chosen on the other folds each time, {}. --nested chooses anew inside each fold.",
            tuned.by.name().replace('_', " "),
            written(&own),
            written(&tuned.chosen_elsewhere)
        ));
    }
    if let Some(searched) = &tuned.searched {
        show_search(tuned, searched, page);
    }
    if let Some(path) = &tuned.written {
        page.line(format!("  study written: {path}"));
    }
}

/// How the search ended, and what it left out.
fn show_search(tuned: &Tuned, searched: &Searched, page: &mut Page) {
    if let Some(run) = tuned.runs.iter().find(|run| run.name == AS_IT_IS && run.name != tuned.best) {
        let noise = if within(&run.behind) { "within noise" } else { "more than noise" };
        page.note(&format!("The study as it is, is behind by {}: {noise}.", behind(tuned.by, &run.behind)));
    }
    let (minutes, open) = (searched.minutes, searched.no_time.len());
    page.note(&match searched.finished {
        true => "The search came to its end: no single change of what it tries makes the best run better.".into(),
        false => format!(
            "{} not tried, for want of time within {minutes} minutes; runs that are done are kept, so a longer search goes on from here: --minutes {}.",
            count(open, "change"),
            2.0 * minutes
        ),
    });
    if !searched.settled.is_empty() {
        page.note(&format!("Left as they are set: {}.", searched.settled.join(", ")));
    }
}

/// The settings of a run as they are given to another command.
fn set(name: &str) -> impl Iterator<Item = String> {
    settings(name).map(|(key, value)| format!("--set {key}={value}"))
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
