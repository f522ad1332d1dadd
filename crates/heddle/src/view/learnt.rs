//! A model as it was learnt: how, from what, and what weighs most.

use heddle_core::Choice;
use heddle_core::beside::ColumnEffects;
use heddle_core::explain::KindPassed;
use heddle_core::labels::{ClassNames, Classes, Polarity};
use heddle_core::learn::{Calibration, Convergence, Stop};
use heddle_core::measure::{Figures, Reached};
use heddle_core::model::Validated;
use heddle_core::resample::{Balance, PriorKind};
use heddle_core::settings::Value;
use heddle_core::terms::vectors::VectorSource;
use heddle_core::terms::{Emphasis, KindFloor, MadeOf};
use heddle_work::{Doubling, Middle, Progressive, Trained, WeighedTerm, copies_in_words, look_twice};

use crate::view::figures::{plain_with_interval, share_with_interval, verdicts};
use crate::view::short::{in_short, next_steps};
use crate::view::table::{Side, Table};
use crate::view::{Page, count, number, percent, signed, with_sign};

/// Shows it.
pub fn show(trained: &Trained, page: &mut Page) {
    page.call(&trained.account.names);
    let mix = trained.card.mix;
    let of = |class: &Polarity| format!("{} {}", number(mix[*class]), page.name(*class));
    let classes: Vec<String> = Classes::of(mix).list().iter().map(of).collect();
    page.heading(&format!("Learnt from {}: {}", count(mix.iter().sum(), "review"), classes.join(", ")));
    show_steps(trained, page);
    page.heading("Heaviest terms");
    show_strongest(trained, page);
    if trained.settings.few {
        page.note(
            "Few reviews: `heddle tune` with --minutes 1 tries what else pays where words are rare (terms.letters, longer n-grams).",
        );
    }
    page.note("Weights are log-odds for one unit of a term; ¬ marks a negated word. The number of reviews says how much a weight rests on.");
    if !trained.doubtful.is_empty() {
        page.note(&format!(
            "Check: {}. `heddle terms --model {}` tells more.",
            doubts(trained),
            trained.model
        ));
    }
    if let Some(judgement) = &trained.judgement {
        in_short(page, &judgement.sentence);
    }
    page.written(&trained.model, &format!(" ({} KB)", number(trained.bytes.div_ceil(1024) as usize)));
    if let Some(judgement) = &trained.judgement {
        next_steps(page, &judgement.next);
    }
}

/// What the model makes of the reviews between the classes, in words.
fn middle_words(middle: &Middle) -> String {
    format!(
        "{} between the classes, not learnt from: {} would be called positive, mean probability {:.1} %",
        count(middle.reviews, "review"),
        share_with_interval(&middle.called_positive),
        100.0 * middle.mean_probability_of_positive,
    )
}

/// The heaviest terms that should be looked at twice, with the reason.
fn doubts(trained: &Trained) -> String {
    let mut heaviest: Vec<&WeighedTerm> = trained.doubtful.iter().collect();
    heaviest.sort_by(|a, b| b.weight.abs().total_cmp(&a.weight.abs()));
    let shown = heaviest.iter().take(5).map(|term| format!("“{}” ({})", term.term, look_twice(&term.doubts)));
    let more = match heaviest.len().saturating_sub(5) {
        0 => String::new(),
        more => format!(" and {more} more"),
    };
    format!("{}{more}", shown.collect::<Vec<_>>().join(", "))
}

