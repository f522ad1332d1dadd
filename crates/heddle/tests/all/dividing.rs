//! Rows divided, balanced and drawn: nothing is lost, and counts add up.

use std::collections::BTreeSet;

use crate::common::{Folder, column, number};
use serde_json::{Value, json};

#[test]
fn split_divides_without_overlap() {
    let folder = Folder::with_many(200);
    let found = folder.json(&["split", "many.csv", "--training", "t.csv", "--holdout", "h.csv"]);
    assert_eq!((number(&found["overlap"]["texts"]), number(&found["overlap"]["near"])), (0.0, 0.0));
    let (training, holdout) = (folder.csv("t.csv"), folder.csv("h.csv"));
    let ids = |table: &_| column(table, "id").into_iter().collect::<BTreeSet<_>>();
    assert!(ids(&training).is_disjoint(&ids(&holdout)));
    assert_eq!(ids(&training).len() + ids(&holdout).len(), 200);
    let texts = |table: &_| column(table, "review").into_iter().collect::<BTreeSet<_>>();
    assert!(texts(&training).is_disjoint(&texts(&holdout)), "equal texts stand on both sides");
    let share = |table: &_| {
        let classes = column(table, "polarity");
        classes.iter().filter(|class| *class == "negative").count() as f64 / classes.len() as f64
    };
    let exact = ["--set", "validation.sides=exact"];
    folder
        .done(&[&["split", "many.csv", "--training", "t3.csv", "--holdout", "h3.csv"][..], &exact].concat());
    assert!((share(&folder.csv("t3.csv")) - share(&folder.csv("h3.csv"))).abs() < 0.02);
    folder.done(&["split", "many.csv", "--training", "t2.csv", "--holdout", "h2.csv"]);
    assert_eq!(folder.bytes("h.csv"), folder.bytes("h2.csv"));
}

#[test]
fn rows_that_share_a_value_stay_together() {
    let mut text = String::from("customer,review,stars\n");
    (0..80).for_each(|row| text.push_str(&format!("c{},review number {row},{}\n", row / 4, [1, 5][row % 2])));
    let folder = Folder::new().file("r.csv", text);
    folder.done(&[
        "split",
        "r.csv",
        "--training",
        "t.csv",
        "--holdout",
        "h.csv",
        "--set",
        "reviews.together=customer",
    ]);
    let customers = |name: &str| column(&folder.csv(name), "customer").into_iter().collect::<BTreeSet<_>>();
    assert!(customers("t.csv").is_disjoint(&customers("h.csv")));
    assert!(!customers("h.csv").is_empty() && customers("h.csv").len() < 10);
}

#[test]
fn a_split_keeps_every_labelled_row_on_one_of_three_sides() {
    let folder = Folder::with_many(600);
    let found = folder.json(&[
        "split",
        "many.csv",
        "--training",
        "t.csv",
        "--development",
        "d.csv",
        "--holdout",
        "h.csv",
        "--set",
        "validation.development=25%",
    ]);
    let ids = |name: &str| column(&folder.csv(name), "id").into_iter().collect::<BTreeSet<_>>();
    let sides = [ids("t.csv"), ids("d.csv"), ids("h.csv")];
    assert_eq!(sides.iter().map(BTreeSet::len).sum::<usize>(), 600);
    assert_eq!(sides.iter().flatten().collect::<BTreeSet<_>>().len(), 600);
    assert!((100..200).contains(&sides[1].len()), "about a quarter: {}", sides[1].len());
    assert_eq!(found["overlap"], serde_json::json!({"texts": 0, "near": 0, "shared": []}));
    // The holdout is the same without a third part.
    folder.done(&["split", "many.csv", "--training", "t.csv", "--holdout", "h2.csv"]);
    assert_eq!(ids("h2.csv"), sides[2]);
    assert_eq!(folder.text("h.csv.about.json").matches("\"holdout\"").count(), 1);
}

