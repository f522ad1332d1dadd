//! Learning in rounds from reviews that lie in many places (`heddle-core/src/model/rounds.rs`).
//!
//! Where the reviews of a place lie, [`place_rows`] writes them as rows of hashed terms, once, and [`answer_round`]
//! answers a question about them. In one place, [`next_round`] adds the answers up and asks the next question, until a
//! model is learnt. Who carries files between them is not our business: an engine, a script, a person.

use heddle_core::labels::Classes;
use heddle_core::model::{Answer, Ask, Asked, LabelledRows, Model, Next, Place, Rounds, StreamFit, Topic};
use heddle_core::settings::Study;
use heddle_files::{
    PlaceRows, Role, RoundFile, RoundHead, RowsReader, RowsWriter, answer_bytes, ask_bytes, pulls_bytes,
    read_answer, read_ask, read_pulls, read_state, state_bytes, update,
};
use serde::Serialize;

use crate::error::{Result, fail};
use crate::reviews::keep::narrowed;
use crate::reviews::labelled::{Purpose, check_classes, natural};
use crate::reviews::labelling::Account;
use crate::session::Session;
use crate::stream::{FirstLook, Pass, RowUse, settings_digest};
use crate::train::{Source, Trained, save};
use crate::words::count;

/// The reviews of a place, and where their rows go.
#[derive(Debug, Clone, Default)]
pub struct PlaceOptions {
    /// The review files; those of the study where there are none.
    pub files: Vec<String>,
    /// Where the rows go.
    pub out: String,
}

/// Rows that were written.
#[derive(Debug, Serialize)]
pub struct Placed {
    /// What became of every row.
    pub account: Account,
    /// The file.
    pub written: String,
    /// Its size.
    pub bytes: u64,
}

/// Rows, a question about them, and where the answer goes.
#[derive(Debug, Clone, Default)]
pub struct AnswerOptions {
    /// The rows.
    pub rows: String,
    /// The question.
    pub question: String,
    /// The pulls that the last lesson left, from the second lesson on.
    pub pulls: Option<String>,
    /// Where the answer goes.
    pub out: String,
    /// Where the pulls go that a lesson leaves.
    pub pulls_out: Option<String>,
}

/// An answer that was written.
#[derive(Debug, Serialize)]
pub struct Answered {
    /// The number of the question, from 0.
    pub round: u32,
    /// What was asked.
    pub asked: Topic,
    /// The labelled rows of the place.
    pub rows: u64,
    /// The file.
    pub written: String,
    /// Its size.
    pub bytes: u64,
}

/// Answers, and where what comes of them goes.
#[derive(Debug, Clone, Default)]
pub struct NextOptions {
    /// The answers of all places to the last question; none to begin, or to have the open question written again.
    pub answers: Vec<String>,
    /// What is known between two rounds: made at the first call, and changed at each.
    pub state: String,
    /// Where the next question goes.
    pub question: String,
    /// Where the model goes, once it is learnt.
    pub out: String,
    /// How many of the strongest terms of each class are told.
    pub top: usize,
}

/// What came of a round.
#[derive(Debug, Serialize)]
pub struct NextRound {
    /// The number of the question that is open, from 0.
    pub round: u32,
    /// What it asks; missing once the model is learnt.
    pub asks: Option<Topic>,
    /// Whether the model is learnt.
    pub finished: bool,
    /// Places that answer.
    pub places: usize,
    /// Their labelled rows.
    pub rows: u64,
    /// How far above its minimum the objective was at most at the weights of the last lesson, as a share of it.
    pub gap: Option<f64>,
    /// The gap at which learning ends.
    pub tolerance: f64,
    /// What was learnt, once it is.
    pub trained: Option<Box<Trained>>,
}

