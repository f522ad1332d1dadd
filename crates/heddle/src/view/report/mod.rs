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

use build::Builder;
pub use content::{Block, Report};
pub use explained::explained;
use findings::Findings;

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
    let found: Findings = serde_json::from_slice(json)?;
    if found.heddle != "run" {
        anyhow::bail!("these are the findings of `{}`, and no run", found.heddle);
    }
    if found.version != heddle_work::VERSION {
        anyhow::bail!(
            "they are of version {}, and this Heddle reads {}",
            found.version,
            heddle_work::VERSION
        );
    }
    Ok(written(&Builder { found: &found, about, redacted }.report(), form))
}

/// A report in its form.
pub fn written(report: &Report, form: Form) -> String {
    match form {
        Form::Html => html::page(report),
        Form::Markdown => markdown::text(report),
    }
}
