//! What cannot be judged, tuned or compared: told with a way out, and nothing is half-written.

use crate::common::{self, Folder, holds};

#[test]
fn the_reason_stands_beside_what_was_expected() {
    let folder = Folder::with_reviews();
    let told = folder.fails(&["label", "reviews.csv", "--set", "polarity.negative=5-1"]);
    holds(&told, &["polarity.negative", "expected numbers, ranges", "the range `5-1` runs downwards"]);
    let told = folder.fails(&["tune", "reviews.csv", "--vary", "terms.words=1-1,1-2", "--by", "zzz"]);
    holds(&told, &["no figure of this name ranks runs; there are log_loss, accuracy"]);
}

#[test]
fn a_grid_with_unknown_keys_or_values_is_refused_before_any_run() {
    let folder = Folder::with_many(60);
    let told = |vary: &str| folder.fails(&["tune", "many.csv", "--vary", vary]);
    holds(&told("terms.wrds=1,2"), &["terms.wrds", "did you mean `terms.words`?"]);
    holds(&told("terms.words=1-1,zz"), &["terms.words=zz", "expected a length"]);
    holds(&told("model.strength=1..0.1"), &["from a number above 0 to a larger one"]);
    holds(&told("model.strength=1e-4..1e-2/1"), &["2 to 2000 steps, found 1"]);
    holds(&told("terms.words"), &["expected section.key=values"]);
    holds(&told("terms.words=1,,2"), &["a value is missing"]);
    holds(&told("validation.folds=3,5"), &["cannot be held against each other"]);
    holds(&told("model.strength=1e-9..1/2001"), &["2000 steps"]);
    holds(&folder.fails(&["tune", "many.csv"]), &["nothing is varied", "--vary"]);
    holds(
        &folder.fails(&["tune", "many.csv", "--vary", "terms.words=1,2", "--by", "acuracy"]),
        &["`accuracy`"],
    );
    let twice = ["tune", "many.csv", "--vary", "terms.words=1,2", "--vary", "terms.words=3,4"];
    holds(&folder.fails(&twice), &["stands there twice"]);
    assert!(!folder.names().contains(&"tune.jsonl".to_string()), "nothing was run");
    // A combination that makes no sense is left out and counted; others are run.
    let vary = ["--vary", "model.learner=logistic,naive-bayes", "--vary", "model.penalty=ridge,lasso"];
    let found = folder.json(&[&["tune", "many.csv", "--set", "validation.folds=3"][..], &vary].concat());
    assert_eq!(found["runs"].as_array().map(Vec::len), Some(3));
    assert!(found["left_out"][0].as_str().is_some_and(|why| why.contains("model.penalty")), "{found}");
}

#[test]
fn a_run_that_was_cut_short_is_taken_up_where_it_ended() {
    let folder = Folder::with_many(120);
    let tune = ["tune", "many.csv", "--vary", "model.strength=0.001,0.01,0.1", "--set", "validation.folds=3"];
    let whole = folder.json(&tune);
    assert_eq!(whole["resumed"], 0);
    let lines = folder.text("tune.jsonl");
    // The program was stopped while it wrote the last run.
    let cut = lines.len() - 40;
    let folder = folder.file("tune.jsonl", &lines[..cut]);
    let run = folder.run(&[&tune[..], &["--json"]].concat());
    holds(&run.err, &["tune.jsonl, line 3", "it is run again"]);
    let again: serde_json::Value = serde_json::from_str(&run.out).expect("JSON");
    assert_eq!(again["resumed"], 2);
    assert_eq!(again["runs"].as_array().map(Vec::len), Some(3));
    assert_eq!(again["best"], whole["best"]);
    assert_eq!(folder.json(&tune)["resumed"], 3, "the damaged line has not swallowed the next one");
}

#[test]
fn what_cannot_be_compared_is_told() {
    let folder = Folder::with_many(120)
        .file("other.toml", "[polarity]\nnegative = \"1\"\n")
        .file("plain.toml", "[negation]\nscope = \"off\"\n");
    let quick = ["--set", "validation.folds=3", "--set", "model.strength=0.01"];
    folder.done(&[&["train", "many.csv", "--out", "m.heddle"][..], &quick].concat());
    let told = |more: &[&str]| folder.fails(&[&["compare", "many.csv"][..], more].concat());
    holds(&told(&[]), &["nothing to compare", "--vary", "--with"]);
    holds(&told(&["--vary", "terms.words=1"]), &["one way only"]);
    holds(&told(&["--with", "m.heddle"]), &["one model is named behind --with"]);
    holds(&told(&["--with", "m.heddle", "--with", "plain.toml"]), &["both models and studies"]);
    holds(&told(&["--with", "nope.toml"]), &["nope.toml", "No such file"]);
    holds(&told(&["--with", "other.toml"]), &["other.toml", "another"]);
    let found = folder.json(&[&["compare", "many.csv", "--with", "plain.toml"][..], &quick].concat());
    assert_eq!(found["ways"].as_array().map(Vec::len), Some(2));
}

