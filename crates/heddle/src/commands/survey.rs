//! What is in a review file.

use std::borrow::Cow;
use std::collections::BTreeMap;
use std::path::Path;

use anyhow::bail;
use heddle_core::{
    ColumnKind, ColumnProfile, Polarity, Profiler, Reading, Study, TextProfile, Values, shown_value,
};
use heddle_files::{Keep, Table as Rows, commented, write};
use serde::Serialize;

use crate::args::SurveyArgs;
use crate::desk::{Answer, Desk};
use crate::intake::{joined, paths};
use crate::view::chart::bar;
use crate::view::table::{Side, Table};
use crate::view::{DIM, Page, class, count, cut, number, paint, percent, style_of};

#[derive(Serialize)]
struct Survey {
    files: Vec<String>,
    delimiter: String,
    /// Rows in the files: `rows` + `refused`.
    read: usize,
    rows: usize,
    refused: usize,
    columns: Vec<ColumnProfile>,
    /// The columns that look like text, rating and id.
    found: Found,
    ratings: Vec<RatingRow>,
    months: Vec<(String, usize)>,
    texts: TextProfile,
    questions: Vec<String>,
}

/// The columns that mean something, as far as can be told.
#[derive(Serialize, Default)]
struct Found {
    text: Vec<String>,
    rating: Option<String>,
    id: Option<String>,
    date: Option<String>,
}

/// One value of the rating.
#[derive(Serialize)]
struct RatingRow {
    value: String,
    rows: usize,
    /// The class under the rule in force; missing if there is none.
    class: Option<Polarity>,
    /// Whether the rule names the value at all.
    named: bool,
}

/// Surveys files; writes a study if asked.
pub fn run(args: &SurveyArgs, desk: &Desk) -> anyhow::Result<usize> {
    if let Some(path) = args.write_study.as_ref().filter(|path| Path::new(path).exists()) {
        bail!("{path} is there already and is not overwritten; name another file");
    }
    let paths = paths(&args.files, desk.study())?;
    let table = Rows::read(paths, Keep::All)?;
    let columns: Vec<ColumnProfile> = (0..table.columns().len()).map(|at| profile(&table, at)).collect();
    let found = find(&columns, desk.study());
    let mut study = desk.study().clone();
    study.reviews.files = paths.to_vec();
    if !found.text.is_empty() {
        study.reviews.text = found.text.clone();
    }
    if let Some(rating) = &found.rating {
        study.reviews.stars = rating.clone();
    }
    study.reviews.id = found.id.clone().or(study.reviews.id);
    let ratings = ratings(&table, &found, &study);
    let survey = Survey {
        files: table.files().map(String::from).collect(),
        delimiter: (table.delimiter() as char).to_string(),
        read: table.len() + table.refused().len(),
        rows: table.len(),
        refused: table.refused().len(),
        months: months(&table, &found),
        texts: texts(&table, &found),
        questions: questions(&columns, &found, &ratings, desk.study()),
        columns,
        ratings,
        found,
    };
    desk.tell_refused(table.refused());
    desk.answer("survey", &survey)?;
    if let Some(path) = &args.write_study {
        write_study(path, &study, &survey.ratings)?;
        desk.remark(&format!("Written: {path}. Next: heddle label --study {path}"));
    }
    Ok(survey.refused)
}

/// Writes a study. Up to five ratings that the rule does not name are set to "missing",
/// where the analyst sees them; more are no slips, and are left to be named.
fn write_study(path: &str, study: &Study, ratings: &[RatingRow]) -> anyhow::Result<()> {
    let mut study = study.clone();
    let beside = Path::new(path).parent().is_none_or(|folder| folder.as_os_str().is_empty());
    for file in study.reviews.files.iter_mut().filter(|file| !beside && *file != "-") {
        // The files of a study are seen from its folder.
        *file = std::path::absolute(&*file)?.display().to_string();
    }
    let unnamed: Vec<&str> = ratings.iter().filter(|row| !row.named).map(|row| row.value.as_str()).collect();
    if !unnamed.is_empty() && unnamed.len() <= 5 {
        let with = format!("{}, {}", study.polarity.missing, unnamed.join(", "));
        study.polarity.missing = Values::parse(&with).map_err(anyhow::Error::msg)?;
    }
    Ok(write(path, commented(&study).as_bytes())?)
}

fn profile(table: &Rows, column: usize) -> ColumnProfile {
    let mut profiler = Profiler::default();
    (0..table.len()).for_each(|row| profiler.add(table.cell(row, column)));
    profiler.finish(&table.columns()[column])
}

