//! Rows that could not be used: the first few are told, all are counted and can be kept.

use heddle_files::{Column, Record, Refusal, Reviews, RowWriter};

use crate::error::Result;
use crate::roles::REFUSED;
use crate::session::Session;

/// How many are told one by one.
const SHOWN: usize = 5;

/// The refused rows of a command, taken in as they come.
pub struct Refusals<'s> {
    session: &'s Session,
    count: usize,
    writer: Option<RowWriter<'s>>,
}

impl<'s> Refusals<'s> {
    /// Begins the list; `--refused` keeps all of it.
    pub fn new(session: &'s Session) -> Result<Self> {
        let columns = ["file", "line", "column", "expected", "found"].map(Column::text);
        let writer =
            session.refused_file().map(|path| session.row_writer(REFUSED, path, &columns)).transpose()?;
        Ok(Self { session, count: 0, writer })
    }

    /// Takes one.
    pub fn add(&mut self, refusal: &Refusal) -> Result<()> {
        self.count += 1;
        if self.count <= SHOWN {
            self.session.remark(&format!("refused: {refusal}"));
        }
        if let Some(writer) = &mut self.writer {
            let column = refusal.column.as_deref().unwrap_or_default();
            writer.row([
                refusal.file.as_str(),
                &refusal.line.to_string(),
                column,
                &refusal.expected,
                &refusal.found,
            ])?;
        }
        Ok(())
    }

    /// How many came so far.
    pub fn count(&self) -> usize {
        self.count
    }

    /// Reads the next row that can be used, taking in those that cannot; gives its line.
    pub fn next(&mut self, reviews: &mut Reviews, record: &mut Record) -> Result<Option<u64>> {
        loop {
            match reviews.next(record)? {
                Some(Ok(line)) => return Ok(Some(line)),
                Some(Err(refusal)) => self.add(&refusal)?,
                None => return Ok(None),
            }
        }
    }

    /// Ends the list, and tells how many were not told one by one.
    pub fn finish(self) -> Result<usize> {
        if self.count > SHOWN {
            let kept = if self.writer.is_some() { "" } else { "; --refused FILE keeps all of them" };
            self.session.remark(&format!("refused: {} more rows{kept}", self.count - SHOWN));
        }
        if let Some(writer) = self.writer {
            writer.finish()?;
        }
        Ok(self.count)
    }
}
