//! Copies teach with the review that they are copies of, and count as one review with it.

use heddle_core::Choice;
use heddle_core::labels::{PerClass, Polarity};
use heddle_core::learn::{LogLoss, Method, Penalty, Problem, Question, Stopping};
use heddle_core::measure::{Neutral, Place};
use heddle_core::model::{Ballot, Fit, VoteBy, fit};
use heddle_core::rephrase::Rephraser;
use heddle_core::resample::{Copies, Random, Sample, text_key};
use heddle_core::settings::Study;
use heddle_core::terms::{Corpus, Counted, Selection, TermId, Texts};
use heddle_core::text::{Document, ScanBuffer};
use heddle_core::validate::cross_validate;
use worlds::{World, fixed, reviews};

/// Reviews with copies behind them.
struct WithCopies {
    texts: Vec<String>,
    copies: usize,
}

impl Texts for WithCopies {
    fn count(&self) -> usize {
        self.texts.len()
    }

    fn copies(&self) -> usize {
        self.copies
    }

    fn put(&self, row: usize, document: &mut Document) {
        *document = Document::from(self.texts[row].as_str());
    }
}

/// A world of reviews, and of copies of some: by copy its review, ascending, and its text.
fn copied(count: usize, study: Study, copies: &[(u32, String)]) -> World {
    let (texts, labels) = reviews(count, 11);
    let groups = (0..count as u64).collect();
    let of: Vec<u32> = copies.iter().map(|(of, _)| *of).collect();
    let texts: Vec<String> = texts.into_iter().chain(copies.iter().map(|(_, text)| text.clone())).collect();
    let read = WithCopies { texts, copies: copies.len() };
    let corpus = Corpus::read(&read, study.corpus_rules());
    let counted = Counted::new(&corpus, &study.terms);
    let sample = Sample { copies: Copies::new(count, &of), ..Sample::new(labels, groups) };
    World { texts: read.texts[..count].to_vec(), sample, study, corpus, counted }
}

/// Each third review said again word for word, as often as its number asks.
fn verbatim(count: usize) -> Vec<(u32, String)> {
    let (texts, _) = reviews(count, 11);
    let times = |row: usize| if row.is_multiple_of(3) { 1 + row % 4 } else { 0 };
    (0..count).flat_map(|row| vec![(row as u32, texts[row].clone()); times(row)]).collect()
}

fn fit_of(world: &World) -> Fit {
    fit(&world.counted, &world.sample, &world.rows(), &world.study).expect("a fit")
}

#[test]
fn copies_that_say_the_same_change_nothing_whatever_they_weigh() {
    for learner in [Method::Logistic, Method::Svm, Method::Bayes] {
        for weight in [0.0, 0.3, 1.0, 5.0] {
            let mut study = fixed(0.01);
            study.model.learner = learner;
            study.model.tolerance = 1e-9;
            study.model.copies = weight;
            let (with, without) =
                (copied(400, study.clone(), &verbatim(400)), copied(400, study.clone(), &[]));
            assert!(with.counted.rows.len() > 500 && without.counted.rows.len() == 400);
            assert_eq!(with.corpus.len(), 400);
            let [one, other] = [&with, &without].map(fit_of);
            assert_eq!((one.mix, one.selection.len()), (other.mix, other.selection.len()));
            // What calibrates a support vector machine is learnt roughly, on folds.
            let off = if learner == Method::Svm { 0.02 } else { 2e-4 };
            for (a, b) in with.scores(&one).iter().zip(without.scores(&other)) {
                assert!((a - b).abs() < off * (1.0 + b.abs()), "{learner:?} at {weight}: {a} and {b}");
            }
        }
    }
}

#[test]
fn a_review_and_its_copies_count_a_term_once() {
    let copies = [(0, "a zebra a zebra".to_string()), (0, "zebra".into()), (5, "zebra and gnu".into())];
    let mut study = fixed(0.01);
    study.terms.at_least = Some(1);
    let world = copied(60, study.clone(), &copies);
    let count = |rows: &[u32], sample: &Sample| {
        let selection = Selection::new(&world.counted, sample, rows);
        let term = TermId::all(world.counted.vocabulary.len()).find(|term| world.spell(*term) == "zebra");
        selection.document_count(term.expect("the word of copies is counted"))
    };
    assert_eq!(count(&world.rows(), &world.sample), 2);
    assert_eq!(count(&(1..60).collect::<Vec<u32>>(), &world.sample), 1);
    let silent = Sample { copies: Copies::default(), ..world.sample.clone() };
    assert_eq!(count(&world.rows(), &silent), 0);
    // Two reviews hold it, though in copies alone; a floor of three is not reached by three copies.
    study.terms.at_least = Some(3);
    let world = copied(60, study, &copies);
    let selection = Selection::new(&world.counted, &world.sample, &world.rows());
    let kept = TermId::all(world.counted.vocabulary.len()).filter(|term| selection.keeps(*term));
    assert!(kept.map(|term| world.spell(term)).all(|term| term != "zebra"));
}

