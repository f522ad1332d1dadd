//! What goes wrong: each is told with its place and a way out, and nothing is half-written.

use crate::common::{self, Folder, REVIEWS, holds};

#[test]
fn a_missing_file_is_named() {
    let folder = Folder::new();
    for command in ["survey", "label", "validate"] {
        holds(&folder.fails(&[command, "nope.csv"]), &["nope.csv", "No such file"]);
    }
    holds(&folder.fails(&["score", "m.heddle", "nope.csv"]), &["m.heddle", "No such file"]);
}

#[test]
fn a_misspelled_file_is_told_with_the_nearest() {
    let folder = Folder::with_reviews();
    holds(&folder.fails(&["label", "reviws.csv"]), &["reviws.csv: ", "did you mean `reviews.csv`?"]);
    holds(&folder.fails(&["label", "x/reviews.csv"]), &["there is no folder x"]);
    holds(&folder.fails(&["label", "statistics.xlsx"]), &["no file in this folder has a like name"]);
    holds(&folder.fails(&["label", "reviews.csv/2025.csv"]), &["reviews.csv is a file and holds no others"]);
}

#[test]
fn a_full_disk_is_told_with_a_way_out() {
    let folder = Folder::with_reviews();
    holds(
        &folder.fails(&["label", "reviews.csv", "--out", "/dev/full"]),
        &["/dev/full: No space left on device", "make room there"],
    );
}

#[test]
fn no_file_at_all_is_told_with_a_way_out() {
    holds(
        &Folder::new().fails(&["label"]),
        &["no review file", "heddle survey reviews.csv", "reviews.files"],
    );
}

#[test]
fn a_missing_column_is_told_with_the_nearest() {
    let folder = Folder::with_reviews();
    holds(
        &folder.fails(&["label", "reviews.csv", "--set", "reviews.text=reviw"]),
        &["reviews.csv", "no column `reviw`", "did you mean `review`?", "`customer`"],
    );
    holds(&folder.fails(&["label", "reviews.csv", "--set", "reviews.stars=grade"]), &["no column `grade`"]);
}

#[test]
fn a_short_row_is_refused_with_its_line_and_the_rest_is_used() {
    let folder = Folder::new().file("r.csv", format!("{REVIEWS}r9,short\nr10,hal,fine and warm,5\n"));
    let run = folder.run(&["label", "r.csv", "--out", "l.csv", "--json"]);
    assert_eq!(run.code, 3, "done, but a row was refused");
    holds(&run.err, &["refused: r.csv, line 10: expected 4 fields, found 2"]);
    let account = &serde_json::from_str::<serde_json::Value>(&run.out).expect("JSON")["account"];
    assert_eq!((&account["refused"], &account["read"]), (&1.into(), &10.into()));
    assert!(folder.text("l.csv").contains("r10"));
}

#[test]
fn every_command_that_reads_rows_tells_of_refused_ones() {
    let mut many = Folder::with_many(100).text("many.csv");
    many.push_str("short\n");
    let folder = Folder::with_many(100).and_others(100).file("r.csv", many);
    folder.done(&["train", "others.csv", "--out", "m.heddle"]);
    let commands: [&[&str]; 7] = [
        &["survey", "r.csv"],
        &["split", "r.csv", "--training", "t.csv", "--holdout", "h.csv"],
        &["train", "r.csv", "--out", "n.heddle"],
        &["validate", "r.csv", "--set", "validation.folds=3"],
        &["assess", "m.heddle", "r.csv"],
        &["score", "m.heddle", "r.csv", "--out", "s.csv"],
        &["run", "r.csv", "--out", "run"],
    ];
    for arguments in commands {
        let run = folder.run(arguments);
        assert_eq!(run.code, 3, "{arguments:?}: {}", run.err);
        holds(&run.err, &["r.csv, line 102: expected 3 fields, found 1"]);
    }
}

