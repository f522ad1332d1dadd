//! Reviews in every format, through the program.

use std::io::Write;
use std::process::Stdio;

use crate::common::{Folder, REVIEWS, column, in_every_format};
use serde_json::Value;

/// Texts that no format may harm.
const TEXTS: [&str; 6] = [
    "A \"warm\" cabin, really",
    "Cold tea;\nrude crew",
    "Not a bad\tbed",
    "Schöne Überfahrt – 5 €",
    "'quoted' | piped \\ slashed",
    "👍 never late",
];

/// The reviews of [`TEXTS`] as JSON Lines, with a field inside a field and a number.
fn json_lines() -> String {
    let line = |(at, text): (usize, &&str)| {
        let stars = [5, 1, 4][at % 3];
        serde_json::json!({"id": format!("r{at}"), "author": {"town": "Eldness", "age": 30 + at}, "review": text, "stars": stars, "tags": ["a", "b"]})
            .to_string()
    };
    TEXTS.iter().enumerate().map(line).collect::<Vec<_>>().join("\n")
}

/// The texts of a labelled file, read back through the program.
fn texts_of(folder: &Folder, name: &str) -> Vec<String> {
    folder.done(&["label", name, "--set", "reviews.label=polarity", "--out", "back.csv"]);
    column(&folder.csv("back.csv"), "review")
}

#[test]
fn every_format_that_is_written_holds_the_same_rows() {
    let folder = Folder::new().file("r.jsonl", json_lines());
    for name in ["l.csv", "l.tsv", "l.jsonl", "l.json", "l.parquet", "l.csv.gz", "l.jsonl.zst", "l.xlsx"] {
        folder.done(&["label", "r.jsonl", "--out", name]);
        assert_eq!(texts_of(&folder, name), TEXTS, "{name}");
    }
    // Types and fields inside fields survive.
    let first: Value =
        serde_json::from_str(folder.text("l.jsonl").lines().next().expect("a line")).expect("JSON");
    assert_eq!(
        (&first["author"]["age"], &first["stars"], &first["tags"][1]),
        (&30.into(), &5.into(), &"b".into())
    );
    folder.done(&["label", "l.parquet", "--out", "again.jsonl", "--set", "reviews.label=polarity"]);
    let again: Value =
        serde_json::from_str(folder.text("again.jsonl").lines().next().expect("a line")).expect("JSON");
    assert_eq!((&again["author"]["age"], &again["stars"]), (&30.into(), &5.into()));
}

#[test]
fn a_field_inside_a_field_is_named_with_a_dot() {
    let folder = Folder::new().file("r.jsonl", json_lines());
    let found = folder.json(&[
        "label",
        "r.jsonl",
        "--set",
        "reviews.stars=author.age",
        "--set",
        "polarity.negative=30-32",
        "--set",
        "polarity.positive=33-40",
    ]);
    assert_eq!((&found["account"]["negative"], &found["account"]["positive"]), (&3.into(), &3.into()));
    assert_eq!(found["manners"][0]["format"], "JSON Lines");
}

#[test]
fn fields_that_only_some_objects_have_are_columns_of_all() {
    let folder = Folder::new().file(
        "r.json",
        "[{\"review\": \"good\", \"stars\": 5, \"author\": null},\n {\"stars\": 1, \"late\": true, \"review\": \"bad\", \"author\": {\"town\": \"Eldness\"}}, {\"review\": null, \"stars\": 4}]",
    );
    let found = folder.json(&["label", "r.json", "--out", "l.csv"]);
    assert_eq!(
        (&found["account"]["no_text"], &found["manners"][0]["format"]),
        (&1.into(), &"a JSON array".into())
    );
    assert_eq!(folder.csv("l.csv").0, ["review", "stars", "late", "author.town", "polarity"]);
}

#[test]
fn a_folder_for_each_class_is_read() {
    let folder = Folder::new();
    for (class, texts) in [("bad", ["cold tea", "rude crew"]), ("good", ["warm cabin", "kind crew"])] {
        std::fs::create_dir_all(folder.path(&format!("texts/{class}"))).expect("a folder");
        for (at, text) in texts.iter().enumerate() {
            std::fs::write(folder.path(&format!("texts/{class}/{at}.txt")), text).expect("a file");
        }
    }
    let folder = folder.file("texts/stray.txt", "no class");
    let rule =
        ["--set", "reviews.label=class", "--set", "polarity.negative=bad", "--set", "polarity.positive=good"];
    let run = folder.run(&[&["label", "texts", "--out", "l.csv"][..], &rule].concat());
    assert_eq!(run.code, 3, "{}", run.err);
    assert!(
        run.err.contains("stray.txt") && run.err.contains("inside the folder of its class"),
        "{}",
        run.err
    );
    assert_eq!(column(&folder.csv("l.csv"), "review"), ["cold tea", "rude crew", "warm cabin", "kind crew"]);
    assert_eq!(column(&folder.csv("l.csv"), "polarity"), ["bad", "bad", "good", "good"]);
}

