//! A model learnt anew, and whether it takes over.

use crate::common::{self, Folder, holds};
use serde_json::Value;

/// A folder with a model of `before.csv`, and `since.csv` with what came after it.
fn folder() -> Folder {
    let folder = Folder::with_parts([("before.csv", 600), ("since.csv", 500)]);
    train(&folder, "before.csv", &[]);
    folder
}

fn train(folder: &Folder, file: &str, more: &[&str]) {
    let set = ["--set", "model.strength=0.001", "--set", "reviews.id=id"];
    folder.done(&[&["train", file, "--text", "review", "--out", "m.heddle"], &set[..], more].concat());
}

/// The reviews of a file with the ratings of the other class.
fn turned(text: &str) -> String {
    let turn = |line: &str| match line.rsplit_once(',') {
        Some((rest, stars)) if stars.parse::<u8>().is_ok() => {
            format!("{rest},{}\n", 6 - stars.parse::<u8>().expect("stars"))
        }
        _ => format!("{line}\n"),
    };
    text.lines().map(turn).collect()
}

#[test]
fn a_model_that_is_no_worse_takes_over_and_the_old_one_stays_beside_it() {
    let folder = folder();
    let old = folder.bytes("m.heddle");
    let renewed = folder.json(&["renew", "m.heddle", "before.csv", "since.csv", "--changed", "changed.csv"]);
    assert_eq!(renewed["taken"], true, "{renewed}");
    holds(renewed["why"].as_str().expect("a sentence"), &["no worse beyond noise", "points"]);
    let kept = renewed["kept"].as_str().expect("a name");
    assert_eq!(folder.bytes(kept), old);
    assert!(kept.starts_with("m-") && kept.ends_with(".heddle"), "{kept}");
    assert_ne!(folder.bytes("m.heddle"), old);
    // Every row is on one side, and the fresh ones are about a fifth of what came since.
    let account = &renewed["account"];
    let number = |name: &str| account[name].as_u64().unwrap_or(0);
    assert_eq!(number("read"), 1100);
    assert_eq!(number("set_aside") + number("negative") + number("positive"), 1100);
    assert!((60..140).contains(&number("set_aside")), "{account}");
    let judged = renewed["judged_by"].as_u64().expect("a number");
    assert!(judged <= number("set_aside"));
    assert_eq!(renewed["compared"]["ways"][1]["figures"]["accuracy"]["n"], judged);
    let (_, changed) = folder.csv("changed.csv");
    assert_eq!(renewed["compared"]["ways"][1]["changed_sides"], changed.len());
    // The settings are those of the old model, and the new one has learnt from no fresh review.
    let settings = |model: &str| folder.json(&["inspect", model])["settings"].clone();
    assert_eq!(settings("m.heddle"), settings(kept));
    folder.done(&["score", "m.heddle", "since.csv", "--flags", "--out", "scored.csv"]);
    let scored = folder.csv("scored.csv");
    let flags = common::column(&scored, "flags");
    let unknown = flags.iter().filter(|flags| !flags.contains("learnt from")).count() as u64;
    assert!(unknown >= judged, "{unknown} of the new reviews were not learnt from, and {judged} judged");
    // With what it has learnt it is itself the old one of the next time.
    holds(&folder.fails(&["renew", "m.heddle", "before.csv"]), &["fresh"]);
    let page = Folder::done(&folder, &["renew", kept, "before.csv", "since.csv", "--out", "next.heddle"]);
    holds(&page, &["In short", "the old one is where it was", "set aside, to be judged by"]);
    assert_eq!(folder.bytes("next.heddle"), folder.bytes("m.heddle"), "the same reviews are drawn again");
    assert_eq!(folder.bytes(kept), old);
}

#[test]
fn a_worse_model_does_not_take_over_and_says_why() {
    let folder = folder();
    let wrong = turned(&folder.text("before.csv"));
    let folder = folder.file("wrong.csv", wrong);
    let (old, names) = (folder.bytes("m.heddle"), folder.names());
    let call = ["renew", "m.heddle", "wrong.csv", "--fresh", "since.csv"];
    let run = folder.run(&call);
    assert_eq!(run.code, 5, "{}", run.err);
    holds(&run.out, &["The new model is worse", "m.heddle stays as it was"]);
    assert!(run.err.is_empty() || !run.err.contains("error"), "{}", run.err);
    assert_eq!(folder.bytes("m.heddle"), old);
    let new: Vec<String> = folder.names().into_iter().filter(|name| !names.contains(name)).collect();
    assert!(new.is_empty(), "{new:?}");
    let told = folder.run(&[&call[..], &["--worse", "worse.heddle", "--json"]].concat());
    let told: Value = serde_json::from_str(&told.out).expect("JSON");
    assert_eq!(
        (&told["taken"], &told["written"], &told["kept"]),
        (&false.into(), &"worse.heddle".into(), &Value::Null)
    );
    let difference = &told["compared"]["ways"][1]["difference"]["accuracy"];
    assert!(difference["high"].as_f64().expect("a number") < 0.0, "{difference}");
    assert_eq!(folder.bytes("m.heddle"), old);
    folder.done(&["score", "worse.heddle", "since.csv", "--out", "scored.csv"]);
}

