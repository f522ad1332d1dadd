//! From values of a rating to classes.

use super::names::ClassNames;
use super::polarity::Polarity;
use super::rating::{Rating, plain_word, read_rating};
use super::values::Values;
use crate::choice::choice;

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
    /// Words between the two, beside the numbers there. Default: none.
    pub between: Values,
    /// What becomes of what is between the two. Default: drop.
    pub middle: Middle,
    /// Values that say "no rating". An empty cell always says so. Default: none.
    pub missing: Values,
    /// What the classes are called; their names mean themselves. Default: what they are.
    pub names: ClassNames,
}

impl Default for Rule {
    fn default() -> Self {
        Self {
            negative: Values::range(1.0, 2.0),
            positive: Values::range(4.0, 5.0),
            neutral: Values::default(),
            between: Values::default(),
            middle: Middle::Drop,
            missing: Values::default(),
            names: ClassNames::default(),
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
    /// "neutral" means what is done with the middle, where it is no class. A rating out of another number than the
    /// highest that the rule gives a class to is of another scale, and unknown.
    pub fn read(&self, cell: &str) -> Reading {
        let (rating, word) = (read_rating(cell), plain_word(cell));
        let named = self.names.class_of(&word);
        if let Some(class) = named.filter(|class| *class != Polarity::Neutral) {
            return Reading::Class(class);
        }
        if word.is_empty() {
            return Reading::Missing;
        }
        let number = rating.filter(|rating| self.is_of_scale(*rating)).map(|rating| rating.number);
        let has = |values: &Values| {
            values.has_word(&word) || number.is_some_and(|number| values.has_number(number))
        };
        if has(&self.missing) {
            Reading::Missing
        } else if has(&self.negative) {
            Reading::Class(Polarity::Negative)
        } else if has(&self.positive) {
            Reading::Class(Polarity::Positive)
        } else if has(&self.neutral) || named.is_some() && self.has_neutral() {
            Reading::Class(Polarity::Neutral)
        } else if named.is_some()
            || has(&self.between)
            || number.is_some_and(|number| self.is_between(number))
        {
            match self.middle {
                Middle::Drop => Reading::Middle,
                Middle::Negative => Reading::Class(Polarity::Negative),
                Middle::Positive => Reading::Class(Polarity::Positive),
                Middle::Neutral => Reading::Class(Polarity::Neutral),
            }
        } else {
            Reading::Unknown
        }
    }

    /// Whether a rating that names its highest number is one of the scale that the rule speaks of.
    pub fn is_of_scale(&self, rating: Rating) -> bool {
        rating.out_of.is_none_or(|most| Some(most) == self.highest())
    }

    /// The highest number that the rule gives a class to.
    pub fn highest(&self) -> Option<f64> {
        let ends = [&self.negative, &self.positive, &self.neutral].map(|values| values.bounds());
        ends.into_iter().flatten().map(|(_, high)| high).reduce(f64::max)
    }

    /// Whether the values of the classes are those of a rule that nobody set.
    pub fn is_usual(&self) -> bool {
        *self == Self { names: self.names.clone(), ..Self::default() }
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

    fn is_between(&self, number: f64) -> bool {
        self.gap().is_some_and(|(low, high)| low < number && number < high)
    }

    /// The numbers between which the middle lies, where both classes have numbers.
    fn gap(&self) -> Option<(f64, f64)> {
        let (negative, positive) = (self.negative.bounds()?, self.positive.bounds()?);
        Some(if negative.1 < positive.0 { (negative.1, positive.0) } else { (positive.1, negative.0) })
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
            ("between", &self.between),
            ("positive", &self.positive),
            ("missing", &self.missing),
        ];
        self.names.check()?;
        let classes = [
            (Polarity::Negative, &self.negative),
            (Polarity::Neutral, &self.neutral),
            (Polarity::Positive, &self.positive),
        ];
        for class in Polarity::ALL {
            let Some(name) = self.names.own(class) else { continue };
            let takes = |(other, values): &&(Polarity, &Values)| {
                *other != class && values.has_word(&plain_word(name))
            };
            if let Some((other, values)) = classes.iter().find(takes) {
                let (class, other) = (class.name(), other.name());
                return Err(format!(
                    "polarity.{class}_name = \"{name}\" is a value of polarity.{other} = \"{values}\""
                ));
            }
        }
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
        // A name of the analyst's does not say by itself which end it stands for.
        let named = |class: Polarity| match self.names.own(class) {
            Some(name) => format!("{name} ({})", class.name()),
            None => class.name().to_string(),
        };
        write!(out, "{} {}, ", self.negative, named(Polarity::Negative))?;
        if !self.neutral.is_empty() {
            write!(out, "{} {}, ", self.neutral, named(Polarity::Neutral))?;
        }
        write!(out, "{} {}", self.positive, named(Polarity::Positive))?;
        let becomes = match self.middle {
            Middle::Drop => "left out".into(),
            Middle::Negative => named(Polarity::Negative),
            Middle::Positive => named(Polarity::Positive),
            Middle::Neutral => named(Polarity::Neutral),
        };
        match (self.gap().is_some(), self.between.is_empty()) {
            (true, true) => write!(out, ", between them: {becomes}"),
            (true, false) => write!(out, ", between them and {}: {becomes}", self.between),
            (false, false) => write!(out, ", {}: {becomes}", self.between),
            (false, true) => Ok(()),
        }
    }
}
