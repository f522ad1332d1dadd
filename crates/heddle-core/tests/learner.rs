//! The learner, against slow and obvious solvers and the conditions of optimality.

mod common;

use common::{World, fixed};
use heddle_core::{
    Balance, FitError, Logistic, Polarity, Problem, Sample, Selection, Speak, Stop, Stopping, Strength,
    ValidateError, Weighted, cross_validate, fit, plain_words,
};

const EXACT: Stopping = Stopping { tolerance: 1e-12, rounds: 20_000 };

/// A weighted matrix with its labels.
fn features(world: &World) -> Weighted<'_> {
    let selection = Selection::new(&world.counted, &world.sample.labels, &world.rows());
    Weighted::new(&world.counted.rows, selection.document_factors, world.study.terms.weighting, 0.0)
}

/// The problem of learning from every row.
fn problem<'a>(
    world: &'a World,
    features: &'a Weighted<'a>,
    rows: &'a [u32],
    costs: [f64; 2],
) -> Problem<'a> {
    Problem { features, labels: &world.sample.labels, rows, costs }
}

/// Gradient descent with halved steps: slow, and too simple to be wrong.
fn slow_minimum(problem: &Problem<'_>, lambda: f64) -> (f64, Vec<f64>) {
    let columns = problem.features.rows.columns();
    let mut at = vec![0.0; columns + 1];
    let (mut value, mut gradient) = problem.primal(&at[..columns], at[columns], lambda);
    let mut step = 1.0;
    for _ in 0..60_000 {
        let next: Vec<f64> = at.iter().zip(&gradient).map(|(w, g)| w - step * g).collect();
        let (next_value, next_gradient) = problem.primal(&next[..columns], next[columns], lambda);
        if next_value <= value {
            (at, value, gradient, step) = (next, next_value, next_gradient, step * 1.1);
        } else {
            step /= 2.0;
        }
        if gradient.iter().all(|g| g.abs() < 1e-12) {
            break;
        }
    }
    (value, at)
}

#[test]
fn the_gradient_is_that_of_finite_differences() {
    let world = World::new(40, 3, fixed(0.01));
    let (features, rows) = (features(&world), world.rows());
    let problem = problem(&world, &features, &rows, [1.7, 0.6]);
    let columns = features.rows.columns();
    let mut draw = heddle_core::Draw::new(2);
    let mut at: Vec<f64> = (0..=columns).map(|_| draw.unit() - 0.5).collect();
    let (_, gradient) = problem.primal(&at[..columns], at[columns], 0.03);
    for place in (0..=columns).step_by(7).chain([columns]) {
        let here = at[place];
        let mut value = |w: f64| {
            at[place] = w;
            problem.primal(&at[..columns], at[columns], 0.03).0
        };
        let difference = (value(here + 1e-5) - value(here - 1e-5)) / 2e-5;
        at[place] = here;
        assert!((difference - gradient[place]).abs() < 1e-8, "{place}: {difference} {}", gradient[place]);
    }
}

#[test]
fn the_minimum_is_that_of_the_slow_solver() {
    for (seed, lambda, costs) in [(1, 0.1, [1.0, 1.0]), (2, 0.01, [1.5, 0.7]), (3, 0.003, [0.2, 3.0])] {
        let world = World::new(50, seed, fixed(lambda));
        let (features, rows) = (features(&world), world.rows());
        let problem = problem(&world, &features, &rows, costs);
        let mut learner = Logistic::new(problem, 7);
        let end = learner.solve(lambda, EXACT);
        let (slow_value, slow_weights) = slow_minimum(&problem, lambda);
        assert!((end.objective - slow_value).abs() < 1e-9, "{} {slow_value}", end.objective);
        let weights = learner.weights();
        for (own, slow) in weights.iter().chain([&learner.base()]).zip(&slow_weights) {
            assert!((own - slow).abs() < 1e-4, "{own} {slow}");
        }
    }
}

