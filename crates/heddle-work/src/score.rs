//! New reviews, scored row by row.

use heddle_core::labels::{ClassNames, Classes, Polarity, UNSURE};
use heddle_core::model::{Model, Score};
use heddle_core::resample::text_key;
use heddle_core::text::word_count;
use heddle_files::{Column, Record, STREAM, find_column};
use serde::Serialize;

use crate::batches::batches;
use crate::error::{Result, fail};
use crate::reviews::columns::{probability_columns, with_ours};
use crate::reviews::document::DocumentColumns;
use crate::reviews::found::{Needs, with_found};
use crate::reviews::refusals::Refusals;
use crate::roles::SCORED;
use crate::scoring::{open, score_each, warn_unvalidated};
use crate::session::Session;
use crate::words::count;

/// A review with this share of unknown words, or more, is flagged.
const MOSTLY_UNKNOWN: f64 = 0.5;

/// Which model scores which reviews.
#[derive(Debug, Clone, Default)]
pub struct ScoreOptions {
    /// The model file.
    pub model: String,
    /// The reviews; "-" is standard input.
    pub file: String,
    /// Where the scored rows go; standard output where it is not said.
    pub out: Option<String>,
    /// The columns of the file that are kept; all where none is named.
    pub columns: Vec<String>,
    /// How classes are written.
    pub called: Called,
    /// The decimals of a probability; all that it has where nothing is said.
    pub decimals: Option<usize>,
    /// Whether the log-odds of positive are written too.
    pub log_odds: bool,
}

/// How many reviews were called what.
#[derive(Debug, Default, Serialize)]
pub struct Scored {
    /// The model file.
    pub model: String,
    /// What the classes are called, where the analyst has names of their own for them.
    #[serde(rename = "class_names", skip_serializing_if = "ClassNames::are_usual")]
    pub names: ClassNames,
    /// Rows in the file: `scored` + `refused`.
    pub read: usize,
    /// Rows that were scored.
    pub scored: usize,
    /// Rows that could not be used.
    pub refused: usize,
    /// Reviews called negative.
    pub negative: usize,
    /// Reviews called neutral, where the model has such a class.
    pub neutral: usize,
    /// Reviews called positive.
    pub positive: usize,
    /// Reviews that are not called: those without a known term, and those within the band of the
    /// unsure.
    pub unsure: usize,
    /// Reviews that the model has learnt from.
    pub learnt_from: usize,
    /// Reviews without a known term.
    pub no_known_term: usize,
    /// Reviews of which at least half of the words are unknown to the model.
    pub mostly_unknown: usize,
    /// Reviews that have a category which training saw rarely, or never, in a column that the model uses.
    pub unfamiliar: usize,
    /// Where the scored rows went, unless it is standard output.
    pub written: Option<String>,
}

/// Gives each row of a file its class and probabilities, in the order of the file.
///
/// # Errors
/// Files that cannot be read or written, or columns that are not there.
pub fn score(session: &Session, options: &ScoreOptions) -> Result<Scored> {
    let (model, session) = open(&options.model, session)?;
    let (classes, names) = (model.classes(), session.study().class_names());
    options.called.check(classes, &names)?;
    let session = match options.file.as_str() {
        STREAM => session, // what comes from there comes once
        file => with_found(&session, &session.input(&[file.to_string()])?, Needs::Text)?,
    };
    let mut reviews = session.open_reviews(&options.file)?;
    let columns = DocumentColumns::find(reviews.file(), reviews.columns(), session.study())?;
    warn_unvalidated(&model, &session);
    let kept: Vec<usize> = match options.columns.is_empty() {
        true => (0..reviews.columns().len()).collect(),
        false => {
            let place = |name: &String| find_column(reviews.file(), reviews.columns(), name);
            options.columns.iter().map(place).collect::<Result<_, _>>()?
        }
    };
    let odds = options.log_odds.then(|| Column::number("log_odds"));
    let ours = [Column::text("polarity")]
        .into_iter()
        .chain(odds)
        .chain(probability_columns(classes, &names))
        .chain([Column::text("verdict")]);
    let theirs: Vec<Column> = kept.iter().map(|&at| reviews.columns()[at].clone()).collect();
    let header = with_ours(&theirs, ours);
    let target = options.out.as_deref().unwrap_or(STREAM);
    let mut writer = session.row_writer(SCORED, target, &header)?;
    let mut scored = Scored {
        model: options.model.clone(),
        names: names.clone(),
        written: options.out.clone(),
        ..Scored::default()
    };
    let mut refusals = Refusals::new(&session)?;
    let task = session.busy("scoring");
    batches(
        |record| Ok(refusals.next(&mut reviews, record)?.is_some()),
        |rows| judge(&model, rows, &columns),
        |rows, judged| {
            for (row, judged) in rows.iter().zip(judged) {
                scored.add(&judged);
                let added = added(&judged.score, (classes, &names), options);
                writer.row(kept.iter().map(|&at| &row[at]).chain(added.iter().map(String::as_str)))?;
            }
            Ok(())
        },
    )?;
    task.end();
    writer.finish()?;
    session.tell_manners(&reviews.manners());
    scored.refused = refusals.finish()?;
    scored.read = scored.scored + scored.refused;
    Ok(scored)
}

