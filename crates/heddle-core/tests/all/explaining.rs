//! Models, scores and their explanations.

use heddle_core::explain::{
    Combination, Faithfulness, TermKind, TermPart, Weighed, clause_removals, deletions, explain, flip,
    removals,
};
use heddle_core::labels::Polarity;
use heddle_core::model::Model;
use heddle_core::settings::Study;
use heddle_core::terms::{Stems, TermId, Weighting};
use heddle_core::text::{Document, Language, Style};
use proptest::prelude::*;
use worlds::{World, fixed, reviews};

fn model_under(letters: &str, both: bool, words: (usize, usize)) -> Model {
    let mut study = fixed(1e-3);
    study.terms.weighting = Weighting::parse(letters).expect("letters");
    study.terms.words = Some(words);
    study.negation.style = if both { Style::Both } else { Style::Mark };
    World::new(300, 21, study).model()
}

#[test]
fn a_model_scores_texts_as_the_fit_scores_rows() {
    for (letters, both, words) in [("ltc", false, (1, 2)), ("bnn", true, (1, 3)), ("npc", false, (2, 3))] {
        let mut study = fixed(1e-3);
        study.terms.weighting = Weighting::parse(letters).expect("letters");
        study.terms.words = Some(words);
        study.negation.style = if both { Style::Both } else { Style::Mark };
        let world = World::new(200, 22, study);
        let fitted = world.fit();
        let model = Model::new(&world.corpus, &world.counted, &fitted, &world.study, None);
        let rows = world.scores(&fitted);
        let mut reader = model.scorer();
        for (text, row) in world.texts.iter().zip(rows) {
            assert_eq!(reader.score(text).sum.to_bits(), row.to_bits(), "{letters} {both} {words:?}: {text}");
        }
    }
}

/// A model of reviews of a few words each, with stems, and a study that reads them.
fn model_of(praise: &[&str], blame: &[&str], change: impl FnOnce(&mut Study)) -> Model {
    let mut study = fixed(1e-2);
    (study.terms.stems, study.terms.at_least) = (Stems::Beside, Some(1));
    change(&mut study);
    let praise = praise.iter().map(|text| (text.to_string(), Polarity::Positive));
    let reviews = praise.chain(blame.iter().map(|text| (text.to_string(), Polarity::Negative)));
    let (texts, labels) = reviews.unzip();
    World::of(texts, labels, study).model()
}

#[test]
fn a_form_that_training_never_saw_says_what_other_forms_do() {
    let praise = ["we enjoyed this crossing", "enjoying the deck"];
    let blame = ["we avoided this crossing", "avoiding the deck"];
    let model = model_of(&praise, &blame, |_| {});
    for (text, sign) in [("she enjoys it", 1.0), ("she avoids it", -1.0), ("she never enjoys it", -1.0)] {
        let (score, explanation) = explain(&mut model.scorer(), text);
        assert!(score.sum * sign > 0.0, "{text}: {score:?}");
        let stem = explanation.terms.iter().find(|part| ["enjoy-", "avoid-"].contains(&part.term.as_str()));
        let kind = if text.contains("never") { TermKind::TakenBack } else { TermKind::Stem };
        assert!(stem.is_some_and(|part| part.kind == kind && part.contribution * sign > 0.0), "{text}");
        assert!(!explanation.unknown.iter().any(|word| word.ends_with("oys") || word.ends_with("oids")));
        let sum: f64 = explanation.terms.iter().map(|part| part.contribution).sum();
        assert!((model.intercept() + sum - score.sum).abs() < 1e-12);
    }
    // A word's line holds its stem, and what has no word a line of its own.
    let (_, explanation) = explain(&mut model.scorer(), "enjoyed it, enjoys it");
    let lines = explanation.term_lines();
    let whole = |of: fn(&TermPart) -> f64| explanation.terms.iter().map(of).sum::<f64>();
    assert!(
        (lines.iter().map(|line| line.contribution).sum::<f64>() - whole(|part| part.contribution)).abs()
            < 1e-12
    );
    assert_eq!(lines.iter().map(|line| 1 + line.parts).sum::<usize>(), explanation.terms.len());
    let named = |name: &str| lines.iter().find(|line| line.term.term == name).map(|line| line.parts);
    assert_eq!((named("enjoyed"), named("enjoy-")), (Some(0), Some(0)), "the stem stands at two places");
    let (_, explanation) = explain(&mut model.scorer(), "enjoyed");
    assert_eq!(explanation.term_lines().iter().map(|line| line.parts).collect::<Vec<_>>(), [1]);
    // Function words have no other form, and without stems nothing is known of one.
    assert!(TermId::all(model.len()).all(|term| model.spell(term) != "the-"));
    let plain = model_of(&praise, &blame, |study| study.terms.stems = Stems::None);
    assert_eq!(plain.scorer().score("she enjoys it").terms, 0);
}

