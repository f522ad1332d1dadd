//! The built program in a temporary folder.
#![allow(clippy::print_stderr)] // a failure names its folder

pub mod http;

use std::fs;
use std::path::PathBuf;
use std::process::{Command, Stdio};

use serde_json::Value;
use tempfile::TempDir;

/// A folder to work in. It stays where a test fails, and its name is printed.
pub struct Folder {
    folder: Option<TempDir>,
}

/// What a run of the program gave.
#[derive(Debug)]
pub struct Run {
    pub out: String,
    pub err: String,
    pub code: i32,
}

/// A small file of reviews: two classes, a middle one, a blank text, a missing rating.
pub const REVIEWS: &str = "\
id,customer,review,stars
r1,ann,\"A warm, clean cabin.\",5
r2,bob,The cabin was cold and dirty,1
r3,cat,\"Not a bad cabin, I’d say\",4
r4,dan,It was what it was,3
r5,ann,,4
r6,eve,No rating from me,
r7,fay,\"Cold tea, rude crew!\",2
r8,gus,a warm CLEAN cabin,5
";

/// Draws that are the same in each run.
pub struct Draw(pub u64);

impl Draw {
    pub fn below(&mut self, end: u64) -> u64 {
        self.0 = self.0.wrapping_mul(6_364_136_223_846_793_005).wrapping_add(1_442_695_040_888_963_407);
        (self.0 >> 33) % end
    }
}

impl Folder {
    pub fn new() -> Self {
        Self { folder: Some(tempfile::tempdir().expect("a temporary folder")) }
    }

    /// A folder with `reviews.csv`: [`REVIEWS`].
    pub fn with_reviews() -> Self {
        Self::new().file("reviews.csv", REVIEWS)
    }

    /// A folder with `many.csv`, made of clauses that mostly agree with their stars.
    pub fn with_many(rows: usize) -> Self {
        Self::new().file("many.csv", Self::reviews(rows, 0))
    }

    /// As many in parts: each of these names is a file of so many of them, in their order.
    pub fn with_parts<const N: usize>(parts: [(&str, usize); N]) -> Self {
        let folder = Self::with_many(parts.iter().map(|(_, rows)| rows).sum());
        let text = folder.text("many.csv");
        let mut rows = text.lines();
        let header = rows.next().expect("a header");
        parts.iter().fold(folder, |folder, (name, count)| {
            let own: String = rows.by_ref().take(*count).map(|row| format!("{row}\n")).collect();
            folder.file(name, format!("{header}\n{own}"))
        })
    }

    /// As many more beside them, in `others.csv`: of the same kind, and none of them the same.
    pub fn and_others(self, rows: usize) -> Self {
        self.file("others.csv", Self::reviews(rows, 40))
    }

    /// Reviews with numbers from here on.
    fn reviews(rows: usize, from: u64) -> String {
        const GOOD: [&str; 5] =
            ["the crew were kind", "a warm cabin", "never late", "not a bad bed", "hot tea"];
        const BAD: [&str; 5] =
            ["the crew were rude", "a cold cabin", "late again", "not a good bed", "cold tea"];
        let mut text = String::from("id,review,stars\n");
        let mut draws = Draw(7 + from);
        let mut draw = |end: u64| draws.below(end);
        for row in 0..rows {
            let stars = [1, 2, 4, 5, 5][draw(5) as usize];
            let clauses: Vec<String> = (0..1 + draw(4))
                .map(|_| {
                    let list = if (stars > 3) == (draw(8) > 0) { GOOD } else { BAD };
                    format!("{} {}", list[draw(5) as usize], from + draw(40))
                })
                .collect();
            text.push_str(&format!("m{row},\"{}\",{stars}\n", clauses.join(", ")));
        }
        text
    }

    pub fn path(&self, name: &str) -> PathBuf {
        self.folder.as_ref().expect("the folder is there").path().join(name)
    }

    pub fn file(self, name: &str, bytes: impl AsRef<[u8]>) -> Self {
        fs::write(self.path(name), bytes).expect("the folder can be written");
        self
    }

    pub fn bytes(&self, name: &str) -> Vec<u8> {
        fs::read(self.path(name)).unwrap_or_else(|error| panic!("{name}: {error}"))
    }

    pub fn text(&self, name: &str) -> String {
        String::from_utf8(self.bytes(name)).expect("a text file")
    }

