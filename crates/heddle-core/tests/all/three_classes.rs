//! Three classes: on one axis, each with weights of its own, and the choice between the two.

use heddle_core::explain::{Combination, explain};
use heddle_core::labels::{CLASSES, PerClass, Polarity};
use heddle_core::learn::{Arrangement, Calibrate, Calibration, Events, Method, Penalty, Strength};
use heddle_core::matrix::Entry;
use heddle_core::measure::{ClassRule, Decision, Figures, Place, Verdict, class_scores, softmax};
use heddle_core::model::{Fit, Model, fit};
use heddle_core::resample::{Random, Sample};
use heddle_core::settings::Study;
use heddle_core::terms::{Counted, Emphasis, Stems, Weighting};
use heddle_core::validate::cross_validate;
use proptest::prelude::*;
use worlds::{World, fixed};

use Polarity::{Negative, Neutral, Positive};

/// Reviews of three classes. Neutral ones are made of words that both poles use, and of words of their own where `own`.
fn texts(count: usize, seed: u64, own: bool) -> (Vec<String>, Vec<Polarity>) {
    let mut draw = Random::new(seed);
    let review = |row: usize| {
        let class = CLASSES[row % 3];
        let mut words = Vec::new();
        for _ in 0..6 + draw.below(14) {
            let kind = match (class, draw.unit()) {
                (_, u) if u < 0.7 => "plain",
                (Neutral, u) if own && u < 0.85 => "middling",
                (Negative, u) if u < 0.92 => "awful",
                (Positive, u) if u < 0.92 => "lovely",
                _ => ["awful", "lovely"][draw.below(2)],
            };
            words.push(format!("{kind}{}", draw.below(if kind == "plain" { 200 } else { 30 })));
        }
        (words.join(" "), class)
    };
    (0..count).map(review).unzip()
}

fn world(count: usize, own: bool, set: impl FnOnce(&mut Study)) -> World {
    let (texts, labels) = texts(count, 8, own);
    let mut study = Study::default();
    study.validation.folds = 4;
    set(&mut study);
    World::of(texts, labels, study)
}

fn held_out(world: &World) -> Figures {
    cross_validate(&world.counted, &world.sample, &world.study, || {})
        .expect("folds that can be learnt from")
        .figures
}

#[test]
fn classes_with_words_of_their_own_are_found_and_an_axis_is_kept_where_there_is_one() {
    let under =
        |own: bool, classes: Arrangement| held_out(&world(900, own, |study| study.model.classes = classes));
    let recall =
        |figures: &Figures| figures.class(Neutral).and_then(|own| own.recall.value).expect("neutral reviews");
    let (ordered, free, auto) =
        (under(true, Arrangement::Ordered), under(true, Arrangement::Free), under(true, Arrangement::Auto));
    assert!(recall(&free) > recall(&ordered) + 0.2, "{} {}", recall(&free), recall(&ordered));
    assert!(free.accuracy.low > ordered.accuracy.value && free.macro_f1.low > ordered.macro_f1.value);
    assert!(free.ordinal_error.value < ordered.ordinal_error.value);
    assert_eq!(auto.log_loss.value, free.log_loss.value);
    // Where neutral has nothing of its own, an axis says more with half the weights.
    let (ordered, auto) = (under(false, Arrangement::Ordered), under(false, Arrangement::Auto));
    let (axis, chosen) = (ordered.log_loss.value.expect("a loss"), auto.log_loss.value.expect("a loss"));
    assert!(chosen < axis + 0.01, "{chosen} {axis}");
}

#[test]
fn the_choice_of_the_layout_is_told_with_its_ground() {
    let with = |own: bool, classes: Arrangement| world(600, own, |study| study.model.classes = classes).fit();
    let choice = with(true, Arrangement::Auto).layout.expect("it was open");
    assert!(choice.free && choice.gain > 2.0 * choice.error && choice.error > 0.0, "{choice:?}");
    for set in [Arrangement::Ordered, Arrangement::Free] {
        let fitted = with(true, set);
        assert_eq!((fitted.layout, fitted.neutral.is_some()), (None, set == Arrangement::Free));
    }
    // Two classes have one border, whatever is asked.
    let two = World::new(200, 4, fixed(0.01));
    assert!(two.fit().layout.is_none() && two.fit().neutral.is_none());
}

