//! Which counted terms a training part keeps, and what they weigh.

use std::sync::Arc;

use rayon::prelude::*;
use serde::Serialize;

use super::associate::association;
use super::count::Counted;
use super::made_of::MadeOf;
use super::rules::{Combine, Emphasis, TermRules};
use super::subwords::Subword;
use super::term_id::TermId;
use super::vocabulary::Vocabulary;
use super::weigh::{BesideRows, Weighted, class_ratio, ratio_totals};
use crate::beside::{Coding, Features, VECTORS};
use crate::choice::choice;
use crate::labels::per_class::{CLASSES, ClassCounts, PerClass};
use crate::labels::polarity::Polarity;
use crate::matrix::{Entry, Rows, count_columns};
use crate::resample::folds::Sample;
use crate::terms::vectors::VectorCoding;

choice! {
    /// What becomes of a counted term. The rules are asked in this order, and the first that
    /// speaks decides.
    #[derive(PartialOrd, Ord, Serialize)]
    #[serde(rename_all = "snake_case")]
    TermStatus {
        /// Its length is none of `terms.words`: it only begins longer ones.
        Prefix = "prefix",
        /// The study lets no word count.
        Unread = "unread",
        /// No training review holds it.
        Absent = "absent",
        /// `terms.exclude` names it.
        Excluded = "excluded",
        /// `terms.include` names it: kept.
        Included = "included",
        /// `terms.only` names it: kept.
        Listed = "listed",
        /// `terms.only` names others.
        Unlisted = "unlisted",
        /// Fewer reviews than `terms.at_least`, or `terms.at_least_of` of its kind, hold it.
        Rare = "rare",
        /// Fewer groups of reviews than `terms.at_least_groups` hold it.
        OfFew = "of_few",
        /// More reviews than `terms.at_most` hold it.
        Frequent = "frequent",
        /// It is none of the `terms.limit` most frequent.
        BeyondLimit = "beyond_limit",
        /// It is none of the `terms.best` share by association.
        Weak = "weak",
        /// Nothing speaks against it.
        Kept = "kept",
    }
}

impl TermStatus {
    /// Whether the term is used.
    pub fn keeps(self) -> bool {
        matches!(self, Self::Included | Self::Listed | Self::Kept)
    }
}

/// Which classes the emphasis of a term tells apart.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) enum Contrast {
    /// Positive from negative.
    Poles,
    /// Each class from the others: where each has weights of its own, what speaks for neutral counts as much.
    Classes,
}

/// The terms that a training part keeps.
///
/// It is a function of the training rows alone: the counts of terms in other rows play no
/// role, so nothing of a held-out review reaches its model.
#[derive(Debug, Clone, PartialEq)]
pub struct Selection {
    /// The number of training reviews of each class.
    pub mix: ClassCounts,
    /// By class, then by term: the training reviews of the class that hold it.
    counts: PerClass<Vec<u32>>,
    /// By term: the document factor (the second SMART letter, times the emphasis), or 0 if it
    /// is left out.
    pub document_factors: Vec<f32>,
    /// By term: what becomes of it.
    pub statuses: Vec<TermStatus>,
    /// The mean number of terms of a training review, where the normalisation needs it.
    pub pivot: f64,
    /// What the training rows teach of what stands beside the terms, where something does.
    pub(crate) other: Option<Other>,
}

/// What training rows teach of what stands beside the terms, and what all rows have there under it: features of columns,
/// then mean vectors.
#[derive(Debug, Clone, PartialEq)]
pub(crate) struct Other {
    pub(crate) coding: Option<Coding>,
    pub(crate) vectors: Option<VectorCoding>,
    rows: Arc<Rows>,
    /// By feature: what its values are multiplied by before they are learnt from.
    pub(crate) scales: Vec<f32>,
    /// The entries of a review that are of columns.
    slots: usize,
}

