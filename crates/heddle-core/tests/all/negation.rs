//! Which words are negated: each expression settled on purpose.

use heddle_core::Choice;
use heddle_core::text::{
    BLAME, Cleaner, Concessions, Counts, Edition, Effect, Language, Negation, PRAISE, Prefixes, Presence,
    Recipe, ScanBuffer, Scope, SetPhrases, Style, Wishes, expressions, prefixed_words,
};

/// The words of a text, a negated one with "¬".
fn under(text: &str, recipe: &Recipe, negation: &Negation) -> String {
    let mut buffer = ScanBuffer::default();
    let tokens = Cleaner::new(recipe, negation).expect("a sound recipe").scan(text, &mut buffer);
    let spell = |token: &heddle_core::text::Token| {
        format!("{}{}", if token.negated { "¬" } else { "" }, tokens.form(token))
    };
    tokens.items().iter().map(spell).collect::<Vec<_>>().join(" ")
}

fn negated(text: &str) -> String {
    under(text, &Recipe::default(), &Negation::default())
}

/// Each text and how it is to be read.
fn check(cases: &[(&str, &str)]) {
    for (text, expected) in cases {
        assert_eq!(negated(text), *expected, "{text}");
    }
}

#[test]
fn a_negator_reaches_over_several_words() {
    check(&[
        ("not a bad cabin at all", "not ¬a ¬bad ¬cabin ¬at ¬all"),
        ("I can't say the food was good", "i can not ¬say ¬the ¬food ¬was ¬good"),
        ("I dont like it", "i do not ¬like ¬it"),
        ("never once felt cramped", "never ¬once ¬felt ¬cramped"),
        ("without any fuss", "without ¬any ¬fuss"),
        ("hardly room to turn", "hardly ¬room ¬to ¬turn"),
        ("nothing worked", "nothing ¬worked"),
        ("nobody helped us", "nobody ¬helped ¬us"),
        ("far from clean", "far from ¬clean"),
        ("a so-called first class", "a so called ¬first class"),
        ("what they call breakfast", "what they call ¬breakfast"),
        ("anything but clean", "anything but ¬clean"),
        ("it lacks charm", "it lacks ¬charm"),
        ("it failed to impress", "it failed to ¬impress"),
        ("no longer good", "no ¬longer ¬good"),
        ("hard to forget or to sleep", "hard to ¬forget or to sleep"),
        ("impossible to ignore", "impossible to ¬ignore"),
        ("a hard bed to sleep in", "a hard bed to sleep in"),
    ]);
}

#[test]
fn the_reach_counts_words() {
    assert_eq!(
        negated("I did not one two three four five six seven"),
        "i did not ¬one ¬two ¬three ¬four ¬five ¬six seven"
    );
    let short = Negation { reach: 2, ..Negation::default() };
    let read = |text: &str| under(text, &Recipe::default(), &short);
    assert_eq!(read("I did not one 2 :) two three"), "i did not ¬one 2 ‹glad› ¬two three");
}

#[test]
fn a_negator_that_begins_its_clause_covers_its_subject_too() {
    check(&[
        (
            "no one in our cabin of four ever found it clean again",
            "no one ¬in ¬our ¬cabin ¬of ¬four ¬ever ¬found ¬it ¬clean again",
        ),
        (
            "we left, and none of the five of us ever thought it warm there",
            "we left and none ¬of ¬the ¬five ¬of ¬us ¬ever thought it warm there",
        ),
    ]);
    let short = Negation { reach: 2, scope: Scope::Window, ..Negation::default() };
    assert_eq!(under("none of us slept", &Recipe::default(), &short), "none ¬of ¬us slept");
}

#[test]
fn a_scope_leaps_what_commas_insert_behind_its_negator() {
    check(&[
        ("it did not, to be honest, seem clean", "it did not to be honest ¬seem ¬clean"),
        ("I would not, however, sail again", "i would not however ¬sail ¬again"),
        // A set phrase that is inserted becomes one token before the scope goes on.
        ("it did not, without one complaint, seem clean", "it did not without ¬one ¬complaint seem clean"),
        ("it did not, hard to fault, seem clean", "it did not ‹praise› ¬seem ¬clean"),
        // Not where the negator begins the clause, or the insertion ends the sentence.
        ("No, thanks, we were fine", "no thanks we were fine"),
        ("It is not, they told us. Clean it was", "it is not they told us clean it was"),
        ("I did not, but my wife slept, and well", "i did not but my wife slept and well"),
    ]);
}

#[test]
fn a_scope_ends_at_clause_breaks_and_contrast_words() {
    check(&[
        ("not clean, quiet", "not ¬clean quiet"),
        ("not clean but quiet", "not ¬clean but quiet"),
        ("not cheap although good", "not ¬cheap although good"),
        ("not cheap instead good", "not ¬cheap instead good"),
        ("not clean. Quiet", "not ¬clean quiet"),
        ("No, the cabin was dirty", "no the cabin was dirty"),
        ("not clean because nobody cared", "not ¬clean because nobody ¬cared"),
    ]);
}

