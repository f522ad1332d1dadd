//! The report of a run: one page that needs nothing else, or Markdown.

mod build;
mod card;
mod chart;
mod content;
mod explained;
mod findings;
mod html;
mod markdown;

use heddle_files::About;

pub use card::card;

use crate::view::picture::Scene;
use build::Builder;
pub use content::{Block, Clause, Manner, Piece, Reading, Report};
pub use explained::{explained, readings};
use findings::Findings;
pub use html::LEAST_SPAN;
#[cfg(feature = "serve")]
pub use html::{SCRIPT, STYLE};

/// The findings of runs are as they have been since this version.
const OLDEST: u32 = 4;

/// How a report is written.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Form {
    /// One page of HTML.
    Html,
    /// Markdown.
    Markdown,
}

/// The report of findings that were read from `findings.json`.
///
/// # Errors
/// Findings that are none of a run, or of another version.
pub fn report(json: &[u8], about: Option<&About>, form: Form, redacted: bool) -> anyhow::Result<String> {
    let found = read(json)?;
    Ok(written(&Builder { found: &found, about, redacted }.report(), form))
}

/// The pictures of a report by name: its curves, themes, words, and what to expect.
///
/// # Errors
/// As [`report`].
pub fn pictures(json: &[u8]) -> anyhow::Result<Vec<(&'static str, Scene)>> {
    let found = read(json)?;
    Ok(Builder { found: &found, about: None, redacted: false }.pictures())
}

fn read(json: &[u8]) -> anyhow::Result<Findings> {
    let found: Findings = serde_json::from_slice(json)?;
    if found.heddle != "run" {
        anyhow::bail!("these are the findings of `{}`, and no run", found.heddle);
    }
    if !(OLDEST..=heddle_work::VERSION).contains(&found.version) {
        anyhow::bail!(
            "they are of version {}, and this Heddle reads {}",
            found.version,
            heddle_work::VERSION
        );
    }
    Ok(found)
}

/// A report in its form.
pub fn written(report: &Report, form: Form) -> String {
    match form {
        Form::Html => html::page(report),
        Form::Markdown => markdown::text(report),
    }
}