impl Other {
    fn learn(features: &Features, counted: &Counted, training: &[u32]) -> Option<Self> {
        let coding = features.learn(&counted.beside, training);
        let bags = counted.vectors.as_ref().filter(|_| features.vectors.is_some());
        let vectors = bags.map(|bags| VectorCoding::learn(bags, training));
        let columns = coding.as_ref().map(|coding| coding.rows(&counted.beside, counted.rows.len()));
        let mut scales = coding.as_ref().map_or(Vec::new(), Coding::scales);
        let rows = match (bags, &vectors, columns) {
            (Some(bags), Some(vectors), columns) => {
                let own = vectors.behind(bags, columns.as_ref(), scales.len());
                let scale = features.penalty(VECTORS).sqrt().recip() as f32;
                scales.extend(std::iter::repeat_n(scale, VectorCoding::features(bags)));
                own
            }
            (_, _, Some(columns)) => columns,
            _ => return None,
        };
        let slots = coding.as_ref().map_or(0, |coding| coding.slots());
        Some(Self { coding, vectors, rows: Arc::new(rows), scales, slots })
    }

    /// The entries of all reviews.
    pub(crate) fn rows(&self) -> &Rows {
        &self.rows
    }
}

impl Selection {
    /// Counts the terms in `training` rows of the sample, applies the rules, and weighs what is kept.
    pub fn new(counted: &Counted, sample: &Sample, training: &[u32]) -> Self {
        Self::of_rows(counted, sample, training, counts_of(counted, sample, training))
    }

    /// As [`new`](Self::new), of rows whose terms are counted.
    fn of_rows(counted: &Counted, sample: &Sample, training: &[u32], counts: PerClass<Vec<u32>>) -> Self {
        let groups = (counted.rules.at_least_groups > 1).then(|| groups_of(counted, sample, training));
        let mut selection = Self::decided(counted, sample.mix(training), counts, groups.as_deref());
        selection.pivot = counted.rules.weighting.pivot(&counted.rows, training, &selection.document_factors);
        selection
    }

    /// As [`new`](Self::new), where the training reviews of each class that hold a term are known and the rows are not: all
    /// that needs no more of them.
    pub(crate) fn of_counts(counted: &Counted, mix: ClassCounts, counts: PerClass<Vec<u32>>) -> Self {
        Self::decided(counted, mix, counts, None)
    }

    fn decided(
        counted: &Counted,
        mix: ClassCounts,
        counts: PerClass<Vec<u32>>,
        groups: Option<&[u32]>,
    ) -> Self {
        let mut selection =
            Self { mix, counts, document_factors: Vec::new(), statuses: Vec::new(), pivot: 0.0, other: None };
        selection.statuses = selection.decide(counted, groups);
        selection.document_factors = selection.factors(counted, Contrast::Poles);
        selection
    }

    /// As [`new`](Self::new), with what the study lets count beside the terms, or in place of them.
    pub fn under(features: &Features, counted: &Counted, sample: &Sample, training: &[u32]) -> Self {
        Self::new(counted, sample, training).with_beside(features, counted, training)
    }

    /// The selection of these rows but for some, `training` being the others: those that are held out are counted, and not
    /// the many that are left.
    pub fn without(
        &self,
        held: &[u32],
        training: &[u32],
        (features, counted, sample): (&Features, &Counted, &Sample),
    ) -> Self {
        let mut counts = counts_of(counted, sample, held);
        for class in CLASSES {
            let own = counts[class].iter_mut().zip(&self.counts[class]);
            own.for_each(|(held, all)| *held = all - *held);
        }
        Self::of_rows(counted, sample, training, counts).with_beside(features, counted, training)
    }

    fn with_beside(mut self, features: &Features, counted: &Counted, training: &[u32]) -> Self {
        self.other = Other::learn(features, counted, training);
        if !features.text {
            self.statuses.fill(TermStatus::Unread);
            self.document_factors.fill(0.0);
        }
        self
    }

    /// The features of a review in the columns beside the text.
    pub(crate) fn beside(&self, row: usize) -> &[Entry] {
        self.other.as_ref().map_or(&[], |other| &other.rows.row(row)[..other.slots])
    }

    /// The same terms, weighed to tell each class from the others.
    pub(crate) fn of_classes(&self, counted: &Counted) -> Self {
        Self { document_factors: self.factors(counted, Contrast::Classes), ..self.clone() }
    }