/// The multinomial objective by its definition, over one vector and one intercept for each class.
fn objective(world: &World, fitted: &Fit, sums: &PerClass<(Vec<f64>, f64)>, lambda: f64) -> f64 {
    let factors = &fitted.selection.document_factors;
    let norm = |row: usize| {
        let square =
            |entry: &Entry| (f64::from(entry.value) * f64::from(factors[entry.column as usize])).powi(2);
        world.counted.rows.row(row).iter().map(square).sum::<f64>().sqrt()
    };
    let loss = |row: usize| {
        let length = norm(row).max(1e-300);
        let score = |class: Polarity| {
            let (weights, intercept) = &sums[class];
            let entries = world.counted.rows.row(row).iter();
            let value = |entry: &Entry| {
                let at = entry.column as usize;
                f64::from(entry.value) * f64::from(factors[at]) / length * weights[at]
            };
            intercept + entries.map(value).sum::<f64>()
        };
        -softmax(PerClass::of(score))[world.sample.labels[row]].ln()
    };
    let rows = world.texts.len();
    let mean = (0..rows).map(loss).sum::<f64>() / rows as f64;
    let squares = |(weights, intercept): &(Vec<f64>, f64)| {
        weights.iter().map(|weight| weight * weight).sum::<f64>() + intercept * intercept
    };
    mean + lambda / 2.0 * sums.iter().map(squares).sum::<f64>()
}

#[test]
fn multinomial_weights_lie_at_the_minimum_of_their_objective() {
    let lambda = 0.003;
    let world = world(150, true, |study| {
        let set = &mut study.model;
        (set.learner, set.strength, set.tolerance) = (Method::Logistic, Strength::Fixed(lambda), 1e-9);
        (set.classes, study.terms.emphasis) = (Arrangement::Free, Emphasis::None);
        study.balance.method = heddle_core::resample::Balance::None;
    });
    let fitted = world.fit();
    assert!(fitted.convergence.gap < Some(1e-9) && fitted.calibration == Calibration::None);
    let neutral = fitted.neutral.as_ref().expect("free classes");
    let columns = fitted.weights.len();
    let mut sums = PerClass::of(|class| {
        let part = |s: f64, h: f64| class_scores(s, h)[class];
        let weights = (0..columns).map(|at| part(fitted.weights[at].into(), neutral.weights[at].into()));
        (weights.collect::<Vec<f64>>(), part(fitted.intercept, neutral.intercept))
    });
    let least = objective(&world, &fitted, &sums, lambda);
    assert!((least - fitted.convergence.objective).abs() < 1e-6, "{least} {:?}", fitted.convergence);
    let mut draw = Random::new(5);
    for _ in 0..60 {
        let (class, at) = (CLASSES[draw.below(3)], draw.below(columns + 1));
        for step in [0.05, -0.05] {
            let move_by = |by: f64, sums: &mut PerClass<(Vec<f64>, f64)>| match at == columns {
                true => sums[class].1 += by,
                false => sums[class].0[at] += by,
            };
            move_by(step, &mut sums);
            let there = objective(&world, &fitted, &sums, lambda);
            assert!(there > least, "{class:?} {at}: {there} {least}");
            move_by(-step, &mut sums);
        }
    }
}

