//! A model in use.

use heddle_core::model::{Model, Score};
use heddle_core::text::Document;
use heddle_files::read_model;
use rayon::prelude::*;

use crate::error::Result;
use crate::session::Session;

/// Reads a model, and takes its settings in place of those of the session.
pub fn open(path: &str, session: &Session) -> Result<(Model, Session)> {
    let model = read_model(path)?;
    let session = session.of_model(&model)?;
    Ok((model, session))
}

/// What stands beside the figures of a model that was never validated.
pub fn warn_unvalidated(model: &Model, session: &Session) {
    if model.card().validated.is_none() {
        session
            .remark("note: this model was never validated; train it with --validate to know how good it is");
    }
}

/// Scores texts on all threads, in order.
pub fn score_all(model: &Model, texts: &[Document]) -> Vec<Score> {
    texts.par_iter().map_init(|| model.scorer(), |reader, text| reader.score_document(text)).collect()
}
