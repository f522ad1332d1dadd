//! What customers complain about, and what they praise.

use std::collections::{HashMap, HashSet};

use heddle_core::explain::{Explanation, explain_document};
use heddle_core::labels::Polarity;
use heddle_core::measure::{Figure, mean, share};
use heddle_core::model::Model;
use heddle_core::resample::text_key;
use heddle_core::survey::Reservoir;
use heddle_core::text::word_count;
use heddle_core::themes::{Part, Theme, parts, themes};
use heddle_core::validate::Aspect;
use heddle_files::{Column, Record, find_column};
use serde::Serialize;

use crate::aspects::columns_beside;
use crate::error::{Result, fail};
use crate::reviews::found::{Needs, with_found};
use crate::reviews::labelled::{Kept, LabelledReviews, Purpose};
use crate::reviews::labelling::Account;
use crate::reviews::names::RowNames;
use crate::roles::THEMES;
use crate::scoring::score_each;
use crate::session::Session;
use crate::training::TrainingSet;

/// What a theme adds to verdicts is told on so many reviews at most.
const EXPLAINED: usize = 4000;

/// Quotes have so many words, if there are such.
const SENTENCE: usize = 4;

/// How themes are looked for.
#[derive(Debug, Clone, Default)]
pub struct DriversOptions {
    /// The review files; those of the study where there are none.
    pub files: Vec<String>,
    /// The most themes of each class.
    pub most: usize,
    /// So many quotes of each theme.
    pub quotes: usize,
    /// A file of names for themes, by one of their words.
    pub names: Option<String>,
    /// Where the themes go as rows, if anywhere.
    pub out: Option<String>,
}

/// What drives reviews to one side or the other.
#[derive(Debug, Serialize)]
pub struct Driven {
    /// What became of every row.
    pub account: Account,
    /// The rule for classes, in words.
    pub rule: String,
    /// The share of negative reviews.
    pub negative: Figure,
    /// The themes, those of negative reviews first.
    pub themes: Vec<Driver>,
    /// By class and column: the share of each class among the reviews with each value. Of two classes, negative alone.
    pub classes: Vec<ClassByColumn>,
    /// Themes that were found and whose share of negative reviews is within noise.
    pub within_noise: usize,
    /// Months that reviews come from; none where no date is known.
    pub months: usize,
    /// What rows are called by: the column of their ids, or "row".
    pub named_by: String,
    /// Where the themes were written, if anywhere.
    pub written: Option<String>,
    /// Where a picture was drawn.
    pub picture: Option<String>,
    /// Where their words were drawn.
    pub picture_of_words: Option<String>,
}

/// A theme and all that is known of it.
#[derive(Debug, Serialize)]
pub struct Driver {
    /// The theme.
    #[serde(flatten)]
    pub theme: Theme,
    /// What its words add to the log-odds of positive, on average of reviews that hold it.
    pub adds: Figure,
    /// By month, where there are dates: how often it stands there.
    pub months: Vec<Part>,
    /// By how much its share of reviews moves in a year; missing without dates.
    pub trend: Option<Figure>,
    /// By column beside the text: how often it stands with each value.
    pub columns: Vec<ByColumn>,
    /// Reviews in which it adds most.
    pub quotes: Vec<Quote>,
}

/// How often a class stands with each value of each column.
#[derive(Debug, Serialize)]
pub struct ClassByColumn {
    /// The class.
    pub class: Polarity,
    /// The columns beside the text, and the month where dates are known.
    pub columns: Vec<ByColumn>,
}

/// How often a theme or a class stands with each value of a column.
#[derive(Debug, Serialize)]
pub struct ByColumn {
    /// The column.
    pub column: String,
    /// Its values.
    pub values: Vec<Part>,
}

/// What a customer says of a theme.
#[derive(Debug, Clone, Serialize)]
pub struct Quote {
    /// What the row is called.
    pub id: String,
    /// The clause in which the theme adds most.
    pub clause: String,
    /// What that clause adds to the log-odds of positive.
    pub adds: f64,
}

