//! Columns beside the text: how they are coded, learnt and told.

use heddle_core::beside::{Cell, ColumnForm, ColumnUse, Fact};
use heddle_core::explain::explain_document;
use heddle_core::labels::{Classes, DateOrder, PerClass, Polarity};
use heddle_core::learn::{
    Hinge, LogLoss, Loss, Method, Penalty, PlainHinge, Problem, Question, SquaredHinge, Stop, Stopping,
    Strength,
};
use heddle_core::model::{Model, fit};
use heddle_core::resample::{Random, Sample, text_key};
use heddle_core::settings::Study;
use heddle_core::terms::{Corpus, Counted, Selection, Weighted};
use heddle_core::text::Document;
use heddle_core::validate::{cross_validate, effects};
use worlds::{World, fixed, reviews};

const USED: [&str; 5] = ["channel", "fee", "fee:bands", "text:words", "posted:weekday"];

fn using(mut study: Study, columns: &[&str]) -> Study {
    study.features.columns = columns.iter().map(|own| ColumnUse::parse(own).expect("a column")).collect();
    study.features.at_least = 5;
    study
}

/// Documents with the cells of [`USED`], which tell something of their class, and some of which are blank.
fn documents(count: usize, seed: u64) -> (Vec<Document>, Vec<Polarity>) {
    let (texts, labels) = reviews(count, seed);
    let mut draw = Random::new(seed);
    let mut document = |(text, label): (&String, &Polarity)| {
        let mut own = Document::from(text.as_str());
        let positive = *label == Polarity::Positive;
        let likely = if positive { 0.7 } else { 0.3 };
        let channel = match draw.unit() {
            rare if rare < 0.01 => format!("fax {}", draw.below(50)),
            blank if blank < 0.05 => String::new(),
            _ => if draw.unit() < likely { "web" } else { "desk" }.into(),
        };
        let fee = match draw.unit() {
            blank if blank < 0.1 => String::new(),
            _ => format!("{:.2}", 40.0 + 20.0 * draw.unit() + if positive { 6.0 } else { 0.0 }),
        };
        let day = format!("2026-01-{:02} 08:15", 1 + draw.below(28));
        for cell in [&channel, &fee, &fee, "", &day] {
            own.push_beside(cell);
        }
        own
    };
    (texts.iter().zip(&labels).map(&mut document).collect(), labels)
}

struct Beside {
    documents: Vec<Document>,
    sample: Sample,
    study: Study,
    corpus: Corpus,
    counted: Counted,
}

impl Beside {
    fn new(count: usize, study: Study) -> Self {
        let (documents, labels) = documents(count, 5);
        Self::of(documents, labels, study)
    }

    fn of(documents: Vec<Document>, labels: Vec<Polarity>, study: Study) -> Self {
        // The number keeps equal texts apart: nothing else is to tie reviews here.
        let key = |(at, own): (usize, &Document)| text_key(&format!("{at} {}", own.text()));
        let groups = documents.iter().enumerate().map(key).collect();
        let corpus = Corpus::read(&documents[..], study.corpus_rules());
        let counted = Counted::new(&corpus, &study.terms);
        Self { sample: Sample::new(labels, groups), documents, study, corpus, counted }
    }

    fn rows(&self) -> Vec<u32> {
        (0..self.documents.len() as u32).collect()
    }

    fn model(&self) -> Model {
        let fitted = fit(&self.counted, &self.sample, &self.rows(), &self.study).expect("a fit");
        Model::new(&self.corpus, &self.counted, &fitted, &self.study, None)
    }
}

/// Every way to learn that takes columns.
fn ways() -> Vec<Study> {
    let mut ways = vec![fixed(1e-2); 6];
    ways[1].model.learner = Method::Svm;
    ways[2].model.learner = Method::Online;
    ways[3].model.penalty = Penalty::Elastic;
    (ways[4].model.learner, ways[4].model.strength) = (Method::Svm, Strength::Auto);
    ways[5].features.text = false;
    ways
}

