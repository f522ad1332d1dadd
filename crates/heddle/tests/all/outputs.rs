//! What is written, and what is never written over: `docs/writing.md` states the promises.

use std::fs;
use std::io::{Read, Write};
use std::os::unix::fs::{FileTypeExt, MetadataExt, PermissionsExt, symlink};
use std::process::{Command, Stdio};
use std::time::Duration;

use crate::common::{Folder, holds};

/// A folder with reviews, a model, both parts of a split, a run and a ledger.
fn worked() -> Folder {
    let folder = Folder::with_many(300).file("notes.txt", "mine\n");
    folder.done(&["split", "many.csv", "--training", "t.csv", "--holdout", "h.csv"]);
    folder.done(&["train", "t.csv", "--out", "m.heddle", "--validate", "--set", "validation.folds=3"]);
    fs::hard_link(folder.path("many.csv"), folder.path("hard.csv")).expect("a hard link");
    symlink(folder.path("many.csv"), folder.path("soft.csv")).expect("a link");
    folder
}

/// Every file with its bytes.
fn contents(folder: &Folder) -> Vec<(String, Vec<u8>)> {
    folder.names().into_iter().map(|name| (name.clone(), folder.bytes(&name))).collect()
}

fn sh(folder: &Folder, line: &str) -> std::process::Output {
    let mut sh = Command::new("sh");
    sh.args(["-c", line]).env("heddle", env!("CARGO_BIN_EXE_heddle")).current_dir(folder.path(""));
    sh.output().expect("a shell")
}

#[test]
fn no_output_goes_over_an_input_or_another_output() {
    let folder = worked();
    let before = contents(&folder);
    let tries = "train many.csv --out many.csv
        train many.csv --out ./many.csv --force
        train many.csv --out hard.csv --force
        train many.csv --out soft.csv --force
        train many.csv --out notes.txt
        train many.csv --out t.csv
        train many.csv --out h.csv.about.json
        label many.csv --out many.csv --force
        label many.csv --out soft.csv --force
        label many.csv --out notes.txt
        label many.csv --out m.heddle
        sample many.csv --rows 5 --out many.csv
        sample many.csv --rows 5 --out hard.csv --force
        balance t.csv --out t.csv --set balance.method=down --force
        split many.csv --training many.csv --holdout x.csv
        split many.csv --training x.csv --holdout hard.csv --force
        split many.csv --training x.csv --holdout ./x.csv
        split many.csv --training x.csv --holdout x.csv.about.json
        split many.csv --training m.heddle --holdout x.csv
        terms many.csv --out many.csv
        terms many.csv --out x.csv --picture x.csv
        terms many.csv --picture many.csv
        terms --model m.heddle --out m.heddle --force
        validate many.csv --out many.csv
        validate many.csv --out soft.csv --force
        validate many.csv --ledger many.csv
        validate many.csv --ledger notes.txt
        tune many.csv --vary terms.words=1-1,1-2 --out many.csv
        tune many.csv --vary terms.words=1-1,1-2 --out ledger.jsonl
        compare many.csv --vary terms.words=1-1,1-2 --changed many.csv --force
        assess m.heddle h.csv --out h.csv --force
        assess m.heddle h.csv --out m.heddle
        assess m.heddle h.csv --ledger h.csv
        score m.heddle many.csv --out many.csv
        score m.heddle many.csv --out hard.csv --force
        score m.heddle many.csv --out m.heddle --force
        score m.heddle many.csv --out notes.txt
        score m.heddle many.csv --out s.csv --refused s.csv
        label many.csv --refused many.csv
        survey many.csv --write-study many.csv
        survey many.csv --write-study notes.txt
        run many.csv --out notes.txt
        run many.csv --out .";
    for line in tries.lines() {
        let arguments: Vec<&str> = line.split_whitespace().collect();
        let told = folder.fails(&arguments);
        let way_out = ["name ", "--force", "expected a picture"].iter().any(|words| told.contains(words));
        assert!(way_out, "{line}: {told}");
        assert!(contents(&folder) == before, "{line} changed a file: {told}");
    }
    for line in
        ["$heddle label - --out many.csv --force < many.csv", "$heddle score m.heddle many.csv >> many.csv"]
    {
        assert_eq!(sh(&folder, line).status.code(), Some(1), "{line}");
        assert!(contents(&folder) == before, "{line} changed a file");
    }
}

