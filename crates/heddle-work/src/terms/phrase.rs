//! Where a word stands in reviews, with what surrounds it.

use heddle_core::labels::Polarity;
use heddle_core::settings::Study;
use heddle_core::terms::{Place, find};
use heddle_files::Column;
use serde::Serialize;

use crate::error::Result;
use crate::reviews::handle::Handle;
use crate::reviews::labelled::LabelledReviews;
use crate::roles::PLACES;
use crate::session::Session;

/// Characters shown on each side.
const AROUND: usize = 40;

/// Where a phrase stands.
#[derive(Debug, Serialize)]
pub struct FoundPhrase {
    /// The phrase.
    pub phrase: String,
    /// Places where it stands.
    pub places: usize,
    /// Reviews.
    pub reviews: usize,
    /// Places that are negated.
    pub negated: usize,
    /// Reviews of each class that hold it.
    pub by_class: Vec<(Polarity, usize)>,
    /// Some of the places, with what surrounds them.
    pub shown: Vec<Surroundings>,
}

/// One place, with what surrounds it.
#[derive(Debug, Serialize)]
pub struct Surroundings {
    /// Where it comes from: file and line.
    pub origin: String,
    /// The class.
    pub polarity: Polarity,
    /// Where it begins, in bytes of the text.
    pub start: u32,
    /// Where it ends.
    pub end: u32,
    /// Whether it is negated.
    pub negated: bool,
    /// What stands before it.
    pub before: String,
    /// The phrase as it is written.
    pub here: String,
    /// What stands behind it.
    pub after: String,
}

/// Looks a phrase up, in all reviews or in some of them.
pub(super) fn found(
    phrase: &str,
    labelled: &LabelledReviews,
    study: &Study,
    reviews: &[usize],
    top: usize,
) -> FoundPhrase {
    let places = places(phrase, labelled, study, reviews);
    let mut holding: Vec<usize> = places.iter().map(|place| place.review).collect();
    holding.dedup();
    let of_class = |class: Polarity| {
        (class, holding.iter().filter(|review| labelled.sample.labels[**review] == class).count())
    };
    FoundPhrase {
        phrase: phrase.into(),
        places: places.len(),
        reviews: holding.len(),
        negated: places.iter().filter(|place| place.negated).count(),
        by_class: Polarity::ALL.into_iter().map(of_class).filter(|(_, reviews)| *reviews > 0).collect(),
        shown: places.iter().take(top).map(|place| surroundings(labelled, study, place)).collect(),
    }
}

/// The places of a phrase, in all reviews or in some of them.
fn places(phrase: &str, labelled: &LabelledReviews, study: &Study, reviews: &[usize]) -> Vec<Place> {
    let mut places = find(labelled, &study.cleaner(), phrase);
    places.retain(|place| reviews.is_empty() || reviews.contains(&place.review));
    places
}

fn surroundings(labelled: &LabelledReviews, study: &Study, place: &Place) -> Surroundings {
    let document = labelled.review(place.review);
    let text = document.text();
    let flat = |text: &str| text.replace(['\n', '\r', '\t'], " ");
    let (start, end) = (place.start as usize, place.end as usize);
    let before = text[..start].char_indices().rev().nth(AROUND - 1).map_or(0, |(at, _)| at);
    let after = text[end..].char_indices().nth(AROUND).map_or(text.len(), |(at, _)| end + at);
    Surroundings {
        origin: labelled.origin(place.review, study),
        polarity: labelled.sample.labels[place.review],
        start: place.start,
        end: place.end,
        negated: place.negated,
        before: flat(&text[before..start]),
        here: flat(&text[start..end]),
        after: flat(&text[end..after]),
    }
}

/// Writes every place of some phrases, one phrase after the other.
pub(super) fn write_places(
    path: &str,
    phrases: &[String],
    labelled: &LabelledReviews,
    reviews: &[usize],
    session: &Session,
) -> Result<()> {
    let study = session.study();
    let handle = Handle::new(&labelled.table, study);
    let columns = [
        Column::text(handle.column()),
        Column::text("truth"),
        Column::text("negated"),
        Column::number("start"),
        Column::number("end"),
        Column::text("before"),
        Column::text("found"),
        Column::text("after"),
        Column::text("phrase"),
    ];
    let mut writer = session.row_writer(PLACES, path, &columns)?;
    for (phrase, place) in phrases.iter().flat_map(|phrase| {
        places(phrase, labelled, study, reviews).into_iter().map(move |place| (phrase, place))
    }) {
        let around = surroundings(labelled, study, &place);
        writer.row([
            &*handle.name(&labelled.table, labelled.rows[place.review]),
            labelled.account.names.of(around.polarity),
            if around.negated { "yes" } else { "no" },
            &around.start.to_string(),
            &around.end.to_string(),
            &around.before,
            &around.here,
            &around.after,
            phrase,
        ])?;
    }
    writer.finish()?;
    Ok(())
}
