//! Columns that nobody named: what the file itself tells.

use heddle_core::labels::{Polarity, Rule};
use heddle_core::settings::Value;
use heddle_core::survey::{ColumnProfile, Profiler};
use heddle_files::{Column, Input, Record};

use crate::error::{Result, fail};
use crate::reviews::unnamed::{rule_as_settings, scale_of};
use crate::session::Session;
use crate::survey::columns::{ratings, texts};
use crate::words::{as_sets, shell};

/// So many rows tell what columns hold.
const LOOK: usize = 2000;
/// A text is the one meant if it has so many times the words of the others.
const MUCH_LONGER: f64 = 3.0;

/// Which columns are needed.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Needs {
    pub text: bool,
    pub rating: bool,
}

impl Needs {
    /// The text and the rating.
    pub const LABELS: Self = Self { text: true, rating: true };
    /// The text alone.
    pub const TEXT: Self = Self { text: true, rating: false };
}

/// The session with the columns that the files themselves tell, where the study names none and the usual ones are
/// not there. Says what was taken for what, and how to make it explicit.
///
/// # Errors
/// If several columns are as likely, or the files cannot be read.
pub fn with_found(session: &Session, input: &Input, needs: Needs) -> Result<Session> {
    let reviews = &session.study().reviews;
    let columns = input.rows()?.columns().to_vec();
    let has = |name: &str| columns.iter().any(|column| column.name == name);
    let no_text = needs.text && !session.names("reviews.text") && !reviews.text.iter().all(|name| has(name));
    let unrated = !session.names("reviews.stars") && !session.names("reviews.label") && !has(reviews.rated());
    let no_rating = needs.rating && unrated;
    if !no_text && !no_rating {
        return Ok(session.clone());
    }
    let profiles = profiles(input, &columns, session)?;
    let (mut settings, mut flags, mut told) = (Vec::new(), Vec::new(), Vec::new());
    if no_text && let Some(column) = the_text(&profiles)? {
        settings.push(format!("reviews.text={}", Value::List(vec![column.name.clone()])));
        flags.push(format!("--text {}", shell(&column.name)));
        told.push(format!("`{}` for the text", column.name));
    }
    if no_rating && let Some(column) = the_rating(&ratings(&profiles, session.study()))? {
        settings.push(format!("reviews.stars={}", Value::Text(column.name.clone())));
        flags.push(format!("--stars {}", shell(&column.name)));
        told.push(format!("`{}` for the rating", column.name));
        let values = column.values.iter().map(|(value, rows)| (value.as_str(), *rows));
        if let Some(scale) = scale_of(values, session.study()).filter(|scale| scale.question.is_none())
            && scale.rule != Rule::default()
        {
            let rule = rule_as_settings(&scale.rule);
            flags.push(as_sets(&rule));
            told.push(format!("its values as {}", scale.rule));
            settings.extend(rule);
        }
    }
    if settings.is_empty() {
        return Ok(session.clone()); // the error that follows names the columns that are there
    }
    session.remark(&format!("note: took {}; to say so yourself: {}", told.join(", "), flags.join(" ")));
    session.with(&settings)
}

/// As [`with_found`] for labels, unless the columns themselves are what is varied.
///
/// # Errors
/// As [`with_found`].
pub fn with_found_unless_varied(session: &Session, input: &Input, varied: &[String]) -> Result<Session> {
    match varied.iter().any(|setting| setting.starts_with("reviews.")) {
        true => Ok(session.clone()),
        false => with_found(session, input, Needs::LABELS),
    }
}

/// What the first rows tell of each column.
fn profiles(input: &Input, columns: &[Column], session: &Session) -> Result<Vec<ColumnProfile>> {
    let study = session.study();
    let mut profilers: Vec<Profiler> =
        columns.iter().map(|_| Profiler::new(study.reviews.dates, study.validation.seed)).collect();
    let (mut reviews, mut record) = (input.rows()?, Record::new());
    for _ in 0..LOOK {
        if reviews.next_sound(&mut record)?.is_none() {
            break;
        }
        profilers.iter_mut().zip(&record).for_each(|(profiler, cell)| profiler.add(cell));
    }
    Ok(profilers.into_iter().zip(columns).map(|(profiler, column)| profiler.finish(&column.name)).collect())
}

/// The column that is taken for the text, if there is one; an error if others are as likely.
fn the_text(columns: &[ColumnProfile]) -> Result<Option<&ColumnProfile>> {
    if let [only] = columns {
        return Ok(Some(only));
    }
    let texts = texts(columns);
    let mut longest: Vec<&ColumnProfile> = texts.clone();
    longest.sort_by(|a, b| b.words.total_cmp(&a.words));
    match longest[..] {
        [] => Ok(None),
        [only] => Ok(Some(only)),
        [first, second, ..] if first.words >= MUCH_LONGER * second.words => Ok(Some(first)),
        _ => {
            let flags: Vec<String> =
                texts.iter().map(|column| format!("--text {}", shell(&column.name))).collect();
            fail!(
                Options,
                "several columns may hold the text: say which, {}; or several, to be read together: {}",
                flags.join(", or "),
                flags.join(" ")
            );
        }
    }
}

/// The column that is taken for the rating, if there is one; an error if others are as likely.
fn the_rating<'a>(ratings: &[&'a ColumnProfile]) -> Result<Option<&'a ColumnProfile>> {
    // The names of classes mean themselves: where they stand, nothing need be decided.
    let named = |(value, _): &(String, usize)| {
        Polarity::ALL.into_iter().any(|class| value.eq_ignore_ascii_case(class.name()))
    };
    if let Some(labels) = ratings.iter().find(|column| column.values.iter().all(named)) {
        return Ok(Some(labels));
    }
    match ratings {
        [] => Ok(None),
        [only] => Ok(Some(only)),
        several => {
            let flags: Vec<String> =
                several.iter().map(|column| format!("--stars {}", shell(&column.name))).collect();
            fail!(Options, "several columns may hold the rating: say which, {}", flags.join(", or "));
        }
    }
}
