//! The card of a model, as Markdown.

use heddle_core::beside::ColumnEffects;
use heddle_core::labels::Polarity;
use heddle_core::measure::Figure;
use heddle_core::model::ValidatedSlice;
use heddle_work::Inspected;

use super::content::{Block, Cell, Report, Section, Table};
use crate::view::figures::{named, plain_with_interval, share, share_with_interval, verdicts};
use crate::view::learnt::folds_words;
use crate::view::with_sign;
use crate::view::{count, number, percent, setting};

/// The card.
pub fn card(own: &Inspected) -> Report {
    Report {
        title: format!("The model {}", own.model),
        verdict: match &own.card.validated {
            Some(validated) => format!(
                "Right in {} of unseen reviews, where calling all the larger class is right in {}.",
                share_with_interval(&validated.figures.accuracy),
                share(&validated.baseline.accuracy)
            ),
            None => "Never validated: how often it is right is not known.".into(),
        },
        headline: Vec::new(),
        sections: [what(own), figures(own), heavy(own)]
            .into_iter()
            .chain(own.card.columns.as_ref().map(columns))
            .chain([probes(own), limits(own), settings(own)])
            .collect(),
    }
}

fn rows(rows: Vec<(&str, String)>) -> Block {
    let row = |(name, value): (&str, String)| vec![name.into(), value.into()];
    Block::Table(Table::new(&["what", "how"], rows.into_iter().map(row).collect()))
}

fn what(own: &Inspected) -> Section {
    let mix = own.card.mix;
    let all: usize = mix.iter().sum();
    let classes: Vec<String> = own
        .classes
        .list()
        .iter()
        .map(|class| {
            format!("{} {} ({})", number(mix[*class]), own.names.of(*class), percent(mix[*class], all))
        })
        .collect();
    let blocks = vec![rows(vec![
        ("learnt from", format!("{}: {}", count(all, "review"), classes.join(", "))),
        ("rule", own.rule.clone()),
        ("learner", own.learner.clone()),
        ("terms", number(own.card.terms)),
        (
            "penalty",
            match own.card.strength {
                Some(strength) => format!("{}, lambda {strength:.1e}", own.penalty),
                None => "none".into(),
            },
        ),
        ("verdicts", verdicts(&own.card.cuts, own.classes, &own.names)),
        ("a review without known terms", format!("log-odds {}", with_sign(own.intercept, 2))),
        ("file", format!("{} bytes, XXH3-64 {}", number(own.bytes as usize), own.xxh3)),
    ])];
    Section { id: "what".into(), title: "What it is".into(), blocks }
}

fn figures(own: &Inspected) -> Section {
    let title = "How good it is on reviews it has not seen".into();
    let Some(validated) = &own.card.validated else {
        let blocks = vec![Block::Sentence("It was never validated.".into())];
        return Section { id: "figures".into(), title, blocks };
    };
    let (figures, base) = (&validated.figures, &validated.baseline);
    let mut table: Vec<Vec<Cell>> = Vec::new();
    let mut row = |name: String, own: &Figure, base: &Figure, written: fn(&Figure) -> String| {
        table.push(vec![name.into(), written(own).into(), written(base).into()]);
    };
    for (class, base) in figures.classes.iter().zip(&base.classes) {
        row(
            format!("recall of {}", own.names.of(class.class)),
            &class.recall,
            &base.recall,
            share_with_interval,
        );
    }
    row("accuracy".into(), &figures.accuracy, &base.accuracy, share_with_interval);
    row("ROC area".into(), &figures.roc_area, &base.roc_area, plain_with_interval);
    row("log loss, in nats".into(), &figures.log_loss, &base.log_loss, plain_with_interval);
    let mut blocks = vec![
        Block::Table(Table::new(&["figure", "cross-validated", "baseline"], table)),
        Block::Sentence(format!(
            "{}; 95 % intervals; the baseline calls every review the larger class.",
            folds_words(validated)
        )),
    ];
    if !validated.slices.is_empty() {
        blocks.push(slices(&validated.slices));
    }
    Section { id: "figures".into(), title, blocks }
}

/// Where it is better or worse.
fn slices(slices: &[ValidatedSlice]) -> Block {
    let row = |own: &ValidatedSlice| {
        vec![
            format!("{}: {}", own.aspect, own.level).into(),
            number(own.accuracy.n).into(),
            share_with_interval(&own.accuracy).into(),
            share(&own.majority).into(),
            named(&own.differs).into(),
        ]
    };
    let mut head = vec!["slice", "reviews", "accuracy", "larger class", "differs in"];
    let mut rows: Vec<Vec<Cell>> = slices.iter().map(row).collect();
    if slices.iter().all(|own| own.differs.is_empty()) {
        head.pop();
        rows.iter_mut().for_each(|row| drop(row.pop()));
    }
    Block::Table(Table::new(&head, rows))
}

fn heavy(own: &Inspected) -> Section {
    let terms = Polarity::POLES.into_iter().zip(&own.strongest);
    let terms = terms.flat_map(|(class, terms)| terms.iter().map(move |term| (class, term)));
    let row = |(class, term): (Polarity, &heddle_work::WeighedTerm)| {
        vec![
            term.term.as_str().into(),
            own.names.of(class).into(),
            with_sign(term.weight.into(), 2).into(),
            number(term.reviews as usize).into(),
        ]
    };
    let table = Table::new(&["term", "towards", "weight", "training reviews"], terms.map(row).collect());
    Section { id: "terms".into(), title: "Its heaviest terms".into(), blocks: vec![Block::Table(table)] }
}

/// What the columns beside the text add.
fn columns(own: &ColumnEffects) -> Section {
    let row = |(column, level, reviews, effect): (&str, String, u32, f32)| -> Vec<Cell> {
        vec![column.into(), level.into(), number(reviews as usize).into(), with_sign(effect.into(), 2).into()]
    };
    let table = Table::new(
        &["column", "value", "training reviews", "adds, in nats"],
        own.told().into_iter().map(row).collect(),
    );
    let about = "To the log-odds of the positive class; the mean over the training reviews of what a column adds is 0, and a \
                 number adds so much for each standard deviation.";
    Section {
        id: "columns".into(),
        title: "What the columns beside the text add".into(),
        blocks: vec![Block::Table(table), Block::Sentence(about.into())],
    }
}

fn probes(own: &Inspected) -> Section {
    let kind = |kind: &heddle_core::explain::KindPassed| {
        vec![
            kind.kind.as_str().into(),
            share_with_interval(&kind.passed).into(),
            number(kind.passed.n).into(),
        ]
    };
    let blocks = vec![
        Block::Sentence(format!(
            "{} of {} are read as expected.",
            share_with_interval(&own.probes),
            count(own.probes.n, "sentence")
        )),
        Block::Table(Table::new(&["kind", "as expected", "sentences"], own.kinds.iter().map(kind).collect())),
    ];
    Section { id: "probes".into(), title: "What kinds of sentences it reads".into(), blocks }
}

fn limits(own: &Inspected) -> Section {
    let blocks = own.limits.iter().cloned().map(Block::Sentence).collect();
    Section { id: "limits".into(), title: "What it is known not to do well".into(), blocks }
}

fn settings(own: &Inspected) -> Section {
    let row = |(key, value): &(String, heddle_core::settings::Value)| {
        vec![key.as_str().into(), setting(value).into()]
    };
    let table = Table::new(&["setting", "value"], own.settings.iter().map(row).collect());
    Section {
        id: "settings".into(),
        title: "Settings that are not the usual ones".into(),
        blocks: vec![Block::Table(table)],
    }
}
