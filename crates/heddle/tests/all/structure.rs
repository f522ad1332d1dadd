//! The shape of the code: arrows point one way.

use std::collections::{BTreeMap, BTreeSet};
use std::fs;
use std::path::{Path, PathBuf};

const CRATES: [&str; 5] = ["heddle-core", "heddle-files", "heddle-work", "heddle-serve", "heddle"];

/// By module of a crate: the modules of it that its `use` lines name.
type Uses = BTreeMap<String, BTreeSet<String>>;

fn sources(name: &str) -> PathBuf {
    Path::new(env!("CARGO_MANIFEST_DIR")).join("..").join(name).join("src")
}

fn files(folder: &Path) -> Vec<PathBuf> {
    let entries = fs::read_dir(folder).expect("a folder").map(|entry| entry.expect("an entry").path());
    let (folders, files): (Vec<_>, Vec<_>) = entries.partition(|path| path.is_dir());
    let rust = files.into_iter().filter(|path| path.extension().is_some_and(|ending| ending == "rs"));
    rust.chain(folders.iter().flat_map(|folder| self::files(folder))).collect()
}

/// "terms/mod.rs" is the module `terms`, "terms/count.rs" is `terms::count`.
fn module(root: &Path, file: &Path) -> String {
    let inside = file.strip_prefix(root).expect("inside").with_extension("");
    let parts: Vec<String> = inside.iter().map(|part| part.display().to_string()).collect();
    match parts.split_last() {
        Some((last, folder)) if last == "mod" => folder.join("::"),
        _ => parts.join("::"),
    }
}

/// "a::{b, c::{d, e}}" as "a::b", "a::c::d", "a::c::e".
fn expanded(before: &str, tree: &str, all: &mut Vec<String>) {
    let Some((head, inside)) = tree.split_once('{') else {
        all.push(format!("{before}{}", tree.trim()));
        return;
    };
    let inside = inside.rsplit_once('}').map_or(inside, |(inside, _)| inside);
    let (mut depth, mut from) = (0usize, 0);
    let before = format!("{before}{}", head.trim());
    for (at, sign) in inside.char_indices() {
        match sign {
            '{' => depth += 1,
            '}' => depth -= 1,
            ',' if depth == 0 => {
                expanded(&before, &inside[from..at], all);
                from = at + 1;
            }
            _ => {}
        }
    }
    if !inside[from..].trim().is_empty() {
        expanded(&before, &inside[from..], all);
    }
}

fn uses(name: &str) -> Uses {
    let root = sources(name);
    let files = files(&root);
    let modules: BTreeSet<String> = files.iter().map(|file| module(&root, file)).collect();
    let of = |file: &PathBuf| {
        let (own, text) = (module(&root, file), fs::read_to_string(file).expect("text"));
        let here: Vec<&str> = own.split("::").collect();
        let is_folder = file.ends_with("mod.rs");
        let mut named = Vec::new();
        for statement in text.split(';').map(|part| part.lines().skip_while(|line| !begins_use(line))) {
            let statement: String = statement.collect();
            if let Some((_, tree)) = statement.split_once("use ") {
                expanded("", tree, &mut named);
            }
        }
        let mut used = BTreeSet::new();
        for path in named {
            let parts: Vec<&str> = path.split("::").map(|part| part.trim()).collect();
            let ups = parts.iter().take_while(|part| **part == "super").count();
            let absolute: Vec<&str> = match parts[0] {
                "crate" => parts[1..].to_vec(),
                // From a file `a/mod.rs` and from `a.rs` alike, super is what `a` stands in.
                "super" => [&here[..here.len() - ups], &parts[ups..]].concat(),
                _ if is_folder => [&here[..], &parts[..]].concat(),
                _ => continue,
            };
            let longest = (1..=absolute.len()).rev().map(|end| absolute[..end].join("::"));
            used.extend(longest.into_iter().find(|path| modules.contains(path)).filter(|path| *path != own));
        }
        (own, used)
    };
    files.iter().map(of).collect()
}

fn begins_use(line: &str) -> bool {
    let line = line.strip_prefix("pub(crate) ").or(line.strip_prefix("pub ")).unwrap_or(line);
    let line = line.strip_prefix("pub(super) ").unwrap_or(line);
    line.starts_with("use ")
}

