//! The keys of cleaning, negation and terms.

use std::str::FromStr;

use super::key::{Key, at, percent, share, text, whole};
use super::kind::{Kind, Range};
use super::value::Value;
use crate::beside::ColumnUse;
use crate::choice::Choice;
use crate::terms::made_of::{LONGEST, MadeOf};
use crate::terms::rules::{Bound, KindFloor, LONGEST_LETTERS};
use crate::terms::weigh::Weighting;
use crate::text::language::Language;
use crate::text::recipe::StopList;

pub(super) fn text_keys() -> Vec<Key> {
    vec![
        Key::parsed(
            "text.languages",
            "the languages of the texts; each is read by the tables of its own, one too short to tell by those of the first",
            Kind::Forms {
                about: "a list of english, german, french, spanish, italian, dutch; or other",
                pattern: "^\\s*$|^(english|german|french|spanish|italian|dutch|other)$",
            },
            at!(text.languages),
            (|language: &Language| language.name().into(), named_language),
        ),
        Key::flag(
            "text.apart",
            "whether each language has words of its own, where text.languages names several",
            at!(text.apart),
        ),
        Key::choice("text.markup", "tags such as <br> and references such as &amp;", at!(text.markup)),
        Key::lines("text.replace", "phrases that are read as others", "from,to", at!(text.replace)),
        Key::choice("text.links", "web and mail addresses", at!(text.links)),
        Key::choice("text.hashtags", "hashtags", at!(text.hashtags)),
        Key::choice("text.numbers", "numbers, prices and times", at!(text.numbers)),
        Key::choice(
            "text.ratings",
            "ratings such as \"7/10\" and \"three stars\": kept, or read as one token each",
            at!(text.ratings),
        ),
        Key::choice("text.case", "capital letters", at!(text.case)),
        Key::flag(
            "text.contractions",
            "whether \"isn't\" becomes \"is\" and \"not\"",
            at!(text.contractions),
        ),
        Key::choice("text.elongation", "stretched words: \"sooooo\" becomes \"soo\"", at!(text.elongation)),
        Key::choice("text.joined", "words joined as in \"check-in\" and \"and/or\"", at!(text.joined)),
        Key::choice("text.emoticons", "emoticons and emoji", at!(text.emoticons)),
        Key::choice(
            "text.punctuation",
            "punctuation marks: \"!\" and \"?\" are tokens, none is, or all are and n-grams run across them",
            at!(text.punctuation),
        ),
        Key::choice("text.repeats", "repeated marks: \"!!!!\" becomes \"!!\"", at!(text.repeats)),
        stoplist_key(),
        Key::lines(
            "text.stop_also",
            "more words that are left out, negators included",
            "word",
            at!(text.stop_also),
        ),
        Key::whole(
            "text.shortest",
            "the shortest word, in letters; negators stay",
            1..=20,
            at!(text.shortest),
        ),
        Key::choice("text.stem", "the language whose endings are cut off", at!(text.stem)),
    ]
}

/// Reads the name of a language.
fn named_language(written: &str) -> Result<Language, String> {
    Language::from_name(written.trim()).ok_or_else(|| {
        let names: Vec<&str> = Language::ALL.iter().map(|language| language.name()).collect();
        format!("`{written}` is no language that is known: expected {}", names.join(", "))
    })
}

/// Lists of words that come along.
const LISTS: [&str; 8] = ["none", "own", "english", "german", "french", "spanish", "italian", "dutch"];

fn stoplist_key() -> Key {
    Key::new(
        "text.stoplist",
        "words that are left out: the function words of a language, or of text.languages (own), or a list; negators stay",
        Kind::Lines { header: "word", words: &LISTS },
        |study| match &study.text.stoplist {
            StopList::None => Value::Text("none".into()),
            StopList::Own => Value::Text("own".into()),
            StopList::Of(language) => Value::Text(language.name().into()),
            StopList::Words(words) => Value::List(words.clone()),
        },
        |study, value| {
            study.text.stoplist = match value {
                Value::Text(name) if name == "none" => StopList::None,
                Value::Text(name) if name == "own" => StopList::Own,
                Value::Text(name) => {
                    StopList::Of(Language::from_name(name).filter(|own| *own != Language::Other)?)
                }
                Value::List(words) => StopList::Words(words.clone()),
                _ => return None,
            };
            Some(())
        },
    )
}

