//! Reading texts: tokens, their forms and their places.

use heddle_core::Choice;
use heddle_core::text::{
    Break, Case, Cleaner, EMOTICON, Elongation, Emoticons, Hashtags, Joined, Kind, LINK, Language, MAIL,
    NUMBER, Negation, Presence, Punctuation, Ratings, Recipe, ScanBuffer, Stem, Step, StopList, Tokens,
    Treatment, emoticons,
};
use proptest::prelude::*;
use worlds::any_of;

fn read(text: &str, recipe: &Recipe) -> Tokens {
    let cleaner = Cleaner::new(recipe, &Negation::default()).expect("a sound recipe");
    cleaner.scan(text, &mut ScanBuffer::default()).clone()
}

fn forms_under(text: &str, recipe: &Recipe) -> Vec<String> {
    let tokens = read(text, recipe);
    tokens.items().iter().map(|token| tokens.form(token).to_string()).collect()
}

fn forms(text: &str) -> Vec<String> {
    forms_under(text, &Recipe::default())
}

/// The raw bytes of each token.
fn raw(text: &str) -> Vec<&str> {
    let tokens = read(text, &Recipe::default());
    tokens.items().iter().map(|token| &text[token.start as usize..token.end as usize]).collect()
}

#[test]
fn words_are_lower_case_and_keep_their_places() {
    let text = "The Cabin, on DECK 7.";
    assert_eq!(forms(text), ["the", "cabin", "on", "deck", "7"]);
    assert_eq!(raw(text), ["The", "Cabin", "on", "DECK", "7"]);
}

#[test]
fn contractions_are_taken_apart_with_either_apostrophe_and_with_none() {
    for text in [
        "It isn't warm",
        "It isn’t warm",
        "It isnʼt warm",
        "It isnt warm",
        "It isn&#39;t warm",
        "It isn&rsquo;t warm",
    ] {
        assert_eq!(forms(text), ["it", "is", "not", "warm"], "{text}");
    }
    assert_eq!(raw("It isn’t warm"), ["It", "is", "n’t", "warm"]);
    assert_eq!(raw("It isn&#39;t"), ["It", "is", "n&#39;t"]);
}

#[test]
fn irregular_contractions_give_the_verb() {
    assert_eq!(
        forms("won't can't cannot shan't ain't"),
        ["will", "not", "can", "not", "can", "not", "shall", "not", "is", "not"]
    );
    assert_eq!(raw("can't cannot"), ["ca", "n't", "can", "not"]);
    assert_eq!(
        forms("it's we're I've she'll I'm they'd let's"),
        ["it", "is", "we", "are", "i", "have", "she", "will", "i", "am", "they", "would", "let", "us"]
    );
}

#[test]
fn a_possessive_is_the_word_alone() {
    assert_eq!(forms("my daughter's bear"), ["my", "daughter", "bear"]);
    assert_eq!(raw("daughter’s bear"), ["daughter’s", "bear"]);
}

#[test]
fn contractions_can_be_left_whole() {
    let recipe = Recipe { contractions: false, ..Recipe::default() };
    assert_eq!(forms_under("It isn’t, it's", &recipe), ["it", "isn't", "it's"]);
}

#[test]
fn capitals_can_be_kept() {
    let recipe = Recipe { case: Case::Keep, ..Recipe::default() };
    assert_eq!(forms_under("Never ÉTÉ Won't", &recipe), ["Never", "ÉTÉ", "will", "not"]);
    assert_eq!(forms("ÉTÉ Straße"), ["été", "straße"]);
}

#[test]
fn stretched_words_keep_two_letters() {
    assert_eq!(forms("sooooo gooood GRRRR été éééé 10000"), ["soo", "good", "grr", "été", "éé", "10000"]);
    assert_eq!(forms("room3333x"), ["room3333x"]);
    let keep = Recipe { elongation: Elongation::Keep, repeats: Elongation::Keep, ..Recipe::default() };
    assert_eq!(forms_under("sooo", &keep), ["sooo"]);
}

