//! Settings, studies or models against each other, on the same reviews.

use heddle_core::labels::Polarity;
use heddle_core::measure::{Dependence, Figures, Verdict};
use heddle_core::model::Model;
use heddle_core::resample::Sample;
use heddle_core::settings::Study;
use heddle_core::validate::{Difference, Validation, compare as paired, compare_verdicts, cross_validate};
use heddle_files::{Column, LoadedStudy, read_model};
use serde::Serialize;

use crate::error::{Error, Result, fail};
use crate::openings;
use crate::reviews::found::{Needs, with_found, with_found_unless_varied};
use crate::reviews::labelled::{Kept, LabelledReviews, Purpose};
use crate::reviews::labelling::Account;
use crate::reviews::names::RowNames;
use crate::roles::CHANGED;
use crate::scoring::{decide, score_all};
use crate::session::Session;
use crate::unseen::unseen;
use crate::variants::{Shared, Variant, combinations, kept, with_natural};

/// What is held against what.
#[derive(Debug, Clone, Default)]
pub struct CompareOptions {
    /// The review files; those of the study where there are none.
    pub files: Vec<String>,
    /// Settings with their values, as in "terms.words=1-1,1-2".
    pub vary: Vec<String>,
    /// Studies to hold against the one in force, or models to hold against the first of them.
    pub with: Vec<String>,
    /// Where the reviews go that are called differently, if anywhere.
    pub changed: Option<String>,
}

/// What a comparison found.
#[derive(Debug, Serialize)]
pub struct Compared {
    /// What became of every row.
    pub account: Account,
    /// The rule for classes, in words.
    pub rule: String,
    /// Folds; missing where finished models were held against each other.
    pub folds: Option<usize>,
    /// The seed of what is drawn at random.
    pub seed: u64,
    /// How often the holdout was opened, this time included.
    pub opened: Option<usize>,
    /// The ways, the first of them being what others are held against.
    pub ways: Vec<Way>,
    /// Reviews that are called differently, those apart that moved furthest.
    pub changed: Vec<Changed>,
    /// Where all of them were written.
    pub written: Option<String>,
}

/// One of the ways that are compared; the first is what the others are held against.
#[derive(Debug, Serialize)]
pub struct Way {
    /// What it is called.
    pub name: String,
    /// Its figures.
    pub figures: Figures,
    /// How it differs from the first; missing for the first itself.
    pub difference: Option<Difference>,
    /// Reviews that it calls differently from the first.
    pub changed_sides: usize,
}

/// A review that two ways call differently.
#[derive(Debug, Serialize)]
pub struct Changed {
    /// The way that is held against the first.
    pub way: String,
    /// What the review is called.
    pub id: String,
    /// Its label.
    pub truth: Polarity,
    /// What the first way says: the log-odds of positive.
    pub first: f64,
    /// What the first way calls it.
    pub first_called: Polarity,
    /// What this way says.
    pub second: f64,
    /// What this way calls it.
    pub second_called: Polarity,
    /// The text as it is written.
    pub text: String,
}

/// A way and what it says of every review that was judged.
struct Said {
    name: String,
    figures: Figures,
    verdicts: Vec<Option<Verdict>>,
    difference: Option<Difference>,
}

/// Holds settings, studies or models against each other, on the same reviews.
///
/// # Errors
/// Nothing to compare, files that cannot be read, or ways whose figures are of different labels.
pub fn compare(session: &Session, options: &CompareOptions) -> Result<Compared> {
    if options.vary.is_empty() && options.with.is_empty() {
        fail!(
            Options,
            "nothing to compare: name values with --vary section.key=a,b, or another study or model with --with FILE"
        );
    }
    let models: Vec<bool> = options.with.iter().map(|path| is_model(path)).collect::<Result<_, _>>()?;
    if models.iter().any(|model| *model) {
        if models.iter().any(|model| !model) {
            fail!(
                Options,
                "--with names both models and studies: models are tried on reviews they have not seen, studies are cross-validated; compare them apart"
            );
        }
        return compare_models(options, session);
    }
    let input = session.input(&options.files)?;
    let session = &with_found_unless_varied(session, &input, &options.vary)?;
    let variants = if options.with.is_empty() {
        let (variants, left_out) = combinations(&options.vary, None, session)?;
        left_out
            .iter()
            .for_each(|why| session.remark(&format!("note: left out, for it makes no sense: {why}")));
        variants
    } else {
        studies(&options.with, session)?
    };
    if variants.len() < 2 {
        fail!(Options, "there is one way only: name two values or more, as in --vary terms.words=1-1,1-2");
    }
    let kept = if options.with.is_empty() { kept(&options.vary) } else { Kept::All };
    let mut reviews = LabelledReviews::of(input, session, kept, Purpose::Learn)?;
    reviews.check_classes()?;
    reviews.tie_for(variants.iter().map(|variant| &variant.study), session)?;
    let said = validated(&reviews, with_natural(variants, reviews.natural), session)?;
    let judged = JudgedWays { said, folds: Some(session.study().validation.folds), opened: None };
    compared(options.changed.as_deref(), session, &reviews, judged)
}