#[test]
fn broken_characters_are_replaced_and_counted() {
    let folder = Folder::new().file("r.csv", b"review,stars\ngood caf\xc3\xa9s,5\ncaf\xe9,1\nbad,1\n");
    let run = folder.run(&["label", "r.csv", "--out", "l.csv", "--set", "reviews.encoding=utf-8"]);
    assert_eq!(run.code, 0, "a row is not lost for one byte: {}", run.err);
    holds(&run.err, &["r.csv: 1 broken character replaced", "the first on line 3", "reviews.encoding"]);
    assert!(folder.text("l.csv").contains("caf\u{fffd},1,negative"));
}

#[test]
fn an_empty_file_is_told() {
    let folder = Folder::new().file("r.csv", "").file("h.csv", "review,stars\n");
    holds(&folder.fails(&["survey", "r.csv"]), &["r.csv", "the file is empty"]);
    holds(&folder.fails(&["train", "h.csv", "--out", "m.heddle"]), &["none of 0 rows can be learnt from"]);
    assert!(!folder.path("m.heddle").exists());
}

#[test]
fn one_class_only_is_told() {
    let folder = Folder::new().file("r.csv", "review,stars\ngood,5\nfine,4\nso,3\n");
    for arguments in [
        &["train", "r.csv", "--out", "m.heddle"][..],
        &["validate", "r.csv"],
        &["split", "r.csv", "--training", "t.csv", "--holdout", "h.csv"],
    ] {
        holds(&folder.fails(arguments), &["all 2 reviews are positive", "polarity.negative"]);
    }
    assert_eq!(folder.names(), ["r.csv"], "nothing was written");
}

#[test]
fn texts_that_are_all_blank_are_told() {
    let folder = Folder::new().file("r.csv", "review,stars\n,5\n \"  \",1\n,3\n".replace(" \"", "\""));
    holds(&folder.fails(&["train", "r.csv", "--out", "m.heddle"]), &["none of 3 rows", "3 without text"]);
}

#[test]
fn a_rating_that_the_rule_does_not_name_is_told_with_its_count() {
    let folder = Folder::new().file("r.csv", "review,stars\na b,5\nc d,0\ne f,nought\ng h,0.0\ni j,1\n");
    let told = folder.fails(&["label", "r.csv"]);
    holds(
        &told,
        &["`stars`", "`0` in 2 rows", "`nought` in 1 row", "line 3", "--set polarity.missing=\"0\""],
    );
    let run = folder.run(&["label", "r.csv", "--set", "polarity.missing=0, nought"]);
    assert_eq!(run.code, 0, "{}", run.err);
}

#[test]
fn a_rating_that_is_blank_is_never_a_class() {
    let folder = Folder::new().file("r.csv", "review,stars\na b,5\nc d,\ne f,1\n");
    let found = folder.json(&["label", "r.csv", "--set", "polarity.middle=negative"]);
    assert_eq!((&found["account"]["no_rating"], &found["account"]["negative"]), (&1.into(), &1.into()));
}

#[test]
fn unknown_settings_are_told_with_line_and_nearest_key() {
    let cases = [
        ("[negation]\nreach = 3\nscop = \"off\"\n", &["line 3", "`negation.scop`", "`negation.scope`"][..]),
        ("[negations]\nreach = 3\n", &["line 1", "[negations]", "[negation]"]),
        ("\n[text]\ncase = \"upper\"\n", &["line 3", "\"lower\" or \"keep\""]),
        ("seed = 3\n", &["line 1", "outside a section"]),
        ("[text]\ncase = \n", &["line 2"]),
        ("[polarity]\nnegative = \"1-3\"\npositive = \"3-5\"\n", &["share a value"]),
        ("[text]\ncase = { a = 1 }\n", &["line 2", "text.case"]),
        ("[reviews]\ntext = [1, 2]\n", &["line 2", "reviews.text"]),
    ];
    for (text, parts) in cases {
        let folder = Folder::new().file("study.toml", text);
        let told = folder.fails(&["study", "show"]);
        holds(&told, &["study.toml"]);
        holds(&told, parts);
    }
}

