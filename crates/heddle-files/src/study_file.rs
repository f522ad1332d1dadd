//! Study files: settings in TOML, checked strictly.

use std::fs;
use std::path::{Path, PathBuf};

use csv::StringRecord as Record;
use heddle_core::Choice;
use heddle_core::settings::{Form, KEYS, Lines, SettingError, Study, Value};
use heddle_core::terms::TermStatus;
use toml_edit::{Document, Item, TableLike};

use crate::error::FileError;
use crate::output::{STREAM, recover};
use crate::reviews::input::Reviews;

/// The setting that others follow.
const RECIPE: &str = "terms.recipe";
/// Whole numbers beyond this one cannot be told apart once they are read.
const MOST_WHOLE: u64 = 1 << 53;
/// The largest file of lines, in bytes.
const LONGEST_LIST: u64 = 4 << 20;
/// The largest table that holds a list, in bytes.
const LARGEST_TABLE: u64 = 512 << 20;
/// The list whose tables tell which of their terms are kept.
const ONLY: &str = "terms.only";
/// The longest line of such a file, in characters.
const LONGEST_ENTRY: usize = 200;

/// Where a setting comes from.
#[derive(Debug, Clone, PartialEq, Eq, serde::Serialize)]
#[serde(rename_all = "snake_case")]
pub enum Origin {
    /// Nobody said anything.
    Default,
    /// `terms.recipe` says it, because it was asked for.
    Recipe,
    /// The study file, on this line.
    File(usize),
    /// The command line.
    Override,
}

/// A study with the origin of each setting, in the order of [`KEYS`].
#[derive(Debug, Clone)]
pub struct LoadedStudy {
    /// The settings in force.
    pub study: Study,
    /// Where each comes from.
    pub origins: Vec<Origin>,
    /// The folder that `reviews.files` is seen from: that of the study file which names them. The
    /// settings keep the names as they are written, whatever machine they stand on.
    folder: PathBuf,
    /// Lists that were read from files, and are part of the settings.
    pub lists: Vec<ReadList>,
}

/// A list that was read from a file.
#[derive(Debug, Clone, PartialEq, Eq, serde::Serialize)]
pub struct ReadList {
    /// The setting.
    pub key: String,
    /// The file.
    pub file: String,
    /// Its lines.
    pub lines: usize,
}

impl LoadedStudy {
    /// The defaults, or the settings of a model.
    pub fn of(study: Study) -> Self {
        let origins = vec![Origin::Default; KEYS.len()];
        Self { study, origins, folder: PathBuf::new(), lists: Vec::new() }
    }

    /// Reads a study file over the settings so far.
    ///
    /// # Errors
    /// The first line that is no TOML, an unknown key, or an impossible value.
    pub fn read_file(&mut self, path: &str) -> Result<(), FileError> {
        recover(Path::new(path))?;
        let text = fs::read_to_string(path).map_err(|error| FileError::io(path, error))?;
        let before = self.study.reviews.files.clone();
        self.read(path, &text)?;
        if self.study.reviews.files != before {
            // The files of a study stand beside it, wherever the program is called from.
            self.folder = Path::new(path).parent().unwrap_or(Path::new("")).to_path_buf();
        }
        Ok(())
    }

    /// Whether a file or the command line sets a setting.
    pub fn is_named(&self, path: &str) -> bool {
        matches!(self.origins[place(path)], Origin::File(_) | Origin::Override)
    }

    /// The review files, as seen from where the program is called.
    pub fn files(&self) -> Vec<String> {
        let seen = |file: &String| match file.as_str() {
            STREAM => file.clone(),
            file => self.folder.join(file).display().to_string(),
        };
        self.study.reviews.files.iter().map(seen).collect()
    }

    fn read(&mut self, path: &str, text: &str) -> Result<(), FileError> {
        let line_of = |at: Option<usize>| 1 + text[..at.unwrap_or(0).min(text.len())].matches('\n').count();
        let error = |at: Option<usize>, message: String| FileError::Study {
            path: path.into(),
            line: line_of(at),
            message,
        };
        let document = Document::parse(text)
            .map_err(|wrong| error(wrong.span().map(|span| span.start), wrong.message().to_string()))?;
        let mut last = None;
        for (section, item) in document.as_table().iter() {
            let at = document.as_table().key(section).and_then(toml_edit::Key::span).map(|span| span.start);
            let Some(table) = item.as_table_like() else {
                return Err(error(at, format!("`{section}` stands outside a section such as [reviews]")));
            };
            self.check_section(section).map_err(|message| error(at, message))?;
            for (name, item) in table.iter() {
                let at = place_of(table, name);
                let folder = Path::new(path).parent().unwrap_or(Path::new(""));
                self.put(&format!("{section}.{name}"), item, folder, Origin::File(line_of(at)))
                    .map_err(|message| error(at, message))?;
                last = at;
            }
        }
        self.study.check().map_err(|wrong| error(last, told(wrong)))
    }

