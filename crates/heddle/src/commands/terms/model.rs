//! The terms of a model.

use heddle_core::{ClassCounts, Doubt, Model, Polarity};
use heddle_files::{Column, RowWriter};
use rayon::prelude::*;
use serde::Serialize;

use super::page::{length_words, twice};
use crate::args::TermsArgs;
use crate::commands::opened::open;
use crate::desk::{Answer, Desk};
use crate::intake::{Intake, Kept, Purpose};
use crate::view::table::{Side, Table};
use crate::view::{Page, count, number, paint, percent, sign_of, signed, style_of};

/// Among so many of the heaviest terms of each class, doubtful ones are listed.
const DOUBTED: usize = 100;

/// What the terms of a model are.
#[derive(Serialize)]
struct ModelTerms {
    model: String,
    /// Training reviews of each class: negative, positive, neutral.
    mix: ClassCounts,
    kept: usize,
    strongest: Vec<Strongest>,
    doubtful: Vec<Weighed>,
    /// How much of the files the model knows, where some are named.
    coverage: Option<Known>,
    written: Option<String>,
}

/// The terms of one length that pull hardest towards a class.
#[derive(Serialize)]
struct Strongest {
    polarity: Polarity,
    words: usize,
    terms: Vec<Weighed>,
}

/// One term of a model.
#[derive(Debug, Clone, Serialize)]
pub struct Weighed {
    pub term: String,
    pub weight: f64,
    pub reviews: u64,
    /// The training reviews of each class that hold it: negative, positive, neutral.
    pub counts: [u32; 3],
    pub doubts: Vec<Doubt>,
}

/// What a model knows of some files.
#[derive(Serialize)]
struct Known {
    reviews: usize,
    tokens: usize,
    unknown_words: usize,
    reviews_without_terms: usize,
}

/// The terms of a model that pull hardest towards a class.
pub fn heaviest(model: &Model, polarity: Polarity, most: usize, takes: impl Fn(u32) -> bool) -> Vec<Weighed> {
    let pull = |term: &u32| polarity.sign() * model.term(*term).weight;
    let mut terms: Vec<u32> = (0..model.len() as u32)
        .filter(|term| model.term(*term).kept && pull(term) > 0.0 && takes(*term))
        .collect();
    terms.sort_by(|a, b| pull(b).total_cmp(&pull(a)));
    terms.into_iter().take(most).map(|term| weighed(model, term)).collect()
}

/// The heaviest terms that should be looked at twice.
pub fn doubtful(model: &Model) -> Vec<Weighed> {
    let of_class = |polarity| heaviest(model, polarity, DOUBTED, |_| true);
    let both = Polarity::POLES.into_iter().flat_map(of_class);
    both.filter(|term| !term.doubts.is_empty()).collect()
}

fn weighed(model: &Model, term: u32) -> Weighed {
    let known = model.term(term);
    Weighed {
        term: model.spell(term),
        weight: known.weight,
        reviews: known.reviews(),
        counts: known.counts,
        doubts: model.doubts(term),
    }
}

pub fn run(path: &str, args: &TermsArgs, desk: &Desk) -> anyhow::Result<usize> {
    if args.row.is_some()
        || args.id.is_some()
        || args.find.is_some()
        || args.like.is_some()
        || args.picture.is_some()
    {
        anyhow::bail!(
            "--row, --id, --find, --like and --picture look at reviews: leave --model out (`heddle explain` shows a review's terms in a model)"
        );
    }
    let (model, desk) = open(path, desk)?;
    let mut refused = 0;
    let coverage = if args.files.files.is_empty() {
        None
    } else {
        let intake = Intake::read(&args.files, &desk, Kept::Needed, Purpose::Try)?;
        refused = intake.account.refused;
        Some(known(&model, &intake))
    };
    let mut lengths: Vec<usize> =
        (0..model.len() as u32).filter(|term| model.term(*term).kept).map(|term| model.words(term)).collect();
    lengths.sort_unstable();
    lengths.dedup();
    let of_length = |words: usize| {
        let terms = |polarity| heaviest(&model, polarity, args.top, |term| model.words(term) == words);
        Polarity::POLES.map(|polarity| Strongest { polarity, words, terms: terms(polarity) })
    };
    if let Some(path) = &args.out {
        write_terms(path, &model, &desk)?;
    }
    let answer = ModelTerms {
        model: path.into(),
        mix: model.card().mix,
        kept: model.card().terms,
        strongest: lengths.into_iter().flat_map(of_length).collect(),
        doubtful: doubtful(&model),
        coverage,
        written: args.out.clone(),
    };
    desk.answer("terms", &answer)?;
    Ok(refused)
}

