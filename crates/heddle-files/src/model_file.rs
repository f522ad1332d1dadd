//! Model files.
//!
//! Format 3, all numbers little-endian; `docs/model-file.md` describes it for readers in
//! other languages.
//!
//! ```text
//! 8 bytes   "HEDDLE\r\n"
//! u32       format, 3
//! u64       length of the card
//! card      JSON: program version, settings, rule, classes, counts, figures
//! f64       intercept; f64 half the width of the neutral zone
//! u32       number of words; u32 length of their text; u32 end of each; the text (UTF-8)
//! u32       number of terms; then, each as one array over all terms:
//!           u32 parent (or 2^32 - 1), u32 last token (2 x word + 1 if negated),
//!           u32 negative reviews, u32 positive reviews, u32 neutral reviews,
//!           u8 flags (1 used, 2 a name), f64 weight
//! u64       XXH3-64 of everything before it
//! ```

use std::fs;

use heddle_core::labels::{CLASSES, PerClass};
use heddle_core::model::{Card, Model, Parts, Term};
use heddle_core::settings::{Study, Value};
use heddle_core::terms::{TermId, TokenId, Words};
use serde::{Deserialize, Serialize};
use xxhash_rust::xxh3::xxh3_64;

use crate::error::FileError;
use crate::model_check;
use crate::output::{Outputs, Written};

pub(crate) const MAGIC: &[u8; 8] = b"HEDDLE\r\n";
const FORMAT: u32 = 3;
const USED: u8 = 1;
const NAME: u8 = 2;
const NO_PARENT: u32 = u32::MAX;

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
    let parts = model.parts();
    let settings = parts.study.settings();
    let card = CardText {
        heddle: env!("CARGO_PKG_VERSION").into(),
        settings: settings.into_iter().map(|(path, value)| (path, serde_json::json!(value))).collect(),
        rule: parts.study.polarity.to_string(),
        classes: model.classes().list().iter().map(|class| class.name().to_string()).collect(),
        card: parts.card,
    };
    let card = serde_json::to_vec(&card).expect("a card holds only strings, numbers and lists");
    let mut bytes = Vec::new();
    bytes.extend(MAGIC);
    bytes.extend(FORMAT.to_le_bytes());
    bytes.extend((card.len() as u64).to_le_bytes());
    bytes.extend(card);
    bytes.extend(parts.intercept.to_le_bytes());
    bytes.extend(parts.half.to_le_bytes());
    put_words(&parts.words, &mut bytes);
    bytes.extend((parts.paths.len() as u32).to_le_bytes());
    let parent = |parent: Option<TermId>| parent.map_or(NO_PARENT, TermId::column);
    parts.paths.iter().for_each(|(term, _)| bytes.extend(parent(*term).to_le_bytes()));
    parts.paths.iter().for_each(|(_, token)| bytes.extend(token.bits().to_le_bytes()));
    for class in CLASSES {
        parts.terms.iter().for_each(|term| bytes.extend(term.counts[class].to_le_bytes()));
    }
    let flags = |term: &Term| u8::from(term.kept) * USED + u8::from(term.name) * NAME;
    bytes.extend(parts.terms.iter().map(flags));
    parts.terms.iter().for_each(|term| bytes.extend(term.weight.to_le_bytes()));
    bytes.extend(xxh3_64(&bytes).to_le_bytes());
    bytes
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

/// Reads a model.
///
/// # Errors
/// If the file is no model, of a newer format, cut short or damaged.
pub fn read_model(path: &str) -> Result<Model, FileError> {
    let bytes = fs::read(path).map_err(|error| FileError::io(path, error))?;
    from_bytes(&bytes).map_err(|message| FileError::Model { path: path.into(), message })
}

