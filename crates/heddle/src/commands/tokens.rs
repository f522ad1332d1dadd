//! How a text is read.

use heddle_core::Choice;
use heddle_core::explain::{TermPart, term_lines};
use heddle_core::terms::Cleaned;
use heddle_core::text::Counts;
use heddle_work::{ReadText, ReadTexts, ReadToken, Session, TokensOptions, tokens};

use crate::args::TokensArgs;
use crate::output::Output;
use crate::view::explained::{kind_of, note_parts};
use crate::view::table::{Side, Table};
use crate::view::{DIM, Page, STRONG, columns, count, cut, number, paint, signed, width};

/// How many terms of a text are shown, the strongest first.
const SHOWN_TERMS: usize = 12;

/// How many changes of a text are shown.
const SHOWN_CHANGES: usize = 10;

/// Shows how texts are read.
pub fn run(args: &TokensArgs, session: &Session, output: &Output) -> anyhow::Result<usize> {
    let options =
        TokensOptions { texts: args.texts.options(), model: args.model.clone(), out: args.out.clone() };
    output.answer("tokens", &tokens(session, &options)?, show)?;
    Ok(0)
}

fn show(read: &ReadTexts, page: &mut Page) {
    if let Some(cleaning) = &read.cleaning {
        show_cleaning(page, cleaning);
    }
    if let Some((path, rows)) = &read.written {
        page.written(path, &format!(", {} as they are written and as they are read", count(*rows, "text")));
    }
    for text in &read.texts {
        page.heading(&text.origin);
        show_text(text, page);
    }
    page.note(
        "Each line is a clause, “/” begins a sentence. A negator is underlined; ⟨ ⟩ holds what it negates, ½( ) what \
         counts half, because it is conceded, and ∅( ) what does not count, because it is said of others or negates nothing.",
    );
}

fn show_text(text: &ReadText, page: &mut Page) {
    for line in crate::view::wrapped(&text.raw, width() - 4) {
        page.line(format!("  {}", paint(DIM, line)));
    }
    for (at, clause) in text.clauses.iter().enumerate() {
        let begins = at == 0 || clause.first().is_some_and(|token| token.ends_sentence_before);
        clause_lines(clause).into_iter().enumerate().for_each(|(nth, line)| {
            let mark = if begins && nth == 0 { "/" } else { " " };
            page.line(format!("  {} {line}", paint(DIM, mark)));
        });
    }
    if let Some(language) = text.language {
        page.line(format!("    {}", paint(DIM, format!("read as {}", language.title()))));
    }
    show_changes(text, page);
    let Some(terms) = &text.terms else { return };
    page.line("");
    let mut table = Table::new(&[
        ("term", Side::Left),
        ("contribution", Side::Right),
        ("training reviews", Side::Right),
        ("kind", Side::Left),
    ]);
    let lines = term_lines(terms);
    let (top, others) = lines.split_at(lines.len().min(SHOWN_TERMS));
    for line in top {
        let TermPart { term, reviews, .. } = line.term;
        table.row([term.clone(), signed(line.contribution), number(*reviews as usize), kind_of(line)]);
    }
    table.put(page);
    note_parts(top.iter(), page);
    if !others.is_empty() {
        let more = count(others.iter().map(|line| 1 + line.parts).sum(), "term");
        page.note(&format!("{more} more; --json gives all of them."));
    }
}

fn show_changes(text: &ReadText, page: &mut Page) {
    if text.changes.is_empty() {
        return;
    }
    page.line("");
    let mut table = changes_table();
    for change in text.changes.iter().take(SHOWN_CHANGES) {
        table.row([change.step.name().into(), cut(&change.written, 24), left(&change.read)]);
    }
    table.put(page);
    if text.changes.len() > SHOWN_CHANGES {
        let more = count(text.changes.len() - SHOWN_CHANGES, "more change");
        page.note(&format!("{more}; --json gives all of them."));
    }
}

fn changes_table() -> Table {
    Table::new(&[("cleaning", Side::Left), ("as written", Side::Left), ("as read", Side::Left)])
}

/// What is read in the place of a change.
fn left(read: &str) -> String {
    if read.is_empty() { "–".into() } else { cut(read, 24) }
}

fn show_cleaning(page: &mut Page, cleaning: &Cleaned) {
    page.heading(&format!("What cleaning does to {}", count(cleaning.reviews, "review")));
    let mut table = Table::new(&[
        ("step", Side::Left),
        ("times", Side::Right),
        ("reviews", Side::Right),
        ("as written", Side::Left),
        ("as read", Side::Left),
    ]);
    for step in &cleaning.steps {
        table.row([
            step.step.name().into(),
            number(step.times),
            number(step.reviews),
            cut(&step.written, 20),
            left(&step.read),
        ]);
    }
    table.put(page);
    page.note(&format!(
        "The text itself is never changed. {} left without any token. --row and --id look at other rows.",
        count(cleaning.emptied, "review")
    ));
}

/// The tokens of a clause, negators underlined, negated ones and those that count less in brackets, wrapped.
fn clause_lines(clause: &[ReadToken]) -> Vec<String> {
    let mut lines = vec![String::new()];
    for (at, token) in clause.iter().enumerate() {
        let near = |at: Option<usize>| at.and_then(|at| clause.get(at));
        let negated = |at: Option<usize>| near(at).is_some_and(|token| token.negated);
        let counts = |at: Option<usize>| near(at).map_or(Counts::All, |token| token.counts);
        let mut piece = match (token.cue, token.negated) {
            (true, _) => paint(STRONG.underline(), &token.form),
            (_, true) => paint(STRONG, &token.form),
            _ => token.form.clone(),
        };
        if token.negated && !negated(at.checked_sub(1)) {
            piece.insert(0, '⟨');
        }
        if token.negated && !negated(Some(at + 1)) {
            piece.push('⟩');
        }
        if token.counts != Counts::All && token.counts != counts(at.checked_sub(1)) {
            piece.insert_str(0, &format!("{}(", token.counts.sign()));
        }
        if token.counts != Counts::All && token.counts != counts(Some(at + 1)) {
            piece.push(')');
        }
        let line = lines.last_mut().expect("there is always a line");
        if !line.is_empty() && columns(line) + 3 + columns(&piece) > width() - 6 {
            lines.push(piece);
        } else {
            line.push_str(if line.is_empty() { "" } else { " · " });
            line.push_str(&piece);
        }
    }
    lines
}