#[test]
fn a_model_scores_documents_as_the_fit_scores_rows_and_explains_them_to_the_last_digit() {
    for way in ways() {
        let world = Beside::new(400, using(way, &USED));
        let fitted = fit(&world.counted, &world.sample, &world.rows(), &world.study).expect("a fit");
        let places = fitted.places(&world.counted, &world.rows());
        let model = Model::new(&world.corpus, &world.counted, &fitted, &world.study, None);
        let mut scorer = model.scorer();
        for (document, place) in world.documents.iter().zip(places) {
            let (score, explained) = explain_document(&mut scorer, document);
            assert_eq!(score.sum.to_bits(), place.log_odds.to_bits());
            assert_eq!(explained.columns.len(), USED.len());
            let terms: f64 = explained.terms.iter().map(|own| own.contribution).sum();
            let columns: f64 = explained.columns.iter().map(|own| own.contribution).sum();
            assert!((explained.intercept + columns + terms - score.sum).abs() < 1e-9);
            assert!((explained.by_terms().combined() - score.sum).abs() < 1e-9);
            assert!((explained.by_clauses().combined() - score.sum).abs() < 1e-9);
            let last = explained.clauses.last().map_or(explained.columns[4].running, |own| own.running);
            assert!((last - score.sum).abs() < 1e-9, "the reading line ends at the score");
        }
    }
}

#[test]
fn what_a_column_adds_has_the_mean_0_so_that_what_is_not_known_adds_nothing() {
    let world = Beside::new(600, using(fixed(1e-3), &USED));
    let model = world.model();
    let mut scorer = model.scorer();
    let mut sums = [0.0; USED.len()];
    for document in &world.documents {
        let (_, explained) = explain_document(&mut scorer, document);
        sums.iter_mut().zip(&explained.columns).for_each(|(sum, own)| *sum += own.contribution);
    }
    assert!(sums.iter().all(|sum| (sum / 600.0).abs() < 1e-6), "{sums:?}");
    let (score, explained) = explain_document(&mut scorer, &Document::from("zyx"));
    let known: Vec<&str> = explained.columns.iter().filter_map(|own| own.value.as_deref()).collect();
    assert_eq!(known, ["1 (as 2)"], "a text tells its own length, and nothing else");
    assert_eq!(score.sum, model.intercept() + explained.columns[3].contribution);
}

#[test]
fn a_number_beyond_all_training_rows_counts_as_the_last_one_and_one_that_never_differs_adds_nothing() {
    let (texts, labels) = reviews(300, 5);
    let document = |(at, text): (usize, &String)| {
        let mut own = Document::from(text.as_str());
        own.push_beside(
            &(if labels[at] == Polarity::Positive { 0.1 * (at % 30) as f64 } else { 4.0 }).to_string(),
        );
        own.push_beside("0.1");
        own
    };
    let documents: Vec<Document> = texts.iter().enumerate().map(document).collect();
    let model = Beside::of(documents, labels.clone(), using(fixed(1e-3), &["fee", "toll:number"])).model();
    let adds = |fee: &str, toll: &str| {
        let mut own = Document::from("good");
        own.push_beside(fee);
        own.push_beside(toll);
        let (_, explained) = explain_document(&mut model.scorer(), &own);
        explained.columns.iter().map(|own| own.contribution).collect::<Vec<_>>()
    };
    assert_eq!(adds("4", "0.1"), adds("1e12", "0.1"));
    assert_eq!(adds("0", "0.1"), adds("-7", "0.1"));
    assert!(adds("0", "0.1")[0] > adds("4", "0.1")[0] + 1.0);
    assert_eq!((adds("1", "0.1")[1].abs() < 1e-9, adds("1", "5")[1].abs() < 1e-9), (true, true));
}

