//! Calls that are killed, cut off from their readers and run out of room, at moments drawn from a
//! seed. Whatever happens: no input changes, no output is half there, parts that belong together
//! stay together, and the next call finds nothing in its way.
//!
//! Runs for about twenty seconds; HEDDLE_CHAOS_SECONDS and HEDDLE_CHAOS_SEED ask for more.

use std::collections::BTreeMap;
use std::fs;
use std::process::{Command, Stdio};
use std::time::{Duration, Instant};

use crate::common::{Draw, Folder};

/// A call, and which of its outputs stand together.
struct Call {
    arguments: &'static [&'static str],
    outputs: &'static [&'static str],
}

const CALLS: [Call; 9] = [
    Call {
        arguments: &["label", "many.csv", "--out", "l.parquet"],
        outputs: &["l.parquet", "l.parquet.about.json"],
    },
    Call {
        arguments: &["sample", "many.csv", "--rows", "900", "--out", "s.jsonl.gz"],
        outputs: &["s.jsonl.gz", "s.jsonl.gz.about.json"],
    },
    Call {
        arguments: &["split", "many.csv", "--training", "t.csv", "--holdout", "h.csv"],
        outputs: &["t.csv", "t.csv.about.json", "h.csv", "h.csv.about.json"],
    },
    Call { arguments: &["train", "many.csv", "--out", "n.heddle"], outputs: &["n.heddle"] },
    Call {
        arguments: &["score", "m.heddle", "many.csv", "--out", "scored.csv", "--refused", "ref.csv"],
        outputs: &["scored.csv", "ref.csv"],
    },
    Call {
        arguments: &["terms", "many.csv", "--out", "w.json", "--picture", "w.svg"],
        outputs: &["w.json", "w.svg"],
    },
    Call {
        arguments: &[
            "validate",
            "many.csv",
            "--out",
            "v.csv",
            "--set",
            "validation.folds=3",
            "--set",
            "model.strength=1e-3",
        ],
        outputs: &["v.csv"],
    },
    Call { arguments: &["survey", "many.csv", "--write-study", "new.toml"], outputs: &["new.toml"] },
    Call {
        arguments: &[
            "run",
            "many.csv",
            "--out",
            "r",
            "--replace",
            "--set",
            "validation.folds=3",
            "--set",
            "model.strength=1e-3",
        ],
        outputs: &["r"],
    },
];