#[test]
fn the_other_scopes_end_where_they_say() {
    let text = "not clean, but warm and dry and soft. Good";
    let with = |scope| under(text, &Recipe::default(), &Negation { scope, reach: 3, ..Negation::default() });
    assert_eq!(with(Scope::Clause), "not ¬clean but warm and dry and soft good");
    assert_eq!(with(Scope::Window), "not ¬clean ¬but ¬warm and dry and soft good");
    assert_eq!(with(Scope::Sentence), "not ¬clean ¬but ¬warm ¬and ¬dry ¬and ¬soft good");
    assert_eq!(with(Scope::Off), "not clean but warm and dry and soft good");
}

#[test]
fn two_negators_cancel() {
    check(&[
        ("not without charm", "not without charm"),
        ("nobody was not happy", "nobody ¬was not happy"),
        ("hardly nothing worked", "hardly nothing worked"),
    ]);
}

#[test]
fn the_same_negator_again_insists() {
    check(&[("never never go", "never never ¬go"), ("no cabin and no crew", "no ¬cabin ¬and no ¬crew")]);
}

#[test]
fn neither_and_nor_negate_each_its_own() {
    check(&[
        ("neither clean nor quiet", "neither ¬clean nor ¬quiet"),
        ("not clean nor quiet", "not ¬clean nor ¬quiet"),
    ]);
}

#[test]
fn expressions_that_negate_nothing_are_inert() {
    check(&[
        ("not only cheap but good too", "not only cheap but good too"),
        ("no wonder it is always full", "no wonder it is always full"),
        ("no doubt a good ship", "no doubt a good ship"),
        ("no question the best", "no question the best"),
        ("nothing but sun", "nothing but sun"),
        ("without a doubt the best", "without a doubt the best"),
        ("whether or not you like it", "whether or not you like it"),
    ]);
}

#[test]
fn an_inert_expression_inside_a_scope_is_negated_with_it() {
    assert_eq!(negated("I never no doubt slept"), "i never ¬no ¬doubt ¬slept");
}

#[test]
fn less_and_least_negate_what_they_compare() {
    check(&[
        ("the least comfortable cabin on board", "the least ¬comfortable cabin on board"),
        ("it was less noisy this time", "it was less ¬noisy this time"),
        ("at least warm, more or less clean", "at least warm more or less clean"),
        (
            "it was not the least bit warm, and less and less clean",
            "it was not ¬the ¬least ¬bit ¬warm and less and less ¬clean",
        ),
        ("rarely have we had a better night", "‹praise› have we had a better night"),
        ("it never stops being lovely", "it never stops being lovely"),
        ("it stopped being lovely", "it stopped being ¬lovely"),
    ]);
}

#[test]
fn an_edition_has_the_expressions_of_its_time() {
    let of = |edition| Negation { edition, ..Negation::default() };
    let read = |edition| under("it was less noisy", &Recipe::default(), &of(edition));
    assert_eq!(read(Edition::Second), "it was less noisy");
    assert_eq!(read(Edition::Third), "it was less ¬noisy");
    let counts = |edition| counted("not only warm", &of(edition));
    assert_eq!(counts(Edition::Second), "not only warm");
    assert_eq!(counts(Edition::Third), "∅not ∅only warm");
}

#[test]
fn capitals_do_not_hide_a_negator() {
    let keep = Recipe { case: heddle_core::text::Case::Keep, ..Recipe::default() };
    assert_eq!(under("NOT Good", &keep, &Negation::default()), "NOT ¬Good");
    assert_eq!(under("Not Only cheap", &keep, &Negation::default()), "Not Only cheap");
    assert_eq!(negated("NOT GOOD"), "not ¬good");
}

#[test]
fn a_whole_contraction_negates() {
    let whole = Recipe { contractions: false, ..Recipe::default() };
    for text in ["It isn't good", "It isn’t good"] {
        assert_eq!(under(text, &whole, &Negation::default()), "it isn't ¬good");
    }
    assert_eq!(under("it didnt work", &whole, &Negation::default()), "it didnt ¬work");
}

#[test]
fn words_that_only_look_like_negators_are_none() {
    check(&[
        ("a note on the notice", "a note on the notice"),
        ("present and different", "present and different"),
    ]);
}

