//! Figures with their doubt, and the baseline beside them.

use heddle_core::Choice;
use heddle_core::labels::{ClassNames, Classes, Polarity};
use heddle_core::measure::{
    ClassRule, Confusion, Cuts, Decision, Figure, Figures, SliceFigure, Unsure, sigmoid,
};
use heddle_core::resample::{Balance, PriorKind};

use heddle_work::{NaturalMix, Run};

use super::table::{Side, Table};
use super::{BAD, Page, decimals, number, paint, with_sign};

/// The names of figures, with commas between.
pub fn named(figures: &[SliceFigure]) -> String {
    figures.iter().map(|figure| figure.name()).collect::<Vec<_>>().join(", ")
}

/// How a figure is written.
#[derive(Clone, Copy)]
enum Scale {
    Percent,
    Plain,
}

/// The columns of tables that hold ways against each other.
pub const WAYS: [(&str, Side); 5] = [
    ("", Side::Left),
    ("accuracy", Side::Right),
    ("balanced", Side::Right),
    ("ROC area", Side::Right),
    ("log loss", Side::Right),
];

/// The cells of a way in these columns.
pub fn way_cells(name: &str, figures: &Figures) -> [String; 5] {
    [
        name.into(),
        share_with_interval(&figures.accuracy),
        share(&figures.balanced_accuracy),
        plain(&figures.roc_area),
        plain(&figures.log_loss),
    ]
}

/// Puts the figures of a set of predictions on a page, next to the majority baseline.
pub fn figures(page: &mut Page, ours: &Figures, baseline: &Figures) {
    let mut table = Table::new(&[
        ("", Side::Left),
        ("figure", Side::Right),
        ("95 % interval", Side::Right),
        ("baseline", Side::Right),
        ("reviews", Side::Right),
        ("", Side::Left),
    ]);
    let mut row = |name: &str, scale: Scale, figure: &Figure, base: &Figure, about: &str| {
        let cells = [
            name.into(),
            value(figure, scale),
            interval(figure, scale),
            value(base, scale),
            number(figure.n),
            about.into(),
        ];
        table.row(cells);
    };
    let [negative, positive] = page.poles();
    for (own, base) in ours.classes.iter().zip(&baseline.classes) {
        let name = page.name(own.class);
        row(
            &format!("recall of {name}"),
            Scale::Percent,
            &own.recall,
            &base.recall,
            &format!("of the {name} ones, found"),
        );
    }
    use Scale::{Percent, Plain};
    row(
        "balanced accuracy",
        Percent,
        &ours.balanced_accuracy,
        &baseline.balanced_accuracy,
        "mean of the recalls",
    );
    row("accuracy", Percent, &ours.accuracy, &baseline.accuracy, "called by their class");
    row("Matthews correlation", Plain, &ours.matthews, &baseline.matthews, "0 chance, 1 perfect");
    row("mean F1", Percent, &ours.macro_f1, &baseline.macro_f1, "over the classes alike");
    if ours.classes.len() == 3 {
        row(
            "ordinal error",
            Plain,
            &ours.ordinal_error,
            &baseline.ordinal_error,
            "classes off; less is better",
        );
    }
    row("ROC area", Plain, &ours.roc_area, &baseline.roc_area, &format!("{positive} above {negative}"));
    row(
        "average precision",
        Plain,
        &ours.average_precision,
        &baseline.average_precision,
        &format!("most {negative} first"),
    );
    row("log loss", Plain, &ours.log_loss, &baseline.log_loss, "nats; less is better");
    row("Brier score", Plain, &ours.brier, &baseline.brier, "less is better");
    for (own, base) in ours.classes.iter().zip(&baseline.classes) {
        let name = page.name(own.class);
        row(
            &format!("precision of {name}"),
            Percent,
            &own.precision,
            &base.precision,
            &format!("of those called {name}, right"),
        );
        row(&format!("F1 of {name}"), Percent, &own.f1, &base.f1, "precision with recall");
    }
    table.put(page);
    page.note("The baseline calls every review the larger class, with the class mix as probability.");
    for class in ours.never_called() {
        let name = page.name(class);
        page.line(paint(
            BAD,
            format!("  No review is called {name}, though {} are.", number(ours.confusion.of(class))),
        ));
    }
}

/// How much the reviews say, where that is less than their number tells.
pub fn effective_note(page: &mut Page, figures: &Figures, folds: bool) {
    if figures.effective == 0 || figures.effective >= figures.accuracy.n {
        return;
    }
    let why = if folds {
        "folds share training reviews, and equal or tied reviews repeat each other"
    } else {
        "equal or tied reviews repeat each other"
    };
    page.note(&format!(
        "Intervals are as wide as those of {} independent reviews that one model judges: {why}.",
        number(figures.effective)
    ));
}

