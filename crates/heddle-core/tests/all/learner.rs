//! The learner, against slow and obvious solvers and the conditions of optimality.

use heddle_core::Choice;
use heddle_core::explain::plain_words;
use heddle_core::labels::{Classes, Polarity};
use heddle_core::learn::{
    Calibrate, Calibration, Events, Hinge, Learner, Learning, LogLoss, Method, Penalty, PlainHinge, Problem,
    Question, Ratios, SquaredHinge, Stop, Stopping, Strength,
};
use heddle_core::model::{FitError, fit};
use heddle_core::resample::{Balance, PriorKind, Sample};
use heddle_core::settings::Study;
use heddle_core::terms::{Selection, Weighted};
use heddle_core::text::Concessions;
use heddle_core::validate::{ValidateError, cross_validate};
use worlds::{World, fixed};

const EXACT: Stopping = Stopping { tolerance: 1e-12, rounds: 20_000 };
const COSTS: [f64; 3] = [1.3, 0.8, 0.5];

/// As near as the penalty allows: without a ridge the objective is flat along some ways.
fn fine(share: f64) -> Stopping {
    Stopping { tolerance: if share < 1.0 { 1e-11 } else { 1e-8 }, rounds: 100_000 }
}

/// A weighted matrix with its labels.
fn features(world: &World) -> Weighted<'_> {
    let selection = Selection::new(&world.counted, &world.sample, &world.rows());
    Weighted::new(&world.counted.rows, selection.document_factors, world.study.terms.weighting, 0.0)
}

/// The problem of learning from every row.
fn problem<'a>(
    world: &'a World,
    features: &'a Weighted<'a>,
    rows: &'a [u32],
    costs: [f64; 3],
) -> Problem<'a> {
    let question = Question::Above(Classes::of(world.sample.mix(rows)));
    Problem { features, labels: &world.sample.labels, shares: &[], rows, costs: costs.into(), question }
}

/// A small world in which every fifth review is neutral.
fn three_classes(count: usize, seed: u64) -> World {
    let (texts, mut labels) = worlds::reviews(count, seed);
    labels.iter_mut().step_by(5).for_each(|label| *label = Polarity::Neutral);
    let mut study = fixed(0.01);
    study.negation.concessions = Concessions::Keep; // what these reviews were labelled by counts in full
    World::of(texts, labels, study)
}

/// Every learner with an objective: its settings, the lasso's share, and its loss.
fn learners() -> Vec<(Learning, f64)> {
    let mut list = Vec::new();
    for (learner, hinge) in
        [(Method::Logistic, Hinge::Squared), (Method::Svm, Hinge::Squared), (Method::Svm, Hinge::Plain)]
    {
        for (penalty, share) in [(Penalty::Ridge, 0.0), (Penalty::Elastic, 0.3), (Penalty::Lasso, 1.0)] {
            if hinge == Hinge::Squared || penalty == Penalty::Ridge {
                list.push((
                    Learning {
                        learner,
                        hinge,
                        penalty,
                        lasso_share: 0.3,
                        tolerance: EXACT.tolerance,
                        ..Learning::default()
                    },
                    share,
                ));
            }
        }
    }
    list
}

/// P and the gradient of its smooth part, by definition.
fn primal(
    problem: &Problem<'_>,
    learning: &Learning,
    at: &[f64],
    lambda: f64,
    share: f64,
) -> (f64, Vec<f64>) {
    let columns = problem.features.rows.columns();
    let intercepts = [at[columns], at.get(columns + 1).copied().unwrap_or(0.0)];
    let weights = &at[..columns];
    match (learning.learner, learning.hinge) {
        (Method::Svm, Hinge::Plain) => problem.primal(PlainHinge, weights, intercepts, lambda, share),
        (Method::Svm, _) => problem.primal(SquaredHinge, weights, intercepts, lambda, share),
        _ => problem.primal(LogLoss, weights, intercepts, lambda, share),
    }
}

