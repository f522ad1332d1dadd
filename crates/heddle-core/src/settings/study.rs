//! Every setting of a piece of work, as one value.

use super::condition::Condition;
use super::error::SettingError;
use super::form::Form;
use crate::beside::Features;
use crate::choice::{Choice, choice};
use crate::labels::dates::DateOrder;
use crate::labels::names::{ClassNames, UNSURE};
use crate::labels::polarity::Polarity;
use crate::labels::rule::Rule;
use crate::learn::decide::Deciding;
use crate::learn::settings::{Events, Learning, Method};
use crate::resample::balance::Balancing;
use crate::resample::side::{By, Sides};
use crate::terms::corpus::CorpusRules;
use crate::terms::fields::FieldNames;
use crate::terms::rules::{FEW_TOKENS, Stems, TermRules};
use crate::terms::subwords::SubwordRules;
use crate::terms::word_parts::WordParts;
use crate::text::cleaner::Cleaner;
use crate::text::language::Language;
use crate::text::negation::{Negation, Prefixes};
use crate::text::recipe::{Recipe, Stem};
use crate::text::{language, replace, tables};

choice! {
    /// What the terms of several text columns have to do with each other.
    #[derive(Default)]
    Fields {
        /// Kept apart where the columns are named as opposites, such as pros and cons; else the same.
        #[default]
        Auto = "auto",
        /// They are the same terms: the columns are read one after the other.
        Joined = "joined",
        /// Each column has terms of its own: "good" in a headline is "headline:good".
        Separate = "separate",
    }
}

/// Which columns of a review file mean what.
#[derive(Debug, Clone, PartialEq)]
pub struct Columns {
    /// Files to read where the command line names none. Default: none.
    pub files: Vec<String>,
    /// The columns that hold the text; several are read one after the other. Default: review.
    pub text: Vec<String>,
    /// Whether several columns share their terms. Default: auto.
    pub fields: Fields,
    /// The column of the rating. Default: stars.
    pub stars: String,
    /// A column of classes that takes the place of the rating. Default: none.
    pub label: Option<String>,
    /// The column that names a row. Default: none, the row number.
    pub id: Option<String>,
    /// The column that names, in rows that are copies of another (rephrased, translated), the row that they are copies
    /// of, by its value in `id`. Default: none.
    pub copy_of: Option<String>,
    /// Rows that share a value here never stand on both sides of a split. Default: none.
    pub together: Vec<String>,
    /// The column of the date. Default: none.
    pub date: Option<String>,
    /// Columns that stand beside the text: figures are told for each of their values, and a
    /// baseline learns from them alone. The model never sees them. Default: none.
    pub beside: Vec<String>,
    /// Conditions that rows are kept by; all must hold. Default: none.
    pub keep: Vec<Condition>,
    /// How dates such as 3/4/2025 are read. Default: day-first.
    pub dates: DateOrder,
    /// How the files are written. Default: told by looking.
    pub form: Form,
}

impl Columns {
    /// The column that the rule is applied to.
    pub fn rated(&self) -> &str {
        self.label.as_deref().unwrap_or(&self.stars)
    }
}

impl Default for Columns {
    fn default() -> Self {
        Self {
            files: Vec::new(),
            text: vec!["review".into()],
            fields: Fields::default(),
            stars: "stars".into(),
            label: None,
            id: None,
            copy_of: None,
            together: Vec::new(),
            date: None,
            beside: Vec::new(),
            keep: Vec::new(),
            dates: DateOrder::default(),
            form: Form::default(),
        }
    }
}

choice! {
    /// How folds are made.
    #[derive(serde::Serialize)]
    #[serde(rename_all = "kebab-case")]
    #[derive(Default)]
    Order {
        /// At random, each with nearly the same class mix.
        #[default]
        Shuffled = "shuffled",
        /// By date: every fold is held out against all that came before it.
        Rolling = "rolling",
    }
}