/// A way from a module back to itself, if there is one.
fn circle(uses: &Uses) -> Option<Vec<String>> {
    fn walk(at: &str, uses: &Uses, way: &mut Vec<String>, done: &mut BTreeSet<String>) -> bool {
        if let Some(from) = way.iter().position(|other| other == at) {
            way.drain(..from);
            way.push(at.into());
            return true;
        }
        if !done.insert(at.into()) {
            return false;
        }
        way.push(at.into());
        let found = uses.get(at).is_some_and(|next| next.iter().any(|next| walk(next, uses, way, done)));
        if !found {
            way.pop();
        }
        found
    }
    let mut done = BTreeSet::new();
    uses.keys().find_map(|from| {
        let mut way = Vec::new();
        walk(from, uses, &mut way, &mut done).then_some(way)
    })
}

#[test]
fn circles_are_found() {
    let uses = |arrows: &[(&str, &str)]| {
        let mut all = Uses::new();
        for (from, to) in arrows {
            all.entry(from.to_string()).or_default().insert(to.to_string());
        }
        all
    };
    assert_eq!(circle(&uses(&[("a", "b"), ("b", "c"), ("a", "c")])), None);
    let found = circle(&uses(&[("a", "b"), ("b", "c"), ("c", "b")])).expect("a circle");
    assert_eq!(found, ["b", "c", "b"]);
    let mut all = Vec::new();
    expanded("", "crate::a::{self, b, c::{d, e}}", &mut all);
    assert_eq!(all, ["crate::a::self", "crate::a::b", "crate::a::c::d", "crate::a::c::e"]);
}

#[test]
fn no_modules_use_each_other_in_a_circle() {
    for name in CRATES {
        let uses = uses(name);
        assert!(uses.values().any(|used| !used.is_empty()), "{name}: no use line was understood");
        if let Some(circle) = circle(&uses) {
            panic!("{name}: {}", circle.join(" uses "));
        }
    }
}

#[test]
fn folders_of_the_core_stand_one_above_the_other() {
    let mut folders = Uses::new();
    for (from, used) in uses("heddle-core") {
        let head = |module: &str| module.split("::").next().expect("a head").to_string();
        let others = used.iter().map(|to| head(to)).filter(|to| *to != head(&from));
        folders.entry(head(&from)).or_default().extend(others);
    }
    if let Some(circle) = circle(&folders) {
        panic!("{}", circle.join(" uses "));
    }
}

#[test]
fn no_command_uses_another() {
    for (command, used) in uses("heddle").into_iter().filter(|(name, _)| name.starts_with("commands::")) {
        let own = command.split("::").nth(1).expect("a name");
        let siblings = used.iter().filter_map(|to| to.strip_prefix("commands::"));
        let others: Vec<&str> = siblings.filter(|to| to.split("::").next() != Some(own)).collect();
        assert!(others.is_empty(), "{command} uses {others:?}");
    }
}

#[test]
fn lower_crates_know_nothing_of_those_above() {
    for (name, above) in [
        ("heddle-core", &["heddle_files", "heddle_work", "clap", "std::fs", "std::env", "std::io"][..]),
        ("heddle-files", &["heddle_work", "clap"]),
        ("heddle-work", &["heddle_serve", "clap", "indicatif", "anstream", "anstyle"]),
        ("heddle-serve", &["clap", "indicatif", "anstream", "anstyle"]),
    ] {
        for file in files(&sources(name)) {
            let text = fs::read_to_string(&file).expect("text");
            for one in above {
                let named = text.lines().any(|line| begins_use(line) && line.contains(one));
                assert!(!named, "{} uses {one}", file.display());
            }
        }
    }
}

#[test]
fn the_core_names_neither_the_program_nor_its_commands() {
    let args = fs::read_to_string(sources("heddle").join("args/mod.rs")).expect("text");
    let (_, commands) = args.split_once("pub enum Command {").expect("the commands");
    let (commands, _) = commands.split_once("\n}").expect("their end");
    let names: Vec<String> = commands
        .lines()
        .filter_map(|line| Some(format!("`heddle {}", line.trim().split_once('(')?.0.to_lowercase())))
        .collect();
    assert!(names.len() > 15, "{names:?}");
    for file in files(&sources("heddle-core")) {
        let text = fs::read_to_string(&file).expect("text");
        for name in &names {
            assert!(!text.contains(name.as_str()), "{} names {name}", file.display());
        }
    }
}