#[test]
fn an_output_inside_a_folder_that_is_read_is_refused() {
    let folder = Folder::new();
    fs::create_dir_all(folder.path("texts/good")).expect("a folder");
    let folder = folder.file("texts/good/1.txt", "a warm cabin");
    let form = ["--set", "reviews.label=class", "--set", "polarity.positive=good", "--force"];
    let told = folder.fails(&[&["label", "texts", "--out", "texts/good/1.txt"][..], &form].concat());
    holds(&told, &["is an input of this call"]);
    assert_eq!(folder.text("texts/good/1.txt"), "a warm cabin");
}

#[test]
fn what_was_written_here_is_replaced_and_what_was_not_needs_force() {
    let folder = worked();
    for _ in 0..2 {
        folder.done(&["score", "m.heddle", "many.csv", "--out", "s.csv"]);
        folder.done(&["validate", "t.csv", "--out", "v.jsonl", "--set", "validation.folds=3"]);
        folder.done(&["terms", "t.csv", "--out", "w.parquet", "--picture", "w.svg"]);
        folder.done(&["train", "t.csv", "--out", "m.heddle"]);
        folder.done(&["label", "many.csv", "--out", "l.csv"]);
        folder.done(&["split", "many.csv", "--training", "t.csv", "--holdout", "h.csv"]);
    }
    // Corrected by hand: as much anybody's own as a file that was never written here.
    let mine = format!("{}m999,mine,5,positive\n", folder.text("l.csv"));
    let folder = folder.file("l.csv", &mine);
    holds(&folder.fails(&["label", "many.csv", "--out", "l.csv"]), &["l.csv is there already", "--force"]);
    assert_eq!(folder.text("l.csv"), mine);
    folder.done(&["label", "many.csv", "--out", "l.csv", "--force"]);
    assert_ne!(folder.text("l.csv"), mine);
}

#[test]
fn devices_and_pipes_are_written_to() {
    let folder = worked();
    folder.done(&["score", "m.heddle", "many.csv", "--out", "/dev/null"]);
    folder.done(&["train", "t.csv", "--out", "/dev/null"]);
    let null = fs::metadata("/dev/null").expect("the device");
    assert!(null.file_type().is_char_device(), "the device was replaced");
    holds(&folder.fails(&["score", "m.heddle", "many.csv", "--out", "/dev/full"]), &["/dev/full"]);

    folder.done(&["score", "m.heddle", "many.csv", "--out", "s.csv"]);
    let whole = folder.text("s.csv");
    let line = "mkfifo p; cat p > got.csv & $heddle score m.heddle many.csv --out p; wait";
    assert!(sh(&folder, line).status.success());
    assert_eq!(folder.text("got.csv"), whole);
    for out in ["-", "/dev/stdout"] {
        let run = folder.run(&["score", "m.heddle", "many.csv", "--out", out]);
        assert_eq!((run.code, run.out.as_str()), (0, whole.as_str()), "{out}: {}", run.err);
    }
    let run = folder.run(&["label", "many.csv", "--out", "-"]);
    assert!(run.out.starts_with("id,review,stars,polarity\n") && run.err.contains("becomes"), "{}", run.err);
    holds(&folder.fails(&["label", "many.csv", "--out", "-", "--json"]), &["standard output", "--out"]);
}

#[test]
fn pipes_are_read_once_and_read_whole() {
    let folder = worked();
    let whole = folder.json(&["label", "many.csv"])["account"].clone();
    let line = "mkfifo q; cat many.csv > q & $heddle split q --training a.csv --holdout b.csv --json; wait";
    let output = sh(&folder, line);
    let found: serde_json::Value = serde_json::from_slice(&output.stdout).expect("JSON");
    assert_eq!(found["account"], whole);
}