fn show_steps(trained: &Trained, page: &mut Page) {
    let mut line = |name: &str, text: String| page.item(&format!("{name:<10}"), &text);
    line("rows", rows_words(trained));
    line("terms", terms_words(trained));
    if let Some(columns) = &trained.card.columns {
        line("columns", columns_words(columns));
    }
    if let Some(vectors) = &trained.card.vectors {
        line("vectors", vectors_words(vectors));
    }
    if let Some(strength) = trained.card.strength {
        line("strength", strength_words(trained, strength));
    }
    line("learner", learner_words(trained));
    if trained.card.ratios > 0.0 {
        let ratios = trained.card.ratios;
        line(
            "ratios",
            format!("of classes, blended into the weights at {ratios} of the spread of the scores"),
        );
    }
    if let Some(calibration) = calibration_words(trained) {
        line("calibrated", calibration);
    }
    line("classes", classes_words(trained));
    if let Some(layout) = layout_words(trained) {
        line("layout", layout);
    }
    line("intercept", format!("{}, the log-odds of a review without known terms", signed(trained.intercept)));
    line("verdicts", verdicts(&trained.card.cuts, Classes::of(trained.card.mix), &trained.account.names));
    if let Some(reached) = &trained.card.reached {
        line("reached", reached_words(reached, &trained.account.names));
    }
    line("probes", probes_words(trained));
    if let Some(figures) = &trained.held_back {
        line("held back", held_back_words(figures));
    }
    if trained.held_back.is_none() || trained.card.validated.is_some() {
        line("validated", validated_words(trained));
    }
    if let Some(progressive) = &trained.progressive {
        line("judged", judged_words(progressive));
        line("growth", growth_words(progressive));
    }
    if let Some(aside) = &trained.middle {
        line("middle", middle_words(aside));
    }
}

fn rows_words(trained: &Trained) -> String {
    let left_out = number(trained.account.left_out() + trained.account.refused);
    let copies = match trained.account.copies {
        0 => String::new(),
        some => format!("{} of others, ", copies_in_words(some)),
    };
    format!(
        "{} read, {copies}{left_out} left out or refused ({})",
        number(trained.account.read),
        trained.settings.rule
    )
}

/// What was done about the class mix, and what probabilities speak of.
fn classes_words(trained: &Trained) -> String {
    let mix = trained.card.mix;
    let share = percent(mix[Polarity::Negative], mix.iter().sum());
    let negative = trained.account.names.of(Polarity::Negative);
    let done = match trained.settings.balance {
        Balance::None => return format!("as they come: {share} are {negative}"),
        Balance::Weights => "balanced by weights",
        Balance::Down => "balanced by leaving rows out",
        Balance::Up => "balanced by repeating rows",
    };
    if trained.settings.probabilities == PriorKind::Natural {
        format!(
            "{done}; the intercept is corrected, so that probabilities speak of the natural mix ({share} {negative} here)"
        )
    } else {
        format!("{done}, and probabilities speak of that mix (here {share} are {negative})")
    }
}

fn terms_words(trained: &Trained) -> String {
    let of = |lengths: &Value, what: &str| match lengths {
        Value::Text(lengths) if lengths == "1" => Some(format!("1 {what}")),
        Value::Text(lengths) if lengths != "none" => {
            Some(format!("{} {what}s", lengths.replace('-', " to ")))
        }
        _ => None,
    };
    let settings = &trained.settings;
    let both = [of(&settings.words, "word"), of(&settings.letters, "letter")];
    let mut lengths = both.into_iter().flatten().collect::<Vec<_>>().join(" or ");
    if settings.stems {
        lengths.push_str(", and of stems");
    }
    if settings.words_are_unread {
        return "none: features.text is off, the columns are all there is".into();
    }
    let (terms, floor) = (number(trained.card.terms), count(settings.at_least as usize, "review"));
    let weighting = &settings.weighting;
    let emphasis = match settings.emphasis {
        Emphasis::None => "",
        Emphasis::ClassRatio => " and by how unevenly the classes use them",
    };
    let few = match settings.few {
        true => " (reviews are few: terms.at_least)",
        false => "",
    };
    let others = other_floors(&settings.at_least_of);
    format!("{terms} of {lengths}, each in {floor} or more{others}{few}, weighted {weighting}{emphasis}")
}

/// The floors of kinds of terms that have one of their own.
pub fn other_floors(floors: &[KindFloor]) -> String {
    let of = |own: &KindFloor| {
        let kind = match own.kind {
            MadeOf::Words(words) => count(words.into(), "word"),
            MadeOf::Part(_) => own.kind.to_string(),
        };
        format!("of {kind}: {}", own.reviews)
    };
    match floors {
        [] => String::new(),
        floors => format!(" ({})", floors.iter().map(of).collect::<Vec<_>>().join(", ")),
    }
}

/// The columns beside the text, and how far apart what they add lies.
fn columns_words(columns: &ColumnEffects) -> String {
    let told = columns.widths().into_iter().map(|(column, width)| format!("{column} ({width:.2})"));
    format!(
        "beside the text, each with the nats between the most and the least that it adds: {}",
        told.collect::<Vec<_>>().join(", ")
    )
}

