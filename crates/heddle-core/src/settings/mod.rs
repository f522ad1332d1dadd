//! Every setting of a piece of work, in one table.
//!
//! ```
//! use heddle_core::settings::{KEYS, Study, Value};
//!
//! let mut study = Study::default();
//! Study::key("terms.at_least")?.set(&mut study, &Value::Number(3.0))?;
//! assert_eq!(study.terms.at_least, Some(3));
//! assert!(KEYS.iter().all(|key| !key.kind.expects().is_empty()));
//! # Ok::<(), heddle_core::settings::SettingError>(())
//! ```

pub(crate) mod condition;
pub(crate) mod error;
pub(crate) mod form;
pub(crate) mod key;
pub(crate) mod keys;
pub(crate) mod kind;
pub(crate) mod near;
pub(crate) mod study;
mod text_keys;
pub(crate) mod value;

pub use condition::{Condition, Subject};
pub use error::SettingError;
pub use form::{Encoding, Form, Format, Header, Limits, Quotes};
pub use key::Key;
pub use keys::KEYS;
pub use kind::{Kind, Lines, Range};
pub use near::nearest;
pub use study::{Columns, Fields, Order, Study, Validating};
pub use value::Value;