#[test]
fn mode_owner_and_links_stay() {
    let folder = Folder::with_many(100);
    assert!(sh(&folder, "umask 027; $heddle train many.csv --out m.heddle").status.success());
    let mode = |name: &str| fs::metadata(folder.path(name)).expect(name).mode() & 0o777;
    assert_eq!(mode("m.heddle"), 0o640, "the umask leaves so much");
    fs::set_permissions(folder.path("m.heddle"), fs::Permissions::from_mode(0o604)).expect("a mode");
    fs::create_dir(folder.path("there")).expect("a folder");
    fs::rename(folder.path("m.heddle"), folder.path("there/m.heddle")).expect("moved");
    symlink("there/m.heddle", folder.path("link.heddle")).expect("a link");
    let before = folder.bytes("there/m.heddle");
    folder.done(&["train", "many.csv", "--out", "link.heddle", "--set", "terms.words=1-1"]);
    assert!(
        fs::symlink_metadata(folder.path("link.heddle")).expect("it").is_symlink(),
        "the link is one still"
    );
    assert_ne!(folder.bytes("there/m.heddle"), before, "what it leads to was written");
    assert_eq!(mode("there/m.heddle"), 0o604);
    symlink("there/new.csv", folder.path("dangling.csv")).expect("a link");
    folder.done(&["label", "many.csv", "--out", "dangling.csv"]);
    assert!(folder.path("there/new.csv").exists() && folder.path("there/new.csv.about.json").exists());

    fs::set_permissions(folder.path("there/m.heddle"), fs::Permissions::from_mode(0o444)).expect("a mode");
    let told = folder.fails(&["train", "many.csv", "--out", "there/m.heddle"]);
    holds(&told, &["there/m.heddle may only be read", "chmod u+w"]);
}

#[test]
fn places_are_checked_before_the_work() {
    let folder = Folder::new();
    // There is nothing to read: whoever speaks of the place has looked at it first.
    for (arguments, told) in [
        (vec!["train", "none.csv", "--out", "nowhere/m.heddle"], "mkdir -p nowhere"),
        (vec!["validate", "none.csv", "--picture", "p.gif"], ".svg or .png"),
        (vec!["label", "none.csv", "--out", "l.parquet.gz"], "Parquet is packed inside"),
        (vec!["tune", "none.csv", "--vary", "terms.words=1-1,1-2", "--out", "x/t.jsonl"], "mkdir -p x"),
        (vec!["score", "none.heddle", "none.csv", "--out", "."], "is a folder"),
    ] {
        holds(&folder.fails(&arguments), &[told]);
    }
    assert!(folder.names().is_empty());
}

#[test]
fn a_closed_pipe_stops_no_file_from_being_written() {
    let folder = Folder::with_many(100);
    let mut closed = folder.command(&["survey", "many.csv", "--write-study", "s.toml"]);
    let mut child = closed.stdout(Stdio::piped()).stderr(Stdio::piped()).spawn().expect("it starts");
    drop(child.stdout.take());
    let mut told = String::new();
    child.stderr.take().expect("piped").read_to_string(&mut told).expect("text");
    assert_eq!(child.wait().expect("it ends").code(), Some(0), "{told}");
    assert!(folder.path("s.toml").exists());
}

/// A call that waits for its input, so that it is surely at work.
fn waiting(folder: &Folder, arguments: &[&str]) -> std::process::Child {
    let mut command = folder.command(arguments);
    command.stdin(Stdio::piped()).stdout(Stdio::null()).stderr(Stdio::piped());
    let mut child = command.spawn().expect("it starts");
    child.stdin.as_mut().expect("piped").write_all(b"review,stars\n").expect("it reads");
    let staged = |names: Vec<String>| names.iter().any(|name| name.ends_with(".heddle-new"));
    let begun = (0..500).any(|_| {
        std::thread::sleep(Duration::from_millis(10));
        staged(folder.names())
    });
    if !begun {
        child.kill().expect("it can be killed");
        panic!("nothing is on its way: {:?}: {:?}", folder.names(), child.wait());
    }
    child
}

#[test]
fn two_calls_do_not_write_one_place() {
    let folder = worked();
    let mut first = waiting(&folder, &["score", "m.heddle", "-", "--out", "s.csv"]);
    let told = folder.fails(&["score", "m.heddle", "many.csv", "--out", "s.csv"]);
    holds(&told, &["s.csv is being written by another call"]);
    drop(first.stdin.take());
    assert!(first.wait().expect("it ends").success());
    assert_eq!(folder.csv("s.csv").1.len(), 0, "the first call's");
    folder.done(&["score", "m.heddle", "many.csv", "--out", "s.csv"]);
}

