//! Ways held against each other on the same reviews.

use heddle_core::measure::Figure;
use heddle_core::validate::within;
use heddle_work::{Changed, Compared, Way};

use super::figures::{WAYS, plain_difference, points, way_cells};
use super::table::{Side, Table};
use super::{Page, count, number, signed};

/// Puts the figures of each way on a page.
pub fn show_figures(compared: &Compared, page: &mut Page) {
    let mut table = Table::new(&WAYS);
    compared.ways.iter().for_each(|way| table.row(way_cells(&way.name, &way.figures)));
    table.put(page);
}

/// Puts on a page how a way differs from the first.
pub fn show_difference(compared: &Compared, page: &mut Page, way: &Way) {
    let Some(difference) = &way.difference else { return };
    page.heading(&format!("{} against {}", way.name, compared.ways[0].name));
    let mut table = Table::new(&[("", Side::Left), ("difference", Side::Right), ("", Side::Left)]);
    let log_loss = &difference.log_loss;
    table.row(["accuracy".into(), points(&difference.accuracy), words(&difference.accuracy, false)]);
    let balanced = &difference.balanced_accuracy;
    table.row(["balanced accuracy".into(), points(balanced), words(balanced, false)]);
    let area = &difference.roc_area;
    table.row(["ROC area".into(), plain_difference(area), words(area, false)]);
    table.row(["log loss".into(), plain_difference(log_loss), words(log_loss, true)]);
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

/// Puts the reviews on a page that changed sides, those first that moved furthest.
pub fn show_changed(compared: &Compared, top: usize, page: &mut Page) {
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
pub fn words(figure: &Figure, less_is_better: bool) -> String {
    match figure.value {
        None => "cannot be told".into(),
        Some(_) if within(figure) => "within noise".into(),
        Some(value) if (value < 0.0) == less_is_better => "better, by more than noise".into(),
        Some(_) => "worse, by more than noise".into(),
    }
}