fn is_model(path: &str) -> Result<bool> {
    let bytes = std::fs::read(path).map_err(|error| Error::Options(format!("{path}: {error}")))?;
    Ok(bytes.starts_with(b"HEDDLE\r\n"))
}

/// The study in force, and others with its reviews.
fn studies(paths: &[String], session: &Session) -> Result<Vec<Variant>> {
    let own = Variant { name: "the study in force".into(), study: session.study().clone() };
    let mut variants = vec![own];
    for path in paths {
        let mut loaded = LoadedStudy::of(Study::default());
        loaded.read_file(path)?;
        let (mut study, own) = (loaded.study, session.study());
        if study.polarity != own.polarity {
            fail!(
                Model,
                "{path}: its rule for classes is another ({}, here {}): figures of different labels cannot be held against each other",
                study.polarity,
                own.polarity
            );
        }
        // The same reviews and folds for both.
        let (text, fields) = (study.reviews.text.clone(), study.reviews.fields);
        study.reviews = own.reviews.clone();
        (study.reviews.text, study.reviews.fields) = (text, fields);
        study.validation = own.validation.clone();
        variants.push(Variant { name: path.clone(), study });
    }
    Ok(variants)
}

/// Cross-validates each on the same folds.
fn validated(reviews: &LabelledReviews, variants: Vec<Variant>, session: &Session) -> Result<Vec<Said>> {
    let sample: &Sample = &reviews.sample;
    let mut found: Vec<Option<Validation>> = variants.iter().map(|_| None).collect();
    let validating = &session.study().validation;
    let task = session.progress("folds", variants.len() * validating.folds * validating.rounds);
    let wanted: Vec<usize> = (0..variants.len()).collect();
    Shared::new(&variants).each(reviews, &wanted, session, |counted, _, path| {
        for &place in &path.places {
            // One by one: a comparison gives the very figures that validate gives.
            let Variant { name, study } = &variants[place];
            let validation = cross_validate(counted, sample, study, || task.advance(1));
            found[place] = Some(validation.map_err(|error| Error::from(error).during(name.as_str()))?);
        }
        Ok(())
    })?;
    task.end();
    let found: Vec<Validation> = found.into_iter().flatten().collect();
    let said = |(at, (variant, validation)): (usize, (Variant, &Validation))| Said {
        name: variant.name,
        figures: validation.figures.clone(),
        verdicts: validation.held_out[0].iter().map(|held| held.map(|held| held.verdict)).collect(),
        difference: (at > 0).then(|| paired(sample, &found[0], validation)),
    };
    Ok(variants.into_iter().zip(&found).enumerate().map(said).collect())
}

/// Tries finished models on reviews that they have not learnt from.
fn compare_models(options: &CompareOptions, session: &Session) -> Result<Compared> {
    if options.with.len() < 2 {
        fail!(
            Options,
            "one model is named behind --with, and two or more are held against each other: --with a.heddle --with b.heddle"
        );
    }
    let mut models: Vec<Model> =
        options.with.iter().map(|path| read_model(path)).collect::<Result<_, _>>()?;
    let first = &models[0];
    for (path, model) in options.with.iter().zip(&models) {
        if model.study().polarity != first.study().polarity || model.classes() != first.classes() {
            fail!(
                Model,
                "{path}: its rule for classes is another than that of {}: figures of different labels cannot be held against each other",
                options.with[0]
            );
        }
        if model.study().reviews.text != first.study().reviews.text {
            fail!(
                Model,
                "{path} reads other columns than {}: give both the same with --set reviews.text=COLUMN",
                options.with[0]
            );
        }
    }
    let session = session.of_model(first)?;
    if session.study().decision != first.study().decision {
        options.with.iter().zip(&mut models).try_for_each(|(path, model)| decide(model, path, &session))?;
    }
    let input = session.input(&options.files)?;
    let session = with_found(&session, &input, Needs::LABELS)?;
    let reviews = LabelledReviews::of(input, &session, Kept::Needed, Purpose::Try)?;
    if reviews.rows.is_empty() {
        fail!(Reviews, "there is no labelled review to try the models on");
    }
    let paths: Vec<&str> = options.with.iter().map(String::as_str).collect();
    let unseen = unseen(&models.iter().collect::<Vec<_>>(), &reviews, &session)?;
    let opened = openings::open(&paths, &reviews, &session)?;
    let named: Vec<(&str, &Model)> = paths.into_iter().zip(&models).collect();
    compare_open(&named, (&reviews, &unseen), (options.changed.as_deref(), opened), &session)
}

