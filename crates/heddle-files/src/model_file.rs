//! Model files.
//!
//! Format 7, all numbers little-endian; `docs/model-file.md` describes it for readers in
//! other languages.
//!
//! ```text
//! 8 bytes   "HEDDLE\r\n"
//! u32       format, 7
//! u64       length of the card
//! card      JSON: program version, settings, rule, classes, counts, figures
//! f64       intercept; f64 half the width of the neutral zone
//! u32       number of words; u32 length of their text; u32 end of each; the text (UTF-8)
//! u32       number of terms; then, each as one array over all terms:
//!           u32 parent (or 2^32 - 1), u32 last token (2 x word + 1 if negated)
//! table     u32 bits of a bucket, u32 bits of a token; u8 slots of each bucket; u32 bytes of all slots; the slots
//! numbers   again an array each over all terms: f32 weight, u8 flags (1 used, 2 a name)
//! counts    by term, its reviews of each class that the model tells apart, as varints
//! texts     u32 number of the texts that it was learnt from; u32 half of the key of each
//! vectors   u8 1 if there are any; then words as above, and f32 idf, f32 pull, u32 reviews of each
//! u64       XXH3-64 of everything before it
//! ```
//!
//! A file is read whole, and its digest taken, in a few milliseconds; the table of terms stands in it as it is used.
//! Files of formats 5 and 6 are read too, which have no table, and vectors only in 6; those of format 4, which have no
//! texts either; and those of format 3: they have weights of 64 bits at their end, and counts of 32 bits before the flags.

use heddle_core::labels::{CLASSES, Classes, PerClass, Polarity};
use heddle_core::model::{Card, Model, Parts, TermArrays};
use heddle_core::resample::LearntTexts;
use heddle_core::settings::{Study, Value};
use heddle_core::terms::vectors::WordPulls;
use heddle_core::terms::{Emphasis, Lookup, Stems, Stored, TermId, TokenId, Words};
use heddle_core::text::{Concessions, Edition, Emoticons, Ratings, SetPhrases, Wishes};
use serde::{Deserialize, Serialize};
use xxhash_rust::xxh3::xxh3_64;

use crate::error::FileError;
use crate::model_check;
use crate::output::{Outputs, Written};
use crate::pieces::read_whole;

pub(crate) const MAGIC: &[u8; 8] = b"HEDDLE\r\n";
/// The format that is written.
const FORMAT: u32 = 7;
/// The last format that keeps no table of terms.
const WITHOUT_TABLE: u32 = 6;
/// The first format that keeps the texts that were learnt from.
const WITH_TEXTS: u32 = 5;
/// The oldest format that is read.
const OLDEST: u32 = 3;
/// About as many bytes as a term takes in a file.
const BYTES_A_TERM: usize = 24;
const DAMAGED: &str = "the model is damaged or cut short; copy it again, or train it again";
const USED: u8 = 1;
const NAME: u8 = 2;

/// The card as it stands in the file.
#[derive(Serialize, Deserialize)]
struct CardText {
    heddle: String,
    settings: serde_json::Map<String, serde_json::Value>,
    rule: String,
    classes: Vec<String>,
    card: Card,
}

