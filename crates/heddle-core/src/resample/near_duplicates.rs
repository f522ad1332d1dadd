//! Rows that must stay on one side: of equal or nearly equal text, or of one customer.

use std::convert::Infallible;

use rayon::prelude::*;
use xxhash_rust::xxh3::xxh3_64_with_seed;

use super::fingerprint::{BANDS, Fingerprint, Sketch, are_alike, band_key, row_keys};

/// Up to this many words, a text that stands often is a saying, and ties nothing.
const SAYING: u8 = 3;
/// What stands more often, stands often.
const OFTEN: usize = 5;
/// Parts in which the rows of words of short texts are looked at, so that their keys need little memory at once.
const PARTS: u32 = 8;
/// So many texts with an equal row of words are compared with each.
const NEIGHBOURS: usize = 8;

/// Bands whose keys are sought together, so that sketches are read less often: each takes 8 bytes a row.
const TOGETHER: usize = 3;

/// Keys of sketches with the places of these.
type Order = Vec<(u32, u32)>;

/// Where sketches are kept: in memory, or in a file where there are too many. They are read from several threads.
pub trait Sketches: Sync {
    /// What can go wrong.
    type Error: Send;

    /// Adds a sketch.
    ///
    /// # Errors
    /// If there is no room.
    fn add(&mut self, sketch: &Sketch) -> Result<(), Self::Error>;

    /// The sketch that was added as number `at`, from 0.
    ///
    /// # Errors
    /// If it cannot be read.
    fn sketch(&self, at: u32) -> Result<Sketch, Self::Error>;

    /// Gives all of them in order.
    ///
    /// # Errors
    /// If they cannot be read.
    fn each(&self, give: &mut dyn FnMut(u32, &Sketch)) -> Result<(), Self::Error>;
}

impl Sketches for Vec<Sketch> {
    type Error = Infallible;

    fn add(&mut self, sketch: &Sketch) -> Result<(), Infallible> {
        self.push(*sketch);
        Ok(())
    }

    fn sketch(&self, at: u32) -> Result<Sketch, Infallible> {
        Ok(self[at as usize])
    }

    fn each(&self, give: &mut dyn FnMut(u32, &Sketch)) -> Result<(), Infallible> {
        self.iter().enumerate().for_each(|(at, sketch)| give(at as u32, sketch));
        Ok(())
    }
}

/// What is known of the ties of many rows. Takes 8 bytes a row and shared column and 13 for its
/// text, beside the sketches, and 33 more while groups are sought.
#[derive(Debug, Clone, Default)]
pub struct Grouping<S = Vec<Sketch>> {
    texts: Vec<u64>,
    /// By row: the words of its text, as far as they are counted.
    words: Vec<u8>,
    /// By sketch: its row.
    sketched: Vec<u32>,
    sketches: S,
    /// By column that ties rows: the key of each row's value, 0 for a blank.
    shared: Vec<Vec<u64>>,
}

/// Rows tied together.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Groups {
    /// By row: the key of its group.
    pub keys: Vec<u64>,
    /// By row: the key of its text; sayings have one of their own each time.
    pub texts: Vec<u64>,
    /// Pairs of rows of nearly equal text, one for each row that is like an earlier one.
    pub near: Vec<(u32, u32)>,
}

impl Grouping {
    /// For rows that may share values of this many columns.
    pub fn new(columns: usize) -> Self {
        Self::kept_in(Vec::new(), columns)
    }
}

impl<S: Sketches> Grouping<S> {
    /// For rows that may share values of this many columns, with a place for their sketches.
    pub fn kept_in(sketches: S, columns: usize) -> Self {
        Self {
            texts: Vec::new(),
            words: Vec::new(),
            sketched: Vec::new(),
            sketches,
            shared: vec![Vec::new(); columns],
        }
    }

    /// Adds a row: its text, and its value in each column, where it has one.
    ///
    /// # Errors
    /// If the sketch cannot be kept.
    ///
    /// # Panics
    /// If there is not one value for each column.
    pub fn push(&mut self, text: &Fingerprint, values: &[Option<u64>]) -> Result<(), S::Error> {
        assert_eq!(
            values.len(),
            self.shared.len(),
            "{} values for {} columns",
            values.len(),
            self.shared.len()
        );
        if let Some(sketch) = &text.sketch {
            self.sketched.push(self.texts.len() as u32);
            self.sketches.add(sketch)?;
        }
        self.texts.push(text.key);
        self.words.push(text.words);
        self.shared.iter_mut().zip(values).for_each(|(column, value)| column.push(value.unwrap_or(0)));
        Ok(())
    }

    /// Adds a column that ties rows: by row, the key of its value, 0 for a blank.
    ///
    /// # Panics
    /// If there is not one value for each row.
    pub fn tie(&mut self, column: Vec<u64>) {
        assert_eq!(column.len(), self.len(), "{} values for {} rows", column.len(), self.len());
        self.shared.push(column);
    }

    /// The number of rows.
    pub fn len(&self) -> usize {
        self.texts.len()
    }

    /// Whether there are no rows.
    pub fn is_empty(&self) -> bool {
        self.texts.is_empty()
    }

