//! Figures: each against its definition, worked out the slow way.

use heddle_core::labels::{Classes, PerClass, Polarity};
use heddle_core::measure::{
    Confusion, Dependence, Figure, Figures, Neutral, Verdict, baseline, cost_curve, loss, mix_behind,
    precision_at, roc_area, share, sigmoid,
};
use heddle_core::resample::Random;

use Polarity::{Negative, Positive};

fn near(a: Option<f64>, b: f64) -> bool {
    a.is_some_and(|a| (a - b).abs() < 1e-9)
}

/// The counts of two classes, as a table.
fn table(counts: [[usize; 2]; 2]) -> Confusion {
    Confusion { classes: Polarity::POLES.to_vec(), counts: counts.map(Vec::from).to_vec() }
}

/// Verdicts of two classes, called by the sign.
fn verdicts(log_odds: &[f64]) -> Vec<Verdict> {
    let one = |&log_odds: &f64| Verdict {
        log_odds,
        neutral: Neutral::Between { half: 0.0 },
        called: Polarity::of_log_odds(log_odds),
        sure: true,
    };
    log_odds.iter().map(one).collect()
}

/// Labels and scores of which about three quarters agree, with ties.
fn example(n: usize, seed: u64) -> (Vec<Polarity>, Vec<f64>) {
    let mut draw = Random::new(seed);
    let pair = |_| {
        let label = if draw.unit() < 0.7 { Positive } else { Negative };
        let score = label.sign() * 0.8 + (draw.unit() - 0.5) * 4.0;
        (label, (score * 4.0).round() / 4.0 + 0.1)
    };
    (0..n).map(pair).unzip()
}

#[test]
fn the_counts_are_those_of_pairs() {
    let confusion = Confusion::new(
        Classes::Two,
        [(Negative, Negative), (Negative, Positive), (Positive, Positive), (Positive, Positive)],
    );
    assert_eq!(confusion.counts, [vec![1, 1], vec![0, 2]]);
    assert!(near(confusion.accuracy().value, 0.75));
    let negative = confusion.class(Negative);
    assert!(
        near(negative.precision.value, 1.0)
            && near(negative.recall.value, 0.5)
            && near(negative.f1.value, 2.0 / 3.0)
    );
    let positive = confusion.class(Positive);
    assert!(
        near(positive.precision.value, 2.0 / 3.0)
            && near(positive.recall.value, 1.0)
            && near(positive.f1.value, 0.8)
    );
    assert!(near(confusion.balanced_accuracy().value, 0.75));
    assert_eq!(confusion.accuracy().n, 4);
}

#[test]
fn matthews_is_the_correlation_of_the_two_columns() {
    let confusion = table([[30, 10], [5, 55]]);
    let (tn, fp, fn_, tp) = (30.0, 10.0, 5.0, 55.0);
    let by_definition = (tp * tn - fp * fn_) / f64::sqrt((tp + fp) * (tp + fn_) * (tn + fp) * (tn + fn_));
    assert!(near(confusion.matthews().value, by_definition));
    let constant = table([[0, 40], [0, 60]]);
    assert_eq!(constant.matthews(), Figure::undefined(100));
}

#[test]
fn what_is_not_defined_has_no_value() {
    let all_positive = table([[0, 4], [0, 6]]);
    assert_eq!(all_positive.class(Negative).precision.value, None);
    assert_eq!(share(0, 0).value, None);
    assert_eq!(roc_area(&[Positive, Positive], &[0.1, 0.2]).value, None);
    let apart = roc_area(&[Negative, Negative, Positive, Positive], &[0.1, 0.2, 0.3, 0.4]);
    assert_eq!((apart.value, apart.low), (Some(1.0), None), "perfect order on four reviews proves nothing");
    let perfect = table([[4, 0], [0, 6]]).matthews();
    assert_eq!((perfect.value, perfect.low), (Some(1.0), None));
}

