//! What cross-validation found, as a page.

use heddle_core::Choice;
use heddle_core::labels::Polarity;
use heddle_core::measure::{Figure, Figures, Gain, SliceFigure};
use heddle_core::settings::Order;
use heddle_core::validate::{Audit, Finding, Fold, LearningCurve, Slice};
use heddle_work::{Beside, Source, SourceFound, Validated, WithoutRepeats};

use crate::view::figures::{
    WAYS, confusion, effective_note, figures, mix_note, natural_mix, order_note, plain, plain_difference,
    plain_with_interval, points, share, share_with_half, share_with_interval, unknown_note, unsure,
    way_cells,
};
use crate::view::short::{in_short, next_steps};
use crate::view::table::{Side, Table};
use crate::view::{BAD, Page, count, number, paint, sign_of, with_sign};

/// Rounds whose folds are shown one by one.
const FOLDS_SHOWN: usize = 20;

/// Puts a validation on a page.
pub fn show(validated: &Validated, page: &mut Page) {
    page.call(&validated.account.names);
    let validation = &validated.validation;
    let rounds = match validation.rounds.len() {
        1 => String::new(),
        rounds => format!(", {rounds} repetitions"),
    };
    let folds = validation.folds.len() / validation.rounds.len();
    page.heading(&format!(
        "{folds} folds over {}{rounds}, everything refitted in each",
        count(validated.account.labelled(), "review")
    ));
    figures(page, &validation.figures, &validation.baseline);
    let judged = if validated.order == Order::Rolling {
        "Every judged review is later than all that its model has seen; the first ones only teach."
    } else {
        "Every review was called by a model that had not seen it, nor one of equal text."
    };
    page.note(&format!("{judged} Rule: {}.", validated.rule));
    effective_note(page, &validation.figures, true);
    if let Some(without) = validated.beside.as_ref().and_then(|beside| beside.without_repeats.as_ref()) {
        repeats_note(page, without);
    }
    if !validated.unsure_promised {
        unknown_note(page, &validation.figures);
    }
    order_note(page, &validation.figures);
    mix_note(page, validated.balance, validated.probabilities);
    if let Some(restated) = &validated.restated {
        natural_mix(page, restated);
    }
    if let Some(beside) = &validated.beside {
        show_baselines(beside, page, validated);
        if validated.unsure_promised {
            unsure(page, &validation.figures);
        }
    }
    confusion(page, &validation.figures);
    if let Some(beside) = &validated.beside {
        show_beside(beside, validated.slices_from, page);
    }
    show_rounds(validated, page);
    show_folds(page, &validation.folds);
    if let Some(path) = &validated.written {
        page.written(path, ", the out-of-fold probabilities");
    }
    for path in validated.picture.iter().chain(&validated.overview) {
        page.heading(&format!("Drawn: {path}"));
    }
    if let Some(beside) = &validated.beside {
        in_short(page, &beside.judgement.sentence);
        next_steps(page, &beside.judgement.next);
    }
}

/// How much the choice of folds alone does.
fn show_rounds(validated: &Validated, page: &mut Page) {
    let rounds = &validated.validation.rounds;
    if rounds.len() < 2 {
        return;
    }
    page.heading("By repetition: the same reviews, other folds");
    let mut table =
        Table::new(&[("", Side::Left), ("mean", Side::Right), ("least", Side::Right), ("most", Side::Right)]);
    let mut row =
        |name: &str, pick: fn(&heddle_core::measure::Figures) -> Figure, written: fn(&Figure) -> String| {
            let values: Vec<f64> = rounds.iter().filter_map(|round| pick(round).value).collect();
            let end = |value: f64| written(&Figure { value: Some(value), low: None, high: None, n: 0 });
            let least = values.iter().copied().fold(f64::INFINITY, f64::min);
            let most = values.iter().copied().fold(f64::NEG_INFINITY, f64::max);
            table.row([name.into(), written(&pick(&validated.validation.figures)), end(least), end(most)]);
        };
    row("accuracy", |round| round.accuracy, share);
    row("balanced accuracy", |round| round.balanced_accuracy, share);
    row("ROC area", |round| round.roc_area, plain);
    row("log loss", |round| round.log_loss, plain);
    table.put(page);
    page.note(
        "The spread is what the choice of folds alone does; the intervals above are those of the reviews.",
    );
}

