//! Which rows are used, and which are held out, as people say it.

use crate::common::{Folder, column, holds};

/// Reviews with a day, a channel and a part; every tenth text stands twice.
fn folder() -> Folder {
    let row = |at: usize| {
        let good = !at.is_multiple_of(3);
        let text = ["a cold cabin and a rude crew", "a warm cabin and a kind crew"][usize::from(good)];
        let (month, day) = (1 + at / 25, 1 + at % 25);
        let number = if at % 10 == 9 { at - 3 } else { at };
        let part = ["training", "Train", "test", "held-out", "training", ""][at % 6];
        let stars = if good { 5 } else { 1 };
        format!(
            "{text} on crossing {number},{stars},2025-{month:02}-{day:02},{},{part}\n",
            ["web", "desk", "mail"][at % 3]
        )
    };
    let rows: String = (0..200).map(row).collect();
    Folder::new().file("r.csv", format!("review,stars,posted,channel,part\n{rows}"))
}

const APART: [&str; 2] = ["--set", "validation.alike=100%"];

fn split(folder: &Folder, set: &[&str]) -> serde_json::Value {
    folder.json(&[&["split", "r.csv", "--training", "t.csv", "--holdout", "h.csv"][..], &APART, set].concat())
}

#[test]
fn a_day_a_row_or_a_column_says_what_is_held_out() {
    let folder = folder();
    let found = split(&folder, &["--date", "posted", "--set", "validation.by=2025-06-01"]);
    assert_eq!((&found["by"], &found["holdout"]["days"][0]), (&"2025-06-01".into(), &"2025-06-01".into()));
    assert_eq!(folder.csv("h.csv").1.len(), 75);
    let found = split(&folder, &["--set", "validation.by=151"]);
    assert_eq!((&found["by"], folder.csv("h.csv").1.len()), (&"151".into(), 50), "{found}");
    assert!(column(&folder.csv("t.csv"), "posted").iter().all(|day| day.as_str() < "2025-07-01"));
    let found = split(&folder, &["--set", "validation.by=part"]);
    let parts = column(&folder.csv("h.csv"), "part");
    assert!(!parts.is_empty() && parts.iter().all(|part| part == "test" || part == "held-out"), "{parts:?}");
    assert_eq!(found["unnamed"], 33, "{found}");
    // What is recorded beside the parts says how they came about.
    holds(&folder.text("h.csv.about.json"), &["\"validation.by\": \"part\""]);
    let placed = folder.csv("h.csv").1.len() + folder.csv("t.csv").1.len();
    assert_eq!(placed as f64 + found["tied"].as_f64().expect("a count") + 33.0, 200.0);
}

#[test]
fn parts_that_cannot_be_are_told() {
    let folder = folder();
    let fails = |set: &[&str]| {
        folder.fails(
            &[&["split", "r.csv", "--training", "t.csv", "--holdout", "h.csv"][..], &APART, set].concat(),
        )
    };
    holds(&fails(&["--set", "validation.by=lates"]), &["no column `lates`"]);
    holds(
        &fails(&["--set", "validation.by=channel"]),
        &["line 2, column `channel`", "expected training, development or holdout"],
    );
    holds(&fails(&["--set", "validation.by=2025-06-01"]), &["reviews.date=posted"]);
    holds(&fails(&["--set", "validation.by=150", "--set", "validation.development=10%"]), &["a third part"]);
}

#[test]
fn rows_are_kept_by_conditions_and_the_others_counted() {
    let folder = folder();
    let account =
        |keep: &str| folder.json(&["label", "r.csv", "--out", "l.csv", "--set", keep])["account"].clone();
    let kept = account("reviews.keep=channel = Web, desk");
    assert_eq!((&kept["not_kept"], &kept["read"]), (&66.into(), &200.into()));
    assert!(column(&folder.csv("l.csv"), "channel").iter().all(|channel| channel != "mail"));
    assert_eq!(account("reviews.keep=repeated = no")["not_kept"], 20);
    assert_eq!(account("reviews.keep=words > 100")["not_kept"], 200);
    assert_eq!(account("reviews.keep=[\"channel != web\", \"stars >= 4\"]")["not_kept"], 67);
    for (keep, holds) in [
        ("posted < 2025-06-01", (|day| day < "2025-06-01") as fn(&str) -> bool),
        ("posted >= 2025-06-01", |day| day >= "2025-06-01"),
    ] {
        let kept = account(&format!("reviews.keep={keep}"));
        let days = column(&folder.csv("l.csv"), "posted");
        assert!(!days.is_empty() && days.iter().all(|day| holds(day)), "{keep}");
        let all = column(&folder.csv("r.csv"), "posted");
        assert_eq!(kept["not_kept"], all.iter().filter(|day| !holds(day)).count());
    }
    let shown = folder.done(&["label", "r.csv", "--set", "reviews.keep=stars < 2"]);
    holds(&shown, &["left out: reviews.keep", "200 rows in = 67 labelled + 133 left out + 0 refused"]);
    // Training, folds and splits see the same rows.
    let keep = ["--set", "reviews.keep=channel != mail", "--set", "validation.folds=2", "--ledger", "none"];
    let found = folder.json(&[&["validate", "r.csv"][..], &keep, &APART].concat());
    assert_eq!(
        (&found["account"]["not_kept"], &found["figures"]["accuracy"]["n"]),
        (&66.into(), &134.into())
    );
    let found = split(&folder, &keep[..2]);
    assert_eq!(found["account"]["not_kept"], 66);
}

