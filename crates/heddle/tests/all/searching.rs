//! Recipes, and the search for the best.

use crate::common::Folder;
use serde_json::{Value, json};

#[test]
fn a_recipe_sets_the_lengths_that_nobody_set() {
    let folder = Folder::with_many(80).file("study.toml", "[terms]\nletters = \"2\"\nrecipe = \"rich\"\n");
    let setting = |arguments: &[&str], path: &str| {
        let found = folder.json(&[&["study", "show"][..], arguments].concat());
        let settings = found["settings"].as_array().expect("settings");
        let own = settings.iter().find(|setting| setting["path"] == path).expect("a setting");
        (own["value"].as_str().expect("a text").to_string(), own["origin"].clone())
    };
    // What the study file sets stays, before the recipe or behind it.
    assert_eq!(setting(&[], "terms.words"), ("1-3".into(), "recipe".into()));
    assert_eq!(setting(&[], "terms.letters"), ("2".into(), serde_json::json!({"file": 2})));
    assert_eq!(setting(&[], "text.punctuation"), ("all".into(), "recipe".into()));
    // A recipe on the command line takes the place of the other.
    let lean = ["--set", "terms.recipe=lean"];
    assert_eq!(setting(&lean, "terms.words"), ("1".into(), "recipe".into()));
    for order in [["terms.words=2-3", "terms.recipe=rich"], ["terms.recipe=rich", "terms.words=2-3"]] {
        let sets = ["--set", order[0], "--set", order[1]];
        assert_eq!(setting(&sets, "terms.words"), ("2-3".into(), "override".into()), "{order:?}");
    }
    let sets = ["--set", "terms.letters=none", "--set", "validation.folds=3"];
    let tune = ["tune", "many.csv", "--vary", "terms.recipe=lean,usual,rich"];
    let found = folder.json(&[&tune[..], &sets].concat());
    let runs = found["runs"].as_array().expect("runs");
    let of = |recipe: &str| {
        let run = runs.iter().find(|run| run["name"].as_str().is_some_and(|name| name.ends_with(recipe)));
        run.expect("a run")["terms"].as_f64().expect("a number")
    };
    let terms = [of("lean"), of("usual"), of("rich")];
    assert!(terms.is_sorted_by(|a, b| a < b), "{terms:?}");
}

/// Settings that a search would try, settled so that few are left.
const SETTLED: [&str; 12] = [
    "--set",
    "terms.recipe=lean",
    "--set",
    "text.stem=none",
    "--set",
    "terms.letters=none",
    "--set",
    "terms.words=1-1",
    "--set",
    "terms.weighting=ltc",
    "--set",
    "terms.emphasis_least=0.6",
];

#[test]
fn a_search_takes_what_is_best_and_writes_the_study_that_does_it_again() {
    let folder = Folder::with_many(300);
    let search =
        ["tune", "many.csv", "--minutes", "9", "--write-study", "best.toml", "--set", "validation.folds=3"];
    let found = folder.json(&[&search[..], &SETTLED].concat());
    let searched = &found["searched"];
    assert_eq!((&searched["finished"], &searched["no_time"]), (&json!(true), &json!([])));
    let settled = searched["settled"].as_array().expect("settings");
    assert!(
        settled.contains(&json!("text.stem")) && !settled.contains(&json!("negation.style")),
        "{settled:?}"
    );
    let runs = found["runs"].as_array().expect("runs");
    assert!(runs.iter().any(|run| run["name"] == "the study as it is"));
    // From the study, every other value of what is open: three floors, a style and a learner.
    assert!(runs.len() >= 6, "{} runs", runs.len());
    let loss = |run: &Value| run["figures"]["log_loss"]["value"].as_f64().expect("a figure");
    assert!(runs.iter().map(loss).is_sorted() && runs[0]["name"] == found["best"]);
    // What the best of many promises is more than it keeps.
    assert!(found["chosen_elsewhere"]["value"].as_f64() >= Some(loss(&runs[0]) - 1e-3));
    let again = folder.json(&["validate", "--study", "best.toml", "--ledger", "none"]);
    let own = again["figures"]["log_loss"]["value"].as_f64().expect("a figure");
    assert!((own - loss(&runs[0])).abs() < 1e-9, "{own}");
    let told = folder.fails(&search);
    assert!(told.contains("best.toml is there already"), "{told}");
}

#[test]
fn a_search_begins_nothing_that_it_has_no_time_for() {
    let folder = Folder::with_many(120);
    let search = ["tune", "many.csv", "--minutes", "0.00001", "--set", "validation.folds=3"];
    let found = folder.json(&search);
    assert_eq!(found["runs"].as_array().map(Vec::len), Some(1), "the study as it is, is run in any case");
    assert_eq!(found["searched"]["finished"], false);
    assert!(found["searched"]["no_time"].as_array().is_some_and(|names| names.len() > 5));
    let told = folder.fails(&["tune", "many.csv", "--minutes", "0"]);
    assert!(told.contains("--minutes 0") && told.contains("above 0"), "{told}");
    let both = folder.run(&["tune", "many.csv", "--minutes", "1", "--vary", "terms.words=1-1,1-2"]);
    assert!(both.code == 2 && both.err.contains("cannot be used with"), "{}", both.err);
}
