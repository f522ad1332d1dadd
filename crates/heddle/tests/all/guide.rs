//! The guide: its commands are run in its order, and print what it shows.

use std::collections::BTreeSet;
use std::fs;
use std::path::{Path, PathBuf};

use crate::common::Folder;
use crate::common::http::Server;

fn documents() -> PathBuf {
    Path::new(env!("CARGO_MANIFEST_DIR")).join("../../docs")
}

/// The commands of the guide, each with the lines that are shown of what it prints.
fn commands(guide: &str) -> Vec<(String, Vec<String>)> {
    let blocks = guide.split("```console\n").skip(1).filter_map(|block| Some(block.split_once("```")?.0));
    let one = |command: &str| {
        let mut lines = command.lines().map(String::from);
        (lines.next().unwrap_or_default(), lines.collect())
    };
    blocks.flat_map(|block| format!("\n{block}").split("\n$ ").skip(1).map(one).collect::<Vec<_>>()).collect()
}

/// The words of a command, quoted ones whole.
fn words(call: &str) -> Vec<String> {
    let (mut words, mut open) = (vec![String::new()], None);
    for sign in call.chars() {
        match open {
            Some(mark) if sign == mark => open = None,
            None if sign == '"' || sign == '\'' => open = Some(sign),
            None if sign == ' ' => words.push(String::new()),
            _ => words.last_mut().expect("a word").push(sign),
        }
    }
    words
}

/// Whether text shows these lines in their order: "..." stands for any, and a line may go on beyond what is shown of it.
fn shows(printed: &str, shown: &[String]) -> Result<(), String> {
    let mut lines = printed.lines().peekable();
    let mut any = false;
    for wanted in shown {
        if wanted == "..." {
            any = true;
            continue;
        }
        let found = match any {
            true => lines.any(|line| line.starts_with(wanted.as_str())),
            false => lines.next().is_some_and(|line| line.starts_with(wanted.as_str())),
        };
        if !found {
            return Err(wanted.clone());
        }
        any = false;
    }
    Ok(())
}

#[test]
fn the_guide_can_be_followed_to_its_end() {
    let guide = fs::read_to_string(documents().join("guide.md")).expect("the guide");
    let commands = commands(&guide);
    assert!(commands.len() > 14 && commands.iter().all(|(_, shown)| !shown.is_empty()), "{}", commands.len());
    let folder = Folder::new();
    folder.done(&["demo"]);
    fs::remove_dir_all(folder.path("heddle-demo/run")).expect("the demo has run");
    let demo = Folder::new();
    for entry in fs::read_dir(folder.path("heddle-demo")).expect("a folder") {
        let entry = entry.expect("an entry");
        fs::copy(entry.path(), demo.path(&entry.file_name().display().to_string())).expect("copied");
    }
    let mut server = None;
    for (call, shown) in commands {
        let words = words(&call);
        let arguments: Vec<&str> = words.iter().skip(1).map(String::as_str).collect();
        let printed = match (words[0].as_str(), arguments[0]) {
            ("heddle", "serve") => {
                if cfg!(feature = "serve") {
                    server = Some(Server::of(&demo, arguments[1], &arguments[2..]));
                }
                continue;
            }
            ("curl", _) => {
                let Some(server) = &server else { continue };
                let after =
                    |flag: &str| arguments[1 + arguments.iter().position(|word| *word == flag).expect(flag)];
                let (_, path) = arguments.last().and_then(|url| url.split_once(":4333")).expect("an address");
                server.post(path, &[after("-H")], after("-d").as_bytes()).text()
            }
            ("heddle", _) => {
                let output =
                    demo.command(&arguments).env("COLUMNS", "80").output().expect("the program starts");
                assert!(output.status.success(), "{call}: {}", String::from_utf8_lossy(&output.stderr));
                String::from_utf8(output.stdout).expect("text")
            }
            _ => panic!("{call}: not tried here"),
        };
        if let Err(line) = shows(&printed, &shown) {
            panic!("{call} does not print `{line}` where the guide shows it, but:\n{printed}");
        }
    }
}

#[test]
fn what_is_shown_is_looked_for_in_order() {
    let shown = |text: &str| text.split('|').map(String::from).collect::<Vec<_>>();
    assert!(shows("a\nb\nc d", &shown("...|b|c")).is_ok());
    assert!(shows("a\nb\nc", &shown("...|c|...|b")).is_err() && shows("a\nb", &shown("b")).is_err());
    assert_eq!(words("a \"b c\" 'd \"e\"'"), ["a", "b c", "d \"e\""]);
}

#[test]
fn links_between_documents_lead_somewhere() {
    let root = documents().join("..");
    let mut files: Vec<PathBuf> =
        fs::read_dir(documents()).expect("a folder").map(|entry| entry.expect("an entry").path()).collect();
    files.extend(
        ["README.md", "ARCHITECTURE.md", "examples/python/README.md", "examples/spark/README.md"]
            .map(|name| root.join(name)),
    );
    let mut reached = BTreeSet::new();
    for file in files.iter().filter(|file| file.extension().is_some_and(|ending| ending == "md")) {
        let text = fs::read_to_string(file).expect("text");
        for link in text.split("](").skip(1).filter_map(|rest| rest.split(')').next()) {
            let target = link.split('#').next().unwrap_or_default();
            if target.is_empty() || target.contains("://") {
                continue;
            }
            let place = file.parent().expect("a folder").join(target);
            assert!(place.exists(), "{}: {link} leads nowhere", file.display());
            reached.insert(fs::canonicalize(place).expect("it is there"));
        }
    }
    // Every page can be come to.
    for page in fs::read_dir(documents()).expect("a folder").map(|entry| entry.expect("an entry").path()) {
        let is_page = page.extension().is_some_and(|ending| ending == "md");
        assert!(
            !is_page || reached.contains(&fs::canonicalize(&page).expect("it is there")),
            "{} stands alone",
            page.display()
        );
    }
}
