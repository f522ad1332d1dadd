//! The reading of raw text, ready for use: settings with their tables and finders.

use rust_stemmers::{Algorithm, Stemmer};
use rustc_hash::{FxHashMap, FxHashSet};

use super::language::{Language, Telling};
use super::lexicon::Lexicon;
use super::negate;
use super::negation::{Concessions, Negation};
use super::ratings::read_ratings;
use super::recipe::{Presence, Ratings, Recipe, Stem, StopList};
use super::replace::Replacements;
use super::scan::{self, Hit, Replaced};
use super::stems::{algorithm, own_stem};
use super::steps::{Change, Listen, Step};
use super::tokens::{Break, Kind, Tokens};

/// Distinct words whose stems are remembered by one thread.
const MOST_STEMS: usize = 1 << 16;

/// What a cleaner reads into: the tokens of the last review, and room for the work. Kept from
/// review to review, so that reading allocates nothing once it has grown.
#[derive(Debug, Default, Clone)]
pub struct ScanBuffer {
    tokens: Tokens,
    /// Phrases to be replaced.
    hits: Vec<Hit>,
    /// The place of a language, and what is remembered of the stems of its words.
    stems: (usize, Stems),
}

/// By word: its stem, where that is another.
type Stems = FxHashMap<Box<str>, Option<Box<str>>>;

impl ScanBuffer {
    /// The tokens of the last review.
    pub fn tokens(&self) -> &Tokens {
        &self.tokens
    }
}

/// Reads reviews by one recipe and one set of rules for negation.
#[derive(Debug, Clone)]
pub struct Cleaner {
    recipe: Recipe,
    negation: Negation,
    /// By language of the recipe: how it is read.
    tongues: Vec<Tongue>,
    /// Tells them apart, where there are several.
    telling: Option<Telling>,
    phrases: Option<Replacements>,
    /// Words that are left out even then.
    named: FxHashSet<Box<str>>,
    /// Whether tokens are left out or changed once negation is known.
    tidies: bool,
}

/// What is known of a language.
#[derive(Debug, Clone)]
struct Tongue {
    language: Language,
    lexicon: Lexicon,
    /// Words that are left out unless they negate.
    stop: FxHashSet<Box<str>>,
    /// Cuts off endings.
    stems: Option<Algorithm>,
}

impl Tongue {
    fn new(recipe: &Recipe, negation: &Negation, language: Language) -> Result<Self, String> {
        let of = |language: Language| language.function_words().map(Box::from).collect();
        let stop = match &recipe.stoplist {
            StopList::None => FxHashSet::default(),
            StopList::Own => of(language),
            StopList::Of(language) => of(*language),
            StopList::Words(words) => lower(words),
        };
        let stem = if recipe.stem == Stem::Own { own_stem(language) } else { recipe.stem };
        Ok(Self {
            language,
            lexicon: Lexicon::new(recipe, negation, language)?,
            stop,
            stems: algorithm(stem),
        })
    }
}

fn lower(words: &[String]) -> FxHashSet<Box<str>> {
    words.iter().map(|word| word.trim().to_lowercase().into()).collect()
}

impl Cleaner {
    /// # Errors
    /// A sentence about the first line of a replacement or expression that makes no sense.
    pub fn new(recipe: &Recipe, negation: &Negation) -> Result<Self, String> {
        let tongue = |language: &Language| Tongue::new(recipe, negation, *language);
        let tongues: Vec<Tongue> = recipe.languages.iter().map(tongue).collect::<Result<_, _>>()?;
        let named: FxHashSet<Box<str>> = lower(&recipe.stop_also);
        Ok(Self {
            telling: Telling::new(&recipe.languages),
            phrases: Replacements::new(recipe)?,
            tidies: tongues.iter().any(|tongue| !tongue.stop.is_empty())
                || !named.is_empty()
                || recipe.shortest > 1
                || recipe.stem != Stem::None
                || negation.cues == Presence::Drop,
            tongues,
            named,
            negation: negation.clone(),
            recipe: recipe.clone(),
        })
    }

