//! How files were read, in words.

use heddle_files::Manner;

use super::{count, number};

/// How a file was read: "delimited text, `,` between fields, UTF-8".
pub fn manner(manner: &Manner) -> String {
    let mut parts = vec![manner.format.to_string()];
    if let Some(delimiter) = manner.delimiter {
        let shown = if delimiter == '\t' { "a tab".into() } else { format!("`{delimiter}`") };
        parts.push(format!("{shown} between fields"));
    }
    parts.extend(manner.quotes.map(|holds| match holds {
        true => "double quotes hold fields together".into(),
        false => "double quotes are ordinary characters".to_string(),
    }));
    parts.extend(manner.header.filter(|header| !header).map(|_| "no header".into()));
    parts.extend(manner.packed.map(String::from));
    parts.extend(manner.encoding.map(|name| if name == "utf-8" { "UTF-8".into() } else { name.into() }));
    parts.extend(
        manner.lines.map(|lines| {
            format!("{} in {}", count(manner.rows as usize, "row"), count(lines as usize, "line"))
        }),
    );
    parts.join(", ")
}

/// What may be wrong with the reading of a file, or was guessed.
pub fn remarks(manner: &Manner) -> Vec<String> {
    let file = &manner.file;
    let mut remarks = Vec::new();
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