#[test]
fn naive_bayes_of_three_classes_is_what_counting_gives() {
    let world = world(90, true, |study| {
        let set = &mut study.model;
        (set.learner, set.events, set.classes) = (Method::Bayes, Events::Multinomial, Arrangement::Free);
        set.calibration = Calibrate::None;
        (study.terms.emphasis, study.terms.stems) = (Emphasis::None, Stems::None);
        study.terms.weighting = Weighting::parse("nnn").expect("three letters");
        study.balance.method = heddle_core::resample::Balance::None;
    });
    let fitted = world.fit();
    let kept: Vec<usize> =
        (0..fitted.weights.len()).filter(|at| fitted.selection.document_factors[*at] != 0.0).collect();
    let count = |class: Polarity, column: usize| -> f64 {
        let rows = (0..world.texts.len()).filter(|row| world.sample.labels[*row] == class);
        let entries = rows.flat_map(|row| world.counted.rows.row(row));
        entries.filter(|entry| entry.column as usize == column).map(|entry| f64::from(entry.value)).sum()
    };
    let all = PerClass::of(|class| kept.iter().map(|column| count(class, *column)).sum::<f64>());
    let share =
        |class: Polarity, column: usize| (count(class, column) + 1.0) / (all[class] + kept.len() as f64);
    let neutral = fitted.neutral.as_ref().expect("free classes");
    for &column in kept.iter().take(40) {
        let [negative, positive, middle] = CLASSES.map(|class| share(class, column).ln());
        assert!((f64::from(fitted.weights[column]) - (positive - negative)).abs() < 1e-6);
        let by_hand = middle - (positive + negative) / 2.0;
        assert!((f64::from(neutral.weights[column]) - by_hand).abs() < 1e-6);
    }
}

#[test]
fn every_learner_and_calibration_of_free_classes_beats_the_baseline() {
    for learner in [Method::Logistic, Method::Svm, Method::Bayes, Method::Online] {
        for calibration in [Calibrate::Auto, Calibrate::Isotonic] {
            let figures = |classes: Arrangement| {
                let world = world(450, true, |study| {
                    (study.model.learner, study.model.calibration) = (learner, calibration);
                    study.model.classes = classes;
                });
                cross_validate(&world.counted, &world.sample, &world.study, || {}).expect("folds")
            };
            for classes in [Arrangement::Free, Arrangement::Ordered] {
                let found = figures(classes);
                assert!(
                    found.figures.log_loss.high < found.baseline.log_loss.value,
                    "{learner:?} {classes:?}"
                );
                let sums = found.held_out[0].iter().flatten().map(|held| held.verdict.probabilities());
                assert!(sums.into_iter().all(|p| (p.iter().sum::<f64>() - 1.0).abs() < 1e-9));
            }
        }
    }
    let lasso = world(450, true, |study| {
        (study.model.penalty, study.model.classes) = (Penalty::Lasso, Arrangement::Free);
    });
    let fitted = lasso.fit();
    assert!(fitted.pulling() > 0 && fitted.pulling() < fitted.selection.len() / 2, "{}", fitted.pulling());
}

#[test]
fn a_fold_of_free_classes_equals_a_separate_fit_and_threads_change_nothing() {
    let verdicts = |threads: usize| {
        let pool = rayon::ThreadPoolBuilder::new().num_threads(threads).build().expect("a pool");
        pool.install(|| {
            let world = world(300, true, |study| study.decision.unsure = Some(0.8));
            let found = cross_validate(&world.counted, &world.sample, &world.study, || {}).expect("folds");
            let held = found.held_out[0].iter().map(|held| held.expect("every row is held out"));
            (held.collect::<Vec<_>>(), world)
        })
    };
    let ((one, world), (four, _)) = (verdicts(1), verdicts(4));
    assert_eq!(one, four);
    let fold = one[5].fold;
    let training: Vec<u32> = world.rows().into_iter().filter(|row| one[*row as usize].fold != fold).collect();
    let flipped = |row: u32| {
        let label = world.sample.labels[row as usize];
        if one[row as usize].fold == fold { CLASSES[(label.index() + 1) % 3] } else { label }
    };
    let labels = world.rows().into_iter().map(flipped).collect();
    let sample = Sample::new(labels, world.sample.groups.clone());
    let apart = fit(&world.counted, &sample, &training, &world.study).expect("three classes");
    assert_eq!(apart.verdicts(&world.counted, &[5])[0], one[5].verdict);
}

