//! Scoring what comes through a pipe, as it comes.

use std::io::{BufRead, BufReader, Read, Write};
use std::process::{Child, ChildStdin, Stdio};
use std::sync::mpsc::{Receiver, channel};
use std::thread;
use std::time::Duration;

use crate::common::{Folder, column, holds};

/// The program at the end of a pipe.
struct Filter {
    child: Child,
    input: Option<ChildStdin>,
    lines: Receiver<String>,
}

impl Filter {
    fn new(folder: &Folder, arguments: &[&str]) -> Self {
        let mut child = folder
            .command(arguments)
            .stdin(Stdio::piped())
            .stdout(Stdio::piped())
            .stderr(Stdio::piped())
            .spawn()
            .expect("the program starts");
        let (send, lines) = channel();
        let out = BufReader::new(child.stdout.take().expect("an output"));
        thread::spawn(move || out.lines().map_while(Result::ok).try_for_each(|line| send.send(line)));
        Self { input: child.stdin.take(), child, lines }
    }

    fn give(&mut self, text: &str) {
        let input = self.input.as_mut().expect("an open pipe");
        input.write_all(text.as_bytes()).and_then(|()| input.flush()).expect("the program reads");
    }

    /// The next line, which must come while the pipe is open.
    fn line(&self) -> String {
        self.lines.recv_timeout(Duration::from_secs(60)).expect("an answer before the end of the input")
    }

    /// Closes the pipe; the rest of the lines, what was said, and the code.
    fn end(mut self) -> (Vec<String>, String, i32) {
        drop(self.input.take());
        let rest: Vec<String> = self.lines.iter().collect();
        let mut said = String::new();
        let mut told = self.child.stderr.take().expect("an error stream");
        told.read_to_string(&mut said).expect("text");
        (rest, said, self.child.wait().expect("an end").code().unwrap_or(-1))
    }
}

fn with_model() -> Folder {
    let folder = Folder::with_many(300).and_others(40);
    folder.done(&["train", "many.csv", "--out", "m.heddle"]);
    folder
}

#[test]
fn each_row_is_answered_when_the_input_pauses() {
    let folder = with_model();
    let mut filter = Filter::new(&folder, &["score", "m.heddle", "-"]);
    filter.give("id,review\na,\"a warm cabin,\n hot tea\"\n");
    assert!(filter.line().starts_with("id,review,polarity"));
    assert!(filter.line().starts_with("a,") && filter.line().contains("positive"));
    filter.give("b,a cold cabin\nc,late again\n");
    assert!(filter.line().starts_with("b,a cold cabin,negative"));
    assert!(filter.line().starts_with("c,late again,negative"));
    // Half a row waits for its end.
    filter.give("d,cold");
    filter.give(" tea\n");
    assert!(filter.line().starts_with("d,cold tea,negative"));
    filter.give("e,two,many\nf,never late");
    let (rest, said, code) = filter.end();
    assert!(rest.len() == 1 && rest[0].starts_with("f,never late,positive"), "{rest:?}");
    holds(&said, &["standard input, line 7", "expected 2 fields, found 3", "5 reviews scored"]);
    assert_eq!(code, 3);
}

#[test]
fn objects_are_answered_line_by_line_under_the_fields_of_the_first() {
    let folder = with_model();
    let mut filter = Filter::new(&folder, &["score", "m.heddle", "-", "--reasons", "2", "--flags"]);
    filter.give("{\"id\": \"a\", \"review\": \"a warm cabin\", \"at\": {\"desk\": \"web\"}}\n");
    assert_eq!(filter.line(), "id,review,at.desk,polarity,p_negative,p_positive,verdict,flags,reasons");
    let first = filter.line();
    assert!(first.starts_with("a,a warm cabin,web,positive") && first.contains("warm "), "{first}");
    filter.give("{\"review\": \"zzz qqq\", \"id\": \"b\"}\n");
    assert!(filter.line().ends_with("unsure,no known term,"), "the fields of a later object may be fewer");
    filter.give("{\"id\": \"c\", \"review\": \"late again\", \"other\": 1}\n{\"id\": \"d\", \"review\": \"cold tea\"}\n");
    assert!(filter.line().starts_with("d,cold tea,,negative"));
    let (rest, said, code) = filter.end();
    assert!(rest.is_empty() && code == 3, "{rest:?}");
    holds(&said, &["column `other`", "a field that the first rows have"]);
}

