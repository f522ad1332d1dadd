//! Arrow streams through the program.
#![cfg(feature = "arrow")]

use std::io::{Read, Write};
use std::process::Stdio;
use std::sync::mpsc::channel;
use std::thread;
use std::time::Duration;

use crate::common::{Folder, column, holds};

#[test]
fn streams_in_and_out_score_as_files_do() {
    let folder = Folder::with_many(300).and_others(9_000);
    folder.done(&["train", "many.csv", "--out", "m.heddle"]);
    folder.done(&["sample", "others.csv", "--share", "100%", "--out", "others.arrows"]);
    folder.done(&["score", "m.heddle", "others.csv", "--out", "scored.csv"]);
    let mut command = folder.command(&["score", "m.heddle", "-", "--out", "-.arrows"]);
    let mut child = command.stdin(Stdio::piped()).stdout(Stdio::piped()).spawn().expect("the program");
    let (mut input, mut output) = (child.stdin.take().expect("a pipe"), child.stdout.take().expect("a pipe"));
    let bytes = folder.bytes("others.arrows");
    let (send, pieces) = channel();
    let reading = thread::spawn(move || {
        let (mut all, mut piece) = (Vec::new(), vec![0; 1 << 16]);
        while let Ok(read @ 1..) = output.read(&mut piece) {
            all.extend_from_slice(&piece[..read]);
            // Nobody listens any more once enough has come.
            send.send(all.len()).unwrap_or_default();
        }
        all
    });
    // A batch is answered while the pipe is open: more comes than the names of the columns.
    let half = bytes.len() * 2 / 3;
    input.write_all(&bytes[..half]).and_then(|()| input.flush()).expect("it reads");
    let mut come = 0;
    while come < 20_000 {
        come = pieces.recv_timeout(Duration::from_secs(60)).expect("an answer before the end of the input");
    }
    input.write_all(&bytes[half..]).expect("it reads");
    drop(input);
    assert!(child.wait().expect("an end").success());
    let folder = folder.file("scored.arrows", reading.join().expect("all of it"));
    folder.done(&["sample", "scored.arrows", "--share", "100%", "--out", "again.csv"]);
    let (one, other) = (folder.csv("scored.csv"), folder.csv("again.csv"));
    for name in ["id", "review", "stars", "polarity", "verdict"] {
        assert_eq!(column(&one, name), column(&other, name), "{name}");
    }
    let numbers = |table: &(Vec<String>, Vec<Vec<String>>)| -> Vec<f64> {
        column(table, "p_positive").iter().map(|cell| cell.parse().expect("a number")).collect()
    };
    assert_eq!(numbers(&one), numbers(&other));
}

#[test]
fn streams_are_read_wherever_reviews_are() {
    let folder = Folder::with_many(500);
    folder.done(&["sample", "many.csv", "--share", "100%", "--out", "many.arrows"]);
    folder.done(&["train", "many.csv", "--out", "a.heddle"]);
    folder.done(&["train", "many.arrows", "--out", "b.heddle"]);
    assert!(folder.bytes("a.heddle") == folder.bytes("b.heddle"));
    holds(&folder.done(&["survey", "many.arrows"]), &["an Arrow stream"]);
    let bytes = folder.bytes("many.arrows");
    let folder = folder.file("cut.arrows", &bytes[..bytes.len() - 900]);
    let run = folder.run(&["score", "a.heddle", "cut.arrows", "--out", "s.csv"]);
    assert_eq!(run.code, 1);
    holds(&run.err, &["cut.arrows", "in the middle of a record batch"]);
    assert!(!folder.path("s.csv").exists());
    holds(&folder.fails(&["sample", "many.csv", "--rows", "9", "--out", "x.arrows.gz"]), &["not packed"]);
}
