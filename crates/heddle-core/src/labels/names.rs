//! What the analyst calls the classes.

use serde::ser::SerializeMap;
use serde::{Serialize, Serializer};

use super::per_class::PerClass;
use super::polarity::Polarity;
use super::rating::plain_word;

/// What a review is called that no class is given to; no class may be called so.
pub const UNSURE: &str = "unsure";

/// What the analyst calls the classes; where nothing is said, they are called by what they are.
///
/// ```
/// use heddle_core::labels::{ClassNames, Polarity};
///
/// let mut names = ClassNames::default();
/// assert_eq!(names.of(Polarity::Negative), "negative");
/// names.set(Polarity::Negative, "late");
/// assert_eq!(names.of(Polarity::Negative), "late");
/// ```
#[derive(Debug, Clone, PartialEq, Eq, Default)]
pub struct ClassNames(PerClass<Option<Box<str>>>);

impl ClassNames {
    /// The name of a class.
    pub fn of(&self, class: Polarity) -> &str {
        self.own(class).unwrap_or(class.name())
    }

    /// The name that the analyst gave to a class.
    pub fn own(&self, class: Polarity) -> Option<&str> {
        self.0[class].as_deref()
    }

    /// Gives a class a name; an empty one takes it back.
    pub fn set(&mut self, class: Polarity, name: &str) {
        self.0[class] = Some(name.trim()).filter(|name| !name.is_empty()).map(Into::into);
    }

    /// Whether no class has a name of its own.
    pub fn are_usual(&self) -> bool {
        self.0.iter().all(Option::is_none)
    }

    /// The class that a text is the name of, whatever its case.
    pub fn find(&self, name: &str) -> Option<Polarity> {
        self.class_of(&plain_word(name))
    }

    /// The class that a word, written plainly, is the name of. A name of the analyst's goes before what classes are
    /// called without one.
    pub(super) fn class_of(&self, word: &str) -> Option<Polarity> {
        let own = |class: &Polarity| self.own(*class).is_some_and(|name| plain_word(name) == word);
        let usual = |class: &Polarity| class.name() == word;
        Polarity::ALL.into_iter().find(own).or_else(|| Polarity::ALL.into_iter().find(usual))
    }

    /// Whether the names tell the classes apart.
    ///
    /// # Errors
    /// The sentence that says why they do not.
    pub(crate) fn check(&self) -> Result<(), String> {
        for class in Polarity::ALL {
            let Some(name) = self.own(class) else { continue };
            let key = format!("polarity.{}_name", class.name());
            let word = plain_word(name);
            if name.chars().any(char::is_control) {
                return Err(format!("{key} = {name:?} holds control characters"));
            }
            if word == UNSURE {
                return Err(format!("{key} = \"{name}\" is what a review without a class is called"));
            }
            let other = |other: &Polarity| {
                *other != class && (plain_word(self.of(*other)) == word || other.name() == word)
            };
            if let Some(other) = Polarity::ALL.iter().find(|class| other(class)) {
                return Err(format!("{key} = \"{name}\" is the name of the {} class", other.name()));
            }
        }
        Ok(())
    }
}

/// An object of the names, by what the classes are.
impl Serialize for ClassNames {
    fn serialize<S: Serializer>(&self, serializer: S) -> Result<S::Ok, S::Error> {
        let mut map = serializer.serialize_map(None)?;
        for class in Polarity::ALL {
            map.serialize_entry(class.name(), self.of(class))?;
        }
        map.end()
    }
}
