//! The pictures of a report.

use super::super::findings;
use super::Builder;
use crate::view::picture::themes::{Theme, Themes};
use crate::view::picture::{Scene, overview, themes, words};

impl Builder<'_> {
    /// The pictures by name.
    pub fn pictures(&self) -> Vec<(&'static str, Scene)> {
        let validation = &self.found.validation;
        let (base, judged) = (&validation.baseline.accuracy, "By models that had not seen them.");
        let mut pictures = vec![
            ("overview", overview::scene(&validation.figures, base, &self.names(), judged)),
            ("themes", themes::scene(&self.themes())),
            ("words", words::scene(&self.themes())),
        ];
        pictures.extend(self.charts().iter().map(|chart| (chart.name, chart.to_scene())));
        pictures
    }

    fn themes(&self) -> Themes {
        let drivers = &self.found.drivers;
        let theme = |own: &findings::Theme| Theme {
            name: own.name.clone(),
            class: own.class,
            with: own.with,
            words: own.words.iter().map(|own| (own.word.clone(), own.score)).collect(),
        };
        Themes {
            names: self.names(),
            labelled: drivers.negative.n,
            negative: drivers.negative,
            themes: drivers.themes.iter().map(theme).collect(),
        }
    }
}
