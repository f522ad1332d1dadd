//! Tests of the public functions, one program of their own: they are linked once, and fill both cores to their end.

mod arrow;
mod commits;
mod models;
mod random;
mod reading;
mod settings;
mod sketches;
