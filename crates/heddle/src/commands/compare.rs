//! Settings, studies or models against each other, on the same reviews.

use anyhow::bail;
use heddle_core::{
    Difference, Figures, Model, Polarity, Sample, Study, Validation, Verdict, compare, compare_verdicts,
    cross_validate, within,
};
use heddle_files::{CellKind, Column, LoadedStudy, RowWriter, read_model};
use serde::Serialize;

use crate::args::CompareArgs;
use crate::commands::learn::told;
use crate::commands::opened::score_all;
use crate::commands::tune::with_natural;
use crate::commands::validate::{RowNames, points};
use crate::commands::variants::{Shared, Variant, combinations};
use crate::desk::{Answer, Desk};
use crate::intake::{Intake, Kept, Purpose};
use crate::labelling::Account;
use crate::locked;
use crate::view::figures::{plain, share, share_with_interval};
use crate::view::table::{Side, Table};
use crate::view::{Page, class, count, cut, number, signed, width};

/// What a comparison found.
#[derive(Serialize)]
struct Compared {
    account: Account,
    rule: String,
    /// Folds; missing where finished models were held against each other.
    folds: Option<usize>,
    seed: u64,
    /// How often the holdout was opened, this time included.
    opened: Option<usize>,
    ways: Vec<Way>,
    changed: Vec<Changed>,
    written: Option<String>,
    #[serde(skip)]
    top: usize,
}

/// One of the ways that are compared; the first is what the others are held against.
#[derive(Serialize)]
struct Way {
    name: String,
    figures: Figures,
    /// How it differs from the first; missing for the first itself.
    difference: Option<Difference>,
    changed_sides: usize,
}

/// A review that two ways call differently.
#[derive(Serialize)]
struct Changed {
    /// The way that is held against the first.
    way: String,
    id: String,
    truth: Polarity,
    first: f64,
    first_called: Polarity,
    second: f64,
    second_called: Polarity,
    text: String,
}

/// A way and what it says of every review that was judged.
struct Said {
    name: String,
    figures: Figures,
    verdicts: Vec<Option<Verdict>>,
    difference: Option<Difference>,
}

/// Compares.
pub fn run(args: &CompareArgs, desk: &Desk) -> anyhow::Result<usize> {
    if args.varied.vary.is_empty() && args.with.is_empty() {
        bail!(
            "nothing to compare: name values with --vary section.key=a,b, or another study or model with --with FILE"
        );
    }
    let models: Vec<bool> = args.with.iter().map(|path| is_model(path)).collect::<Result<_, _>>()?;
    if models.iter().any(|model| *model) {
        if models.iter().any(|model| !model) {
            bail!(
                "--with names both models and studies: models are tried on reviews they have not seen, studies are cross-validated; compare them apart"
            );
        }
        return models_run(args, desk);
    }
    let variants = if args.with.is_empty() {
        let (variants, left_out) = combinations(&args.varied.vary, None, desk)?;
        left_out.iter().for_each(|why| desk.remark(&format!("note: left out, for it makes no sense: {why}")));
        variants
    } else {
        studies(&args.with, desk)?
    };
    if variants.len() < 2 {
        bail!("there is one way only: name two values or more, as in --vary terms.words=1-1,1-2");
    }
    let text_varies =
        !args.with.is_empty() || args.varied.vary.iter().any(|vary| vary.starts_with("reviews."));
    let kept = if text_varies { Kept::All } else { Kept::Needed };
    let intake = Intake::read(&args.files, desk, kept, Purpose::Learn)?;
    intake.check_classes()?;
    let said = validated(&intake, with_natural(variants, intake.natural), desk)?;
    answer(args, desk, &intake, said, Some(desk.study().validation.folds), None)
}

fn is_model(path: &str) -> anyhow::Result<bool> {
    let bytes = std::fs::read(path).map_err(|error| anyhow::anyhow!("{path}: {error}"))?;
    Ok(bytes.starts_with(b"HEDDLE\r\n"))
}

