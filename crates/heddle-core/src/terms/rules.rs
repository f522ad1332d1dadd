//! Which terms are counted and kept.

use serde::{Serialize, Serializer};

use super::made_of::{LONGEST, MadeOf};
use super::subwords::Subword;
use crate::choice::choice;
use crate::terms::weigh::Weighting;
use crate::text::recipe::Punctuation;

/// The longest n-gram, in letters.
pub const LONGEST_LETTERS: usize = 12;

/// A number of reviews, or a share of them.
#[derive(Debug, Clone, Copy, PartialEq)]
pub enum Bound {
    /// A number of reviews.
    Reviews(u32),
    /// A share of the reviews, from 0 to 1.
    Share(f64),
}

impl Bound {
    /// The bound as a number of reviews out of `reviews`, rounded down.
    pub fn of(self, reviews: usize) -> u32 {
        match self {
            Self::Reviews(count) => count,
            Self::Share(share) => (share * reviews as f64).floor() as u32,
        }
    }
}

impl std::fmt::Display for Bound {
    fn fmt(&self, out: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        match self {
            Self::Reviews(count) => write!(out, "{count}"),
            Self::Share(share) => write!(out, "{}%", share * 100.0),
        }
    }
}

choice! {
    /// What becomes a term, by name, for those who do not want to set it key by key.
    Recipe {
        /// Single words: the smallest and quickest model.
        Lean = "lean",
        /// One or two words, and stems where the reviews are not many.
        Usual = "usual",
        /// One to three words and punctuation marks, stems, and four or five letters inside words: the most
        /// accurate, at several times the cost.
        Rich = "rich",
    }
}

impl Recipe {
    /// The shortest and the longest n-gram of words.
    pub fn words(self) -> Option<(usize, usize)> {
        match self {
            Self::Lean => Some((1, 1)),
            Self::Usual => Some((1, 2)),
            Self::Rich => Some((1, 3)),
        }
    }

    /// The shortest and the longest n-gram of letters.
    pub fn letters(self) -> Option<(usize, usize)> {
        match self {
            Self::Lean | Self::Usual => None,
            Self::Rich => Some((4, 5)),
        }
    }

    /// Whether stems stand beside words.
    pub fn stems(self) -> Stems {
        match self {
            Self::Lean => Stems::None,
            Self::Usual => Stems::Auto,
            Self::Rich => Stems::Beside,
        }
    }

    /// What becomes of punctuation marks.
    pub fn punctuation(self) -> Punctuation {
        match self {
            Self::Lean | Self::Usual => Punctuation::Keep,
            Self::Rich => Punctuation::All,
        }
    }
}

choice! {
    /// Whether the stems of words are terms: what all forms of a word have in common, so that one that training never
    /// saw says what the others do.
    Stems {
        /// They are not.
        None = "none",
        /// They are where the reviews have up to two million tokens: where there are more, nearly every form has been
        /// seen, and stems bring less than they cost.
        Auto = "auto",
        /// They are terms beside the words: "enjoy-" beside "enjoyed".
        Beside = "beside",
    }
}

choice! {
    /// How strongly a term goes with a class, by the training reviews that hold it.
    #[derive(serde::Serialize)]
    #[serde(rename_all = "kebab-case")]
    Association {
        /// Pearson's chi-square of term and class.
        ChiSquare = "chi-square",
        /// The log-odds ratio with an informative prior, in standard errors.
        LogOdds = "log-odds",
        /// What the term tells of the class, in nats.
        MutualInformation = "mutual-information",
    }
}

choice! {
    /// What a term must pass where there are both a limit and a best share.
    Combine {
        /// Both.
        All = "all",
        /// One of them.
        Any = "any",
    }
}

choice! {
    /// What the document factor of a term is multiplied by.
    #[derive(serde::Serialize)]
    #[serde(rename_all = "kebab-case")]
    Emphasis {
        /// Nothing.
        None = "none",
        /// The size of the log ratio of its shares in the two poles, plus [`TermRules::emphasis_least`].
        ClassRatio = "class-ratio",
    }
}