#[test]
fn conditions_that_make_no_sense_are_told() {
    let folder = folder();
    for (keep, told) in [
        ("web", "is no condition"),
        ("stars > many", "`many` is neither a number nor a day such as 2025-11-01"),
        ("repeated = often", "yes or no"),
        ("chanel = web", "did you mean `channel`"),
    ] {
        let run = folder.run(&["label", "r.csv", "--set", &format!("reviews.keep={keep}")]);
        assert!(run.code != 0 && run.err.contains(told), "{keep}: {}", run.err);
    }
}

#[test]
fn a_model_does_not_ask_new_reviews_for_what_chose_the_old_ones() {
    let folder = folder();
    folder.done(
        &[&["train", "r.csv", "--out", "m.heddle", "--set", "reviews.keep=channel = web, desk"][..], &APART]
            .concat(),
    );
    let folder = folder.file("new.csv", "review,stars\na warm cabin of my own,5\na cold cabin of my own,1\n");
    folder.done(&["score", "m.heddle", "new.csv", "--out", "s.csv"]);
    assert_eq!(folder.json(&["assess", "m.heddle", "new.csv"])["account"]["read"], 2);
}

#[test]
fn costs_of_mistakes_can_be_changed_on_a_finished_model() {
    let folder = Folder::with_many(300).and_others(300);
    folder.done(&["train", "many.csv", "--out", "m.heddle"]);
    let dear = ["--set", "decision.cost_missed_negative=9"];
    folder.done(&[&["train", "many.csv", "--out", "dear.heddle"][..], &dear].concat());
    let negative = |model: &str, set: &[&str]| {
        folder.done(&[&["score", model, "others.csv", "--out", "s.csv"][..], set].concat());
        column(&folder.csv("s.csv"), "polarity").into_iter().collect::<Vec<_>>()
    };
    let (usual, changed, trained) =
        (negative("m.heddle", &[]), negative("m.heddle", &dear), negative("dear.heddle", &[]));
    assert_eq!(changed, trained, "cuts by costs need nothing that a model does not keep");
    assert_ne!(changed, usual);
    let told =
        folder.fails(&["score", "m.heddle", "others.csv", "--out", "s.csv", "--set", "decision.unsure=90%"]);
    holds(&told, &["decision.unsure", "train again"]);
    let assessed = folder.json(&[&["assess", "m.heddle", "others.csv"][..], &dear].concat());
    let of_dear = folder.json(&["assess", "dear.heddle", "others.csv"]);
    assert_eq!(assessed["figures"]["confusion"], of_dear["figures"]["confusion"]);
}

#[test]
fn columns_that_are_named_as_opposites_have_terms_of_their_own() {
    let row = |at: usize| {
        format!(
            "{},{},{}\n",
            ["warm cabin", "nothing at all"][at % 2],
            ["nothing at all", "cold tea"][at % 2],
            [5, 1][at % 2]
        )
    };
    let rows: String = (0..60).map(row).collect();
    let folder = Folder::new()
        .file("pros.csv", format!("pros,cons,stars\n{rows}"))
        .file("parts.csv", format!("title,body,stars\n{rows}"));
    let page = |file: &str, first: &str, second: &str| {
        folder.done(&["terms", file, "--text", first, "--text", second, "--set", "terms.at_least=1"])
    };
    holds(&page("pros.csv", "pros", "cons"), &["pros:warm"]);
    assert!(
        !page("parts.csv", "title", "body").contains("title:"),
        "other columns are read one after the other"
    );
}
