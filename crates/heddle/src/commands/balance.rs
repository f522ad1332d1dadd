//! What balancing does to the classes, and a balanced training file.

use std::collections::BTreeMap;

use anyhow::bail;
use heddle_core::{Balance, Balancing, Choice, ClassCounts, Polarity, Study, copies, text_key};
use heddle_files::{About, Holds, Input, Manner, Record, RowWriter};
use serde::Serialize;

use crate::args::BalanceArgs;
use crate::commands::label::{Target, replaces, show_account, written};
use crate::commands::split::named;
use crate::desk::{Answer, Desk};
use crate::intake::input;
use crate::labelling::{Account, Fate, Labelling};
use crate::locked;
use crate::refusals::Refusals;
use crate::view::table::{Side, Table};
use crate::view::{Page, number, percent, sign_of};

#[derive(Serialize)]
struct Balanced {
    account: Account,
    rule: String,
    ratio: f64,
    /// The method that the study names.
    method: &'static str,
    /// What each method would make of the classes.
    methods: Vec<Method>,
    written: Option<String>,
    #[serde(skip)]
    classes: Vec<Polarity>,
}

/// What a method makes of the classes.
#[derive(Serialize)]
struct Method {
    method: &'static str,
    /// Rows of each class that the learner sees.
    rows: BTreeMap<&'static str, usize>,
    /// What a mistake in each class costs.
    costs: BTreeMap<&'static str, f64>,
    /// What is added to log-odds to return to the natural mix; missing for three classes.
    correction: Option<f64>,
}

/// Shows and writes.
pub fn run(args: &BalanceArgs, desk: &Desk) -> anyhow::Result<usize> {
    let study = desk.study();
    let input = input(&args.files, desk)?;
    check_unlocked(&input)?;
    if args.out.is_some() && !matches!(study.balance.method, Balance::Down | Balance::Up) {
        bail!(
            "balance.method = \"{}\" changes no rows, so there is no file to write; do so with \
             --set balance.method=down or up",
            study.balance.method.name()
        );
    }
    let sign = desk.busy("counting");
    let counted = Counted::read(&input, desk, args.out.is_some())?;
    sign.finish_and_clear();
    desk.tell_manners(&counted.manners);
    let mix = counted.account.counts();
    if mix.iter().filter(|count| **count > 0).count() < 2 {
        crate::intake::check_classes(&counted.account)?;
    }
    if let Some(path) = &args.out {
        write_balanced((desk, path), &input, study, &counted)?;
    }
    let classes: Vec<Polarity> = study.polarity.classes().collect();
    let balanced = Balanced {
        rule: study.polarity.to_string(),
        ratio: study.balance.ratio,
        method: study.balance.method.name(),
        methods: Balance::ALL.iter().map(|method| method_of(*method, &mix, study)).collect(),
        written: args.out.clone(),
        classes,
        account: counted.account,
    };
    desk.answer("balance", &balanced)?;
    Ok(balanced.account.refused)
}

/// A holdout keeps the mix that it was drawn with.
fn check_unlocked(input: &Input) -> anyhow::Result<()> {
    for path in input.paths() {
        if About::beside(path)?.is_some_and(|about| about.holds == Holds::Holdout) {
            bail!(
                "{path} is a locked holdout: only training rows are balanced, or its figures would be those of a mix that nobody meets"
            );
        }
    }
    Ok(())
}

fn method_of(method: Balance, mix: &ClassCounts, study: &Study) -> Method {
    let balancing = Balancing { method, ..study.balance };
    let wanted = balancing.wanted(*mix);
    let seen = |class: Polarity| match method {
        Balance::Weights => mix[class.index()],
        _ => wanted[class.index()] as usize,
    };
    let costs = balancing.costs(*mix);
    Method {
        method: method.name(),
        rows: study.polarity.classes().map(|class| (class.name(), seen(class))).collect(),
        costs: study.polarity.classes().map(|class| (class.name(), costs[class.index()])).collect(),
        correction: (mix[2] == 0).then(|| Balancing { natural: None, ..balancing }.correction(*mix)[0]),
    }
}

/// The first look at the rows.
struct Counted {
    account: Account,
    /// By class: the key of each row's text, if rows are to be chosen by them.
    keys: [Vec<u64>; 3],
    manners: Vec<Manner>,
}

