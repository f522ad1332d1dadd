//! Settings, studies or models against each other, on the same reviews.

use heddle_core::measure::Figure;
use heddle_core::validate::within;
use heddle_work::{Changed, CompareOptions, Compared, Session, Way, compare};

use crate::args::CompareArgs;
use crate::output::Output;
use crate::view::figures::{plain, points, share, share_with_interval};
use crate::view::short::in_short;
use crate::view::table::{Side, Table};
use crate::view::{Page, count, number, signed};

/// Compares and shows the differences.
pub fn run(args: &CompareArgs, session: &Session, output: &Output) -> anyhow::Result<usize> {
    let options = CompareOptions {
        files: args.files.files.clone(),
        vary: args.varied.vary.clone(),
        with: args.with.clone(),
        changed: args.changed.clone(),
    };
    let compared = compare(session, &options)?;
    output.answer("compare", &compared, |compared, page| show(compared, args.top, page))?;
    Ok(compared.account.refused)
}

fn show(compared: &Compared, top: usize, page: &mut Page) {
    page.call(&compared.account.names);
    let reviews = count(compared.account.labelled(), "review");
    page.heading(&match compared.folds {
        Some(folds) => {
            format!("{} on the same {folds} folds of {reviews}", count(compared.ways.len(), "way"))
        }
        None => format!("{} on the same {reviews}", count(compared.ways.len(), "model")),
    });
    show_figures(compared, page);
    if let Some(opened) = compared.opened {
        page.note(&format!(
            "This holdout was opened {}: what is chosen by its figures fits it better than reviews to come.",
            count(opened, "time")
        ));
    }
    for way in &compared.ways[1..] {
        show_difference(compared, page, way);
    }
    page.note(if compared.folds.is_some() {
        "Differences are paired: the same reviews, the same folds; intervals by the corrected resampled t test, for folds share training reviews."
    } else {
        "Differences are paired by review."
    });
    show_changed(compared, top, page);
    in_short(page, &in_words(compared));
    if let Some(path) = &compared.written {
        page.written(path, ", all reviews that changed sides");
    }
}

/// What the differences come to, one way after the other.
fn in_words(compared: &Compared) -> String {
    let first = &compared.ways[0].name;
    let against = |way: &Way| {
        let difference = way.difference.as_ref()?;
        let (accuracy, loss) = (&difference.accuracy, &difference.log_loss);
        Some(format!(
            "{} against {first}: accuracy {}, {}; log loss {}.",
            way.name,
            points(accuracy),
            words(accuracy, false),
            words(loss, true)
        ))
    };
    compared.ways.iter().filter_map(against).collect::<Vec<_>>().join(" ")
}

fn show_figures(compared: &Compared, page: &mut Page) {
    let mut table = Table::new(&[
        ("", Side::Left),
        ("accuracy", Side::Right),
        ("balanced", Side::Right),
        ("ROC area", Side::Right),
        ("log loss", Side::Right),
    ]);
    for way in &compared.ways {
        let figures = &way.figures;
        table.row([
            way.name.clone(),
            share_with_interval(&figures.accuracy),
            share(&figures.balanced_accuracy),
            plain(&figures.roc_area),
            plain(&figures.log_loss),
        ]);
    }
    table.put(page);
}

fn show_difference(compared: &Compared, page: &mut Page, way: &Way) {
    let Some(difference) = &way.difference else { return };
    page.heading(&format!("{} against {}", way.name, compared.ways[0].name));
    let mut table = Table::new(&[("", Side::Left), ("difference", Side::Right), ("", Side::Left)]);
    let loss = |value: Option<f64>| value.map_or("–".into(), |value| format!("{value:+.4}"));
    let log_loss = &difference.log_loss;
    table.row(["accuracy".into(), points(&difference.accuracy), words(&difference.accuracy, false)]);
    let balanced = &difference.balanced_accuracy;
    table.row(["balanced accuracy".into(), points(balanced), words(balanced, false)]);
    let shown = |own: &Figure| format!("{} ({} to {})", loss(own.value), loss(own.low), loss(own.high));
    let area = &difference.roc_area;
    table.row(["ROC area".into(), shown(area), words(area, false)]);
    table.row(["log loss".into(), shown(log_loss), words(log_loss, true)]);
    table.put(page);
    page.note(&format!(
        "{} changed sides: {} right only before, {} right only now; accuracy p = {:.3}{}.",
        count(way.changed_sides, "review"),
        number(difference.only_first),
        number(difference.only_second),
        difference.p,
        if difference.p < 0.05 { "" } else { ", which chance explains" }
    ));
}

fn show_changed(compared: &Compared, top: usize, page: &mut Page) {
    if compared.changed.is_empty() {
        return;
    }
    page.heading("Changed sides, the furthest first");
    let several = compared.ways.len() > 2;
    let mut header =
        vec![("", Side::Left), ("labelled", Side::Left), ("before", Side::Right), ("now", Side::Right)];
    if several {
        header.push(("now is", Side::Left));
    }
    header.push(("", Side::Excerpt));
    let mut table = Table::new(&header);
    let mut furthest: Vec<&Changed> = compared.changed.iter().collect();
    furthest.sort_by(|a, b| (b.second - b.first).abs().total_cmp(&(a.second - a.first).abs()));
    for one in furthest.into_iter().take(top) {
        let mut cells = vec![one.id.clone(), page.class(one.truth), signed(one.first), signed(one.second)];
        if several {
            cells.push(one.way.clone());
        }
        cells.push(one.text.clone());
        table.row(cells);
    }
    table.put(page);
}

/// What a difference says.
fn words(figure: &Figure, less_is_better: bool) -> String {
    match figure.value {
        None => "cannot be told".into(),
        Some(_) if within(figure) => "within noise".into(),
        Some(value) if (value < 0.0) == less_is_better => "better, by more than noise".into(),
        Some(_) => "worse, by more than noise".into(),
    }
}