#[test]
fn settings_that_a_learner_has_no_use_for_are_refused() {
    let folder = Folder::with_many(60);
    let told = |sets: &[&str]| {
        let mut arguments = vec!["train", "many.csv", "--out", "m.heddle"];
        sets.iter().for_each(|set| arguments.extend(["--set", set]));
        folder.fails(&arguments)
    };
    holds(&told(&["model.learner=naive-bayes", "model.strength=0.1"]), &["model.strength", "naive-bayes"]);
    holds(&told(&["model.smoothing=2"]), &["model.smoothing", "svm"]);
    holds(&told(&["model.lasso_share=20%"]), &["model.penalty = \"elastic\""]);
    holds(&told(&["model.learner=svm", "model.hinge=plain", "model.penalty=lasso"]), &["corner"]);
    holds(&told(&["model.learner=naive-bayes", "model.events=presence"]), &["terms.weighting=bnn"]);
    holds(&told(&["decision.recall_negative=90%", "decision.cost_false_alarm=2"]), &["keep one of them"]);
    assert!(!folder.names().contains(&"m.heddle".to_string()));
}

#[test]
fn columns_beside_the_text_are_checked() {
    let many = Folder::with_many(200);
    let wider = |(at, line): (usize, &str)| match at {
        0 => format!("{line},deck,price,one"),
        at => format!(
            "{line},{},{},same",
            ["bow", "stern"][at % 2],
            if at == 9 { "NaN".into() } else { at.to_string() }
        ),
    };
    let text: Vec<String> = many.text("many.csv").lines().enumerate().map(wider).collect();
    let folder = many.file("many.csv", text.join("\n") + "\n");
    let run = |columns: &str| {
        let set = format!("reviews.beside={columns}");
        folder.run(&["validate", "many.csv", "--set", &set, "--set", "model.strength=0.01"])
    };
    let found = run("[\"deck\",\"price\",\"one\"]");
    assert_eq!(found.code, 0, "{}", found.err);
    holds(&found.err, &["1 cell of column `price` is NaN or infinite", "column `one` has one value only"]);
    holds(&found.out, &["columns, no text", "deck: bow", "price: "]);
    let identified = run("[\"id\"]");
    assert_eq!(identified.code, 0, "{}", identified.err);
    holds(&identified.err, &["column `id`", "it names rows; its commonest values stand apart"]);
    holds(&run("[\"stars\"]").err, &["`stars`", "no column beside the text"]);
    holds(&run("[\"dek\"]").err, &["dek", "deck"]);
    // A finished model is tried without them.
    let set = ["--set", "reviews.beside=[\"deck\"]", "--set", "model.strength=0.01"];
    folder.done(&[&["train", "many.csv", "--out", "m.heddle"][..], &set].concat());
    let folder = folder.file("plain.csv", "review,stars\na warm cabin,5\na cold cabin,1\n");
    folder.done(&["assess", "m.heddle", "plain.csv"]);
}

