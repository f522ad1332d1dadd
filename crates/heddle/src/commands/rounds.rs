//! Learning in rounds, from reviews that lie in many places.

use heddle_core::model::Topic;
use heddle_work::{
    AnswerOptions, Answered, NextOptions, NextRound, PlaceOptions, Placed, Session, answer_round, next_round,
    place_rows,
};

use crate::args::{RoundsArgs, RoundsStep};
use crate::output::Output;
use crate::view::learnt;
use crate::view::{Page, count, number};

/// Writes rows, answers a question, or asks the next.
pub fn run(args: &RoundsArgs, session: &Session, output: &Output) -> anyhow::Result<usize> {
    match &args.step {
        RoundsStep::Rows { files, out, .. } => {
            let options = PlaceOptions { files: files.files.clone(), out: out.clone() };
            let placed = place_rows(session, &options)?;
            output.answer("rounds-rows", &placed, show_rows)?;
            return Ok(placed.account.refused);
        }
        RoundsStep::Answer { rows, question, pulls, out, pulls_out, .. } => {
            let options = AnswerOptions {
                rows: rows.clone(),
                question: question.clone(),
                pulls: pulls.clone(),
                out: out.clone(),
                pulls_out: pulls_out.clone(),
            };
            output.answer("rounds-answer", &answer_round(session, &options)?, show_answer)?;
        }
        RoundsStep::Next { answers, state, question, out, top, .. } => {
            let options = NextOptions {
                answers: answers.clone(),
                state: state.clone(),
                question: question.clone(),
                out: out.clone(),
                top: *top,
            };
            output.answer("rounds-next", &next_round(session, &options)?, |round, page| {
                show_next(round, question, page);
            })?;
        }
    }
    Ok(0)
}

fn show_rows(placed: &Placed, page: &mut Page) {
    let account = &placed.account;
    page.call(&account.names);
    page.heading(&format!("{} of this place", count(account.labelled(), "labelled review")));
    page.note(&format!(
        "{} read: {} labelled, {} without text, {} without rating, {} between the classes, {} dropped by reviews.keep, {} refused.",
        count(account.read, "row"),
        number(account.labelled()),
        number(account.no_text),
        number(account.no_rating),
        number(account.middle),
        number(account.not_kept),
        number(account.refused),
    ));
    written(&placed.written, placed.bytes, page);
}

fn show_answer(answered: &Answered, page: &mut Page) {
    page.heading(&format!(
        "Question {}, {}: answered for {}",
        answered.round,
        asked(answered.asked),
        count(answered.rows as usize, "review")
    ));
    written(&answered.written, answered.bytes, page);
}

fn show_next(round: &NextRound, question: &str, page: &mut Page) {
    if let Some(trained) = &round.trained {
        learnt::show(trained, page);
        return;
    }
    let places = match round.places {
        0 => String::new(),
        places => {
            format!(", to {} with {}", count(places, "place"), count(round.rows as usize, "review"))
        }
    };
    let asks = round.asks.map_or("", asked);
    page.heading(&format!("Question {}, {asks}{places}", round.round));
    if let Some(gap) = round.gap {
        page.note(&format!(
            "Not learnt yet: the objective was at most {:.3} % above its minimum; it ends at {:.3} % (model.tolerance).",
            100.0 * gap,
            100.0 * round.tolerance
        ));
    }
    page.note("Answer it in every place (heddle rounds answer), and give all answers to heddle rounds next.");
    page.written(question, "");
}

/// What a question asks for.
fn asked(topic: Topic) -> &'static str {
    match topic {
        Topic::Size => "how many reviews",
        Topic::Counts => "counts of terms",
        Topic::Lesson => "how the weights are to change",
        Topic::Scores => "scores of what was held back",
    }
}

fn written(path: &str, bytes: u64, page: &mut Page) {
    page.written(path, &format!(" ({} KB)", number(bytes.div_ceil(1024) as usize)));
}