/// A high ROC area beside calls that are not so good: the two are not the same thing.
pub fn order_note(page: &mut Page, figures: &Figures) {
    /// So far apart the two are worth a word.
    const APART: f64 = 0.08;
    let both = || Some((figures.roc_area.value?, figures.balanced_accuracy.value?));
    if let Some((area, balanced)) = both().filter(|(area, balanced)| area - balanced > APART) {
        page.note(&format!(
            "ROC area {area:.3} tells how well reviews are put in order, and is no share of right calls: at the cut in force the mean of the recalls is {:.1} %. Another cut ([decision]) may call them better.",
            100.0 * balanced
        ));
    }
}

/// How many reviews are unknown to their model, where no band of unsure verdicts is set.
pub fn unknown_note(page: &mut Page, figures: &Figures) {
    let Some(Unsure { called, .. }) = &figures.unsure else { return };
    let unknown = (called.n as f64 * (1.0 - called.value.unwrap_or(1.0))).round() as usize;
    let (who, them) = match unknown {
        1 => ("1 review shares".into(), "it"),
        more => (format!("{} reviews share", number(more)), "them"),
    };
    page.note(&format!(
        "{who} no term with the model: figures count the class that the mix makes likely, and `heddle score` leaves {them} unsure."
    ));
}

/// What a band of unsure verdicts promises and keeps.
pub fn unsure(page: &mut Page, figures: &Figures) {
    let Some(Unsure { called, accuracy, kept }) = &figures.unsure else { return };
    page.heading("Where it may be unsure");
    let mut table = Table::new(&[
        ("", Side::Left),
        ("figure", Side::Right),
        ("95 % interval", Side::Right),
        ("reviews", Side::Right),
    ]);
    let mut row = |name: String, figure: &Figure| {
        table.row([name, share(figure), interval(figure, Scale::Percent), number(figure.n)]);
    };
    row("called at all".into(), called);
    row("accuracy of these".into(), accuracy);
    for (own, kept) in figures.classes.iter().zip(kept) {
        row(format!("{} not called another", page.name(own.class)), kept);
    }
    table.put(page);
    page.note("decision.unsure promises that share of each class not to be called another; here it is checked on reviews that played no role in setting the band.");
}

/// Says what mix of classes the probabilities speak of, where it is not that of the file.
pub fn mix_note(page: &mut Page, balance: Balance, probabilities: PriorKind) {
    if balance == Balance::None {
        return;
    }
    page.note(if probabilities == PriorKind::Balanced {
        "Classes are balanced in training (balance.method), and probabilities speak of the mix that this \
         makes; log loss and Brier score judge them as they are."
    } else {
        "Classes are balanced in training and the intercept is corrected: reviews are called by their probability \
         in the natural mix. --set balance.probabilities=balanced calls them as if classes came equally often."
    });
}

/// Puts precision at another class mix on a page.
pub fn natural_mix(page: &mut Page, restated: &NaturalMix) {
    page.heading(&format!(
        "At the natural mix, {:.1} % {}",
        100.0 * restated.negative,
        page.name(Polarity::Negative)
    ));
    let mut table = Table::new(&[("", Side::Left), ("figure", Side::Right), ("95 % interval", Side::Right)]);
    for (class, precision) in Polarity::POLES.iter().zip(&restated.precision) {
        let name = format!("precision of {}", page.name(*class));
        table.row([name, value(precision, Scale::Percent), interval(precision, Scale::Percent)]);
    }
    table.put(page);
    page.note("The reviews above have another mix than those that will be met; recalls carry over, precision does not.");
}

/// Puts the table of true against called classes on a page.
pub fn confusion(page: &mut Page, figures: &Figures) {
    page.heading("Reviews by true and called class");
    let Confusion { classes, counts } = &figures.confusion;
    let called: Vec<String> = classes.iter().map(|class| format!("called {}", page.name(*class))).collect();
    let header = [("", Side::Left)].into_iter().chain(called.iter().map(|name| (name.as_str(), Side::Right)));
    let mut table = Table::new(&header.collect::<Vec<_>>());
    for (truth, counts) in classes.iter().zip(counts) {
        let cells = counts.iter().map(|count| number(*count));
        table.row([format!("truly {}", page.class(*truth))].into_iter().chain(cells));
    }
    table.put(page);
}

