//! The terms of reviews, or of a model.

mod grid;
mod matrix;
pub mod model;
pub(crate) mod parts;
mod phrase;
mod twice;

use heddle_core::Choice;
use heddle_core::labels::{PerClass, Polarity};
use heddle_core::settings::Study;
use heddle_core::terms::{
    AlikeRow, Association, Band, Corpus, Counted, Coverage, DistinctiveTerm, MadeOf, ReviewTerm, Selection,
    SimilarWord, Tallied, Tally, TermFacts, TermId, TermReport, TermStatus, similar_words,
};
use heddle_files::Column;
use serde::Serialize;

use crate::error::{Error, Result, fail};
use crate::reviews::columns::with_ours;
use crate::reviews::found::{Needs, with_found};
use crate::reviews::handle::Handle;
use crate::reviews::labelled::{Kept, LabelledReviews, Purpose};
use crate::reviews::labelling::Account;
use crate::reviews::names::RowNames;
use crate::reviews::texts::{row_of_id, row_of_line, row_of_number};
use crate::roles::TERMS;
use crate::session::Session;
use crate::training::{other_case, warn_of_names};
use crate::vectors::with_vectors;
pub use grid::{Grid, GridCell, GridRow};
use grid::{grid, rows_of};
use matrix::write_matrix;
use parts::{read_tally, write_tally};
pub use phrase::{FoundPhrase, Surroundings};
use phrase::{found, write_places};
pub use twice::look_twice;

/// Among so many of the most telling terms of each class, doubtful ones are listed.
const DOUBTED: usize = 50;
/// So many terms are told that two reviews share.
const SHARED: usize = 4;

/// What is told of the terms of reviews.
#[derive(Debug, Clone, Default)]
pub struct TermsOptions {
    /// The review files; those of the study where there are none.
    pub files: Vec<String>,
    /// How many terms of each class and length, places or words are told.
    pub top: usize,
    /// Reviews whose terms are told: their rows in the file, from 1.
    pub rows: Vec<usize>,
    /// Reviews whose terms are told: their ids (`reviews.id`).
    pub ids: Vec<String>,
    /// Reviews whose terms are told: the lines that they begin on.
    pub lines: Vec<u64>,
    /// Phrases that are looked up; in some reviews, where any are named.
    pub find: Vec<String>,
    /// Terms whose weights are told by review, for those that are named or else for some that hold one.
    pub grid: Vec<String>,
    /// Whether the reviews most like those that are named are told.
    pub alike: bool,
    /// A word: those are told that are used like it.
    pub like: Option<String>,
    /// Where every counted term goes, if anywhere.
    pub out: Option<String>,
    /// Where the weighted rows go, if anywhere.
    pub matrix: Option<String>,
    /// Where the counts of all terms go, however rare, to be added to those of other reviews.
    pub counts_out: Option<String>,
    /// Files of such counts, which are added up in place of reading reviews.
    pub merge: Vec<String>,
}

/// What the terms of reviews are.
#[derive(Debug, Serialize)]
pub struct Terms {
    /// What became of every row.
    pub account: Account,
    /// The rule for classes, in words.
    pub rule: String,
    /// Reviews.
    pub reviews: usize,
    /// Reviews of which no token is left.
    pub emptied: usize,
    /// Distinct words, terms or not.
    pub words_seen: usize,
    /// Terms that were counted.
    pub counted: usize,
    /// Terms that are kept.
    pub kept: usize,
    /// Terms by what becomes of them, in the order of the rules.
    pub statuses: Vec<(TermStatus, usize)>,
    /// How much of the text the terms cover; not known of counts alone.
    pub coverage: Option<Coverage>,
    /// The SMART letters.
    pub weighting: String,
    /// How terms are ranked by their association with the classes.
    pub association: Association,
    /// By class and length, the terms that go most with it.
    pub strongest: Vec<Strongest<DistinctiveTerm>>,
    /// Whether the reviews have no classes: then the most frequent terms are told instead.
    pub unrated: bool,
    /// The most frequent kept terms of each length, where the reviews have no classes.
    pub frequent: Vec<Vec<TermFacts>>,
    /// Telling terms that should be looked at twice.
    pub doubtful: Vec<Doubtful>,
    /// How many terms stand in how many reviews.
    pub bands: Vec<Band>,
    /// Names of terms.include, terms.only and terms.exclude that no review holds.
    pub unknown_names: Vec<String>,
    /// Of these, names that stand there in other capital letters.
    pub other_case: usize,
    /// What was looked up.
    #[serde(flatten)]
    pub looked_up: LookedUp,
    /// Where it was written, if anywhere.
    pub written: Option<String>,
    /// Where the counts were written, if anywhere.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub counts: Option<String>,
    /// Where the weighted rows were written, if anywhere.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub matrix: Option<String>,
    /// Where a picture was drawn.
    pub picture: Option<String>,
}

