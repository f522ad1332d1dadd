//! What a model makes of sentences whose meaning is known.

use heddle_core::explain::{Expected, KindPassed, Probed};
use heddle_core::labels::Polarity;
use heddle_work::{Against, ProbeOptions, ProbedModel, Session, probe};

use crate::args::ProbeArgs;
use crate::output::Output;
use crate::view::figures::{share, share_with_interval};
use crate::view::table::{Side, Table};
use crate::view::{Page, count, number, signed, width, wrapped};

/// Tries a model on sentences and shows which it reads.
pub fn run(args: &ProbeArgs, session: &Session, output: &Output) -> anyhow::Result<usize> {
    let ProbeArgs { model, suite, against, kind, misses, out } = args;
    let options = ProbeOptions {
        model: model.clone(),
        suite: suite.clone(),
        against: against.clone(),
        kinds: kind.clone(),
        out: out.clone(),
    };
    let probed = probe(session, &options)?;
    output.answer("probe", &probed, |probed, page| show(probed, *misses, page))?;
    Ok(0)
}

fn show(probed: &ProbedModel, misses: usize, page: &mut Page) {
    page.call(&probed.names);
    page.heading(&format!(
        "{} of {} are read as expected",
        share_with_interval(&probed.passed),
        count(probed.sentences.len(), "sentence")
    ));
    show_kinds(probed, page);
    show_misses(&probed.sentences, misses, page);
    if let Some(against) = &probed.against {
        show_changes(against, &probed.sentences, misses, page);
    }
    page.note(&match &probed.accuracy {
        Some(accuracy) => format!(
            "Sentences say what kinds of sentences the model reads, and not how often it is right: that is {} of unseen reviews.",
            share_with_interval(accuracy)
        ),
        None => "Sentences say what kinds of sentences the model reads, and not how often it is right; this model was never validated.".into(),
    });
    if let Some(path) = &probed.written {
        page.written(path, ", every sentence with what was expected and what came");
    }
}

fn show_kinds(probed: &ProbedModel, page: &mut Page) {
    let mut header = vec![("", Side::Left), ("as expected", Side::Right), ("sentences", Side::Right)];
    let before = probed.against.as_ref();
    header.extend(before.map(|_| ("before", Side::Right)));
    let mut table = Table::new(&header);
    let mut row = |name: &str, own: &heddle_core::measure::Figure, then: Option<&KindPassed>| {
        let mut cells = vec![name.to_string(), share_with_interval(own), number(own.n)];
        cells.extend(before.map(|_| then.map_or(String::new(), |then| share(&then.passed))));
        table.row(cells);
    };
    for (at, kind) in probed.kinds.iter().enumerate() {
        row(&kind.kind, &kind.passed, before.and_then(|before| before.kinds.get(at)));
    }
    table.put(page);
    page.note(
        "95 % intervals; sentences that differ only in what is praised or blamed count as one for them.",
    );
}

/// Misses: the surest of each kind first, then the next of each.
fn show_misses(sentences: &[Probed], most: usize, page: &mut Page) {
    let missed: Vec<&Probed> = sentences.iter().filter(|own| !own.passed).collect();
    if missed.is_empty() || most == 0 {
        return;
    }
    let mut kinds: Vec<Vec<&Probed>> = Vec::new();
    for own in &missed {
        match kinds.iter_mut().find(|kind| kind[0].probe.kind == own.probe.kind) {
            Some(kind) => kind.push(own),
            None => kinds.push(vec![own]),
        }
    }
    kinds.iter_mut().for_each(|kind| kind.sort_by(|a, b| b.log_odds.abs().total_cmp(&a.log_odds.abs())));
    let longest = kinds.iter().map(Vec::len).max().unwrap_or(0);
    let in_turn = (0..longest).flat_map(|at| kinds.iter().filter_map(move |kind| kind.get(at)));
    page.heading(&format!("Misses: {} of {}", number(most.min(missed.len())), number(missed.len())));
    for own in in_turn.take(most) {
        put_sentence(own, page);
    }
}

/// A sentence, what was expected, what came, and the words that pulled the wrong way.
fn put_sentence(own: &Probed, page: &mut Page) {
    page.item(&format!("{}:", own.probe.kind), &own.probe.text);
    let expected = match own.probe.expected {
        Expected::Negative => page.class(Polarity::Negative),
        Expected::Positive => page.class(Polarity::Positive),
        Expected::Neutral => page.class(Polarity::Neutral),
        other => other.name().into(),
    };
    let other = match (&own.probe.than, own.log_odds_than) {
        (Some(than), Some(odds)) => format!(" than “{than}” at {}", signed(odds)),
        _ => String::new(),
    };
    let pulled: Vec<String> =
        own.blamed.iter().map(|(word, added)| format!("“{word}” {}", signed(*added))).collect();
    let pulled = if pulled.is_empty() { String::new() } else { format!(", by {}", pulled.join(", ")) };
    let told = format!(
        "expected {expected}{other}; called {} at {}{pulled}",
        page.class(own.called),
        signed(own.log_odds)
    );
    wrapped(&told, width() - 4).iter().for_each(|line| page.line(format!("    {line}")));
}

fn show_changes(against: &Against, sentences: &[Probed], most: usize, page: &mut Page) {
    page.heading(&format!(
        "Against {}: {} before; {} mended, {} broken",
        against.model,
        share_with_interval(&against.passed),
        number(against.mended.len()),
        number(against.broken.len())
    ));
    for (what, places) in [("mended", &against.mended), ("broken", &against.broken)] {
        for at in places.iter().take(most) {
            page.item(&format!("{what}, {}:", sentences[*at].probe.kind), &sentences[*at].probe.text);
        }
        if places.len() > most {
            page.note(&format!("{} more {what}; --json and --out have all.", number(places.len() - most)));
        }
    }
}
