//! Columns of text that are kept apart.

use crate::text::document::Document;
use crate::text::tokens::Token;

/// The names that forms get from their text columns, where these are kept apart.
#[derive(Debug, Clone, Default)]
pub(crate) struct FieldNames {
    /// By text column; none where columns are joined.
    names: Vec<String>,
}

impl FieldNames {
    /// Columns that are kept apart, by name.
    pub(crate) fn apart(names: Vec<String>) -> Self {
        Self { names }
    }

    /// The name of the column of a token; nothing where columns are joined.
    pub(crate) fn of_token(&self, document: &Document, token: &Token) -> Option<&str> {
        let last = self.names.len().checked_sub(1)?;
        let field = document.field_at(token.start).unwrap_or(last).min(last);
        Some(&self.names[field])
    }

    /// The name at the head of a spelled word, and the rest of it.
    pub(crate) fn cut<'a>(&self, word: &'a str) -> (Option<&str>, &'a str) {
        let found = self.names.iter().find_map(|name| {
            word.strip_prefix(name.as_str())?.strip_prefix(':').map(|rest| (Some(name.as_str()), rest))
        });
        found.unwrap_or((None, word))
    }
}
