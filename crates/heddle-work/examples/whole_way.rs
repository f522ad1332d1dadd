//! The whole way on the demo reviews, through the library: label, split, validate, train, assess,
//! explain.
//!
//! ```sh
//! cargo run -p heddle-work --example whole_way -- some-new-folder
//! ```

use std::error::Error;
use std::io::{self, Write};
use std::path::Path;
use std::sync::Arc;

use heddle_work::{
    AssessOptions, ExplainOptions, LabelOptions, Observer, Session, SessionOptions, SplitOptions,
    TextOptions, TrainOptions, ValidateOptions, assess, explain, label, split, train, validate,
};

/// Prints what is remarked on the way.
struct Remarks;

impl Observer for Remarks {
    fn remark(&self, remark: &str) {
        let _ = writeln!(io::stderr(), "{remark}");
    }
}

fn main() -> Result<(), Box<dyn Error>> {
    let folder = std::env::args().nth(1).unwrap_or_else(|| "whole-way".into());
    whole_way(Path::new(&folder), &mut io::stdout())
}

/// Does the work in a new folder, and writes what it finds.
pub fn whole_way(folder: &Path, out: &mut impl Write) -> Result<(), Box<dyn Error>> {
    let inside = |name: &str| folder.join(name).display().to_string();
    heddle_files::unpack_demo(folder)?;
    let options = SessionOptions { study: Some(inside("study.toml")), ..SessionOptions::default() };
    let session = Session::new(options, Arc::new(Remarks))?;

    let labelled =
        label(&session, &LabelOptions { files: vec![inside("crossings.csv")], ..LabelOptions::default() })?;
    writeln!(out, "{} of {} rows have a class", labelled.account.labelled(), labelled.account.read)?;

    let (training, holdout) = (inside("training.csv"), inside("holdout.csv"));
    let files = vec![inside("crossings.csv")];
    let parts =
        SplitOptions { files, training: training.clone(), holdout: holdout.clone(), development: None };
    let parts = split(&session, &parts)?;
    writeln!(out, "{} to learn from, {} locked away", parts.training.rows(), parts.holdout.rows())?;
    session.commit()?;

    let options = ValidateOptions {
        files: vec![training.clone()],
        out: Some(inside("held-out.csv")),
        ..ValidateOptions::default()
    };
    let found = validate(&session, &options)?;
    writeln!(out, "accuracy on unseen reviews: {:?}", found.validation.figures.accuracy.value)?;

    let model = inside("model.heddle");
    let options = TrainOptions {
        files: vec![training],
        out: model.clone(),
        validate: false,
        top: 3,
        ..TrainOptions::default()
    };
    let trained = train(&session, &options)?;
    let strongest: Vec<&str> = trained.strongest[0].iter().map(|term| term.term.as_str()).collect();
    writeln!(out, "speaks for negative: {}", strongest.join(", "))?;

    // A model brings its own study.
    let session = Session::new(SessionOptions::default(), Arc::new(Remarks))?;
    let options = AssessOptions { model: model.clone(), files: vec![holdout], ..AssessOptions::default() };
    writeln!(out, "accuracy on the holdout: {:?}", assess(&session, &options)?.figures.accuracy.value)?;

    let texts = TextOptions { texts: vec!["Not a bad cabin at all".into()], ..TextOptions::default() };
    for text in explain(&session, &ExplainOptions { model, texts, ..ExplainOptions::default() })?.texts {
        writeln!(out, "“{}” {:+.2}", text.text, text.explanation.log_odds)?;
        for line in text.explanation.term_lines() {
            writeln!(out, "  {:+.2} {}", line.contribution, line.term.term)?;
        }
    }
    Ok(())
}
