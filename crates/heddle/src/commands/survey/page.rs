//! How a survey looks.

use heddle_core::Choice;
use heddle_core::labels::Polarity;
use heddle_core::survey::{ColumnKind, ColumnProfile, Script};

use crate::view::chart::{bar, steps};
use crate::view::figures::share_with_interval;
use crate::view::manner::manner;
use crate::view::short::next_steps;
use crate::view::table::{Side, Table};
use crate::view::{DIM, Page, count, cut, number, paint, percent, style_of};
use heddle_work::Survey;

const BAR: usize = 24;

/// Puts a survey on a page.
pub fn show(survey: &Survey, page: &mut Page) {
    page.call(&survey.names);
    page.heading(&format!(
        "{}: {} in = {} read + {} refused",
        survey.files.join(", "),
        count(survey.read, "row"),
        number(survey.rows),
        number(survey.refused)
    ));
    survey.manners.iter().for_each(|own| page.note(&manner(own)));
    show_columns(survey, page);
    show_rows(survey, page);
    show_ratings(survey, page);
    show_negative_by(survey, page);
    show_dates(survey, page);
    show_texts(survey, page);
    show_words(survey, page);
    if !survey.questions.is_empty() {
        page.heading("Only you can tell");
        survey.questions.iter().for_each(|question| page.item("?", question));
    }
    if !survey.next.is_empty() {
        next_steps(page, &survey.next);
    }
}

fn show_columns(survey: &Survey, page: &mut Page) {
    let mut table = Table::new(&[
        ("column", Side::Left),
        ("holds", Side::Left),
        ("filled", Side::Right),
        ("missing", Side::Right),
        ("distinct", Side::Right),
        ("values", Side::Left),
    ]);
    for column in &survey.columns {
        let kind = column.kind.name().to_string();
        let cells = [number(column.filled), number(column.missing), number(column.distinct)];
        let [filled, missing, distinct] = cells;
        table.row([column.name.clone(), kind, filled, missing, distinct, values_of(column)]);
    }
    table.put(page);
}

/// The first rows, where they were asked for; cells of texts are cut to their room.
fn show_rows(survey: &Survey, page: &mut Page) {
    if survey.first_rows.is_empty() {
        return;
    }
    page.heading("The first rows");
    let side = |column: &ColumnProfile| match column.kind {
        ColumnKind::Number => Side::Right,
        ColumnKind::Text => Side::Excerpt,
        _ => Side::Left,
    };
    let header: Vec<(&str, Side)> =
        survey.columns.iter().map(|column| (column.name.as_str(), side(column))).collect();
    let mut table = Table::new(&header);
    survey.first_rows.iter().for_each(|row| table.row(row.iter().map(|cell| cut(cell, 240))));
    table.put(page);
}

/// What a column holds, in one line.
fn values_of(column: &ColumnProfile) -> String {
    let examples = || column.examples.join(" · ");
    match column.kind {
        ColumnKind::Number => column.numbers.as_ref().map_or(String::new(), |numbers| {
            let counts: Vec<usize> = numbers.bars.iter().map(|(_, count)| *count).collect();
            let [low, _, middle, _, high] = numbers.quartiles;
            format!("{low} {} {high}, middle {middle}", steps(&counts))
        }),
        ColumnKind::Date => column
            .dates
            .as_ref()
            .map_or(String::new(), |dates| format!("{} to {}", dates.range.0, dates.range.1)),
        ColumnKind::Text => format!(
            "{:.0} words on average, such as \"{}\"",
            column.words,
            cut(column.examples.first().map_or("", String::as_str), 60)
        ),
        ColumnKind::Identifier => format!("each different: {}", examples()),
        ColumnKind::Category if column.values.is_empty() => {
            format!("{:.1} rows each: {}", column.filled as f64 / column.distinct as f64, examples())
        }
        ColumnKind::Category => column
            .values
            .iter()
            .map(|(value, rows)| format!("{value} {}", number(*rows)))
            .collect::<Vec<_>>()
            .join(", "),
        ColumnKind::Empty => String::new(),
    }
}

