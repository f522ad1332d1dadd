//! Settings that are tried on the same reviews and folds.

use std::sync::Arc;

use heddle_core::learn::Strength;
use heddle_core::resample::Random;
use heddle_core::settings::{KEYS, Study, Value};
use heddle_core::terms::{Corpus, Counted};

use crate::error::{Error, Result, fail};
use crate::reviews::labelled::{Kept, LabelledReviews, ReadAs};
use crate::session::Session;
use crate::vectors::with_vectors;

/// What stands between the settings of a name.
pub const BETWEEN: &str = " · ";
/// Steps of a range that names none.
const STEPS: usize = 9;
/// More combinations than this are not tried without being drawn from.
const MOST: usize = 2000;

/// One combination of settings.
#[derive(Debug, Clone)]
pub struct Variant {
    /// The settings that make it, as in "terms.words=1-3 · model.learner=svm".
    pub name: String,
    pub study: Study,
}

/// What one setting may be.
enum Axis {
    Values(Vec<String>),
    Between(f64, f64),
}

/// The combinations of `--vary`, and sentences about those that make no sense.
pub fn combinations(
    vary: &[String],
    draws: Option<usize>,
    session: &Session,
) -> Result<(Vec<Variant>, Vec<String>)> {
    let axes: Vec<(String, Axis)> =
        vary.iter().map(|text| axis(text, draws.is_some())).collect::<Result<_, _>>()?;
    for (at, (key, _)) in axes.iter().enumerate() {
        if axes[..at].iter().any(|(other, _)| other == key) {
            fail!(Options, "--vary {key} stands there twice; list all its values behind one");
        }
        Study::key(key).map_err(|error| Error::Options(format!("--vary {key}: {error}")))?;
        check_variable(key)?;
    }
    let chosen = match draws {
        None => product(&axes)?,
        Some(draws) => drawn(&axes, draws, session.study().validation.seed)?,
    };
    let (mut variants, mut refused) = (Vec::new(), Vec::new());
    for assignments in chosen {
        // A single value that is impossible is a mistake; a combination may just make no sense.
        for assignment in &assignments {
            let (key, value) = assignment.split_once('=').unwrap_or((assignment, ""));
            let possible = Study::key(key).and_then(|key| key.set(&mut Study::default(), &toml_value(value)));
            possible.map_err(|error| Error::Options(format!("--vary {assignment}: {error}")))?;
        }
        let name = assignments.join(BETWEEN);
        match session.varied(&assignments) {
            Ok(study) => variants.push(Variant { name, study }),
            Err(error) => refused.push(format!("{name}: {}", error.story())),
        }
    }
    if variants.is_empty() {
        fail!(
            Options,
            "no combination makes sense; {}",
            refused.first().map_or("name settings with --vary", String::as_str)
        );
    }
    Ok((variants, refused))
}

/// A value as a study writes it: a number, a flag, a list, or a text.
fn toml_value(text: &str) -> Value {
    if let Ok(number) = text.parse::<f64>() {
        return Value::Number(number);
    }
    match text {
        "true" => Value::Flag(true),
        "false" => Value::Flag(false),
        list if list.starts_with('[') => {
            let items = list.trim_matches(['[', ']']).split(',');
            Value::List(items.map(|item| item.trim().trim_matches('"').to_string()).collect())
        }
        text => Value::Text(text.trim_matches('"').into()),
    }
}

/// Reviews, labels and folds must stay the same: only then can runs be held against each other.
fn check_variable(key: &str) -> Result<()> {
    let same = ["reviews.", "polarity.", "validation."].iter().any(|section| key.starts_with(section));
    if same && !["reviews.text", "reviews.fields"].contains(&key) {
        fail!(
            Options,
            "--vary {key}: it changes the reviews, their classes or the folds, and figures of different reviews cannot be held against each other; run validate for each instead"
        );
    }
    Ok(())
}