    /// Reads one review; its tokens are those of `buffer` until the next is read.
    ///
    /// Costs one pass over the bytes and no allocation once the buffers have grown. Markup is
    /// skipped and character references such as `&amp;` are read as the character they name;
    /// spans keep pointing at the raw bytes.
    ///
    /// # Panics
    /// If the review has 1 GiB or more.
    pub fn scan<'b>(&self, raw: &str, buffer: &'b mut ScanBuffer) -> &'b Tokens {
        self.scan_for(raw, buffer, &mut ());
        &buffer.tokens
    }

    /// As [`scan`](Self::scan), by the language at this place of the recipe, whatever the text says.
    pub(crate) fn scan_in<'b>(&self, tongue: usize, raw: &str, buffer: &'b mut ScanBuffer) -> &'b Tokens {
        self.scan_as(tongue, raw, buffer, &mut ());
        &buffer.tokens
    }

    /// As [`scan`](Self::scan), and tells what was changed where, step by step.
    pub fn scan_and_tell(&self, raw: &str, buffer: &mut ScanBuffer) -> Vec<Change> {
        let mut changes = Vec::new();
        self.scan_for(raw, buffer, &mut changes);
        changes.sort_by_key(|change| (change.start, change.step));
        changes
    }

    fn scan_for<L: Listen>(&self, raw: &str, buffer: &mut ScanBuffer, listen: &mut L) {
        let place = self.telling.as_ref().map_or(0, |telling| telling.place(raw));
        self.scan_as(place, raw, buffer, listen);
    }

    fn scan_as<L: Listen>(&self, place: usize, raw: &str, buffer: &mut ScanBuffer, listen: &mut L) {
        let tongue = &self.tongues[place];
        let ScanBuffer { tokens, hits, stems } = buffer;
        hits.clear();
        let mut replaced = Replaced::default();
        if let Some(phrases) = &self.phrases {
            phrases.find(raw, hits);
            replaced = Replaced { hits, stands: phrases.stands() };
        }
        scan::read(raw, (&self.recipe, tongue.language), replaced, tokens, listen);
        tokens.tongue = place as u8;
        if self.recipe.ratings == Ratings::Read {
            read_ratings(tokens, listen);
        }
        negate::mark(tokens, &self.negation, &tongue.lexicon, listen);
        if self.tidies {
            self.leave_out(tongue, tokens, listen);
            if let Some(algorithm) = tongue.stems {
                // What is remembered is of one language.
                if stems.0 != place {
                    *stems = (place, FxHashMap::default());
                }
                cut_endings(algorithm, tokens, &mut stems.1, listen);
            }
        }
    }

    /// Whether some tokens count less than others.
    pub(crate) fn weighs(&self) -> bool {
        self.negation.concessions == Concessions::Read
    }

    /// Whether a word, in small letters, negates by itself in one of the languages.
    pub fn is_negator(&self, word: &str) -> bool {
        self.tongues.iter().any(|tongue| tongue.lexicon.is_negator(word))
    }

    /// The languages of the texts.
    pub fn languages(&self) -> &[Language] {
        &self.recipe.languages
    }

    /// The language by which a text was read, where there are several.
    pub(crate) fn told(&self, tokens: &Tokens) -> Option<Language> {
        self.telling.as_ref().map(|_| self.recipe.languages[tokens.tongue()])
    }

    /// Whether a word, in small letters, is a function word of one of the languages.
    pub fn is_function_word(&self, word: &str) -> bool {
        self.recipe.languages.iter().any(|language| language.is_function_word(word))
    }

    /// Leaves tokens out; the breaks before them pass to the next.
    fn leave_out<L: Listen>(&self, tongue: &Tongue, tokens: &mut Tokens, listen: &mut L) {
        let (mut kept, mut carried) = (0, Break::None);
        for at in 0..tokens.items.len() {
            let mut token = tokens.items[at];
            token.before = token.before.max(carried);
            if let Some(step) = self.reason(tongue, tokens, at) {
                carried = token.before;
                listen.told(step, token.start as usize, token.end as usize);
                continue;
            }
            carried = Break::None;
            tokens.items[kept] = token;
            kept += 1;
        }
        tokens.items.truncate(kept);
    }

    /// Why a token is left out, if it is.
    fn reason(&self, tongue: &Tongue, tokens: &Tokens, at: usize) -> Option<Step> {
        let token = &tokens.items[at];
        if token.cue && self.negation.cues == Presence::Drop {
            return Some(Step::Cue);
        }
        if token.kind != Kind::Word {
            return None;
        }
        let form = tokens.form(token);
        if form.bytes().any(|byte| byte.is_ascii_uppercase() || byte >= 0x80) {
            return self.reason_of(tongue, &form.to_lowercase(), token.cue);
        }
        self.reason_of(tongue, form, token.cue)
    }

    fn reason_of(&self, tongue: &Tongue, word: &str, cue: bool) -> Option<Step> {
        let negates = || cue || tongue.lexicon.is_negator(word);
        if self.named.contains(word) || tongue.stop.contains(word) && !negates() {
            return Some(Step::Stop);
        }
        let short = word.len() < self.recipe.shortest as usize * 4
            && word.chars().count() < self.recipe.shortest as usize;
        (short && !negates()).then_some(Step::Short)
    }
}

fn cut_endings<L: Listen>(
    algorithm: Algorithm,
    Tokens { items, forms, .. }: &mut Tokens,
    stems: &mut Stems,
    listen: &mut L,
) {
    let stemmer = Stemmer::create(algorithm);
    if stems.len() > MOST_STEMS {
        stems.clear();
    }
    for token in items.iter_mut().filter(|token| token.kind == Kind::Word) {
        let form = &forms[token.form.0 as usize..token.form.1 as usize];
        if !stems.contains_key(form) {
            let stem = stemmer.stem(form);
            stems.insert(form.into(), (stem != form && !stem.is_empty()).then(|| stem.into()));
        }
        let Some(stem) = &stems[form] else { continue };
        let start = forms.len() as u32;
        forms.push_str(stem);
        token.form = (start, forms.len() as u32);
        listen.told(Step::Stem, token.start as usize, token.end as usize);
    }
}