/// Where word vectors come from, and how many words have one.
fn vectors_words(own: &VectorSource) -> String {
    format!(
        "of {} numbers each from {}: {} of {} have one, {:.1} % of all tokens; the mean of a review counts beside its terms",
        own.dims,
        own.file,
        number(own.as_written + own.other_case),
        count(own.words, "word"),
        100.0 * own.tokens
    )
}

fn strength_words(trained: &Trained, strength: f64) -> String {
    let chosen = match &trained.card.choice {
        Some(choice) => format!("chosen from {} by inner folds", choice.trials.len()),
        None => "as set".into(),
    };
    let zero = match trained.card.terms - trained.card.pulling {
        0 => String::new(),
        zero => format!("; {} have weight 0", count(zero, "term")),
    };
    format!("lambda {strength:.1e} of the {} penalty, {chosen}{zero}", trained.settings.penalty.name())
}

fn learner_words(trained: &Trained) -> String {
    let Convergence { stop, rounds, gap, .. } = trained.card.convergence;
    let stopped = match stop {
        Stop::Converged => format!("converged in {}", count(rounds as usize, "round")),
        Stop::Rounds => format!(
            "NOT converged in {}: raise model.tolerance or model.strength",
            count(rounds as usize, "round")
        ),
        Stop::Done if rounds == 1 => "one pass over the reviews".into(),
        Stop::Done => format!("{rounds} passes over the reviews"),
    };
    let above =
        gap.map_or(String::new(), |gap| format!(", at most {:.3} % above the optimum", 100.0 * gap.max(0.0)));
    format!("{}, {stopped}{above}", trained.settings.learner)
}

/// How three classes are told apart.
fn layout_words(trained: &Trained) -> Option<String> {
    if Classes::of(trained.card.mix) == Classes::Two {
        return None;
    }
    let what = match trained.card.is_free() {
        true => "each class has weights of its own",
        false => "one axis, neutral between the poles",
    };
    let why = trained.card.layout.map_or(", as set".into(), |choice| {
        let better = if choice.free { "on one axis" } else { "with weights for each class" };
        format!(
            ": held-out log loss is {:.4} more {better} (standard error {:.4})",
            choice.gain.abs(),
            choice.error
        )
    });
    Some(format!("{what}{why}"))
}

/// How scores became log-odds, where they were not so from the start.
fn calibration_words(trained: &Trained) -> Option<String> {
    let held = |reviews: usize| {
        let how =
            if trained.held_back.is_some() { "held back from learning" } else { "held out by inner folds" };
        format!("learnt on {} {how}", count(reviews, "review"))
    };
    match &trained.card.calibration {
        Calibration::None => None,
        Calibration::Scale { slope, reviews } => {
            Some(format!("scores times {slope:.3}, {}; weights hold it already", held(*reviews)))
        }
        Calibration::ScaleFree { slopes: [poles, neutral], reviews } => Some(format!(
            "scores of the poles times {poles:.3}, those of neutral times {neutral:.3}, {}; weights hold it already",
            held(*reviews)
        )),
        Calibration::IsotonicBorders { reviews, .. } | Calibration::IsotonicClasses { reviews, .. } => {
            Some(format!("probabilities read off rising curves, {}", held(*reviews)))
        }
        Calibration::Isotonic { curve, reviews } => Some(format!(
            "probabilities read off a rising curve of {}, {}",
            count(curve.scores.len(), "point"),
            held(*reviews)
        )),
    }
}

/// What the cuts make of the held-out reviews that they were set on.
fn reached_words(reached: &Reached, names: &ClassNames) -> String {
    let negative = names.of(Polarity::Negative);
    let mut parts = vec![
        format!("{} of the {negative} ones found", share_with_interval(&reached.recall_negative)),
        format!("{} of those called {negative} right", share_with_interval(&reached.precision_negative)),
    ];
    if let Some(unsure) = &reached.unsure {
        parts.push(format!("{} called at all", share_with_interval(&unsure.called)));
        parts.push(format!("{} of these right", share_with_interval(&unsure.accuracy)));
    }
    let reviews = count(reached.recall_negative.n, &format!("{negative} review"));
    format!(
        "{}; on the held-out reviews that set the cuts ({reviews} among them), so a little too good",
        parts.join(", ")
    )
}