#[test]
fn the_gradient_vanishes_at_the_end_and_the_objective_is_what_it_says() {
    let world = World::new(200, 4, fixed(1e-3));
    let (features, rows) = (features(&world), world.rows());
    let problem = problem(&world, &features, &rows, [1.3, 0.8]);
    let mut learner = Logistic::new(problem, 7);
    let end = learner.solve(1e-3, EXACT);
    assert_eq!(end.stop, Stop::Converged);
    let (value, gradient) = problem.primal(&learner.weights(), learner.base(), 1e-3);
    assert!((value - end.objective).abs() < 1e-12);
    assert!(
        gradient.iter().all(|part| part.abs() < 1e-6),
        "{:?}",
        gradient.iter().fold(0.0f64, |a, b| a.max(b.abs()))
    );
}

#[test]
fn the_gap_bounds_the_distance_from_the_minimum() {
    let world = World::new(150, 5, fixed(1e-3));
    let (features, rows) = (features(&world), world.rows());
    let problem = problem(&world, &features, &rows, [1.0; 2]);
    let least = Logistic::new(problem, 7).solve(1e-3, EXACT).objective;
    for tolerance in [0.3, 0.1, 1e-2, 1e-3, 1e-5] {
        let end = Logistic::new(problem, 7).solve(1e-3, Stopping { tolerance, rounds: 1000 });
        assert!(end.gap <= tolerance && end.gap > -1e-12);
        let distance = (end.objective - least) / end.objective;
        assert!((-1e-12..=end.gap + 1e-12).contains(&distance), "{tolerance}: {distance} {}", end.gap);
    }
}

#[test]
fn a_path_ends_where_a_fresh_start_ends() {
    let world = World::new(120, 6, fixed(1e-3));
    let (features, rows) = (features(&world), world.rows());
    let problem = problem(&world, &features, &rows, [1.0; 2]);
    let mut path = Logistic::new(problem, 7);
    for lambda in [1.0, 0.1, 0.01] {
        path.solve(lambda, EXACT);
    }
    let mut fresh = Logistic::new(problem, 8);
    fresh.solve(0.01, EXACT);
    for (a, b) in path.weights().iter().zip(fresh.weights()) {
        assert!((a - b).abs() < 1e-5, "{a} {b}");
    }
}

#[test]
fn too_few_rounds_are_told() {
    let world = World::new(150, 5, fixed(1e-7));
    let (features, rows) = (features(&world), world.rows());
    let problem = problem(&world, &features, &rows, [1.0; 2]);
    let end = Logistic::new(problem, 7).solve(1e-7, Stopping { tolerance: 1e-9, rounds: 2 });
    assert_eq!((end.stop, end.rounds), (Stop::Rounds, 2));
    assert!(end.gap > 1e-9);
}

#[test]
fn separable_reviews_have_finite_weights() {
    let texts: Vec<String> =
        (0..40).map(|row| if row % 2 == 0 { "warm" } else { "cold" }.to_string()).collect();
    let labels =
        (0..40).map(|row| if row % 2 == 0 { Polarity::Positive } else { Polarity::Negative }).collect();
    let world = World::of(texts, labels, fixed(1e-6));
    let fitted = world.fit();
    assert!(fitted.weights.iter().chain([&fitted.base]).all(|weight| weight.is_finite()));
    assert_eq!(fitted.convergence.stop, Stop::Converged);
}

#[test]
fn class_weights_do_what_repeating_the_rows_does() {
    // 10 negative and 30 positive reviews: under weights a negative one counts three times.
    let (mut texts, mut labels) = common::reviews(400, 12);
    let mut counts = [0, 0];
    let mut taken = Vec::new();
    for (row, label) in labels.iter().enumerate() {
        let most = [10, 30][label.index()];
        if counts[label.index()] < most {
            counts[label.index()] += 1;
            taken.push(row);
        }
    }
    texts = taken.iter().map(|&row| texts[row].clone()).collect();
    labels = taken.iter().map(|&row| labels[row]).collect();
    let mut study = fixed(0.01);
    (study.model.tolerance, study.terms.at_least) = (1e-10, 1);
    // Document counts must not change with the repeats.
    study.terms.weighting = heddle_core::Weighting::parse("bnc").expect("letters");
    (study.balance.method, study.balance.probabilities) = (Balance::Weights, Speak::Balanced);
    let world = World::of(texts.clone(), labels.clone(), study.clone());
    let weighted = world.fit().log_odds(&world.counted, &world.rows());
    study.balance.method = Balance::Up;
    let raised = World::of(texts.clone(), labels.clone(), study.clone());
    let raised = raised.fit().log_odds(&raised.counted, &raised.rows());
    assert!(weighted.iter().zip(&raised).all(|(a, b)| (a - b).abs() < 1e-4), "up-sampling does the same");
    let alone = labels.len();
    for row in (0..alone).filter(|row| world.sample.labels[*row] == Polarity::Negative) {
        texts.extend([texts[row].clone(), texts[row].clone()]);
        labels.extend([labels[row]; 2]);
    }
    study.balance.method = Balance::None;
    let world = World::of(texts, labels, study);
    let repeated = world.fit().log_odds(&world.counted, &world.rows());
    for (a, b) in weighted.iter().zip(&repeated[..alone]) {
        assert!((a - b).abs() < 1e-4, "{a} {b}");
    }
}

