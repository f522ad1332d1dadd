//! The text of one review, put together from its columns.

/// The text of a review: its columns one after the other, blank ones left out. Kept and
/// refilled.
#[derive(Debug, Default, Clone, PartialEq, Eq)]
pub struct Document {
    text: String,
    /// Where each column begins, and its place among the text columns.
    fields: Vec<(u32, usize)>,
    /// The cells of the columns that count beside the text; none where the text is no row's.
    beside: Vec<String>,
}

impl Document {
    /// Stands between two columns of a review: the end of a sentence.
    pub const BETWEEN: &str = "\n\n";

    /// Forgets everything.
    pub fn clear(&mut self) {
        self.text.clear();
        self.fields.clear();
        self.beside.clear();
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

    /// Appends the cell of the next column that counts beside the text.
    pub fn push_beside(&mut self, cell: &str) {
        self.beside.push(cell.into());
    }

    /// The cell of a column that counts beside the text; nothing where the text is no row's.
    pub fn beside(&self, column: usize) -> Option<&str> {
        self.beside.get(column).map(String::as_str)
    }

    /// The same with a blank in the place of each span: its first byte, and one past its last.
    ///
    /// # Panics
    /// If spans are not in order, overlap, are none of the text, or cut a character.
    #[must_use]
    pub fn without(&self, spans: &[(u32, u32)]) -> Self {
        let mut text = String::with_capacity(self.text.len() + spans.len());
        let (mut fields, mut at) = (self.fields.clone(), 0);
        for &(start, end) in spans {
            text.push_str(&self.text[at..start as usize]);
            let blank = text.len() as u32;
            text.push(' ');
            at = end as usize;
            for (field, (before, _)) in fields.iter_mut().zip(&self.fields) {
                // A column keeps its place in front of what it was begun by.
                if *before > start {
                    field.0 = blank + 1 + before.saturating_sub(end);
                } else if *before == start {
                    field.0 = blank;
                }
            }
        }
        text.push_str(&self.text[at..]);
        Self { text, fields, beside: self.beside.clone() }
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
        Self { text: text.into(), ..Self::default() }
    }
}
