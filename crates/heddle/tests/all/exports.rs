//! Files as programs export them, and the way from one that nobody described to scores.

use std::io::Write;

use crate::common::{Folder, column, holds};
use zip::write::SimpleFileOptions;

/// Rows of reviews: what comes before the columns, the header, and each row as `row` writes it.
fn table(above: &str, header: &str, row: impl Fn(usize, &str, usize) -> String) -> String {
    const TEXTS: [&str; 2] =
        ["a cold cabin and a rude crew, late again", "a warm cabin and a kind crew, never late"];
    let text = |at: usize| format!("{} on night {at}", TEXTS[at % 2]);
    let rows: String = (0..120).map(|at| row(at, &text(at), [1, 2, 4, 5][at % 2 * 2 + at / 2 % 2])).collect();
    format!("{above}{header}\n{rows}")
}

const MANIFEST: &str = "<?xml version=\"1.0\"?><manifest:manifest \
    xmlns:manifest=\"urn:oasis:names:tc:opendocument:xmlns:manifest:1.0\"/>";

/// A workbook of the open format, with one sheet of these rows; a cell that looks like a date is one.
fn open_document(rows: &[Vec<String>]) -> Vec<u8> {
    let cell = |text: &String| {
        let value = match text {
            text if text.parse::<f64>().is_ok() => {
                format!("office:value-type=\"float\" office:value=\"{text}\"")
            }
            text if text.starts_with("2025-") => {
                format!("office:value-type=\"date\" office:date-value=\"{text}\"")
            }
            _ => "office:value-type=\"string\"".into(),
        };
        format!("<table:table-cell {value}><text:p>{text}</text:p></table:table-cell>")
    };
    let row = |row: &Vec<String>| {
        format!("<table:table-row>{}</table:table-row>", row.iter().map(cell).collect::<String>())
    };
    let content = format!(
        "<?xml version=\"1.0\"?><office:document-content xmlns:office=\"urn:oasis:names:tc:opendocument:xmlns:office:1.0\" \
         xmlns:table=\"urn:oasis:names:tc:opendocument:xmlns:table:1.0\" \
         xmlns:text=\"urn:oasis:names:tc:opendocument:xmlns:text:1.0\"><office:body><office:spreadsheet>\
         <table:table table:name=\"Reviews\">{}</table:table></office:spreadsheet></office:body></office:document-content>",
        rows.iter().map(row).collect::<String>()
    );
    archive(&[
        ("mimetype", "application/vnd.oasis.opendocument.spreadsheet"),
        ("META-INF/manifest.xml", MANIFEST),
        ("content.xml", &content),
    ])
}

fn archive(parts: &[(&str, &str)]) -> Vec<u8> {
    let mut archive = zip::ZipWriter::new(std::io::Cursor::new(Vec::new()));
    let stored = SimpleFileOptions::default().compression_method(zip::CompressionMethod::Stored);
    for (name, text) in parts {
        archive.start_file(*name, stored).expect("a part");
        archive.write_all(text.as_bytes()).expect("memory");
    }
    archive.finish().expect("an archive").into_inner()
}

/// The way of somebody new: look, train with the line that the look gave, score.
fn three_commands(folder: &Folder, name: &str, rule: &[&str]) {
    let looked = folder.json(&["survey", name]);
    let line = looked["next"][0]["line"].as_str().expect("a line").to_string();
    assert!(rule.iter().all(|part| line.contains(part)), "{name}: {line}");
    let words: Vec<String> =
        line.split(' ').skip(1).map(|word| word.trim_matches('\'').to_string()).collect();
    let fast = ["--set", "validation.folds=2", "--set", "validation.alike=100%", "--ledger", "none"];
    let run = folder.run(&[&words.iter().map(String::as_str).collect::<Vec<_>>()[..], &fast].concat());
    assert_eq!((run.code, run.err.contains("took")), (0, false), "{name}: {line}: {}", run.err);
    let scored = folder.run(&["score", "model.heddle", name, "--out", "scored.csv"]);
    assert_eq!(scored.code, 0, "{name}: {}", scored.err);
    let verdicts = column(&folder.csv("scored.csv"), "polarity");
    assert_eq!(verdicts.len(), 120, "{name}");
    assert!(verdicts.iter().step_by(2).all(|class| class == "negative"), "{name}: {verdicts:?}");
}