#[test]
fn links_and_mail_addresses_are_one_token() {
    let text = "See www.harrowstrait.example/book?a=1, or write to desk.two@harrowstrait.example.";
    assert_eq!(forms(text), ["see", LINK, "or", "write", "to", MAIL]);
    assert_eq!(raw(text)[1], "www.harrowstrait.example/book?a=1");
    assert_eq!(raw(text)[5], "desk.two@harrowstrait.example");
    let drop = Recipe { links: Treatment::Drop, ..Recipe::default() };
    assert_eq!(forms_under("see http://a.example now", &drop), ["see", "now"]);
    let keep = Recipe { links: Treatment::Keep, ..Recipe::default() };
    assert_eq!(forms_under("HTTPS://A.example/B", &keep), ["https://a.example/b"]);
    assert_eq!(forms("an @ alone and a@b"), ["an", "alone", "and", "a", "b"]);
}

#[test]
fn ratings_in_the_text_are_one_token_whatever_their_scale() {
    for (text, expected) in [
        ("8/10, would sail again", "‹8 of 10› would sail again"),
        ("I give it 4 out of 5 stars.", "i give it ‹8 of 10›"),
        ("four stars for the crew", "‹8 of 10› for the crew"),
        ("One star is too much", "‹2 of 10› is too much"),
        ("a 3.5/5 crossing", "a ‹7 of 10› crossing"),
        ("80/100 from me", "‹8 of 10› from me"),
        // What is on no scale, or beyond it, is no rating.
        ("open 24/7, deck 3/4", "open 24/7 deck 3/4"),
        ("12/10 for effort", "12/10 for effort"),
        ("a five star hotel", "a five star hotel"),
        ("9 out of 12 cabins", "9 out of 12 cabins"),
        ("two, stars above", "two stars above"),
    ] {
        assert_eq!(forms(text).join(" "), expected, "{text}");
    }
    let keep = Recipe { ratings: Ratings::Keep, ..Recipe::default() };
    assert_eq!(forms_under("4 out of 5", &keep).join(" "), "4 out of 5");
}

#[test]
fn numbers_prices_and_times_are_one_token() {
    assert_eq!(
        forms("£45.50 at 23:45, 1,200 seats, 10pm, 2nd, 24/7."),
        ["45.50", "at", "23:45", "1,200", "seats", "10pm", "2nd", "24/7"]
    );
    let mark = Recipe { numbers: Treatment::Mark, ..Recipe::default() };
    assert_eq!(forms_under("deck 7 at 10pm", &mark), ["deck", NUMBER, "at", "10pm"]);
    let drop = Recipe { numbers: Treatment::Drop, ..Recipe::default() };
    assert_eq!(forms_under("deck 7 ½", &drop), ["deck"]);
}

#[test]
fn emoticons_and_emoji_are_tokens() {
    assert_eq!(forms("Cold :-( but nice :) <3"), ["cold", "‹sad›", "but", "nice", "‹glad›", "‹loving›"]);
    // One laughs at what is bad, too: only what always praises or blames shares a mood.
    let mood = Recipe { emoticons: Emoticons::Mood, ..Recipe::default() };
    assert_eq!(forms_under("👎 😡 <3 😂", &mood), ["‹sad›", "‹sad›", "‹glad›", "‹laughing›"]);
    let keep = Recipe { emoticons: Emoticons::Keep, ..Recipe::default() };
    assert_eq!(forms_under("Cold :-( but nice :)", &keep), ["cold", ":-(", "but", "nice", ":)"]);
    assert_eq!(forms("ship ahoy:D"), ["ship", "ahoy", "d"], "a colon at the head of a word is no emoticon");
    // Skin colour and look are not kept, joined pictures and flags are one token each.
    assert_eq!(forms_under("👍🏽👍 ❤️ 👩‍👩‍👧 🇳🇴🇸🇪", &keep), ["👍", "👍", "❤", "👩👩👧", "🇳🇴", "🇸🇪"]);
    let none = Recipe { emoticons: Emoticons::Drop, ..Recipe::default() };
    assert_eq!(forms_under("good :-) 👍 day", &none), ["good", "day"]);
}

