//! Reports of runs, to be handed over.

use std::fs;

use crate::common::{Folder, holds};

/// Reviews with one that would be a script, and one that would turn what stands on a terminal.
const ODD: &str = "never again <script>alert(1)</script> & \u{202e}cold\u{1b}[31m tea";

fn folder() -> Folder {
    let many = Folder::with_many(500);
    let odd: String =
        (0..60).map(|at| format!("x{at},\"{ODD} {at}\",{}\n", if at % 9 == 0 { 5 } else { 1 })).collect();
    let rows = many.text("many.csv") + &odd;
    let folder = many.file("many.csv", rows);
    folder.done(&["run", "many.csv", "--id", "id", "--out", "run", "--set", "validation.folds=4"]);
    folder
}

#[test]
fn a_run_leaves_a_page_that_needs_nothing_else() {
    let folder = folder();
    let page = folder.text("run/report.html");
    for id in [
        "data",
        "figures",
        "confusion",
        "curves",
        "slices",
        "drivers",
        "reading",
        "probes",
        "doubts",
        "mistakes",
        "card",
        "settings",
    ] {
        holds(&page, &[&format!("<section id=\"{id}\"") as &str, &format!("href=\"#{id}\"")]);
    }
    for fetched in ["src=", "http:", "https:", "@import", "url("] {
        assert!(!page.contains(fetched), "the page fetches: {fetched}");
    }
    assert!(page.len() < 3_000_000, "{} bytes", page.len());
    // Figures are those of the findings.
    let found: serde_json::Value =
        serde_json::from_str(&folder.text("run/findings.json")).expect("findings are JSON");
    let accuracy = 100.0 * found["assessment"]["figures"]["accuracy"]["value"].as_f64().expect("a share");
    holds(
        &page,
        &[&format!("{accuracy:.1} %"), found["judgement"]["sentence"].as_str().expect("a sentence")],
    );
    // Every picture says what it shows, every table sorts by buttons, and search fields name their tables.
    assert_eq!(page.matches("<svg").count(), page.matches("role=\"img\" aria-label=").count());
    assert_eq!(page.matches("<th ").count(), page.matches("<button type=\"button\">").count());
    assert!(page.matches("type=\"search\" aria-controls=").count() >= 2);
    assert!(page.contains("prefers-color-scheme: dark") && page.contains("@media print"));
}

#[test]
fn texts_are_shown_as_texts_and_left_out_on_request() {
    let folder = folder();
    let page = folder.text("run/report.html");
    assert!(!page.contains("<script>alert") && !page.contains('\u{1b}') && !page.contains('\u{202e}'));
    holds(&page, &["&lt;script&gt;alert(1)&lt;/script&gt;"]);
    holds(
        &folder.done(&["report", "run", "--redact", "--out", "short.html"]),
        &["Written: short.html", "without texts"],
    );
    let redacted = folder.text("short.html");
    assert!(!redacted.contains("never again &lt;script"), "a text of a customer stands in it");
    for line in folder.text("many.csv").lines().skip(1).filter(|line| line.len() > 60) {
        let text = line.split('"').nth(1).expect("a text");
        assert!(!redacted.contains(text), "{text}");
    }
    holds(&folder.done(&["report", "run", "--out", "report.md"]), &["Written: report.md"]);
    let text = folder.text("report.md");
    holds(&text, &["# How customers", "## What came in", "| --- |", "&lt;script&gt;alert(1)&lt;/script&gt;"]);
    assert!(!text.contains('\u{1b}') && !text.contains("<script"));
    // What was written before gives way; what is somebody's does not.
    folder.done(&["report", "run", "--out", "short.html"]);
    folder.done(&["report", "run", "--out", "report.md"]);
    fs::write(folder.path("mine.html"), "<p>mine</p>").expect("a file");
    holds(&folder.fails(&["report", "run", "--out", "mine.html"]), &["mine.html is there already"]);
}

#[test]
fn what_is_no_run_is_told() {
    let folder = folder();
    holds(
        &folder.fails(&["report", "nowhere"]),
        &["nowhere/findings.json cannot be read", "as `heddle run` leaves it"],
    );
    holds(&folder.fails(&["report", "run", "--out", "report.pdf"]), &["report.pdf", ".html or .md"]);
    fs::create_dir(folder.path("other")).expect("a folder");
    fs::write(folder.path("other/findings.json"), "{\"heddle\":\"run\",\"version\":5}").expect("a file");
    holds(
        &folder.fails(&["report", "other"]),
        &["other/findings.json cannot be reported on", "missing field"],
    );
    let later = folder.text("run/findings.json").replacen("\"version\": 5", "\"version\": 9", 1);
    fs::write(folder.path("other/findings.json"), later).expect("a file");
    holds(&folder.fails(&["report", "other"]), &["of version 9", "this Heddle reads 5"]);
    // Those of the version before have the same keys.
    let before = folder.text("run/findings.json").replacen("\"version\": 5", "\"version\": 4", 1);
    fs::write(folder.path("other/findings.json"), before).expect("a file");
    holds(&folder.done(&["report", "other"]), &["Written: other/report.html"]);
}