/// What was looked up among the terms.
#[derive(Debug, Default, Serialize)]
pub struct LookedUp {
    /// The terms of each review that was asked for.
    #[serde(rename = "review")]
    pub shown: Vec<ReviewTable>,
    /// Where each phrase stands that was asked for.
    pub found: Vec<FoundPhrase>,
    /// What terms weigh in reviews, where that was asked for.
    pub grid: Option<Grid>,
    /// Words that are used like one, where it was asked for.
    pub similar: Option<SimilarWords>,
}

/// The terms of one kind that go most with a class.
#[derive(Debug, Serialize)]
pub struct Strongest<T> {
    /// The class.
    pub polarity: Polarity,
    /// What they are made of.
    #[serde(flatten)]
    pub made_of: MadeOf,
    /// The terms, the strongest first.
    pub terms: Vec<T>,
}

/// A telling term that should be looked at twice.
#[derive(Debug, Serialize)]
pub struct Doubtful {
    /// The class.
    pub polarity: Polarity,
    #[serde(flatten)]
    /// What is known of it.
    pub facts: TermFacts,
}

/// The terms of one review.
#[derive(Debug, Serialize)]
pub struct ReviewTable {
    /// Where it comes from: file and line.
    pub origin: String,
    /// The text as it is written.
    pub text: String,
    /// The terms.
    pub terms: Vec<ReviewTerm>,
    /// The reviews that read most like it, where that was asked for.
    #[serde(skip_serializing_if = "Vec::is_empty")]
    pub alike: Vec<AlikeReview>,
}

/// A review that reads like another.
#[derive(Debug, Serialize)]
pub struct AlikeReview {
    /// Where it comes from: file and line.
    pub origin: String,
    /// Its class, where reviews have classes.
    pub polarity: Option<Polarity>,
    /// How like it is, and by which terms.
    #[serde(flatten)]
    pub how: AlikeRow,
    /// The text as it is written.
    pub text: String,
}

/// Words that are used like one.
#[derive(Debug, Serialize)]
pub struct SimilarWords {
    /// The word.
    pub word: String,
    /// Those that stand among the same words in these reviews.
    pub words: Vec<SimilarWord>,
    /// Those of these reviews whose vectors are most like its own, with the cosine, where features.vectors names a file.
    pub by_vector: Vec<(String, f64)>,
}