#[test]
fn marks_are_tokens_and_end_sentences() {
    let tokens = read("Late again!!!! Why? Fine", &Recipe::default());
    let seen: Vec<(&str, Kind, Break)> =
        tokens.items().iter().map(|token| (tokens.form(token), token.kind, token.before)).collect();
    assert_eq!(
        seen,
        [
            ("late", Kind::Word, Break::None),
            ("again", Kind::Word, Break::None),
            ("!!", Kind::Mark, Break::None),
            ("why", Kind::Word, Break::Sentence),
            ("?", Kind::Mark, Break::None),
            ("fine", Kind::Word, Break::Sentence),
        ]
    );
    let none = Recipe { punctuation: Punctuation::Drop, ..Recipe::default() };
    let tokens = read("Late! Fine", &none);
    assert_eq!(tokens.items()[1].before, Break::Sentence, "a mark that is dropped still ends its sentence");
}

#[test]
fn all_marks_can_be_tokens_and_part_the_same_clauses() {
    let text =
        "Not bad, really (at all)..... but - well: slow; 2.5 h, approx. ten &#40;a re-run&#41; – so… yes.";
    let all = Recipe { punctuation: Punctuation::All, ..Recipe::default() };
    let (with, without) = (read(text, &all), read(text, &Recipe::default()));
    let marks: Vec<&str> =
        with.items().iter().filter(|token| token.kind == Kind::Mark).map(|token| with.form(token)).collect();
    assert_eq!(marks, [",", "(", ")", "…", "-", ":", ";", ",", "(", ")", "–", "…", "."]);
    let mut words = with.items().iter().filter(|token| token.kind != Kind::Mark);
    for token in without.items() {
        let same = words.next().expect("a word");
        assert_eq!((with.form(same), same.start, same.end), (without.form(token), token.start, token.end));
        // Between two words the strongest break is the same, whichever token carries it.
        assert_eq!((same.negated, same.cue), (token.negated, token.cue), "{}", without.form(token));
    }
    assert!(words.next().is_none());
    let wide = read("良い。とても！", &all);
    let marks = wide.items().iter().filter(|token| token.kind == Kind::Mark);
    assert_eq!(marks.map(|token| wide.form(token)).collect::<Vec<_>>(), ["。", "！"]);
}

#[test]
fn breaks_are_those_of_a_reader() {
    let breaks = |text: &str| -> Vec<Break> {
        read(text, &Recipe::default()).items().iter().skip(1).map(|token| token.before).collect()
    };
    use Break::{Clause, None, Sentence};
    assert_eq!(breaks("one. two"), [Sentence]);
    assert_eq!(breaks("one, two; three: four (five) six - seven – eight"), [Clause; 7]);
    assert_eq!(breaks("one... two"), [Clause]);
    assert_eq!(breaks("one\ntwo\n\nthree\n \nfour"), [Clause, Sentence, Sentence]);
    assert_eq!(breaks("one<br>two</p>three<b>four"), [Sentence, Sentence, None]);
    assert_eq!(breaks("approx. ten"), [None], "an abbreviation ends no sentence");
    assert_eq!(breaks("well-kept and/or"), [None, None, None]);
    assert_eq!(breaks("nice but cold"), [Clause, None], "a contrast word begins a clause");
    assert_eq!(breaks("so did I. We left"), [None, None, Sentence, None]);
}

#[test]
fn entities_and_markup_are_read_as_what_they_stand_for() {
    assert_eq!(forms("food &amp; crew"), ["food", "crew"]);
    assert_eq!(forms("caf&eacute; caf&#233; caf&#xE9;"), ["café", "café", "café"]);
    assert_eq!(forms("5 < 6 & <em>kind</em>"), ["5", "6", "kind"]);
    assert_eq!(raw("caf&eacute; bar"), ["caf&eacute;", "bar"]);
    assert_eq!(forms("&nosuchthing; &; & ok"), ["nosuchthing", "ok"]);
}

#[test]
fn nothing_gives_no_tokens() {
    for text in ["", "   ", "\n\n", "...", "--", "\u{feff}", "\u{200d}", "'''"] {
        assert!(forms(text).is_empty(), "{text:?} gives {:?}", forms(text));
    }
}

#[test]
fn a_very_long_review_is_read() {
    let text = "a ".repeat(1_000_000);
    assert_eq!(read(&text, &Recipe::default()).items().len(), 1_000_000);
    let word = "x".repeat(1_000_000);
    assert_eq!(forms(&word), ["xx"]);
}

