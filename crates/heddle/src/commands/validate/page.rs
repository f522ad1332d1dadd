//! What cross-validation found, as a page.

use heddle_core::{Audit, Choice, Figure, Finding, Fold, Growth, Order, Slice};

use super::{Beside, Validated};
use crate::desk::{Answer, Desk};
use crate::view::figures::{
    confusion, figures, mix_note, order_note, plain, share, share_with_half, share_with_interval, unsure,
};
use crate::view::table::{Side, Table};
use crate::view::{BAD, Page, count, cut, number, paint, sign_of};

/// Rounds whose folds are shown one by one.
const FOLDS_SHOWN: usize = 20;

impl Answer for Validated {
    fn show(&self, page: &mut Page) {
        let validation = &self.validation;
        let rounds = match validation.rounds.len() {
            1 => String::new(),
            rounds => format!(", dealt {rounds} times anew"),
        };
        let folds = validation.folds.len() / validation.rounds.len();
        page.heading(&format!(
            "{folds} folds over {}{rounds}, everything refitted in each",
            count(self.account.labelled(), "review")
        ));
        figures(page, &validation.figures, &validation.baseline);
        let judged = if self.order == Order::Rolling.name() {
            "Every judged review is later than all that its model has seen; the first ones only teach."
        } else {
            "Every review was called by a model that had not seen it, nor one of equal text."
        };
        page.note(&format!("{judged} Rule: {}.", self.rule));
        order_note(page, &validation.figures);
        mix_note(page, self.balance, self.probabilities);
        if let Some(restated) = &self.restated {
            restated.show(page);
        }
        if let Some(beside) = &self.beside {
            beside.show_rivals(page, self);
            unsure(page, &validation.figures);
        }
        confusion(page, &validation.figures);
        if let Some(beside) = &self.beside {
            beside.show(page);
        }
        self.show_rounds(page);
        show_folds(page, &validation.folds);
        if let Some(path) = &self.written {
            page.heading(&format!("Written: {path}, the out-of-fold probabilities"));
        }
        if let Some(path) = &self.picture {
            page.heading(&format!("Drawn: {path}"));
        }
    }
}

impl Validated {
    /// How far one lucky or unlucky deal may lead.
    fn show_rounds(&self, page: &mut Page) {
        let rounds = &self.validation.rounds;
        if rounds.len() < 2 {
            return;
        }
        page.heading("Round by round: the same reviews, dealt anew");
        let mut table = Table::new(&[
            ("", Side::Left),
            ("mean", Side::Right),
            ("least", Side::Right),
            ("most", Side::Right),
        ]);
        let mut row =
            |name: &str, pick: fn(&heddle_core::Figures) -> Figure, written: fn(&Figure) -> String| {
                let values: Vec<f64> = rounds.iter().filter_map(|round| pick(round).value).collect();
                let end = |value: f64| written(&Figure { value: Some(value), low: None, high: None, n: 0 });
                let least = values.iter().copied().fold(f64::INFINITY, f64::min);
                let most = values.iter().copied().fold(f64::NEG_INFINITY, f64::max);
                table.row([name.into(), written(&pick(&self.validation.figures)), end(least), end(most)]);
            };
        row("accuracy", |round| round.accuracy, share);
        row("balanced accuracy", |round| round.balanced_accuracy, share);
        row("ROC area", |round| round.roc_area, plain);
        row("log loss", |round| round.log_loss, plain);
        table.put(page);
        page.note("The spread shows what the deal alone does; the intervals above are those of the reviews.");
    }
}

impl Beside {
    /// Says what must not be passed over.
    pub fn warn(&self, desk: &Desk) {
        let differing = self.slices.iter().filter(|slice| slice.differs);
        let told: Vec<String> = differing
            .map(|slice| format!("{} {} ({})", slice.aspect, slice.level, share(&slice.accuracy)))
            .collect();
        if !told.is_empty() {
            desk.remark(&format!(
                "warning: accuracy differs from that of the other reviews by more than noise where {}",
                told.join("; ")
            ));
        }
        if self.audit.too_good {
            let behind = if self.audit.findings.is_empty() {
                "nothing was found that explains it"
            } else {
                "see what may be behind it"
            };
            desk.remark(&format!("warning: this is nearly perfect, which reviews rarely allow; {behind}"));
        }
    }

    /// The simpler ways, beside ours.
    fn show_rivals(&self, page: &mut Page, ours: &Validated) {
        page.heading("What it must beat, on the same reviews");
        let mut table = Table::new(&[
            ("", Side::Left),
            ("accuracy", Side::Right),
            ("balanced", Side::Right),
            ("ROC area", Side::Right),
            ("log loss", Side::Right),
            ("", Side::Left),
        ]);
        let mut row = |name: &str, figures: &heddle_core::Figures, about: &str| {
            table.row([
                name.to_string(),
                share_with_interval(&figures.accuracy),
                share(&figures.balanced_accuracy),
                plain(&figures.roc_area),
                plain(&figures.log_loss),
                about.into(),
            ]);
        };
        row("this study", &ours.validation.figures, "");
        for rival in self.rivals.iter().rev() {
            row(rival.name, &rival.figures, &rival.about);
        }
        row("majority", &ours.validation.baseline, "the larger class for all");
        table.put(page);
    }

