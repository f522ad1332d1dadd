//! Makes pages of HTML from the documents, and an index of them: `cargo run -p pages -- OUT`.

use std::fs;
use std::path::{Path, PathBuf};

use anyhow::{Context, bail};
use maud::{DOCTYPE, PreEscaped, html};
use pulldown_cmark::{CowStr, Event, HeadingLevel, Options, Parser, Tag, TagEnd, html::push_html};

/// The look of reports, so that all pages look alike.
const STYLE: &str = include_str!("../../../crates/heddle/src/view/report/page.css");
const MORE: &str = "main { padding-bottom: 40px; } pre { background: var(--field); padding: 12px 14px; overflow-x: auto; font-size: .9rem; }
code { background: var(--field); padding: 0 .2em; } pre code { padding: 0; } li { max-width: 72ch; } ul.index { list-style: none; padding: 0; }
ul.index li { margin: 10px 0; } main > table { display: block; overflow-x: auto; }";
/// What a reader wants, and the pages that tell, in that order.
const PARTS: [(&str, &[(&str, &str)]); 3] = [
    (
        "To begin",
        &[
            ("guide", "Task by task, with commands that are tested and what they print."),
            ("statistics", "Which question a figure answers, and what it cannot tell."),
            ("negation", "What a negator covers, what a negated word counts as, and what that is worth."),
            ("formats", "Which files are read and written, and where each is described."),
            ("limits", "What a weighted sum of words cannot know, and how large files may be."),
        ],
    ),
    (
        "With others",
        &[
            ("team", "One study, one holdout, one ledger; schedules and exit codes."),
            ("privacy", "What each file holds of reviews, and what is left on the way."),
            ("serving", "A model behind HTTP: what can be asked, limits, other models, logs, speed."),
            ("large-files", "Rows that are never kept, counts that are added up, training in many places."),
        ],
    ),
    (
        "To look up",
        &[
            ("settings", "Every setting of a study, with its default."),
            ("judging", "Learners, calibration, verdicts, folds, intervals, tuning."),
            ("weighting", "What a term weighs in a review, with an example."),
            ("reading", "How bytes become rows, and within which limits."),
            ("writing", "How files get their names, and what is never lost."),
            ("json", "The answers of every command as JSON."),
            ("model-file", "The bytes of a model, and the way from a review to its score."),
            ("about-file", "What stands beside a part of reviews."),
            ("ledger", "The lines of a ledger."),
        ],
    ),
];

/// A document.
struct Page {
    name: String,
    title: String,
    body: String,
}

fn main() -> anyhow::Result<()> {
    let Some(out) = std::env::args().nth(1) else {
        bail!("expected a folder for the pages: cargo run -p pages -- OUT")
    };
    build(&Path::new(env!("CARGO_MANIFEST_DIR")).join(".."), Path::new(&out))
}

/// Writes a page for each document of a folder, and `index.html`.
fn build(documents: &Path, out: &Path) -> anyhow::Result<()> {
    fs::create_dir_all(out).with_context(|| format!("{} cannot be made", out.display()))?;
    let mut found: Vec<PathBuf> =
        fs::read_dir(documents)?.map(|entry| Ok(entry?.path())).collect::<std::io::Result<_>>()?;
    found.retain(|path| path.extension().is_some_and(|ending| ending == "md"));
    let pages: Vec<Page> = found.iter().map(|path| page(path)).collect::<anyhow::Result<_>>()?;
    let listed = |name: &str| PARTS.iter().any(|(_, own)| own.iter().any(|(own, _)| *own == name));
    if let Some(page) = pages.iter().find(|page| !listed(&page.name)) {
        bail!("{}.md stands in no part of the index: name it in docs/pages/src/main.rs", page.name);
    }
    for page in &pages {
        fs::write(out.join(format!("{}.html", page.name)), whole(&page.title, &page.body, true))?;
    }
    fs::write(out.join("index.html"), whole("Heddle", &index(&pages)?, false))?;
    Ok(())
}

