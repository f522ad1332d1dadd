//! Labelled reviews in memory, for the commands that learn from them or judge by them.

use std::borrow::Cow;
use std::sync::Arc;

use heddle_core::labels::{Day, Days, Polarity};
use heddle_core::resample::{Copies, Fingerprint, Grouping, Sample, tied_by_any, value_key};
use heddle_core::settings::{Order, Study};
use heddle_core::terms::Texts;
use heddle_core::text::Document;
use heddle_files::{About, FileError, Holds, Input, Keep, Manner, Table};
use rayon::prelude::*;

use crate::error::{Result, fail};
use crate::observer::Silent;
use crate::reviews::copies::{CopyColumns, Members};
use crate::reviews::dates::check_order;
use crate::reviews::document::{DocumentColumns, check_columns, columns_beside};
use crate::reviews::handle::{FILE, Handle};
use crate::reviews::holdout;
use crate::reviews::keep;
use crate::reviews::labelling::{Account, Labelling, RowOutcome, join};
use crate::reviews::refusals::Refusals;
use crate::session::Session;
use crate::words::count;

/// Which columns are kept of the files.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Kept {
    /// Every column: the rows are written out again.
    All,
    /// Those that the study names.
    Needed,
}

impl Kept {
    /// Every column if there is somewhere to write them.
    pub fn if_written(out: Option<&String>) -> Self {
        if out.is_some() { Self::All } else { Self::Needed }
    }
}

/// What labelled reviews are read for.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Purpose {
    /// To learn from them: a locked holdout is refused.
    Learn,
    /// To look at their terms: as with learning, a locked holdout is refused; what ties reviews
    /// together is not sought.
    Terms,
    /// As with terms, of reviews that nobody rated.
    Counts,
    /// To try a finished model on them.
    Try,
}

impl Purpose {
    /// To look at the terms of reviews, whether or not they are rated: they are where the study names a column of ratings,
    /// or the files have one of the usual name.
    pub fn of_terms(input: &Input, session: &Session) -> Result<Self> {
        let rated = session.study().reviews.rated();
        let there = input.rows()?.columns().iter().any(|column| column.name == rated);
        let named = session.names("reviews.stars") || session.names("reviews.label");
        Ok(if there || named { Self::Terms } else { Self::Counts })
    }
}

/// Labelled reviews.
pub struct LabelledReviews {
    /// The rows of the files.
    pub table: Arc<Table>,
    /// By review: its row in the table.
    pub rows: Vec<usize>,
    /// By review: its class and its group.
    pub sample: Sample,
    /// The rows of the copies of reviews, in the order of `families`.
    copies: Vec<usize>,
    /// Which of these are copies of which review.
    families: Copies,
    /// By review: what it shares with its copies; then those of copies. Empty where there are no copies.
    ties: Vec<u64>,
    /// By review: the key of its text, another each time for what many write, and behind them those of copies; none
    /// where nothing is judged.
    pub keys: Vec<u64>,
    /// Rows with a text that the rule leaves out between the classes.
    pub middle: Vec<usize>,
    /// What became of every row.
    pub account: Account,
    /// The share of negative reviews before the mix was changed, where the files say so.
    pub natural: Option<f64>,
    /// Where the reviews come from.
    pub input: Input,
    /// The holdouts that rows come from.
    pub holdouts: Vec<String>,
    columns: DocumentColumns,
}

impl LabelledReviews {
    /// Reads and labels.
    ///
    /// # Errors
    /// A file or column that is not there, a rating that the rule does not name, or a locked
    /// holdout that is to be learnt from.
    pub fn read(files: &[String], session: &Session, kept: Kept, purpose: Purpose) -> Result<Self> {
        Self::of(session.input(files)?, session, kept, purpose)
    }