/// Tells the terms of labelled reviews: which are kept, which tell most, where they stand.
///
/// # Errors
/// Reviews that cannot be read, a locked holdout, or a row that is not there.
pub fn terms(session: &Session, options: &TermsOptions) -> Result<Terms> {
    if !options.merge.is_empty() {
        return of_parts(session, options);
    }
    let input = session.input(&options.files)?;
    let session = &with_found(session, &input, Needs::LABELS)?;
    let study = session.study();
    let purpose = Purpose::of_terms(&input, session)?;
    if purpose == Purpose::Counts {
        session.remark("note: no column holds a rating: terms are counted, and no class is told");
    }
    let mut reviews = LabelledReviews::of(input, session, Kept::Needed, purpose)?;
    let chosen = chosen(&reviews, options, study)?;
    let found: Vec<FoundPhrase> =
        options.find.iter().map(|phrase| found(phrase, &reviews, study, &chosen, options.top)).collect();
    if let (Some(path), false) = (&options.out, options.find.is_empty()) {
        write_places(path, &options.find, &reviews, &chosen, session)?;
    }
    let names = options.matrix.as_ref().map(|_| RowNames::new(&reviews, study)).transpose()?;
    let task = session.busy("reading and counting");
    let mut corpus = Corpus::read(&reviews, study.corpus_rules());
    if options.like.is_some() {
        corpus = with_vectors(corpus, study, session)?;
    }
    if chosen.is_empty() && options.grid.is_empty() {
        drop(std::mem::take(&mut reviews.table)); // no text is shown any more
    }
    let counted = Counted::new(&corpus, &study.terms);
    let rows: Vec<u32> = (0..reviews.sample.labels.len() as u32).collect();
    let selection = Selection::new(&counted, &reviews.sample, &rows);
    task.end();
    let report = TermReport { corpus: &corpus, counted: &counted, selection: &selection };
    let looked_up = LookedUp {
        found,
        ..looked_up(&report, (&reviews, purpose != Purpose::Counts), &chosen, options, session)
    };
    if let (Some(path), true) = (&options.out, options.find.is_empty()) {
        write_terms(path, &report, &report.occurrences(&reviews.sample.labels), session)?;
    }
    if let Some(path) = &options.counts_out {
        check_counts(study)?;
        write_tally(path, &Tally::of(&corpus, &study.terms, &reviews.sample.labels), session)?;
    }
    if let (Some(path), Some(names)) = (&options.matrix, &names) {
        write_matrix(path, &report, names, session)?;
    }
    warn_of_names(&corpus, &counted, study, session);
    let mut told = told(&report, reviews.account, study, options);
    if purpose == Purpose::Counts {
        let held = report.held();
        told.frequent =
            report.kinds().into_iter().map(|kind| report.frequent(kind, options.top, held)).collect();
        (told.unrated, told.rule) = (true, "nobody rated them".into());
        (told.strongest, told.doubtful) = (Vec::new(), Vec::new());
    }
    Ok(Terms { looked_up, ..told })
}

/// Tells the terms of reviews of which only the counts are there.
fn of_parts(session: &Session, options: &TermsOptions) -> Result<Terms> {
    let study = session.study();
    let asks = !options.files.is_empty()
        || !options.rows.is_empty()
        || !options.ids.is_empty()
        || !options.lines.is_empty()
        || !options.find.is_empty()
        || !options.grid.is_empty()
        || options.like.is_some()
        || options.matrix.is_some();
    if asks {
        fail!(
            Options,
            "--merge adds up counts, and knows no review: leave out review files, and what looks at single reviews or \
             neighbours of words"
        );
    }
    let task = session.busy("adding up");
    let tally = read_tally(&options.merge, session)?;
    let tallied = tallied(&tally, study)?;
    task.end();
    let Tallied { corpus, counted, selection, times } = &tallied;
    let report = TermReport { corpus, counted, selection };
    if let Some(path) = &options.out {
        write_terms(path, &report, times, session)?;
    }
    if let Some(path) = &options.counts_out {
        write_tally(path, &tally, session)?;
    }
    warn_of_names(corpus, counted, study, session);
    let account = account_of(&tally, study);
    let empty: u64 = tally.empty.iter().sum();
    let told = told(&report, account, study, options);
    Ok(Terms { reviews: tally.mix().iter().sum(), emptied: empty as usize, coverage: None, ..told })
}

/// What a sum of counts comes to.
pub(crate) fn tallied(tally: &Tally, study: &Study) -> Result<Tallied> {
    check_counts(study)?;
    let tallied = tally.tallied(study.corpus_rules(), &study.terms);
    tallied.map_err(|error| {
        Error::Reviews(format!(
            "the counts do not belong together: {error}; add up files of heddle terms --counts-out as they are"
        ))
    })
}