/// Which n-grams become terms, and how they are weighted.
#[derive(Debug, Clone, PartialEq)]
pub struct TermRules {
    /// The recipe that was asked for: whoever reads settings lets `words`, `letters`, `stems` and `text.punctuation`
    /// follow it where they are not set themselves. Default: usual.
    pub recipe: Recipe,
    /// The shortest and the longest n-gram, in words; at most [`LONGEST`]. Default: 1 and 2.
    pub words: Option<(usize, usize)>,
    /// The shortest and the longest n-gram of letters inside words, their ends marked; at most
    /// [`LONGEST_LETTERS`]. Default: none.
    pub letters: Option<(usize, usize)>,
    /// What the document factors of n-grams of letters are multiplied by: there are so many of them in a word
    /// that they would drown the words. Default: 0.4.
    pub letters_scale: f64,
    /// Whether stems stand beside words, where there is a list of words whose endings `text.stem` does not cut off.
    /// Function words have none. Default: auto.
    pub stems: Stems,
    /// What the document factors of stems are multiplied by: most say what their word says already. Default: 0.5.
    pub stems_scale: f64,
    /// What the document factors of terms with a negated word are multiplied by: of most of them, what was learnt of the
    /// plain word says more than they do themselves. Default: 0.6.
    pub marked_scale: f64,
    /// Term, document and normalisation factor. Default: ltc.
    pub weighting: Weighting,
    /// What document factors are multiplied by. Default: class-ratio.
    pub emphasis: Emphasis,
    /// Added to the class ratio of every term: what is left of one that both poles use alike. Default: 0.6.
    pub emphasis_least: f64,
    /// A term found in fewer training reviews is left out; missing for what [`floors`](Self::floors) says. Default: missing.
    pub at_least: Option<u32>,
    /// The same for some kinds of terms, in place of `at_least`. Default: none.
    pub at_least_of: Vec<KindFloor>,
    /// A term found in fewer groups of training reviews is left out: of reviews that share a value
    /// of `reviews.together`, or are nearly equal. What only few customers write, such as names and
    /// numbers, then enters no model. Default: 1.
    pub at_least_groups: u32,
    /// A term found in more training reviews is left out. Default: all of them.
    pub at_most: Bound,
    /// The most terms, the most frequent first; 0 for no limit. Default: 0.
    pub limit: u32,
    /// The share of terms that is kept, the most associated first. Default: 1.
    pub best: f64,
    /// What terms are ranked by. Default: chi-square.
    pub association: Association,
    /// Whether a term must pass both limit and best. Default: all.
    pub combine: Combine,
    /// Terms that are kept whatever the rules say. Default: none.
    pub include: Vec<String>,
    /// The only terms that are kept, by name as terms are spelled ("not ¬bad"), whatever the bounds say; none for no
    /// such list. Default: none.
    pub only: Vec<String>,
    /// Terms that are left out whatever the rules say. Default: none.
    pub exclude: Vec<String>,
    /// The power of two of the columns that terms share; 0 for a list of terms. Default: 0.
    pub hashed: u32,
}

/// Up to so many tokens of reviews stems are taken where that is open. They lower the log loss the more, the fewer tokens
/// there are to learn from; on millions of them they change next to nothing, at a fifth of the time of training.
pub(crate) const FEW_TOKENS: usize = 2_000_000;

/// Up to so many reviews every term counts: where reviews are few, most of what they say stands there once. On real and
/// on made-up reviews, long and short, a floor of one then lowered the log loss in every trial, and of short ones raised
/// the accuracy by one to two points at 400 and at 1,200; where reviews are many it brings next to nothing, at three times
/// the terms.
const FEW_REVIEWS: usize = 1_500;
/// The floor where there are more.
const FLOOR: u32 = 2;
/// The floor of n-grams of three words and more there. On real reviews, long and short, many and not so many, one of 4 changed
/// the log loss by less than a thousandth either way, and left out a third of all terms.
const FLOOR_OF_LONG: u32 = 4;

