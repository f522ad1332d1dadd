//! A report as one page of HTML that needs nothing else.

use heddle_core::labels::Polarity;
use maud::{DOCTYPE, Markup, PreEscaped, html};

use super::content::{Block, Cell, Clause, Piece, Quoted, Reading, Report, Section, Table};
use crate::view::shown::visible;
use crate::view::with_sign;

/// How pages look.
pub const STYLE: &str = include_str!("page.css");
/// What their tables do: `enliven` lets those of a part of a page sort.
pub const SCRIPT: &str = include_str!("page.js");

/// The page.
pub fn page(report: &Report) -> String {
    let page = html! {
        (DOCTYPE)
        html lang="en" {
            head {
                meta charset="utf-8";
                meta name="generator" content="heddle";
                meta name="viewport" content="width=device-width, initial-scale=1";
                title { (visible(&report.title)) }
                style { (PreEscaped(STYLE)) }
            }
            body {
                header {
                    h1 { (visible(&report.title)) }
                    p.verdict { (visible(&report.verdict)) }
                    ul.headline {
                        @for [what, figure, beside] in &report.headline {
                            li { span { (visible(what)) } b { (visible(figure)) } span { (visible(beside)) } }
                        }
                    }
                    nav aria-label="Parts of this report" {
                        @for section in &report.sections { a href={ "#" (section.id) } { (visible(&section.title)) } }
                    }
                }
                main { @for section in &report.sections { (self::section(section)) } }
                footer { "Made by Heddle " (env!("CARGO_PKG_VERSION")) ", offline. Nothing on this page is fetched from elsewhere." }
                script { (PreEscaped(SCRIPT)) }
            }
        }
    };
    page.into_string()
}

fn section(section: &Section) -> Markup {
    html! {
        section id=(section.id) aria-labelledby={ (section.id) "-title" } {
            h2 id={ (section.id) "-title" } { (visible(&section.title)) }
            @for (at, block) in section.blocks.iter().enumerate() { (self::block(block, &format!("{}-{at}", section.id))) }
        }
    }
}

fn block(block: &Block, id: &str) -> Markup {
    match block {
        Block::Sentence(sentence) => html! { p { (visible(sentence)) } },
        Block::Table(table) => self::table(table, id),
        Block::Charts(charts) => html! { div.charts { @for chart in charts { (chart.to_html()) } } },
        Block::Reading(reading) => self::reading(reading),
        Block::Quotes(quotes) => html! { div.quotes { @for quoted in quotes { (self::quoted(quoted)) } } },
        Block::More(title, table) => {
            html! { details { summary { (visible(title)) } (self::table(table, id)) } }
        }
    }
}

fn table(table: &Table, id: &str) -> Markup {
    let is_number =
        |at: usize| table.rows.iter().any(|row| row.get(at).is_some_and(|cell| cell.number.is_some()));
    html! {
        @if table.searched {
            label.search { "Look for " input type="search" aria-controls=(id); }
        }
        div.wide {
            table.sorts id=(id) {
                thead { tr {
                    @for (at, name) in table.head.iter().enumerate() {
                        th scope="col" class=[is_number(at).then_some("number")] { button type="button" { (visible(name)) } }
                    }
                } }
                tbody { @for row in &table.rows { tr { @for cell in row { (self::cell(cell)) } } } }
            }
        }
    }
}

fn cell(cell: &Cell) -> Markup {
    let classes = match (cell.number, cell.class) {
        (Some(_), _) => Some("number"),
        (None, Some(class)) => class_name(class),
        (None, None) => None,
    };
    html! { td class=[classes] data-value=[cell.number.filter(|number| number.is_finite())] { (visible(&cell.text)) } }
}

fn class_name(class: Polarity) -> Option<&'static str> {
    match class {
        Polarity::Negative => Some("negative"),
        Polarity::Neutral => None,
        Polarity::Positive => Some("positive"),
    }
}

/// Log-odds at either end of the track, at least.
pub const LEAST_SPAN: f64 = 3.0;

fn reading(reading: &Reading) -> Markup {
    let span = reading.clauses.iter().map(|clause| clause.running.abs()).fold(LEAST_SPAN, f64::max);
    let before = [reading.begins].into_iter().chain(reading.clauses.iter().map(|clause| clause.running));
    html! {
        div.reading {
            @if !reading.origin.is_empty() { div.origin { (visible(&reading.origin)) } }
            div.step { span.note { "before the first word" } span {} (track(reading.begins, reading.begins, span)) span { (with_sign(reading.begins, 2)) } }
            @for (clause, from) in reading.clauses.iter().zip(before) { (step(clause, from, span)) }
            p { strong class=[class_name(reading.class)] { (visible(&reading.verdict)) } }
        }
    }
}

fn step(clause: &Clause, from: f64, span: f64) -> Markup {
    html! {
        div.step {
            span { @for piece in &clause.pieces { (self::piece(piece)) } }
            span class=[class_name(Polarity::of_log_odds(clause.adds))] { (with_sign(clause.adds, 2)) }
            (track(from, clause.running, span))
            span class=[class_name(Polarity::of_log_odds(clause.running))] { (with_sign(clause.running, 2)) }
        }
    }
}

fn piece(piece: &Piece) -> Markup {
    let text = visible(&piece.text);
    let inner = html! { @if piece.manner.underlined { u { (text) } } @else { (text) } };
    let inner = html! { @if piece.manner.slanted { i { (inner) } } @else { (inner) } };
    match piece.class.and_then(class_name) {
        Some(class) => html! { b class=(class) { (inner) } },
        None => inner,
    }
}

/// The way of the running total, from 0 to 100 % of the track.
fn track(from: f64, to: f64, span: f64) -> Markup {
    let place = |log_odds: f64| 50.0 + 50.0 * (log_odds / span).clamp(-1.0, 1.0);
    let (from, to) = (place(from), place(to));
    let thread = format!("left:{:.1}%;width:{:.1}%", from.min(to), (from - to).abs());
    html! {
        span class={ "track " (class_name(Polarity::of_log_odds(to - 50.0)).unwrap_or_default()) } aria-hidden="true" {
            i style=(thread) {} b style=(format!("left:{to:.1}%")) {}
        }
    }
}

fn quoted(quoted: &Quoted) -> Markup {
    html! {
        @if !quoted.said.is_empty() { div {
            h3 class=[class_name(quoted.class)] { (visible(&quoted.theme)) }
            @for (clause, id) in &quoted.said { blockquote { "“" (visible(clause)) "” " span.origin { (visible(id)) } } }
        } }
    }
}
