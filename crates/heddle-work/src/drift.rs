//! New reviews held against those that a model was learnt from.

use std::collections::{BTreeMap, HashSet};

use heddle_core::drift::{Batch, Drift, NewTheme, drift as drift_of};
use heddle_core::labels::Polarity;
use heddle_core::measure::{Figure, mean, share};
use heddle_core::model::Model;
use heddle_core::resample::draw;
use heddle_core::text::{Document, language};
use heddle_files::Column;
use rayon::prelude::*;
use serde::Serialize;

use crate::error::{Result, fail};
use crate::judgement::NextStep;
use crate::reviews::found::{Needs, with_found};
use crate::reviews::labelled::{Kept, LabelledReviews, Purpose, days_of};
use crate::reviews::labelling::Account;
use crate::reviews::names::RowNames;
use crate::roles::FIRST;
use crate::scoring::open;
use crate::session::Session;
use crate::words::{count, percent, shell};

/// New texts whose language is told, spread over all.
const TOLD: usize = 1_000;

/// Which model, and which reviews.
#[derive(Debug, Clone, Default)]
pub struct DriftOptions {
    /// The model file.
    pub model: String,
    /// The new reviews; the files of the study where there are none.
    pub files: Vec<String>,
    /// So many reviews are named to be read first.
    pub first: usize,
    /// Where these go, if anywhere.
    pub out: Option<String>,
}

/// How new reviews differ.
#[derive(Debug, Serialize)]
pub struct Drifted {
    /// The model file.
    pub model: String,
    /// What became of every row.
    pub account: Account,
    /// What was found, in one sentence.
    pub sentence: String,
    /// Whether it is drift: a respect differs beyond chance and by enough, or a theme is new.
    pub found: bool,
    /// What was compared.
    #[serde(flatten)]
    pub drift: Drift,
    /// By theme of `drift`: a review that says it.
    pub quotes: Vec<Named>,
    /// The reviews to be read first.
    pub first: Vec<Named>,
    /// By month, where a date is known.
    pub months: Vec<Month>,
    /// What reviews are called by: the column of their ids, or "row".
    pub named_by: String,
    /// Lines to type next.
    pub next: Vec<NextStep>,
    /// Where the reviews to be read first were written, if anywhere.
    pub written: Option<String>,
    /// Where a picture was drawn.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub picture: Option<String>,
}

/// A review by its name.
#[derive(Debug, Clone, Serialize)]
pub struct Named {
    /// What it is called.
    pub id: String,
    /// What the model calls it; nothing if it is unsure.
    pub called: Option<Polarity>,
    /// Its text.
    pub text: String,
}

/// The reviews of a month.
#[derive(Debug, Serialize)]
pub struct Month {
    /// The month, as in 2025-12.
    pub month: String,
    /// Its reviews.
    pub reviews: usize,
    /// The share that is called negative.
    pub called_negative: Figure,
    /// The mean share of a review's words that the model does not know.
    pub unknown: Figure,
    /// By theme of `drift`, the first ones: the share that says it.
    pub themes: Vec<Figure>,
}

/// The languages of these reviews.
pub(crate) fn languages<'d>(
    reviews: Vec<usize>,
    review: impl Fn(usize) -> Document + Sync + 'd,
) -> BTreeMap<String, u64> {
    let told: Vec<String> = reviews
        .into_par_iter()
        .map(|at| language(review(at).text()).unwrap_or("unknown").to_string())
        .collect();
    let mut counts = BTreeMap::new();
    told.into_iter().for_each(|name| *counts.entry(name).or_insert(0) += 1);
    counts
}

/// Compares new reviews, rated or not, with the training reviews of a model. Of rated ones those count that training would
/// have used.
///
/// # Errors
/// Files that cannot be read, or no review.
pub fn drift(session: &Session, options: &DriftOptions) -> Result<Drifted> {
    let (model, session) = open(&options.model, session)?;
    let input = session.input(&options.files)?;
    let session = &with_found(&session, &input, Needs::TEXT)?;
    let purpose = Purpose::of_terms(&input, session)?;
    let reviews = LabelledReviews::of(input, session, Kept::All, purpose)?;
    let names = RowNames::new(&reviews, session.study())?;
    let texts: Vec<Document> = (0..reviews.rows.len()).map(|at| reviews.review(at)).collect();
    if texts.is_empty() {
        fail!(Reviews, "there is no review to hold against the training reviews");
    }
    if model.card().seen.is_none() {
        session.remark("note: the model keeps nothing of its training reviews but their terms: words alone are compared; train it again to compare lengths, languages and scores");
    }
    let task = session.busy("comparing");
    let batch = Batch::new(&model, &texts);
    let languages =
        languages(draw(texts.len(), TOLD, session.study().validation.seed), |at| texts[at].clone());
    let drift = drift_of(&model, &batch, &languages, options.first);
    task.end();
    let named = |row: u32| {
        let score = &batch.scores[row as usize];
        Named {
            id: names.of(row as usize).into(),
            called: score.is_sure().then(|| score.polarity()),
            text: texts[row as usize].text().into(),
        }
    };
    let first: Vec<Named> = drift.first.iter().map(|row| named(*row)).collect();
    if let Some(path) = &options.out {
        write(path, &first, names.column(), session)?;
    }
    Ok(Drifted {
        model: options.model.clone(),
        sentence: sentence(&drift),
        found: drift.is_found(),
        quotes: drift
            .themes
            .iter()
            .filter_map(|theme| theme.reviews.first())
            .map(|row| named(*row))
            .collect(),
        months: months(&reviews, session, &batch, &drift)?,
        named_by: names.column().into(),
        next: next(options, &model, &drift),
        written: options.out.clone(),
        picture: None,
        account: reviews.account,
        first,
        drift,
    })
}