/// The fewest reviews that terms of one kind must stand in.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct KindFloor {
    /// The kind.
    pub kind: MadeOf,
    /// The reviews.
    pub reviews: u32,
}

/// As settings spell it: "3=5", or "letters=3".
impl std::fmt::Display for KindFloor {
    fn fmt(&self, out: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        write!(out, "{}={}", self.kind, self.reviews)
    }
}

impl Serialize for KindFloor {
    fn serialize<S: Serializer>(&self, serializer: S) -> Result<S::Ok, S::Error> {
        serializer.collect_str(self)
    }
}

/// The fewest reviews that terms of each kind must stand in.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Floors {
    /// By length less one.
    words: [u32; LONGEST],
    letters: u32,
    stems: u32,
}

impl Floors {
    /// That of such a term.
    #[inline]
    pub fn of(&self, made_of: MadeOf) -> u32 {
        match made_of {
            MadeOf::Words(words) => self.words[usize::from(words) - 1],
            MadeOf::Part(Subword::Letters) => self.letters,
            MadeOf::Part(Subword::Stem) => self.stems,
        }
    }

    /// The fewest reviews that an n-gram must stand in to be counted: to be a term, or to begin one of at most `longest`
    /// words.
    pub(crate) fn of_counted(&self, made_of: MadeOf, longest: usize) -> u32 {
        let begun = match made_of {
            MadeOf::Words(words) => &self.words[usize::from(words) - 1..longest],
            MadeOf::Part(_) => &[],
        };
        begun.iter().copied().min().unwrap_or(self.of(made_of))
    }
}

impl Default for TermRules {
    fn default() -> Self {
        let recipe = Recipe::Usual;
        Self {
            recipe,
            words: recipe.words(),
            letters: recipe.letters(),
            letters_scale: 0.4,
            stems: recipe.stems(),
            stems_scale: 0.5,
            marked_scale: 0.6,
            weighting: Weighting::default(),
            emphasis: Emphasis::ClassRatio,
            emphasis_least: 0.6,
            at_least: None,
            at_least_of: Vec::new(),
            at_least_groups: 1,
            at_most: Bound::Share(1.0),
            limit: 0,
            best: 1.0,
            association: Association::ChiSquare,
            combine: Combine::All,
            include: Vec::new(),
            only: Vec::new(),
            exclude: Vec::new(),
            hashed: 0,
        }
    }
}

impl TermRules {
    /// The fewest reviews that a term must stand in, of so many labelled ones: where it is not set, 1 of a few, and of more
    /// 2, or 4 where it has three words or more.
    pub fn floors(&self, reviews: usize) -> Floors {
        let floor = |kind: MadeOf| {
            let own = self.at_least_of.iter().find(|own| own.kind == kind).map(|own| own.reviews);
            let usual = || match kind {
                _ if reviews <= FEW_REVIEWS => 1,
                MadeOf::Words(3..) => FLOOR_OF_LONG,
                _ => FLOOR,
            };
            own.or(self.at_least).unwrap_or_else(usual).max(1)
        };
        Floors {
            words: std::array::from_fn(|at| floor(MadeOf::Words(at as u8 + 1))),
            letters: floor(MadeOf::Part(Subword::Letters)),
            stems: floor(MadeOf::Part(Subword::Stem)),
        }
    }

    /// The same with the floors of so many labelled reviews, which are those of all training parts of them.
    pub(crate) fn settled(&self, reviews: usize) -> Self {
        let floors = self.floors(reviews);
        let at_least_of = MadeOf::all().map(|kind| KindFloor { kind, reviews: floors.of(kind) }).collect();
        Self { at_least_of, ..self.clone() }
    }

