//! Where a word stands in reviews, with what surrounds it.

use heddle_core::{Place, Polarity, Study, find};
use serde::Serialize;

use super::{origin, review_of};
use crate::args::TermsArgs;
use crate::intake::Intake;

/// Characters shown on each side.
const AROUND: usize = 40;

/// Where a phrase stands.
#[derive(Serialize)]
pub struct Found {
    pub phrase: String,
    pub places: usize,
    pub reviews: usize,
    /// Places that are negated.
    pub negated: usize,
    /// Reviews of each class that hold it.
    pub by_class: Vec<(Polarity, usize)>,
    pub shown: Vec<Surroundings>,
}

/// One place, with what surrounds it.
#[derive(Serialize)]
pub struct Surroundings {
    pub origin: String,
    pub polarity: Polarity,
    pub start: u32,
    pub end: u32,
    pub negated: bool,
    pub before: String,
    pub here: String,
    pub after: String,
}

/// Looks a phrase up, in all reviews or in the one that was asked for.
pub fn found(phrase: &str, intake: &Intake, study: &Study, args: &TermsArgs) -> anyhow::Result<Found> {
    let mut places = find(intake, &study.cleaner(), phrase);
    if args.row.is_some() || args.id.is_some() {
        let own = review_of(intake, args.row, args.id.as_deref(), study)?;
        places.retain(|place| place.review == own);
    }
    let mut reviews: Vec<usize> = places.iter().map(|place| place.review).collect();
    reviews.dedup();
    let of_class = |class: Polarity| {
        (class, reviews.iter().filter(|review| intake.sample.labels[**review] == class).count())
    };
    Ok(Found {
        phrase: phrase.into(),
        places: places.len(),
        reviews: reviews.len(),
        negated: places.iter().filter(|place| place.negated).count(),
        by_class: Polarity::ALL.into_iter().map(of_class).filter(|(_, reviews)| *reviews > 0).collect(),
        shown: places.iter().take(args.top).map(|place| surroundings(intake, place)).collect(),
    })
}

fn surroundings(intake: &Intake, place: &Place) -> Surroundings {
    let document = intake.review(place.review);
    let text = document.text();
    let flat = |text: &str| text.replace(['\n', '\r', '\t'], " ");
    let (start, end) = (place.start as usize, place.end as usize);
    let before = text[..start].char_indices().rev().nth(AROUND - 1).map_or(0, |(at, _)| at);
    let after = text[end..].char_indices().nth(AROUND).map_or(text.len(), |(at, _)| end + at);
    Surroundings {
        origin: origin(intake, place.review),
        polarity: intake.sample.labels[place.review],
        start: place.start,
        end: place.end,
        negated: place.negated,
        before: flat(&text[before..start]),
        here: flat(&text[start..end]),
        after: flat(&text[end..after]),
    }
}
