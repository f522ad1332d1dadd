//! From any way to write a rating to classes that nobody has to guess.

use crate::common::{Folder, holds};

/// Reviews of one rating each.
fn reviews(ratings: &[&str]) -> String {
    let row = |(at, rating): (usize, &&str)| {
        let words = ["a warm clean cabin and kind crew", "a cold dirty cabin and rude crew"][at % 2];
        format!("R{at},\"{words} on night {at}\",\"{rating}\"\n")
    };
    let rows: String = ratings.iter().enumerate().map(row).collect();
    format!("id,comment,score\n{rows}")
}

fn repeated<'a>(values: &[&'a str], times: usize) -> Vec<&'a str> {
    values.iter().copied().cycle().take(values.len() * times).collect()
}

const COLUMNS: [&str; 4] = ["--set", "reviews.text=comment", "--set", "reviews.stars=score"];

#[test]
fn fifty_spellings_of_ratings_are_labelled() {
    let negative = [
        "1",
        "1.0",
        "1,0",
        "01",
        "2",
        "2.5e0",
        "1 star",
        "One star",
        "one",
        "two stars",
        "2 Stars",
        "2/5",
        "2 / 5",
        "1/5 stars",
        "1 out of 5",
        "2 of 5",
        "two out of five",
        "★☆☆☆☆",
        "★★☆☆☆",
        "⭐",
        "⭐⭐",
        "**",
        "Rated 1 out of 5",
        "1 - terrible",
        "2: poor",
    ];
    let positive = [
        "4",
        "5",
        "4.0",
        "5,0",
        "4,5",
        "4.50",
        "5 stars",
        "FIVE",
        "four stars",
        "4 points",
        "5 pts",
        "5/5",
        "4.5/5",
        "5/5 Stars",
        "5 out of 5 stars",
        "4 of 5",
        "★★★★☆",
        "★★★★★",
        "⭐⭐⭐⭐⭐",
        "⭐️⭐️⭐️⭐️",
        "****",
        "★★★★½",
        "Rating: 4",
        "5 (excellent)",
        "4 – good",
    ];
    assert_eq!(negative.len() + positive.len(), 50);
    let negative: Vec<&str> =
        negative.iter().map(|cell| if *cell == "2.5e0" { "2.0e0" } else { cell }).collect();
    let folder = Folder::new().file("r.csv", reviews(&[negative.clone(), positive.to_vec()].concat()));
    let found = folder.json(&[&["label", "r.csv"][..], &COLUMNS].concat());
    assert_eq!(found["account"]["negative"], 25, "{found}");
    assert_eq!(found["account"]["positive"], 25, "{found}");
    let values: Vec<String> =
        found["values"].as_array().expect("a list").iter().map(|row| row["value"].to_string()).collect();
    let first = |value: &str| values.iter().position(|own| own == &format!("\"{value}\"")).expect(value);
    assert!(
        first("1") < first("2/5") && first("2/5") < first("4.5") && first("4.5") < first("5/5"),
        "{values:?}"
    );
}

#[test]
fn a_scale_is_proposed_and_what_is_undecided_stays_open() {
    let ten: Vec<String> = (1..=10).map(|number| number.to_string()).collect();
    let ten: Vec<&str> = ten.iter().map(String::as_str).collect();
    let folder = Folder::new().file("r.csv", reviews(&repeated(&ten, 9)));
    let found = folder.json(&["survey", "r.csv", "--write-study", "study.toml"]);
    assert_eq!(found["scale"]["name"], "ratings of 1 to 10");
    assert!(found["ratings"].as_array().expect("a list").iter().all(|row| row["named"] == true), "{found}");
    let study = folder.text("study.toml");
    holds(
        &study,
        &["negative = \"1-4\"", "positive = \"7-10\"", "missing = \"\"", "open = [\"Are ratings of 1-4"],
    );
    for command in [
        &["train", "--out", "m.heddle"][..],
        &["validate"],
        &["split", "--training", "t.csv", "--holdout", "h.csv"],
        &["label", "--out", "l.csv"],
        &["run"],
        &["balance"],
    ] {
        holds(&folder.fails(command), &["leaves open", "Are ratings of 1-4 negative", "polarity.open"]);
    }
    let looked = folder.run(&["label"]);
    holds(&looked.err, &["still open: Are ratings of 1-4"]);
    folder.done(&["label", "--out", "l.csv", "--set", "polarity.open="]);
}

#[test]
fn nothing_undecided_is_decided_by_missing() {
    let scales: [(&[&str], &[&str]); 5] = [
        (
            &["0", "1", "2", "3", "4", "5", "6", "7", "8", "9", "10"],
            &["negative = \"0-6\"", "is 0 the worst"],
        ),
        (&["1", "2", "3", "4", "5", "n/a"], &["negative = \"1-2\"", "`n/a` (9 rows) say that no rating"]),
        (&["one", "two", "five", "n/a"], &["`n/a` (9 rows)"]),
        (&["yes", "no"], &["negative = \"no\"", "Does `yes` come from pleased"]),
        (&["1", "2", "3", "4", "5", "7"], &["Are ratings of 1-3 negative and 5-7"]),
    ];
    for (values, told) in scales {
        let folder = Folder::new().file("r.csv", reviews(&repeated(values, 9)));
        folder.done(&["survey", "r.csv", "--write-study", "study.toml"]);
        let study = folder.text("study.toml");
        holds(&study, told);
        holds(&study, &["missing = \"\""]);
    }
}

#[test]
fn an_error_about_ratings_never_proposes_to_leave_the_best_out() {
    let ten: Vec<String> = (1..=10).map(|number| number.to_string()).collect();
    let ten: Vec<&str> = ten.iter().map(String::as_str).collect();
    let folder = Folder::new().file("r.csv", reviews(&repeated(&ten, 2)));
    let told = folder.fails(&[&["label", "r.csv"][..], &COLUMNS].concat());
    holds(&told, &["ratings of 1 to 10", "--set polarity.negative=1-4 --set polarity.positive=7-10"]);
    assert!(!told.contains("polarity.missing"), "{told}");
}

#[test]
fn ratings_of_two_scales_are_never_one() {
    let folder = Folder::new().file("r.csv", reviews(&["1/5", "5/5", "4/10", "9/10", "2", "5"]));
    let told = folder.fails(&[&["label", "r.csv"][..], &COLUMNS].concat());
    holds(
        &told,
        &["`4/10` in 1 row", "`9/10` in 1 row", "out of 10 does not fit a rule whose numbers end at 5"],
    );
}

#[test]
fn many_labels_are_told_the_way_to_two() {
    let folder = Folder::new().file("r.csv", reviews(&["food", "cabin", "crew", "noise", "price"]));
    let told = folder.fails(&[&["label", "r.csv"][..], &COLUMNS].concat());
    holds(&told, &["one against the others", "--set polarity.negative="]);
}

#[test]
fn a_rule_that_nobody_needed_is_not_told() {
    let folder = Folder::new().file("r.csv", reviews(&["positive", "negative"]));
    let found = folder.json(&[&["label", "r.csv"][..], &COLUMNS].concat());
    assert_eq!(found["rule"], "the class that `score` names");
}