/// The figures where every text counts once.
fn repeats_note(page: &mut Page, without: &WithoutRepeats) {
    let Figures { accuracy, balanced_accuracy, log_loss, .. } = &without.figures;
    let who = match without.repeated {
        1 => "1 review reads as an earlier one does".to_string(),
        more => format!("{} reviews read as an earlier one does", number(more)),
    };
    page.note(&format!(
        "{who}. Each text once ({}): accuracy {}, balanced {}, log loss {}.",
        count(accuracy.n, "review"),
        share_with_interval(accuracy),
        share(balanced_accuracy),
        plain_with_interval(log_loss)
    ));
}

/// The simpler ways, beside ours.
fn show_baselines(beside: &Beside, page: &mut Page, ours: &Validated) {
    page.heading("Baselines, on the same reviews");
    let columns: Vec<(&str, Side)> = WAYS.into_iter().chain([("", Side::Left)]).collect();
    let mut table = Table::new(&columns);
    let mut row = |name: &str, figures: &Figures, about: &str| {
        table.row(way_cells(name, figures).into_iter().chain([about.to_string()]));
    };
    row("this study", &ours.validation.figures, "");
    for baseline in beside.baselines.iter().rev() {
        row(baseline.kind.name(), &baseline.figures, &baseline.about);
    }
    row("majority", &ours.validation.baseline, "the larger class for all");
    table.put(page);
    show_sources(&beside.sources, ours, page);
    if let Some(without) = &beside.without_copies {
        show_copies(without, ours, page);
    }
}

/// The text and the columns beside it, each alone and together.
fn show_sources(sources: &[SourceFound], both: &Validated, page: &mut Page) {
    if sources.is_empty() {
        return;
    }
    page.heading("The text and the columns beside it");
    put_sources(sources, both, "both", page);
    let text = sources.iter().find(|own| own.source == Source::TextAlone);
    page.note(match text.map(|own| &own.gain.log_loss) {
        Some(loss) if loss.high < Some(0.0) => {
            "The columns tell something beyond the text: log loss falls by more than noise. `heddle effects` tells what."
        }
        Some(loss) if loss.low > Some(0.0) => {
            "The columns do harm: log loss rises by more than noise. Leave them out of features.columns."
        }
        _ => "The columns add nothing to the text beyond noise: without them the model is simpler.",
    });
}

/// Whether copies of reviews teach something.
fn show_copies(without: &SourceFound, with: &Validated, page: &mut Page) {
    page.heading("The copies of reviews, which teach and are not judged");
    put_sources(std::slice::from_ref(without), with, "with copies", page);
    let loss = &without.gain.log_loss;
    page.note(if loss.high < Some(0.0) {
        "The copies teach something: log loss falls by more than noise."
    } else if loss.low > Some(0.0) {
        "The copies do harm: log loss rises by more than noise. Set model.copies = 0, or a smaller weight."
    } else {
        "The copies add nothing beyond noise: without them training is quicker (model.copies = 0)."
    });
}

/// One line for each source, and one for all together.
fn put_sources(sources: &[SourceFound], all: &Validated, name: &str, page: &mut Page) {
    let (right, loss) = (format!("{name}: more right"), format!("{name}: log loss"));
    let mut table = Table::new(&[
        ("", Side::Left),
        ("accuracy", Side::Right),
        ("log loss", Side::Right),
        (&right, Side::Right),
        (&loss, Side::Right),
    ]);
    for SourceFound { source, figures, gain } in sources {
        table.row([
            source.words().into(),
            share(&figures.accuracy),
            plain(&figures.log_loss),
            points(&gain.accuracy),
            plain_difference(&gain.log_loss),
        ]);
    }
    let figures = &all.validation.figures;
    table.row([
        name.into(),
        share(&figures.accuracy),
        plain(&figures.log_loss),
        String::new(),
        String::new(),
    ]);
    table.put(page);
}

fn show_beside(beside: &Beside, floor: usize, page: &mut Page) {
    show_gains(page, &beside.gains);
    show_reliability(beside, page);
    show_slices(page, &beside.slices, floor);
    if let Some(learning_curve) = &beside.learning_curve {
        show_growth(page, learning_curve);
    }
    show_audit(page, &beside.audit);
}