#[test]
fn unknown_overrides_are_told() {
    let folder = Folder::new();
    for (set, part) in [
        ("text.csae=keep", "`text.case`"),
        ("text.case", "section.key=value"),
        ("text.case=up", "\"keep\""),
        ("model.strength=-1", "1e-12"),
    ] {
        holds(&folder.fails(&["study", "show", "--set", set]), &["--set", part]);
    }
}

#[test]
fn overrides_must_make_sense_together_not_one_by_one() {
    let folder = Folder::new().file("r.csv", "review,stars\ngood,1\nbad,6\n");
    let turned = ["--set", "polarity.positive=1-2", "--set", "polarity.negative=5-6"];
    let found = folder.json(&[&["label", "r.csv"][..], &turned].concat());
    assert_eq!(found["account"]["negative"], 1);
    holds(
        &folder.fails(&["label", "r.csv", "--set", "polarity.positive=2-5"]),
        &["--set polarity.positive=2-5", "share a value"],
    );
}

#[test]
fn a_study_that_is_not_there_is_told() {
    holds(&Folder::new().fails(&["study", "show", "--study", "no.toml"]), &["no.toml", "No such file"]);
}

#[test]
fn the_files_of_a_study_stand_beside_it() {
    let folder = Folder::with_reviews();
    std::fs::create_dir(folder.path("inner")).expect("a folder");
    let folder = folder.file("inner/study.toml", "[reviews]\nfiles = [\"../reviews.csv\"]\n");
    assert!(folder.done(&["label", "--study", "inner/study.toml"]).contains("What the values"));
}

#[test]
fn a_damaged_or_foreign_model_is_told() {
    let folder = Folder::with_many(60);
    folder.done(&["train", "many.csv", "--out", "m.heddle"]);
    let mut bytes = folder.bytes("m.heddle");
    bytes.truncate(bytes.len() / 2);
    let folder = folder.file("half.heddle", bytes);
    holds(
        &folder.fails(&["explain", "half.heddle", "--text", "x"]),
        &["half.heddle", "damaged or cut short"],
    );
    holds(&folder.fails(&["explain", "many.csv", "--text", "x"]), &["no Heddle model", "heddle train"]);
}

#[test]
fn a_model_keeps_its_own_settings() {
    let folder = Folder::with_many(60);
    folder.done(&["train", "many.csv", "--out", "m.heddle"]);
    let told = folder.fails(&["explain", "m.heddle", "--text", "x", "--set", "text.case=keep"]);
    holds(&told, &["text.case=keep", "trained with its own settings"]);
}

#[test]
fn a_study_that_would_be_passed_over_is_refused() {
    let folder = Folder::with_many(60).file("s.toml", "[text]\ncase = \"keep\"\n");
    folder.done(&["train", "many.csv", "--out", "m.heddle"]);
    for arguments in
        [&["assess", "m.heddle", "many.csv", "--study", "s.toml"][..], &["demo", "--study", "s.toml"]]
    {
        holds(&folder.fails(arguments), &["--study s.toml has no use here"]);
    }
    assert_eq!(folder.names(), ["m.heddle", "many.csv", "s.toml"]);
}

#[test]
fn reviews_that_are_all_tied_together_can_still_be_learnt_from() {
    let folder = Folder::new()
        .file("r.csv", "who,review,stars\na,warm warm,5\na,cold cold,1\na,warm cold warm,4\na,cold sea,2\n");
    folder.done(&["train", "r.csv", "--set", "reviews.together=who", "--out", "m.heddle"]);
    assert!(folder.done(&["explain", "m.heddle", "--text", "warm"]).contains("positive"));
}

#[test]
fn an_output_that_cannot_be_written_is_told() {
    let folder = Folder::with_many(60);
    let told =
        folder.fails(&["train", "many.csv", "--out", "no/such/m.heddle", "--set", "model.strength=0.1"]);
    holds(&told, &["no/such/m.heddle"]);
    assert_eq!(folder.names(), ["many.csv"]);
}

#[test]
fn a_failure_leaves_an_earlier_output_as_it_was() {
    let folder = Folder::with_reviews().file("l.csv", "precious\n").file("bad.csv", "review,stars\na b,7\n");
    folder.fails(&["label", "bad.csv", "--out", "l.csv"]);
    assert_eq!(folder.text("l.csv"), "precious\n");
    assert_eq!(folder.names(), ["bad.csv", "l.csv", "reviews.csv"]);
}