#[test]
fn standard_output_takes_the_format_that_its_ending_names() {
    let folder = with_model();
    let mut filter = Filter::new(&folder, &["score", "m.heddle", "-", "--out", "-.jsonl", "-q"]);
    filter.give("{\"id\": \"a\", \"review\": \"a warm cabin\", \"at\": {\"desk\": \"web\"}}\n");
    let row: serde_json::Value = serde_json::from_str(&filter.line()).expect("an object");
    assert_eq!(
        (&row["id"], &row["at"]["desk"], &row["verdict"]),
        (&"a".into(), &"web".into(), &"positive".into())
    );
    assert!(row["p_positive"].as_f64().is_some_and(|own| own > 0.5));
    assert_eq!(filter.end().2, 0);
    let tabs = folder.done(&["score", "m.heddle", "others.csv", "--out", "-.tsv"]);
    assert!(tabs.starts_with("id\treview\tstars\tpolarity"), "{tabs}");
    assert!(!folder.names().iter().any(|name| name.starts_with('-')));
    let both = folder.run(&["score", "m.heddle", "others.csv", "--out", "-.jsonl", "--json"]);
    assert_eq!(both.code, 1);
    holds(&both.err, &["both go to standard output"]);
}

#[test]
fn how_a_pipe_is_fed_changes_nothing() {
    let folder = with_model();
    let whole = folder.done(&["score", "m.heddle", "others.csv"]);
    let text = folder.text("others.csv");
    for pieces in [3, 700] {
        let mut filter = Filter::new(&folder, &["score", "m.heddle", "-"]);
        for (at, piece) in text.as_bytes().chunks(pieces).enumerate() {
            filter.give(std::str::from_utf8(piece).expect("ASCII"));
            if at % 97 == 0 {
                thread::sleep(Duration::from_millis(12));
            }
        }
        let (rest, _, code) = filter.end();
        assert_eq!((rest.join("\n") + "\n", code), (whole.clone(), 0), "in pieces of {pieces}");
    }
    // Objects over many lines, and whatever is packed, are read whole.
    folder.done(&["sample", "others.csv", "--share", "100%", "--out", "o.json"]);
    folder.done(&["sample", "others.csv", "--share", "100%", "--out", "o.csv.gz"]);
    for name in ["o.json", "o.csv.gz"] {
        let mut filter = Filter::new(&folder, &["score", "m.heddle", "-"]);
        filter.input.as_mut().expect("a pipe").write_all(&folder.bytes(name)).expect("it reads");
        let (rest, _, code) = filter.end();
        assert_eq!((rest.join("\n") + "\n", code), (whole.clone(), 0), "{name}");
    }
    let mut filter = Filter::new(&folder, &["score", "m.heddle", "-"]);
    filter.give("{\n \"id\": \"a\",\n \"review\": \"a warm cabin\"\n}");
    let (_, said, code) = filter.end();
    assert!(code == 1 || code == 3, "{said}");
}

#[test]
fn reasons_and_flags_stand_in_the_row() {
    let folder = with_model();
    let file =
        "id,review\na,\"a warm cabin, hot tea\"\nb,\"the crew were rude, not a good bed\"\nc,qqq zzz\n";
    let folder = folder.file("new.csv", file);
    folder.done(&["score", "m.heddle", "new.csv", "--reasons", "2", "--flags", "--out", "s.csv"]);
    let table = folder.csv("s.csv");
    let reasons = column(&table, "reasons");
    assert_eq!(reasons[0].split("; ").count(), 2);
    for part in reasons[..2].iter().flat_map(|own| own.split("; ")) {
        let (word, adds) = part.rsplit_once(' ').expect("a word and a number");
        assert!(!word.is_empty() && adds.parse::<f64>().expect("a number") > 0.0, "{part}");
    }
    assert!(reasons[1].contains("¬good") || reasons[1].contains("rude"), "{reasons:?}");
    assert_eq!(column(&table, "flags"), ["", "", "no known term"]);
    assert!(reasons[2].is_empty());
    folder.done(&["score", "m.heddle", "many.csv", "--flags", "--out", "t.csv"]);
    assert!(column(&folder.csv("t.csv"), "flags").iter().all(|own| own == "learnt from"));
}
