//! How answers look: words, signs and colours of our own.

pub mod account;
pub mod chart;
pub mod explained;
pub mod figures;
pub mod learnt;
pub mod manner;
pub mod paired;
pub mod picture;
pub mod ran;
pub mod reading;
pub mod reading_classes;
pub mod report;
pub mod short;
pub mod shown;
pub mod stages;
mod style;
pub mod table;

pub use heddle_work::{count, decimals, number, with_sign};
pub use shown::paint;
pub use style::{BAD, DIM, STRONG};
use style::{NEGATIVE, POSITIVE};

use anstyle::Style;
use heddle_core::labels::{ClassNames, Polarity};
use heddle_core::settings::Value;

/// The colour of a class.
pub fn style_of(polarity: Polarity) -> Style {
    match polarity {
        Polarity::Negative => NEGATIVE,
        Polarity::Neutral => Style::new(),
        Polarity::Positive => POSITIVE,
    }
}

/// The sign of a class.
pub fn sign_of(polarity: Polarity) -> &'static str {
    match polarity {
        Polarity::Negative => "−",
        Polarity::Neutral => "○",
        Polarity::Positive => "+",
    }
}

/// A term as people who do not know the mark of negation read it.
pub fn without_mark(term: &str) -> String {
    term.replace('¬', "not ")
}

/// A log-odds with its sign, in the colour of its class.
pub fn signed(log_odds: f64) -> String {
    let polarity = Polarity::of_log_odds(log_odds);
    paint(style_of(polarity), format!("{}{:.2}", sign_of(polarity), log_odds.abs()))
}

/// A share: "12.3 %".
pub fn percent(part: usize, whole: usize) -> String {
    if whole == 0 { "–".into() } else { format!("{:.1} %", 100.0 * part as f64 / whole as f64) }
}

/// A page of an answer.
#[derive(Debug, Default)]
pub struct Page {
    text: String,
    names: ClassNames,
}

impl Page {
    /// An empty page.
    pub fn new() -> Self {
        Self::default()
    }

    /// From here on classes are called by these names.
    pub fn call(&mut self, names: &ClassNames) {
        self.names = names.clone();
    }

    /// The name of a class.
    pub fn name(&self, polarity: Polarity) -> String {
        self.names.of(polarity).into()
    }

    /// The names of the poles: negative and positive.
    pub fn poles(&self) -> [String; 2] {
        Polarity::POLES.map(|class| self.name(class))
    }

    /// Sign and name of a class, in its colour.
    pub fn class(&self, polarity: Polarity) -> String {
        paint(style_of(polarity), format!("{} {}", sign_of(polarity), self.names.of(polarity)))
    }

    /// The page so far as a terminal shows it: styles as sequences, odd signs of data as escapes.
    pub fn painted(&self) -> String {
        shown::painted(&self.text)
    }

    /// A line; a line feed inside it is none.
    pub fn line(&mut self, line: impl AsRef<str>) {
        self.text.push_str(&line.as_ref().trim_end().replace('\n', "\\n"));
        self.text.push('\n');
    }

    /// A heading after a blank line.
    pub fn heading(&mut self, heading: &str) {
        if !self.text.is_empty() {
            self.text.push('\n');
        }
        self.line(paint(STRONG, heading));
    }

    /// Says what was written; of standard output nothing need be said.
    pub fn written(&mut self, path: &str, what: &str) {
        if !heddle_files::is_standard(path) {
            self.heading(&format!("Written: {path}{what}"));
        }
    }

    /// A text behind its head, wrapped beside it.
    pub fn item(&mut self, head: &str, text: &str) {
        let indent = " ".repeat(columns(head));
        for (nth, line) in wrapped(text, width() - 3 - columns(head)).iter().enumerate() {
            self.line(format!("  {} {line}", if nth == 0 { head } else { &indent }));
        }
    }

    /// A quiet sentence that says what the figures above it mean.
    pub fn note(&mut self, note: &str) {
        for line in wrapped(note, width() - 2) {
            self.line(format!("  {}", paint(DIM, line)));
        }
    }
}

/// The width of lines that are read as sentences: that of the terminal, up to 110.
pub fn width() -> usize {
    room().min(110)
}

/// The width of the terminal, or what COLUMNS says, from 60 to 240; 100 where neither does.
pub fn room() -> usize {
    let terminal = || terminal_size::terminal_size().map(|(width, _)| usize::from(width.0));
    let told = || std::env::var("COLUMNS").ok()?.parse().ok();
    terminal().or_else(told).unwrap_or(100).clamp(60, 240)
}

/// The width of a text in columns, as it is shown; styles take none.
pub fn columns(text: &str) -> usize {
    unicode_width::UnicodeWidthStr::width(&*shown::plain(text))
}

/// A text in lines of at most `width` columns, broken at blanks.
pub fn wrapped(text: &str, width: usize) -> Vec<String> {
    let mut lines: Vec<String> = Vec::new();
    for word in text.split_whitespace() {
        match lines.last_mut() {
            Some(line) if columns(line) + 1 + columns(word) <= width => {
                line.push(' ');
                line.push_str(word);
            }
            _ => lines.push(word.to_string()),
        }
    }
    lines
}

/// A text on one line of at most `width` columns, cut with "…".
pub fn cut(text: &str, width: usize) -> String {
    // Marks may take no column, but never so many of them: what is far behind is not looked at.
    let end = text.char_indices().nth(16 * width).map_or(text.len(), |(at, _)| at);
    let flat = text[..end].split_whitespace().collect::<Vec<_>>().join(" ");
    let flat = shown::visible(&flat).into_owned();
    if columns(&flat) <= width {
        return flat;
    }
    let mut short = String::new();
    let mut used = 0;
    for char in flat.chars() {
        used += unicode_width::UnicodeWidthChar::width(char).unwrap_or(0);
        if used >= width {
            break;
        }
        short.push(char);
    }
    format!("{}…", short.trim_end())
}

/// So many entries of a list that is a setting are shown, where it has more.
const ENTRIES: usize = 12;

/// A setting as a page shows it: of a long list, its beginning and how long it is.
pub fn setting(value: &Value) -> String {
    match value {
        Value::List(entries) if entries.len() > ENTRIES => {
            let shown = Value::List(entries[..ENTRIES].to_vec()).to_string();
            format!("{}, … {} in all]", shown.trim_end_matches(']'), number(entries.len()))
        }
        value => value.to_string(),
    }
}
