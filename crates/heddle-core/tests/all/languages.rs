//! Texts in several languages: what negates in each, how they are told apart, and what models make of that.

use heddle_core::Choice;
use heddle_core::explain::{built_in_probes, passed_by_kind, probe};
use heddle_core::labels::Polarity;
use heddle_core::model::Model;
use heddle_core::resample::Random;
use heddle_core::settings::Study;
use heddle_core::terms::TermId;
use heddle_core::text::{Cleaner, Language, Negation, Recipe, ScanBuffer, StopList};
use worlds::{World, fixed};

const KNOWN: [Language; 6] = [
    Language::English,
    Language::German,
    Language::French,
    Language::Spanish,
    Language::Italian,
    Language::Dutch,
];

/// The words of a text as languages read it, a negated one with "¬".
fn read(languages: &[Language], text: &str) -> String {
    let recipe = Recipe { languages: languages.to_vec(), ..Recipe::default() };
    let cleaner = Cleaner::new(&recipe, &Negation::default()).expect("a sound recipe");
    let mut buffer = ScanBuffer::default();
    let tokens = cleaner.scan(text, &mut buffer);
    tokens.items().iter().map(|token| tokens.spelled(token)).collect::<Vec<_>>().join(" ")
}

#[test]
fn each_language_negates_in_its_own_way() {
    use Language::{Dutch, French, German, Italian, Spanish};
    let cases = [
        (German, "Das Essen war nicht gut, aber warm", "das essen war nicht ¬gut aber warm"),
        (German, "Das Essen schmeckte uns nicht.", "¬das ¬essen ¬schmeckte ¬uns nicht"),
        (German, "Gefällt mir nicht, aber schön", "¬gefällt ¬mir nicht aber schön"),
        (German, "weder warm noch sauber", "weder ¬warm ¬noch ¬sauber"),
        (German, "nicht ohne Charme", "nicht ohne charme"),
        (German, "nicht nur gut", "nicht nur gut"),
        (German, "Daran gibt es nichts auszusetzen", "daran gibt es ‹praise›"),
        (German, "Das lässt zu wünschen übrig", "das lässt ‹blame›"),
        (Dutch, "De hut was niet schoon, maar warm", "de hut was niet ¬schoon maar warm"),
        (Dutch, "De lamp werkt niet!", "¬de ¬lamp ¬werkt niet !"),
        (Dutch, "niet warm en niet schoon", "niet ¬warm ¬en niet ¬schoon"),
        (French, "La cabine n’était pas propre, mais chaude", "la cabine n était pas ¬propre mais chaude"),
        (French, "je n'ai jamais rien vu de bon", "je n ai jamais rien ¬vu ¬de ¬bon"),
        (French, "pas sans charme", "pas sans charme"),
        (French, "l'hôtel d'aujourd'hui", "l hôtel d'aujourd hui"),
        (French, "ni propre ni chaud", "ni ¬propre ni ¬chaud"),
        (French, "pas seulement bon", "pas seulement bon"),
        (Spanish, "No había nada bueno", "no ¬había nada ¬bueno"),
        (Spanish, "no sin encanto", "no sin encanto"),
        (Spanish, "No me gustó, pero era cálido", "no ¬me ¬gustó pero era cálido"),
        (Spanish, "deja mucho que desear", "‹blame›"),
        (Italian, "Non c'era niente di buono", "non ¬c ¬era niente ¬di ¬buono"),
        (Italian, "non senza fascino", "non senza fascino"),
        (Italian, "poco pulito ma caldo", "poco ¬pulito ma caldo"),
        (Italian, "Niente da dire", "‹praise›"),
    ];
    for (language, text, expected) in cases {
        assert_eq!(read(&[language], text), expected, "{}: {text}", language.name());
    }
    // Where nothing is known of a language, no word negates, and nothing is taken apart.
    assert_eq!(read(&[Language::Other], "not good, isn't it"), "not good isn't it");
}

