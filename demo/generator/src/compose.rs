//! From stars to words.

use heddle_core::resample::Random;

use crate::bank::{Bank, Tone};
use crate::rough::{self, Apostrophe};

const CROSSING: [&str; 7] = ["cabin", "boarding", "food", "crew", "punctuality", "motion", "app"];
const GEAR: [&str; 4] = ["blanket", "flask", "lamp", "drybag"];
const GEAR_NAMES: [&str; 4] = ["Deck blanket", "Steel flask 0.7 l", "Berth lamp", "Dry bag 20 l"];

/// By stars, 1 to 5: the share of judging clauses that praise.
const PRAISE: [f64; 5] = [0.13, 0.24, 0.48, 0.77, 0.88];
/// A clause that judges the whole follows the stars with this chance, and their reverse
/// otherwise.
const WHOLE_FOLLOWS: f64 = 0.9;

/// The share of judging clauses that say one word of one thing, often behind a far negator.
const SAID_IN_A_WORD: f64 = 0.2;

/// One review as it was written.
pub struct Written {
    pub bought: String,
    pub headline: String,
    pub review: String,
}

/// What a review is about.
enum Subject {
    Crossing,
    Gear(usize),
}

/// Writes a review whose words mean these stars; `late` is its place in the two years.
pub fn review(bank: &Bank, stars: usize, late: f64, length: f64, draw: &mut Random) -> Written {
    let subject = if draw.unit() < 0.3 { Subject::Gear(draw.below(GEAR.len())) } else { Subject::Crossing };
    let bought = match subject {
        Subject::Gear(at) => GEAR_NAMES[at].to_string(),
        Subject::Crossing => {
            let from = bank.slot("port", draw).to_string();
            let mut to = bank.slot("port", draw).to_string();
            while to == from {
                to = bank.slot("port", draw).to_string();
            }
            format!("{from} - {to}")
        }
    };
    let tone = judge(PRAISE[stars - 1], draw);
    if draw.unit() < 0.015 {
        let tone = if stars >= 4 { Tone::Praise } else { Tone::Blame };
        return Written { bought, headline: String::new(), review: bank.other(tone, draw) };
    }
    let headline = match draw.unit() {
        share if share < 0.45 => bank.headline(tone, draw),
        share if share < 0.85 => bank.headline(Tone::Neither, draw),
        _ => String::new(),
    };
    let apostrophe = Apostrophe::draw(draw);
    let review = rough::finish(&body(bank, &subject, stars, late, length, draw), apostrophe, draw);
    Written { bought, headline: rough::finish(&headline, apostrophe, draw), review }
}

/// Praise with this chance, else blame.
fn judge(praise: f64, draw: &mut Random) -> Tone {
    if draw.unit() < praise { Tone::Praise } else { Tone::Blame }
}

fn body(bank: &Bank, subject: &Subject, stars: usize, late: f64, length: f64, draw: &mut Random) -> String {
    if length <= 1.0 && draw.unit() < 0.03 {
        return one_word(stars, draw).to_string();
    }
    let clauses = match draw.unit() {
        share if share < 0.30 => 1 + draw.below(3),
        share if share < 0.80 => 4 + draw.below(4),
        share if share < 0.97 => 8 + draw.below(9),
        _ => 17 + draw.below(19),
    };
    let clauses = ((clauses as f64 * length).round() as usize).max(1);
    let mut said: Vec<(String, Tone)> = Vec::new();
    for at in 0..clauses {
        let last = at + 1 == clauses;
        let (about, tone) = if last && draw.unit() < 0.62 {
            let follows = draw.unit() < WHOLE_FOLLOWS;
            let praise = match stars {
                3 => draw.unit() < 0.5,
                _ => (stars > 3) == follows,
            };
            ("whole", if praise { Tone::Praise } else { Tone::Blame })
        } else if draw.unit() < 0.2 {
            let about = if draw.unit() < 0.3 { "whole" } else { place(subject, draw) };
            (about, Tone::Neither)
        } else {
            let faint = if stars == 3 { 0.25 } else { 0.06 };
            let about = match draw.unit() {
                share if share < faint => "faint",
                share if share < faint + SAID_IN_A_WORD => "said",
                _ => place(subject, draw),
            };
            (about, judge(PRAISE[stars - 1], draw))
        };
        let clause = bank.clause(about, tone, late, draw);
        // People say a thing once; where little can be said, they come back to it.
        let fresh = |clause: &String| !said.iter().any(|(earlier, _)| earlier == clause);
        let clause = if fresh(&clause) { clause } else { bank.clause(about, tone, late, draw) };
        if fresh(&clause) || length > 1.0 {
            said.push((clause, tone));
        }
    }
    join(&said, draw)
}

fn place(subject: &Subject, draw: &mut Random) -> &'static str {
    match subject {
        Subject::Gear(at) => GEAR[*at],
        Subject::Crossing => CROSSING[draw.below(CROSSING.len())],
    }
}

fn one_word(stars: usize, draw: &mut Random) -> &'static str {
    const WORDS: [[&str; 4]; 3] = [
        ["Dreadful", "Never", "Avoid!", ":-("],
        ["Okay", "Meh", "Fine", "Average."],
        ["Good", "Lovely", "Perfect!", "👍"],
    ];
    let row = match stars {
        1 | 2 => 0,
        3 => 1,
        _ => 2,
    };
    WORDS[row][draw.below(4)]
}

/// Joins clauses into sentences.
fn join(said: &[(String, Tone)], draw: &mut Random) -> String {
    let mut text = String::new();
    let mut at = 0;
    while at < said.len() {
        let (first, tone) = &said[at];
        let mut sentence = first.clone();
        let mut ends = *tone;
        if let Some((second, other)) = said.get(at + 1)
            && draw.unit() < 0.42
        {
            let turns = (*tone == Tone::Praise && *other == Tone::Blame)
                || (*tone == Tone::Blame && *other == Tone::Praise);
            sentence = connect(first, second, turns, draw);
            ends = *other;
            at += 1;
        }
        at += 1;
        if draw.unit() < 0.92 {
            sentence = rough::capitalised(&sentence);
        }
        text.push_str(&sentence);
        text.push_str(rough::sentence_end(ends, draw));
        text.push_str(match draw.unit() {
            share if share < 0.93 => " ",
            share if share < 0.98 => "\n",
            _ => "<br>",
        });
    }
    text.trim_end().trim_end_matches("<br>").to_string()
}

fn connect(first: &str, second: &str, turns: bool, draw: &mut Random) -> String {
    const TURNS: [&str; 5] = [", but ", " but ", ", although ", "; still, ", ", yet "];
    const GOES_ON: [&str; 5] = [" and ", ", and ", ", ", " - ", ", also "];
    if turns && draw.unit() < 0.2 {
        return format!("although {first}, {second}");
    }
    let words = if turns { &TURNS } else { &GOES_ON };
    format!("{first}{}{second}", words[draw.below(words.len())])
}