#[test]
fn five_files_that_nobody_described_are_scored_by_three_commands() {
    let stars = |at: usize, text: &str, stars: usize| format!("H{at};{text};{stars};web\n");
    let folder = Folder::new()
        .file("sep.csv", table("sep=;\n", "nr;comment;score;channel", stars))
        .file(
            "report.csv",
            table("Reviews of 2025\nHarrow Strait Ferries;all decks\n\n", "nr;comment;score;channel", stars),
        )
        .file(
            "thumbs.tsv",
            table("", "comment\tthumb", |_, text, stars| format!("{text}\t{}\n", ["👎", "👍"][stars / 4])),
        )
        .file(
            "ten.jsonl",
            (0..120)
                .map(|at| {
                    let comment = ["a cold cabin and a rude crew", "a warm cabin and a kind crew"][at % 2];
                    format!(
                        "{{\"comment\": \"{comment} {at}\", \"score\": {}}}\n",
                        [1, 10, 3, 8, 5, 6][at % 6]
                    )
                })
                .collect::<String>(),
        );
    folder.done(&["label", "sep.csv", "--out", "book.xlsx"]);
    for name in ["sep.csv", "report.csv", "thumbs.tsv", "book.xlsx"] {
        three_commands(&folder, name, &[]);
    }
    let told = folder.run(&["train", "ten.jsonl", "--out", "m.heddle"]).err;
    let rule = ["--set", "polarity.negative=1-4", "--set", "polarity.positive=7-10"];
    holds(&told, &[&rule.join(" ")]);
    three_commands(&folder, "ten.jsonl", &rule);
}

#[test]
fn columns_that_nobody_named_are_found_and_told() {
    let row = |at: usize, text: &str, stars: usize| format!("H{at},\"{text}\",{stars}\n");
    let folder = Folder::new().file("r.csv", table("", "nr,what was said,score", row));
    let found = folder.run(&["label", "r.csv"]);
    assert_eq!(found.code, 0, "{}", found.err);
    holds(
        &found.err,
        &[
            "took `what was said` for the text, `score` for the rating",
            "--text 'what was said' --stars score",
        ],
    );
    let named = folder.run(&["label", "r.csv", "--text", "what was said", "--stars", "score"]);
    assert_eq!((named.code, named.err.as_str(), &named.out), (0, "", &found.out));
    let twice =
        |at: usize, text: &str, stars: usize| format!("{text} indeed,{text} as it was,{stars},{}\n", at % 3);
    let folder = folder.file(
        "two.csv",
        table("", "title,comment,score,price score", |at, text, stars| {
            twice(at, &text.replace(',', ""), stars)
        }),
    );
    holds(
        &folder.fails(&["train", "two.csv", "--out", "m.heddle"]),
        &["--text title, or --text comment", "--text title --text comment"],
    );
    holds(
        &folder.fails(&["train", "two.csv", "--text", "comment", "--out", "m.heddle"]),
        &["--stars score, or --stars 'price score'"],
    );
    folder.done(&[
        "train", "two.csv", "--text", "title", "--text", "comment", "--stars", "score", "--out", "m.heddle",
    ]);
    // A study that names a column is not overruled.
    let folder = folder.file("study.toml", "[reviews]\ntext = [\"words\"]\n");
    holds(&folder.run(&["label", "r.csv"]).err, &["error: r.csv: there is no column `words`"]);
}