#[test]
fn more_folds_than_reviews_are_told() {
    let folder = Folder::with_reviews();
    holds(&folder.fails(&["validate", "reviews.csv"]), &["cannot fill 10 folds", "validation.folds=2"]);
}

#[test]
fn a_run_that_fails_leaves_no_folder() {
    let folder = Folder::with_many(20);
    holds(&folder.fails(&["run", "many.csv"]), &["cannot fill 10 folds"]);
    holds(&folder.fails(&["run", "nope.csv"]), &["No such file"]);
    assert_eq!(folder.names(), ["many.csv"]);
}

#[test]
fn terms_that_are_all_left_out_are_told() {
    let folder = Folder::with_many(60);
    let told = folder.fails(&["train", "many.csv", "--out", "m.heddle", "--set", "terms.at_least=5000"]);
    holds(&told, &["none of", "terms.at_least"]);
}

#[test]
fn a_row_or_id_that_is_not_there_is_told() {
    let folder = Folder::with_reviews();
    holds(&folder.fails(&["tokens", "reviews.csv", "--row", "99"]), &["rows 1 to 8", "99"]);
    holds(&folder.fails(&["tokens", "reviews.csv", "--row", "0"]), &["no row 0"]);
    holds(&folder.fails(&["tokens", "reviews.csv", "--id", "x"]), &["reviews.id"]);
    holds(
        &folder.fails(&["tokens", "reviews.csv", "--id", "x", "--set", "reviews.id=id"]),
        &["no row has `x`"],
    );
    holds(&folder.fails(&["tokens"]), &["--text"]);
}

#[test]
fn rows_and_summary_do_not_mix() {
    let folder = Folder::with_many(60);
    folder.done(&["train", "many.csv", "--out", "m.heddle"]);
    holds(&folder.fails(&["score", "m.heddle", "many.csv", "--json"]), &["--out scored.csv"]);
}

#[test]
fn two_outputs_need_two_names() {
    let folder = Folder::with_reviews();
    holds(
        &folder.fails(&["split", "reviews.csv", "--training", "a.csv", "--holdout", "a.csv"]),
        &["a.csv and a.csv are one file", "name each output its own"],
    );
}

#[test]
fn wrong_usage_ends_with_two() {
    let folder = Folder::new();
    for arguments in
        [&["trian"][..], &["train"], &["score"], &["label", "--no-such"], &["tokens", "--threads", "0"]]
    {
        assert_eq!(folder.run(arguments).code, 2, "{arguments:?}");
    }
}

#[test]
fn odd_texts_are_read_whatever_they_are() {
    let odd = ["👍👍👍", "مرحبا بالعالم", "!!!!!!!!", "\u{200f}\u{202e}", "&#x110000; &#0; &;", "<<<>>>"];
    let mut text = String::from("review,stars\n");
    for (at, review) in odd.iter().cycle().take(60).enumerate() {
        text.push_str(&format!("\"{review} {}\",{}\n", at % 9, [1, 5][at % 2]));
    }
    let folder = Folder::new().file("r.csv", text);
    folder.done(&["train", "r.csv", "--out", "m.heddle"]);
    folder.done(&["score", "m.heddle", "r.csv", "--out", "s.csv"]);
    let found = folder.json(&["explain", "m.heddle", "r.csv", "--row", "2"]);
    assert_eq!(found["texts"].as_array().map(Vec::len), Some(1));
}

#[test]
fn a_nul_byte_is_refused_with_line_and_column() {
    let folder = Folder::new().file("r.csv", "review,stars\ngood,5\nba\0d,1\nbad,1\n");
    let run = folder.run(&["label", "r.csv"]);
    assert_eq!(run.code, 3);
    holds(&run.err, &["r.csv, line 3, column `review`: expected text, found a NUL byte"]);
}