/// Proximal gradient descent with halved steps: slow, and too simple to be wrong.
fn slow_minimum(problem: &Problem<'_>, learning: &Learning, lambda: f64, share: f64) -> (f64, Vec<f64>) {
    let columns = problem.features.rows.columns();
    let mut at = vec![0.0; columns + problem.question.borders()];
    let (mut value, mut gradient) = primal(problem, learning, &at, lambda, share);
    let mut step = 1.0;
    for _ in 0..60_000 {
        let shrunk = |(place, (w, g)): (usize, (&f64, &f64))| {
            let moved = w - step * g;
            let lasso = if place < columns { step * lambda * share } else { 0.0 };
            moved.signum() * (moved.abs() - lasso).max(0.0)
        };
        let next: Vec<f64> = at.iter().zip(&gradient).enumerate().map(shrunk).collect();
        let still = next.iter().zip(&at).all(|(a, b)| (a - b).abs() < 1e-13 * step);
        let (next_value, next_gradient) = primal(problem, learning, &next, lambda, share);
        if next_value <= value {
            (at, value, gradient, step) = (next, next_value, next_gradient, step * 1.1);
        } else {
            step /= 2.0;
        }
        if still {
            break;
        }
    }
    (value, at)
}

/// Weights and intercepts of a learner, as one list.
fn learnt(learner: &dyn Learner, problem: &Problem<'_>) -> Vec<f64> {
    let intercepts = learner.intercepts();
    learner.weights().into_iter().chain(intercepts.into_iter().take(problem.question.borders())).collect()
}

#[test]
fn the_gradient_is_that_of_finite_differences() {
    for world in [World::new(40, 3, fixed(0.01)), three_classes(40, 3)] {
        let (features, rows) = (features(&world), world.rows());
        let problem = problem(&world, &features, &rows, COSTS);
        for (learning, share) in
            learners().into_iter().filter(|(learning, _)| learning.hinge == Hinge::Squared)
        {
            let places = features.rows.columns() + problem.question.borders();
            let mut draw = heddle_core::resample::Random::new(2);
            let mut at: Vec<f64> = (0..places).map(|_| draw.unit() - 0.5).collect();
            let lasso = |place: usize, at: &[f64]| {
                if place < features.rows.columns() { 0.03 * share * at[place].signum() } else { 0.0 }
            };
            let (_, gradient) = primal(&problem, &learning, &at, 0.03, share);
            for place in (0..places).step_by(7).chain([places - 1]) {
                let here = at[place];
                let mut value = |w: f64| {
                    at[place] = w;
                    primal(&problem, &learning, &at, 0.03, share).0
                };
                let difference = (value(here + 1e-5) - value(here - 1e-5)) / 2e-5;
                at[place] = here;
                let whole = gradient[place] + lasso(place, &at);
                assert!((difference - whole).abs() < 1e-7, "{learning:?} {place}: {difference} {whole}");
            }
        }
    }
}

#[test]
fn every_minimum_is_that_of_the_slow_solver() {
    for (seed, lambda) in [(1, 0.1), (2, 0.01), (3, 0.003)] {
        for world in [World::new(50, seed, fixed(lambda)), three_classes(50, seed)] {
            let (features, rows) = (features(&world), world.rows());
            let problem = problem(&world, &features, &rows, COSTS);
            // The plain hinge has corners, on which gradient descent stalls; its gap tells.
            let smooth =
                |learning: &Learning| (learning.learner, learning.hinge) != (Method::Svm, Hinge::Plain);
            for (learning, share) in learners().into_iter().filter(|(learning, _)| smooth(learning)) {
                let mut learner = learning.begin(problem, 7);
                let end = learner.solve(lambda, fine(share));
                let (slow_value, slow) = slow_minimum(&problem, &learning, lambda, share);
                assert_eq!(end.stop, Stop::Converged, "{learning:?}");
                // The slow solver may still be a little above.
                let below = slow_value - end.objective;
                assert!((-1e-8..1e-5).contains(&below), "{learning:?}: {} {slow_value}", end.objective);
                // Two terms that always stand together may share a lasso's weight in any way.
                let both = learnt(&*learner, &problem).into_iter().zip(slow);
                for (own, slow) in both.filter(|_| share < 1.0) {
                    assert!((own - slow).abs() < 2e-4, "{learning:?} {own} {slow}");
                }
            }
        }
    }
}

