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

/// The report of the run in a folder.
pub fn of_folder(folder: &str, form: Form, redact: bool) -> anyhow::Result<String> {
    let (place, json) = findings(folder)?;
    let training = Path::new(folder).join("training.csv").display().to_string();
    let about = About::beside(&training)?;
    report(&json, about.as_ref(), form, redact).with_context(|| no_report(&place))
}

/// The pictures of the run in a folder, by name.
pub fn pictures_of(folder: &str) -> anyhow::Result<Vec<(&'static str, Scene)>> {
    let (place, json) = findings(folder)?;
    pictures(&json).with_context(|| no_report(&place))
}

fn findings(folder: &str) -> anyhow::Result<(PathBuf, Vec<u8>)> {
    let place = Path::new(folder).join("findings.json");
    let json = fs::read(&place).with_context(|| {
        format!("{} cannot be read: expected the folder of a run, as `heddle run` leaves it", place.display())
    })?;
    Ok((place, json))
}

fn no_report(place: &Path) -> String {
    format!("{} cannot be reported on: run `heddle run` again", place.display())
}

/// The page of the findings of a run.
pub fn page_of(json: &[u8], about: Option<&About>) -> Result<String, String> {
    report(json, about, Form::Html, false).map_err(|error| format!("the report cannot be made: {error:#}"))
}