#[test]
fn wilsons_interval_solves_its_equation() {
    // The ends p are where |hits/n - p| is z standard errors of p itself.
    for (hits, n) in [(1, 10), (7, 10), (50, 60), (499, 1000)] {
        let figure = share(hits, n);
        let observed = hits as f64 / n as f64;
        for end in [figure.low, figure.high].map(|end| end.expect("both ends are there")) {
            let errors = (observed - end).abs() / (end * (1.0 - end) / n as f64).sqrt();
            assert!((errors - 1.959_963_984_540_054).abs() < 1e-6, "{hits} of {n}: {errors}");
        }
    }
    assert_eq!(share(0, 9).low, Some(0.0));
    assert_eq!(share(9, 9).high, Some(1.0));
}

#[test]
fn the_roc_area_is_the_share_of_ordered_pairs() {
    let (labels, scores) = example(300, 3);
    let mut won = 0.0;
    let mut pairs = 0.0;
    for (a, score) in labels.iter().zip(&scores).filter(|(label, _)| **label == Positive) {
        assert_eq!(*a, Positive);
        for (_, other) in labels.iter().zip(&scores).filter(|(label, _)| **label == Negative) {
            pairs += 1.0;
            won += if score > other {
                1.0
            } else if score == other {
                0.5
            } else {
                0.0
            };
        }
    }
    assert!(near(roc_area(&labels, &scores).value, won / pairs));
}

#[test]
fn delongs_interval_agrees_with_a_bootstrap() {
    let (labels, scores) = example(500, 5);
    let figure = roc_area(&labels, &scores);
    let mut draw = Random::new(1);
    let again = |_| {
        let rows: Vec<usize> = (0..labels.len()).map(|_| draw.below(labels.len())).collect();
        let (labels, scores): (Vec<_>, Vec<_>) = rows.iter().map(|&row| (labels[row], scores[row])).unzip();
        roc_area(&labels, &scores).value.expect("both classes are drawn")
    };
    let mut areas: Vec<f64> = (0..800).map(again).collect();
    areas.sort_by(f64::total_cmp);
    let (low, high) = (areas[20], areas[779]);
    let (own_low, own_high) = (figure.low.expect("low"), figure.high.expect("high"));
    assert!(
        (own_low - low).abs() < 0.012 && (own_high - high).abs() < 0.012,
        "{own_low} {low} {own_high} {high}"
    );
}

/// The share of samples whose interval holds the truth.
fn coverage(truth: f64, mut figure: impl FnMut(&mut Random) -> Figure) -> f64 {
    let mut draw = Random::new(11);
    let held = (0..1500).filter(|_| {
        let figure = figure(&mut draw);
        figure.low.is_some_and(|low| low <= truth) && figure.high.is_some_and(|high| truth <= high)
    });
    held.count() as f64 / 1500.0
}

/// A confusion of `n` draws from these chances.
fn drawn(chances: [[f64; 2]; 2], n: usize, draw: &mut Random) -> Confusion {
    let mut counts = [[0; 2]; 2];
    for _ in 0..n {
        let mut place = draw.unit();
        let mut cell = (1, 1);
        for at in [(0, 0), (0, 1), (1, 0)] {
            if place < chances[at.0][at.1] {
                cell = at;
                break;
            }
            place -= chances[at.0][at.1];
        }
        counts[cell.0][cell.1] += 1;
    }
    table(counts)
}

#[test]
fn intervals_hold_the_truth_as_often_as_they_promise() {
    const CHANCES: [[f64; 2]; 2] = [[0.22, 0.08], [0.06, 0.64]];
    let f1 = 2.0 * 0.22 / (2.0 * 0.22 + 0.08 + 0.06);
    let balanced = (0.22 / 0.30 + 0.64 / 0.70) / 2.0;
    let matthews = (0.22 * 0.64 - 0.08 * 0.06) / f64::sqrt(0.30 * 0.70 * 0.28 * 0.72);
    let found = [
        coverage(f1, |draw| drawn(CHANCES, 300, draw).class(Negative).f1),
        coverage(balanced, |draw| drawn(CHANCES, 300, draw).balanced_accuracy()),
        coverage(matthews, |draw| drawn(CHANCES, 300, draw).matthews()),
        coverage(0.86, |draw| drawn(CHANCES, 300, draw).accuracy()),
    ];
    assert!(found.iter().all(|share| (0.93..0.97).contains(share)), "{found:?}");
}

