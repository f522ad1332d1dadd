//! The reading line: a review in reading order, one clause a line, each with its
//! contribution to the log-odds and the running total after it.

use heddle_core::explain::{Clause, Explanation, TokenPart};
use heddle_core::labels::{ClassNames, Polarity};
use heddle_core::text::Counts;

use super::{DIM, Page, STRONG, columns, cut, paint, sign_of, signed, style_of, width};

/// Columns of the track on which the log-odds move; odd, so that it has a middle.
const TRACK: usize = 21;
/// Columns of a log-odds.
const FIGURE: usize = 6;
/// What stands between the columns.
const GAP: &str = "   ";
/// Log-odds at either end of the track, at least: a probability of 95 %.
const LEAST_SPAN: f64 = 3.0;
/// A word is coloured if it contributes this share of the strongest clause, or more.
pub const TELLING: f64 = 0.08;

/// Puts a reading line on a page.
pub fn reading_line(page: &mut Page, text: &str, explanation: &Explanation) {
    let room = width() - TRACK - 2 * FIGURE - 3 * GAP.len() - 2;
    let running = explanation.columns.iter().map(|column| column.running);
    let running = running.chain(explanation.clauses.iter().map(|clause| clause.running));
    let span = running.map(f64::abs).fold(LEAST_SPAN, f64::max);
    let strongest = explanation.clauses.iter().map(|clause| clause.contribution.abs()).fold(0.0, f64::max);
    let before_track = room + 2 * GAP.len() + FIGURE;
    page.line(paint(DIM, format!("  {:<before_track$}{}", "", heads(page))));
    let (left, right) = (before_track - GAP.len(), GAP.len() + TRACK + GAP.len() + FIGURE);
    page.line(paint(DIM, format!("  {:>left$}{:>right$}", "contribution", "running total")));
    let mut from = explanation.intercept;
    let step = Step { contribution: None, from, to: from, span };
    step.put(page, &paint(DIM, "before the first word"), room);
    for column in &explanation.columns {
        let step = Step { contribution: Some(column.contribution), from, to: column.running, span };
        step.put(page, &paint(DIM, cut(&column.named(), room)), room);
        from = column.running;
    }
    for clause in &explanation.clauses {
        let style = |token: &TokenPart| token_style(token, TELLING * strongest);
        let mut lines = clause_lines(text, clause, explanation, style, room).into_iter();
        let first = lines.next().unwrap_or_default();
        let step = Step { contribution: Some(clause.contribution), from, to: clause.running, span };
        step.put(page, &first, room);
        for line in lines {
            let pad = " ".repeat(room + FIGURE + 2 * GAP.len() + TRACK / 2 - columns(&line));
            page.line(format!("  {line}{pad}{}", paint(DIM, "┊")));
        }
        from = clause.running;
    }
}

/// One step of the running total.
struct Step {
    contribution: Option<f64>,
    from: f64,
    to: f64,
    /// The log-odds at either end of the track.
    span: f64,
}

impl Step {
    /// Puts one line on a page: the clause, its contribution, the track from the total before it to
    /// the total after it, and that total.
    fn put(&self, page: &mut Page, clause: &str, room: usize) {
        let pad = " ".repeat(room.saturating_sub(columns(clause)));
        let contribution = self.contribution.map_or(String::new(), signed);
        let right = |text: &str| format!("{}{text}", " ".repeat(FIGURE.saturating_sub(columns(text))));
        page.line(format!(
            "  {clause}{pad}{GAP}{}{GAP}{}{GAP}{}",
            right(&contribution),
            track(self.from, self.to, self.span),
            right(&signed(self.to))
        ));
    }
}

/// The track: a middle line, a thread from `from` to `to`, and a knot at `to`.
fn track(from: f64, to: f64, span: f64) -> String {
    let half = (TRACK / 2) as f64;
    let place =
        |log_odds: f64| (half + (log_odds / span * half).round()).clamp(0.0, (TRACK - 1) as f64) as usize;
    let style = style_of(Polarity::of_log_odds(to));
    let (from, to) = (place(from), place(to));
    (0..TRACK)
        .map(|at| match at {
            _ if at == to => paint(style, "●"),
            _ if at > from.min(to) && at < from.max(to) => {
                paint(style, if at == TRACK / 2 { "┼" } else { "─" })
            }
            _ if at == from => paint(DIM, "○"),
            _ if at == TRACK / 2 => paint(DIM, "┊"),
            _ => " ".into(),
        })
        .collect()
}

