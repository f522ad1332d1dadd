//! Counts of parts: rows that any tool can add up, and what is made of their sum.

use heddle_core::labels::PerClass;
use heddle_core::settings::Study;
use heddle_core::terms::{Tally, TermTally, WordTally};
use heddle_files::{Column, Record, Reviews, find_column};

use crate::error::{Error, Result, fail};
use crate::roles::COUNTS;
use crate::session::Session;

const KIND: &str = "kind";
const TERM: &str = "term";
/// Numbers, each of which is added up over rows of the same kind and term, and what they are counted in.
const NUMBERS: [(&str, CountedIn); 8] = [
    ("negative", CountedIn::Wholes),
    ("positive", CountedIn::Wholes),
    ("neutral", CountedIn::Wholes),
    ("times_negative", CountedIn::Halves),
    ("times_positive", CountedIn::Halves),
    ("times_neutral", CountedIn::Halves),
    ("inside", CountedIn::Wholes),
    ("capital", CountedIn::Wholes),
];

#[derive(Clone, Copy)]
enum CountedIn {
    Wholes,
    /// What is conceded stands half a time; negated words may count against their plain form, so that a count is below 0.
    Halves,
}

impl CountedIn {
    /// A cell as such a count, if it is one; an empty cell is none at all.
    fn read(self, cell: &str) -> Option<f64> {
        let number: f64 = if cell.is_empty() { 0.0 } else { cell.parse().ok()? };
        let is_count = match self {
            Self::Wholes => number >= 0.0 && number.fract() == 0.0,
            Self::Halves => (2.0 * number).fract() == 0.0,
        };
        (number.is_finite() && is_count).then_some(number)
    }

    fn expected(self) -> &'static str {
        match self {
            Self::Wholes => "a whole number from 0",
            Self::Halves => "a whole number or a half",
        }
    }
}

/// A row of counts.
struct CountRow {
    kind: &'static str,
    term: String,
    numbers: [f64; NUMBERS.len()],
}

impl CountRow {
    fn of(kind: &'static str, term: &str, tally: TermTally) -> Self {
        let [negative, positive, neutral] = tally.reviews.map(|count| count as f64).into_array();
        let [often_negative, often_positive, often_neutral] = tally.times.into_array();
        let numbers = [negative, positive, neutral, often_negative, often_positive, often_neutral, 0.0, 0.0];
        Self { kind, term: term.into(), numbers }
    }

    fn tally(&self) -> TermTally {
        let [negative, positive, neutral, often_negative, often_positive, often_neutral, ..] = self.numbers;
        let reviews = [negative, positive, neutral].map(|count| count as u64);
        TermTally { reviews: reviews.into(), times: [often_negative, often_positive, often_neutral].into() }
    }
}

/// The settings that counts depend on, as a study writes them.
fn settings_of(study: &Study) -> Vec<String> {
    const SECTIONS: [&str; 4] = ["text.", "negation.", "polarity.", "reviews.fields"];
    const TERMS: [&str; 3] = ["terms.words", "terms.letters", "terms.stems"];
    let counts = |path: &str| SECTIONS.iter().any(|own| path.starts_with(own)) || TERMS.contains(&path);
    let all = study.settings().into_iter().filter(|(path, _)| counts(path));
    all.map(|(path, value)| format!("{path} = {value}")).collect()
}

/// Writes counts: settings, reviews, words, terms, each in the order of its spelling.
pub(super) fn write_tally(path: &str, tally: &Tally, session: &Session) -> Result<()> {
    let numbers = NUMBERS.iter().map(|(name, _)| Column::number(*name));
    let columns: Vec<Column> = [Column::text(KIND), Column::text(TERM)].into_iter().chain(numbers).collect();
    let mut writer = session.row_writer(COUNTS, path, &columns)?;
    let empty = TermTally { reviews: tally.empty, times: PerClass::default() };
    let settings = settings_of(session.study());
    let settings = settings.iter().map(|own| CountRow::of("setting", own, TermTally::default()));
    let reviews = [CountRow::of("reviews", "", tally.reviews), CountRow::of("empty", "", empty)];
    let words = tally.words.iter().map(|(word, WordTally { inside, capital })| {
        let mut row = CountRow::of("word", word, TermTally::default());
        [row.numbers[6], row.numbers[7]] = [*inside as f64, *capital as f64];
        row
    });
    let terms = tally.terms.iter().map(|(term, own)| CountRow::of("term", term, *own));
    for CountRow { kind, term, numbers } in settings.chain(reviews).chain(words).chain(terms) {
        let numbers = numbers.map(|number| number.to_string());
        writer.row([kind, &term].into_iter().chain(numbers.iter().map(String::as_str)))?;
    }
    writer.finish()?;
    Ok(())
}

