//! How a split looks.

use heddle_core::Polarity;

use super::{Divided, Part};
use crate::commands::label::show_account;
use crate::desk::Answer;
use crate::view::table::{Side, Table};
use crate::view::{Page, count, number, percent};

/// Rows are called sorted when equal classes stand together by so many standard deviations.
const SORTED: f64 = -8.0;

impl Answer for Divided {
    fn show(&self, page: &mut Page) {
        page.heading("What became of the rows");
        show_account(page, &self.account);
        page.heading("The sides");
        self.show_parts(page);
        page.note(&self.drawn());
        page.heading("On both sides");
        let mut table = Table::new(&[("", Side::Left), ("", Side::Right)]);
        table.row(["equal texts".to_string(), number(self.overlap.texts)]);
        table.row(["pairs of nearly equal texts".to_string(), number(self.overlap.near)]);
        for (name, values) in self.together.iter().zip(&self.overlap.shared) {
            table.row([format!("values of `{name}`"), number(*values)]);
        }
        table.put(page);
        page.note(&format!(
            "{} of rows were kept together: equal texts, {}, and what reviews.together names.",
            count(self.groups_kept_together, "group"),
            count(self.near_repeats, "nearly equal text"),
        ));
        if let Some(order) = self.order.filter(|order| *order < SORTED) {
            page.note(&format!(
                "The file is sorted: rows of one class stand together ({:.0} standard deviations from chance). \
                 Its first rows are no sample of it; sides are not drawn by place.",
                order.abs()
            ));
        }
    }
}

impl Divided {
    /// Both parts, or all three, the training part first.
    fn parts(&self) -> Vec<(&'static str, &Part)> {
        let mut parts = vec![("training", &self.training)];
        parts.extend(self.development.as_ref().map(|part| ("development", part)));
        parts.push(("holdout", &self.holdout));
        parts
    }

    fn show_parts(&self, page: &mut Page) {
        let classes: Vec<Polarity> =
            Polarity::ALL.into_iter().filter(|class| self.training.mix.contains_key(class.name())).collect();
        let mut header = vec![("", Side::Left), ("reviews", Side::Right), ("share", Side::Right)];
        header.extend(classes.iter().map(|class| (class.name(), Side::Right)));
        header.push(("file", Side::Left));
        let mut table = Table::new(&header);
        let all: usize = self.parts().iter().map(|(_, part)| part.rows()).sum();
        for (name, part) in self.parts() {
            let mut cells = vec![name.to_string(), number(part.rows()), percent(part.rows(), all)];
            cells.extend(classes.iter().map(|class| percent(part.of(*class), part.rows())));
            cells.push(part.file.clone());
            table.row(cells);
        }
        table.put(page);
    }

    fn drawn(&self) -> String {
        if self.by == "latest" {
            let day = |part: &Part| part.days.clone().unwrap_or_default();
            return format!(
                "By date: learnt from {} to {}, held out from {} to {}. On no side: {} without a date that can be read, {} tied to a later part.",
                day(&self.training).0,
                day(&self.training).1,
                day(&self.holdout).0,
                day(&self.holdout).1,
                count(self.no_date, "row"),
                count(self.tied, "row"),
            );
        }
        let holds = match self.sides {
            "exact" => "sizes and class mix are exact, and added rows may move others",
            _ => {
                "the side of a row depends on its group and the seed alone: added rows move no other, and sizes differ from the shares by chance"
            }
        };
        format!(
            "At random with seed {}: {holds}. {} is locked: `heddle assess` counts how often it is opened.",
            self.seed, self.holdout.file
        )
    }
}