#[test]
fn log_loss_and_brier_score_are_their_definitions() {
    let (labels, log_odds) = example(200, 9);
    let figures = Figures::new(&labels, &verdicts(&log_odds));
    let probability = |at: usize| 1.0 / (1.0 + (-log_odds[at]).exp());
    let truth = |at: usize| if labels[at] == Positive { 1.0 } else { 0.0 };
    let n = labels.len() as f64;
    let log_loss: f64 = (0..labels.len())
        .map(|at| -(truth(at) * probability(at).ln() + (1.0 - truth(at)) * (1.0 - probability(at)).ln()))
        .sum::<f64>()
        / n;
    let brier: f64 = (0..labels.len()).map(|at| (probability(at) - truth(at)).powi(2)).sum::<f64>() / n;
    assert!(near(figures.log_loss.value, log_loss) && near(figures.brier.value, brier));
    assert!(figures.log_loss.low < figures.log_loss.value && figures.log_loss.value < figures.log_loss.high);
}

#[test]
fn the_baseline_calls_the_larger_class_and_knows_the_mix() {
    let labels = [Negative, Positive, Positive, Positive];
    let figures = Figures::new(&labels, &[baseline([1, 3, 0].into()); 4]);
    assert!(near(figures.accuracy.value, 0.75) && near(figures.balanced_accuracy.value, 0.5));
    assert!(near(figures.roc_area.value, 0.5) && near(figures.brier.value, 0.25 * 0.75));
    let entropy = -(0.25f64 * 0.25f64.ln() + 0.75 * 0.75f64.ln());
    assert!(near(figures.log_loss.value, entropy));
}

#[test]
fn losses_and_probabilities_do_not_overflow() {
    for x in [-1e4, -40.0, -1e-9, 0.0, 1e-9, 40.0, 1e4] {
        assert!((sigmoid(x) + sigmoid(-x) - 1.0).abs() < 1e-15, "{x}");
        assert!((loss(-x) - loss(x) - x).abs() <= 1e-9 * x.abs().max(1.0), "{x}");
        assert!(loss(x).is_finite() && loss(x) >= 0.0);
    }
}

#[test]
fn the_mix_behind_calls_is_found_where_mistakes_stay_what_they_were() {
    use Polarity::Neutral;
    // By true class (negative, positive, neutral): how it is called.
    let mistakes = [[0.8, 0.05, 0.15], [0.04, 0.9, 0.06], [0.2, 0.25, 0.55]];
    let order = [Negative, Positive, Neutral];
    let of = |labels: &[Polarity], called: &[Polarity]| {
        let say = |called: &Polarity| Verdict { called: *called, ..verdicts(&[0.0])[0] };
        Figures::new(labels, &called.iter().map(say).collect::<Vec<_>>())
    };
    let drawn = |shares: &[f64; 3], draw: &mut Random| {
        let at = draw.unit();
        order[usize::from(at >= shares[0]) + usize::from(at >= shares[0] + shares[1])]
    };
    // Judged at one mix, met at another.
    let (judged, met) = ([0.3, 0.6, 0.1], [0.55, 0.2, 0.25]);
    let place = |class: Polarity| order.iter().position(|own| *own == class).expect("a class");
    let trial = |class: Polarity, draw: &mut Random| {
        let labels: Vec<Polarity> = (0..1_500).map(|_| drawn(&judged, draw)).collect();
        let called: Vec<Polarity> =
            labels.iter().map(|label| drawn(&mistakes[place(*label)], draw)).collect();
        let mut counts = PerClass::default();
        for _ in 0..600 {
            let truth = drawn(&met, draw);
            counts[drawn(&mistakes[place(truth)], draw)] += 1;
        }
        let found = mix_behind(&counts, &of(&labels, &called)).expect("calls tell the classes apart");
        let sum: f64 = found.iter().filter_map(|own| own.value).sum();
        assert!((sum - 1.0).abs() < 1e-12, "{sum}");
        found[class]
    };
    for class in order {
        let covered = coverage(met[place(class)], |draw| trial(class, draw));
        assert!((0.93..=0.975).contains(&covered), "{class:?}: {covered}");
    }
    // Of two classes it is what stands in every book: (called + specificity - 1) / (sensitivity + specificity - 1).
    let labels = [vec![Negative; 100], vec![Positive; 200]].concat();
    let called = [vec![Negative; 90], vec![Positive; 10], vec![Negative; 40], vec![Positive; 160]].concat();
    let figures = of(&labels, &called);
    let mix = mix_behind(&[34, 66, 0].into(), &figures).expect("calls tell the classes apart");
    assert!(near(mix[Negative].value, (0.34 + 0.8 - 1.0) / (0.9 + 0.8 - 1.0)));
    assert!(mix[Neutral].value.is_none());
    // More alarms than all would be false: no share lies below 0.
    assert_eq!(mix_behind(&[10, 90, 0].into(), &figures).expect("shares")[Negative].value, Some(0.0));
    // Calls that tell nothing, classes that were not judged, and no calls.
    let blind = of(
        &labels,
        &[vec![Negative; 50], vec![Positive; 50], vec![Negative; 100], vec![Positive; 100]].concat(),
    );
    assert!(mix_behind(&[34, 66, 0].into(), &blind).is_none());
    assert!(mix_behind(&[34, 66, 0].into(), &of(&[Negative; 9], &[Negative; 9])).is_none());
    assert!(mix_behind(&PerClass::default(), &figures).is_none());
}