#[test]
fn lines_behind_a_mark_are_read() {
    let folder =
        Folder::new().file("r.txt", "class=0 Cold tea, \"rude\" crew\n\nclass=1 Warm, clean\nno mark here\n");
    let run = folder.run(&[
        "label",
        "r.txt",
        "--out",
        "l.csv",
        "--set",
        r"reviews.mark='class=(\d) '",
        "--set",
        "reviews.label=class",
        "--set",
        "polarity.negative=0",
        "--set",
        "polarity.positive=1",
    ]);
    assert_eq!(run.code, 3, "{}", run.err);
    assert!(run.err.contains("r.txt, line 4: expected a line that begins with the mark"), "{}", run.err);
    assert_eq!(column(&folder.csv("l.csv"), "review"), ["Cold tea, \"rude\" crew", "Warm, clean"]);
    for (mark, told) in [("(", "no regular expression"), ("class", "no group")] {
        let set = format!("reviews.mark={mark}");
        assert!(folder.fails(&["label", "r.txt", "--set", &set]).contains(told));
    }
}

#[test]
fn encodings_are_told_and_decoded() {
    let text = "review,stars\nSchön – „warm“ für 5 €,5\nKälte,1\n";
    let wide = |bytes: fn(u16) -> [u8; 2]| text.encode_utf16().flat_map(bytes).collect::<Vec<u8>>();
    let single: Vec<u8> = text
        .chars()
        .map(|char| match char {
            '–' => 0x96,
            '„' => 0x84,
            '“' => 0x93,
            '€' => 0x80,
            char => u8::try_from(u32::from(char)).expect("a character of Windows-1252"),
        })
        .collect();
    let marked = |mark: &[u8], bytes: Vec<u8>| [mark, &bytes].concat();
    for (encoding, bytes) in [
        ("utf-8", text.as_bytes().to_vec()),
        ("utf-8", marked(b"\xef\xbb\xbf", text.as_bytes().to_vec())),
        ("utf-16le", marked(b"\xff\xfe", wide(u16::to_le_bytes))),
        ("utf-16be", marked(b"\xfe\xff", wide(u16::to_be_bytes))),
        ("utf-16le", wide(u16::to_le_bytes)),
        ("windows-1252", single.clone()),
    ] {
        let folder = Folder::new().file("r.csv", bytes);
        let run = folder.run(&["label", "r.csv", "--out", "l.csv", "--json"]);
        let found: Value = serde_json::from_str(&run.out).expect("JSON");
        assert_eq!(found["manners"][0]["encoding"], encoding);
        assert_eq!(column(&folder.csv("l.csv"), "review"), ["Schön – „warm“ für 5 €", "Kälte"], "{encoding}");
        assert_eq!(
            run.err.contains("reviews.encoding"),
            encoding != "utf-8",
            "what was guessed is said: {}",
            run.err
        );
    }
    let folder = Folder::new().file("r.csv", b"review,stars\nK\xe4lte,1\nSch\xf6n,5\n");
    assert_eq!(folder.json(&["label", "r.csv"])["manners"][0]["encoding"], "latin-1");
    // A character that the first chunk does not hold is still read rightly.
    let mut late = format!("review,stars\n{}", "plain words,5\n".repeat(40_000)).into_bytes();
    late.extend(b"K\xe4lte,1\n");
    let folder = Folder::new().file("r.csv", late);
    folder.done(&["label", "r.csv", "--out", "l.csv"]);
    assert!(folder.text("l.csv").contains("Kälte,1,negative"));
}

#[test]
fn a_file_without_a_header_is_told_and_read() {
    let mut text = String::new();
    (0..20).for_each(|row| text.push_str(&format!("{}\tA review number {row}\n", [1, 5][row % 2])));
    let folder = Folder::new().file("r.tsv", &text).file("n.csv", "review,stars\n5,5\n3,1\n");
    let set = ["--set", "reviews.text=column2", "--set", "reviews.stars=column1"];
    let run = folder.run(&[&["label", "r.tsv", "--json"][..], &set].concat());
    assert!(run.err.contains("the first row holds no names"), "{}", run.err);
    let found: Value = serde_json::from_str(&run.out).expect("JSON");
    assert_eq!((&found["account"]["read"], &found["manners"][0]["header"]), (&20.into(), &false.into()));
    let found = folder.json(&["label", "n.csv", "--set", "reviews.header=yes"]);
    assert_eq!(found["account"]["read"], 2);
    let delimiter =
        ["--set", "reviews.delimiter=;", "--set", "reviews.header=no", "--set", "reviews.text=column1"];
    let told = folder.fails(&[&["label", "n.csv"][..], &delimiter].concat());
    assert!(told.contains("no column `stars`") && told.contains("`column1`"), "{told}");
}

