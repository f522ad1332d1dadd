//! Counts of parts, added up.

use heddle_core::labels::Polarity;
use heddle_core::learn::{Calibrate, Events, Method};
use heddle_core::model::{FitError, Model, fit_counts};
use heddle_core::settings::{Study, Value};
use heddle_core::terms::{
    Corpus, Emphasis, Stems, Tallied, Tally, TallyError, TermId, TermReport, Weighting,
};
use heddle_core::text::{Concessions, Style};
use worlds::{World, fixed, reviews};

/// Settings under which terms are counted in different ways.
fn ways() -> Vec<Study> {
    let with = |settings: &[(&str, Value)]| {
        let mut study = fixed(1e-2);
        for (path, value) in settings {
            Study::key(path).expect("a key").set(&mut study, value).expect("a value");
        }
        study
    };
    let text = |text: &str| Value::Text(text.into());
    vec![
        with(&[]),
        with(&[("terms.words", text("2-3")), ("terms.at_least", Value::Number(3.0))]),
        with(&[("terms.letters", text("3-4")), ("negation.style", text("both"))]),
        with(&[("terms.at_most", text("20%")), ("terms.best", text("40%")), ("text.case", text("keep"))]),
        with(&[("terms.limit", Value::Number(40.0))]),
        with(&[("terms.stems", text("beside")), ("negation.style", text("flip"))]),
    ]
}

/// The world of a study, and its counts in parts of such sizes.
fn world(study: Study, parts: &[usize]) -> (World, Tally) {
    let world = World::new(600, 4, study);
    let (mut begin, mut sum) = (0, Tally::default());
    for size in parts {
        let corpus = Corpus::read(&world.texts[begin..begin + size], world.study.corpus_rules());
        sum.add(Tally::of(&corpus, &world.study.terms, &world.sample.labels[begin..begin + size]));
        begin += size;
    }
    assert_eq!(begin, 600);
    (world, sum)
}

#[test]
fn parts_add_up_to_one_pass_whatever_their_sizes_and_order() {
    for study in ways() {
        let (_, whole) = world(study.clone(), &[600]);
        for parts in [&[300, 300][..], &[1, 0, 599], &[50, 500, 50]] {
            assert_eq!(world(study.clone(), parts).1, whole);
        }
    }
}

#[test]
fn added_up_counts_decide_on_terms_as_one_pass_over_the_reviews_does() {
    for study in ways() {
        let (world, tally) = world(study.clone(), &[111, 222, 267]);
        let tallied = tally.tallied(study.corpus_rules(), &study.terms).expect("counts that belong together");
        let rows: Vec<u32> = world.rows();
        let selection = heddle_core::terms::Selection::new(&world.counted, &world.sample, &rows);
        let one = TermReport { corpus: &world.corpus, counted: &world.counted, selection: &selection };
        let sum =
            TermReport { corpus: &tallied.corpus, counted: &tallied.counted, selection: &tallied.selection };
        assert_eq!(selection.statuses, tallied.selection.statuses);
        assert_eq!(selection.document_factors, tallied.selection.document_factors);
        assert_eq!(world.counted.words_seen, tallied.counted.words_seen);
        assert_eq!(one.held(), sum.held());
        assert_eq!(one.occurrences(&world.sample.labels), tallied.times);
        for term in TermId::all(selection.statuses.len()) {
            assert_eq!(one.facts(term, one.held()), sum.facts(term, sum.held()));
        }
        assert_eq!(one.bands(), sum.bands());
    }
}

#[test]
fn naive_bayes_of_counts_is_that_of_the_reviews() {
    for (events, weighting, emphasis) in [
        (Events::Multinomial, "nnn", Emphasis::None),
        (Events::Complement, "ntn", Emphasis::ClassRatio),
        (Events::Presence, "ltc", Emphasis::None),
    ] {
        let mut study = ways().swap_remove(0);
        (study.model.learner, study.model.events) = (Method::Bayes, events);
        (study.model.calibration, study.negation.style) = (Calibrate::None, Style::Mark);
        if events == Events::Presence {
            // Counts tell that a review holds a term, and not how much of it counts there.
            study.negation.concessions = Concessions::Keep;
        }
        study.terms.weighting = Weighting::parse(weighting).expect("letters");
        study.terms.emphasis = emphasis;
        let (world, tally) = world(study.clone(), &[200, 400]);
        let tallied = tally.tallied(study.corpus_rules(), &study.terms).expect("counts that belong together");
        let of_counts = fit_counts(&tallied, &study).expect("a fit");
        let of_reviews = world.fit();
        assert!((of_counts.intercept - of_reviews.intercept).abs() < 1e-9);
        for (one, other) in of_counts.weights.iter().zip(&of_reviews.weights) {
            assert!((one - other).abs() <= 1e-5 * other.abs().max(1.0), "{events:?}: {one} is not {other}");
        }
        // So do the models score.
        let model = Model::new(&tallied.corpus, &tallied.counted, &of_counts, &study, None);
        let (mut one, other) = (model.scorer(), world.model());
        let mut other = other.scorer();
        for text in reviews(50, 8).0 {
            assert!((one.score(&text).sum - other.score(&text).sum).abs() < 1e-4);
        }
    }
}