    /// The rows as these terms weigh them, to tell positive from negative.
    pub fn weighted_for_poles<'a>(&self, counted: &'a Counted) -> Weighted<'a> {
        self.weighted(counted, Contrast::Poles)
    }

    /// The rows as these terms weigh them, to tell such classes apart.
    pub(crate) fn weighted<'a>(&self, counted: &'a Counted, contrast: Contrast) -> Weighted<'a> {
        let factors = match contrast {
            Contrast::Poles => self.document_factors.clone(),
            Contrast::Classes => self.factors(counted, contrast),
        };
        let weighted = Weighted::new(&counted.rows, factors, counted.rules.weighting, self.pivot);
        match &self.other {
            None => weighted,
            Some(other) => {
                weighted.with_beside(BesideRows::new(Arc::clone(&other.rows), other.scales.clone()))
            }
        }
    }

    /// By term: its document factor.
    fn factors(&self, counted: &Counted, contrast: Contrast) -> Vec<f32> {
        let counts = |term: TermId| self.counts_if_kept(term);
        let factors = DocumentFactors::new((&counted.rules, contrast), self.mix, self.statuses.len(), counts);
        let factor =
            |term: TermId| counts(term).map_or(0.0, |counts| factors.of(term, counts, &counted.vocabulary));
        by_term(self.statuses.len(), factor)
    }

    /// The number of training reviews.
    pub fn reviews(&self) -> usize {
        self.mix.iter().sum()
    }

    /// The training reviews of each class that hold a term.
    pub fn counts(&self, term: TermId) -> ClassCounts {
        PerClass::of(|class| self.counts[class][term.place()] as usize)
    }

    /// The training reviews of a class that hold a term.
    pub(crate) fn count(&self, class: Polarity, term: TermId) -> u32 {
        self.counts[class][term.place()]
    }

    /// The training reviews that hold a term.
    pub fn document_count(&self, term: TermId) -> u32 {
        self.counts.iter().map(|own| own[term.place()]).sum()
    }

    /// Whether a term is kept.
    pub fn keeps(&self, term: TermId) -> bool {
        self.statuses[term.place()].keeps()
    }

    fn counts_if_kept(&self, term: TermId) -> Option<ClassCounts> {
        self.keeps(term).then(|| self.counts(term))
    }

    /// The number of kept terms.
    pub fn len(&self) -> usize {
        self.statuses.iter().filter(|status| status.keeps()).count()
    }

    /// Whether there is nothing to learn from: no term is kept, and no column counts.
    pub fn is_empty(&self) -> bool {
        self.other.is_none() && !self.statuses.iter().any(|status| status.keeps())
    }

    /// The sums over these terms of the reviews of each class that hold them.
    pub(crate) fn held(&self, terms: impl Iterator<Item = TermId>) -> ClassCounts {
        terms.fold(ClassCounts::default(), |sums, term| sums.plus(self.counts(term)))
    }

    /// By column of the matrix: what the class ratio of its term alone says of a review, per unit of the term's value. A value holds the
    /// emphasis; the leaning undoes it, so that value x leaning is term factor x document factor x class ratio.
    pub(crate) fn leanings(&self, rules: &TermRules) -> Vec<f64> {
        let terms = || TermId::all(self.statuses.len());
        let counts = |term: TermId| self.counts_if_kept(term);
        let factors = DocumentFactors::new((rules, Contrast::Poles), self.mix, self.statuses.len(), counts);
        let leaning = |counts: ClassCounts| {
            let ratio = factors.ratio(poles(counts));
            ratio / (ratio.abs() + rules.emphasis_least).max(f64::MIN_POSITIVE)
        };
        let leaning = |term: TermId| counts(term).map_or(0.0, leaning);
        let beside = self.other.as_ref().map_or(0, |other| other.scales.len());
        terms().map(leaning).chain(std::iter::repeat_n(0.0, beside)).collect()
    }

    fn decide(&self, counted: &Counted, groups: Option<&[u32]>) -> Vec<TermStatus> {
        let rules = &counted.rules;
        let (floors, ceiling) = (rules.floors(self.reviews()), rules.at_most.of(self.reviews()));
        let named = !(counted.included.is_empty() && counted.excluded.is_empty());
        let alone = |term: TermId| match self.document_count(term) {
            _ if !counted.takes(term) => TermStatus::Prefix,
            0 => TermStatus::Absent,
            _ if named && counted.excluded.contains(&term) => TermStatus::Excluded,
            _ if let Some(only) = &counted.only => match only.contains(&term) {
                true => TermStatus::Listed,
                false => TermStatus::Unlisted,
            },
            _ if named && counted.included.contains(&term) => TermStatus::Included,
            df if df < floors.of(counted.vocabulary.made_of(term)) => TermStatus::Rare,
            _ if groups.is_some_and(|groups| groups[term.place()] < rules.at_least_groups) => {
                TermStatus::OfFew
            }
            df if df > ceiling => TermStatus::Frequent,
            _ => TermStatus::Kept,
        };
        let mut statuses = by_term(counted.vocabulary.len(), alone);
        if rules.limit > 0 || rules.best < 1.0 {
            self.rank(counted, &mut statuses);
        }
        statuses
    }

    /// Applies limit and best share to the terms that nothing has spoken against. Ties are
    /// settled by the alphabet, never by the numbering of terms, which other rows may change.
    fn rank(&self, counted: &Counted, statuses: &mut [TermStatus]) {
        let rules = &counted.rules;
        let open: Vec<TermId> =
            TermId::all(statuses.len()).filter(|term| statuses[term.place()] == TermStatus::Kept).collect();
        let alphabet = |term: TermId| counted.alphabet[term.place()];
        let mut limited = vec![false; statuses.len()];
        if rules.limit > 0 {
            let mut order = open.clone();
            order.par_sort_unstable_by_key(|&term| {
                (std::cmp::Reverse(self.document_count(term)), alphabet(term))
            });
            order.iter().skip(rules.limit as usize).for_each(|term| limited[term.place()] = true);
        }
        let mut weak = vec![false; statuses.len()];
        if rules.best < 1.0 {
            let held = self.held(open.iter().copied());
            let strength = |&term: &TermId| association(rules.association, self.counts(term), self.mix, held);
            let mut order: Vec<(f64, TermId)> = open.iter().map(|term| (strength(term), *term)).collect();
            order.par_sort_unstable_by(|(a, one), (b, other)| {
                b.total_cmp(a).then_with(|| alphabet(*one).cmp(&alphabet(*other)))
            });
            let keep = (rules.best * open.len() as f64).ceil() as usize;
            order.iter().skip(keep).for_each(|(_, term)| weak[term.place()] = true);
        }
        let either = rules.combine == Combine::Any && rules.limit > 0 && rules.best < 1.0;
        for term in open {
            let at = term.place();
            let status = &mut statuses[at];
            *status = match (limited[at], weak[at]) {
                (true, false) | (false, true) if either => TermStatus::Kept,
                (true, _) => TermStatus::BeyondLimit,
                (_, true) => TermStatus::Weak,
                _ => TermStatus::Kept,
            };
        }
    }
}