#[test]
fn rare_categories_stand_together_and_new_ones_with_them() {
    let world = Beside::new(600, using(fixed(1e-3), &["channel"]));
    let model = world.model();
    let told = model.card().columns.as_ref().expect("columns").told();
    let names: Vec<&str> = told.iter().map(|own| own.1.as_str()).collect();
    assert_eq!(names, ["desk", "web", "(other)", "(blank)"]);
    let of = |cell: &str| {
        let mut document = Document::from("good");
        document.push_beside(cell);
        let mut scorer = model.scorer();
        let (_, explained) = explain_document(&mut scorer, &document);
        (explained.columns[0].contribution, explained.columns[0].value.clone(), scorer.unfamiliar())
    };
    let (adds, value, unfamiliar) = of("pigeon");
    assert_eq!((value.as_deref(), unfamiliar), (Some("pigeon (other)"), 1));
    assert_eq!(adds, of("fax 3").0);
    assert_eq!(of(" web ").1.as_deref(), Some("web"));
    assert!(of("web").0 > 0.3 && of("desk").0 < -0.3);
}

/// The rows of a world as its terms and columns weigh them.
fn weighted(world: &Beside) -> Weighted<'_> {
    Selection::under(&world.study.features, &world.counted, &world.sample, &world.rows())
        .weighted_for_poles(&world.counted)
}

fn problem<'a>(world: &'a Beside, features: &'a Weighted<'a>, rows: &'a [u32]) -> Problem<'a> {
    Problem {
        features,
        labels: &world.sample.labels,
        shares: &[],
        rows,
        costs: PerClass::of(|_| 1.0),
        question: Question::Above(Classes::Two),
    }
}

#[test]
fn learners_with_columns_reach_the_optimum_of_their_objective() {
    let ways = [
        (Method::Logistic, Hinge::Squared, Penalty::Ridge, true),
        (Method::Logistic, Hinge::Squared, Penalty::Ridge, false),
        (Method::Logistic, Hinge::Squared, Penalty::Elastic, true),
        (Method::Svm, Hinge::Squared, Penalty::Ridge, true),
        (Method::Svm, Hinge::Squared, Penalty::Ridge, false),
        (Method::Svm, Hinge::Plain, Penalty::Ridge, true),
    ];
    for (learner, hinge, penalty, text) in ways {
        let mut study = using(fixed(1e-2), &USED);
        study.features.text = text;
        (study.model.learner, study.model.hinge) = (learner, hinge);
        (study.model.penalty, study.model.tolerance) = (penalty, 1e-9);
        let world = Beside::new(300, study);
        let (rows, features) = (world.rows(), weighted(&world));
        let problem = problem(&world, &features, &rows);
        let mut learner = world.study.model.begin(problem, 3);
        let end = learner.solve(1e-2, Stopping { tolerance: 1e-9, rounds: 50_000 });
        assert!(end.gap.expect("a gap") < 1e-9);
        let share = if penalty == Penalty::Ridge { 0.0 } else { world.study.model.lasso_share };
        let primal = |weights: &[f64]| match (world.study.model.learner, hinge) {
            (Method::Logistic, _) => problem.primal(LogLoss, weights, learner.intercepts(), 1e-2, share),
            (_, Hinge::Squared) => problem.primal(SquaredHinge, weights, learner.intercepts(), 1e-2, share),
            (_, Hinge::Plain) => problem.primal(PlainHinge, weights, learner.intercepts(), 1e-2, share),
        };
        let weights = learner.weights();
        let (value, gradient) = primal(&weights);
        assert!((value - end.objective).abs() < 1e-8, "{value} is not {}", end.objective);
        for (at, (weight, slope)) in weights.iter().zip(&gradient).enumerate() {
            // Under the lasso's part a slope may be as large as that part while a weight is 0.
            let lasso = 1e-2 * share;
            let off = match *weight == 0.0 {
                true => (slope.abs() - lasso).max(0.0),
                false => (slope + lasso * weight.signum()).abs(),
            };
            // The plain hinge has corners: there, a small step either way gains nothing.
            let step = |by: f64| {
                let mut moved = weights.clone();
                moved[at] += by;
                primal(&moved).0 >= value - 1e-8
            };
            let best = if hinge == Hinge::Plain { step(1e-3) && step(-1e-3) } else { off < 2e-5 };
            assert!(best, "{hinge:?} {penalty:?}: weight {weight}, slope {slope}");
        }
        assert!(LogLoss.value(0.0) > value || world.study.model.learner == Method::Svm);
    }
}