/// Finds the themes of labelled reviews, and tells what they do.
///
/// # Errors
/// Reviews that cannot be read or learnt from, or a locked holdout.
pub fn drivers(session: &Session, options: &DriversOptions) -> Result<Driven> {
    let input = session.input(&options.files)?;
    let session = &with_found(session, &input, Needs::LABELS)?;
    let reviews = LabelledReviews::of(input, session, Kept::Needed, Purpose::Learn)?;
    let names = RowNames::new(&reviews, session.study())?;
    let columns = columns_beside(&reviews, session)?;
    let training = TrainingSet::of(&reviews, session)?;
    let model = training.model(&training.fit(session)?, None);
    driven((&reviews, &names, &training), (&model, &columns), options, session)
}

/// Tells the themes of reviews; `model` has learnt from them.
pub(crate) fn driven(
    (reviews, names, training): (&LabelledReviews, &RowNames, &TrainingSet),
    (model, columns): (&Model, &[Aspect]),
    options: &DriversOptions,
    session: &Session,
) -> Result<Driven> {
    let task = session.busy("looking for themes");
    let found = themes(&training.corpus, &training.sample, options.most);
    task.end();
    let all = found.len();
    let mut beyond: Vec<Theme> = found.into_iter().filter(is_beyond_noise).collect();
    beyond.sort_by_key(|theme| theme.class != Polarity::Negative);
    if let Some(file) = &options.names {
        rename(file, &mut beyond, session)?;
    }
    let within_noise = all - beyond.len();
    let months = match reviews.sample.days.is_empty() {
        true => None,
        false => Some(Aspect::of_days(&reviews.sample.days)),
    };
    let classes = classes_by_column(reviews, columns, months.as_ref());
    let told = tell(beyond, (reviews, names, model), (columns, months.as_ref()), options, session);
    if let Some(path) = &options.out {
        write_themes(path, &told, session)?;
    }
    let negative = training.account.negative;
    Ok(Driven {
        account: training.account.clone(),
        rule: session.study().rule(training.account.by_name),
        negative: share(negative, training.account.labelled()),
        themes: told,
        classes,
        within_noise,
        months: months.map_or(0, |months| months.levels.len()),
        named_by: names.column().into(),
        written: options.out.clone(),
        picture: None,
        picture_of_words: None,
    })
}

/// The share of each class by value of each column; of two classes one tells all.
fn classes_by_column(
    reviews: &LabelledReviews,
    columns: &[Aspect],
    months: Option<&Aspect>,
) -> Vec<ClassByColumn> {
    let sample = &reviews.sample;
    let classes = match reviews.account.neutral {
        0 => &[Polarity::Negative][..],
        _ => &Polarity::ALL,
    };
    let aspects: Vec<&Aspect> = columns.iter().chain(months).filter(|aspect| !aspect.is_constant()).collect();
    let at_once = classes.len() * aspects.iter().map(|aspect| aspect.levels.len()).sum::<usize>();
    let of_class = |class: &Polarity| {
        let hits: Vec<bool> = sample.labels.iter().map(|label| label == class).collect();
        let column = |aspect: &&Aspect| ByColumn {
            column: aspect.name.clone(),
            values: parts(&hits, aspect, &sample.groups, at_once),
        };
        ClassByColumn { class: *class, columns: aspects.iter().map(column).collect() }
    };
    classes.iter().map(of_class).collect()
}

/// Whether reviews with the theme are of its class more often than those without, whatever chance may do.
fn is_beyond_noise(theme: &Theme) -> bool {
    match theme.class {
        Polarity::Negative => theme.difference.low > Some(0.0),
        _ => theme.difference.high.is_some_and(|high| high < 0.0),
    }
}