#[test]
fn phrases_are_replaced_at_once_and_keep_their_place() {
    let lines = ["w/o,without", "harrow strait,hs", "five stars,excellent", "five,5", "tea,good tea"];
    let recipe = Recipe { replace: lines.map(String::from).to_vec(), ..Recipe::default() };
    assert_eq!(
        forms_under("W/O doubt, Harrow Strait: FIVE STARS, five of them", &recipe).join(" "),
        "without doubt hs excellent 5 of them"
    );
    // "steal" and "teas" are other words, and what is read is not read again.
    assert_eq!(forms_under("teas steal tea", &recipe), ["teas", "steal", "good", "tea"]);
    let tokens = read("some tea now", &recipe);
    let places: Vec<(u32, u32)> = tokens.items().iter().map(|token| (token.start, token.end)).collect();
    assert_eq!(places, [(0, 4), (5, 8), (5, 8), (9, 12)]);
}

#[test]
fn replacements_that_make_no_sense_are_told() {
    for (lines, told) in [
        (vec!["a,b", "b,c"], "write \"a,c\""),
        (vec!["a,b", "b,a"], "write \"a,a\""),
        (vec!["a,b", "A,c"], "twice"),
        (vec!["nothing"], "comma"),
        (vec![",x"], "before its comma"),
    ] {
        let replace = lines.iter().map(|line| line.to_string()).collect();
        let recipe = Recipe { replace, ..Recipe::default() };
        let error = Cleaner::new(&recipe, &Negation::default()).expect_err("no sense");
        assert!(error.contains(told), "{error}");
    }
}

#[test]
fn stop_words_go_and_negators_stay_unless_they_are_named() {
    let list = ["the", "not", "was", "no"].map(String::from).to_vec();
    let recipe = Recipe { stoplist: StopList::Words(list), ..Recipe::default() };
    assert_eq!(forms_under("The crew wasn't kind, no", &recipe), ["crew", "not", "kind", "no"]);
    let named = Recipe { stop_also: vec!["not".into()], ..recipe };
    assert_eq!(forms_under("The crew wasn't kind, no", &named), ["crew", "kind", "no"]);
    let english = Recipe { stoplist: StopList::Of(Language::English), ..Recipe::default() };
    assert_eq!(forms_under("It was not one of the best", &english), ["not", "best"]);
    let short = Recipe { shortest: 4, ..Recipe::default() };
    assert_eq!(forms_under("No tea for 5 of the crew", &short), ["no", "5", "crew"]);
}

#[test]
fn a_break_passes_to_the_next_token_that_stays() {
    let english = Recipe { stoplist: StopList::Of(Language::English), ..Recipe::default() };
    let tokens = read("warm. The cabin", &english);
    assert_eq!(tokens.items()[1].before, Break::Sentence);
}

#[test]
fn endings_are_cut_off_by_language() {
    let stem = |stem, text| forms_under(text, &Recipe { stem, ..Recipe::default() });
    assert_eq!(stem(Stem::English, "boring boredom loving"), ["bore", "boredom", "love"]);
    assert_eq!(stem(Stem::German, "Kabinen"), ["kabin"]);
    for language in Stem::ALL {
        assert_eq!(stem(*language, "").len(), 0, "{}", language.name());
    }
}

#[test]
fn hashtags_joined_words_and_markup_are_read_as_asked() {
    let under = |recipe: Recipe| forms_under("<i>#NightFerry</i> check-in and/or &amp;", &recipe).join(" ");
    let usual = Recipe::default;
    assert_eq!(under(usual()), "nightferry check in and or");
    assert_eq!(under(Recipe { hashtags: Hashtags::Apart, ..usual() }), "night ferry check in and or");
    assert_eq!(under(Recipe { hashtags: Hashtags::Keep, ..usual() }), "#nightferry check in and or");
    assert_eq!(under(Recipe { hashtags: Hashtags::Drop, ..usual() }), "check in and or");
    assert_eq!(under(Recipe { joined: Joined::Keep, ..usual() }), "nightferry check-in and/or");
    assert_eq!(under(Recipe { markup: Presence::Keep, ..usual() }), "i nightferry i check in and or amp");
}