#[test]
fn precision_at_another_mix_follows_from_the_recalls() {
    // 90 of 100 negative and 160 of 200 positive reviews are called rightly.
    let counts = [(Polarity::Negative, Polarity::Negative, 90), (Polarity::Negative, Polarity::Positive, 10)];
    let more = [(Polarity::Positive, Polarity::Negative, 40), (Polarity::Positive, Polarity::Positive, 160)];
    let pairs =
        counts.iter().chain(&more).flat_map(|&(truth, called, n)| std::iter::repeat_n((truth, called), n));
    let (labels, called): (Vec<_>, Vec<_>) = pairs.unzip();
    let of = |labels: &[Polarity], called: &[Polarity]| {
        let say = |called: &Polarity| Verdict { called: *called, ..verdicts(&[0.0])[0] };
        Figures::new(labels, &called.iter().map(say).collect::<Vec<_>>())
    };
    let figures = of(&labels, &called);
    let found = precision_at(&figures, Polarity::Negative, 0.1);
    // Of 1,000 reviews with 100 negative: 90 found, and 0.2 x 900 = 180 false alarms.
    assert!((found.value.expect("defined") - 90.0 / 270.0).abs() < 1e-12);
    let own = precision_at(&figures, Polarity::Negative, 100.0 / 300.0);
    let plain = figures.classes[0].precision;
    assert!(
        (own.value.expect("defined") - plain.value.expect("defined")).abs() < 1e-12,
        "at its own mix nothing changes"
    );
    assert!(found.low < found.value && found.value < found.high);
    assert_eq!(precision_at(&of(&[], &[]), Polarity::Positive, 0.5).value, None);

    // Few false alarms: of 40 negative reviews nine in ten are found, of 150 positive ones three are called negative.
    let truth = 0.1 * 0.9 / (0.1 * 0.9 + 0.9 * 0.02);
    let few = coverage(truth, |draw| {
        let say = |label: Polarity, right: f64, draw: &mut Random| {
            if draw.unit() < right { label } else { if label == Negative { Positive } else { Negative } }
        };
        let labels = [vec![Negative; 40], vec![Positive; 150]].concat();
        let called: Vec<Polarity> = labels
            .iter()
            .map(|label| say(*label, if *label == Negative { 0.9 } else { 0.98 }, draw))
            .collect();
        precision_at(&of(&labels, &called), Negative, 0.1)
    });
    assert!((0.93..=0.985).contains(&few), "{few}");
}