/// The account of reviews of which only the counts are there.
pub(crate) fn account_of(tally: &Tally, study: &Study) -> Account {
    let (mix, names) = (tally.mix(), study.class_names());
    let [negative, positive, neutral] = mix.into_array();
    Account { read: mix.iter().sum(), negative, neutral, positive, names, ..Account::default() }
}

/// Refuses what counts do not tell.
fn check_counts(study: &Study) -> Result<()> {
    let asks = [
        (study.terms.hashed > 0, "terms.hashed: hashed terms have no names to be counted by"),
        (study.reviews.copy_of.is_some(), "reviews.copy_of: a review counts once with its copies"),
        (study.terms.at_least_groups > 1, "terms.at_least_groups: counts know no groups"),
    ];
    match asks.into_iter().find(|(asked, _)| *asked) {
        Some((_, why)) => fail!(Settings, "counts that can be added up do not go with {why}; leave it out"),
        None => Ok(()),
    }
}

/// What is asked of some reviews or words.
fn looked_up(
    report: &TermReport<'_>,
    (reviews, rated): (&LabelledReviews, bool),
    chosen: &[usize],
    options: &TermsOptions,
    session: &Session,
) -> LookedUp {
    let study = session.study();
    let similar = options.like.as_ref().map(|word| SimilarWords {
        word: word.clone(),
        words: similar_words(report.corpus, &word.to_lowercase(), options.top),
        by_vector: report.corpus.words_by_vector(&word.to_lowercase(), options.top),
    });
    if !options.grid.is_empty() {
        let rows = rows_of(&options.grid, chosen, report, options.top);
        let rows = rows.into_iter().map(|row| (row, reviews.origin(row, study)));
        let grid = Some(grid(&options.grid, rows, report, session));
        return LookedUp { grid, similar, ..LookedUp::default() };
    }
    let alike = |how: AlikeRow| AlikeReview {
        origin: reviews.origin(how.row, study),
        polarity: rated.then(|| reviews.sample.labels[how.row]),
        text: reviews.review(how.row).text().into(),
        how,
    };
    let most = if options.alike { options.top } else { 0 };
    let shown = |row: &usize| ReviewTable {
        origin: reviews.origin(*row, study),
        text: reviews.review(*row).text().into(),
        terms: report.review(*row),
        alike: report.alike(*row, most, SHARED).into_iter().map(alike).collect(),
    };
    LookedUp { shown: chosen.iter().map(shown).collect(), similar, ..LookedUp::default() }
}

fn told(report: &TermReport<'_>, account: Account, study: &Study, options: &TermsOptions) -> Terms {
    let TermReport { corpus, counted, selection } = report;
    let held = report.held();
    let classes: Vec<Polarity> =
        Polarity::ALL.into_iter().filter(|class| selection.mix[*class] > 0).collect();
    let (mut strongest, mut doubtful) = (Vec::new(), Vec::new());
    for made_of in report.kinds() {
        for &polarity in &classes {
            let mut own = report.distinctive(polarity, made_of, options.top.max(DOUBTED), held);
            let twice = own.iter().take(DOUBTED).filter(|telling| !telling.facts.doubts.is_empty());
            // What is doubtful of a word is so of its parts.
            if let MadeOf::Words(_) = made_of {
                doubtful.extend(twice.map(|telling| Doubtful { polarity, facts: telling.facts.clone() }));
            }
            own.truncate(options.top);
            strongest.push(Strongest { polarity, made_of, terms: own });
        }
    }
    let statuses =
        |status: TermStatus| (status, selection.statuses.iter().filter(|own| **own == status).count());
    Terms {
        rule: study.rule(account.by_name),
        account,
        reviews: corpus.len(),
        emptied: corpus.without_tokens(),
        words_seen: counted.words_seen,
        counted: counted.vocabulary.len(),
        kept: selection.len(),
        statuses: TermStatus::ALL.iter().copied().map(statuses).filter(|(_, terms)| *terms > 0).collect(),
        coverage: Some(report.coverage()),
        weighting: study.terms.weighting.to_string(),
        association: study.terms.association,
        strongest,
        unrated: false,
        frequent: Vec::new(),
        doubtful,
        bands: report.bands(),
        other_case: other_case(corpus, counted, study),
        unknown_names: counted.unknown_names.clone(),
        looked_up: LookedUp::default(),
        written: options.out.clone(),
        counts: options.counts_out.clone(),
        matrix: options.matrix.clone(),
        picture: None,
    }
}

