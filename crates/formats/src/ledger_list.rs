//! Lists of the ledger, as CSV and as a workbook.

use csv::Writer;
use rust_xlsxwriter::{Format, Workbook, XlsxError};

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

/// A sheet of a workbook: its name, its columns and its rows.
pub type LedgerSheet<'a> = (&'a str, &'a [&'a str], Vec<Vec<String>>);

/// Sheets as a workbook; numbers are numbers in it, texts are texts.
///
/// # Errors
/// When a sheet has more rows than a workbook can.
pub fn write_ledger_workbook(sheets: &[LedgerSheet]) -> Result<Vec<u8>, XlsxError> {
    let mut book = Workbook::new();
    let bold = Format::new().set_bold();
    for (name, columns, rows) in sheets {
        let sheet = book.add_worksheet().set_name(*name)?;
        for (column, title) in (0..).zip(*columns) {
            sheet.write_with_format(0, column, *title, &bold)?;
        }
        sheet.set_freeze_panes(1, 0)?.set_column_width(0, 28)?;
        for (row, cells) in (1..).zip(rows) {
            for (column, cell) in (0..).zip(cells) {
                match cell.parse::<f64>() {
                    Ok(number) => sheet.write(row, column, number)?,
                    Err(_) => sheet.write_string(row, column, cell)?,
                };
            }
        }
    }
    book.save_to_buffer()
}

#[cfg(test)]
mod tests {
    use super::*;
    use calamine::{Data, Reader, Xlsx};

    #[test]
    fn a_workbook_is_read_back_by_another_library_and_no_text_is_a_formula() {
        let rows = vec![vec!["=cmd".to_string(), "12.5".into()], vec!["Tamsby".into(), String::new()]];
        let bytes = write_ledger_workbook(&[("trips", &["trip", "minutes"], rows.clone())]).unwrap();
        let mut book: Xlsx<_> = calamine::open_workbook_from_rs(std::io::Cursor::new(bytes)).unwrap();
        let range = book.worksheet_range("trips").unwrap();
        assert_eq!(range.get_value((1, 0)), Some(&Data::String("=cmd".into())));
        assert_eq!(range.get_value((1, 1)), Some(&Data::Float(12.5)));
        assert_eq!(write_table(&["trip", "minutes"], &rows), "trip,minutes\n'=cmd,12.5\nTamsby,\n");
    }
}