/// The columns named by the study where they exist, others by what they hold.
fn find(columns: &[ColumnProfile], study: &Study) -> Found {
    let named = |name: &str| columns.iter().any(|column| column.name == name);
    let of_kind = |kind: ColumnKind| columns.iter().filter(move |column| column.kind == kind);
    let reviews = &study.reviews;
    let text = if reviews.text.iter().all(|name| named(name)) && *reviews != Study::default().reviews {
        reviews.text.clone()
    } else {
        of_kind(ColumnKind::Text).map(|column| column.name.clone()).collect()
    };
    let sounds = |column: &&ColumnProfile| {
        let name = column.name.to_lowercase();
        ["star", "rating", "score", "grade", "points"].iter().any(|word| name.contains(word))
    };
    let few = |column: &&ColumnProfile| {
        matches!(column.kind, ColumnKind::Number | ColumnKind::Category)
            && (2..=12).contains(&column.distinct)
    };
    // A few numbers that come again and again, in one column only, are a rating by any name.
    let repeats = |column: &&ColumnProfile| {
        column.kind == ColumnKind::Number && few(column) && column.filled >= 3 * column.distinct
    };
    let rating = if named(reviews.rated()) {
        Some(reviews.rated().to_string())
    } else {
        let sounding = columns.iter().filter(few).find(sounds);
        sounding.or_else(|| only(columns.iter().filter(repeats))).map(|column| column.name.clone())
    };
    Found {
        text,
        rating,
        id: of_kind(ColumnKind::Identifier).map(|column| column.name.clone()).next(),
        date: of_kind(ColumnKind::Date).map(|column| column.name.clone()).next(),
    }
}

/// The item, if there is one and no other.
fn only<T>(mut items: impl Iterator<Item = T>) -> Option<T> {
    let first = items.next()?;
    items.next().is_none().then_some(first)
}

fn ratings(table: &Rows, found: &Found, study: &Study) -> Vec<RatingRow> {
    let Some(column) = found.rating.as_ref().and_then(|name| table.column(name).ok()) else {
        return Vec::new();
    };
    let mut counts = BTreeMap::new();
    (0..table.len()).for_each(|row| *counts.entry(shown_value(table.cell(row, column))).or_insert(0) += 1);
    counts.remove("");
    let row = |(value, rows): (Cow<'_, str>, usize)| {
        let reading = study.polarity.read(&value);
        let class = match reading {
            Reading::Class(class) => Some(class),
            _ => None,
        };
        RatingRow { value: value.into(), rows, class, named: reading != Reading::Unknown }
    };
    counts.into_iter().map(row).collect()
}

fn months(table: &Rows, found: &Found) -> Vec<(String, usize)> {
    let Some(column) = found.date.as_ref().and_then(|name| table.column(name).ok()) else {
        return Vec::new();
    };
    let mut counts = BTreeMap::new();
    for row in 0..table.len() {
        if let Some(month) = table.cell(row, column).trim().get(..7) {
            *counts.entry(month.to_string()).or_insert(0) += 1;
        }
    }
    counts.into_iter().collect()
}

fn texts(table: &Rows, found: &Found) -> TextProfile {
    let columns: Vec<usize> = found.text.iter().filter_map(|name| table.column(name).ok()).collect();
    let rating = found.rating.as_ref().and_then(|name| table.column(name).ok());
    let review = |row: usize| {
        (joined(table, &columns, row), rating.map_or("", |column| table.cell(row, column).trim()))
    };
    TextProfile::new((0..table.len()).map(review))
}

/// What only the analyst can say.
fn questions(columns: &[ColumnProfile], found: &Found, ratings: &[RatingRow], study: &Study) -> Vec<String> {
    let mut questions = Vec::new();
    let listed =
        |names: &[String]| names.iter().map(|name| format!("`{name}`")).collect::<Vec<_>>().join(" and ");
    match found.text.len() {
        0 => questions.push("Which column holds the text? None looks like it: set reviews.text.".into()),
        1 => {}
        _ if found.text == study.reviews.text => {}
        _ => questions
            .push(format!("{} both look like text. Read together? (reviews.text)", listed(&found.text))),
    }
    if found.rating.is_none() {
        questions.push(
            "Which column holds the rating? None looks like it: set reviews.stars or reviews.label.".into(),
        );
    }
    for row in ratings.iter().filter(|row| !row.named) {
        let rows = count(row.rows, "row");
        questions.push(match row.value.parse::<f64>() {
            Ok(0.0) => format!("Does a rating of {} ({rows}) mean \"none given\" or \"worst\"? (polarity.missing or polarity.negative)", row.value),
            _ => format!("What does a rating of `{}` ({rows}) mean? (polarity.missing, .negative or .positive)", row.value),
        });
    }
    let people = |column: &&ColumnProfile| {
        let name = column.name.to_lowercase();
        ["customer", "author", "user", "client"].iter().any(|word| name.contains(word))
            && column.distinct < column.filled
    };
    if let Some(column) = columns.iter().find(people).filter(|_| study.reviews.together.is_empty()) {
        questions.push(format!(
            "Some values of `{}` stand in several rows. Keep these on one side of a split? (reviews.together)",
            column.name
        ));
    }
    questions
}