#[test]
fn a_field_of_fifty_megabytes_is_read_like_any_other() {
    let mut text = String::from("review,stars\n\"");
    text.push_str(&"a warm cabin, ".repeat(50_000_000 / 14));
    text.push_str("\",5\nbad,1\n");
    let folder = Folder::new().file("r.csv", text);
    let found = folder.json(&["label", "r.csv", "--out", "l.csv"]);
    assert_eq!((&found["account"]["positive"], &found["account"]["negative"]), (&1.into(), &1.into()));
    assert_eq!(
        folder.bytes("l.csv").len(),
        folder.bytes("r.csv").len() + "polarity,positive,negative,".len()
    );
}

#[test]
fn packed_files_that_are_cut_short_or_damaged_are_told_and_nothing_is_written() {
    let many = Folder::with_many(400);
    for name in ["l.csv.gz", "l.csv.zst"] {
        many.done(&["label", "many.csv", "--out", name]);
        let mut bytes = many.bytes(name);
        bytes.truncate(bytes.len() / 2);
        let folder = Folder::new().file(name, &bytes);
        holds(
            &folder.fails(&["label", name, "--out", "o.csv", "--set", "reviews.label=polarity"]),
            &[name, "cut short", "copy or download it again"],
        );
        assert_eq!(folder.names(), [name], "nothing was written");
    }
    let mut bytes = many.bytes("l.csv.gz");
    let middle = bytes.len() / 2;
    bytes[middle..middle + 40].fill(0xaa);
    let folder = Folder::new().file("l.csv.gz", bytes);
    holds(&folder.fails(&["label", "l.csv.gz"]), &["l.csv.gz: its gzip data are damaged"]);
}

#[test]
fn a_parquet_file_of_the_wrong_type_or_none_at_all_is_told() {
    let folder =
        Folder::new().file("r.jsonl", "{\"review\": 12, \"stars\": 5}\n{\"review\": 13, \"stars\": 1}\n");
    folder.done(&["sample", "r.jsonl", "--rows", "2", "--out", "r.parquet"]);
    for name in ["r.jsonl", "r.parquet"] {
        holds(&folder.fails(&["label", name]), &[name, "column `review` holds whole numbers, expected text"]);
    }
    let mut bytes = folder.bytes("r.parquet");
    bytes.truncate(bytes.len() - 20);
    let folder = folder.file("cut.parquet", bytes).file("none.parquet", "review,stars\n");
    for name in ["cut.parquet", "none.parquet"] {
        holds(&folder.fails(&["label", name]), &[name, "cannot be read as Parquet"]);
    }
}

#[test]
fn json_that_is_none_is_refused_row_by_row_or_told_with_its_line() {
    let lines = "{\"review\": \"good\", \"stars\": 5}\n{\"review\": \"bad\", \"stars\": 1\n[1]\n{\"review\": \"bad\", \"stars\": 1}\n";
    let folder = Folder::new()
        .file("r.jsonl", lines)
        .file("open.json", "[{\"review\": \"good\", \"stars\": 5},\n{\"review\": \"bad\"")
        .file("empty.json", "[]");
    let run = folder.run(&["label", "r.jsonl"]);
    assert_eq!(run.code, 3);
    holds(
        &run.err,
        &["r.jsonl, line 2: expected a JSON object", "r.jsonl, line 3: expected a JSON object, found `[1]`"],
    );
    holds(&folder.fails(&["label", "open.json"]), &["open.json, line 2", "cut short"]);
    holds(&folder.fails(&["label", "empty.json"]), &["empty.json", "no JSON object with fields"]);
}

#[test]
fn headers_that_cannot_be_used_are_told() {
    let folder =
        Folder::new().file("twice.csv", "review,stars,review\na,5,b\n").file("only.csv", "review,stars\n");
    holds(&folder.fails(&["survey", "twice.csv"]), &["twice.csv", "`review` is there twice", "rename one"]);
    let found = folder.json(&["label", "only.csv"]);
    assert_eq!(found["account"]["read"], 0);
    holds(
        &folder.fails(&["split", "only.csv", "--training", "t.csv", "--holdout", "h.csv"]),
        &["none of 0 rows"],
    );
    assert_eq!(folder.json(&["survey", "only.csv"])["rows"], 0);
}