fn axis(text: &str, drawn: bool) -> Result<(String, Axis)> {
    let (key, values) = text.split_once('=').ok_or_else(|| {
        Error::Options(format!(
            "--vary {text}: expected section.key=values, as in --vary terms.words=1-1,1-2"
        ))
    })?;
    let key = key.trim().to_string();
    if let Some((low, high, steps)) = range(values) {
        if !(low > 0.0 && low < high && high.is_finite()) {
            fail!(
                Options,
                "--vary {text}: a range runs from a number above 0 to a larger one, in even ratios"
            );
        }
        if drawn && steps.is_none() {
            return Ok((key, Axis::Between(low, high)));
        }
        let steps = steps.unwrap_or(STEPS);
        if !(2..=MOST).contains(&steps) {
            fail!(Options, "--vary {text}: expected 2 to {MOST} steps, found {steps}");
        }
        let ratio = (high / low).ln() / (steps - 1) as f64;
        let value = |step: usize| {
            if step + 1 == steps { high } else { low * (ratio * step as f64).exp() }
        };
        return Ok((key, Axis::Values((0..steps).map(|step| tidy(value(step))).collect())));
    }
    let values = apart(values);
    if values.iter().any(String::is_empty) {
        fail!(Options, "--vary {text}: a value is missing");
    }
    Ok((key, Axis::Values(values)))
}

/// Three digits are enough for a setting, and can be typed.
fn tidy(value: f64) -> String {
    let short = format!("{value:.2e}");
    match short.parse::<f64>() {
        Ok(number) if number >= 1e-3 => number.to_string(),
        Ok(number) => format!("{number:e}"),
        Err(_) => short,
    }
}

/// Reads "1e-6..1e-2/9".
fn range(text: &str) -> Option<(f64, f64, Option<usize>)> {
    let (low, rest) = text.split_once("..")?;
    let (high, steps) = match rest.split_once('/') {
        Some((high, steps)) => (high, Some(steps.trim().parse().ok()?)),
        None => (rest, None),
    };
    Some((low.trim().parse().ok()?, high.trim().parse().ok()?, steps))
}

/// Splits at commas that stand in no list and no quotes.
fn apart(text: &str) -> Vec<String> {
    let (mut parts, mut depth, mut quoted) = (vec![String::new()], 0usize, false);
    for char in text.chars() {
        match char {
            '"' => quoted = !quoted,
            '[' if !quoted => depth += 1,
            ']' if !quoted => depth = depth.saturating_sub(1),
            ',' if depth == 0 && !quoted => {
                parts.push(String::new());
                continue;
            }
            _ => {}
        }
        parts.last_mut().expect("there is always a part").push(char);
    }
    parts.into_iter().map(|part| part.trim().to_string()).collect()
}

fn product(axes: &[(String, Axis)]) -> Result<Vec<Vec<String>>> {
    let mut all: Vec<Vec<String>> = vec![Vec::new()];
    for (key, axis) in axes {
        let Axis::Values(values) = axis else {
            fail!(Options, "--vary {key}: a range needs --draws, or a number of steps")
        };
        if all.len() * values.len() > MOST {
            fail!(Options, "more than {MOST} combinations: draw some of them with --draws N");
        }
        let with = |one: &Vec<String>, value: &String| [one.clone(), vec![format!("{key}={value}")]].concat();
        all = all.iter().flat_map(|one| values.iter().map(move |value| with(one, value))).collect();
    }
    Ok(all)
}

/// Draws combinations, none of them twice.
fn drawn(axes: &[(String, Axis)], draws: usize, seed: u64) -> Result<Vec<Vec<String>>> {
    if draws == 0 || draws > MOST {
        fail!(Options, "--draws {draws}: expected a number from 1 to {MOST}");
    }
    let mut draw = Random::new(seed ^ 0xd4a3);
    let mut chosen: Vec<Vec<String>> = Vec::new();
    // Small grids hold fewer than were asked for: repeats are tried a while, then the work ends.
    for _ in 0..draws * 50 {
        let one: Vec<String> = axes
            .iter()
            .map(|(key, axis)| match axis {
                Axis::Values(values) => format!("{key}={}", values[draw.below(values.len())]),
                Axis::Between(low, high) => {
                    format!("{key}={}", tidy(low * ((high / low).ln() * draw.unit()).exp()))
                }
            })
            .collect();
        if !chosen.contains(&one) {
            chosen.push(one);
        }
        if chosen.len() == draws {
            break;
        }
    }
    Ok(chosen)
}