#[test]
fn decisions_on_three_classes_keep_what_they_promise() {
    let of = |set: &dyn Fn(&mut Study)| held_out(&world(900, true, |study| set(study)));
    let recall = |figures: &Figures| figures.class(Negative).expect("negative reviews").recall;
    let plain = of(&|_| {});
    let dear = of(&|study| study.decision.cost_missed_negative = 5.0);
    assert!(recall(&dear).value > recall(&plain).value);
    for wanted in [0.85, 0.95] {
        let found = recall(&of(&|study| study.decision.recall_negative = Some(wanted)));
        assert!(found.low < Some(wanted) && found.high > Some(wanted), "{wanted}: {found:?}");
    }
    let precise = of(&|study| study.decision.precision_negative = Some(0.9));
    let precision = precise.class(Negative).expect("negative reviews").precision;
    assert!(precision.high > Some(0.9), "{precision:?}");
    for classes in [Arrangement::Free, Arrangement::Ordered] {
        let found = of(&|study| {
            (study.decision.unsure, study.model.classes) = (Some(0.9), classes);
        });
        let unsure = found.unsure.expect("some are unsure");
        assert_eq!(unsure.kept.len(), 3);
        assert!(unsure.kept.iter().all(|kept| kept.high > Some(0.9)), "{unsure:?}");
        assert!(unsure.accuracy.value > found.accuracy.value);
    }
}

#[test]
fn without_a_signal_free_classes_are_all_unsure() {
    let mut draw = Random::new(3);
    let (texts, labels) = texts(300, 8, true);
    let labels = labels.iter().map(|_| CLASSES[draw.below(3)]).collect();
    let mut study = Study::default();
    (study.model.classes, study.decision.unsure) = (Arrangement::Free, Some(0.9));
    let found = held_out(&World::of(texts, labels, study));
    let unsure = found.unsure.expect("some are unsure");
    assert!(unsure.called.value < Some(0.3), "{unsure:?}");
    assert!(unsure.kept.iter().all(|kept| kept.high > Some(0.9)), "{unsure:?}");
}

/// The sums of every class: terms, tokens and clauses add up to them, and they to the probabilities.
fn check_sums(model: &Model, text: &str) {
    let (score, explanation) = explain(&mut model.scorer(), text);
    let sums = explanation.by_class.as_ref().expect("each class has weights of its own");
    let near = |a: f64, b: f64| assert!((a - b).abs() < 1e-9 * b.abs().max(1.0), "{a} {b}: {text:?}");
    for class in CLASSES {
        let parts = |of: Vec<Option<PerClass<f64>>>| {
            of.into_iter().map(|own| own.expect("a part")[class]).sum::<f64>()
        };
        let whole = sums.sums[class] - sums.intercepts[class];
        near(parts(explanation.terms.iter().map(|part| part.by_class).collect()), whole);
        near(parts(explanation.tokens.iter().map(|part| part.by_class).collect()), whole);
        near(parts(explanation.clauses.iter().map(|part| part.by_class).collect()), whole);
        let tree = explanation.of_class(class).expect("a tree for each class");
        assert_eq!(tree.combination, Combination::Sum);
        near(tree.combined(), tree.value);
        near(softmax(sums.sums)[class], score.probability(class));
    }
    near(sums.sums[Positive] - sums.sums[Negative], explanation.sum);
    let (called, second) = (explanation.polarity, sums.runner_up);
    near(sums.sums[called] - sums.sums[second], sums.ahead);
    near((score.probability(called) / score.probability(second)).ln(), sums.ahead);
}

#[test]
fn explanations_of_free_classes_add_up_for_each() {
    let (texts, _) = texts(60, 21, true);
    for learner in [Method::Svm, Method::Logistic] {
        let model = world(400, true, |study| {
            (study.model.learner, study.model.classes) = (learner, Arrangement::Free);
        })
        .model();
        texts.iter().for_each(|text| check_sums(&model, text));
        check_sums(&model, "");
        check_sums(&model, "nothing known, not lovely3; middling4 awful7!");
    }
}

