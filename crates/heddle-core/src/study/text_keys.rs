//! The keys of cleaning, negation and terms.

use super::key::{Key, Value, percent, share, text, whole};
use crate::terms::rules::{Bound, LONGEST, LONGEST_LETTERS};
use crate::terms::weigh::Weighting;
use crate::text::recipe::StopList;

pub(super) fn text_keys() -> Vec<Key> {
    vec![
        Key::choice("text.markup", "tags such as <br> and references such as &amp;", |s| &mut s.text.markup),
        Key::lines("text.replace", "from,to", "phrases that are read as others", |s| &mut s.text.replace),
        Key::choice("text.links", "web and mail addresses", |s| &mut s.text.links),
        Key::choice("text.hashtags", "hashtags", |s| &mut s.text.hashtags),
        Key::choice("text.numbers", "numbers, prices and times", |s| &mut s.text.numbers),
        Key::choice("text.case", "capital letters", |s| &mut s.text.case),
        Key::new(
            "text.contractions",
            "true or false",
            "whether \"isn't\" becomes \"is\" and \"not\"",
            |study| Value::Flag(study.text.contractions),
            |study, value| match value {
                Value::Flag(flag) => {
                    study.text.contractions = *flag;
                    Some(())
                }
                _ => None,
            },
        ),
        Key::choice("text.elongation", "stretched words: \"sooooo\" becomes \"soo\"", |s| {
            &mut s.text.elongation
        }),
        Key::choice("text.joined", "words joined as in \"check-in\" and \"and/or\"", |s| &mut s.text.joined),
        Key::choice("text.emoticons", "emoticons and emoji", |s| &mut s.text.emoticons),
        Key::choice("text.punctuation", "\"!\" and \"?\" as tokens", |s| &mut s.text.punctuation),
        Key::choice("text.repeats", "repeated marks: \"!!!!\" becomes \"!!\"", |s| &mut s.text.repeats),
        stoplist_key(),
        Key::lines("text.stop_also", "word", "more words that are left out, negators included", |s| {
            &mut s.text.stop_also
        }),
        Key::number(
            "text.shortest",
            "a whole number from 1 to 20",
            "the shortest word, in letters; negators stay",
            |s| s.text.shortest.into(),
            |s, number| {
                s.text.shortest = whole(number, 1.0..=20.0)? as u32;
                Some(())
            },
        ),
        Key::choice("text.stem", "the language whose endings are cut off", |s| &mut s.text.stem),
    ]
}

fn stoplist_key() -> Key {
    let key = Key::new(
        "text.stoplist",
        "\"none\", \"english\", a list of words, or a file with one word a line",
        "words that are left out; negators among them stay",
        |study| match &study.text.stoplist {
            StopList::None => Value::Text("none".into()),
            StopList::English => Value::Text("english".into()),
            StopList::Words(words) => Value::List(words.clone()),
        },
        |study, value| {
            study.text.stoplist = match value {
                Value::Text(name) if name == "none" => StopList::None,
                Value::Text(name) if name == "english" => StopList::English,
                Value::List(words) => StopList::Words(words.clone()),
                _ => return None,
            };
            Some(())
        },
    );
    key.or_file("word", &["none", "english"])
}

pub(super) fn negation_keys() -> Vec<Key> {
    vec![
        Key::choice("negation.scope", "where the reach of a negator ends", |s| &mut s.negation.scope),
        Key::number(
            "negation.reach",
            "a whole number from 1 to 1000",
            "the longest scope, in words",
            |s| s.negation.reach.into(),
            |s, number| {
                s.negation.reach = whole(number, 1.0..=1000.0)? as u32;
                Some(())
            },
        ),
        Key::choice(
            "negation.style",
            "a negated word counts as marked, also as plain, or also as one plain word less",
            |s| &mut s.negation.style,
        ),
        Key::choice("negation.cues", "whether negators are terms themselves", |s| &mut s.negation.cues),
        Key::choice("negation.prefixes", "words such as \"unfriendly\": kept, or read as negated", |s| {
            &mut s.negation.prefixes
        }),
        Key::lines("negation.also", "expression,effect", "expressions beside those that are known", |s| {
            &mut s.negation.also
        }),
    ]
}

