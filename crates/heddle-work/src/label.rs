//! From ratings to classes.

use std::collections::HashMap;

use heddle_core::labels::Polarity;
use heddle_core::survey::Reservoir;
use heddle_files::{About, Column, Holds, Manner, Record, Role, find_column};
use serde::Serialize;

use crate::doubts::Corrections;
use crate::error::{Result, fail};
use crate::reviews::columns::{LabelledColumns, replaces};
use crate::reviews::found::{Needs, with_found};
use crate::reviews::keep::narrowed;
use crate::reviews::labelling::{Account, Labelling, RowOutcome, ValueRow, check_settled};
use crate::reviews::refusals::Refusals;
use crate::session::Session;

/// How reviews are labelled.
#[derive(Debug, Clone, Default)]
pub struct LabelOptions {
    /// The review files; those of the study where there are none.
    pub files: Vec<String>,
    /// Where labelled rows go, if anywhere.
    pub out: Option<String>,
    /// A file with the ratings, joined by id.
    pub ratings: Option<String>,
    /// A file of doubtful labels that were corrected.
    pub corrections: Option<String>,
    /// How many reviews of each class are drawn to be looked at.
    pub samples: usize,
}

/// What labelling found.
#[derive(Debug, Serialize)]
pub struct Labelled {
    /// The rule for classes, in words.
    pub rule: String,
    /// The column of the rating.
    pub rated: String,
    /// What became of every row.
    pub account: Account,
    /// By value of the rating: what it becomes.
    pub values: Vec<ValueRow>,
    /// Reviews drawn at random, by class.
    pub samples: Vec<Sampled>,
    /// How each file was read.
    pub manners: Vec<Manner>,
    /// Ratings that were corrected.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub corrected: Option<usize>,
    /// Where it was written, if anywhere.
    pub written: Option<String>,
}

/// A random review of a class.
#[derive(Debug, Serialize)]
pub struct Sampled {
    /// The class.
    pub class: Polarity,
    /// The file that it stands in.
    pub file: String,
    /// The number of its row in that file.
    pub row: u64,
    /// Its id, where the study names the column.
    pub id: Option<String>,
    /// The line that it begins on.
    pub line: u64,
    /// The text as it is written.
    pub text: String,
}

