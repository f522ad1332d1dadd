//! Labelled reviews as terms: what is learnt from, any number of times.

use std::collections::{BTreeMap, HashSet};

use heddle_core::Choice;
use heddle_core::labels::ClassCounts;
use heddle_core::model::{Fit, Model, Validated, fit};
use heddle_core::resample::{LearntTexts, Sample, draw};
use heddle_core::settings::Study;
use heddle_core::terms::{Corpus, Counted};
use heddle_core::text::{Case, Document, Language, known_language};
use heddle_core::validate::{FoldSplit, Validation, cross_validate, fold_splits};
use heddle_files::Input;
use rayon::prelude::*;

use crate::drift::languages;
use crate::error::{Result, fail};
use crate::reviews::labelled::{LabelledReviews, ReadAs};
use crate::reviews::labelling::Account;
use crate::session::Session;
use crate::vectors::{file_name, with_vectors};
use crate::words::{count, number};

/// Reviews as terms, ready for any number of fits.
pub struct TrainingSet {
    /// The reviews as numbers of words.
    pub corpus: Corpus,
    /// Their terms.
    pub counted: Counted,
    /// By review: its class, and what it belongs to.
    pub sample: Sample,
    /// What became of every row.
    pub account: Account,
    /// Where the reviews come from.
    pub input: Input,
    /// The settings in force; where the files say which class mix is natural, with that.
    pub study: Study,
    /// The texts that the rule leaves out between the classes.
    middle: Vec<Document>,
    /// What the reviews are known again by.
    learnt: LearntTexts,
    /// How many are in which language, of some of them.
    languages: BTreeMap<String, u64>,
}

impl TrainingSet {
    /// Reads the texts once and counts their terms; the texts are dropped.
    pub fn new(reviews: LabelledReviews, session: &Session) -> Result<Self> {
        let read = Read::new(&reviews, session)?;
        let LabelledReviews { sample, account, input, table, keys, .. } = reviews;
        drop(table);
        read.counted((sample, account, input), LearntTexts::new(keys), session)
    }

    /// As [`new`](Self::new), where the reviews themselves are needed later: their texts stay in memory beside the terms.
    pub fn of(reviews: &LabelledReviews, session: &Session) -> Result<Self> {
        let read = Read::new(reviews, session)?;
        let LabelledReviews { sample, account, input, keys, .. } = reviews;
        let told = (sample.clone(), account.clone(), input.clone());
        read.counted(told, LearntTexts::new(keys.clone()), session)
    }

    /// Learns from all reviews.
    pub fn fit(&self, session: &Session) -> Result<Fit> {
        let rows: Vec<u32> = (0..self.sample.len() as u32).collect();
        let task = session.busy("learning");
        let fitted = fit(&self.counted, &self.sample, &rows, &self.study);
        task.end();
        Ok(fitted?)
    }

    /// The model of a fit.
    pub fn model(&self, fit: &Fit, validated: Option<Validated>) -> Model {
        Model::new(&self.corpus, &self.counted, fit, &self.study, validated)
            .with_learnt(self.learnt.clone())
            .with_languages(self.languages.clone())
    }

    /// The texts between the classes: they teach nothing, and show what a model makes of them.
    pub fn middle(&self) -> &[Document] {
        &self.middle
    }

    /// Labelled reviews of each class, in the order of [`heddle_core::labels::Polarity::index`].
    pub fn counts(&self) -> ClassCounts {
        self.account.counts()
    }

    /// Cross-validates, showing progress.
    pub fn validate(&self, session: &Session) -> Result<Validation> {
        self.validate_as(&self.study, "folds", session)
    }

    /// As [`validate`](Self::validate), under settings that make other models of the same terms; progress is shown under a
    /// name of its own.
    pub fn validate_as(&self, study: &Study, name: &'static str, session: &Session) -> Result<Validation> {
        let task = session.progress(name, study.validation.folds * study.validation.rounds);
        let validation = cross_validate(&self.counted, &self.sample, study, || task.advance(1));
        task.end();
        Ok(validation?)
    }

    /// The splits that validation uses.
    pub fn splits(&self) -> Result<Vec<FoldSplit>> {
        let rows: Vec<u32> = (0..self.sample.len() as u32).collect();
        Ok(fold_splits(&self.sample, &rows, &self.study.validation)?)
    }
}

/// Texts that were read.
struct Read {
    study: Study,
    corpus: Corpus,
    middle: Vec<Document>,
    languages: BTreeMap<String, u64>,
}

/// Training reviews whose language is told, drawn at random: to tell it takes longer than to read the review.
const TOLD: usize = 256;
/// Of these so many are looked at before anything is done.
const GLANCE: usize = 64;

impl Read {
    fn new(reviews: &LabelledReviews, session: &Session) -> Result<Self> {
        reviews.check_classes()?;
        let mut study = session.study().clone();
        study.balance.natural = study.balance.natural.or(reviews.natural);
        let all = reviews.rows.len();
        let some = |most| draw(all, most, study.validation.seed);
        let glance: Vec<String> =
            some(GLANCE).into_iter().map(|at| reviews.review(at).text().into()).collect();
        tell_of_languages(&glance, &study, session);
        let task = session.busy("reading");
        let corpus = Corpus::read(&ReadAs::new(reviews, &study)?, study.corpus_rules());
        task.end();
        let corpus = with_vectors(corpus, &study, session)?;
        let languages = languages(some(TOLD), |at| reviews.review(at));
        // A model keeps no path.
        study.features.vectors = study.features.vectors.as_deref().map(file_name);
        Ok(Self { study, corpus, middle: reviews.middle_texts(), languages })
    }

