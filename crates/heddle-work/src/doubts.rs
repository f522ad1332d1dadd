//! Labels that the words contradict.

use std::collections::{HashMap, HashSet};

use heddle_core::explain::{DoubtedLabel, Doubts, doubts as doubt_labels, explain_document};
use heddle_core::labels::Polarity;
use heddle_core::measure::{Figure, share};
use heddle_core::model::Model;
use heddle_core::validate::Validation;
use heddle_files::{Column, Record, find_column};
use serde::Serialize;

use crate::error::{Result, fail};
use crate::reviews::found::{Needs, with_found};
use crate::reviews::labelled::{Kept, LabelledReviews, Purpose};
use crate::reviews::labelling::Account;
use crate::reviews::names::RowNames;
use crate::roles::DOUBTS;
use crate::session::Session;
use crate::training::TrainingSet;

/// The column of a file of doubts that the analyst fills in.
pub const CORRECTION: &str = "correction";
/// Words that speak against a label, of each doubtful one.
const WORDS: usize = 4;
/// So many of the most doubtful labels are held against a list of those known to be wrong.
const LOOKS: [usize; 5] = [10, 25, 50, 100, 250];

/// Which labels are doubted.
#[derive(Debug, Clone, Default)]
pub struct DoubtsOptions {
    /// The review files; those of the study where there are none.
    pub files: Vec<String>,
    /// Where the doubtful labels go, to be corrected, if anywhere.
    pub out: Option<String>,
    /// A file that names rows whose labels are known to be wrong, to see what the ranking is worth.
    pub known: Option<String>,
}

/// Labels that are doubted.
#[derive(Debug, Serialize)]
pub struct Doubted {
    /// What became of every row.
    pub account: Account,
    /// The rule for classes, in words.
    pub rule: String,
    /// The folds that probabilities come from.
    pub folds: usize,
    /// How many labels may be wrong.
    #[serde(flatten)]
    pub doubts: Doubts,
    /// Rows whose text stands elsewhere with another label.
    pub contradicted: usize,
    /// What rows are called by: the column of their ids, or "row".
    pub named_by: String,
    /// The doubtful labels, the least probable first.
    pub labels: Vec<DoubtRow>,
    /// What the ranking is worth, where labels known to be wrong were named.
    pub known: Option<Known>,
    /// Where they were written, if anywhere.
    pub written: Option<String>,
}

/// A doubtful label.
#[derive(Debug, Serialize)]
pub struct DoubtRow {
    /// What the row is called.
    pub id: String,
    /// The file that it stands in.
    pub file: String,
    /// The line that it begins on.
    pub line: u64,
    /// The rating as it is written.
    pub rating: String,
    /// The class that the rule makes of it.
    pub label: Polarity,
    /// Why and how far it is doubtful.
    #[serde(flatten)]
    pub doubt: DoubtedLabel,
    /// The words that speak most for the class that it is called, with what they add to the log-odds.
    pub words: Vec<(String, f64)>,
    /// The text.
    pub text: String,
}

/// What a ranking is worth against labels that are known to be wrong.
#[derive(Debug, Serialize)]
pub struct Known {
    /// Labelled rows that are known to be wrong.
    pub wrong: usize,
    /// By how many of the most doubtful are looked at.
    pub looks: Vec<Look>,
}

/// The most doubtful labels, held against those that are known to be wrong.
#[derive(Debug, Serialize)]
pub struct Look {
    /// So many of the most doubtful.
    pub most: usize,
    /// The share of them that is wrong.
    pub precision: Figure,
    /// What the mean of their probabilities of being wrong promised.
    pub promised: f64,
    /// The share of the wrong ones that is among them.
    pub recall: Figure,
}

