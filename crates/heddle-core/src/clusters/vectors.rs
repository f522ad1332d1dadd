//! Reviews as vectors of their words.

use crate::terms::report::TermReport;
use crate::terms::term_id::TermId;

/// So many words span the vectors at most, those in most reviews: rarer ones bring no two reviews together.
const MOST: usize = 1 << 15;
/// Words in fewer reviews span nothing.
const FEWEST: usize = 2;

/// Reviews as sparse vectors of length 1 over words.
#[derive(Debug, Clone, Default)]
pub struct Vectors {
    /// By row: where its entries begin; the last is their end.
    starts: Vec<usize>,
    /// The dimension and the value of each entry, by row.
    entries: Vec<(u32, f32)>,
    /// By dimension: its term.
    terms: Vec<TermId>,
}

impl Vectors {
    /// The vectors of the reviews of a corpus, by the weights that their terms have. Terms of one word span them, without
    /// function words, marks and n-grams of letters.
    pub fn new(report: &TermReport<'_>) -> Self {
        let words = &report.corpus.words;
        let spans = |term: &TermId| {
            let vocabulary = &report.counted.vocabulary;
            let word = words.word(vocabulary.last_token(*term).word());
            report.selection.keeps(*term)
                && report.selection.document_count(*term) as usize >= FEWEST
                && vocabulary.words(*term) == 1
                && report.corpus.rules.is_content_word(word)
        };
        // Terms fall by count.
        let all = TermId::all(report.selection.statuses.len());
        let terms: Vec<TermId> = all.filter(spans).take(MOST).collect();
        let mut dimension = vec![u32::MAX; report.selection.statuses.len()];
        (0..).zip(&terms).for_each(|(at, term)| dimension[term.place()] = at);
        let row = |row: usize| {
            let own = report.weights(row).map(|(term, value)| (dimension[term.place()], value as f32));
            own.filter(|(dimension, _)| *dimension != u32::MAX)
        };
        Self::over(terms, (0..report.corpus.len()).map(row))
    }

    /// Vectors of length 1 from entries of dimension and value.
    pub fn of(rows: &[Vec<(u32, f32)>], dimensions: u32) -> Self {
        Self::over((0..dimensions).map(TermId::new).collect(), rows.iter().map(|row| row.iter().copied()))
    }

    /// Rows of entries, each scaled to length 1.
    fn over<R: Iterator<Item = (u32, f32)>>(terms: Vec<TermId>, rows: impl Iterator<Item = R>) -> Self {
        let (mut starts, mut entries) = (vec![0], Vec::new());
        for row in rows {
            let begins = entries.len();
            entries.extend(row);
            let length = entries[begins..].iter().map(|(_, value)| value * value).sum::<f32>().sqrt();
            entries[begins..].iter_mut().for_each(|(_, value)| *value /= length);
            starts.push(entries.len());
        }
        Self { starts, entries, terms }
    }

    /// The number of reviews.
    pub fn len(&self) -> usize {
        self.starts.len() - 1
    }

    /// Whether there is no review.
    pub fn is_empty(&self) -> bool {
        self.len() == 0
    }

    /// The number of dimensions.
    pub fn dimensions(&self) -> usize {
        self.terms.len()
    }

    /// The term of a dimension.
    pub fn term(&self, dimension: usize) -> TermId {
        self.terms[dimension]
    }

    /// The entries of a review; none where it has no word that spans.
    pub fn row(&self, row: u32) -> &[(u32, f32)] {
        &self.entries[self.starts[row as usize]..self.starts[row as usize + 1]]
    }

    /// The reviews that have a direction.
    pub fn rows(&self) -> Vec<u32> {
        (0..self.len() as u32).filter(|row| !self.row(*row).is_empty()).collect()
    }

    /// Adds a review to a sum over all dimensions.
    pub(super) fn add(&self, row: u32, sum: &mut [f32]) {
        self.row(row).iter().for_each(|(dimension, value)| sum[*dimension as usize] += value);
    }

    /// The cosine of a review with a centre of length 1.
    pub fn cosine(&self, row: u32, centre: &[f32]) -> f32 {
        self.row(row).iter().map(|(dimension, value)| value * centre[*dimension as usize]).sum()
    }
}
