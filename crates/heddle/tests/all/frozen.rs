//! Files of earlier versions stay readable, and say what they said.

use std::fs;
use std::path::Path;

use crate::common::Folder;

/// A folder with the files that a version wrote, beside the reviews that they came from.
fn written_by(version: &str) -> Folder {
    let old = Path::new(env!("CARGO_MANIFEST_DIR")).join("tests/frozen").join(version);
    let mut folder = Folder::with_many(120);
    for entry in fs::read_dir(old).expect("frozen files") {
        let path = entry.expect("an entry").path();
        let name = path.file_name().expect("a name").display().to_string();
        folder = folder.file(&name, fs::read(&path).expect("a file"));
    }
    folder
}

/// Equal but for the last digits of numbers: old models hold weights of 64 bits, which are read as 32.
fn assert_alike(scored: &str, before: &str, model: &str) {
    let cells = |text: &str| -> Vec<String> { text.split([',', '\n']).map(String::from).collect() };
    let (scored, before) = (cells(scored), cells(before));
    assert_eq!(scored.len(), before.len(), "{model}");
    for (own, old) in scored.iter().zip(&before) {
        let near = |(own, old): (f64, f64)| (own - old).abs() < 1e-6;
        let numbers = own.parse().ok().zip(old.parse().ok());
        assert!(own == old || numbers.is_some_and(near), "{model} says {own} in the place of {old}");
    }
}

#[test]
fn old_models_score_as_they_did() {
    let folder = written_by("0.1");
    for (model, scored) in [
        ("model.heddle", "scored.csv"),
        ("online.heddle", "scored-online.csv"),
        ("emphasised.heddle", "scored-emphasised.csv"),
        ("letters.heddle", "scored-letters.csv"),
        ("three.heddle", "scored-three.csv"),
        ("format5.heddle", "scored-format5.csv"),
        ("format6.heddle", "scored-format6.csv"),
    ] {
        let before = folder.text(scored);
        folder.done(&["score", model, "many.csv", "--out", "again.csv"]);
        assert_alike(&folder.text("again.csv"), &before, model);
        let found = folder.json(&["explain", model, "--text", "not a good bed"]);
        assert!(found["texts"][0]["log_odds"].as_f64().is_some_and(|odds| odds < 0.0), "{model}");
    }
}

#[test]
fn an_old_ledger_is_listed_and_goes_on() {
    let folder = written_by("0.1");
    let found = folder.json(&["ledger"]);
    assert_eq!((&found["noted"], &found["damaged"]), (&2.into(), &serde_json::json!([])));
    folder.done(&[
        "train",
        "training.csv",
        "--out",
        "new.heddle",
        "--validate",
        "--set",
        "validation.folds=3",
    ]);
    let found = folder.json(&["ledger", "--by", "time"]);
    let entries = found["entries"].as_array().expect("a list");
    let trained: Vec<_> = entries.iter().filter(|entry| entry["command"] == "train").collect();
    assert_eq!((entries.len(), trained.len()), (3, 2));
    assert_eq!(trained[0]["data"], trained[1]["data"], "the same data, noted by both versions");
}

#[test]
fn an_old_holdout_is_locked_and_its_looks_are_counted() {
    let folder = written_by("0.1");
    let told = folder.fails(&["train", "holdout.csv", "--out", "m.heddle"]);
    assert!(told.contains("locked holdout"), "{told}");
    let found = folder.json(&["assess", "model.heddle", "holdout.csv"]);
    assert_eq!(found["opened"], 2, "it was opened once before");
}

#[test]
fn an_old_file_of_runs_is_read_and_goes_on() {
    let folder = written_by("0.1");
    let tune = ["tune", "training.csv", "--vary", "terms.words=1-1,1-2", "--set", "validation.folds=3"];
    // Settings have other names and defaults now, so these are other runs.
    let run = folder.run(&tune);
    assert!(run.code == 0 && !run.err.contains("expected a finished run"), "{}", run.err);
    assert_eq!(folder.text("tune.jsonl").lines().count(), 4);
    assert_eq!(folder.json(&tune)["resumed"], 2);
}
