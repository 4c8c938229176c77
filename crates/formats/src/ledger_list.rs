//! Lists of the ledger, as CSV.

use csv::Writer;

use crate::table::defused;

/// A cell: numbers as they are, texts so that none is taken for a formula.
fn cell_text(cell: &str) -> String {
    if cell.parse::<f64>().is_ok() { cell.into() } else { defused(cell) }
}

/// Rows under their columns as CSV (RFC 4180).
pub fn write_table(columns: &[&str], rows: &[Vec<String>]) -> String {
    let mut writer = Writer::from_writer(Vec::new());
    let written = writer
        .write_record(columns)
        .and_then(|()| rows.iter().try_for_each(|row| writer.write_record(row.iter().map(|cell| cell_text(cell)))));
    let bytes = written.ok().and_then(|()| writer.into_inner().ok()).unwrap_or_default();
    String::from_utf8(bytes).unwrap_or_default()
}
