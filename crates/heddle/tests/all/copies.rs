//! Copies of reviews: made, learnt from, never judged, and voting.

use crate::common::{Folder, column, holds};

const NAMED: [&str; 4] = ["--set", "reviews.id=id", "--set", "reviews.copy_of=copy_of"];

fn asked<'a>(first: &[&'a str]) -> Vec<&'a str> {
    [first, &NAMED].concat()
}

#[test]
fn copies_of_our_own_are_learnt_from_and_stay_on_the_side_of_their_review() {
    let folder = Folder::with_many(400);
    let made = folder.json(&["copies", "many.csv", "--id", "id", "--each", "2", "--out", "c.csv"]);
    let copies = made["copies"].as_u64().expect("a number");
    assert!(copies > 400 && copies + made["unchanged"].as_u64().expect("a number") == 800, "{made}");
    let table = folder.csv("c.csv");
    assert_eq!(table.1.len() as u64, 400 + copies);
    let (ids, of) = (column(&table, "id"), column(&table, "copy_of"));
    for (id, of) in ids.iter().zip(&of).filter(|(_, of)| !of.is_empty()) {
        assert!(id.starts_with(&format!("{of}~")) && ids.contains(of), "{id} of {of}");
    }
    // The same again, and on one thread.
    folder.done(&["copies", "many.csv", "--id", "id", "--each", "2", "--out", "d.csv", "--threads", "1"]);
    assert_eq!(folder.bytes("c.csv"), folder.bytes("d.csv"));

    let plain = folder.json(&["validate", "many.csv", "--set", "reviews.id=id"]);
    let with = folder.json(&asked(&["validate", "c.csv"]));
    assert_eq!(with["account"]["copies"].as_u64(), Some(copies));
    for key in ["negative", "positive"] {
        assert_eq!(with["account"][key], plain["account"][key]);
    }
    assert_eq!(with["figures"]["accuracy"]["n"].as_u64(), Some(400));
    assert_eq!(with["without_copies"]["source"], "without_copies");
    assert!(plain.get("without_copies").is_none());
    let page = folder.done(&asked(&["validate", "c.csv"]));
    holds(&page, &["The copies of reviews, which teach and are not judged", "without copies", "with copies"]);
    let silent = folder.json(&asked(&["validate", "c.csv", "--set", "model.copies=0"]));
    assert!(silent.get("without_copies").is_none());
    assert_eq!(silent["figures"]["accuracy"], with["without_copies"]["figures"]["accuracy"]);

    let split =
        folder.json(&asked(&["split", "c.csv", "--training", "t.csv", "--holdout", "h.csv", "--force"]));
    let rows = |part: &str| -> u64 {
        ["negative", "positive"].iter().map(|class| split[part]["mix"][class].as_u64().unwrap_or(0)).sum()
    };
    assert_eq!(rows("training") + rows("holdout"), 400);
    for part in ["t.csv", "h.csv"] {
        let table = folder.csv(part);
        let ids = column(&table, "id");
        let of = column(&table, "copy_of");
        assert!(of.iter().any(|of| !of.is_empty()));
        assert!(of.iter().filter(|of| !of.is_empty()).all(|of| ids.contains(of)), "{part}");
    }
    folder.done(&asked(&["train", "t.csv", "--out", "m.heddle"]));
    let assessed = folder.json(&["assess", "m.heddle", "h.csv"]);
    assert_eq!(assessed["figures"]["accuracy"]["n"].as_u64(), Some(rows("holdout")));

    let voted = folder.json(&["assess", "m.heddle", "h.csv", "--vote", "mean", "--out", "a.csv"]);
    assert_eq!(voted["voted"][0], "mean");
    assert_eq!(voted["figures"]["accuracy"]["n"], assessed["figures"]["accuracy"]["n"]);
    assert_ne!(voted["figures"]["log_loss"], assessed["figures"]["log_loss"]);
    // The same as `score` says of them.
    folder.done(&["score", "m.heddle", "h.csv", "--vote", "mean", "--out", "s.csv"]);
    let (table, scored) = (folder.csv("a.csv"), folder.csv("s.csv"));
    assert_eq!(column(&table, "id"), column(&scored, "id"));
    assert_eq!(column(&table, "called"), column(&scored, "polarity_heddle"));
    let none =
        folder.fails(&["assess", "m.heddle", "h.csv", "--vote", "mean", "--set", "reviews.copy_of=\"\""]);
    holds(&none, &["--vote found no copy", "reviews.copy_of=copy_of"]);

    folder.done(&asked(&["balance", "t.csv", "--set", "balance.method=down", "--out", "b.csv"]));
    let balanced = folder.csv("b.csv");
    let (polarity, of) = (column(&balanced, "polarity"), column(&balanced, "copy_of"));
    let reviews =
        |class: &str| polarity.iter().zip(&of).filter(|(own, of)| *own == class && of.is_empty()).count();
    assert_eq!(reviews("negative"), reviews("positive"));
    let up = folder.fails(&asked(&["balance", "t.csv", "--set", "balance.method=up", "--out", "u.csv"]));
    holds(&up, &["repeats their names", "balance.method=down"]);
}