/// Two borders, rows that count differently, and next to no penalty.
#[test]
fn columns_alone_are_learnt_in_a_few_steps() {
    let mut study = using(fixed(1e-2), &USED);
    study.features.text = false;
    let mut world = Beside::new(900, study);
    world.sample.labels.iter_mut().step_by(4).for_each(|label| *label = Polarity::Neutral);
    let (rows, features) = (world.rows(), weighted(&world));
    let mut own = problem(&world, &features, &rows);
    (own.question, own.costs) = (
        Question::Above(Classes::Three),
        PerClass::of(|class| if class == Polarity::Negative { 1.5 } else { 0.8 }),
    );
    for learner in [Method::Logistic, Method::Svm] {
        let mut learning = world.study.model;
        learning.learner = learner;
        let mut learner = learning.begin(own, 3);
        for lambda in [1e-2, 1e-6] {
            let end = learner.solve(lambda, Stopping { tolerance: 1e-9, rounds: 50 });
            assert!(end.stop == Stop::Converged && end.rounds <= 20, "{end:?}");
            let (weights, intercepts) = (learner.weights(), learner.intercepts());
            let (value, gradient) = match learning.learner {
                Method::Logistic => own.primal(LogLoss, &weights, intercepts, lambda, 0.0),
                _ => own.primal(SquaredHinge, &weights, intercepts, lambda, 0.0),
            };
            assert!((value - end.objective).abs() < 1e-12, "{value} is not {}", end.objective);
            assert!(gradient.iter().all(|slope| slope.abs() < 1e-6), "{gradient:?}");
        }
    }
}

#[test]
fn columns_ask_for_few_more_rounds_where_the_penalty_is_weak() {
    let of = |columns: &[&str]| {
        let world = Beside::new(1_500, using(fixed(1e-4), columns));
        let (rows, features) = (world.rows(), weighted(&world));
        let mut learner = world.study.model.begin(problem(&world, &features, &rows), 3);
        let end = learner.solve(1e-4, Stopping { tolerance: 1e-3, rounds: 1_000 });
        assert!(end.gap.expect("a gap") < 1e-3);
        end.rounds
    };
    let (with, without) = (of(&USED), of(&[]));
    assert!(with <= 2 * without, "{with} rounds with columns, {without} without");
}

#[test]
fn a_fold_knows_of_columns_what_its_training_rows_tell() {
    let study = using(fixed(1e-2), &USED);
    let world = Beside::new(500, study.clone());
    let rows: Vec<u32> = (0..300).collect();
    let one = fit(&world.counted, &world.sample, &rows, &study).expect("a fit");
    let (documents, labels) = documents(500, 5);
    let alone = Beside::of(documents[..300].to_vec(), labels[..300].to_vec(), study.clone());
    let other = fit(&alone.counted, &alone.sample, &rows, &study).expect("a fit");
    let [one, other] = [one, other].map(|own| own.columns.expect("columns"));
    assert_eq!(one, other);
}

#[test]
fn a_heavier_penalty_keeps_the_effects_of_its_column_small() {
    let mut study = using(fixed(1e-2), &["channel", "fee"]);
    let light = Beside::new(500, study.clone()).model();
    study.features.penalties = vec![("channel".into(), 1000.0)];
    let heavy = Beside::new(500, study).model();
    let widths = |model: &Model| -> Vec<f64> {
        let own = model.card().columns.clone().expect("columns");
        own.widths().into_iter().map(|(_, width)| width).collect()
    };
    let (light, heavy) = (widths(&light), widths(&heavy));
    assert!(heavy[0] < 0.05 * light[0], "{light:?} {heavy:?}");
    assert!(heavy[1] > 0.9 * light[1], "{light:?} {heavy:?}");
}