#[test]
fn every_expression_of_the_table_does_what_it_says() {
    let both = Negation { style: Style::Both, ..Negation::default() };
    let of = |language: Language| expressions(language, both.edition, &[]).expect("the table is sound");
    let all =
        Language::ALL.iter().flat_map(|language| of(*language).into_iter().map(move |own| (*language, own)));
    for (language, (expression, effect)) in all {
        for contractions in [true, false] {
            if expression.contains('\'') && !contractions {
                continue; // its words are those of contractions that are taken apart
            }
            let recipe = Recipe { languages: vec![language], contractions, ..Recipe::default() };
            let read = under(&format!("{expression} warm").replace('…', "xyz"), &recipe, &both);
            if matches!(effect, Effect::Praises | Effect::Blames) {
                let form = if effect == Effect::Praises { PRAISE } else { BLAME };
                assert!(read.starts_with(form) && !read.contains('¬'), "{expression}: {read}");
                continue;
            }
            let opens = matches!(
                effect,
                Effect::Negates | Effect::Either | Effect::Renews | Effect::Next | Effect::Wishes
            );
            assert_eq!(read.ends_with("¬warm"), opens, "{expression}: {read}");
            let inside = read.trim_end_matches("¬warm").contains('¬');
            // What stands in a gap is negated with what stands behind it.
            let gap = opens && expression.contains('…');
            assert!(!inside || effect == Effect::Within || gap, "{expression}: {read}");
        }
    }
}

#[test]
fn a_fixed_expression_negates_itself_and_nothing_behind_it() {
    for (text, expected) in [
        ("no problem with the friendly crew", "no ¬problem with the friendly crew"),
        ("without a hitch and warm", "without ¬a ¬hitch and warm"),
        ("no doubt a warm cabin", "no doubt a warm cabin"),
        ("not only warm", "not only warm"),
        ("non smoking cabin", "non ¬smoking cabin"),
        ("it lacks charm", "it lacks ¬charm"),
        ("anything but warm", "anything but ¬warm"),
        (
            "the crew was not unkind and no problem about it",
            "the crew was not ¬unkind ¬and no ¬problem about it",
        ),
    ] {
        assert_eq!(negated(text), expected);
    }
}

#[test]
fn praise_and_blame_made_of_negators_are_one_token() {
    check(&[
        ("no complaints about the crew", "‹praise› about the crew"),
        ("we can’t wait to come back", "we ‹praise› to come back"),
        ("don't miss the warm deck", "‹praise› the warm deck"),
        ("it never fails to please", "it ‹praise› to please"),
        ("the crossing left much to be desired", "the crossing left ‹blame›"),
        ("I really wanted to like this boat", "i really ‹blame› this boat"),
        // A few words may stand in some of them; those stay words.
        ("I cannot recommend this cosy cabin enough", "i ‹praise› this cosy cabin enough"),
        ("I cannot recommend it", "i can not ¬recommend ¬it"),
        ("it has never been better", "it has ‹praise›"),
        ("never slept better", "‹praise› slept better"),
        ("never slept worse", "‹blame› slept worse"),
        // Scopes reach over them as over a word.
        ("I never said it is second to none", "i never ¬said ¬it ¬is ¬‹praise›"),
    ]);
    let keep = Negation { phrases: SetPhrases::Keep, ..Negation::default() };
    assert_eq!(under("hard to fault", &Recipe::default(), &keep), "hard to ¬fault");
    let off = Negation { scope: Scope::Off, ..Negation::default() };
    assert_eq!(under("no complaints", &Recipe::default(), &off), "no complaints");
}

#[test]
fn a_second_negator_undoes_the_first_unless_something_joins_them() {
    check(&[
        (
            "not without its charm and its warm light at night",
            "not without its charm and its warm light at night",
        ),
        ("nobody failed to smile at us", "nobody failed to smile at us"),
        ("I do not think it lacks charm", "i do not ¬think ¬it lacks charm"),
        ("not warm and never clean", "not ¬warm ¬and never ¬clean"),
        ("not warm or hardly warm", "not ¬warm ¬or hardly ¬warm"),
        ("never, never again", "never never ¬again"),
        ("not warm not clean", "not ¬warm not ¬clean"),
        ("I can't say that it was not warm", "i can not ¬say ¬that ¬it ¬was not warm"),
        ("they never had no water", "they never ¬had no ¬water"),
    ]);
}

#[test]
fn a_verb_of_thinking_carries_a_negation_into_what_is_thought() {
    check(&[
        (
            "I do not think that any of this is really worth it",
            "i do not ¬think ¬that ¬any ¬of ¬this ¬is ¬really ¬worth it",
        ),
        // Not one that stands further off.
        (
            "it is not a boat of which I find one good word",
            "it is not ¬a ¬boat ¬of ¬which ¬i ¬find one good word",
        ),
    ]);
}