/// Doubts labels by what models say of reviews that they have not seen, and by equal texts.
///
/// # Errors
/// Reviews that cannot be read or learnt from, or a locked holdout.
pub fn doubts(session: &Session, options: &DoubtsOptions) -> Result<Doubted> {
    let input = session.input(&options.files)?;
    let session = &with_found(session, &input, Needs::LABELS)?;
    let reviews = LabelledReviews::of(input, session, Kept::Needed, Purpose::Learn)?;
    let names = RowNames::new(&reviews, session.study())?;
    let training = TrainingSet::of(&reviews, session)?;
    let validation = training.validate(session)?;
    let model = training.model(&training.fit(session)?, None);
    doubted((&reviews, &names, &training), (&validation, &model), options, session)
}

/// Doubts the labels of reviews that were cross-validated; `model` has learnt from them.
pub(crate) fn doubted(
    (reviews, names, training): (&LabelledReviews, &RowNames, &TrainingSet),
    (validation, model): (&Validation, &Model),
    options: &DoubtsOptions,
    session: &Session,
) -> Result<Doubted> {
    let found = doubt_labels(&training.sample, &validation.held_out, &reviews.keys[..reviews.rows.len()]);
    let labels = rows((reviews, names), &found.labels, model, session)?;
    let known = options.known.as_ref().map(|file| known(file, names, &found.labels, session)).transpose()?;
    if let Some(path) = &options.out {
        write_doubts(path, names.column(), &labels, session)?;
    }
    Ok(Doubted {
        account: training.account.clone(),
        rule: session.study().rule(training.account.by_name),
        folds: session.study().validation.folds,
        contradicted: found.labels.iter().filter(|own| own.contradicted).count(),
        doubts: found,
        named_by: names.column().into(),
        labels,
        known,
        written: options.out.clone(),
    })
}

fn rows(
    (reviews, names): (&LabelledReviews, &RowNames),
    doubted: &[DoubtedLabel],
    model: &Model,
    session: &Session,
) -> Result<Vec<DoubtRow>> {
    let table = &reviews.table;
    let rated = table.column(session.study().reviews.rated())?;
    let row = |own: &DoubtedLabel| {
        let at = reviews.rows[own.row];
        let ((file, line), document) = (table.place(at), reviews.review(own.row));
        DoubtRow {
            id: names.of(own.row).into(),
            file: file.into(),
            line,
            rating: table.cell(at, rated).trim().into(),
            label: reviews.sample.labels[own.row],
            doubt: *own,
            words: words_for(model, &document, own.called),
            text: document.text().into(),
        }
    };
    Ok(doubted.iter().map(row).collect())
}

/// The words of a review that speak most for a class.
fn words_for(model: &Model, document: &heddle_core::text::Document, class: Polarity) -> Vec<(String, f64)> {
    let (_, explanation) = explain_document(&mut model.scorer(), document);
    let mut tokens = explanation.tokens;
    tokens.retain(|token| token.speaks_for(class) > 0.0);
    tokens.sort_by(|a, b| b.speaks_for(class).total_cmp(&a.speaks_for(class)));
    tokens.iter().take(WORDS).map(|token| (token.spelled(), token.contribution)).collect()
}

/// Holds the ranking against rows that are known to be wrong.
fn known(file: &str, names: &RowNames, doubted: &[DoubtedLabel], session: &Session) -> Result<Known> {
    let mut rows = session.open_reviews(file)?;
    let column = find_column(rows.file(), rows.columns(), names.column())?;
    let (mut ids, mut record) = (HashSet::new(), Record::new());
    while rows.next_sound(&mut record)?.is_some() {
        ids.insert(record[column].to_string());
    }
    let wrong = names.all().filter(|name| ids.contains(*name)).count();
    if wrong == 0 {
        fail!(Reviews, "{file}: none of its {} is that of a labelled row", names.column());
    }
    let is_wrong = |own: &DoubtedLabel| ids.contains(names.of(own.row));
    let look = |most: usize| {
        let first = &doubted[..most];
        let hits = first.iter().filter(|own| is_wrong(own)).count();
        Look {
            most,
            precision: share(hits, most),
            promised: first.iter().map(|own| own.wrong).sum::<f64>() / most as f64,
            recall: share(hits, wrong),
        }
    };
    let mut looks: Vec<usize> = LOOKS.into_iter().filter(|most| *most < doubted.len()).collect();
    looks.extend((!doubted.is_empty()).then_some(doubted.len()));
    Ok(Known { wrong, looks: looks.into_iter().map(look).collect() })
}