fn validated_words(trained: &Trained) -> String {
    let Some(validated) = &trained.card.validated else {
        return "never; --validate tells how good it is on reviews it has not seen".into();
    };
    let (accuracy, area) = (&validated.figures.accuracy, &validated.figures.roc_area);
    format!(
        "{}: accuracy {}, ROC area {}",
        folds_words(validated),
        share_with_interval(accuracy),
        plain_with_interval(area)
    )
}

/// The folds of a validation, and what they divide where that is not all reviews.
pub(in crate::view) fn folds_words(validated: &Validated) -> String {
    match validated.drawn_from {
        Some(all) => format!(
            "{} folds over {}, drawn at random from {}",
            validated.folds,
            count(validated.figures.accuracy.n, "review"),
            number(all)
        ),
        None => format!("{} folds", validated.folds),
    }
}

/// How good the model is on reviews that never taught.
fn held_back_words(figures: &Figures) -> String {
    let counts = figures.classes.iter().map(|own| own.recall.n);
    format!(
        "{} that never taught: accuracy {}, ROC area {}, log loss {}; {:.1} % are of the largest class",
        count(figures.accuracy.n, "review"),
        share_with_interval(&figures.accuracy),
        plain_with_interval(&figures.roc_area),
        plain_with_interval(&figures.log_loss),
        100.0 * counts.max().unwrap_or(0) as f64 / figures.accuracy.n.max(1) as f64
    )
}

/// How well reviews were called before they taught.
fn judged_words(progressive: &Progressive) -> String {
    let Figures { accuracy, roc_area, .. } = &progressive.figures;
    format!(
        "the last {}, each before it taught: accuracy {}, ROC area {}; {} are of the largest class",
        count(progressive.reviews, "review"),
        share_with_interval(accuracy),
        plain_with_interval(roc_area),
        share_with_interval(&progressive.majority)
    )
}

/// How well they were called as more had taught.
fn growth_words(progressive: &Progressive) -> String {
    let one = |own: &Doubling| {
        let accuracy = 100.0 * own.accuracy.value.unwrap_or(0.0);
        match own.after {
            0 => format!("{accuracy:.1} % of the first {}", number(own.accuracy.n)),
            after => format!("{accuracy:.1} % after {}", number(after)),
        }
    };
    let told: Vec<String> = progressive.doublings.iter().map(one).collect();
    format!("called right before they taught: {}", told.join(", "))
}

/// What it makes of plain sentences, as far as they go.
fn probes_words(trained: &Trained) -> String {
    let one = |kind: &KindPassed| {
        let own = &kind.passed;
        let passed = (own.value.unwrap_or(0.0) * own.n as f64).round() as usize;
        format!("{} {passed} of {}", kind.kind, own.n)
    };
    let kinds: Vec<String> = trained.probes.kinds.iter().map(one).collect();
    format!("{} read as expected; `heddle probe` tries all kinds", kinds.join(", "))
}

fn show_strongest(trained: &Trained, page: &mut Page) {
    let [to_negative, to_neutral, to_positive] =
        Polarity::ALL.map(|class| format!("to {}", page.name(class)));
    let mut table = Table::new(&[
        (&to_negative, Side::Left),
        ("weight", Side::Right),
        ("reviews", Side::Right),
        (&to_positive, Side::Left),
        ("weight", Side::Right),
        ("reviews", Side::Right),
    ]);
    let [negative, positive] = &trained.strongest;
    for at in 0..negative.len().max(positive.len()) {
        let cells = |row: Option<&WeighedTerm>| match row {
            Some(row) => [row.term.clone(), signed(row.weight.into()), number(row.reviews as usize)],
            None => [String::new(), String::new(), String::new()],
        };
        table.row(cells(negative.get(at)).into_iter().chain(cells(positive.get(at))));
    }
    table.put(page);
    if !trained.to_neutral.is_empty() {
        let mut table =
            Table::new(&[(&to_neutral, Side::Left), ("weight", Side::Right), ("reviews", Side::Right)]);
        for term in &trained.to_neutral {
            let weight = with_sign(term.neutral.unwrap_or(0.0).into(), 2);
            table.row([term.term.clone(), weight, number(term.reviews as usize)]);
        }
        table.put(page);
    }
}
