//! The way of a review, stage by stage, on the demo reviews: `cargo bench`.
//!
//! Each stage prints megabytes of review text a second and asserts its answer inside the
//! measured loop, so that a stage cannot become fast by becoming wrong. All threads are
//! used, as in the program. Not shown: the start of the program, cold files, and texts
//! whose vocabulary is richer than that of the demo; `benches/ratios.sh` times whole
//! commands on a large file instead.

use std::hint::black_box;
use std::sync::LazyLock;

use divan::Bencher;
use divan::counter::BytesCount;
use heddle_core::labels::{Classes, Polarity, Reading};
use heddle_core::learn::{Problem, Question, Stop, Stopping};
use heddle_core::model::{Model, fit};
use heddle_core::resample::{Fingerprint, Grouping, Sample, text_key};
use heddle_core::settings::{Form, Study};
use heddle_core::terms::{Corpus, Counted, Selection, Weighted};
use heddle_core::text::ScanBuffer;
use heddle_core::validate::cross_validate;
use heddle_files::{Input, Keep, Record, Table};
use rayon::prelude::*;

fn main() {
    divan::main();
}

/// The labelled demo reviews, and their counted terms.
struct Demo {
    texts: Vec<String>,
    sample: Sample,
    study: Study,
    corpus: Corpus,
    counted: Counted,
    bytes: usize,
}

const STRENGTH: f64 = 1e-4;

/// The demo file, or the file that HEDDLE_BENCH names, with the same columns.
fn path() -> String {
    let demo = concat!(env!("CARGO_MANIFEST_DIR"), "/../../demo/crossings.csv");
    std::env::var("HEDDLE_BENCH").unwrap_or_else(|_| demo.into())
}

/// The whole file, as its bytes come.
fn input() -> Input {
    Input::gather(&[path()], &Form::default()).expect("the file is there")
}

/// Text and rating of every row.
fn table() -> Table {
    Table::read(&input(), Keep::Only { all: &["review", "stars"], if_there: &[] }).expect("the file is there")
}

static DEMO: LazyLock<Demo> = LazyLock::new(|| {
    let table = table();
    let mut study = Study::default();
    study.model.strength = heddle_core::learn::Strength::Fixed(STRENGTH);
    let labelled = |row: usize| match study.polarity.read(table.cell(row, 1)) {
        Reading::Class(class) => Some((table.cell(row, 0).to_string(), class)),
        _ => None,
    };
    let (texts, labels): (Vec<String>, Vec<Polarity>) = (0..table.len()).filter_map(labelled).unzip();
    let sample = Sample::new(labels, texts.iter().map(|text| text_key(text)).collect());
    let corpus = Corpus::read(&texts[..], study.corpus_rules());
    let counted = Counted::new(&corpus, &study.terms);
    let bytes = texts.iter().map(String::len).sum();
    Demo { texts, sample, study, corpus, counted, bytes }
});

impl Demo {
    fn rows(&self) -> Vec<u32> {
        (0..self.texts.len() as u32).collect()
    }
}

/// Reads every row and counts its cells, on one thread.
#[divan::bench]
fn read_rows(bencher: Bencher) {
    let bytes = std::fs::metadata(path()).map_or(0, |data| data.len() as usize);
    let rows = table().len();
    bencher.counter(BytesCount::new(bytes)).bench(|| {
        let mut reviews = input().rows().expect("the file is there");
        let (mut seen, mut filled, mut record) = (0, 0, Record::new());
        while let Some(read) = reviews.next(&mut record).expect("the file can be read") {
            seen += usize::from(read.is_ok());
            filled += record.iter().filter(|cell| !cell.is_empty()).count();
        }
        assert_eq!(seen, rows);
        black_box(filled);
    });
}

/// Takes the fingerprint of every text and finds what belongs together.
#[divan::bench]
fn find_kin(bencher: Bencher) {
    let demo = &*DEMO;
    bencher.counter(BytesCount::new(demo.bytes)).bench(|| {
        let mut kin = Grouping::new(0);
        let fingerprints: Vec<Fingerprint> =
            demo.texts.par_iter().map(|text| Fingerprint::of(black_box(text))).collect();
        for fingerprint in &fingerprints {
            let Ok(()) = kin.push(fingerprint, &[]);
        }
        let Ok(groups) = kin.groups(0.8);
        assert_eq!(groups.keys.len(), demo.texts.len());
    });
}

#[divan::bench(args = [2, 3])]
fn read_count_and_weigh(bencher: Bencher, longest: usize) {
    let demo = &*DEMO;
    let mut study = demo.study.clone();
    study.terms.words = Some((1, longest));
    let expected = Counted::new(&demo.corpus, &study.terms).vocabulary.len();
    bencher.counter(BytesCount::new(demo.bytes)).bench(|| {
        let table = table();
        let rated = |row: &usize| matches!(demo.study.polarity.read(table.cell(*row, 1)), Reading::Class(_));
        let texts: Vec<&str> = (0..table.len()).filter(rated).map(|row| table.cell(row, 0)).collect();
        let corpus = Corpus::read(&texts[..], study.corpus_rules());
        let counted = Counted::new(&corpus, &study.terms);
        let selection = Selection::new(&counted, &demo.sample, &demo.rows());
        let weighted =
            Weighted::new(&counted.rows, selection.document_factors, demo.study.terms.weighting, 0.0);
        assert_eq!(weighted.rows.len(), demo.texts.len());
        assert_eq!(counted.vocabulary.len(), expected);
    });
}

