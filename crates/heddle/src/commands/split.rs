//! A training part and a locked holdout.

use std::collections::HashSet;

use anyhow::bail;
use heddle_core::{Polarity, Sample, Study, deal};
use serde::Serialize;

use crate::args::SplitArgs;
use crate::commands::label::{show_account, write_labelled};
use crate::desk::{Answer, Desk};
use crate::intake::{Account, Intake, Kept};
use crate::view::table::{Side, Table};
use crate::view::{Page, class, count, number, percent};

/// What was divided how.
#[derive(Serialize, Clone)]
pub struct Divided {
    pub account: Account,
    pub seed: u64,
    pub training: Part,
    pub holdout: Part,
    /// Groups (equal texts, or rows tied by reviews.together) with rows on both sides.
    pub groups_on_both_sides: usize,
    /// Groups of more than one row, kept on one side.
    pub groups_kept_together: usize,
}

/// One side.
#[derive(Serialize, Clone)]
pub struct Part {
    pub file: String,
    /// Reviews of each class, negative first.
    pub mix: [usize; 2],
}

/// Divides files.
pub fn run(args: &SplitArgs, desk: &Desk) -> anyhow::Result<usize> {
    if args.training == args.holdout {
        bail!("--training and --holdout name one file, {}; name two", args.training);
    }
    let intake = Intake::read(&args.files, desk.study(), Kept::All)?;
    desk.tell_refused(intake.table.refused());
    let divided = divide(&intake, desk.study(), &args.training, &args.holdout)?;
    desk.answer("split", &divided)?;
    Ok(intake.account.refused)
}

/// Divides labelled reviews and writes both sides.
pub fn divide(intake: &Intake, study: &Study, training: &str, holdout: &str) -> anyhow::Result<Divided> {
    intake.check_classes()?;
    let sample = &intake.sample;
    let rows: Vec<u32> = (0..sample.len() as u32).collect();
    let share = study.validation.holdout;
    let mut parts = deal(sample, &rows, &[1.0 - share, share], study.validation.seed).into_iter();
    let (Some(left), Some(right)) = (parts.next(), parts.next()) else {
        unreachable!("two shares give two parts")
    };
    if sample.mix(&right).contains(&0) || sample.mix(&left).contains(&0) {
        bail!(
            "a holdout of {:.0} % of {} leaves a side without one of the classes; more reviews are needed",
            100.0 * share,
            count(sample.len(), "review")
        );
    }
    let divided = Divided {
        account: intake.account.clone(),
        seed: study.validation.seed,
        training: Part { file: training.into(), mix: sample.mix(&left) },
        holdout: Part { file: holdout.into(), mix: sample.mix(&right) },
        groups_on_both_sides: shared_groups(sample, &left, &right),
        groups_kept_together: large_groups(sample),
    };
    write_labelled(training, intake, left.iter().map(|&row| row as usize))?;
    write_labelled(holdout, intake, right.iter().map(|&row| row as usize))?;
    Ok(divided)
}

fn shared_groups(sample: &Sample, left: &[u32], right: &[u32]) -> usize {
    let of = |rows: &[u32]| rows.iter().map(|&row| sample.groups[row as usize]).collect::<HashSet<u64>>();
    of(left).intersection(&of(right)).count()
}

fn large_groups(sample: &Sample) -> usize {
    let mut groups = sample.groups.clone();
    groups.sort_unstable();
    groups.chunk_by(|a, b| a == b).filter(|group| group.len() > 1).count()
}

impl Answer for Divided {
    fn show(&self, page: &mut Page) {
        page.heading("What became of the rows");
        show_account(page, &self.account);
        page.heading("The two sides");
        let mut table = Table::new(&[
            ("", Side::Left),
            ("reviews", Side::Right),
            ("share", Side::Right),
            ("negative", Side::Right),
            ("positive", Side::Right),
            ("file", Side::Left),
        ]);
        let all: usize = self.training.mix.iter().chain(&self.holdout.mix).sum();
        for (name, part) in [("training", &self.training), ("holdout", &self.holdout)] {
            let total = part.mix.iter().sum();
            table.row([
                name.into(),
                number(total),
                percent(total, all),
                percent(part.mix[0], total),
                percent(part.mix[1], total),
                part.file.clone(),
            ]);
        }
        table.put(page);
        page.note(&format!(
            "Drawn at random with seed {}, alike in {} and {}. {} of rows with equal texts or tied by reviews.together; {} on both sides.",
            self.seed,
            class(Polarity::Negative),
            class(Polarity::Positive),
            count(self.groups_kept_together, "group"),
            self.groups_on_both_sides,
        ));
    }
}
