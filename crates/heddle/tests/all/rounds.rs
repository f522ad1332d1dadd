//! Learning in rounds, from reviews that lie in several places.

use crate::common::{Folder, column, holds};

const SETTINGS: [&str; 4] = ["--set", "terms.hashed=14", "--set", "model.strength=0.003"];
const LOGISTIC: [&str; 4] = ["--set", "model.learner=logistic", "--set", "model.tolerance=1e-5"];

/// `many.csv` and three parts of it, of which one has no rows and one few.
fn parts() -> Folder {
    Folder::with_parts([("a.csv", 60), ("b.csv", 0), ("c.csv", 840)])
}

const PARTS: [&str; 3] = ["a", "b", "c"];

/// Writes the rows of every part.
fn placed(folder: &Folder, more: &[&str]) {
    for part in PARTS {
        let (from, to) = (format!("{part}.csv"), format!("{part}.rows"));
        folder.done(&[&["rounds", "rows", &from, "--out", &to][..], &SETTINGS, more].concat());
    }
}

fn answer(folder: &Folder, part: &str, round: u64, more: &[&str]) -> Vec<String> {
    let name = |ending: String| format!("{part}.{ending}");
    let mut call: Vec<String> = ["rounds", "answer"].map(String::from).into();
    call.extend([name("rows".into()), "--question".into(), "question".into()]);
    call.extend([
        "--out".into(),
        name("answer".into()),
        "--pulls-out".into(),
        name(format!("pulls-{round}")),
    ]);
    let before = round.checked_sub(1).map(|round| name(format!("pulls-{round}")));
    if let Some(before) = before.filter(|before| folder.path(before).exists()) {
        call.extend(["--pulls".into(), before]);
    }
    call.extend(SETTINGS.iter().chain(more).map(ToString::to_string));
    call
}

fn done(folder: &Folder, call: &[String]) {
    folder.done(&call.iter().map(String::as_str).collect::<Vec<_>>());
}

fn next(answers: &[&str], more: &[&str]) -> Vec<String> {
    let places = ["--state", "state", "--question", "question", "--out", "m.heddle"];
    let all = [&["rounds", "next"], answers, &places, &SETTINGS, more].concat();
    all.into_iter().map(String::from).collect()
}

const ANSWERS: [&str; 3] = ["c.answer", "a.answer", "b.answer"];

/// All rounds; what the last one says. `each` is called before the answers of a round are added up.
fn learn(folder: &Folder, more: &[&str], mut each: impl FnMut(u64)) -> serde_json::Value {
    placed(folder, more);
    let json = |call: &[String]| folder.json(&call.iter().map(String::as_str).collect::<Vec<_>>());
    let mut said = json(&next(&[], more));
    while said["finished"] == false {
        let round = said["round"].as_u64().expect("a number");
        PARTS.iter().for_each(|part| done(folder, &answer(folder, part, round, more)));
        each(round);
        said = json(&next(&ANSWERS, more));
    }
    said
}

#[test]
fn rounds_over_uneven_parts_end_where_one_machine_does() {
    let folder = parts().and_others(300);
    let said = learn(&folder, &LOGISTIC, |_| {});
    assert_eq!((&said["places"], &said["rows"]), (&2.into(), &said["trained"]["account"]["read"]));
    assert_eq!(said["trained"]["account"]["read"], 900);
    assert!(said["gap"].as_f64().expect("a gap") <= 1e-5);
    folder.done(&[&["train", "many.csv", "--out", "n.heddle"][..], &SETTINGS, &LOGISTIC].concat());
    let scores = |model: &str| {
        folder.done(&["score", model, "others.csv", "--out", "s.csv", "--force"]);
        let cells = column(&folder.csv("s.csv"), "p_positive");
        cells.iter().map(|cell| cell.parse().expect("a number")).collect::<Vec<f64>>()
    };
    let (rounds, one) = (scores("m.heddle"), scores("n.heddle"));
    assert_eq!(rounds.len(), 300);
    assert!(rounds.iter().zip(&one).all(|(a, b)| (a - b).abs() < 2e-3));
    assert!(rounds.iter().any(|p| *p < 0.1) && rounds.iter().any(|p| *p > 0.9));
}

#[test]
fn an_answer_that_is_made_again_is_the_same_and_what_is_held_back_tells_how_good_the_model_is() {
    let folder = parts();
    let mut again = 0;
    let said = learn(&folder, &[], |round| {
        // A worker is lost: what it answered and left is made again.
        let pulls = format!("c.pulls-{round}");
        let before = (folder.bytes("c.answer"), folder.path(&pulls).exists().then(|| folder.bytes(&pulls)));
        std::fs::remove_file(folder.path("c.answer")).expect("an answer");
        if before.1.is_some() {
            std::fs::remove_file(folder.path(&pulls)).expect("pulls");
        }
        done(&folder, &answer(&folder, "c", round, &["--threads", "1"]));
        let after = (folder.bytes("c.answer"), folder.path(&pulls).exists().then(|| folder.bytes(&pulls)));
        assert!(before == after, "round {round}");
        again += 1;
    });
    assert!(again > 5);
    let trained = &said["trained"];
    let mix = trained["card"]["mix"].as_array().expect("counts");
    let taught: u64 = mix.iter().filter_map(serde_json::Value::as_u64).sum();
    let held = trained["held_back"]["accuracy"]["n"].as_u64().expect("a number");
    assert!(held > 50 && taught + held == 900, "{taught} taught, {held} held back");
    assert!(trained["held_back"]["accuracy"]["value"].as_f64().expect("a share") > 0.8);
    holds(&folder.done(&["inspect", "m.heddle"]), &["lambda 3.0e-3"]);
}