/// What befalls a call.
#[derive(Debug, Clone, Copy)]
enum Fate {
    Kill,
    Signal(&'static str),
    /// Files may grow to so many blocks of 512 bytes.
    NoRoom(u64),
    ClosedPipe,
}

/// Names and bytes.
type Files = Vec<(String, Vec<u8>)>;

impl Draw {
    fn fate(&mut self) -> Fate {
        match self.below(8) {
            0..=3 => Fate::Kill,
            4 => Fate::Signal("TERM"),
            5 => Fate::Signal("INT"),
            6 => Fate::NoRoom(self.below(60)),
            _ => Fate::ClosedPipe,
        }
    }
}

fn number(name: &str, default: u64) -> u64 {
    std::env::var(name).ok().and_then(|value| value.parse().ok()).unwrap_or(default)
}

/// Every visible file below a folder, with its bytes.
fn contents(folder: &Folder) -> BTreeMap<String, Vec<u8>> {
    let mut found = BTreeMap::new();
    for name in folder.names().into_iter().filter(|name| !name.starts_with('.')) {
        if folder.path(&name).is_dir() {
            for entry in fs::read_dir(folder.path(&name)).expect("a folder") {
                let inner = format!("{name}/{}", entry.expect("an entry").file_name().display());
                found.insert(inner.clone(), folder.bytes(&inner));
            }
        } else {
            found.insert(name.clone(), folder.bytes(&name));
        }
    }
    found
}

/// Lets a fate befall a call after a while; gives whether it ended well all the same.
fn befall(folder: &Folder, call: &Call, fate: Fate, after: Duration) -> bool {
    let mut command = match fate {
        Fate::NoRoom(blocks) => {
            let mut sh = Command::new("sh");
            sh.args([
                "-c",
                &format!("ulimit -f {blocks}; trap '' XFSZ; exec \"$0\" \"$@\""),
                env!("CARGO_BIN_EXE_heddle"),
            ]);
            sh.args(call.arguments).current_dir(folder.path(""));
            sh
        }
        _ => folder.command(call.arguments),
    };
    let mut child =
        command.stdin(Stdio::null()).stdout(Stdio::piped()).stderr(Stdio::null()).spawn().expect("it starts");
    let out = child.stdout.take();
    if !matches!(fate, Fate::ClosedPipe) {
        // Somebody reads, so that no call waits for ever.
        std::thread::spawn(move || out.map(|mut out| std::io::copy(&mut out, &mut std::io::sink())));
    }
    match fate {
        Fate::Kill => {
            std::thread::sleep(after);
            let _ = child.kill(); // it may have ended
        }
        Fate::Signal(signal) => {
            std::thread::sleep(after);
            let id = child.id().to_string();
            let _ = Command::new("kill").args(["-s", signal, &id]).stderr(Stdio::null()).status();
        }
        Fate::NoRoom(_) | Fate::ClosedPipe => {}
    }
    child.wait().expect("it ends").success()
}

#[test]
fn whatever_happens_to_a_call_nothing_is_lost_and_nothing_is_half_there() {
    let folder = Folder::with_many(3000);
    folder.done(&["train", "many.csv", "--out", "m.heddle"]);
    let inputs = ["many.csv", "m.heddle"].map(|name| (name, folder.bytes(name)));
    let clear = |call: &Call| {
        for output in call.outputs {
            let path = folder.path(output);
            let _ = if path.is_dir() { fs::remove_dir_all(path) } else { fs::remove_file(path) };
        }
    };
    // What each call gives when nothing befalls it, and how long it takes.
    let whole: Vec<(Files, Duration)> = CALLS
        .iter()
        .map(|call| {
            clear(call);
            let begun = Instant::now();
            folder.done(call.arguments);
            let took = begun.elapsed();
            let stays = |name: &str| {
                !name.ends_with("ledger.jsonl")
                    && !name.ends_with("h.csv.about.json")
                    && !name.ends_with("holdout.csv.about.json")
            };
            let belongs = |name: &str| {
                call.outputs.iter().any(|output| name == *output || name.starts_with(&format!("{output}/")))
            };
            let files =
                contents(&folder).into_iter().filter(|(name, _)| belongs(name) && stays(name)).collect();
            clear(call);
            (files, took)
        })
        .collect();
    let mut draw = Draw(number("HEDDLE_CHAOS_SEED", 11));
    let end = Instant::now() + Duration::from_secs(number("HEDDLE_CHAOS_SECONDS", 20));
    let mut counts = [0usize; 3];
    while Instant::now() < end {
        let at = draw.below(CALLS.len() as u64) as usize;
        let (call, (files, took)) = (&CALLS[at], &whole[at]);
        let fate = draw.fate();
        let after = Duration::from_micros(draw.below(took.as_micros() as u64 * 5 / 4 + 1));
        let done = befall(&folder, call, fate, after);
        let story = format!("{:?} met by {fate:?} after {after:?}", call.arguments);
        // A killed call may have left work to be finished by the next that looks there.
        for output in call.outputs.iter().filter(|output| output.contains('.') && !output.ends_with(".json"))
        {
            let _ = folder.run(&["label", output]);
        }
        let there = contents(&folder);
        let own: Vec<bool> = files.iter().map(|(name, _)| there.contains_key(name)).collect();
        assert!(
            own.iter().all(|is| *is) || own.iter().all(|is| !*is),
            "only some of the outputs: {story}: {:?}",
            there.keys()
        );
        assert!(!done || own[0], "it said that it was done: {story}");
        for (name, bytes) in files.iter().filter(|(name, _)| there.contains_key(name)) {
            let same = there[name] == *bytes || name.ends_with("findings.json");
            assert!(same, "{name} is not what it is when nothing happens: {story}");
        }
        for (name, bytes) in &inputs {
            assert!(there[*name] == *bytes, "{name} was changed: {story}");
        }
        if !matches!(fate, Fate::Kill) {
            let left: Vec<String> =
                folder.names().into_iter().filter(|name| name.contains(".heddle-")).collect();
            assert!(left.is_empty(), "{left:?} was left: {story}");
        }
        counts[if own[0] { 0 } else { 1 }] += 1;
        counts[2] += usize::from(matches!(fate, Fate::Kill));
        // The next call finds nothing in its way, and leaves nothing of what was killed.
        clear(call);
        folder.done(call.arguments);
        let hidden: Vec<String> = folder.names().into_iter().filter(|name| name.starts_with('.')).collect();
        assert!(hidden.is_empty(), "{hidden:?} stays after the next call: {story}");
        clear(call);
    }
    tell(&format!(
        "{} whole, {} not there at all, {} of them killed without a word",
        counts[0], counts[1], counts[2]
    ));
    assert!(counts[0] > 0 && counts[1] > 0, "both were met: {counts:?}");
}

fn tell(text: &str) {
    use std::io::Write;
    let _ = writeln!(std::io::stderr(), "{text}"); // shown where a test is asked to show
}