    /// The names of what is in the folder, sorted.
    pub fn names(&self) -> Vec<String> {
        let entries = fs::read_dir(self.path("")).expect("the folder can be listed");
        let mut names: Vec<String> =
            entries.map(|entry| entry.expect("an entry").file_name().display().to_string()).collect();
        names.sort();
        names
    }

    pub fn command(&self, arguments: &[&str]) -> Command {
        let mut command = Command::new(env!("CARGO_BIN_EXE_heddle"));
        command.args(arguments).current_dir(self.path("")).env_clear().stdin(Stdio::null());
        command.env("HEDDLE_HABITS", "none"); // those of whoever runs the tests are another matter
        command
    }

    /// Runs the program. The lines that say how far it is, which a slow machine gets, are not given.
    pub fn run(&self, arguments: &[&str]) -> Run {
        let output = self.command(arguments).output().expect("the program starts");
        let err = String::from_utf8(output.stderr).expect("text");
        Run {
            out: String::from_utf8(output.stdout).expect("text"),
            err: err.split_inclusive('\n').filter(|line| !tells_how_far(line)).collect(),
            code: output.status.code().unwrap_or(-1),
        }
    }

    /// Runs the program, which must end well; gives standard output.
    pub fn done(&self, arguments: &[&str]) -> String {
        let run = self.run(arguments);
        assert_eq!(run.code, 0, "{arguments:?}: {}", run.err);
        run.out
    }

    /// Runs the program with `--json`.
    pub fn json(&self, arguments: &[&str]) -> Value {
        let out = self.done(&[arguments, &["--json"]].concat());
        serde_json::from_str(&out).unwrap_or_else(|error| panic!("{arguments:?}: {error}: {out}"))
    }

    /// Runs the program, which must fail; gives standard error.
    pub fn fails(&self, arguments: &[&str]) -> String {
        let run = self.run(arguments);
        assert_eq!(run.code, 1, "{arguments:?} gave {run:?}");
        assert!(run.err.starts_with("error: ") && !run.err.contains("panicked"), "{}", run.err);
        assert!(run.out.is_empty(), "an answer beside an error: {}", run.out);
        run.err
    }

    /// The records of a CSV file without its header, and the header.
    pub fn csv(&self, name: &str) -> (Vec<String>, Vec<Vec<String>>) {
        let mut reader =
            csv::Reader::from_path(self.path(name)).unwrap_or_else(|error| panic!("{name}: {error}"));
        let header = reader.headers().expect("a header").iter().map(String::from).collect();
        let record = |record: csv::Result<csv::StringRecord>| {
            record.expect("a record").iter().map(String::from).collect()
        };
        (header, reader.records().map(record).collect())
    }
}

impl Drop for Folder {
    fn drop(&mut self) {
        if std::thread::panicking() {
            let folder = self.folder.take().expect("the folder is there").keep();
            eprintln!("the folder stays: {}", folder.display());
        }
    }
}

/// Runs a case over every input format: a folder with the same rows in a file of this name.
pub fn in_every_format(rows: &str, case: impl Fn(&Folder, &str)) {
    let endings = ["csv", "tsv", "jsonl", "json", "parquet", "csv.gz", "jsonl.zst", "xlsx", "arrows"];
    for ending in endings.into_iter().filter(|ending| cfg!(feature = "arrow") || *ending != "arrows") {
        let folder = Folder::new().file("rows.csv", rows);
        let name = format!("reviews.{ending}");
        folder.done(&["sample", "rows.csv", "--share", "100%", "--out", &name]);
        case(&folder, &name);
    }
}

/// Whether a line says how far some work is, as "reading: 10 s" does.
fn tells_how_far(line: &str) -> bool {
    let seconds = line.strip_suffix(" s\n").and_then(|line| line.rsplit_once(' '));
    seconds.is_some_and(|(what, seconds)| {
        (what.ends_with(':') || what.ends_with(',')) && seconds.bytes().all(|byte| byte.is_ascii_digit())
    })
}

pub fn number(value: &Value) -> f64 {
    value.as_f64().unwrap_or_else(|| panic!("{value} is no number"))
}

/// A column of records.
pub fn column(table: &(Vec<String>, Vec<Vec<String>>), name: &str) -> Vec<String> {
    let at = table.0.iter().position(|column| column == name).unwrap_or_else(|| panic!("no column {name}"));
    table.1.iter().map(|record| record[at].clone()).collect()
}

/// What every message must hold.
pub fn holds(message: &str, parts: &[&str]) {
    for part in parts {
        assert!(message.contains(part), "no `{part}` in: {message}");
    }
}
