//! An explanation as a tree of named factors.

use serde::Serialize;

use super::contribute::{ColumnPart, Explanation, TermPart};
use crate::labels::polarity::Polarity;

/// How the children of a factor make its value.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize)]
#[serde(rename_all = "snake_case")]
pub enum Combination {
    /// It has no children: its value is learnt, or counted in the text.
    Given,
    /// It is their sum.
    Sum,
    /// It is their product.
    Product,
}

/// A named value and the factors that it is made of.
#[derive(Debug, Clone, PartialEq, Serialize)]
pub struct Factor {
    /// What it is.
    pub name: String,
    /// Its value.
    pub value: f64,
    /// How its children make it.
    pub combination: Combination,
    /// What it is made of.
    pub children: Vec<Self>,
}

impl Factor {
    fn given(name: impl Into<String>, value: f64) -> Self {
        Self { name: name.into(), value, combination: Combination::Given, children: Vec::new() }
    }

    fn sum(name: impl Into<String>, value: f64, children: Vec<Self>) -> Self {
        Self { name: name.into(), value, combination: Combination::Sum, children }
    }

    /// What the children make: what the value must be, but for rounding.
    pub fn combined(&self) -> f64 {
        let values = self.children.iter().map(|child| child.value);
        match self.combination {
            Combination::Given => self.value,
            Combination::Sum => values.sum(),
            Combination::Product => values.product(),
        }
    }

    /// This factor and all those below it, from the root down.
    pub fn all(&self) -> Vec<&Self> {
        let below = self.children.iter().flat_map(Self::all);
        std::iter::once(self).chain(below).collect()
    }
}

impl Explanation {
    /// The score as intercept + columns + terms, the strongest first; a term as weight x term factor x
    /// document factor x normalisation.
    pub fn by_terms(&self) -> Factor {
        let terms = self.terms.iter().map(|part| Factor {
            name: part.term.clone(),
            value: part.contribution,
            combination: Combination::Product,
            children: vec![
                Factor::given("weight", part.weight),
                Factor::given("term factor", part.term_factor),
                Factor::given("document factor", part.document_factor),
                Factor::given("normalisation", part.normalisation.unwrap_or(self.normalisation)),
            ],
        });
        Factor::sum("log-odds", self.sum, self.before_words().chain(terms).collect())
    }

    /// What is known before the first word: the intercept, and what stands beside the text.
    fn before_words(&self) -> impl Iterator<Item = Factor> {
        let columns = self.columns.iter().map(|own| Factor::given(own.named(), own.contribution));
        std::iter::once(Factor::given("intercept", self.intercept)).chain(columns)
    }

    /// The sum of a class as intercept + columns + terms, the strongest first; nothing where classes lie on one axis.
    pub fn of_class(&self, class: Polarity) -> Option<Factor> {
        let sums = self.by_class.as_ref()?;
        let part = |part: &TermPart| Some(Factor::given(part.term.clone(), part.by_class?[class]));
        let mut terms: Vec<Factor> = self.terms.iter().filter_map(part).collect();
        terms.sort_by(|a, b| b.value.abs().total_cmp(&a.value.abs()));
        let column = |own: &ColumnPart| Some(Factor::given(own.named(), own.by_class?[class]));
        let intercept = std::iter::once(Factor::given("intercept", sums.intercepts[class]));
        let children = intercept.chain(self.columns.iter().filter_map(column)).chain(terms).collect();
        Some(Factor::sum(class.name(), sums.sums[class], children))
    }

    /// The score as intercept + columns + clauses, in reading order; a clause as the sum of its tokens.
    pub fn by_clauses(&self) -> Factor {
        let clauses = self.clauses.iter().enumerate().map(|(at, clause)| {
            let tokens = self.tokens[clause.tokens.0..clause.tokens.1].iter();
            let tokens = tokens.map(|token| Factor::given(token.form.clone(), token.contribution)).collect();
            Factor::sum(format!("clause {}", at + 1), clause.contribution, tokens)
        });
        Factor::sum("log-odds", self.sum, self.before_words().chain(clauses).collect())
    }
}
