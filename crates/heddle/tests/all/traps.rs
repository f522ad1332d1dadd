//! Mistakes of this work that the program makes impossible, or says when they happen.

use std::collections::BTreeSet;

use crate::common::{Draw, Folder, column, number};
use serde_json::Value;

/// Reviews of 20 words and more, no two alike.
fn long_reviews(rows: usize) -> Vec<String> {
    const WORDS: [&str; 24] = [
        "cabin", "berth", "deck", "night", "crew", "tea", "harbour", "ticket", "queue", "lamp", "blanket",
        "flask", "morning", "window", "engine", "stairs", "corner", "luggage", "coffee", "lane", "buffet",
        "shower", "key", "bell",
    ];
    let mut draws = Draw(11);
    let mut draw = || draws.below(WORDS.len() as u64) as usize;
    (0..rows).map(|_| (0..22).map(|_| WORDS[draw()]).collect::<Vec<_>>().join(" ")).collect()
}

#[test]
fn trap_1_stray_quotes_do_not_swallow_rows() {
    let mut text = String::from("id\treview\tstars\n");
    for row in 0..60 {
        let quote = if row % 9 == 4 { "\"" } else { "" };
        text.push_str(&format!("{row}\t{quote}Warm cabin number {row}\t{}\n", [1, 5][row % 2]));
    }
    let folder = Folder::new().file("r.tsv", &text);
    // Detected, said and used.
    let run = folder.run(&["label", "r.tsv", "--json"]);
    let found: Value = serde_json::from_str(&run.out).expect("JSON");
    assert_eq!((number(&found["account"]["read"]), &found["manners"][0]["quotes"]), (60.0, &false.into()));
    assert!(run.err.contains("double quotes are read as ordinary characters"), "{}", run.err);
    // Forced to read them as fields, it points at the first swallowed rows.
    let run = folder.run(&["label", "r.tsv", "--json", "--set", "reviews.quotes=csv"]);
    let found: Value = serde_json::from_str(&run.out).expect("JSON");
    assert!(number(&found["account"]["read"]) < 60.0);
    assert!(
        run.err.contains("r.tsv, line 6: one row takes 10 lines")
            && run.err.contains("reviews.quotes=literal"),
        "{}",
        run.err
    );
    // A study that says "literal" still reads the parts that were written from it.
    folder.done(&[
        "run",
        "r.tsv",
        "--out",
        "run",
        "--set",
        "reviews.quotes=literal",
        "--set",
        "validation.folds=3",
        "--set",
        "terms.at_least=1",
    ]);
    let kept: Vec<String> = ["run/training.csv", "run/holdout.csv"]
        .iter()
        .flat_map(|name| column(&folder.csv(name), "review"))
        .collect();
    assert_eq!(
        kept.iter().filter(|text| text.starts_with("\"Warm")).count(),
        7,
        "quotes are kept as written"
    );
}

#[test]
fn trap_2_nothing_is_stripped_to_fit_a_format() {
    let odd = ["tab\there", "line\nend", "comma, \"quote\"", "semi;colon|bar", "back\\slash", " blanks "];
    let lines: Vec<String> =
        odd.iter().map(|text| serde_json::json!({"review": text, "stars": 5}).to_string()).collect();
    let folder = Folder::new().file("r.jsonl", lines.join("\n"));
    for name in ["l.tsv", "l.csv", "l.json", "l.parquet"] {
        folder.done(&["label", "r.jsonl", "--out", name]);
        folder.done(&["label", name, "--set", "reviews.label=polarity", "--out", "back.csv"]);
        assert_eq!(column(&folder.csv("back.csv"), "review"), odd, "{name}");
    }
}

#[test]
fn trap_3_a_value_without_a_meaning_is_an_error_with_its_count() {
    let folder = Folder::new().file("r.csv", "review,stars\na b,5\nc d,1\ne f,goood\ng h,\ni j,goood\n");
    let told = folder.fails(&["label", "r.csv", "--set", "polarity.middle=negative"]);
    assert!(told.contains("`goood` in 2 rows") && told.contains("line 4"), "{told}");
    let found = folder.json(&["label", "r.csv", "--set", "polarity.positive=4-5, goood"]);
    assert_eq!((number(&found["account"]["positive"]), number(&found["account"]["no_rating"])), (3.0, 1.0));
}

