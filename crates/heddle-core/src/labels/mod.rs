//! From ratings to classes, and from cells to days.
//!
//! ```
//! use heddle_core::labels::{Polarity, Reading, Rule};
//!
//! assert_eq!(Rule::default().read("5"), Reading::Class(Polarity::Positive));
//! assert_eq!(Rule::default().read("3"), Reading::Middle);
//! ```

pub(crate) mod classes;
pub(crate) mod dates;
pub(crate) mod days;
pub(crate) mod names;
pub(crate) mod per_class;
pub(crate) mod polarity;
pub(crate) mod rating;
pub(crate) mod rule;
pub(crate) mod scale;
pub(crate) mod values;

pub use classes::Classes;
pub use dates::{DateForm, DateOrder, Dated, Day, read_date};
pub use days::Days;
pub use names::{ClassNames, UNSURE};
pub use per_class::{CLASSES, ClassCounts, PerClass};
pub use polarity::Polarity;
pub use rating::{Rating, rating_order, read_rating, shown_rating};
pub use rule::{Middle, Reading, Rule};
pub use scale::{Scale, Sense};
pub use values::Values;
