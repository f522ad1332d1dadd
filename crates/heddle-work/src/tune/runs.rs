//! Runs that are noted as soon as they are done: a line of JSON each.

use std::collections::HashMap;

use heddle_core::settings::{KEYS, Study, Value};
use heddle_files::{append, digest, read_noted};
use serde::{Deserialize, Serialize};

use super::run::Run;
use crate::error::Result;
use crate::session::Session;

/// The version of lines; it rises when a field changes its meaning or goes.
const VERSION: u32 = 1;

fn first_version() -> u32 {
    1
}

/// A line of the file.
#[derive(Serialize, Deserialize)]
struct Line {
    /// XXH3-64 of the reviews and all settings: what makes two runs the same.
    run: String,
    /// The version of the format; lines from before there were versions have the first.
    #[serde(default = "first_version")]
    version: u32,
    #[serde(flatten)]
    what: Run,
}

/// The runs of a file.
pub struct Runs {
    path: String,
    data: String,
    known: HashMap<String, Run>,
}

impl Runs {
    /// Reads the runs that stand in a file, which need not be there yet. A line that cannot be
    /// read, such as one that was being written when the program was stopped, is told and its run
    /// repeated.
    pub fn open(path: &str, data: &str, session: &Session) -> Result<Self> {
        let mut runs = Self { path: path.into(), data: data.into(), known: HashMap::new() };
        let Some(noted) = read_noted::<Line>(path)? else { return Ok(runs) };
        for (line, error) in noted.damaged {
            session.remark(&format!(
                "note: {path}, line {line}: expected a finished run, found something else: {error}; it is run again"
            ));
        }
        runs.known.extend(noted.entries.into_iter().map(|Line { run, what, .. }| (run, what)));
        Ok(runs)
    }

    /// The run of a study, if it was done before.
    pub fn find(&self, study: &Study, share: f64) -> Option<Run> {
        self.known.get(&self.key(study, share)).cloned()
    }

    /// Notes a run.
    pub fn add(&mut self, study: &Study, run: Run) -> Result<Run> {
        let key = self.key(study, run.share);
        append(&self.path, &Line { run: key.clone(), version: VERSION, what: run.clone() })?;
        self.known.insert(key, run.clone());
        Ok(run)
    }

    fn key(&self, study: &Study, share: f64) -> String {
        // Where the files are is told by the data.
        let of_work = KEYS.iter().filter(|key| key.path != "reviews.files");
        let settings: Vec<(&str, Value)> = of_work.map(|key| (key.path, key.get(study))).collect();
        let text = format!("{}\n{share}\n{}", self.data, serde_json::json!(settings));
        digest(text.as_bytes())
    }
}
