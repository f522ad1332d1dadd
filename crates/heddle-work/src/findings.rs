//! Findings as JSON.

use serde::Serialize;

use crate::error::Result;
use serde_json::Value;

/// The version of every JSON answer; it rises when a field changes its meaning or goes.
pub const VERSION: u32 = 5;

/// The findings of a command as its JSON object: the command, the version, and what was found
/// (`docs/json.md`).
///
/// # Errors
/// If they cannot be written as JSON.
pub fn as_json(command: &str, found: &impl Serialize) -> Result<Value> {
    let mut object = serde_json::json!({"heddle": command, "version": VERSION});
    if let (Some(object), Value::Object(found)) = (object.as_object_mut(), serde_json::to_value(found)?) {
        object.extend(found);
    }
    Ok(object)
}
