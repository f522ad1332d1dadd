//! Learning in rounds over rows that lie in several places.

mod common;

use common::{World, reviews};
use heddle_core::labels::Polarity;
use heddle_core::learn::{Method, Penalty, Stop, Strength};
use heddle_core::model::{
    Answer, LANES, LabelledRows, Model, Next, Place, Rounds, RowHasher, Stage, StreamFit,
};
use heddle_core::resample::{Balance, text_key};
use heddle_core::settings::Study;

fn study() -> Study {
    let mut study = Study::default();
    (study.model.learner, study.model.strength) = (Method::Logistic, Strength::Fixed(1e-3));
    (study.terms.hashed, study.model.tolerance) = (12, 1e-7);
    study
}

/// Blocks of each place.
type Places = Vec<Vec<LabelledRows>>;

/// Rows in places of these sizes, in blocks of so many.
fn places(texts: &[String], labels: &[Polarity], sizes: &[usize], block: usize, study: &Study) -> Places {
    let (hasher, mut first) = (RowHasher::new(study), 0);
    let mut place = |size: &usize| {
        let rows: Vec<usize> = (first..first + size).collect();
        first += size;
        let of = |rows: &[usize]| {
            let texts = &texts[rows[0]..rows[0] + rows.len()];
            LabelledRows {
                rows: hasher.rows(texts),
                classes: rows.iter().map(|row| labels[*row]).collect(),
                groups: texts.iter().map(|text| text_key(text)).collect(),
            }
        };
        rows.chunks(block).map(of).collect()
    };
    let places = sizes.iter().map(&mut place).collect();
    assert_eq!(first, texts.len());
    places
}

/// All rounds, and what they taught; `each` sees every sum of answers.
fn learn(places: &Places, study: &Study, mut each: impl FnMut(&Answer)) -> StreamFit {
    let mut rounds = Rounds::default();
    loop {
        let ask = rounds.ask(study).expect("a question");
        let answer = |blocks: &Vec<LabelledRows>| {
            let mut place = Place::new(study, &ask);
            blocks.chunks(LANES).for_each(|some| place.take(some));
            place.answer()
        };
        let sum = places.iter().map(answer).reduce(Answer::plus).expect("a place");
        each(&sum);
        match rounds.take(sum, study).expect("something is learnt") {
            Next::Ask(next) => rounds = next,
            Next::Learnt(fit) => return *fit,
        }
    }
}

fn scores(fit: &StreamFit, study: &Study, texts: &[String]) -> Vec<f64> {
    let model = Model::of_stream(&fit.counted, &fit.fit, study);
    let mut scorer = model.scorer();
    texts.iter().map(|text| scorer.score(text).sum).collect()
}

#[test]
fn rounds_end_where_one_machine_does() {
    let (texts, mut labels) = reviews(1_200, 5);
    for (classes, balance) in [(2, Balance::None), (2, Balance::Weights), (3, Balance::None)] {
        let mut study = study();
        study.balance.method = balance;
        study.model.classes = heddle_core::learn::Arrangement::Ordered;
        if classes == 3 {
            labels.iter_mut().step_by(7).for_each(|label| *label = Polarity::Neutral);
        }
        let world = World::of(texts.clone(), labels.clone(), study.clone());
        let (one, own) = (world.fit(), world.scores(&world.fit()));
        for sizes in [&[1_200][..], &[900, 0, 37, 263]] {
            let fit = learn(&places(&texts, &labels, sizes, 64, &study), &study, |_| {});
            let Some(gap) = fit.fit.convergence.gap else { panic!("no gap") };
            assert_eq!(fit.fit.convergence.stop, Stop::Converged);
            assert!(gap <= study.model.tolerance && fit.held_back.is_none() && fit.fit.mix == one.mix);
            let objectives = [fit.fit.convergence.objective, one.convergence.objective];
            assert!((objectives[0] / objectives[1] - 1.0).abs() < 2e-7, "{objectives:?}");
            let scored = scores(&fit, &study, &texts);
            let apart = scored.iter().zip(&own).map(|(a, b)| (a - b).abs()).fold(0.0, f64::max);
            assert!(apart < 0.02, "{classes} classes, {balance:?}: {apart}");
        }
    }
}

