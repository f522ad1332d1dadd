//! The terms of reviews, or of a model.

mod found;
mod model;
mod page;
mod picture;

use heddle_core::{
    Alike, Association, Band, Choice, Corpus, Counted, Coverage, Look, Polarity, ReviewTerm, Selection,
    Study, Telling, TermFacts, TermStatus, alike,
};
use heddle_files::{Column, RowWriter};
use serde::Serialize;

use crate::args::TermsArgs;
use crate::commands::learn::{other_case, warn_of_names};
use crate::commands::looked::row_of_id;
use crate::desk::Desk;
use crate::intake::{Intake, Kept, Purpose};
use crate::labelling::Account;
use found::{Found, found};
pub use model::{Weighed, doubtful, heaviest};
pub use page::twice;

/// Among so many of the most telling terms of each class, doubtful ones are listed.
const DOUBTED: usize = 50;

/// What the terms of reviews are.
#[derive(Serialize)]
struct Terms {
    account: Account,
    rule: String,
    reviews: usize,
    /// Reviews of which no token is left.
    emptied: usize,
    /// Distinct words, terms or not.
    words_seen: usize,
    counted: usize,
    kept: usize,
    /// Terms by what becomes of them, in the order of the rules.
    statuses: Vec<(TermStatus, usize)>,
    coverage: Coverage,
    weighting: String,
    association: &'static str,
    strongest: Vec<Strongest>,
    doubtful: Vec<Doubtful>,
    bands: Vec<Band>,
    unknown_names: Vec<String>,
    /// Of these, names that stand there in other capital letters.
    other_case: usize,
    review: Option<ReviewTable>,
    found: Option<Found>,
    alike: Option<AlikeWords>,
    written: Option<String>,
    picture: Option<String>,
}

/// The terms of one length that go most with a class.
#[derive(Serialize)]
struct Strongest {
    polarity: Polarity,
    /// In words; 0 for n-grams of letters.
    words: usize,
    terms: Vec<Telling>,
}

/// A telling term that should be looked at twice.
#[derive(Serialize)]
struct Doubtful {
    polarity: Polarity,
    #[serde(flatten)]
    facts: TermFacts,
}

/// The terms of one review.
#[derive(Serialize)]
struct ReviewTable {
    origin: String,
    text: String,
    terms: Vec<ReviewTerm>,
}

#[derive(Serialize)]
struct AlikeWords {
    word: String,
    words: Vec<Alike>,
}

/// Shows the terms.
pub fn run(args: &TermsArgs, desk: &Desk) -> anyhow::Result<usize> {
    if let Some(path) = &args.model {
        return model::run(path, args, desk);
    }
    let intake = Intake::read(&args.files, desk, Kept::Needed, Purpose::Look)?;
    let study = desk.study();
    let found = args.find.as_ref().map(|phrase| found(phrase, &intake, study, args)).transpose()?;
    let row = match (args.row, &args.id) {
        (None, None) => None,
        (row, id) => Some(review_of(&intake, row, id.as_deref(), study)?),
    };
    let review_text = row.map(|row| (row, origin(&intake, row), intake.review(row)));
    let sign = desk.busy("reading and counting");
    let corpus = Corpus::read(&intake, study);
    let Intake { sample, account, table, .. } = intake;
    drop(table);
    let counted = Counted::new(&corpus, &study.terms);
    let rows: Vec<u32> = (0..sample.labels.len() as u32).collect();
    let selection = Selection::new(&counted, &sample, &rows);
    sign.finish_and_clear();
    let look = Look { corpus: &corpus, counted: &counted, selection: &selection };
    let mut terms = terms(&look, account, study, args);
    terms.review = review_text.map(|(row, origin, document)| ReviewTable {
        origin,
        text: document.text().into(),
        terms: look.review(row),
    });
    terms.found = found;
    terms.alike = args
        .like
        .as_ref()
        .map(|word| AlikeWords { word: word.clone(), words: alike(&corpus, &word.to_lowercase(), args.top) });
    if let Some(path) = &args.out {
        write_terms(path, &look, desk)?;
    }
    if let Some(path) = &args.picture {
        picture::scene(&terms.bands, terms.reviews, study).write(desk.outputs(), path)?;
    }
    warn_of_names(&corpus, &counted, study, desk);
    desk.answer("terms", &terms)?;
    Ok(terms.account.refused)
}

