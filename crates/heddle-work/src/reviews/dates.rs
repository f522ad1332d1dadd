//! Days of reviews, where they decide.

use heddle_core::labels::Days;
use heddle_core::settings::Study;

use crate::error::{Result, fail};

/// Where dates decide, nobody guesses what 3/4/2025 means.
pub fn check_order(days: &Days, column: &str, study: &Study) -> Result<()> {
    if days.order(study.reviews.dates).is_none() && days.tells_nothing() {
        fail!(
            Reviews,
            "every date of column `{column}` that is written as 3/4/2025 can be read with the day or with the month first: \
             --set reviews.dates=day-first or month-first says which"
        );
    }
    Ok(())
}

/// The dates that a column can hold, for those it does not.
pub fn expected(study: &Study) -> String {
    use heddle_core::labels::DateOrder::{Auto, DayFirst, MonthFirst};
    match study.reviews.dates {
        Auto => {
            "a date such as 2025-04-03, 3 April 2025 or one of 3/4/2025 in the order of the column".into()
        }
        DayFirst => "a date such as 2025-04-03, 3 April 2025 or, day first, 3/4/2025".into(),
        MonthFirst => "a date such as 2025-04-03, 3 April 2025 or, month first, 4/3/2025".into(),
    }
}
