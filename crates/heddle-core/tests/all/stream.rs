//! Learning from rows that come one after the other and are not kept.

use heddle_core::labels::{ClassCounts, Polarity};
use heddle_core::learn::Method;
use heddle_core::measure::{share, sigmoid};
use heddle_core::model::{
    HeldRow, Judged, Model, RowHasher, StreamCounts, StreamFit, StreamLearner, WaitingRow,
};
use heddle_core::resample::{Random, Sample, text_key};
use heddle_core::settings::Study;
use heddle_core::terms::{Corpus, Counted, Selection, TermId};
use heddle_core::text::Concessions;
use worlds::reviews;

fn study() -> Study {
    let mut study = Study::default();
    (study.model.learner, study.model.epochs, study.terms.hashed) = (Method::Online, 2, 12);
    study.negation.concessions = Concessions::Keep; // what these reviews were labelled by counts in full
    study
}

/// Reviews of which every tenth is held back.
struct Stream {
    texts: Vec<String>,
    labels: Vec<Polarity>,
}

impl Stream {
    fn new(count: usize) -> Self {
        let (texts, labels) = reviews(count, 9);
        Self { texts, labels }
    }

    fn teaches(&self, row: usize) -> bool {
        row % 10 != 3
    }

    fn mix(&self) -> ClassCounts {
        let mut mix = ClassCounts::default();
        (0..self.texts.len()).filter(|row| self.teaches(*row)).for_each(|row| mix[self.labels[row]] += 1);
        mix
    }

    fn counts(&self, study: &Study, batch: usize) -> StreamCounts {
        let (hasher, mut counts) = (RowHasher::new(study), StreamCounts::new(study.terms.hashed));
        for first in (0..self.texts.len()).step_by(batch) {
            let rows = hasher.rows(&self.texts[first..self.texts.len().min(first + batch)]);
            let taught = (0..rows.len()).filter(|row| self.teaches(first + row));
            taught.for_each(|row| counts.add(rows.row(row), self.labels[first + row]));
        }
        counts
    }

    fn learner<'s>(&self, study: &'s Study) -> StreamLearner<'s> {
        let counts = study.counts_first().then(|| self.counts(study, 100));
        StreamLearner::new(study, self.mix(), counts).expect("a learner")
    }

    /// Teaches the rows of one epoch from this one on, in batches, and calls `after` behind each row.
    fn teach<'s>(
        &self,
        mut learner: StreamLearner<'s>,
        (epoch, first, batch): (u32, usize, usize),
        judged: &mut Vec<Judged>,
        mut after: impl FnMut(usize, StreamLearner<'s>) -> StreamLearner<'s>,
    ) -> StreamLearner<'s> {
        let hasher = RowHasher::new(&study());
        for start in (first..self.texts.len()).step_by(batch) {
            let rows = hasher.rows(&self.texts[start..self.texts.len().min(start + batch)]);
            for row in 0..rows.len() {
                let (at, entries) = (start + row, rows.row(row).to_vec());
                let class = self.labels[at];
                if self.teaches(at) {
                    judged.extend(learner.teach(WaitingRow { entries, class, judged: epoch == 0 }));
                } else if epoch == 0 {
                    learner.hold_back(HeldRow { entries, class, group: at as u64 });
                }
                learner = after(at, learner);
            }
        }
        learner.end_epoch(|one| judged.push(one));
        learner
    }

    fn taught(&self, study: &Study, batch: usize) -> (Model, Vec<Judged>) {
        let (mut learner, mut judged) = (self.learner(study), Vec::new());
        for epoch in 0..study.model.epochs {
            learner = self.teach(learner, (epoch, 0, batch), &mut judged, |_, own| own);
        }
        (model(learner, study), judged)
    }
}

fn model(learner: StreamLearner<'_>, study: &Study) -> Model {
    let StreamFit { counted, fit, .. } = learner.finish().expect("a fit");
    Model::of_stream(&counted, &fit, study)
}

/// The log-odds that a model gives some texts.
fn scores(model: &Model, texts: &[String]) -> Vec<f64> {
    let mut scorer = model.scorer();
    texts.iter().map(|text| scorer.score(text).sum).collect()
}