    fn check_section(&self, section: &str) -> Result<(), String> {
        let sections: Vec<&str> = KEYS.iter().filter_map(|key| Some(key.path.split_once('.')?.0)).collect();
        if sections.contains(&section) {
            return Ok(());
        }
        let near = heddle_core::settings::nearest(section, sections)
            .map_or(String::new(), |near| format!("; did you mean [{near}]?"));
        Err(format!("there is no section [{section}]{near}"))
    }

    /// Changes a setting. A file of lines that it names stands in `folder`.
    fn put(&mut self, path: &str, item: &Item, folder: &Path, origin: Origin) -> Result<(), String> {
        let key = Study::key(path).map_err(told)?;
        if let Some(number) = item.as_integer().filter(|number| number.unsigned_abs() > MOST_WHOLE) {
            return Err(format!("{path} = {number} is not possible: whole numbers go to {MOST_WHOLE}"));
        }
        let mut value = value_of(item)
            .ok_or_else(|| format!("{path} is not possible: expected {}", key.kind.expects()))?;
        if let (Some(lines), Value::Text(name)) = (key.kind.lines(), &value)
            && !lines.words.contains(&name.as_str())
        {
            let file = folder.join(name);
            let read = match table_of(&file, lines) {
                Some(table) => read_column(table, path, lines)?,
                None => read_lines(&file, path, lines)?,
            };
            self.lists.retain(|list| list.key != path);
            let file = file.display().to_string();
            self.lists.push(ReadList { key: path.into(), file, lines: read.len() });
            value = Value::List(read);
        }
        if path == "features.vectors"
            && let (Origin::File(_), Value::Text(name)) = (&origin, &value)
            && !name.is_empty()
            && name != "reviews"
        // made from these, and no file
        {
            value = Value::Text(folder.join(name).display().to_string()); // as seen from the study
        }
        if path == "reviews.files" && origin == Origin::Override {
            self.folder = PathBuf::new(); // what is typed is seen from here
        }
        key.set(&mut self.study, &value).map_err(told)?;
        self.origins[place(key.path)] = origin;
        if key.path == RECIPE {
            self.follow_recipe();
        }
        Ok(())
    }

    /// Lets the settings that a recipe stands for follow it, but for those that are set themselves.
    fn follow_recipe(&mut self) {
        let Self { study, origins, .. } = self;
        let recipe = study.terms.recipe;
        let mut follows = |path: &str| {
            let origin = &mut origins[place(path)];
            let open = matches!(origin, Origin::Default | Origin::Recipe);
            if open {
                *origin = Origin::Recipe;
            }
            open
        };
        if follows("terms.words") {
            study.terms.words = recipe.words();
        }
        if follows("terms.letters") {
            study.terms.letters = recipe.letters();
        }
        if follows("terms.stems") {
            study.terms.stems = recipe.stems();
        }
        if follows("text.punctuation") {
            study.text.punctuation = recipe.punctuation();
        }
    }

    /// Overrides settings, each given as `section.key=value`. The value may be written as in
    /// a study file, or plainly: `model.strength=auto`. Only together must they make sense.
    ///
    /// # Errors
    /// An unknown key or an impossible value.
    pub fn set<S: AsRef<str>>(&mut self, assignments: &[S]) -> Result<(), FileError> {
        let error = |assignment: &str, message: String| FileError::Override {
            assignment: assignment.into(),
            message,
        };
        for assignment in assignments.iter().map(AsRef::as_ref) {
            let Some((path, written)) = assignment.split_once('=') else {
                let message = "expected section.key=value, as in model.strength=0.001".into();
                return Err(error(assignment, message));
            };
            let written = written.trim();
            let item =
                written.parse::<toml_edit::Value>().map_or_else(|_| toml_edit::value(written), Item::Value);
            self.put(path.trim(), &item, Path::new(""), Origin::Override)
                .map_err(|message| error(assignment, message))?;
        }
        let all = || assignments.iter().map(AsRef::as_ref).collect::<Vec<_>>().join(" --set ");
        self.study.check().map_err(|wrong| error(&all(), told(wrong)))
    }
}

