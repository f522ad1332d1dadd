//! One pass over the bytes of a review.

use super::characters::{Letter, is_combining, is_mail, is_pictograph, reference, starts_with};
use super::contractions::{Contraction, Head, may_be_bare, take_apart};
use super::language::Language;
use super::recipe::{Case, Elongation, Joined, Presence, Punctuation, Recipe, Treatment};
use super::run::{plain_run, push_unstretched};
use super::steps::{Listen, Step};
use super::tokens::{Break, Counts, Kind, Token, Tokens};

/// The form of every web address where links are marked.
pub const LINK: &str = "‹link›";
/// The form of every mail address where links are marked.
pub const MAIL: &str = "‹mail›";
/// The form of every number where numbers are marked.
pub const NUMBER: &str = "‹number›";

/// The form of every emoticon where emoticons are marked.
pub const EMOTICON: &str = "‹emoticon›";

/// A token that stands in the place of a phrase.
#[derive(Debug, Clone)]
pub(super) struct Stand {
    pub(super) form: Box<str>,
    pub(super) kind: Kind,
    pub(super) before: Break,
}

/// A phrase found in a review: first byte, one past the last, and which.
#[derive(Debug, Clone, Copy)]
pub(super) struct Hit {
    pub(super) start: usize,
    pub(super) end: usize,
    pub(super) phrase: usize,
}

/// Phrases of a review that are read as other tokens.
#[derive(Debug, Clone, Copy, Default)]
pub(super) struct Replaced<'a> {
    /// Where they are, in order.
    pub(super) hits: &'a [Hit],
    /// By phrase: the tokens in its place.
    pub(super) stands: &'a [Vec<Stand>],
}

/// Makes the tokens of one review; negation is not yet known.
pub(super) fn read<L: Listen>(
    raw: &str,
    (recipe, language): (&Recipe, Language),
    replaced: Replaced<'_>,
    tokens: &mut Tokens,
    listen: &mut L,
) {
    // Forms stand behind the copy of the text, and places are 32 bits wide.
    assert!(raw.len() < 1 << 30, "a review of {} bytes: must be below 1 GiB", raw.len());
    tokens.clear();
    tokens.across = recipe.punctuation == Punctuation::All;
    // Most forms are the raw bytes in small letters: they are taken from one copy of the
    // text, and only the others are written behind it.
    tokens.forms.push_str(raw);
    if recipe.case == Case::Lower {
        tokens.forms.make_ascii_lowercase();
    }
    let has_mail = memchr::memchr(b'@', raw.as_bytes()).is_some();
    let keeps_joined = recipe.joined == Joined::Keep;
    let mut scanner = Scanner {
        raw,
        at: 0,
        recipe,
        language,
        pending: Break::None,
        has_mail,
        keeps_joined,
        shortened: false,
        tokens,
        listen,
    };
    for hit in replaced.hits {
        scanner.run(hit.start);
        if scanner.at <= hit.start {
            scanner.stand_in(&replaced.stands[hit.phrase], hit.start, hit.end);
        }
    }
    scanner.run(raw.len());
}

pub(super) struct Scanner<'a, L> {
    pub(super) raw: &'a str,
    pub(super) at: usize,
    pub(super) recipe: &'a Recipe,
    pub(super) language: Language,
    /// The strongest boundary since the last token.
    pub(super) pending: Break,
    pub(super) has_mail: bool,
    pub(super) keeps_joined: bool,
    /// Whether a letter of the present form was left out of a stretch.
    pub(super) shortened: bool,
    pub(super) tokens: &'a mut Tokens,
    pub(super) listen: &'a mut L,
}

