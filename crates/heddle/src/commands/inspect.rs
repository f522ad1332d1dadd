//! What a model says of itself.

use heddle_files::Role;
use heddle_work::{Inspected, Session, inspect};

use crate::args::InspectArgs;
use crate::output::Output;
use crate::view::Page;
use crate::view::report::{Block, Form, card, written};
use crate::view::table::{Side, Table};

/// Shows the card of a model, and writes it if asked.
pub fn run(args: &InspectArgs, session: &Session, output: &Output) -> anyhow::Result<usize> {
    let inspected = inspect(session, &args.model, args.top)?;
    if let Some(path) = &args.out {
        let form = if path.ends_with(".md") { Form::Markdown } else { Form::Html };
        session.outputs().plan_once(Role::Report, path)?;
        session.outputs().write(path, written(&card(&inspected), form).as_bytes())?;
    }
    output.answer("inspect", &inspected, |inspected, page| show(inspected, args.out.as_deref(), page))?;
    Ok(0)
}

fn show(inspected: &Inspected, out: Option<&str>, page: &mut Page) {
    let card = card(inspected);
    page.heading(&card.title);
    page.note(&card.verdict);
    for section in &card.sections {
        page.heading(&section.title);
        for block in &section.blocks {
            match block {
                Block::Sentence(sentence) => page.note(sentence),
                Block::Table(rows) => {
                    let head: Vec<(&str, Side)> =
                        rows.head.iter().map(|name| (name.as_str(), Side::Left)).collect();
                    let mut table = Table::new(&head);
                    for row in &rows.rows {
                        table.row(row.iter().map(|cell| cell.text.clone()));
                    }
                    table.put(page);
                }
                _ => {} // a card has no other parts
            }
        }
    }
    if let Some(path) = out {
        page.written(path, "");
    }
}