    /// As [`read`](Self::read), of files that are found already.
    ///
    /// # Errors
    /// As [`read`](Self::read).
    pub fn of(input: Input, session: &Session, kept: Kept, purpose: Purpose) -> Result<Self> {
        let study = session.study();
        check_columns(study)?;
        let natural = natural(&input, purpose, session)?;
        let columns = &study.reviews;
        let mut needed: Vec<&str> = columns.text.iter().map(String::as_str).collect();
        if purpose != Purpose::Counts {
            needed.push(columns.rated());
        }
        // A finished model is tried with less than it was learnt with.
        let mut if_there = vec![holdout::PART, FILE];
        needed.extend(keep::columns(study));
        let tying = columns.together.iter().chain(&columns.id).chain(&columns.copy_of).map(String::as_str);
        match purpose {
            Purpose::Try => if_there.extend(tying),
            Purpose::Counts => if_there.extend(columns.id.iter().chain(&columns.copy_of).map(String::as_str)),
            Purpose::Terms | Purpose::Learn => needed.extend(tying),
        }
        if matches!(purpose, Purpose::Learn | Purpose::Try) {
            needed.extend(columns_beside(study));
        }
        if purpose == Purpose::Learn {
            needed.extend(columns.beside.iter().chain(&columns.date).map(String::as_str));
        }
        needed.sort_unstable();
        needed.dedup();
        let keep = match kept {
            Kept::All => Keep::All,
            Kept::Needed => Keep::Only { all: &needed, if_there: &if_there },
        };
        let table = Table::read(&keep::narrowed(input.clone(), study), keep)?;
        let holdouts = holdout::holdouts(&table);
        if let (Some(mark), false) = (holdouts.first(), purpose == Purpose::Try) {
            return Err(holdout::refusal(&input.names().collect::<Vec<_>>().join(", "), mark));
        }
        session.tell_manners(table.manners());
        let mut refusals = Refusals::new(session)?;
        table.refused().iter().try_for_each(|refusal| refusals.add(refusal))?;
        refusals.finish()?;
        Ok(Self { holdouts, ..Self::label((Arc::new(table), input, natural), session, purpose, |_| true)? })
    }

    /// The same rows in two parts: without some reviews, to learn from, and these alone, to try models on. Copies stay with
    /// their reviews. Nothing is told again.
    ///
    /// # Errors
    /// As [`read`](Self::read).
    pub fn divided(&self, aside: &[u32], session: &Session) -> Result<[Self; 2]> {
        let session = &session.apart(&[], Arc::new(Silent))?;
        let mut is_aside = vec![false; self.table.len()];
        aside.iter().for_each(|review| is_aside[self.rows[*review as usize]] = true);
        let part = |aside: bool, purpose| {
            let found = (Arc::clone(&self.table), self.input.clone(), self.natural);
            Self::label(found, session, purpose, |row| is_aside[row] == aside)
        };
        Ok([part(false, Purpose::Learn)?, part(true, Purpose::Try)?])
    }

