//! Model files: whole, damaged, and from the future.

use heddle_core::beside::ColumnUse;
use heddle_core::labels::{Middle, Polarity};
use heddle_core::learn::{Calibrate, Method, Strength};
use heddle_core::measure::{Cuts, Decision};
use heddle_core::model::{Model, Parts, fit};
use heddle_core::resample::{Sample, text_key};
use heddle_core::settings::Study;
use heddle_core::terms::vectors::{VectorSource, WordVectors};
use heddle_core::terms::{Corpus, Counted, TermId};
use heddle_core::text::Document;
use heddle_files::{from_bytes, to_bytes};

const TEXTS: [&str; 6] = [
    "a warm cabin",
    "a cold cabin",
    "not a warm cabin",
    "warm and gööd",
    "cold 👎",
    "never cold, always warm",
];

fn model() -> Model {
    use Polarity::{Negative, Positive};
    let mut study = Study::default();
    (study.terms.at_least, study.model.strength) = (Some(1), Strength::Fixed(0.003));
    study.reviews.text = vec!["headline".into(), "text, \"raw\"".into()];
    let corpus = Corpus::read(&TEXTS[..], study.corpus_rules());
    let counted = Counted::new(&corpus, &study.terms);
    let labels = vec![Positive, Negative, Negative, Positive, Negative, Positive];
    let sample = Sample::new(labels, TEXTS.map(text_key).to_vec());
    let learnt = fit(&counted, &sample, &[0, 1, 2, 3, 4, 5], &study).expect("two classes");
    Model::new(&corpus, &counted, &learnt, &study, None)
}

/// A model of many reviews, with or without a third class.
fn larger(study: &Study, classes: &[Polarity]) -> Model {
    let texts: Vec<String> =
        (0..120).map(|row| format!("{} {}", TEXTS[row % 6], TEXTS[row * 5 % 4])).collect();
    let of = |row: usize| match row % 7 {
        0 => classes[row % classes.len()], // some disagree
        _ => {
            if (row % 6).is_multiple_of(2) {
                Polarity::Positive
            } else {
                Polarity::Negative
            }
        }
    };
    let sample = Sample::new((0..120).map(of).collect(), (0..120).collect());
    let corpus = Corpus::read(&texts[..], study.corpus_rules());
    let counted = Counted::new(&corpus, &study.terms);
    let rows: Vec<u32> = (0..120).collect();
    let learnt = fit(&counted, &sample, &rows, study).expect("every class");
    Model::new(&corpus, &counted, &learnt, study, None)
}

#[test]
fn calibration_cuts_and_a_third_class_are_kept() {
    let mut curved = Study::default();
    (curved.model.calibration, curved.decision.unsure) = (Calibrate::Isotonic, Some(0.9));
    let mut scaled = Study::default();
    (scaled.model.learner, scaled.decision.recall_negative) = (Method::Svm, Some(0.8));
    let mut three = Study::default();
    three.polarity.middle = Middle::Neutral;
    for (study, classes) in
        [(&curved, &Polarity::POLES[..]), (&scaled, &Polarity::POLES), (&three, &Polarity::ALL)]
    {
        let model = larger(study, classes);
        let again = from_bytes(&to_bytes(&model)).expect("a whole model");
        assert_eq!(model.classes().list(), classes);
        for text in TEXTS.iter().chain(&["", "not cold"]) {
            assert_eq!(model.scorer().score(text), again.scorer().score(text), "{text}");
        }
    }
}

#[test]
fn a_model_read_back_scores_bit_for_bit_the_same() {
    let model = model();
    let bytes = to_bytes(&model);
    let again = from_bytes(&bytes).expect("a whole model");
    assert_eq!(to_bytes(&again), bytes, "the same model gives the same bytes");
    assert_eq!((again.study(), again.card()), (model.study(), model.card()));
    for text in TEXTS.iter().chain(&["", "something else", "not cold"]) {
        let (own, read) = (model.scorer().score(text), again.scorer().score(text));
        assert_eq!(own.sum.to_bits(), read.sum.to_bits(), "{text}");
    }
    for term in TermId::all(model.len()) {
        assert_eq!((model.spell(term), model.term(term)), (again.spell(term), again.term(term)));
    }
}

