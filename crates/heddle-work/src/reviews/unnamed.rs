//! What to do about values of a rating that the rule does not name.

use heddle_core::labels::{Rule, Scale, Sense, read_rating};
use heddle_core::settings::Study;

use crate::words::{count, listed};

/// A value of the rating with its rows.
pub type ValueCount<'a> = (&'a str, usize);

/// So many values without a number are shown.
const SHOWN: usize = 6;

/// The scale that the values are of, where the analyst has not set a rule.
pub fn scale_of<'a>(values: impl IntoIterator<Item = ValueCount<'a>>, study: &Study) -> Option<Scale> {
    if study.polarity.is_usual() { Scale::of(values) } else { None }
}

/// What only the analyst can say of a value that the rule does not name.
pub fn question(value: &str, rows: usize) -> String {
    let rows = count(rows, "row");
    match (read_rating(value).map(|rating| rating.number), Sense::of(value)) {
        (Some(0.0), _) => format!(
            "Does a rating of {value} ({rows}) mean \"none given\" or \"worst\"? (polarity.missing or polarity.negative)"
        ),
        (None, Some(Sense::Missing)) => {
            format!("Does `{value}` ({rows}) say that no rating was given? (polarity.missing)")
        }
        _ => format!(
            "What does a rating of `{value}` ({rows}) mean? (polarity.negative, .between, .positive or .missing)"
        ),
    }
}

/// The settings that make a rule explicit, as they are typed.
pub fn rule_as_settings(rule: &Rule) -> Vec<String> {
    let usual = Rule::default();
    let lists = [
        ("negative", &rule.negative, &usual.negative),
        ("positive", &rule.positive, &usual.positive),
        ("between", &rule.between, &usual.between),
    ];
    let changed = lists.into_iter().filter(|(_, own, usual)| own != usual);
    changed.map(|(name, values, _)| format!("polarity.{name}={values}")).collect()
}

/// The error for values that the rule does not name: which there are, and what can be set.
/// `unnamed` stands in falling order of rows, `all` holds every value.
pub fn told(unnamed: &[ValueCount<'_>], all: &[ValueCount<'_>], first: &str, study: &Study) -> String {
    let shown = unnamed.iter().take(SHOWN);
    let values: Vec<String> =
        shown.map(|(value, rows)| format!("`{value}` in {}", count(*rows, "row"))).collect();
    let more = match unnamed.len().saturating_sub(SHOWN) {
        0 => String::new(),
        more => format!(" and {more} more"),
    };
    format!(
        "column `{}` holds values that the rule ({}) does not name: {}{more} (first: {first}). {}",
        study.reviews.rated(),
        study.polarity,
        values.join(", "),
        remedy(unnamed, all, study)
    )
}

fn remedy(unnamed: &[ValueCount<'_>], all: &[ValueCount<'_>], study: &Study) -> String {
    let typed = |rule: &Rule| crate::words::as_sets(&rule_as_settings(rule));
    let other = |(value, _): &ValueCount<'_>| {
        let out_of = read_rating(value).and_then(|rating| rating.out_of);
        out_of.filter(|most| Some(*most) != study.polarity.highest())
    };
    match scale_of(all.iter().copied(), study) {
        Some(scale) if scale.rule != study.polarity => {
            let (sure, typed) = (scale.question.is_none(), typed(&scale.rule));
            return match sure {
                true => format!("Name them: {typed}"),
                false => format!(
                    "They look like {}, where only you can say what counts as negative and positive: {typed}, or other \
                     values",
                    scale.name
                ),
            };
        }
        _ => {}
    }
    if let (Some(most), Some(highest)) = (unnamed.iter().find_map(other), study.polarity.highest()) {
        return format!(
            "A rating out of {most} does not fit a rule whose numbers end at {highest}: set polarity.negative and \
             polarity.positive for one scale, and bring other ratings to it first"
        );
    }
    let labels: Vec<&str> =
        all.iter().map(|(value, _)| *value).filter(|value| read_rating(value).is_none()).collect();
    if labels.len() > 3 && unnamed.len() > 3 && labels.len() == all.len() {
        let rest: Vec<&str> = unnamed[1..].iter().map(|(value, _)| *value).collect();
        return format!(
            "Two classes are learnt, or three. Of more labels, hold one against the others, a model for each: \
             --set polarity.negative=\"{}\" --set polarity.positive=\"{}\"",
            unnamed[0].0,
            listed(&rest, SHOWN)
        );
    }
    let silent = |value: &str| {
        read_rating(value).is_some_and(|rating| rating.number == 0.0)
            || Sense::of(value) == Some(Sense::Missing)
    };
    let silent: Vec<&str> = unnamed.iter().map(|(value, _)| *value).filter(|value| silent(value)).collect();
    if silent.is_empty() {
        return "Say what each means: polarity.negative, polarity.between and polarity.positive give a value its place; \
                polarity.missing is for what says that no rating was given"
            .into();
    }
    format!(
        "Say what each means: --set polarity.missing=\"{}\" if no rating was given; polarity.negative, polarity.between \
         and polarity.positive give a rating its place",
        silent.join(", ")
    )
}