/// By class, then by term: the training rows of the class that hold it. Counts miss the caches: every
/// core counts in some of the rows.
fn counts_of(counted: &Counted, sample: &Sample, training: &[u32]) -> PerClass<Vec<u32>> {
    let terms = counted.vocabulary.len();
    let of_piece = |rows: &[u32]| {
        let mut counts: PerClass<Vec<u32>> = PerClass::default();
        let mut columns = Vec::new();
        for &row in rows {
            let own = &mut counts[sample.labels[row as usize]];
            own.resize(terms, 0);
            let held = |row: u32| counted.rows.row(row as usize).iter().map(|entry| entry.column);
            let copies = sample.copies.of(row);
            if copies.is_empty() {
                count_columns(counted.rows.row(row as usize), own);
                continue;
            }
            // A review and its copies are one review.
            columns.clear();
            columns.extend(held(row).chain(copies.flat_map(held)));
            columns.sort_unstable();
            columns.dedup();
            columns.iter().for_each(|column| own[*column as usize] += 1);
        }
        counts
    };
    let piece = training.len().div_ceil(rayon::current_num_threads()).max(1);
    let mut pieces = training.par_chunks(piece).map(of_piece).collect::<Vec<_>>().into_iter();
    let mut counts = pieces.next().unwrap_or_default();
    for more in pieces {
        for class in CLASSES {
            let own = &mut counts[class];
            own.resize(own.len().max(more[class].len()), 0);
            own.iter_mut().zip(&more[class]).for_each(|(own, more)| *own += more);
        }
    }
    counts.map(|mut own| {
        own.resize(terms, 0);
        own
    })
}

