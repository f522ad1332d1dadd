//! From the tokens of a document to token ids.

use super::fields::FieldNames;
use super::token_id::TokenId;
use crate::text::document::Document;
use crate::text::tokens::{Break, Token, Tokens};

/// A document that was scanned.
#[derive(Clone, Copy)]
pub(crate) struct Scanned<'a> {
    pub(crate) document: &'a Document,
    pub(crate) tokens: &'a Tokens,
    pub(crate) fields: &'a FieldNames,
}

/// What comes next in a document.
pub(crate) enum Next<'a> {
    /// A token, with the word that it stands for.
    Token(&'a str, &'a Token),
    /// The end of a sentence.
    SentenceEnd,
}

impl Scanned<'_> {
    /// Appends the ids of the tokens to `ids`, with [`TokenId::SENTENCE_END`] between sentences.
    /// `id_of` gives the id of each token, and is told of the ends of sentences; `buffer` is room.
    pub(crate) fn encode(
        &self,
        buffer: &mut String,
        ids: &mut Vec<TokenId>,
        mut id_of: impl FnMut(Next<'_>) -> TokenId,
    ) {
        let Self { document, tokens, fields } = *self;
        for (at, token) in tokens.items().iter().enumerate() {
            if at > 0 && token.before == Break::Sentence {
                ids.push(id_of(Next::SentenceEnd));
            }
            ids.push(fields.word(document, tokens, token, buffer, |word| id_of(Next::Token(word, token))));
        }
    }
}
