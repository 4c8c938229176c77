//! XLSX workbooks within limits. A workbook of a few kilobytes can name a cell that is a million rows away, or hold a
//! gigabyte of one letter; so what is in the archive is counted before it is parsed, and cells are taken one by one.

use std::io::{Cursor, Read};

use calamine::{DataRef, DataType, Reader, Xlsx, XlsxError};
use spare_hour_core::session::MOST_READINGS;
use zip::ZipArchive;

use crate::{FormatError, MOST_BYTES};

/// Most bytes of a workbook once it is unpacked.
const MOST_UNPACKED: u64 = 100_000_000;
/// Most bytes of its shared texts: each takes at least five in the file and several times that in memory.
const MOST_TEXTS: usize = 12_000_000;
/// Most files in its archive.
const MOST_FILES: usize = 2_000;
/// Most rows of a sheet, those above the header included.
const MOST_ROWS: usize = MOST_READINGS + 1_000;
/// Most columns that are read; what stands further right is passed over.
const MOST_COLUMNS: usize = 200;
/// Most cells of a sheet, the empty ones to the left of others included.
const MOST_CELLS: usize = 3_000_000;
/// Bytes of the shortest shared text, `<si/>`.
const SHORTEST_TEXT: usize = 5;

/// The rows of a sheet as text, and how many empty rows stand above the first.
pub(crate) struct SheetRows {
    pub(crate) above: usize,
    pub(crate) rows: Vec<Vec<String>>,
}

/// The sheets of a workbook, in its order, until `wanted` takes one.
pub(crate) fn find_sheet<T>(bytes: &[u8], wanted: impl Fn(SheetRows) -> Option<T>) -> Result<Option<T>, FormatError> {
    check_archive(bytes)?;
    let mut book: Xlsx<_> = calamine::open_workbook_from_rs(Cursor::new(bytes)).map_err(refused)?;
    for name in book.sheet_names() {
        if let Some(found) = wanted(rows(&mut book, &name)?) {
            return Ok(Some(found));
        }
    }
    Ok(None)
}

#[expect(clippy::needless_pass_by_value, reason = "handed over by map_err")]
fn refused(error: XlsxError) -> FormatError {
    FormatError::file(format!("cannot be read as XLSX: {error}"))
}

/// Whether what the archive holds stays within the limits; what it says of its own sizes is not believed.
fn check_archive(bytes: &[u8]) -> Result<(), FormatError> {
    if bytes.len() > MOST_BYTES {
        let found = bytes.len();
        return Err(FormatError::file(format!("the file has {found} bytes; expected at most {MOST_BYTES}")));
    }
    let unreadable = |problem: String| FormatError::file(format!("cannot be read as XLSX: {problem}"));
    let mut archive = ZipArchive::new(Cursor::new(bytes)).map_err(|error| unreadable(error.to_string()))?;
    if archive.len() > MOST_FILES {
        let found = archive.len();
        return Err(FormatError::file(format!("the workbook holds {found} files; expected at most {MOST_FILES}")));
    }
    let mut left = MOST_UNPACKED;
    let mut part = Vec::new();
    for index in 0..archive.len() {
        let file = archive.by_index(index).map_err(|error| unreadable(error.to_string()))?;
        part.clear();
        file.take(left + 1).read_to_end(&mut part).map_err(|error| unreadable(error.to_string()))?;
        left = left.checked_sub(part.len() as u64).ok_or_else(|| {
            FormatError::file(format!("the workbook has more than {MOST_UNPACKED} bytes once unpacked; expected fewer"))
        })?;
        check_texts(&part)?;
    }
    Ok(())
}

/// Whether a file of shared texts holds no more than is expected, and as many as it says: memory is set aside for those.
fn check_texts(part: &[u8]) -> Result<(), FormatError> {
    const CLAIM: &[u8] = b"uniqueCount";
    let Some(at) = part.windows(CLAIM.len()).position(|window| window == CLAIM) else {
        return Ok(());
    };
    let digits = part[at + CLAIM.len()..].iter().skip_while(|byte| !byte.is_ascii_digit());
    let digits: String = digits.take_while(|byte| byte.is_ascii_digit()).map(|&byte| char::from(byte)).collect();
    if digits.parse().is_ok_and(|claimed: usize| claimed <= part.len() / SHORTEST_TEXT) && part.len() <= MOST_TEXTS {
        return Ok(());
    }
    let found = part.len();
    Err(FormatError::file(format!(
        "the workbook says it has {digits} texts in {found} bytes; expected at most {MOST_TEXTS} bytes, and as many as fit"
    )))
}