#[test]
fn three_classes_learn_columns_whether_they_are_ordered_or_free() {
    let (texts, labels) = reviews(300, 9);
    let labels: Vec<Polarity> =
        (0..).zip(labels).map(|(at, own)| if at % 4 == 0 { Polarity::Neutral } else { own }).collect();
    let document = |(text, label): (&String, &Polarity)| {
        let mut own = Document::from(text.as_str());
        own.push_beside(if *label == Polarity::Neutral { "mail" } else { "web" });
        own
    };
    let documents: Vec<Document> = texts.iter().zip(&labels).map(document).collect();
    for classes in ["ordered", "free"] {
        let mut study = using(fixed(1e-3), &["channel"]);
        heddle_core::settings::Study::key("model.classes")
            .and_then(|key| key.set(&mut study, &heddle_core::settings::Value::Text(classes.into())))
            .expect("a layout");
        let world = Beside::of(documents.clone(), labels.clone(), study);
        let fitted = fit(&world.counted, &world.sample, &world.rows(), &world.study).expect("a fit");
        let model = Model::new(&world.corpus, &world.counted, &fitted, &world.study, None);
        let verdicts = fitted.verdicts(&world.counted, &world.rows());
        let mut scorer = model.scorer();
        for (document, verdict) in world.documents.iter().zip(&verdicts) {
            let (score, explained) = explain_document(&mut scorer, document);
            assert_eq!(score.verdict, *verdict, "{classes}");
            if let Some(sums) = &explained.by_class {
                for class in Polarity::ALL {
                    let tree = explained.of_class(class).expect("a class of its own");
                    assert!((tree.combined() - sums.sums[class]).abs() < 1e-9);
                }
            }
        }
        if classes == "free" {
            let right = verdicts
                .iter()
                .zip(&labels)
                .filter(|(own, label)| (own.called == Polarity::Neutral) == (**label == Polarity::Neutral));
            assert!(right.count() > 290, "the column tells neutral");
        }
    }
}

#[test]
fn effects_are_those_that_were_planted_and_no_others() {
    let mut study = using(fixed(1e-3), &["channel", "posted:weekday", "text:words"]);
    study.validation.folds = 5;
    let (texts, labels) = reviews(3000, 12);
    let mut draw = Random::new(4);
    let document = |(text, label): (&String, &Polarity)| {
        let mut own = Document::from(text.as_str());
        let web = draw.unit() < if *label == Polarity::Positive { 0.7 } else { 0.3 };
        own.push_beside(if web { "web" } else { "desk" });
        own.push_beside(&format!("2026-02-{:02}", 1 + draw.below(28)));
        own.push_beside("");
        own
    };
    let documents: Vec<Document> = texts.iter().zip(&labels).map(document).collect();
    let world = Beside::of(documents, labels, study);
    let both = cross_validate(&world.counted, &world.sample, &world.study, || ()).expect("folds");
    let mut plain = world.study.clone();
    plain.features.columns.clear();
    let text = cross_validate(&world.counted, &world.sample, &plain, || ()).expect("folds");
    let coding = world.study.features.learn(world.corpus.beside(), &world.rows()).expect("columns");
    let rows = coding.rows(world.corpus.beside(), world.documents.len());
    let held = (&text.held_out[0][..], &both.held_out[0][..]);
    let found = effects(&world.sample, (&coding, &rows), held, 3);
    // Of log-odds ln(0.7 / 0.3) one way and the other, at any text.
    let wanted = (0.7f64 / 0.3).ln();
    let channel: Vec<(&str, f64, bool)> = found[0]
        .levels
        .iter()
        .map(|own| (own.level.as_str(), own.effect.value.expect("a value"), own.beyond_noise))
        .collect();
    assert_eq!((channel[0].0, channel[1].0), ("desk", "web"));
    assert!((channel[1].1 - channel[0].1 - 2.0 * wanted).abs() < 0.3, "{channel:?}");
    assert!(channel.iter().all(|own| own.2));
    let days: Vec<&str> = found[1].levels.iter().map(|own| own.level.as_str()).collect();
    assert_eq!((days[0], days[6], days.len()), ("Monday", "Sunday", 7));
    assert!(found[1].levels.iter().all(|own| !own.beyond_noise), "{:?}", found[1]);
    assert!(found[2].straight);
    for own in &found[0].levels {
        let observed = own.observed.value.expect("a share");
        assert!((own.by_both - observed).abs() < (own.by_text - observed).abs(), "{own:?}");
    }
    assert_eq!(effects(&world.sample, (&coding, &rows), held, 3), found, "the same draws, the same effects");
}

