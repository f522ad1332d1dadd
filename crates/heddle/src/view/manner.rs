//! How files were read, in words.

use heddle_files::Manner;

use super::count;

/// How a file was read: "delimited text, `,` between fields, UTF-8".
pub fn manner(manner: &Manner) -> String {
    let mut parts = vec![manner.format.name().to_string()];
    if let Some(sheet) = &manner.sheet {
        parts.push(format!("sheet `{sheet}`"));
    }
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