/// Settings by path, but for those that `without` names.
fn key_of(study: &Study, takes: impl Fn(&str) -> bool) -> String {
    let settings =
        KEYS.iter().filter(|key| takes(key.path)).map(|key| format!("{}={}", key.path, key.get(study)));
    settings.collect::<Vec<_>>().join("\n")
}

/// Variants that share a corpus, then those of them that share counted terms, then those that
/// differ in the strength alone: what is shared is done once.
pub struct Shared<'v> {
    variants: &'v [Variant],
}

/// Variants that differ in the strength alone, from strong to weak.
pub struct Path {
    /// Their places among all variants.
    pub places: Vec<usize>,
    pub strengths: Vec<Strength>,
}

impl<'v> Shared<'v> {
    pub fn new(variants: &'v [Variant]) -> Self {
        Self { variants }
    }

    /// Calls `work` for each path, with the counted terms that it needs. `wanted` says which
    /// variants are still to be done.
    pub fn each(
        &self,
        reviews: &LabelledReviews,
        wanted: &[usize],
        session: &Session,
        mut work: impl FnMut(&Arc<Counted>, &Study, &Path) -> Result<()>,
    ) -> Result<()> {
        let text = |path: &str| {
            ["reviews.", "text.", "negation.", "features."].iter().any(|section| path.starts_with(section))
                || ["terms.hashed", "terms.letters", "terms.stems"].contains(&path)
        };
        let of = |place: usize| &self.variants[place].study;
        for reading in grouped(wanted, |place| key_of(of(place), text)) {
            let first = of(reading[0]);
            let corpus = Corpus::read(&ReadAs::new(reviews, first)?, first.corpus_rules());
            let corpus = with_vectors(corpus, first, session)?;
            for terms in grouped(&reading, |place| key_of(of(place), |path| path.starts_with("terms."))) {
                let counted = Arc::new(Counted::new(&corpus, &of(terms[0]).terms));
                let but_strength = |place| key_of(of(place), |path| path != "model.strength");
                for mut places in grouped(&terms, but_strength) {
                    places.sort_by(|&a, &b| size(of(b)).total_cmp(&size(of(a))));
                    let strengths = places.iter().map(|&place| of(place).model.strength).collect();
                    let study = of(places[0]).clone();
                    work(&counted, &study, &Path { places, strengths })?;
                }
            }
        }
        Ok(())
    }
}

/// An open strength is chosen first: it starts from nothing.
fn size(study: &Study) -> f64 {
    match study.model.strength {
        Strength::Auto => f64::INFINITY,
        Strength::Fixed(lambda) => lambda,
    }
}

/// Groups places by a key, in the order in which the keys first come.
fn grouped(places: &[usize], key: impl Fn(usize) -> String) -> Vec<Vec<usize>> {
    let mut groups: Vec<(String, Vec<usize>)> = Vec::new();
    for &place in places {
        let own = key(place);
        match groups.iter_mut().find(|(other, _)| *other == own) {
            Some((_, members)) => members.push(place),
            None => groups.push((own, vec![place])),
        }
    }
    groups.into_iter().map(|(_, members)| members).collect()
}

/// Where the files say which class mix is natural, every study knows it.
pub fn with_natural(mut variants: Vec<Variant>, natural: Option<f64>) -> Vec<Variant> {
    for variant in &mut variants {
        let own = &mut variant.study.balance.natural;
        *own = own.or(natural);
    }
    variants
}

/// Which columns must be kept of the reviews: all, where variants read others.
pub fn kept(vary: &[String]) -> Kept {
    let reads = |vary: &String| vary.starts_with("reviews.") || vary.starts_with("features.");
    if vary.iter().any(reads) { Kept::All } else { Kept::Needed }
}
