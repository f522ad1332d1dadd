//! Copies of reviews: each said again in other words, by a command of the analyst's own or by a small way of ours.

use std::io::{BufRead, BufReader, Write};
use std::process::{Command, Stdio};

use heddle_core::rephrase::Rephraser;
use heddle_core::resample::{Random, text_key};
use heddle_core::settings::{Fields, Study};
use heddle_core::terms::Corpus;
use heddle_core::text::ScanBuffer;
use heddle_files::{Column, find_column};
use serde::Serialize;

use crate::error::{Result, fail};
use crate::reviews::columns::with_ours;
use crate::reviews::labelled::{Kept, LabelledReviews, Purpose};
use crate::reviews::labelling::{Account, text_columns};
use crate::roles::COPIES;
use crate::session::Session;
use crate::words::{count, number};

/// Which reviews are said again, and how.
#[derive(Debug, Clone, Default)]
pub struct CopiesOptions {
    /// The review files; those of the study where none is named.
    pub files: Vec<String>,
    /// A command that the shell runs, which gives a line for each line; where there is none, words are replaced and left
    /// out.
    pub by: Option<String>,
    /// Copies of a review.
    pub each: usize,
    /// Where all rows go, each review followed by its copies.
    pub out: String,
}

/// What was said again.
#[derive(Debug, Serialize)]
pub struct Copied {
    /// What became of every row.
    pub account: Account,
    /// The command, where there was one.
    pub by: Option<String>,
    /// Words that may be replaced by others, where there was none.
    pub synonyms: Option<usize>,
    /// Reviews that were to be said again.
    pub reviews: usize,
    /// Copies that were written.
    pub copies: usize,
    /// Copies that were not, because they came back as the review is, or as another copy of it.
    pub unchanged: usize,
    /// The column that names rows, and the column that names what a copy is a copy of.
    pub columns: [String; 2],
    /// Some reviews and what was made of them.
    pub shown: Vec<[String; 2]>,
    /// Where all rows went.
    pub written: String,
}

/// Reviews whose copies are shown.
const SHOWN: usize = 3;

/// Writes all rows of files, and behind each review copies of it.
///
/// # Errors
/// Files that cannot be read or written, a locked holdout, or a command that fails or gives another number of lines.
pub fn copies(session: &Session, options: &CopiesOptions) -> Result<Copied> {
    let input = session.input(&options.files)?;
    let purpose = Purpose::of_terms(&input, session)?;
    let reviews = LabelledReviews::of(input, session, Kept::All, purpose)?;
    let study = session.study();
    let file = reviews.table.manners().first().map_or(String::new(), |manner| manner.file.clone());
    let text = text_columns(&file, reviews.table.columns(), study)?;
    let columns = Named::new(&file, reviews.table.columns(), study)?;
    let cell = |review: usize, column: usize| reviews.table.cell(reviews.rows[review], column).trim();
    let spoken: Vec<(usize, usize)> = (0..reviews.rows.len())
        .flat_map(|review| text.iter().map(move |column| (review, *column)))
        .filter(|(review, column)| !cell(*review, *column).is_empty())
        .collect();
    let lines: Vec<String> = spoken.iter().map(|&(review, column)| line(cell(review, column))).collect();
    let (said, synonyms) = match &options.by {
        Some(command) => (by_command(command, &lines, options.each, session)?, None),
        None => {
            let rephraser = own(&reviews, purpose, session)?;
            let seed = study.validation.seed;
            (by_ourselves(&rephraser, &lines, options.each, seed), Some(rephraser.synonyms().len()))
        }
    };
    let mut copied = Copied {
        by: options.by.clone(),
        synonyms,
        reviews: reviews.rows.len(),
        copies: 0,
        unchanged: 0,
        columns: [&columns.id, &columns.copy_of].map(|at| columns.all[*at].name.clone()),
        shown: Vec::new(),
        written: options.out.clone(),
        account: reviews.account.clone(),
    };
    let mut writer = session.row_writer(COPIES, &options.out, &columns.all)?;
    let (mut spoken, mut review) = (spoken.iter().zip(0..).peekable(), 0);
    for row in 0..reviews.table.len() {
        let mut cells: Vec<String> = reviews.table.row(row).map(String::from).collect();
        cells.resize(columns.all.len(), String::new());
        if columns.numbered {
            cells[columns.id] = (row + 1).to_string();
        }
        writer.row(cells.iter().map(String::as_str))?;
        if reviews.rows.get(review) != Some(&row) {
            continue;
        }
        let mut own: Vec<(usize, usize)> = Vec::new();
        while let Some((&(_, column), line)) = spoken.next_if(|((of, _), _)| *of == review) {
            own.push((column, line));
        }
        review += 1;
        let mut there: Vec<Vec<&str>> = vec![own.iter().map(|(_, line)| lines[*line].as_str()).collect()];
        for (copy, said) in said.iter().enumerate() {
            let told = |line: usize| match said[line].trim() {
                "" => lines[line].as_str(),
                text => text,
            };
            let texts: Vec<&str> = own.iter().map(|(_, line)| told(*line)).collect();
            if there.contains(&texts) {
                copied.unchanged += 1;
                continue;
            }
            copied.copies += 1;
            if copied.shown.len() < SHOWN && copy == 0 {
                copied.shown.push([there[0].join(" / "), texts.join(" / ")]);
            }
            let mut other = cells.clone();
            own.iter().zip(&texts).for_each(|((column, _), text)| other[*column] = (*text).into());
            other[columns.copy_of] = cells[columns.id].clone();
            other[columns.id] = format!("{}~{}", cells[columns.id], copy + 1);
            writer.row(other.iter().map(String::as_str))?;
            there.push(texts);
        }
    }
    writer.finish()?;
    Ok(copied)
}