pub(super) fn negation_keys() -> Vec<Key> {
    vec![
        Key::choice("negation.scope", "where the reach of a negator ends", at!(negation.scope)),
        Key::whole("negation.reach", "the longest scope, in words", 1..=1000, at!(negation.reach)),
        Key::choice(
            "negation.style",
            "a negated word counts as marked, also as plain, or also as one plain word less",
            at!(negation.style),
        ),
        Key::choice("negation.cues", "whether negators are terms themselves", at!(negation.cues)),
        Key::choice(
            "negation.prefixes",
            "words such as \"unfriendly\": kept, or read as negated",
            at!(negation.prefixes),
        ),
        Key::choice(
            "negation.phrases",
            "set phrases such as \"hard to fault\": kept, or read as ‹praise› or ‹blame›",
            at!(negation.phrases),
        ),
        Key::choice(
            "negation.concessions",
            "what is conceded (\"clean, but cold\") and what is said of others: kept, or counted half and not at all",
            at!(negation.concessions),
        ),
        Key::choice(
            "negation.wishes",
            "wishes and what might have been (\"could have been good\"): kept, or read as negated",
            at!(negation.wishes),
        ),
        Key::choice(
            "negation.edition",
            "the rules of scopes, of what negated words take back, and the known expressions: those of today, or of models of before",
            at!(negation.edition),
        ),
        Key::lines(
            "negation.also",
            "expressions beside those that are known",
            "expression,effect",
            at!(negation.also),
        ),
    ]
}

/// What counts beside terms.
pub(super) fn feature_keys() -> Vec<Key> {
    vec![
        Key::flag(
            "features.text",
            "whether the words of a review count; false leaves the columns alone",
            at!(features.text),
        ),
        Key::parsed(
            "features.columns",
            "columns that count beside the words, such as \"channel\", \"posted:hour\", \"price:bands\", \"text:words\"",
            Kind::Names,
            at!(features.columns),
            (ColumnUse::to_string, ColumnUse::parse),
        ),
        Key::name(
            "features.vectors",
            "word vectors whose means count beside the words: a file, seen from the study, or \"reviews\" to make them from those",
            Kind::Form { about: "a file, \"reviews\", or \"\" for none", pattern: "" },
            at!(features.vectors),
        ),
        Key::whole(
            "features.at_least",
            "fewer training reviews of a category leave it among the others",
            1..=1_000_000,
            at!(features.at_least),
        ),
        Key::parsed(
            "features.penalties",
            "how many times the penalty on terms weighs on a column, such as \"channel=3\"; 1 where nothing is said",
            Kind::Forms {
                about: "columns with a number above 0 each, such as \"channel=3\"",
                pattern: "^\\s*$|^[^=]+=\\s*[0-9.]+(e[+-]?[0-9]+)?\\s*$",
            },
            at!(features.penalties),
            (|(name, factor): &(String, f64)| format!("{name}={factor}"), penalty),
        ),
    ]
}

/// Reads "channel=3": a name and a number.
fn named<N: FromStr>(written: &str) -> Option<(&str, N)> {
    let (name, number) = written.rsplit_once('=')?;
    Some((name.trim(), number.trim().parse().ok()?))
}

fn penalty(written: &str) -> Result<(String, f64), String> {
    let above = |(_, factor): &(&str, f64)| *factor > 0.0 && factor.is_finite();
    let read = named(written).filter(above).map(|(name, factor)| (name.into(), factor));
    read.ok_or_else(|| {
        format!("`{written}`: write a column of features.columns and a number above 0, such as channel=3")
    })
}

fn floor_of_kind(written: &str) -> Result<KindFloor, String> {
    let read = named(written).filter(|(_, reviews)| *reviews > 0);
    let read = read.and_then(|(kind, reviews)| Some(KindFloor { kind: MadeOf::parse(kind)?, reviews }));
    read.ok_or_else(|| {
        format!(
            "`{written}`: write a kind of terms (a number of words from 1 to {LONGEST}, letters or stems) and the fewest \
             reviews, such as 3=5"
        )
    })
}