#[test]
fn folds_that_cannot_be_made_are_told() {
    let dated = |row: usize| {
        format!(
            "\"a warm cabin {row}\",{},2025-01-{:02}\n",
            [1, 5][usize::from(row < 40) ^ (row % 2)],
            row / 4 + 1
        )
    };
    let text: String = ["review,stars,posted\n".to_string()].into_iter().chain((0..80).map(dated)).collect();
    let one_sided: String =
        ["review,stars,posted\n".to_string()]
            .into_iter()
            .chain((0..80).map(|row| {
                format!("\"a warm cabin {row}\",{},2025-01-{:02}\n", [5, 1][row / 60], row / 4 + 1)
            }))
            .collect();
    let folder = Folder::new()
        .file("r.csv", text)
        .file("one.csv", one_sided)
        .file("two.csv", "review,stars,posted\na cabin,1,2025-01-01\nthe deck,5,2025-01-02\n");
    let rolling = [
        "--set",
        "validation.order=rolling",
        "--set",
        "reviews.date=posted",
        "--set",
        "validation.alike=100%",
    ];
    let told = |file: &str, more: &[&str]| folder.fails(&[&["validate", file][..], &rolling, more].concat());
    holds(&told("two.csv", &[]), &["2 days cannot fill 10 rolling folds"]);
    // The first parts of this file hold one class alone.
    holds(&told("one.csv", &["--set", "validation.folds=4"]), &["fold 1", "both classes are needed"]);
    holds(
        &folder.fails(&["validate", "r.csv", "--set", "validation.order=rolling"]),
        &["reviews.date", "80 of 80"],
    );
    holds(&told("r.csv", &["--set", "validation.rounds=2"]), &["deals none", "validation.rounds=1"]);
    let many = folder.fails(&["validate", "r.csv", "--set", "validation.folds=1000"]);
    holds(&many, &["cannot fill 1000 folds", "--set validation.folds="]);
}

#[test]
fn weights_beyond_reason_are_refused() {
    let folder = Folder::with_many(100);
    let set = |strength: &str| format!("model.strength={strength}");
    let train =
        |strength: &str| folder.run(&["train", "many.csv", "--out", "m.heddle", "--set", &set(strength)]);
    holds(&train("1e-320").err, &["from 1e-12 to 1e12"]);
    holds(&train("NaN").err, &["model.strength"]);
    // The weakest one there is, on reviews that nearly separate: finite, and told if not at its end.
    let weakest = train("1e-12");
    assert!(weakest.code == 0 || weakest.err.contains("beyond all numbers"), "{}", weakest.err);
}

#[test]
fn threads_and_the_order_of_columns_change_no_digit() {
    let many = Folder::with_many(300);
    let turned = |line: &str| {
        let (id, rest) = line.split_once(',').expect("three fields");
        let (review, stars) = rest.rsplit_once(',').expect("three fields");
        format!("{stars},{review},{id}")
    };
    let text: Vec<String> = many.text("many.csv").lines().map(turned).collect();
    let folder = many.file("turned.csv", text.join("\n") + "\n");
    let commands: [&[&str]; 4] = [
        &["validate", "FILE", "--learning-curve", "--set", "decision.unsure=90%"],
        &[
            "validate",
            "FILE",
            "--set",
            "model.learner=svm",
            "--set",
            "model.penalty=lasso",
            "--out",
            "held.csv",
        ],
        &[
            "tune",
            "FILE",
            "--vary",
            "model.strength=0.001..0.1/3",
            "--vary",
            "terms.words=1-1,1-2",
            "--nested",
        ],
        &[
            "compare",
            "FILE",
            "--vary",
            "model.learner=logistic,naive-bayes,online",
            "--changed",
            "changed.csv",
        ],
    ];
    for arguments in commands {
        let run = |file: &'static str, threads: &'static str| {
            let own = arguments.iter().map(|part| if *part == "FILE" { file } else { part });
            let more =
                ["--json", "--threads", threads, "--set", "validation.folds=4", "--set", "reviews.id=id"];
            let _ = std::fs::remove_file(folder.path("tune.jsonl"));
            folder.done(&own.chain(more).collect::<Vec<_>>()).replace(file, "FILE")
        };
        let first = run("many.csv", "1");
        assert_eq!(first, run("many.csv", "2"), "{arguments:?}");
        assert_eq!(first, run("turned.csv", "2"), "{arguments:?}");
    }
}

