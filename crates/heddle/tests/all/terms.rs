//! The `terms` command, and texts and lists that are hard to read.

use crate::common::{Folder, column, holds};

fn terms(folder: &Folder, more: &[&str]) -> serde_json::Value {
    folder.json(&[&["terms", "many.csv"][..], more].concat())
}

#[test]
fn every_counted_term_is_written_in_each_format_with_its_fate() {
    let folder = Folder::with_many(100);
    let set = ["--set", "terms.exclude=[\"hot tea\"]", "--set", "terms.at_most=20"];
    for name in ["v.csv", "v.parquet", "v.json"] {
        let found = terms(&folder, &[&set[..], &["--out", name]].concat());
        assert_eq!(found["written"], name);
    }
    folder.done(&[
        "sample",
        "v.parquet",
        "--rows",
        "100000",
        "--out",
        "p.csv",
        "--set",
        "reviews.stars=status",
    ]);
    let (csv, parquet) = (folder.csv("v.csv"), folder.csv("p.csv"));
    assert_eq!(column(&csv, "term"), column(&parquet, "term"));
    let statuses = column(&csv, "status");
    let named = column(&csv, "term").into_iter().zip(statuses.iter()).find(|(term, _)| term == "hot tea");
    assert_eq!(named.expect("it is counted").1, "excluded");
    let reviews = column(&csv, "reviews");
    for (status, reviews) in statuses.iter().zip(reviews.iter().map(|reviews| reviews.parse::<u32>())) {
        assert_eq!(status == "frequent", reviews.expect("a number") > 20 && status != "excluded", "{status}");
    }
    assert!(
        statuses.iter().any(|status| status == "frequent") && statuses.iter().any(|status| status == "kept")
    );
}

#[test]
fn a_phrase_is_found_with_what_surrounds_it() {
    let folder = Folder::with_reviews();
    let found = folder.json(&["terms", "reviews.csv", "--find", "CABIN", "--top", "2"])["found"][0].clone();
    assert_eq!((&found["places"], &found["reviews"], &found["negated"]), (&4.into(), &4.into(), &1.into()));
    assert_eq!(found["shown"].as_array().map(Vec::len), Some(2));
    assert_eq!(
        (&found["shown"][0]["before"], &found["shown"][0]["here"]),
        (&"A warm, clean ".into(), &"cabin".into())
    );
    let one = folder.json(&["terms", "reviews.csv", "--find", "cabin", "--row", "3"])["found"][0].clone();
    assert_eq!(
        (&one["places"], &one["shown"][0]["origin"]),
        (&1.into(), &"reviews.csv, row 3, line 4".into())
    );
    let page = folder.done(&["terms", "reviews.csv", "--find", "not a bad"]);
    assert!(page.contains("1 place in 1 review") && page.contains("[¬Not a bad]"), "{page}");
    assert_eq!(folder.json(&["terms", "reviews.csv", "--find", "zebra"])["found"][0]["places"], 0);
}

#[test]
fn words_used_alike_are_found_and_other_spellings_are_marked() {
    let mut rows = String::from("review,stars\n");
    for row in 0..240 {
        let word = ["lovely", "lovly", "charming", "dirty"][row % 4];
        let text = match word {
            "dirty" => format!("nobody cleans those dirty stairs {row}"),
            word => format!("we had a {word} cabin for the night {row}"),
        };
        rows.push_str(&format!("{text},{}\n", if word == "dirty" { 1 } else { 5 }));
    }
    let folder = Folder::new().file("r.csv", rows);
    let found = folder.json(&["terms", "r.csv", "--like", "lovely", "--top", "3"])["similar"].clone();
    let words: Vec<&str> = found["words"]
        .as_array()
        .expect("words")
        .iter()
        .map(|word| word["word"].as_str().expect("a word"))
        .collect();
    assert_eq!(words[..2], ["charming", "lovly"]);
    assert!(folder.done(&["terms", "r.csv", "--like", "lovely"]).contains("another spelling?"));
    assert!(folder.done(&["terms", "r.csv", "--like", "zebra"]).contains("too rarely"));
}

#[test]
fn a_picture_is_drawn_in_the_format_its_name_asks_for() {
    let folder = Folder::with_many(60);
    terms(&folder, &["--picture", "p.svg"]);
    terms(&folder, &["--picture", "p.png"]);
    let svg = folder.text("p.svg");
    assert!(
        svg.starts_with("<svg")
            && svg.contains("<title>Terms by the number of reviews")
            && svg.ends_with("</svg>\n")
    );
    assert!(folder.bytes("p.png").starts_with(b"\x89PNG"));
    assert!(folder.fails(&["terms", "many.csv", "--picture", "p.gif"]).contains(".svg or .png"));
    assert!(folder.fails(&["terms", "--model", "m.heddle", "--like", "x"]).contains("leave --model out"));
}

