//! Sentences whose meaning is known.

use std::collections::{BTreeMap, BTreeSet};

use heddle_core::explain::{Expected, Probe, built_in_probes, passed_by_kind, probe, short_probes};
use heddle_core::labels::{ClassNames, Polarity};
use heddle_core::model::Model;
use heddle_core::resample::Random;
use heddle_core::text::Scope;
use worlds::{World, fixed};

/// A model of reviews in plain words, a third of them negated.
fn model(scope: Scope) -> Model {
    let mut study = fixed(1e-3);
    study.negation.scope = scope;
    let mut draw = Random::new(5);
    let mut review = |_| {
        let good = draw.unit() < 0.5;
        let clause = |draw: &mut Random| {
            let turned = draw.unit() < 0.4;
            let words =
                if good == turned { ["bad", "terrible", "awful"] } else { ["good", "great", "lovely"] };
            let (not, word) = (if turned { "not " } else { "" }, words[draw.below(3)]);
            format!("the {} was {not}{word}", ["cabin", "crew", "tea"][draw.below(3)])
        };
        let text = format!("{}. {}!", clause(&mut draw), clause(&mut draw));
        (text, if good { Polarity::Positive } else { Polarity::Negative })
    };
    let (texts, labels) = (0..300).map(&mut review).unzip();
    World::of(texts, labels, study).model()
}

fn alone(text: &str, expected: Expected) -> Probe {
    Probe { kind: "own".into(), text: text.into(), expected, than: None, template: 0 }
}

#[test]
fn the_sentences_that_come_along_are_many_and_of_many_kinds() {
    let probes = built_in_probes(&model(Scope::Clause));
    assert!(probes.len() >= 400, "{}", probes.len());
    let mut kinds: BTreeMap<&str, BTreeSet<&str>> = BTreeMap::new();
    for own in &probes {
        assert!(!own.text.contains(['{', '}']) && !own.text.contains("  "), "{own:?}");
        assert!(!own.text.is_empty() && own.than.is_some() == own.expected.is_of_two(), "{own:?}");
        let article = own.text.to_lowercase().split(' ').collect::<Vec<_>>().windows(2).any(|pair| {
            let vowel = pair[1].starts_with(['a', 'e', 'i', 'o']);
            pair[0] == "a" && vowel || pair[0] == "an" && !vowel
        });
        assert!(!article, "{}", own.text);
        kinds.entry(&own.kind).or_default().insert(&own.text);
    }
    assert_eq!(kinds.len(), 18);
    assert!(kinds.values().all(|texts| texts.len() >= 6), "{kinds:?}");
    // Words of the training reviews stand in them, and the short form holds each template once.
    assert!(probes.iter().any(|own| own.text.contains("cabin")));
    let short = short_probes(&model(Scope::Clause));
    assert!(short.len() < 40 && short.iter().all(|own| probes.contains(own)));
}

#[test]
fn a_model_that_reads_negation_passes_more_of_what_needs_it() {
    let passed = |scope: Scope, kind: &str| {
        let model = model(scope);
        let (kinds, _) = passed_by_kind(&probe(&model, &built_in_probes(&model)));
        kinds.into_iter().find(|own| own.kind == kind).expect("a kind").passed.value.expect("a share")
    };
    for kind in ["negated praise", "negated blame"] {
        let (reads, does_not) = (passed(Scope::Clause, kind), passed(Scope::Off, kind));
        assert!(reads > does_not + 0.2, "{kind}: {reads} {does_not}");
    }
    assert_eq!(passed(Scope::Clause, "no known words"), 1.0);
    assert_eq!(passed(Scope::Clause, "apostrophes"), 1.0);
}

#[test]
fn a_sentence_passes_by_what_is_expected_of_it() {
    let model = model(Scope::Clause);
    let two = |text: &str, expected, than: &str| Probe { than: Some(than.into()), ..alone(text, expected) };
    let (good, bad) = ("the cabin was good and lovely", "the cabin was bad and awful");
    for (own, passes) in [
        (alone(good, Expected::Positive), true),
        (alone(good, Expected::Negative), false),
        (alone("zyx", Expected::Positive), false), // nothing is known of it, whatever the mix makes likely
        (alone("zyx", Expected::Neither), true),
        (alone("zyx", Expected::Neutral), true),
        (alone(bad, Expected::Neither), false),
        (two(good, Expected::Better, bad), true),
        (two(good, Expected::Worse, bad), false),
        (two(good, Expected::Better, good), false),
        (two(good, Expected::Same, "THE CABIN was good, and lovely"), true),
        (two(good, Expected::Same, bad), false),
    ] {
        let found = &probe(&model, std::slice::from_ref(&own))[0];
        assert_eq!(found.passed, passes, "{found:?}");
        let score = model.scorer().score(&own.text);
        assert_eq!((found.called, found.log_odds), (score.polarity(), score.verdict.log_odds));
    }
    let missed = &probe(&model, &[alone(bad, Expected::Positive)])[0];
    assert!(missed.blamed.len() > 1 && missed.blamed.iter().all(|(_, added)| *added < 0.0), "{missed:?}");
}

#[test]
fn what_is_expected_may_be_said_in_names_of_the_analyst() {
    let mut names = ClassNames::default();
    names.set(Polarity::Negative, "late");
    assert_eq!(Expected::read("Late", &names), Some(Expected::Negative));
    assert_eq!(Expected::read(" NEITHER ", &names), Some(Expected::Neither));
    assert_eq!(Expected::read("good", &names), None);
}