/// The rows of a sheet, as far as something stands in them.
fn rows(book: &mut Xlsx<Cursor<&[u8]>>, name: &str) -> Result<SheetRows, FormatError> {
    let mut cells = match book.worksheet_cells_reader(name) {
        Ok(cells) => cells,
        // A sheet of charts has no cells.
        Err(XlsxError::NotAWorksheet(_) | XlsxError::WorksheetNotFound(_)) => {
            return Ok(SheetRows { above: 0, rows: Vec::new() });
        }
        Err(error) => return Err(refused(error)),
    };
    let (mut rows, mut total) = (Vec::<Vec<String>>::new(), 0);
    while let Some(found) = cells.next_cell().map_err(refused)? {
        let (row, column) = found.get_position();
        let (row, column) = (row as usize, column as usize);
        if column >= MOST_COLUMNS || found.get_value().is_empty() {
            continue;
        }
        if row >= MOST_ROWS {
            return Err(FormatError::file(format!(
                "sheet “{name}” has a cell in row {}; expected at most {MOST_ROWS} rows",
                row + 1
            )));
        }
        if rows.len() <= row {
            rows.resize_with(row + 1, Vec::new);
        }
        let cells = &mut rows[row];
        if cells.len() <= column {
            total += column + 1 - cells.len();
            cells.resize_with(column + 1, String::new);
        }
        if total > MOST_CELLS {
            let problem = format!("sheet “{name}” has more than {MOST_CELLS} cells; expected fewer");
            return Err(FormatError::file(problem));
        }
        cells[column] = text(found.get_value());
    }
    let above = rows.iter().take_while(|row| row.is_empty()).count();
    Ok(SheetRows { above, rows: rows.split_off(above) })
}

/// A cell as text: numbers with all their digits, days as ISO 8601, times of less than a thousand days in seconds.
fn text(cell: &DataRef) -> String {
    match cell {
        DataRef::DateTime(time) => {
            let days = time.as_f64();
            if days < 1000.0 {
                return ((days * 86_400_000.0).round() / 1000.0).to_string();
            }
            let (year, month, day, hour, minute, second, _) = time.to_ymd_hms_milli();
            format!("{year:04}-{month:02}-{day:02}T{hour:02}:{minute:02}:{second:02}")
        }
        DataRef::Empty | DataRef::Error(_) => String::new(),
        other => calamine::Data::from(other.clone()).to_string(),
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use rust_xlsxwriter::Workbook;
    use std::io::Write;
    use zip::write::{SimpleFileOptions, ZipWriter};

    /// A workbook with one cell beside a short table.
    fn with_cell(row: u32, column: u16) -> Vec<u8> {
        let mut book = Workbook::new();
        let sheet = book.add_worksheet();
        for (index, name) in (0..).zip(["elapsed", "soc"]) {
            sheet.write(0, index, name).unwrap();
            sheet.write(1, index, 10.0).unwrap();
        }
        sheet.write(row, column, "far").unwrap();
        book.save_to_buffer().unwrap()
    }

    /// The workbook with another file in the place of one of its own.
    fn with_part(name: &str, content: &[u8]) -> Vec<u8> {
        let book = with_cell(3, 0);
        let mut from = ZipArchive::new(Cursor::new(&book)).unwrap();
        let mut into = ZipWriter::new(Cursor::new(Vec::new()));
        for index in 0..from.len() {
            let mut part = Vec::new();
            let mut file = from.by_index(index).unwrap();
            file.read_to_end(&mut part).unwrap();
            let own = file.name().unwrap().into_owned();
            into.start_file(own.as_str(), SimpleFileOptions::default()).unwrap();
            into.write_all(if own == name { content } else { &part }).unwrap();
        }
        into.finish().unwrap().into_inner()
    }

    fn read(bytes: &[u8]) -> Result<Vec<Vec<String>>, String> {
        find_sheet(bytes, |sheet| Some(sheet.rows)).map(Option::unwrap_or_default).map_err(|error| error.to_string())
    }

    #[test]
    fn a_far_cell_builds_no_rectangle() {
        // Rows end at 1,048,576 and columns at 16,384: ECMA-376, from memory.
        let error = read(&with_cell(1_048_575, 0)).unwrap_err();
        assert!(error.contains("has a cell in row 1048576; expected at most"), "{error}");
        let rows = read(&with_cell(1, 16_383)).unwrap();
        assert_eq!(rows[1], ["10", "10"]);
        assert_eq!(read(&with_cell(4, 1)).unwrap()[4], ["", "far"]);
    }

    #[test]
    fn what_unpacks_to_too_much_is_refused_before_it_is_parsed() {
        let bomb = with_part("xl/worksheets/sheet1.xml", &vec![b' '; MOST_UNPACKED as usize]);
        assert!(bomb.len() < 200_000);
        let error = read(&bomb).unwrap_err();
        assert!(error.contains("bytes once unpacked"), "{error}");
    }

    #[test]
    fn texts_are_as_many_as_the_file_can_hold() {
        let strings = |count: &str| {
            let text = format!(
                "<sst xmlns=\"http://schemas.openxmlformats.org/spreadsheetml/2006/main\" uniqueCount=\"{count}\"><si/></sst>"
            );
            read(&with_part("xl/sharedStrings.xml", text.as_bytes()))
        };
        for count in ["4000000000", "99999999999999999999999", "many"] {
            let error = strings(count).unwrap_err();
            assert!(error.contains("texts in"), "{count}: {error}");
        }
        let long = format!("<sst uniqueCount=\"1\"><si><t>{}</t></si></sst>", "a".repeat(MOST_TEXTS));
        assert!(read(&with_part("xl/sharedStrings.xml", long.as_bytes())).unwrap_err().contains("texts in"));
    }
}