/// Writes the labelled reviews of a place as rows of hashed terms.
///
/// # Errors
/// Settings that rounds do not go with, reviews that cannot be read, a locked holdout.
pub fn place_rows(session: &Session, options: &PlaceOptions) -> Result<Placed> {
    let study = session.study();
    check(study)?;
    let input = session.input(&options.files)?;
    if natural(&input, Purpose::Learn, session)?.is_some() && study.balance.natural.is_none() {
        fail!(
            Reviews,
            "these reviews were balanced, and no place knows the mix of all: learn from them as they were, or set balance.natural"
        );
    }
    let input = narrowed(input, study);
    session.writes(Role::Round(RoundFile::Rows), &options.out)?;
    let task = session.busy("reading");
    let FirstLook { uses, groups, account, .. } = FirstLook::new(&input, session)?;
    task.end();
    let place = PlaceRows {
        digest: String::new(),
        rows: groups.len() as u64,
        name: String::new(),
        account: serde_json::to_value(&account).unwrap_or_default(),
    };
    let head = head(settings_digest(study, is_read), vec![place]);
    let mut writer = RowsWriter::new(session.outputs(), &options.out, &head)?;
    let (task, mut groups) = (session.progress("rows", uses.rows()), groups.into_iter());
    Pass::new(&input, &uses, study).each(
        0,
        |own| own != RowUse::None,
        |worked| {
            let class = |own: &RowUse| match own {
                RowUse::Teaches(class) => Some(*class),
                _ => None, // a first look decides no more
            };
            task.advance(worked.read);
            let classes = worked.uses.iter().filter_map(class).collect();
            let groups = groups.by_ref().take(worked.uses.len()).collect();
            Ok(writer.block(&LabelledRows { rows: worked.rows, classes, groups })?)
        },
    )?;
    let written = writer.finish()?;
    session.commit()?;
    Ok(Placed { account, written: options.out.clone(), bytes: written.bytes })
}

/// Answers a question about the rows of a place.
///
/// # Errors
/// Files that are missing, damaged, or of other settings or rounds.
pub fn answer_round(session: &Session, options: &AnswerOptions) -> Result<Answered> {
    let (study, columns) = (session.study(), columns_of(session)?);
    let mut reader = RowsReader::open(&options.rows, columns)?;
    let (asking, ask) = read_ask(&options.question, columns)?;
    same_settings(&options.rows, &reader.head().settings, &settings_digest(study, is_read))?;
    same_settings(&options.question, &asking.settings, &settings_digest(study, is_any))?;
    let about = head(asking.settings, vec![reader.place().clone()]);
    let (pulls, pulls_out) = pulls(&ask, &about, options)?;
    session.writes(Role::Round(RoundFile::Answer), &options.out)?;
    pulls_out.map_or(Ok(()), |path| session.writes(Role::Round(RoundFile::Pulls), path))?;
    let task = session.busy("reading");
    let mut place = Place { blocks: Vec::new(), pulls };
    while let Some(block) = reader.block()? {
        place.blocks.push(block);
    }
    task.end();
    let task = session.busy("answering");
    let answer = place.answer(&ask, study);
    task.end();
    let written = session.outputs().write(&options.out, &answer_bytes(&about, ask.round, &answer))?;
    if let Some(path) = pulls_out {
        session.outputs().write(path, &pulls_bytes(&about, ask.round, &place.pulls))?;
    }
    session.commit()?;
    let (asked, rows) = (ask.asked.topic(), reader.place().rows);
    Ok(Answered { round: ask.round, asked, rows, written: options.out.clone(), bytes: written.bytes })
}

/// The pulls that a lesson begins with, and where it leaves them; other questions have none.
fn pulls<'o>(
    ask: &Ask,
    about: &RoundHead,
    options: &'o AnswerOptions,
) -> Result<(Vec<f64>, Option<&'o str>)> {
    let Asked::Lesson { mix, first, .. } = &ask.asked else { return Ok((Vec::new(), None)) };
    let Some(out) = options.pulls_out.as_deref() else {
        fail!(
            Options,
            "question {} is a lesson, and leaves pulls to the next: say where with --pulls-out",
            ask.round
        );
    };
    if *first {
        return Ok((Vec::new(), Some(out)));
    }
    let Some(path) = &options.pulls else {
        fail!(
            Options,
            "question {} goes on from the pulls that the answer to question {} left (its --pulls-out): name them with --pulls",
            ask.round,
            ask.round - 1
        );
    };
    let (own, round, pulls) = read_pulls(path)?;
    same_settings(path, &own.settings, &about.settings)?;
    let rows = about.places[0].rows as usize;
    let fits = pulls.len() == rows * Classes::of(*mix).borders();
    if own.places[..] != about.places[..] || round + 1 != ask.round || !fits {
        fail!(
            Options,
            "{path} holds the pulls after question {round} of the rows of {}: question {} of {} needs those after question {}",
            own.places.first().map_or("other rows", |place| &place.name),
            ask.round,
            about.places[0].name,
            ask.round - 1
        );
    }
    Ok((pulls, Some(out)))
}