    fn counted(
        self,
        (sample, account, input): (Sample, Account, Input),
        learnt: LearntTexts,
        session: &Session,
    ) -> Result<TrainingSet> {
        let Self { study, corpus, middle, languages } = self;
        let task = session.busy("counting");
        let counted = Counted::new(&corpus, &study.terms);
        task.end();
        warn_of_names(&corpus, &counted, &study, session);
        tell_of_columns(&corpus, &study, session)?;
        let only = study.terms.only.len();
        if only > 0 {
            session.remark(&format!(
                "note: terms.only names {}: figures are too good where these reviews had a part in choosing them",
                count(only, "term")
            ));
        }
        let emptied = corpus.without_tokens();
        if emptied > 0 {
            session.remark(&format!(
                "note: cleaning leaves no token of {}: their score is the intercept",
                count(emptied, "review")
            ));
        }
        Ok(TrainingSet { corpus, counted, sample, account, input, study, middle, learnt, languages })
    }
}

/// Says so where most of some texts are in a language by whose tables none is read: its negators would be words like any
/// other.
pub(crate) fn tell_of_languages(texts: &[String], study: &Study, session: &Session) {
    /// So many must be told, and so large a share of them be in the language.
    const FEWEST: usize = 12;
    const MOST: f64 = 0.6;
    let told: Vec<Language> = texts.par_iter().filter_map(|text| known_language(text)).collect();
    let names = &study.text.languages;
    let foreign = |language: &Language| {
        let own = told.iter().filter(|told| *told == language).count();
        !names.contains(language) && told.len() >= FEWEST && own as f64 >= MOST * told.len() as f64
    };
    let Some(language) = Language::ALL.iter().find(|language| foreign(language)) else { return };
    let (what, known) = match language {
        Language::Other => ("a language whose negators are not known", "negation.also can name some"),
        known => (known.title(), "what negates in it is known then"),
    };
    let read: Vec<&str> = names.iter().map(|language| language.title()).collect();
    session.remark(&format!(
        "warning: most texts are in {what}, and are read as {}: set text.languages={} ({known})",
        read.join(", "),
        language.name()
    ));
}

/// Parts of the names of columns that are filled only some time after a review was written.
const AFTERWARDS: [&str; 8] = ["vote", "helpful", "useful", "like", "reply", "replies", "respon", "answer"];

/// Says which columns tell little, or may not be known when a model is used.
///
/// # Errors
/// If a column names rows.
fn tell_of_columns(corpus: &Corpus, study: &Study, session: &Session) -> Result<()> {
    let reviews = corpus.len();
    for (used, variety) in study.features.columns.iter().zip(corpus.beside().variety()) {
        let Some(name) = used.column() else { continue };
        if variety.is_categories && variety.values > 20 && variety.values * 2 > reviews {
            fail!(
                Settings,
                "features.columns names `{name}`, which has {} different values in {}: it names rows, and says nothing \
                 of new reviews; leave it out",
                number(variety.values),
                count(reviews, "review")
            );
        }
        if variety.blank == reviews {
            fail!(
                Settings,
                "features.columns names `{used}`, and no cell of it can be read so; name it without its form, or leave \
                 it out"
            );
        }
        if variety.values < 2 && variety.blank == 0 {
            session.remark(&format!("note: column `{name}` has one value in all reviews: it adds nothing"));
        } else if variety.unread > 0 {
            session.remark(&format!(
                "warning: {} of column `{name}` cannot be read as `{used}` asks: it counts as blank",
                count(variety.unread, "cell")
            ));
        }
        let lower = name.to_lowercase();
        if AFTERWARDS.iter().any(|word| lower.contains(word)) {
            session.remark(&format!(
                "warning: column `{name}` looks like something that is known only some time after a review was written: \
                 a new review has none of it yet, and figures are too good where it does the work"
            ));
        }
    }
    Ok(())
}

/// Says which names of the lists no review holds.
pub fn warn_of_names(corpus: &Corpus, counted: &Counted, study: &Study, session: &Session) {
    const SHOWN: usize = 10;
    let names = &counted.unknown_names;
    if names.is_empty() {
        return;
    }
    let shown: Vec<String> = names.iter().take(SHOWN).map(|name| format!("`{name}`")).collect();
    let more = match names.len().saturating_sub(SHOWN) {
        0 => String::new(),
        more => format!(" and {more} more"),
    };
    let case = match other_case(corpus, counted, study) {
        0 => String::new(),
        other => format!("; {other} of them in other capital letters (text.case = \"keep\")"),
    };
    session.remark(&format!(
        "warning: no review holds {}{more}, which terms.include, terms.only or terms.exclude name{case}",
        shown.join(", ")
    ));
}

/// Names of the lists that no review holds as they are written, but in other capital letters.
pub fn other_case(corpus: &Corpus, counted: &Counted, study: &Study) -> usize {
    if study.text.case == Case::Lower || counted.unknown_names.is_empty() {
        return 0;
    }
    let lower: HashSet<String> = corpus.words.iter().map(str::to_lowercase).collect();
    let there = |name: &&String| name.to_lowercase().split_whitespace().all(|word| lower.contains(word));
    counted.unknown_names.iter().filter(there).count()
}