#[test]
fn three_classes_go_the_whole_way() {
    let folder = Folder::with_many(600);
    // Two stars are a class of their own here.
    let rule = ["--set", "polarity.negative=1", "--set", "polarity.neutral=2", "--set", "validation.folds=4"];
    let more = ["--set", "balance.method=weights", "--set", "balance.probabilities=balanced"];
    let found = folder.json(&[&["run", "many.csv", "--out", "r"][..], &rule, &more].concat());
    let classes = |figures: &serde_json::Value| -> Vec<String> {
        let own = figures["classes"].as_array().expect("classes");
        own.iter().map(|own| own["class"].as_str().expect("a name").to_string()).collect()
    };
    for figures in [&found["validation"]["figures"], &found["assessment"]["figures"]] {
        assert_eq!(classes(figures), ["negative", "neutral", "positive"]);
        let counts = figures["confusion"]["counts"].as_array().expect("a table");
        assert!(
            counts.len() == 3 && counts[1].as_array().expect("a row")[1].as_u64() > Some(0),
            "{counts:?}"
        );
    }
    let page = folder.done(&[&["run", "many.csv", "--out", "r2"][..], &rule, &more].concat());
    let recalls: Vec<&str> = page.lines().filter(|line| line.contains("recall of")).collect();
    let share = |class: usize| {
        let recall = &found["validation"]["figures"]["classes"][class]["recall"]["value"];
        format!("{:.1} %", 100.0 * recall.as_f64().expect("a number"))
    };
    for (class, name) in ["negative", "neutral", "positive"].into_iter().enumerate() {
        assert!(recalls[class].contains(name) && recalls[class].contains(&share(class)), "{page}");
    }
    folder.done(&["score", "r/model.heddle", "many.csv", "--out", "s.csv", "--decimals", "all"]);
    let rows = folder.csv("s.csv");
    let p = ["p_negative", "p_neutral", "p_positive"].map(|name| common::column(&rows, name));
    let number = |text: &String| text.parse::<f64>().expect("a number");
    for row in 0..rows.1.len() {
        assert!((p.iter().map(|column| number(&column[row])).sum::<f64>() - 1.0).abs() < 1e-12);
    }
    assert!(common::column(&rows, "polarity").contains(&"neutral".to_string()));
    folder.done(
        &[&["train", "many.csv", "--out", "o.heddle", "--set", "model.classes=ordered"][..], &rule, &more]
            .concat(),
    );
    let page = folder.done(&["explain", "o.heddle", "--text", "a warm cabin"]);
    assert!(page.contains("neutral up to"), "{page}");
}

#[test]
fn classes_with_weights_of_their_own_go_the_whole_way() {
    let folder = Folder::with_many(500);
    let rule = ["--set", "polarity.negative=1", "--set", "polarity.neutral=2", "--set", "model.classes=free"];
    let with = |arguments: &[&'static str]| [arguments, &rule].concat();
    let found =
        folder.json(&with(&["train", "many.csv", "--out", "m.heddle", "--set", "decision.unsure=60%"]));
    assert!(found["card"]["neutral_intercept"].is_f64() && found["card"]["layout"].is_null());
    assert!(found["card"]["cuts"]["possible_from"].as_array().is_some_and(|own| own.len() == 3));
    let neutral = found["to_neutral"].as_array().expect("a list");
    assert!(neutral.iter().all(|term| term["neutral"].as_f64() > Some(0.0)) && !neutral.is_empty());
    let page = folder.done(&with(&["train", "many.csv", "--out", "n.heddle"]));
    assert!(
        page.contains("each class has weights of its own, as set") && page.contains("to neutral"),
        "{page}"
    );
    // What `explain` says of a row is what `score` says: for each class the sum of its parts.
    folder.done(&["score", "m.heddle", "many.csv", "--out", "s.csv", "--decimals", "all"]);
    let rows = folder.csv("s.csv");
    let sums = folder.json(&["explain", "m.heddle", "many.csv", "--row", "1", "--row", "2", "--row", "3"]);
    for (row, text) in sums["texts"].as_array().expect("three rows").iter().enumerate() {
        let number = |value: &serde_json::Value| value.as_f64().expect("a number");
        let sum = |class: usize| {
            let terms = text["terms"].as_array().expect("terms").iter();
            number(&text["by_class"]["intercepts"][class])
                + terms.map(|term| number(&term["by_class"][class])).sum::<f64>()
        };
        let all: f64 = (0..3).map(|class| sum(class).exp()).sum();
        for (class, name) in ["p_negative", "p_positive", "p_neutral"].into_iter().enumerate() {
            let scored: f64 = common::column(&rows, name)[row].parse().expect("a number");
            assert!((sum(class).exp() / all - scored).abs() < 1e-9, "{name} of row {row}");
        }
    }
    for verdict in ["neutral", "unsure"] {
        assert!(common::column(&rows, "verdict").contains(&verdict.to_string()), "{verdict}");
    }
    folder.done(&["terms", "--model", "m.heddle", "--out", "t.csv"]);
    let terms = folder.csv("t.csv");
    assert!(terms.0.ends_with(&["neutral".to_string(), "neutral_weight".to_string()]), "{:?}", terms.0);
    let page = folder.done(&["explain", "m.heddle", "--text", "a warm cabin, late again"]);
    for part in ["adds to", "then", "Sums: negative", "unsure where more than one class"] {
        assert!(page.contains(part), "{part}: {page}");
    }
}