#[test]
fn at_the_end_the_conditions_of_optimality_hold_and_the_objective_is_what_it_says() {
    for world in [World::new(200, 4, fixed(1e-3)), three_classes(200, 4)] {
        let (features, rows) = (features(&world), world.rows());
        let problem = problem(&world, &features, &rows, COSTS);
        for (learning, share) in learners() {
            let lambda = 3e-3;
            let mut learner = learning.begin(problem, 7);
            let end = learner.solve(lambda, fine(share));
            assert_eq!(end.stop, Stop::Converged, "{learning:?}");
            let at = learnt(&*learner, &problem);
            let (value, gradient) = primal(&problem, &learning, &at, lambda, share);
            assert!((value - end.objective).abs() < 1e-8, "{learning:?} {value} {}", end.objective);
            if learning.hinge == Hinge::Plain {
                continue; // without a slope at its corners the gap alone tells
            }
            for (place, (weight, slope)) in at.iter().zip(&gradient).enumerate() {
                let lasso = if place < features.rows.columns() { lambda * share } else { 0.0 };
                let off = if *weight == 0.0 {
                    (slope.abs() - lasso).max(0.0)
                } else {
                    (slope + lasso * weight.signum()).abs()
                };
                assert!(off < 1e-4, "{learning:?} {place}: {off} of {weight}");
            }
            let zeros = at.iter().filter(|weight| **weight == 0.0).count();
            assert!(share < 1.0 || zeros * 3 > at.len(), "a lasso leaves many weights at 0: {zeros}");
        }
    }
}

#[test]
fn the_gap_bounds_the_distance_from_the_minimum() {
    let world = World::new(100, 5, fixed(1e-2));
    let (features, rows) = (features(&world), world.rows());
    let problem = problem(&world, &features, &rows, [1.0; 3]);
    for (learning, _) in learners() {
        let exact = Stopping { tolerance: 1e-7, rounds: 100_000 };
        let least = learning.begin(problem, 7).solve(1e-2, exact).objective;
        for tolerance in [0.3, 0.1, 1e-2, 1e-3, 1e-5] {
            let end = learning.begin(problem, 7).solve(1e-2, Stopping { tolerance, rounds: 10_000 });
            let gap = end.gap.expect("learners with an objective have a gap");
            assert!(gap <= tolerance && gap > -1e-12);
            let distance = (end.objective - least) / end.objective;
            assert!((-2e-7..=gap + 1e-9).contains(&distance), "{learning:?} {tolerance}: {distance} {gap}");
        }
    }
}

#[test]
fn a_path_ends_where_a_fresh_start_ends() {
    let world = World::new(120, 6, fixed(1e-3));
    let (features, rows) = (features(&world), world.rows());
    let problem = problem(&world, &features, &rows, [1.0; 3]);
    let same = |learning: &Learning| learning.hinge == Hinge::Squared && learning.penalty != Penalty::Lasso;
    for (learning, _) in learners().into_iter().filter(|(learning, _)| same(learning)) {
        let mut path = learning.begin(problem, 7);
        for lambda in [1.0, 0.1, 0.01] {
            path.solve(lambda, EXACT);
        }
        let mut fresh = learning.begin(problem, 8);
        fresh.solve(0.01, EXACT);
        for (a, b) in path.weights().iter().zip(fresh.weights()) {
            assert!((a - b).abs() < 1e-4, "{learning:?} {a} {b}");
        }
    }
}

#[test]
fn too_few_rounds_are_told() {
    let world = World::new(150, 5, fixed(1e-7));
    let (features, rows) = (features(&world), world.rows());
    let problem = problem(&world, &features, &rows, [1.0; 3]);
    let learning = Learning::default();
    let end = learning.begin(problem, 7).solve(1e-7, Stopping { tolerance: 1e-9, rounds: 2 });
    assert_eq!((end.stop, end.rounds), (Stop::Rounds, 2));
    assert!(end.gap.is_some_and(|gap| gap > 1e-9));
}