#[test]
fn the_table_of_a_file_finds_what_one_made_anew_finds() {
    let model = model();
    let again = from_bytes(&to_bytes(&model)).expect("a whole model");
    let anew = Model::from_parts(again.parts());
    let (_, tokens) = model.vocabulary().paths();
    let mut found = 0;
    for parent in TermId::all(model.len()) {
        for &token in tokens {
            let [own, read, made] = [&model, &again, &anew].map(|own| own.vocabulary().longer(parent, token));
            assert!(own == read && read == made, "{} {}", model.spell(parent), token.bits());
            found += usize::from(own.is_some());
        }
    }
    let several = TermId::all(model.len()).filter(|term| model.vocabulary().parent(*term).is_some()).count();
    assert!(found >= several && several > 10, "{found} of {several}");
}

#[test]
fn any_changed_byte_is_noticed() {
    let bytes = to_bytes(&model());
    for at in 0..bytes.len() {
        let mut damaged = bytes.clone();
        damaged[at] ^= 1;
        assert!(from_bytes(&damaged).is_err(), "byte {at} of {}", bytes.len());
    }
}

#[test]
fn any_cut_is_noticed() {
    let bytes = to_bytes(&model());
    for length in 0..bytes.len() {
        assert!(from_bytes(&bytes[..length]).is_err(), "{length} of {} bytes", bytes.len());
    }
    let mut longer = bytes.clone();
    longer.push(0);
    assert!(from_bytes(&longer).is_err());
}

#[test]
fn a_file_that_is_no_model_or_newer_is_told_apart() {
    assert!(from_bytes(b"review,stars\n").expect_err("no model").contains("no Heddle model"));
    let mut newer = to_bytes(&model());
    for (format, way_out) in [(8, "newer Heddle"), (2, "train it again")] {
        newer[8] = format;
        assert!(from_bytes(&newer).map(|_| ()).expect_err("another format").contains(way_out));
    }
    let mut damaged = to_bytes(&model());
    damaged[200] ^= 4;
    assert!(from_bytes(&damaged).expect_err("damage").contains("damaged"));
}

/// A model file whose checksum is right and whose content was tampered with.
fn sealed(mut bytes: Vec<u8>) -> Vec<u8> {
    let body = bytes.len() - 8;
    let sum = xxhash_rust::xxh3::xxh3_64(&bytes[..body]);
    bytes[body..].copy_from_slice(&sum.to_le_bytes());
    bytes
}

/// Where the parts of a model file stand, seen from its end: the last array holds the weights.
fn tampered(model: &Model, change: impl Fn(&mut Parts)) -> String {
    let mut parts = model.parts();
    change(&mut parts);
    let bytes = to_bytes(&Model::from_parts(parts));
    from_bytes(&bytes).map(|_| ()).expect_err("no training makes such a model")
}

#[test]
fn a_model_that_contradicts_itself_is_refused_with_the_reason() {
    let model = model();
    let kept = TermId::all(model.len()).find(|term| model.term(*term).kept).expect("a term").place();
    for (told, change) in [
        (
            "the weight of term",
            Box::new(move |parts: &mut Parts| parts.terms.weights[kept] = f32::NAN)
                as Box<dyn Fn(&mut Parts)>,
        ),
        ("the weight of term", Box::new(move |parts| parts.terms.weights[kept] = f32::INFINITY)),
        (
            "no training review has the words of term",
            Box::new(move |parts| {
                Polarity::POLES.iter().for_each(|class| parts.terms.counts[*class][kept] = 0)
            }),
        ),
        (
            "more reviews than were learnt from",
            Box::new(move |parts| parts.terms.counts[Polarity::Positive][kept] = u32::MAX),
        ),
        ("its intercept is no number", Box::new(|parts| parts.intercept = f64::NAN)),
        ("neutral zone", Box::new(|parts| parts.half = -1.0)),
        ("neutral zone", Box::new(|parts| parts.half = f64::INFINITY)),
        (
            "its cuts are out of order",
            Box::new(|parts| {
                let cuts = Cuts { negative: 1e300, positive: 0.0, unsure: None };
                parts.card.cuts = Decision::OnAxis(cuts);
            }),
        ),
        ("no training review", Box::new(|parts| parts.card.mix[Polarity::Negative] = 0)),
        ("its rule has none", Box::new(|parts| parts.card.mix[Polarity::Neutral] = 3)),
        ("another number of terms", Box::new(|parts| parts.card.terms += 1)),
        ("more weights than there are terms", Box::new(|parts| parts.card.pulling = 1000)),
        (
            "a term stands in it twice",
            Box::new(|parts| {
                let last = parts.tokens.len() - 1;
                (parts.parents[last], parts.tokens[last]) = (parts.parents[last - 1], parts.tokens[last - 1]);
            }),
        ),
    ] {
        let error = tampered(&model, change);
        assert!(error.contains(told) && error.contains("train it again"), "{told}: {error}");
    }
}