#[test]
fn repeated_reviews_say_no_more_than_the_one_that_is_repeated() {
    let (labels, log_odds) = example(400, 21);
    let once = Figures::new(&labels, &verdicts(&log_odds));
    let many: Vec<usize> = (0..labels.len()).flat_map(|row| [row; 8]).collect();
    let groups: Vec<u64> = many.iter().map(|row| *row as u64).collect();
    let labels: Vec<Polarity> = many.iter().map(|row| labels[*row]).collect();
    let log_odds: Vec<f64> = many.iter().map(|row| log_odds[*row]).collect();
    let repeated = Figures::under(&labels, &verdicts(&log_odds), &Dependence::of_groups(&groups));
    assert!((395..=405).contains(&repeated.effective), "{}", repeated.effective);
    for (a, b) in [
        (once.accuracy, repeated.accuracy),
        (once.classes[0].recall, repeated.classes[0].recall),
        (once.classes[1].precision, repeated.classes[1].precision),
        (once.classes[0].f1, repeated.classes[0].f1),
        (once.balanced_accuracy, repeated.balanced_accuracy),
        (once.matthews, repeated.matthews),
        (once.roc_area, repeated.roc_area),
        (once.log_loss, repeated.log_loss),
        (once.brier, repeated.brier),
    ] {
        let half = |figure: Figure| (figure.high.expect("high") - figure.low.expect("low")) / 2.0;
        assert!(near(b.value, a.value.expect("defined")), "{a:?} {b:?}");
        assert!((half(b) / half(a) - 1.0).abs() < 0.03, "{a:?} {b:?}");
        assert_eq!(b.n, 8 * a.n);
    }
    // Groups of one review each change nothing.
    let alone: Vec<u64> = (0..400).collect();
    let (labels, log_odds) = example(400, 21);
    assert_eq!(Figures::under(&labels, &verdicts(&log_odds), &Dependence::of_groups(&alone)), once);
}

#[test]
fn the_interval_of_a_large_area_of_few_reviews_holds_the_truth() {
    // The largest of nine numbers is above a tenth in nine of ten draws.
    let mut draw = Random::new(1);
    let draws = 800;
    let holds = |_: &usize| {
        let (mut labels, mut scores) = (Vec::new(), Vec::new());
        for (label, of) in [(Negative, 1), (Positive, 9)].repeat(20) {
            labels.push(label);
            scores.push((0..of).map(|_| draw.unit()).fold(0.0, f64::max));
        }
        let figure = roc_area(&labels, &scores);
        figure.low < Some(0.9) && figure.high > Some(0.9)
    };
    let share = (0..draws).filter(holds).count() as f64 / f64::from(draws as u32);
    // 95 % is promised, and the standard error of 800 draws is 0.8 points.
    assert!((0.925..0.975).contains(&share), "{share}");
}

#[test]
fn the_area_of_folds_is_the_mean_of_theirs() {
    // Each fold's scores are on a scale of their own: pooled they would say less than each does.
    let (labels, log_odds) = example(300, 8);
    let folds: Vec<usize> = (0..300).map(|row| row % 5).collect();
    let moved: Vec<f64> = log_odds.iter().zip(&folds).map(|(own, fold)| own + 3.0 * *fold as f64).collect();
    let groups: Vec<u64> = (0..300).collect();
    let figures = Figures::under(&labels, &verdicts(&moved), &Dependence::of_folds(&groups, &folds, 0.25));
    let area = |fold: usize| {
        let own = (0..300).filter(|row| folds[*row] == fold);
        let (labels, scores): (Vec<_>, Vec<_>) = own.map(|row| (labels[row], moved[row])).unzip();
        roc_area(&labels, &scores).value.expect("both classes")
    };
    let mean = (0..5).map(area).sum::<f64>() / 5.0;
    assert!(near(figures.roc_area.value, mean));
    assert!(figures.roc_area.low < Some(mean) && figures.roc_area.high > Some(mean));
    assert!(mean > roc_area(&labels, &moved).value.expect("both classes") + 0.1);
}

#[test]
fn intervals_of_folds_are_wider_by_what_their_training_reviews_have_in_common() {
    // Independent reviews in ten folds: the variance is 1 + 10 / 9 times that of as many reviews of one model.
    let half = |figure: Figure| (figure.high.expect("high") - figure.low.expect("low")) / 2.0;
    let ratio = |seed: u64| {
        let (labels, log_odds) = example(600, 100 + seed);
        let (groups, folds): (Vec<u64>, Vec<usize>) = (0..600).map(|row| (row as u64, row % 10)).unzip();
        let own = verdicts(&log_odds);
        let wide = Figures::under(&labels, &own, &Dependence::of_folds(&groups, &folds, 1.0 / 9.0));
        (half(wide.log_loss) / half(Figures::new(&labels, &own).log_loss)).powi(2)
    };
    let mean = (0..200).map(ratio).sum::<f64>() / 200.0;
    assert!((2.11..2.35).contains(&mean), "{mean}: 19 / 9, and a little for the spread of ten folds");
}

