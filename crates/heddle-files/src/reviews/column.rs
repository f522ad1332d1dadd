//! What a file says of its columns.

use super::stored::Stored;

/// What the cells of a column are, where the format knows.
#[derive(Debug, Clone, Copy, PartialEq, Eq, serde::Serialize)]
#[serde(rename_all = "lowercase")]
pub enum CellKind {
    /// Text; every column of a delimited file is so.
    Text,
    /// Whole numbers.
    Whole,
    /// Numbers.
    Number,
    /// Numbers with more digits than 64 bits hold, kept as they are written.
    Digits,
    /// True or false.
    Flag,
    /// Lists, kept as JSON.
    Json,
}

impl CellKind {
    /// What the cells are, in words.
    pub fn words(self) -> &'static str {
        match self {
            Self::Text => "text",
            Self::Whole => "whole numbers",
            Self::Number => "numbers",
            Self::Digits => "numbers of many digits",
            Self::Flag => "true and false",
            Self::Json => "lists",
        }
    }

    /// The kind that holds the cells of both.
    pub(crate) fn with(self, other: Self) -> Self {
        match (self, other) {
            (a, b) if a == b => a,
            (Self::Whole, Self::Number) | (Self::Number, Self::Whole) => Self::Number,
            (Self::Digits, Self::Whole | Self::Number) | (Self::Whole | Self::Number, Self::Digits) => {
                Self::Digits
            }
            _ => Self::Text,
        }
    }
}

/// A column: its name and what its cells are.
#[derive(Debug, Clone, PartialEq, Eq, serde::Serialize)]
pub struct Column {
    /// The name; fields inside others have dotted names, as in `author.town`.
    pub name: String,
    /// What the cells are.
    pub kind: CellKind,
    /// How the file holds them, where it is typed.
    #[serde(skip)]
    pub stored: Stored,
}

impl Column {
    /// A column of cells that are held as usual.
    pub fn new(name: impl Into<String>, kind: CellKind) -> Self {
        Self { name: name.into(), kind, stored: Stored::Usual }
    }

    /// A column of text.
    pub fn text(name: impl Into<String>) -> Self {
        Self::new(name, CellKind::Text)
    }

    /// A column of numbers.
    pub fn number(name: impl Into<String>) -> Self {
        Self::new(name, CellKind::Number)
    }
}