/// What inner folds select by counting the rows that they leave out.
#[test]
fn a_selection_without_some_rows_is_that_of_the_others() {
    let copies: Vec<(u32, String)> = (0..30).map(|at| (at * 2, format!("zebra {at} and gnu"))).collect();
    let world = copied(80, fixed(0.01), &copies);
    let (features, rows) = (&world.study.features, world.rows());
    let whole = Selection::under(features, &world.counted, &world.sample, &rows);
    for part in 2..6 {
        let (held, training): (Vec<u32>, Vec<u32>) = rows.iter().partition(|row| *row % part == 0);
        let own = whole.without(&held, &training, (features, &world.counted, &world.sample));
        assert_eq!(own, Selection::under(features, &world.counted, &world.sample, &training));
        assert_ne!(own, whole);
    }
}

#[test]
fn learners_reach_the_optimum_of_weighted_rows() {
    for penalty in [Penalty::Ridge, Penalty::Elastic] {
        let mut study = fixed(0.01);
        study.model.penalty = penalty;
        let world = copied(300, study, &verbatim(300));
        let selection = Selection::new(&world.counted, &world.sample, &world.rows());
        let features = selection.weighted_for_poles(&world.counted);
        let rows: Vec<u32> = (0..world.counted.rows.len() as u32).collect();
        let labels: Vec<Polarity> = rows.iter().map(|row| Polarity::ALL[*row as usize % 2]).collect();
        let shares: Vec<f64> = rows.iter().map(|row| 0.1 + f64::from(row % 7)).collect();
        let problem = Problem {
            features: &features,
            labels: &labels,
            shares: &shares,
            rows: &rows,
            costs: PerClass::of(|class| if class == Polarity::Negative { 2.0 } else { 1.0 }),
            question: Question::Above(heddle_core::labels::Classes::Two),
        };
        let mut learner = world.study.model.begin(problem, 3);
        let end = learner.solve(0.01, Stopping { tolerance: 1e-9, rounds: 5000 });
        let share = if penalty == Penalty::Ridge { 0.0 } else { world.study.model.lasso_share };
        let (value, gradient) =
            problem.primal(LogLoss, &learner.weights(), learner.intercepts(), 0.01, share);
        assert!((value - end.objective).abs() < 1e-8);
        for (weight, slope) in learner.weights().iter().zip(&gradient) {
            let lasso = 0.01 * share;
            let off = match *weight == 0.0 {
                true => (slope.abs() - lasso).max(0.0),
                false => (slope + lasso * weight.signum()).abs(),
            };
            assert!(off < 2e-5, "{penalty:?}: weight {weight}, slope {slope}");
        }
    }
}

#[test]
fn a_fold_learns_nothing_from_copies_of_what_it_holds_out() {
    let mut study = fixed(0.01);
    study.validation.folds = 4;
    study.terms.at_least = Some(1);
    let world = copied(200, study.clone(), &[]);
    let plain = cross_validate(&world.counted, &world.sample, &study, || {}).expect("folds");
    let held = |row: usize| plain.held_out[0][row].expect("held out").fold == 0;
    // Copies of reviews of the first fold that tell their class, in a word of its own.
    let tell = |row: usize| format!("secret{}", world.sample.labels[row].name());
    let copies: Vec<(u32, String)> =
        (0..200).filter(|row| held(*row)).map(|row| (row as u32, tell(row))).collect();
    let told = copied(200, study.clone(), &copies);
    let with = cross_validate(&told.counted, &told.sample, &study, || {}).expect("folds");
    for row in (0..200).filter(|row| held(*row)) {
        let [one, other] = [&plain, &with].map(|own| own.held_out[0][row].expect("held out").verdict);
        assert!((one.log_odds - other.log_odds).abs() < 1e-4, "{row}: {} {}", one.log_odds, other.log_odds);
    }
    assert_eq!(with.folds[0].training, plain.folds[0].training);
}