#[test]
fn a_model_of_free_classes_scores_texts_as_its_fit_scores_rows() {
    let world = world(300, true, |study| study.model.classes = Arrangement::Free);
    let (fitted, model) = (world.fit(), world.model());
    let said = fitted.verdicts(&world.counted, &world.rows());
    let mut scorer = model.scorer();
    for (text, said) in world.texts.iter().zip(said) {
        assert_eq!(scorer.score(text).verdict, said);
    }
    let again = Model::from_parts(model.parts());
    assert_eq!(again.scorer().score(&world.texts[0]), model.scorer().score(&world.texts[0]));
}

/// What a rule calls, by its definition.
fn by_hand(rule: &ClassRule, p: PerClass<f64>) -> (Polarity, bool) {
    let [missed, alarm] = rule.costs;
    let cost = |called: Polarity| -> f64 {
        let mistake = |truth: Polarity| match (truth, called) {
            (truth, called) if truth == called => 0.0,
            (Negative, _) => missed,
            (_, Negative) => alarm,
            _ => 1.0,
        };
        CLASSES.iter().map(|truth| p[*truth] * mistake(*truth)).sum()
    };
    let cheapest = CLASSES.into_iter().min_by(|a, b| cost(*a).total_cmp(&cost(*b))).expect("three classes");
    let odds = |class: Polarity| (p[class] / (1.0 - p[class])).ln();
    let left: Vec<Polarity> = match rule.possible_from {
        None => vec![cheapest],
        Some(from) => CLASSES.into_iter().filter(|class| odds(*class) >= from[*class]).collect(),
    };
    match left[..] {
        [only] => (only, true),
        [] => (cheapest, true),
        _ => (cheapest, false),
    }
}

proptest! {
    #[test]
    fn places_and_rules_are_what_their_definitions_say(
        log_odds in -30.0..30.0f64,
        neutrality in -30.0..30.0f64,
        costs in prop::array::uniform2(0.1..10.0f64),
        from in prop::array::uniform3(-3.0..1.0f64),
        banded in any::<bool>(),
    ) {
        let place = Place::apart(log_odds, neutrality);
        let p = place.probabilities();
        prop_assert!((p.iter().sum::<f64>() - 1.0).abs() < 1e-12);
        prop_assert!(((p[Positive] / p[Negative]).ln() - log_odds).abs() < 1e-9);
        prop_assert!((p[Neutral].ln() - (p[Positive].ln() + p[Negative].ln()) / 2.0 - neutrality).abs() < 1e-9);
        for class in CLASSES {
            prop_assert!((place.log_loss(class) + p[class].ln()).abs() < 1e-9);
        }
        let rule = ClassRule { costs, negative_from: None, possible_from: banded.then(|| from.into()) };
        let Verdict { called, sure, .. } = Decision::ByClass(rule).verdict(place);
        // Near 1 the slow odds lose their digits.
        prop_assume!(p.iter().all(|p| *p < 1.0 - 1e-9));
        prop_assert_eq!((called, sure), by_hand(&rule, p));
    }
}

#[test]
fn a_matrix_that_says_nothing_of_neutral_leaves_the_class_mix() {
    // Every review is the same: nothing can be told, on one axis or three.
    let texts = vec!["the same words every time".to_string(); 90];
    let labels = (0..90).map(|row| CLASSES[row % 3]).collect();
    let mut study = fixed(0.01);
    (study.model.classes, study.validation.alike) = (Arrangement::Free, 1.0);
    let mut world = World::of(texts, labels, study);
    world.sample = Sample::new(world.sample.labels.clone(), (0..90).collect());
    world.counted = Counted::new(&world.corpus, &world.study.terms);
    let said = world.fit().verdicts(&world.counted, &[0, 1, 2]);
    for verdict in said {
        assert!(verdict.probabilities().iter().all(|p| (p - 1.0 / 3.0).abs() < 0.02), "{verdict:?}");
    }
}