#[test]
fn a_column_is_read_by_what_its_cells_are_where_nothing_is_said() {
    let study = using(fixed(1e-2), &["channel", "fee"]);
    let world = Beside::new(300, study);
    let variety = world.corpus.beside().variety();
    assert_eq!((variety[0].is_categories, variety[1].is_categories), (true, false));
    assert_eq!(ColumnUse::parse("fee").map(|own| own.form), Ok(ColumnForm::Auto));
    let plain = World::new(50, 3, fixed(1e-2));
    assert!(plain.model().card().columns.is_none());
}

#[test]
fn the_last_rating_that_a_text_gives_is_read() {
    let texts = [
        "First 3/10, now 8/10!",
        "Eight out of 10, again",
        "Three stars.",
        "a five star cabin",
        "one star",
        "open 24/7",
        "none",
    ];
    let read = texts.map(|text| Fact::Rating.of(text));
    assert_eq!(read, [Some(0.8), Some(0.8), Some(0.6), None, Some(0.2), None, None]);
}

fn read(written: &str, cell: &str) -> Cell {
    ColumnUse::parse(written).expect("a column").read(cell, "", DateOrder::Auto)
}

#[test]
fn hours_are_found_in_every_way_to_write_a_time() {
    let cells = ["2025-03-01 23:15", "2025-03-01T07:05:00Z", "9:30 pm", "12:10 AM", "7.5.", "25:00"];
    let hours = ["23", "07", "21", "00"].map(|hour| Cell::Word(hour.into()));
    let [first, second, third, fourth] = hours;
    let expected = [first, second, third, fourth, Cell::Unread, Cell::Unread];
    assert_eq!(cells.map(|cell| read("posted:hour", cell)), expected);
}

#[test]
fn a_colon_begins_a_form_only_where_one_follows() {
    let of = |written: &str| ColumnUse::parse(written).map(|used| (used.to_string(), used.form));
    assert_eq!(of("posted:hour"), Ok(("posted:hour".into(), ColumnForm::Hour)));
    assert_eq!(of("info:colour"), Ok(("info:colour".into(), ColumnForm::Auto)));
    assert_eq!(of("text:words"), Ok(("text:words".into(), ColumnForm::Number)));
    assert_eq!(of("text:bands"), Ok(("text:bands".into(), ColumnForm::Bands)), "a column called text");
    assert_eq!(of("text:words:bands"), Ok(("text:words:bands".into(), ColumnForm::Bands)));
    assert!(of(":hour").is_err());
}

#[test]
fn days_of_the_week_are_those_of_the_calendar() {
    assert_eq!(read("posted:weekday", "2026-11-26 20:21"), Cell::Word("Thursday".into()));
    assert_eq!(read("posted:weekday", "1969-12-31"), Cell::Word("Wednesday".into()));
    assert_eq!(read("posted:weekday", "soon"), Cell::Unread);
}