#[test]
fn each_language_cuts_its_own_endings() {
    let two = |study: &mut Study| study.text.languages = vec![Language::English, Language::German];
    let praise =
        ["the crossing was wonderful and the crew helped us", "die Überfahrt war schön und die Kabinen auch"];
    let blame = [
        "the crossing was awful and the crew avoided us",
        "die Überfahrt war furchtbar und es gab Störungen",
    ];
    let model = model_of(&praise, &blame, two);
    let stems: Vec<String> =
        TermId::all(model.len()).map(|term| model.spell(term)).filter(|term| term.ends_with('-')).collect();
    for stem in ["english:avoid-", "german:kabin-", "german:storung-"] {
        assert!(stems.iter().any(|own| own == stem), "{stem}: {stems:?}");
    }
}

#[test]
fn a_review_without_known_terms_scores_at_the_base_rate() {
    let model = model_under("ltc", false, (1, 2));
    let mut reader = model.scorer();
    for text in ["", "   ", "zyx qwv", "👍"] {
        let score = reader.score(text);
        assert_eq!((score.sum, score.terms), (model.intercept(), 0), "{text:?}");
    }
    assert_eq!(reader.score("zyx qwv 7").unknown, 2);
}

#[test]
fn the_two_probabilities_sum_to_one() {
    let model = model_under("ltc", false, (1, 2));
    let (texts, _) = reviews(50, 77);
    for text in texts {
        let score = model.scorer().score(&text);
        let [negative, positive] = Polarity::POLES.map(|class| score.probability(class));
        assert!((negative + positive - 1.0).abs() < 1e-15);
        assert_eq!(score.polarity() == Polarity::Positive, positive >= 0.5);
    }
}

#[test]
fn a_reader_keeps_nothing_from_the_review_before() {
    let model = model_under("ltc", true, (1, 3));
    let (texts, _) = reviews(30, 78);
    let mut reader = model.scorer();
    let first: Vec<f64> = texts.iter().map(|text| reader.score(text).sum).collect();
    let again: Vec<f64> = texts.iter().rev().map(|text| reader.score(text).sum).collect();
    assert!(first.iter().zip(again.iter().rev()).all(|(a, b)| a.to_bits() == b.to_bits()));
}

#[test]
fn a_model_put_together_again_is_the_same() {
    let model = model_under("ltc", true, (1, 3));
    let again = Model::from_parts(model.parts());
    let (texts, _) = reviews(50, 79);
    for text in texts {
        assert_eq!(model.scorer().score(&text), again.scorer().score(&text));
    }
    assert_eq!(model.study(), again.study());
}

#[test]
fn negation_turns_a_verdict() {
    let model = model_under("ltc", false, (1, 2));
    let mut reader = model.scorer();
    assert_eq!(reader.score("a warm and clean cabin").polarity(), Polarity::Positive);
    assert_eq!(reader.score("not a warm cabin, never kind").polarity(), Polarity::Negative);
    assert_eq!(reader.score("not cold and never late").polarity(), Polarity::Positive);
}