/// Labels reviews row by row; writes the labelled rows if asked.
///
/// # Errors
/// Files that cannot be read, columns that are not there, or ratings that the rule does not name.
pub fn label(session: &Session, options: &LabelOptions) -> Result<Labelled> {
    let input = &session.input(&options.files)?;
    let needs = if options.ratings.is_some() { Needs::TEXT } else { Needs::LABELS };
    let session = &with_found(session, input, needs)?;
    let study = session.study();
    let mut refusals = Refusals::new(session)?;
    let ratings =
        options.ratings.as_ref().map(|path| Ratings::read(path, session, &mut refusals)).transpose()?;
    let elsewhere = refusals.count();
    let mut reviews = narrowed(input.clone(), study).rows()?;
    let mut columns = reviews.columns().to_vec();
    let joined = ratings.as_ref().map(|ratings| ratings.enter(reviews.file(), &mut columns)).transpose()?;
    if options.out.is_some() {
        check_settled(study)?;
    }
    study.open.iter().for_each(|question| session.remark(&format!("still open: {question} (polarity.open)")));
    let mut labelling = Labelling::of_open(reviews.file(), &columns, study)?;
    let target = LabelledColumns::new(&columns, replaces(input, study)?, study.class_names());
    let named = study.reviews.id.as_ref().and_then(|id| columns.iter().position(|column| column.name == *id));
    let rated = find_column(reviews.file(), &columns, study.reviews.rated())?;
    let several = input.names().count() > 1;
    let named_by = study.reviews.id.as_deref().filter(|_| named.is_some()).unwrap_or("row");
    let read = |path: &String| Corrections::read(path, named_by, session);
    let mut corrections = options.corrections.as_ref().map(read).transpose()?;
    let mut writer = options
        .out
        .as_ref()
        .map(|path| session.row_writer(Role::Part, path, target.columns()))
        .transpose()?;
    let mut samples = Polarity::ALL.map(|_| Reservoir::new(options.samples, study.validation.seed));
    let task = session.busy("labelling");
    let mut record = Record::new();
    while let Some(line) = refusals.next(&mut reviews, &mut record)? {
        if let (Some(ratings), Some(id)) = (&ratings, joined) {
            let rating = ratings.of(&record[id]).to_string();
            record.push_field(&rating);
        }
        let file = reviews.file();
        let corrected = match &mut corrections {
            Some(corrections) => {
                let name = match (named, several) {
                    (Some(at), _) => record[at].to_string(),
                    (None, true) => format!("{file}:{}", reviews.number()),
                    (None, false) => reviews.number().to_string(),
                };
                corrections.of(&name).map(String::from)
            }
            None => None,
        };
        let cell = |at: usize| match &corrected {
            Some(rating) if at == rated => rating.as_str(),
            _ => &record[at],
        };
        let RowOutcome::Labelled(class) = labelling.take(cell, file, line)? else { continue };
        samples[class.index()].offer(|| Sampled {
            class,
            file: file.into(),
            row: reviews.number(),
            id: named.map(|at| record[at].to_string()),
            line,
            text: labelling.join(|at| &record[at]).into_owned(),
        });
        if let Some(writer) = &mut writer {
            writer.row(target.cells(&record, class))?;
        }
    }
    task.end();
    let manners = reviews.manners();
    session.tell_manners(&manners);
    let (account, values) = labelling.finish(refusals.finish()? - elsewhere)?;
    if let (Some(path), Some(writer)) = (&options.out, writer) {
        let sources = input.origins()?;
        let written = writer.finish()?;
        let mut about = About::new(Holds::Labelled, study, sources, &written, account.mix());
        about.rule = study.rule(account.by_name);
        about.put_beside(session.outputs(), path)?;
    }
    Ok(Labelled {
        rule: study.rule(account.by_name),
        rated: study.reviews.rated().into(),
        account,
        values,
        samples: samples.into_iter().flat_map(Reservoir::into_kept).collect(),
        manners,
        corrected: corrections.map(Corrections::finish).transpose()?,
        written: options.out.clone(),
    })
}

/// Ratings from a file of their own, by id.
struct Ratings {
    file: String,
    id: String,
    column: String,
    by_id: HashMap<String, String>,
}

impl Ratings {
    fn read(path: &str, session: &Session, refusals: &mut Refusals<'_>) -> Result<Self> {
        let study = session.study();
        let Some(id) = &study.reviews.id else {
            fail!(
                Settings,
                "--ratings joins by id: name the column that both files have, as in --set reviews.id=review_id"
            );
        };
        let mut reviews = session.open_reviews(path)?;
        let column = study.reviews.rated().to_string();
        let key = find_column(reviews.file(), reviews.columns(), id)?;
        let rated = find_column(reviews.file(), reviews.columns(), &column)?;
        let mut by_id = HashMap::new();
        let mut record = Record::new();
        while let Some(line) = refusals.next(&mut reviews, &mut record)? {
            let before = by_id.insert(record[key].to_string(), record[rated].to_string());
            if before.is_some_and(|before| before != record[rated]) {
                fail!(Reviews, "{path}, line {line}: the id `{}` has two ratings", &record[key]);
            }
        }
        Ok(Self { file: path.into(), id: id.clone(), column, by_id })
    }

    /// Puts the rating behind the columns of the reviews; gives the place of the id.
    fn enter(&self, file: &str, columns: &mut Vec<Column>) -> Result<usize> {
        let id = find_column(file, columns, &self.id)?;
        if columns.iter().any(|column| column.name == self.column) {
            fail!(
                Reviews,
                "both {file} and {} have a column `{}`: which one counts?",
                self.file,
                self.column
            );
        }
        columns.push(Column::text(&self.column));
        Ok(id)
    }

    /// The rating of an id; blank where there is none.
    fn of(&self, id: &str) -> &str {
        self.by_id.get(id).map_or("", String::as_str)
    }
}
