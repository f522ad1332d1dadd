//! What a user always wants, so that it need not be said each time: a file of habits, and variables that go before it.

use std::env;
use std::fs;
use std::path::{Path, PathBuf};

use anyhow::{Context, bail};
use heddle_core::settings::nearest;
use toml_edit::{Document, Item};

/// Names another file of habits, or "none".
pub const FILE: &str = "HEDDLE_HABITS";
/// The habits and the variables that go before them.
pub const VARIABLES: [(&str, &str); 4] = [
    ("colour", "HEDDLE_COLOUR"),
    ("threads", "HEDDLE_THREADS"),
    ("ledger", "HEDDLE_LEDGER"),
    ("study", "HEDDLE_STUDY"),
];

/// What a user always wants.
#[derive(Debug, Default)]
pub struct Habits {
    /// Whether pages are coloured.
    pub colour: Colour,
    /// How many threads are used.
    pub threads: Option<u16>,
    /// Where figures are noted.
    pub ledger: Option<String>,
    /// The study that is read where none is named and none stands here.
    pub study: Option<String>,
}

/// Whether pages are coloured.
#[derive(Debug, Default, Clone, Copy, PartialEq, Eq)]
pub enum Colour {
    /// Where they go to a terminal that shows colours, unless NO_COLOR says no.
    #[default]
    Auto,
    /// Always.
    Always,
    /// Never.
    Never,
}

impl Habits {
    /// Reads the file of habits, where there is one, and the variables.
    ///
    /// # Errors
    /// A file that cannot be read, a key that is none, or a value that cannot be meant.
    pub fn read() -> anyhow::Result<Self> {
        let mut habits = Self::default();
        if let Some(path) = place()? {
            habits.read_file(&path)?;
        }
        for (key, variable) in VARIABLES {
            let Ok(value) = env::var(variable) else { continue };
            habits.take(key, &value, Path::new("")).with_context(|| format!("{variable}={value}"))?;
        }
        // What is asked for in the usual ways of this terminal goes before a habit, but not before our own variable.
        let is_asked = ["NO_COLOR", "CLICOLOR_FORCE"]
            .iter()
            .any(|name| env::var_os(name).is_some_and(|value| !value.is_empty()));
        if is_asked && env::var_os("HEDDLE_COLOUR").is_none() {
            habits.colour = Colour::Auto;
        }
        Ok(habits)
    }

    fn read_file(&mut self, path: &Path) -> anyhow::Result<()> {
        let shown = path.display();
        let text = fs::read_to_string(path).with_context(|| format!("{shown} cannot be read"))?;
        let document = Document::parse(text.as_str()).map_err(|error| anyhow::anyhow!("{shown}: {error}"))?;
        let folder = path.parent().unwrap_or(Path::new(""));
        for (key, item) in document.iter() {
            let line = document
                .as_table()
                .key(key)
                .and_then(toml_edit::Key::span)
                .map_or(0, |span| text[..span.start].matches('\n').count() + 1);
            self.take(key, &written(item), folder).with_context(|| format!("{shown}, line {line}"))?;
        }
        Ok(())
    }

    /// Takes a habit; names of files are seen from a folder.
    fn take(&mut self, key: &str, value: &str, folder: &Path) -> anyhow::Result<()> {
        match key {
            "colour" => {
                self.colour = match value {
                    "auto" => Colour::Auto,
                    "always" => Colour::Always,
                    "never" => Colour::Never,
                    _ => bail!("`colour` is `{value}`: expected \"auto\", \"always\" or \"never\""),
                }
            }
            "threads" => match value.parse() {
                Ok(threads @ 1..=1024) => self.threads = Some(threads),
                _ => bail!("`threads` is `{value}`: expected a number from 1 to 1024"),
            },
            "ledger" if value == "none" => self.ledger = Some(value.into()),
            "ledger" => self.ledger = Some(seen_from(value, folder)),
            "study" => {
                let path = seen_from(value, folder);
                if !Path::new(&path).exists() {
                    bail!("`study` names {path}, which is not there");
                }
                self.study = Some(path);
            }
            _ => {
                let known = VARIABLES.map(|(key, _)| key);
                let near = nearest(key, known.iter().copied())
                    .map_or(String::new(), |near| format!("; did you mean `{near}`?"));
                bail!("`{key}` is no habit: there are {}{near}", known.join(", "));
            }
        }
        Ok(())
    }
}

impl Colour {
    /// Lets all that is printed from here on be coloured so.
    pub fn apply(self) {
        let choice = match self {
            Self::Auto => return,
            Self::Always => anstream::ColorChoice::AlwaysAnsi,
            Self::Never => anstream::ColorChoice::Never,
        };
        choice.write_global();
    }
}

/// Where the habits are, if they are anywhere.
///
/// # Errors
/// If a file is named that is not there.
pub fn place() -> anyhow::Result<Option<PathBuf>> {
    match env::var_os(FILE) {
        Some(name) if name == "none" => return Ok(None),
        Some(name) => {
            let path = PathBuf::from(name);
            if !path.exists() {
                bail!("{FILE} names {}, which is not there; \"none\" stands for no habits", path.display());
            }
            return Ok(Some(path));
        }
        None => {}
    }
    let folder = env::var_os("XDG_CONFIG_HOME").map(PathBuf::from).filter(|folder| folder.is_absolute());
    let folder = folder.or_else(|| Some(home()?.join(".config")));
    Ok(folder.map(|folder| folder.join("heddle").join("habits.toml")).filter(|path| path.exists()))
}

fn home() -> Option<PathBuf> {
    env::home_dir().filter(|home| home.is_absolute())
}

/// A file as it is named in habits: "~" is the home of the user, and other names are seen from a folder.
fn seen_from(name: &str, folder: &Path) -> String {
    let path = match (name.strip_prefix("~/"), home()) {
        (Some(rest), Some(home)) => home.join(rest),
        _ => folder.join(name),
    };
    path.display().to_string()
}

/// A value as it is written, texts without their marks.
fn written(item: &Item) -> String {
    match item.as_value() {
        Some(toml_edit::Value::String(text)) => text.value().clone(),
        Some(value) => value.to_string().trim().into(),
        None => item.to_string().trim().into(),
    }
}
