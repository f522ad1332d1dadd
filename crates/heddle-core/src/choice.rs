//! Settings that are a choice among a few named values.

/// A closed set of named values: what a study file may say for one key.
pub trait Choice: Sized + Copy + PartialEq + 'static {
    /// Every value, in the order shown to people.
    const ALL: &'static [Self];

    /// The name that stands in a study file.
    fn name(self) -> &'static str;

    /// The value of this name, if there is one.
    fn from_name(name: &str) -> Option<Self> {
        Self::ALL.iter().copied().find(|value| value.name() == name)
    }
}

/// Writes a choice as its name.
pub(crate) fn by_name<C: Choice, S: serde::Serializer>(choice: &C, serializer: S) -> Result<S::Ok, S::Error> {
    serializer.serialize_str(choice.name())
}

/// Declares an enum whose variants carry the names they have in a study.
macro_rules! choice {
    ($(#[$about:meta])* $name:ident { $($(#[$doc:meta])* $variant:ident = $text:literal),+ $(,)? }) => {
        $(#[$about])*
        #[derive(Debug, Clone, Copy, PartialEq, Eq, Hash)]
        pub enum $name { $($(#[$doc])* $variant),+ }

        impl $crate::choice::Choice for $name {
            const ALL: &'static [Self] = &[$(Self::$variant),+];

            fn name(self) -> &'static str {
                match self { $(Self::$variant => $text),+ }
            }
        }
    };
}
pub(crate) use choice;
