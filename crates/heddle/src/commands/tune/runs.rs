//! Runs that are noted as soon as they are done: a line of JSON each.

use std::collections::HashMap;
use std::fs::{File, OpenOptions};
use std::io::{BufRead, BufReader, ErrorKind, Write};

use anyhow::Context;
use heddle_core::{KEYS, Study, Trial, Value};
use serde::{Deserialize, Serialize};

use crate::desk::Desk;

/// One run.
#[derive(Debug, Clone, Serialize, Deserialize)]
pub struct Run {
    /// The settings that were varied.
    pub name: String,
    /// The share of the training reviews that was learnt from.
    pub share: f64,
    #[serde(flatten)]
    pub trial: Trial,
    /// How long it took; where a path of strengths was run at once, its mean.
    pub seconds: f64,
    /// The size of the matrix that it learnt from, in bytes.
    pub bytes: usize,
}

/// A line of the file.
#[derive(Serialize, Deserialize)]
struct Line {
    /// XXH3-64 of the reviews and all settings: what makes two runs the same.
    run: String,
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
    pub fn open(path: &str, data: &str, desk: &Desk) -> anyhow::Result<Self> {
        let mut runs = Self { path: path.into(), data: data.into(), known: HashMap::new() };
        let file = match File::open(path) {
            Err(error) if error.kind() == ErrorKind::NotFound => return Ok(runs),
            file => file.with_context(|| path.to_string())?,
        };
        for (at, line) in BufReader::new(file).lines().enumerate() {
            let line = line.with_context(|| path.to_string())?;
            match serde_json::from_str::<Line>(&line) {
                Ok(Line { run, what }) => drop(runs.known.insert(run, what)),
                Err(error) => desk.remark(&format!(
                    "note: {path}, line {}: expected a finished run, found something else: {error}; it is run again",
                    at + 1
                )),
            }
        }
        Ok(runs)
    }

    /// The run of a study, if it was done before.
    pub fn find(&self, study: &Study, share: f64) -> Option<Run> {
        self.known.get(&self.key(study, share)).cloned()
    }

    /// Notes a run.
    pub fn add(&mut self, study: &Study, run: Run) -> anyhow::Result<Run> {
        let key = self.key(study, run.share);
        let mut line = serde_json::to_vec(&Line { run: key.clone(), what: run.clone() })?;
        line.push(b'\n');
        let open = OpenOptions::new().create(true).append(true).read(true).open(&self.path);
        let mut file = open.with_context(|| self.path.clone())?;
        if !ends_whole(&mut file)? {
            line.insert(0, b'\n');
        }
        file.write_all(&line).with_context(|| self.path.clone())?;
        self.known.insert(key, run.clone());
        Ok(run)
    }

    fn key(&self, study: &Study, share: f64) -> String {
        // Where the files are is told by the data.
        let of_work = KEYS.iter().filter(|key| key.path != "reviews.files");
        let settings: Vec<(&str, Value)> = of_work.map(|key| (key.path, key.get(study))).collect();
        let text = format!("{}\n{share}\n{}", self.data, serde_json::json!(settings));
        format!("{:016x}", xxhash_rust::xxh3::xxh3_64(text.as_bytes()))
    }
}

/// Whether the last line was written to its end.
fn ends_whole(file: &mut File) -> std::io::Result<bool> {
    use std::io::{Read, Seek, SeekFrom};
    if file.metadata()?.len() == 0 {
        return Ok(true);
    }
    file.seek(SeekFrom::End(-1))?;
    let mut last = [0];
    file.read_exact(&mut last)?;
    Ok(last == *b"\n")
}
