//! The computation of Heddle: from star-rated reviews to explained predictions.
//!
//! This crate reads no file, prints nothing and knows no clock. It uses the threads of the
//! current pool, and its results do not depend on their number.
//!
//! # Reading order
//!
//! A review travels one way, and each module uses only those above it in this list.
//!
//! | module | from | to |
//! |---|---|---|
//! | [`labels`] | a rating | a class |
//! | [`text`] | raw text | tokens with their bytes and negation |
//! | [`beside`] | the cells of columns | features of a review that are no words |
//! | [`measure`] | labels and verdicts | figures with intervals |
//! | [`resample`] | labels and groups of n reviews | folds, sides, balanced rows |
//! | [`terms`] | n documents | token ids, m terms, one sparse n x m matrix |
//! | [`learn`] | the weighted matrix, labels, rows | m weights and the intercepts |
//! | [`settings`] | names and values | one checked [`Study`](settings::Study) |
//! | [`model`] | rows of the matrix | a fit, a model, the scores of new documents |
//! | [`validate`] | the matrix, labels, settings | figures on held-out rows, beside baselines |
//! | [`explain`] | a document and a model | contributions that sum to the score |
//!
//! [`survey`] looks at files before any of this, [`rephrase`] says reviews again in other words, and [`matrix`] holds the sparse rows.
//!
//! ```
//! use heddle_core::labels::Polarity;
//! use heddle_core::model::{Model, fit};
//! use heddle_core::resample::{Sample, text_key};
//! use heddle_core::settings::Study;
//! use heddle_core::terms::{Corpus, Counted};
//!
//! let texts = ["a warm cabin", "a cold cabin", "not a warm cabin", "warm and good"];
//! let stars = ["5", "1", "2", "4"];
//! let mut study = Study::default();
//! study.model.strength = heddle_core::learn::Strength::Fixed(0.01);
//!
//! let labels = stars.iter().map(|cell| match study.polarity.read(cell) {
//!     heddle_core::labels::Reading::Class(class) => class,
//!     other => panic!("{cell}: {other:?}"),
//! });
//! let groups = texts.iter().map(|text| text_key(text));
//! let sample = Sample::new(labels.collect(), groups.collect());
//! let corpus = Corpus::read(&texts[..], study.corpus_rules());
//! let counted = Counted::new(&corpus, &study.terms);
//! let learnt = fit(&counted, &sample, &[0, 1, 2, 3], &study)?;
//! let model = Model::new(&corpus, &counted, &learnt, &study, None);
//! let score = model.scorer().score("The cabin was not warm");
//! assert_eq!(score.polarity(), Polarity::Negative);
//! # Ok::<(), heddle_core::model::FitError>(())
//! ```

#![deny(missing_docs)]
#![forbid(unsafe_code)]

mod ahead;
pub mod beside;
mod choice;
pub mod clusters;
pub mod drift;
pub mod explain;
pub mod labels;
pub mod learn;
pub mod matrix;
pub mod measure;
pub mod model;
pub mod rephrase;
pub mod resample;
pub mod settings;
pub mod survey;
pub mod terms;
pub mod text;
pub mod themes;
pub mod validate;

pub use choice::Choice;
