//! What data may not do to a terminal, to a spreadsheet, or to the privacy of people.

use crate::common::{Folder, holds};

/// Signs that set titles, clear, link, overwrite, ring and turn the direction of text.
const EVIL: &str = "\u{1b}]0;owned\u{7}\u{1b}[2J\u{1b}[31mred\u{1b}[0m\u{1b}]8;;http://x.y\u{1b}\\link\u{9b}31m\r\u{202e}txet\u{8}\u{fdd2}\u{fdef}";

/// Reviews whose texts, names and ratings hold such signs.
fn evil() -> Folder {
    let clean = Folder::with_many(200).text("many.csv");
    let mut text = clean
        .replacen("id,review", &format!("\"id{EVIL}\",review"), 1)
        .replace("warm", &format!("warm{EVIL}"));
    text.push_str(&format!("e1,{EVIL},{EVIL}\nshort\n"));
    Folder::new().file("r.csv", text)
}

/// Whether a text holds a sign that a terminal would obey or hide.
fn obeyed(text: &str) -> Option<char> {
    let ours = text.replace("\u{1b}[", "["); // styles are looked at apart
    ours.chars().find(|char| char.is_control() && *char != '\n' || "\u{202e}\u{2066}\u{fdd2}".contains(*char))
}

#[test]
fn no_sign_of_the_data_reaches_the_terminal() {
    let folder = evil();
    let good = Folder::with_many(200).text("many.csv");
    let folder = folder.file("good.csv", &good).file(&format!("{EVIL}.csv").replace('/', "_"), &good);
    folder.done(&["train", "good.csv", "--out", "m.heddle"]);
    let named = format!("{EVIL}.csv").replace('/', "_");
    let calls: [&[&str]; 13] = [
        &["survey", "r.csv"],
        &["label", "r.csv"],
        &["label", &named],
        &["survey", &named],
        &["tokens", "--text", EVIL],
        &["tokens", "r.csv"],
        &["explain", "m.heddle", "--text", EVIL],
        &["explain", "m.heddle", "r.csv", "--row", "3"],
        &["terms", "good.csv", "--find", EVIL],
        &["terms", "good.csv", "--like", EVIL],
        &["validate", "good.csv", "--set", &format!("reviews.text={EVIL}")],
        &["study", "show", "--set", &format!("reviews.stars={EVIL}")],
        &["label", EVIL],
    ];
    for arguments in calls {
        for colours in [false, true] {
            let mut command = folder.command(arguments);
            if colours {
                command.env("CLICOLOR_FORCE", "1");
            }
            let output = command.output().expect("it starts");
            for text in [output.stdout, output.stderr] {
                let text = String::from_utf8(text).expect("text");
                assert_eq!(obeyed(&text), None, "{arguments:?}: {text:?}");
                // What is left of sequences are styles of ours.
                for after in text.split("\u{1b}[").skip(1) {
                    let end = after.find(|char: char| !char.is_ascii_digit() && char != ';').expect("an end");
                    assert_eq!(&after[end..=end], "m", "{arguments:?}: {after:?}");
                    assert!(
                        ["0", "1", "2", "4", "38;5;203", "38;5;136", "38;5;99"].contains(&&after[..end]),
                        "{after:?}"
                    );
                }
            }
        }
    }
    let shown = folder.done(&["tokens", "--text", EVIL]);
    holds(&shown, &["\\x1b]0;owned\\x07", "\\u{202e}"]);
    let json = folder.done(&["tokens", "--text", EVIL, "--json"]);
    assert_eq!(obeyed(&json), None);
    let found: serde_json::Value = serde_json::from_str(&json).expect("JSON");
    assert!(
        found.to_string().contains("\\u001b]0;owned") && found.to_string().contains('\u{202e}'),
        "data stay whole"
    );
}

#[test]
fn rows_that_are_shown_on_a_terminal_are_escaped_too() {
    let folder = Folder::new().file("r.csv", format!("review,stars\n\"{EVIL}\",5\n"));
    let mut script = std::process::Command::new("script");
    let call = format!("{} label r.csv --out - 2>/dev/null", env!("CARGO_BIN_EXE_heddle"));
    let output =
        script.args(["-qec", &call, "/dev/null"]).current_dir(folder.path("")).output().expect("a terminal");
    let text = String::from_utf8(output.stdout).expect("text").replace("\r\n", "\n");
    assert!(text.contains("\\x1b]0;owned"), "{text:?}");
    assert_eq!(obeyed(&text), None, "{text:?}");
}

#[test]
fn styles_of_pages_reach_the_terminal() {
    let folder = Folder::with_many(200);
    folder.done(&["train", "many.csv", "--out", "m.heddle"]);
    let mut command = folder.command(&["explain", "m.heddle", "--text", "not a bad bed, but late again"]);
    let output = command.env("CLICOLOR_FORCE", "1").output().expect("it starts");
    let text = String::from_utf8(output.stdout).expect("text");
    for style in ["1m", "2m", "4m", "38;5;136m", "38;5;99m", "0m"] {
        assert!(text.contains(&format!("\u{1b}[{style}")), "no {style} in {text:?}");
    }
    assert!(!text.contains('\u{fdef}'));
}

#[test]
fn files_keep_the_bytes() {
    let folder = Folder::new().file("r.csv", format!("review,stars\n\"{EVIL}\",5\n"));
    folder.done(&["label", "r.csv", "--out", "l.csv"]);
    assert_eq!(folder.csv("l.csv").1[0][0], EVIL);
}