/// The settings of splits and folds.
#[derive(Debug, Clone, PartialEq)]
pub struct Validating {
    /// The share of labelled rows that is locked away for the last test. Default: 20 %.
    pub holdout: f64,
    /// The share of labelled rows of a third part, to choose settings on. Default: 0.
    pub development: f64,
    /// How the holdout is drawn. Default: random.
    pub by: By,
    /// What a random split holds to. Default: stable.
    pub sides: Sides,
    /// Texts that have this share of their words in common, in order, or more, stay together; at 1 only equal ones do.
    /// Texts of fewer than eight words are alike only if they are equal.
    /// Default: 80 %.
    pub alike: f64,
    /// The number of folds. Default: 10.
    pub folds: usize,
    /// How folds are made. Default: shuffled.
    pub order: Order,
    /// Repetitions of all folds, each with a new shuffle. Default: 1.
    pub rounds: usize,
    /// Slices of fewer reviews are not shown. Default: 30.
    pub slices_from: usize,
    /// The seed of every draw. Default: 7.
    pub seed: u64,
}

impl Default for Validating {
    fn default() -> Self {
        Self {
            holdout: 0.2,
            development: 0.0,
            by: By::default(),
            sides: Sides::default(),
            alike: 0.85,
            folds: 10,
            order: Order::default(),
            rounds: 1,
            slices_from: 30,
            seed: 7,
        }
    }
}

/// Every setting of a piece of work.
#[derive(Debug, Clone, PartialEq, Default)]
pub struct Study {
    /// Which columns mean what.
    pub reviews: Columns,
    /// From stars to classes.
    pub polarity: Rule,
    /// Questions about the rule that only those who gave the ratings can answer: nothing is learnt while there is
    /// one. Default: none.
    pub open: Vec<String>,
    /// Cleaning.
    pub text: Recipe,
    /// Negation scopes.
    pub negation: Negation,
    /// Which n-grams become terms, and what they weigh.
    pub terms: TermRules,
    /// What counts beside terms.
    pub features: Features,
    /// Classes of unequal size.
    pub balance: Balancing,
    /// The learner.
    pub model: Learning,
    /// Splits and folds.
    pub validation: Validating,
    /// From log-odds to verdicts.
    pub decision: Deciding,
}

impl Study {
    /// How a cell becomes a class, in words, for reviews that needed no value of it if `by_name` says so.
    pub fn rule(&self, by_name: bool) -> String {
        match &self.reviews.label {
            _ if by_name => format!("the class that `{}` names", self.reviews.rated()),
            Some(column) if self.polarity.is_usual() => format!("the class that `{column}` names"),
            Some(column) => format!("the class that `{column}` names; {}", self.polarity),
            None => self.polarity.to_string(),
        }
    }

    /// What the classes are called: as the analyst says, or by their label where a column holds labels and one label
    /// makes a class.
    pub fn class_names(&self) -> ClassNames {
        let rule = &self.polarity;
        let mut names = rule.names.clone();
        let labels = [
            (Polarity::Negative, &rule.negative),
            (Polarity::Neutral, &rule.neutral),
            (Polarity::Positive, &rule.positive),
        ];
        for (class, values) in labels {
            let taken = |word: &str| word == UNSURE || Polarity::ALL.iter().any(|class| class.name() == word);
            let label = values.only_word().filter(|word| self.reviews.label.is_some() && !taken(word));
            if let Some(label) = label.filter(|_| names.own(class).is_none()) {
                names.set(class, label);
            }
        }
        names
    }

    /// Whether the settings make sense together.
    ///
    /// # Errors
    /// If some do not.
    pub fn check(&self) -> Result<(), SettingError> {
        self.check_together().map_err(SettingError::Together)
    }

    fn check_together(&self) -> Result<(), String> {
        self.polarity.check()?;
        self.class_names().check()?;
        language::check(&self.text.languages)?;
        if self.negation.prefixes == Prefixes::Read && !self.text.languages.contains(&Language::English) {
            return Err(
                "negation.prefixes = \"read\" knows English words alone: set negation.prefixes=keep".into()
            );
        }
        replace::pairs(&self.text.replace)?;
        tables::check(&self.negation.also)?;
        self.terms.check()?;
        self.features.check()?;
        self.model.check()?;
        let fixed = !matches!(self.validation.by, By::Random | By::Latest);
        if fixed && self.validation.development > 0.0 && !matches!(self.validation.by, By::Column(_)) {
            return Err("validation.by names where the holdout begins, and validation.development wants a third part: \
                        let a column name the parts, or set validation.development=0%"
                .into());
        }
        if self.validation.order == Order::Rolling && self.validation.rounds > 1 {
            return Err(
                "validation.rounds deals folds anew, and validation.order = \"rolling\" deals none: \
                        set validation.rounds=1"
                    .into(),
            );
        }
        if self.reviews.copy_of.is_some() && self.reviews.id.is_none() {
            return Err("reviews.copy_of names rows by the column reviews.id, which is not set: \
                        name it, as in --set reviews.id=review_id"
                .into());
        }
        self.check_bayes()?;
        if self.features.vectors.is_some() && self.terms.hashed > 0 {
            return Err("features.vectors looks words up by their letters, which hashed terms do not keep: \
                        set terms.hashed=0"
                .into());
        }
        self.decision.check()
    }