/// Naive Bayes by counting, for two classes: ln of the ratio of shares, term by term.
#[test]
fn naive_bayes_is_what_counting_gives() {
    let mut study = fixed(0.01);
    // A term that never counts would be no column at all, and what a term weighs is not counted.
    (study.negation.concessions, study.terms.marked_scale) = (Concessions::Keep, 1.0);
    study.terms.weighting = heddle_core::terms::Weighting::parse("bnn").expect("letters");
    let world = World::new(80, 3, study);
    let (features, rows) = (features(&world), world.rows());
    let problem = problem(&world, &features, &rows, [1.0; 3]);
    let columns = features.rows.columns();
    let (mut held, mut reviews) = (vec![[0.0f64; 2]; columns], [0.0f64; 2]);
    for (row, label) in world.sample.labels.iter().enumerate() {
        reviews[label.index()] += 1.0;
        // What a negated word takes back is no event.
        let events = features.rows.row(row).iter().filter(|e| e.value > 0.0);
        events.for_each(|e| held[e.column as usize][label.index()] += 1.0);
    }
    let totals = [0, 1].map(|class| held.iter().map(|counts| counts[class]).sum::<f64>());
    let of = |events: Events| {
        let learning = Learning { learner: Method::Bayes, events, smoothing: 0.5, ..Learning::default() };
        let learner = learning.begin(problem, 7);
        (learner.weights(), learner.intercepts()[0])
    };
    let prior = ((reviews[1] + 0.5) / (reviews[0] + 0.5)).ln();
    let share =
        |class: usize, column: usize| (held[column][class] + 0.5) / (totals[class] + 0.5 * columns as f64);
    let (weights, intercept) = of(Events::Multinomial);
    let (complement, _) = of(Events::Complement);
    let lengths = [0, 1].map(|class| (0..columns).map(|column| share(class, column).ln().abs()).sum::<f64>());
    let mean = (lengths[0] + lengths[1]) / 2.0;
    assert!((intercept - prior).abs() < 1e-12);
    for column in 0..columns {
        let by_hand = (share(1, column) / share(0, column)).ln();
        assert!((weights[column] - by_hand).abs() < 1e-12, "{column}: {} {by_hand}", weights[column]);
        let scaled = [0, 1].map(|class| share(class, column).ln() * mean / lengths[class]);
        assert!((complement[column] - (scaled[1] - scaled[0])).abs() < 1e-9);
    }
    // Presence: the log-odds of a row is the sum over all terms, there or not.
    let (weights, intercept) = of(Events::Presence);
    let p = |class: usize, column: usize| (held[column][class] + 0.5) / (reviews[class] + 1.0);
    for row in 0..10 {
        let there: Vec<usize> = features.rows.row(row).iter().map(|entry| entry.column as usize).collect();
        let by_hand: f64 = prior
            + (0..columns)
                .map(|column| match there.contains(&column) {
                    true => (p(1, column) / p(0, column)).ln(),
                    false => ((1.0 - p(1, column)) / (1.0 - p(0, column))).ln(),
                })
                .sum::<f64>();
        let own = intercept + there.iter().map(|&column| weights[column]).sum::<f64>();
        assert!((own - by_hand).abs() < 1e-9, "{own} {by_hand}");
    }
}

#[test]
fn every_learner_beats_the_baseline_on_unseen_reviews_in_two_classes_and_in_three() {
    for world in [World::new(500, 21, fixed(0.01)), three_classes(500, 21)] {
        for learner in Method::ALL {
            let mut study = Study::default();
            study.model.learner = *learner;
            study.validation.folds = 5;
            let found = cross_validate(&world.counted, &world.sample, &study, || {}).expect("folds");
            let (ours, intercept) = (&found.figures, &found.baseline);
            assert!(ours.roc_area.low > Some(0.75), "{learner:?} {:?}", ours.roc_area);
            assert!(ours.log_loss.high < intercept.log_loss.value, "{learner:?} {:?}", ours.log_loss);
            let sums = found.held_out[0].iter().flatten().map(|held| held.verdict.probabilities());
            assert!(sums.into_iter().all(|p| (p.iter().sum::<f64>() - 1.0).abs() < 1e-12));
        }
    }
}

#[test]
fn separable_reviews_have_finite_weights() {
    let texts: Vec<String> =
        (0..40).map(|row| if row % 2 == 0 { "warm" } else { "cold" }.to_string()).collect();
    let labels =
        (0..40).map(|row| if row % 2 == 0 { Polarity::Positive } else { Polarity::Negative }).collect();
    let world = World::of(texts, labels, fixed(1e-6));
    let fitted = world.fit();
    assert!(fitted.intercept.is_finite() && fitted.weights.iter().all(|weight| weight.is_finite()));
    assert_eq!(fitted.convergence.stop, Stop::Converged);
}

#[test]
fn class_weights_do_what_repeating_the_rows_does() {
    // 10 negative and 30 positive reviews: under weights a negative one counts three times.
    let (mut texts, mut labels) = worlds::reviews(400, 12);
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
    (study.model.tolerance, study.terms.at_least) = (1e-10, Some(1));
    // Document counts must not change with the repeats.
    study.terms.weighting = heddle_core::terms::Weighting::parse("bnc").expect("letters");
    (study.balance.method, study.balance.probabilities) = (Balance::Weights, PriorKind::Balanced);
    let world = World::of(texts.clone(), labels.clone(), study.clone());
    let weighted = world.scores(&world.fit());
    study.balance.method = Balance::Up;
    let raised = World::of(texts.clone(), labels.clone(), study.clone());
    let raised = raised.scores(&raised.fit());
    assert!(weighted.iter().zip(&raised).all(|(a, b)| (a - b).abs() < 1e-4), "up-sampling does the same");
    let alone = labels.len();
    for row in (0..alone).filter(|row| world.sample.labels[*row] == Polarity::Negative) {
        texts.extend([texts[row].clone(), texts[row].clone()]);
        labels.extend([labels[row]; 2]);
    }
    study.balance.method = Balance::None;
    let world = World::of(texts, labels, study);
    let repeated = world.scores(&world.fit());
    for (a, b) in weighted.iter().zip(&repeated[..alone]) {
        assert!((a - b).abs() < 1e-4, "{a} {b}");
    }
}