#[test]
fn cells_are_guarded_against_spreadsheets_where_that_is_asked_for() {
    let cells = ["=1+2", "+cmd", "-2+3", "@SUM", "\tx", "-5", "+0.25", "plain", "a=b"];
    let rows: String = cells.iter().map(|cell| format!("\"{cell}\",5\n")).collect();
    let folder = Folder::new().file("r.csv", format!("review,stars\n{rows}"));
    folder.done(&["label", "r.csv", "--out", "plain.csv"]);
    let first = |name: &str| folder.csv(name).1.into_iter().map(|row| row[0].clone()).collect::<Vec<_>>();
    assert_eq!(first("plain.csv"), cells, "data pass through as they came");
    folder.done(&["label", "r.csv", "--out", "safe.csv", "--safe-cells"]);
    assert_eq!(
        first("safe.csv"),
        ["'=1+2", "'+cmd", "'-2+3", "'@SUM", "'\tx", "-5", "+0.25", "plain", "a=b"]
    );
    folder.done(&["label", "r.csv", "--out", "safe.jsonl", "--safe-cells"]);
    assert!(folder.text("safe.jsonl").contains("\"=1+2\""), "no spreadsheet reads this");
}

#[test]
fn models_about_files_and_ledgers_hold_no_path_of_the_machine() {
    let folder = Folder::with_many(200);
    std::fs::create_dir_all(folder.path("secret-user/deep")).expect("folders");
    let study = "[reviews]\nfiles = [\"r.csv\"]\n[validation]\nfolds = 3\n";
    let many = folder.text("many.csv");
    let folder = folder.file("secret-user/deep/study.toml", study).file("secret-user/deep/r.csv", many);
    let study = folder.path("secret-user/deep/study.toml").display().to_string();
    let reviews = folder.path("secret-user/deep/r.csv").display().to_string();
    let elsewhere = tempfile::tempdir().expect("a folder");
    let mut command = folder.command(&["train", "--study", &study, "--out", "m.heddle", "--validate"]);
    assert!(command.current_dir(elsewhere.path()).output().expect("it starts").status.success());
    let mut command = folder.command(&["split", &reviews, "--training", "t.csv", "--holdout", "h.csv"]);
    assert!(command.current_dir(elsewhere.path()).output().expect("it starts").status.success());
    for name in ["m.heddle", "ledger.jsonl", "t.csv.about.json", "h.csv.about.json"] {
        let bytes = std::fs::read(elsewhere.path().join(name)).expect(name);
        let text = String::from_utf8_lossy(&bytes);
        assert!(!text.contains("secret-user") && !text.contains("/tmp"), "{name}: {text}");
        assert!(text.contains("r.csv"), "{name}");
    }
    // The same study makes the same model, wherever it stands.
    let mut command = folder.command(&["train", "--out", "here.heddle", "--validate"]);
    assert!(
        command.current_dir(folder.path("secret-user/deep")).output().expect("it starts").status.success()
    );
    assert_eq!(
        folder.bytes("secret-user/deep/here.heddle"),
        std::fs::read(elsewhere.path().join("m.heddle")).expect("it")
    );
}

#[test]
fn a_list_must_look_like_one_and_is_named_when_a_model_carries_it() {
    let folder = Folder::with_many(200)
        .file("words.txt", "cabin\ntea\n")
        .file("key.pem", format!("-----BEGIN KEY-----\n{}\n", "A1b2".repeat(80)))
        .file("binary.txt", "cabin\n\u{1}\u{2}\u{3}\n");
    let run = folder.run(&["train", "many.csv", "--out", "m.heddle", "--set", "text.stoplist=words.txt"]);
    assert_eq!(run.code, 0, "{}", run.err);
    holds(&run.err, &["note: 2 lines of words.txt are part of the model (text.stoplist)"]);
    for name in ["key.pem", "binary.txt"] {
        let told = folder.fails(&[
            "train",
            "many.csv",
            "--out",
            "m.heddle",
            "--set",
            &format!("text.stoplist={name}"),
        ]);
        holds(&told, &[name, "is no list of words: line 2", "name no other file here"]);
    }
}

#[test]
fn words_of_few_customers_are_kept_out_of_models() {
    let mut text = Folder::with_many(400).text("many.csv").replacen("id,", "customer,id,", 1);
    text = text
        .lines()
        .enumerate()
        .map(|(at, line)| if at == 0 { format!("{line}\n") } else { format!("c{},{line}\n", at % 50) })
        .collect();
    // One customer's own name and number, in five reviews.
    (0..5).for_each(|at| {
        text.push_str(&format!("c7,x{at},\"Mrs Fennimore, booking 48151623, was happy {at}\",5\n"))
    });
    let folder = Folder::new().file("r.csv", text);
    let known = |more: &[&str]| {
        folder.done(
            &[&["train", "r.csv", "--out", "m.heddle", "--set", "reviews.together=customer"][..], more]
                .concat(),
        );
        String::from_utf8_lossy(&folder.bytes("m.heddle")).contains("fennimore")
    };
    assert!(known(&[]), "two reviews are enough by default");
    assert!(!known(&["--set", "terms.at_least_groups=3"]));
    assert!(!String::from_utf8_lossy(&folder.bytes("m.heddle")).contains("48151623"));
    let found = folder.json(&[
        "terms",
        "r.csv",
        "--set",
        "reviews.together=customer",
        "--set",
        "terms.at_least_groups=3",
    ]);
    let few =
        found["statuses"].as_array().expect("a list").iter().find(|fate| fate[0] == "of_few").expect("some");
    assert!(few[1].as_u64().expect("a number") > 3);
}