fn write_doubts(path: &str, named_by: &str, labels: &[DoubtRow], session: &Session) -> Result<()> {
    let columns = [
        Column::text(named_by),
        Column::text("text"),
        Column::text("rating"),
        Column::text("label"),
        Column::text("called"),
        Column::number("probability"),
        Column::number("wrong"),
        Column::number("share_of_fold"),
        Column::text("reason"),
        Column::text(CORRECTION),
    ];
    let names = session.study().class_names();
    let mut writer = session.row_writer(DOUBTS, path, &columns)?;
    for own in labels {
        writer.row([
            own.id.as_str(),
            &own.text,
            &own.rating,
            names.of(own.label),
            names.of(own.doubt.called),
            &own.doubt.probability.to_string(),
            &own.doubt.wrong.to_string(),
            &own.doubt.share_of_fold.to_string(),
            &own.reason(),
            "",
        ])?;
    }
    writer.finish()?;
    Ok(())
}

impl DoubtRow {
    /// Why the label is doubtful, in words.
    pub fn reason(&self) -> String {
        let words: Vec<&str> = self.words.iter().map(|(word, _)| word.as_str()).collect();
        let by_words = (self.doubt.called != self.label).then(|| format!("the words: {}", words.join(", ")));
        let by_text = self.doubt.contradicted.then(|| "an equal text has another label".to_string());
        by_text.into_iter().chain(by_words).collect::<Vec<_>>().join("; ")
    }
}

/// Ratings that the analyst corrected, by what rows are called.
pub(crate) struct Corrections {
    file: String,
    named_by: String,
    by_name: HashMap<String, String>,
    used: usize,
}

impl Corrections {
    /// Reads the corrections that are filled in. A row is named as `doubts` names it, and its correction is a rating,
    /// a class, or "drop".
    pub fn read(file: &str, named_by: &str, session: &Session) -> Result<Self> {
        let mut rows = session.open_reviews(file)?;
        let columns = rows.columns().to_vec();
        let name = find_column(rows.file(), &columns, named_by)?;
        let correction = find_column(rows.file(), &columns, CORRECTION)?;
        let (mut by_name, mut record) = (HashMap::new(), Record::new());
        while let Some(line) = rows.next_sound(&mut record)? {
            let value = record[correction].trim();
            if value.is_empty() {
                continue;
            }
            let drops = value.eq_ignore_ascii_case("drop");
            let shown = heddle_core::labels::shown_rating(value);
            if !drops && session.study().polarity.read(&shown) == heddle_core::labels::Reading::Unknown {
                fail!(
                    Reviews,
                    "{file}, line {line}, column `{CORRECTION}`: `{value}` is no rating of the rule ({}): expected one, a \
                     class, or drop",
                    session.study().polarity
                );
            }
            let value = if drops { String::new() } else { value.to_string() };
            if by_name.insert(record[name].to_string(), value).is_some() {
                fail!(Reviews, "{file}, line {line}: `{}` is corrected twice", &record[name]);
            }
        }
        Ok(Self { file: file.into(), named_by: named_by.into(), by_name, used: 0 })
    }

    /// The rating in place of that of a row, if it was corrected.
    pub fn of(&mut self, name: &str) -> Option<&str> {
        let found = self.by_name.get(name)?;
        self.used += 1;
        Some(found)
    }

    /// How many were used; an error if rows that they name are not there.
    pub fn finish(self) -> Result<usize> {
        if self.used < self.by_name.len() {
            fail!(
                Reviews,
                "{} of {} corrections in {} name no row of these files, by {}: is it the file that was corrected?",
                self.by_name.len() - self.used.min(self.by_name.len()),
                self.by_name.len(),
                self.file,
                self.named_by
            );
        }
        Ok(self.used)
    }
}