#[test]
fn corrected_probabilities_speak_of_the_natural_mix() {
    // One review in seven is negative: the mean probability must say so, however the classes
    // were balanced, and say one half where it is left as learnt.
    let (texts, labels) = worlds::reviews(1500, 5);
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
        let odds = world.scores(&world.fit());
        odds.iter().map(|odds| heddle_core::measure::sigmoid(*odds)).sum::<f64>() / odds.len() as f64
    };
    for method in [Balance::Weights, Balance::Down, Balance::Up, Balance::None] {
        let natural = mean(method, PriorKind::Natural);
        assert!((natural - share).abs() < 0.04, "{method:?}: {natural} of {share}");
    }
    assert!(mean(Balance::Weights, PriorKind::Balanced) < share - 0.1);
}

#[test]
fn a_third_class_lies_between_the_two() {
    let world = three_classes(300, 3);
    let fitted = world.fit();
    assert!(fitted.half > 0.0 && fitted.mix[Polarity::Neutral] == 60);
    // The mean probability of each class over the training reviews is about its share.
    let verdicts = fitted.verdicts(&world.counted, &world.rows());
    for class in Polarity::ALL {
        let mean = verdicts.iter().map(|verdict| verdict.probability(class)).sum::<f64>() / 300.0;
        let share = fitted.mix[class] as f64 / 300.0;
        assert!((mean - share).abs() < 0.04, "{class:?}: {mean} of {share}");
    }
    // The called class is the most probable one.
    for verdict in &verdicts {
        let best = Polarity::ALL.map(|class| verdict.probability(class)).into_iter().fold(0.0, f64::max);
        assert!(verdict.probability(verdict.called) >= best - 1e-12, "{verdict:?}");
    }
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
    assert_eq!(fitted.strength, Some(choice.strength));
    let best = choice.trials.iter().min_by(|a, b| a.loss.total_cmp(&b.loss)).expect("there are trials");
    assert_eq!(best.behind, 0.0);
    let chosen = choice.trials.iter().find(|trial| trial.strength == choice.strength).expect("it was tried");
    assert!(chosen.behind <= chosen.error && chosen.strength >= best.strength);
    assert!(choice.trials.is_sorted_by(|a, b| a.strength > b.strength));
}

#[test]
fn labels_without_meaning_get_a_strong_penalty() {
    let mut study = fixed(1.0);
    (study.model.strength, study.model.calibration) = (Strength::Auto, Calibrate::None);
    let mut world = World::new(400, 7, study);
    let meant = world.fit().strength.expect("a penalty");
    world.sample.labels = at_random(400);
    let meaningless = world.fit().strength.expect("a penalty");
    assert!(meaningless >= 10.0 * meant, "{meaningless} {meant}");
}

#[test]
fn labels_without_meaning_are_calibrated_to_the_class_mix() {
    for learner in [Method::Logistic, Method::Svm] {
        let mut study = fixed(1.0);
        (study.model.strength, study.model.learner) = (Strength::Auto, learner);
        let mut world = World::new(400, 7, study);
        let bold = |world: &World| {
            let scores = world.scores(&world.fit());
            scores.iter().map(|score| score.abs()).sum::<f64>() / scores.len() as f64
        };
        assert!(bold(&world) > 1.0, "labels with a meaning are told apart: {}", bold(&world));
        world.sample.labels = at_random(400);
        assert!(bold(&world) < 0.5, "{learner:?}: {}", bold(&world));
    }
}

fn at_random(rows: usize) -> Vec<Polarity> {
    let mut draw = heddle_core::resample::Random::new(5);
    (0..rows).map(|_| Polarity::POLES[draw.below(2)]).collect()
}

