//! How many reviews of large files are enough to learn from.

use heddle_core::validate::{Growth, growing_parts, growth as growth_of};
use heddle_files::{Input, Record};
use serde::Serialize;

use crate::error::{Result, fail};
use crate::judgement::NextStep;
use crate::reviews::found::{Needs, with_found};
use crate::reviews::labelled::{Kept, LabelledReviews, Purpose};
use crate::reviews::labelling::Account;
use crate::session::Session;
use crate::training::TrainingSet;
use crate::words::{number, shell};

/// Which files, and how far it goes.
#[derive(Debug, Clone)]
pub struct GrowthOptions {
    /// The review files; those of the study where there are none.
    pub files: Vec<String>,
    /// The most reviews that are learnt from, about.
    pub most: usize,
    /// The reviews that all sizes are judged by, about.
    pub judged: usize,
    /// The fewest that are learnt from.
    pub first: usize,
}

/// What was found.
#[derive(Debug, Serialize)]
pub struct Grown {
    /// Rows of the files.
    pub rows: usize,
    /// What became of the rows that were drawn of them.
    pub account: Account,
    /// The rule for classes, in words.
    pub rule: String,
    /// The seed of the draw.
    pub seed: u64,
    /// The sizes.
    #[serde(flatten)]
    pub growth: Growth,
    /// How to draw as many rows as are enough, where that is known and they are fewer than all.
    pub next: Vec<NextStep>,
}

/// Draws nested samples of files, learns from each, and judges all by the same reviews. The files are read twice: once to
/// count their rows, once to draw; no more is kept than what is drawn.
///
/// # Errors
/// Files that cannot be read, a locked holdout, or too few reviews.
pub fn growth(session: &Session, options: &GrowthOptions) -> Result<Grown> {
    let input = session.input(&options.files)?;
    let session = &with_found(session, &input, Needs::LABELS)?;
    let seed = session.study().validation.seed;
    let task = session.busy("counting rows");
    let rows = rows_of(&input)?;
    task.end();
    let wanted = options.most + options.judged;
    let drawn = if wanted < rows { input.drawn(wanted as f64 / rows as f64, seed) } else { input };
    let reviews = LabelledReviews::of(drawn, session, Kept::Needed, Purpose::Learn)?;
    let training = TrainingSet::new(reviews, session)?;
    let (held, parts) = growing_parts(&training.sample, options.judged, options.first, seed);
    if parts.len() < 2 {
        fail!(
            Reviews,
            "{} labelled reviews are too few to hold {} back and learn from {} and more: say fewer with --judged and --first",
            number(training.sample.len()),
            number(options.judged),
            number(options.first)
        );
    }
    let task = session.progress("sizes", parts.len());
    let TrainingSet { counted, sample, study, account, .. } = &training;
    let growth = growth_of(counted, sample, study, (&held, &parts), || task.advance(1))?;
    task.end();
    let next = growth.enough.map(|enough| next(options, session, (enough, rows), account));
    Ok(Grown {
        rows,
        account: account.clone(),
        rule: study.rule(account.by_name),
        seed,
        growth,
        next: next.into_iter().flatten().collect(),
    })
}

fn rows_of(input: &Input) -> Result<usize> {
    let mut reviews = input.rows()?;
    reviews.need(&[]);
    let (mut record, mut rows) = (Record::new(), 0);
    while reviews.next(&mut record)?.is_some() {
        rows += 1;
    }
    Ok(rows)
}

/// The line that draws as many rows as hold so many labelled reviews, and the part that judges them; nothing where that is
/// the whole file.
fn next(
    options: &GrowthOptions,
    session: &Session,
    (enough, rows): (usize, usize),
    account: &Account,
) -> Option<NextStep> {
    let share = account.labelled() as f64 / account.read.max(1) as f64;
    let wanted = (enough as f64 / share).ceil() as usize;
    let files: Vec<String> = if options.files.is_empty() {
        session.study().reviews.files.iter().map(|file| shell(file)).collect()
    } else {
        options.files.iter().map(|file| shell(file)).collect()
    };
    (wanted < rows).then(|| {
        let line = format!("heddle sample {} --rows {wanted} --out enough.csv", files.join(" "));
        NextStep::new("draw as many rows", line)
    })
}
