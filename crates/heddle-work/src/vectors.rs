//! Word vectors of the words that reviews use.

use std::path::Path;

use heddle_core::settings::Study;
use heddle_core::terms::Corpus;
use heddle_core::terms::vectors::VectorSource;
use heddle_files::{ReadVectors, read_vectors};

use crate::error::{Result, fail};
use crate::session::Session;
use crate::words::{count, number, percent};

/// What `features.vectors` says where vectors are made from the training reviews.
const FROM_REVIEWS: &str = "reviews";

/// The corpus with the vectors that the study asks for.
///
/// # Errors
/// If the file cannot be read, or holds no word of the reviews.
pub fn with_vectors(corpus: Corpus, study: &Study, session: &Session) -> Result<Corpus> {
    let Some(path) = &study.features.vectors else { return Ok(corpus) };
    if path == FROM_REVIEWS {
        return Ok(corpus.with_own_vectors(FROM_REVIEWS));
    }
    session.reads(path)?;
    let task = session.busy("reading vectors");
    let read = read_vectors(path, corpus.plain_words())?;
    task.end();
    let ReadVectors { vectors, asked, as_written, other_case, twice } = read;
    if vectors.is_empty() {
        fail!(
            Reviews,
            "{path} has a vector of none of the {} of these reviews: is it of another language?",
            count(asked, "word")
        );
    }
    let source = VectorSource {
        file: file_name(path),
        dims: vectors.dims(),
        words: asked,
        as_written,
        other_case,
        tokens: 0.0,
    };
    let with = corpus.with_vectors(vectors, source);
    let share = with.vector_source().map_or(0.0, |source| source.tokens);
    session.remark(&format!(
        "note: {} has vectors of {} of {} ({} as written, {} in other capital letters alone), {:.1} % of all tokens",
        file_name(path),
        percent(Some((as_written + other_case) as f64 / asked.max(1) as f64)),
        count(asked, "word"),
        number(as_written),
        number(other_case),
        100.0 * share
    ));
    if other_case > as_written {
        session.remark("warning: most words were found in other capital letters alone: the file keeps case, and another form of a word may not mean the same");
    }
    if twice > 0 {
        session.remark(&format!(
            "note: {} in the file more than once: the first vector counts",
            match twice {
                1 => "1 word stands".to_string(),
                more => format!("{} words stand", number(more)),
            }
        ));
    }
    Ok(with)
}

/// The name of a file without the folders before it: what a model keeps.
pub fn file_name(path: &str) -> String {
    Path::new(path).file_name().map_or(path.into(), |name| name.to_string_lossy().into_owned())
}
