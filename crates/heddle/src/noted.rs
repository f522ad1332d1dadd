//! Figures that are kept: a line in the ledger for each time they were produced.

use std::collections::BTreeMap;
use std::path::Path;

use heddle_core::{ClassCounts, Figure, Figures, KEYS, Key, Study, Value};
use heddle_files::{Entry, Input, digest_of, discreet, is_ledger, note};

use crate::desk::Desk;

/// Figures to be noted in a ledger.
pub struct Noted<'a> {
    /// The command.
    pub command: &'a str,
    /// The folder whose ledger it goes to.
    pub folder: &'a Path,
    /// The reviews.
    pub input: &'a Input,
    /// The model, where there is one.
    pub model: Option<&'a str>,
    /// Reviews of each class, in the order of [`heddle_core::Polarity::index`].
    pub mix: ClassCounts,
    /// The figures.
    pub figures: &'a Figures,
    /// The holdouts that were opened for them.
    pub holdouts: &'a [String],
}

impl Desk {
    /// The ledger of a folder, unless another one or none is asked for.
    pub fn ledger_path(&self, folder: &Path) -> Option<String> {
        match self.ledger() {
            Some("none") => None,
            Some(path) => Some(path.to_string()),
            None => Some(folder.join("ledger.jsonl").display().to_string()),
        }
    }

    /// Notes figures in the ledger. A ledger that cannot be written is told and is no failure, the
    /// figures themselves being there; but where it counts looks at a holdout it is one.
    ///
    /// # Errors
    /// If a look at a holdout cannot be counted.
    pub fn note(&self, noted: Noted<'_>) -> anyhow::Result<()> {
        let Some(path) = self.ledger_path(noted.folder) else { return Ok(()) };
        let counts = !noted.holdouts.is_empty();
        let written = self.entry(noted).and_then(|entry| {
            if self.ledger().is_none() && !is_ledger(&path) {
                anyhow::bail!("{path} is no ledger: name another with --ledger FILE");
            }
            Ok(note(&path, &entry)?)
        });
        match written {
            Err(error) if counts => {
                Err(error.context("the look at the holdout cannot be counted, so no figure of it is shown"))
            }
            Err(error) => {
                self.remark(&format!("note: the figures are not noted in {path}: {error:#}"));
                Ok(())
            }
            Ok(()) => Ok(()),
        }
    }

    fn entry(&self, noted: Noted<'_>) -> anyhow::Result<Entry> {
        let (study, usual) = (self.study(), Study::default());
        let digests = noted.input.digests()?;
        let data = match digests.as_slice() {
            [one] => one.clone(),
            several => fingerprint(several.concat().as_bytes()),
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
            command: noted.command.into(),
            files: noted.input.names().map(discreet).collect(),
            data,
            settings: fingerprint(&serde_json::to_vec(&settings)?),
            changed: changed.map(|key| (key.path.to_string(), value(key))).collect(),
            model: noted.model.map(digest_of).transpose()?,
            mix: noted.mix.into_iter().take(heddle_core::Classes::of(noted.mix).list().len()).collect(),
            holdouts: noted.holdouts.to_vec(),
            figures: by_name(noted.figures),
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
pub fn now() -> String {
    jiff::Timestamp::now().strftime("%Y-%m-%dT%H:%M:%SZ").to_string()
}

/// The folder that a file stands in.
pub fn folder_of(path: &str) -> &Path {
    heddle_files::folder_of(Path::new(path))
}

fn fingerprint(bytes: &[u8]) -> String {
    format!("{:016x}", xxhash_rust::xxh3::xxh3_64(bytes))
}