#[test]
fn marks_and_line_ends_of_other_systems_are_no_matter() {
    let text = "\u{feff}review,stars\r\nwarm cabin,5\ncold tea,1\r\n\"two\r\nlines\",4\nshort\r\n";
    let folder = Folder::new().file("r.csv", text);
    let run = folder.run(&["label", "r.csv", "--out", "l.csv", "--json"]);
    assert_eq!(run.code, 3);
    holds(&run.err, &["r.csv, line 6: expected 2 fields, found 1"]);
    let labelled = folder.csv("l.csv");
    assert_eq!(labelled.0, ["review", "stars", "polarity"]);
    assert_eq!(common::column(&labelled, "review"), ["warm cabin", "cold tea", "two\r\nlines"]);
}

#[test]
fn dates_of_three_kinds_in_one_column_are_asked_about() {
    let dates = ["2025-01-31", "31/1/2025", "\"March 3, 2025\"", "1/31/2025", "2025-03-01", "whenever"];
    let rows = |at: usize| {
        format!("{},A warm cabin number {at},{}\n", dates[if at == 50 { 5 } else { at % 5 }], [1, 5][at % 2])
    };
    let folder = Folder::new()
        .file("r.csv", format!("posted,review,stars\n{}", (0..60).map(rows).collect::<String>()));
    let found = folder.json(&["survey", "r.csv"]);
    let dated = &found["columns"][0];
    assert_eq!(
        (&dated["kind"], &dated["misfits"], &found["found"]["date"]),
        (&"date".into(), &1.into(), &"posted".into())
    );
    let asked = found["questions"].to_string();
    holds(
        &asked,
        &[
            "written in 3 ways",
            "12 dates of `posted` can only be read with day and month the other way round",
            "1 cell of `posted` cannot be read as a date",
        ],
    );
    let latest = [
        "split",
        "r.csv",
        "--training",
        "t.csv",
        "--holdout",
        "h.csv",
        "--set",
        "validation.by=latest",
        "--set",
        "reviews.date=posted",
    ];
    let refused = |set: &[&str]| {
        let run = folder.run(&[&latest[..], set, &["--json"]].concat());
        assert_eq!(run.code, 3, "rows without a date are refused: {}", run.err);
        holds(&run.err, &["column `posted`: expected a date"]);
        serde_json::from_str::<serde_json::Value>(&run.out).expect("an answer")["no_date"].clone()
    };
    assert_eq!(refused(&[]), 1, "no date here could be read both ways");
    assert_eq!(
        refused(&["--set", "reviews.dates=day-first"]),
        13,
        "dates that contradict the order are not guessed"
    );
}

#[test]
fn the_whole_column_tells_whether_the_month_comes_first() {
    let american = |at: usize| format!("{}/{}/2025", 1 + at % 9, 1 + at % 28);
    let file = |day: &dyn Fn(usize) -> String| {
        let row = |at: usize| format!("{},A warm cabin number {at},{}\n", day(at), [1, 5][at % 2]);
        format!("posted,review,stars\n{}", (0..120).map(row).collect::<String>())
    };
    let folder = Folder::new()
        .file("r.csv", file(&american))
        .file("open.csv", file(&|at| format!("{}/{}/2025", 1 + at % 9, 1 + at % 12)))
        .file("none.csv", file(&|at| if at < 60 { "soon".into() } else { american(at) }));
    let set = [
        "--set",
        "validation.by=latest",
        "--set",
        "reviews.date=posted",
        "--training",
        "t.csv",
        "--holdout",
        "h.csv",
    ];
    let found = folder.json(&[&["split", "r.csv"][..], &set].concat());
    assert_eq!(
        (&found["no_date"], &found["training"]["days"][0]),
        (&0.into(), &"2025-01-01".into()),
        "{found}"
    );
    let survey = folder.json(&["survey", "r.csv"]);
    assert_eq!(survey["columns"][0]["dates"]["range"][1], "2025-09-27", "{survey}");
    holds(
        &folder.fails(&[&["split", "open.csv"][..], &set].concat()),
        &["can be read with the day or with the month first", "--set reviews.dates=day-first"],
    );
    folder.done(&[&["split", "open.csv"][..], &set, &["--set", "reviews.dates=month-first"]].concat());
    holds(
        &folder.fails(&[&["split", "none.csv"][..], &set].concat()),
        &["60 of 120 labelled rows have no date", "column `posted`", "reviews.dates"],
    );
}

