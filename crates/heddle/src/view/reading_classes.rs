//! The reading line of three classes that have weights of their own: a clause a line, what it adds to each class, and the
//! probabilities after it.

use heddle_core::explain::{ByClass, Explanation, TokenPart};
use heddle_core::labels::{ClassNames, PerClass, Polarity};
use heddle_core::measure::softmax;

use super::reading::{TELLING, clause_lines, in_manner};
use super::{DIM, Page, STRONG, columns, cut, paint, sign_of, style_of, width, with_sign};

/// Columns of what is added to a class.
const ADDED: usize = 6;
/// Columns of a probability.
const SHARE: usize = 6;
const GAP: &str = "  ";

/// Puts a reading line on a page.
pub fn reading_line(page: &mut Page, text: &str, explanation: &Explanation, sums: &ByClass) {
    let right = 3 * (ADDED + SHARE) + 2 * GAP.len();
    let room = width() - right - 2;
    let (added, shares) = (3 * ADDED, 3 * SHARE);
    let heads = format!("{:room$}{GAP}{:>added$}{GAP}{:>shares$}", "", "adds to", "then");
    page.line(paint(DIM, format!("  {heads}")));
    let signs = |wide: usize| Polarity::ALL.map(|class| format!("{:>wide$}", sign_of(class))).concat();
    page.line(paint(DIM, format!("  {:room$}{GAP}{}{GAP}{}", "", signs(ADDED), signs(SHARE))));
    let probabilities = |sums: &PerClass<f64>| {
        let shares = softmax(*sums);
        Polarity::ALL.map(|class| cell(class, format!("{:.0} %", 100.0 * shares[class]), SHARE)).concat()
    };
    let pad = |clause: &str| " ".repeat(room.saturating_sub(columns(clause)));
    let before = paint(DIM, "before the first word");
    page.line(format!(
        "  {before}{}{GAP}{:added$}{GAP}{}",
        pad(&before),
        "",
        probabilities(&sums.intercepts)
    ));
    let mut step = |clause: &str, told: Option<(PerClass<f64>, PerClass<f64>)>| {
        let told = told.map_or(String::new(), |(added, then)| {
            let added = Polarity::ALL.map(|class| cell(class, with_sign(added[class], 2), ADDED)).concat();
            format!("{}{GAP}{added}{GAP}{}", pad(clause), probabilities(&then))
        });
        page.line(format!("  {clause}{told}"));
    };
    for column in &explanation.columns {
        step(&paint(DIM, cut(&column.named(), room)), column.by_class.zip(column.running_by_class));
    }
    let strongest = explanation.clauses.iter().filter_map(|clause| clause.by_class).map(|own| most(&own).1);
    let telling = TELLING * strongest.fold(0.0, f64::max);
    let style = |token: &TokenPart| token_style(token, telling);
    for clause in &explanation.clauses {
        let (Some(added), Some(then)) = (clause.by_class, clause.running_by_class) else { continue };
        let mut lines = clause_lines(text, clause, explanation, style, room).into_iter();
        step(&lines.next().unwrap_or_default(), Some((added, then)));
        lines.for_each(|line| step(&line, None));
    }
}

/// The class that a part speaks for, and how loud.
fn most(added: &PerClass<f64>) -> (Polarity, f64) {
    let class =
        Polarity::ALL.into_iter().max_by(|a, b| added[*a].total_cmp(&added[*b])).unwrap_or(Polarity::Neutral);
    (class, added[class])
}

/// A heavy word in the colour of the class that it speaks for.
fn token_style(token: &TokenPart, telling: f64) -> Option<anstyle::Style> {
    let (class, loud) = most(&token.by_class?);
    let heavy = (loud >= telling && loud > 0.0).then(|| match class {
        Polarity::Neutral => STRONG,
        pole => style_of(pole),
    });
    in_manner(token, heavy)
}

/// How such a reading line is to be read.
pub fn legend(names: &ClassNames) -> String {
    let [negative, neutral, positive] = Polarity::ALL.map(|class| names.of(class));
    format!(
        "Each line is a clause: what it adds to the sum of each class (− {negative}, ○ {neutral}, + {positive}), and the \
         probabilities that these sums make after it. Gold words speak for {positive}, violet ones for {negative}, bold \
         ones for {neutral}; negators and what they negate are underlined, and what counts less is in italics."
    )
}

/// What stands under such a reading line: the sums, and how far the first class is ahead of the second.
pub fn verdict(page: &mut Page, explanation: &Explanation, sums: &ByClass) {
    let polarity = explanation.polarity;
    let unsure = if explanation.verdict.sure { "" } else { "? unsure, leaning to " };
    let name = paint(style_of(polarity).bold(), format!("{} {}", sign_of(polarity), page.name(polarity)));
    let chance = paint(STRONG, format!("{:.1} %", 100.0 * explanation.verdict.probability(polarity)));
    page.line(format!("  {unsure}{name}, probability {chance}"));
    let each = Polarity::ALL.map(|class| format!("{} {}", page.name(class), with_sign(sums.sums[class], 2)));
    page.note(&format!(
        "Sums: {}; {} is {:.2} ahead of {}, the log-odds between the two.",
        each.join(", "),
        page.name(sums.leader),
        sums.ahead,
        page.name(sums.runner_up)
    ));
}

fn cell(class: Polarity, text: String, wide: usize) -> String {
    let pad = " ".repeat(wide.saturating_sub(columns(&text)));
    format!("{pad}{}", paint(style_of(class), text))
}