#[test]
fn with_a_margin_it_must_be_shown_that_little_is_lost() {
    let folder = folder();
    let old = folder.bytes("m.heddle");
    let run = folder.run(&["renew", "m.heddle", "before.csv", "since.csv", "--margin", "0.01"]);
    assert_eq!(run.code, 5, "{}{}", run.out, run.err);
    holds(&run.out, &["It is not shown that the new model loses less than 0.01 points"]);
    assert_eq!(folder.bytes("m.heddle"), old);
    folder.done(&["renew", "m.heddle", "before.csv", "since.csv", "--margin", "60"]);
    assert_ne!(folder.bytes("m.heddle"), old);
    assert_eq!(folder.run(&["renew", "m.heddle", "before.csv", "--margin", "-1"]).code, 2);
}

#[test]
fn fresh_reviews_are_tied_to_none_that_taught() {
    // Each text stands many times, with a sign more or less, and labels are drawn: who knows its texts knows its labels.
    let mut rows = String::from("id,review,stars\n");
    let mut state = 5u64;
    for row in 0..1200u64 {
        state = state.wrapping_mul(6_364_136_223_846_793_005).wrapping_add(row | 1);
        let (text, stars) =
            ((row % 300) * 7919, if (row % 300).wrapping_mul(state | 1) % 2 == 0 { 1 } else { 5 });
        rows.push_str(&format!(
            "r{row},\"cabin {text} bed {} tea {} crew {}{}\",{stars}\n",
            text / 3,
            text / 7,
            text / 11,
            "!".repeat((row / 300) as usize)
        ));
    }
    let before: String = rows.lines().take(601).map(|line| format!("{line}\n")).collect();
    let folder = Folder::new().file("all.csv", rows).file("before.csv", before);
    train(&folder, "before.csv", &[]);
    // All that came since repeats what taught, but for its signs: there is nothing fresh among it.
    let error = folder.fails(&["renew", "m.heddle", "all.csv"]);
    holds(&error, &["tied to nothing that the model has learnt from", "--fresh"]);
}

#[test]
fn settings_are_those_of_the_model_and_holdouts_are_counted() {
    let folder = folder();
    let renew = ["renew", "m.heddle", "before.csv", "since.csv"];
    holds(
        &folder.fails(&[&renew[..], &["--set", "terms.words=1-1"]].concat()),
        &["terms.words", "its own settings"],
    );
    let few = folder.fails(&[&renew[..], &["--set", "validation.holdout=1%"]].concat());
    holds(&few, &["1 %", "50 of both classes"]);
    folder.done(&[
        "split",
        "since.csv",
        "--text",
        "review",
        "--training",
        "s.csv",
        "--holdout",
        "fresh.csv",
        "--set",
        "validation.holdout=40%",
    ]);
    holds(&folder.fails(&["renew", "m.heddle", "before.csv", "fresh.csv"]), &["locked holdout"]);
    let renewed = folder.json(&[
        "renew",
        "m.heddle",
        "before.csv",
        "s.csv",
        "--fresh",
        "fresh.csv",
        "--out",
        "n.heddle",
    ]);
    assert_eq!((&renewed["fresh"], &renewed["compared"]["opened"]), (&"fresh.csv".into(), &1.into()));
    let again = folder.json(&[
        "renew",
        "m.heddle",
        "before.csv",
        "s.csv",
        "--fresh",
        "fresh.csv",
        "--out",
        "n.heddle",
    ]);
    assert_eq!(again["compared"]["opened"], 2);
    // A model that was validated is validated again.
    assert_eq!(folder.json(&["inspect", "n.heddle"])["card"]["validated"], Value::Null);
    train(&folder, "before.csv", &["--validate", "--set", "validation.folds=4"]);
    folder.done(&renew);
    assert!(folder.json(&["inspect", "m.heddle"])["card"]["validated"]["figures"].is_object());
}

#[test]
fn a_model_of_rows_that_are_not_kept_is_renewed_by_a_file_of_fresh_ones() {
    let folder = Folder::with_parts([("before.csv", 600), ("since.csv", 300), ("fresh.csv", 300)]);
    let stream = ["--set", "model.learner=online", "--set", "terms.hashed=14"];
    folder.done(&[&["train", "before.csv", "--text", "review", "--out", "m.heddle"], &stream[..]].concat());
    holds(&folder.fails(&["renew", "m.heddle", "before.csv", "since.csv"]), &["--fresh"]);
    let renewed = folder.json(&["renew", "m.heddle", "before.csv", "since.csv", "--fresh", "fresh.csv"]);
    assert_eq!(renewed["taken"], true, "{}", renewed["why"]);
    assert!(renewed["new_reviews"].as_u64().expect("a number") > 100);
}
