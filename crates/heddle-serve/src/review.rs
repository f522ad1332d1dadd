//! A review as it is sent: a text, or the cells of a row by column.

use std::borrow::Cow;
use std::collections::BTreeMap;
use std::fmt;

use heddle_core::text::Document;
use heddle_work::{Lacking, OpenModel};
use schemars::{JsonSchema, Schema, SchemaGenerator, json_schema};
use serde::de::{Deserialize, Deserializer, MapAccess, Visitor};

/// A review as it is sent.
#[derive(Debug, Clone, PartialEq)]
pub enum Review {
    /// A text; what counts beside it is not known.
    Text(String),
    /// Cells by the names of their columns.
    Row(BTreeMap<String, String>),
}

impl Review {
    /// The document that a model reads.
    ///
    /// # Errors
    /// A column of the model that the row lacks.
    pub fn document(&self, model: &OpenModel) -> Result<Document, Lacking> {
        match self {
            Self::Text(text) => Ok(text.as_str().into()),
            Self::Row(cells) => model.document(|name| cells.get(name).map(String::as_str)),
        }
    }
}

impl<'de> Deserialize<'de> for Review {
    fn deserialize<D: Deserializer<'de>>(deserializer: D) -> Result<Self, D::Error> {
        deserializer.deserialize_any(ReviewVisitor)
    }
}

struct ReviewVisitor;

impl<'de> Visitor<'de> for ReviewVisitor {
    type Value = Review;

    fn expecting(&self, out: &mut fmt::Formatter<'_>) -> fmt::Result {
        out.write_str("a review: a text, or an object of cells by column")
    }

    fn visit_str<E>(self, text: &str) -> Result<Review, E> {
        Ok(Review::Text(text.into()))
    }

    fn visit_string<E>(self, text: String) -> Result<Review, E> {
        Ok(Review::Text(text))
    }

    fn visit_map<A: MapAccess<'de>>(self, mut map: A) -> Result<Review, A::Error> {
        let mut cells = BTreeMap::new();
        while let Some((name, Cell(cell))) = map.next_entry::<String, Cell>()? {
            cells.insert(name, cell);
        }
        Ok(Review::Row(cells))
    }
}

/// A cell as text: what is missing is blank.
struct Cell(String);

impl<'de> Deserialize<'de> for Cell {
    fn deserialize<D: Deserializer<'de>>(deserializer: D) -> Result<Self, D::Error> {
        deserializer.deserialize_any(CellVisitor)
    }
}

struct CellVisitor;

impl Visitor<'_> for CellVisitor {
    type Value = Cell;

    fn expecting(&self, out: &mut fmt::Formatter<'_>) -> fmt::Result {
        out.write_str("a cell: a text, a number, true, false or null")
    }

    fn visit_str<E>(self, text: &str) -> Result<Cell, E> {
        Ok(Cell(text.into()))
    }

    fn visit_string<E>(self, text: String) -> Result<Cell, E> {
        Ok(Cell(text))
    }

    fn visit_i64<E>(self, number: i64) -> Result<Cell, E> {
        Ok(Cell(number.to_string()))
    }

    fn visit_u64<E>(self, number: u64) -> Result<Cell, E> {
        Ok(Cell(number.to_string()))
    }

    fn visit_f64<E>(self, number: f64) -> Result<Cell, E> {
        Ok(Cell(number.to_string()))
    }

    fn visit_bool<E>(self, flag: bool) -> Result<Cell, E> {
        Ok(Cell(flag.to_string()))
    }

    fn visit_unit<E>(self) -> Result<Cell, E> {
        Ok(Cell(String::new()))
    }
}

impl JsonSchema for Review {
    fn schema_name() -> Cow<'static, str> {
        "Review".into()
    }

    fn json_schema(_: &mut SchemaGenerator) -> Schema {
        json_schema!({
            "description": "A text, or the cells of a row by the names of their columns: all columns that the model reads \
                (GET /model tells which). Other columns are passed over.",
            "oneOf": [
                {"type": "string"},
                {"type": "object", "additionalProperties": {"type": ["string", "number", "boolean", "null"]}}
            ],
            "examples": ["Not a bad cabin, but the tea was cold."]
        })
    }
}