#[test]
fn terms_are_found_at_their_places() {
    let model = model_under("ltc", false, (1, 2));
    let text = "Warm. The crew was not COLD at all";
    let (_, explanation) = explain(&mut model.scorer(), text);
    let place = |name: &str| {
        let part = explanation
            .terms
            .iter()
            .find(|part| part.term == name)
            .unwrap_or_else(|| panic!("no term {name}"));
        part.places.iter().map(|&(start, end)| &text[start as usize..end as usize]).collect::<Vec<_>>()
    };
    assert_eq!(place("warm"), ["Warm"]);
    assert_eq!(place("¬cold"), ["COLD"]);
    assert_eq!(place("not ¬cold"), ["not COLD"]);
    assert_eq!(place("the crew"), ["The crew"]);
    assert!(
        explanation.unknown.contains(&"all".to_string())
            && !explanation.unknown.contains(&"warm".to_string())
    );
}

#[test]
fn clauses_cover_the_review_in_order() {
    let model = model_under("ltc", false, (1, 2));
    let text = "  Warm cabin, but cold tea. Never late!  ";
    let (_, explanation) = explain(&mut model.scorer(), text);
    let pieces: Vec<&str> =
        explanation.clauses.iter().map(|clause| &text[clause.start as usize..clause.end as usize]).collect();
    assert_eq!(pieces, ["  Warm cabin, ", "but cold tea. ", "Never late!  "]);
}

#[test]
fn a_very_long_review_is_explained() {
    let model = model_under("ltc", false, (1, 2));
    let (texts, _) = reviews(40_000, 80);
    let text = texts.iter().enumerate().map(|(at, text)| format!("{text} unheard{at}. ")).collect::<String>();
    let (_, explanation) = explain(&mut model.scorer(), &text);
    assert!(explanation.tokens.len() > 400_000 && explanation.unknown.len() == 40_000);
    check_sums(&model, &text);
}

/// intercept + terms = intercept + tokens = intercept + clauses = log-odds.
fn check_sums(model: &Model, text: &str) {
    let (score, explanation) = explain(&mut model.scorer(), text);
    let whole = explanation.sum;
    assert_eq!(whole, score.sum);
    let sums = [
        explanation.terms.iter().map(|part| part.contribution).sum::<f64>(),
        explanation.tokens.iter().map(|part| part.contribution).sum(),
        explanation.clauses.iter().map(|part| part.contribution).sum(),
    ];
    for sum in sums {
        assert!((explanation.intercept + sum - whole).abs() < 1e-9, "{sum} {whole}: {text:?}");
    }
    if let Some(last) = explanation.clauses.last() {
        assert!((last.running - whole).abs() < 1e-9);
    }
    for tree in [explanation.by_terms(), explanation.by_clauses()] {
        assert_eq!((tree.value, tree.combination), (score.sum, Combination::Sum));
        for node in tree.all() {
            let off = (node.combined() - node.value).abs();
            assert!(off <= 1e-9 * node.value.abs().max(1.0), "{} is {}: {off} off", node.name, node.value);
            assert_eq!(node.children.is_empty(), node.combination == Combination::Given);
        }
    }
    for part in &explanation.terms {
        assert!(!part.places.is_empty(), "{} stands nowhere in {text:?}", part.term);
        assert!(part.reviews >= 2, "{} rests on {} reviews", part.term, part.reviews);
    }
}

