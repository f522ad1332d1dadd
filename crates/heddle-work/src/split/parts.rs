//! The second look at the rows: each is written to its side.

use std::collections::BTreeMap;

use heddle_core::labels::Polarity;
use heddle_core::text::Document;
use heddle_files::{About, Holds, Input, Origins, Record, Refusal, Role, RowWriter, Written, find_column};

use super::draft::Draft;
use super::options::{DEVELOPMENT, HOLDOUT, SplitOptions, TRAINING};
use crate::error::{Result, fail};
use crate::reviews::columns::{LabelledColumns, replaces};
use crate::reviews::copies::Members;
use crate::reviews::dates::expected;
use crate::reviews::document::DocumentColumns;
use crate::reviews::holdout::Digest;
use crate::reviews::labelling::{Labelling, RowOutcome};
use crate::reviews::refusals::Refusals;
use crate::session::Session;

/// By side: what its rows carry.
pub(super) fn marks(sides: &[Option<u8>], groups: &[u64], labels: &[Polarity]) -> [String; 3] {
    let mut digests = [Digest::new(), Digest::new(), Digest::new()];
    for ((side, group), label) in sides.iter().zip(groups).zip(labels) {
        if let Some(side) = side {
            digests[*side as usize].add(*group, *label);
        }
    }
    [(HOLDOUT, "holdout"), (DEVELOPMENT, "development"), (TRAINING, "training")]
        .map(|(side, name)| digests[side].mark(name))
}

/// The labelled rows of the first look.
pub(super) struct Rows<'a> {
    /// What the first look found.
    pub draft: &'a Draft,
    /// By review: its side, if it has one.
    pub sides: &'a [Option<u8>],
    /// By side: what its rows carry.
    pub marks: &'a [String; 3],
}

/// A part that was written.
pub(super) struct WrittenPart {
    file: String,
    pub side: usize,
    written: Written,
}

impl WrittenPart {
    /// Writes beside the part what it is.
    pub fn note(
        &self,
        sources: &[Origins],
        session: &Session,
        mix: BTreeMap<String, usize>,
        mark: &str,
    ) -> Result<()> {
        let holds = [Holds::Holdout, Holds::Development, Holds::Training][self.side];
        let mut about = About::new(holds, session.study(), sources.to_vec(), &self.written, mix);
        about.part = Some(mark.into());
        // The same holdout, written again, was opened as often as before.
        let before = About::beside(&self.file).ok().flatten().filter(|before| before.part == about.part);
        about.openings = before.map_or(Vec::new(), |before| before.openings);
        Ok(about.put_beside(session.outputs(), &self.file)?)
    }
}

impl Rows<'_> {
    /// Reads the files again and writes each labelled row to its side; keeps the texts between the
    /// classes if asked.
    pub fn write(
        &self,
        input: &Input,
        session: &Session,
        options: &SplitOptions,
        keeps_middle: bool,
        refusals: &mut Refusals<'_>,
    ) -> Result<(Vec<WrittenPart>, Vec<Document>)> {
        let study = session.study();
        let task = session.busy("writing the parts");
        let mut reviews = input.rows()?;
        let mut labelling = Labelling::new(reviews.file(), reviews.columns(), study)?;
        let texts = DocumentColumns::of_text(reviews.file(), reviews.columns(), study)?;
        let target = LabelledColumns::new(reviews.columns(), replaces(input, study)?, study.class_names())
            .with_part(reviews.columns());
        let files = [Some(&options.holdout), options.development.as_ref(), Some(&options.training)];
        let create = |file: &String| session.row_writer(Role::Part, file, target.columns());
        let mut writers: Vec<Option<RowWriter<'_>>> =
            files.iter().map(|file| file.map(create).transpose()).collect::<std::result::Result<_, _>>()?;
        let dated =
            study.reviews.date.as_ref().map(|name| find_column(reviews.file(), reviews.columns(), name));
        let Draft { labels, days, rows, .. } = self.draft;
        let members = Members::new(reviews.file(), reviews.columns(), study)?;
        let dated = if days.is_empty() { None } else { dated.transpose()? };
        let mut middle = Vec::new();
        let mut record = Record::new();
        let mut at = 0;
        while let Some(line) = reviews.next_sound(&mut record)? {
            let outcome = labelling.take(|at| &record[at], reviews.file(), line)?;
            if outcome == RowOutcome::Middle && keeps_middle {
                middle.push(texts.document(|at| &record[at]));
            }
            if !members.takes(outcome, |at| &record[at]) {
                continue;
            }
            let row = at;
            at += 1;
            let Some(review) = rows.review(row) else { continue };
            let Some(&class) =
                labels.get(review).filter(|own| outcome.class().is_none_or(|read| read == **own))
            else {
                fail!(Reviews, "{} changed while it was read; run this again", reviews.file());
            };
            if let (Some(column), Some(None), false) = (dated, days.get(review), rows.is_copy(row)) {
                refusals.add(&Refusal {
                    file: reviews.file().into(),
                    line,
                    column: study.reviews.date.clone(),
                    expected: expected(study),
                    found: record[column].into(),
                })?;
            }
            if let Some(side) = self.sides[review].map(usize::from)
                && let Some(writer) = writers[side].as_mut()
            {
                writer.row(target.cells(&record, class).chain([self.marks[side].as_str()]))?;
            }
        }
        if at != rows.len(self.sides.len()) {
            fail!(Reviews, "{} changed while it was read; run this again", reviews.file());
        }
        let mut written = Vec::new();
        for (side, (writer, file)) in writers.into_iter().zip(files).enumerate() {
            if let (Some(writer), Some(file)) = (writer, file) {
                written.push(WrittenPart { file: file.clone(), side, written: writer.finish()? });
            }
        }
        task.end();
        Ok((written, middle))
    }
}