    /// Naive Bayes takes values for counts: it has its own wishes about them.
    fn check_bayes(&self) -> Result<(), String> {
        if self.model.learner != Method::Bayes {
            return Ok(());
        }
        if !self.features.columns.is_empty() || self.features.vectors.is_some() {
            return Err(
                "naive Bayes counts words, and neither features.columns nor features.vectors are any: \
                        set model.learner=logistic, or leave them out"
                    .into(),
            );
        }
        if self.model.events == Events::Presence && self.terms.weighting.to_string() != "bnn" {
            return Err("model.events = \"presence\" asks only whether a term is there: \
                        set terms.weighting=bnn"
                .into());
        }
        Ok(())
    }

    /// How texts become token ids.
    ///
    /// # Panics
    /// As [`cleaner`](Self::cleaner).
    pub fn corpus_rules(&self) -> CorpusRules {
        CorpusRules {
            cleaner: self.cleaner(),
            fields: self.field_names(),
            case: self.text.case,
            plainly: self.negation.plainly(),
            subwords: self.subword_rules(),
            hashed: self.terms.hashed > 0,
            columns: self.features.columns.clone(),
            dates: self.reviews.dates,
        }
    }

    /// Whether stems of words are terms, or may be, where the number of tokens says.
    pub fn has_stems(&self) -> bool {
        self.terms.takes_stems() && self.text.stem == Stem::None
    }

    /// Which parts of words are terms.
    pub(crate) fn subword_rules(&self) -> SubwordRules {
        let languages = if self.has_stems() { &self.text.languages[..] } else { &[] };
        let most = (self.terms.stems == Stems::Auto).then_some(FEW_TOKENS);
        SubwordRules::new(self.terms.letters, (languages, most), self.field_names())
    }

    /// What tells the parts of words.
    pub fn word_parts(&self) -> WordParts {
        WordParts::new(self.subword_rules())
    }

    /// The columns and languages that are kept apart.
    pub(crate) fn field_names(&self) -> FieldNames {
        let columns = match self.reviews.fields {
            Fields::Auto if !are_opposites(&self.reviews.text) => &[][..],
            Fields::Joined => &[],
            Fields::Auto | Fields::Separate => &self.reviews.text,
        };
        let several = self.text.languages.len() > 1 && self.text.apart;
        let names = self.text.languages.iter().filter(|_| several).map(|language| language.name());
        FieldNames::apart(columns, &names.collect::<Vec<_>>())
    }

    /// The reading of raw text that the study asks for.
    ///
    /// # Panics
    /// If a replacement or expression makes no sense: [`check`](Self::check) tells which.
    pub fn cleaner(&self) -> Cleaner {
        Cleaner::new(&self.text, &self.negation).expect("a study is checked before it is used")
    }
}

/// Whether columns are named as opposites: "good food" means praise under likes and is beside the point under dislikes.
fn are_opposites(columns: &[String]) -> bool {
    const PAIRS: [(&str, &str); 6] = [
        ("pro", "con"),
        ("like", "dislike"),
        ("advantage", "disadvantage"),
        ("positive", "negative"),
        ("good", "bad"),
        ("strength", "weakness"),
    ];
    let plain: Vec<String> = columns.iter().map(|name| name.to_lowercase()).collect();
    let says = |word: &str| {
        plain.iter().any(|name| {
            let mut parts = name.split(|char: char| !char.is_alphabetic());
            parts.any(|part| {
                part == word || part.strip_suffix('s') == Some(word) || part.strip_suffix("es") == Some(word)
            })
        })
    };
    PAIRS.iter().any(|(one, other)| says(one) && says(other))
}
