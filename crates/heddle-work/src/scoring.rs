//! A model in use.

use heddle_core::model::{Model, Score, Scorer};
use heddle_core::text::Document;
use heddle_files::read_model_and_bytes;
use rayon::prelude::*;

use crate::error::{Result, fail};
use crate::session::Session;

/// Reads a model, and takes its settings in place of those of the session.
pub fn open(path: &str, session: &Session) -> Result<(Model, Session)> {
    let (model, session, _) = open_with_bytes(path, session)?;
    Ok((model, session))
}

/// The same with the bytes of its file.
pub fn open_with_bytes(path: &str, session: &Session) -> Result<(Model, Session, Vec<u8>)> {
    let (mut model, bytes) = read_model_and_bytes(path)?;
    let session = session.of_model(&model)?;
    decide(&mut model, path, &session)?;
    Ok((model, session, bytes))
}

/// Lets the costs of the session decide, where they are others than those of the model.
pub fn decide(model: &mut Model, path: &str, session: &Session) -> Result<()> {
    let deciding = session.study().decision;
    if deciding != model.study().decision
        && let Err(setting) = model.decide_by(&deciding)
    {
        fail!(
            Options,
            "{setting}: such cuts are set on reviews that training holds out, and {path} keeps none of them; train again \
             to change them (costs of mistakes can be changed here)"
        );
    }
    Ok(())
}

/// What stands beside the figures of a model that was never validated.
pub fn warn_unvalidated(model: &Model, session: &Session) {
    if model.card().validated.is_none() {
        session
            .remark("note: this model was never validated; train it with --validate to know how good it is");
    }
}

/// Items that a thread takes at a time: enough to be worth a scorer of its own.
const AT_ONCE: usize = 64;

/// Scores texts on all threads, in order.
pub fn score_all(model: &Model, texts: &[Document]) -> Vec<Score> {
    score_each(model, texts, Scorer::score_document)
}

/// What `of` makes of each item with a scorer, on all threads, in order; a few items are not worth a second thread.
pub fn score_each<'m, T: Sync, R: Send>(
    model: &'m Model,
    items: &[T],
    of: impl Fn(&mut Scorer<'m>, &T) -> R + Send + Sync,
) -> Vec<R> {
    if items.len() <= AT_ONCE {
        let mut scorer = model.scorer();
        return items.iter().map(|item| of(&mut scorer, item)).collect();
    }
    items.par_iter().with_min_len(AT_ONCE).map_init(|| model.scorer(), of).collect()
}