/// Adds up the answers of all places, and asks the next question, or writes the model.
///
/// # Errors
/// Answers that are missing, of other settings or rounds, or come twice; nothing to learn from.
pub fn next_round(session: &Session, options: &NextOptions) -> Result<NextRound> {
    let (study, columns) = (session.study(), columns_of(session)?);
    let settings = settings_digest(study, is_any);
    let mut found = None;
    update(&options.state, |before| {
        let (mut head, rounds) = match &before {
            None if options.answers.is_empty() => (head(settings.clone(), Vec::new()), Rounds::default()),
            None => fail!(
                Options,
                "{} is not there, so that no question was asked yet: begin without answers",
                options.state
            ),
            Some(bytes) => read_state(&options.state, bytes, columns)?,
        };
        same_settings(&options.state, &head.settings, &settings)?;
        let next = match options.answers.is_empty() {
            true => Next::Ask(rounds),
            false => {
                let answer = add_up(&options.answers, &rounds, &mut head, study)?;
                rounds.take(answer, study)?
            }
        };
        let (told, bytes) = match next {
            Next::Ask(rounds) => {
                let asks = Some(ask(&rounds, &head, options, session)?);
                let told =
                    NextRound { round: rounds.round, asks, gap: rounds.gap(), ..NextRound::of(&head, study) };
                (told, state_bytes(&head, &rounds))
            }
            Next::Learnt(fit) => {
                let told = finish(*fit, &head, options, session)?;
                (told, before.unwrap_or_default())
            }
        };
        found = Some(told);
        Ok::<_, crate::error::Error>(bytes)
    })?;
    Ok(found.expect("an answer is made before the state is written"))
}

/// Writes a question; what it asks.
fn ask(rounds: &Rounds, head: &RoundHead, options: &NextOptions, session: &Session) -> Result<Topic> {
    let sizes: Vec<u64> = head.places.iter().map(|place| place.rows).collect();
    let ask = rounds.ask(session.study(), &sizes)?;
    session.writes(Role::Round(RoundFile::Question), &options.question)?;
    let head = RoundHead { places: Vec::new(), ..head.clone() };
    session.outputs().write(&options.question, &ask_bytes(&head, &ask))?;
    session.commit()?;
    Ok(ask.asked.topic())
}

/// Writes the model.
fn finish(fit: StreamFit, head: &RoundHead, options: &NextOptions, session: &Session) -> Result<NextRound> {
    let StreamFit { counted, fit, held_back } = fit;
    let study = session.study();
    let account = account_of(head, study);
    check_classes(&account)?;
    let model = Model::of_stream(&counted, &fit, study);
    let bytes = save(&model, &options.out, session)?;
    let source = Source { account: &account, counted: &counted, middle: None };
    let mut trained = Trained::new((&options.out, bytes), source, &fit, &model, options.top);
    trained.held_back = held_back;
    trained.warn(session);
    Ok(NextRound {
        round: trained.card.convergence.rounds,
        asks: None,
        finished: true,
        gap: trained.card.convergence.gap,
        trained: Some(Box::new(trained)),
        ..NextRound::of(head, study)
    })
}

impl NextRound {
    fn of(head: &RoundHead, study: &Study) -> Self {
        Self {
            round: 0,
            asks: None,
            finished: false,
            places: head.places.iter().filter(|place| place.rows > 0).count(),
            rows: head.places.iter().map(|place| place.rows).sum(),
            gap: None,
            tolerance: study.model.tolerance,
            trained: None,
        }
    }
}