#[test]
fn the_language_of_a_text_decides_by_whose_tables_it_is_read() {
    let both = [Language::English, Language::German];
    let german = "Das Zimmer war leider überhaupt nicht sauber und das Frühstück kam viel zu spät";
    let english = "The cabin was not clean at all and breakfast came far too late for the early ferry";
    assert!(read(&both, german).contains("nicht ¬sauber"));
    assert!(read(&both, english).contains("not ¬clean"));
    // Too short to tell: the first that is named.
    assert_eq!(read(&both, "nicht ok"), "nicht ok");
    let turned = [Language::German, Language::English];
    assert_eq!(read(&turned, "nicht ok"), "nicht ¬ok");
    for (at, language) in KNOWN.into_iter().enumerate() {
        let text = SENTENCES[at];
        let others: Vec<Language> = KNOWN.into_iter().filter(|other| *other != language).collect();
        let all = [&others[..2], &[language], &others[2..]].concat();
        let recipe = Recipe { languages: all, ..Recipe::default() };
        let cleaner = Cleaner::new(&recipe, &Negation::default()).expect("a sound recipe");
        let mut buffer = ScanBuffer::default();
        assert_eq!(cleaner.scan(text, &mut buffer).tongue(), 2, "{}", language.name());
    }
}

/// A plain sentence of each language.
const SENTENCES: [&str; 6] = [
    "We sailed at night and the steward brought us a cup of hot tea with some bread",
    "Wir fuhren in der Nacht und der Steward brachte uns eine Tasse heißen Tee mit etwas Brot",
    "Nous avons navigué la nuit et le steward nous a apporté une tasse de thé chaud avec du pain",
    "Navegamos por la noche y el camarero nos trajo una taza de té caliente con un poco de pan",
    "Abbiamo navigato di notte e lo steward ci ha portato una tazza di tè caldo con un po' di pane",
    "We voeren in de nacht en de steward bracht ons een kop hete thee met een beetje brood",
];

#[test]
fn stop_words_of_a_language_spare_its_negators() {
    for language in KNOWN {
        let recipe = Recipe { languages: vec![language], stoplist: StopList::Own, ..Recipe::default() };
        let cleaner = Cleaner::new(&recipe, &Negation::default()).expect("a sound recipe");
        let words: Vec<&str> = language.function_words().collect();
        assert!(words.len() > 140 && words.is_sorted(), "{}", language.name());
        let negators: Vec<&&str> = words.iter().filter(|word| cleaner.is_negator(word)).collect();
        assert!(negators.is_empty(), "{}: {negators:?}", language.name());
        let text = format!("{} qwx", words[10..20].join(" "));
        let mut buffer = ScanBuffer::default();
        let tokens = cleaner.scan(&text, &mut buffer);
        assert_eq!(tokens.items().len(), 1, "{}: {text}", language.name());
    }
}

/// Reviews of a language: clauses about things, some negated, that mostly agree with their class.
fn reviews(language: Language, count: usize) -> (Vec<String>, Vec<Polarity>) {
    // Behind the thing: praise or blame, and its denial.
    let (things, good, bad, is, is_not): (&[&str], &[&str], &[&str], &str, &[&str]) = match language {
        Language::German => (
            &["das Essen", "die Kabine", "das Personal", "das Bett"],
            &["gut", "super", "perfekt", "toll"],
            &["schlecht", "miserabel", "furchtbar", "mies"],
            "war",
            &["war nicht", "war gar nicht"],
        ),
        Language::French => (
            &["le repas", "le service", "le lit", "le personnel"],
            &["bon", "parfait", "super", "excellent"],
            &["mauvais", "horrible", "décevant", "affreux"],
            "était",
            &["n'était pas", "n’était pas du tout"],
        ),
        Language::Spanish => (
            &["el servicio", "el desayuno", "el personal", "el camarote"],
            &["bueno", "excelente", "perfecto", "agradable"],
            &["malo", "horrible", "pésimo", "terrible"],
            "era",
            &["no era", "no era nada"],
        ),
        Language::Italian => (
            &["il servizio", "il cibo", "il personale", "il letto"],
            &["buono", "ottimo", "perfetto", "piacevole"],
            &["pessimo", "orribile", "terribile", "scadente"],
            "era",
            &["non era", "non era affatto"],
        ),
        Language::Dutch => (
            &["het eten", "de hut", "het personeel", "het bed"],
            &["goed", "prima", "perfect", "heerlijk"],
            &["slecht", "vreselijk", "waardeloos", "vies"],
            "was",
            &["was niet", "was helemaal niet"],
        ),
        Language::English | Language::Other => (
            &["the food", "the cabin", "the crew", "the bed"],
            &["good", "great", "perfect", "lovely"],
            &["bad", "awful", "horrible", "terrible"],
            "was",
            &["was not", "was not at all"],
        ),
    };
    let mut draw = Random::new(5);
    let mut one = |_| {
        let positive = draw.unit() < 0.5;
        let mut clauses = Vec::new();
        for _ in 0..2 + draw.below(3) {
            let thing = things[draw.below(things.len())];
            let praises = (draw.unit() < 0.92) == positive;
            // Denials are rare, as they are in reviews.
            let denies = draw.unit() < 0.15;
            let words = if praises != denies { good } else { bad };
            let verb = if denies { is_not[draw.below(is_not.len())] } else { is };
            clauses.push(format!("{thing} {verb} {}", words[draw.below(words.len())]));
        }
        (clauses.join(". "), if positive { Polarity::Positive } else { Polarity::Negative })
    };
    (0..count).map(&mut one).unzip()
}