/// The study in force, and others with its reviews.
fn studies(paths: &[String], desk: &Desk) -> anyhow::Result<Vec<Variant>> {
    let own = Variant { name: "the study in force".into(), study: desk.study().clone() };
    let mut variants = vec![own];
    for path in paths {
        let mut loaded = LoadedStudy::of(Study::default());
        loaded.read_file(path)?;
        let (mut study, own) = (loaded.study, desk.study());
        if study.polarity != own.polarity {
            bail!(
                "{path}: its rule for classes is another ({}, here {}): figures of different labels cannot be held against each other",
                study.polarity,
                own.polarity
            );
        }
        // The same reviews and folds for both.
        let (text, fields) = (study.reviews.text.clone(), study.reviews.fields);
        study.reviews = own.reviews.clone();
        (study.reviews.text, study.reviews.fields) = (text, fields);
        study.validation = own.validation;
        variants.push(Variant { name: path.clone(), study });
    }
    Ok(variants)
}

/// Cross-validates each on the same folds.
fn validated(intake: &Intake, variants: Vec<Variant>, desk: &Desk) -> anyhow::Result<Vec<Said>> {
    let sample: &Sample = &intake.sample;
    let mut found: Vec<Option<Validation>> = variants.iter().map(|_| None).collect();
    let validating = &desk.study().validation;
    let bar = desk.progress("folds", variants.len() * validating.folds * validating.rounds);
    bar.tick();
    let wanted: Vec<usize> = (0..variants.len()).collect();
    Shared::new(&variants).each(intake, &wanted, |_, counted, _, path| {
        for &place in &path.places {
            // One by one: a comparison gives the very figures that validate gives.
            let Variant { name, study } = &variants[place];
            let validation = cross_validate(counted, sample, study, || bar.inc(1));
            found[place] = Some(validation.map_err(|error| told(error).context(name.clone()))?);
        }
        Ok(())
    })?;
    bar.finish_and_clear();
    let found: Vec<Validation> = found.into_iter().flatten().collect();
    let said = |(at, (variant, validation)): (usize, (Variant, &Validation))| Said {
        name: variant.name,
        figures: validation.figures.clone(),
        verdicts: validation.held_out[0].iter().map(|held| held.map(|held| held.verdict)).collect(),
        difference: (at > 0).then(|| compare(sample, &found[0], validation)),
    };
    Ok(variants.into_iter().zip(&found).enumerate().map(said).collect())
}

/// Tries finished models on reviews that they have not learnt from.
fn models_run(args: &CompareArgs, desk: &Desk) -> anyhow::Result<usize> {
    if args.with.len() < 2 {
        bail!("there is one model only: name two or more with --with");
    }
    let models: Vec<Model> = args.with.iter().map(|path| read_model(path)).collect::<Result<_, _>>()?;
    let first = &models[0];
    for (path, model) in args.with.iter().zip(&models) {
        if model.study().polarity != first.study().polarity || model.classes() != first.classes() {
            bail!(
                "{path}: its rule for classes is another than that of {}: figures of different labels cannot be held against each other",
                args.with[0]
            );
        }
        if model.study().reviews.text != first.study().reviews.text {
            bail!(
                "{path} reads other columns than {}: give both the same with --set reviews.text=COLUMN",
                args.with[0]
            );
        }
    }
    let desk = desk.of_model(first)?;
    let intake = Intake::read(&args.files, &desk, Kept::Needed, Purpose::Try)?;
    if intake.rows.is_empty() {
        bail!("there is no labelled review to try the models on");
    }
    let paths: Vec<&str> = args.with.iter().map(String::as_str).collect();
    let opened = locked::open(&paths, &intake, &desk)?;
    let labels = &intake.sample.labels;
    let texts: Vec<_> = (0..intake.rows.len()).map(|at| intake.review(at)).collect();
    let all: Vec<Vec<Verdict>> = models
        .iter()
        .map(|model| score_all(model, &texts).into_iter().map(|score| score.verdict).collect())
        .collect();
    let said = |(at, (name, verdicts)): (usize, (&String, &Vec<Verdict>))| Said {
        name: name.clone(),
        figures: Figures::new(labels, verdicts),
        verdicts: verdicts.iter().copied().map(Some).collect(),
        difference: (at > 0).then(|| compare_verdicts(labels, &all[0], verdicts)),
    };
    let said = args.with.iter().zip(&all).enumerate().map(said).collect();
    answer(args, &desk, &intake, said, None, opened)
}