#[test]
fn counts_that_do_not_belong_together_are_told() {
    let study = fixed(1e-2);
    let (_, tally) = world(study.clone(), &[600]);
    let told = |change: &dyn Fn(&mut Tally)| {
        let mut own = tally.clone();
        change(&mut own);
        own.tallied(study.corpus_rules(), &study.terms).map(|_| ()).expect_err("they do not")
    };
    let two =
        tally.terms.keys().find(|term| term.contains("crew ") || term.contains(" crew")).expect("a term");
    let head = two.split(' ').next().expect("a word").to_string();
    let without_head = |own: &mut Tally| own.terms.retain(|term, _| *term != head);
    assert!(matches!(told(&without_head), TallyError::Headless(_)));
    let without_word = |own: &mut Tally| own.words.retain(|word, _| *word != head);
    assert!(matches!(told(&without_word), TallyError::Wordless(_)));
    let more = |own: &mut Tally| own.terms.get_mut(&head).expect("a term").reviews[Polarity::Negative] = 601;
    assert_eq!(told(&more), TallyError::TooMany(head.clone()));
    // And one class alone teaches nothing.
    let mut one = fixed(1e-2);
    (one.model.learner, one.model.events) = (Method::Bayes, Events::Presence);
    assert_eq!(one.needs_reviews(), Some("negation.style = \"flip\""));
    one.negation.style = Style::Mark;
    assert!(study.needs_reviews().is_some() && one.needs_reviews().is_none());
    let world = World::of(vec!["warm cabin".into(); 6], vec![Polarity::Positive; 6], one.clone());
    let tally = Tally::of(&world.corpus, &one.terms, &world.sample.labels);
    let tallied = tally.tallied(one.corpus_rules(), &one.terms).expect("counts");
    assert!(matches!(fit_counts(&tallied, &one), Err(FitError::OneClass { .. })));
}

#[test]
fn stems_are_taken_of_few_tokens_alone_and_parts_agree_with_the_whole() {
    let text = "enjoyed enjoying the sea again ".repeat(200);
    let texts = vec![text; 2_020]; // 1,000 tokens each
    let labels: Vec<Polarity> = (0..texts.len()).map(|at| Polarity::POLES[at % 2]).collect();
    let mut study = Study::default();
    study.terms.words = Some((1, 1));
    let stems = |corpus: &Corpus| corpus.words.iter().filter(|word| word.ends_with('-')).count();
    let of = |rows: std::ops::Range<usize>| {
        let corpus = Corpus::read(&texts[rows.clone()], study.corpus_rules());
        let tally = Tally::of(&corpus, &study.terms, &labels[rows]);
        (stems(&corpus), tally)
    };
    let ((few, mut sum), (fewer, part), (many, whole)) = (of(0..2_000), of(2_000..2_020), of(0..2_020));
    assert_eq!((few, fewer, many), (2, 2, 0), "enjoy- and sea-, or none");
    sum.add(part);
    let terms = |tally: &Tally| {
        let Tallied { corpus, counted, times, .. } =
            tally.tallied(study.corpus_rules(), &study.terms).expect("counts that belong together");
        let spell = |term: TermId| corpus.spell_token(counted.vocabulary.last_token(term));
        (TermId::all(counted.vocabulary.len()).map(spell).collect::<Vec<_>>(), times)
    };
    assert_eq!(terms(&sum), terms(&whole));
    study.terms.stems = Stems::Beside;
    assert_eq!(stems(&Corpus::read(&texts[..], study.corpus_rules())), 2, "where they are asked for");
}
