//! Sentences whose meaning is known, and what a model makes of them.

use heddle_core::explain::{
    Expected, KindPassed, Probe, Probed, built_in_probes, passed_by_kind, probe as probe_model, short_probes,
};
use heddle_core::labels::ClassNames;
use heddle_core::measure::Figure;
use heddle_core::model::Model;
use heddle_files::{Column, Record, find_column};
use serde::Serialize;

use crate::error::{Result, fail};
use crate::roles::PROBED;
use crate::scoring::open;
use crate::session::Session;
use crate::words::count;

/// Which model is tried on which sentences.
#[derive(Debug, Clone, Default)]
pub struct ProbeOptions {
    /// The model file.
    pub model: String,
    /// A file of sentences; those that come along where none is named.
    pub suite: Option<String>,
    /// An earlier model, to be held against.
    pub against: Option<String>,
    /// The kinds of sentences that are tried; all where none is named.
    pub kinds: Vec<String>,
    /// Where every sentence is written with what was expected and what came, if anywhere.
    pub out: Option<String>,
}

/// What a model makes of sentences.
#[derive(Debug, Serialize)]
pub struct ProbedModel {
    /// The model file.
    pub model: String,
    /// The file of sentences; missing for those that come along.
    pub suite: Option<String>,
    /// The share that passes.
    pub passed: Figure,
    /// The same by kind.
    pub kinds: Vec<KindPassed>,
    /// Every sentence.
    pub sentences: Vec<Probed>,
    /// What an earlier model makes of them, where one was named.
    pub against: Option<Against>,
    /// Cross-validated accuracy of the model, where there is one.
    pub accuracy: Option<Figure>,
    /// Where the sentences were written.
    pub written: Option<String>,
    /// What the classes are called, where the analyst has names of their own for them.
    #[serde(rename = "class_names", skip_serializing_if = "ClassNames::are_usual")]
    pub names: ClassNames,
}

/// What an earlier model makes of the same sentences.
#[derive(Debug, Serialize)]
pub struct Against {
    /// The model file.
    pub model: String,
    /// The share that passes.
    pub passed: Figure,
    /// The same by kind.
    pub kinds: Vec<KindPassed>,
    /// Places in the list of sentences of those that pass with the later model alone.
    pub mended: Vec<usize>,
    /// Places of those that pass with the earlier model alone.
    pub broken: Vec<usize>,
}

/// The short form, as it runs after every training.
#[derive(Debug, Serialize)]
pub struct ShortProbes {
    /// The share that passes.
    pub passed: Figure,
    /// The same by kind.
    pub kinds: Vec<KindPassed>,
}

impl ShortProbes {
    pub(crate) fn of(model: &Model) -> Self {
        let (kinds, passed) = passed_by_kind(&probe_model(model, &short_probes(model)));
        Self { passed, kinds }
    }
}

/// Tries a model on sentences whose meaning is known.
///
/// # Errors
/// A model or suite that cannot be read, a suite without sentences, or a kind that is not in it.
pub fn probe(session: &Session, options: &ProbeOptions) -> Result<ProbedModel> {
    let (model, session) = open(&options.model, session)?;
    probed(&model, options, &session)
}

/// Tries an open model on sentences.
pub(crate) fn probed(model: &Model, options: &ProbeOptions, session: &Session) -> Result<ProbedModel> {
    let names = session.study().class_names();
    let mut probes = match &options.suite {
        Some(file) => read_suite(file, &names, session)?,
        None => built_in_probes(model),
    };
    of_kinds(&options.kinds, &mut probes)?;
    let sentences = probe_model(model, &probes);
    let (kinds, passed) = passed_by_kind(&sentences);
    let against = match &options.against {
        Some(path) => Some(hold_against(path, &probes, &sentences, session)?),
        None => None,
    };
    if let Some(path) = &options.out {
        write_sentences(path, &sentences, &names, session)?;
    }
    Ok(ProbedModel {
        model: options.model.clone(),
        suite: options.suite.clone(),
        passed,
        kinds,
        sentences,
        against,
        accuracy: model.card().validated.as_ref().map(|validated| validated.figures.accuracy),
        written: options.out.clone(),
        names,
    })
}

