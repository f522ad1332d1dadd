//! The first look: what each column is.

use heddle_core::survey::{ColumnProfile, Profiler};
use heddle_files::{Column, Input, Manner};
use rayon::prelude::*;

use crate::batches::{BATCH, Sound, batches};
use crate::error::Result;
use crate::reviews::refusals::Refusals;
use crate::session::Session;

/// What the first look tells.
pub(super) struct Columns {
    pub columns: Vec<Column>,
    pub profiles: Vec<ColumnProfile>,
    pub rows: usize,
    pub refused: usize,
    pub manners: Vec<Manner>,
}

impl Columns {
    pub fn read(input: &Input, session: &Session) -> Result<Self> {
        let (order, seed) = (session.study().reviews.dates, session.study().validation.seed);
        let mut refusals = Refusals::new(session)?;
        let mut profilers: Vec<Profiler> = Vec::new();
        let mut reviews = input.rows()?;
        let columns = reviews.columns().to_vec();
        profilers.resize_with(columns.len(), || Profiler::new(order, seed));
        let mut rows = 0;
        batches(
            BATCH,
            Sound { reviews: &mut reviews, refusals: &mut refusals },
            |batch| {
                rows += batch.len();
                profilers.par_iter_mut().enumerate().for_each(|(at, profiler)| {
                    batch.iter().for_each(|record| profiler.add(&record[at]));
                });
            },
            |_| Ok(()),
        )?;
        let named = profilers.into_iter().zip(&columns);
        let profiles = named.map(|(profiler, column)| profiler.finish(&column.name)).collect();
        Ok(Self { profiles, rows, refused: refusals.finish()?, manners: reviews.manners(), columns })
    }
}