#[test]
fn emoticons_are_kept_marked_named_or_left_out() {
    let under =
        |emoticons| forms_under("fine :-) ok 😊", &Recipe { emoticons, ..Recipe::default() }).join(" ");
    assert_eq!(under(Emoticons::Keep), "fine :-) ok 😊");
    assert_eq!(under(Emoticons::Mark), format!("fine {EMOTICON} ok {EMOTICON}"));
    assert_eq!(under(Emoticons::Meaning), "fine ‹glad› ok ‹glad›");
    assert_eq!(under(Emoticons::Drop), "fine ok");
    for (sign, meaning, mood) in emoticons() {
        for (told, form) in [(Emoticons::Meaning, meaning), (Emoticons::Mood, mood)] {
            let read = read(sign, &Recipe { emoticons: told, ..Recipe::default() });
            assert_eq!(read.form(&read.items()[0]), format!("‹{form}›"), "{sign}");
        }
    }
}

#[test]
fn every_change_is_told_with_its_place() {
    let cleaner = Cleaner::new(&Recipe::default(), &Negation::default()).expect("a sound recipe");
    let text = "<b>SOOOO</b> good &amp; isn’t it!!!! www.x.org check-in";
    let told: Vec<(Step, &str)> = cleaner
        .scan_and_tell(text, &mut ScanBuffer::default())
        .iter()
        .map(|change| (change.step, &text[change.start as usize..change.end as usize]))
        .collect();
    let expected = [
        (Step::Markup, "<b>"),
        (Step::Case, "SOOOO"),
        (Step::Elongation, "SOOOO"),
        (Step::Markup, "</b>"),
        (Step::Reference, "&amp;"),
        (Step::Contraction, "isn’t"),
        (Step::Repeats, "!!!!"),
        (Step::Link, "www.x.org"),
        (Step::Joined, "-"),
    ];
    assert_eq!(told, expected);
}

/// Whatever is read: places ascend, lie on character borders, and are the same or do not
/// overlap, so that they join up, with what stands between them, to the raw text. What is
/// told of changes lies inside the text, and telling changes nothing.
fn check_places(text: &str, recipe: &Recipe, negation: &Negation) {
    let cleaner = Cleaner::new(recipe, negation).expect("a sound recipe");
    let (mut buffer, mut told) = (ScanBuffer::default(), ScanBuffer::default());
    let tokens = cleaner.scan(text, &mut buffer);
    let mut last = (0, 0);
    for token in tokens.items() {
        let (start, end) = (token.start as usize, token.end as usize);
        let follows = last.1 <= start || last == (start, end);
        assert!(follows && start < end && end <= text.len(), "{last:?} {start}..{end} in {text:?}");
        assert!(text.is_char_boundary(start) && text.is_char_boundary(end), "{start}..{end} in {text:?}");
        assert!(!tokens.form(token).is_empty(), "an empty form at {start}..{end} in {text:?}");
        last = (start, end);
    }
    let changes = cleaner.scan_and_tell(text, &mut told);
    let seen = |tokens: &Tokens| -> Vec<(u32, String, bool)> {
        tokens.items().iter().map(|token| (token.start, tokens.form(token).into(), token.negated)).collect()
    };
    assert_eq!(seen(tokens), seen(told.tokens()));
    for change in changes {
        assert!(text.get(change.start as usize..change.end as usize).is_some_and(|span| !span.is_empty()));
    }
}