/// By term: the groups of training rows that hold it. One pass over the rows, group by group.
fn groups_of(counted: &Counted, sample: &Sample, training: &[u32]) -> Vec<u32> {
    let groups = &sample.groups;
    let mut order: Vec<u32> = training.to_vec();
    order.par_sort_unstable_by_key(|&row| (groups[row as usize], row));
    let terms = counted.vocabulary.len();
    let (mut held, mut last) = (vec![0u32; terms], vec![u32::MAX; terms]);
    let same = |a: &u32, b: &u32| groups[*a as usize] == groups[*b as usize];
    for (nth, rows) in order.chunk_by(same).enumerate() {
        let all = rows.iter().flat_map(|&row| std::iter::once(row).chain(sample.copies.of(row)));
        for entry in all.flat_map(|row| counted.rows.row(row as usize)) {
            let column = entry.column as usize;
            if last[column] != nth as u32 {
                (last[column], held[column]) = (nth as u32, held[column] + 1);
            }
        }
    }
    held
}

/// The document factors of a training part: a function of a term's counts in it.
pub(crate) struct DocumentFactors<'r> {
    rules: &'r TermRules,
    reviews: usize,
    totals: [f64; 2],
    /// Where each class is told from the others: [`ratio_totals`] of each against the rest.
    against: Option<PerClass<[f64; 2]>>,
    /// By the number of reviews that hold a term: its factor before the emphasis. A million terms need few
    /// logarithms then; empty where there are more reviews than terms.
    by_reviews: Vec<f64>,
    /// By the counts of both poles below [`FEW`]: the class ratio. Most terms are rare, and a logarithm costs more
    /// than all else that is asked of a term.
    ratios: Vec<f64>,
    /// By the same, where no other class is told apart: the factor before the term is looked at.
    pairs: Vec<f64>,
}

/// Terms that a core takes at a time: enough to be worth handing over.
const TERMS_AT_ONCE: usize = 1 << 14;
/// Counts below this are those of nearly all terms.
const FEW: u32 = 32;