#[test]
fn a_model_tells_how_much_of_a_file_it_knows() {
    let folder = Folder::with_many(100).file("new.csv", "review,stars\nzanzibar xylophone,5\nhot tea,1\n");
    folder.done(&["train", "many.csv", "--out", "m.heddle"]);
    let known = folder.json(&["terms", "new.csv", "--model", "m.heddle"])["coverage"].clone();
    assert_eq!(
        known,
        serde_json::json!({"reviews": 2, "tokens": 4, "unknown_words": 2, "reviews_without_terms": 1})
    );
}

#[test]
fn stems_are_told_apart_from_words() {
    let folder = Folder::with_many(150);
    let found = folder.json(&["terms", "many.csv", "--out", "t.csv"]);
    let strongest = found["strongest"].as_array().expect("kinds");
    let kinds: Vec<(u64, Option<&str>)> = strongest
        .iter()
        .step_by(2)
        .map(|own| (own["words"].as_u64().expect("a number"), own["part"].as_str()))
        .collect();
    assert_eq!(kinds, [(1, None), (2, None), (0, Some("stem"))]);
    let stems = strongest[4]["terms"].as_array().expect("terms");
    assert!(
        !stems.is_empty() && stems.iter().all(|term| term["term"].as_str().expect("a name").ends_with('-'))
    );
    let listed = folder.csv("t.csv");
    let (terms, words) = (column(&listed, "term"), column(&listed, "words"));
    assert!(terms.iter().zip(&words).all(|(term, words)| term.ends_with('-') == (words == "0")));
    holds(&folder.done(&["terms", "many.csv"]), &["one word", "2 words", "stems"]);
    folder.done(&["train", "many.csv", "--out", "m.heddle"]);
    holds(&folder.done(&["terms", "--model", "m.heddle"]), &["Heaviest terms, stems"]);
    let text = "Nobody was cleaning the cabins, cleaned cabins matter";
    let folder = folder.file("two.csv", format!("id,review\n1,\"{text}\"\n"));
    folder.done(&["tokens", "two.csv", "--out", "r.csv"]);
    let parts = column(&folder.csv("r.csv"), "parts")[0].clone();
    let told = ["nobody nobodi-", "cleaning clean-", "cabins cabin-", "cleaned clean-", "matter matter-"];
    assert_eq!(parts.lines().collect::<Vec<_>>(), told);
    let counts = ["terms", "--merge", "a.csv", "--set", "terms.stems=none"];
    folder.done(&["terms", "many.csv", "--counts-out", "a.csv"]);
    holds(&folder.fails(&counts), &["terms.stems"]);
}

#[test]
fn letters_columns_and_hashed_terms_train_and_explain() {
    let mut folder = Folder::with_many(150);
    let rows = folder
        .text("many.csv")
        .replace("id,review,stars", "title,review,stars")
        .replace("\nm", "\nA fine night ");
    folder = folder.file("two.csv", rows);
    for sets in [
        &["terms.letters=3-4", "terms.words=none"][..],
        &["terms.hashed=12", "terms.words=1-3"],
        &["reviews.text=title,review", "reviews.fields=separate"],
        &["negation.style=flip", "terms.weighting=Lsu", "text.stem=english"],
        &[
            "terms.emphasis=class-ratio",
            "terms.weighting=bnc",
            "terms.best=50%",
            "terms.association=log-odds",
        ],
    ] {
        let sets: Vec<&str> = sets.iter().flat_map(|set| ["--set", set]).collect();
        let validated =
            folder.json(&[&["validate", "two.csv", "--set", "validation.folds=4"][..], &sets].concat());
        let accuracy = validated["figures"]["accuracy"]["value"].as_f64().expect("a figure");
        assert!(accuracy > 0.7, "{sets:?}: {accuracy}");
        folder.done(&[&["train", "two.csv", "--out", "m.heddle"][..], &sets].concat());
        folder.done(&["score", "m.heddle", "two.csv", "--out", "s.csv"]);
        let explained = folder.json(&["explain", "m.heddle", "two.csv", "--row", "3"])["texts"][0].clone();
        let parts = explained["terms"].as_array().expect("terms").iter().map(|term| &term["contribution"]);
        let sum: f64 = parts.map(|part| part.as_f64().expect("a number")).sum();
        let total = explained["intercept"].as_f64().expect("a number") + sum;
        assert!((total - explained["log_odds"].as_f64().expect("a number")).abs() < 1e-9, "{sets:?}");
        folder.done(&["terms", "--model", "m.heddle"]);
    }
}

