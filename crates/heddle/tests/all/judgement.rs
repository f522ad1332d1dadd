//! The sentence that figures end with, and figures of parts of the reviews.

use crate::common::{Folder, holds};

/// Reviews whose class their words tell, or do not; by row, on its side of a division in time.
fn dated(rows: usize, told: impl Fn(usize) -> bool) -> String {
    let row = |at: usize| {
        let good = !(at * 7).is_multiple_of(3);
        let says = if told(at) { good } else { at * 31 % 7 > 2 };
        let text = ["a cold cabin and a rude crew", "a warm cabin and a kind crew"][usize::from(says)];
        let (month, day) = (1 + at * 12 / rows, 1 + at % 28);
        format!(
            "2025-{month:02}-{day:02},{text} on crossing {at} with {},{}\n",
            at * 13 % 29,
            if good { 5 } else { 1 }
        )
    };
    format!("posted,review,stars\n{}", (0..rows).map(row).collect::<String>())
}

#[test]
fn a_run_ends_with_a_sentence_and_the_lines_to_type() {
    let folder = Folder::new().file("r.csv", dated(600, |at| at % 10 > 0));
    let out = folder.done(&["run", "r.csv", "--set", "validation.folds=4", "--out", "run"]);
    let at = out.find("In short").expect("a heading");
    holds(
        &out[at..],
        &["It tells the classes apart", "against 66.", "The holdout agrees within noise", "Next"],
    );
    holds(&out[at..], &["heddle score run/model.heddle new.csv --out scored.csv"]);
    let found = folder.json(&["run", "r.csv", "--set", "validation.folds=4", "--out", "again"]);
    let judged = &found["judgement"];
    assert_eq!(
        (&judged["beats_mix"], &judged["beats_majority"], &judged["holdout_agrees"]),
        (&true.into(), &true.into(), &true.into())
    );
}

#[test]
fn what_knows_no_more_than_the_mix_is_said_to() {
    let folder = Folder::new().file("r.csv", dated(300, |_| false));
    let out =
        folder.done(&["train", "r.csv", "--out", "m.heddle", "--validate", "--set", "validation.folds=4"]);
    holds(
        &out,
        &["It knows no more than the class mix", "Do not use it yet", "heddle tune r.csv --minutes 5"],
    );
    let unsaid = folder.done(&["train", "r.csv", "--out", "n.heddle"]);
    assert!(!unsaid.contains("In short"), "figures that were never taken come to nothing");
}

#[test]
fn a_holdout_that_differs_is_told() {
    // In the last months the words say nothing any more.
    let folder = Folder::new().file("r.csv", dated(900, |at| at < 700));
    let run = ["run", "r.csv", "--set", "validation.folds=4", "--set", "validation.by=latest"];
    let out = folder.done(&[&run[..], &["--set", "reviews.date=posted", "--out", "run"]].concat());
    holds(&out, &["The holdout does NOT agree", "heddle assess run/model.heddle run/holdout.csv"]);
}

#[test]
fn the_judgement_stands_last_under_a_validation() {
    let folder = Folder::new().file("r.csv", dated(600, |at| at % 10 > 0));
    let out = folder.done(&["validate", "r.csv", "--set", "validation.folds=4"]);
    let (first, last) = (out.find("accuracy").expect("figures"), out.rfind("In short").expect("a sentence"));
    assert!(first < last && out[last..].lines().count() < 10, "{}", &out[last..]);
}

#[test]
fn slices_stand_in_order_with_a_baseline_of_their_own() {
    let row = |at: usize| {
        let good = !at.is_multiple_of(3);
        let text = ["a cold cabin and a rude crew", "a warm cabin and a kind crew"][usize::from(good)];
        format!(
            "{text} on crossing {at},{},{},{}\n",
            if good { 5 } else { 1 },
            [2, 10, 9, 1][at % 4],
            at % 40
        )
    };
    let text = format!("review,stars,deck,cabin\n{}", (0..800).map(row).collect::<String>());
    let folder = Folder::new().file("r.csv", text.replace(",39\n", ",39a\n"));
    let slices = |set: &[&str]| -> Vec<(String, f64, f64)> {
        let fast = [
            "--set",
            "validation.folds=4",
            "--set",
            "reviews.beside=[\"deck\", \"cabin\"]",
            "--set",
            "validation.alike=100%",
            "--ledger",
            "none",
        ];
        let found = folder.json(&[&["validate", "r.csv"][..], &fast, set].concat());
        let of = |slice: &serde_json::Value| {
            let number = |key: &str| slice[key]["value"].as_f64().expect("a figure");
            let name = format!(
                "{} {}",
                slice["aspect"].as_str().expect("a name"),
                slice["level"].as_str().expect("a value")
            );
            (name, number("majority"), number("negative"))
        };
        found["slices"].as_array().expect("a list").iter().map(of).collect()
    };
    let usual = slices(&[]);
    let names: Vec<&str> =
        usual.iter().map(|(name, ..)| name.as_str()).filter(|name| name.starts_with("deck")).collect();
    assert_eq!(names, ["deck 1", "deck 2", "deck 9", "deck 10"]);
    for (name, majority, negative) in &usual {
        assert!((majority - negative.max(1.0 - negative)).abs() < 1e-12, "{name}: {majority} of {negative}");
    }
    let cabins =
        |slices: &[(String, f64, f64)]| slices.iter().filter(|(name, ..)| name.starts_with("cabin")).count();
    assert_eq!(
        cabins(&usual),
        1,
        "twenty reviews a cabin are too few, but for those of all others: {usual:?}"
    );
    assert_eq!(
        cabins(&slices(&["--set", "validation.slices_from=15"])),
        11,
        "the ten largest, and the others"
    );
}
