//! The settings in force.

use heddle_core::Choice;
use heddle_core::settings::{KEYS, Study, Value};
use heddle_core::text::{Effect, Language, Negation, StopList, emoticons, expressions};
use heddle_files::{Origin, schema};
use heddle_work::Session;
use serde::Serialize;

use crate::args::{StudyArgs, StudyView};
use crate::output::Output;
use crate::view::Page;
use crate::view::setting as shown_setting;
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
pub fn run(args: &StudyArgs, session: &Session, output: &Output) -> anyhow::Result<usize> {
    let loaded = session.loaded();
    match args.view {
        StudyView::Schema => {
            let mut page = Page::new();
            serde_json::to_string_pretty(&schema())?.lines().for_each(|line| page.line(line));
            output.print(&page)?;
        }
        StudyView::Show => {
            let setting = |(key, origin): (&'static heddle_core::settings::Key, &Origin)| Setting {
                path: key.path,
                value: key.get(&loaded.study),
                origin: origin.clone(),
                about: key.about,
                expects: key.kind.expects(),
            };
            let settings = KEYS.iter().zip(&loaded.origins).map(setting).collect();
            output.answer("study", &Settings { settings }, show_settings)?;
        }
        StudyView::Stoplist => output.answer("study", &stop_words(&loaded.study), show_stop_words)?,
        StudyView::Negation => {
            let Negation { edition, also, .. } = &loaded.study.negation;
            // Those of a later language do not stand for those of an earlier one.
            let of = |language: &Language| expressions(*language, *edition, also).map_err(anyhow::Error::msg);
            let all: Vec<Vec<_>> =
                loaded.study.text.languages.iter().map(of).collect::<anyhow::Result<_>>()?;
            output.answer("study", &Expressions { expressions: all.concat() }, show_expressions)?;
        }
        StudyView::Emoticons => {
            output.answer("study", &Emoticons { emoticons: emoticons().collect() }, show_emoticons)?;
        }
    }
    Ok(0)
}

/// The words that are left out.
#[derive(Serialize)]
struct StopWords {
    /// Where they come from: "none", "own", a language or "list".
    stoplist: &'static str,
    words: Vec<String>,
    /// Words of the list that negate, and therefore stay.
    spared: Vec<String>,
}

fn stop_words(study: &Study) -> StopWords {
    let (name, listed) = match &study.text.stoplist {
        StopList::None => ("none", Vec::new()),
        StopList::Own => {
            let languages = study.text.languages.iter();
            ("own", languages.flat_map(|language| language.function_words()).map(String::from).collect())
        }
        StopList::Of(language) => (language.name(), language.function_words().map(String::from).collect()),
        StopList::Words(words) => ("list", words.iter().map(|word| word.to_lowercase()).collect()),
    };
    let cleaner = study.cleaner();
    let (spared, mut words): (Vec<String>, Vec<String>) =
        listed.into_iter().partition(|word| cleaner.is_negator(word));
    words.extend(study.text.stop_also.iter().map(|word| word.to_lowercase()));
    StopWords { stoplist: name, words, spared }
}

fn show_stop_words(list: &StopWords, page: &mut Page) {
    // One word a line: the page is a file that text.stoplist can name.
    list.words.iter().for_each(|word| page.line(word));
    if list.words.is_empty() {
        page.line("# No word is left out; text.stoplist=english leaves the English function words out.");
    }
    if !list.spared.is_empty() {
        page.line(format!(
            "# Negators, which stay unless text.stop_also names them: {}",
            list.spared.join(" ")
        ));
    }
}

/// What negates.
#[derive(Serialize)]
struct Expressions {
    expressions: Vec<(String, Effect)>,
}

fn show_expressions(listed: &Expressions, page: &mut Page) {
    // As a file that negation.also can name.
    page.line("expression,effect");
    listed.expressions.iter().for_each(|(text, effect)| page.line(format!("{text},{}", effect.name())));
}

/// Emoticons with their meanings and moods.
#[derive(Serialize)]
struct Emoticons {
    emoticons: Vec<(&'static str, &'static str, &'static str)>,
}

fn show_emoticons(listed: &Emoticons, page: &mut Page) {
    for meanings in listed.emoticons.chunk_by(|a, b| a.1 == b.1) {
        let signs: Vec<&str> = meanings.iter().map(|(sign, ..)| *sign).collect();
        let (_, meaning, mood) = meanings[0];
        let name = if mood == meaning { meaning.to_string() } else { format!("{meaning} ({mood})") };
        page.item(&format!("{name:<18}"), &signs.join(" "));
    }
}

fn show_settings(settings: &Settings, page: &mut Page) {
    let mut table =
        Table::new(&[("setting", Side::Left), ("value", Side::Left), ("from", Side::Left), ("", Side::Left)]);
    for setting in &settings.settings {
        let origin = match &setting.origin {
            Origin::Default => "default".to_string(),
            Origin::Recipe => "recipe".to_string(),
            Origin::File(line) => format!("line {line}"),
            Origin::Override => "--set".into(),
        };
        table.row([setting.path.into(), shown_setting(&setting.value), origin, setting.about.to_string()]);
    }
    table.put(page);
}