    fn label(
        (table, input, natural): (Arc<Table>, Input, Option<f64>),
        session: &Session,
        purpose: Purpose,
        is_of_part: impl Fn(usize) -> bool,
    ) -> Result<Self> {
        let study = session.study();
        let name = table.manners().first().map_or("", |manner: &Manner| manner.file.as_str());
        let mut labelling = match purpose {
            Purpose::Counts => Labelling::of_unrated(name, table.columns(), study)?,
            _ => Labelling::new(name, table.columns(), study)?,
        };
        let text = labelling.text().to_vec();
        let mut together = study.reviews.together.clone();
        if matches!(purpose, Purpose::Try | Purpose::Counts) {
            together.retain(|name| table.columns().iter().any(|column| column.name == *name));
        }
        let together = places(&table, &together)?;
        let take = |row: usize| {
            let (file, line) = table.place(row);
            let outcome = labelling.take(|column| table.cell(row, column), file, line)?;
            Ok(if is_of_part(row) { outcome } else { labelling.set_aside(outcome) })
        };
        let outcomes: Vec<RowOutcome> = (0..table.len()).map(take).collect::<Result<_>>()?;
        let (mut account, _) = labelling.finish(table.refused().len())?;
        let copy_columns = match purpose {
            Purpose::Try | Purpose::Counts => CopyColumns::if_there(name, table.columns(), study),
            Purpose::Learn | Purpose::Terms => CopyColumns::find(name, table.columns(), study)?,
        };
        let Told { rows, copies, sample: Sample { labels, copies: told, .. }, ties } =
            Told::new(&table, &outcomes, Members::of(copy_columns), &mut account, session)?;
        let middle = (0..table.len()).filter(|row| outcomes[*row] == RowOutcome::Middle).collect();
        let (groups, keys) = match purpose {
            Purpose::Terms | Purpose::Counts if study.terms.at_least_groups <= 1 => {
                ((0..rows.len() as u64).collect(), Vec::new())
            }
            _ => groups_of(&table, (&rows, &copies, &ties), &text, &together, study.validation.alike),
        };
        let days = match purpose {
            Purpose::Learn => days_of(&table, &rows, study)?,
            Purpose::Terms | Purpose::Counts | Purpose::Try => Vec::new(),
        };
        let columns = match purpose {
            Purpose::Learn | Purpose::Try => DocumentColumns::find(name, table.columns(), study)?,
            Purpose::Terms | Purpose::Counts => DocumentColumns::of_text(name, table.columns(), study)?,
        };
        // Where nothing is learnt, copies are read by those alone who ask for them.
        let teaching = if purpose == Purpose::Learn { told.clone() } else { Copies::default() };
        let sample = Sample { labels, groups, days, copies: teaching };
        let holdouts = Vec::new();
        Ok(Self {
            table,
            rows,
            sample,
            copies,
            families: told,
            ties,
            keys,
            middle,
            account,
            natural,
            input,
            holdouts,
            columns,
        })
    }

    /// Ties reviews that are alike in the texts or columns of any of these studies: where their ways are judged on
    /// one division, none of them may find on one side what it learnt from on the other. Tells of reviews that a
    /// way finds no text in.
    ///
    /// # Errors
    /// If a column is not there.
    pub fn tie_for<'s>(&mut self, studies: impl Iterator<Item = &'s Study>, session: &Session) -> Result<()> {
        let ties_of = |study: &Study| (study.reviews.text.clone(), study.reviews.together.clone());
        let mut seen = vec![ties_of(session.study())];
        let mut divisions = vec![std::mem::take(&mut self.sample.groups)];
        for study in studies {
            let ties = ties_of(study);
            if seen.contains(&ties) {
                continue;
            }
            let (text, together) = (places(&self.table, &ties.0)?, places(&self.table, &ties.1)?);
            let blank = |row: &&usize| joined(&self.table, &text, **row).trim().is_empty();
            let without = self.rows.iter().filter(blank).count();
            if without > 0 {
                session.remark(&format!(
                    "note: {} without text in {}: with it they score at the intercept",
                    count(without, "review"),
                    ties.0.join(", ")
                ));
            }
            let rows = (&self.rows[..], &self.copies[..], &self.ties[..]);
            divisions.push(groups_of(&self.table, rows, &text, &together, study.validation.alike).0);
            seen.push(ties);
        }
        self.sample.groups = if divisions.len() == 1 { divisions.remove(0) } else { tied_by_any(&divisions) };
        Ok(())
    }

    /// Both poles must be there to learn anything.
    pub fn check_classes(&self) -> Result<()> {
        check_classes(&self.account)
    }

    /// The text of a review.
    pub fn review(&self, review: usize) -> Document {
        self.document(self.rows[review])
    }

    /// The texts of the copies of a review.
    pub fn copies_of(&self, review: usize) -> impl Iterator<Item = Document> {
        let first = self.rows.len();
        self.families.of(review as u32).map(move |row| self.document(self.copies[row as usize - first]))
    }

    /// Where a review stands, and what it is called.
    pub fn origin(&self, review: usize, study: &Study) -> String {
        Handle::new(&self.table, study).told(&self.table, self.rows[review])
    }

    /// The texts of the rows between the classes.
    pub fn middle_texts(&self) -> Vec<Document> {
        self.middle.iter().map(|&row| self.document(row)).collect()
    }

    fn document(&self, row: usize) -> Document {
        self.columns.document(|column| self.table.cell(row, column))
    }
}

