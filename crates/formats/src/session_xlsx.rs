//! A session as the workbook that people keep: readings, curve, windows, start × end grid, slices, what was noted.

use rust_xlsxwriter::{Format, Workbook, Worksheet, XlsxError};
use spare_hour_core::quantity::{Distance, Energy, Soc};
use spare_hour_core::session::Session;
use spare_hour_core::session::analysis::{Analysis, Slice};
use spare_hour_core::session::report::Report;

use crate::conditions::condition_pairs;
use spare_hour_core::session::session_check::READING;

/// So many readings are many.
const MANY: usize = 20_000;

/// Writes the workbook.
///
/// # Errors
/// What the writer refuses, such as a text too long for a cell.
pub fn write_session_xlsx(session: &Session, report: &Report) -> Result<Vec<u8>, XlsxError> {
    let mut book = Workbook::new();
    let bold = Format::new().set_bold();
    // Many readings are written as they come, by way of a file, and not gathered first.
    let of_readings =
        if session.readings.len() < MANY { book.add_worksheet() } else { book.add_worksheet_with_constant_memory()? };
    readings(of_readings.set_name("readings")?, session, &bold)?;
    curve(sheet(&mut book, "curve")?, report, &bold)?;
    windows(sheet(&mut book, "windows")?, &report.analysis, &bold)?;
    grid(sheet(&mut book, "grid")?, &report.analysis, &bold)?;
    slices(sheet(&mut book, "slices")?, &report.analysis, &bold)?;
    let noted = sheet(&mut book, "noted")?;
    for (row, (key, value)) in (0..).zip(condition_pairs(&session.conditions)) {
        noted.write(row, 0, key)?.write(row, 1, value)?;
    }
    book.save_to_buffer()
}

fn sheet<'b>(book: &'b mut Workbook, name: &str) -> Result<&'b mut Worksheet, XlsxError> {
    book.add_worksheet().set_name(name)
}

fn header(sheet: &mut Worksheet, names: &[&str], bold: &Format) -> Result<(), XlsxError> {
    for (column, name) in (0..).zip(names) {
        sheet.write_with_format(0, column, *name, bold)?;
    }
    sheet.set_freeze_panes(1, 0)?;
    Ok(())
}

/// A row of numbers; what is not known stays empty.
fn numbers(sheet: &mut Worksheet, row: u32, cells: &[Option<f64>]) -> Result<(), XlsxError> {
    for (column, cell) in (0..).zip(cells) {
        if let Some(number) = cell {
            sheet.write(row, column, *number)?;
        }
    }
    Ok(())
}

fn readings(sheet: &mut Worksheet, session: &Session, bold: &Format) -> Result<(), XlsxError> {
    let measures = READING.iter().map(|column| column.0);
    let names: Vec<&str> = ["elapsed"].into_iter().chain(measures).chain(["note", "left_out"]).collect();
    header(sheet, &names, bold)?;
    for (row, reading) in (1..).zip(&session.readings) {
        let elapsed = Some(reading.elapsed.get() * 60.0);
        let cells: Vec<Option<f64>> = [elapsed].into_iter().chain(reading.measured()).collect();
        numbers(sheet, row, &cells)?;
        for (column, text) in [(9, &reading.note), (10, &reading.left_out)] {
            if let Some(text) = text {
                sheet.write(row, column, text)?;
            }
        }
    }
    Ok(())
}

fn curve(sheet: &mut Worksheet, report: &Report, bold: &Format) -> Result<(), XlsxError> {
    header(sheet, &["soc", "kw into the battery", "low", "high"], bold)?;
    for (row, point) in (1..).zip(&report.band) {
        let kw = report.curve.power.at(point.soc.get());
        numbers(sheet, row, &[Some(point.soc.get()), Some(kw), Some(point.low.get()), Some(point.high.get())])?;
    }
    Ok(())
}

fn windows(sheet: &mut Worksheet, analysis: &Analysis, bold: &Format) -> Result<(), XlsxError> {
    header(sheet, &["from", "to", "minutes", "average kW", "plug kWh", "C-rate 1/h", "km added"], bold)?;
    for (row, window) in (1..).zip(&analysis.windows) {
        let cells = [
            Some(window.from.get()),
            Some(window.to.get()),
            Some(window.minutes.get()),
            Some(window.average.get()),
            window.plug.map(Energy::get),
            Some(window.c_rate),
            window.added.map(Distance::get),
        ];
        numbers(sheet, row, &cells)?;
    }
    Ok(())
}