    /// Ties rows of equal text, of equal values, and of texts that are `alike` or more
    /// ([`Fingerprint::likeness`]; at 1 only equal ones). Rows tied to the same row are tied: groups are connected
    /// components. A text of up to three words that stands more than five times, such as "good", ties nothing: people
    /// write it independently, and it would chain together what has nothing in common.
    ///
    /// The key of a group is the least value key of its first shared column, or the least key
    /// of its texts where it has none: it stays the same when rows of the same customer, or
    /// of the same text, join later. Near texts are sought band by band, short ones by the rows of words that they
    /// share: rows with an equal key are compared with a few of their neighbours, so that the cost is
    /// that of a sort for each band, whatever the texts are.
    ///
    /// # Errors
    /// If the sketches cannot be read.
    pub fn groups(&self, alike: f64) -> Result<Groups, S::Error> {
        let mut ties = Ties { parents: (0..self.len() as u32).collect() };
        let texts = self.tying_texts();
        ties.join_equal(&texts, false);
        let mut near = if alike < 1.0 { self.near(alike, &mut ties)? } else { Vec::new() };
        self.shared.iter().for_each(|column| ties.join_equal(column, true));
        near.iter().for_each(|&(a, b)| ties.join(a, b));
        near.sort_unstable_by_key(|&(a, b)| (b, a));
        near.dedup_by_key(|(_, b)| *b);
        Ok(Groups { keys: self.keys(&texts, &mut ties), texts, near })
    }

    /// By row: the key of its text; sayings have one of their own each time.
    fn tying_texts(&self) -> Vec<u64> {
        let mut order: Vec<u32> =
            (0..self.len() as u32).filter(|row| self.words[*row as usize] <= SAYING).collect();
        let mut texts = self.texts.clone();
        order.par_sort_unstable_by_key(|&row| (texts[row as usize], row));
        let sayings = order.chunk_by(|a, b| self.texts[*a as usize] == self.texts[*b as usize]);
        for rows in sayings.filter(|rows| rows.len() > OFTEN) {
            for (time, row) in rows.iter().enumerate().skip(1) {
                // The same for the same row, when others join behind it.
                let own = &mut texts[*row as usize];
                *own = xxh3_64_with_seed(&own.to_le_bytes(), time as u64);
            }
        }
        texts
    }

    /// What stands on more than one side. `sides` holds the side of each row; rows without one
    /// are nowhere.
    ///
    /// # Panics
    /// If there is not one side for each row.
    pub fn overlap(&self, groups: &Groups, sides: &[Option<u8>]) -> Overlap {
        assert_eq!(sides.len(), self.len(), "{} sides for {} rows", sides.len(), self.len());
        let apart = |pair: &&(u32, u32)| match (sides[pair.0 as usize], sides[pair.1 as usize]) {
            (Some(a), Some(b)) => a != b,
            _ => false,
        };
        Overlap {
            texts: on_two_sides(&groups.texts, sides, false),
            near: groups.near.iter().filter(apart).count(),
            shared: self.shared.iter().map(|column| on_two_sides(column, sides, true)).collect(),
        }
    }

    fn keys(&self, texts: &[u64], ties: &mut Ties) -> Vec<u64> {
        // The rank of a row's key, and the key: those of its first shared column come first.
        let own = |row: usize| {
            let shared = self.shared.iter().enumerate().find(|(_, column)| column[row] != 0);
            shared.map_or((u8::MAX, texts[row]), |(at, column)| (at as u8, column[row]))
        };
        let (mut ranks, mut keys) = (vec![u8::MAX; self.len()], vec![u64::MAX; self.len()]);
        for row in 0..self.len() {
            let root = ties.root(row as u32) as usize;
            (ranks[root], keys[root]) = (ranks[root], keys[root]).min(own(row));
        }
        drop(ranks);
        // A root stands before the rows of its group.
        for row in (0..self.len()).rev() {
            keys[row] = keys[ties.root(row as u32) as usize];
        }
        keys
    }

    /// Pairs of rows of nearly equal text. Of equal texts, which are tied already, only the
    /// first takes part.
    fn near(&self, alike: f64, ties: &mut Ties) -> Result<Vec<(u32, u32)>, S::Error> {
        let mut pairs: Vec<(u32, u32)> = Vec::new();
        let mut orders: [Order; TOGETHER] = Default::default();
        for first in (0..BANDS).step_by(TOGETHER) {
            let bands = first..(first + TOGETHER).min(BANDS);
            let keys = |sketch: &Sketch, give: &mut dyn FnMut(usize, u32)| {
                bands.clone().enumerate().for_each(|(at, band)| give(at, band_key(sketch, band)));
            };
            self.like(ties, keys, (&mut orders, alike, 1), &mut pairs)?;
        }
        for part in 0..PARTS {
            let keys = |sketch: &Sketch, give: &mut dyn FnMut(usize, u32)| {
                row_keys(sketch, (part, PARTS)).for_each(|key| give(key as usize % TOGETHER, key));
            };
            self.like(ties, keys, (&mut orders, alike, NEIGHBOURS), &mut pairs)?;
        }
        Ok(pairs)
    }