/// Where verdicts change, in words: bands of the probability of positive, from 0 to 1.
pub fn verdicts(decision: &Decision, classes: Classes, names: &ClassNames) -> String {
    let [below, above] = Polarity::POLES.map(|class| names.of(class));
    let between = names.of(Polarity::Neutral);
    let at = |log_odds: f64| format!("{:.1} %", 100.0 * sigmoid(log_odds));
    let Cuts { negative, positive, unsure } = match decision {
        Decision::OnAxis(cuts) => *cuts,
        Decision::ByClass(rule) => return class_verdicts(rule, names),
    };
    if classes == Classes::Three && negative == positive {
        return format!(
            "{below} or {above}; {between} is never the most probable here. balance.method=weights with \
             balance.probabilities=balanced calls classes as if they came equally often"
        );
    }
    if negative < positive {
        return format!(
            "{below} below log-odds {negative:.2}, {between} up to {positive:.2}, {above} from there on"
        );
    }
    match unsure {
        None if negative == 0.0 => "the more probable class".into(),
        None => format!("{above} from a probability of {} on, {below} below", at(positive)),
        Some([low, high]) => format!(
            "{below} below a probability of {above} of {}, unsure up to {}, {above} from there on",
            at(low),
            at(high)
        ),
    }
}

/// How three classes are called, in words.
fn class_verdicts(rule: &ClassRule, names: &ClassNames) -> String {
    let negative = names.of(Polarity::Negative);
    let at = |log_odds: f64| format!("{:.1} %", 100.0 * sigmoid(log_odds));
    let called = match rule.negative_from {
        Some(from) => {
            format!("{negative} from a probability of {} on, else the more probable of the others", at(from))
        }
        None if rule.costs == [1.0; 2] => "the most probable class".into(),
        None => format!(
            "the class whose mistakes cost least to expect: {} to miss a {negative} review, {} for a false alarm, \
             1 between the others",
            rule.costs[0], rule.costs[1]
        ),
    };
    match rule.possible_from {
        None => called,
        Some(from) => {
            let each = Polarity::ALL.map(|class| format!("{} {}", names.of(class), at(from[class])));
            format!("{called}; unsure where more than one class is as probable as this: {}", each.join(", "))
        }
    }
}

/// A share as "91.2 %", or "–" where it is undefined.
pub fn share(figure: &Figure) -> String {
    value(figure, Scale::Percent)
}

/// A share with its interval: "91.2 % (90.1 – 92.3)".
pub fn share_with_interval(figure: &Figure) -> String {
    format!("{} ({})", share(figure), interval(figure, Scale::Percent))
}

/// A share with half its interval: "91.2 ± 1.1 %".
pub fn share_with_half(figure: &Figure) -> String {
    match (figure.value, figure.low, figure.high) {
        (Some(value), Some(low), Some(high)) => {
            format!("{:.1} ± {:.1} %", 100.0 * value, 50.0 * (high - low))
        }
        _ => share(figure),
    }
}

/// A figure with its interval: "0.912 (0.901 – 0.923)".
pub fn plain_with_interval(figure: &Figure) -> String {
    format!("{} ({})", plain(figure), interval(figure, Scale::Plain))
}

/// A figure between 0 and 1 as "0.912".
pub fn plain(figure: &Figure) -> String {
    value(figure, Scale::Plain)
}

/// A difference of shares in points: "+1.2 points (0.8 – 1.6)".
pub fn points(figure: &Figure) -> String {
    points_under(figure, " points")
}

/// The same under a head that says what they are: "+1.2 (0.8 – 1.6)".
pub fn in_points(figure: &Figure) -> String {
    points_under(figure, "")
}

fn points_under(figure: &Figure, unit: &str) -> String {
    of_difference(figure, unit, |value| with_sign(100.0 * value, 1))
}

/// A difference of figures that are no shares, such as a log loss: "+0.0047 (−0.0150 to +0.0244)".
pub fn plain_difference(figure: &Figure) -> String {
    of_difference(figure, "", |value| with_sign(value, 4))
}

fn of_difference(figure: &Figure, unit: &str, number: impl Fn(f64) -> String) -> String {
    let number = |value: Option<f64>| value.map_or("–".into(), &number);
    format!("{}{unit} ({} to {})", number(figure.value), number(figure.low), number(figure.high))
}

/// A run of tuning in one line, as it comes.
pub fn run_in_a_line(run: &Run) -> String {
    let figures = &run.result.figures;
    let part = if run.share < 1.0 {
        format!(" on {:.1} % of the reviews", 100.0 * run.share)
    } else {
        String::new()
    };
    format!(
        "{}{part}: accuracy {}, log loss {}, {:.1} s",
        run.name,
        share(&figures.accuracy),
        plain(&figures.log_loss),
        run.seconds
    )
}

fn value(figure: &Figure, scale: Scale) -> String {
    match (figure.value, scale) {
        (None, _) => "–".into(),
        (Some(value), Scale::Percent) => format!("{:.1} %", 100.0 * value),
        (Some(value), Scale::Plain) => decimals(value, 3),
    }
}

fn interval(figure: &Figure, scale: Scale) -> String {
    match (figure.low, figure.high, scale) {
        (Some(low), Some(high), Scale::Percent) => format!("{:.1} – {:.1}", 100.0 * low, 100.0 * high),
        (Some(low), Some(high), Scale::Plain) => format!("{} – {}", decimals(low, 3), decimals(high, 3)),
        _ => "–".into(),
    }
}