/// The bytes of a model file. The same model gives the same bytes.
pub fn to_bytes(model: &Model) -> Vec<u8> {
    let study = model.study();
    let card = CardText {
        heddle: env!("CARGO_PKG_VERSION").into(),
        settings: study
            .settings()
            .into_iter()
            .map(|(path, value)| (path, serde_json::json!(value)))
            .collect(),
        rule: study.rule(false),
        classes: model.classes().list().iter().map(|class| class.name().to_string()).collect(),
        card: model.card().clone(),
    };
    let card = serde_json::to_vec(&card).expect("a card holds only strings, numbers and lists");
    let (parents, tokens) = model.vocabulary().paths();
    let arrays = model.arrays();
    let TermArrays { weights, neutral, kept, names, .. } = arrays;
    let mut bytes = Vec::with_capacity(card.len() + parents.len() * BYTES_A_TERM);
    bytes.extend(MAGIC);
    bytes.extend(FORMAT.to_le_bytes());
    bytes.extend((card.len() as u64).to_le_bytes());
    bytes.extend(card);
    bytes.extend(model.intercept().to_le_bytes());
    bytes.extend(model.half().to_le_bytes());
    put_words(model.word_list(), &mut bytes);
    bytes.extend((parents.len() as u32).to_le_bytes());
    bytes.extend(parents.iter().flat_map(|parent| parent.column().to_le_bytes()));
    bytes.extend(tokens.iter().flat_map(|token| token.bits().to_le_bytes()));
    put_table(model, &mut bytes);
    bytes.extend(weights.iter().chain(neutral).flat_map(|weight| weight.to_le_bytes()));
    bytes.extend(kept.iter().zip(names).map(|(kept, name)| u8::from(*kept) * USED + u8::from(*name) * NAME));
    let classes = told_apart(model.classes());
    for term in 0..parents.len() {
        let counts = arrays.counts_of(term);
        classes.iter().for_each(|class| put_varint(counts[*class], &mut bytes));
    }
    let learnt = model.learnt().halves();
    bytes.extend((learnt.len() as u32).to_le_bytes());
    bytes.extend(learnt.iter().flat_map(|half| half.to_le_bytes()));
    bytes.push(u8::from(model.vectors().is_some()));
    if let Some(WordPulls { words, idf, reviews, pulls, neutral, .. }) = model.vectors() {
        put_words(words, &mut bytes);
        bytes.extend(idf.iter().chain(pulls).chain(neutral).flat_map(|number| number.to_le_bytes()));
        bytes.extend(reviews.iter().flat_map(|count| count.to_le_bytes()));
    }
    bytes.extend(xxh3_64(&bytes).to_le_bytes());
    bytes
}

/// The classes whose counts a file holds, in the order in which it does.
fn told_apart(classes: Classes) -> Vec<Polarity> {
    CLASSES.into_iter().filter(|class| classes.list().contains(class)).collect()
}

/// Seven bits a byte, the lowest first; the highest bit tells that more follow.
fn put_varint(mut value: u32, bytes: &mut Vec<u8>) {
    while value >= 0x80 {
        bytes.push(value as u8 | 0x80);
        value >>= 7;
    }
    bytes.push(value as u8);
}

/// The table of terms, or that there is none: columns have no terms to be looked up.
fn put_table(model: &Model, bytes: &mut Vec<u8>) {
    let table = (!model.is_hashed()).then(|| model.vocabulary().lookup().stored()).flatten();
    let none = Stored { bits: [0; 2], counts: Vec::new(), slots: &[] };
    let Stored { bits, counts, slots } = table.unwrap_or(none);
    bytes.extend(bits.iter().flat_map(|bits| bits.to_le_bytes()));
    bytes.extend(counts);
    bytes.extend((slots.len() as u32).to_le_bytes());
    bytes.extend(slots);
}

fn put_words(words: &Words, bytes: &mut Vec<u8>) {
    let text: String = words.iter().collect();
    bytes.extend((words.len() as u32).to_le_bytes());
    bytes.extend((text.len() as u32).to_le_bytes());
    let mut end = 0u32;
    for word in words.iter() {
        end += word.len() as u32;
        bytes.extend(end.to_le_bytes());
    }
    bytes.extend(text.into_bytes());
}

/// Writes a model, which takes its name when the outputs are committed.
///
/// # Errors
/// If the file cannot be written.
pub fn write_model(outputs: &Outputs, path: &str, model: &Model) -> Result<Written, FileError> {
    outputs.write(path, &to_bytes(model))
}

/// Whether a file is a model, sound or not.
///
/// # Errors
/// If it cannot be read.
pub fn is_model(path: &str) -> Result<bool, FileError> {
    crate::framed::begins(path, *MAGIC)
}

/// Reads a model.
///
/// # Errors
/// If the file is no model, of a newer format, cut short or damaged.
pub fn read_model(path: &str) -> Result<Model, FileError> {
    Ok(read_model_and_bytes(path)?.0)
}