#[test]
fn a_report_does_not_keep_a_run_from_being_done_again() {
    let folder = folder();
    folder.done(&[
        "run",
        "many.csv",
        "--id",
        "id",
        "--out",
        "run",
        "--replace",
        "--set",
        "validation.folds=4",
    ]);
    assert!(
        folder.text("run/report.html").contains("for the first time")
            || folder.text("run/report.html").contains("2 times")
    );
}

#[test]
fn a_model_tells_what_it_is_and_what_it_does_not_do_well() {
    let folder = folder();
    let page = folder.done(&["inspect", "run/model.heddle", "--out", "card.md"]);
    holds(
        &page,
        &["The model run/model.heddle", "What it is known not to do well", "cross-validated", "XXH3-64"],
    );
    let card = folder.text("card.md");
    holds(
        &card,
        &["# The model run/model.heddle", "## What it is", "| validation.folds | 4 |", "only what resembles"],
    );
    let found = folder.json(&["inspect", "run/model.heddle"]);
    // Its slices are those that the run found.
    let run: serde_json::Value =
        serde_json::from_str(&folder.text("run/findings.json")).expect("findings are JSON");
    let of = |found: &serde_json::Value| -> Vec<String> {
        let slices = found["slices"].as_array().expect("slices");
        slices
            .iter()
            .map(|own| format!("{} {} {} {}", own["aspect"], own["level"], own["accuracy"], own["differs"]))
            .collect()
    };
    let slices = of(&found["card"]["validated"]);
    assert!(slices.len() > 1 && slices == of(&run["validation"]), "{slices:?}");
    holds(&page, &["slice", "larger class"]);
    let alone = ["train", "many.csv", "--out", "v.heddle", "--validate", "--set", "validation.folds=4"];
    folder.done(&alone);
    assert!(!of(&folder.json(&["inspect", "v.heddle"])["card"]["validated"]).is_empty());
    let ran: serde_json::Value =
        serde_json::from_str(&folder.text("run/findings.json")).expect("findings are JSON");
    assert_eq!(found["card"], ran["training"]["card"]);
    assert_eq!(found["probes"], ran["probes"]["passed"]);
    // A model that was never validated says so, and so does one of few reviews.
    let few = Folder::with_many(60);
    few.done(&["train", "many.csv", "--out", "m.heddle"]);
    let page = few.done(&["inspect", "m.heddle"]);
    holds(&page, &["It was never validated", "It has learnt negative from"]);
    holds(&few.fails(&["inspect", "many.csv"]), &["no Heddle model"]);
}

#[test]
fn the_pictures_of_a_report_are_files_too() {
    let folder = folder();
    let asked = ["run", "many.csv", "--id", "id", "--out", "run", "--replace", "--learning-curve"];
    folder.done(&[&asked[..], &["--set", "validation.folds=4"]].concat());
    holds(
        &folder.text("run/report.html"),
        &["What mistakes cost at the best cut", "What more reviews bring"],
    );
    holds(
        &folder.done(&["report", "run", "--pictures", "drawn"]),
        &["Drawn: drawn/overview.svg to ", "18 pictures"],
    );
    let found: serde_json::Value =
        serde_json::from_str(&folder.text("run/findings.json")).expect("findings are JSON");
    for name in
        ["overview", "themes", "words", "roc", "precision-recall", "calibration", "gains", "cost", "learning"]
    {
        let picture = folder.text(&format!("drawn/{name}.svg"));
        holds(&picture, &["<svg ", "<title>", "</svg>"]);
        assert!(folder.bytes(&format!("drawn/{name}.png")).starts_with(b"\x89PNG"), "{name}");
    }
    let accuracy = found["validation"]["figures"]["accuracy"]["value"].as_f64().expect("a share");
    holds(&folder.text("drawn/overview.svg"), &[&format!("about {} are called", (100.0 * accuracy).round())]);
    let points = found["validation"]["learning_curve"]["points"].as_array().expect("points");
    let learnt = points[0]["reviews"].as_u64().expect("a number").to_string();
    holds(&folder.text("drawn/learning.svg"), &[&format!(">{learnt}<")]);
    // A picture that somebody else drew stays.
    fs::write(folder.path("drawn/roc.svg"), "mine").expect("a file");
    holds(&folder.fails(&["report", "run", "--pictures", "drawn"]), &["drawn/roc.svg is there already"]);
}