#[test]
fn average_precision_and_mean_f1_are_their_definitions() {
    let (labels, log_odds) = example(250, 13);
    let figures = Figures::new(&labels, &verdicts(&log_odds));
    // Precision among all that stand as low or lower, at each negative review.
    let at = |score: f64| {
        let read: Vec<usize> = (0..250).filter(|row| log_odds[*row] <= score).collect();
        read.iter().filter(|row| labels[**row] == Negative).count() as f64 / read.len() as f64
    };
    let own: Vec<f64> =
        (0..250).filter(|row| labels[*row] == Negative).map(|row| at(log_odds[row])).collect();
    assert!(near(figures.average_precision.value, own.iter().sum::<f64>() / own.len() as f64));
    assert!(figures.average_precision.low < figures.average_precision.value);
    let f1: f64 = figures.classes.iter().map(|class| class.f1.value.expect("defined")).sum();
    assert!(near(figures.macro_f1.value, f1 / 2.0));
    // Its interval against a bootstrap.
    let mut draw = Random::new(2);
    let mut again: Vec<f64> = (0..800)
        .map(|_| {
            let rows: Vec<usize> = (0..250).map(|_| draw.below(250)).collect();
            let (labels, scores): (Vec<_>, Vec<_>) =
                rows.iter().map(|&row| (labels[row], log_odds[row])).unzip();
            Figures::new(&labels, &verdicts(&scores)).macro_f1.value.expect("both classes are drawn")
        })
        .collect();
    again.sort_by(f64::total_cmp);
    let (low, high) = (figures.macro_f1.low.expect("low"), figures.macro_f1.high.expect("high"));
    assert!((low - again[20]).abs() < 0.02 && (high - again[779]).abs() < 0.02, "{low} {high}");
    // A class that is never called is told.
    let all_positive = Figures::new(&labels, &verdicts(&vec![1.0; 250]));
    assert_eq!(all_positive.never_called().collect::<Vec<_>>(), [Negative]);
    assert_eq!(figures.never_called().count(), 0);
}

#[test]
fn the_cost_curve_is_the_lowest_cost_of_any_cut() {
    let mut draw = Random::new(11);
    for cuts in [0, 1, 2, 7, 60] {
        // Recall and false alarms both rise with the cut.
        let mut steps: Vec<(f64, f64)> = (0..cuts).map(|_| (draw.unit(), draw.unit())).collect();
        let mut recalls: Vec<f64> = steps.iter().map(|own| own.0).collect();
        let mut alarms: Vec<f64> = steps.iter().map(|own| own.1 * own.1).collect();
        recalls.sort_by(f64::total_cmp);
        alarms.sort_by(f64::total_cmp);
        steps = recalls.into_iter().zip(alarms).collect();
        let curve = cost_curve(&steps);
        assert_eq!((curve[0].missed, curve[0].cost), (0.0, 0.0));
        assert_eq!(curve.last().map(|own| (own.missed, own.cost)), Some((1.0, 0.0)));
        assert!(curve.is_sorted_by(|a, b| a.missed <= b.missed));
        for at in (0..=100).map(|step| f64::from(step) / 100.0) {
            let cost = |recall: f64, alarms: f64| (1.0 - at) * alarms + at * (1.0 - recall);
            let slow = steps.iter().map(|(recall, alarms)| cost(*recall, *alarms));
            let slow = slow.chain([at, 1.0 - at]).fold(1.0, f64::min);
            let next = curve.iter().position(|own| own.missed >= at).expect("the curve ends at 1");
            let (a, b) = (curve[next.saturating_sub(1)], curve[next]);
            let way = if b.missed > a.missed { (at - a.missed) / (b.missed - a.missed) } else { 1.0 };
            let read = a.cost + way * (b.cost - a.cost);
            assert!((read - slow).abs() < 1e-12, "{cuts} cuts at {at}: {read} for {slow}");
        }
    }
}