impl Answer for Survey {
    fn show(&self, page: &mut Page) {
        let delimiter = match self.delimiter.as_str() {
            "\t" => "tab",
            other => other,
        };
        page.heading(&format!(
            "{}: {} read, {} refused",
            self.files.join(", "),
            count(self.read, "row"),
            self.refused
        ));
        let mut table = Table::new(&[
            ("column", Side::Left),
            ("holds", Side::Left),
            ("filled", Side::Right),
            ("missing", Side::Right),
            ("distinct", Side::Right),
            ("values", Side::Left),
        ]);
        for column in &self.columns {
            let kind = format!("{:?}", column.kind).to_lowercase();
            let cells = [number(column.filled), number(column.missing), number(column.distinct)];
            let [filled, missing, distinct] = cells;
            table.row([column.name.clone(), kind, filled, missing, distinct, values_of(column)]);
        }
        table.put(page);
        page.note(&format!(
            "Fields are parted by `{delimiter}`; a field in double quotes may hold anything."
        ));
        self.show_ratings(page);
        self.show_months(page);
        self.show_texts(page);
        if !self.questions.is_empty() {
            page.heading("Only you can tell");
            self.questions.iter().for_each(|question| page.item("?", question));
        }
    }
}

fn values_of(column: &ColumnProfile) -> String {
    match (&column.range, column.kind) {
        (Some((low, high)), ColumnKind::Date) => format!("{} to {}", &low[..10], &high[..10]),
        (Some((low, high)), _) => format!("{low} to {high}"),
        (None, ColumnKind::Text) => format!("{:.0} words on average", column.words),
        (None, ColumnKind::Identifier) => "each different".into(),
        (None, ColumnKind::Category) if column.values.is_empty() => {
            format!("{:.1} rows each on average", column.filled as f64 / column.distinct as f64)
        }
        _ => cut(&column.values.iter().map(|(value, _)| value.as_str()).collect::<Vec<_>>().join(", "), 34),
    }
}

impl Survey {
    fn show_ratings(&self, page: &mut Page) {
        let Some(name) = &self.found.rating else { return };
        page.heading(&format!("Ratings in `{name}`"));
        let total: usize = self.ratings.iter().map(|row| row.rows).sum();
        let most = self.ratings.iter().map(|row| row.rows).max().unwrap_or(0);
        let mut table = Table::new(&[
            ("value", Side::Right),
            ("rows", Side::Right),
            ("share", Side::Right),
            ("", Side::Left),
            ("under the rule", Side::Left),
        ]);
        for row in &self.ratings {
            let becomes = match (row.class, row.named) {
                (Some(polarity), _) => class(polarity),
                (None, true) => "left out".into(),
                (None, false) => "? not named by the rule".into(),
            };
            let cells = [row.value.clone(), number(row.rows), percent(row.rows, total)];
            let [value, rows, share] = cells;
            let style = row.class.map_or(DIM, style_of);
            let bar = paint(style, bar(row.rows as f64, most as f64, 24));
            table.row([value, rows, share, bar, becomes]);
        }
        table.put(page);
        let of = |polarity| {
            self.ratings.iter().filter(|row| row.class == Some(polarity)).map(|row| row.rows).sum::<usize>()
        };
        let (negative, positive) = (of(Polarity::Negative), of(Polarity::Positive));
        if negative + positive > 0 {
            page.note(&format!(
                "Calling every labelled row the larger class would be right in {}: the figure to beat.",
                percent(negative.max(positive), negative + positive)
            ));
        }
    }

    fn show_months(&self, page: &mut Page) {
        let Some(name) = &self.found.date else { return };
        let most = self.months.iter().map(|(_, rows)| *rows).max().unwrap_or(0);
        const STEPS: [char; 8] = ['▁', '▂', '▃', '▄', '▅', '▆', '▇', '█'];
        let step = |rows: usize| STEPS[(rows * 8).div_ceil(most.max(1)).clamp(1, 8) - 1];
        let line: String = self.months.iter().map(|(_, rows)| step(*rows)).collect();
        page.heading(&format!("Rows per month of `{name}`"));
        if let (Some((first, _)), Some((last, _))) = (self.months.first(), self.months.last()) {
            page.line(format!("  {first} {line} {last}   at most {} a month", number(most)));
        }
    }

    fn show_texts(&self, page: &mut Page) {
        if self.found.text.is_empty() {
            return;
        }
        let texts = &self.texts;
        page.heading(&format!("Texts in {}", self.found.text.join(" + ")));
        let [least, low, median, high, most] = texts.words;
        page.item(
            "words      ",
            &format!("{least} to {most}; half of the texts have {low} to {high}, the middle one {median}"),
        );
        page.item("empty      ", &number(texts.empty));
        page.item(
            "repeated   ",
            &format!("{} with the words of an earlier one", count(texts.repeated, "text")),
        );
        page.item(
            "conflicting",
            &format!("{} with different ratings", count(texts.conflicting, "equal text")),
        );
    }
}