#[test]
fn several_files_and_patterns_are_read_as_one() {
    let folder = Folder::new()
        .file("2024-a.csv", "id,review,stars\n1,good,5\n")
        .file("2024-b.csv", "stars,id,review\n1,2,bad\n")
        .file("2025.csv", "id,review,stars\n3,fine,4\n");
    let found = folder.json(&["label", "2024-*.csv", "2025.csv", "--out", "l.csv"]);
    assert_eq!(found["account"]["read"], 3);
    assert_eq!(column(&folder.csv("l.csv"), "id"), ["1", "2", "3"], "columns in another order are no matter");
    assert!(folder.fails(&["label", "2023-*.csv"]).contains("no file of such a name"));
}

/// Runs the program with bytes on standard input.
fn piped(folder: &Folder, arguments: &[&str], bytes: &[u8]) -> String {
    let mut command = folder.command(arguments);
    let mut child = command
        .stdin(Stdio::piped())
        .stdout(Stdio::piped())
        .stderr(Stdio::piped())
        .spawn()
        .expect("the program starts");
    child.stdin.take().expect("a pipe").write_all(bytes).expect("the pipe is read");
    let output = child.wait_with_output().expect("the program ends");
    assert!(output.status.success(), "{arguments:?}: {}", String::from_utf8_lossy(&output.stderr));
    String::from_utf8(output.stdout).expect("text")
}

#[test]
fn every_format_may_come_through_standard_input() {
    let folder = Folder::with_many(120).file("r.jsonl", json_lines());
    folder.done(&["train", "many.csv", "--out", "m.heddle", "--set", "model.strength=0.01"]);
    for name in ["l.csv", "l.jsonl", "l.parquet", "l.csv.gz", "l.xlsx"] {
        folder.done(&["label", "r.jsonl", "--out", name]);
        let bytes = folder.bytes(name);
        piped(
            &folder,
            &[
                "split",
                "-",
                "--training",
                "t.csv",
                "--holdout",
                "h.csv",
                "--set",
                "validation.holdout=50%",
                "--set",
                "validation.sides=exact",
            ],
            &bytes,
        );
        assert_eq!(folder.csv("t.csv").1.len() + folder.csv("h.csv").1.len(), 6, "{name} is read twice");
        let scored = piped(&folder, &["score", "m.heddle", "-"], &bytes);
        let mut reader = csv::Reader::from_reader(scored.as_bytes());
        assert_eq!(reader.records().count(), 6, "{name}");
    }
}

#[test]
fn refused_rows_are_all_kept_when_asked() {
    let mut text = String::from("review,stars\n");
    (0..20).for_each(|row| text.push_str(&format!("good {row},5\nbad {row},1\nshort {row}\n")));
    let folder = Folder::new().file("r.csv", text);
    let run = folder.run(&["label", "r.csv", "--refused", "refused.csv"]);
    assert_eq!(run.code, 3);
    assert!(
        run.err.contains("refused: 15 more rows")
            && run.out.contains("60 rows in = 40 labelled + 0 left out + 20 refused"),
        "{run:?}"
    );
    let set = ["--set", "validation.folds=3", "--set", "validation.sides=exact", "--out", "run"];
    let run = folder.run(&[&["run", "r.csv", "--refused", "of-run.csv"][..], &set].concat());
    assert_eq!(run.code, 3, "{}", run.err);
    assert_eq!(folder.text("of-run.csv"), folder.text("refused.csv"));
    let kept = folder.csv("refused.csv");
    assert_eq!(kept.0, ["file", "line", "column", "expected", "found"]);
    assert_eq!((kept.1.len(), kept.1[19][1].as_str(), kept.1[0][3].as_str()), (20, "61", "2 fields"));
}

#[test]
fn every_format_gives_the_same_account_model_and_scores() {
    let many = Folder::with_many(120);
    let rows = many.text("many.csv");
    many.done(&["train", "many.csv", "--out", "m.heddle"]);
    many.done(&["score", "m.heddle", "many.csv", "--out", "s.csv"]);
    let (model, scores) = (many.bytes("m.heddle"), many.text("s.csv"));
    in_every_format(&rows, |folder, name| {
        folder.done(&["train", name, "--out", "m.heddle"]);
        assert!(folder.bytes("m.heddle") == model, "{name}: another model");
        folder.done(&["score", "m.heddle", name, "--out", "s.csv"]);
        let scored = folder.csv("s.csv");
        let of = |table: &(Vec<String>, Vec<Vec<String>>)| [column(table, "id"), column(table, "p_positive")];
        assert!(of(&scored) == of(&many.csv("s.csv")) && !scores.is_empty(), "{name}: other scores");
    });
    in_every_format(REVIEWS, |folder, name| {
        let account = folder.json(&["label", name])["account"].clone();
        let of = |key: &str| account[key].as_u64().expect("a count");
        assert_eq!([of("read"), of("negative"), of("positive"), of("middle")], [8, 2, 3, 1], "{name}");
        assert_eq!([of("no_text"), of("no_rating"), of("refused")], [1, 1, 0], "{name}");
    });
}