#[divan::bench]
fn scan_one_thread(bencher: Bencher) {
    let demo = &*DEMO;
    let (cleaner, mut buffer) = (demo.study.cleaner(), ScanBuffer::default());
    bencher.counter(BytesCount::new(demo.bytes)).bench_local(|| {
        let mut count = 0;
        for text in &demo.texts {
            count += cleaner.scan(black_box(text), &mut buffer).items().len();
        }
        assert_eq!(count, demo.corpus.tokens());
    });
}

#[divan::bench]
fn scan_and_intern(bencher: Bencher) {
    let demo = &*DEMO;
    bencher.counter(BytesCount::new(demo.bytes)).bench(|| {
        let corpus = Corpus::read(black_box(&demo.texts[..]), demo.study.corpus_rules());
        assert_eq!(corpus.words.len(), demo.corpus.words.len());
    });
}

#[divan::bench(args = [1, 2, 3])]
fn count(bencher: Bencher, longest: usize) {
    let demo = &*DEMO;
    let mut rules = demo.study.terms.clone();
    rules.words = Some((1, longest));
    bencher.counter(BytesCount::new(demo.bytes)).bench(|| {
        let counted = Counted::new(black_box(&demo.corpus), &rules);
        assert_eq!(counted.rows.len(), demo.texts.len());
        assert!(longest != 2 || counted.vocabulary.len() == demo.counted.vocabulary.len());
    });
}

/// Looks every token of the reviews up in a list of words that has them all.
#[divan::bench]
fn intern(bencher: Bencher) {
    let demo = &*DEMO;
    let forms: Vec<&str> = (0..demo.corpus.len())
        .flat_map(|row| demo.corpus.review(row))
        .filter(|id| !id.is_sentence_end())
        .map(|id| demo.corpus.words.word(id.word()))
        .collect();
    bencher.counter(divan::counter::ItemsCount::new(forms.len())).bench_local(|| {
        let words: heddle_core::terms::Words = black_box(&forms).iter().copied().collect();
        assert_eq!(words.len(), demo.corpus.words.len());
    });
}

#[divan::bench]
fn select_and_weigh(bencher: Bencher) {
    let demo = &*DEMO;
    let rows = demo.rows();
    bencher.counter(BytesCount::new(demo.bytes)).bench(|| {
        let selection = Selection::new(black_box(&demo.counted), &demo.sample, &rows);
        assert_eq!(selection.len(), demo.counted.vocabulary.len());
        Weighted::new(&demo.counted.rows, selection.document_factors, demo.study.terms.weighting, 0.0)
    });
}

#[divan::bench]
fn train(bencher: Bencher) {
    let demo = &*DEMO;
    let rows = demo.rows();
    let selection = Selection::new(&demo.counted, &demo.sample, &rows);
    let features =
        Weighted::new(&demo.counted.rows, selection.document_factors, demo.study.terms.weighting, 0.0);
    bencher.counter(BytesCount::new(demo.bytes)).bench(|| {
        let problem = Problem {
            features: &features,
            labels: &demo.sample.labels,
            shares: &[],
            rows: &rows,
            costs: [1.0; 3].into(),
            question: Question::Above(Classes::Two),
        };
        let end =
            demo.study.model.begin(problem, 7).solve(STRENGTH, Stopping { tolerance: 1e-3, rounds: 1000 });
        assert_eq!(end.stop, Stop::Converged);
    });
}

#[divan::bench]
fn train_and_choose_the_strength(bencher: Bencher) {
    let demo = &*DEMO;
    let rows = demo.rows();
    let mut study = demo.study.clone();
    study.model.strength = heddle_core::learn::Strength::Auto;
    bencher.counter(BytesCount::new(demo.bytes)).bench(|| {
        let fitted = fit(&demo.counted, &demo.sample, &rows, &study).expect("the demo can be learnt from");
        assert!(fitted.choice.is_some());
    });
}

/// Twenty strengths in even ratios, each from the weights of the one before, as `tune` does.
#[divan::bench]
fn strength_path_of_twenty(bencher: Bencher) {
    let demo = &*DEMO;
    let rows = demo.rows();
    let of_step = |step: i32| heddle_core::learn::Strength::Fixed(1e-2 * 10f64.powf(-f64::from(step) / 5.0));
    let strengths: Vec<heddle_core::learn::Strength> = (0..20).map(of_step).collect();
    bencher.counter(BytesCount::new(demo.bytes)).bench(|| {
        let fits = heddle_core::model::fit_path(&demo.counted, &demo.sample, &rows, &demo.study, &strengths)
            .expect("the demo can be learnt from");
        assert!(fits.iter().all(|fit| fit.convergence.stop == Stop::Converged));
    });
}

#[divan::bench]
fn ten_folds(bencher: Bencher) {
    let demo = &*DEMO;
    bencher.counter(BytesCount::new(demo.bytes)).bench(|| {
        let found =
            cross_validate(&demo.counted, &demo.sample, &demo.study, || {}).expect("the folds can be filled");
        assert!(found.figures.accuracy.low > found.baseline.accuracy.high);
    });
}

#[divan::bench]
fn score_one_thread(bencher: Bencher) {
    let demo = &*DEMO;
    let fitted =
        fit(&demo.counted, &demo.sample, &demo.rows(), &demo.study).expect("the demo can be learnt from");
    let model = Model::new(&demo.corpus, &demo.counted, &fitted, &demo.study, None);
    let expected = fitted.places(&demo.counted, &demo.rows());
    let mut reader = model.scorer();
    bencher.counter(BytesCount::new(demo.bytes)).bench_local(|| {
        for (text, expected) in demo.texts.iter().zip(&expected) {
            assert_eq!(reader.score(black_box(text)).sum, expected.log_odds);
        }
    });
}