#[test]
fn batches_and_threads_change_no_bit_of_what_a_stream_teaches() {
    let (stream, study) = (Stream::new(2_000), study());
    let pool = |threads: usize| rayon::ThreadPoolBuilder::new().num_threads(threads).build().expect("a pool");
    let of = |threads: usize, batch: usize| {
        let (model, judged) = pool(threads).install(|| stream.taught(&study, batch));
        (model.arrays().clone(), model.intercept(), judged)
    };
    let first = of(1, 2_000);
    assert_eq!(first.2.len(), 1_800);
    assert!(first == of(2, 64) && first == of(3, 777));
}

#[test]
fn a_learner_that_goes_on_from_its_state_ends_where_one_that_never_stopped_does() {
    let (stream, study) = (Stream::new(9_500), study());
    let whole = stream.taught(&study, 500);
    for (stop_epoch, stop) in [(0, 40), (0, 9_300), (1, 6_000)] {
        let mut judged = Vec::new();
        let mut learner = stream.learner(&study);
        for epoch in 0..study.model.epochs {
            learner = stream.teach(learner, (epoch, 0, 500), &mut judged, |at, own| {
                if (epoch, at) != (stop_epoch, stop) {
                    return own;
                }
                let state = own.state().clone();
                let mut other = stream.learner(&study);
                other.resume(state);
                other
            });
        }
        let again = model(learner, &study);
        assert!(again.arrays() == whole.0.arrays() && judged == whole.1, "stopped at {stop} in {stop_epoch}");
    }
}

#[test]
fn counts_of_a_stream_decide_on_terms_as_the_rows_themselves_do() {
    let (stream, study) = (Stream::new(1_500), study());
    let texts: Vec<&String> =
        (0..1_500).filter(|row| stream.teaches(*row)).map(|row| &stream.texts[row]).collect();
    let labels: Vec<Polarity> =
        (0..1_500).filter(|row| stream.teaches(*row)).map(|row| stream.labels[row]).collect();
    let corpus = Corpus::read(&texts[..], study.corpus_rules());
    let counted = Counted::new(&corpus, &study.terms);
    let sample = Sample::new(labels, texts.iter().map(|text| text_key(text)).collect());
    let rows: Vec<u32> = (0..texts.len() as u32).collect();
    let selection = Selection::new(&counted, &sample, &rows);
    let StreamFit { fit, .. } = stream
        .teach(stream.learner(&study), (0, 0, 300), &mut Vec::new(), |_, own| own)
        .finish()
        .expect("a fit");
    assert_eq!(fit.selection.statuses, selection.statuses);
    assert_eq!(fit.selection.document_factors, selection.document_factors);
    let counts = |own: &Selection| TermId::all(1 << 12).map(|term| own.counts(term)).collect::<Vec<_>>();
    assert_eq!(counts(&fit.selection), counts(&selection));
}

#[test]
fn rows_are_judged_before_they_teach() {
    // Labels that mean nothing cannot be told by who has not seen them; rows told apart by a word of their own could be
    // by who has.
    let mut draw = Random::new(5);
    let texts = (0..3_000).map(|row| format!("word{row} again")).collect();
    let labels: Vec<Polarity> =
        (0..3_000).map(|_| if draw.unit() < 0.5 { Polarity::Negative } else { Polarity::Positive }).collect();
    let stream = Stream { texts, labels };
    let mut study = study();
    (study.terms.at_least, study.terms.hashed) = (Some(1), 16);
    let (_, judged) = {
        let mut judged = Vec::new();
        let hasher = RowHasher::new(&study);
        let rows = hasher.rows(&stream.texts[..]);
        let mut counts = StreamCounts::new(16);
        let mut mix = ClassCounts::default();
        for row in 0..3_000 {
            counts.add(rows.row(row), stream.labels[row]);
            mix[stream.labels[row]] += 1;
        }
        // Factors would tell: emphasis knows the class of a word that stands once.
        study.terms.emphasis = heddle_core::terms::Emphasis::None;
        let mut learner = StreamLearner::new(&study, mix, Some(counts)).expect("a learner");
        for row in 0..3_000 {
            let (entries, class) = (rows.row(row).to_vec(), stream.labels[row]);
            judged.extend(learner.teach(WaitingRow { entries, class, judged: true }));
        }
        learner.end_epoch(|one| judged.push(one));
        (learner, judged)
    };
    let right = judged.iter().filter(|one| (one.log_odds > 0.0) == (one.class == Polarity::Positive)).count();
    let accuracy = share(right, judged.len());
    assert!(accuracy.low < Some(0.5) && accuracy.high > Some(0.5), "{accuracy:?}");
}

