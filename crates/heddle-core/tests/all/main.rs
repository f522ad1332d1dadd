//! Tests of the public functions, one program of their own: they are linked once, and fill both cores to their end.

mod beside;
mod clusters;
mod copies;
mod deciding;
mod directions;
mod doubting;
mod drifting;
mod explaining;
mod figures;
mod languages;
mod learner;
mod negation;
mod polarity;
mod probing;
mod resample;
mod rounds;
mod scanner;
mod settings;
mod stream;
mod surveying;
mod tally;
mod terms;
mod themes;
mod three_classes;
mod vectors;
