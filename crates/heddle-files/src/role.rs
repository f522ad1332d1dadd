//! What an output is, and whether a file that stands in its place may be one of the kind.

use std::fs::File;
use std::io::Read;
use std::path::Path;

use heddle_core::settings::Form;

use crate::about::About;
use crate::error::FileError;
use crate::ledger::Entry;
use crate::output::{Outputs, Rule, STREAM};
use crate::reviews::input::Input;
use crate::reviews::write::Ending;
use crate::rounds::RoundFile;

/// What is to be written to a place.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Role {
    /// Labelled, divided, balanced or drawn rows, with an about-file beside them.
    Part,
    /// Rows that have these columns, ours among them.
    Rows(&'static [&'static str]),
    /// A model.
    Model,
    /// A picture, as SVG or PNG.
    Picture,
    /// A study: it is written once, and edited by people from then on.
    Study,
    /// A ledger, which grows by a line a time.
    Ledger,
    /// Finished runs, which grow by a line a time.
    Runs,
    /// What stands beside a part.
    About,
    /// A page of the manual.
    Page,
    /// Weighted rows in the exchange format of sparse matrices.
    Matrix,
    /// A report of a run, as HTML or Markdown.
    Report,
    /// What is exchanged where a model is learnt in rounds.
    Round(RoundFile),
    /// Anything: whoever calls has made sure that nothing is lost.
    Any,
}

impl Role {
    /// What it is, in words.
    fn words(self) -> &'static str {
        match self {
            Self::Part => "labelled rows with an about-file that fits them",
            Self::Rows(_) => "rows of this kind",
            Self::Model => "a model",
            Self::Picture => "a picture of its ending",
            Self::Study => "a study",
            Self::Ledger => "a ledger",
            Self::Runs => "finished runs",
            Self::About => "an about-file",
            Self::Page => "a page of the manual",
            Self::Matrix => "a sparse matrix",
            Self::Report => "a report",
            Self::Round(own) => own.words(),
            Self::Any => "a file",
        }
    }

    /// Whether anything is written under such a name.
    fn check_name(self, name: &str) -> Result<(), FileError> {
        match self {
            Self::Part | Self::Rows(_) => Ending::of(name).map(drop),
            Self::Picture if name != STREAM && !name.ends_with(".svg") && !name.ends_with(".png") => {
                let remedy = "expected a picture that ends in .svg or .png".into();
                Err(FileError::Ending { path: name.into(), remedy })
            }
            Self::Report if name != STREAM && !name.ends_with(".html") && !name.ends_with(".md") => {
                let remedy = "expected a report that ends in .html or .md".into();
                Err(FileError::Ending { path: name.into(), remedy })
            }
            _ => Ok(()),
        }
    }

    /// Whether the file that stands there may have been written here in the same role, so that
    /// nothing of anybody's is lost if it is replaced.
    fn fits(self, path: &Path) -> bool {
        let name = path.display().to_string();
        let head = head_of(path);
        if head.is_empty() {
            return true;
        }
        match self {
            Self::Part => {
                About::beside(&name).is_ok_and(|about| about.is_some_and(|about| about.fits(&name)))
            }
            Self::Rows([]) => false, // nothing tells them from the rows of others
            Self::Rows(own) => columns_of(&name).is_some_and(|columns| {
                let there = |own: &str| columns.iter().any(|column| column.starts_with(own));
                own.iter().all(|own| there(own))
            }),
            Self::Model => head.starts_with(crate::model_file::MAGIC),
            Self::Picture => head.starts_with(b"\x89PNG") || head.starts_with(b"<svg"),
            Self::Study => false,
            // One sound line is enough, or the beginning of one that was cut off.
            Self::Ledger => {
                let entry = |line: &[u8]| serde_json::from_slice::<Entry>(line).is_ok();
                head.split(|byte| *byte == b'\n').any(entry) || begins(&head, b"{\"version\":1,\"time\":")
            }
            Self::Runs => {
                let run = |line: &[u8]| {
                    let line = serde_json::from_slice::<serde_json::Value>(line);
                    line.is_ok_and(|line| line.get("run").is_some_and(serde_json::Value::is_string))
                };
                head.split(|byte| *byte == b'\n').any(run) || begins(&head, b"{\"run\":\"")
            }
            Self::About => head.windows(16).any(|part| part == b"\"heddle\": \"about"),
            Self::Page => head.windows(10).any(|part| part == b".TH heddle"),
            Self::Matrix => head.starts_with(b"%%MatrixMarket"),
            Self::Report => {
                let ours = |mark: &[u8]| head.windows(mark.len()).any(|part| part == mark);
                ours(b"name=\"generator\" content=\"heddle\"")
                    || head.starts_with(b"# How customers' reviews")
                    || head.starts_with(b"# The model ")
                    || head.starts_with(b"# Why reviews are called")
            }
            Self::Round(own) => head.starts_with(&own.mark()),
            Self::Any => true,
        }
    }
}

impl Outputs {
    /// Makes sure that a file can be written, before any work is done for it, and keeps its
    /// place; so again does what was planned already. A part gets a place for its about-file too.
    ///
    /// # Errors
    /// If it is an input, goes where another output goes, would replace what was not written
    /// here, or cannot be written at all.
    pub fn plan(&self, role: Role, name: &str) -> Result<(), FileError> {
        role.check_name(name)?;
        let is_file = self.reserve(name, &role.rule())?;
        if role == Role::Part && is_file {
            self.reserve(&About::name_beside(name), &Role::About.rule())?;
        }
        Ok(())
    }

    /// As [`plan`](Self::plan), unless it was planned before.
    ///
    /// # Errors
    /// As [`plan`](Self::plan).
    pub fn plan_once(&self, role: Role, name: &str) -> Result<(), FileError> {
        if self.is_planned(name) { Ok(()) } else { self.plan(role, name) }
    }

    /// Makes sure that lines can be added to a file.
    ///
    /// # Errors
    /// As [`plan`](Self::plan).
    pub fn appends(&self, role: Role, name: &str) -> Result<(), FileError> {
        self.claim(name, &role.rule())
    }
}

impl Role {
    fn rule(self) -> Rule {
        Rule { what: self.words(), once: self == Self::Study, fits: Box::new(move |path| self.fits(path)) }
    }
}

/// Whether a file may take entries of a ledger: it is one, is empty, or is not there.
pub fn is_ledger(path: &str) -> bool {
    !Path::new(path).exists() || Role::Ledger.fits(Path::new(path))
}

/// Enough to tell what a file is; a line of a ledger is not longer.
const HEAD: u64 = 256 * 1024;

fn head_of(path: &Path) -> Vec<u8> {
    let mut head = Vec::new();
    if let Ok(file) = File::open(path) {
        let _ = file.take(HEAD).read_to_end(&mut head); // what cannot be read is not ours
    }
    head
}

/// Whether one begins as the other does, as far as both go.
fn begins(head: &[u8], with: &[u8]) -> bool {
    let length = head.len().min(with.len());
    head[..length] == with[..length]
}

fn columns_of(path: &str) -> Option<Vec<String>> {
    let rows = Input::gather(&[path], &Form::default()).ok()?.rows().ok()?;
    Some(rows.columns().iter().map(|column| column.name.clone()).collect())
}