fn show_reliability(beside: &Beside, page: &mut Page) {
    page.heading(&format!(
        "Calibration: predicted and observed probability of {}",
        page.name(Polarity::Positive)
    ));
    let mut table = Table::new(&[
        ("predicted", Side::Right),
        ("observed", Side::Right),
        ("reviews", Side::Right),
        ("", Side::Left),
    ]);
    for bin in &beside.calibration {
        let remark = match bin.off {
            false => String::new(),
            true if bin.observed.value < Some(bin.predicted) => "← too high".into(),
            true => "← too low".into(),
        };
        let cells = [
            format!("{:.1} %", 100.0 * bin.predicted),
            share_with_interval(&bin.observed),
            number(bin.observed.n),
            remark,
        ];
        table.row(cells);
    }
    table.put(page);
    let off = beside.calibration.iter().filter(|bin| bin.off).count();
    let trust = &beside.trust;
    let mut whole = Table::new(&[("", Side::Left), ("figure", Side::Right), ("", Side::Left)]);
    let timid = "1 where right; above, too timid";
    whole.row(["slope".into(), plain_with_interval(&trust.slope), timid.into()]);
    whole.row([
        "intercept".into(),
        plain_with_interval(&trust.intercept),
        "nats to add; 0 where right".into(),
    ]);
    whole.row(["mean error".into(), share_with_interval(&trust.error), "predicted from observed".into()]);
    whole.put(page);
    if let Some(p) = trust.p {
        page.note(&format!(
            "All groups together: predictions as far off come by chance with p = {p:.3}{}.",
            if p < 0.05 { ", which chance does not explain" } else { ", which chance explains" }
        ));
    }
    let by_chance = trust.p.is_none_or(|p| p >= 0.05);
    page.note(&format!(
        "Ten groups of reviews by their probability: {}{}",
        match off {
            0 => "every prediction lies within the interval of what was observed.".to_string(),
            off => format!("{off} predicted outside the interval of what was observed."),
        },
        if by_chance { "" } else { " --set model.calibration=isotonic or scale may mend it." }
    ));
}

fn show_slices(page: &mut Page, slices: &[Slice], floor: usize) {
    if slices.is_empty() {
        return;
    }
    page.heading("Figures by slice");
    let [negative, positive] = page.poles();
    let header = ["", "reviews", &negative, "larger", "accuracy", "found", "alarms", "right", "off"];
    let side = |at: usize| if at == 0 { Side::Left } else { Side::Right };
    let header: Vec<(&str, Side)> = header.iter().enumerate().map(|(at, name)| (*name, side(at))).collect();
    let mut table = Table::new(&header);
    for slice in slices {
        let off = slice.calibration.value.map_or("–".into(), |value| with_sign(100.0 * value, 1));
        let marked = |figure: SliceFigure, cell: String| match slice.differs.contains(&figure) {
            true => format!("→{cell}"),
            false => cell,
        };
        table.row([
            format!("{}: {}", slice.aspect, slice.level),
            number(slice.accuracy.n),
            share(&slice.negative),
            share(&slice.majority),
            marked(SliceFigure::Accuracy, share_with_half(&slice.accuracy)),
            marked(SliceFigure::Recall, share(&slice.recall_negative)),
            marked(SliceFigure::FalseAlarms, share(&slice.false_alarms)),
            marked(SliceFigure::Precision, share(&slice.precision_negative)),
            marked(SliceFigure::Calibration, off),
        ]);
    }
    table.put(page);
    page.note(&format!(
        "The column {negative} is their share; larger: accuracy of calling all the class that is larger there; found: of {negative} \
         reviews; alarms: {positive} ones called {negative}; right: of those called {negative}; off: observed less predicted \
         share of {positive}, in points. → marks what is not as in all other reviews, by more than noise, as many figures \
         being looked at as there are. Slices of fewer than {} reviews are not shown (validation.slices_from).",
        floor
    ));
}

fn show_gains(page: &mut Page, gains: &[Gain]) {
    if gains.is_empty() {
        return;
    }
    let negative = page.name(Polarity::Negative);
    let of_these = format!("of these {negative}");
    let of_all = format!("of the {negative}, found");
    page.heading(&format!("Reading the most {negative} first"));
    let mut table = Table::new(&[
        ("read", Side::Right),
        ("share", Side::Right),
        (&of_these, Side::Right),
        (&of_all, Side::Right),
    ]);
    for gain in gains {
        table.row([
            number(gain.read),
            format!("{:.1} %", 100.0 * gain.share),
            share_with_interval(&gain.precision),
            share_with_interval(&gain.recall),
        ]);
    }
    table.put(page);
}