fn known(model: &Model, intake: &Intake) -> Known {
    let of = |review: usize| model.reader().score_document(&intake.review(review));
    let scores: Vec<_> = (0..intake.rows.len()).into_par_iter().map(of).collect();
    Known {
        reviews: scores.len(),
        tokens: scores.iter().map(|score| score.tokens).sum(),
        unknown_words: scores.iter().map(|score| score.unknown).sum(),
        reviews_without_terms: scores.iter().filter(|score| score.terms == 0).count(),
    }
}

fn write_terms(path: &str, model: &Model, desk: &Desk) -> anyhow::Result<()> {
    let columns = [
        Column::text("term"),
        Column::number("words"),
        Column::number("reviews"),
        Column::number("negative"),
        Column::number("positive"),
        Column::number("document_factor"),
        Column::number("weight"),
        Column::text("look_twice"),
    ];
    let mut writer = RowWriter::create(desk.outputs(), path, &columns)?;
    for term in (0..model.len() as u32).filter(|term| model.term(*term).kept) {
        let own = weighed(model, term);
        writer.row([
            own.term.as_str(),
            &model.words(term).to_string(),
            &own.reviews.to_string(),
            &own.counts[0].to_string(),
            &own.counts[1].to_string(),
            &model.term(term).document_factor.to_string(),
            &own.weight.to_string(),
            &twice(&own.doubts),
        ])?;
    }
    writer.finish()?;
    Ok(())
}

impl Answer for ModelTerms {
    fn show(&self, page: &mut Page) {
        page.heading(&format!(
            "{}: {} learnt from {}",
            self.model,
            count(self.kept, "term"),
            count(self.mix.iter().sum(), "review")
        ));
        if let Some(known) = &self.coverage {
            page.note(&format!(
                "Of {} in {}, {} are words that it does not know; {} without any of its terms.",
                count(known.tokens, "token"),
                count(known.reviews, "review"),
                percent(known.unknown_words, known.tokens),
                count(known.reviews_without_terms, "review")
            ));
        }
        for pair in self.strongest.chunk_by(|a, b| a.words == b.words) {
            page.heading(&format!("What pulls hardest, {}", length_words(pair[0].words)));
            put_terms(page, pair.iter().flat_map(|own| own.terms.iter().map(|term| (own.polarity, term))));
        }
        if !self.doubtful.is_empty() {
            page.heading(&format!(
                "To be looked at twice, among the heaviest: {}",
                number(self.doubtful.len())
            ));
            let most = self.doubtful.iter().take(12);
            put_terms(page, most.map(|term| (Polarity::of_log_odds(term.weight), term)));
        }
        page.note("Weights are log-odds for one unit of a term; ¬ marks a negated word. The number of training reviews says how much a weight rests on, and the penalty keeps weights small that rest on few.");
        if let Some(path) = &self.written {
            page.heading(&format!("Written: {path}"));
        }
    }
}

fn put_terms<'t>(page: &mut Page, terms: impl Iterator<Item = (Polarity, &'t Weighed)>) {
    let mut table = Table::new(&[
        ("class", Side::Left),
        ("term", Side::Left),
        ("weight", Side::Right),
        ("reviews", Side::Right),
        ("−", Side::Right),
        ("+", Side::Right),
        ("look twice", Side::Left),
    ]);
    for (polarity, term) in terms {
        table.row([
            paint(style_of(polarity), sign_of(polarity)),
            term.term.clone(),
            signed(term.weight),
            number(term.reviews as usize),
            number(term.counts[0] as usize),
            number(term.counts[1] as usize),
            twice(&term.doubts),
        ]);
    }
    table.put(page);
}
