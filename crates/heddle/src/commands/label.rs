//! From ratings to classes.

use std::collections::HashMap;
use std::path::Path;

use anyhow::bail;
use heddle_core::{Polarity, Reservoir, Study};
use heddle_files::{About, Column, Holds, Input, Manner, Record, RowWriter, STREAM, find_column};
use serde::Serialize;

use crate::args::LabelArgs;
use crate::desk::{Answer, Desk};
use crate::intake::input;
use crate::labelling::{Account, Fate, Labelling, ValueRow};
use crate::locked::PART;
use crate::refusals::Refusals;
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
    manners: Vec<Manner>,
    written: Option<String>,
}

/// A random review of a class.
#[derive(Serialize)]
struct Sampled {
    class: Polarity,
    file: String,
    line: u64,
    text: String,
}

/// Labels files row by row; writes the labelled rows if asked.
pub fn run(args: &LabelArgs, desk: &Desk) -> anyhow::Result<usize> {
    let input = input(&args.files, desk)?;
    let labelled = label(&input, args, desk)?;
    desk.answer("label", &labelled)?;
    Ok(labelled.account.refused)
}

fn label(input: &Input, args: &LabelArgs, desk: &Desk) -> anyhow::Result<Labelled> {
    let study = desk.study();
    let mut refusals = Refusals::new(desk)?;
    let ratings = args.ratings.as_ref().map(|path| Ratings::read(path, desk, &mut refusals)).transpose()?;
    let elsewhere = refusals.count();
    let mut reviews = input.rows()?;
    let mut columns = reviews.columns().to_vec();
    let joined = ratings.as_ref().map(|ratings| ratings.enter(reviews.file(), &mut columns)).transpose()?;
    let mut labelling = Labelling::new(reviews.file(), &columns, study)?;
    let target = Target::new(&columns, replaces(input, study)?);
    let mut writer = args
        .out
        .as_ref()
        .map(|path| RowWriter::create(desk.outputs(), path, target.columns()))
        .transpose()?;
    let mut samples = Polarity::ALL.map(|_| Reservoir::new(args.samples, study.validation.seed));
    let sign = desk.busy("labelling");
    let mut record = Record::new();
    while let Some(line) = refusals.next(&mut reviews, &mut record)? {
        if let (Some(ratings), Some(id)) = (&ratings, joined) {
            let rating = ratings.of(&record[id]).to_string();
            record.push_field(&rating);
        }
        let file = reviews.file();
        let Fate::Labelled(class) = labelling.take(|at| &record[at], file, line)? else { continue };
        samples[class.index()].offer(|| Sampled {
            class,
            file: file.into(),
            line,
            text: labelling.join(|at| &record[at]).into_owned(),
        });
        if let Some(writer) = &mut writer {
            writer.row(target.cells(&record, class))?;
        }
    }
    sign.finish_and_clear();
    let manners = reviews.manners();
    desk.tell_manners(&manners);
    let (account, values) = labelling.finish(refusals.finish()? - elsewhere)?;
    if let (Some(path), Some(writer)) = (&args.out, writer) {
        let sources = input.origins()?;
        let written = writer.finish()?;
        About::new(Holds::Labelled, study, sources, &written, account.mix())
            .put_beside(desk.outputs(), path)?;
    }
    Ok(Labelled {
        rule: study.polarity.to_string(),
        rated: study.reviews.rated().into(),
        account,
        values,
        samples: samples.into_iter().flat_map(Reservoir::into_kept).collect(),
        manners,
        written: args.out.clone(),
    })
}

/// Ratings from a file of their own, by id.
struct Ratings {
    file: String,
    id: String,
    column: String,
    by_id: HashMap<String, String>,
}

impl Ratings {
    fn read(path: &str, desk: &Desk, refusals: &mut Refusals<'_>) -> anyhow::Result<Self> {
        let study = desk.study();
        let Some(id) = &study.reviews.id else {
            bail!(
                "--ratings joins by id: name the column that both files have, as in --set reviews.id=review_id"
            );
        };
        let mut reviews = desk.open_reviews(path)?;
        let column = study.reviews.rated().to_string();
        let key = find_column(reviews.file(), reviews.columns(), id)?;
        let rated = find_column(reviews.file(), reviews.columns(), &column)?;
        let mut by_id = HashMap::new();
        let mut record = Record::new();
        while let Some(line) = refusals.next(&mut reviews, &mut record)? {
            let before = by_id.insert(record[key].to_string(), record[rated].to_string());
            if before.is_some_and(|before| before != record[rated]) {
                bail!("{path}, line {line}: the id `{}` has two ratings", &record[key]);
            }
        }
        Ok(Self { file: path.into(), id: id.clone(), column, by_id })
    }

