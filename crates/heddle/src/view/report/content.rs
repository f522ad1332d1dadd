//! What stands in a report, whatever it is written as.

use heddle_core::labels::Polarity;
use heddle_core::text::Counts;

use super::chart::Chart;

/// A report.
pub struct Report {
    pub title: String,
    /// What it all comes to.
    pub verdict: String,
    /// Figures that stand first: what it is, the figure, and what stands beside it.
    pub headline: Vec<[String; 3]>,
    pub sections: Vec<Section>,
}

/// A part of a report.
pub struct Section {
    pub id: String,
    pub title: String,
    pub blocks: Vec<Block>,
}

/// A piece of a part.
pub enum Block {
    Sentence(String),
    Table(Table),
    Charts(Vec<Chart>),
    Reading(Reading),
    /// Said by customers: of what, in which words, and where.
    Quotes(Vec<Quoted>),
    /// What is looked at by those who want to know.
    More(String, Table),
}

/// Rows under names. Those of `searched` tables can be looked through.
pub struct Table {
    pub head: Vec<String>,
    pub rows: Vec<Vec<Cell>>,
    pub searched: bool,
}

/// A cell, and what it is sorted by where that is not its text.
pub struct Cell {
    pub text: String,
    pub number: Option<f64>,
    pub class: Option<Polarity>,
}

impl From<String> for Cell {
    fn from(text: String) -> Self {
        Self { text, number: None, class: None }
    }
}

impl From<&str> for Cell {
    fn from(text: &str) -> Self {
        text.to_string().into()
    }
}

impl Cell {
    /// A number as it is written.
    pub fn number(text: impl Into<String>, number: f64) -> Self {
        Self { text: text.into(), number: Some(number), class: None }
    }

    /// The name of a class.
    pub fn class(name: String, class: Polarity) -> Self {
        Self { text: name, number: None, class: Some(class) }
    }
}

impl Table {
    pub fn new(head: &[&str], rows: Vec<Vec<Cell>>) -> Self {
        Self { head: head.iter().map(|name| (*name).to_string()).collect(), rows, searched: false }
    }

    pub fn searched(self) -> Self {
        Self { searched: true, ..self }
    }
}

/// A review in reading order.
pub struct Reading {
    pub origin: String,
    /// What is said before the first word.
    pub begins: f64,
    pub clauses: Vec<Clause>,
    pub verdict: String,
    pub class: Polarity,
}

/// A clause with what it adds and the total after it.
pub struct Clause {
    pub pieces: Vec<Piece>,
    pub adds: f64,
    pub running: f64,
}

/// How a piece of a clause is written.
#[derive(Clone, Copy, Default)]
pub struct Manner {
    /// It negates or is negated.
    pub underlined: bool,
    /// It counts less than other words.
    pub slanted: bool,
}

impl Manner {
    /// That of a token which is `marked`, as a negator or by one, and counts so much.
    pub fn of(marked: bool, counts: Counts) -> Self {
        Self { underlined: marked, slanted: counts != Counts::All }
    }
}

/// A piece of a clause, and what it speaks for, if it is loud.
pub struct Piece {
    pub text: String,
    pub class: Option<Polarity>,
    pub manner: Manner,
}

pub struct Quoted {
    pub theme: String,
    pub class: Polarity,
    pub said: Vec<(String, String)>,
}

/// A token of a clause: its bytes, and what it adds.
pub struct Spoken {
    pub place: (usize, usize),
    pub adds: f64,
    pub manner: Manner,
}

/// A clause in pieces: its tokens, and what stands between them. Tokens that add less than `telling` have no colour.
pub fn pieces(
    text: &str,
    (start, end): (usize, usize),
    tokens: impl Iterator<Item = Spoken>,
    telling: f64,
) -> Vec<Piece> {
    let mut pieces = Vec::new();
    let mut put = |from: usize, to: usize, class, manner| {
        if let Some(piece) = text.get(from..to).filter(|piece| !piece.is_empty()) {
            pieces.push(Piece { text: piece.into(), class, manner });
        }
    };
    let mut at = start;
    for Spoken { place: (from, to), adds, manner } in tokens {
        let loud = adds != 0.0 && adds.abs() >= telling;
        put(at, from, None, Manner::default());
        put(from, to, loud.then(|| Polarity::of_log_odds(adds)), manner);
        at = to;
    }
    put(at, end, None, Manner::default());
    pieces
}