#[test]
fn trap_4_codes_that_mean_the_opposite_are_noticed() {
    let mut text = String::from("review,code\n");
    for row in 0..40 {
        let words = ["a lovely clean and friendly crossing", "a dreadful dirty and rude crossing"][row % 2];
        text.push_str(&format!("{words} {row},{}\n", [1, 2][row % 2]));
    }
    let folder = Folder::new().file("r.csv", text);
    // 1 is the good class here, but is read as the bad one.
    let code = ["--set", "reviews.label=code", "--set", "model.strength=0.01"];
    let wrong = ["--set", "polarity.negative=1", "--set", "polarity.positive=2"];
    let run = folder.run(&[&["train", "r.csv", "--out", "m.heddle"][..], &code, &wrong].concat());
    assert!(run.err.contains("plain words pull the wrong way") && run.err.contains("dirty"), "{}", run.err);
    let right = ["--set", "polarity.negative=2", "--set", "polarity.positive=1"];
    let run = folder.run(&[&["train", "r.csv", "--out", "m.heddle"][..], &code, &right].concat());
    assert!(!run.err.contains("wrong way"), "{}", run.err);
}

#[test]
fn trap_5_a_rating_of_0_is_asked_about_and_never_mapped() {
    let folder =
        Folder::new().file("r.csv", "review,stars\ngood one here,5\nbad one here,1\nno stars here,0\n");
    assert!(
        folder.json(&["survey", "r.csv"])["questions"]
            .to_string()
            .contains("Does a rating of 0 (1 row) mean")
    );
    assert!(
        folder
            .fails(&["label", "r.csv"])
            .contains("--set polarity.missing=\\\"0\\\"".replace('\\', "").as_str())
    );
}

#[test]
fn trap_6_the_middle_is_named_with_every_figure_and_scored_apart() {
    let mut text = Folder::with_many(200).text("many.csv");
    (0..30).for_each(|row| text.push_str(&format!("x{row},\"a warm cabin, cold tea {row}\",3\n")));
    let folder = Folder::new().file("r.csv", text).and_others(60);
    let found = folder.json(&["train", "r.csv", "--out", "m.heddle", "--validate"]);
    assert_eq!(number(&found["middle"]["reviews"]), 30.0);
    let share = &found["middle"]["called_positive"];
    assert!(number(&share["low"]) <= number(&share["value"]) && number(&share["n"]) == 30.0);
    for arguments in [
        &["train", "r.csv", "--out", "m.heddle"][..],
        &["validate", "r.csv"],
        &["assess", "m.heddle", "others.csv"],
        &["run", "r.csv", "--out", "run"],
    ] {
        let page = folder.done(arguments).split_whitespace().collect::<Vec<_>>().join(" ");
        assert!(page.contains("1-2 negative, 4-5 positive, between them: left out"), "{arguments:?}: {page}");
    }
}

#[test]
fn trap_7_labels_are_joined_by_id_never_by_place() {
    let folder = Folder::new()
        .file("texts.csv", "id,review\na,warm cabin\nb,cold tea\nc,no rating\n")
        .file("stars.csv", "stars,id\n1,b\n5,a\n4,z\n")
        .file("twice.csv", "stars,id\n1,b\n5,b\n");
    let by_id = ["label", "texts.csv", "--set", "reviews.id=id", "--out", "l.csv", "--ratings"];
    let found = folder.json(&[&by_id[..], &["stars.csv"]].concat());
    assert_eq!(number(&found["account"]["no_rating"]), 1.0);
    let labelled = folder.csv("l.csv");
    assert_eq!(
        (column(&labelled, "id"), column(&labelled, "polarity")),
        (vec!["a".into(), "b".into()], vec!["positive".to_string(), "negative".into()])
    );
    assert!(folder.fails(&[&by_id[..], &["twice.csv"]].concat()).contains("the id `b` has two ratings"));
    assert!(folder.fails(&["label", "texts.csv", "--ratings", "stars.csv"]).contains("reviews.id"));
}