#[test]
fn corrected_probabilities_speak_of_the_natural_mix() {
    // One review in seven is negative: the mean probability must say so, however the classes
    // were balanced, and say one half where it is left as learnt.
    let (texts, labels) = common::reviews(1500, 5);
    let mut negative = 0usize;
    let kept: Vec<usize> = (0..texts.len())
        .filter(|&row| {
            negative += usize::from(labels[row] == Polarity::Negative);
            labels[row] == Polarity::Positive || negative.is_multiple_of(4)
        })
        .collect();
    let texts: Vec<String> = kept.iter().map(|&row| texts[row].clone()).collect();
    let labels: Vec<Polarity> = kept.iter().map(|&row| labels[row]).collect();
    let share =
        labels.iter().filter(|label| **label == Polarity::Positive).count() as f64 / labels.len() as f64;
    assert!(share > 0.8);
    let mean = |method, probabilities| {
        let mut study = fixed(0.01);
        (study.balance.method, study.balance.probabilities) = (method, probabilities);
        let world = World::of(texts.clone(), labels.clone(), study);
        let odds = world.fit().log_odds(&world.counted, &world.rows());
        odds.iter().map(|odds| heddle_core::sigmoid(*odds)).sum::<f64>() / odds.len() as f64
    };
    for method in [Balance::Weights, Balance::Down, Balance::Up, Balance::None] {
        let natural = mean(method, Speak::Natural);
        assert!((natural - share).abs() < 0.04, "{method:?}: {natural} of {share}");
    }
    assert!(mean(Balance::Weights, Speak::Balanced) < share - 0.1);
}

#[test]
fn neutral_reviews_are_not_learnt_from_in_silence() {
    let (texts, mut labels) = common::reviews(60, 3);
    labels[7] = Polarity::Neutral;
    let world = World::of(texts, labels, fixed(0.01));
    let error = fit(&world.counted, &world.sample, &world.rows(), &world.study).expect_err("three classes");
    assert_eq!(error, FitError::Neutral { count: 1 });
}

#[test]
fn plain_words_tell_whether_classes_are_swapped() {
    let texts: Vec<String> = (0..80)
        .map(|row| {
            ["a lovely, clean and friendly crossing", "a dreadful, dirty and rude crossing"][row % 2].into()
        })
        .collect();
    let right: Vec<Polarity> = (0..80).map(|row| [Polarity::Positive, Polarity::Negative][row % 2]).collect();
    let swapped = right.iter().map(|label| Polarity::POLES[1 - label.index()]).collect();
    let of = |labels| plain_words(&World::of(texts.clone(), labels, fixed(0.01)).model());
    let found = of(right);
    assert!(found.known == 6 && found.against.is_empty() && !found.are_turned());
    let found = of(swapped);
    assert!(found.are_turned() && found.against.contains(&"dirty".to_string()));
}

#[test]
fn an_open_strength_is_chosen_from_a_path() {
    let mut study = fixed(1.0);
    study.model.strength = Strength::Auto;
    let world = World::new(400, 7, study);
    let fitted = world.fit();
    let choice = fitted.choice.as_ref().expect("the strength was open");
    assert_eq!(fitted.strength, choice.strength);
    let best = choice.trials.iter().min_by(|a, b| a.loss.total_cmp(&b.loss)).expect("there are trials");
    assert_eq!(best.behind, 0.0);
    let chosen = choice.trials.iter().find(|trial| trial.strength == choice.strength).expect("it was tried");
    assert!(chosen.behind <= chosen.error && chosen.strength >= best.strength);
    assert!(choice.trials.is_sorted_by(|a, b| a.strength > b.strength));
}