/// Gives themes the names that a file has for one of their words: columns `word` and `name`.
fn rename(file: &str, themes: &mut [Theme], session: &Session) -> Result<()> {
    let mut rows = session.open_reviews(file)?;
    let columns = rows.columns().to_vec();
    let [word, name] = ["word", "name"].map(|column| find_column(rows.file(), &columns, column));
    let (word, name) = (word?, name?);
    let mut record = Record::new();
    while let Some(line) = rows.next_sound(&mut record)? {
        if record[name].trim().is_empty() {
            fail!(
                Reviews,
                "{file}, line {line}, column `name`: it is blank: expected what the theme is to be called"
            );
        }
        let holds = |theme: &&mut Theme| theme.words.iter().any(|own| own.word == record[word]);
        match themes.iter_mut().find(holds) {
            Some(theme) => theme.name = record[name].trim().into(),
            None => session.remark(&format!("note: no theme holds the word `{}` of {file}", &record[word])),
        }
    }
    Ok(())
}

/// Tells of each theme what it adds, where it differs, and what customers say.
fn tell(
    themes: Vec<Theme>,
    (reviews, names, model): (&LabelledReviews, &RowNames, &Model),
    (columns, months): (&[Aspect], Option<&Aspect>),
    options: &DriversOptions,
    session: &Session,
) -> Vec<Driver> {
    let seed = session.study().validation.seed;
    let mut drawn = Reservoir::new(EXPLAINED, seed);
    let rows = 0..reviews.rows.len();
    rows.filter(|row| themes.iter().any(|theme| theme.rows[*row])).for_each(|row| drawn.offer(|| row));
    let mut rows = drawn.into_kept();
    rows.sort_unstable();
    let by_word: HashMap<&str, usize> = themes
        .iter()
        .enumerate()
        .flat_map(|(at, theme)| theme.words.iter().map(move |own| (own.word.as_str(), at)))
        .collect();
    let task = session.busy("explaining");
    let heard = score_each(model, &rows, |scorer, row| {
        let document = reviews.review(*row);
        let (_, explanation) = explain_document(scorer, &document);
        hear(document.text(), &explanation, &by_word)
    });
    task.end();
    // As many figures as are looked at, all of them together.
    let parts = columns.iter().chain(months).map(|aspect| aspect.levels.len()).sum::<usize>();
    let at_once = themes.len() * (parts + usize::from(months.is_some()));
    let groups = &reviews.sample.groups;
    let mut said = HashSet::new();
    let mut one = |(at, theme): (usize, Theme)| {
        let own = rows
            .iter()
            .zip(&heard)
            .filter_map(|(row, heard)| Some((*row, heard.iter().find(|own| own.theme == at)?)));
        let own: Vec<(usize, &Heard)> = own.collect();
        Driver {
            adds: mean(&own.iter().map(|(_, heard)| heard.adds).collect::<Vec<_>>()),
            months: months.map_or(Vec::new(), |months| theme.by_aspect(months, groups, at_once)),
            trend: theme.trend(&reviews.sample.days, groups, at_once),
            columns: columns
                .iter()
                .filter(|column| !column.is_constant())
                .map(|column| ByColumn {
                    column: column.name.clone(),
                    values: theme.by_aspect(column, groups, at_once),
                })
                .collect(),
            quotes: quotes(&own, theme.class, (names, &mut said), options.quotes),
            theme,
        }
    };
    themes.into_iter().enumerate().map(&mut one).collect()
}

/// What a theme does in a review.
struct Heard {
    theme: usize,
    /// What its words add.
    adds: f64,
    /// The clause in which its words add most, whichever way.
    clause: String,
    /// What they add there.
    words_add: f64,
    /// What the clause adds.
    clause_adds: f64,
}