fn show_growth(page: &mut Page, learning_curve: &LearningCurve) {
    page.heading("Learning curve");
    let mut table = Table::new(&[
        ("learnt from", Side::Right),
        ("share", Side::Right),
        ("accuracy", Side::Right),
        ("log loss", Side::Right),
    ]);
    for point in &learning_curve.points {
        table.row([
            number(point.reviews),
            format!("{:.1} %", 100.0 * point.share),
            share_with_interval(&point.accuracy),
            plain(&point.log_loss),
        ]);
    }
    table.put(page);
    page.note(&format!(
        "The last doubling brought {} of accuracy; the next may bring {}, if errors go on falling with the reviews as they did.",
        points(&learning_curve.last_doubling),
        points(&learning_curve.next_doubling)
    ));
}

fn show_audit(page: &mut Page, audit: &Audit) {
    if !audit.too_good && audit.findings.is_empty() {
        return;
    }
    page.heading(if audit.too_good { "Too good to be true?" } else { "To be checked" });
    if audit.too_good {
        page.line(paint(BAD, "  These figures are nearly perfect, which reviews rarely allow."));
    }
    for finding in &audit.findings {
        page.item("·", &words(finding, page));
    }
    if audit.too_good && audit.findings.is_empty() {
        page.note(
            "No dominant term, no marks of one class: look at the reviews, and where the labels come from.",
        );
    }
    if audit.too_good {
        page.note("Reviews of equal or like text, and those that share a value of reviews.together, never stood on both sides.");
    }
}

fn words(finding: &Finding, page: &Page) -> String {
    match finding {
        Finding::DominantTerm { term, class, alone, reviews } => format!(
            "“{term}” alone calls classes with a balanced accuracy of {:.1} % ({} {}, in {}): does it stand for the label?",
            100.0 * alone,
            sign_of(*class),
            page.name(*class),
            count(*reviews, "review")
        ),
        Finding::Markers { terms, reviews } => format!(
            "{} of the reviews hold a term that one class alone uses, such as {}: do the classes come from different sources?",
            share_with_interval(reviews),
            terms.iter().map(|term| format!("“{term}”")).collect::<Vec<_>>().join(", ")
        ),
        Finding::Column { column, share } => format!(
            "column `{column}` alone makes {:.0} % of what the model gains over the class mix in log loss: does it hold the label, or come after it?",
            100.0 * share
        ),
        Finding::Beside { balanced_accuracy } => format!(
            "the columns beside the text tell the class with a balanced accuracy of {}: the text may only repeat them",
            share_with_interval(balanced_accuracy)
        ),
    }
}

fn show_folds(page: &mut Page, folds: &[Fold]) {
    page.heading("By fold");
    let mut table = Table::new(&[
        ("fold", Side::Right),
        ("learnt", Side::Right),
        ("held out", Side::Right),
        ("terms", Side::Right),
        ("lambda", Side::Right),
        ("accuracy", Side::Right),
        ("ROC area", Side::Right),
        ("train", Side::Right),
    ]);
    let per_round = folds.iter().filter(|fold| fold.round == 0).count();
    for (at, fold) in folds.iter().enumerate().take(FOLDS_SHOWN) {
        table.row([
            (at % per_round + 1).to_string(),
            number(fold.training.iter().sum()),
            number(fold.held_out.iter().sum()),
            number(fold.pulling),
            fold.strength.map_or("–".into(), |strength| format!("{strength:.1e}")),
            share(&fold.accuracy),
            plain(&fold.roc_area),
            share(&fold.training_accuracy),
        ]);
    }
    table.put(page);
    let more = match folds.len().saturating_sub(FOLDS_SHOWN) {
        0 => String::new(),
        more => format!(" {} more are in --json.", count(more, "fold")),
    };
    page.note(&format!(
        "Folds share most of their training reviews, so their spread is no interval. Train: accuracy on the training rows, for information; it is no ground to choose by.{more}"
    ));
}
