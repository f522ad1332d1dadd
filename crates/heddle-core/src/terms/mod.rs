//! From tokens to a matrix of terms.
//!
//! A [`Corpus`] keeps the tokens of n reviews as numbers; [`Counted`] holds their m terms and one sparse
//! n x m matrix of term factors that all folds share; a [`Selection`] keeps the terms of some rows and
//! knows why others are left out; [`Weighted`] is the matrix with the factors of these rows.

pub(crate) mod alike;
pub(crate) mod associate;
pub(crate) mod cleaned;
pub(crate) mod corpus;
pub(crate) mod count;
pub(crate) mod encode;
pub(crate) mod fields;
pub(crate) mod find;
pub(crate) mod grams;
pub(crate) mod highest;
pub(crate) mod intern;
pub(crate) mod lookup;
pub(crate) mod made_of;
pub(crate) mod names;
pub(crate) mod report;
pub(crate) mod review_count;
pub(crate) mod rules;
pub(crate) mod select;
pub(crate) mod similar;
pub(crate) mod subwords;
pub(crate) mod tally;
pub(crate) mod term_id;
pub(crate) mod token_id;
pub mod vectors;
pub(crate) mod vocabulary;
pub(crate) mod weigh;
pub(crate) mod word_parts;

pub use alike::AlikeRow;
pub use cleaned::{Cleaned, StepCount, cleaned, shown};
pub use corpus::{Corpus, CorpusRules, Texts, WordTally};
pub use count::Counted;
pub use find::{Place, find};
pub use highest::highest;
pub use intern::Words;
pub use lookup::{Lookup, Stored};
pub use made_of::{LONGEST, MadeOf};
pub use report::{Band, Coverage, DistinctiveTerm, Doubt, ReviewTerm, TermFacts, TermReport};
pub use rules::{
    Association, Bound, Combine, Emphasis, Floors, KindFloor, LONGEST_LETTERS, Recipe, Stems, TermRules,
};
pub use select::{Selection, TermStatus};
pub use similar::{SimilarWord, similar_words};
pub use subwords::Subword;
pub use tally::{Tallied, Tally, TallyError, TermTally};
pub use term_id::TermId;
pub use token_id::TokenId;
pub use vocabulary::Vocabulary;
pub use weigh::{DocumentFactor, Normalisation, TermFactor, Weighted, Weighting};
pub use word_parts::WordParts;
