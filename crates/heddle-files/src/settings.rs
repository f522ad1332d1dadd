//! The table of settings as files: a study with comments, a schema for editors, a page.

use std::fmt::Write;

use heddle_core::settings::{KEYS, Key, Kind as SettingKind, Range, Study};
use serde_json::{Map, Value, json};

/// A study file of these settings, each with a comment that says what it does.
pub fn commented(study: &Study) -> String {
    let mut text = String::from("# A study: every setting of a piece of work. All keys are optional.\n");
    let mut section = "";
    for key in KEYS.iter() {
        let Some((own, name)) = key.path.split_once('.') else { continue };
        if own != section {
            section = own;
            let _ = write!(text, "\n[{section}]\n");
        }
        let setting = format!("{name} = {}", key.get(study));
        let _ = writeln!(text, "{setting:<34} # {}; {}", key.about, key.kind.expects());
    }
    text
}

/// The settings as a page of Markdown, section by section.
pub fn settings_page() -> String {
    let mut text = String::from(
        "# Settings\n\nEvery setting of a study file, its default, and the values it takes. This page is made from \
         the table that the program reads settings by.\n",
    );
    let usual = Study::default();
    let cell = |text: String| text.replace('|', "\\|");
    for section in KEYS.chunk_by(|a, b| section_of(a) == section_of(b)) {
        let _ = write!(
            text,
            "\n## [{}]\n\n| setting | default | what it does | values |\n|---|---|---|---|\n",
            section_of(&section[0])
        );
        for key in section {
            let (value, values) = (key.get(&usual), key.kind.expects());
            let row = [format!("`{}`", key.path), format!("`{value}`"), key.about.into(), values];
            let _ = writeln!(text, "| {} |", row.map(cell).join(" | "));
        }
    }
    text
}

fn section_of(key: &Key) -> &'static str {
    key.path.split_once('.').map_or("", |(section, _)| section)
}

/// The JSON Schema of study files (draft 2020-12): types, choices and bounds, so that an editor
/// can check a value while it is typed.
pub fn schema() -> Value {
    let usual = Study::default();
    let mut sections = Map::new();
    for key in KEYS.iter() {
        let Some((section, name)) = key.path.split_once('.') else { continue };
        let properties = sections
            .entry(section)
            .or_insert_with(|| json!({"type": "object", "additionalProperties": false, "properties": {}}));
        let mut own = schema_of(&key.kind);
        own["description"] = format!("{}; {}", key.about, key.kind.expects()).into();
        own["default"] = json!(key.get(&usual));
        properties["properties"][name] = own;
    }
    json!({
        "$schema": "https://json-schema.org/draft/2020-12/schema",
        "title": "Heddle study",
        "type": "object",
        "additionalProperties": false,
        "properties": sections,
    })
}

fn schema_of(kind: &SettingKind) -> Value {
    let text = || json!({"type": "string"});
    let texts = || json!({"type": "array", "items": {"type": "string"}});
    match kind {
        SettingKind::Flag => json!({"type": "boolean"}),
        SettingKind::Choice(words) => json!({"enum": words}),
        SettingKind::Whole { least, most } => json!({"type": "integer", "minimum": least, "maximum": most}),
        SettingKind::Number(range) => bounded(range),
        SettingKind::Share(range) => {
            json!({"anyOf": [bounded(range), {"type": "string", "pattern": "^\\s*[0-9.]+\\s*%$"}]})
        }
        SettingKind::Column { optional: true } => text(),
        SettingKind::Column { optional: false } => json!({"type": "string", "minLength": 1}),
        SettingKind::Names | SettingKind::Lines { .. } => json!({"anyOf": [text(), texts()]}),
        SettingKind::Conditions => {
            let condition = json!({"type": "string", "pattern": "^$|^\\s*[^=<>!\\s].*[=<>]"});
            json!({"anyOf": [condition.clone(), {"type": "array", "items": condition}]})
        }
        SettingKind::Ratings => json!({"anyOf": [text(), {"type": "number"}, texts()]}),
        SettingKind::Lengths { most } => json!({"anyOf": [
            {"type": "integer", "minimum": 1, "maximum": most},
            {"type": "string", "pattern": "^(none|[0-9]+(\\s*-\\s*[0-9]+)?)$"},
        ]}),
        SettingKind::Forms { pattern, .. } => {
            let one = json!({"type": "string", "pattern": pattern});
            json!({"anyOf": [one.clone(), {"type": "array", "items": one}]})
        }
        SettingKind::Form { pattern, .. } => json!({"type": "string", "pattern": pattern}),
        SettingKind::Either(kinds) => json!({"anyOf": kinds.iter().map(schema_of).collect::<Vec<_>>()}),
        _ => json!({}),
    }
}

fn bounded(range: &Range) -> Value {
    let mut own = json!({"type": "number"});
    own[if range.above { "exclusiveMinimum" } else { "minimum" }] = range.least.into();
    if range.most < f64::MAX {
        own[if range.below { "exclusiveMaximum" } else { "maximum" }] = range.most.into();
    }
    own
}