/// Whether whoever runs the tests has signals of this number ignored, as `nohup` does: so does a call then.
fn is_ignored(signal: u32) -> bool {
    let status = fs::read_to_string("/proc/self/status").unwrap_or_default();
    let ignored = status.lines().find_map(|line| line.strip_prefix("SigIgn:"));
    let mask = ignored.and_then(|mask| u64::from_str_radix(mask.trim(), 16).ok());
    mask.is_some_and(|mask| mask >> (signal - 1) & 1 == 1)
}

#[test]
fn signals_leave_nothing_behind() {
    let folder = worked();
    let before = contents(&folder);
    for (signal, code) in [("INT", 130), ("TERM", 143), ("HUP", 129)] {
        if is_ignored(code as u32 - 128) {
            continue;
        }
        for arguments in [
            &["score", "m.heddle", "-", "--out", "s.csv"][..],
            &["split", "-", "--training", "a.csv", "--holdout", "b.csv"],
            &["run", "-", "--out", "r"],
        ] {
            let mut child = waiting(&folder, arguments);
            let id = child.id().to_string();
            assert!(Command::new("kill").args(["-s", signal, &id]).status().expect("kill").success());
            // To wait closes the input: a call that saw its end first would end by itself.
            let input = child.stdin.take();
            assert_eq!(child.wait().expect("it ends").code(), Some(code), "{signal} {arguments:?}");
            drop(input);
            assert!(contents(&folder) == before, "{signal} {arguments:?}: {:?}", folder.names());
        }
    }
    // What was killed without a word is swept by whoever writes there next.
    let mut child = waiting(&folder, &["split", "-", "--training", "a.csv", "--holdout", "b.csv"]);
    child.kill().expect("it can be killed");
    child.wait().expect("it ends");
    assert!(folder.names().len() > before.len());
    folder.done(&["label", "many.csv", "--out", "l.csv"]);
    assert!(!folder.names().iter().any(|name| name.starts_with('.')), "{:?}", folder.names());
}

#[test]
fn a_call_under_nohup_goes_on_when_the_terminal_goes() {
    let folder = worked();
    let mut nohup = Command::new("sh");
    nohup.args(["-c", "trap '' HUP; exec \"$0\" score m.heddle - --out s.csv", env!("CARGO_BIN_EXE_heddle")]);
    nohup.current_dir(folder.path("")).stdin(Stdio::piped()).stdout(Stdio::null());
    let mut child = nohup.spawn().expect("a shell");
    while !folder.names().iter().any(|name| name.ends_with(".heddle-new")) {
        std::thread::sleep(Duration::from_millis(10));
    }
    let id = child.id().to_string();
    assert!(Command::new("kill").args(["-s", "HUP", &id]).status().expect("kill").success());
    std::thread::sleep(Duration::from_millis(50));
    child.stdin.take().expect("piped").write_all(b"review,stars\ntea,1\n").expect("it reads on");
    assert!(child.wait().expect("it ends").success());
    assert_eq!(folder.csv("s.csv").1.len(), 1);
}

#[test]
fn a_run_takes_nothing_of_others_with_it() {
    let folder = Folder::with_many(300).file("bad.csv", "review,stars\nwarm,5\ncosy,5\n");
    // It fails: nothing is left of it, and nothing else is touched.
    folder.fails(&["run", "bad.csv", "--out", "r"]);
    assert_eq!(folder.names(), ["bad.csv", "many.csv"]);
    folder.done(&["run", "many.csv", "--out", "r"]);
    let folder = folder.file("r/mine.txt", "mine");
    let told = folder.fails(&["run", "many.csv", "--out", "r"]);
    holds(&told, &["r is there already", "--replace"]);
    let told = folder.fails(&["run", "many.csv", "--out", "r", "--replace"]);
    holds(&told, &["r is there already", "no run has written"]);
    assert_eq!(folder.text("r/mine.txt"), "mine");
    fs::remove_file(folder.path("r/mine.txt")).expect("it was mine");
    folder.done(&["run", "many.csv", "--out", "r", "--replace", "--set", "negation.scope=off"]);
    assert!(folder.text("r/findings.json").contains("\"folder\": \"r\""));
    assert!(!folder.text("r/findings.json").contains("heddle-new"), "files are called by their last names");
    assert_eq!(folder.text("r/ledger.jsonl").lines().count(), 4, "both runs are noted");
    let about = folder.text("r/holdout.csv.about.json");
    assert_eq!(about.matches("\"model\"").count(), 2, "the holdout was looked at by both: {about}");
    assert_eq!(folder.names(), ["bad.csv", "many.csv", "r"]);
}