#[test]
fn every_command_takes_a_file_with_copies() {
    let folder = Folder::with_many(300);
    folder.done(&["copies", "many.csv", "--id", "id", "--out", "c.csv"]);
    let plainly = ["--set", "reviews.id=id"];
    for command in [
        &["doubts"][..],
        &["drivers"],
        &["clusters", "--count", "3"],
        &["terms", "--top", "2"],
        &["effects", "--columns", "text:words"],
        &["compare", "--vary", "model.copies=0,1"],
        &["tune", "--vary", "model.copies=0,1", "--out", "runs.jsonl"],
        &["growth", "--judged", "100", "--first", "50"],
        &["validate", "--learning-curve", "--set", "features.vectors=reviews"],
    ] {
        let with = folder.json(&asked(&[&command[..1], &["c.csv"], &command[1..]].concat()));
        assert_eq!(with["account"]["copies"].as_u64(), Some(300), "{command:?}");
        let labelled = |found: &serde_json::Value| {
            [&found["account"]["negative"], &found["account"]["positive"]].map(|own| own.as_u64())
        };
        if command[0] == "terms" || command[0] == "clusters" {
            // What teaches nothing is counted, and changes nothing.
            let without = folder.json(&[&command[..1], &["many.csv"], &command[1..], &plainly].concat());
            assert_eq!(labelled(&with), labelled(&without));
            assert_eq!(with["strongest"], without["strongest"], "{command:?}");
            assert_eq!(with["clusters"], without["clusters"], "{command:?}");
        }
    }
    let ran = folder.json(&asked(&["run", "c.csv", "--out", "ran"]));
    assert_eq!(ran["split"]["account"]["copies"].as_u64(), Some(300));
    assert_eq!(ran["training"]["account"]["copies"], ran["doubts"]["account"]["copies"]);
}

#[test]
fn copies_vote_and_each_review_has_one_row() {
    let folder = Folder::with_many(300).file(
        "new.csv",
        "id,copy_of,review\n\
         b~1,b,a cold cabin and the crew were rude\n\
         a,,a warm cabin and hot tea\n\
         a~1,a,late again with cold tea\n\
         b,b,\"a cold cabin, cold tea\"\n\
         a~2,a~1,the crew were rude and a cold cabin\n\
         c,,zyx\n\
         x~1,x,hot tea\n\
         x~2,x,\"a warm cabin, hot tea\"\n",
    );
    folder.done(&["train", "many.csv", "--out", "m.heddle"]);
    let run = folder.run(&asked(&["score", "m.heddle", "new.csv", "--vote", "majority", "--out", "s.csv"]));
    assert_eq!(run.code, 0, "{}", run.err);
    holds(&run.err, &["1 original that no row has"]);
    let table = folder.csv("s.csv");
    assert_eq!(column(&table, "id"), ["a", "b", "c", "x~1"]);
    assert_eq!(column(&table, "texts"), ["3", "2", "1", "2"]);
    assert_eq!(column(&table, "polarity")[0], "negative");
    assert_eq!(column(&table, "agreeing")[0], "2");
    assert_eq!(column(&table, "verdict")[2], "unsure");
    let spread = column(&table, "spread");
    assert!(spread[2].is_empty() && spread[0].parse::<f64>().expect("a number") > 0.5);
    let scored = folder.json(&asked(&["score", "m.heddle", "new.csv", "--vote", "mean", "--out", "s.csv"]));
    assert_eq!(
        [&scored["read"], &scored["scored"], &scored["copies"]].map(|own| own.as_u64()),
        [Some(8), Some(4), Some(4)]
    );
    // From a pipe, the same rows.
    let mut command =
        folder.command(&asked(&["score", "m.heddle", "-", "--vote", "mean", "--set", "reviews.text=review"]));
    let file = std::fs::File::open(folder.path("new.csv")).expect("a file");
    let piped = command.stdin(file).output().expect("the program starts");
    assert_eq!(String::from_utf8(piped.stdout).expect("text"), folder.text("s.csv"));
    holds(
        &folder.fails(&["score", "m.heddle", "new.csv", "--vote", "mean", "--out", "v.csv"]),
        &["which rows are copies of which", "reviews.copy_of=copy_of"],
    );
}

