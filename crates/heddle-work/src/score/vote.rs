//! Reviews whose copies vote on them: one row out for each review.

use heddle_core::labels::Polarity;
use heddle_core::model::{Ballot, Model, VoteBy};
use heddle_files::{Column, Record};

use super::{Cells, ScoreOptions, Scored, judge_rows};
use crate::batches::{BATCH, Done, batches};
use crate::error::{Result, fail};
use crate::reviews::copies::{CopyColumns, Families, Part, Settled};
use crate::reviews::document::DocumentColumns;
use crate::reviews::labelling::RowOutcome;
use crate::reviews::refusals::Refusals;
use crate::roles::SCORED;
use crate::scoring::warn_unvalidated;
use crate::session::Session;

/// Scores every row, then reads the file again and writes each review with what it and its copies come to. 60 bytes a row
/// are kept in between.
pub fn score(
    model: &Model,
    (session, options): (&Session, &ScoreOptions),
    by: VoteBy,
    scored: &mut Scored,
) -> Result<()> {
    let study = session.study();
    let input = session.input(std::slice::from_ref(&options.file))?;
    let mut reviews = input.rows()?;
    let Some(copies) = CopyColumns::find(reviews.file(), reviews.columns(), study)? else {
        fail!(
            Settings,
            "--vote needs to know which rows are copies of which: name the columns, as in \
             --set reviews.id=review_id --set reviews.copy_of=copy_of"
        );
    };
    let columns = DocumentColumns::find(reviews.file(), reviews.columns(), study)?;
    warn_unvalidated(model, session);
    let cells = Cells::new(&reviews, model, study.class_names(), options)?;
    let mut refusals = Refusals::new(session)?;
    let (mut families, mut ballots, mut languages) = (Families::new(copies), Vec::new(), Vec::new());
    let task = session.busy("scoring");
    // Names are taken as rows are read, batches ahead of their scores.
    batches(
        BATCH,
        |record: &mut Record| {
            let Some(line) = refusals.next(&mut reviews, record)? else { return Ok(false) };
            families.push(|at| &record[at], (reviews.file(), line));
            Ok(true)
        },
        |rows| judge_rows(model, rows, (&columns, 0)),
        |made| {
            let Done::Batch(_, judged) = made else { return Ok(()) };
            for judged in judged {
                scored.flag(&judged);
                languages.push(judged.language);
                ballots.push(Ballot::from(&judged.score));
            }
            Ok(())
        },
    )?;
    task.end();
    let members = members(&families, ballots.len())?;
    members.tell(session);
    let mut texts: Vec<Vec<Ballot>> = vec![Vec::new(); ballots.len()];
    for (row, part) in members.parts.iter().enumerate() {
        let review = if let Part::CopyOf(review) = part { *review as usize } else { row };
        texts[review].push(ballots[row]);
    }
    session.tell_manners(&reviews.manners());
    let more = vec![Column::number("texts"), Column::number("agreeing"), Column::number("spread")];
    let mut writer = session.row_writer(SCORED, options.target(), &cells.header(more))?;
    let mut again = input.rows()?;
    let mut record = Record::new();
    let mut row = 0;
    while again.next_sound(&mut record)?.is_some() {
        let Some(own) = texts.get(row) else {
            fail!(Reviews, "{} changed while it was read; run this again", again.file());
        };
        let language = languages[row];
        row += 1;
        if own.is_empty() {
            continue;
        }
        let voted = model.vote(own, by);
        scored.count(&voted.verdict);
        scored.no_known_term += usize::from(own.iter().all(|ballot| !ballot.known));
        let mut added = cells.added(&voted.verdict, language);
        let spread = voted.spread.map_or(String::new(), |spread| format!("{spread:.6}"));
        added.extend([voted.texts.to_string(), voted.agreeing.to_string(), spread]);
        writer.row(cells.kept(&record).chain(added.iter().map(String::as_str)))?;
    }
    writer.finish()?;
    scored.copies = Some(ballots.len() - scored.scored);
    scored.refused = refusals.finish()?;
    scored.read = ballots.len() + scored.refused;
    Ok(())
}

/// Which rows are reviews and which copies: nobody has rated them, and each counts.
fn members(families: &Families<'_>, rows: usize) -> Result<Settled> {
    families.settle(&vec![RowOutcome::Labelled(Polarity::Neutral); rows])
}