/// The same with the bytes of the file, which may be another's by the time it would be read again.
///
/// # Errors
/// As [`read_model`].
pub fn read_model_and_bytes(path: &str) -> Result<(Model, Vec<u8>), FileError> {
    let bytes = read_whole(path).map_err(|error| FileError::io(path, error))?;
    let model = from_bytes(&bytes).map_err(|message| FileError::Model { path: path.into(), message })?;
    Ok((model, bytes))
}

/// The model that these bytes hold.
///
/// # Errors
/// A sentence that says what is wrong and what to do.
pub fn from_bytes(bytes: &[u8]) -> Result<Model, String> {
    if !bytes.starts_with(MAGIC) {
        return Err("this is no Heddle model; `heddle train FILE --out model.heddle` makes one".into());
    }
    let damaged = || DAMAGED.to_string();
    let mut source = Source { bytes: &bytes[MAGIC.len()..] };
    let format = source.u32().ok_or_else(damaged)?;
    if format > FORMAT {
        return Err(format!(
            "the model has format {format}, this Heddle reads {OLDEST} to {FORMAT}; use a newer Heddle"
        ));
    }
    if format < OLDEST {
        return Err(format!(
            "the model has format {format}, this Heddle reads {OLDEST} to {FORMAT}; train it again"
        ));
    }
    let body = bytes.len().checked_sub(8).ok_or_else(damaged)?;
    let sum = u64::from_le_bytes(bytes[body..].try_into().map_err(|_| damaged())?);
    // Taken while what it vouches for is read: nothing of that is used, or told, before it is known.
    let (own, model) = rayon::join(|| xxh3_64(&bytes[..body]), || model_of(source, format));
    if sum == own { model } else { Err(damaged()) }
}

/// The model that is read behind its format.
fn model_of(mut source: Source<'_>, format: u32) -> Result<Model, String> {
    let damaged = || DAMAGED.to_string();
    source.bytes = source.bytes.split_last_chunk::<8>().ok_or_else(damaged)?.0;
    let length = source.u64().ok_or_else(damaged)?;
    let card = source.take(usize::try_from(length).map_err(|_| damaged())?).ok_or_else(damaged)?;
    let card: CardText =
        serde_json::from_slice(card).map_err(|error| format!("the card of the model: {error}"))?;
    let settings: Vec<(String, Value)> = card
        .settings
        .into_iter()
        .map(|(path, value)| serde_json::from_value(value).map(|value| (path, value)))
        .collect::<Result<_, _>>()
        .map_err(|error| format!("the settings of the model: {error}"))?;
    let mut study =
        Study::from_settings(&settings).map_err(|error| format!("the settings of the model: {error}"))?;
    // Files of a time before these settings mean what was done then, whatever the defaults are now.
    let knows = |path: &str| settings.iter().any(|(own, _)| own == path);
    if study.terms.letters.is_some() && !knows("terms.letters_scale") {
        study.terms.letters_scale = 1.0;
    }
    if !knows("terms.stems") {
        study.terms.stems = Stems::None;
    }
    if !knows("terms.marked_scale") {
        study.terms.marked_scale = 1.0;
    }
    if !knows("text.emoticons") {
        study.text.emoticons = Emoticons::Keep;
    }
    if !knows("negation.phrases") {
        study.negation.phrases = SetPhrases::Keep;
    }
    if !knows("negation.edition") {
        study.negation.edition = Edition::First;
        study.negation.concessions = Concessions::Keep;
        study.negation.wishes = Wishes::Keep;
    }
    if !knows("text.ratings") {
        study.text.ratings = Ratings::Keep;
    }
    let signed = study.terms.emphasis == Emphasis::ClassRatio && !knows("terms.emphasis_least");
    let mut parts = source.parts(format, study, card.card).ok_or_else(damaged)?;
    if signed {
        parts = parts.with_signed_emphasis();
    }
    let contradicts = |what: String| {
        format!("the model contradicts itself: {what}; no training makes such a one: train it again")
    };
    model_check::check(&parts, &card.classes).map_err(contradicts)?;
    let model = Model::from_parts(parts);
    match model.has_doubles() {
        true => Err(contradicts("a term stands in it twice".into())),
        false => Ok(model),
    }
}

/// What is left to read.
struct Source<'a> {
    bytes: &'a [u8],
}

