//! The text of one review, put together from its columns.

/// The text of a review: its columns one after the other, blank ones left out. Kept and
/// refilled.
#[derive(Debug, Default, Clone, PartialEq, Eq)]
pub struct Document {
    text: String,
    /// Where each column begins, and its place among the text columns.
    fields: Vec<(u32, usize)>,
}

impl Document {
    /// Stands between two columns of a review: the end of a sentence.
    pub const BETWEEN: &str = "\n\n";

    /// Forgets everything.
    pub fn clear(&mut self) {
        self.text.clear();
        self.fields.clear();
    }

    /// Appends a column unless it is blank.
    pub fn push(&mut self, field: usize, text: &str) {
        if text.trim().is_empty() {
            return;
        }
        if !self.text.is_empty() {
            self.text.push_str(Self::BETWEEN);
        }
        self.fields.push((self.text.len() as u32, field));
        self.text.push_str(text);
    }

    /// The same with a blank in the place of a span.
    ///
    /// # Panics
    /// If the span is none of the text, or cuts a character.
    #[must_use]
    pub fn without(&self, start: usize, end: usize) -> Self {
        let text = format!("{} {}", &self.text[..start], &self.text[end..]);
        let moved = |&(at, field): &(u32, usize)| {
            let at = if at as usize >= end { at as usize - (end - start) + 1 } else { at as usize };
            (at as u32, field)
        };
        Self { text, fields: self.fields.iter().map(moved).collect() }
    }

    /// The whole text.
    pub fn text(&self) -> &str {
        &self.text
    }

    /// The column that a byte of the text belongs to; nothing where the text is no row's.
    pub(crate) fn field_at(&self, place: u32) -> Option<usize> {
        self.fields.iter().rev().find(|(start, _)| *start <= place).map(|(_, field)| *field)
    }
}

impl From<&str> for Document {
    /// A text that is no row's: it belongs to the last text column of a study.
    fn from(text: &str) -> Self {
        Self { text: text.into(), fields: Vec::new() }
    }
}
