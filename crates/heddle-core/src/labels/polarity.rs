//! From stars or words to classes.

use serde::{Deserialize, Serialize};

use crate::choice::choice;

/// The class of a review.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, PartialOrd, Ord, Serialize, Deserialize)]
#[serde(rename_all = "lowercase")]
pub enum Polarity {
    /// The customer is displeased.
    Negative,
    /// The customer is neither, if the rule has a third class.
    Neutral,
    /// The customer is pleased.
    Positive,
}

impl Polarity {
    /// All classes, in the order of every table.
    pub const ALL: [Self; 3] = [Self::Negative, Self::Neutral, Self::Positive];
    /// The two that a model tells apart.
    pub const POLES: [Self; 2] = [Self::Negative, Self::Positive];

    /// The name of the class.
    pub fn name(self) -> &'static str {
        match self {
            Self::Negative => "negative",
            Self::Neutral => "neutral",
            Self::Positive => "positive",
        }
    }

    /// -1 for negative, +1 for positive: the label in the learners' formulas.
    pub fn sign(self) -> f64 {
        match self {
            Self::Negative => -1.0,
            Self::Neutral => 0.0,
            Self::Positive => 1.0,
        }
    }

    /// 0 for negative, 1 for positive, 2 for neutral: the place in arrays kept per class.
    /// The poles come first, so that arrays of two classes have no gap.
    pub fn index(self) -> usize {
        match self {
            Self::Negative => 0,
            Self::Positive => 1,
            Self::Neutral => 2,
        }
    }

    /// How many classes lie between this and another, counted as steps: 2 between the poles.
    pub fn distance(self, other: Self) -> u8 {
        (self.sign() - other.sign()).abs() as u8
    }

    /// The class on whose side a log-odds lies, of the two poles; zero counts as positive.
    pub fn of_log_odds(log_odds: f64) -> Self {
        if log_odds >= 0.0 { Self::Positive } else { Self::Negative }
    }
}

choice! {
    /// What becomes of values between the negative and the positive ones.
    Middle {
        /// They are left out, and counted.
        Drop = "drop",
        /// They count as negative.
        Negative = "negative",
        /// They count as positive.
        Positive = "positive",
        /// They are a class of their own.
        Neutral = "neutral",
    }
}

/// A cell as it is shown and counted: numbers in their shortest form, so that "4", "4.0"
/// and " 4 " are one value; anything else without the blanks around it.
pub fn shown_value(cell: &str) -> std::borrow::Cow<'_, str> {
    match finite(cell.trim()) {
        Some(number) => number.to_string().into(),
        None => cell.trim().into(),
    }
}

/// One part of a [`Values`] list.
#[derive(Debug, Clone, PartialEq)]
enum Part {
    Range(f64, f64),
    Word(String),
}

/// A list of numbers, ranges and words, as in `"1-2"`, `"4, 5"` or `"bad, poor"`.
#[derive(Debug, Clone, PartialEq, Default)]
pub struct Values(Vec<Part>);

impl Values {
    /// Reads a list; items are separated by commas, a range is written `low-high`.
    ///
    /// # Errors
    /// A range that runs downwards.
    pub fn parse(text: &str) -> Result<Self, String> {
        let items = text.split(',').map(str::trim).filter(|item| !item.is_empty());
        items.map(Self::part).collect::<Result<_, _>>().map(Self)
    }

    fn part(item: &str) -> Result<Part, String> {
        if let Some(number) = finite(item) {
            return Ok(Part::Range(number, number));
        }
        // The hyphen of a range is never the first character: that one is a minus sign.
        let cut = item.char_indices().skip(1).find(|(_, char)| *char == '-').map(|(at, _)| at);
        let ends = cut.and_then(|cut| Some((finite(item[..cut].trim())?, finite(item[cut + 1..].trim())?)));
        match ends {
            Some((low, high)) if low <= high => Ok(Part::Range(low, high)),
            Some(_) => Err(format!("the range `{item}` runs downwards; write the smaller number first")),
            None => Ok(Part::Word(item.to_lowercase())),
        }
    }

    /// Whether a cell of a file is one of these values. "4", "4.0" and " 4 " are one value.
    pub fn contains(&self, cell: &str) -> bool {
        let cell = cell.trim();
        let number = finite(cell);
        self.0.iter().any(|part| match part {
            Part::Range(low, high) => number.is_some_and(|number| *low <= number && number <= *high),
            Part::Word(word) => *word == cell.to_lowercase(),
        })
    }

    /// Whether the list is empty.
    pub fn is_empty(&self) -> bool {
        self.0.is_empty()
    }

    fn bounds(&self) -> Option<(f64, f64)> {
        self.0.iter().fold(None, |bounds, part| match (part, bounds) {
            (Part::Range(low, high), None) => Some((*low, *high)),
            (Part::Range(low, high), Some((least, most))) => Some((low.min(least), high.max(most))),
            (Part::Word(_), bounds) => bounds,
        })
    }

    fn overlaps(&self, other: &Self) -> bool {
        self.0.iter().any(|mine| {
            other.0.iter().any(|theirs| match (mine, theirs) {
                (Part::Range(a, b), Part::Range(c, d)) => a.max(*c) <= b.min(*d),
                (a, b) => a == b,
            })
        })
    }
}

