//! Whether what is promised holds, on reviews from made-up populations: as many as are needed, and their truth is
//! known. Each simulation is a function from a number of draws to lines of figures.

pub mod advice;
pub mod coverage;
pub mod curve;
pub mod exchangeable;
pub mod population;
pub mod slope;
pub mod unsure;
mod world;

pub use world::World;

use heddle_core::settings::Study;
use heddle_core::terms::Stems;

/// The usual settings, without stems: made-up words have one form each.
pub fn usual() -> Study {
    let mut study = Study::default();
    study.terms.stems = Stems::None;
    study
}