#[test]
fn strengths_are_compared_by_what_calibration_makes_of_scores() {
    let mut study = fixed(1.0);
    (study.model.strength, study.model.learner) = (Strength::Auto, Method::Svm);
    let choice = World::new(400, 7, study).fit().choice.expect("it was open");
    let least = choice.trials.iter().map(|trial| trial.loss).fold(f64::INFINITY, f64::min);
    let chosen = choice.trials.iter().find(|trial| trial.strength == choice.strength).expect("it was tried");
    assert_eq!((chosen.loss, chosen.behind), (least, 0.0), "the least loss is chosen");
    assert!(least < std::f64::consts::LN_2, "a log loss in nats, below that of a coin");
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
    assert_eq!(error, FitError::OneClass { mix: [0, positive.len(), 0].into() });
}

#[test]
fn a_floor_above_every_count_is_told() {
    let mut study = fixed(0.1);
    study.terms.at_least = Some(1000);
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
    let held: Vec<_> = found.held_out[0].iter().map(|held| held.expect("every row is held out")).collect();
    let fold = held[17].fold;
    let training: Vec<u32> =
        world.rows().into_iter().filter(|row| held[*row as usize].fold != fold).collect();
    let mut flipped = world.sample.labels.clone();
    for row in (0..held.len()).filter(|row| held[*row].fold == fold) {
        flipped[row] = Polarity::POLES[1 - flipped[row].index()];
    }
    let sample = Sample::new(flipped, world.sample.groups.clone());
    let apart = fit(&world.counted, &sample, &training, &world.study).expect("two classes");
    let own = apart.verdicts(&world.counted, &[17])[0];
    assert_eq!(own.log_odds.to_bits(), held[17].verdict.log_odds.to_bits());
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
            found.held_out[0]
                .iter()
                .flatten()
                .map(|held| held.verdict.log_odds.to_bits())
                .collect::<Vec<u64>>()
        })
    };
    assert_eq!(with(1), with(4));
}

#[test]
fn reviews_without_signal_are_called_by_chance() {
    // Labels drawn anew: a validation that leaks would find something here.
    let mut world = World::new(600, 13, fixed(1e-3));
    let mut draw = heddle_core::resample::Random::new(99);
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

#[test]
fn class_ratios_are_blended_in_as_far_as_held_out_reviews_ask_for() {
    let with = |ratios: Ratios, penalty: Penalty| {
        let mut study = Study::default();
        (study.model.ratios, study.model.penalty) = (ratios, penalty);
        study.model.strength = Strength::Fixed(0.003);
        World::new(400, 4, study)
    };
    let (blended, alone) = (with(Ratios::Blend, Penalty::Ridge), with(Ratios::None, Penalty::Ridge));
    let (ours, theirs) = (blended.fit(), alone.fit());
    assert!(ours.ratios > 0.0 && theirs.ratios == 0.0, "{} {}", ours.ratios, theirs.ratios);
    // What is added to a weight is its term's log ratio, on one scale for all: no term that both classes use
    // alike moves, and none is moved against its ratio.
    let slope = |fit: &heddle_core::model::Fit| match fit.calibration {
        Calibration::Scale { slope, .. } => slope,
        _ => panic!("scores of a machine are calibrated"),
    };
    for term in 0..ours.weights.len() {
        let counts = ours.selection.counts(heddle_core::terms::TermId::new(term as u32));
        let added =
            f64::from(ours.weights[term]) / slope(&ours) - f64::from(theirs.weights[term]) / slope(&theirs);
        let [negative, positive] = Polarity::POLES.map(|class| counts[class] as f64);
        if positive > 3.0 * (negative + 1.0) {
            assert!(added > -1e-5, "{term}: {added}");
        }
        if negative > 3.0 * (positive + 1.0) {
            assert!(added < 1e-5, "{term}: {added}");
        }
    }
    // A lasso is for weights of zero: nothing is blended into them.
    let lasso = with(Ratios::Blend, Penalty::Lasso).fit();
    assert!(lasso.ratios == 0.0 && lasso.pulling() < lasso.weights.len() / 2);
}

#[test]
fn a_blend_does_not_cost_what_it_promises_to_win() {
    let loss = |ratios: Ratios| {
        let mut study = Study::default();
        (study.model.ratios, study.validation.folds) = (ratios, 5);
        let world = World::new(300, 12, study.clone());
        let found = cross_validate(&world.counted, &world.sample, &study, || {}).expect("folds");
        found.figures.log_loss.value.expect("a figure")
    };
    let (blended, alone) = (loss(Ratios::Blend), loss(Ratios::None));
    assert!(blended < alone + 0.01, "{blended} {alone}");
}
