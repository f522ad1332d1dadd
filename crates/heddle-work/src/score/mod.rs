//! New reviews, scored row by row.

mod called;
mod judged;
mod vote;

use heddle_core::Choice;
use heddle_core::labels::{ClassNames, Classes, Polarity};
use heddle_core::measure::Verdict;
use heddle_core::model::{Model, VoteBy};
use heddle_core::text::Language;
use heddle_files::{Column, Record, Reviews, STREAM, find_column};
use serde::Serialize;

use crate::batches::{BATCH, Done, Sound, batches};
use crate::error::Result;
use crate::reviews::columns::{probability_columns, with_ours};
use crate::reviews::document::DocumentColumns;
use crate::reviews::found::{Needs, with_found};
use crate::reviews::refusals::Refusals;
use crate::roles::SCORED;
use crate::scoring::{open, warn_unvalidated};
use crate::session::Session;

pub use called::Called;
use judged::judge_rows;
pub use judged::{Judged, Reason, judge};

/// The decimals of a probability where rows are written for people and nothing else is asked for.
pub const USUAL_DECIMALS: usize = 6;

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
    /// Whether it is written what to mind in a row: that the model knows no term of it, or few of its words, or has learnt from it.
    pub flags: bool,
    /// How many words are written that speak most for the verdict.
    pub reasons: usize,
    /// How the copies of a review vote on it; where it is not said, each row is scored for itself.
    pub vote: Option<VoteBy>,
}

/// How many reviews were called what.
#[derive(Debug, Default, Serialize)]
pub struct Scored {
    /// The model file.
    pub model: String,
    /// What the classes are called, where the analyst has names of their own for them.
    #[serde(rename = "class_names", skip_serializing_if = "ClassNames::are_usual")]
    pub names: ClassNames,
    /// Rows in the file: `scored` + `copies` + `refused`.
    pub read: usize,
    /// Reviews that were scored, each in a row of its own.
    pub scored: usize,
    /// Rows that voted on the review that they are copies of, where copies vote.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub copies: Option<usize>,
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
    score_with(&model, &session, options)
}

/// The same with a model that is open, and a session of its settings.
pub fn score_with(model: &Model, session: &Session, options: &ScoreOptions) -> Result<Scored> {
    let (classes, names) = (model.classes(), session.study().class_names());
    options.called.check(classes, &names)?;
    let session = match options.file.as_str() {
        STREAM => session.clone(), // what comes from there comes once
        file => with_found(session, &session.input(&[file.to_string()])?, Needs::TEXT)?,
    };
    let mut scored = Scored {
        model: options.model.clone(),
        names: names.clone(),
        written: options.out.clone(),
        ..Scored::default()
    };
    if let Some(by) = options.vote {
        vote::score(model, (&session, options), by, &mut scored)?;
        return Ok(scored);
    }
    let mut reviews = session.open_reviews(&options.file)?;
    let columns = DocumentColumns::find(reviews.file(), reviews.columns(), session.study())?;
    warn_unvalidated(model, &session);
    let cells = Cells::new(&reviews, model, names, options)?;
    let mut writer = session.row_writer(SCORED, options.target(), &cells.header(options.more()))?;
    let mut refusals = Refusals::new(&session)?;
    let task = session.busy("scoring");
    batches(
        BATCH,
        Sound { reviews: &mut reviews, refusals: &mut refusals },
        |rows| judge_rows(model, rows, (&columns, options.reasons)),
        |made| {
            let Done::Batch(rows, judged) = made else { return Ok(writer.flush()?) };
            for (row, judged) in rows.iter().zip(judged) {
                scored.add(&judged);
                let mut added = cells.added(&judged.score.verdict, judged.language);
                added.extend(options.flags.then(|| judged.flags().join("; ")));
                added.extend((options.reasons > 0).then(|| judged.told_reasons()));
                writer.row(cells.kept(row).chain(added.iter().map(String::as_str)))?;
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

impl ScoreOptions {
    /// Where the scored rows go.
    fn target(&self) -> &str {
        self.out.as_deref().unwrap_or(STREAM)
    }

    /// The columns behind the verdict that are asked for.
    fn more(&self) -> Vec<Column> {
        let flags = self.flags.then(|| Column::text("flags"));
        flags.into_iter().chain((self.reasons > 0).then(|| Column::text("reasons"))).collect()
    }
}

/// The cells of scored rows: those of the file that are kept, and ours behind them.
struct Cells<'o> {
    options: &'o ScoreOptions,
    classes: Classes,
    names: ClassNames,
    kept: Vec<usize>,
    theirs: Vec<Column>,
    /// Whether the language is written by which a text was read.
    tells_language: bool,
}

impl<'o> Cells<'o> {
    fn new(reviews: &Reviews, model: &Model, names: ClassNames, options: &'o ScoreOptions) -> Result<Self> {
        let kept: Vec<usize> = match options.columns.is_empty() {
            true => (0..reviews.columns().len()).collect(),
            false => {
                let place = |name: &String| find_column(reviews.file(), reviews.columns(), name);
                options.columns.iter().map(place).collect::<std::result::Result<_, _>>()?
            }
        };
        let theirs = kept.iter().map(|&at| reviews.columns()[at].clone()).collect();
        let tells_language = model.study().text.languages.len() > 1;
        Ok(Self { options, classes: model.classes(), names, kept, theirs, tells_language })
    }

    /// The columns, with some more behind ours.
    fn header(&self, more: Vec<Column>) -> Vec<Column> {
        let odds = self.options.log_odds.then(|| Column::number("log_odds"));
        let language = self.tells_language.then(|| Column::text("language"));
        let ours = [Column::text("polarity")]
            .into_iter()
            .chain(odds)
            .chain(probability_columns(self.classes, &self.names))
            .chain([Column::text("verdict")])
            .chain(language)
            .chain(more);
        with_ours(&self.theirs, ours)
    }

    fn kept<'r>(&'r self, row: &'r Record) -> impl Iterator<Item = &'r str> {
        self.kept.iter().map(|&at| &row[at])
    }

    fn added(&self, verdict: &Verdict, language: Language) -> Vec<String> {
        let Self { options, classes, names, .. } = self;
        let called = options.called.of(verdict.called, names);
        let mut cells = vec![called.to_string()];
        if options.log_odds {
            cells.push(verdict.log_odds.to_string());
        }
        let probability = |class: &Polarity| {
            let probability = verdict.probability(*class);
            options.decimals.map_or(probability.to_string(), |decimals| format!("{probability:.decimals$}"))
        };
        cells.extend(classes.list().iter().map(probability));
        // The model knows nothing of the review, or may not call it.
        cells.push(if verdict.sure { called } else { options.called.unsure() }.into());
        if self.tells_language {
            cells.push(language.name().into());
        }
        cells
    }
}

impl Scored {
    fn add(&mut self, judged: &Judged) {
        self.count(&judged.score.verdict);
        self.no_known_term += usize::from(judged.score.terms == 0);
        self.flag(judged);
    }

    fn count(&mut self, verdict: &Verdict) {
        self.scored += 1;
        match verdict.called {
            _ if !verdict.sure => self.unsure += 1,
            Polarity::Negative => self.negative += 1,
            Polarity::Neutral => self.neutral += 1,
            Polarity::Positive => self.positive += 1,
        }
    }

    fn flag(&mut self, Judged { mostly_unknown, learnt_from, unfamiliar, .. }: &Judged) {
        self.unfamiliar += usize::from(*unfamiliar);
        self.mostly_unknown += usize::from(*mostly_unknown);
        self.learnt_from += usize::from(*learnt_from);
    }
}