/// Any recipe, and any way of negation.
fn recipes() -> impl Strategy<Value = (Recipe, Negation)> {
    let signs = (any_of(), any_of(), any_of(), any_of(), any_of(), any_of(), any_of(), any_of());
    let words = (any_of(), any::<bool>(), any_of(), any_of(), 1u32..5, any_of(), any::<bool>());
    let effects = (any_of(), any_of(), any_of(), any_of());
    let negation = (any_of(), any_of(), any_of(), any_of(), effects, 1u32..8);
    let tongues = (any_of(), any::<bool>());
    (signs, words, negation, tongues, any::<bool>()).prop_map(|(signs, words, negation, tongues, stops)| {
        let (markup, links, hashtags, numbers, ratings, emoticons, punctuation, repeats) = signs;
        let (case, contractions, elongation, joined, shortest, stem, replaces) = words;
        let lines = |yes: bool, lines: &[&str]| {
            if yes { lines.iter().map(|l| l.to_string()).collect() } else { vec![] }
        };
        let languages = match tongues {
            (_, true) => vec![Language::French, Language::English, Language::German, Language::Italian],
            (language, false) => vec![language],
        };
        let recipe = Recipe {
            languages,
            apart: stops,
            markup,
            links,
            hashtags,
            numbers,
            ratings,
            emoticons,
            punctuation,
            repeats,
            case,
            contractions,
            elongation,
            joined,
            shortest,
            stem,
            replace: lines(replaces, &["w/o,without", "a,one two", "é,", "n't,not! so", "👩,woman"]),
            stoplist: if stops { StopList::Of(Language::English) } else { StopList::None },
            stop_also: lines(stops, &["not"]),
        };
        let (scope, style, cues, prefixes, (phrases, concessions, wishes, edition), reach) = negation;
        (
            recipe,
            Negation {
                scope,
                style,
                cues,
                prefixes,
                phrases,
                concessions,
                wishes,
                edition,
                reach,
                also: lines(stops, &["a b,within", "c … d,praises"]),
            },
        )
    })
}

/// Texts made of what is awkward to read.
fn awkward() -> impl Strategy<Value = String> {
    let piece = prop_oneof![
        "[a-zA-Z]{1,8}",
        "[0-9.,:/]{1,6}",
        "[ .,;:!?()'\"&<>@#/*=^-]{1,4}",
        "\\PC{1,4}",
        Just("n't".to_string()),
        Just("n’t".to_string()),
        Just("&#39;".to_string()),
        Just("&eacute;".to_string()),
        Just("<br>".to_string()),
        Just("👩‍👧🇳🇴❤️".to_string()),
        Just("\u{ad}\u{301}".to_string()),
        Just("http://".to_string()),
        Just("www.".to_string()),
        Just("a@b.c".to_string()),
        Just("cannot".to_string()),
        Just(" w/o ".to_string()),
        Just("#NightFerry_9".to_string()),
        Just(" not unkind ".to_string()),
        Just(" hard to fault ".to_string()),
        Just(" 7/10 ".to_string()),
        Just("2 out of 5 stars ".to_string()),
        Just("couldn't recommend it enough ".to_string()),
        Just("dont".to_string()),
        Just("\n\n".to_string()),
    ];
    proptest::collection::vec(piece, 0..24).prop_map(|pieces| pieces.concat())
}

#[test]
fn an_apostrophe_alone_is_no_word() {
    // U+02BC is a letter to Unicode: it once began a word that had no end.
    for mark in ["'", "’", "\u{2bc}", "&#700;"] {
        assert_eq!(forms_under(&format!("a {mark} b{mark}"), &Recipe::default()), ["a", "b"], "{mark}");
        assert_eq!(forms_under(&format!("{mark}twas"), &Recipe::default()), ["twas"], "{mark}");
        assert_eq!(forms_under(&format!("isn{mark}t"), &Recipe::default()), ["is", "not"], "{mark}");
    }
}

proptest! {
    #![proptest_config(ProptestConfig { cases: 600, failure_persistence: None, ..ProptestConfig::default() })]

    #[test]
    fn places_hold_for_any_text(text in "\\PC{0,60}", (recipe, negation) in recipes()) {
        check_places(&text, &recipe, &negation);
    }

    #[test]
    fn places_hold_for_awkward_texts(text in awkward(), (recipe, negation) in recipes()) {
        check_places(&text, &recipe, &negation);
    }

    #[test]
    fn cleaning_reads_its_own_forms_back(text in "[a-z]{1,9}( [a-z]{1,9}){0,9}") {
        // Words that need no cleaning come out as they went in, twice over.
        let recipe = Recipe { contractions: false, elongation: Elongation::Keep, ..Recipe::default() };
        let once = forms_under(&text, &recipe).join(" ");
        prop_assert_eq!(&once, &text);
    }
}