#[test]
fn trap_8_samples_are_drawn_at_random_from_each_class() {
    let mut text = String::from("review,stars\n");
    (0..200).for_each(|row| {
        text.push_str(&format!("review of a cabin {row},{}\n", if row < 100 { 1 } else { 5 }))
    });
    let folder = Folder::new().file("r.csv", text);
    let lines = |seed: &str| -> Vec<(String, f64)> {
        let found = folder.json(&["label", "r.csv", "--samples", "4", "--set", seed]);
        let samples = found["samples"].as_array().expect("samples").clone();
        samples
            .iter()
            .map(|own| (own["class"].as_str().unwrap_or_default().to_string(), number(&own["line"])))
            .collect()
    };
    let drawn = lines("validation.seed=7");
    assert_eq!(drawn, lines("validation.seed=7"));
    assert_ne!(drawn, lines("validation.seed=8"));
    for class in ["negative", "positive"] {
        let own: Vec<f64> = drawn.iter().filter(|(name, _)| name == class).map(|(_, line)| *line).collect();
        assert_eq!(own.len(), 4);
        assert!(own.windows(2).any(|pair| (pair[0] - pair[1]).abs() > 3.0), "not the first rows: {own:?}");
    }
}

#[test]
fn trap_12_sorted_input_is_noticed_and_no_matter() {
    let texts = long_reviews(300);
    let rows = |order: fn(usize) -> usize| {
        let row = |at: usize| format!("{},{}\n", texts[order(at)], if order(at) < 100 { 1 } else { 5 });
        format!("review,stars\n{}", (0..300).map(row).collect::<String>())
    };
    let folder = Folder::new().file("sorted.csv", rows(|at| at)).file("mixed.csv", rows(|at| at * 77 % 300));
    let split = |name: &str| folder.done(&["split", name, "--training", "t.csv", "--holdout", "h.csv"]);
    assert!(split("sorted.csv").contains("The file is sorted"));
    let held = |name: &str| column(&folder.csv(name), "review").into_iter().collect::<BTreeSet<_>>();
    let sorted = held("h.csv");
    assert!(!split("mixed.csv").contains("The file is sorted"));
    assert_eq!(held("h.csv"), sorted, "sides do not depend on the order of the file");
    let classes: BTreeSet<String> = column(&folder.csv("h.csv"), "polarity").into_iter().collect();
    assert_eq!(classes.len(), 2);
}

#[test]
fn trap_12_added_rows_move_no_other_row() {
    let texts = long_reviews(400);
    let row = |at: usize| format!("c{},\"{}\",{}\n", at % 250, texts[at], [1, 5, 4][at % 3]);
    let rows = |from: usize, to: usize| (from..to).map(row).collect::<String>();
    let header = "customer,review,stars\n";
    let folder = Folder::new()
        .file("old.csv", format!("{header}{}", rows(0, 250)))
        .file("new.csv", format!("{header}{}{}", rows(250, 400), rows(0, 250)));
    let held = |name: &str| -> BTreeSet<String> {
        folder.done(&[
            "split",
            name,
            "--training",
            "t.csv",
            "--holdout",
            "h.csv",
            "--set",
            "reviews.together=customer",
        ]);
        column(&folder.csv("h.csv"), "review").into_iter().collect()
    };
    let (before, after) = (held("old.csv"), held("new.csv"));
    let old: BTreeSet<String> = texts[..250].iter().cloned().collect();
    assert_eq!(after.intersection(&old).cloned().collect::<BTreeSet<_>>(), before);
}

#[test]
fn trap_12_dates_divide_when_asked() {
    let texts = long_reviews(200);
    let row = |at: usize| {
        let day = 1 + at * 37 % 200;
        let posted = if at == 3 { "soon".into() } else { format!("{}.{}.2025", 1 + day % 28, 1 + day / 28) };
        format!("{at},c{},{posted},\"{}\",{}\n", at % 150, texts[at], [1, 5][at % 2])
    };
    let folder = Folder::new()
        .file("r.csv", format!("id,customer,posted,review,stars\n{}", (0..200).map(row).collect::<String>()));
    let set = ["--set", "validation.by=latest", "--set", "reviews.together=customer"];
    let split = ["split", "r.csv", "--training", "t.csv", "--holdout", "h.csv"];
    assert!(folder.fails(&[&split[..], &set].concat()).contains("reviews.date=posted"));
    let run = folder.run(&[&split[..], &set, &["--set", "reviews.date=posted", "--json"]].concat());
    assert_eq!(run.code, 3, "a row without a date is refused: {}", run.err);
    let found: serde_json::Value = serde_json::from_str(&run.out).expect("an answer");
    let (last, first) = (&found["training"]["days"][1], &found["holdout"]["days"][0]);
    assert!(last.as_str() < first.as_str(), "{last} is before {first}");
    let on_sides = folder.csv("t.csv").1.len() + folder.csv("h.csv").1.len();
    assert_eq!(on_sides as f64 + number(&found["no_date"]) + number(&found["tied"]), 200.0);
    assert!(number(&found["no_date"]) == 1.0 && number(&found["tied"]) > 0.0);
    assert_eq!(found["overlap"]["shared"], serde_json::json!([0]));
}