/// Adds up the counts of files.
///
/// # Errors
/// A file that holds no counts, or those of other settings.
pub(crate) fn read_tally(paths: &[String], session: &Session) -> Result<Tally> {
    let mut tally = Tally::default();
    let mut settings: Option<(&str, Vec<String>)> = None;
    for path in paths {
        let own = read_part(path, session, &mut tally)?;
        match &settings {
            Some((first, others)) => check_settings((path, &own), (first, others), |_| true)?,
            None => settings = Some((path, own)),
        }
    }
    if let Some((path, own)) = &settings {
        // What the classes are made of, and which columns hold the text, is known of the reviews alone.
        let here = settings_of(session.study());
        check_settings((path, own), ("the study", &here), |setting| !setting.starts_with("polarity."))?;
    }
    Ok(tally)
}

/// Refuses counts under other settings.
fn check_settings(
    (path, own): (&str, &[String]),
    (other, others): (&str, &[String]),
    counts: impl Fn(&str) -> bool,
) -> Result<()> {
    let missing = |from: &'_ [String], all: &'_ [String]| {
        from.iter().find(|setting| counts(setting) && !all.contains(setting)).cloned()
    };
    let (Some(here), there) = (missing(own, others), missing(others, own)) else { return Ok(()) };
    fail!(
        Settings,
        "{path} was counted under `{here}`, and {other} has `{}`: counts of different settings cannot be added up; count \
         again, or name the setting with --set",
        there.unwrap_or_default()
    );
}

/// Adds the counts of a file; gives its settings.
fn read_part(path: &str, session: &Session, tally: &mut Tally) -> Result<Vec<String>> {
    let mut reviews = session.open_reviews(path)?;
    let find = |name: &str| {
        find_column(path, reviews.columns(), name).map_err(|error| {
            Error::from(error).during("counts of terms are written by heddle terms --counts-out")
        })
    };
    let (kind, term) = (find(KIND)?, find(TERM)?);
    let numbers = NUMBERS.map(|(name, _)| find(name));
    let mut places = [0; NUMBERS.len()];
    for (place, found) in places.iter_mut().zip(numbers) {
        *place = found?;
    }
    let (mut settings, mut seen) = (Vec::new(), false);
    let mut record = Record::new();
    while let Some(line) = next(&mut reviews, &mut record)? {
        let row = count_row((&record, line), (kind, term, &places), path)?;
        match row.kind {
            "setting" => settings.push(row.term),
            "reviews" => {
                seen = true;
                tally.add(Tally { reviews: row.tally(), ..Tally::default() });
            }
            "empty" => tally.add(Tally { empty: row.tally().reviews, ..Tally::default() }),
            "word" => {
                let all = tally.words.entry(row.term).or_default();
                let [.., inside, capital] = row.numbers;
                all.inside += inside as u64;
                all.capital += capital as u64;
            }
            _ => {
                let own = row.tally();
                let all = tally.terms.entry(row.term).or_default();
                (all.reviews, all.times) = (all.reviews.plus(own.reviews), all.times.plus(own.times));
            }
        }
    }
    if !seen {
        fail!(
            Reviews,
            "{path}: no row of the kind `reviews`: the file is not whole, or holds no counts of terms"
        );
    }
    Ok(settings)
}

/// The next row; none may be refused: a sum without it would be wrong.
fn next(reviews: &mut Reviews, record: &mut Record) -> Result<Option<u64>> {
    match reviews.next(record)? {
        None => Ok(None),
        Some(Ok(line)) => Ok(Some(line)),
        Some(Err(refusal)) => fail!(Reviews, "{refusal}: without this row the sum would be wrong"),
    }
}

fn count_row(
    (record, line): (&Record, u64),
    (kind, term, places): (usize, usize, &[usize]),
    path: &str,
) -> Result<CountRow> {
    const KINDS: [&str; 5] = ["setting", "reviews", "empty", "word", "term"];
    let Some(known) = KINDS.iter().find(|own| **own == &record[kind]) else {
        fail!(
            Reviews,
            "{path}, line {line}, column `{KIND}`: expected {}, found `{}`",
            KINDS.join(", "),
            &record[kind]
        );
    };
    let mut numbers = [0.0; NUMBERS.len()];
    for ((number, place), (name, counted)) in numbers.iter_mut().zip(places).zip(NUMBERS) {
        let cell = record[*place].trim();
        *number = counted.read(cell).ok_or_else(|| {
            let expected = counted.expected();
            Error::Reviews(format!(
                "{path}, line {line}, column `{name}`: expected {expected}, found `{cell}`"
            ))
        })?;
    }
    Ok(CountRow { kind: known, term: record[term].into(), numbers })
}
