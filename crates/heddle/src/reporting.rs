//! Runs and their reports, as files.

use std::fs;
use std::path::{Path, PathBuf};

use anyhow::Context;
use heddle_files::About;

use crate::view::picture::Scene;
use crate::view::report::{Form, pictures, report};

/// Where the report of a run stands in its folder.
pub fn place_in(folder: &str) -> String {
    Path::new(folder).join("report.html").display().to_string()
}

/// The findings of a run in a folder, read once.
pub struct FoundRun {
    place: PathBuf,
    json: Vec<u8>,
    /// What stands beside the training part.
    about: Option<About>,
}

impl FoundRun {
    /// Reads what a run left.
    pub fn open(folder: &str) -> anyhow::Result<Self> {
        let place = Path::new(folder).join("findings.json");
        let json = fs::read(&place).with_context(|| {
            format!(
                "{} cannot be read: expected the folder of a run, as `heddle run` leaves it",
                place.display()
            )
        })?;
        let training = Path::new(folder).join("training.csv").display().to_string();
        Ok(Self { place, json, about: About::beside(&training)? })
    }

    /// The report.
    pub fn report(&self, form: Form, redact: bool) -> anyhow::Result<String> {
        report(&self.json, self.about.as_ref(), form, redact).with_context(|| self.no_report())
    }

    /// The pictures by name.
    pub fn pictures(&self) -> anyhow::Result<Vec<(&'static str, Scene)>> {
        pictures(&self.json).with_context(|| self.no_report())
    }

    fn no_report(&self) -> String {
        format!("{} cannot be reported on: run `heddle run` again", self.place.display())
    }
}

/// The page of the findings of a run.
pub fn page_of(json: &[u8], about: Option<&About>) -> Result<String, String> {
    report(json, about, Form::Html, false).map_err(|error| format!("the report cannot be made: {error:#}"))
}
