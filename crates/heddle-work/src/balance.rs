//! What balancing does to the classes, and a balanced training file.

use std::collections::BTreeMap;

use heddle_core::Choice;
use heddle_core::labels::{ClassCounts, Polarity};
use heddle_core::resample::{Balance, Balancing, copies, text_key};
use heddle_core::settings::Study;
use heddle_files::{About, Holds, Input, Manner, Record, Role};
use serde::Serialize;

use crate::error::{Result, fail};
use crate::reviews::columns::{LabelledColumns, replaces};
use crate::reviews::copies::{Members, ReviewRows};
use crate::reviews::found::{Needs, with_found};
use crate::reviews::holdout;
use crate::reviews::labelling::{Account, Labelling};
use crate::reviews::refusals::Refusals;
use crate::session::Session;
use crate::split::named;

/// Which reviews are balanced.
#[derive(Debug, Clone, Default)]
pub struct BalanceOptions {
    /// The review files; those of the study where there are none.
    pub files: Vec<String>,
    /// Where balanced rows go, if anywhere.
    pub out: Option<String>,
}

/// What balancing does to the classes.
#[derive(Debug, Serialize)]
pub struct Balanced {
    /// What became of every row.
    pub account: Account,
    /// The rule for classes, in words.
    pub rule: String,
    /// The ratio that balancing aims at.
    pub ratio: f64,
    /// The method that the study names.
    pub method: Balance,
    /// What each method would make of the classes.
    pub methods: Vec<BalanceMethod>,
    /// Where it was written, if anywhere.
    pub written: Option<String>,
    /// The classes of the rule.
    #[serde(skip)]
    pub classes: Vec<Polarity>,
}

/// What a method makes of the classes.
#[derive(Debug, Serialize)]
pub struct BalanceMethod {
    /// The method.
    pub method: Balance,
    /// Rows of each class that the learner sees.
    pub rows: BTreeMap<&'static str, usize>,
    /// What a mistake in each class costs.
    pub costs: BTreeMap<&'static str, f64>,
    /// What is added to log-odds to return to the natural mix; missing for three classes.
    pub correction: Option<f64>,
}

/// Tells what each method of balancing makes of the classes; writes balanced rows if asked.
///
/// # Errors
/// Files that cannot be read, a locked holdout, or a method that changes no rows.
pub fn balance(session: &Session, options: &BalanceOptions) -> Result<Balanced> {
    let input = session.input(&options.files)?;
    check_unlocked(&input)?;
    let session = &with_found(session, &input, Needs::LABELS)?;
    let study = session.study();
    if options.out.is_some() && !matches!(study.balance.method, Balance::Down | Balance::Up) {
        fail!(
            Options,
            "balance.method = \"{}\" changes no rows, so there is no file to write; do so with \
             --set balance.method=down or up",
            study.balance.method.name()
        );
    }
    let task = session.busy("counting");
    let counted = Counted::read(&input, session, options.out.is_some())?;
    task.end();
    session.tell_manners(&counted.manners);
    let mix = counted.account.counts();
    if mix.iter().filter(|count| **count > 0).count() < 2 {
        crate::reviews::labelled::check_classes(&counted.account)?;
    }
    if let Some(path) = &options.out {
        write_balanced((session, path), &input, study, &counted)?;
    }
    let classes: Vec<Polarity> = study.polarity.classes().collect();
    Ok(Balanced {
        rule: study.rule(counted.account.by_name),
        ratio: study.balance.ratio,
        method: study.balance.method,
        methods: Balance::ALL.iter().map(|method| method_of(*method, &mix, study)).collect(),
        written: options.out.clone(),
        classes,
        account: counted.account,
    })
}

/// A holdout keeps the mix that it was drawn with.
fn check_unlocked(input: &Input) -> Result<()> {
    for path in input.paths() {
        if About::beside(path)?.is_some_and(|about| about.holds == Holds::Holdout) {
            fail!(
                Locked,
                "{path} is a locked holdout: only training rows are balanced, or its figures would be those of a mix that nobody meets"
            );
        }
    }
    Ok(())
}

fn method_of(method: Balance, mix: &ClassCounts, study: &Study) -> BalanceMethod {
    let balancing = Balancing { method, ..study.balance };
    let wanted = balancing.wanted(*mix);
    let seen = |class: Polarity| match method {
        Balance::Weights => mix[class],
        _ => wanted[class] as usize,
    };
    let costs = balancing.costs(*mix);
    BalanceMethod {
        method,
        rows: study.polarity.classes().map(|class| (class.name(), seen(class))).collect(),
        costs: study.polarity.classes().map(|class| (class.name(), costs[class])).collect(),
        correction: (mix[Polarity::Neutral] == 0)
            .then(|| Balancing { natural: None, ..balancing }.correction(*mix)[0]),
    }
}

