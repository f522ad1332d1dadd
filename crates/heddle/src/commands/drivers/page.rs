//! The findings of `drivers`, as a page.

use heddle_core::labels::Polarity;
use heddle_core::themes::Part;
use heddle_core::validate::within;
use heddle_work::{ClassByColumn, Driven, Driver};

use crate::view::figures::{in_points, share, share_with_interval};
use crate::view::table::{Side, Table};
use crate::view::{Page, count, number, signed, wrapped};

/// Months that lie apart by so many points a year are told.
const WORDS_SHOWN: usize = 6;
/// Columns of more values show those alone that are not as the others.
const VALUES_SHOWN: usize = 12;

/// Puts the findings on a page.
pub fn show(driven: &Driven, page: &mut Page) {
    page.call(&driven.account.names);
    let [negative, _] = page.poles();
    page.heading(&format!(
        "{} in {}, of which {} are {negative}",
        count(driven.themes.len(), "theme"),
        count(driven.account.labelled(), "review"),
        share(&driven.negative)
    ));
    for class in Polarity::POLES {
        let own: Vec<&Driver> = driven.themes.iter().filter(|own| own.theme.class == class).collect();
        if !own.is_empty() {
            show_class(class, &own, page);
        }
    }
    page.note(&format!(
        "{negative}: share of the reviews with the theme; more: less that of the reviews without it, in points, with an interval \
         that holds for all themes together; adds: to the log-odds, on average. Themes within noise: {}.",
        number(driven.within_noise)
    ));
    driven.classes.iter().for_each(|own| show_by_column(own, page));
    show_parts(driven, page);
    for class in Polarity::POLES {
        show_quotes(class, driven, page);
    }
    if let Some(path) = &driven.written {
        page.written(path, ", the themes with their figures");
    }
    for path in driven.picture.iter().chain(&driven.picture_of_words) {
        page.heading(&format!("Drawn: {path}"));
    }
}

fn show_class(class: Polarity, themes: &[&Driver], page: &mut Page) {
    let negative = page.name(Polarity::Negative);
    page.heading(&format!("What makes reviews {}", page.class(class)));
    let mut table = Table::new(&[
        ("theme", Side::Left),
        ("reviews", Side::Right),
        (&negative, Side::Right),
        ("more", Side::Right),
        ("adds", Side::Right),
        ("words", Side::Left),
    ]);
    for Driver { theme, adds, .. } in themes {
        let words: Vec<&str> =
            theme.words.iter().skip(1).take(WORDS_SHOWN).map(|own| own.word.as_str()).collect();
        table.row([
            theme.name.clone(),
            number(theme.reviews()),
            share(&theme.with),
            in_points(&theme.difference),
            adds.value.map_or("–".into(), signed),
            words.join(", "),
        ]);
    }
    table.put(page);
}

/// The share of a class by value of each column; months only where they are not as the others.
fn show_by_column(own: &ClassByColumn, page: &mut Page) {
    let class = page.class(own.class);
    let mut table = Table::new(&[
        ("where", Side::Left),
        ("reviews", Side::Right),
        ("share", Side::Right),
        ("than elsewhere", Side::Right),
    ]);
    let mut rows = 0;
    for column in &own.columns {
        let many = column.values.len() > VALUES_SHOWN;
        for part in column.values.iter().filter(|part| part.differs || !many) {
            let mark = if part.differs { " *" } else { "" };
            table.row([
                format!("{} {}", column.column, part.part),
                number(part.share.n),
                share_with_interval(&part.share),
                format!("{}{mark}", in_points(&part.difference)),
            ]);
            rows += 1;
        }
    }
    if rows > 0 {
        page.heading(&format!("How often reviews are {class}, by column"));
        table.put(page);
        page.note(
            "In points, with intervals that hold for all values together; *: more than noise. Of columns with more than 12 values, those alone.",
        );
    }
}

/// Where and when themes stand more or less often than elsewhere, beyond noise.
fn show_parts(driven: &Driven, page: &mut Page) {
    let columns = driven.themes.iter().any(|own| !own.columns.is_empty());
    if !columns && driven.months == 0 {
        return;
    }
    page.heading("Where they differ, and how they change");
    let mut table = Table::new(&[
        ("theme", Side::Left),
        ("where", Side::Left),
        ("of reviews", Side::Right),
        ("than elsewhere", Side::Right),
    ]);
    let mut rows = 0;
    for own in &driven.themes {
        let mut row = |place: String, part: &Part| {
            table.row([
                own.theme.name.clone(),
                place,
                share_with_interval(&part.share),
                in_points(&part.difference),
            ]);
            rows += 1;
        };
        for column in &own.columns {
            let differ = column.values.iter().filter(|part| part.differs);
            differ.for_each(|part| row(format!("{} {}", column.column, part.part), part));
        }
        own.months.iter().filter(|part| part.differs).for_each(|part| row(part.part.clone(), part));
        if let Some(trend) = own.trend.filter(|trend| !within(trend)) {
            table.row([
                own.theme.name.clone(),
                "over time".into(),
                String::new(),
                format!("{} a year", in_points(&trend)),
            ]);
            rows += 1;
        }
    }
    match rows {
        0 => {
            page.note("No theme stands more or less often anywhere, or moves over time, by more than noise.")
        }
        _ => {
            table.put(page);
            page.note(
                "In points; only what is more than noise, all themes and places being looked at together.",
            );
        }
    }
}

fn show_quotes(class: Polarity, driven: &Driven, page: &mut Page) {
    let own = || driven.themes.iter().filter(|own| own.theme.class == class && !own.quotes.is_empty());
    if own().next().is_none() {
        return;
    }
    page.heading(&format!("In their words, {}", page.class(class)));
    for Driver { theme, quotes, .. } in own() {
        page.line(format!("  {}", theme.name));
        for quote in quotes {
            let lines = wrapped(&format!("“{}” {}", quote.clause, quote.id), crate::view::width() - 4);
            lines.iter().for_each(|line| page.line(format!("    {line}")));
        }
    }
}