    /// The floors, of so many labelled reviews, of the kinds of terms that these rules make, where they are not that of a
    /// single word.
    pub fn other_floors(&self, reviews: usize) -> Vec<KindFloor> {
        let floor = self.floor(reviews);
        let mut own = self.settled(reviews).at_least_of;
        own.retain(|own| self.makes(own.kind) && own.reviews != floor);
        own
    }

    /// Whether terms of a kind may come of these rules.
    fn makes(&self, kind: MadeOf) -> bool {
        match kind {
            MadeOf::Words(words) => self.takes(words.into()) && self.hashed == 0,
            MadeOf::Part(Subword::Letters) => self.letters.is_some(),
            MadeOf::Part(Subword::Stem) => self.takes_stems(),
        }
    }

    /// The fewest reviews that a single word must stand in, of so many labelled ones.
    pub fn floor(&self, reviews: usize) -> u32 {
        self.floors(reviews).of(MadeOf::Words(1))
    }

    /// The shortest n-gram of words that becomes a term.
    pub(crate) fn shortest(&self) -> usize {
        self.words.map_or(usize::MAX, |(shortest, _)| shortest)
    }

    /// Whether stems may be terms, as far as these rules go.
    pub(crate) fn takes_stems(&self) -> bool {
        self.stems != Stems::None && self.words.is_some() && self.hashed == 0
    }

    /// The longest n-gram of words that is counted.
    pub(crate) fn longest(&self) -> usize {
        self.words.map_or(1, |(_, longest)| longest)
    }

    /// Whether n-grams of this many words become terms; 0 stands for a part of a word.
    pub(crate) fn takes(&self, length: usize) -> bool {
        match length {
            0 => true,
            length => self.words.is_some_and(|(low, high)| (low..=high).contains(&length)),
        }
    }

    /// Whether the rules make sense together.
    pub(crate) fn check(&self) -> Result<(), String> {
        if self.words.is_none() && self.letters.is_none() {
            return Err(
                "terms.words and terms.letters are both \"none\": nothing is left to learn from".into()
            );
        }
        let usual = Self::default();
        if self.emphasis == Emphasis::None && self.emphasis_least != usual.emphasis_least {
            return Err("terms.emphasis_least belongs to terms.emphasis = \"class-ratio\"".into());
        }
        if self.letters.is_none() && self.letters_scale != usual.letters_scale {
            return Err("terms.letters_scale weighs n-grams of letters: set terms.letters, as in 3-5".into());
        }
        if self.stems == Stems::None && self.stems_scale != usual.stems_scale {
            return Err("terms.stems_scale weighs stems: set terms.stems=beside".into());
        }
        if self.hashed > 0 && self.letters.is_some() {
            return Err(
                "terms.letters needs a list of terms: set terms.hashed=0, or terms.letters=none".into()
            );
        }
        if let Some(own) = self.at_least_of.iter().find(|own| !self.makes(own.kind)) {
            return Err(format!(
                "terms.at_least_of speaks of \"{}\", and no such terms are made: see terms.words, terms.letters and \
                 terms.stems; hashed terms have no kinds",
                own.kind
            ));
        }
        let kinds: Vec<MadeOf> = self.at_least_of.iter().map(|own| own.kind).collect();
        if let Some(twice) = (1..kinds.len()).find(|at| kinds[..*at].contains(&kinds[*at])) {
            return Err(format!("terms.at_least_of speaks of \"{}\" twice: leave one out", kinds[twice]));
        }
        let lists = [&self.include, &self.only, &self.exclude];
        if self.hashed > 0 && lists.iter().any(|list| !list.is_empty()) {
            return Err(
                "terms.include, terms.only and terms.exclude name terms, and hashed terms have no names: \
                        set terms.hashed=0"
                    .into(),
            );
        }
        if !(self.include.is_empty() || self.only.is_empty()) {
            return Err("terms.only names all terms that are kept: put those of terms.include into it".into());
        }
        if let Some(both) = self.include.iter().find(|term| self.exclude.contains(term)) {
            return Err(format!("`{both}` stands in terms.include and in terms.exclude"));
        }
        Ok(())
    }
}