fn page(path: &Path) -> anyhow::Result<Page> {
    let text = fs::read_to_string(path).with_context(|| format!("{} cannot be read", path.display()))?;
    let name = path.file_stem().unwrap_or_default().to_string_lossy().into_owned();
    let options = Options::ENABLE_TABLES | Options::ENABLE_STRIKETHROUGH;
    let (mut title, mut heading) = (String::new(), false);
    let events = Parser::new_ext(&text, options).map(|event| {
        match &event {
            Event::Start(Tag::Heading { level: HeadingLevel::H1, .. }) => heading = true,
            Event::End(TagEnd::Heading(HeadingLevel::H1)) => heading = false,
            Event::Text(text) | Event::Code(text) if heading => title.push_str(text),
            _ => {}
        }
        linked(event)
    });
    let mut body = String::new();
    push_html(&mut body, events);
    Ok(Page { name, title, body })
}

/// Links to other documents lead to their pages; those to files of the source are left as text.
fn linked(event: Event<'_>) -> Event<'_> {
    match event {
        Event::Start(Tag::Link { link_type, dest_url, title, id }) if dest_url.contains(".md") => {
            let dest_url = if dest_url.contains('/') {
                CowStr::from("index.html")
            } else {
                dest_url.replace(".md", ".html").into()
            };
            Event::Start(Tag::Link { link_type, dest_url, title, id })
        }
        event => event,
    }
}

fn index(pages: &[Page]) -> anyhow::Result<String> {
    let of = |name: &str| {
        pages.iter().find(|page| page.name == name).with_context(|| format!("there is no {name}.md"))
    };
    let mut body = html! { p.verdict { "From starred reviews to explained predictions: offline, in seconds, with figures that can be defended." } }.into_string();
    for (part, own) in PARTS {
        let own: Vec<(&Page, &str)> =
            own.iter().map(|(name, about)| Ok((of(name)?, *about))).collect::<anyhow::Result<_>>()?;
        let list = html! {
            h2 { (part) }
            ul.index { @for (page, about) in own { li { a href={ (page.name) ".html" } { (page.title) } br; span.note { (about) } } } }
        };
        body.push_str(&list.into_string());
    }
    Ok(body)
}

fn whole(title: &str, body: &str, leads_back: bool) -> String {
    let page = html! {
        (DOCTYPE)
        html lang="en" {
            head {
                meta charset="utf-8";
                meta name="viewport" content="width=device-width, initial-scale=1";
                title { (title) }
                style { (PreEscaped(STYLE)) (PreEscaped(MORE)) }
            }
            body {
                @if leads_back { header { nav aria-label="All pages" { a href="index.html" { "All pages" } } } } @else { header { h1 { (title) } } }
                main { (PreEscaped(body)) }
                footer { "Nothing on this page is fetched from elsewhere." }
            }
        }
    };
    page.into_string()
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn every_document_has_a_page_and_every_link_between_them_leads_somewhere() {
        let out = tempfile::tempdir().expect("a folder");
        build(&Path::new(env!("CARGO_MANIFEST_DIR")).join(".."), out.path()).expect("pages");
        let index = fs::read_to_string(out.path().join("index.html")).expect("an index");
        for entry in fs::read_dir(out.path()).expect("a folder") {
            let path = entry.expect("an entry").path();
            let text = fs::read_to_string(&path).expect("text");
            for link in text.split("href=\"").skip(1).filter_map(|rest| rest.split(['"', '#']).next()) {
                let is_there = link.is_empty() || out.path().join(link).exists();
                assert!(is_there || link.contains("://"), "{}: {link}", path.display());
            }
            let name = path.file_name().expect("a name").to_string_lossy().into_owned();
            assert!(
                name == "index.html" || index.contains(&format!("href=\"{name}\"")),
                "{name} is not in the index"
            );
            assert!(text.contains("<h1>"), "{name} has no title");
        }
    }
}
