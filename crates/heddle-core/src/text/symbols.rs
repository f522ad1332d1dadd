//! Signs: hashtags, emoticons, emoji, exclamation marks and markup.

use super::characters::{Letter, is_pictograph};
use super::recipe::{Emoticons, Hashtags, Presence, Punctuation};
use super::run::push_unstretched;
use super::scan::{EMOTICON, Scanner};
use super::steps::{Listen, Step};
use super::tables::{EMOTICONS, meaning_of, mood_of};
use super::tokens::{Break, Kind};

impl<L: Listen> Scanner<'_, L> {
    pub(super) fn hashtag(&mut self) {
        let start = self.at;
        let rest = &self.raw[start + 1..];
        let length = rest.find(|c: char| !c.is_alphanumeric() && c != '_').unwrap_or(rest.len());
        if length == 0 {
            self.at += 1;
            return;
        }
        let end = start + 1 + length;
        if self.recipe.hashtags != Hashtags::Keep {
            self.listen.told(Step::Hashtag, start, end);
        }
        match self.recipe.hashtags {
            Hashtags::Word => self.at += 1, // the word is read next
            Hashtags::Drop => self.at = end,
            Hashtags::Keep => {
                let form = self.tokens.forms.len();
                self.raw[start..end].chars().for_each(|char| self.push_form(char, form, false));
                self.at = end;
                self.emit_new(start, end, form, Kind::Word);
            }
            Hashtags::Apart => {
                self.at = end;
                self.parts_of_hashtag(start + 1, end);
            }
        }
    }

    /// Emits the words of "NightFerry2025" or "night_ferry".
    fn parts_of_hashtag(&mut self, start: usize, end: usize) {
        let (mut from, mut form) = (start, self.tokens.forms.len());
        let mut last: Option<char> = None;
        for (offset, char) in self.raw[start..end].char_indices() {
            let at = start + offset;
            let begins = last.is_some_and(|last| {
                last == '_'
                    || char == '_'
                    || last.is_numeric() != char.is_numeric()
                    || last.is_lowercase() && char.is_uppercase()
            });
            if begins {
                if self.tokens.forms.len() > form {
                    self.emit_new(from, at, form, Kind::Word);
                }
                (from, form) = (at, self.tokens.forms.len());
            }
            if char != '_' {
                self.push_form(char, form, char.is_alphabetic());
            }
            last = Some(char);
        }
        if self.tokens.forms.len() > form {
            self.emit_new(from, end, form, Kind::Word);
        }
    }

    /// An emoticon, or else a mark that may end a clause or begin markup.
    pub(super) fn sign(&mut self) {
        let rest = &self.raw[self.at..];
        let apart = self.at == 0 || !self.raw.as_bytes()[self.at - 1].is_ascii_alphanumeric();
        let found = EMOTICONS.iter().find(|face| {
            // ":D" at the head of a word is a colon: an emoticon stands alone.
            apart
                && rest.starts_with(**face)
                && !rest[face.len()..].starts_with(|c: char| c.is_alphanumeric())
        });
        if let Some(face) = found {
            let (start, form) = (self.at, self.tokens.forms.len());
            self.tokens.forms.push_str(face);
            self.at += face.len();
            self.emoticon(start, form);
            return;
        }
        match rest.as_bytes()[0] {
            b'<' if self.recipe.markup == Presence::Drop => self.markup(),
            mark @ (b':' | b';') => self.pause(mark as char, 1, Break::Clause),
            _ => self.at += 1,
        }
    }

    fn emoticon(&mut self, start: usize, form: usize) {
        let mark = match self.recipe.emoticons {
            Emoticons::Keep => return self.emit_new(start, self.at, form, Kind::Emoticon),
            Emoticons::Drop => None,
            Emoticons::Mark => Some(EMOTICON.trim_matches(['‹', '›'])),
            told @ (Emoticons::Meaning | Emoticons::Mood) => match meaning_of(&self.tokens.forms[form..]) {
                None => return self.emit_new(start, self.at, form, Kind::Emoticon),
                Some(meaning) => Some(if told == Emoticons::Mood { mood_of(meaning) } else { meaning }),
            },
        };
        self.listen.told(Step::Emoticon, start, self.at);
        self.tokens.forms.truncate(form);
        if let Some(mark) = mark {
            ["‹", mark, "›"].iter().for_each(|part| self.tokens.forms.push_str(part));
            self.emit_new(start, self.at, form, Kind::Emoticon);
        }
    }

    /// Skips a tag such as `<br>`; any other "<" is passed over.
    fn markup(&mut self) {
        const LONGEST_TAG: usize = 200;
        let rest = &self.raw.as_bytes()[self.at..];
        let opens = matches!(rest.get(1), Some(b'a'..=b'z' | b'A'..=b'Z' | b'/'));
        let end = rest.iter().take(LONGEST_TAG).position(|&byte| byte == b'>');
        match end {
            Some(end) if opens => {
                let name =
                    rest[1..end].split(|byte| !byte.is_ascii_alphanumeric()).find(|part| !part.is_empty());
                let block: [&[u8]; 5] = [b"br", b"p", b"div", b"li", b"ul"];
                if name.is_some_and(|name| block.iter().any(|tag| tag.eq_ignore_ascii_case(name))) {
                    self.pending = Break::Sentence;
                }
                self.listen.told(Step::Markup, self.at, self.at + end + 1);
                self.at += end + 1;
            }
            _ => self.at += 1,
        }
    }

    pub(super) fn emoji(&mut self) {
        let (start, form) = (self.at, self.tokens.forms.len());
        let mut joined = true;
        let mut first_of_flag = false;
        while let Some(Letter { char, length }) = self.letter(self.at) {
            match char {
                '\u{200d}' => joined = true,
                '\u{fe0f}' | '\u{1f3fb}'..='\u{1f3ff}' if self.at > start => {} // look and skin colour
                '\u{1f1e6}'..='\u{1f1ff}' if joined || first_of_flag => {
                    self.tokens.forms.push(char);
                    (first_of_flag, joined) = (!first_of_flag, false);
                }
                _ if joined && is_pictograph(char) => {
                    self.tokens.forms.push(char);
                    joined = false;
                }
                _ => break,
            }
            self.at += length;
        }
        self.emoticon(start, form);
    }

    pub(super) fn marks(&mut self) {
        let start = self.at;
        let form = self.tokens.forms.len();
        let bytes = self.raw.as_bytes();
        self.shortened = false;
        while let Some(&byte @ (b'!' | b'?')) = bytes.get(self.at) {
            self.shortened |=
                push_unstretched(&mut self.tokens.forms, byte as char, form, self.recipe.repeats);
            self.at += 1;
        }
        if self.recipe.punctuation != Punctuation::Drop {
            if self.shortened {
                self.listen.told(Step::Repeats, start, self.at);
            }
            self.emit_new(start, self.at, form, Kind::Mark);
        } else {
            self.listen.told(Step::Punctuation, start, self.at);
            self.tokens.forms.truncate(form);
        }
        self.shortened = false;
        self.pending = Break::Sentence;
    }
}