/// The first look at the rows.
struct Counted {
    account: Account,
    /// By review: its class, and the key of its text, if rows are to be chosen by them.
    reviews: Vec<(Polarity, u64)>,
    /// Which rows are which reviews.
    rows: ReviewRows,
    manners: Vec<Manner>,
}

impl Counted {
    fn read(input: &Input, session: &Session, keyed: bool) -> Result<Self> {
        let study = session.study();
        let mut reviews = input.rows()?;
        let mut labelling = Labelling::new(reviews.file(), reviews.columns(), study)?;
        let mut refusals = Refusals::new(session)?;
        let mut members = Members::new(reviews.file(), reviews.columns(), study)?;
        let mut keyed_rows = Vec::new();
        let mut record = Record::new();
        let part = holdout::part_column(reviews.columns());
        while let Some(line) = refusals.next(&mut reviews, &mut record)? {
            holdout::check_row(&record, part, reviews.file())?;
            let outcome = labelling.take(|at| &record[at], reviews.file(), line)?;
            let class = members.take(outcome, |at| &record[at], (reviews.file(), line));
            if let (Some(class), true) = (class, keyed) {
                keyed_rows.push((class, text_key(&labelling.join(|at| &record[at]))));
            }
        }
        let manners = reviews.manners();
        let (mut account, _) = labelling.finish(refusals.finish()?)?;
        let rows = members.settle(&mut account, session)?.unwrap_or_default();
        Ok(Self { account, reviews: rows.reviews(&keyed_rows), rows, manners })
    }

    /// By review: how often it stands in the balanced sample.
    fn times(&self, study: &Study) -> Vec<usize> {
        let wanted = study.balance.wanted(self.account.counts());
        let mut times = vec![0; self.reviews.len()];
        for class in Polarity::ALL {
            let own = self.reviews.iter().enumerate().filter(|(_, review)| review.0 == class);
            let (places, keys): (Vec<usize>, Vec<u64>) = own.map(|(place, review)| (place, review.1)).unzip();
            let copies = copies(&keys, wanted[class] as usize, study.validation.seed);
            places.iter().zip(copies).for_each(|(place, copies)| times[*place] = copies);
        }
        times
    }
}

/// Reads the files again and writes each row as often as it stands in the balanced sample.
fn write_balanced(
    (session, path): (&Session, &str),
    input: &Input,
    study: &Study,
    counted: &Counted,
) -> Result<()> {
    if study.balance.method == Balance::Up && counted.account.copies > 0 {
        fail!(
            Options,
            "a file that repeats rows repeats their names, and copies could not tell which of them they belong to: leave \
             balance.method=up to training, which repeats rows with their copies, or take --set balance.method=down"
        );
    }
    let sources = input.origins()?;
    let times = counted.times(study);
    let mut reviews = input.rows()?;
    let mut labelling = Labelling::new(reviews.file(), reviews.columns(), study)?;
    let target = LabelledColumns::new(reviews.columns(), replaces(input, study)?, study.class_names());
    let mut writer = session.row_writer(Role::Part, path, target.columns())?;
    let mut record = Record::new();
    let members = Members::new(reviews.file(), reviews.columns(), study)?;
    let (mut row, mut mix) = (0, ClassCounts::default());
    while let Some(line) = reviews.next_sound(&mut record)? {
        let outcome = labelling.take(|at| &record[at], reviews.file(), line)?;
        if !members.takes(outcome, |at| &record[at]) {
            continue;
        }
        let (review, is_copy) = (counted.rows.review(row), counted.rows.is_copy(row));
        row += 1;
        let Some(review) = review else { continue };
        let Some((&times, &(class, _))) = times.get(review).zip(counted.reviews.get(review)) else {
            fail!(Reviews, "{} changed while it was read; run this again", reviews.file());
        };
        mix[class] += if is_copy { 0 } else { times };
        for _ in 0..times {
            writer.row(target.cells(&record, class))?;
        }
    }
    let written = writer.finish()?;
    let mut about = About::new(Holds::Balanced, study, sources, &written, named(&mix, study));
    // A file that was balanced before keeps the mix that it began with.
    let before = input.paths().map(About::beside).collect::<Result<Vec<_>, _>>()?;
    let earlier = before.into_iter().flatten().find_map(|about| about.natural);
    about.natural = Some(earlier.unwrap_or_else(|| named(&counted.account.counts(), study)));
    Ok(about.put_beside(session.outputs(), path)?)
}