#[test]
fn texts_that_are_hard_to_read_are_read() {
    let letters = (0..1_000_000).map(|at| ["a ", "b ", "c "][at % 3]).collect::<String>();
    let long = "Warm cabins and cold tea. ".repeat(400_000);
    let rows = [
        ("emoji", "😊😡👍🏽🇳🇴👩‍👧 ❤️".to_string(), 5),
        ("right", "המעבורת הייתה נקייה! العبارة متأخرة؟ لا".to_string(), 1),
        ("broken", "warm \u{fffd}\u{fffd} cabin \u{0}".replace('\u{0}', ""), 5),
        ("blank", "... --- ***".to_string(), 1),
        ("letters", letters, 1),
        ("long", long, 5),
    ];
    let mut text = String::from("id,review,stars\n");
    rows.iter().for_each(|(id, review, stars)| text.push_str(&format!("{id},\"{review}\",{stars}\n")));
    let folder = Folder::new().file("r.csv", text);
    let found = folder.json(&["terms", "r.csv", "--set", "terms.at_least=1"]);
    assert_eq!((&found["reviews"], &found["emptied"]), (&6.into(), &1.into()));
    let cleaned = folder.json(&["tokens", "r.csv"])["cleaning"].clone();
    assert_eq!((&cleaned["reviews"], &cleaned["emptied"]), (&6.into(), &1.into()));
    folder.done(&["train", "r.csv", "--out", "m.heddle", "--set", "terms.at_least=1"]);
    folder.done(&["explain", "m.heddle", "r.csv", "--row", "1", "--row", "2", "--row", "4"]);
}

#[test]
fn lists_and_lengths_that_make_no_sense_are_told() {
    let folder = Folder::with_many(40)
        .file("cycle.csv", "from,to\nwarm,hot\nhot,warm\n")
        .file("empty.txt", "\n# nothing\n")
        .file("study.toml", "[text]\nreplace = \"absent.csv\"\n");
    let fails = |set: &str| folder.fails(&["terms", "many.csv", "--study", "other.toml", "--set", set]);
    let folder_only = folder.fails(&["terms", "many.csv"]);
    assert!(
        folder_only.contains("study.toml, line 2") && folder_only.contains("absent.csv"),
        "{folder_only}"
    );
    std::fs::write(folder.path("other.toml"), "").expect("a study");
    for (set, told) in [
        ("text.replace=cycle.csv", "which becomes"),
        ("text.stoplist=empty.txt", "holds no line"),
        ("terms.words=3-1", "expected a length"),
        ("terms.letters=2-40", "at most 12"),
        ("negation.also=[\"sans,denies\"]", "no expression with its effect"),
        ("terms.weighting=xyz", "SMART letters"),
    ] {
        let error = fails(set);
        assert!(error.contains(told), "{set}: {error}");
    }
    let above =
        ["train", "many.csv", "--study", "other.toml", "--out", "m.heddle", "--set", "terms.at_least=1000"];
    assert!(folder.fails(&above).contains("terms.at_least and terms.at_most leave nothing"));
    let dropped =
        folder.json(&["terms", "many.csv", "--study", "other.toml", "--set", "terms.at_least=1000"]);
    assert_eq!((&dropped["kept"], &dropped["coverage"]["uncovered_reviews"]), (&0.into(), &40.into()));
    let row = folder.fails(&["terms", "many.csv", "--study", "other.toml", "--row", "4000"]);
    assert!(row.contains("rows 1 to 40"), "{row}");
}

#[test]
fn a_model_carries_its_lists_and_needs_no_file_of_them() {
    let folder = Folder::with_many(100)
        .file("stop.txt", "the\nwere\n")
        .file("replace.csv", "from,to\nhot tea,comfort\n")
        .file("blank.csv", "review,stars\n\"... ---\",5\nthe,1\nhot tea,5\n");
    let lists = ["--set", "text.stoplist=stop.txt", "--set", "text.replace=replace.csv"];
    folder.done(&[&["train", "many.csv", "--out", "m.heddle"][..], &lists].concat());
    let before = folder.json(&["explain", "m.heddle", "--text", "the crew were kind, hot tea"]);
    for list in ["stop.txt", "replace.csv"] {
        std::fs::remove_file(folder.path(list)).expect("the list was there");
    }
    assert_eq!(folder.json(&["explain", "m.heddle", "--text", "the crew were kind, hot tea"]), before);
    let terms = before["texts"][0]["terms"].as_array().expect("terms");
    assert!(terms.iter().any(|term| term["term"] == "comfort"), "{terms:?}");
    let run = folder.run(&[
        "train",
        "blank.csv",
        "--out",
        "b.heddle",
        "--set",
        "terms.at_least=1",
        "--set",
        "text.stop_also=[\"the\"]",
        "--set",
        "terms.include=[\"zebra\"]",
    ]);
    assert!(run.err.contains("no token of 2 reviews") && run.err.contains("`zebra`"), "{}", run.err);
}
