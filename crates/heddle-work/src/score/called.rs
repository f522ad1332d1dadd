//! How classes are written in scored rows.

use heddle_core::labels::{ClassNames, Classes, Polarity, UNSURE};

use crate::error::{Result, fail};
use crate::words::count;

/// How classes are written.
#[derive(Debug, Clone, PartialEq, Eq, Default)]
pub enum Called {
    /// By their names.
    #[default]
    Name,
    /// As "-", "+" and "0"; unsure is "?".
    Sign,
    /// As -1, 1 and 0; unsure is blank.
    Number,
    /// By codes of the analyst's own, one for each class of the model in the order of every table; unsure is blank.
    Codes(Vec<String>),
}

impl Called {
    pub(super) fn check(&self, classes: Classes, names: &ClassNames) -> Result<()> {
        let list = classes.list();
        if let Self::Codes(codes) = self
            && codes.len() != list.len()
        {
            let names: Vec<&str> = list.iter().map(|class| names.of(*class)).collect();
            fail!(
                Options,
                "--called names {}, and the model tells {} classes apart: give a code for each of {}",
                count(codes.len(), "code"),
                list.len(),
                names.join(", ")
            );
        }
        Ok(())
    }

    pub(super) fn of<'s>(&'s self, class: Polarity, names: &'s ClassNames) -> &'s str {
        let [sign, number] = match class {
            Polarity::Negative => ["-", "-1"],
            Polarity::Neutral => ["0", "0"],
            Polarity::Positive => ["+", "1"],
        };
        match self {
            Self::Name => names.of(class),
            Self::Sign => sign,
            Self::Number => number,
            // Two classes have no code for the one between them.
            Self::Codes(codes) => match class {
                Polarity::Negative => &codes[0],
                Polarity::Neutral => &codes[1],
                Polarity::Positive => &codes[codes.len() - 1],
            },
        }
    }

    pub(super) fn unsure(&self) -> &'static str {
        match self {
            Self::Name => UNSURE,
            Self::Sign => "?",
            Self::Number | Self::Codes(_) => "",
        }
    }
}