fn under(languages: &[Language]) -> Study {
    let mut study = fixed(1e-3);
    study.text.languages = languages.to_vec();
    study
}

#[test]
fn every_suite_has_sixty_sentences_and_its_tables_serve_it() {
    for language in KNOWN {
        let (texts, labels) = reviews(language, 900);
        let world = World::of(texts.clone(), labels.clone(), under(&[language]));
        let model = world.model();
        let probes = built_in_probes(&model);
        let mut templates: Vec<usize> = probes.iter().map(|own| own.template).collect();
        templates.dedup();
        assert!(templates.len() >= 60, "{}: {} sentences", language.name(), templates.len());
        let (kinds, _) = passed_by_kind(&probe(&model, &probes));
        // Without its table the same reviews teach less of what negation does.
        let blind = World::of(texts, labels, under(&[Language::Other])).model();
        let (unread, _) = passed_by_kind(&probe(&blind, &probes));
        let share = |kinds: &[heddle_core::explain::KindPassed], of: &[&str]| {
            let own = kinds.iter().filter(|own| of.contains(&own.kind.as_str()));
            let shares: Vec<f64> = own.map(|own| own.passed.value.expect("sentences")).collect();
            shares.iter().sum::<f64>() / shares.len() as f64
        };
        assert!(share(&kinds, &["plain"]) >= 0.9, "{}: {kinds:?}", language.name());
        let negated = ["negated praise", "negated blame", "far negator"];
        let (with, without) = (share(&kinds, &negated), share(&unread, &negated));
        assert!(
            with >= 0.75 && with > without + 0.2,
            "{}: {with} and {without}: {kinds:#?}",
            language.name()
        );
    }
}

fn terms(model: &Model) -> Vec<String> {
    TermId::all(model.len()).map(|term| model.spell(term)).collect()
}

#[test]
fn languages_have_words_of_their_own_in_one_model() {
    let mut texts = Vec::new();
    let mut labels = Vec::new();
    for language in [Language::English, Language::German] {
        let (own, classes) = reviews(language, 500);
        texts.extend(own);
        labels.extend(classes);
    }
    // A word that is blame in one language and an everyday word in the other.
    let places = texts.len();
    for (at, text) in texts.iter_mut().enumerate() {
        let german = at >= places / 2;
        match (german, labels[at]) {
            (true, Polarity::Positive) => text.push_str(". Wir waren im Bad und das Wasser war warm"),
            (false, Polarity::Negative) => text.push_str(". The water in the cabin was bad again"),
            _ => {}
        }
    }
    let languages = [Language::English, Language::German];
    let world = World::of(texts.clone(), labels.clone(), under(&languages));
    let model = world.model();
    let words = terms(&model);
    let has = |word: &str| words.iter().any(|own| own == word);
    assert!(has("english:bad") && has("german:bad"), "{words:?}");
    let odds = |text: &str| model.scorer().score(text).verdict.log_odds;
    let silent = odds("");
    let german = "Wir waren heute alle zusammen noch einmal im Bad des Schiffes und in der Kabine";
    let english = "We were all together in the cabin of the ship again today and it was bad";
    assert!(odds(german) > silent && odds(english) < silent, "{} {}", odds(german), odds(english));
    // Together where that is asked for.
    let mut study = under(&languages);
    study.text.apart = false;
    let joined = World::of(texts, labels, study).model();
    assert!(terms(&joined).iter().all(|word| !word.contains(':')));
}

#[test]
fn a_study_says_which_languages_it_cannot_have() {
    let refused =
        |languages: &[Language]| under(languages).check().expect_err("no such languages").to_string();
    assert!(refused(&[]).contains("names none"));
    assert!(refused(&[Language::German, Language::German]).contains("german twice"));
    assert!(refused(&[Language::German, Language::Other]).contains("other"));
    let mut study = under(&[Language::German]);
    study.negation.prefixes = heddle_core::text::Prefixes::Read;
    assert!(study.check().expect_err("no table").to_string().contains("English words alone"));
    assert!(under(&[Language::Other]).check().is_ok());
}