/// The share of negative rows by value of columns that have few.
fn show_negative_by(survey: &Survey, page: &mut Page) {
    if survey.negative_by.is_empty() {
        return;
    }
    let negative = page.name(Polarity::Negative);
    page.heading(&format!("Share of {negative} by column"));
    let mut table = Table::new(&[
        ("column", Side::Left),
        ("value", Side::Left),
        ("rows", Side::Right),
        (&negative, Side::Right),
        ("", Side::Left),
    ]);
    for own in &survey.negative_by {
        for (at, value) in own.values.iter().enumerate() {
            table.row([
                if at == 0 { cut(&own.column, 24) } else { String::new() },
                cut(&value.value, 30),
                number(value.negative.n),
                share_with_interval(&value.negative),
                if value.differs { "*".into() } else { String::new() },
            ]);
        }
    }
    table.put(page);
    page.note(
        "Of rows with a class; *: not as in all other rows, by more than noise, as many values being looked at as there \
         are. Each row counts as one here; `heddle drivers` and `heddle effects` know which reviews repeat others.",
    );
}

fn show_ratings(survey: &Survey, page: &mut Page) {
    let Some(name) = &survey.found.rating else { return };
    page.heading(&format!("Ratings in `{name}`"));
    let is_proposal = survey.scale.as_ref().is_some_and(|scale| !scale.plain);
    let total: usize = survey.ratings.iter().map(|row| row.rows).sum();
    let most = survey.ratings.iter().map(|row| row.rows).max().unwrap_or(0);
    let mut table = Table::new(&[
        ("value", Side::Right),
        ("rows", Side::Right),
        ("share", Side::Right),
        ("", Side::Left),
        (if is_proposal { "as it would be" } else { "under the rule" }, Side::Left),
    ]);
    for row in &survey.ratings {
        let becomes = match (row.class, row.named) {
            (Some(polarity), _) => page.class(polarity),
            (None, true) => "left out".into(),
            (None, false) => "? not named by the rule".into(),
        };
        let cells = [cut(&row.value, 24), number(row.rows), percent(row.rows, total)];
        let [value, rows, share] = cells;
        let style = row.class.map_or(DIM, style_of);
        table.row([value, rows, share, paint(style, bar(row.rows as f64, most as f64, BAR)), becomes]);
    }
    table.put(page);
    if let Some(scale) = survey.scale.as_ref().filter(|scale| !scale.settings.is_empty()) {
        let what = if is_proposal { "a proposal for you to settle" } else { "what they say themselves" };
        page.note(&format!("They look like {}. Rule, {what}: {}.", scale.name, scale.rule));
    }
    let of = |polarity| -> usize {
        survey.ratings.iter().filter(|row| row.class == Some(polarity)).map(|row| row.rows).sum()
    };
    let classes = Polarity::ALL.map(of);
    let labelled: usize = classes.iter().sum();
    if classes.iter().filter(|rows| **rows > 0).count() > 1 {
        page.note(&format!(
            "Calling every labelled row the larger class would be right in {}: the figure to beat.",
            percent(classes.into_iter().max().unwrap_or(0), labelled)
        ));
    }
}

fn show_dates(survey: &Survey, page: &mut Page) {
    for column in &survey.columns {
        let Some(dates) = &column.dates else { continue };
        page.heading(&format!("Rows per month of `{}`", column.name));
        let months: Vec<usize> = dates.months.iter().map(|(_, rows)| *rows).collect();
        let most = months.iter().copied().max().unwrap_or(0);
        if let (Some((first, _)), Some((last, _))) = (dates.months.first(), dates.months.last()) {
            // Many years are shown by groups of months.
            let group = months.len().div_ceil(60);
            let grouped: Vec<usize> = months.chunks(group).map(|chunk| chunk.iter().sum()).collect();
            page.line(format!("  {first} {} {last}   at most {} a month", steps(&grouped), number(most)));
        }
        let forms: Vec<String> = dates
            .forms
            .iter()
            .map(|(form, rows)| format!("{} as {}", count(*rows, "date"), form.example()))
            .collect();
        let misfits = if column.misfits > 0 {
            format!("; {} no date", count(column.misfits, "cell"))
        } else {
            String::new()
        };
        page.note(&format!("Written {}{misfits}.", forms.join(", ")));
    }
}