    /// Compares sketches of equal keys, of which `keys` gives each to one of several orders: the sketches are read once for
    /// all of these, which are then sorted and compared on all threads.
    fn like(
        &self,
        ties: &mut Ties,
        keys: impl Fn(&Sketch, &mut dyn FnMut(usize, u32)),
        (orders, alike, before): (&mut [Order; TOGETHER], f64, usize),
        pairs: &mut Vec<(u32, u32)>,
    ) -> Result<(), S::Error> {
        orders.iter_mut().for_each(Vec::clear);
        self.sketches.each(&mut |at, sketch| {
            let row = self.sketched[at as usize];
            if ties.root(row) == row {
                keys(sketch, &mut |order, key| orders[order].push((key, at)));
            }
        })?;
        let compared = |order: &mut Order| {
            order.par_sort_unstable();
            self.compared(order, (alike, before))
        };
        let found: Vec<Result<Order, S::Error>> = orders.par_iter_mut().map(compared).collect();
        found.into_iter().try_for_each(|found| {
            pairs.extend(found?);
            Ok(())
        })
    }

    /// Compares each with the first of its key and with so many before it, up to the first that it is like.
    fn compared(
        &self,
        order: &[(u32, u32)],
        (alike, before): (f64, usize),
    ) -> Result<Vec<(u32, u32)>, S::Error> {
        let mut pairs = Vec::new();
        let row = |at: u32| self.sketched[at as usize];
        for run in order.chunk_by(|a, b| a.0 == b.0).filter(|run| run.len() > 1) {
            let mut seen: Vec<(u32, Sketch)> = vec![(run[0].1, self.sketches.sketch(run[0].1)?)];
            for (_, at) in &run[1..] {
                let own = self.sketches.sketch(*at)?;
                let like = seen.iter().find(|(other, sketch)| other != at && are_alike(sketch, &own, alike));
                pairs.extend(like.map(|(other, _)| (row(*other), row(*at))));
                if seen.len() > before {
                    seen.remove(1);
                }
                seen.push((*at, own));
            }
        }
        Ok(pairs)
    }
}

/// By row: the key of its group where rows are tied that any of these divisions ties, each given by the keys of
/// its groups. The key is the least that the first division has in the group.
///
/// # Panics
/// If the divisions are of different rows, or there is none.
pub fn tied_by_any(divisions: &[Vec<u64>]) -> Vec<u64> {
    let rows = divisions[0].len();
    assert!(divisions.iter().all(|keys| keys.len() == rows), "divisions of different rows");
    let mut ties = Ties { parents: (0..rows as u32).collect() };
    divisions.iter().for_each(|keys| ties.join_equal(keys, false));
    let mut least = divisions[0].clone();
    for (row, key) in (0..).zip(&divisions[0]) {
        let root = ties.root(row) as usize;
        least[root] = least[root].min(*key);
    }
    (0..rows as u32).map(|row| least[ties.root(row) as usize]).collect()
}

/// What stands on more than one side of a split.
#[derive(Debug, Clone, PartialEq, Eq, serde::Serialize)]
pub struct Overlap {
    /// Texts that are equal but for case, blanks and marks.
    pub texts: usize,
    /// Pairs of nearly equal texts.
    pub near: usize,
    /// By column that ties rows: values.
    pub shared: Vec<usize>,
}

/// The keys that have rows on more than one side.
fn on_two_sides(keys: &[u64], sides: &[Option<u8>], blank: bool) -> usize {
    let placed = (0..keys.len() as u32).filter(|&row| sides[row as usize].is_some());
    let mut order: Vec<u32> = placed.filter(|&row| !(blank && keys[row as usize] == 0)).collect();
    order.par_sort_unstable_by_key(|&row| (keys[row as usize], row));
    let apart = |run: &&[u32]| run.iter().any(|&row| sides[row as usize] != sides[run[0] as usize]);
    order.chunk_by(|a, b| keys[*a as usize] == keys[*b as usize]).filter(apart).count()
}

/// Connected components: union by smallest row, with path halving.
struct Ties {
    parents: Vec<u32>,
}

impl Ties {
    fn root(&mut self, mut row: u32) -> u32 {
        while self.parents[row as usize] != row {
            let parent = self.parents[row as usize];
            self.parents[row as usize] = self.parents[parent as usize];
            row = self.parents[row as usize];
        }
        row
    }

    fn join(&mut self, a: u32, b: u32) {
        let (a, b) = (self.root(a), self.root(b));
        self.parents[a.max(b) as usize] = a.min(b);
    }

    /// Ties rows of equal keys; 0 ties nothing where it stands for a blank.
    fn join_equal(&mut self, keys: &[u64], blank: bool) {
        let mut order: Vec<u32> = (0..keys.len() as u32).collect();
        order.par_sort_unstable_by_key(|&row| (keys[row as usize], row));
        for pair in order.windows(2) {
            let key = keys[pair[0] as usize];
            if key == keys[pair[1] as usize] && !(blank && key == 0) {
                self.join(pair[0], pair[1]);
            }
        }
    }
}