#[test]
fn nothing_in_a_file_is_taken_on_trust() {
    let bytes = to_bytes(&model());
    for at in 12..bytes.len() - 8 {
        for change in [0x01, 0x80, 0xff] {
            let mut tampered = bytes.clone();
            tampered[at] ^= change;
            // Either refused or a model that can be used: never a panic.
            if let Ok(model) = from_bytes(&sealed(tampered)) {
                let score = model.scorer().score("not a warm cabin, never cold");
                assert!(score.sum.is_finite(), "byte {at}");
                let sum: f64 = Polarity::POLES.iter().map(|class| score.probability(*class)).sum();
                assert!((0.0..=1.0 + 1e-12).contains(&sum), "byte {at}: {sum}");
            }
        }
    }
}

/// A model that knows columns beside the text and word vectors too.
fn with_more() -> Model {
    use Polarity::{Negative, Positive};
    let labels = vec![Positive, Negative, Negative, Positive, Negative, Positive];
    let mut study = Study::default();
    (study.terms.at_least, study.model.strength) = (Some(1), Strength::Fixed(0.003));
    study.features.columns =
        ["channel", "fee:number"].map(|own| ColumnUse::parse(own).expect("a column")).to_vec();
    (study.features.at_least, study.features.vectors) = (1, Some("v.vec".into()));
    let document = |(at, text): (usize, &&str)| {
        let mut own = Document::from(*text);
        own.push_beside(["web", "desk", ""][at % 3]);
        own.push_beside(&(3 * at).to_string());
        own
    };
    let documents: Vec<Document> = TEXTS.iter().enumerate().map(document).collect();
    let corpus = Corpus::read(&documents[..], study.corpus_rules());
    let mut vectors = WordVectors::new(2);
    for (at, word) in ["warm", "cold", "gööd"].iter().enumerate() {
        vectors.add(word, &[at as f32 - 1.0, 0.5]);
    }
    let source =
        VectorSource { file: "v.vec".into(), dims: 2, words: 9, as_written: 3, other_case: 0, tokens: 0.0 };
    let corpus = corpus.with_vectors(vectors, source);
    let counted = Counted::new(&corpus, &study.terms);
    let sample = Sample::new(labels, TEXTS.map(text_key).to_vec());
    let learnt = fit(&counted, &sample, &[0, 1, 2, 3, 4, 5], &study).expect("two classes");
    Model::new(&corpus, &counted, &learnt, &study, None)
}

#[test]
fn columns_and_vectors_are_read_back_bit_for_bit_and_held_to_what_training_gives() {
    let model = with_more();
    let bytes = to_bytes(&model);
    let again = from_bytes(&bytes).expect("a whole model");
    assert_eq!(to_bytes(&again), bytes);
    let mut document = Document::from("never cold, gööd");
    document.push_beside("desk");
    document.push_beside("4");
    let [own, read] = [&model, &again].map(|own| own.scorer().score_document(&document).sum);
    assert_eq!(own.to_bits(), read.to_bits());
    assert_ne!(own, model.scorer().score("never cold, gööd").sum, "the columns count");
    for length in 0..bytes.len() {
        assert!(from_bytes(&bytes[..length]).is_err(), "{length} of {} bytes", bytes.len());
    }
    fn columns(parts: &mut Parts) -> &mut heddle_core::beside::ColumnEffects {
        parts.card.columns.as_mut().expect("columns")
    }
    fn vectors(parts: &mut Parts) -> &mut heddle_core::terms::vectors::WordPulls {
        parts.vectors.as_mut().expect("vectors")
    }
    type Change = fn(&mut Parts);
    let changes: [(&str, Change); 8] = [
        ("its columns", |parts| columns(parts).effects.truncate(1)),
        ("its columns", |parts| columns(parts).coding.columns[0].column = "desk".into()),
        ("its columns", |parts| columns(parts).coding.columns[1].reviews.clear()),
        ("its columns", |parts| columns(parts).coding.columns[0].penalty = 0.0),
        ("its columns", |parts| parts.card.columns = None),
        ("its word vectors", |parts| vectors(parts).pulls[0] = f32::NAN),
        ("its word vectors", |parts| vectors(parts).idf[0] = 0.0),
        ("its word vectors", |parts| parts.card.vectors = None),
    ];
    for (told, change) in changes {
        let found = tampered(&model, change);
        assert!(found.contains(told), "{found}");
    }
}
