//! The weighted rows, for work that is done elsewhere.

use std::fmt::Write;

use heddle_core::terms::{TermId, TermReport};
use heddle_files::{Column, Role};

use crate::error::Result;
use crate::reviews::names::RowNames;
use crate::roles::WEIGHTS;
use crate::session::Session;

/// Writes the weight of each kept term in each review: as rows of review, term and value, or, under a name that ends in
/// `.mtx`, in the exchange format of sparse matrices with the names of rows and columns as comments.
pub(super) fn write_matrix(
    path: &str,
    report: &TermReport<'_>,
    names: &RowNames,
    session: &Session,
) -> Result<()> {
    if path.ends_with(".mtx") {
        session.writes(Role::Matrix, path)?;
        session.outputs().write(path, exchange(report, names).as_bytes())?;
        return Ok(());
    }
    let columns = [Column::text(names.column()), Column::text("term"), Column::number("value")];
    let mut writer = session.row_writer(WEIGHTS, path, &columns)?;
    let spelled: Vec<String> =
        TermId::all(report.selection.statuses.len()).map(|term| report.spell(term)).collect();
    for row in 0..report.corpus.len() {
        for (term, value) in report.weights(row) {
            writer.row([names.of(row), &spelled[term.place()], &value.to_string()])?;
        }
    }
    writer.finish()?;
    Ok(())
}

fn exchange(report: &TermReport<'_>, names: &RowNames) -> String {
    let kept: Vec<TermId> =
        TermId::all(report.selection.statuses.len()).filter(|term| report.selection.keeps(*term)).collect();
    let mut number = vec![0usize; report.selection.statuses.len()];
    kept.iter().zip(1..).for_each(|(term, at)| number[term.place()] = at);
    let (mut entries, mut body) = (0, String::new());
    // Writing to a string cannot fail.
    for row in 0..report.corpus.len() {
        for (term, value) in report.weights(row) {
            let _ = writeln!(body, "{} {} {value}", row + 1, number[term.place()]);
            entries += 1;
        }
    }
    let mut text = String::from("%%MatrixMarket matrix coordinate real general\n");
    let flat = |name: &str| name.replace(['\n', '\r'], " ");
    for (at, name) in (1..).zip(names.all()) {
        let _ = writeln!(text, "% row {at} {}", flat(name));
    }
    for (at, term) in (1..).zip(&kept) {
        let _ = writeln!(text, "% column {at} {}", flat(&report.spell(*term)));
    }
    let _ = writeln!(text, "{} {} {entries}", report.corpus.len(), kept.len());
    text + &body
}