/// Minutes from each round start (rows) to each round end (columns).
fn grid(sheet: &mut Worksheet, analysis: &Analysis, bold: &Format) -> Result<(), XlsxError> {
    sheet.write_with_format(0, 0, "minutes from ↓ to →", bold)?;
    for (index, end) in (1..).zip((10..=100).step_by(10)) {
        sheet.write_with_format(0, index, end, bold)?;
    }
    for (row, start) in (1..).zip((0..=90).step_by(10)) {
        sheet.write_with_format(row, 0, start, bold)?;
        for (column, end) in (1..).zip((10..=100).step_by(10)) {
            let window = analysis.window(Soc::percent(f64::from(start)), Soc::percent(f64::from(end)));
            if let Some(window) = window {
                sheet.write(row, column, (window.minutes.get() * 10.0).round() / 10.0)?;
            }
        }
    }
    Ok(())
}

fn slices(sheet: &mut Worksheet, analysis: &Analysis, bold: &Format) -> Result<(), XlsxError> {
    header(sheet, &["from min", "to min", "from soc", "to soc", "km added", "km/min"], bold)?;
    let all: Vec<&Slice> = analysis.slices.iter().chain(&analysis.thirds).collect();
    for (row, slice) in (1..).zip(all) {
        let added = slice.added.map(Distance::get);
        let cells = [
            Some(slice.from.get()),
            Some(slice.to.get()),
            Some(slice.from_soc.get()),
            Some(slice.to_soc.get()),
            added,
            added.map(|km| km / (slice.to - slice.from).get()),
        ];
        numbers(sheet, row, &cells)?;
    }
    Ok(())
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::{Sheet, read_session};
    use calamine::{Data, Reader, Xlsx};
    use spare_hour_core::session::analysis::Basis;
    use spare_hour_core::session::distance_base::DistanceBase;

    #[test]
    fn a_workbook_is_read_back_by_a_common_reader() {
        let text =
            "# car: Avel\nelapsed,soc,power_kw,note\n0:00,10,150,windy\n4:00,20,160,\n10:00,40.5,110,\n21:30,60,50,\n";
        let session = read_session(text).unwrap();
        let basis = Basis {
            usable: Energy::kwh(70.0),
            range: Some(Distance::km(400.0)),
            base: DistanceBase::Rated,
            loss_percent: None,
        };
        let report = Report::new(&session, basis, None).unwrap();
        let bytes = write_session_xlsx(&session, &report).unwrap();
        let sheet = Sheet::read_xlsx(&bytes).unwrap();
        assert_eq!(sheet.session(&sheet.guess()).unwrap().readings, session.readings);
        let mut book: Xlsx<_> = calamine::open_workbook_from_rs(std::io::Cursor::new(&bytes[..])).unwrap();
        assert_eq!(book.sheet_names(), ["readings", "curve", "windows", "grid", "slices", "noted"]);
        let grid = book.worksheet_range("grid").unwrap();
        assert_eq!(grid.get_value((2, 2)), Some(&Data::Float(4.0)));
        assert_eq!(grid.get_value((2, 6)), Some(&Data::Float(21.5)));
        assert_eq!(grid.get_value((1, 2)).unwrap_or(&Data::Empty), &Data::Empty);
    }

    #[test]
    fn many_readings_are_read_back_as_few_are() {
        let rows: String = (0..MANY + 5)
            .map(|at| {
                format!(
                    "{},{:.3},{},{}\n",
                    at,
                    5.0 + 0.004 * at as f64,
                    150 - at % 40,
                    if at % 9 == 0 { "windy" } else { "" }
                )
            })
            .collect();
        let session = read_session(&format!("elapsed,soc,power_kw,note\n{rows}")).unwrap();
        let basis = Basis { usable: Energy::kwh(70.0), range: None, base: DistanceBase::Rated, loss_percent: None };
        let report = Report::new(&session, basis, None).unwrap();
        let bytes = write_session_xlsx(&session, &report).unwrap();
        let mut book: Xlsx<_> = calamine::open_workbook_from_rs(std::io::Cursor::new(&bytes[..])).unwrap();
        assert_eq!(book.sheet_names(), ["readings", "curve", "windows", "grid", "slices", "noted"]);
        let readings = book.worksheet_range("readings").unwrap();
        assert_eq!(readings.height(), MANY + 6);
        for (at, reading) in session.readings.iter().enumerate() {
            let cell = |column: u32| readings.get_value((at as u32 + 1, column)).unwrap_or(&Data::Empty);
            assert_eq!(cell(1), &Data::Float(reading.soc.unwrap().get()));
            assert_eq!(cell(2), &Data::Float(reading.power.unwrap().get()));
            let note = reading.note.clone().map_or(Data::Empty, Data::String);
            assert_eq!(cell(9), &note, "row {at}");
        }
    }
}