impl std::fmt::Display for Values {
    fn fmt(&self, out: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        for (at, part) in self.0.iter().enumerate() {
            let comma = if at == 0 { "" } else { ", " };
            match part {
                Part::Range(low, high) if low == high => write!(out, "{comma}{low}")?,
                Part::Range(low, high) => write!(out, "{comma}{low}-{high}")?,
                Part::Word(word) => write!(out, "{comma}{word}")?,
            }
        }
        Ok(())
    }
}

fn finite(text: &str) -> Option<f64> {
    text.parse().ok().filter(|number: &f64| number.is_finite())
}

/// The rule that turns a cell into a class. The mapping is closed: a value that it does
/// not name is never given a class.
#[derive(Debug, Clone, PartialEq)]
pub struct Rule {
    /// Values of displeased customers. Default: 1-2.
    pub negative: Values,
    /// Values of pleased customers. Default: 4-5.
    pub positive: Values,
    /// Values of customers who are neither, as a class of their own. Default: none.
    pub neutral: Values,
    /// What becomes of other numbers between the two. Default: drop.
    pub middle: Middle,
    /// Values that say "no rating". An empty cell always says so. Default: none.
    pub missing: Values,
}

impl Default for Rule {
    fn default() -> Self {
        let range = |low, high| Values(vec![Part::Range(low, high)]);
        Self {
            negative: range(1.0, 2.0),
            positive: range(4.0, 5.0),
            neutral: Values::default(),
            middle: Middle::Drop,
            missing: Values::default(),
        }
    }
}

/// What the rule says of one cell.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash)]
pub enum Reading {
    /// The review has this class.
    Class(Polarity),
    /// A middle value, left out.
    Middle,
    /// No rating.
    Missing,
    /// A value that the rule does not name.
    Unknown,
}

impl Rule {
    /// Applies the rule to one cell. The names of the classes always mean themselves;
    /// "neutral" means what is done with the middle, where it is no class.
    pub fn read(&self, cell: &str) -> Reading {
        let named = |class: Polarity| cell.trim().eq_ignore_ascii_case(class.name());
        if let Some(class) = Polarity::POLES.into_iter().find(|class| named(*class)) {
            Reading::Class(class)
        } else if cell.trim().is_empty() || self.missing.contains(cell) {
            Reading::Missing
        } else if self.negative.contains(cell) {
            Reading::Class(Polarity::Negative)
        } else if self.positive.contains(cell) {
            Reading::Class(Polarity::Positive)
        } else if self.neutral.contains(cell) {
            Reading::Class(Polarity::Neutral)
        } else if self.is_between(cell) || named(Polarity::Neutral) {
            match self.middle {
                _ if named(Polarity::Neutral) && self.has_neutral() => Reading::Class(Polarity::Neutral),
                Middle::Drop => Reading::Middle,
                Middle::Negative => Reading::Class(Polarity::Negative),
                Middle::Positive => Reading::Class(Polarity::Positive),
                Middle::Neutral => Reading::Class(Polarity::Neutral),
            }
        } else {
            Reading::Unknown
        }
    }

    /// Whether there is a third class.
    pub fn has_neutral(&self) -> bool {
        self.middle == Middle::Neutral || !self.neutral.is_empty()
    }

    /// The classes that the rule gives, in the order of every table.
    pub fn classes(&self) -> impl Iterator<Item = Polarity> {
        let neutral = self.has_neutral();
        Polarity::ALL.into_iter().filter(move |class| neutral || *class != Polarity::Neutral)
    }

    fn is_between(&self, cell: &str) -> bool {
        let between = || {
            let (negative, positive) = (self.negative.bounds()?, self.positive.bounds()?);
            let (low, high) =
                if negative.1 < positive.0 { (negative.1, positive.0) } else { (positive.1, negative.0) };
            let number = finite(cell.trim())?;
            Some(low < number && number < high)
        };
        between().unwrap_or(false)
    }

    /// Checks that no value has two meanings and that both classes have one.
    ///
    /// # Errors
    /// The sentence that says what is wrong.
    pub fn check(&self) -> Result<(), String> {
        if self.negative.is_empty() || self.positive.is_empty() {
            return Err("polarity.negative and polarity.positive must each name a value".into());
        }
        let lists = [
            ("negative", &self.negative),
            ("neutral", &self.neutral),
            ("positive", &self.positive),
            ("missing", &self.missing),
        ];
        for (at, (a, left)) in lists.iter().enumerate() {
            if let Some((b, right)) = lists[at + 1..].iter().find(|(_, right)| left.overlaps(right)) {
                return Err(format!(
                    "polarity.{a} = \"{left}\" and polarity.{b} = \"{right}\" share a value"
                ));
            }
        }
        Ok(())
    }
}

impl std::fmt::Display for Rule {
    fn fmt(&self, out: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        let middle = match self.middle {
            Middle::Drop => "between them: left out",
            Middle::Negative => "between them: negative",
            Middle::Positive => "between them: positive",
            Middle::Neutral => "between them: neutral",
        };
        write!(out, "{} negative, ", self.negative)?;
        if !self.neutral.is_empty() {
            write!(out, "{} neutral, ", self.neutral)?;
        }
        write!(out, "{} positive, {middle}", self.positive)
    }
}