pub(super) fn term_keys() -> Vec<Key> {
    vec![
        Key::lengths("terms.words", LONGEST, "n-gram lengths, in words", |s| &mut s.terms.words),
        Key::lengths("terms.letters", LONGEST_LETTERS, "n-gram lengths in letters, inside words", |s| {
            &mut s.terms.letters
        }),
        Key::new(
            "terms.weighting",
            "three SMART letters: n, l, a, b or L; n, t, p or s; n, c or u",
            "term factor, document factor and normalisation",
            |study| Value::Text(study.terms.weighting.to_string()),
            |study, value| {
                study.terms.weighting = Weighting::parse(text(value)?)?;
                Some(())
            },
        ),
        Key::choice("terms.emphasis", "terms weighed by how unevenly the classes use them", |s| {
            &mut s.terms.emphasis
        }),
        Key::number(
            "terms.at_least",
            "a whole number from 1",
            "a term found in fewer training reviews is left out",
            |s| s.terms.at_least.into(),
            |s, number| {
                s.terms.at_least = whole(number, 1.0..=f64::from(u32::MAX))? as u32;
                Some(())
            },
        ),
        Key::number(
            "terms.at_least_groups",
            "a whole number from 1",
            "a term found in fewer groups of reviews that are tied together is left out",
            |s| s.terms.at_least_groups.into(),
            |s, number| {
                s.terms.at_least_groups = whole(number, 1.0..=f64::from(u32::MAX))? as u32;
                Some(())
            },
        ),
        Key::new(
            "terms.at_most",
            "a number of reviews, or a share such as \"50%\"",
            "a term found in more training reviews is left out",
            |study| match study.terms.at_most {
                Bound::Reviews(count) => Value::Number(count.into()),
                Bound::Share(share) => percent(share),
            },
            |study, value| {
                study.terms.at_most = match value {
                    Value::Number(number) => {
                        Bound::Reviews(whole(*number, 1.0..=f64::from(u32::MAX))? as u32)
                    }
                    other => Bound::Share(share(other)?),
                };
                Some(())
            },
        ),
        Key::number(
            "terms.limit",
            "a whole number; 0 for no limit",
            "keep this many terms, the most frequent",
            |s| s.terms.limit.into(),
            |s, number| {
                s.terms.limit = whole(number, 0.0..=f64::from(u32::MAX))? as u32;
                Some(())
            },
        ),
        Key::new(
            "terms.best",
            "a share such as \"20%\"",
            "keep this share of the terms, ranked by association with the classes",
            |study| percent(study.terms.best),
            |study, value| {
                study.terms.best = share(value)?;
                Some(())
            },
        ),
        Key::choice("terms.association", "what terms.best ranks by", |s| &mut s.terms.association),
        Key::choice("terms.combine", "a term must pass terms.limit and terms.best, or one of them", |s| {
            &mut s.terms.combine
        }),
        Key::lines("terms.include", "term", "terms that are kept whatever the rules say", |s| {
            &mut s.terms.include
        }),
        Key::lines("terms.exclude", "term", "terms that are left out", |s| &mut s.terms.exclude),
        Key::number(
            "terms.hashed",
            "0 for a list of terms, or 8 to 24",
            "terms share 2 to the power of this many columns, and no list is kept",
            |s| s.terms.hashed.into(),
            |s, number| {
                let bits = whole(number, 0.0..=24.0)? as u32;
                s.terms.hashed = Some(bits).filter(|bits| *bits == 0 || *bits >= 8)?;
                Some(())
            },
        ),
    ]
}
