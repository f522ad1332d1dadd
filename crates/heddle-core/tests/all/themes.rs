//! What reviews complain about, and what they praise.

use heddle_core::labels::{DateOrder, Day, Polarity, read_date};
use heddle_core::resample::Random;
use heddle_core::themes::{Theme, themes};
use heddle_core::validate::Aspect;
use worlds::{World, fixed};

const NOTHING: [&str; 30] = [
    "quay", "deck", "window", "paper", "corner", "number", "morning", "evening", "harbour", "island",
    "bridge", "cargo", "mirror", "pillow", "carpet", "engine", "ladder", "locker", "signal", "anchor",
    "canvas", "bottle", "candle", "basket", "button", "garden", "letter", "market", "museum", "silver",
];

/// Reviews that hold words at random; "queue", "queues" and "late" more often where the review is negative, and
/// "lovely" where it is positive.
fn world(rows: usize, effect: f64, seed: u64) -> World {
    let mut draw = Random::new(seed);
    let (mut texts, mut labels) = (Vec::new(), Vec::new());
    for _ in 0..rows {
        let negative = draw.unit() < 0.4;
        let mut words: Vec<&str> = (0..6).map(|_| NOTHING[draw.below(30)]).collect();
        let more = |with: bool| if with { 0.1 + effect } else { 0.1 };
        if draw.unit() < more(negative) {
            words.push(["a queue", "two queues"][draw.below(2)]);
        }
        if draw.unit() < more(negative) {
            words.push("it was late");
        }
        if draw.unit() < more(!negative) {
            words.push("a lovely thing");
        }
        if draw.unit() < more(negative) {
            words.push("not lovely");
        }
        texts.push(words.join(". "));
        labels.push(if negative { Polarity::Negative } else { Polarity::Positive });
    }
    World::of(texts, labels, fixed(1e-3))
}

fn found(world: &World, name: &str) -> Theme {
    let all = themes(&world.corpus, &world.sample, 10);
    let holds = |theme: &Theme| theme.words.iter().any(|own| own.word == name);
    all.into_iter().find(holds).unwrap_or_else(|| panic!("no theme holds {name}"))
}

#[test]
fn words_that_go_with_a_class_are_themes_and_variants_are_one() {
    let world = world(2000, 0.2, 3);
    let queue = found(&world, "queue");
    assert_eq!(queue.class, Polarity::Negative);
    assert!(queue.words.iter().any(|own| own.word == "queues"), "{:?}", queue.words);
    // Negated words keep to themselves.
    let (lovely, not) = (found(&world, "lovely"), found(&world, "¬lovely"));
    assert_eq!((lovely.class, not.class), (Polarity::Positive, Polarity::Negative));
    assert!(lovely.words.iter().all(|own| !own.word.starts_with('¬')));
    // Figures are those of a count.
    let negative = |row: &usize| world.sample.labels[*row] == Polarity::Negative;
    let rows: Vec<usize> = (0..2000).filter(|row| queue.rows[*row]).collect();
    let share = rows.iter().filter(|row| negative(row)).count() as f64 / rows.len() as f64;
    assert_eq!((queue.with.value, queue.reviews()), (Some(share), rows.len()));
    let others = 2000 - rows.len();
    let outside = (0..2000).filter(|row| !queue.rows[*row] && negative(row)).count() as f64 / others as f64;
    assert!((queue.difference.value.expect("a share") - (share - outside)).abs() < 1e-12);
    assert!(queue.difference.low > Some(0.0) && queue.words[0].rate_ratio > 1.5, "{queue:?}");
}

#[test]
fn where_labels_are_chance_there_is_next_to_no_theme() {
    let mut all = 0;
    for seed in 0..40 {
        let world = world(600, 0.0, 100 + seed);
        all += themes(&world.corpus, &world.sample, 10)
            .iter()
            .filter(|own| match own.class {
                Polarity::Negative => own.difference.low > Some(0.0),
                _ => own.difference.high < Some(0.0),
            })
            .count();
    }
    // One in twenty files may have one by chance.
    assert!(all <= 6, "{all} themes in 40 files");
}

#[test]
fn themes_differ_by_column_and_move_over_time_only_beyond_noise() {
    let world = world(3000, 0.2, 5);
    let queue = found(&world, "queue");
    let groups = &world.sample.groups;
    let mut draw = Random::new(8);
    let at_random: Vec<&str> = (0..3000).map(|_| ["app", "desk"][draw.below(2)]).collect();
    let by =
        |cells: &[&str]| queue.by_aspect(&Aspect::of_cells("channel", cells.iter().copied()), groups, 20);
    assert!(by(&at_random).iter().all(|part| !part.differs), "{:?}", by(&at_random));
    let tied: Vec<&str> = (0..3000)
        .map(|row| if queue.rows[row] && draw.unit() < 0.5 { "desk" } else { ["app", "desk"][draw.below(2)] })
        .collect();
    let parts = by(&tied);
    assert!(parts.iter().all(|part| part.differs) && parts.len() == 2, "{parts:?}");
    assert!(parts.iter().any(|part| part.part == "desk" && part.difference.low > Some(0.0)));

    let day = |row: usize| -> Option<Day> {
        let (year, month, day) = (2023 + row % 3, 1 + row / 3 % 12, 1 + row / 36 % 28);
        Some(read_date(&format!("{year}-{month:02}-{day:02}"), DateOrder::default())?.day)
    };
    let days: Vec<Option<Day>> = (0..3000).map(day).collect();
    let trend = queue.trend(&days, groups, 20).expect("days");
    assert!(trend.low < Some(0.0) && trend.high > Some(0.0), "{trend:?}");
    // Where the theme stands in the last year alone, it rises.
    let mut late = queue.clone();
    late.rows = (0..3000).map(|row| row % 3 == 2 && row % 2 == 0).collect();
    let trend = late.trend(&days, groups, 20).expect("days");
    assert!(trend.low > Some(0.1), "{trend:?}");
    assert!(queue.trend(&[], groups, 20).is_none());
}