/// The model that these bytes hold.
///
/// # Errors
/// A sentence that says what is wrong and what to do.
pub fn from_bytes(bytes: &[u8]) -> Result<Model, String> {
    if !bytes.starts_with(MAGIC) {
        return Err("this is no Heddle model; `heddle train FILE --out model.heddle` makes one".into());
    }
    let damaged = || "the model is damaged or cut short; copy it again, or train it again".to_string();
    let mut source = Source { bytes: &bytes[MAGIC.len()..] };
    let format = source.u32().ok_or_else(damaged)?;
    if format > FORMAT {
        return Err(format!("the model has format {format}, this Heddle reads {FORMAT}; use a newer Heddle"));
    }
    if format < FORMAT {
        return Err(format!("the model has format {format}, this Heddle reads {FORMAT}; train it again"));
    }
    let body = bytes.len().checked_sub(8).ok_or_else(damaged)?;
    let sum = u64::from_le_bytes(bytes[body..].try_into().map_err(|_| damaged())?);
    if sum != xxh3_64(&bytes[..body]) {
        return Err(damaged());
    }
    source.bytes = &source.bytes[..source.bytes.len() - 8];
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
    let study =
        Study::from_settings(&settings).map_err(|error| format!("the settings of the model: {error}"))?;
    let parts = source.parts(study, card.card).ok_or_else(damaged)?;
    model_check::check(&parts, &card.classes).map_err(|what| {
        format!("the model contradicts itself: {what}; no training makes such a one: train it again")
    })?;
    Ok(Model::from_parts(parts))
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

    fn u32s(&mut self, count: usize) -> Option<Vec<u32>> {
        let bytes = self.take(count.checked_mul(4)?)?;
        Some(
            bytes
                .chunks_exact(4)
                .map(|four| u32::from_le_bytes([four[0], four[1], four[2], four[3]]))
                .collect(),
        )
    }

    fn words(&mut self) -> Option<Words> {
        let (count, length) = (self.u32()? as usize, self.u32()? as usize);
        let ends = self.u32s(count)?;
        let text = std::str::from_utf8(self.take(length)?).ok()?;
        let mut start = 0;
        let mut words = Words::default();
        for end in ends {
            words.intern(text.get(start..end as usize)?);
            start = end as usize;
        }
        (words.len() == count).then_some(words)
    }

    /// The parts after the card: whole, and with nothing that points outside of them.
    fn parts(&mut self, study: Study, card: Card) -> Option<Parts> {
        let (intercept, half) = (f64::from_le_bytes(self.array()?), f64::from_le_bytes(self.array()?));
        let words = self.words()?;
        let count = self.u32()? as usize;
        let (parents, tokens) = (self.u32s(count)?, self.u32s(count)?);
        let counts = PerClass::from([self.u32s(count)?, self.u32s(count)?, self.u32s(count)?]);
        let flags = self.take(count)?;
        let weights = self.take(count.checked_mul(8)?)?;
        let hashed = study.terms.hashed;
        let sound = |(term, (parent, token)): (usize, (&u32, &u32))| {
            let known =
                if hashed > 0 { *token >> hashed == 0 } else { ((token >> 1) as usize) < words.len() };
            known && (*parent == NO_PARENT || hashed == 0 && (*parent as usize) < term)
        };
        if !self.bytes.is_empty() || !parents.iter().zip(&tokens).enumerate().all(sound) {
            return None;
        }
        let parent = |parent: u32| (parent != NO_PARENT).then(|| TermId::new(parent));
        let weight = |eight: &[u8]| eight.try_into().map(f64::from_le_bytes).ok();
        let weights: Vec<f64> = weights.chunks_exact(8).map(weight).collect::<Option<_>>()?;
        let term = |at: usize| Term {
            counts: PerClass::of(|class| counts[class][at]),
            document_factor: 0.0,
            weight: weights[at],
            kept: flags[at] & USED != 0,
            name: flags[at] & NAME != 0,
        };
        Some(Parts {
            study,
            words,
            paths: parents.into_iter().map(parent).zip(tokens.into_iter().map(TokenId::from_bits)).collect(),
            terms: (0..count).map(term).collect(),
            intercept,
            half,
            card,
        })
    }
}
