//! Which rows of a file are explained.

use heddle_core::labels::Polarity;
use heddle_core::model::{Model, Score};
use heddle_core::settings::{Condition, Study};

use crate::error::{Error, Result, fail};
use crate::reviews::keep::Keep;
use crate::reviews::texts::RowTexts;
use crate::scoring::score_each;

/// What rows must be like to be explained; all of it must hold.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct Filter {
    /// Called otherwise than they are labelled: those first whose label is least probable.
    pub mistakes: bool,
    /// Near to where verdicts change: the nearest first.
    pub nearest: bool,
    /// Called by this name: the most probable first.
    pub class: Option<String>,
    /// Conditions, as in "channel = web".
    pub slice: Vec<String>,
}

impl Filter {
    /// Whether any row will do.
    pub fn is_open(&self) -> bool {
        *self == Self::default()
    }
}

/// The rows that a filter lets through, in its order.
pub(super) fn chosen(filter: &Filter, texts: &RowTexts, model: &Model, study: &Study) -> Result<Vec<usize>> {
    let class = filter.class.as_deref().map(|name| class_of(name, model, study)).transpose()?;
    if filter.mistakes && !texts.are_rated() {
        fail!(
            Options,
            "--mistakes needs labels, and there is no column `{}`: name the one that holds them, as in --set reviews.stars=stars",
            study.reviews.rated()
        );
    }
    let rows = in_slice(&filter.slice, texts)?;
    if !(filter.mistakes || filter.nearest || class.is_some()) {
        return Ok(rows);
    }
    let scores = score_each(model, &rows, |scorer, row| scorer.score_document(&texts.document(*row)));
    let label = |row: usize| texts.label(row, study).and_then(|label| label.class);
    let fits = |(row, score): &(usize, Score)| {
        let called = score.polarity();
        class.is_none_or(|class| class == called)
            && (!filter.mistakes || label(*row).is_some_and(|label| label != called))
    };
    let mut found: Vec<(usize, Score)> = rows.into_iter().zip(scores).filter(fits).collect();
    let cuts = &model.card().cuts;
    let order = |(row, score): &(usize, Score)| match (filter.mistakes, filter.nearest) {
        (true, _) => label(*row).map_or(1.0, |label| score.probability(label)),
        (false, true) => cuts.distance(&score.verdict),
        (false, false) => -score.probability(score.polarity()),
    };
    found.sort_by(|a, b| order(a).total_cmp(&order(b)));
    Ok(found.into_iter().map(|(row, _)| row).collect())
}

fn class_of(name: &str, model: &Model, study: &Study) -> Result<Polarity> {
    let names = study.class_names();
    let list = model.classes().list();
    names.find(name).filter(|class| list.contains(class)).ok_or_else(|| {
        let known: Vec<&str> = list.iter().map(|class| names.of(*class)).collect();
        Error::Options(format!("`{name}` is no class of this model: it has {}", known.join(", ")))
    })
}

/// The rows that conditions hold of, in the order of the file.
fn in_slice(written: &[String], texts: &RowTexts) -> Result<Vec<usize>> {
    let parsed = written.iter().map(|condition| Condition::parse(condition));
    let conditions: Vec<Condition> = parsed.collect::<std::result::Result<_, _>>().map_err(Error::Options)?;
    let table = &texts.table;
    let mut keep = Keep::of(&conditions, table.place(0).0, table.columns())?;
    let holds = |row: &usize| {
        keep.holds(|at| table.cell(*row, at), || texts.document(*row).text().to_string().into())
    };
    Ok((0..table.len()).filter(holds).collect())
}