fn answer(
    args: &CompareArgs,
    desk: &Desk,
    intake: &Intake,
    said: Vec<Said>,
    folds: Option<usize>,
    opened: Option<usize>,
) -> anyhow::Result<usize> {
    let names = RowNames::new(intake, desk.study())?;
    let mut changed = Vec::new();
    let mut ways = Vec::new();
    for way in &said {
        let own = changes(way, &said[0], intake, &names);
        ways.push(Way {
            name: way.name.clone(),
            figures: way.figures.clone(),
            difference: way.difference.clone(),
            changed_sides: own.len(),
        });
        changed.extend(own);
    }
    if let Some(path) = &args.changed {
        write_changed((desk, path), &names, &changed)?;
    }
    let found = Compared {
        account: intake.account.clone(),
        rule: desk.study().polarity.to_string(),
        folds,
        seed: desk.study().validation.seed,
        opened,
        ways,
        changed,
        written: args.changed.clone(),
        top: args.top,
    };
    desk.answer("compare", &found)?;
    Ok(intake.account.refused)
}

/// The reviews that a way calls differently from the first, those apart that moved furthest.
fn changes(way: &Said, first: &Said, intake: &Intake, names: &RowNames) -> Vec<Changed> {
    let both = way.verdicts.iter().zip(&first.verdicts).enumerate();
    let pairs = both.filter_map(|(at, (second, first))| Some((at, (*first)?, (*second)?)));
    let mut moved: Vec<(usize, Verdict, Verdict)> =
        pairs.filter(|(_, first, second)| first.called != second.called).collect();
    let by = |(_, first, second): &(usize, Verdict, Verdict)| (second.log_odds - first.log_odds).abs();
    moved.sort_by(|a, b| by(b).total_cmp(&by(a)));
    let changed = |(at, one, other): (usize, Verdict, Verdict)| Changed {
        way: way.name.clone(),
        id: names.of(at).into(),
        truth: intake.sample.labels[at],
        first: one.log_odds,
        first_called: one.called,
        second: other.log_odds,
        second_called: other.called,
        text: intake.review(at).text().into(),
    };
    moved.into_iter().map(changed).collect()
}

fn write_changed((desk, path): (&Desk, &str), names: &RowNames, changed: &[Changed]) -> anyhow::Result<()> {
    let number = |name: &str| Column { name: name.into(), kind: CellKind::Number };
    let columns = [
        Column::text(names.column()),
        Column::text("way"),
        Column::text("truth"),
        number("first_log_odds"),
        Column::text("first_polarity"),
        number("log_odds"),
        Column::text("polarity"),
        Column::text("text"),
    ];
    let mut writer = RowWriter::create(desk.outputs(), path, &columns)?;
    for one in changed {
        writer.row([
            one.id.as_str(),
            &one.way,
            one.truth.name(),
            &one.first.to_string(),
            one.first_called.name(),
            &one.second.to_string(),
            one.second_called.name(),
            &one.text,
        ])?;
    }
    writer.finish()?;
    Ok(())
}

