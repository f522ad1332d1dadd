//! Copies of reviews: each said again in other words.

use heddle_work::{Copied, CopiesOptions, Session, copies, copies_in_words};

use crate::args::CopiesArgs;
use crate::output::Output;
use crate::view::{Page, count, number};

/// Writes copies; shows some of them.
pub fn run(args: &CopiesArgs, session: &Session, output: &Output) -> anyhow::Result<usize> {
    let options = CopiesOptions {
        files: args.files.files.clone(),
        by: args.by.clone(),
        each: usize::from(args.each.get()),
        out: args.out.clone(),
    };
    let copied = copies(session, &options)?;
    output.answer("copies", &copied, show)?;
    Ok(copied.account.refused)
}

fn show(copied: &Copied, page: &mut Page) {
    page.heading(&format!("{} of {}", copies_in_words(copied.copies), count(copied.reviews, "review")));
    for [review, copy] in &copied.shown {
        page.item("review", review);
        page.item("copy  ", copy);
    }
    page.note(&match (&copied.by, copied.synonyms) {
        (Some(command), _) => format!("Made by `{command}`."),
        (None, Some(0) | None) => "Words that say little were left out; no word is known to be used like another.".into(),
        (None, Some(words)) => format!(
            "Words were replaced by words that these reviews use alike and that both classes use alike ({} have such), and one that tells no class was left out.",
            number(words)
        ),
    });
    if copied.unchanged > 0 {
        page.note(&format!(
            "{} left out, which came back as the review is, or as another copy of it.",
            copies_in_words(copied.unchanged)
        ));
    }
    let [id, copy_of] = &copied.columns;
    page.note(&format!(
        "Learn from them with --set reviews.id={id} --set reviews.copy_of={copy_of}: copies stay on the side of their review and are never judged."
    ));
    page.written(&copied.written, ": each review, and its copies behind it");
}