#[test]
fn workbooks_are_read_whatever_they_are_called() {
    let mut rows: Vec<Vec<String>> = vec![["id", "posted", "comment", "stars"].map(String::from).to_vec()];
    rows.extend((0..30).map(|at| {
        let comment = ["a cold cabin and tea", "a warm cabin and tea"][at % 2];
        vec![
            format!("R{at}"),
            format!("2025-03-{:02}", at + 1),
            format!("{comment} {at}"),
            [1, 5][at % 2].to_string(),
        ]
    }));
    let folder = Folder::new().file("r.ods", open_document(&rows)).file("r.csv", open_document(&rows));
    for name in ["r.ods", "r.csv"] {
        let found = folder.json(&["survey", name]);
        assert_eq!(found["columns"][1]["dates"]["range"][1], "2025-03-30", "{found}");
        assert_eq!((&found["columns"][3]["kind"], &found["rows"]), (&"number".into(), &30.into()));
    }
    holds(&folder.run(&["label", "r.csv"]).err, &["r.csv is a workbook, whatever it is called"]);
    holds(
        &folder.fails(&["label", "r.ods", "--set", "reviews.sheet=Other"]),
        &["no sheet `Other`", "`Reviews`"],
    );
    folder.done(&["label", "r.ods", "--out", "a.xlsx"]);
    folder.done(&["label", "r.ods", "--out", "b.xlsx"]);
    assert!(folder.bytes("a.xlsx") == folder.bytes("b.xlsx"), "the same rows give the same bytes");
    folder.done(&["label", "a.xlsx", "--label", "polarity", "--text", "comment", "--out", "back.csv"]);
    assert_eq!(column(&folder.csv("back.csv"), "stars")[..2], ["1", "5"]);
    assert_eq!(column(&folder.csv("back.csv"), "posted")[29], "2025-03-30");
}

#[test]
fn workbooks_that_are_none_are_told() {
    let folder = Folder::new()
        .file("other.xlsx", archive(&[("readme.txt", "no sheets here")]))
        .file("cut.xlsx", b"PK\x03\x04 and then nothing")
        .file("old.xls", b"\xd0\xcf\x11\xe0\xa1\xb1\x1a\xe1 and then nothing");
    holds(&folder.fails(&["survey", "other.xlsx"]), &["other.xlsx", "no workbook"]);
    holds(&folder.fails(&["survey", "cut.xlsx"]), &["cut.xlsx"]);
    holds(&folder.fails(&["survey", "old.xls"]), &["old.xls"]);
}

#[test]
fn lines_above_the_names_are_passed_over_and_told() {
    let row = |at: usize, text: &str, stars: usize| format!("H{at};\"{text}\";{stars}\n");
    let folder = Folder::new()
        .file(
            "r.csv",
            table("Reviews of 2025\nAll decks;night crossings\n\n", "id;review;stars", row) + "short\n",
        )
        .file("plain.csv", table("", "id;review;stars", row));
    let run = folder.run(&["label", "r.csv", "--out", "l.csv"]);
    assert_eq!(run.code, 3, "{}", run.err);
    holds(&run.err, &["the names of the columns are passed over (reviews.skip)", "r.csv, line 125"]);
    folder.done(&["label", "plain.csv", "--out", "p.csv"]);
    assert_eq!(folder.text("l.csv"), folder.text("p.csv"));
    let told = folder.run(&["label", "r.csv", "--set", "reviews.skip=3"]);
    holds(&told.err, &["3 lines above"]);
    holds(
        &folder.run(&["label", "r.csv", "--set", "reviews.skip=0", "--set", "reviews.delimiter=;"]).err,
        &["no column"],
    );
}

#[test]
fn files_are_joined_by_the_names_of_their_columns() {
    let folder = Folder::new()
        .file("a.csv", "id,review,stars,deck\n1,good,5,A\n")
        .file("b.csv", "stars,channel,review,id\n1,web,bad,2\n")
        .file("c.csv", "name,town\nAnn,Eldness\n");
    let run = folder.run(&["label", "a.csv", "b.csv", "--out", "l.csv"]);
    assert_eq!(run.code, 0, "{}", run.err);
    holds(&run.err, &["a.csv has no column `channel`", "b.csv has no column `deck`", "blank in its 1 row"]);
    let table = folder.csv("l.csv");
    assert_eq!(table.0, ["id", "review", "stars", "deck", "channel", "polarity"]);
    assert_eq!(
        (column(&table, "deck"), column(&table, "channel")),
        (vec!["A".into(), String::new()], vec![String::new(), "web".into()])
    );
    holds(&folder.fails(&["label", "a.csv", "c.csv"]), &["c.csv", "`name`"]);
}

