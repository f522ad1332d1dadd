//! Runs a simulation and prints its figures: `cargo run --release -p simulations -- coverage`.

use std::io::Write;

use clap::{Parser, Subcommand};
use heddle_core::Choice;
use heddle_core::learn::{Method, Penalty};
use simulations::advice::{Advised, advice};
use simulations::coverage::{KINDS, NO_SIGNAL, coverage};
use simulations::curve::forecasts;
use simulations::exchangeable::{Eager, exchangeable};
use simulations::slope::{Slopes, slopes};
use simulations::unsure::unsure;
use simulations::usual;

/// Whether what is promised holds, on made-up reviews whose truth is known.
#[derive(Parser)]
struct Arguments {
    #[command(subcommand)]
    what: What,
    /// How many reviews are learnt from.
    #[arg(long, global = true, default_value_t = 400)]
    reviews: usize,
    /// How many times it is done.
    #[arg(long, global = true, default_value_t = 200)]
    draws: u64,
}

#[derive(Subcommand)]
enum What {
    /// How often intervals of cross-validated figures hold the figure of the delivered model.
    Coverage,
    /// How often two ways that are equally good by construction are told apart, with one and three repetitions.
    Exchangeable,
    /// How timid or bold probabilities are on fresh reviews.
    Slope,
    /// How often a band of unsure verdicts keeps a promise of 95 %, with signal and without.
    Unsure,
    /// How often a learning curve's forecast of the next doubling holds what comes.
    Curve,
    /// What following the advice of tuning wins against the untouched defaults, in points of accuracy.
    Advice,
}

fn main() -> anyhow::Result<()> {
    let Arguments { what, reviews, draws } = Arguments::parse();
    let mut out = std::io::stdout().lock();
    match what {
        What::Coverage => {
            for (kind, traits) in KINDS {
                writeln!(out, "\n{kind}, {reviews} reviews, {draws} draws")?;
                writeln!(out, "{:24}{:>8}{:>10}{:>10}{:>10}", "", "draws", "bias", "half", "covered")?;
                for own in coverage(traits, reviews, draws, &usual()) {
                    let covered = 100.0 * own.covered;
                    let error = (100.0 * own.covered * (1.0 - own.covered) / own.draws as f64).sqrt() * 10.0;
                    writeln!(
                        out,
                        "{:24}{:>8}{:>10.4}{:>10.4}{covered:>8.1} % (se {error:.1})",
                        own.name, own.draws, own.bias, own.half
                    )?;
                }
            }
        }
        What::Curve => {
            for (kind, traits) in KINDS {
                writeln!(out, "\n{kind}, {reviews} reviews, {draws} draws")?;
                writeln!(
                    out,
                    "{:24}{:>8}{:>10}{:>10}{:>10}{:>10}",
                    "", "draws", "forecast", "came", "half", "covered"
                )?;
                for own in forecasts(traits, reviews, draws, &usual()) {
                    writeln!(
                        out,
                        "{:24}{:>8}{:>10.4}{:>10.4}{:>10.4}{:>8.1} %",
                        own.name,
                        own.draws,
                        own.forecast,
                        own.came,
                        own.half,
                        100.0 * own.covered
                    )?;
                }
            }
        }
        What::Exchangeable => {
            writeln!(
                out,
                "{:24}{:>8}{:>10}{:>10}{:>10}{:>10}",
                "", "draws", "test", "accuracy", "ROC area", "log loss"
            )?;
            for (kind, traits) in KINDS {
                for rounds in [1, 3] {
                    let mut study = usual();
                    study.validation.rounds = rounds;
                    let Eager { shares, draws } = exchangeable(traits, reviews, draws, &study);
                    write!(out, "{:24}{draws:>8}", format!("{kind}, {rounds}"))?;
                    shares.iter().try_for_each(|share| write!(out, "{:>8.1} %", 100.0 * share))?;
                    writeln!(out)?;
                }
            }
        }
        What::Slope => {
            writeln!(out, "{:24}{:>8}{:>8}{:>12}", "", "slope", "se", "nats unused")?;
            for (kind, traits) in KINDS {
                let Slopes { median, error, loss } = slopes(traits, reviews, draws, &usual());
                writeln!(out, "{kind:24}{median:>8.3}{error:>8.3}{loss:>12.4}")?;
            }
        }
        What::Advice => {
            writeln!(out, "{:24}{:>8}{:>8}{:>8}{:>12}", "", "draws", "best", "se", "simplest")?;
            for (kind, traits) in KINDS {
                let Advised { best, error, simplest, draws } = advice(traits, reviews, draws);
                writeln!(out, "{kind:24}{draws:>8}{best:>+8.2}{error:>8.2}{simplest:>+12.2}")?;
            }
        }
        What::Unsure => {
            writeln!(
                out,
                "{:36}{:>7}{:>8}{:>8}{:>8}{:>8}{:>7}",
                "", "draws", "kept", "least", "broken", "called", "empty"
            )?;
            for (kind, traits) in KINDS.iter().chain([&NO_SIGNAL]) {
                for (learner, penalty) in [(Method::Svm, Penalty::Ridge), (Method::Logistic, Penalty::Lasso)]
                {
                    let mut study = usual();
                    study.decision.unsure = Some(0.95);
                    (study.model.learner, study.model.penalty) = (learner, penalty);
                    let own = unsure(*traits, reviews, draws, &study);
                    writeln!(
                        out,
                        "{:36}{:>7}{:>6.1} %{:>6.1} %{:>8}{:>6.1} %{:>7}",
                        format!("{kind}, {} {}", learner.name(), penalty.name()),
                        own.draws,
                        100.0 * own.mean,
                        100.0 * own.least,
                        own.broken,
                        100.0 * own.called,
                        own.empty
                    )?;
                }
            }
        }
    }
    Ok(())
}