#[test]
fn texts_vote_by_their_mean_or_their_majority() {
    let world = World::new(300, 3, fixed(0.01));
    let model = world.model();
    let ballot = |log_odds: f64, known: bool| Ballot { place: Place::between(log_odds, 0.0), known };
    let of =
        |odds: &[f64], by| model.vote(&odds.iter().map(|own| ballot(*own, true)).collect::<Vec<_>>(), by);
    let mean = of(&[3.0, -1.0, -1.0], VoteBy::Mean);
    assert_eq!((mean.verdict.called, mean.agreeing, mean.texts), (Polarity::Positive, 1, 3));
    assert!((mean.verdict.log_odds - 1.0 / 3.0).abs() < 1e-12);
    assert!((mean.spread.expect("three texts") - (16.0f64 / 3.0).sqrt()).abs() < 1e-12);
    let majority = of(&[3.0, -1.0, -1.0], VoteBy::Majority);
    assert_eq!((majority.verdict.called, majority.agreeing), (Polarity::Negative, 2));
    // As many on either side: the mean decides.
    assert_eq!(of(&[3.0, -1.0], VoteBy::Majority).verdict.called, Polarity::Positive);
    assert_eq!(of(&[-2.0], VoteBy::Mean).spread, None);
    // A text without a known term has no voice beside others, and leaves a review unsure alone.
    let mixed = model.vote(&[ballot(9.0, false), ballot(-1.0, true)], VoteBy::Mean);
    assert_eq!((mixed.verdict.called, mixed.texts, mixed.verdict.sure), (Polarity::Negative, 1, true));
    assert!(!model.vote(&[ballot(9.0, false)], VoteBy::Mean).verdict.sure);
    let apart = [Place::apart(1.0, 2.0), Place::apart(3.0, -1.0)].map(|place| Ballot { place, known: true });
    let voted = model.vote(&apart, VoteBy::Mean).verdict;
    assert_eq!((voted.log_odds, voted.neutral), (2.0, Neutral::Apart { neutrality: 0.5 }));
}

#[test]
fn words_stand_for_others_that_classes_use_alike_and_negators_stay() {
    let (mut texts, mut labels) = (Vec::new(), Vec::new());
    let nouns = ["cabin", "berth"];
    for at in 0..600usize {
        let positive = at.is_multiple_of(2);
        let word = if positive { ["lovely", "delightful"] } else { ["awful", "ghastly"] }[at / 2 % 2];
        let (noun, day) = (nouns[at / 6 % 2], ["monday", "friday", "sunday"][at % 3]);
        texts.push(format!("{at}. We had a {word} {noun} on {day} and it was not for the {noun} at all"));
        labels.push(if positive { Polarity::Positive } else { Polarity::Negative });
    }
    let study = fixed(0.01);
    let corpus = Corpus::read(&texts[..], study.corpus_rules());
    let rephraser = Rephraser::learn(&corpus, &labels, study.cleaner());
    let synonyms = rephraser.synonyms();
    let of = |word: &str| synonyms.iter().find(|(own, _)| *own == word).map_or(&[][..], |(_, others)| others);
    assert!(of("lovely").contains(&"delightful".to_string()), "{synonyms:?}");
    assert!(of("cabin").contains(&"berth".to_string()), "{synonyms:?}");
    for word in ["lovely", "delightful"] {
        assert!(of(word).iter().all(|own| own != "awful" && own != "ghastly"), "{synonyms:?}");
    }
    let mut scan = ScanBuffer::default();
    for text in &texts[..100] {
        let said = rephraser.rephrase(text, &mut Random::new(text_key(text)), &mut scan).expect("words");
        let words = |text: &str| text.split(' ').map(String::from).collect::<Vec<_>>();
        assert!(said != *text && words(&said).contains(&"not".to_string()), "{said}");
        assert!(words(text).len() - words(&said).len() <= 1, "{text}: {said}");
        let again = rephraser.rephrase(text, &mut Random::new(text_key(text)), &mut scan);
        assert_eq!(again.as_deref(), Some(said.as_str()));
    }
    assert_eq!(rephraser.rephrase("qwx zzy", &mut Random::new(1), &mut scan), None);
    assert_eq!(VoteBy::from_name("majority"), Some(VoteBy::Majority));
}