/// The columns that are written.
struct Named {
    all: Vec<Column>,
    id: usize,
    copy_of: usize,
    /// Whether rows are named by their numbers, for want of a column of names.
    numbered: bool,
}

impl Named {
    fn new(file: &str, theirs: &[Column], study: &Study) -> Result<Self> {
        let own_id = study.reviews.id.as_ref().map(|name| find_column(file, theirs, name)).transpose()?;
        let copy_of = study.reviews.copy_of.as_deref();
        let there = copy_of.and_then(|name| theirs.iter().position(|column| column.name == name));
        let mut ours = Vec::new();
        if own_id.is_none() {
            ours.push(Column::text("id"));
        }
        if there.is_none() {
            ours.push(Column::text(copy_of.unwrap_or("copy_of")));
        }
        let all = with_ours(theirs, ours);
        Ok(Self {
            id: own_id.unwrap_or(theirs.len()),
            copy_of: there.unwrap_or(all.len() - 1),
            numbered: own_id.is_none(),
            all,
        })
    }
}

/// A text as one line.
fn line(text: &str) -> String {
    text.split(['\n', '\r']).map(str::trim).filter(|part| !part.is_empty()).collect::<Vec<_>>().join(" ")
}

/// What is known of the words of the reviews.
fn own(reviews: &LabelledReviews, purpose: Purpose, session: &Session) -> Result<Rephraser> {
    let mut study = session.study().clone();
    study.reviews.fields = Fields::Joined;
    if purpose == Purpose::Counts {
        return Ok(Rephraser::of_unrated(study.cleaner()));
    }
    let task = session.busy("learning which words are used alike");
    let corpus = Corpus::read(reviews, study.corpus_rules());
    let rephraser = Rephraser::learn(&corpus, &reviews.sample.labels, study.cleaner());
    task.end();
    Ok(rephraser)
}

/// By copy, then by line: what became of it; blank where it stays as it is. A line is said the same way wherever it
/// stands.
fn by_ourselves(rephraser: &Rephraser, lines: &[String], each: usize, seed: u64) -> Vec<Vec<String>> {
    let mut scan = ScanBuffer::default();
    let mut one = |line: &String, copy: usize| {
        let mut random = Random::new(text_key(line) ^ seed ^ (copy as u64) << 32);
        rephraser.rephrase(line, &mut random, &mut scan).unwrap_or_default()
    };
    (0..each).map(|copy| lines.iter().map(|line| one(line, copy)).collect()).collect()
}

/// Runs the command once for each copy; `HEDDLE_COPY` tells it which, from 1, and `HEDDLE_SEED` what draws rest on.
fn by_command(command: &str, lines: &[String], each: usize, session: &Session) -> Result<Vec<Vec<String>>> {
    let task = session.progress("copies", each);
    let mut all = Vec::with_capacity(each);
    for copy in 1..=each {
        all.push(run(command, copy, lines, session.study().validation.seed)?);
        task.advance(1);
    }
    task.end();
    Ok(all)
}

fn run(command: &str, copy: usize, lines: &[String], seed: u64) -> Result<Vec<String>> {
    let started = Command::new("sh")
        .args(["-c", command])
        .env("HEDDLE_COPY", copy.to_string())
        .env("HEDDLE_SEED", seed.to_string())
        .stdin(Stdio::piped())
        .stdout(Stdio::piped())
        .spawn();
    let mut child = match started {
        Ok(child) => child,
        Err(error) => fail!(Options, "`{command}` cannot be run: {error}"),
    };
    let (Some(mut into), Some(out)) = (child.stdin.take(), child.stdout.take()) else {
        fail!(Options, "`{command}` has no standard input or output");
    };
    let read = std::thread::scope(|scope| {
        // It may read all before it writes, or write while it reads. One that ends early closes its input: its lines
        // tell what is wrong.
        scope.spawn(move || {
            let _ = lines.iter().try_for_each(|line| writeln!(into, "{line}"));
        });
        BufReader::new(out).lines().collect::<std::io::Result<Vec<String>>>()
    });
    let ended = child.wait();
    match (read, ended) {
        (_, Err(error)) | (Err(error), _) => {
            fail!(Options, "`{command}` gave what cannot be read: {error}; expected lines of UTF-8")
        }
        (_, Ok(status)) if !status.success() => {
            fail!(Options, "`{command}` failed ({status}): nothing was written")
        }
        (Ok(said), Ok(_)) if said.len() != lines.len() => fail!(
            Options,
            "`{command}` gave {} for {}: expected a line for each, in the same order (a blank one where a text stays as it is)",
            count(said.len(), "line"),
            number(lines.len())
        ),
        (Ok(said), Ok(_)) => Ok(said),
    }
}
