//! Model files: whole, damaged, and from the future.

use heddle_core::{
    Calibrate, Corpus, Counted, Method, Model, Polarity, Sample, Strength, Study, fit, text_key,
};
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
    (study.terms.at_least, study.model.strength) = (1, Strength::Fixed(0.003));
    study.reviews.text = vec!["headline".into(), "text, \"raw\"".into()];
    let corpus = Corpus::read(&TEXTS[..], &study);
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
    let corpus = Corpus::read(&texts[..], study);
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
    for (study, classes) in
        [(&curved, &Polarity::POLES[..]), (&scaled, &Polarity::POLES), (&Study::default(), &Polarity::ALL)]
    {
        let model = larger(study, classes);
        let again = from_bytes(&to_bytes(&model)).expect("a whole model");
        assert_eq!(model.classes().list(), classes);
        for text in TEXTS.iter().chain(&["", "not cold"]) {
            assert_eq!(model.reader().score(text), again.reader().score(text), "{text}");
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
        let (own, read) = (model.reader().score(text), again.reader().score(text));
        assert_eq!(own.sum.to_bits(), read.sum.to_bits(), "{text}");
    }
    for term in 0..model.len() as u32 {
        assert_eq!((model.spell(term), model.term(term)), (again.spell(term), again.term(term)));
    }
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
    for (format, way_out) in [(4, "newer Heddle"), (2, "train it again")] {
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

#[test]
fn nothing_in_a_file_is_taken_on_trust() {
    let bytes = to_bytes(&model());
    for at in 12..bytes.len() - 8 {
        for change in [0x01, 0x80, 0xff] {
            let mut tampered = bytes.clone();
            tampered[at] ^= change;
            // Either refused or a model that can be used: never a panic.
            if let Ok(model) = from_bytes(&sealed(tampered)) {
                let _ = model.reader().score("not a warm cabin, never cold");
            }
        }
    }
}