/// Rows of a table as reviews and their copies.
struct Told {
    rows: Vec<usize>,
    copies: Vec<usize>,
    /// Without groups.
    sample: Sample,
    ties: Vec<u64>,
}

impl Told {
    fn new(
        table: &Table,
        outcomes: &[RowOutcome],
        mut members: Members<'_>,
        account: &mut Account,
        session: &Session,
    ) -> Result<Self> {
        let mut take = |row: &usize| {
            members.take(outcomes[*row], |column| table.cell(*row, column), table.place(*row)).is_some()
        };
        let taken: Vec<usize> = (0..table.len()).filter(|row| take(row)).collect();
        let told = members.settle(account, session)?.unwrap_or_default();
        let rows = told.reviews(&taken);
        let labels = rows.iter().filter_map(|row| outcomes[*row].class()).collect();
        let mut of: Vec<(u32, usize)> = (0..taken.len())
            .filter(|at| told.is_copy(*at))
            .filter_map(|at| Some((told.review(at)? as u32, at)))
            .collect();
        of.sort_unstable();
        let (reviews, copies): (Vec<u32>, Vec<usize>) = of.into_iter().unzip();
        let by_row: Vec<u64> = told.ties().collect();
        let mut ties = told.reviews(&by_row);
        ties.extend(copies.iter().map(|at| by_row[*at]));
        let copies = copies.into_iter().map(|at| taken[at]).collect();
        let sample = Sample { copies: Copies::new(rows.len(), &reviews), ..Sample::new(labels, Vec::new()) };
        Ok(Self { rows, copies, sample, ties })
    }
}

/// The reviews, and any copies behind them, as a study reads them that may name other columns.
pub struct ReadAs<'a> {
    reviews: &'a LabelledReviews,
    columns: DocumentColumns,
}

impl<'a> ReadAs<'a> {
    /// Finds the columns.
    ///
    /// # Errors
    /// If one is not there.
    pub fn new(reviews: &'a LabelledReviews, study: &Study) -> Result<Self> {
        let table = &reviews.table;
        let name = table.manners().first().map_or("", |manner: &Manner| manner.file.as_str());
        Ok(Self { reviews, columns: DocumentColumns::find(name, table.columns(), study)? })
    }
}

impl Texts for ReadAs<'_> {
    fn count(&self) -> usize {
        self.reviews.rows.len() + self.copies()
    }

    fn copies(&self) -> usize {
        self.reviews.copies.len()
    }

    fn put(&self, row: usize, document: &mut Document) {
        let Self { reviews, columns } = self;
        let reviewed = reviews.rows.len();
        let row = if row < reviewed { reviews.rows[row] } else { reviews.copies[row - reviewed] };
        columns.put(|column| reviews.table.cell(row, column), document);
    }
}

impl Texts for LabelledReviews {
    fn count(&self) -> usize {
        self.rows.len()
    }

    fn put(&self, row: usize, document: &mut Document) {
        self.columns.put(|column| self.table.cell(self.rows[row], column), document);
    }
}

/// Both poles must be there to learn anything.
pub fn check_classes(account: &Account) -> Result<()> {
    let (Account { negative, positive, neutral, .. }, names) = (account, &account.names);
    check_some(account)?;
    let (there, missing) = match (negative, positive) {
        (1.., 1..) => return Ok(()),
        (1.., 0) => (Polarity::Negative, Polarity::Positive),
        (0, _) => (Polarity::Positive, Polarity::Negative),
    };
    let and_neutral = match neutral {
        0 => String::new(),
        _ => format!(" or {}", names.of(Polarity::Neutral)),
    };
    fail!(
        Reviews,
        "all {} reviews are {}{and_neutral}: there is none to learn {} from; check polarity.{} (`heddle label` shows what each value becomes)",
        account.labelled(),
        names.of(there),
        names.of(missing),
        missing.name()
    );
}

fn check_some(account: &Account) -> Result<()> {
    if account.labelled() == 0 {
        let Account { read, no_text, no_rating, middle, not_kept, refused, .. } = *account;
        fail!(
            Reviews,
            "none of {} can be learnt from: {refused} refused, {no_text} without text, {no_rating} without rating, {middle} between the classes, {not_kept} dropped by reviews.keep",
            count(read, "row")
        );
    }
    Ok(())
}

