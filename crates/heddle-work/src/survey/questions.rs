//! What only the analyst can say.

use heddle_core::labels::Scale;
use heddle_core::settings::Study;
use heddle_core::survey::{ColumnProfile, LanguageShare, Oddity};

use super::columns::FoundColumns;
use super::contents::{RatingRow, Texts};
use super::profile::Columns;
use crate::reviews::unnamed::question;
use crate::words::{count, listed, number};

/// Repeats are asked about in files of so many texts.
const ENOUGH_TEXTS: usize = 50;
/// More values that the rule does not name are asked about together.
const MOST_UNNAMED: usize = 6;
/// Languages that may make up less than this share are not asked about.
const FEW_FOREIGN: f64 = 0.01;

/// What only the analyst can say.
pub fn questions(
    looked: &Columns,
    found: &FoundColumns,
    (rating, texts): (&[String], &Texts),
    languages: &[LanguageShare],
    study: &Study,
) -> Vec<String> {
    let mut questions = Vec::new();
    about_columns(&looked.profiles, found, study, &mut questions);
    questions.extend(rating.iter().cloned());
    about_dates(&looked.profiles, found, &mut questions);
    about_files(looked, &mut questions);
    about_texts(texts, languages, &mut questions);
    questions
}

/// What the ratings mean, as far as they do not say it themselves: of the scale as a whole, and of values outside it.
pub fn about_rating(scale: Option<&Scale>, ratings: &[RatingRow]) -> Vec<String> {
    let of_scale = scale.and_then(|scale| scale.question.as_ref());
    let of_scale = of_scale.map(|question| format!("{question} (polarity.negative, polarity.positive)"));
    let unnamed: Vec<&RatingRow> = ratings.iter().filter(|row| !row.named).collect();
    if unnamed.len() > MOST_UNNAMED {
        let values: Vec<&str> = unnamed.iter().map(|row| row.value.as_str()).collect();
        return vec![format!(
            "Which values are negative, which positive? {} are not named: {}. (polarity.negative, polarity.positive)",
            number(unnamed.len()),
            listed(&values, MOST_UNNAMED)
        )];
    }
    of_scale.into_iter().chain(unnamed.iter().map(|row| question(&row.value, row.rows))).collect()
}

fn about_columns(
    columns: &[ColumnProfile],
    found: &FoundColumns,
    study: &Study,
    questions: &mut Vec<String>,
) {
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
}

fn about_dates(columns: &[ColumnProfile], found: &FoundColumns, questions: &mut Vec<String>) {
    let dated = columns.iter().find(|column| Some(&column.name) == found.date.as_ref());
    let Some((column, dates)) = dated.and_then(|column| Some((column, column.dates.as_ref()?))) else {
        return;
    };
    let name = &column.name;
    if dates.forms.len() > 1 {
        let forms: Vec<String> = dates
            .forms
            .iter()
            .map(|(form, rows)| format!("{} as {}", count(*rows, "date"), form.example()))
            .collect();
        questions.push(format!(
            "`{name}` is written in {} ways: {}. One export, or several put together?",
            forms.len(),
            forms.join(", ")
        ));
    }
    if dates.turned > 0 {
        questions.push(format!(
            "{} of `{name}` can only be read with day and month the other way round. (reviews.dates)",
            count(dates.turned, "date")
        ));
    } else if dates.ambiguous > 0 && dates.ambiguous == column.filled - column.misfits {
        questions.push(format!(
            "Does 3/4/2025 in `{name}` mean the third of April or the fourth of March? (reviews.dates)"
        ));
    }
    if column.misfits > 0 {
        questions.push(format!(
            "{} of `{name}` cannot be read as a date. What are they?",
            count(column.misfits, "cell")
        ));
    }
}

fn about_files(looked: &Columns, questions: &mut Vec<String>) {
    for manner in &looked.manners {
        if let Some(span) = manner.first_suspicious {
            questions.push(format!(
                "{}: the row on line {} takes {} lines. Is a quote left open, or are quotes ordinary characters? (reviews.quotes)",
                manner.file, span.line, span.lines
            ));
        }
    }
}

fn about_texts(texts: &Texts, languages: &[LanguageShare], questions: &mut Vec<String>) {
    if let [main, others @ ..] = languages
        && let (Some(share), Some(high)) = (main.share.value, main.share.high)
        && 1.0 - high >= FEW_FOREIGN
    {
        let names: Vec<&str> = others.iter().take(3).map(|other| other.language).collect();
        questions.push(format!(
            "About {:.0} % of the texts are not in {} ({}). Should one model learn from all of them, each read by the tables \
             of its language (text.languages), or are some to be left out (reviews.keep)?",
            100.0 * (1.0 - share),
            main.language,
            names.join(", ")
        ));
    }
    if texts.conflicting > 0 {
        questions.push(format!(
            "{} with different ratings: which rating counts? One of each pair is called wrong whatever a model says.",
            count(texts.conflicting, "equal text") + if texts.conflicting == 1 { " stands" } else { " stand" }
        ));
    }
    if texts.filled >= ENOUGH_TEXTS && texts.repeated + texts.near > texts.filled / 10 {
        questions.push(format!(
            "{} of {} texts stand in the file before, and {} nearly do: are these templates, or one export twice? \
             Splits keep them on one side (validation.alike).",
            number(texts.repeated),
            number(texts.filled),
            number(texts.near)
        ));
    }
    if let Some(odd) = texts.oddities.iter().find(|odd| odd.what == Oddity::WronglyDecoded) {
        questions.push(format!(
            "{} decoded wrongly before this (first: {}{}). Can the reviews be exported again?",
            count(odd.texts, "text") + if odd.texts == 1 { " was" } else { " were" },
            odd.first,
            odd.sign
                .as_ref()
                .map_or(String::new(), |sign| format!(", where {sign} stands for another character"))
        ));
    }
}