    /// Puts the rating behind the columns of the reviews; gives the place of the id.
    fn enter(&self, file: &str, columns: &mut Vec<Column>) -> anyhow::Result<usize> {
        let id = find_column(file, columns, &self.id)?;
        if columns.iter().any(|column| column.name == self.column) {
            bail!("both {file} and {} have a column `{}`: which one counts?", self.file, self.column);
        }
        columns.push(Column::text(&self.column));
        Ok(id)
    }

    /// The rating of an id; blank where there is none.
    fn of(&self, id: &str) -> &str {
        self.by_id.get(id).map_or("", String::as_str)
    }
}

/// Whether a class column that is there already is ours to replace: the file was labelled
/// here, or its classes are what is labelled by.
pub fn replaces(input: &Input, study: &Study) -> anyhow::Result<bool> {
    let mut ours = study.reviews.rated() == CLASS_COLUMN;
    for path in input.paths() {
        ours |= About::beside(path)?.is_some_and(|about| about.fits(path));
    }
    Ok(ours)
}

/// The columns of labelled rows: those of the file, and the class. A column `polarity` of the
/// file's own stays, and ours is called otherwise.
pub struct Target {
    kept: Vec<usize>,
    columns: Vec<Column>,
}

impl Target {
    pub fn new(theirs: &[Column], replaces: bool) -> Self {
        let kept: Vec<usize> =
            (0..theirs.len()).filter(|&at| !replaces || theirs[at].name != CLASS_COLUMN).collect();
        let own: Vec<Column> = kept.iter().map(|&at| theirs[at].clone()).collect();
        let columns = crate::commands::opened::with_ours(&own, [Column::text(CLASS_COLUMN)]);
        Self { kept, columns }
    }

    /// With a column behind them for the part that a row stands in, in place of any that is there.
    pub fn with_part(mut self, theirs: &[Column]) -> Self {
        self.kept.retain(|&at| theirs[at].name != PART);
        self.columns.retain(|column| column.name != PART);
        self.columns.push(Column::text(PART));
        self
    }

    pub fn columns(&self) -> &[Column] {
        &self.columns
    }

    /// The cells of a row, and its class.
    pub fn cells<'r>(&'r self, record: &'r Record, class: Polarity) -> impl Iterator<Item = &'r str> {
        self.kept.iter().map(|&at| &record[at]).chain([class.name()])
    }
}

/// Says what was written, and what of it stands in the about-file; a stream has none.
pub fn written(page: &mut Page, path: &str, what: &str) {
    let beside = About::name_beside(path);
    match path {
        STREAM => {}
        _ if Path::new(&beside).is_file() => {
            page.heading(&format!("Written: {path}; {what} stands beside it, in {beside}"));
        }
        _ => page.heading(&format!("Written: {path}")),
    }
}

/// Puts the account of all rows on a page.
pub fn show_account(page: &mut Page, account: &Account) {
    let Account { read, refused, no_text, no_rating, middle, .. } = *account;
    let mut table = Table::new(&[("", Side::Left), ("rows", Side::Right), ("share", Side::Right)]);
    let mut row = |name: String, rows: usize| table.row([name, number(rows), percent(rows, read)]);
    for polarity in Polarity::ALL {
        if polarity != Polarity::Neutral || account.neutral > 0 {
            row(class(polarity), account.of(polarity));
        }
    }
    row("left out: between the classes".into(), middle);
    row("left out: no rating".into(), no_rating);
    row("left out: no text".into(), no_text);
    row("refused".into(), refused);
    row("all rows read".into(), read);
    table.put(page);
    if let Ok(sum) = account.sum() {
        page.note(&format!("{sum}."));
    }
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
            Some(path) => written(page, path, "the rule"),
            None => page.note("Nothing was written; --out FILE keeps the labelled rows."),
        }
    }
}
