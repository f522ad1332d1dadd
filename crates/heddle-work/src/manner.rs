//! How files were read, where that is worth a word.

use heddle_files::Manner;

use crate::words::{count, number};

/// What may be wrong with the reading of a file, or was guessed.
pub fn remarks(manner: &Manner) -> Vec<String> {
    let file = &manner.file;
    let mut remarks = Vec::new();
    if manner.skipped > 0 {
        remarks.push(format!(
            "note: {file}: {} above the names of the columns {} passed over (reviews.skip)",
            count(manner.skipped as usize, "line"),
            if manner.skipped == 1 { "is" } else { "are" }
        ));
    }
    if !manner.absent.is_empty() {
        let names: Vec<String> = manner.absent.iter().map(|name| format!("`{name}`")).collect();
        remarks.push(format!(
            "note: {file} has no column {}, which other files have: blank in its {}",
            names.join(", "),
            count(manner.rows as usize, "row")
        ));
    }
    if let Some(sheet) = &manner.sheet {
        if manner.sheets > 1 {
            remarks.push(format!(
                "note: {file}: its sheet `{sheet}` is read, one of {} (reviews.sheet)",
                number(manner.sheets as usize)
            ));
        }
        let ending = file.rsplit_once('.').map_or("", |(_, ending)| ending).to_ascii_lowercase();
        if !["xlsx", "xlsm", "xlsb", "xls", "ods"].contains(&ending.as_str()) {
            remarks.push(format!("note: {file} is a workbook, whatever it is called, and is read as one"));
        }
    }
    if manner.quotes == Some(false) {
        remarks.push(format!(
            "note: {file}: double quotes are read as ordinary characters, each line as a row (reviews.quotes)"
        ));
    }
    if manner.header == Some(false) {
        remarks.push(format!("note: {file}: the first row holds no names; columns are called column1, column2, ... (reviews.header)"));
    }
    if let Some(encoding) = manner.encoding.filter(|encoding| *encoding != "utf-8") {
        remarks.push(format!("note: {file}: read as {encoding} (reviews.encoding)"));
    }
    if let Some(line) = manner.first_single {
        let (bytes, were) = match manner.single {
            1 => ("1 byte that is".to_string(), "was"),
            more => (format!("{} bytes that are", number(more as usize)), "were"),
        };
        remarks.push(format!(
            "warning: {file}: {bytes} no UTF-8 {were} read as Windows-1252, the first on line {line} (reviews.encoding)"
        ));
    }
    if let Some(line) = manner.first_replaced {
        remarks.push(format!(
            "warning: {file}: {} replaced by \u{fffd}, the first on line {line} (reviews.encoding)",
            count(manner.replaced as usize, "broken character"),
        ));
    }
    if let Some(span) = manner.first_suspicious {
        let more = match manner.suspicious {
            1 => String::new(),
            several => format!(" and {} more", several - 1),
        };
        let lines = manner.lines.map_or(String::new(), |lines| {
            format!("; {} in {}", count(manner.rows as usize, "row"), count(lines as usize, "line"))
        });
        remarks.push(format!(
            "warning: {file}, line {}: one row takes {} lines{more}, as if a quote were left open{lines}. \
             If double quotes are ordinary characters here: --set reviews.quotes=literal",
            span.line,
            number(span.lines as usize)
        ));
    }
    remarks
}