pub(super) fn term_keys() -> Vec<Key> {
    vec![
        Key::choice(
            "terms.recipe",
            "what becomes a term: sets terms.words, terms.letters, terms.stems and text.punctuation",
            at!(terms.recipe),
        ),
        Key::lengths("terms.words", "n-gram lengths, in words", LONGEST, at!(terms.words)),
        Key::lengths(
            "terms.letters",
            "n-gram lengths in letters, inside words",
            LONGEST_LETTERS,
            at!(terms.letters),
        ),
        Key::number(
            "terms.letters_scale",
            "weight of n-grams of letters beside those of words",
            Range::POSITIVE,
            at!(terms.letters_scale),
        ),
        Key::choice(
            "terms.stems",
            "stems beside words: \"enjoy-\" beside \"enjoyed\"; auto: in up to two million tokens; never where text.stem cuts endings or terms are hashed",
            at!(terms.stems),
        ),
        Key::number(
            "terms.stems_scale",
            "weight of stems beside words",
            Range::POSITIVE,
            at!(terms.stems_scale),
        ),
        Key::number(
            "terms.marked_scale",
            "weight of terms with a negated word beside those without; 1 where terms are hashed",
            Range::POSITIVE,
            at!(terms.marked_scale),
        ),
        weighting_key(),
        Key::choice(
            "terms.emphasis",
            "terms weighed by how unevenly the classes use them",
            at!(terms.emphasis),
        ),
        Key::number(
            "terms.emphasis_least",
            "emphasis of a term that both poles use alike",
            Range { least: 0.0, above: false, most: 1000.0, below: false },
            at!(terms.emphasis_least),
        ),
        Key::whole_or(
            "terms.at_least",
            "a term found in fewer training reviews is left out; auto: 1 where up to 1,500 reviews are labelled; where there are more 2, and 4 of terms of three words and more",
            ("auto", 1..=u32::MAX),
            at!(terms.at_least),
        ),
        Key::parsed(
            "terms.at_least_of",
            "the same for some kinds of terms: \"3=5\" for terms of three words, \"letters=3\", \"stems=3\"",
            Kind::Forms {
                about: "kinds of terms with a whole number from 1 each, such as \"3=5\" and \"letters=3\"",
                pattern: "^\\s*$|^\\s*([1-9]|letters|stems)\\s*=\\s*[1-9][0-9]*\\s*$",
            },
            at!(terms.at_least_of),
            (KindFloor::to_string, floor_of_kind),
        ),
        Key::whole(
            "terms.at_least_groups",
            "a term found in fewer groups of reviews that are tied together is left out",
            1..=u64::from(u32::MAX),
            at!(terms.at_least_groups),
        ),
        at_most_key(),
        Key::whole(
            "terms.limit",
            "keep this many terms, the most frequent; 0 for no limit",
            0..=u64::from(u32::MAX),
            at!(terms.limit),
        ),
        Key::share(
            "terms.best",
            "keep this share of the terms, ranked by association with the classes",
            Range::UP_TO_ONE,
            at!(terms.best),
        ),
        Key::choice("terms.association", "what terms.best ranks by", at!(terms.association)),
        Key::choice(
            "terms.combine",
            "a term must pass terms.limit and terms.best, or one of them",
            at!(terms.combine),
        ),
        Key::lines("terms.include", "terms that are kept whatever the rules say", "term", at!(terms.include)),
        Key::lines(
            "terms.only",
            "the only terms that are kept, as `terms` spells them",
            "term",
            at!(terms.only),
        ),
        Key::lines("terms.exclude", "terms that are left out", "term", at!(terms.exclude)),
        hashed_key(),
    ]
}

fn weighting_key() -> Key {
    Key::new(
        "terms.weighting",
        "term factor, document factor and normalisation",
        Kind::Form {
            about: "three SMART letters: n, l, a, b, L or f; n, t, p or s; n, c or u",
            pattern: "^[nlabLf][ntps][ncu]$",
        },
        |study| Value::Text(study.terms.weighting.to_string()),
        |study, value| {
            study.terms.weighting = Weighting::parse(text(value)?)?;
            Some(())
        },
    )
}

fn at_most_key() -> Key {
    Key::new(
        "terms.at_most",
        "a term found in more training reviews is left out",
        Kind::Either(vec![
            Kind::Whole { least: 1, most: u64::from(u32::MAX) },
            Kind::Share(Range::UP_TO_ONE),
        ]),
        |study| match study.terms.at_most {
            Bound::Reviews(count) => Value::Number(count.into()),
            Bound::Share(share) => percent(share),
        },
        |study, value| {
            study.terms.at_most = match value {
                Value::Number(_) => Bound::Reviews(whole(value, &(1..=u64::from(u32::MAX)))? as u32),
                other => Bound::Share(share(other, Range::UP_TO_ONE)?),
            };
            Some(())
        },
    )
}

fn hashed_key() -> Key {
    Key::new(
        "terms.hashed",
        "terms share 2 to the power of this many columns, and no list is kept; 0 for a list",
        Kind::Either(vec![Kind::Whole { least: 0, most: 0 }, Kind::Whole { least: 8, most: 24 }]),
        |study| Value::Number(study.terms.hashed.into()),
        |study, value| {
            let bits = whole(value, &(0..=24))? as u32;
            study.terms.hashed = Some(bits).filter(|bits| *bits == 0 || *bits >= 8)?;
            Some(())
        },
    )
}