    fn show(&self, page: &mut Page) {
        self.show_reliability(page);
        show_slices(page, &self.slices);
        if let Some(growth) = &self.growth {
            show_growth(page, growth);
        }
        show_audit(page, &self.audit);
    }

    fn show_reliability(&self, page: &mut Page) {
        page.heading("Can its probabilities be believed?");
        let mut table = Table::new(&[
            ("said positive", Side::Right),
            ("seen", Side::Right),
            ("reviews", Side::Right),
            ("", Side::Left),
        ]);
        for bin in &self.reliability {
            let remark = match bin.off {
                false => String::new(),
                true if bin.seen.value < Some(bin.said) => "← too high".into(),
                true => "← too low".into(),
            };
            let cells = [
                format!("{:.1} %", 100.0 * bin.said),
                share_with_interval(&bin.seen),
                number(bin.seen.n),
                remark,
            ];
            table.row(cells);
        }
        table.put(page);
        let off = self.reliability.iter().filter(|bin| bin.off).count();
        page.note(&match off {
            0 => "Ten groups of reviews by their probability: all lie within the interval of what was seen.".into(),
            off => format!(
                "Ten groups of reviews by their probability: {off} outside the interval of what was seen, where chance leaves one in twenty. --set model.calibration=isotonic or scale may mend it."
            ),
        });
    }
}

fn show_slices(page: &mut Page, slices: &[Slice]) {
    if slices.is_empty() {
        return;
    }
    page.heading("Slice by slice");
    let mut table = Table::new(&[
        ("", Side::Left),
        ("reviews", Side::Right),
        ("accuracy", Side::Right),
        ("negative found", Side::Right),
        ("", Side::Left),
    ]);
    for slice in slices {
        table.row([
            cut(&format!("{}: {}", slice.aspect, slice.level), 30),
            number(slice.accuracy.n),
            share_with_half(&slice.accuracy),
            share(&slice.recall_negative),
            if slice.differs { "← differs".into() } else { String::new() },
        ]);
    }
    table.put(page);
    page.note("“Differs”: accuracy is not that of all other reviews, by more than noise, as many slices being looked at as there are. Slices of fewer than 30 reviews are not shown.");
}

fn show_growth(page: &mut Page, growth: &Growth) {
    page.heading("What more reviews would bring");
    let mut table = Table::new(&[
        ("learnt from", Side::Right),
        ("share", Side::Right),
        ("accuracy", Side::Right),
        ("log loss", Side::Right),
    ]);
    for point in &growth.points {
        table.row([
            number(point.reviews),
            format!("{:.1} %", 100.0 * point.share),
            share_with_interval(&point.accuracy),
            plain(&point.log_loss),
        ]);
    }
    table.put(page);
    page.note(&format!(
        "The last doubling brought {} of accuracy; the next may bring {}, if gains go on shrinking as they did.",
        points(&growth.last_doubling),
        points(&growth.next_doubling)
    ));
}

/// A difference of shares in points: "+1.2 points (0.8 – 1.6)".
pub fn points(figure: &Figure) -> String {
    let number = |value: Option<f64>| value.map_or("–".into(), |value| format!("{:+.1}", 100.0 * value));
    format!("{} points ({} to {})", number(figure.value), number(figure.low), number(figure.high))
}

fn show_audit(page: &mut Page, audit: &Audit) {
    if !audit.too_good && audit.findings.is_empty() {
        return;
    }
    page.heading(if audit.too_good { "Too good to be true?" } else { "To be looked at twice" });
    if audit.too_good {
        page.line(paint(BAD, "  These figures are nearly perfect, which reviews rarely allow."));
    }
    for finding in &audit.findings {
        page.item("·", &words(finding));
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

fn words(finding: &Finding) -> String {
    match finding {
        Finding::DominantTerm { term, class, alone, reviews } => format!(
            "“{term}” alone calls classes with a balanced accuracy of {:.1} % ({} {}, in {}): does it stand for the label?",
            100.0 * alone,
            sign_of(*class),
            class.name(),
            count(*reviews, "review")
        ),
        Finding::Markers { terms, reviews } => format!(
            "{} of the reviews hold a term that one class alone uses, such as {}: do the classes come from different sources?",
            share_with_interval(reviews),
            terms.iter().map(|term| format!("“{term}”")).collect::<Vec<_>>().join(", ")
        ),
        Finding::Beside { balanced_accuracy } => format!(
            "the columns beside the text tell the class with a balanced accuracy of {}: the text may only repeat them",
            share_with_interval(balanced_accuracy)
        ),
    }
}

fn show_folds(page: &mut Page, folds: &[Fold]) {
    page.heading("Fold by fold");
    let mut table = Table::new(&[
        ("fold", Side::Right),
        ("learnt", Side::Right),
        ("held out", Side::Right),
        ("terms", Side::Right),
        ("lambda", Side::Right),
        ("accuracy", Side::Right),
        ("ROC area", Side::Right),
        ("own", Side::Right),
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
        "Folds share most of their training reviews, so their spread is no interval. Own: accuracy on the reviews learnt from, for information; it is no ground to choose by.{more}"
    ));
}