impl Counted {
    fn read(input: &Input, desk: &Desk, keyed: bool) -> anyhow::Result<Self> {
        let study = desk.study();
        let mut reviews = input.rows()?;
        let mut labelling = Labelling::new(reviews.file(), reviews.columns(), study)?;
        let mut refusals = Refusals::new(desk)?;
        let mut keys: [Vec<u64>; 3] = Default::default();
        let mut record = Record::new();
        let part = locked::part_column(reviews.columns());
        while let Some(line) = refusals.next(&mut reviews, &mut record)? {
            locked::check_row(&record, part, reviews.file())?;
            let fate = labelling.take(|at| &record[at], reviews.file(), line)?;
            if let (Fate::Labelled(class), true) = (fate, keyed) {
                keys[class.index()].push(text_key(&labelling.join(|at| &record[at])));
            }
        }
        let manners = reviews.manners();
        let (account, _) = labelling.finish(refusals.finish()?)?;
        Ok(Self { account, keys, manners })
    }
}

/// Reads the files again and writes each row as often as it stands in the balanced sample.
fn write_balanced(
    (desk, path): (&Desk, &str),
    input: &Input,
    study: &Study,
    counted: &Counted,
) -> anyhow::Result<()> {
    let sources = input.origins()?;
    let wanted = study.balance.wanted(counted.account.counts());
    let of_class = |class: usize| copies(&counted.keys[class], wanted[class] as usize, study.validation.seed);
    let copies: [Vec<usize>; 3] = [of_class(0), of_class(1), of_class(2)];
    let mut reviews = input.rows()?;
    let mut labelling = Labelling::new(reviews.file(), reviews.columns(), study)?;
    let target = Target::new(reviews.columns(), replaces(input, study)?);
    let mut writer = RowWriter::create(desk.outputs(), path, target.columns())?;
    let mut record = Record::new();
    let (mut seen, mut mix) = (ClassCounts::default(), ClassCounts::default());
    while let Some(line) = reviews.next_sound(&mut record)? {
        let Fate::Labelled(class) = labelling.take(|at| &record[at], reviews.file(), line)? else { continue };
        let index = class.index();
        let Some(&times) = copies[index].get(seen[index]) else {
            bail!("{} changed while it was read; run this again", reviews.file());
        };
        seen[index] += 1;
        mix[index] += times;
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
    Ok(about.put_beside(desk.outputs(), path)?)
}

impl Answer for Balanced {
    fn show(&self, page: &mut Page) {
        page.heading("What became of the rows");
        show_account(page, &self.account);
        page.heading(&format!("What each method makes of them, at a ratio of {}", self.ratio));
        self.show_methods(page);
        page.note(
            "← is in force. A mistake on a review counts as shown. Only training rows are balanced, inside folds \
             too; rows that are held out keep their mix.",
        );
        if let Some((method, correction)) = self.correction() {
            let share = |log_odds: f64| format!("{:.1} %", 100.0 * heddle_core::sigmoid(log_odds));
            page.heading("What it does to probabilities");
            page.note(&format!(
                "Learnt as balanced by `{}`, probabilities would speak of that mix: a review at 50.0 % positive there \
                 is at {} among reviews as they come. Training then adds {correction:+.2} to the base, so that its \
                 probabilities speak of the natural mix; --set balance.probabilities=balanced leaves them as learnt.",
                method,
                share(correction),
            ));
        }
        match &self.written {
            Some(path) => written(page, path, "its natural mix"),
            None => page.note("Nothing was written; training balances by itself where balance.method says so. --out FILE with down or up writes the rows."),
        }
    }
}

impl Balanced {
    /// The correction of the method in force, or of the first one where none is.
    fn correction(&self) -> Option<(&'static str, f64)> {
        let corrected = |method: &Method| {
            let correction = method.correction.filter(|correction| *correction != 0.0)?;
            Some((method.method, correction))
        };
        let own = self.methods.iter().find(|method| method.method == self.method).and_then(corrected);
        own.or_else(|| self.methods.iter().find_map(corrected))
    }

    fn show_methods(&self, page: &mut Page) {
        let counts: Vec<String> =
            self.classes.iter().map(|class| format!("{} counts", sign_of(*class))).collect();
        let mut header = vec![("", Side::Left)];
        self.classes.iter().for_each(|class| header.push((class.name(), Side::Right)));
        counts.iter().for_each(|name| header.push((name, Side::Right)));
        let mut table = Table::new(&header);
        for method in &self.methods {
            let rows: usize = method.rows.values().sum();
            let mark = if method.method == self.method { " ←" } else { "" };
            let mut cells = vec![format!("{}{mark}", method.method)];
            let own = |class: &Polarity| method.rows.get(class.name()).copied().unwrap_or(0);
            let shown = |class: &Polarity| format!("{} ({})", number(own(class)), percent(own(class), rows));
            cells.extend(self.classes.iter().map(shown));
            let cost = |class: &Polarity| method.costs.get(class.name()).copied().unwrap_or(0.0);
            cells.extend(self.classes.iter().map(|class| format!("{:.2}", cost(class))));
            table.row(cells);
        }
        table.put(page);
    }
}
