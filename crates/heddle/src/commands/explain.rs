//! Why a review gets its verdict.

use heddle_core::{Classes, Cuts, Explanation, Model, Score, explain_document};
use serde::Serialize;

use crate::args::ExplainArgs;
use crate::commands::looked::{Text, texts};
use crate::commands::opened::open;
use crate::desk::{Answer, Desk};
use crate::view::figures::{share_with_interval, verdicts};
use crate::view::reading::{LEGEND, reading_line, verdict};
use crate::view::table::{Side, Table};
use crate::view::{Page, count, cut, number, signed};

/// The accounts of some reviews.
#[derive(Serialize)]
pub struct Explained {
    model: String,
    texts: Vec<One>,
    /// Cross-validated accuracy of the model, where there is one.
    accuracy: Option<heddle_core::Figure>,
    /// Where verdicts change.
    cuts: Cuts,
    #[serde(skip)]
    classes: Classes,
    #[serde(skip)]
    top: usize,
}

/// The account of one review.
#[derive(Serialize)]
struct One {
    origin: String,
    text: String,
    score: Score,
    #[serde(flatten)]
    explanation: Explanation,
}

/// Explains.
pub fn run(args: &ExplainArgs, desk: &Desk) -> anyhow::Result<usize> {
    let (model, desk) = open(&args.model, desk)?;
    let texts = texts(&args.looked, &desk, |_| {})?;
    desk.answer("explain", &explained(&args.model, &model, texts, args.top))?;
    Ok(0)
}

/// Accounts for the scores of some texts.
pub fn explained(path: &str, model: &Model, texts: Vec<Text>, top: usize) -> Explained {
    let mut reader = model.reader();
    let one = |Text { origin, document }: Text| {
        let (score, explanation) = explain_document(&mut reader, &document);
        One { origin, text: document.text().into(), score, explanation }
    };
    Explained {
        model: path.into(),
        texts: texts.into_iter().map(one).collect(),
        accuracy: model.card().validated.as_ref().map(|validated| validated.figures.accuracy),
        cuts: model.card().cuts,
        classes: model.classes(),
        top,
    }
}

impl Answer for Explained {
    fn show(&self, page: &mut Page) {
        for one in &self.texts {
            page.heading(&one.origin);
            one.show(page, self.top);
        }
        page.note(LEGEND);
        if self.cuts != Cuts::most_probable(0.0) {
            page.note(&format!("Verdicts: {}.", verdicts(&self.cuts, self.classes)));
        }
        page.note(&match &self.accuracy {
            Some(accuracy) => format!(
                "One review proves nothing: on unseen reviews this model is right in {}.",
                share_with_interval(accuracy)
            ),
            None => "One review proves nothing, and this model was never validated.".into(),
        });
    }
}

impl Explained {
    /// The reading lines and verdicts alone.
    pub fn show_readings(&self, page: &mut Page) {
        self.texts.iter().for_each(|one| one.show_reading(page));
        page.note(LEGEND);
    }
}

impl One {
    fn show(&self, page: &mut Page, top: usize) {
        self.show_reading(page);
        self.show_terms(page, top);
        let unknown = &self.explanation.unknown;
        if !unknown.is_empty() {
            page.note(&format!("Unknown to the model: {}.", cut(&unknown.join(", "), 200)));
        }
    }

    fn show_reading(&self, page: &mut Page) {
        let explanation = &self.explanation;
        if self.score.terms == 0 {
            page.line("  ? unsure: the model knows no word of this text, so only its base speaks");
        }
        reading_line(page, &self.text, explanation);
        verdict(page, explanation);
    }

    fn show_terms(&self, page: &mut Page, top: usize) {
        let terms = &self.explanation.terms;
        if terms.is_empty() {
            return;
        }
        page.line("");
        let mut table = Table::new(&[
            ("term", Side::Left),
            ("adds", Side::Right),
            ("times", Side::Right),
            ("training reviews", Side::Right),
        ]);
        for part in terms.iter().take(top) {
            let cells = [signed(part.contribution), number(part.places.len()), number(part.reviews as usize)];
            let [adds, times, reviews] = cells;
            table.row([part.term.clone(), adds, times, reviews]);
        }
        let rest = &terms[terms.len().min(top)..];
        if !rest.is_empty() {
            let others: f64 = rest.iter().map(|part| part.contribution).sum();
            table.row([count(rest.len(), "other term"), signed(others), String::new(), String::new()]);
        }
        table.row(["the base".to_string(), signed(self.explanation.base), String::new(), String::new()]);
        table.row(["together".to_string(), signed(self.explanation.log_odds), String::new(), String::new()]);
        table.put(page);
    }
}