fn terms(look: &Look<'_>, account: Account, study: &Study, args: &TermsArgs) -> Terms {
    let Look { corpus, counted, selection } = look;
    let held = look.held();
    let classes: Vec<Polarity> =
        Polarity::ALL.into_iter().filter(|class| selection.mix[class.index()] > 0).collect();
    let (mut strongest, mut doubtful) = (Vec::new(), Vec::new());
    for words in look.lengths() {
        for &polarity in &classes {
            let mut own = look.telling(polarity, words, args.top.max(DOUBTED), held);
            let twice = own.iter().take(DOUBTED).filter(|telling| !telling.facts.doubts.is_empty());
            doubtful.extend(twice.map(|telling| Doubtful { polarity, facts: telling.facts.clone() }));
            own.truncate(args.top);
            strongest.push(Strongest { polarity, words, terms: own });
        }
    }
    let statuses =
        |status: TermStatus| (status, selection.statuses.iter().filter(|own| **own == status).count());
    Terms {
        account,
        rule: study.polarity.to_string(),
        reviews: corpus.len(),
        emptied: corpus.without_tokens(),
        words_seen: counted.words_seen,
        counted: counted.vocabulary.len(),
        kept: selection.len(),
        statuses: TermStatus::ALL.iter().copied().map(statuses).filter(|(_, terms)| *terms > 0).collect(),
        coverage: look.coverage(),
        weighting: study.terms.weighting.to_string(),
        association: Association::name(study.terms.association),
        strongest,
        doubtful,
        bands: look.bands(),
        other_case: other_case(corpus, counted, study),
        unknown_names: counted.unknown_names.clone(),
        review: None,
        found: None,
        alike: None,
        written: args.out.clone(),
        picture: args.picture.clone(),
    }
}

/// The review that was asked for, by its row in the file or its id.
fn review_of(intake: &Intake, row: Option<usize>, id: Option<&str>, study: &Study) -> anyhow::Result<usize> {
    let row = match (row, id) {
        (Some(row), _) => row.checked_sub(1).filter(|row| *row < intake.table.len()).ok_or_else(|| {
            anyhow::anyhow!("there are rows 1 to {}, there is no row {row}", intake.table.len())
        })?,
        (None, id) => row_of_id(&intake.table, id.unwrap_or_default(), study)?,
    };
    intake
        .rows
        .iter()
        .position(|own| *own == row)
        .ok_or_else(|| anyhow::anyhow!("row {} has no text or no class: its terms are not counted", row + 1))
}

/// Where a review stands.
fn origin(intake: &Intake, review: usize) -> String {
    let (file, line) = intake.table.place(intake.rows[review]);
    format!("{file}, line {line}")
}

/// Writes every counted term.
fn write_terms(path: &str, look: &Look<'_>, desk: &Desk) -> anyhow::Result<()> {
    let columns = [
        Column::text("term"),
        Column::number("words"),
        Column::number("reviews"),
        Column::number("negative"),
        Column::number("positive"),
        Column::number("neutral"),
        Column::number("idf"),
        Column::number("association"),
        Column::text("status"),
        Column::text("look_twice"),
    ];
    let held = look.held();
    let mut writer = RowWriter::create(desk.outputs(), path, &columns)?;
    for term in 0..look.selection.statuses.len() as u32 {
        let facts = look.facts(term, held);
        let [negative, positive, neutral] = facts.counts.map(|count| count.to_string());
        writer.row([
            facts.term.as_str(),
            &facts.words.to_string(),
            &facts.reviews.to_string(),
            &negative,
            &positive,
            &neutral,
            &facts.idf.to_string(),
            &facts.association.to_string(),
            facts.status.name(),
            &twice(&facts.doubts),
        ])?;
    }
    writer.finish()?;
    Ok(())
}
