//! A value for each class.

use std::array;
use std::ops::{Index, IndexMut};

use serde::{Deserialize, Serialize};

use super::polarity::Polarity;

/// A value for each class, in the one order that files and sums have: negative, positive, neutral.
/// The poles come first, for neutral may be missing.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, Default, Serialize, Deserialize)]
#[serde(transparent)]
pub struct PerClass<T>([T; 3]);

/// Reviews of each class.
pub type ClassCounts = PerClass<usize>;

/// The classes in the order of [`PerClass`].
pub const CLASSES: [Polarity; 3] = [Polarity::Negative, Polarity::Positive, Polarity::Neutral];

impl<T> PerClass<T> {
    /// The value of each class, as a function of it.
    #[inline]
    pub fn of(mut value: impl FnMut(Polarity) -> T) -> Self {
        // Spelled out, here and below: the `map` of arrays is a loop that the compiler does not always see through, and a
        // million terms are asked for their counts when a model is opened.
        let [negative, positive, neutral] = CLASSES;
        Self([value(negative), value(positive), value(neutral)])
    }

    /// The values, in order.
    pub fn iter(&self) -> std::slice::Iter<'_, T> {
        self.0.iter()
    }

    /// The values, in order, to be changed.
    pub fn iter_mut(&mut self) -> std::slice::IterMut<'_, T> {
        self.0.iter_mut()
    }

    /// Another value for each class.
    #[inline]
    pub fn map<U>(self, mut with: impl FnMut(T) -> U) -> PerClass<U> {
        let [negative, positive, neutral] = self.0;
        PerClass([with(negative), with(positive), with(neutral)])
    }

    /// The values as an array, in order.
    pub fn into_array(self) -> [T; 3] {
        self.0
    }
}

impl<T: Copy + std::ops::Add<Output = T>> PerClass<T> {
    /// The sums of two values for each class.
    pub fn plus(self, other: Self) -> Self {
        Self::of(|class| self[class] + other[class])
    }
}

impl PerClass<f64> {
    /// The largest size of a value.
    pub fn size(&self) -> f64 {
        self.iter().map(|value| value.abs()).fold(0.0, f64::max)
    }
}

impl<T> From<[T; 3]> for PerClass<T> {
    fn from(values: [T; 3]) -> Self {
        Self(values)
    }
}

impl<T: PartialEq> PartialEq<[T; 3]> for PerClass<T> {
    fn eq(&self, other: &[T; 3]) -> bool {
        self.0 == *other
    }
}

impl<T> Index<Polarity> for PerClass<T> {
    type Output = T;

    fn index(&self, class: Polarity) -> &T {
        &self.0[class.index()]
    }
}

impl<T> IndexMut<Polarity> for PerClass<T> {
    fn index_mut(&mut self, class: Polarity) -> &mut T {
        &mut self.0[class.index()]
    }
}

impl<T> IntoIterator for PerClass<T> {
    type Item = T;
    type IntoIter = array::IntoIter<T, 3>;

    fn into_iter(self) -> Self::IntoIter {
        self.0.into_iter()
    }
}

impl<'a, T> IntoIterator for &'a PerClass<T> {
    type Item = &'a T;
    type IntoIter = std::slice::Iter<'a, T>;

    fn into_iter(self) -> Self::IntoIter {
        self.0.iter()
    }
}