/// What a model says of a row.
struct Judged {
    score: Score,
    mostly_unknown: bool,
    learnt_from: bool,
    unfamiliar: bool,
}

/// Scores rows on all threads, in order.
fn judge(model: &Model, rows: &[Record], columns: &DocumentColumns) -> Vec<Judged> {
    score_each(model, rows, |scorer, row| {
        let text = columns.document(|at| &row[at]);
        let score = scorer.score_document(&text);
        let words = word_count(text.text());
        let mostly_unknown = words > 0 && score.unknown as f64 >= MOSTLY_UNKNOWN * words as f64;
        let learnt_from = !model.learnt().is_empty() && model.learnt().hold(text_key(text.text()));
        Judged { score, mostly_unknown, learnt_from, unfamiliar: scorer.unfamiliar() > 0 }
    })
}

fn added(score: &Score, (classes, names): (Classes, &ClassNames), options: &ScoreOptions) -> Vec<String> {
    let called = options.called.of(score.polarity(), names);
    let mut cells = vec![called.to_string()];
    if options.log_odds {
        cells.push(score.verdict.log_odds.to_string());
    }
    let probability = |class: &Polarity| {
        let probability = score.verdict.probability(*class);
        options.decimals.map_or(probability.to_string(), |decimals| format!("{probability:.decimals$}"))
    };
    cells.extend(classes.list().iter().map(probability));
    // The model knows nothing of the review, or may not call it.
    cells.push(if score.is_sure() { called } else { options.called.unsure() }.into());
    cells
}

/// How classes are written.
#[derive(Debug, Clone, PartialEq, Eq, Default)]
pub enum Called {
    /// By their names.
    #[default]
    Name,
    /// As "-", "+" and "0"; unsure is "?".
    Sign,
    /// As -1, 1 and 0; unsure is blank.
    Number,
    /// By codes of the analyst's own, one for each class of the model in the order of every table; unsure is blank.
    Codes(Vec<String>),
}

impl Called {
    fn check(&self, classes: Classes, names: &ClassNames) -> Result<()> {
        let list = classes.list();
        if let Self::Codes(codes) = self
            && codes.len() != list.len()
        {
            let names: Vec<&str> = list.iter().map(|class| names.of(*class)).collect();
            fail!(
                Options,
                "--called names {}, and the model tells {} classes apart: give a code for each of {}",
                count(codes.len(), "code"),
                list.len(),
                names.join(", ")
            );
        }
        Ok(())
    }

    fn of<'s>(&'s self, class: Polarity, names: &'s ClassNames) -> &'s str {
        let [sign, number] = match class {
            Polarity::Negative => ["-", "-1"],
            Polarity::Neutral => ["0", "0"],
            Polarity::Positive => ["+", "1"],
        };
        match self {
            Self::Name => names.of(class),
            Self::Sign => sign,
            Self::Number => number,
            // Two classes have no code for the one between them.
            Self::Codes(codes) => match class {
                Polarity::Negative => &codes[0],
                Polarity::Neutral => &codes[1],
                Polarity::Positive => &codes[codes.len() - 1],
            },
        }
    }

    fn unsure(&self) -> &'static str {
        match self {
            Self::Name => UNSURE,
            Self::Sign => "?",
            Self::Number | Self::Codes(_) => "",
        }
    }
}

impl Scored {
    fn add(&mut self, Judged { score, mostly_unknown, learnt_from, unfamiliar }: &Judged) {
        self.unfamiliar += usize::from(*unfamiliar);
        self.scored += 1;
        match score.polarity() {
            _ if !score.is_sure() => self.unsure += 1,
            Polarity::Negative => self.negative += 1,
            Polarity::Neutral => self.neutral += 1,
            Polarity::Positive => self.positive += 1,
        }
        self.no_known_term += usize::from(score.terms == 0);
        self.mostly_unknown += usize::from(*mostly_unknown);
        self.learnt_from += usize::from(*learnt_from);
    }
}