/// Looks at what stands beside the files: a locked holdout is not learnt from, and files
/// whose mix was changed tell what it was, if that is known of all of them.
pub(crate) fn natural(input: &Input, purpose: Purpose, session: &Session) -> Result<Option<f64>> {
    let (mut before, mut changed, mut all) = ([0usize; 2], false, input.all_have_paths());
    for path in input.paths() {
        let Some(about) = About::beside(path)? else {
            all = false;
            continue;
        };
        if about.holds == Holds::Holdout && purpose != Purpose::Try {
            fail!(
                Locked,
                "{path} is a locked holdout: what is learnt from it cannot be tested on it any more. \
                 If you mean it, remove {} first",
                About::name_beside(path)
            );
        }
        if !about.fits(path) {
            let beside = About::name_beside(path);
            session.remark(&format!(
                "note: {path} was changed since it was written; what {beside} says is not used"
            ));
            all = false;
        }
        changed |= about.natural.is_some();
        let mix = about.natural.as_ref().unwrap_or(&about.mix);
        for class in Polarity::POLES {
            before[class.index()] += mix.get(class.name()).copied().unwrap_or(0);
        }
    }
    let [negative, positive] = before;
    Ok((changed && all && negative > 0 && positive > 0)
        .then(|| negative as f64 / (negative + positive) as f64))
}

/// The places of columns by name.
fn places(table: &Table, names: &[String]) -> Result<Vec<usize>> {
    let columns: std::result::Result<_, FileError> = names.iter().map(|name| table.column(name)).collect();
    Ok(columns?)
}

/// By review: the key of the group of reviews that it belongs to; and that of its text, then those of copies.
fn groups_of(
    table: &Table,
    (reviews, copies, ties): (&[usize], &[usize], &[u64]),
    text: &[usize],
    together: &[usize],
    alike: f64,
) -> (Vec<u64>, Vec<u64>) {
    let rows: Vec<usize> = reviews.iter().chain(copies).copied().collect();
    // Rows without a text, as another way of reading may find them, are not alike for that.
    let fingerprint = |row: &usize| {
        let text = joined(table, text, *row);
        match text.trim().is_empty() {
            true => Fingerprint::of_none(*row),
            false => Fingerprint::of(&text),
        }
    };
    let fingerprints: Vec<Fingerprint> = rows.par_iter().map(fingerprint).collect();
    let mut grouping = Grouping::new(together.len());
    for (&row, fingerprint) in rows.iter().zip(&fingerprints) {
        let Ok(()) = grouping.push(fingerprint, &values(|column| table.cell(row, column), together));
    }
    if !ties.is_empty() {
        grouping.tie(ties.to_vec());
    }
    let Ok(mut groups) = grouping.groups(alike);
    groups.keys.truncate(reviews.len());
    (groups.keys, groups.texts)
}

/// By review: its day, where there is one that can be read.
pub(crate) fn days_of(table: &Table, rows: &[usize], study: &Study) -> Result<Vec<Option<Day>>> {
    let Some(name) = &study.reviews.date else { return Ok(Vec::new()) };
    let column = table.column(name)?;
    let mut days = Days::default();
    rows.iter().for_each(|row| days.push(table.cell(*row, column)));
    if study.validation.order == Order::Rolling {
        check_order(&days, name, study)?;
    }
    Ok(days.read(study.reviews.dates))
}

/// The text of a row: its text columns, those that are blank left out.
pub fn joined<'a>(table: &'a Table, columns: &[usize], row: usize) -> Cow<'a, str> {
    join(columns.iter().map(|&column| table.cell(row, column)))
}

/// The keys of the values that tie a row to others.
pub fn values<'a>(cell: impl Fn(usize) -> &'a str, together: &[usize]) -> Vec<Option<u64>> {
    let key = |(at, column): (usize, &usize)| {
        let cell = cell(*column);
        (!cell.trim().is_empty()).then(|| value_key(at, cell))
    };
    together.iter().enumerate().map(key).collect()
}