#[test]
fn trap_13_nothing_alike_stands_on_both_sides() {
    let texts = long_reviews(300);
    let mut text = String::from("customer,product,review,stars\n");
    for (at, review) in texts.iter().enumerate() {
        // Each review comes again from somebody else, once as it is and once with a word more.
        for (copy, more) in ["", "!", " really"].iter().enumerate() {
            text.push_str(&format!(
                "c{},p{},\"{review}{more}\",{}\n",
                at * 3 + copy,
                (at + copy * 5) % 180,
                [1, 5][at % 2]
            ));
        }
    }
    let folder = Folder::new().file("r.csv", text);
    let set = ["--set", "validation.holdout=30%"];
    let found =
        folder.json(&[&["split", "r.csv", "--training", "t.csv", "--holdout", "h.csv"][..], &set].concat());
    assert_eq!((number(&found["overlap"]["texts"]), number(&found["overlap"]["near"])), (0.0, 0.0));
    assert!(number(&found["near_repeats"]) >= 270.0, "nearly all are found: {}", found["near_repeats"]);
    let heads = |name: &str| -> BTreeSet<String> {
        column(&folder.csv(name), "review")
            .iter()
            .map(|text| text.replace(" really", "").replace('!', ""))
            .collect()
    };
    let both: Vec<String> = heads("t.csv").intersection(&heads("h.csv")).cloned().collect();
    assert!(both.len() <= 3, "near repeats that the sketch missed: {}", both.len());
    // Without it the report would say so.
    let found = folder.json(
        &[
            &[
                "split",
                "r.csv",
                "--training",
                "t.csv",
                "--holdout",
                "h.csv",
                "--set",
                "validation.alike=100%",
            ][..],
            &set,
        ]
        .concat(),
    );
    assert_eq!(number(&found["overlap"]["texts"]), 0.0);
    assert!(!heads("t.csv").is_disjoint(&heads("h.csv")));
    // Several columns at once make one group of all that hangs together.
    let chained = folder.json(
        &[
            &[
                "split",
                "r.csv",
                "--training",
                "t.csv",
                "--holdout",
                "h.csv",
                "--set",
                "reviews.together=[\"customer\", \"product\"]",
                "--set",
                "validation.sides=exact",
            ][..],
            &set,
        ]
        .concat(),
    );
    assert_eq!(chained["overlap"]["shared"], serde_json::json!([0, 0]));
}

#[test]
fn trap_14_identifiers_and_counts_are_no_text() {
    let mut text = String::from("review_id,helpful,review,stars\n");
    (0..40).for_each(|row| {
        text.push_str(&format!("HS-{row},{},a warm cabin {row},{}\n", row % 7, [1, 5][row % 2]))
    });
    let folder = Folder::new().file("r.csv", &text);
    for name in ["review_id", "helpful"] {
        let set = format!("reviews.text={name}");
        for arguments in
            [&["train", "r.csv", "--out", "m.heddle"][..], &["validate", "r.csv"], &["label", "r.csv"]]
        {
            let told = folder.fails(&[arguments, &["--set", &set]].concat());
            assert!(told.contains(&format!("column `{name}` holds numbers or codes")), "{told}");
        }
    }
    folder.done(&["label", "r.csv", "--out", "l.parquet"]);
}

