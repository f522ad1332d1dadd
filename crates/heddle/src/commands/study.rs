//! The settings in force.

use heddle_core::{KEYS, Value};
use heddle_files::{Origin, schema};
use serde::Serialize;

use crate::args::{StudyArgs, StudyView};
use crate::desk::{Answer, Desk};
use crate::view::Page;
use crate::view::table::{Side, Table};

#[derive(Serialize)]
struct Settings {
    settings: Vec<Setting>,
}

#[derive(Serialize)]
struct Setting {
    path: &'static str,
    value: Value,
    origin: Origin,
    about: &'static str,
    expects: String,
}

/// Shows settings or schema.
pub fn run(args: &StudyArgs, desk: &Desk) -> anyhow::Result<usize> {
    let loaded = desk.loaded();
    match args.view {
        StudyView::Schema => {
            let mut page = Page::new();
            page.line(serde_json::to_string_pretty(&schema())?);
            desk.print(&page)?;
        }
        StudyView::Show => {
            let setting = |(key, origin): (&'static heddle_core::Key, &Origin)| Setting {
                path: key.path,
                value: key.get(&loaded.study),
                origin: origin.clone(),
                about: key.about,
                expects: key.expects.clone(),
            };
            let settings = KEYS.iter().zip(&loaded.origins).map(setting).collect();
            desk.answer("study", &Settings { settings })?;
        }
    }
    Ok(0)
}

impl Answer for Settings {
    fn show(&self, page: &mut Page) {
        let mut table = Table::new(&[
            ("setting", Side::Left),
            ("value", Side::Left),
            ("from", Side::Left),
            ("", Side::Left),
        ]);
        for setting in &self.settings {
            let origin = match &setting.origin {
                Origin::Default => "default".to_string(),
                Origin::File(line) => format!("line {line}"),
                Origin::Override => "--set".into(),
            };
            table.row([setting.path.into(), setting.value.to_string(), origin, setting.about.to_string()]);
        }
        table.put(page);
    }
}
