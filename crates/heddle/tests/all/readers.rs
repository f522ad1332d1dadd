//! Models and their terms, read by other programs.

use std::path::Path;
use std::process::Command;

use crate::common::{Folder, column, holds};
use serde_json::Value;

/// What the reader in Python makes of texts; nothing where there is no Python.
fn read_elsewhere(folder: &Folder, model: &str, tokens: &str) -> Option<std::process::Output> {
    let reader = Path::new(env!("CARGO_MANIFEST_DIR")).join("../../examples/python/reader.py");
    let call =
        Command::new("python3").arg(reader).args([model, tokens]).current_dir(folder.path("")).output();
    call.ok()
}

#[test]
fn a_reader_in_another_language_gives_the_same_scores() {
    let folder = Folder::with_many(400).and_others(60);
    let odd = "n1,\"Not a bad bed! Two stars, though. It isn't late; I couldn't care less.\nCold tea :-(\",2\nn2,,3\nn3,qwertz,4\n";
    let others = folder.text("others.csv") + odd;
    let folder = folder.file("others.csv", others);
    let settings = [
        "",
        "negation.style=mark",
        "terms.words=1-3,terms.weighting=nsn,terms.emphasis=none",
        "decision.unsure=80%,terms.marked_scale=0.5",
        "terms.stems=none",
        "terms.letters=3-4,negation.style=both,terms.stems_scale=0.3",
    ];
    for set in settings {
        let set: Vec<&str> =
            set.split(',').filter(|set| !set.is_empty()).flat_map(|set| ["--set", set]).collect();
        let train = [
            "train",
            "many.csv",
            "--text",
            "review",
            "--id",
            "id",
            "--set",
            "validation.folds=4",
            "--out",
            "m.heddle",
        ];
        folder.done(&[&train[..], &set].concat());
        folder.done(&["tokens", "others.csv", "--model", "m.heddle", "--out", "t.jsonl"]);
        folder.done(&[
            "score",
            "m.heddle",
            "others.csv",
            "--log-odds",
            "--decimals",
            "all",
            "--out",
            "s.csv",
        ]);
        let Some(output) = read_elsewhere(&folder, "m.heddle", "t.jsonl") else { return };
        assert!(output.status.success(), "{set:?}: {}", String::from_utf8_lossy(&output.stderr));
        let rows: Vec<Value> = String::from_utf8(output.stdout)
            .expect("text")
            .lines()
            .map(|line| serde_json::from_str(line).expect("JSON"))
            .collect();
        let scored = folder.csv("s.csv");
        let of = |name: &str| column(&scored, name);
        assert_eq!(rows.len(), of("id").len());
        for (at, row) in rows.iter().enumerate() {
            assert_eq!(row["id"], of("id")[at]);
            let own: f64 = of("log_odds")[at].parse().expect("a number");
            let other = row["log_odds"].as_f64().expect("a number");
            assert!((own - other).abs() < 1e-12, "{set:?}, {}: {own} and {other}", row["id"]);
            let verdict = of("verdict")[at].clone();
            assert_eq!(row["verdict"], if verdict.is_empty() { "unsure".into() } else { verdict });
        }
    }
    folder.done(&[
        "train",
        "many.csv",
        "--text",
        "review",
        "--set",
        "text.punctuation=all",
        "--out",
        "l.heddle",
    ]);
    let refused = read_elsewhere(&folder, "l.heddle", "t.jsonl").expect("Python was there");
    assert!(!refused.status.success());
    holds(&String::from_utf8_lossy(&refused.stderr), &["text.punctuation = all"]);
}

#[test]
fn on_the_demo_both_agree_on_every_review() {
    let folder = Folder::new();
    folder.done(&["demo"]);
    let model = "heddle-demo/run/model.heddle";
    for file in ["heddle-demo/new-reviews.csv", "heddle-demo/crossings.csv"] {
        folder.done(&["tokens", file, "--model", model, "--out", "t.jsonl"]);
        folder.done(&["score", model, file, "--log-odds", "--decimals", "all", "--out", "s.csv"]);
        let Some(output) = read_elsewhere(&folder, model, "t.jsonl") else { return };
        assert!(output.status.success(), "{}", String::from_utf8_lossy(&output.stderr));
        let text = String::from_utf8(output.stdout).expect("text");
        let own = column(&folder.csv("s.csv"), "log_odds");
        assert_eq!(text.lines().count(), own.len(), "{file}");
        for (line, own) in text.lines().zip(&own) {
            let row: Value = serde_json::from_str(line).expect("JSON");
            let (other, own): (f64, f64) =
                (row["log_odds"].as_f64().expect("a number"), own.parse().expect("a number"));
            assert!((own - other).abs() < 1e-12, "{line}: {own}");
        }
    }
}

#[test]
fn weights_and_vocabulary_are_the_same_table_in_every_form() {
    let folder = Folder::with_many(200);
    folder.done(&["train", "many.csv", "--text", "review", "--out", "m.heddle"]);
    folder.done(&["terms", "--model", "m.heddle", "--out", "w.csv"]);
    let table = folder.csv("w.csv");
    assert_eq!(
        table.1.len(),
        folder.json(&["inspect", "m.heddle"])["card"]["terms"].as_u64().expect("a number") as usize
    );
    for ending in ["jsonl", "json", "parquet"] {
        let name = format!("w.{ending}");
        folder.done(&["terms", "--model", "m.heddle", "--out", &name]);
        let back = format!("{ending}.csv");
        folder.done(&["sample", &name, "--share", "100%", "--out", &back]);
        assert_eq!(folder.csv(&back), table, "{ending}");
    }
}
