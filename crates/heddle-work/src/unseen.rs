//! Reviews that models have not learnt from: figures on others say nothing of reviews to come.

use heddle_core::model::Model;

use crate::error::{Result, fail};
use crate::reviews::labelled::LabelledReviews;
use crate::session::Session;
use crate::words::{count, number};

/// The places of the reviews that none of the models has learnt from. Said where there are others.
///
/// # Errors
/// If most are such others.
pub(crate) fn unseen(models: &[&Model], reviews: &LabelledReviews, session: &Session) -> Result<Vec<u32>> {
    let all = reviews.rows.len();
    let new = |at: &u32| !models.iter().any(|model| model.learnt().hold(reviews.keys[*at as usize]));
    let unseen: Vec<u32> = (0..all as u32).filter(new).collect();
    let learnt = all - unseen.len();
    let who = if models.len() == 1 { "the model" } else { "one of the models" };
    if 2 * learnt > all {
        fail!(
            Reviews,
            "{who} has learnt from {} of the {}: figures on them would say nothing of new ones. Name reviews that it has \
             not seen, such as the holdout of `heddle split`, or cross-validate: heddle validate FILE",
            number(learnt),
            count(all, "labelled review")
        );
    }
    if learnt > 0 {
        session.remark(&format!(
            "note: {} left out, which {who} has learnt from: figures are those of the other {}",
            count(learnt, "review"),
            count(unseen.len(), "review")
        ));
    }
    Ok(unseen)
}
