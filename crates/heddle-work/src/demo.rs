//! The whole work on made-up reviews.

use std::path::Path;

use heddle_files::unpack_demo;
use serde::Serialize;

use crate::error::Result;
use crate::run::{Ran, Reporter, RunOptions, run};
use crate::session::Session;

/// What the demo unpacked and found.
#[derive(Debug, Serialize)]
pub struct Demo {
    /// The folder.
    pub folder: String,
    /// The files that were unpacked.
    pub files: Vec<&'static str>,
    /// What the run found.
    #[serde(flatten)]
    pub ran: Ran,
}

/// Unpacks the demo into a folder, which must be new or empty, and runs its study there.
///
/// # Errors
/// A folder that holds something, or a study that was named.
pub fn demo(session: &Session, folder: &str, reporter: Option<Reporter>) -> Result<Demo> {
    session.check_unnamed("the demo brings its own study")?;
    let place = Path::new(folder);
    let files = unpack_demo(place)?;
    let inside = |name: &str| place.join(name).display().to_string();
    let session = session.with_study(&inside("study.toml"))?;
    let options = RunOptions {
        files: vec![inside("crossings.csv")],
        folder: inside("run"),
        replace: false,
        learning_curve: true,
        reporter,
        remedy: "name another folder: heddle demo FOLDER".into(),
    };
    Ok(Demo { folder: folder.into(), files, ran: run(&session, &options)? })
}