/// Keeps the sentences of some kinds.
fn of_kinds(kinds: &[String], probes: &mut Vec<Probe>) -> Result<()> {
    for kind in kinds {
        if !probes.iter().any(|probe| probe.kind == *kind) {
            let mut known: Vec<&str> = probes.iter().map(|probe| probe.kind.as_str()).collect();
            known.dedup();
            fail!(Options, "no sentence is of the kind `{kind}`: there are {}", known.join(", "));
        }
    }
    probes.retain(|probe| kinds.is_empty() || kinds.contains(&probe.kind));
    Ok(())
}

fn hold_against(path: &str, probes: &[Probe], now: &[Probed], session: &Session) -> Result<Against> {
    let (model, _) = open(path, session)?;
    let then = probe_model(&model, probes);
    let (kinds, passed) = passed_by_kind(&then);
    let [mended, broken] = mended_and_broken(&then, now);
    Ok(Against { model: path.into(), passed, kinds, mended, broken })
}

/// The places of the sentences that pass with the later of two models alone, and of those that do with the earlier.
pub(crate) fn mended_and_broken(then: &[Probed], now: &[Probed]) -> [Vec<usize>; 2] {
    let places = |takes: fn(bool, bool) -> bool| {
        let both = then.iter().zip(now).enumerate();
        both.filter(|(_, (then, now))| takes(then.passed, now.passed)).map(|(at, _)| at).collect()
    };
    [places(|then, now| !then && now), places(|then, now| then && !now)]
}

/// Reads a suite: columns `kind`, `text`, `expected` and, where sentences are held against others, `than`.
fn read_suite(file: &str, names: &ClassNames, session: &Session) -> Result<Vec<Probe>> {
    let mut rows = session.open_reviews(file)?;
    let columns = rows.columns().to_vec();
    let [kind, text, expected] =
        ["kind", "text", "expected"].map(|name| find_column(rows.file(), &columns, name));
    let (kind, text, expected) = (kind?, text?, expected?);
    let than = columns.iter().position(|column| column.name == "than");
    let (mut probes, mut record) = (Vec::new(), Record::new());
    while let Some(line) = rows.next_sound(&mut record)? {
        let wanted = &record[expected];
        let wrong = |column: &str, why: String| {
            crate::Error::Reviews(format!("{file}, line {line}, column `{column}`: {why}"))
        };
        let Some(wanted) = Expected::read(wanted, names) else {
            let known: Vec<&str> = Expected::ALL.iter().map(|expected| expected.name()).collect();
            return Err(wrong(
                "expected",
                format!("`{wanted}` is nothing to expect: expected one of {}", known.join(", ")),
            ));
        };
        let than = than.map(|at| record[at].trim()).filter(|than| !than.is_empty());
        match (wanted.is_of_two(), than) {
            (true, None) => {
                let what = wanted.name();
                return Err(wrong(
                    "than",
                    format!(
                        "it is blank, and `{what}` holds a sentence against another: write that one here"
                    ),
                ));
            }
            (false, Some(_)) => {
                let what = wanted.name();
                return Err(wrong(
                    "than",
                    format!(
                        "`{what}` is expected of the sentence alone: leave this blank, or expect same, better or worse"
                    ),
                ));
            }
            _ => {}
        }
        probes.push(Probe {
            kind: record[kind].trim().into(),
            text: record[text].into(),
            expected: wanted,
            than: than.map(String::from),
            template: probes.len(),
        });
    }
    if probes.is_empty() {
        fail!(
            Reviews,
            "{file} holds no sentence: expected rows of kind, text, expected and, for two sentences, than"
        );
    }
    session.remark(&format!("note: {} of {file}", count(probes.len(), "sentence")));
    Ok(probes)
}

fn write_sentences(path: &str, sentences: &[Probed], names: &ClassNames, session: &Session) -> Result<()> {
    let columns = [
        Column::text("kind"),
        Column::text("text"),
        Column::text("expected"),
        Column::text("than"),
        Column::text("called"),
        Column::number("log_odds"),
        Column::number("log_odds_than"),
        Column::text("passed"),
    ];
    let mut writer = session.row_writer(PROBED, path, &columns)?;
    for own in sentences {
        writer.row([
            own.probe.kind.as_str(),
            &own.probe.text,
            own.probe.expected.name(),
            own.probe.than.as_deref().unwrap_or_default(),
            names.of(own.called),
            &own.log_odds.to_string(),
            &own.log_odds_than.map_or(String::new(), |odds| odds.to_string()),
            if own.passed { "yes" } else { "no" },
        ])?;
    }
    writer.finish()?;
    Ok(())
}