/// The words of a text, "½" before those that count half and "∅" before those that do not count.
fn counted(text: &str, negation: &Negation) -> String {
    let mut buffer = ScanBuffer::default();
    let tokens = Cleaner::new(&Recipe::default(), negation).expect("a sound recipe").scan(text, &mut buffer);
    let spell = |token: &heddle_core::text::Token| {
        let sign = match token.counts {
            Counts::All => "",
            Counts::Half => "½",
            Counts::Nothing => "∅",
        };
        format!("{sign}{}", tokens.form(token))
    };
    tokens.items().iter().map(spell).collect::<Vec<_>>().join(" ")
}

#[test]
fn what_is_conceded_counts_half_and_what_is_said_of_others_does_not() {
    let keep = Negation { concessions: Concessions::Keep, ..Negation::default() };
    for (text, expected) in [
        ("We came. It was clean, but cold. We left", "we came ½it ½was ½clean but cold we left"),
        ("Although it was old, it was clean", "although ½it ½was ½old it was clean"),
        ("Clean in spite of its age", "clean in spite of ½its ½age"),
        ("Better than the old ship, and warm", "better than ∅the ∅old ∅ship and warm"),
        ("They say it is cold. It was warm", "they say ∅it ∅is ∅cold it was warm"),
        // As far as a scope reaches.
        ("Despite one two three four five six seven", "despite ½one ½two ½three ½four ½five ½six seven"),
        // What is less counts for what it is: the lower of two.
        (
            "It beat, better than the old ship, us, but cold",
            "½it ½beat ½better ½than ∅the ∅old ∅ship ½us but cold",
        ),
        // A sentence that begins so concedes nothing, and "not only" does not either.
        ("It was cold. But clean", "it was cold but clean"),
        ("Not only clean but also warm", "∅not ∅only clean but also warm"),
    ] {
        assert_eq!(counted(text, &Negation::default()), expected);
        assert!(!counted(text, &keep).contains(['½', '∅']), "{text}");
    }
}

#[test]
fn two_negators_that_cancel_do_not_count_themselves() {
    assert_eq!(counted("it is not without charm", &Negation::default()), "it is ∅not ∅without charm");
    let keep = Negation { concessions: Concessions::Keep, ..Negation::default() };
    assert_eq!(counted("it is not without charm", &keep), "it is not without charm");
    assert_eq!(counted("not warm and never clean", &Negation::default()), "not warm and never clean");
}

#[test]
fn wishes_and_what_might_have_been_count_as_negated() {
    check(&[
        ("It could have been a good crossing", "it could have been ¬a ¬good ¬crossing"),
        ("I hoped for a warm bed, and it was warm", "i hoped ¬for ¬a ¬warm ¬bed and it was warm"),
        ("If only it were warm", "if only ¬it ¬were ¬warm"),
        ("As good as expected", "as good as expected"),
        ("better than expected", "‹praise›"),
    ]);
    let keep = Negation { wishes: Wishes::Keep, ..Negation::default() };
    assert_eq!(under("if only it were warm", &Recipe::default(), &keep), "if only it were warm");
}

#[test]
fn a_study_adds_expressions_and_changes_those_there_are() {
    let also = ["sans,negates", "no doubt,negates", "not,nothing", "hardly ever,nothing"];
    let negation = Negation { also: also.map(String::from).to_vec(), ..Negation::default() };
    let read = |text: &str| under(text, &Recipe::default(), &negation);
    assert_eq!(read("sans charm"), "sans ¬charm");
    assert_eq!(read("no doubt warm"), "no doubt ¬warm");
    assert_eq!(read("not warm"), "not warm");
    assert_eq!(read("hardly ever warm, hardly warm"), "hardly ever warm hardly ¬warm");
    for wrong in ["sans", "sans,denies", ",negates"] {
        let negation = Negation { also: vec![wrong.into()], ..Negation::default() };
        let error = Cleaner::new(&Recipe::default(), &negation).expect_err("no such effect");
        assert!(error.contains(wrong) && error.contains("negates, either, renews"), "{error}");
    }
}

#[test]
fn negating_prefixes_are_read_where_that_is_asked_for() {
    let negation = Negation { prefixes: Prefixes::Read, ..Negation::default() };
    let read = |text: &str| under(text, &Recipe::default(), &negation);
    assert_eq!(read("an unfriendly crew"), "an ¬friendly crew");
    assert_eq!(read("not unfriendly"), "not friendly");
    assert_eq!(read("under a united crew"), "under a united crew");
    assert_eq!(negated("not unfriendly"), "not ¬unfriendly");
    for (word, plain) in prefixed_words() {
        assert_eq!(read(word), format!("¬{plain}"));
    }
}

#[test]
fn negators_can_be_left_out_once_their_scope_is_known() {
    let negation = Negation { cues: Presence::Drop, ..Negation::default() };
    assert_eq!(under("it was not warm. Never", &Recipe::default(), &negation), "it was ¬warm");
}