proptest! {
    #![proptest_config(ProptestConfig { cases: 40, failure_persistence: None, ..ProptestConfig::default() })]

    #[test]
    fn every_explanation_adds_up(
        seed in 0u64..500,
        both in any::<bool>(),
        letters in prop_oneof![Just("ltc"), Just("nnn"), Just("bpc"), Just("lnn")],
        words in prop_oneof![Just((1, 1)), Just((1, 2)), Just((1, 4)), Just((2, 3))],
        noise in "\\PC{0,30}",
    ) {
        let model = model_under(letters, both, words);
        let (texts, _) = reviews(6, seed);
        for text in texts {
            check_sums(&model, &text);
            check_sums(&model, &format!("{text}{noise} {text}"));
        }
        check_sums(&model, &noise);
    }
}

#[test]
fn the_effect_of_a_word_is_what_its_removal_changes() {
    let model = model_under("ltc", false, (1, 2));
    let text = "not a bad cabin, and the crew were kind.";
    let mut scorer = model.scorer();
    let (score, explanation) = explain(&mut scorer, text);
    let words = removals(&mut scorer, &text.into(), (&score, &explanation), 4);
    assert!(words.len() <= 4 && words.is_sorted_by_key(|word| word.start));
    for word in &words {
        let rest = format!("{} {}", &text[..word.start as usize], &text[word.end as usize..]);
        let without = model.scorer().score(&rest);
        assert_eq!(word.without.effect, score.sum - without.sum, "{}", word.form);
        assert_eq!(word.without.probability, without.probability(explanation.polarity));
        let token = explanation.tokens.iter().find(|token| token.start == word.start).expect("its token");
        assert_eq!(word.share, token.contribution);
    }
    // A negator does more than its share: without it, what it turned is blame.
    let not = words.iter().find(|word| word.form == "not").expect("negators come first");
    assert!(not.without.effect > 2.0 * not.share.abs(), "{not:?}");
    assert!(removals(&mut scorer, &"zzz".into(), (&score, &explanation), 0).is_empty());
}

#[test]
fn a_document_without_a_span_keeps_its_columns() {
    let mut document = Document::default();
    document.push(0, "Warm");
    document.push(2, "Not cold");
    let without = document.without(&[(6, 9)]);
    assert_eq!(without.text(), "Warm\n\n  cold");
    let mut expected = Document::default();
    expected.push(0, "Warm");
    expected.push(2, "  cold");
    assert_eq!(without, expected);
    assert_eq!(document.without(&[(0, 4)]).text(), " \n\nNot cold");
}

#[test]
fn a_clause_that_is_taken_out_is_read_around() {
    let model = model_under("ltc", false, (1, 2));
    let text = "not a bad cabin, and the crew were kind; but the food was cold.";
    let mut scorer = model.scorer();
    let (score, explanation) = explain(&mut scorer, text);
    let without = clause_removals(&mut scorer, &text.into(), (&score, &explanation));
    assert!(without.len() > 1);
    for (clause, without) in explanation.clauses.iter().zip(&without) {
        let rest = format!("{} {}", &text[..clause.start as usize], &text[clause.end as usize..]);
        let rest = model.scorer().score(&rest);
        assert_eq!((without.effect, without.called), (score.sum - rest.sum, rest.polarity()));
    }
}

/// Every set of tokens of this size, by their places.
fn sets(tokens: usize, size: usize) -> Vec<Vec<usize>> {
    if size == 0 {
        return vec![Vec::new()];
    }
    let larger = |set: &Vec<usize>| {
        let from = set.last().map_or(0, |last| last + 1);
        (from..tokens).map(|at| [&set[..], &[at]].concat()).collect::<Vec<_>>()
    };
    sets(tokens, size - 1).iter().flat_map(larger).collect()
}