/// Writes the reviews to be read first.
fn write(path: &str, first: &[Named], named_by: &str, session: &Session) -> Result<()> {
    let columns = [Column::text(named_by), Column::text("called"), Column::text("text")];
    let mut writer = session.row_writer(FIRST, path, &columns)?;
    for Named { id, called, text } in first {
        writer.row([id.as_str(), called.map_or("unsure", Polarity::name), text])?;
    }
    writer.finish()?;
    session.commit()
}

/// The months of the reviews, where the study names a column of dates that is there.
fn months(reviews: &LabelledReviews, session: &Session, batch: &Batch, drift: &Drift) -> Result<Vec<Month>> {
    let study = session.study();
    let table = &reviews.table;
    let Some(name) = &study.reviews.date else { return Ok(Vec::new()) };
    if !session.names("reviews.date") && !table.columns().iter().any(|column| column.name == *name) {
        return Ok(Vec::new());
    }
    let mut of: BTreeMap<String, Vec<u32>> = BTreeMap::new();
    for (review, day) in (0..).zip(days_of(table, &reviews.rows, study)?) {
        if let Some(day) = day {
            of.entry(day.month()).or_default().push(review);
        }
    }
    let told = |(month, rows): (String, Vec<u32>)| {
        let scores = || rows.iter().map(|row| &batch.scores[*row as usize]);
        let negative = scores().filter(|own| own.is_sure() && own.polarity() == Polarity::Negative).count();
        let unknown: Vec<f64> = scores().map(|own| own.unknown as f64 / own.tokens.max(1) as f64).collect();
        let says = |theme: &NewTheme| {
            let own: HashSet<&u32> = theme.reviews.iter().collect();
            share(rows.iter().filter(|row| own.contains(row)).count(), rows.len())
        };
        Month {
            month,
            reviews: rows.len(),
            called_negative: share(negative, rows.len()),
            unknown: mean(&unknown),
            themes: drift.themes.iter().take(2).map(says).collect(),
        }
    };
    Ok(of.into_iter().map(told).collect())
}

/// What was found, in one sentence.
fn sentence(drift: &Drift) -> String {
    let percent = |share: f64| percent(Some(share));
    let mut parts = Vec::new();
    let new = drift.themes.iter().filter(|theme| theme.new).count();
    if let Some(theme) = drift.themes.first().filter(|theme| theme.new) {
        let words: Vec<&str> = theme.words.iter().take(4).map(String::as_str).collect();
        let more = match new - 1 {
            0 => String::new(),
            more => format!(", and {}", count(more, "more such theme")),
        };
        parts.push(format!(
            "{} of the reviews speak of something that training saw little of (“{}”){more}",
            percent(theme.share.value.unwrap_or_default()),
            words.join(", ")
        ));
    }
    for respect in drift.respects.iter().filter(|respect| respect.drifted) {
        // How many there are of a category, and whether that is more than before.
        let both = |category: &str| {
            let own = respect.shares.iter().find(|own| own.category == category)?;
            let more = if own.now > own.before { "more" } else { "fewer" };
            Some((more, format!("{}, {} in training", percent(own.now), percent(own.before))))
        };
        let part = match respect.name {
            "unknown_words" => {
                both("unknown").map(|(more, both)| format!("{more} words are unknown to the model ({both})"))
            }
            "verdicts" => both("negative").map(|(more, both)| format!("{more} are called negative ({both})")),
            "length" => Some("reviews are of other lengths".into()),
            "language" => Some("they are in other languages".into()),
            _ => Some("scores are spread otherwise".into()),
        };
        parts.extend(part);
    }
    match parts.is_empty() {
        true => format!(
            "No drift: nothing of {} differs from the training reviews beyond chance and by more than a little.",
            count(drift.reviews, "review")
        ),
        false => format!("Drift: {}.", parts.join("; ")),
    }
}

fn next(options: &DriftOptions, model: &Model, drift: &Drift) -> Vec<NextStep> {
    let files: Vec<String> = options.files.iter().map(|file| shell(file)).collect();
    let (files, path) = (files.join(" "), shell(&options.model));
    let mut steps = Vec::new();
    if model.card().validated.is_none() {
        let line = format!("heddle train TRAINING.csv --validate --out {path}");
        steps.push(NextStep::new(
            "keep figures in the model, to correct the mix of verdicts for its mistakes",
            line,
        ));
    }
    if drift.is_found() {
        let line = format!("heddle clusters {files}");
        steps.push(NextStep::new("what the new reviews speak of, all of them", line));
        let line = format!("heddle assess {path} LABELLED.csv");
        steps.push(NextStep::new(
            "how good the model still is: label some of the new reviews, and try it on them",
            line,
        ));
        let line = format!("heddle renew {path} TRAINING.csv LABELLED.csv");
        steps.push(NextStep::new(
            "learn again from these too; the new model takes over where it is no worse",
            line,
        ));
    }
    steps
}
