//! Reviews that say like things, for a quick look.

use heddle_core::clusters::{Cluster, Tried, Vectors, cluster, describe, most_stable, stabilities};
use heddle_core::measure::{Figure, share};
use heddle_core::terms::{Corpus, Counted, Emphasis, Selection, Stems, TermReport};
use heddle_files::Column;
use serde::Serialize;

use crate::error::{Result, fail};
use crate::reviews::found::{Needs, with_found};
use crate::reviews::labelled::{Kept, LabelledReviews, Purpose};
use crate::reviews::labelling::Account;
use crate::reviews::names::RowNames;
use crate::roles::CLUSTERED;
use crate::session::Session;

/// Beginnings of which the best is taken.
const DRAWS: usize = 8;

/// How clusters are looked for.
#[derive(Debug, Clone)]
pub struct ClustersOptions {
    /// The review files; those of the study where there are none.
    pub files: Vec<String>,
    /// How many clusters; the number that looks agree on best where it is not said.
    pub count: Option<usize>,
    /// The most that are tried where it is not said.
    pub most: usize,
    /// So many words of each.
    pub words: usize,
    /// So many reviews of each, the nearest to its centre.
    pub nearest: usize,
    /// Where the cluster of each review goes, if anywhere.
    pub out: Option<String>,
}

/// The clusters of reviews.
#[derive(Debug, Serialize)]
pub struct Clustered {
    /// What became of every row.
    pub account: Account,
    /// Reviews that are in a cluster.
    pub reviews: usize,
    /// Reviews without a word that could bring them together with others.
    pub without: usize,
    /// Whether no column holds ratings: classes are not told then.
    pub unrated: bool,
    /// The share of negative reviews.
    pub negative: Figure,
    /// By number of clusters: how well two looks agree; none where the number was said.
    pub tried: Vec<Tried>,
    /// The clusters, the largest first.
    pub clusters: Vec<ClusterFound>,
    /// Where the clusters of all reviews were written, if anywhere.
    pub written: Option<String>,
}

/// A cluster with what its reviews say.
#[derive(Debug, Serialize)]
pub struct ClusterFound {
    /// The cluster.
    #[serde(flatten)]
    pub cluster: Cluster,
    /// The reviews nearest to its centre.
    pub nearest: Vec<Nearest>,
}

/// A review near to the centre of its cluster.
#[derive(Debug, Serialize)]
pub struct Nearest {
    /// What the row is called.
    pub id: String,
    /// The review.
    pub text: String,
}

/// Finds clusters of reviews. Their words are weighted without regard to classes, whatever the study says.
///
/// # Errors
/// Reviews that cannot be read, too few of them, or a locked holdout.
pub fn clusters(session: &Session, options: &ClustersOptions) -> Result<Clustered> {
    let input = session.input(&options.files)?;
    let session = &with_found(session, &input, Needs::LABELS)?;
    let study = session.study();
    // Reviews that are tied together count as what they are in the intervals of their classes.
    let purpose = match Purpose::of_terms(&input, session)? {
        Purpose::Counts => Purpose::Counts,
        _ => Purpose::Learn,
    };
    let reviews = LabelledReviews::of(input, session, Kept::Needed, purpose)?;
    let names = RowNames::new(&reviews, study)?;
    let mut study = study.clone();
    // Groups that are to be held against classes must not know them.
    (study.terms.emphasis, study.terms.words) = (Emphasis::None, Some((1, 1)));
    (study.terms.letters, study.terms.stems) = (None, Stems::None);
    let task = session.busy("reading and counting");
    let corpus = Corpus::read(&reviews, study.corpus_rules());
    let counted = Counted::new(&corpus, &study.terms);
    let all: Vec<u32> = (0..reviews.sample.labels.len() as u32).collect();
    let selection = Selection::new(&counted, &reviews.sample.without_copies(), &all);
    task.end();
    let report = TermReport { corpus: &corpus, counted: &counted, selection: &selection };
    let vectors = Vectors::new(&report);
    let rows = vectors.rows();
    let least = options.count.unwrap_or(2);
    if rows.len() < least.max(2) * 2 {
        fail!(Reviews, "{} of the reviews share words with others: too few for {least} clusters", rows.len());
    }
    let seed = study.validation.seed;
    let tried = match options.count {
        Some(_) => Vec::new(),
        None => {
            let task = session.busy("trying numbers of clusters");
            let tried = stabilities(&vectors, options.most, seed);
            task.end();
            tried
        }
    };
    let count = options.count.or_else(|| most_stable(&tried)).unwrap_or(2);
    let found = cluster(&vectors, &rows, count, (DRAWS, seed));
    let told = (options.words, options.nearest);
    let (found, described) = describe((found, &rows), (&vectors, &report, &reviews.sample), told);
    if let Some(path) = &options.out {
        let columns = [Column::text(names.column()), Column::number("cluster"), Column::number("likeness")];
        let mut writer = session.row_writer(CLUSTERED, path, &columns)?;
        // A row for each review; those without a word that brings them together are in no cluster.
        let mut own = rows.iter().zip(found.of.iter().zip(&found.cosines)).peekable();
        for row in all.iter().copied() {
            match own.next_if(|(at, _)| **at == row) {
                Some((_, (cluster, cosine))) => {
                    writer.row([names.of(row as usize), &(cluster + 1).to_string(), &cosine.to_string()])?;
                }
                None => writer.row([names.of(row as usize), "", ""])?,
            }
        }
        writer.finish()?;
        session.commit()?;
    }
    let nearest = |row: &u32| Nearest {
        id: names.of(*row as usize).into(),
        text: reviews.review(*row as usize).text().into(),
    };
    let clusters = described
        .into_iter()
        .map(|cluster| ClusterFound { nearest: cluster.nearest.iter().map(nearest).collect(), cluster });
    Ok(Clustered {
        reviews: rows.len(),
        without: all.len() - rows.len(),
        unrated: purpose == Purpose::Counts,
        negative: share(reviews.account.negative, reviews.account.labelled()),
        tried,
        clusters: clusters.collect(),
        written: options.out.clone(),
        account: reviews.account,
    })
}
