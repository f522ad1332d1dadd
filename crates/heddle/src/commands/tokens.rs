//! How a text is read.

use heddle_core::{
    Break, Choice, Cleaned, Kind, Step, Token, Tokens, cleaned, explain_document, shown as change_shown,
};
use heddle_files::read_model;
use serde::Serialize;

use crate::args::TokensArgs;
use crate::commands::looked::{Text, texts};
use crate::desk::{Answer, Desk};
use crate::view::table::{Side, Table};
use crate::view::{DIM, Page, STRONG, columns, count, cut, number, paint, signed, width};

/// How many terms of a text are shown, the strongest first.
const SHOWN_TERMS: usize = 12;

/// How many changes of a text are shown.
const SHOWN_CHANGES: usize = 10;

#[derive(Serialize)]
struct TokensAnswer {
    /// What cleaning does to the whole file, where no row is named.
    cleaning: Option<Cleaned>,
    texts: Vec<Read>,
}

/// One text and how it is read.
#[derive(Serialize)]
struct Read {
    origin: String,
    raw: String,
    clauses: Vec<Vec<TokenShown>>,
    /// What cleaning changed, in reading order.
    changes: Vec<ChangeShown>,
    /// The terms with what each adds, where a model is given.
    terms: Option<Vec<TermShown>>,
}

#[derive(Serialize)]
struct TokenShown {
    start: u32,
    end: u32,
    form: String,
    kind: String,
    negated: bool,
    cue: bool,
    ends_sentence_before: bool,
}

/// A change: as it was written, and what is read there.
#[derive(Serialize)]
struct ChangeShown {
    step: Step,
    start: u32,
    end: u32,
    written: String,
    read: String,
}

#[derive(Serialize)]
struct TermShown {
    term: String,
    reviews: u64,
    contribution: f64,
}

/// Shows tokens.
pub fn run(args: &TokensArgs, desk: &Desk) -> anyhow::Result<usize> {
    let model = args.model.as_ref().map(|path| read_model(path)).transpose()?;
    let model_desk = model.as_ref().map(|model| desk.of_model(model)).transpose()?;
    let study = model_desk.as_ref().unwrap_or(desk).study();
    let cleaner = study.cleaner();
    let mut tokens = Tokens::default();
    let read = |Text { origin, document }: Text| {
        let raw = document.text();
        let changes = cleaner.scan_and_tell(raw, &mut tokens);
        let changes = changes.iter().map(|change| {
            let (written, read) = change_shown(raw, &tokens, change);
            ChangeShown { step: change.step, start: change.start, end: change.end, written, read }
        });
        let terms = model.as_ref().map(|model| {
            let (_, explanation) = explain_document(&mut model.reader(), &document);
            let shown = |part: heddle_core::TermPart| TermShown {
                term: part.term,
                reviews: part.reviews,
                contribution: part.contribution,
            };
            explanation.terms.into_iter().map(shown).collect()
        });
        let (changes, clauses) = (changes.collect(), clauses(&tokens));
        Read { origin, clauses, changes, terms, raw: raw.into() }
    };
    let mut cleaning = None;
    let texts = texts(&args.looked, desk, |all| cleaning = Some(cleaned(all, &cleaner)))?;
    let texts = texts.into_iter().map(read).collect();
    desk.answer("tokens", &TokensAnswer { cleaning, texts })?;
    Ok(0)
}

fn clauses(tokens: &Tokens) -> Vec<Vec<TokenShown>> {
    let mut clauses: Vec<Vec<TokenShown>> = Vec::new();
    for token in tokens.items() {
        if clauses.is_empty() || token.before >= Break::Clause {
            clauses.push(Vec::new());
        }
        if let Some(clause) = clauses.last_mut() {
            clause.push(shown(tokens, token));
        }
    }
    clauses
}

fn shown(tokens: &Tokens, token: &Token) -> TokenShown {
    let kind = match token.kind {
        Kind::Word => "word",
        Kind::Number => "number",
        Kind::Link => "link",
        Kind::Emoticon => "emoticon",
        Kind::Mark => "mark",
    };
    TokenShown {
        start: token.start,
        end: token.end,
        form: tokens.form(token).into(),
        kind: kind.into(),
        negated: token.negated,
        cue: token.cue,
        ends_sentence_before: token.before == Break::Sentence,
    }
}

impl Answer for TokensAnswer {
    fn show(&self, page: &mut Page) {
        if let Some(cleaning) = &self.cleaning {
            show_cleaning(page, cleaning);
        }
        for text in &self.texts {
            page.heading(&text.origin);
            text.show(page);
        }
        page.note("Each line is a clause, “/” begins a sentence. A negator is underlined; ⟨ ⟩ holds what it negates.");
    }
}

impl Read {
    fn show(&self, page: &mut Page) {
        for line in crate::view::wrapped(&self.raw, width() - 4) {
            page.line(format!("  {}", paint(DIM, line)));
        }
        for (at, clause) in self.clauses.iter().enumerate() {
            let begins = at == 0 || clause.first().is_some_and(|token| token.ends_sentence_before);
            clause_lines(clause).into_iter().enumerate().for_each(|(nth, line)| {
                let mark = if begins && nth == 0 { "/" } else { " " };
                page.line(format!("  {} {line}", paint(DIM, mark)));
            });
        }
        self.show_changes(page);
        let Some(terms) = &self.terms else { return };
        page.line("");
        let mut table =
            Table::new(&[("term", Side::Left), ("adds", Side::Right), ("training reviews", Side::Right)]);
        for term in terms.iter().take(SHOWN_TERMS) {
            table.row([term.term.clone(), signed(term.contribution), number(term.reviews as usize)]);
        }
        table.put(page);
        if terms.len() > SHOWN_TERMS {
            page.note(&format!(
                "{} more; --json gives all of them.",
                count(terms.len() - SHOWN_TERMS, "term")
            ));
        }
    }
}

impl Read {
    fn show_changes(&self, page: &mut Page) {
        if self.changes.is_empty() {
            return;
        }
        page.line("");
        let mut table = changes_table();
        for change in self.changes.iter().take(SHOWN_CHANGES) {
            table.row([change.step.name().into(), cut(&change.written, 24), left(&change.read)]);
        }
        table.put(page);
        if self.changes.len() > SHOWN_CHANGES {
            let more = count(self.changes.len() - SHOWN_CHANGES, "more change");
            page.note(&format!("{more}; --json gives all of them."));
        }
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

/// The tokens of a clause, negators underlined, negated ones in brackets, wrapped.
fn clause_lines(clause: &[TokenShown]) -> Vec<String> {
    let mut lines = vec![String::new()];
    for (at, token) in clause.iter().enumerate() {
        let negated = |at: Option<usize>| at.and_then(|at| clause.get(at)).is_some_and(|token| token.negated);
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