#[test]
fn what_a_stream_teaches_is_right_and_calibrated_on_reviews_it_has_not_seen() {
    let stream = Stream::new(6_000);
    let (fresh, labels) = reviews(2_000, 77);
    for (weighting, emphasis) in [("ltc", true), ("lnc", false)] {
        let mut study = study();
        study.terms.weighting = heddle_core::terms::Weighting::parse(weighting).expect("letters");
        if !emphasis {
            study.terms.emphasis = heddle_core::terms::Emphasis::None;
        }
        assert_eq!(study.counts_first(), emphasis);
        let (model, judged) = stream.taught(&study, 512);
        let places = scores(&model, &fresh);
        let right = |(score, class): (&f64, &Polarity)| (*score > 0.0) == (*class == Polarity::Positive);
        let accuracy = places.iter().zip(&labels).filter(|both| right(*both)).count() as f64 / 2_000.0;
        assert!(accuracy > 0.8, "{weighting}: {accuracy}");
        let mean: f64 = places.iter().map(|score| sigmoid(*score)).sum::<f64>() / 2_000.0;
        let positive = labels.iter().filter(|class| **class == Polarity::Positive).count() as f64 / 2_000.0;
        assert!((mean - positive).abs() < 0.04, "{weighting}: {mean} for {positive}");
        // So do the rows that were held back say.
        let mut learner = stream.learner(&study);
        for epoch in 0..study.model.epochs {
            learner = stream.teach(learner, (epoch, 0, 512), &mut Vec::new(), |_, own| own);
        }
        let held_back = learner.finish().expect("a fit").held_back.expect("figures");
        assert_eq!(held_back.accuracy.n, 600);
        let told = held_back.accuracy;
        // The 2,000 fresh reviews do not tell it to the last digit, either.
        let noise = 1.96 * (accuracy * (1.0 - accuracy) / 2_000.0).sqrt();
        let near = told.low < Some(accuracy + noise) && told.high > Some(accuracy - noise);
        assert!(near, "{told:?} for {accuracy}");
        // The late rows were called about as well, by models on the way.
        let late = &judged[judged.len() / 2..];
        let called = late.iter().filter(|one| (one.log_odds > 0.0) == (one.class == Polarity::Positive));
        let progressive = called.count() as f64 / late.len() as f64;
        assert!((progressive - accuracy).abs() < 0.04, "{weighting}: {progressive}, {accuracy}");
    }
}

#[test]
fn three_classes_lie_on_one_axis_and_settings_that_keep_rows_are_named() {
    let mut stream = Stream::new(3_000);
    for (row, label) in stream.labels.iter_mut().enumerate() {
        if row % 5 == 0 {
            *label = Polarity::Neutral;
            stream.texts[row] = format!("middling, so so {}", stream.texts[row]);
        }
    }
    let study = study();
    let (model, judged) = stream.taught(&study, 400);
    assert!(judged.iter().all(|one| one.half >= 0.0) && model.card().mix[Polarity::Neutral] > 500);
    assert!(!model.card().is_free());
    for (path, value, name) in [
        ("model.classes", "free", "model.classes"),
        ("terms.weighting", "ltu", "terms.weighting"),
        ("balance.method", "down", "balance.method"),
    ] {
        let mut own = study.clone();
        let value = heddle_core::settings::Value::Text(value.into());
        Study::key(path).expect("a key").set(&mut own, &value).expect("a value");
        assert!(own.streams() && own.keeps_rows().is_some_and(|told| told.contains(name)), "{path}");
    }
    assert!(study.keeps_rows().is_none());
}
