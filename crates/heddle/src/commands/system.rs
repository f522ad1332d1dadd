//! What the program finds around it: for reports of faults.

use std::collections::BTreeMap;
use std::io::IsTerminal;

use heddle_core::settings::Study;
use heddle_files::{Input, Record, SketchFile, is_model, read_model};
use heddle_work::Session;
use serde::Serialize;

use crate::args::SystemArgs;
use crate::habits;
use crate::output::Output;
use crate::view::{Page, count, number, width};

/// Variables that change what is shown.
const SHOWN: [&str; 8] =
    ["NO_COLOR", "CLICOLOR_FORCE", "COLUMNS", "TERM", "COLORTERM", "LANG", "LC_ALL", "TMPDIR"];

#[derive(Serialize)]
struct System {
    version: &'static str,
    features: Vec<&'static str>,
    optimised: bool,
    system: &'static str,
    machine: &'static str,
    cores: usize,
    threads: usize,
    memory_mb: Option<u64>,
    terminal: Terminal,
    variables: BTreeMap<&'static str, String>,
    /// The file of habits, where there is one.
    habits: Option<String>,
    /// The study that is read here, where there is one.
    study: Option<String>,
    /// Settings that are not the usual ones.
    settings: usize,
    temporary: Folder,
    files: Vec<Looked>,
}

#[derive(Serialize)]
struct Terminal {
    input: bool,
    output: bool,
    errors: bool,
    columns: usize,
}

#[derive(Serialize)]
struct Folder {
    path: String,
    writable: bool,
}

/// What a file is.
#[derive(Serialize)]
struct Looked {
    file: String,
    bytes: Option<u64>,
    is: String,
}

/// Looks around and tells.
pub fn run(args: &SystemArgs, session: &Session, output: &Output) -> anyhow::Result<usize> {
    let temporary = std::env::temp_dir();
    let system = System {
        version: env!("CARGO_PKG_VERSION"),
        features: [("arrow", cfg!(feature = "arrow")), ("serve", cfg!(feature = "serve"))]
            .into_iter()
            .filter_map(|(name, is_built)| is_built.then_some(name))
            .collect(),
        optimised: !cfg!(debug_assertions),
        system: std::env::consts::OS,
        machine: std::env::consts::ARCH,
        cores: std::thread::available_parallelism().map_or(1, usize::from),
        threads: rayon::current_num_threads(),
        memory_mb: memory(),
        terminal: Terminal {
            input: std::io::stdin().is_terminal(),
            output: std::io::stdout().is_terminal(),
            errors: std::io::stderr().is_terminal(),
            columns: width(),
        },
        variables: SHOWN
            .into_iter()
            .chain(habits::VARIABLES.map(|(_, variable)| variable))
            .chain([habits::FILE])
            .filter_map(|name| Some((name, std::env::var(name).ok()?)))
            .collect(),
        habits: habits::place()?.map(|file| file.display().to_string()),
        study: session.study_and_lists().next().map(String::from),
        settings: changed(session.study()),
        temporary: Folder { writable: SketchFile::new().is_ok(), path: temporary.display().to_string() },
        files: args.files.iter().map(|file| look(file, session)).collect(),
    };
    output.answer("system", &system, show)?;
    Ok(0)
}

/// Settings that are not the usual ones.
fn changed(study: &Study) -> usize {
    study.settings().iter().zip(Study::default().settings()).filter(|(own, usual)| **own != *usual).count()
}

/// The memory of the machine, where the system says so in a file.
fn memory() -> Option<u64> {
    let told = std::fs::read_to_string("/proc/meminfo").ok()?;
    let line = told.lines().find_map(|line| line.strip_prefix("MemTotal:"))?;
    line.split_whitespace().next()?.parse::<u64>().ok().map(|kib| kib / 1024)
}

/// What a file is, as far as its beginning tells; no review of it is shown.
fn look(file: &str, session: &Session) -> Looked {
    let bytes = std::fs::metadata(file).ok().map(|data| data.len());
    let is = match is_model(file).unwrap_or(false) {
        true => read_model(file)
            .map(|model| format!("a model of {}", count(model.card().terms, "term")))
            .map_err(anyhow::Error::from),
        false => reviews(file, session),
    };
    let is = is.unwrap_or_else(|error| format!("{error:#}"));
    Looked { file: file.into(), bytes, is }
}

fn reviews(file: &str, session: &Session) -> anyhow::Result<String> {
    let mut rows = Input::gather(&[file], &session.study().reviews.form)?.rows()?;
    let columns = rows.columns().len();
    rows.next(&mut Record::new())?;
    let manners = rows.manners();
    let format = manners.first().map_or("rows".into(), |manner| manner.format.name().to_string());
    Ok(format!("{format}, {}", count(columns, "column")))
}

fn show(system: &System, page: &mut Page) {
    let yes = |is: bool| if is { "yes" } else { "no" };
    page.heading("What Heddle finds here");
    let mut line = |name: &str, text: String| page.item(&format!("{name:<10}"), &text);
    let features = if system.features.is_empty() {
        String::new()
    } else {
        format!(", with {}", system.features.join(", "))
    };
    let optimised = if system.optimised { "" } else { ", not optimised: build it with --release" };
    line("version", format!("{}{features}{optimised}", system.version));
    let memory =
        system.memory_mb.map_or(String::new(), |mb| format!(", {} MB of memory", number(mb as usize)));
    line(
        "machine",
        format!("{} on {}, {}{memory}", system.system, system.machine, count(system.cores, "core")),
    );
    line("threads", number(system.threads));
    let Terminal { input, output, errors, columns } = system.terminal;
    line(
        "terminal",
        format!("{columns} columns; input {}, output {}, errors {}", yes(input), yes(output), yes(errors)),
    );
    let set: Vec<String> = system.variables.iter().map(|(name, value)| format!("{name}={value}")).collect();
    line("variables", set.join(" "));
    line("habits", system.habits.clone().unwrap_or_else(|| "none".into()));
    line(
        "study",
        system.study.as_ref().map_or("none here".into(), |study| {
            format!("{study}: {} not as usual", count(system.settings, "setting"))
        }),
    );
    let writable = if system.temporary.writable { "" } else { ": nothing can be written there" };
    line("temporary", format!("{}{writable}", system.temporary.path));
    for Looked { file, bytes, is } in &system.files {
        let size =
            bytes.map_or(String::new(), |bytes| format!(" ({} KB)", number(bytes.div_ceil(1024) as usize)));
        line("file", format!("{file}{size}: {is}"));
    }
    page.note("No review is shown here: it may be put into a report of a fault as it is.");
}