/// The reviews that were asked for, by their rows in the file, their ids or their lines.
fn chosen(reviews: &LabelledReviews, options: &TermsOptions, study: &Study) -> Result<Vec<usize>> {
    let table = &reviews.table;
    let file = table.manners().first().map_or("", |manner| manner.file.as_str());
    let rows = options.rows.iter().map(|number| row_of_number(table, file, *number));
    let ids = options.ids.iter().map(|id| row_of_id(table, id, study));
    let lines = options.lines.iter().map(|line| row_of_line(table, file, *line));
    let of_row = |row: Result<usize>| {
        let row = row?;
        reviews.rows.iter().position(|own| *own == row).ok_or_else(|| {
            let told = Handle::new(table, study).told(table, row);
            Error::Options(format!("{told} has no text or no class: its terms are not counted"))
        })
    };
    rows.chain(ids).chain(lines).map(of_row).collect()
}

/// Writes every counted term.
fn write_terms(
    path: &str,
    report: &TermReport<'_>,
    times: &[PerClass<f64>],
    session: &Session,
) -> Result<()> {
    let mix = report.selection.mix;
    let names = session.study().class_names();
    let own = |what: &str, class: Polarity| Column::number(format!("{what}{}", names.of(class)));
    let columns = [
        Column::text("term"),
        Column::number("words"),
        Column::number("reviews"),
        own("", Polarity::Negative),
        own("", Polarity::Positive),
        own("", Polarity::Neutral),
        own("times_", Polarity::Negative),
        own("times_", Polarity::Positive),
        own("times_", Polarity::Neutral),
        own("share_", Polarity::Negative),
        own("share_", Polarity::Positive),
        Column::number("rate_ratio"),
        Column::number("idf"),
        Column::number("association"),
        Column::text("status"),
        Column::text("look_twice"),
    ];
    let held = report.held();
    let mut writer = session.row_writer(TERMS, path, &with_ours(&[], columns))?;
    for term in TermId::all(report.selection.statuses.len()) {
        let facts = report.facts(term, held);
        let [negative, positive, neutral] = facts.counts.map(|count| count.to_string()).into_array();
        let [often_negative, often_positive, often_neutral] =
            times[term.place()].map(|count| count.to_string()).into_array();
        let share = |class: Polarity| match mix[class] {
            0 => String::new(),
            all => (facts.counts[class] as f64 / all as f64).to_string(),
        };
        // Half a review more on either side, so that a term of one class has a ratio too.
        let rate = |class: Polarity| (facts.counts[class] as f64 + 0.5) / (mix[class] as f64 + 1.0);
        let ratio = rate(Polarity::Negative) / rate(Polarity::Positive);
        writer.row([
            facts.term.as_str(),
            &facts.made_of.words().to_string(),
            &facts.reviews.to_string(),
            &negative,
            &positive,
            &neutral,
            &often_negative,
            &often_positive,
            &often_neutral,
            &share(Polarity::Negative),
            &share(Polarity::Positive),
            &ratio.to_string(),
            &facts.idf.to_string(),
            &facts.association.to_string(),
            facts.status.name(),
            &look_twice(&facts.doubts),
        ])?;
    }
    writer.finish()?;
    Ok(())
}