#[test]
fn trap_15_a_holdout_is_locked_and_its_openings_are_counted() {
    let folder = Folder::with_many(300).and_others(60);
    folder.done(&["split", "many.csv", "--training", "t.csv", "--holdout", "h.csv"]);
    for arguments in
        [&["train", "h.csv", "--out", "m.heddle"][..], &["validate", "h.csv"], &["balance", "h.csv"]]
    {
        assert!(folder.fails(arguments).contains("h.csv is a locked holdout"), "{arguments:?}");
    }
    folder.done(&["train", "t.csv", "--out", "m.heddle", "--set", "model.strength=0.01"]);
    for times in 1..=3 {
        assert_eq!(number(&folder.json(&["assess", "m.heddle", "h.csv"])["opened"]), f64::from(times));
    }
    assert!(folder.done(&["assess", "m.heddle", "h.csv"]).contains("This holdout was opened 4 times"));
    let about: Value = serde_json::from_str(&folder.text("h.csv.about.json")).expect("JSON");
    assert_eq!((&about["holds"], about["openings"].as_array().map(Vec::len)), (&"holdout".into(), Some(4)));
    assert!(
        folder.json(&["assess", "m.heddle", "others.csv"])["opened"].is_null(),
        "nobody counts other files"
    );
    // A training part that was changed by hand is read as any other file, and said to be so.
    let folder = folder.file("t.csv", "id,review,stars\na,a cold cabin,1\nb,a warm cabin,5\n");
    let run = folder.run(&["train", "t.csv", "--out", "m.heddle", "--set", "terms.at_least=1"]);
    assert!(run.code == 0 && run.err.contains("t.csv was changed since it was written"), "{}", run.err);
}

#[test]
fn trap_30_precision_is_restated_at_the_natural_mix() {
    let mut text = String::from("review,stars\n");
    let many = Folder::with_many(1500);
    let (reviews, stars) = (column(&many.csv("many.csv"), "review"), column(&many.csv("many.csv"), "stars"));
    let mut negative = 0;
    for (at, (review, stars)) in reviews.iter().zip(&stars).enumerate() {
        // One review in nine says the opposite of its stars.
        let turned = if stars.as_str() > "3" { "1" } else { "5" };
        let stars = if at % 9 == 0 { turned } else { stars.as_str() };
        negative += usize::from(stars < "3");
        if stars > "3" || negative % 5 == 0 {
            text.push_str(&format!("\"{review}\",{stars}\n"));
        }
    }
    let folder = Folder::new().file("r.csv", text);
    let down = ["--set", "balance.method=down"];
    folder.done(&[&["balance", "r.csv", "--out", "b.csv"][..], &down].concat());
    let natural = number(&folder.json(&["label", "r.csv"])["account"]["negative"])
        / number(&folder.json(&["label", "r.csv"])["account"]["read"]);
    let strength =
        ["--set", "model.strength=0.001", "--set", "terms.at_least=2", "--set", "validation.folds=5"];
    let found = folder.json(&[&["validate", "b.csv"][..], &strength].concat());
    assert!((number(&found["restated"]["negative"]) - natural).abs() < 1e-12);
    let own = number(&found["figures"]["classes"][0]["precision"]["value"]);
    let restated = &found["restated"]["precision"][0];
    assert!(number(&restated["value"]) < own - 0.1, "{restated} against {own}");
    assert!(
        number(&restated["low"]) < number(&restated["value"])
            && number(&restated["value"]) < number(&restated["high"])
    );
    // Against what the natural mix shows itself.
    let whole = folder.json(&[&["validate", "r.csv"][..], &strength].concat());
    assert!(whole["restated"].is_null());
    // Training on the balanced file gives probabilities of the natural mix.
    folder.done(&[&["train", "b.csv", "--out", "b.heddle"][..], &strength].concat());
    folder.done(&["score", "b.heddle", "r.csv", "--out", "s.csv"]);
    let p: Vec<f64> =
        column(&folder.csv("s.csv"), "p_negative").iter().map(|p| p.parse().expect("a number")).collect();
    let mean = p.iter().sum::<f64>() / p.len() as f64;
    assert!((mean - natural).abs() < 0.06, "mean probability {mean}, natural share {natural}");
    // A mix that is told is used in place of one that is found.
    let told =
        folder.json(&[&["assess", "b.heddle", "r.csv"][..], &["--set", "balance.natural=2%"]].concat());
    assert!((number(&told["restated"]["negative"]) - 0.02).abs() < 1e-12);
}