/// The place of a setting in [`KEYS`].
fn place(path: &str) -> usize {
    KEYS.iter().position(|key| key.path == path).expect("settings are looked up by their own paths")
}

/// What is wrong with a setting, with the way out.
fn told(error: SettingError) -> String {
    match error {
        SettingError::Unknown { nearest: None, .. } => {
            format!("{error}; `heddle study show` lists all of them")
        }
        error => error.to_string(),
    }
}

/// A list that is the column of a table, if it is one: more columns than one, that of the list among them.
fn table_of(file: &Path, lines: Lines) -> Option<Reviews> {
    let small = fs::metadata(file).is_ok_and(|data| data.is_file() && data.len() <= LARGEST_TABLE);
    let table = small.then(|| Reviews::open(file.to_str()?, &Form::default()).ok()).flatten()?;
    let columns = table.columns();
    (columns.len() > 1 && columns.iter().any(|column| column.name == lines.header)).then_some(table)
}

/// The cells of the column of a table that is named as the list is. Where a table of terms tells which of them are kept,
/// the others are left out.
fn read_column(mut table: Reviews, key: &str, lines: Lines) -> Result<Vec<String>, String> {
    let place = |name: &str| table.columns().iter().position(|column| column.name == name);
    let own = place(lines.header).expect("it was looked for");
    let status = place("status").filter(|_| key == ONLY);
    let keeps = |status: &str| TermStatus::from_name(status).is_none_or(TermStatus::keeps);
    let (mut record, mut cells) = (Record::new(), Vec::new());
    let error = |error: FileError| format!("{key}: {error}");
    while table.next_sound(&mut record).map_err(error)?.is_some() {
        if !record[own].is_empty() && status.is_none_or(|at| keeps(&record[at])) {
            cells.push(record[own].to_string());
        }
    }
    if cells.is_empty() {
        return Err(format!(
            "{key}: no row of `{}` names a {} that is kept; set \"none\" if that is meant",
            table.file(),
            lines.header
        ));
    }
    Ok(cells)
}

/// The lines of a file, without blank ones, comments ("# ...") and a header.
fn read_lines(file: &Path, key: &str, lines: Lines) -> Result<Vec<String>, String> {
    let shown = file.display();
    if fs::metadata(file).is_ok_and(|data| data.len() > LONGEST_LIST) {
        return Err(format!("{key}: the file `{shown}` is larger than 4 MiB: is it a list?"));
    }
    let text = fs::read_to_string(file).map_err(|error| {
        format!(
            "{key}: the file `{shown}` cannot be read ({error}); a list may also stand here: [\"{}\"]",
            lines.header
        )
    })?;
    let text = text.trim_start_matches('\u{feff}');
    let useful = |line: &&str| !line.is_empty() && *line != "#" && !line.starts_with("# ");
    let own = text.lines().map(str::trim).filter(useful).enumerate();
    let kept: Vec<String> =
        own.filter(|(at, line)| *at > 0 || *line != lines.header).map(|(_, line)| line.to_string()).collect();
    let odd = |line: &&str| line.chars().any(char::is_control) || line.chars().count() > LONGEST_ENTRY;
    if let Some(at) = text.lines().map(|line| line.replace('\t', " ")).position(|line| odd(&line.as_str())) {
        return Err(format!(
            "{key}: the file `{shown}` is no list of words: line {} is longer than {LONGEST_ENTRY} characters or \
             holds signs that no word has. A model carries its lists: name no other file here",
            at + 1
        ));
    }
    if kept.is_empty() {
        return Err(format!("{key}: the file `{shown}` holds no line; set \"none\" if that is meant"));
    }
    Ok(kept)
}

fn place_of(table: &dyn TableLike, name: &str) -> Option<usize> {
    table.key(name).and_then(toml_edit::Key::span).map(|span| span.start)
}

fn value_of(item: &Item) -> Option<Value> {
    let value = item.as_value()?;
    Some(match value {
        toml_edit::Value::String(text) => Value::Text(text.value().clone()),
        toml_edit::Value::Integer(number) => Value::Number(*number.value() as f64),
        toml_edit::Value::Float(number) => Value::Number(*number.value()),
        toml_edit::Value::Boolean(flag) => Value::Flag(*flag.value()),
        // TOML has dates of its own; a setting takes them as they are written.
        toml_edit::Value::Datetime(day) => Value::Text(day.value().to_string()),
        toml_edit::Value::Array(items) => {
            Value::List(items.iter().map(|item| item.as_str().map(String::from)).collect::<Option<_>>()?)
        }
        toml_edit::Value::InlineTable(_) => return None,
    })
}