/// The sum of the answers of all places, in an order that does not depend on who answered first.
fn add_up(answers: &[String], rounds: &Rounds, head: &mut RoundHead, study: &Study) -> Result<Answer> {
    let mut own = Vec::with_capacity(answers.len());
    for path in answers {
        let (about, round, answer) = read_answer(path)?;
        same_settings(path, &about.settings, &head.settings)?;
        let place = about.places.into_iter().next();
        let fits = round == rounds.round && rounds.fits(&answer, study);
        let Some(place) = place.filter(|_| fits) else {
            fail!(
                Reviews,
                "{path} answers question {round}, and question {} is open: answer that (heddle rounds answer)",
                rounds.round
            );
        };
        own.push((place, path, answer));
    }
    own.sort_by(|(one, ..), (other, ..)| one.digest.cmp(&other.digest));
    let twice = own.windows(2).find(|two| two[0].0.rows > 0 && two[0].0.digest == two[1].0.digest);
    if let Some([(place, one, _), (_, other, _)]) = twice {
        fail!(
            Reviews,
            "{one} and {other} answer for the same rows, those of {}: name each place once",
            place.name
        );
    }
    if rounds.round == 0 {
        head.places = own.iter().map(|(place, ..)| place.clone()).collect();
    }
    // A place without rows has nothing to answer.
    let lacks = |in_some: &[&PlaceRows], place: &PlaceRows| {
        place.rows > 0 && !in_some.iter().any(|other| other.digest == place.digest)
    };
    let answered: Vec<&PlaceRows> = own.iter().map(|(place, ..)| place).collect();
    if let Some(PlaceRows { name, rows, .. }) = head.places.iter().find(|place| lacks(&answered, place)) {
        fail!(
            Reviews,
            "no answer for the {} of {name}: all places that answered the first question must answer each",
            count(*rows as usize, "row")
        );
    }
    let asked: Vec<&PlaceRows> = head.places.iter().collect();
    if let Some((place, path, _)) = own.iter().find(|(place, ..)| lacks(&asked, place)) {
        fail!(
            Reviews,
            "{path} answers for {} of {} that did not answer the first question: leave it out, or begin again",
            count(place.rows as usize, "row"),
            place.name
        );
    }
    let sum = own.into_iter().map(|(.., answer)| answer).reduce(Answer::plus);
    Ok(sum.expect("there are answers"))
}

/// What became of the rows of all places.
fn account_of(head: &RoundHead, study: &Study) -> Account {
    let of = |place: &PlaceRows| serde_json::from_value(place.account.clone()).unwrap_or_default();
    let sum = head.places.iter().map(of).reduce(|one: Account, other| one.plus(&other));
    Account { names: study.class_names(), ..sum.unwrap_or_default() }
}

fn head(settings: String, places: Vec<PlaceRows>) -> RoundHead {
    RoundHead { heddle: env!("CARGO_PKG_VERSION").into(), settings, places }
}

/// Refuses settings that rounds do not go with.
fn check(study: &Study) -> Result<()> {
    match study.needs_one_place() {
        None => Ok(()),
        Some(asks) => fail!(Settings, "a model is not learnt in rounds with {asks}"),
    }
}

/// The columns that hashed terms share.
fn columns_of(session: &Session) -> Result<usize> {
    check(session.study())?;
    Ok(1 << session.study().terms.hashed)
}

/// Whether a setting decides on the rows of a place.
fn is_read(path: &str) -> bool {
    let section = path.split_once('.').map_or(path, |(section, _)| section);
    let reads = matches!(section, "reviews" | "polarity" | "text" | "negation" | "terms" | "features");
    (reads || path == "validation.alike") && is_any(path)
}

/// Every setting but the names of files, which each place has of its own.
fn is_any(path: &str) -> bool {
    path != "reviews.files"
}

fn same_settings(path: &str, own: &str, asked: &str) -> Result<()> {
    match own == asked {
        true => Ok(()),
        false => fail!(Options, "{path} was made under other settings: every call must name the same ones"),
    }
}