#[test]
fn what_stands_beside_a_file_must_be_sound() {
    let folder = Folder::with_many(60).file("many.csv.about.json", "{\"heddle\":");
    holds(&folder.fails(&["train", "many.csv", "--out", "m.heddle"]), &["many.csv.about.json", "remove it"]);
    let later = "{\"heddle\":\"about\",\"version\":9,\"holds\":\"sample\",\"rows\":1,\"mix\":{},\"rule\":\"\",\"settings\":{},\"sources\":[],\"bytes\":1,\"xxh3\":\"\"}";
    let folder = folder.file("many.csv.about.json", later);
    holds(
        &folder.fails(&["train", "many.csv", "--out", "m.heddle"]),
        &["version 9, this Heddle reads up to 1"],
    );
}

#[test]
fn parts_that_would_be_empty_or_one_are_told() {
    let folder = Folder::with_many(100);
    let split = ["split", "many.csv", "--training", "t.csv", "--holdout", "h.csv"];
    holds(
        &folder.fails(&[&split[..], &["--development", "d.csv"]].concat()),
        &["d.csv would be empty", "validation.development=10%"],
    );
    holds(
        &folder.fails(&[&split[..], &["--set", "validation.development=10%"]].concat()),
        &["name its file with --development"],
    );
    let all = ["--development", "d.csv", "--set", "validation.development=90%"];
    holds(&folder.fails(&[&split[..], &all].concat()), &["leave nothing to learn from"]);
    assert_eq!(folder.names(), ["many.csv"], "nothing was written");
}

#[test]
fn a_model_of_two_classes_is_not_tried_on_three() {
    let mut text = String::from("review,stars\n");
    (0..90).for_each(|row| text.push_str(&format!("a warm cabin {row},{}\n", 1 + row % 5)));
    let folder = Folder::new().file("r.csv", text);
    let neutral = ["--set", "polarity.middle=neutral"];
    let found = folder
        .json(&[&["split", "r.csv", "--training", "t.csv", "--holdout", "h.csv"][..], &neutral].concat());
    assert_eq!(found["account"]["neutral"], 18);
    assert!(found["holdout"]["mix"]["neutral"].as_u64().is_some_and(|rows| rows > 0));
    folder.done(&["train", "r.csv", "--out", "m.heddle"]);
    let told = folder.fails(&[&["assess", "m.heddle", "r.csv"][..], &neutral].concat());
    holds(&told, &["18 reviews are neutral", "--set polarity.middle=drop"]);
}

#[test]
fn a_ledger_that_is_not_there_or_damaged_is_told() {
    let folder = Folder::with_many(100);
    holds(&folder.fails(&["ledger"]), &["ledger.jsonl: there is no ledger", "validate"]);
    let validate = ["validate", "many.csv", "--ledger", "l.jsonl", "--set", "validation.folds=3"];
    folder.done(&validate);
    // One line is damaged, and the last is cut off in a character.
    let whole = folder.bytes("l.jsonl");
    let folder =
        folder.file("l.jsonl", [b"{\"time\": 3}\n", &whole[..], &b"{\"version\":1,\"t\xc3"[..]].concat());
    folder.done(&validate);
    let run = folder.run(&["ledger", "l.jsonl"]);
    assert_eq!(run.code, 3, "the sound lines are listed: {}", run.err);
    holds(&run.err, &["l.jsonl, line 1: expected an entry", "l.jsonl, line 3: expected an entry"]);
    assert!(run.out.contains("2 runs noted"), "{}", run.out);
    holds(&folder.fails(&["ledger", "l.jsonl", "--by", "acuracy"]), &["did you mean `accuracy`?"]);
}
