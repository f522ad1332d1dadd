//! What values a setting takes.

use super::value::short;

/// Beyond this, a bound of whole numbers is one that nobody meets, and is not told.
const NO_BOUND: f64 = 1e9;

/// What values a setting takes: enough to check a value, to offer one, and to tell of them.
#[derive(Debug, Clone, PartialEq)]
#[non_exhaustive]
pub enum Kind {
    /// `true` or `false`.
    Flag,
    /// One of these words.
    Choice(Vec<&'static str>),
    /// A whole number between these, both included.
    Whole {
        /// The least.
        least: u64,
        /// The most.
        most: u64,
    },
    /// A number above, or at, `least` and below, or at, `most`.
    Number(Range),
    /// A share, as "20%" or 0.2, in the same way.
    Share(Range),
    /// The name of a column, or "" for none.
    Column {
        /// Whether there may be none.
        optional: bool,
    },
    /// A name or a list of names.
    Names,
    /// A condition or a list of conditions.
    Conditions,
    /// Values of a rating: numbers, ranges such as "1-2" and words.
    Ratings,
    /// A length, a range of lengths such as "1-2" up to `most`, or "none".
    Lengths {
        /// The longest.
        most: usize,
    },
    /// "none", a list of lines, or the name of a file of them.
    Lines {
        /// What a line is.
        header: &'static str,
        /// Words that name no file.
        words: &'static [&'static str],
    },
    /// A text of this form.
    Form {
        /// What it is, in words.
        about: &'static str,
        /// A regular expression for it.
        pattern: &'static str,
    },
    /// A list of texts of this form, or one of them.
    Forms {
        /// What they are, in words.
        about: &'static str,
        /// A regular expression for each.
        pattern: &'static str,
    },
    /// A value of one of these kinds.
    Either(Vec<Self>),
}

/// Where numbers lie.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Range {
    /// The lower end.
    pub least: f64,
    /// Whether the lower end itself is no value.
    pub above: bool,
    /// The upper end.
    pub most: f64,
    /// Whether the upper end itself is no value.
    pub below: bool,
}

impl Range {
    /// Above 0.
    pub(super) const POSITIVE: Self = Self { least: 0.0, above: true, most: f64::MAX, below: false };
    /// Above 0, at most 1.
    pub(super) const UP_TO_ONE: Self = Self { least: 0.0, above: true, most: 1.0, below: false };
    /// From 0 to 1000.
    pub(super) const UP_TO_THOUSAND: Self = Self { least: 0.0, above: false, most: 1000.0, below: false };
    /// Above 0 and below 1.
    pub(super) const BELOW_ONE: Self = Self { least: 0.0, above: true, most: 1.0, below: true };

    /// Whether a number lies there; one that is none never does.
    pub fn contains(&self, number: f64) -> bool {
        let low = if self.above { number > self.least } else { number >= self.least };
        let high = if self.below { number < self.most } else { number <= self.most };
        low && high
    }

    fn words(&self, unit: impl Fn(f64) -> String) -> String {
        let low = if self.above { "above" } else { "from" };
        let high = if self.below { "and below" } else { "to" };
        match (self.least, self.most) {
            (least, most) if most == f64::MAX => format!("{low} {}", unit(least)),
            (least, most) if self.above && !self.below => {
                format!("above {}, at most {}", unit(least), unit(most))
            }
            (least, most) => format!("{low} {} {high} {}", unit(least), unit(most)),
        }
    }
}

impl Kind {
    /// The values it takes, in words.
    pub fn expects(&self) -> String {
        match self {
            Self::Flag => "true or false".into(),
            Self::Choice(words) => listed(words),
            Self::Whole { least, most } if least == most => least.to_string(),
            Self::Whole { least, most } if *most as f64 >= NO_BOUND => format!("a whole number from {least}"),
            Self::Whole { least, most } => format!("a whole number from {least} to {most}"),
            Self::Number(range) => format!(
                "a number {}",
                range.words(|end| if end >= 1e9 { format!("{end:e}") } else { short(end) })
            ),
            Self::Share(range) => {
                let percent = |end: f64| format!("{}%", end * 100.0);
                format!("a share {}, such as \"{}\"", range.words(percent), percent(range.example()))
            }
            Self::Column { optional: true } => "the name of a column, or \"\" for none".into(),
            Self::Column { optional: false } => "the name of a column".into(),
            Self::Names => "a name or a list of names".into(),
            Self::Conditions => "a condition or a list of conditions".into(),
            Self::Ratings => "numbers, ranges such as \"1-2\" and words, separated by commas".into(),
            Self::Lengths { most } => {
                format!("a length such as \"1\", a range such as \"1-2\", at most {most}, or \"none\"")
            }
            Self::Lines { header, words } => {
                format!("{}, a list of lines such as \"{header}\", or a file of them", listed(words))
            }
            Self::Form { about, .. } | Self::Forms { about, .. } => (*about).into(),
            Self::Either(kinds) => kinds.iter().map(Self::expects).collect::<Vec<_>>().join(" or "),
        }
    }

    /// Words that may stand for the value: what can be offered to whoever types one.
    pub fn words(&self) -> Vec<&'static str> {
        match self {
            Self::Flag => vec!["true", "false"],
            Self::Choice(words) => words.clone(),
            Self::Lines { words, .. } => words.to_vec(),
            Self::Lengths { .. } => vec!["none", "1-1", "1-2", "1-3"],
            Self::Either(kinds) => kinds.iter().flat_map(Self::words).collect(),
            _ => Vec::new(),
        }
    }

    /// What a file of lines holds, where the name of one may stand for them.
    pub fn lines(&self) -> Option<Lines> {
        match self {
            Self::Lines { header, words } => Some(Lines { header, words }),
            _ => None,
        }
    }
}

/// "a", "b" or "c".
fn listed(words: &[&str]) -> String {
    let quoted: Vec<String> = words.iter().map(|word| format!("\"{word}\"")).collect();
    match quoted.split_last() {
        Some((last, [])) => last.clone(),
        Some((last, others)) => format!("{} or {last}", others.join(", ")),
        None => String::new(),
    }
}

impl Range {
    /// A value in it that is round.
    fn example(&self) -> f64 {
        [0.2, 0.8, 1.0].into_iter().find(|number| self.contains(*number)).unwrap_or(self.most)
    }
}

/// A file of lines that stands for a list.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Lines {
    /// A first line that only names the columns.
    pub header: &'static str,
    /// Values that are no names of files.
    pub words: &'static [&'static str],
}
