//! The settings in force.

use heddle_core::{
    Choice, Effect, KEYS, StopList, Study, Value, emoticon_meanings, expressions, function_words,
};
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
            serde_json::to_string_pretty(&schema())?.lines().for_each(|line| page.line(line));
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
        StudyView::Stoplist => desk.answer("study", &stoplist(&loaded.study))?,
        StudyView::Negation => {
            let own = &loaded.study.negation.also;
            let expressions = expressions(own).map_err(anyhow::Error::msg)?;
            desk.answer("study", &Expressions { expressions })?;
        }
        StudyView::Emoticons => {
            desk.answer("study", &Emoticons { emoticons: emoticon_meanings().collect() })?;
        }
    }
    Ok(0)
}

/// The words that are left out.
#[derive(Serialize)]
struct StopWords {
    /// Where they come from: "none", "english" or "list".
    stoplist: &'static str,
    words: Vec<String>,
    /// Words of the list that negate, and therefore stay.
    spared: Vec<String>,
}

fn stoplist(study: &Study) -> StopWords {
    let (name, listed) = match &study.text.stoplist {
        StopList::None => ("none", Vec::new()),
        StopList::English => ("english", function_words().map(String::from).collect()),
        StopList::Words(words) => ("list", words.iter().map(|word| word.to_lowercase()).collect()),
    };
    let cleaner = study.cleaner();
    let (spared, mut words): (Vec<String>, Vec<String>) =
        listed.into_iter().partition(|word| cleaner.is_negator(word));
    words.extend(study.text.stop_also.iter().map(|word| word.to_lowercase()));
    StopWords { stoplist: name, words, spared }
}

impl Answer for StopWords {
    fn show(&self, page: &mut Page) {
        // One word a line: the page is a file that text.stoplist can name.
        self.words.iter().for_each(|word| page.line(word));
        if self.words.is_empty() {
            page.line("# No word is left out; text.stoplist=english leaves the English function words out.");
        }
        if !self.spared.is_empty() {
            page.line(format!(
                "# Negators, which stay unless text.stop_also names them: {}",
                self.spared.join(" ")
            ));
        }
    }
}

/// What negates.
#[derive(Serialize)]
struct Expressions {
    expressions: Vec<(String, Effect)>,
}

impl Answer for Expressions {
    fn show(&self, page: &mut Page) {
        // As a file that negation.also can name.
        page.line("expression,effect");
        self.expressions.iter().for_each(|(text, effect)| page.line(format!("{text},{}", effect.name())));
    }
}

/// Emoticons with their meanings.
#[derive(Serialize)]
struct Emoticons {
    emoticons: Vec<(&'static str, &'static str)>,
}

impl Answer for Emoticons {
    fn show(&self, page: &mut Page) {
        for meanings in self.emoticons.chunk_by(|a, b| a.1 == b.1) {
            let signs: Vec<&str> = meanings.iter().map(|(sign, _)| *sign).collect();
            page.item(&format!("{:<12}", meanings[0].1), &signs.join(" "));
        }
    }
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
