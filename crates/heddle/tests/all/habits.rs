//! What a user always wants: a file of habits, and variables that go before it.

use crate::common::{Folder, holds};
use serde_json::Value;

/// What a call prints and complains of under some variables.
fn told(folder: &Folder, arguments: &[&str], variables: &[(&str, &str)]) -> (String, String) {
    let mut command = folder.command(arguments);
    command.env_remove("HEDDLE_HABITS").env("HOME", folder.path("")).envs(variables.iter().copied());
    let output = command.output().expect("the program starts");
    let text = |bytes: &[u8]| String::from_utf8_lossy(bytes).into_owned();
    (text(&output.stdout), text(&output.stderr))
}

fn json(folder: &Folder, arguments: &[&str], variables: &[(&str, &str)]) -> Value {
    let (out, err) = told(folder, &[arguments, &["--json"]].concat(), variables);
    serde_json::from_str(&out).unwrap_or_else(|error| panic!("{error}: {out}{err}"))
}

fn folder() -> Folder {
    let folder = Folder::with_many(200).file("mine.toml", "[terms]\nwords = \"1-3\"\n");
    std::fs::create_dir_all(folder.path(".config/heddle")).expect("a folder");
    folder.file(
        ".config/heddle/habits.toml",
        "# mine\ncolour = \"always\"\nthreads = 1\nledger = \"~/all.jsonl\"\nstudy = \"../../mine.toml\"\n",
    )
}

#[test]
fn habits_hold_where_nothing_else_is_said() {
    let folder = folder();
    let system = json(&folder, &["system"], &[]);
    assert_eq!((&system["threads"], &system["settings"]), (&1.into(), &1.into()));
    holds(&system["habits"].to_string(), &["habits.toml"]);
    holds(&system["study"].to_string(), &["mine.toml"]);
    assert!(told(&folder, &["survey", "many.csv"], &[]).0.contains('\u{1b}'), "coloured, though into a pipe");
    let train = [
        "train",
        "many.csv",
        "--text",
        "review",
        "--validate",
        "--set",
        "validation.folds=3",
        "--out",
        "m.heddle",
    ];
    told(&folder, &train, &[]);
    holds(&folder.text("all.jsonl"), &["\"train\""]);
    // A variable goes before the file, an option before both; and a study that stands here before one that stands elsewhere.
    assert_eq!(json(&folder, &["system"], &[("HEDDLE_THREADS", "2")])["threads"], 2);
    assert_eq!(json(&folder, &["system", "--threads", "3"], &[("HEDDLE_THREADS", "2")])["threads"], 3);
    assert!(!told(&folder, &["survey", "many.csv"], &[("HEDDLE_COLOUR", "never")]).0.contains('\u{1b}'));
    assert!(!told(&folder, &["survey", "many.csv"], &[("NO_COLOR", "1")]).0.contains('\u{1b}'));
    let (out, _) = told(&folder, &["survey", "many.csv"], &[("NO_COLOR", "1"), ("HEDDLE_COLOUR", "always")]);
    assert!(out.contains('\u{1b}'));
    let none = json(&folder, &["system"], &[("HEDDLE_HABITS", "none")]);
    assert_eq!((&none["habits"], &none["study"]), (&Value::Null, &Value::Null));
    let folder = folder.file("study.toml", "[terms]\nwords = \"1-1\"\nat_least = 3\n");
    assert_eq!(json(&folder, &["system"], &[])["study"], "study.toml");
    // A study of habits is no study that was asked for: a model brings its own.
    std::fs::remove_file(folder.path("study.toml")).expect("removed");
    let (out, err) = told(&folder, &["score", "m.heddle", "many.csv", "--out", "s.csv"], &[]);
    assert!(out.contains("scored by m.heddle"), "{err}");
}

#[test]
fn habits_that_cannot_be_meant_are_told_with_their_place() {
    let folder = Folder::with_reviews();
    for (text, parts) in [
        (
            "colour = \"always\"\n\ncolor = \"never\"\n",
            &["habits.toml, line 3", "`color` is no habit", "did you mean `colour`"][..],
        ),
        ("threads = 0\n", &["line 1", "`threads` is `0`", "from 1 to 1024"]),
        ("colour = \"blue\"\n", &["`colour` is `blue`", "\"never\""]),
        ("study = \"gone.toml\"\n", &["gone.toml", "not there"]),
        ("[terms]\nwords = \"1-2\"\n", &["line 1", "`terms` is no habit"]),
        ("threads = \n", &["habits.toml"]),
    ] {
        let file = folder.path("habits.toml");
        std::fs::write(&file, text).expect("written");
        let (out, err) =
            told(&folder, &["survey", "reviews.csv"], &[("HEDDLE_HABITS", file.to_str().expect("text"))]);
        assert!(out.is_empty(), "{out}");
        holds(&err, parts);
    }
    holds(
        &told(&folder, &["system"], &[("HEDDLE_HABITS", "nowhere.toml")]).1,
        &["nowhere.toml", "not there", "\"none\""],
    );
    holds(
        &told(&folder, &["system"], &[("HEDDLE_HABITS", "none"), ("HEDDLE_THREADS", "many")]).1,
        &["HEDDLE_THREADS=many", "from 1 to 1024"],
    );
}