#[test]
fn an_ending_that_is_not_written_is_an_error() {
    let folder = Folder::with_many(60);
    for name in ["s.pdf", "s.xls", "s.ods", "s.arrow", "s.csv.bz"] {
        holds(
            &folder.fails(&["label", "many.csv", "--out", name]),
            &[name, "no ending that rows are written under"],
        );
    }
    for name in ["s", "s.2025-06", "s.txt"] {
        folder.done(&["label", "many.csv", "--out", name]);
    }
}

#[test]
fn standard_output_takes_every_kind_of_rows() {
    let folder = Folder::with_many(60).and_others(60);
    folder.done(&["train", "many.csv", "--out", "m.heddle"]);
    let fast = ["--set", "validation.folds=2", "--ledger", "none"];
    for command in [
        &["label", "many.csv"][..],
        &["sample", "many.csv", "--rows", "5"],
        &["terms", "many.csv"],
        &["validate", "many.csv"],
        &["assess", "m.heddle", "others.csv"],
        &["score", "m.heddle", "others.csv"],
        &["balance", "many.csv", "--set", "balance.method=up"],
    ] {
        let fast = if command[0] == "validate" { &fast[..] } else { &fast[2..] };
        let run = folder.run(&[command, fast, &["--out", "-"]].concat());
        assert_eq!(run.code, 0, "{command:?}: {}", run.err);
        let rows = csv::Reader::from_reader(run.out.as_bytes()).records().filter(Result::is_ok).count();
        assert!(rows >= 5, "{command:?}: {}", run.out);
        assert!(!run.err.contains("Written: -"), "{}", run.err);
    }
}

#[test]
fn plain_sentences_are_scored_and_judged_without_settings() {
    let row = |at: usize, text: &str, stars: usize| format!("H{at},\"{text}\",{stars}\n");
    let folder = Folder::new()
        .file("r.csv", table("", "nr,comment,score", row))
        .file("s.txt", "a cold cabin, and late\n\nthe crew was kind\nnever late\n")
        .file(
            "judged.txt",
            "a cold cabin, late again => negative\na kind crew => positive\nnever late => positive\n",
        )
        .file("marked", "-1 a cold cabin\n+1 a warm cabin\n-1 late again\n+1 never late\n");
    folder.done(&["train", "r.csv", "--id", "nr", "--out", "m.heddle", "--set", "reviews.together=nr"]);
    folder.done(&["score", "m.heddle", "s.txt", "--out", "scored.csv"]);
    assert_eq!(column(&folder.csv("scored.csv"), "polarity"), ["negative", "positive", "positive"]);
    let found = folder.json(&["assess", "m.heddle", "judged.txt"]);
    assert_eq!(
        (&found["account"]["read"], &found["figures"]["accuracy"]["value"]),
        (&3.into(), &1.0.into()),
        "{found}"
    );
    let found =
        folder.json(&["label", "marked", "--set", "polarity.negative=-1", "--set", "polarity.positive=1"]);
    assert_eq!(found["account"]["negative"], 2, "{found}");
}

#[test]
fn a_folder_for_each_class_needs_no_setting() {
    let folder = Folder::new();
    for (class, text) in [("neg", "a cold cabin and a rude crew"), ("pos", "a warm cabin and a kind crew")] {
        std::fs::create_dir_all(folder.path(&format!("texts/{class}"))).expect("a folder");
        for at in 0..30 {
            std::fs::write(folder.path(&format!("texts/{class}/{at}.txt")), format!("{text} {at}"))
                .expect("a file");
        }
    }
    let run = folder.run(&["train", "texts", "--out", "m.heddle"]);
    assert_eq!(run.code, 0, "{}", run.err);
    holds(&run.err, &["`class` for the rating, its values as neg negative, pos positive"]);
}
