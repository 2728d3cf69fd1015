//! Rows as comma-separated values (RFC 4180), for spreadsheets.

use crate::screen;
use anyhow::Result;
use serde::Serialize;
use serde_json::Value;

/// Writes the columns' names, then a line for each row: of what it would be as JSON, the values of
/// these keys. What a row hasn't, or what isn't one value, stays empty.
///
/// # Errors
/// If nobody takes it.
pub fn csv<T: Serialize>(columns: &[&str], rows: impl IntoIterator<Item = T>) -> Result<()> {
    let mut out = csv::Writer::from_writer(screen::raw());
    out.write_record(columns)?;
    for row in rows {
        let row = serde_json::to_value(row)?;
        out.write_record(columns.iter().map(|column| cell(&row[*column])))?;
    }
    Ok(out.flush()?)
}

/// What starts a formula in a spreadsheet (OWASP, "CSV Injection").
const FORMULA: [char; 6] = ['=', '+', '-', '@', '\t', '\r'];

/// A value as text. What a spreadsheet would take for a formula is marked as text.
fn cell(value: &Value) -> String {
    match value {
        Value::String(text) if text.starts_with(FORMULA) => format!("'{text}"),
        Value::String(text) => text.clone(),
        Value::Number(_) | Value::Bool(_) => value.to_string(),
        _ => String::new(),
    }
}