impl<'a> Source<'a> {
    fn take(&mut self, length: usize) -> Option<&'a [u8]> {
        let (head, rest) = self.bytes.split_at_checked(length)?;
        self.bytes = rest;
        Some(head)
    }

    fn array<const N: usize>(&mut self) -> Option<[u8; N]> {
        self.take(N)?.try_into().ok()
    }

    fn u32(&mut self) -> Option<u32> {
        self.array().map(u32::from_le_bytes)
    }

    fn u64(&mut self) -> Option<u64> {
        self.array().map(u64::from_le_bytes)
    }

    /// An array of numbers of 4 bytes.
    fn fours<T>(&mut self, count: usize, of: impl Fn([u8; 4]) -> T) -> Option<Vec<T>> {
        let (fours, _) = self.take(count.checked_mul(4)?)?.as_chunks();
        Some(fours.iter().map(|four| of(*four)).collect())
    }

    fn u32s(&mut self, count: usize) -> Option<Vec<u32>> {
        self.fours(count, u32::from_le_bytes)
    }

    #[inline]
    fn varint(&mut self) -> Option<u32> {
        if let [byte @ ..0x80, rest @ ..] = self.bytes {
            self.bytes = rest; // as nearly all are
            return Some((*byte).into());
        }
        let mut value = 0u32;
        for shift in (0..32).step_by(7) {
            let (&byte, rest) = self.bytes.split_first()?;
            self.bytes = rest;
            let part = u32::from(byte & 0x7f);
            value |= part << shift;
            if byte < 0x80 {
                // One way to write a number, and none that does not fit.
                let sound = part << shift >> shift == part && (part > 0 || shift == 0);
                return sound.then_some(value);
            }
        }
        None
    }

    fn words(&mut self, count: usize, length: usize) -> Option<Words> {
        let ends = self.u32s(count)?;
        let text = std::str::from_utf8(self.take(length)?).ok()?;
        let mut start = 0;
        let mut words = Words::with_capacity(count);
        for end in ends {
            words.intern(text.get(start..end as usize)?);
            start = end as usize;
        }
        (words.len() == count).then_some(words)
    }

    fn paths(&mut self, count: usize) -> Option<(Vec<TermId>, Vec<TokenId>)> {
        let parents = self.fours(count, |four| TermId::new(u32::from_le_bytes(four)))?;
        let tokens = self.fours(count, |four| TokenId::from_bits(u32::from_le_bytes(four)))?;
        Some((parents, tokens))
    }

    /// The parts after the card: whole, and with nothing that points outside of them. The words, the paths and
    /// what else is known of the terms are read at the same time.
    fn parts(&mut self, format: u32, study: Study, card: Card) -> Option<Parts> {
        let (intercept, half) = (f64::from_le_bytes(self.array()?), f64::from_le_bytes(self.array()?));
        let ends = self.u32()? as usize;
        let length = self.u32()? as usize;
        let mut of_words = Self { bytes: self.take(ends.checked_mul(4)?.checked_add(length)?)? };
        let count = self.u32()? as usize;
        let mut of_paths = Self { bytes: self.take(count.checked_mul(8)?)? };
        let table = if format > WITHOUT_TABLE { self.table()? } else { None };
        let paths = || {
            let paths = of_paths.paths(count)?;
            let several = paths.0.iter().filter(|parent| parent.some().is_some()).count();
            Some((paths, several))
        };
        let numbers = || {
            let classes = told_apart(Classes::of(card.mix));
            match format {
                OLDEST => self.old_arrays(count),
                _ => self.arrays(count, &classes, card.is_free()),
            }
        };
        let lookup = || table.map(|table| Lookup::from_stored(count, &table));
        let ((paths, lookup), (words, terms)) = rayon::join(
            || rayon::join(paths, lookup),
            || rayon::join(|| of_words.words(ends, length), numbers),
        );
        let (((parents, tokens), several), words, terms) = (paths?, words?, terms?);
        let lookup = match lookup {
            Some(lookup) => Some(lookup.filter(|own| own.len() == several)?),
            None => None,
        };
        let learnt = match format {
            WITH_TEXTS.. => self.learnt()?,
            _ => LearntTexts::default(),
        };
        let has_vectors = match format {
            FORMAT.. => self.array::<1>()? != [0],
            _ => format == WITHOUT_TABLE,
        };
        let vectors = if has_vectors { Some(self.vectors(card.is_free())?) } else { None };
        let hashed = study.terms.hashed;
        let known = |token: &TokenId| match hashed {
            0 => (token.word() as usize) < words.len(),
            bits => token.bits() >> bits == 0,
        };
        let before = |term: usize, parent: &TermId| {
            parent.some().is_none_or(|parent| hashed == 0 && parent.place() < term)
        };
        let unsound = |term: usize| !(known(&tokens[term]) && before(term, &parents[term]));
        if !self.bytes.is_empty() || model_check::first(count, unsound).is_some() {
            return None;
        }
        Some(Parts { study, words, parents, tokens, terms, intercept, half, card, learnt, vectors, lookup })
    }

    /// The table of terms, where there is one.
    fn table(&mut self) -> Option<Option<Stored<'a>>> {
        let bits = [self.u32()?, self.u32()?];
        let buckets = if bits[0] > 0 { 1usize.checked_shl(bits[0])? } else { 0 };
        let counts = self.take(buckets)?.to_vec();
        let length = self.u32()? as usize;
        let slots = self.take(length)?;
        Some((buckets > 0).then_some(Stored { bits, counts, slots }))
    }

    fn vectors(&mut self, free: bool) -> Option<WordPulls> {
        let (count, length) = (self.u32()? as usize, self.u32()? as usize);
        let words = self.words(count, length)?;
        let (idf, pulls) = (self.fours(count, f32::from_le_bytes)?, self.fours(count, f32::from_le_bytes)?);
        let neutral = self.fours(if free { count } else { 0 }, f32::from_le_bytes)?;
        Some(WordPulls::new(words, (idf, self.u32s(count)?), (pulls, neutral)))
    }

    fn learnt(&mut self) -> Option<LearntTexts> {
        let count = self.u32()? as usize;
        LearntTexts::from_halves(self.u32s(count)?)
    }

    fn arrays(&mut self, count: usize, classes: &[Polarity], free: bool) -> Option<TermArrays> {
        let weights = self.fours(count, f32::from_le_bytes)?;
        let neutral = self.fours(if free { count } else { 0 }, f32::from_le_bytes)?;
        let of_flags = self.take(count)?;
        let known = |class: Polarity| if classes.contains(&class) { count } else { 0 };
        let mut counts: PerClass<Vec<u32>> = PerClass::of(|class| vec![0; known(class)]);
        let mut own: Vec<&mut [u32]> =
            counts.iter_mut().map(Vec::as_mut_slice).filter(|own| !own.is_empty()).collect();
        // A source of their own, which stays in registers: there are two million of them.
        let mut source = Self { bytes: self.bytes };
        let read = || {
            for term in 0..count {
                for own in &mut own {
                    own[term] = source.varint()?;
                }
            }
            Some(source.bytes)
        };
        let (left, (kept, names)) = rayon::join(read, || flags(of_flags));
        self.bytes = left?;
        Some(TermArrays { counts, weights, neutral, kept, names })
    }

    /// As [`arrays`](Self::arrays), of a file of format 3.
    fn old_arrays(&mut self, count: usize) -> Option<TermArrays> {
        let counts = PerClass::from([self.u32s(count)?, self.u32s(count)?, self.u32s(count)?])
            .map(|own| if own.iter().all(|count| *count == 0) { Vec::new() } else { own });
        let (kept, names) = flags(self.take(count)?);
        let (weights, _) = self.take(count.checked_mul(8)?)?.as_chunks();
        let weights = weights.iter().map(|eight| f64::from_le_bytes(*eight) as f32).collect();
        Some(TermArrays { counts, weights, neutral: Vec::new(), kept, names })
    }
}

/// Which terms are used, and which are names.
fn flags(bytes: &[u8]) -> (Vec<bool>, Vec<bool>) {
    let has = |flag: u8| bytes.iter().map(|byte| byte & flag != 0).collect();
    (has(USED), has(NAME))
}