#[test]
fn a_part_of_the_rows_is_held_back_where_scores_must_be_brought_to_log_odds() {
    let (texts, labels) = reviews(2_000, 8);
    let mut study = study();
    (study.model.learner, study.model.tolerance) = (Method::Svm, 1e-3);
    let parted = places(&texts, &labels, &[1_500, 500], 100, &study);
    let fit = learn(&parted, &study, |_| {});
    let held = texts.iter().filter(|text| study.holds_back(text_key(text), Study::held_share(2_000))).count();
    let taught: usize = fit.fit.mix.iter().sum();
    assert!(held > 200 && taught + held == 2_000, "{taught} taught, {held} held back");
    let figures = fit.held_back.as_ref().expect("figures");
    assert_eq!(figures.confusion.total(), held);
    assert_eq!(fit.fit.calibration.reviews(), held);
    // The same rows in other blocks and places: the same but for the order of sums.
    let again = learn(&places(&texts, &labels, &[10, 1_000, 990], 33, &study), &study, |_| {});
    assert_eq!(again.fit.mix, fit.fit.mix);
    let [one, other] = [&fit, &again].map(|fit| scores(fit, &study, &texts));
    assert!(one.iter().zip(&other).all(|(a, b)| (a - b).abs() < 1e-6));
    // The same places give the same bits, whatever the number of threads.
    let pool = rayon::ThreadPoolBuilder::new().num_threads(3).build().expect("a pool");
    let threaded = pool.install(|| learn(&parted, &study, |_| {}));
    assert!(threaded.fit.weights == fit.fit.weights && threaded.fit.intercept == fit.fit.intercept);
}

#[test]
fn slopes_are_those_of_finite_differences() {
    let (texts, labels) = reviews(300, 2);
    for learner in [Method::Logistic, Method::Svm] {
        let mut study = study();
        study.model.learner = learner;
        let parted = places(&texts, &labels, &[300], 50, &study);
        let mut rounds = Rounds::default();
        let ask = |rounds: &Rounds| {
            let ask = rounds.ask(&study).expect("a question");
            let mut place = Place::new(&study, &ask);
            parted[0].chunks(LANES).for_each(|some| place.take(some));
            place.answer()
        };
        while !matches!(&rounds.stage, Stage::Learning(known, _) if known.rounds == 2) {
            let answer = ask(&rounds);
            let Next::Ask(next) = rounds.take(answer, &study).expect("a question") else { panic!("an end") };
            rounds = next;
        }
        let Answer::Sums(sums) = ask(&rounds) else { panic!("no sums") };
        for variable in [0, 3, 17, sums.gradient.len() - 1] {
            let loss = |by: f64| {
                let mut moved = rounds.clone();
                let Stage::Learning(_, minimiser) = &mut moved.stage else { panic!("not learning") };
                minimiser.trial[variable] += by;
                match ask(&moved) {
                    Answer::Sums(sums) => sums.loss,
                    _ => panic!("no sums"),
                }
            };
            let slope = (loss(1e-5) - loss(-1e-5)) / 2e-5;
            assert!((slope - sums.gradient[variable]).abs() < 1e-4, "{slope} {}", sums.gradient[variable]);
        }
    }
}

#[test]
fn what_rounds_cannot_learn_is_named() {
    let with = |change: fn(&mut Study)| {
        let mut study = study();
        change(&mut study);
        study.needs_one_place()
    };
    assert_eq!(with(|_| {}), None);
    assert!(with(|study| study.terms.hashed = 0).is_some_and(|said| said.contains("terms.hashed")));
    assert!(with(|study| study.model.learner = Method::Bayes).is_some_and(|said| said.contains("learner")));
    assert!(with(|study| study.model.penalty = Penalty::Lasso).is_some_and(|said| said.contains("penalty")));
    assert!(
        with(|study| study.model.strength = Strength::Auto).is_some_and(|said| said.contains("strength"))
    );
}