fn hear(text: &str, explanation: &Explanation, by_word: &HashMap<&str, usize>) -> Vec<Heard> {
    let mut heard: Vec<Heard> = Vec::new();
    for clause in &explanation.clauses {
        // By theme: what its words add in this clause.
        let mut here: Vec<(usize, f64)> = Vec::new();
        for token in &explanation.tokens[clause.tokens.0..clause.tokens.1] {
            let Some(&theme) = by_word.get(token.spelled().as_str()) else { continue };
            match here.iter_mut().find(|(own, _)| *own == theme) {
                Some((_, adds)) => *adds += token.contribution,
                None => here.push((theme, token.contribution)),
            }
        }
        for (theme, adds) in here {
            let at = heard.iter().position(|own| own.theme == theme).unwrap_or_else(|| {
                let clause = String::new();
                heard.push(Heard { theme, adds: 0.0, clause, words_add: 0.0, clause_adds: 0.0 });
                heard.len() - 1
            });
            let own = &mut heard[at];
            own.adds += adds;
            if own.clause.is_empty() || adds.abs() > own.words_add.abs() {
                own.clause = text[clause.start as usize..clause.end as usize].trim().into();
                (own.words_add, own.clause_adds) = (adds, clause.contribution);
            }
        }
    }
    heard
}

/// The clauses in which the words of a theme speak most for its class, none of which was quoted before.
fn quotes(
    own: &[(usize, &Heard)],
    class: Polarity,
    (names, said): (&RowNames, &mut HashSet<u64>),
    most: usize,
) -> Vec<Quote> {
    let mut order: Vec<&(usize, &Heard)> = own.iter().collect();
    let speaks = |heard: &Heard| class.sign() * heard.words_add;
    // A cry says less than a sentence.
    let short = |heard: &Heard| word_count(&heard.clause) < SENTENCE;
    order.sort_by(|a, b| short(a.1).cmp(&short(b.1)).then(speaks(b.1).total_cmp(&speaks(a.1))));
    let quote = |(row, heard): &&(usize, &Heard)| Quote {
        id: names.of(*row).into(),
        clause: heard.clause.clone(),
        adds: heard.clause_adds,
    };
    order
        .iter()
        .filter(|(_, heard)| speaks(heard) > 0.0 && said.insert(text_key(&heard.clause)))
        .take(most)
        .map(quote)
        .collect()
}

fn write_themes(path: &str, themes: &[Driver], session: &Session) -> Result<()> {
    let names = session.study().class_names();
    let (negative, positive) = (names.of(Polarity::Negative), names.of(Polarity::Positive));
    let numbers = [
        "reviews".to_string(),
        format!("reviews_{negative}"),
        format!("reviews_{positive}"),
        format!("times_{negative}"),
        format!("times_{positive}"),
        "rate_ratio".into(),
        "share_with".into(),
        "share_without".into(),
        "difference".into(),
        "difference_low".into(),
        "difference_high".into(),
        "adds".into(),
        "adds_low".into(),
        "adds_high".into(),
        "trend_a_year".into(),
    ];
    let columns = [Column::text("theme"), Column::text("class"), Column::text("words")]
        .into_iter()
        .chain(numbers.into_iter().map(Column::number))
        .chain([Column::text("quote")]);
    let mut writer = session.row_writer(THEMES, path, &columns.collect::<Vec<_>>())?;
    for Driver { theme, adds, trend, quotes, .. } in themes {
        let words: Vec<&str> = theme.words.iter().map(|own| own.word.as_str()).collect();
        let times = |class: Polarity| theme.words.iter().map(|own| own.times[class]).sum::<usize>();
        let number = |value: Option<f64>| value.map_or(String::new(), |value| value.to_string());
        let cells = [
            theme.reviews().to_string(),
            theme.counts[Polarity::Negative].to_string(),
            theme.counts[Polarity::Positive].to_string(),
            times(Polarity::Negative).to_string(),
            times(Polarity::Positive).to_string(),
            theme.words[0].rate_ratio.to_string(),
            number(theme.with.value),
            number(theme.without.value),
            number(theme.difference.value),
            number(theme.difference.low),
            number(theme.difference.high),
            number(adds.value),
            number(adds.low),
            number(adds.high),
            number(trend.and_then(|trend| trend.value)),
        ];
        let first = [theme.name.as_str(), names.of(theme.class), &words.join(" ")];
        let quote = quotes.first().map_or("", |quote| quote.clause.as_str());
        writer.row(first.into_iter().chain(cells.iter().map(String::as_str)).chain([quote]))?;
    }
    writer.finish()?;
    Ok(())
}