#[test]
fn a_balanced_file_has_the_ratio_and_says_where_it_comes_from() {
    let folder = Folder::with_many(400);
    let before = folder.json(&["balance", "many.csv"]);
    let rows = |found: &Value, method: &str, class: &str| -> f64 {
        let methods = found["methods"].as_array().expect("methods").clone();
        let own = methods.iter().find(|own| own["method"] == method).expect("the method").clone();
        number(&own["rows"][class])
    };
    let (negative, positive) = (rows(&before, "none", "negative"), rows(&before, "none", "positive"));
    assert!(negative < positive);
    for (method, ratio, wanted) in [
        ("down", "1", [negative, negative]),
        ("down", "0.8", [negative, (negative / 0.8).round()]),
        ("up", "1", [positive, positive]),
    ] {
        let (set, ratio) = (format!("balance.method={method}"), format!("balance.ratio={ratio}"));
        let found = folder.json(&["balance", "many.csv", "--set", &set, "--set", &ratio, "--out", "b.csv"]);
        let classes = column(&folder.csv("b.csv"), "polarity");
        let count = |class: &str| classes.iter().filter(|own| *own == class).count() as f64;
        assert_eq!([count("negative"), count("positive")], wanted, "{method}");
        assert_eq!([rows(&found, method, "negative"), rows(&found, method, "positive")], wanted);
    }
    let about: Value = serde_json::from_str(&folder.text("b.csv.about.json")).expect("JSON");
    assert_eq!((number(&about["natural"]["negative"]), &about["holds"]), (negative, &"balanced".into()));
    assert!(folder.fails(&["balance", "many.csv", "--out", "b.csv"]).contains("there is no file to write"));
    let split = ["split", "b.csv", "--training", "t.csv", "--holdout", "h.csv"];
    assert!(folder.fails(&split).contains("Split first, then balance the training part"));
    let page = folder.done(&["balance", "many.csv"]);
    assert!(page.contains("Training then adds +0.") && page.contains("none ←"), "{page}");
}

#[test]
fn samples_keep_shares_order_and_number() {
    let folder = Folder::with_many(1000);
    let stars = |name: &str| column(&folder.csv(name), "stars");
    let share =
        |cells: &[String]| cells.iter().filter(|cell| *cell == "5").count() as f64 / cells.len() as f64;
    let whole = share(&stars("many.csv"));
    let place = |id: &String| id[1..].parse::<usize>().expect("a number");
    for (size, number_of, wanted) in
        [("--rows", "100", 100), ("--share", "10%", 100), ("--rows", "5000", 1000)]
    {
        folder.done(&["sample", "many.csv", size, number_of, "--out", "s.csv"]);
        let drawn = stars("s.csv");
        assert!(drawn.len().abs_diff(wanted) <= 3, "{size}: {}", drawn.len());
        assert!((share(&drawn) - whole).abs() < 0.015, "{size}");
        assert!(
            column(&folder.csv("s.csv"), "id").iter().map(place).is_sorted(),
            "the order of the file is kept"
        );
        let first = folder.bytes("s.csv");
        folder.done(&["sample", "many.csv", size, number_of, "--out", "s.csv", "--threads", "1"]);
        assert_eq!(folder.bytes("s.csv"), first);
    }
    let found = folder.json(&["sample", "many.csv", "--each", "30", "--out", "s.csv"]);
    assert!(found["strata"].as_array().expect("strata").iter().all(|own| number(&own["drawn"]) == 30.0));
    let about: Value = serde_json::from_str(&folder.text("s.csv.about.json")).expect("JSON");
    assert_eq!(number(&about["natural"]["negative"]) + number(&about["natural"]["positive"]), 1000.0);
    // What the study drops is not drawn from, and counted.
    let kept = ["--set", "reviews.keep=[\"stars >= 4\", \"words >= 3\"]"];
    let found = folder.json(&[&["sample", "many.csv", "--rows", "50", "--out", "s.csv"][..], &kept].concat());
    assert!(stars("s.csv").len() == 50 && stars("s.csv").iter().all(|cell| cell.as_str() >= "4"));
    let [read, rows, not_kept] = ["read", "rows", "not_kept"].map(|name| number(&found[name]));
    assert!(read == 1000.0 && rows + not_kept == read && not_kept > 0.0, "{found}");
    assert_eq!(folder.run(&["sample", "many.csv", "--rows", "3", "--each", "3", "--out", "s.csv"]).code, 2);
    assert!(folder.fails(&["sample", "many.csv", "--share", "5", "--out", "s.csv"]).contains("such as 5%"));
}

/// What nobody named is found, but only what is needed.
#[test]
fn a_sample_finds_the_columns_that_it_needs() {
    let mut text = String::from("nr;kommentar;note\n");
    (0..40).for_each(|row| text.push_str(&format!("{row};Die Nacht war gut {row};{}\n", row % 5 + 1)));
    text.push_str("40;kurz;1\n");
    let folder = Folder::new().file("r.csv", text);
    let drawn = folder.json(&["sample", "r.csv", "--each", "3", "--out", "s.csv"]);
    assert_eq!((&drawn["by"], &drawn["drawn"]), (&json!("note"), &json!(15)));
    let long = ["--set", "reviews.keep=words >= 3"];
    let drawn = folder.json(&[&["sample", "r.csv", "--rows", "10", "--out", "s.csv"][..], &long].concat());
    assert_eq!((&drawn["not_kept"], &drawn["drawn"], &drawn["by"]), (&json!(1), &json!(10), &json!("note")));
    let folder = folder.file("texts.csv", "review\ngood\nbad\nso so\n");
    let page = folder.done(&["sample", "texts.csv", "--rows", "2", "--out", "s.csv"]);
    assert!(
        page.contains("2 rows drawn from 3 rows") && page.contains("all rows were drawn from alike"),
        "{page}"
    );
}