#[test]
fn what_copies_name_is_followed_or_told() {
    let many = Folder::with_many(60).text("many.csv");
    let with = |rows: &str| {
        let mut text = String::from("id,copy_of,review,stars\n");
        for line in many.lines().skip(1) {
            let (id, rest) = line.split_once(',').expect("an id");
            text.push_str(&format!("{id},,{rest}\n"));
        }
        Folder::new().file("r.csv", text + rows)
    };
    // A copy of a copy, one without a rating, one of another class, one of a row that is left out.
    let folder = with(
        "n1,,a warm cabin,5\nn2,n1,a warm berth,5\nn3,n2,a hot berth,\nn4,n1,a cold berth,1\nn5,,so so,3\nn6,n5,so,3\nn7,n5,so warm,5\n",
    );
    let run = folder.run(&asked(&["train", "r.csv", "--out", "m.heddle", "--json"]));
    assert_eq!(run.code, 0, "{}", run.err);
    holds(&run.err, &["1 copy left out, whose class is not that of the review"]);
    let account = serde_json::from_str::<serde_json::Value>(&run.out).expect("JSON")["account"].clone();
    assert_eq!(
        (&account["copies"], &account["copies_left_out"], &account["middle"]),
        (&2.into(), &2.into(), &2.into())
    );
    let sum: u64 = ["refused", "no_text", "no_rating", "middle", "not_kept", "copies", "copies_left_out"]
        .iter()
        .chain(&["negative", "neutral", "positive"])
        .map(|key| account[key].as_u64().unwrap_or(0))
        .sum();
    assert_eq!(account["read"].as_u64(), Some(sum));
    holds(&folder.done(&asked(&["train", "r.csv", "--out", "m.heddle"])), &["2 copies of others"]);

    let circle = with("n1,n3,a warm cabin,5\nn2,n1,a warm berth,5\nn3,n2,a hot berth,5\n");
    holds(
        &circle.fails(&asked(&["train", "r.csv", "--out", "m.heddle"])),
        &["r.csv, line 62", "`n3`", "leads back to this row"],
    );
    let twice = with("n1,,a warm cabin,5\nn1,,a cold cabin,1\nn2,n1,a warm berth,5\n");
    holds(
        &twice.fails(&asked(&["train", "r.csv", "--out", "m.heddle"])),
        &["r.csv, line 64", "`n1`", "several rows have"],
    );
    holds(
        &twice.fails(&["train", "r.csv", "--out", "m.heddle", "--set", "reviews.copy_of=copy_of"]),
        &["reviews.copy_of", "reviews.id"],
    );
    holds(
        &folder.fails(&[
            "train",
            "r.csv",
            "--out",
            "m.heddle",
            "--set",
            "reviews.id=id",
            "--set",
            "reviews.copy_of=of",
        ]),
        &["no column `of`"],
    );
}

#[test]
fn a_command_gives_a_line_for_each_line() {
    let folder = Folder::with_reviews();
    let made =
        folder.json(&["copies", "reviews.csv", "--id", "id", "--by", "sed s/cabin/berth/", "--out", "c.csv"]);
    assert_eq!((&made["reviews"], &made["copies"], &made["unchanged"]), (&5.into(), &4.into(), &1.into()));
    let table = folder.csv("c.csv");
    assert_eq!(table.1.len(), 8 + 4);
    let copy = table.1.iter().find(|row| row[0] == "r2~1").expect("a copy of r2");
    assert_eq!(copy[1..], ["bob", "The berth was cold and dirty", "1", "r2"]);
    let page = folder.done(&["copies", "reviews.csv", "--by", "tr a-z A-Z", "--out", "d.csv"]);
    holds(&page, &["5 copies of 5 reviews", "reviews.id=id_heddle", "reviews.copy_of=copy_of"]);
    // Which copy it is stands in its environment.
    let numbered = "while read line; do echo \"$HEDDLE_COPY $line\"; done";
    folder.done(&["copies", "reviews.csv", "--by", numbered, "--each", "2", "--out", "e.csv"]);
    assert!(folder.text("e.csv").contains("2 The cabin was cold and dirty"));

    for (by, parts) in [
        ("head -2", ["gave 2 lines for 5", "a line for each"]),
        ("exit 3", ["failed", "exit status: 3"]),
        ("cat && printf '\\377\\n'", ["cannot be read", "UTF-8"]),
    ] {
        holds(&folder.fails(&["copies", "reviews.csv", "--by", by, "--out", "f.csv"]), &parts);
    }
    let unknown =
        folder.run(&["copies", "reviews.csv", "--by", "no-such-program-anywhere", "--out", "f.csv"]);
    assert_eq!(unknown.code, 1);
    holds(&unknown.err, &["no-such-program-anywhere", "error: ", "exit status: 127"]);
    assert!(!folder.names().contains(&"f.csv".to_string()));
}