fn show_texts(survey: &Survey, page: &mut Page) {
    if survey.found.text.is_empty() {
        return;
    }
    let texts = &survey.texts;
    page.heading(&format!("Texts in {}", survey.found.text.join(" + ")));
    let mut item = |name: &str, text: String| page.item(&format!("{name:<12}"), &text);
    let [least, low, median, high, most] = texts.words;
    let counts: Vec<usize> = texts.lengths.iter().map(|(_, texts)| *texts).collect();
    item(
        "words",
        format!(
            "{least} {} {most}; half of the texts have {low} to {high}, the middle one {median}",
            steps(&counts)
        ),
    );
    item("empty", number(texts.empty));
    item("repeated", format!("{} with the words of an earlier one", count(texts.repeated, "text")));
    let example = |pairs: &[(String, String)]| {
        pairs.first().map_or(String::new(), |(a, b)| format!("; such as {a} and {}", short(b)))
    };
    let near = example(&texts.near_examples);
    item("nearly so", format!("{} like an earlier one{near}", count(texts.near, "text")));
    let pair = example(&texts.conflict_examples);
    item("conflicting", format!("{} with different ratings{pair}", count(texts.conflicting, "equal text")));
    let foreign: Vec<String> = texts
        .scripts
        .iter()
        .filter(|(script, _)| *script != Script::Latin)
        .map(|(script, texts)| format!("{} in {} letters", number(*texts), script.name()))
        .collect();
    let languages: Vec<String> = survey
        .languages
        .iter()
        .take(4)
        .map(|own| format!("{} {}", own.language, crate::view::figures::share_with_interval(&own.share)))
        .collect();
    if let Some(first) = survey.languages.first() {
        item(
            "languages",
            format!(
                "{}; in a random sample of {} long enough to tell",
                languages.join(", "),
                number(first.share.n)
            ),
        );
    }
    if !foreign.is_empty() {
        item("scripts", foreign.join(", "));
    }
    for odd in &texts.oddities {
        let sign = odd.sign.as_ref().map_or(String::new(), |sign| format!(", such as {sign}"));
        let (texts, what) = (count(odd.texts, "text"), odd.what.words());
        item("odd", format!("{texts} with {what}{sign} (first: {})", odd.first));
    }
}

/// A place without its file, where the file was named just before.
fn short(place: &str) -> &str {
    place.rsplit_once(", ").map_or(place, |(_, line)| line)
}

fn show_words(survey: &Survey, page: &mut Page) {
    if survey.words.iter().all(|own| own.frequent.is_empty()) {
        return;
    }
    let name = survey.found.rating.clone().unwrap_or_default();
    page.heading(&format!("Words by `{name}`"));
    let mut table =
        Table::new(&[("", Side::Right), ("most telling", Side::Left), ("most frequent", Side::Left)]);
    for own in &survey.words {
        let words = |words: &[heddle_core::survey::WordShare], most: usize| {
            words.iter().take(most).map(|share| share.word.as_str()).collect::<Vec<_>>().join(" ")
        };
        table.row([cut(&own.value, 12), cut(&words(&own.telling, 6), 46), words(&own.frequent, 5)]);
    }
    table.put(page);
    let reviews: usize = survey.words.iter().map(|own| own.reviews).sum();
    page.note(&format!(
        "From {} drawn at random, function words left out; telling words stand here far more than under other ratings. ¬ marks a negated word.",
        count(reviews, "text")
    ));
}