#[test]
fn what_does_not_belong_together_is_refused_and_told() {
    let folder = parts();
    let fails = |call: &[String]| folder.fails(&call.iter().map(String::as_str).collect::<Vec<_>>());
    placed(&folder, &LOGISTIC);
    holds(&fails(&next(&["a.answer"], &LOGISTIC)), &["state is not there", "begin without answers"]);
    done(&folder, &next(&[], &LOGISTIC));
    // Other settings, of the rows and of the question.
    let other = [&LOGISTIC[..], &["--set", "text.stem=english"]].concat();
    holds(&fails(&answer(&folder, "a", 0, &other)), &["a.rows", "under other settings"]);
    let other = [&LOGISTIC[..], &["--set", "model.strength=0.01"]].concat();
    holds(&fails(&answer(&folder, "a", 0, &other)), &["question", "under other settings"]);
    // A file that is something else, one that is cut, one that is damaged.
    let rows = folder.bytes("c.rows");
    let mut damaged = rows.clone();
    damaged[rows.len() / 2] ^= 4;
    for bytes in [&b"id,review,stars\n"[..], &rows[..rows.len() - 9], &damaged] {
        std::fs::write(folder.path("c.rows"), bytes).expect("a file");
        holds(
            &fails(&answer(&folder, "c", 0, &LOGISTIC)),
            &["c.rows", "the rows of a place", "make it again"],
        );
        assert!(!folder.path("c.answer").exists());
    }
    std::fs::write(folder.path("c.rows"), &rows).expect("a file");
    PARTS.iter().for_each(|part| done(&folder, &answer(&folder, part, 0, &LOGISTIC)));
    // The same rows twice.
    std::fs::copy(folder.path("a.answer"), folder.path("twice.answer")).expect("a copy");
    let twice = fails(&next(&["a.answer", "twice.answer", "c.answer"], &LOGISTIC));
    holds(&twice, &["a.answer and twice.answer", "the same rows", "a.rows"]);
    done(&folder, &next(&ANSWERS, &LOGISTIC));
    // An answer to the question before, and one that is missing.
    holds(&fails(&next(&ANSWERS, &LOGISTIC)), &["c.answer answers question 0, and question 1 is open"]);
    PARTS.iter().for_each(|part| done(&folder, &answer(&folder, part, 1, &LOGISTIC)));
    holds(&fails(&next(&["a.answer"], &LOGISTIC)), &["no answer for the 840 rows of c.rows"]);
    let state = folder.bytes("state");
    done(&folder, &next(&["a.answer", "c.answer"], &LOGISTIC)); // b has no rows
    // A question that is lost is written again, and nothing else changes.
    let question = folder.bytes("question");
    std::fs::remove_file(folder.path("question")).expect("a question");
    let known = folder.bytes("state");
    done(&folder, &next(&[], &LOGISTIC));
    assert!(folder.bytes("question") == question && folder.bytes("state") == known && state != known);
    // A lesson that goes on from no pulls, or those of others.
    PARTS.iter().for_each(|part| done(&folder, &answer(&folder, part, 2, &LOGISTIC)));
    done(&folder, &next(&ANSWERS, &LOGISTIC));
    let mut call = answer(&folder, "a", 3, &LOGISTIC);
    let at = call.iter().position(|part| part == "--pulls").expect("pulls");
    call[at + 1] = "c.pulls-2".into();
    holds(&fails(&call), &["c.pulls-2", "of the rows of c.rows", "question 3 of a.rows"]);
    call.drain(at..at + 2);
    holds(&fails(&call), &["question 3", "--pulls"]);
    // A state that is damaged.
    std::fs::write(folder.path("state"), b"HEDDLE\r\x06 and no more").expect("a file");
    holds(&fails(&next(&ANSWERS, &LOGISTIC)), &["state", "what is known between two rounds"]);
}

#[test]
fn settings_that_ask_for_one_place_are_named() {
    let folder = parts();
    let fails = |more: &[&str]| {
        folder.fails(&[&["rounds", "rows", "a.csv", "--out", "a.rows"], &SETTINGS[..], more].concat())
    };
    holds(&fails(&["--set", "terms.hashed=0"]), &["terms.hashed", "set 22"]);
    holds(&fails(&["--set", "model.strength=auto"]), &["model.strength", "sample"]);
    holds(&fails(&["--set", "model.penalty=lasso"]), &["model.penalty"]);
    assert!(!folder.path("a.rows").exists());
    // Something of somebody's is not written over.
    std::fs::write(folder.path("a.rows"), "notes").expect("a file");
    holds(&fails(&[]), &["a.rows"]);
    assert_eq!(folder.text("a.rows"), "notes");
}