/// The names of the poles at the ends of the track, where there is room for both; else their signs.
fn heads(page: &Page) -> String {
    let [negative, positive] = page.poles();
    let (left, right) = (format!("− {negative}"), format!("{positive} +"));
    match TRACK.checked_sub(columns(&left) + columns(&right) + 1) {
        Some(between) => format!("{left}{}{right}", " ".repeat(between + 1)),
        None => format!("−{:TRACK$}+", "", TRACK = TRACK - 2),
    }
}

/// The words of a clause as written, each in its style.
pub fn clause_lines(
    text: &str,
    clause: &Clause,
    whole: &Explanation,
    style: impl Fn(&TokenPart) -> Option<anstyle::Style>,
    room: usize,
) -> Vec<String> {
    let mut lines = vec![String::new()];
    let mut at = clause.start as usize;
    let mut put = |piece: &str, style: Option<anstyle::Style>| {
        // Blanks in a review, line ends too, show as one blank; long clauses are wrapped.
        for (nth, word) in piece.split_whitespace().enumerate() {
            let apart = nth > 0 || piece.starts_with(char::is_whitespace);
            let line = lines.last_mut().expect("there is always a line");
            let used = columns(line);
            if used > 0 && used + usize::from(apart) + columns(word) > room {
                lines.push(style.map_or(word.into(), |style| paint(style, word)));
                continue;
            }
            if apart && used > 0 {
                line.push(' ');
            }
            line.push_str(&style.map_or(word.into(), |style| paint(style, word)));
        }
        if piece.ends_with(char::is_whitespace) {
            lines.last_mut().expect("there is always a line").push(' ');
        }
    };
    for token in &whole.tokens[clause.tokens.0..clause.tokens.1] {
        put(&text[at..token.start as usize], None);
        put(&text[token.start as usize..token.end as usize], style(token));
        at = token.end as usize;
    }
    put(&text[at..clause.end as usize], None);
    lines.into_iter().map(|line| line.trim_end().to_string()).collect()
}

fn token_style(token: &TokenPart, telling: f64) -> Option<anstyle::Style> {
    let tells = token.contribution.abs() >= telling && token.contribution != 0.0;
    in_manner(token, tells.then(|| style_of(Polarity::of_log_odds(token.contribution))))
}

/// The style of a token, underlined if it negates or is negated, and slanted if it counts less than others.
pub fn in_manner(token: &TokenPart, style: Option<anstyle::Style>) -> Option<anstyle::Style> {
    let style = match token.cue || token.negated {
        true => Some(style.unwrap_or_default().underline()),
        false => style,
    };
    match token.counts {
        Counts::All => style,
        Counts::Half | Counts::Nothing => Some(style.unwrap_or_default().italic()),
    }
}

/// How a reading line is to be read.
pub fn legend(names: &ClassNames) -> String {
    let [negative, positive] = Polarity::POLES.map(|class| names.of(class));
    format!(
        "Each line is a clause: its contribution to the log-odds of {positive}, and the running total after it. \
         Gold words speak for {positive}, violet ones for {negative}; negators and what they negate are underlined, \
         and what counts less is in italics."
    )
}

/// The verdict under a reading line.
pub fn verdict(page: &mut Page, explanation: &Explanation) {
    let polarity = explanation.polarity;
    let probability = explanation.verdict.probability(polarity);
    let unsure = if explanation.verdict.sure { "" } else { "? unsure, leaning to " };
    let name = paint(style_of(polarity).bold(), format!("{} {}", sign_of(polarity), page.name(polarity)));
    let score = signed(explanation.sum);
    let chance = paint(STRONG, format!("{:.1} %", 100.0 * probability));
    let curve = match explanation.log_odds == explanation.sum {
        true => String::new(),
        false => format!(", read off the curve at a score of {score}"),
    };
    let odds = signed(explanation.log_odds);
    page.line(format!("  {unsure}{name}, probability {chance}, log-odds {odds}{curve}"));
}
