//! From the tokens of a document to token ids.

use super::fields::FieldNames;
use super::token_id::TokenId;
use crate::text::document::Document;
use crate::text::tokens::{Break, Counts, Kind, Token, Tokens};

/// A document that was scanned.
#[derive(Clone, Copy)]
pub(crate) struct Scanned<'a> {
    pub(crate) document: &'a Document,
    pub(crate) tokens: &'a Tokens,
    pub(crate) fields: &'a FieldNames,
}

/// The tokens of a review as ids, and how much each counts.
#[derive(Clone, Copy)]
pub(crate) struct Encoded<'a> {
    pub(crate) ids: &'a [TokenId],
    /// As many as there are ids; none where all count in full.
    pub(crate) counts: &'a [Counts],
}

impl Encoded<'_> {
    /// What an n-gram of so many tokens is counted as: as the lesser of its ends, for what counts less stands together.
    #[inline]
    pub(crate) fn share(&self, first: usize, length: usize) -> f32 {
        if self.counts.is_empty() {
            return 1.0;
        }
        self.counts[first].min(self.counts[first + length.max(1) - 1]).share()
    }
}

/// What comes next in a document.
pub(crate) enum Next<'a> {
    /// A token, with the word that it stands for.
    Token(&'a str, &'a Token),
    /// The end of a sentence.
    SentenceEnd,
}

impl Scanned<'_> {
    /// Calls `with` with the word that a token stands for: its form, behind the name of its
    /// column where columns are kept apart.
    pub(crate) fn word<R>(&self, token: &Token, buffer: &mut String, with: impl FnOnce(&str) -> R) -> R {
        let form = self.tokens.form(token);
        let Some(name) = self.fields.of_token(self.document, self.tokens, token) else { return with(form) };
        buffer.clear();
        ["", name, ":", form].iter().for_each(|part| buffer.push_str(part));
        with(buffer)
    }

    /// Appends the ids of the tokens to `ids`, with [`TokenId::SENTENCE_END`] between sentences, and how much they
    /// count to `counts`.
    /// `id_of` gives the id of each token, and is told of the ends of sentences; `buffer` is room.
    pub(crate) fn encode(
        &self,
        buffer: &mut String,
        (ids, counts): (&mut Vec<TokenId>, &mut Vec<Counts>),
        mut id_of: impl FnMut(Next<'_>) -> TokenId,
    ) {
        let items = self.tokens.items();
        for (at, token) in items.iter().enumerate() {
            // Where marks are tokens, n-grams run across them from sentence to sentence.
            let across = at > 0 && self.tokens.runs_across() && items[at - 1].kind == Kind::Mark;
            if at > 0 && token.before == Break::Sentence && !across {
                ids.push(id_of(Next::SentenceEnd));
                counts.push(Counts::All);
            }
            counts.push(token.counts);
            ids.push(self.word(token, buffer, |word| id_of(Next::Token(word, token))));
        }
    }
}
