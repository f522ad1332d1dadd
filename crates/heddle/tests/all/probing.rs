//! Sentences whose meaning is known, as they are tried on a model.

use crate::common::{Folder, column, holds};

fn folder() -> Folder {
    let folder = Folder::with_many(240);
    folder.done(&["train", "many.csv", "--out", "m.heddle"]);
    folder
}

#[test]
fn kinds_are_told_with_intervals_and_misses_are_explained() {
    let folder = folder();
    let page = folder.done(&["probe", "m.heddle", "--misses", "3"]);
    holds(
        &page,
        &["are read as expected", "negated praise", "double negation", "Misses: 3 of", "expected", "called"],
    );
    holds(&page, &["validated."]);
    let found = folder.json(&["probe", "m.heddle", "--out", "all.csv"]);
    let all = folder.csv("all.csv");
    let sentences = found["sentences"].as_array().expect("sentences");
    assert!(sentences.len() >= 400 && all.1.len() == sentences.len());
    let passed = column(&all, "passed").iter().filter(|own| *own == "yes").count();
    let share = found["passed"]["value"].as_f64().expect("a share");
    assert!((share - passed as f64 / sentences.len() as f64).abs() < 1e-12);
    assert!(found["kinds"].as_array().expect("kinds").iter().all(|kind| kind["passed"]["low"].is_number()));
    // What is told of a sentence is what `explain` says of it.
    let one = &sentences[0];
    let text = one["text"].as_str().expect("text");
    let explained = folder.json(&["explain", "m.heddle", "--text", text]);
    assert_eq!(explained["texts"][0]["log_odds"], one["log_odds"]);
}

#[test]
fn sentences_of_your_own_are_tried_and_held_against_an_earlier_model() {
    let suite = "kind,text,expected,than\nours,a warm cabin,positive,\nours,late again,positive,\nours,hot tea,better,cold tea\n";
    let folder = folder().file("own.csv", suite);
    folder.done(&[
        "train",
        "many.csv",
        "--out",
        "old.heddle",
        "--set",
        "negation.scope=off",
        "--set",
        "terms.words=1",
    ]);
    let found = folder.json(&["probe", "m.heddle", "--suite", "own.csv"]);
    let passed: Vec<bool> =
        found["sentences"].as_array().expect("sentences").iter().map(|own| own["passed"] == true).collect();
    assert_eq!(passed, [true, false, true]);
    let changed = folder.json(&["probe", "m.heddle", "--kind", "negated blame", "--against", "old.heddle"]);
    let broken = changed["against"]["broken"].as_array().expect("places");
    let at = broken[0].as_u64().expect("a place") as usize;
    assert_eq!(changed["sentences"][at]["passed"], false);
    let page = folder.done(&["probe", "m.heddle", "--kind", "negated blame", "--against", "old.heddle"]);
    holds(&page, &["Against old.heddle", "mended", "before", "broken, negated blame:"]);
}

#[test]
fn suites_that_are_none_are_told_with_their_place() {
    let suite =
        |rows: &str| Folder::with_many(240).file("own.csv", format!("kind,text,expected,than\n{rows}"));
    let fails = |rows: &str| {
        let folder = suite(rows);
        folder.done(&["train", "many.csv", "--out", "m.heddle"]);
        folder.fails(&["probe", "m.heddle", "--suite", "own.csv"])
    };
    holds(&fails(""), &["own.csv", "holds no sentence", "expected rows of kind, text, expected"]);
    holds(
        &fails("a,warm,good,\n"),
        &["own.csv, line 2, column `expected`", "`good` is nothing to expect", "negative, neutral, positive"],
    );
    holds(&fails("a,warm,better,\n"), &["line 2, column `than`", "it is blank"]);
    holds(&fails("a,warm,positive,cold\n"), &["line 2, column `than`", "of the sentence alone"]);
    let folder = folder();
    holds(
        &folder.fails(&["probe", "m.heddle", "--kind", "irony"]),
        &["no sentence is of the kind `irony`", "negated praise"],
    );
    holds(&folder.fails(&["probe", "m.heddle", "--suite", "many.csv"]), &["no column `kind`"]);
}

#[test]
fn a_reversed_model_is_seen_right_after_training() {
    let folder = Folder::with_many(240);
    let probes = |set: &[&str]| {
        let trained = folder.json(&[&["train", "many.csv", "--out", "m.heddle"][..], set].concat());
        trained["probes"]["kinds"][0]["passed"]["value"].as_f64().expect("a share")
    };
    let right = probes(&[]);
    let turned = probes(&["--set", "polarity.negative=4-5", "--set", "polarity.positive=1-2"]);
    assert!(right > 0.9 && turned < 0.2, "{right} {turned}");
    holds(&folder.done(&["train", "many.csv", "--out", "m.heddle"]), &["probes", "plain 10 of 10"]);
}