impl<L: Listen> Scanner<'_, L> {
    /// Reads up to `end`; the last token may end behind it.
    fn run(&mut self, end: usize) {
        while self.at < end {
            let byte = self.raw.as_bytes()[self.at];
            match byte {
                b'a'..=b'z' | b'A'..=b'Z' => self.letters(),
                b'0'..=b'9' => self.number(),
                b' ' | b'\t' | b'\r' => self.at += 1,
                b'\n' => self.line_end(),
                b'!' | b'?' => self.marks(),
                b'.' => self.full_stop(),
                b',' => self.pause(',', 1, Break::Clause),
                b':' | b';' | b'=' | b'<' | b'>' | b'^' => self.sign(),
                b'(' | b')' | b'[' | b']' => self.pause(byte as char, 1, Break::Clause),
                b'-' => self.dash(),
                b'/' | b'_' => self.joint(),
                b'#' => self.hashtag(),
                b'&' => self.other(),
                0x80.. => self.other(),
                _ => self.at += 1,
            }
        }
    }

    /// A mark of so many bytes, behind which something ends.
    pub(super) fn pause(&mut self, mark: char, length: usize, boundary: Break) {
        let start = self.at;
        self.at += length;
        if self.recipe.punctuation == Punctuation::All {
            self.emit_as(start, self.at, mark.encode_utf8(&mut [0; 4]), Kind::Mark);
        }
        self.pending = self.pending.max(boundary);
    }

    /// A blank line ends a sentence, a single line end a clause.
    fn line_end(&mut self) {
        self.at += 1;
        let rest = self.raw[self.at..].trim_start_matches([' ', '\t', '\r']);
        self.pending = self.pending.max(if rest.starts_with('\n') { Break::Sentence } else { Break::Clause });
    }

    /// Whether the sign here stands between two letters or digits.
    fn joins(&self) -> bool {
        let bytes = self.raw.as_bytes();
        let between =
            |at: Option<usize>| at.and_then(|at| bytes.get(at)).is_some_and(u8::is_ascii_alphanumeric);
        between(self.at.checked_sub(1)) && between(Some(self.at + 1))
    }

    fn dash(&mut self) {
        if self.joins() {
            return self.joint();
        }
        self.pause('-', 1, Break::Clause);
    }

    /// A sign that joins two words, or means nothing.
    fn joint(&mut self) {
        if L::ON && self.joins() {
            self.listen.told(Step::Joined, self.at, self.at + 1);
        }
        self.at += 1;
    }

    /// Emits what is read in place of a phrase. All its tokens have the place of the phrase.
    fn stand_in(&mut self, stands: &[Stand], start: usize, end: usize) {
        self.listen.told(Step::Replace, start, end);
        for stand in stands {
            self.pending = self.pending.max(stand.before);
            self.emit_as(start, end, &stand.form, stand.kind);
        }
        self.at = end;
    }

    fn full_stop(&mut self) {
        let bytes = self.raw.as_bytes();
        let run = bytes[self.at..].iter().take_while(|&&byte| byte == b'.').count();
        let next = bytes.get(self.at + run);
        let boundary = if run > 1 {
            Break::Clause // "..." is a pause
        } else if next.is_some_and(u8::is_ascii_alphanumeric) || self.after_abbreviation() {
            Break::None
        } else {
            Break::Sentence
        };
        match boundary {
            Break::None => self.at += run,
            _ => self.pause(if run > 1 { '…' } else { '.' }, run, boundary),
        }
    }

    /// Whether the last token is an abbreviation or a single letter that ends right here.
    fn after_abbreviation(&self) -> bool {
        self.tokens.items.last().is_some_and(|token| {
            let form = self.tokens.form(token);
            token.end as usize == self.at
                && token.kind == Kind::Word
                && ((form.len() == 1 && form != "i")
                    || self.language.abbreviations().iter().any(|name| name.eq_ignore_ascii_case(form)))
        })
    }

    /// What begins outside ASCII, or as a character reference.
    fn other(&mut self) {
        let letter = self.letter(self.at);
        let Some(Letter { char, length }) = letter else { return };
        // One of the apostrophes is a letter to Unicode, but none begins a word: it would have no end.
        let begins_word = char.is_alphabetic() && !is_apostrophe(char);
        if !begins_word {
            self.tell_reference(self.at, length); // a word tells of its own
        }
        match char {
            _ if begins_word => self.word(self.at),
            _ if is_pictograph(char) => self.emoji(),
            _ if char.is_numeric() => self.number(),
            '–' | '—' | '…' | '(' | ')' => self.pause(char, length, Break::Clause),
            '。' | '！' | '？' => self.pause(char, length, Break::Sentence),
            _ => self.at += length,
        }
    }

    pub(super) fn tell_reference(&mut self, at: usize, length: usize) {
        if L::ON && length > 1 && self.raw.as_bytes()[at] == b'&' {
            self.listen.told(Step::Reference, at, at + length);
        }
    }

    pub(super) fn letter(&self, at: usize) -> Option<Letter> {
        let bytes = self.raw.as_bytes();
        match *bytes.get(at)? {
            b'&' if self.recipe.markup == Presence::Keep => Some(Letter { char: '&', length: 1 }),
            b'&' => Some(reference(&bytes[at..]).unwrap_or(Letter { char: '&', length: 1 })),
            byte if byte.is_ascii() => Some(Letter { char: byte as char, length: 1 }),
            _ => self.raw[at..].chars().next().map(|char| Letter { char, length: char.len_utf8() }),
        }
    }

    fn number(&mut self) {
        let start = self.at;
        let bytes = self.raw.as_bytes();
        while let Some(&byte) = bytes.get(self.at) {
            let inside = matches!(byte, b'.' | b',' | b':' | b'/')
                && bytes.get(self.at + 1).is_some_and(u8::is_ascii_digit);
            if !byte.is_ascii_digit() && !inside {
                break;
            }
            self.at += 1;
        }
        if self.at == start {
            // A numeral outside ASCII, such as "½".
            self.at += self.letter(start).map_or(1, |letter| letter.length);
        } else if bytes.get(self.at).is_some_and(u8::is_ascii_alphabetic) {
            return self.word(start); // "10pm", "2nd"
        }
        if self.recipe.numbers != Treatment::Keep {
            self.listen.told(Step::Number, start, self.at);
        }
        match self.recipe.numbers {
            Treatment::Drop => {}
            Treatment::Keep => self.emit(start, self.at, (start, self.at), Kind::Number),
            Treatment::Mark => self.emit_as(start, self.at, NUMBER, Kind::Number),
        }
    }

    /// A word, unless a link begins here.
    fn letters(&mut self) {
        let bytes = &self.raw.as_bytes()[self.at..];
        let web = match bytes[0] | 0x20 {
            b'h' => starts_with(bytes, b"http://") || starts_with(bytes, b"https://"),
            b'w' => starts_with(bytes, b"www."),
            _ => false,
        };
        if web {
            return self.link(LINK);
        }
        if self.has_mail && is_mail(bytes) {
            return self.link(MAIL);
        }
        self.word(self.at);
    }

    fn link(&mut self, mark: &str) {
        let rest = &self.raw[self.at..];
        let end =
            rest.find(|c: char| c.is_whitespace() || matches!(c, '<' | '>' | '"')).unwrap_or(rest.len());
        let length = rest[..end].trim_end_matches(['.', ',', '!', '?', ')', ';', ':', '\'']).len();
        let start = self.at;
        self.at += length;
        if self.recipe.links != Treatment::Keep {
            self.listen.told(Step::Link, start, self.at);
        }
        match self.recipe.links {
            Treatment::Drop => {}
            Treatment::Keep => self.emit(start, self.at, (start, self.at), Kind::Link),
            Treatment::Mark => self.emit_as(start, self.at, mark, Kind::Link),
        }
    }

    /// Reads a word from `start`, then takes contractions apart.
    fn word(&mut self, start: usize) {
        let bytes = &self.raw.as_bytes()[start..];
        let (length, stretched) = plain_run(bytes);
        let ends = match bytes.get(length) {
            Some(b'\'' | b'&' | 0x80..) => false,
            Some(b'-' | b'/' | b'_') => !self.keeps_joined,
            _ => true,
        };
        if ends && length > 0 && !(stretched && self.recipe.elongation == Elongation::Shorten) {
            self.at = start + length;
            return self.finish_word(start, (start, self.at), None);
        }
        self.rare_word(start);
    }

    /// Reads a word with an apostrophe, a letter outside ASCII, a character reference or a
    /// stretch: its form is written letter by letter.
    fn rare_word(&mut self, start: usize) {
        let form = self.tokens.forms.len();
        self.at = start;
        self.shortened = false;
        // Raw place of the apostrophe and of the character before it.
        let mut apostrophe = None;
        let mut before = start;
        while let Some(Letter { char, length }) = self.letter(self.at) {
            if is_apostrophe(char) {
                let follows = self.letter(self.at + length).is_some_and(|next| next.char.is_alphabetic());
                if !follows {
                    break;
                }
                apostrophe = Some((before, self.at));
                self.tokens.forms.push('\'');
            } else if char.is_alphanumeric() || is_combining(char) {
                self.tell_reference(self.at, length);
                self.push_form(char, form, char.is_alphabetic());
            } else if self.keeps_joined && matches!(char, '-' | '/' | '_') {
                if !self.letter(self.at + length).is_some_and(|next| next.char.is_alphanumeric()) {
                    break;
                }
                self.tokens.forms.push(char);
            } else if char != '\u{ad}' {
                break; // a soft hyphen is invisible and stays inside the word
            }
            (before, self.at) = (self.at, self.at + length);
        }
        self.finish_word(start, (form, self.tokens.forms.len()), apostrophe);
    }

    /// Appends a character to the form that began at `form`, shortening stretches.
    pub(super) fn push_form(&mut self, char: char, form: usize, stretches: bool) {
        let forms = &mut self.tokens.forms;
        let elongation = if stretches { self.recipe.elongation } else { Elongation::Keep };
        if self.recipe.case == Case::Keep {
            self.shortened |= push_unstretched(forms, char, form, elongation);
        } else if char.is_ascii() {
            self.shortened |= push_unstretched(forms, char.to_ascii_lowercase(), form, elongation);
        } else {
            for lower in char.to_lowercase() {
                self.shortened |= push_unstretched(forms, lower, form, elongation);
            }
        }
    }

    /// Tells what was done to the letters of a word.
    fn tell_word(&mut self, start: usize, end: usize) {
        let capitals = self.raw[start..end].chars().any(char::is_uppercase);
        if capitals && self.recipe.case == Case::Lower {
            self.listen.told(Step::Case, start, end);
        }
        if self.shortened {
            self.listen.told(Step::Elongation, start, end);
        }
        self.shortened = false;
    }

    /// Emits the word whose form stands there, in two tokens if it is a contraction.
    /// `apostrophe` holds the raw places of the character before it and of it.
    fn finish_word(&mut self, start: usize, form: (usize, usize), apostrophe: Option<(usize, usize)>) {
        let end = self.at;
        if L::ON {
            self.tell_word(start, end);
        }
        if let (Some((_, mark)), true) = (apostrophe, self.recipe.contractions && self.language.elides()) {
            return self.elided(start, form, mark);
        }
        let may_contract = self.recipe.contractions
            && self.language == Language::English
            && (apostrophe.is_some() || may_be_bare(&self.tokens.forms.as_bytes()[form.0..form.1]));
        if !may_contract {
            return self.emit(start, end, form, Kind::Word);
        }
        let word = &self.tokens.forms[form.0..form.1];
        let invisible = end - start != word.len();
        let (head, tail, cut) = match take_apart(word) {
            // A cut is counted in raw bytes, which must be those of the form.
            Some(Contraction::Bare { .. }) if invisible => return self.emit(start, end, form, Kind::Word),
            None => return self.emit(start, end, form, Kind::Word),
            Some(Contraction::Possessive(length)) => {
                self.listen.told(Step::Contraction, start, end);
                return self.emit(start, end, (form.0, form.0 + length), Kind::Word);
            }
            Some(Contraction::Bare { head, cut }) => (head, "not", start + cut),
            Some(Contraction::Negated { head }) => {
                (head, "not", apostrophe.map_or(end, |(before, _)| before))
            }
            Some(Contraction::Clitic { head, tail }) => {
                (Head::Keep(head), tail, apostrophe.map_or(end, |(_, mark)| mark))
            }
        };
        if L::ON {
            self.listen.told(Step::Contraction, start, end);
        }
        match head {
            Head::Keep(length) => self.emit(start, cut, (form.0, form.0 + length), Kind::Word),
            Head::Be(verb) => self.emit_as(start, cut, verb, Kind::Word),
        }
        self.emit_as(cut, end, tail, Kind::Word);
    }

    /// Emits the word whose form stands there, which ends at the present place, in two tokens: up to the apostrophe in the
    /// raw text at `mark`, and behind it. A few words are whole with theirs.
    fn elided(&mut self, start: usize, form: (usize, usize), mark: usize) {
        const WHOLE: [&str; 4] = ["aujourd'hui", "quelqu'un", "quelqu'une", "presqu'île"];
        let (end, word) = (self.at, &self.tokens.forms[form.0..form.1]);
        let length = word.rfind('\'').filter(|_| !WHOLE.iter().any(|own| own.eq_ignore_ascii_case(word)));
        let Some(length) = length else { return self.emit(start, end, form, Kind::Word) };
        let cut = mark + self.letter(mark).map_or(1, |letter| letter.length);
        self.listen.told(Step::Contraction, start, end);
        self.emit(start, cut, (form.0, form.0 + length), Kind::Word);
        self.emit(cut, end, (form.0 + length + 1, form.1), Kind::Word);
    }

    /// Emits a token whose form is given.
    pub(super) fn emit_as(&mut self, start: usize, end: usize, form: &str, kind: Kind) {
        let begin = self.tokens.forms.len();
        self.tokens.forms.push_str(form);
        self.emit_new(start, end, begin, kind);
    }

    /// Emits a token whose form was just written, from `form` on.
    pub(super) fn emit_new(&mut self, start: usize, end: usize, form: usize, kind: Kind) {
        self.emit(start, end, (form, self.tokens.forms.len()), kind);
    }

    fn emit(&mut self, start: usize, end: usize, form: (usize, usize), kind: Kind) {
        self.tokens.items.push(Token {
            start: start as u32,
            end: end as u32,
            form: (form.0 as u32, form.1 as u32),
            kind,
            before: self.pending,
            negated: false,
            cue: false,
            counts: Counts::All,
        });
        self.pending = Break::None;
    }
}

/// Whether a character is used as an apostrophe.
fn is_apostrophe(char: char) -> bool {
    matches!(char, '\'' | '’' | 'ʼ')
}
