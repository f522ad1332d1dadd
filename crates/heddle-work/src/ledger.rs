//! Figures that are kept: a line in the ledger for each time they were produced, and a list of them.

use std::collections::BTreeMap;
use std::path::Path;

use heddle_core::labels::ClassCounts;
use heddle_core::measure::{Figure, Figures};
use heddle_core::settings::{KEYS, Key, Study, Value, nearest};
use heddle_files::{Entry, Input, Ledger, digest, digest_of, discreet, is_ledger, note};
use serde::Serialize;

use crate::error::{Result, fail};
use crate::session::Session;

/// Figures to be new in a ledger.
pub(crate) struct NewEntry<'a> {
    /// The command.
    pub command: &'a str,
    /// The folder whose ledger it goes to.
    pub folder: &'a Path,
    /// The reviews.
    pub input: &'a Input,
    /// The model, where there is one.
    pub model: Option<&'a str>,
    /// Reviews of each class, in the order of [`heddle_core::labels::Polarity::index`].
    pub counts: ClassCounts,
    /// The figures.
    pub figures: &'a Figures,
    /// The holdouts that were opened for them.
    pub holdouts: &'a [String],
}

impl Session {
    /// Notes figures in the ledger. A ledger that cannot be written is told and is no failure, the
    /// figures themselves being there; but where it counts looks at a holdout it is one.
    ///
    /// # Errors
    /// If a look at a holdout cannot be counted.
    pub(crate) fn note(&self, new: NewEntry<'_>) -> Result<()> {
        let Some(path) = self.ledger_path(new.folder) else { return Ok(()) };
        let counts = !new.holdouts.is_empty();
        let written = self.entry(new).and_then(|entry| {
            if self.has_usual_ledger() && !is_ledger(&path) {
                fail!(Options, "{path} is no ledger: name another with --ledger FILE");
            }
            Ok(note(&path, &entry)?)
        });
        match written {
            Err(error) if counts => {
                Err(error.during("the look at the holdout cannot be counted, so no figure of it is shown"))
            }
            Err(error) => {
                self.remark(&format!("note: the figures are not noted in {path}: {}", error.story()));
                Ok(())
            }
            Ok(()) => Ok(()),
        }
    }

    fn entry(&self, new: NewEntry<'_>) -> Result<Entry> {
        let (study, usual) = (self.study(), Study::default());
        let digests = new.input.digests()?;
        let data = match digests.as_slice() {
            [one] => one.clone(),
            several => digest(several.concat().as_bytes()),
        };
        // Where the files are is told by `files`; equal work elsewhere has equal settings.
        let about_work = |key: &&Key| key.path != "reviews.files";
        let keys = || KEYS.iter().filter(about_work);
        let settings: Vec<(&str, Value)> = keys().map(|key| (key.path, key.get(study))).collect();
        let changed = keys().filter(|key| key.get(study) != key.get(&usual));
        let value = |key: &Key| serde_json::json!(key.get(study));
        Ok(Entry {
            version: Entry::version(),
            time: now(),
            command: new.command.into(),
            files: new.input.names().map(discreet).collect(),
            data,
            settings: digest(&serde_json::to_vec(&settings)?),
            changed: changed.map(|key| (key.path.to_string(), value(key))).collect(),
            model: new.model.map(digest_of).transpose()?,
            mix: new
                .counts
                .into_iter()
                .take(heddle_core::labels::Classes::of(new.counts).list().len())
                .collect(),
            holdouts: new.holdouts.to_vec(),
            figures: by_name(new.figures),
            seconds: self.seconds(),
        })
    }
}

/// Figures under the names that they have in a ledger.
fn by_name(figures: &Figures) -> BTreeMap<String, Figure> {
    let mut named: BTreeMap<String, Figure> = [
        ("accuracy", figures.accuracy),
        ("balanced_accuracy", figures.balanced_accuracy),
        ("matthews", figures.matthews),
        ("roc_area", figures.roc_area),
        ("log_loss", figures.log_loss),
        ("brier", figures.brier),
    ]
    .map(|(name, figure)| (name.to_string(), figure))
    .into();
    for own in &figures.classes {
        named.insert(format!("recall_{}", own.class.name()), own.recall);
        named.insert(format!("precision_{}", own.class.name()), own.precision);
    }
    named
}

/// The time, in UTC, to the second.
pub(crate) fn now() -> String {
    jiff::Timestamp::now().strftime("%Y-%m-%dT%H:%M:%SZ").to_string()
}

/// The folder that a file stands in.
pub(crate) fn folder_of(path: &str) -> &Path {
    heddle_files::folder_of(Path::new(path))
}

/// Figures of which less is better.
const LESS_IS_BETTER: [&str; 2] = ["log_loss", "brier"];

/// Which entries of a ledger are listed, and in which order.
#[derive(Debug, Clone)]
pub struct ListOptions {
    /// The ledger, or the folder that it stands in.
    pub ledger: String,
    /// The figure to sort by, or "time".
    pub by: String,
    /// How many are listed.
    pub top: usize,
}

/// Entries of a ledger.
#[derive(Debug, Serialize)]
pub struct Listed {
    /// The ledger.
    pub ledger: String,
    /// What they are sorted by.
    pub by: String,
    /// All entries of the ledger; those shown are in `entries`.
    pub noted: usize,
    /// The entries that were asked for.
    pub entries: Vec<Entry>,
    /// Lines that are no entry, with the reason.
    pub damaged: Vec<(usize, String)>,
}

/// Lists the entries of a ledger, the best first; lines that are no entry are told.
///
/// # Errors
/// A ledger that is not there, or a figure that no entry has.
pub fn list(session: &Session, options: &ListOptions) -> Result<Listed> {
    let ListOptions { ledger, by, top } = options;
    let path = match Path::new(ledger) {
        folder if folder.is_dir() => folder.join("ledger.jsonl").display().to_string(),
        _ => ledger.clone(),
    };
    let Ledger { mut entries, damaged } = Ledger::read(&path)?;
    let noted = entries.len();
    sort(&mut entries, by)?;
    entries.truncate(*top);
    for (line, why) in &damaged {
        session
            .remark(&format!("refused: {path}, line {line}: expected an entry, found something else: {why}"));
    }
    Ok(Listed { ledger: path, by: by.clone(), noted, entries, damaged })
}

/// The best first; by time, the latest first.
fn sort(entries: &mut [Entry], by: &str) -> Result<()> {
    if by == "time" {
        entries.sort_by(|a, b| b.time.cmp(&a.time));
        return Ok(());
    }
    let names: Vec<&str> =
        entries.iter().flat_map(|entry| entry.figures.keys().map(String::as_str)).collect();
    if !entries.is_empty() && !names.contains(&by) {
        let mut names = names;
        names.sort_unstable();
        names.dedup();
        let near = nearest(by, names.iter().copied())
            .map_or(String::new(), |near| format!("; did you mean `{near}`?"));
        fail!(Options, "no figure is called `{by}`{near}; there are time, {}", names.join(", "));
    }
    let sign = if LESS_IS_BETTER.contains(&by) { -1.0 } else { 1.0 };
    // An entry without the figure comes last.
    let worth = |entry: &Entry| {
        entry.figures.get(by).and_then(|figure| figure.value).map_or(f64::NEG_INFINITY, |value| sign * value)
    };
    entries.sort_by(|a, b| worth(b).total_cmp(&worth(a)));
    Ok(())
}
