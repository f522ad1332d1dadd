//! Classes under names of the analyst's own.

use crate::common::{Folder, column, holds};

const NAMES: [&str; 4] = ["--set", "polarity.negative_name=late", "--set", "polarity.positive_name=on time"];
const FOLDS: [&str; 4] = ["--set", "validation.folds=4", "--ledger", "none"];

/// Reviews with stars, and with labels of another trade.
fn folder() -> Folder {
    let row = |at: usize| {
        let good = !at.is_multiple_of(3);
        let text = ["a cold cabin and a rude crew", "a warm cabin and a kind crew"][usize::from(good)];
        let text = if at.is_multiple_of(11) { "a cabin and a crew" } else { text };
        let (stars, kind) = if good { (5, "wanted") } else { (1, "Junk") };
        format!("{text} on crossing {at} of {},{stars},{kind}\n", at % 7)
    };
    let rows: String = (0..160).map(row).collect();
    Folder::new().file("r.csv", format!("review,stars,kind\n{rows}"))
}

#[test]
fn names_stand_in_every_table_file_and_model() {
    let folder = folder();
    let with = |args: &[&str]| folder.done(&[args, &NAMES].concat());
    holds(&with(&["label", "r.csv", "--out", "l.csv"]), &["− late", "+ on time", "1-2 late (negative)"]);
    assert!(
        column(&folder.csv("l.csv"), "polarity").iter().all(|class| class == "late" || class == "on time")
    );
    let parts = with(&["split", "l.csv", "--training", "t.csv", "--holdout", "h.csv"]);
    holds(&parts, &["late", "on time"]);
    holds(&with(&["balance", "t.csv"]), &["late", "on time"]);
    holds(
        &with(&[&["validate", "t.csv", "--out", "v.csv", "--picture", "v.svg"], &FOLDS[..]].concat()),
        &["recall of late", "called on time", "on time above late", "Reading the most late first"],
    );
    let (head, _) = folder.csv("v.csv");
    holds(&head.join(" "), &["p_late p_on time"]);
    holds(&folder.text("v.svg"), &["late found", "on time reviews called late"]);
    holds(&with(&["terms", "t.csv", "--find", "cold", "--out", "places.csv"]), &["− late"]);
    assert!(column(&folder.csv("places.csv"), "truth").iter().all(|class| class == "late"));
    with(&["terms", "t.csv", "--out", "terms.csv"]);
    holds(&folder.csv("terms.csv").0.join(","), &["late,on time,neutral,times_late"]);

    // The model carries them: nothing need be said again.
    holds(&with(&["train", "t.csv", "--out", "m.heddle"]), &["to late", "to on time", "are late"]);
    let explained = folder.done(&["explain", "m.heddle", "--text", "a cold cabin and a rude crew"]);
    holds(
        &explained,
        &["− late, probability", "log-odds of on time", "violet ones for late", "late without"],
    );
    folder.done(&["score", "m.heddle", "h.csv", "--out", "s.csv"]);
    let scored = folder.csv("s.csv");
    assert_eq!(column(&scored, "verdict").len(), column(&scored, "p_late").len());
    assert!(column(&scored, "verdict").iter().any(|class| class == "on time"));
    let assessed = folder.json(&["assess", "m.heddle", "h.csv", "--out", "a.csv", "--ledger", "none"]);
    assert_eq!(assessed["account"]["class_names"]["positive"], "on time");
    assert!(column(&folder.csv("a.csv"), "truth").iter().all(|class| class == "late" || class == "on time"));
    holds(&folder.done(&["terms", "--model", "m.heddle", "--out", "model.csv"]), &["Heaviest terms"]);
    holds(&folder.csv("model.csv").0.join(","), &["reviews,late,on time"]);
}

#[test]
fn labels_are_the_names_of_their_classes() {
    let folder = folder();
    let rule = ["--label", "kind", "--set", "polarity.negative=junk", "--set", "polarity.positive=wanted"];
    let told = folder.done(&[&["train", "r.csv", "--out", "m.heddle"][..], &rule].concat());
    holds(&told, &["junk", "to wanted"]);
    folder.done(&["score", "m.heddle", "r.csv", "--out", "s.csv"]);
    holds(&folder.csv("s.csv").0.join(","), &["polarity,p_junk,p_wanted,verdict"]);
    // A name that is set goes before the label, and stars are no names.
    let named = [&["label", "r.csv", "--set", "polarity.negative_name=spam"][..], &rule].concat();
    holds(&folder.done(&named), &["− spam", "+ wanted"]);
    holds(&folder.done(&["label", "r.csv"]), &["− negative", "+ positive"]);
    // What was labelled under names of its own is read again by them.
    folder.done(&[&["label", "r.csv", "--out", "l.csv"][..], &NAMES].concat());
    let again = folder.json(&[&["label", "l.csv", "--label", "polarity"][..], &NAMES].concat());
    assert_eq!((&again["account"]["negative"], &again["account"]["positive"]), (&54.into(), &106.into()));
}

#[test]
fn scores_are_written_in_codes_of_the_analyst() {
    let folder = folder();
    folder.done(&["train", "r.csv", "--out", "m.heddle"]);
    folder.done(&["score", "m.heddle", "r.csv", "--called", "J, W", "--out", "s.csv"]);
    let scored = folder.csv("s.csv");
    assert!(column(&scored, "polarity").iter().all(|code| code == "J" || code == "W"));
    holds(
        &folder.fails(&["score", "m.heddle", "r.csv", "--called", "J,?,W", "--out", "s.csv"]),
        &["3 codes", "a code for each of negative, positive"],
    );
    let wrong = folder.run(&["score", "m.heddle", "r.csv", "--called", "codes"]);
    assert_eq!(wrong.code, 2);
    holds(&wrong.err, &["name, sign, number, or a code for each class"]);
}

#[test]
fn names_that_cannot_be_told_apart_are_refused() {
    let folder = folder();
    let fails = |name: &str| folder.fails(&["label", "r.csv", "--set", name]);
    holds(&fails("polarity.negative_name=positive"), &["is the name of the positive class"]);
    holds(&fails("polarity.neutral_name=Unsure"), &["what a review without a class is called"]);
    let taken = ["--set", "polarity.positive=good", "--set", "polarity.negative_name=Good"];
    holds(
        &folder.fails(&[&["label", "r.csv"][..], &taken].concat()),
        &["negative_name = \"Good\" is a value of polarity.positive = \"good\""],
    );
}
