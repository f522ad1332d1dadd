//! Words that are kept apart by where they stand: in which column of the text, and in which language.

use crate::text::document::Document;
use crate::text::tokens::{Kind, Token, Tokens};

/// The names that forms get from their text columns, where these are kept apart, and from the languages of their texts,
/// where these are.
#[derive(Debug, Clone, Default)]
pub(crate) struct FieldNames {
    /// By language, where they are kept apart, then once without: by text column, where these are kept apart; blank
    /// where nothing is.
    names: Vec<String>,
    columns: usize,
}

impl FieldNames {
    /// Columns and languages that are kept apart, by name; none of either where they are not.
    pub(crate) fn apart(columns: &[String], languages: &[&str]) -> Self {
        if columns.is_empty() && languages.is_empty() {
            return Self::default();
        }
        let each = |language: &str| -> Vec<String> {
            let of = |column: &String| [language, column.as_str()].join(":");
            match (language, columns) {
                ("", columns) if !columns.is_empty() => columns.to_vec(),
                (language, []) => vec![language.into()],
                (_, columns) => columns.iter().map(of).collect(),
            }
        };
        let names = languages.iter().chain(&[""]).flat_map(|language| each(language)).collect();
        Self { names, columns: columns.len().max(1) }
    }

    /// What stands at the head of a token's form; nothing where it is kept apart from no other. Marks, numbers and
    /// emoticons are of every language.
    pub(crate) fn of_token(&self, document: &Document, tokens: &Tokens, token: &Token) -> Option<&str> {
        let last = self.columns.checked_sub(1)?;
        let languages = self.names.len() / self.columns - 1;
        let language = if token.kind == Kind::Word { tokens.tongue().min(languages) } else { languages };
        let column = if last == 0 { 0 } else { document.field_at(token.start).unwrap_or(last).min(last) };
        Some(self.names[language * self.columns + column].as_str()).filter(|name| !name.is_empty())
    }

    /// The name at the head of a spelled word, and the rest of it.
    pub(crate) fn cut<'a>(&self, word: &'a str) -> (Option<&str>, &'a str) {
        let found = self.names.iter().filter(|name| !name.is_empty()).find_map(|name| {
            word.strip_prefix(name.as_str())?.strip_prefix(':').map(|rest| (Some(name.as_str()), rest))
        });
        found.unwrap_or((None, word))
    }

    /// The place of the language that such a name is of; nothing where languages are not kept apart.
    pub(crate) fn tongue_of(&self, name: &str) -> Option<usize> {
        let place = self.names.iter().position(|own| own == name)? / self.columns;
        (place < self.names.len() / self.columns - 1).then_some(place)
    }

    /// What a word of a language has at its head, where columns are not kept apart.
    pub(crate) fn of_tongue(&self, tongue: usize) -> Option<&str> {
        let languages = self.names.len().checked_div(self.columns)?.checked_sub(1)?;
        (self.columns == 1 && tongue < languages).then(|| self.names[tongue].as_str())
    }
}