#[test]
fn labels_without_meaning_get_a_strong_penalty() {
    let mut study = fixed(1.0);
    study.model.strength = Strength::Auto;
    let mut world = World::new(400, 7, study);
    let meant = world.fit().strength;
    let mut draw = heddle_core::Draw::new(5);
    world.sample.labels = (0..400).map(|_| Polarity::POLES[draw.below(2)]).collect();
    let meaningless = world.fit().strength;
    assert!(meaningless >= 10.0 * meant, "{meaningless} {meant}");
}

#[test]
fn one_class_alone_teaches_nothing() {
    let world = World::new(30, 1, fixed(0.1));
    let positive: Vec<u32> = world
        .rows()
        .into_iter()
        .filter(|row| world.sample.labels[*row as usize] == Polarity::Positive)
        .collect();
    let error = fit(&world.counted, &world.sample, &positive, &world.study).expect_err("one class");
    assert_eq!(error, FitError::OneClass { mix: [0, positive.len()] });
}

#[test]
fn a_floor_above_every_count_is_told() {
    let mut study = fixed(0.1);
    study.terms.at_least = 1000;
    let world = World::new(30, 1, study);
    let error = fit(&world.counted, &world.sample, &world.rows(), &world.study).expect_err("no terms");
    assert!(matches!(error, FitError::NoTerms { reviews: 30, .. }), "{error}");
}

#[test]
fn cross_validation_holds_each_row_out_and_forgets_it() {
    let world = World::new(300, 9, fixed(1e-3));
    let found =
        cross_validate(&world.counted, &world.sample, &world.study, || {}).expect("the folds are filled");
    assert_eq!(found.folds.len(), 10);
    assert_eq!(found.figures.accuracy.n, 300);
    // Each prediction is that of a fit without the row's fold, whatever the row's own label is.
    let fold = found.held_out[17].fold;
    let training: Vec<u32> =
        world.rows().into_iter().filter(|row| found.held_out[*row as usize].fold != fold).collect();
    let mut flipped = world.sample.labels.clone();
    for (row, held) in found.held_out.iter().enumerate().filter(|(_, held)| held.fold == fold) {
        assert_eq!(held.fold, fold);
        flipped[row] = Polarity::POLES[1 - flipped[row].index()];
    }
    let sample = Sample { labels: flipped, groups: world.sample.groups.clone() };
    let apart = fit(&world.counted, &sample, &training, &world.study).expect("two classes");
    assert_eq!(apart.log_odds(&world.counted, &[17])[0].to_bits(), found.held_out[17].log_odds.to_bits());
}

#[test]
fn threads_do_not_change_a_bit_of_cross_validation() {
    let mut study = fixed(1.0);
    study.model.strength = Strength::Auto;
    let with = |threads: usize| {
        let pool = rayon::ThreadPoolBuilder::new().num_threads(threads).build().expect("a pool");
        pool.install(|| {
            let world = World::new(200, 10, study.clone());
            let found = cross_validate(&world.counted, &world.sample, &world.study, || {}).expect("folds");
            found.held_out.iter().map(|held| held.log_odds.to_bits()).collect::<Vec<u64>>()
        })
    };
    assert_eq!(with(1), with(4));
}

#[test]
fn reviews_without_signal_are_called_by_chance() {
    // Labels drawn anew: a validation that leaks would find something here.
    let mut world = World::new(600, 13, fixed(1e-3));
    let mut draw = heddle_core::Draw::new(99);
    world.sample.labels = (0..600).map(|_| Polarity::POLES[draw.below(2)]).collect();
    let found = cross_validate(&world.counted, &world.sample, &world.study, || {}).expect("folds");
    let area = found.figures.roc_area;
    assert!(area.low.expect("low") < 0.5 && 0.5 < area.high.expect("high"), "{area:?}");
}

#[test]
fn folds_that_cannot_be_filled_are_told() {
    let world = World::new(12, 1, fixed(0.1));
    let error = cross_validate(&world.counted, &world.sample, &world.study, || {}).expect_err("too few");
    assert!(matches!(error, ValidateError::TooFew { folds: 10, .. }), "{error}");
}
