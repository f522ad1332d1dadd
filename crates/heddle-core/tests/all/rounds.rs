//! Learning in rounds over rows that lie in several places.

use heddle_core::labels::Polarity;
use heddle_core::learn::{Hinge, Method, Penalty, Stop, Strength};
use heddle_core::model::{Answer, LabelledRows, Model, Next, Place, Rounds, RowHasher, Stage, StreamFit};
use heddle_core::resample::{Balance, text_key};
use heddle_core::settings::Study;
use worlds::{World, reviews};

fn study() -> Study {
    let mut study = Study::default();
    (study.model.learner, study.model.strength) = (Method::Logistic, Strength::Fixed(1e-3));
    (study.terms.hashed, study.model.tolerance) = (12, 1e-7);
    study
}

/// Rows in places of these sizes, in blocks of so many.
fn places(texts: &[String], labels: &[Polarity], sizes: &[usize], block: usize, study: &Study) -> Vec<Place> {
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
        Place { blocks: rows.chunks(block).map(of).collect(), pulls: Vec::new() }
    };
    let places = sizes.iter().map(&mut place).collect();
    assert_eq!(first, texts.len());
    places
}

/// All rounds, and what they taught; `each` sees every sum of answers.
fn learn(mut places: Vec<Place>, study: &Study, mut each: impl FnMut(&Rounds, &Answer)) -> StreamFit {
    let mut rounds = Rounds::default();
    let sizes: Vec<u64> = places.iter().map(|place| place.rows() as u64).collect();
    loop {
        let ask = rounds.ask(study, &sizes).expect("a question");
        let answers = places.iter_mut().map(|place| place.answer(&ask, study));
        let sum = answers.reduce(Answer::plus).expect("a place");
        each(&rounds, &sum);
        assert!(rounds.fits(&sum, study));
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
            let fit = learn(places(&texts, &labels, sizes, 64, &study), &study, |_, _| {});
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
    (study.model.learner, study.model.tolerance) = (Method::Svm, 1e-4);
    let parted = places(&texts, &labels, &[1_500, 500], 100, &study);
    let fit = learn(parted.clone(), &study, |_, _| {});
    let held = texts.iter().filter(|text| study.holds_back(text_key(text), Study::held_share(2_000))).count();
    let taught: usize = fit.fit.mix.iter().sum();
    assert!(held > 200 && taught + held == 2_000, "{taught} taught, {held} held back");
    let figures = fit.held_back.as_ref().expect("figures");
    assert_eq!(figures.confusion.total(), held);
    assert_eq!(fit.fit.calibration.reviews(), held);
    // The same rows in other blocks and places: the same, as far as the tolerance goes.
    let again = learn(places(&texts, &labels, &[600, 900, 500], 33, &study), &study, |_, _| {});
    assert_eq!(again.fit.mix, fit.fit.mix);
    let [one, other] = [&fit, &again].map(|fit| &fit.fit.convergence);
    assert_eq!([one.stop, other.stop], [Stop::Converged; 2]);
    assert!((one.objective / other.objective - 1.0).abs() < 2e-4, "{one:?} {other:?}");
    // The same places give the same bits.
    let same = learn(parted.clone(), &study, |_, _| {});
    assert!(same.fit.weights == fit.fit.weights && same.fit.intercept == fit.fit.intercept);
}

#[test]
fn the_dual_never_exceeds_the_objective_and_never_falls() {
    let (texts, labels) = reviews(600, 2);
    for (learner, hinge) in
        [(Method::Logistic, Hinge::Squared), (Method::Svm, Hinge::Squared), (Method::Svm, Hinge::Plain)]
    {
        let mut study = study();
        (study.model.learner, study.model.hinge, study.model.tolerance) = (learner, hinge, 1e-3);
        let mut last = f64::NEG_INFINITY;
        learn(places(&texts, &labels, &[200, 300, 100], 50, &study), &study, |rounds, answer| {
            let (Stage::Learning(known), Answer::Lesson(lesson)) = (&rounds.stage, answer) else { return };
            let rows = known.mix.iter().sum::<usize>() as f64;
            let ridge = 1e-3 / 2.0 * known.weights.iter().map(|weight| weight * weight).sum::<f64>();
            let dual = lesson.dual / rows - ridge;
            assert!(dual >= last - 1e-9 && dual <= lesson.loss / rows + ridge, "{dual} after {last}");
            last = dual;
        });
        assert!(last > 0.0);
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
