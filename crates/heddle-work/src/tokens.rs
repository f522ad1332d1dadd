//! How a text is read.

use heddle_core::explain::{TermPart, explain_document};
use heddle_core::model::Model;
use heddle_core::settings::Study;
use heddle_core::terms::{Cleaned, cleaned, shown as change_shown};
use heddle_core::text::{Break, Counts, Kind, Language, ScanBuffer, Step, Token, Tokens};
use heddle_files::{Column, read_model};
use serde::Serialize;

use crate::error::{Result, fail};
use crate::reviews::texts::{RowTexts, Text, TextOptions, texts};
use crate::roles::READ;
use crate::session::Session;

/// Which texts are read, and how.
#[derive(Debug, Clone, Default)]
pub struct TokensOptions {
    /// The texts.
    pub texts: TextOptions,
    /// A model: texts are read as it does, and its terms are told.
    pub model: Option<String>,
    /// Where the texts of the file go as they are written and as they are read, if anywhere; all rows where none is
    /// named.
    pub out: Option<String>,
}

/// How texts are read.
#[derive(Debug, Serialize)]
pub struct ReadTexts {
    /// What cleaning does to the whole file, where no row is named.
    pub cleaning: Option<Cleaned>,
    /// The texts.
    pub texts: Vec<ReadText>,
    /// Where the texts were written, and how many rows.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub written: Option<(String, usize)>,
}

/// One text and how it is read.
#[derive(Debug, Serialize)]
pub struct ReadText {
    /// Where it comes from.
    pub origin: String,
    /// As it is written.
    pub raw: String,
    /// The language by whose tables it is read, where the study names several.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub language: Option<Language>,
    /// Its tokens, clause by clause.
    pub clauses: Vec<Vec<ReadToken>>,
    /// What cleaning changed, in reading order.
    pub changes: Vec<ReadChange>,
    /// The terms with what each contributes, where a model is given.
    pub terms: Option<Vec<TermPart>>,
}

/// One token.
#[derive(Debug, Serialize)]
pub struct ReadToken {
    /// Where it begins, in bytes of the text as written.
    pub start: u32,
    /// Where it ends.
    pub end: u32,
    /// As it is read.
    pub form: String,
    /// What it is.
    pub kind: Kind,
    /// Whether it is negated.
    pub negated: bool,
    /// Whether it negates others.
    pub cue: bool,
    /// How much of it counts.
    pub counts: Counts,
    /// Whether a sentence ends before it.
    pub ends_sentence_before: bool,
}

/// A change: as it was written, and what is read there.
#[derive(Debug, Serialize)]
pub struct ReadChange {
    /// The step of cleaning.
    pub step: Step,
    /// Where it begins, in bytes of the text as written.
    pub start: u32,
    /// Where it ends.
    pub end: u32,
    /// As it was written.
    pub written: String,
    /// What is read there.
    pub read: String,
}

/// Tells how texts are read: tokens, negation, what cleaning changed.
///
/// # Errors
/// A model or file that cannot be read, or rows that are not there.
pub fn tokens(session: &Session, options: &TokensOptions) -> Result<ReadTexts> {
    let model = options.model.as_ref().map(|path| read_model(path)).transpose()?;
    let of_model = model.as_ref().map(|model| session.of_model(model)).transpose()?;
    let session = of_model.as_ref().unwrap_or(session);
    let study = session.study();
    let (cleaner, languages) = (study.cleaner(), &study.text.languages);
    let (mut buffer, mut scorer) = (ScanBuffer::default(), model.as_ref().map(Model::scorer));
    let read = |Text { origin, document, .. }: Text| {
        let raw = document.text();
        let changes = cleaner.scan_and_tell(raw, &mut buffer);
        let tokens = buffer.tokens();
        let changes = changes.iter().map(|change| {
            let (written, read) = change_shown(raw, tokens, change);
            ReadChange { step: change.step, start: change.start, end: change.end, written, read }
        });
        let terms = scorer.as_mut().map(|scorer| explain_document(scorer, &document).1.terms);
        let (changes, clauses) = (changes.collect(), clauses(tokens));
        let language = (languages.len() > 1).then(|| languages[tokens.tongue()]);
        ReadText { origin, language, clauses, changes, terms, raw: raw.into() }
    };
    let mut cleaning = None;
    let texts = texts(&options.texts, session, |all| cleaning = Some(cleaned(all, &cleaner)))?;
    let written = match &options.out {
        Some(path) => Some((path.clone(), write_texts(path, &options.texts, session, study)?)),
        None => None,
    };
    Ok(ReadTexts { texts: texts.into_iter().map(read).collect(), cleaning, written })
}

/// Writes each text as it is written, as it is cleaned, and as tokens: a negated one has "¬" before it, before that
/// stands "½" where it counts half and "∅" where it does not count, and each sentence is a line of its own. Words that
/// have parts which are terms stand behind that, a line each, with their parts.
fn write_texts(path: &str, wanted: &TextOptions, session: &Session, study: &Study) -> Result<usize> {
    let Some(file) = &wanted.file else {
        fail!(Options, "--out is for the rows of a file: name one");
    };
    let texts = RowTexts::open(file, session)?;
    let named = texts.named(wanted, study)?;
    let rows = if named.is_empty() { (0..texts.table.len()).collect() } else { named };
    let columns = [
        Column::text(texts.handle.column()),
        Column::text("text"),
        Column::text("cleaned"),
        Column::text("tokens"),
        Column::text("parts"),
    ];
    let mut writer = session.row_writer(READ, path, &columns)?;
    let (cleaner, parts, mut buffer) = (study.cleaner(), study.word_parts(), ScanBuffer::default());
    for row in &rows {
        let document = texts.document(*row);
        let tokens = cleaner.scan(document.text(), &mut buffer);
        let forms: Vec<&str> = tokens.items().iter().map(|token| tokens.form(token)).collect();
        let name = texts.handle.name(&texts.table, *row);
        let parts =
            parts.of(&document, tokens).into_iter().map(|(word, parts)| word + " " + &parts.join(" "));
        let parts = parts.collect::<Vec<_>>().join("\n");
        writer.row([&*name, document.text(), &forms.join(" "), &sentences(tokens), &parts])?;
    }
    writer.finish()?;
    Ok(rows.len())
}

/// All tokens with blanks between, and a line end between sentences. A blank inside a token becomes one that does not break.
fn sentences(tokens: &Tokens) -> String {
    let mut all = String::new();
    for token in tokens.items() {
        if !all.is_empty() {
            all.push(if token.before == Break::Sentence { '\n' } else { ' ' });
        }
        all.push_str(token.counts.sign());
        all.push_str(&tokens.spelled(token).replace(' ', "\u{a0}"));
    }
    all
}

fn clauses(tokens: &Tokens) -> Vec<Vec<ReadToken>> {
    let mut clauses: Vec<Vec<ReadToken>> = Vec::new();
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

fn shown(tokens: &Tokens, token: &Token) -> ReadToken {
    ReadToken {
        start: token.start,
        end: token.end,
        form: tokens.form(token).into(),
        kind: token.kind,
        negated: token.negated,
        cue: token.cue,
        counts: token.counts,
        ends_sentence_before: token.before == Break::Sentence,
    }
}