#[test]
fn two_runs_into_one_folder_do_not_mix_and_one_that_was_killed_is_done_anew() {
    let folder = Folder::with_many(300);
    let mut first = waiting(&folder, &["run", "-", "--out", "r"]);
    holds(&folder.fails(&["run", "many.csv", "--out", "r"]), &["r is being written by another call"]);
    first.kill().expect("it can be killed");
    first.wait().expect("it ends");
    let run = folder.run(&["run", "many.csv", "--out", "r"]);
    assert_eq!(run.code, 0, "{}", run.err);
    holds(&run.err, &["a run into r was stopped before its end; it is done anew"]);
    assert_eq!(folder.names(), ["many.csv", "r"]);
}

#[test]
fn looks_at_a_holdout_are_counted_however_many_come_at_once() {
    let folder = worked();
    let assess = || folder.command(&["assess", "m.heddle", "h.csv"]).stdout(Stdio::null()).spawn();
    let calls: Vec<_> = (0..8).map(|_| assess().expect("it starts")).collect();
    for mut call in calls {
        assert!(call.wait().expect("it ends").success());
    }
    assert_eq!(folder.text("h.csv.about.json").matches("\"model\"").count(), 8);
    assert_eq!(folder.json(&["assess", "m.heddle", "h.csv"])["opened"], 9);
    let ledger = folder.text("ledger.jsonl");
    assert_eq!(ledger.lines().filter(|line| line.contains("\"assess\"")).count(), 9);
    assert!(ledger.lines().all(|line| line.starts_with("{\"version\":1,")));
}

#[test]
fn a_holdout_is_known_by_its_rows() {
    let folder = worked();
    assert_eq!(folder.json(&["assess", "m.heddle", "h.csv"])["opened"], 1);
    fs::create_dir(folder.path("away")).expect("a folder");
    fs::copy(folder.path("h.csv"), folder.path("away/copy.csv")).expect("a copy");
    symlink("../h.csv", folder.path("away/link.csv")).expect("a link");
    assert!(
        sh(&folder, "gzip -c h.csv > away/packed.csv.gz; cat t.csv > both.csv; tail -n +2 h.csv >> both.csv")
            .status
            .success()
    );
    for name in ["away/copy.csv", "away/link.csv", "away/packed.csv.gz", "both.csv"] {
        for command in ["train", "split", "balance", "validate", "terms"] {
            let outputs: &[&str] = match command {
                "train" => &["--out", "n.heddle"],
                "split" => &["--training", "a.csv", "--holdout", "b.csv"],
                _ => &[],
            };
            let told = folder.fails(&[&[command, name], outputs].concat());
            holds(&told, &["locked holdout"]);
        }
    }
    let output = sh(&folder, "cat h.csv | $heddle train - --out n.heddle");
    holds(&String::from_utf8_lossy(&output.stderr), &["locked holdout"]);
    // Looks at copies are counted as well.
    for (nth, name) in ["away/copy.csv", "away/packed.csv.gz", "away/link.csv"].iter().enumerate() {
        assert_eq!(folder.json(&["assess", "m.heddle", name])["opened"], nth + 2, "{name}");
    }
    let told = folder.fails(&["assess", "m.heddle", "away/copy.csv", "--ledger", "none"]);
    holds(&told, &["locked holdout", "--ledger none"]);
    let unwritable = folder.fails(&["assess", "m.heddle", "away/copy.csv", "--ledger", "gone/l.jsonl"]);
    holds(&unwritable, &["gone"]);
    // The same split again: the same holdout, opened as often as before.
    folder.done(&["split", "many.csv", "--training", "t.csv", "--holdout", "h.csv"]);
    assert_eq!(folder.json(&["assess", "m.heddle", "h.csv"])["opened"], 5);
}
