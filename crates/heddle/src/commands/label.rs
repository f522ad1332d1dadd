//! From ratings to classes.

use heddle_core::{Draw, Polarity};
use heddle_files::{RowWriter, Table as Rows};
use serde::Serialize;

use crate::args::LabelArgs;
use crate::desk::{Answer, Desk};
use crate::intake::{Account, Intake, Kept, ValueRow};
use crate::view::table::{Side, Table};
use crate::view::{Page, class, count, cut, number, percent, width};

/// The column that labelled files gain.
pub const CLASS_COLUMN: &str = "polarity";

#[derive(Serialize)]
struct Labelled {
    rule: String,
    rated: String,
    account: Account,
    values: Vec<ValueRow>,
    samples: Vec<Sampled>,
    written: Option<String>,
}

/// A random review of a class.
#[derive(Serialize)]
struct Sampled {
    class: Polarity,
    line: u64,
    text: String,
}

/// Labels files; writes the labelled rows if asked.
pub fn run(args: &LabelArgs, desk: &Desk) -> anyhow::Result<usize> {
    let study = desk.study();
    let intake = Intake::read(&args.files, study, Kept::if_written(&args.out))?;
    if let Some(path) = &args.out {
        write_labelled(path, &intake, 0..intake.rows.len())?;
    }
    desk.tell_refused(intake.table.refused());
    desk.answer("label", &labelled(&intake, desk, args.samples, args.out.clone()))?;
    Ok(intake.account.refused)
}

fn labelled(intake: &Intake, desk: &Desk, samples: usize, written: Option<String>) -> Labelled {
    let study = desk.study();
    let mut draw = Draw::new(study.validation.seed);
    let mut shown = Vec::new();
    for polarity in Polarity::ALL {
        let mut own: Vec<usize> =
            (0..intake.rows.len()).filter(|&at| intake.sample.labels[at] == polarity).collect();
        draw.shuffle(&mut own);
        shown.extend(own.into_iter().take(samples).map(|at| Sampled {
            class: polarity,
            line: intake.table.place(intake.rows[at]).1,
            text: intake.review(at).into_owned(),
        }));
    }
    Labelled {
        rule: study.polarity.to_string(),
        rated: study.reviews.rated().into(),
        account: intake.account.clone(),
        values: intake.values.clone(),
        samples: shown,
        written,
    }
}

/// Writes labelled reviews with all their columns and their class; a class column that is
/// there already is replaced by it.
pub fn write_labelled(
    path: &str,
    intake: &Intake,
    reviews: impl Iterator<Item = usize>,
) -> anyhow::Result<()> {
    let table = &intake.table;
    let kept: Vec<usize> =
        (0..table.columns().len()).filter(|&at| table.columns()[at] != CLASS_COLUMN).collect();
    let cells = |table: &Rows, row: usize| -> Vec<String> {
        kept.iter().map(|&column| table.cell(row, column).to_string()).collect()
    };
    let mut writer = RowWriter::create(path)?;
    writer.row(kept.iter().map(|&at| table.columns()[at].as_str()).chain([CLASS_COLUMN]))?;
    for review in reviews {
        let row = cells(table, intake.rows[review]);
        let label = intake.sample.labels[review].name();
        writer.row(row.iter().map(String::as_str).chain([label]))?;
    }
    Ok(writer.finish()?)
}

/// Puts the account of all rows on a page.
pub fn show_account(page: &mut Page, account: &Account) {
    let Account { read, refused, no_text, no_rating, middle, negative, positive } = *account;
    let mut table = Table::new(&[("", Side::Left), ("rows", Side::Right), ("share", Side::Right)]);
    let mut row = |name: String, rows: usize| table.row([name, number(rows), percent(rows, read)]);
    row(class(Polarity::Negative), negative);
    row(class(Polarity::Positive), positive);
    row("left out: between the classes".into(), middle);
    row("left out: no rating".into(), no_rating);
    row("left out: no text".into(), no_text);
    row("refused".into(), refused);
    row("all rows read".into(), read);
    table.put(page);
}

impl Answer for Labelled {
    fn show(&self, page: &mut Page) {
        page.heading(&format!("What the values of `{}` become", self.rated));
        let mut table = Table::new(&[("value", Side::Right), ("becomes", Side::Left), ("rows", Side::Right)]);
        for row in &self.values {
            let becomes = Polarity::ALL.into_iter().find(|polarity| polarity.name() == row.becomes);
            let value = if row.value.is_empty() { "(blank)" } else { &row.value };
            table.row([value.to_string(), becomes.map_or(row.becomes.to_string(), class), number(row.rows)]);
        }
        table.put(page);
        page.note(&format!("Rule: {}.", self.rule));
        page.heading("What became of the rows");
        show_account(page, &self.account);
        for polarity in Polarity::ALL {
            let own: Vec<&Sampled> = self.samples.iter().filter(|sample| sample.class == polarity).collect();
            if own.is_empty() {
                continue;
            }
            page.heading(&format!("{} at random: {}", count(own.len(), "review"), class(polarity)));
            for sample in own {
                page.line(format!("  line {:>6}  {}", sample.line, cut(&sample.text, width() - 16)));
            }
        }
        match &self.written {
            Some(path) => page.heading(&format!("Written: {path}")),
            None => page.note("Nothing was written; --out FILE keeps the labelled rows."),
        }
    }
}