#[test]
fn the_words_that_turn_a_verdict_are_as_few_as_there_are() {
    let model = model_under("ltc", false, (1, 2));
    let (texts, _) = reviews(40, 99);
    let (mut turned, mut small) = (0, 0);
    for text in texts {
        let document = Document::from(text.as_str());
        let mut scorer = model.scorer();
        let (score, explanation) = explain(&mut scorer, &text);
        let spans: Vec<(u32, u32)> =
            explanation.tokens.iter().map(|token| (token.start, token.end)).collect();
        let turns = |set: &[usize]| {
            let out: Vec<(u32, u32)> = set.iter().map(|at| spans[*at]).collect();
            model.scorer().score_document(&document.without(&out)).polarity() != score.polarity()
        };
        let Some(found) = flip(&mut scorer, &document, (&score, &explanation)) else {
            assert!((0..spans.len()).all(|at| !turns(&[at])), "{text}");
            continue;
        };
        turned += 1;
        let own: Vec<usize> = found
            .words
            .iter()
            .map(|word| spans.iter().position(|span| *span == (word.start, word.end)).expect("a token"))
            .collect();
        assert!(turns(&own), "{text}: {found:?}");
        assert_ne!(found.called, score.polarity());
        if found.smallest {
            small += 1;
            assert!(sets(spans.len(), own.len() - 1).iter().all(|set| !turns(set)), "{text}: {found:?}");
        } else {
            let fewer = (0..own.len()).map(|out| [&own[..out], &own[out + 1..]].concat());
            assert!(fewer.into_iter().all(|set| !turns(&set)), "{text}: {found:?}");
        }
    }
    assert!(turned > 10 && small > 5, "{turned} turned, {small} by few words");
}

#[test]
fn probabilities_fall_without_the_words_of_an_explanation() {
    let model = model_under("ltc", false, (1, 2));
    let (texts, _) = reviews(200, 31);
    let mut scorer = model.scorer();
    let read = |text: &String| deletions(&mut scorer, &text.as_str().into(), 7);
    let found = texts.iter().filter_map(read).collect::<Vec<_>>();
    let all = Faithfulness::of(&found);
    assert_eq!(all.reviews, found.len());
    for point in &all.points {
        assert!(point.more.low > Some(0.0), "{point:?}");
        assert!(point.with_only.value > point.with_only_random.value, "{point:?}");
    }
    // The same seed draws the same words; nothing is told of a word alone.
    let again = texts.iter().filter_map(|text| deletions(&mut model.scorer(), &text.as_str().into(), 7));
    assert_eq!(again.collect::<Vec<_>>(), found);
    assert!(deletions(&mut model.scorer(), &"warm".into(), 7).is_none());
}

#[test]
fn likeness_is_the_cosine_of_weighed_terms() {
    let model = model_under("ltc", false, (1, 2));
    let mut scorer = model.scorer();
    let mut weighed = |text: &str| Weighed::of(&mut scorer, &text.into());
    let (one, same, other) =
        (weighed("a warm cabin and kind crew"), weighed("a warm cabin and kind crew"), weighed("zyx"));
    assert!((one.likeness(&same) - 1.0).abs() < 1e-6);
    assert_eq!(one.likeness(&other), 0.0);
    let near = one.likeness(&weighed("a warm cabin, the food was cold"));
    assert!(0.0 < near && near < 1.0);
}

#[test]
fn spans_are_taken_out_of_a_text_and_its_columns_move_along() {
    let mut document = Document::default();
    document.push(0, "Good cabin");
    document.push(1, "not so the food");
    let rest = document.without(&[(0, 4), (12, 15), (23, 27)]);
    assert_eq!(rest.text(), "  cabin\n\n  so the  ");
    let rest = document.without(&[(0, 10)]);
    assert_eq!(rest.text(), " \n\nnot so the food");
    // What is left of the second column is read as the second column.
    let mut expected = Document::default();
    expected.push(1, "not so the food");
    let model = {
        let mut study = fixed(1e-3);
        study.reviews.text = vec!["head".into(), "body".into()];
        study.reviews.fields = heddle_core::settings::Fields::Separate;
        World::new(300, 21, study).model()
    };
    let scored = |document: &Document| model.scorer().score_document(document).sum;
    assert_eq!(scored(&rest), scored(&expected));
}
