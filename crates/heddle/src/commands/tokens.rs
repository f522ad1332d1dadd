//! How a text is read.

use heddle_core::{Break, Kind, Token, Tokens, explain, scan};
use heddle_files::read_model;
use serde::Serialize;

use crate::args::TokensArgs;
use crate::commands::looked::{Text, texts};
use crate::desk::{Answer, Desk};
use crate::view::table::{Side, Table};
use crate::view::{DIM, Page, STRONG, columns, count, number, paint, signed, width};

/// How many terms of a text are shown, the strongest first.
const SHOWN_TERMS: usize = 12;

#[derive(Serialize)]
struct TokensAnswer {
    texts: Vec<Read>,
}

/// One text and how it is read.
#[derive(Serialize)]
struct Read {
    origin: String,
    raw: String,
    clauses: Vec<Vec<TokenShown>>,
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

#[derive(Serialize)]
struct TermShown {
    term: String,
    reviews: u32,
    contribution: f64,
}

/// Shows tokens.
pub fn run(args: &TokensArgs, desk: &Desk) -> anyhow::Result<usize> {
    let model = args.model.as_ref().map(|path| read_model(path)).transpose()?;
    let model_desk = model.as_ref().map(|model| desk.of_model(model)).transpose()?;
    let study = model_desk.as_ref().unwrap_or(desk).study();
    let mut tokens = Tokens::default();
    let read = |Text { origin, raw }: Text| {
        scan(&raw, &study.text, &study.negation, &mut tokens);
        let terms = model.as_ref().map(|model| {
            let (_, explanation) = explain(&mut model.reader(), &raw);
            let shown = |part: heddle_core::TermPart| TermShown {
                term: part.term,
                reviews: part.reviews,
                contribution: part.contribution,
            };
            explanation.terms.into_iter().map(shown).collect()
        });
        Read { origin, clauses: clauses(&tokens), terms, raw }
    };
    let texts = texts(&args.looked, study)?.into_iter().map(read).collect();
    desk.answer("tokens", &TokensAnswer { texts })?;
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
        let Some(terms) = &self.terms else { return };
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