impl Answer for Compared {
    fn show(&self, page: &mut Page) {
        let reviews = count(self.account.labelled(), "review");
        page.heading(&match self.folds {
            Some(folds) => {
                format!("{} on the same {folds} folds of {reviews}", count(self.ways.len(), "way"))
            }
            None => format!("{} on the same {reviews}", count(self.ways.len(), "model")),
        });
        self.show_figures(page);
        if let Some(opened) = self.opened {
            page.note(&format!("This holdout was opened {}: what is chosen by its figures fits it better than reviews to come.", count(opened, "time")));
        }
        for way in &self.ways[1..] {
            self.show_difference(page, way);
        }
        page.note(if self.folds.is_some() {
            "Differences are paired: the same reviews, the same folds; intervals by the corrected resampled t test, for folds share training reviews."
        } else {
            "Differences are paired by review."
        });
        self.show_changed(page);
        if let Some(path) = &self.written {
            page.heading(&format!("Written: {path}, all reviews that changed sides"));
        }
    }
}

impl Compared {
    fn show_figures(&self, page: &mut Page) {
        let mut table = Table::new(&[
            ("accuracy", Side::Right),
            ("balanced", Side::Right),
            ("ROC area", Side::Right),
            ("log loss", Side::Right),
            ("", Side::Left),
        ]);
        for way in &self.ways {
            let figures = &way.figures;
            table.row([
                share_with_interval(&figures.accuracy),
                share(&figures.balanced_accuracy),
                plain(&figures.roc_area),
                plain(&figures.log_loss),
                way.name.clone(),
            ]);
        }
        table.put(page);
    }

    fn show_difference(&self, page: &mut Page, way: &Way) {
        let Some(difference) = &way.difference else { return };
        page.heading(&format!("{} against {}", way.name, self.ways[0].name));
        let mut table = Table::new(&[("", Side::Left), ("difference", Side::Right), ("", Side::Left)]);
        let loss = |value: Option<f64>| value.map_or("–".into(), |value| format!("{value:+.4}"));
        let log_loss = &difference.log_loss;
        table.row(["accuracy".into(), points(&difference.accuracy), words(&difference.accuracy, false)]);
        let balanced = &difference.balanced_accuracy;
        table.row(["balanced accuracy".into(), points(balanced), words(balanced, false)]);
        let shown = format!("{} ({} to {})", loss(log_loss.value), loss(log_loss.low), loss(log_loss.high));
        table.row(["log loss".into(), shown, words(log_loss, true)]);
        table.put(page);
        page.note(&format!(
            "{} changed sides: {} right only before, {} right only now; McNemar p = {:.3}{}.",
            count(way.changed_sides, "review"),
            number(difference.only_first),
            number(difference.only_second),
            difference.mcnemar,
            if difference.mcnemar < 0.05 { "" } else { ", which chance explains" }
        ));
    }

    fn show_changed(&self, page: &mut Page) {
        if self.changed.is_empty() {
            return;
        }
        page.heading("Changed sides, the furthest first");
        let several = self.ways.len() > 2;
        let mut header =
            vec![("", Side::Left), ("labelled", Side::Left), ("before", Side::Right), ("now", Side::Right)];
        if several {
            header.push(("now is", Side::Left));
        }
        header.push(("", Side::Left));
        let mut table = Table::new(&header);
        let mut furthest: Vec<&Changed> = self.changed.iter().collect();
        furthest.sort_by(|a, b| (b.second - b.first).abs().total_cmp(&(a.second - a.first).abs()));
        for one in furthest.into_iter().take(self.top) {
            let mut cells = vec![one.id.clone(), class(one.truth), signed(one.first), signed(one.second)];
            if several {
                cells.push(cut(&one.way, 28));
            }
            cells.push(cut(&one.text, width()));
            table.row(cells);
        }
        table.put(page);
    }
}

/// What a difference says.
fn words(figure: &heddle_core::Figure, less_is_better: bool) -> String {
    match figure.value {
        None => "cannot be told".into(),
        Some(_) if within(figure) => "within noise".into(),
        Some(value) if (value < 0.0) == less_is_better => "better, by more than noise".into(),
        Some(_) => "worse, by more than noise".into(),
    }
}