/// What models say of some reviews, each held against the first.
fn tried(models: &[(&str, &Model)], reviews: &LabelledReviews, rows: &[u32]) -> Vec<Said> {
    let Sample { labels, groups, .. } = reviews.sample.part(rows);
    let texts: Vec<_> = rows.iter().map(|at| reviews.review(*at as usize)).collect();
    let verdicts = |(_, model): &(&str, &Model)| -> Vec<Verdict> {
        score_all(model, &texts).into_iter().map(|score| score.verdict).collect()
    };
    let all: Vec<Vec<Verdict>> = models.iter().map(verdicts).collect();
    let dependence = Dependence::of_groups(&groups);
    let of_all = |verdicts: &[Verdict]| {
        let mut all = vec![None; reviews.rows.len()];
        rows.iter().zip(verdicts).for_each(|(at, verdict)| all[*at as usize] = Some(*verdict));
        all
    };
    let said = |(at, ((name, _), verdicts)): (usize, (&(&str, &Model), &Vec<Verdict>))| Said {
        name: (*name).into(),
        figures: Figures::under(&labels, verdicts, &dependence),
        verdicts: of_all(verdicts),
        difference: (at > 0).then(|| compare_verdicts(&labels, &all[0], verdicts, &dependence)),
    };
    models.iter().zip(&all).enumerate().map(said).collect()
}

/// Holds open models against the first of them on reviews that none has learnt from; those that changed sides are written
/// if there is somewhere to write them.
pub(crate) fn compare_open(
    models: &[(&str, &Model)],
    (reviews, rows): (&LabelledReviews, &[u32]),
    (changed, opened): (Option<&str>, Option<usize>),
    session: &Session,
) -> Result<Compared> {
    let said = tried(models, reviews, rows);
    compared(changed, session, reviews, JudgedWays { said, folds: None, opened })
}

/// What all ways say, and how they were judged.
struct JudgedWays {
    said: Vec<Said>,
    folds: Option<usize>,
    opened: Option<usize>,
}

fn compared(
    written: Option<&str>,
    session: &Session,
    reviews: &LabelledReviews,
    JudgedWays { said, folds, opened }: JudgedWays,
) -> Result<Compared> {
    let names = RowNames::new(reviews, session.study())?;
    let mut changed = Vec::new();
    let mut ways = Vec::new();
    for way in &said {
        let own = changes(way, &said[0], reviews, &names);
        ways.push(Way {
            name: way.name.clone(),
            figures: way.figures.clone(),
            difference: way.difference.clone(),
            changed_sides: own.len(),
        });
        changed.extend(own);
    }
    if let Some(path) = written {
        write_changed((session, path), &names, &changed)?;
    }
    Ok(Compared {
        account: reviews.account.clone(),
        rule: session.study().rule(reviews.account.by_name),
        folds,
        seed: session.study().validation.seed,
        opened,
        ways,
        changed,
        written: written.map(String::from),
    })
}

/// The reviews that a way calls differently from the first, those apart that moved furthest.
fn changes(way: &Said, first: &Said, reviews: &LabelledReviews, names: &RowNames) -> Vec<Changed> {
    let both = way.verdicts.iter().zip(&first.verdicts).enumerate();
    let pairs = both.filter_map(|(at, (second, first))| Some((at, (*first)?, (*second)?)));
    let mut moved: Vec<(usize, Verdict, Verdict)> =
        pairs.filter(|(_, first, second)| first.called != second.called).collect();
    let by = |(_, first, second): &(usize, Verdict, Verdict)| (second.log_odds - first.log_odds).abs();
    moved.sort_by(|a, b| by(b).total_cmp(&by(a)));
    let changed = |(at, one, other): (usize, Verdict, Verdict)| Changed {
        way: way.name.clone(),
        id: names.of(at).into(),
        truth: reviews.sample.labels[at],
        first: one.log_odds,
        first_called: one.called,
        second: other.log_odds,
        second_called: other.called,
        text: reviews.review(at).text().into(),
    };
    moved.into_iter().map(changed).collect()
}

fn write_changed((session, path): (&Session, &str), rows: &RowNames, changed: &[Changed]) -> Result<()> {
    let names = session.study().class_names();
    let number = |name: &str| Column::number(name);
    let columns = [
        Column::text(rows.column()),
        Column::text("way"),
        Column::text("truth"),
        number("first_log_odds"),
        Column::text("first_polarity"),
        number("log_odds"),
        Column::text("polarity"),
        Column::text("text"),
    ];
    let mut writer = session.row_writer(CHANGED, path, &columns)?;
    for one in changed {
        writer.row([
            one.id.as_str(),
            &one.way,
            names.of(one.truth),
            &one.first.to_string(),
            names.of(one.first_called),
            &one.second.to_string(),
            names.of(one.second_called),
            &one.text,
        ])?;
    }
    writer.finish()?;
    Ok(())
}
