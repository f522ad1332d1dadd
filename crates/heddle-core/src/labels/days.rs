//! The days of a column, whose order of day and month is told by all of its cells.

use super::dates::{DateOrder, Dated, Day, read_date};

/// The days of a column of cells.
///
/// ```
/// use heddle_core::labels::{DateOrder, Days};
///
/// let mut days = Days::default();
/// ["3/4/2025", "12/24/2025", "soon"].iter().for_each(|cell| days.push(cell));
/// assert_eq!(days.order(DateOrder::Auto), Some(DateOrder::MonthFirst));
/// let read: Vec<String> = days.read(DateOrder::Auto).into_iter().flatten().map(|day| day.to_string()).collect();
/// assert_eq!(read, ["2025-03-04", "2025-12-24"]);
/// ```
#[derive(Debug, Clone, Default)]
pub struct Days {
    cells: Vec<Cell>,
    /// Cells that can only be read with the day first, only with the month first, and either way.
    only: [usize; 2],
    either: usize,
}

/// What a cell may mean.
#[derive(Debug, Clone, Copy)]
enum Cell {
    /// No day.
    None,
    /// This day, whatever the order.
    Day(Day),
    /// Days with the day first and with the month first.
    Either([Option<Day>; 2]),
}

impl Days {
    /// Takes one cell.
    pub fn push(&mut self, cell: &str) {
        let [a, b] = [DateOrder::DayFirst, DateOrder::MonthFirst]
            .map(|order| read_date(cell, order).map(|Dated { day, turned, .. }| (day, turned)));
        let own = |read: Option<(Day, bool)>| read.filter(|(_, turned)| !turned).map(|(day, _)| day);
        self.cells.push(match [own(a), own(b)] {
            [None, None] => Cell::None,
            [Some(day), Some(other)] if day == other => Cell::Day(day),
            both => {
                match both {
                    [Some(_), None] => self.only[0] += 1,
                    [None, Some(_)] => self.only[1] += 1,
                    _ => self.either += 1,
                }
                Cell::Either(both)
            }
        });
    }

    /// The order of day and month: the one that is set, or the one that the cells tell. Nothing if they tell of both,
    /// or of none while some could be read either way.
    pub fn order(&self, set: DateOrder) -> Option<DateOrder> {
        match (set, self.only) {
            (DateOrder::Auto, [0, 0]) if self.either > 0 => None,
            (DateOrder::Auto, [_, 0]) => Some(DateOrder::DayFirst),
            (DateOrder::Auto, [0, _]) => Some(DateOrder::MonthFirst),
            (DateOrder::Auto, _) => None,
            (set, _) => Some(set),
        }
    }

    /// Whether every cell that is written with two numbers first could be read either way.
    pub fn tells_nothing(&self) -> bool {
        self.only == [0, 0] && self.either > 0
    }

    /// The day of each cell, where there is one in this order. Where the cells tell of both orders, those that could
    /// be read either way have none.
    pub fn read(&self, set: DateOrder) -> Vec<Option<Day>> {
        let order = self.order(set);
        let day = |cell: &Cell| match (cell, order) {
            (Cell::None, _) => None,
            (Cell::Day(day), _) => Some(*day),
            (Cell::Either([day, _]), Some(DateOrder::Auto | DateOrder::DayFirst)) => *day,
            (Cell::Either([_, day]), Some(DateOrder::MonthFirst)) => *day,
            (Cell::Either([Some(day), None] | [None, Some(day)]), None) => Some(*day),
            (Cell::Either(_), None) => None,
        };
        self.cells.iter().map(day).collect()
    }
}