impl<'r> DocumentFactors<'r> {
    /// For `terms` terms; `counts` tells those of each that is kept.
    pub(crate) fn new(
        (rules, contrast): (&'r TermRules, Contrast),
        mix: ClassCounts,
        terms: usize,
        counts: impl Fn(TermId) -> Option<ClassCounts> + Sync,
    ) -> Self {
        let by_class = contrast == Contrast::Classes && rules.emphasis == Emphasis::ClassRatio;
        let (mut totals, mut against) = ([1.0; 2], None);
        if by_class {
            against = Some(PerClass::of(|class| totals_of(terms, &counts, |counts| apart(counts, class))));
        } else if rules.emphasis == Emphasis::ClassRatio {
            totals = totals_of(terms, &counts, poles);
        }
        let reviews = mix.iter().sum();
        let most = if reviews <= terms { reviews } else { 0 };
        let by_reviews = (0..=most).map(|df| rules.weighting.document_factor(df as u32, reviews)).collect();
        let few = if rules.emphasis == Emphasis::ClassRatio { 0..FEW } else { 0..0 };
        let ratio = |negative: u32| (0..FEW).map(move |positive| class_ratio([negative, positive], totals));
        let ratios = few.flat_map(ratio).collect();
        let mut own = Self { rules, reviews, totals, against, by_reviews, ratios, pairs: Vec::new() };
        // Of fewer reviews, or where reviews are more than terms, it would cost more than it saves.
        if own.against.is_none() && (2 * FEW as usize) < own.by_reviews.len() {
            let counts =
                |negative: u32, positive: u32| [negative, positive, 0].map(|own| own as usize).into();
            let pairs = (0..FEW).flat_map(|negative| (0..FEW).map(move |positive| (negative, positive)));
            own.pairs = pairs.map(|(negative, positive)| own.unscaled(counts(negative, positive))).collect();
        }
        own
    }

    /// The factor of a kept term with these counts, as 32 bits hold it.
    #[inline]
    pub(crate) fn of(&self, term: TermId, counts: ClassCounts, vocabulary: &Vocabulary) -> f32 {
        let [negative, positive, neutral] = counts.into_array();
        let few = neutral == 0 && negative < FEW as usize && positive < FEW as usize;
        let known = if few { self.pairs.get(negative * FEW as usize + positive) } else { None };
        let unscaled = known.copied().unwrap_or_else(|| self.unscaled(counts));
        (unscaled * self.scale(term, vocabulary)) as f32
    }

    /// The factor of a term with these counts, whatever its kind.
    fn unscaled(&self, counts: ClassCounts) -> f64 {
        let df = counts.iter().sum::<usize>();
        let compute = || self.rules.weighting.document_factor(df as u32, self.reviews);
        let factor = self.by_reviews.get(df).copied().unwrap_or_else(compute);
        let emphasis = match self.rules.emphasis {
            Emphasis::None => 1.0,
            Emphasis::ClassRatio => self.told_apart(counts) + self.rules.emphasis_least,
        };
        factor * emphasis
    }

    /// How far a term tells classes apart: the size of its log ratio, the largest of those of a class and the rest.
    fn told_apart(&self, counts: ClassCounts) -> f64 {
        let Some(against) = &self.against else { return self.ratio(poles(counts)).abs() };
        let size = |class: &Polarity| class_ratio(apart(counts, *class), against[*class]).abs();
        CLASSES.iter().map(size).fold(0.0, f64::max)
    }

    fn ratio(&self, counts: [u32; 2]) -> f64 {
        match counts {
            [negative @ ..FEW, positive @ ..FEW] => self.ratios[(negative * FEW + positive) as usize],
            _ => class_ratio(counts, self.totals),
        }
    }

    /// What a term weighs for its kind.
    fn scale(&self, term: TermId, vocabulary: &Vocabulary) -> f64 {
        let kind = match vocabulary.made_of(term) {
            MadeOf::Words(_) => 1.0,
            MadeOf::Part(Subword::Letters) => self.rules.letters_scale,
            MadeOf::Part(Subword::Stem) => self.rules.stems_scale,
        };
        let marked = self.rules.marked_scale != 1.0 && vocabulary.is_negated(term);
        if marked { kind * self.rules.marked_scale } else { kind }
    }
}

/// What `of` tells of each of so many terms, on all cores.
pub(crate) fn by_term<T: Send>(terms: usize, of: impl Fn(TermId) -> T + Sync) -> Vec<T> {
    let places = (0..terms as u32).into_par_iter().with_min_len(TERMS_AT_ONCE);
    places.map(|place| of(TermId::new(place))).collect()
}

/// [`ratio_totals`] of what `sides` makes of the counts of so many terms.
fn totals_of(
    terms: usize,
    counts: impl Fn(TermId) -> Option<ClassCounts> + Sync,
    sides: impl Fn(ClassCounts) -> [u32; 2] + Sync,
) -> [f64; 2] {
    let of_chunk = |chunk: usize| {
        let places = chunk * TERMS_AT_ONCE..((chunk + 1) * TERMS_AT_ONCE).min(terms);
        ratio_totals(places.filter_map(|place| counts(TermId::new(place as u32))).map(&sides))
    };
    // Whole numbers: exact in any order.
    let sum = |a: [f64; 2], b: [f64; 2]| [a[0] + b[0], a[1] + b[1]];
    (0..terms.div_ceil(TERMS_AT_ONCE)).into_par_iter().map(of_chunk).reduce(|| [0.0; 2], sum)
}

/// The counts of the other classes, and of a class.
fn apart(counts: ClassCounts, class: Polarity) -> [u32; 2] {
    let own = counts[class];
    [(counts.iter().sum::<usize>() - own) as u32, own as u32]
}

/// The counts of both poles.
pub(crate) fn poles(counts: ClassCounts) -> [u32; 2] {
    [counts[Polarity::Negative] as u32, counts[Polarity::Positive] as u32]
}
