//! How many reviews hold something.

use rayon::prelude::*;

/// The reviews that hold something, and the last of them: reviews are seen one after the other.
#[derive(Debug, Clone, Copy)]
pub(crate) struct ReviewCount {
    pub(crate) reviews: u32,
    last: u32,
}

impl ReviewCount {
    pub(crate) const NONE: Self = Self { reviews: 0, last: u32::MAX };

    /// A review holds it, once more or for the first time.
    #[inline]
    pub(crate) fn see(&mut self, review: u32) {
        if self.last != review {
            *self = Self { reviews: self.reviews + 1, last: review };
        }
    }
}

/// By place: of so many reviews, those that hold what has it. `note` sees a review wherever something of it stands; each
/// core takes some of the reviews.
pub(crate) fn reviews_by_place(
    reviews: usize,
    places: usize,
    note: impl Fn(u32, &mut [ReviewCount]) + Sync,
) -> Vec<u32> {
    let pieces = rayon::current_num_threads();
    let of_piece = |piece: usize| {
        let mut counts = vec![ReviewCount::NONE; places];
        let own = reviews * piece / pieces..reviews * (piece + 1) / pieces;
        own.for_each(|review| note(review as u32, &mut counts));
        counts
    };
    let counts: Vec<Vec<ReviewCount>> = (0..pieces).into_par_iter().map(of_piece).collect();
    (0..places).map(|place| counts.iter().map(|own| own[place].reviews).sum()).collect()
}
