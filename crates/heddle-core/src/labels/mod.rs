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
pub(crate) mod per_class;
pub(crate) mod polarity;

pub use classes::Classes;
pub use dates::{DateForm, DateOrder, Dated, Day, read_date};
pub use per_class::{CLASSES, ClassCounts, PerClass};
pub use polarity::{Middle, Polarity, Reading, Rule, Values, shown_value};
